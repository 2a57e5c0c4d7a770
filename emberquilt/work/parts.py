"""The work as parts: everything that is made of one piece of stock, where it lies, how thick it is and of what.

Heights are millimetres from the very back of the work. A part lies on the highest of what is under it. Thickness is
resolved here and nowhere else: a piece's own, its layer's, or the usual stock.
"""

from collections.abc import Callable, Hashable, Iterator
from dataclasses import dataclass, field, replace
from math import ceil
from typing import Any, TypeVar

import numpy as np
import shapely

from ..lazy import lazy
from ..outline.coverage import Coverage
from ..outline.insets import backer_outline, shim_outline, spread
from ..rack.woods import Shelf
from .composition import IN_SPACE, Composition, Layer, Piece
from .decisions import Rails
from .fitted import narrowed_mm, off_by_seam, sanded_mm
from .joints import jointed
from .overlaps import LEAST_OVERLAP_MM2
from .standing import Standing, sheets_in, spacer_sheets, standing_of

T = TypeVar("T")

ROLES = {
    "mosaic": "piece",
    "sheet": "sheet",
    "overlay": "overlay",
    "backer": "backer",
    "spacer": "spacer",
    "kit": "part",
    "face": "profile",
    "routed": "field",
}
"""What a piece of each kind of layer is."""
SPACER_MM = 12.0
"""Side of a spacer: common practice, no source."""
SPACERS_APART_MM = 120.0
LEAST_SPACERS, MOST_SPACERS = 3, 16
USUAL_KERF_MM = 0.55
"""What sawing on the line takes: the kerf of a No. 5. Common practice, no source."""
SPARE_SPACERS = 1
"""Small parts get lost: one more is cut. Common practice, no source."""
EVEN_SHARE = 0.99
"""A material that is as strong across as along can lie any way round."""


@dataclass(frozen=True, slots=True)
class PartId:
    """One part of one copy; the same after every edit that leaves it. `piece` is the key of the piece that it stands
    for, or under which it lies; `index` tells several of a kind apart, from 1."""

    role: str
    layer: int = 0
    piece: int = 0
    copy: int = 1
    index: int = 0
    in_any_copy: str = field(init=False, compare=False)
    """What it is called in every copy: ``12`` for a piece, ``shim-12``, ``spacer-3.1``, ``backer``."""
    key: str = field(init=False, compare=False)
    """What placements, steps and the log call it; a further copy is told by its number: ``12/3``."""

    def __post_init__(self) -> None:
        # asked for a dozen times a part, and always the same
        object.__setattr__(self, "in_any_copy", self._words())
        object.__setattr__(self, "key", self.in_any_copy + (f"/{self.copy}" if self.copy > 1 else ""))

    def _words(self) -> str:
        if self.role not in DERIVED:
            return str(self.piece)
        lies = self.piece or (self.layer if self.role == "stand" else 0)
        which = ".".join(str(n) for n in (lies, self.index) if n)
        return "-".join(word for word in (SPOKEN.get(self.role, self.role), which) if word)


WITHIN = ("profile", "field")
"""Pieces that are sawn or routed in stock of another part, and are none of their own."""
ROOM_MM = 2.0
"""Left in a frame behind the backer for points or clips: common practice, no source."""
DERIVED = ("ground", "shim", "stand", "rail", "base", "block", "board", "resin")
"""Parts that no piece stands for. In what they are called and read a ground is a backer and a stand a spacer."""
SPOKEN = {"ground": "backer", "stand": "spacer"}


