"""A block that is sawn through two neighbouring faces: what is left of it, the parts it comes apart into, and in which
order they come free."""

from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np
import shapely
from shapely import affinity

from ..errors import BadChoice
from ..findings import Finding
from ..intake.proposal import Proposal
from ..outline.coverage import Coverage, on_grid
from ..practice import Practice
from ..solid.compound import Boxes, bodies_of, columns_of, from_above, heights_of, solid_of, straightened
from ..solid.freeing import Freed, freeing
from ..work.composition import Composition, Layer, Piece
from ..work.decisions import Decisions
from ..work.in_space import Block, SpaceDecisions
from ..work.parts import Job

AROUND_MM = 1.5
"""Wood that stays round an outline at each side of its block, so that the blade never leaves it: common practice, no
source."""
ENDS_MM = 6.0
"""Above and below: there it is held while it is sawn. Common practice, no source."""
OF_ONE_HEIGHT = 0.02
"""Two outlines that differ by no more are made of one height; more is refused."""
ENDS_SHARE = 0.1
"""Of a figure's height at either end, where a bore may come out beside a rounding: own choice."""
LEAST_BLOCK_MM, MOST_BLOCK_MM = 8.0, 120.0


@dataclass(frozen=True)
class Fragment:
    """A part that comes out of the block: the pieces of the front and of the side that it is cut by (by key), its
    solid, and when and how it comes free."""

    front: int
    side: int
    boxes: Boxes
    freed: Freed
    name: str


@dataclass(frozen=True)
class Compound:
    """All of a block: what is left, its fragments, where more bodies stand beside each other than any outline shows
    (from, to, how many), and the area seen from above."""

    block: Block
    whole: Boxes
    fragments: tuple[Fragment, ...]
    columns: tuple[tuple[float, float, int], ...]
    above_mm2: float
    boxed_mm2: float

    @property
    def turns(self) -> int:
        return max((one.freed.turn for one in self.fragments), default=0)

    @property
    def locked(self) -> tuple[Fragment, ...]:
        return tuple(one for one in self.fragments if not one.freed.turn)

    @property
    def in_order(self) -> list[Fragment]:
        """As they come free, what never does last."""
        return sorted(self.fragments, key=lambda one: (one.freed.turn or 999, one.name))


def compounds_of(job: Job) -> tuple[Compound, ...]:
    """Every block of one copy; worked out once for its outlines."""
    return job.once("compounds", lambda: tuple(_compounds(job)))


def _compounds(job: Job) -> Iterable[Compound]:
    for block in job.composition.decisions.space.blocks:
        front, side = (job.composition.layer(key).without_openings for key in (block.front, block.side))
        if front.pieces and side.pieces:
            yield _kept(front, side, block)


def _kept(front: Layer, side: Layer, block: Block) -> Compound:
    # what is the same for both outlines is kept with them
    return front.coverage.against(("compound", block), (side.coverage,), lambda: _compound(front, side, block))


def _compound(front: Layer, side: Layer, block: Block) -> Compound:
    fronts = {key: _upwards(outline, block) for key, outline in front.coverage.by_key.items()}
    sides = {key: _inwards(outline, block) for key, outline in side.coverage.by_key.items()}
    heights = heights_of([*fronts.values(), *sides.values()])
    whole = solid_of(
        shapely.union_all(np.array(list(fronts.values()), object)),
        shapely.union_all(np.array(list(sides.values()), object)),
        heights,
    )
    made: list[tuple[int, int, Boxes]] = []
    for a, one in fronts.items():
        for b, other in sides.items():
            made += [(a, b, body) for body in bodies_of(solid_of(one, other, heights))]
    made.sort(key=lambda entry: (front.by_key[entry[0]].number, side.by_key[entry[1]].number))
    turns = freeing([body for _, _, body in made])
    several = len({b for _, b, _ in made}) > 1
    names = list[str]()
    for a, b, _ in made:
        name = str(front.by_key[a].number) + (f".{side.by_key[b].number}" if several else "")
        # of bodies that the same pieces leave the largest has the plain name
        again = sum(1 for one in made[: len(names)] if one[:2] == (a, b))
        names.append(name + (chr(97 + again) if again else ""))
    fragments = tuple(
        Fragment(a, b, body, freed, name) for (a, b, body), freed, name in zip(made, turns, names, strict=True)
    )
    bounds = whole.bounds if len(whole) else np.zeros((2, 3))
    boxed = float((bounds[1, 0] - bounds[0, 0]) * (bounds[1, 2] - bounds[0, 2]))
    return Compound(block, whole, fragments, tuple(columns_of(whole)), float(from_above(whole).area), boxed)


def _upwards(outline: shapely.Polygon, block: Block) -> shapely.Geometry:
    """A piece of the front in (x, height)."""
    foot = block.top_mm + block.long_mm
    return straightened(shapely.transform(outline, lambda xy: np.c_[xy[:, 0] - block.left_mm, foot - xy[:, 1]]))


def _inwards(outline: shapely.Polygon, block: Block) -> shapely.Geometry:
    """A piece of the right side in (z, height): the fold is the front edge, z runs from the back towards it."""
    far, foot = block.left_mm + block.wide_mm + block.deep_mm, block.top_mm + block.long_mm
    return straightened(shapely.transform(outline, lambda xy: np.c_[far - xy[:, 0], foot - xy[:, 1]]))


