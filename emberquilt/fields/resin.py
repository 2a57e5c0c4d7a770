"""Pools of resin: how much of each colour, mixed in which parts and batches, in which order and layers.

Volume is area times depth, and a tenth more; parts by volume or by weight as the label says; colour at most a tenth of
the mix. The pot life halves for each 10 degrees that it is warmer. Common practice, no source: the label knows better.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from math import ceil

import shapely

from ..work.composition import Layer
from ..work.parts import Job
from ..work.pools import RESIN_KG_M3, Fill, fills_of

MORE = 0.10
"""What sticks to the cup."""
MOST_COLOUR = 0.10
DENSITY_G_PER_ML = RESIN_KG_M3 / 1000
USABLE = 0.6
"""Of the pot life, before the mix drags: common practice, no source."""
MIX_MINUTES, POUR_MINUTES, ML_PER_MINUTE = 5.0, 1.0, 40.0
"""To mix, for each pool, and how fast it runs in: common practice, no source."""
TABLE_C, TWICE_C, LEAST_C = 20.0, 10.0, 15.0
TOUCH_MM = 0.5
"""Pools with a thinner wall between them run into each other."""
THIN_MM = 2.0


@dataclass(frozen=True)
class Filled:
    """One pool: its piece, colour, area, depth and volume without what sticks to the cup; `through`: nothing of its own
    layer is below it; `rim_mm` how high the lowest wood round it stands; `layers` how many pours; `floaters`: pieces
    that stand in it and are set first."""

    piece: int
    colour: str
    area_mm2: float
    deep_mm: float
    ml: float
    through: bool
    floor: bool
    rim_mm: float
    layers: int
    floaters: tuple[int, ...]


@dataclass(frozen=True)
class Batch:
    """One cup: the pools that it fills and how far, millilitres with what sticks to it, of which resin, hardener and
    colour, in ml and, by weight, in g."""

    number: int
    colour: str
    layer: int
    pieces: tuple[int, ...]
    ml: float
    resin: float
    hardener: float
    colour_ml: float
    unit: str
    minutes: float


@dataclass(frozen=True)
class Pours:
    """All of one copy: pools in the order in which they are filled, batches, and how long the mix can be used."""

    pools: tuple[Filled, ...]
    batches: tuple[Batch, ...]
    pot_minutes: float
    cure_minutes: float

    @property
    def by_colour(self) -> dict[str, float]:
        """Millilitres of each colour, with what sticks to the cup."""
        total: dict[str, float] = {}
        for batch in self.batches:
            total[batch.colour] = total.get(batch.colour, 0.0) + batch.ml
        return total


def pours_of(job: Job) -> Pours | None:
    """Nothing where nothing is filled; worked out once for a job."""
    return job.once("pours", lambda: _pours(job))


def _pours(job: Job) -> Pours | None:
    fills = fills_of(job)
    if not fills:
        return None
    practice = job.composition.practice
    pools = [_filled(job, fill) for fill in fills]
    pools = [one for one in pools if one.ml > 0]
    # what has the lowest rim first: what runs over there meets no other colour yet; dark after light
    pools.sort(key=lambda one: (round(one.rim_mm, 1), -_lightness(one.colour), -one.ml, one.piece))
    slow = 2.0 ** ((TABLE_C - max(practice.shop_c, LEAST_C)) / TWICE_C)
    pot = practice.pot_minutes * slow
    batches = list(_batches(job, pools, pot))
    return Pours(tuple(pools), tuple(batches), round(pot, 2), round(practice.cure_hours * 60 * slow, 1))


def _lightness(colour: str) -> float:
    r, g, b = (int(colour[i : i + 2], 16) for i in (1, 3, 5))
    return 0.3 * r + 0.59 * g + 0.11 * b


def _filled(job: Job, fill: Fill) -> Filled:
    through = fill.piece.opening
    return Filled(
        fill.piece.key,
        fill.colour,
        fill.area_mm2,
        fill.deep_mm,
        fill.area_mm2 * fill.deep_mm / 1000.0,
        through,
        not through or _has_floor(job, fill.layer, fill.layer.coverage.by_key[fill.piece.key]),
        fill.rim_mm,
        max(1, ceil(fill.deep_mm / job.composition.practice.pour_mm - 1e-9)),
        fill.floaters,
    )


def _has_floor(job: Job, layer: Layer, outline: shapely.Polygon) -> bool:
    """Whether what lies behind closes an opening from below."""
    at = job.composition.layers.index(layer)
    behind = [part.outline for part in job.grounds]
    behind += [job.pieces[p.key].outline for one in job.composition.layers[:at] for p in one.without_openings.pieces]
    if not behind:
        return False
    return bool(shapely.union_all(behind).buffer(0.05).covers(outline))


def _batches(job: Job, pools: list[Filled], pot: float) -> Iterable[Batch]:
    """Colour by colour and layer by layer, as much at a time as runs in while the mix can be used."""
    number = 0
    colours = list(dict.fromkeys(one.colour for one in pools))
    for level in range(max((one.layers for one in pools), default=0)):
        for colour in colours:
            going: list[tuple[Filled, float]] = []
            spent = MIX_MINUTES
            for one in pools:
                if one.colour != colour or level >= one.layers:
                    continue
                left = one.ml / one.layers
                while left > 1e-9:
                    room = USABLE * pot - spent - POUR_MINUTES
                    fits = max(room, 0.0) * ML_PER_MINUTE
                    if fits < min(left, 2.0) and going:
                        number += 1
                        yield _batch(job, number, colour, level, going, spent)
                        going, spent = [], MIX_MINUTES
                        continue
                    part = min(left, max(fits, 1.0))
                    going.append((one, part))
                    spent += POUR_MINUTES + part / ML_PER_MINUTE
                    left -= part
            if going:
                number += 1
                yield _batch(job, number, colour, level, going, spent)


def _batch(job: Job, number: int, colour: str, level: int, going: list[tuple[Filled, float]], spent: float) -> Batch:
    practice = job.composition.practice
    total = sum(part for _, part in going) * (1 + MORE)
    tint = total * min(practice.colour_share, MOST_COLOUR)
    clear = total - tint
    times = clear * DENSITY_G_PER_ML if practice.resin_by == "weight" else clear
    parts = int(practice.resin_ratio)
    return Batch(
        number,
        colour,
        level + 1,
        tuple(dict.fromkeys(one.piece for one, _ in going)),
        round(total, 3),
        round(times * parts / (parts + 1), 3),
        round(times / (parts + 1), 3),
        round(tint, 3),
        "g" if practice.resin_by == "weight" else "ml",
        round(spent, 2),
    )