@dataclass(frozen=True, slots=True)
class Part:
    """`outline` in the work's mm from the front; `material` a code of the shelf, words, or empty; `turn` how it may be
    turned on its board: fixed, half (round) or any; `floor_mm` and `top_mm` from the very back of the work."""

    id: PartId
    number: int
    name: str
    outline: shapely.Geometry = field(repr=False)
    material: str
    thickness_mm: float
    floor_mm: float
    grain_deg: float = 0.0
    turn: str = "any"
    coat: str = ""

    @property
    def role(self) -> str:
        return SPOKEN.get(self.id.role, self.id.role)

    @property
    def key(self) -> str:
        return self.id.key

    @property
    def copy(self) -> int:
        return self.id.copy

    @property
    def top_mm(self) -> float:
        return round(self.floor_mm + self.thickness_mm, 6)

    @property
    def area_mm2(self) -> float:
        return float(self.outline.area)

    def of_copy(self, number: int) -> "Part":
        """The same part in another copy of the work."""
        return self if number == self.id.copy else replace(self, id=replace(self.id, copy=number))


@dataclass(frozen=True)
class Job:
    """All parts of a composition times the number of its copies. Parts of one copy are worked out when first asked for;
    the others are the same at another number.

    All handles on a composition's job (`job_of`) share what is worked out, which lies with the composition: it holds no
    handle, and so goes when the last of the two is forgotten. What is held in a circle would stay in memory until all
    of it is looked through."""

    __slots__ = ("__dict__", "composition")
    composition: Composition

    def __reduce__(self):
        return job_of, (self.composition,)

    @lazy
    def _kept(self) -> dict[Hashable, Any]:
        return {}

    def once(self, name: Hashable, compute: Callable[[], T]) -> T:
        """What `compute` derives from the whole job, kept under `name` with it."""
        if name not in self._kept:
            self._kept[name] = compute()
        return self._kept[name]

    @property
    def worked_out(self) -> list[Hashable]:
        """Under which names something is kept with it."""
        return list(self._kept)

    @property
    def copies(self) -> int:
        return self.composition.decisions.whole.copies

    @lazy
    def standing(self) -> Standing:
        """How every piece comes to its height."""
        return standing_of(self.composition, self.ground_mm)

    @lazy
    def thickness_mm(self) -> dict[int, float]:
        """Thickness of every piece that is made of something: its stock, less what it is lowered from below."""
        return {key: round(pair.stock_mm - pair.lowered_mm, 6) for key, pair in self.standing.pair.items()}

    @lazy
    def shim_mm(self) -> dict[int, float]:
        """The shim under every piece that is made of something, 0 for none."""
        return {key: pair.shim_mm for key, pair in self.standing.pair.items()}

    @lazy
    def material(self) -> dict[int, str]:
        """What every piece is made of: a code of the shelf, words of its layer, or nothing yet."""
        return {
            p.key: self.composition.wood_of(p) or layer.material
            for layer in self.composition.layers
            for p in layer.pieces
            if not p.opening
        }

    def known(self, key: int) -> bool:
        """Whether what a piece is made of is on the shelf, so that it can be bought, sawn and weighed."""
        return self.material.get(key, "") in self.composition.rack.shelf

    @lazy
    def rear(self) -> Layer | None:
        """The rearmost layer that has anything in it."""
        return next((layer for layer in self.composition.layers if layer.without_openings.pieces), None)

    @lazy
    def grounds(self) -> tuple[Part, ...]:
        """The backers that are cut because the rearmost layer is of several pieces and none of them holds the
        others."""
        rear, practice = self.rear, self.composition.practice
        if rear is None or rear.kind in ("backer", "routed", *IN_SPACE) or len(rear.without_openings.pieces) < 2:
            return ()
        coverage = rear.without_openings.coverage
        off = off_by_seam(self.composition)
        lost = max(0.0, practice.joint_mm(USUAL_KERF_MM) / 2) + (narrowed_mm(coverage, off) / 2 if off else 0.0)
        # what is cut out of a sheet is to be seen against the backer; a hole between pieces shows the wall
        through = rear.kind == "sheet"
        name = ("backer", practice.backer_inset_mm, lost, through)
        outline = coverage.once(name, lambda: backer_outline(coverage, practice.backer_inset_mm, lost, through))
        parts = [part for part in shapely.get_parts(outline).tolist() if part.area > 0]
        several = len(parts) > 1
        return tuple(
            Part(
                PartId("ground", index=i if several else 0),
                0,
                f"backer {i}" if several else "backer",
                part,
                practice.backer_material,
                practice.backer_mm,
                0.0,
            )
            for i, part in enumerate(parts, 1)
        )

    @property
    def ground_mm(self) -> float:
        """How high what the rearmost layer lies on stands above the very back."""
        return self.grounds[0].thickness_mm if self.grounds else 0.0

    @property
    def rests_mm(self) -> dict[int, float]:
        """For every piece the height of what it lies on, without the shim under it."""
        return self.standing.rests_mm

    @lazy
    def jointed(self) -> dict[int, shapely.Polygon]:
        """Outlines of pieces with tabs and slots, as they are sawn for what goes into them."""
        return jointed(self.composition, self.thickness_mm)

    @lazy
    def pieces(self) -> dict[int, Part]:
        """The part that each piece is, in the first copy, by the piece's key; back to front."""
        shelf, space = self.composition.rack.shelf, self.composition.decisions.space
        made = {}
        for layer in self.composition.layers:
            role = "slice" if space.body_of(layer.key) is not None else ROLES[layer.kind]
            for p in layer.without_openings.pieces:
                made[p.key] = Part(
                    PartId(role, layer.key, p.key),
                    p.number,
                    str(p.number),
                    self.jointed.get(p.key) or layer.coverage.by_key[p.key],
                    self.material[p.key],
                    self.thickness_mm[p.key],
                    round(self.rests_mm[p.key] + self.shim_mm[p.key], 6),
                    p.grain_deg or 0.0,
                    _turn(self.material[p.key], p, shelf),
                    p.coat,
                )
        return made

    @lazy
    def shims(self) -> tuple[Part, ...]:
        """Shims under pieces, each of one sheet, those that are glued on each other from below; neighbours that stand
        on the same height share a sheet as far as they are lifted alike."""
        return tuple(part for part, _ in self._shims)

    @lazy
    def carried(self) -> dict[str, tuple[int, ...]]:
        """The pieces that each shim carries, by its key."""
        return {part.key: keys for part, keys in self._shims}

    @lazy
    def _shims(self) -> list[tuple[Part, tuple[int, ...]]]:
        practice, sanded = self.composition.practice, sanded_mm(self.composition)
        made = []
        for layer in self.composition.layers:
            bodies: dict[int, list[tuple[shapely.Geometry, float, float, list[Piece]]]] = {}
            for floor, thick, group in self._lifted_together(layer):
                outline = _joined([layer.coverage.by_key[p.key] for p in group])
                # what was sanded off at the dry fit no longer hides it
                inset = practice.shim_inset_mm + max((sanded.get(p.key, 0.0) for p in group), default=0.0)
                inner = shim_outline(outline, inset)
                for body in shapely.get_parts(inner).tolist():
                    if body.area > LEAST_OVERLAP_MM2:
                        bodies.setdefault(group[0].key, []).append((body, floor, thick, group))
            for first, own in bodies.items():
                for i, (body, floor, thick, group) in enumerate(own, 1):
                    names = " and ".join(str(p.number) for p in group[:2]) + (" …" if len(group) > 2 else "")
                    part_id = PartId("shim", layer.key, first, index=i if len(own) > 1 else 0)
                    part = Part(part_id, 0, f"shim {names}", body, practice.shim_material, thick, floor)
                    made.append((part, tuple(p.key for p in group)))
        return made

    def _lifted_together(self, layer: Layer) -> list[tuple[float, float, list[Piece]]]:
        """Sheets with their floor and thickness and the pieces that share each, by key: linked by seams, on the same
        sheets from the same height. Those on each other come from below."""
        bevels, sheets = self.composition.decisions.relief.bevels, self.composition.practice.shims_mm
        # a bevelled piece is held by what it jams in, and has nothing under it
        lifted = {
            p.key: sheets_in(self.shim_mm[p.key], sheets)
            for p in layer.without_openings.pieces
            if self.shim_mm[p.key] > 0 and p.key not in bevels
        }
        groups = []
        for level in range(max(map(len, lifted.values()), default=0)):
            alike = {key: (self.rests_mm[key], own[: level + 1]) for key, own in lifted.items() if len(own) > level}
            for group in _linked(layer.coverage, alike):
                below = lifted[group[0]]
                floor = round(self.rests_mm[group[0]] + sum(below[:level]), 6)
                groups.append((floor, below[level], [layer.by_key[key] for key in group]))
        return groups

    @lazy
    def stands(self) -> tuple[Part, ...]:
        """Spacers under layers that stand off what lies behind them, placed where both sides hide them."""
        made: list[Part] = []
        for stand in self.composition.decisions.relief.stand_offs:
            layer = next((one for one in self.composition.layers if one.key == stand.layer), None)
            if layer is None or not layer.without_openings.pieces:
                continue
            places = spread(self._both_hide(layer), SPACER_MM, SPACERS_APART_MM, LEAST_SPACERS, MOST_SPACERS)
            floor = min(self.rests_mm[p.key] for p in layer.without_openings.pieces) - stand.mm
            sheets = spacer_sheets(stand.mm, self.spacer_stock) or (stand.mm,)
            for i, outline in enumerate(places, 1):
                for level, mm in enumerate(sheets):
                    words = f", sheet {level + 1} of {len(sheets)}" if len(sheets) > 1 else ""
                    part = PartId("stand", layer.key, index=(i - 1) * len(sheets) + level + 1)
                    name, low = f"spacer {i} of {len(places)}{words}", round(floor + sum(sheets[:level]), 6)
                    made.append(Part(part, 0, name, outline, self._spacer_material(mm), mm, low))
        return tuple(made)

    @lazy
    def spacer_stock(self) -> dict[float, str]:
        """Thicknesses that spacers are cut of and their material: the shim stock at hand, and what is left over of the
        work's own sheets."""
        own = {
            layer.thickness_mm: layer.material
            for layer in self.composition.layers
            if layer.kind in ("sheet", "backer", "spacer") and layer.thickness_mm and layer.material
        }
        return own | dict.fromkeys(self.composition.practice.shims_mm, self.composition.practice.shim_material)

    def _spacer_material(self, mm: float) -> str:
        near = min(self.spacer_stock, key=lambda own: abs(own - mm), default=mm)
        return self.spacer_stock.get(near, self.composition.practice.shim_material)

    def spacers_under(self, layer: int) -> tuple[int, tuple[float, ...]]:
        """On how many spacers a layer stands, and the sheets that each is glued up of."""
        own = [part for part in self.stands if part.id.layer == layer]
        low = min((part.floor_mm for part in own), default=0.0)
        count = sum(1 for part in own if part.floor_mm == low)
        return count, tuple(part.thickness_mm for part in own[: len(own) // count]) if count else ()

    def _both_hide(self, layer: Layer) -> shapely.Geometry:
        """Where a layer and something behind it are, well inside both."""
        inset = self.composition.practice.shim_inset_mm
        behind = self.composition.layers[: self.composition.layers.index(layer)]
        grounds = [region_of(other) for other in behind] + [ground.outline for ground in self.grounds]
        under = shapely.union_all(np.array(grounds, object)) if grounds else region_of(layer)
        return shapely.buffer(shapely.intersection(region_of(layer), under), -inset)

    @lazy
    def spares(self) -> tuple[Part, ...]:
        """Parts that are cut beside what is needed, because small ones get lost: one spacer of each height. They are
        numbered as copies beyond the last."""
        by_height = {stand.thickness_mm: stand for stand in self.stands}
        return tuple(
            replace(stand.of_copy(self.copies + 1 + n), name="spare spacer")
            for stand in by_height.values()
            for n in range(SPARE_SPACERS)
        )

    @lazy
    def rails(self) -> tuple[Part, ...]:
        """The mitred lengths of the frame, where the work has one: of each layer of strips all sides, the lip's
        first."""
        rails = self.composition.decisions.relief.rails
        if rails is None:
            return ()
        wide, high, thick = self.composition.width_mm, self.composition.height_mm, rails.thickness_mm
        lips = framing(wide, high, rails)
        rings = [("", lips, 0.0)]
        if rails.built:
            fillers = framing(wide, high, replace(rails, width_mm=rails.width_mm - rails.rabbet_mm, rabbet_mm=0.0))
            count = self.filler_strips
            rings = [(", the lip", lips, round(count * thick, 6))]
            rings += [(f", filler {n + 1} of {count}", fillers, round(n * thick, 6)) for n in reversed(range(count))]
            if rails.built == "groove":
                rings.append((", the back", lips, -thick))
        return tuple(
            Part(
                PartId("rail", index=ring * len(lips) + i),
                0,
                f"rail {i} of {len(lips)}{words}",
                outline,
                rails.material,
                thick,
                floor,
                _along(outline),
                "half",
            )
            for ring, (words, outlines, floor) in enumerate(rings)
            for i, outline in enumerate(outlines, 1)
        )

    @property
    def filler_strips(self) -> int:
        """How many strips behind the lip make a frame's side as deep as the work and the room behind it."""
        rails = self.composition.decisions.relief.rails
        if rails is None or not rails.built:
            return 0
        return max(1, ceil(round((self.depth_mm + ROOM_MM) / rails.thickness_mm, 6)))

    @lazy
    def base(self) -> tuple[Part, ...]:
        """The board that the work stands on, drawn lying below the picture."""
        base = self.composition.decisions.relief.base
        if base is None:
            return ()
        middle, foot = self.composition.width_mm / 2, self.composition.height_mm
        outline = shapely.box(middle - base.length_mm / 2, foot, middle + base.length_mm / 2, foot + base.depth_mm)
        return (Part(PartId("base"), 0, "base", outline, base.material, base.thickness_mm, 0.0, turn="half"),)

    @lazy
    def of_one(self) -> tuple[Part, ...]:
        """All parts of one copy, those at the back first; of one height shims before what they carry."""
        derived = (*self.grounds, *self.shims, *self.stands)
        # what is sawn through a block is no stock of its own
        own = (part for part in self.pieces.values() if part.id.role not in WITHIN)
        return (
            tuple(sorted((*derived, *own), key=lambda p: p.floor_mm))
            + self.rails
            + self.base
            + self.blocks
            + self.boards
        )

    @lazy
    def fronts(self) -> tuple[int, ...]:
        """Pieces of blocks as one sees them from the front."""
        layers = (self.composition.layer(block.front) for block in self.composition.decisions.space.blocks)
        return tuple(p.key for layer in layers for p in layer.without_openings.pieces)

    @lazy
    def blocks(self) -> tuple[Part, ...]:
        """The blocks that are sawn through two of their faces, as each lies on its board: its front up, its grain along
        its length."""
        made = []
        for n, block in enumerate(self.composition.decisions.space.blocks, 1):
            layer = self.composition.layer(block.front)
            mine = [self.material[p.key] for p in layer.without_openings.pieces if self.material[p.key]]
            made.append(
                Part(
                    PartId("block", block.front, index=n if len(self.composition.decisions.space.blocks) > 1 else 0),
                    0,
                    f"block {n}" if len(self.composition.decisions.space.blocks) > 1 else "block",
                    shapely.box(0, 0, block.wide_mm, block.long_mm),
                    max(mine, key=mine.count) if mine else layer.material,
                    block.deep_mm,
                    0.0,
                    90.0,
                    "half",
                )
            )
        return tuple(made)

    def parts(self) -> Iterator[Part]:
        """All parts of all copies, copy by copy."""
        for number in range(1, self.copies + 1):
            for part in self.of_one:
                yield part.of_copy(number)

    @lazy
    def by_key(self) -> dict[str, Part]:
        """Parts of one copy by what they are called in every copy."""
        within = (part for part in self.pieces.values() if part.id.role in WITHIN)
        return {part.id.in_any_copy: part for part in (*self.of_one, *within)}

    @lazy
    def shown(self) -> tuple[Part, ...]:
        """What one sees of one copy: fields in place of the board they are routed into, without blocks and a base."""
        own = [part for part in self.of_one if part.id.role not in ("base", "block", "board")]
        fields = [part for part in self.pieces.values() if part.id.role == "field"]
        return tuple(sorted((*own, *fields), key=lambda p: p.floor_mm)) if fields else tuple(own)

    @lazy
    def routed(self) -> tuple[int, ...]:
        """Fields that are routed into boards."""
        return tuple(key for key, part in self.pieces.items() if part.id.role == "field")

    @lazy
    def boards(self) -> tuple[Part, ...]:
        """The boards that fields are routed into, each with the outline of all its fields."""
        routed = [one for one in self.composition.layers if one.kind == "routed" and one.without_openings.pieces]
        made = []
        for layer in routed:
            mine = [self.material[p.key] for p in layer.without_openings.pieces if self.material[p.key]]
            whole = max(shapely.get_parts(region_of(layer)).tolist(), key=lambda part: part.area)
            like = layer.without_openings.pieces[0]
            thick = max(self.standing.pair[p.key].stock_mm for p in layer.without_openings.pieces)
            several = f" {layer.name}" if len(routed) > 1 else ""
            floor = min(self.rests_mm[p.key] for p in layer.without_openings.pieces)
            turn = "half" if any(self.known(p.key) for p in layer.without_openings.pieces) else "any"
            made.append(
                Part(
                    PartId("board", layer.key, index=layer.key if several else 0),
                    0,
                    f"board{several}",
                    whole,
                    max(mine, key=mine.count) if mine else layer.material,
                    thick,
                    floor,
                    like.grain_deg or 0.0,
                    turn,
                )
            )
        return tuple(made)

    def part(self, key: str) -> Part | None:
        """The part of that key, in any copy that there is, or a spare one."""
        name, _, copy = key.partition("/")
        found = self.by_key.get(name)
        if found is not None and found.role == "spacer" and copy:
            spare = next((part for part in self.spares if part.key == key), None)
            if spare is not None:
                return spare
        number = int(copy) if copy.isdecimal() and len(copy) < 4 else 1
        return found.of_copy(number) if found is not None and 1 <= number <= self.copies else None

    def lifted_mm(self, piece: Piece) -> float:
        """Top of a piece above what the rearmost layer lies on: what one sees of its height."""
        return round(self.standing.top_mm(piece.key) - self.ground_mm, 6)

    @lazy
    def depth_mm(self) -> float:
        """From the very back to the highest top, without a frame and a base."""
        return max((p.top_mm for p in self.pieces.values()), default=self.ground_mm)

    @lazy
    def seen_of(self) -> dict[int, shapely.Geometry]:
        """Of every piece what is seen from the front."""
        table: dict[int, shapely.Geometry] = {}
        layers = self.composition.layers
        for i, layer in enumerate(layers):
            coverage = layer.without_openings.coverage
            front = tuple(other.without_openings.coverage for other in layers[i + 1 :])
            table |= coverage.against("seen", front, lambda c=coverage, f=front: _seen(c, f))  # type: ignore[misc]
        return table | self.jointed


def _linked(coverage: Coverage, alike: dict[int, Any]) -> list[list[int]]:
    """Pieces with the same value that are linked by seams, each group by key."""
    waiting, groups = set(alike), []
    for key in alike:
        if key not in waiting:
            continue
        waiting.discard(key)
        group, front = [key], [key]
        while front:
            here = front.pop()
            for other in coverage.neighbours[here]:
                if other in waiting and alike[other] == alike[here]:
                    waiting.discard(other)
                    group.append(other)
                    front.append(other)
        groups.append(sorted(group))
    return groups


def job_of(composition: Composition) -> Job:
    """The composition's job, worked out once for each state of it."""
    job = Job(composition)
    object.__setattr__(job, "__dict__", composition.__dict__.setdefault("_job", {}))
    return job


def region_of(layer: Layer) -> shapely.Geometry:
    """What a layer is made of, as one region."""
    return layer.without_openings.coverage.outside


def mitred(width_mm: float, height_mm: float, rail_mm: float) -> list[shapely.Polygon]:
    """Four mitred lengths round a rectangle from (0, 0): above, right, below, left."""
    w, h, b = width_mm, height_mm, rail_mm
    outer, inner = [(-b, -b), (w + b, -b), (w + b, h + b), (-b, h + b)], [(0, 0), (w, 0), (w, h), (0, h)]
    return [shapely.Polygon([outer[i], outer[(i + 1) % 4], inner[(i + 1) % 4], inner[i]]) for i in range(4)]


def framing(width_mm: float, height_mm: float, rails: Rails) -> list[shapely.Polygon]:
    """The mitred lengths of a frame whose lip reaches over the work's edge: four round the rectangle, or those of a
    regular polygon round its middle; the upper one first."""
    lip = min(rails.rabbet_mm, rails.width_mm)
    if rails.sides == 4:
        made = mitred(width_mm - 2 * lip, height_mm - 2 * lip, rails.width_mm)
        return [shapely.transform(outline, lambda xy: xy + lip) for outline in made]
    middle = np.array([width_mm / 2, height_mm / 2])
    turns = np.pi * (2 * np.arange(rails.sides + 1) - 1) / rails.sides - np.pi / 2
    corners = np.c_[np.cos(turns), np.sin(turns)] / np.cos(np.pi / rails.sides)
    corners[-1] = corners[0]
    inner = max(width_mm, height_mm) / 2 - lip
    near, far = middle + inner * corners, middle + (inner + rails.width_mm) * corners
    return [shapely.Polygon([far[i], far[i + 1], near[i + 1], near[i]]) for i in range(rails.sides)]


def _along(rail: shapely.Polygon) -> float:
    """The way a rail's length runs: its outer edge, counter-clockwise from the right as one sees it."""
    (x0, y0), (x1, y1) = shapely.get_coordinates(rail)[:2].tolist()
    return float(np.degrees(np.arctan2(y0 - y1, x1 - x0))) % 180.0


def _joined(outlines: list[shapely.Polygon]) -> shapely.Geometry:
    return outlines[0] if len(outlines) == 1 else shapely.coverage_union_all(np.array(outlines))


def _turn(material: str, piece: Piece, shelf: Shelf) -> str:
    """How the part may be turned on its board."""
    wood = shelf.get(material)
    if wood is None:
        return "any"
    if wood.across_ratio >= EVEN_SHARE:
        return "any"
    return "fixed" if wood.flash and piece.wood else "half"


def _seen(coverage: Coverage, front: tuple[Coverage, ...]) -> dict[int, shapely.Geometry]:
    if not front or not len(coverage):
        return dict(coverage.by_key)
    cover = shapely.union_all(np.array([other.outside for other in front]))
    shapely.prepare(cover)
    outlines = np.array(coverage.outlines)
    touched = shapely.intersects(cover, outlines)
    seen = outlines.copy()
    seen[touched] = shapely.difference(outlines[touched], cover)
    return dict(zip(coverage.keys, seen.tolist(), strict=True))