def fresh_block(
    front: Proposal,
    side: Proposal,
    name: str,
    block_mm: float,
    practice: Practice,
    height_mm: float | None = None,
    stretch: bool = False,
) -> Composition:
    """A work that is one square block sawn through two faces. Both outlines become as large as the block allows, or as
    high as is said. Raises `BadChoice`."""
    if not LEAST_BLOCK_MM <= block_mm <= MOST_BLOCK_MM:
        raise BadChoice(f"A block can be {LEAST_BLOCK_MM:g} to {MOST_BLOCK_MM:g} mm square, not {block_mm:g}.")
    one, other = _of_one_height(front.coverage, side.coverage, practice, stretch)
    widest = max(_wide(one), _wide(other))
    room = block_mm - 2 * AROUND_MM
    scale = height_mm / _high(one) if height_mm else room / widest
    if widest * scale > room + 1e-6:
        raise BadChoice(
            f"At that height the wider outline is {practice.say(widest * scale)}; the block leaves "
            f"{practice.say(room)}. Take a thicker block, or make it lower."
        )
    long = round(_high(one) * scale + 2 * ENDS_MM, 3)
    faces = [_placed(area, scale, 0.0, block_mm, long) for area in (one, other)]
    layers: list[Layer] = []
    key = 1
    for n, (proposal, coverage) in enumerate(zip((front, side), faces, strict=True)):
        offset = n * block_mm
        outlines = [affinity.translate(outline, offset, 0) for outline in coverage.outlines]
        keys = list(range(key, key + len(outlines)))
        open_ones = {keys[i] for i, k in enumerate(coverage.keys) if k in proposal.openings}
        numbers = iter(range(1 + sum(len(layer.without_openings.pieces) for layer in layers), 10_000))
        pieces = tuple(Piece(k, 0, opening=True) if k in open_ones else Piece(k, next(numbers)) for k in keys)
        made = Coverage(keys, list(on_grid(np.array(outlines))))
        words = "Front" if n == 0 else "Side"
        layers.append(Layer(n + 1, words, "face", made, pieces, thickness_mm=block_mm))
        key += len(outlines)
    block = Block(1, 2, block_mm, block_mm, long)
    decided = Decisions(space=SpaceDecisions(blocks=(block,)))
    findings = (*_stretched(front.coverage, side.coverage, practice), *front.findings, *side.findings)
    return Composition(name, 2 * block_mm, long, tuple(layers), practice, decided, intake_findings=findings)


def _stretched(front: Coverage, side: Coverage, practice: Practice) -> Iterable[Finding]:
    if abs(_high(front) - _high(side)) > 0.001 * _high(front):
        yield Finding(
            "side-stretched",
            "pattern",
            "The side outline was not as high as the front one and has been made so, by "
            f"{abs(_high(front) / _high(side) - 1):.1%} of its height.",
            "Two faces of one block are of one height.",
        )


def _wide(coverage: Coverage) -> float:
    x0, _, x1, _ = coverage.bounds_mm
    return x1 - x0


def _high(coverage: Coverage) -> float:
    _, y0, _, y1 = coverage.bounds_mm
    return y1 - y0


def _of_one_height(front: Coverage, side: Coverage, practice: Practice, stretch: bool) -> tuple[Coverage, Coverage]:
    """Both with the front's height."""
    if not len(front) or not len(side):
        raise BadChoice("One of the two drawings holds nothing to saw.")
    high, other = _high(front), _high(side)
    off = abs(high - other) / max(high, other)
    if off > OF_ONE_HEIGHT and not stretch:
        raise BadChoice(
            f"The front outline is {practice.say(high)} high, the side one {practice.say(other)}: two faces of one "
            "block are of one height. Draw them alike, or let the side be stretched."
        )
    if off == 0:
        return front, side
    x0, y0, _, _ = side.bounds_mm
    taller = [affinity.scale(outline, 1.0, high / other, origin=(x0, y0)) for outline in side.outlines]
    return front, Coverage(side.keys, taller)


def _placed(coverage: Coverage, scale: float, left: float, block_mm: float, long: float) -> Coverage:
    """In the middle of its face, its foot above the block's end."""
    x0, _, x1, y1 = coverage.bounds_mm
    middle = left + block_mm / 2

    def moved(xy: np.ndarray) -> np.ndarray:
        return np.c_[(xy[:, 0] - (x0 + x1) / 2) * scale + middle, (xy[:, 1] - y1) * scale + long - ENDS_MM]

    return Coverage(coverage.keys, list(shapely.transform(np.array(coverage.outlines), moved)))


def with_dowel(compound: Compound, dowel_mm: float) -> Block:
    """The block with a bore along its length where the most wood is round it, all the way up. Raises `BadChoice` where
    there is none."""
    boxes = compound.whole
    if not len(boxes):
        raise BadChoice("Nothing is left of the block.")
    low, high = boxes.bounds[:, 1]
    ends = ENDS_SHARE * (high - low)
    shared: shapely.Geometry | None = None
    for k in np.unique(boxes.slab).tolist():
        # a rounded foot or top is narrower than what is between
        if not low + ends <= boxes.heights[k] or not boxes.heights[k + 1] <= high - ends:
            continue
        rows = boxes.slab == k
        areas = []
        for x, z in ((boxes.x_low, boxes.z_low), (boxes.x_high, boxes.z_high)):
            areas.append(shapely.union_all(shapely.box(x[rows, 0], z[rows, 0], x[rows, 1], z[rows, 1])))
        own = shapely.intersection(*areas)
        shared = own if shared is None else shapely.intersection(shared, own)
        if shared.is_empty:
            break
    room = shapely.buffer(shared, -(dowel_mm / 2 + 2.0)) if shared is not None and not shared.is_empty else None
    if room is None or room.is_empty:
        raise BadChoice("No straight bore of that width stays inside the wood from the foot to the top.")
    point = shapely.point_on_surface(max(shapely.get_parts(room), key=lambda part: part.area))
    return replace(compound.block, dowel_mm=dowel_mm, dowel_x=round(point.x, 2), dowel_z=round(point.y, 2))
