"""Planes: drawings of true size that a print pack is cut from, sheet by sheet."""

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np
import shapely
from shapely import affinity

from ..assembly.alike import alike_of
from ..errors import BadChoice
from ..layout.cells import Stamps
from ..layout.first import first_layout
from ..layout.task import Face, Gaps, Item, Laid, total_bounds
from ..saw.copies import colour_planar, seam_graph
from ..stock.laying import item_of
from ..work.composition import Composition
from ..work.joints import Slot, joints_of, slots_of
from ..work.on_boards import lying_at, on_boards
from ..work.parts import Job, Part
from ..work.scene import wood_mark
from .pdf import OVERLAP_MM, layout_for
from .registration import registration_lines

CLEAR_MM = 2.0
"""Pieces on one cutting copy lie this far apart, for the scissors."""
READY_GAP_MM = 5.0
CELL_MM = 1.5


Move = Callable[[shapely.Geometry], shapely.Geometry]


@dataclass(frozen=True)
class Printed:
    """One part on a plane: its outline there, its words, the way of its grain as one sees it, its tint."""

    key: str
    outline: shapely.Geometry = field(repr=False)
    words: str = ""
    grain_deg: float | None = None
    tint: str = ""
    notes: tuple[str, ...] = ()
    """Further lines beneath its words."""
    up_deg: float | None = None
    """Where the picture's upper side is, of a part that nearly fits its place turned; None for others."""
    twin: bool = False
    """Another part looks like it: its number is underlined."""
    in_holes: tuple[str, ...] = ()
    """What stands in each hole of its outline, in their order: the number of the part that goes into a slot."""
    sunk: tuple[tuple[shapely.Geometry, str], ...] = field(default=(), repr=False)
    """Slots that do not go through, each with its words."""

    def turned(self, deg: float) -> "Printed":
        """Its marks turned with it, counter-clockwise as one looks."""
        return replace(self, up_deg=None if self.up_deg is None else self.up_deg + deg)

    def moved(self, move: Move) -> "Printed":
        """Its outline and what is sunk into it elsewhere."""
        return replace(self, outline=move(self.outline)).sunk_by(move)

    def sunk_by(self, move: Move) -> "Printed":
        """What is sunk into it where its outline already is."""
        return replace(self, sunk=tuple((move(slot), words) for slot, words in self.sunk))


@dataclass(frozen=True)
class Plane:
    """A drawing of true size. `kind` is placement, copy, ready, board, under, labels, trace, template, drill or fold;
    `lines` are drawn beside the parts."""

    kind: str
    name: str
    width_mm: float
    height_mm: float
    parts: tuple[Printed, ...]
    lines: tuple[tuple[tuple[float, float], tuple[float, float]], ...] = ()
    edges: tuple[shapely.Geometry, ...] = field(default=(), repr=False)
    """Outlines that are no parts: a board's edge, its flaws."""
    marks: tuple[tuple[float, float], ...] = ()
    """Places to drill."""


def placement_planes(job: Job) -> list[Plane]:
    """The whole of each layer, to lay the parts on."""
    composition = job.composition
    planes = []
    for i, layer in enumerate(composition.layers, 1):
        made = layer.without_openings.pieces
        if made:
            name = f"{i} {layer.name}, whole" if len(composition.layers) > 1 else "Whole, to lay the parts on"
            parts = tuple(printed_of(job, job.pieces[p.key], tint=False) for p in made)
            planes.append(of_work(composition, "placement", name, parts))
    return planes


def copy_planes(job: Job, copies: Mapping[int, int]) -> list[Plane]:
    """Cutting copies: no two neighbours on one, and none nearer than scissors need."""
    composition = job.composition
    apart = clear_copies(job, copies)
    planes = []
    for number in sorted(set(apart.values())):
        own = [job.pieces[p.key] for p in composition.made if apart.get(p.key) == number]
        parts = tuple(printed_of(job, part) for part in own)
        planes.append(of_work(composition, "copy", f"Copy {_letter(number)}, to cut up", parts))
    return planes


def _letter(number: int) -> str:
    return chr(64 + number) if number <= 26 else str(number)


def clear_copies(job: Job, copies: Mapping[int, int]) -> dict[int, int]:
    """The copy of each piece, so that none on it is nearer to another than `CLEAR_MM`, also where two only meet in a
    point: four copies, or a few more."""
    made: dict[int, int] = {}
    for layer in job.composition.layers:
        coverage = layer.without_openings.coverage
        if not len(coverage):
            continue
        outlines, keys = np.array(coverage.outlines), list(coverage.keys)
        graph = seam_graph(coverage)
        pairs = shapely.STRtree(outlines).query(outlines, "dwithin", CLEAR_MM).T.tolist()
        graph.add_edges_from((keys[i], keys[j]) for i, j in pairs if i < j)
        clear = colour_planar(graph)
        # with the seams alone four always do; where the scissors' room takes more, a few further copies hold the rest
        made |= clear if clear else {key: copies[key] for key in keys}
    return made


def ready_planes(job: Job, paper: str, only: Sequence[str] = ()) -> list[Plane]:
    """Parts apart, or those of them alone, by wood and board, their grain across the page, as many as go on one; a part
    larger than a page stands on a plane of its own. Raises `BadChoice` for a part that is not there."""
    layout = layout_for(10, 10, paper, job.composition.practice.print_margin_mm)
    wide, high = layout.sheets[0].width_mm, layout.sheets[0].height_mm
    wanted = {key.partition("/")[0] for key in only}
    there = [part for part in _cut_parts(job) if not only or part.id.in_any_copy in wanted]
    if only and not there:
        raise BadChoice(f"There is no part {only[0][:20]} to print.")
    parts = sorted(there, key=lambda part: _order(job, part))
    items = [replace(item_of(job, part), cluster="") for part in parts]
    by_key = {part.key: part for part in parts}
    gaps, stamps = Gaps(READY_GAP_MM, 0.5), Stamps(CELL_MM, READY_GAP_MM)
    area = sum(item.outline.buffer(READY_GAP_MM / 2).area for item in items)
    pages = math.ceil(area / (0.4 * wide * high)) + len({(p.material, p.thickness_mm) for p in parts})
    room = shapely.box(0, 0, wide, high)
    made = first_layout(items, _page_faces(pages, room, 0.0), gaps, stamps, order=items)
    upright = first_layout(made.unplaced, _page_faces(pages, room, 90.0), gaps, stamps, order=list(made.unplaced))
    laid: dict[str, list[Laid]] = {}
    for one in (*made.laid, *upright.laid):
        laid.setdefault(one.face, []).append(one)
    planes = []
    for number, face in enumerate(sorted(laid), 1):
        own = tuple(_printed_as_laid(job, by_key[one.item.key], one) for one in laid[face])
        planes.append(Plane("ready", f"Parts apart {number}", wide, high, own))
    return planes + _larger_planes(job, paper, upright.unplaced, by_key, stamps)


def _larger_planes(
    job: Job, paper: str, items: Sequence[Item], by_key: Mapping[str, Part], stamps: Stamps
) -> list[Plane]:
    """Parts larger than a page, together on planes of as few pages as hold the largest."""
    layout = layout_for(10, 10, paper, job.composition.practice.print_margin_mm)
    sheet, left = layout.sheets[0], list(items)
    planes: list[Plane] = []
    while left:
        wide, high = (max(sides) for sides in zip(*(_sides(item) for item in left), strict=True))
        across, down = (
            max(1, math.ceil((side + 3 - OVERLAP_MM) / (room - OVERLAP_MM)))
            for side, room in ((wide, sheet.width_mm), (high, sheet.height_mm))
        )
        plane_wide = across * (sheet.width_mm - OVERLAP_MM) + OVERLAP_MM
        plane_high = down * (sheet.height_mm - OVERLAP_MM) + OVERLAP_MM
        face = Face("larger", shapely.box(0, 0, plane_wide, plane_high))
        made = first_layout(left, [face], Gaps(READY_GAP_MM, 0.0), stamps, order=left)
        if not made.laid:
            return planes + [_alone(job, by_key[item.key], item) for item in left]
        own = tuple(_printed_as_laid(job, by_key[one.item.key], one) for one in made.laid)
        _, _, right, low = total_bounds([part.outline for part in own])
        planes.append(Plane("ready", f"Larger than a page {len(planes) + 1}", right + 1, low + 1, own))
        left = list(made.unplaced)
    return planes


def _sides(item: Item) -> tuple[float, float]:
    x0, y0, x1, y1 = item.turned(item.turns[0]).bounds
    return x1 - x0, y1 - y0


def _page_faces(count: int, room: shapely.Polygon, grain_deg: float) -> list[Face]:
    return [Face(f"{grain_deg:03.0f}-{n:04}", room, rank=(n,), grain_deg=grain_deg) for n in range(count)]


def _cut_parts(job: Job) -> list[Part]:
    """What is sawn after a pattern of its own: pieces, shims and spacers of one copy."""
    return [*job.pieces.values(), *job.shims, *job.stands]


def _order(job: Job, part: Part) -> tuple:
    place = job.composition.placements.get(part.key)
    return part.material, part.thickness_mm, place.board if place else "", -part.area_mm2, part.key


def _alone(job: Job, part: Part, item: Item) -> Plane:
    x0, y0, x1, y1 = item.turned(item.turns[0]).bounds
    grain = None if part.turn == "any" else 0.0

    def turned(shape: shapely.Geometry) -> shapely.Geometry:
        return affinity.translate(replace(item, outline=shape).turned(item.turns[0]), 2 - x0, 2 - y0)

    printed = replace(printed_of(job, part), outline=item.outline, grain_deg=grain).moved(turned)
    return Plane("ready", f"{part.name}, larger than a page", x1 - x0 + 4, y1 - y0 + 4, (printed,))


def _printed_as_laid(job: Job, part: Part, one: Laid) -> Printed:
    grain = None if part.turn == "any" else part.grain_deg + one.turn_deg

    def there(shape: shapely.Geometry) -> shapely.Geometry:
        return replace(one, item=replace(one.item, outline=shape)).outline

    printed = printed_of(job, part).sunk_by(there).turned(one.turn_deg)
    return replace(printed, outline=one.outline, grain_deg=grain)


def board_planes(job: Job) -> list[Plane]:
    """One plane a board, its edge and flaws with the parts where they were laid. Raises `BadChoice` where none are."""
    lying = on_boards(job)
    if not any(lying.values()):
        raise BadChoice("No part lies on a board yet. Lay them at Stock first, or print copies or parts ready apart.")
    planes = []
    for name in sorted(lying):
        board = job.composition.rack.by_name[name]
        parts = []
        for one in lying[name]:
            turn = board.grain_deg - one.place.along_deg(one.part.grain_deg)
            grain = None if one.part.turn == "any" else one.part.grain_deg + turn
            words = _words(job, one.part) + (f" ({one.key.partition('/')[2]})" if "/" in one.key else "")
            printed = printed_of(job, one.part).sunk_by(partial(lying_at, job, one.part, one.place)).turned(turn)
            parts.append(replace(printed, key=one.key, outline=one.outline, grain_deg=grain, words=words))
        flaws = [shapely.Polygon(defect.ring) for defect in board.defects]
        far = max(part.outline.bounds[2] for part in parts) + OVERLAP_MM
        edge = shapely.intersection(board.region, shapely.box(-1, -1, far, board.width_mm + 1))
        near = [flaw for flaw in flaws if flaw.bounds[0] < far]
        planes.append(
            Plane(
                "board",
                f"Board {name}",
                min(far, board.length_mm) + 1,
                board.width_mm + 1,
                tuple(parts),
                edges=(edge, *near),
            )
        )
    return planes


def under_planes(job: Job, shown: Iterable[str]) -> list[Plane]:
    """Backers to trace; shims and spacers too where they are not among the parts that are `shown`."""
    planes, there = [], set(shown)
    under = [*job.grounds, *(part for part in (*job.shims, *job.stands) if part.key not in there)]
    by_role: dict[str, list[Part]] = {}
    for part in under:
        by_role.setdefault(part.role, []).append(part)
    for role, parts in by_role.items():
        printed = tuple(printed_of(job, part) for part in parts)
        planes.append(of_work(job.composition, "under", f"{role.capitalize()}, to trace", printed))
    return planes


def of_work(composition: Composition, kind: str, name: str, parts: Sequence[Printed]) -> Plane:
    """A plane in the work's own places, with its crosses where it has several layers."""
    lines = tuple(registration_lines(composition)) if len(composition.layers) > 1 else ()
    return Plane(kind, name, composition.width_mm, composition.height_mm, tuple(parts), lines)


def _words(job: Job, part: Part) -> str:
    """Number, wood and board, thickness, layer, and which face is up."""
    composition = job.composition
    piece = composition.by_key.get(part.id.piece) if part.key.isdecimal() else None
    if piece is None:
        return part.name
    thick = composition.practice.short(part.thickness_mm)
    layer = composition.home[piece.key]
    into = sorted({joint.slot for _, joint in joints_of(composition) if joint.tab == piece.key})
    goes = "into " + " ".join(str(job.pieces[key].number) for key in into) if into else ""
    where = f"L{composition.layers.index(layer) + 1}" if len(composition.layers) > 1 else ""
    return " ".join(
        word for word in (str(piece.number), wood_mark(composition, piece), thick, where, "F", goes) if word
    )


def printed_of(job: Job, part: Part, tint: bool = True) -> Printed:
    shelf = job.composition.rack.shelf
    colour = shelf[part.material].finished if tint and part.material in shelf else ""
    grain = None if part.turn == "any" and not part.key.isdecimal() else part.grain_deg
    alike, key = alike_of(job), part.id.in_any_copy
    up = 90.0 if key in alike.turned_of or part.role == "slice" else None
    twin, words = key in alike.twins_of, _words(job, part)
    return Printed(part.key, part.outline, words, grain, colour, (), up, twin, _in_holes(job, part), _sunk(job, part))


def _in_holes(job: Job, part: Part) -> tuple[str, ...]:
    """For every hole of a part the number of what goes into it, where it is a slot."""
    mine = _slots(job, part)
    if not mine or part.outline.geom_type != "Polygon":
        return ()
    told = []
    for ring in part.outline.interiors:
        hole = shapely.Polygon(ring)
        takes = next((s.takes for s in mine if hole.intersects(s.area.centroid)), None)
        told.append(str(job.pieces[takes].number) if takes in job.pieces else "")
    return tuple(told)


def _sunk(job: Job, part: Part) -> tuple[tuple[shapely.Geometry, str], ...]:
    """Slots of a part that do not go through: what goes in, and how deep."""
    say, joints = job.composition.practice.say, job.composition.decisions.space.joints
    return tuple(
        (
            slot.area,
            f"{job.pieces[slot.takes].number}: {say(slot.deep_mm)} deep"
            + (", on the back" if joints[slot.joint].behind else ""),
        )
        for slot in _slots(job, part)
        if slot.deep_mm and slot.takes in job.pieces
    )


def _slots(job: Job, part: Part) -> list[Slot]:
    if not part.id.in_any_copy.isdecimal():
        return []
    every = job.once("slots", lambda: slots_of(job.composition, job.thickness_mm))
    return [slot for slot in every if slot.piece == part.id.piece]


def mirrored_plane(plane: Plane) -> Plane:
    """The same seen from behind, for film on the back; its words still read right."""

    def turned(shape: shapely.Geometry) -> shapely.Geometry:
        return shapely.transform(shape, lambda xy: np.c_[plane.width_mm - xy[:, 0], xy[:, 1]])

    parts = tuple(
        replace(
            part.moved(turned),
            grain_deg=None if part.grain_deg is None else 180.0 - part.grain_deg,
            up_deg=None if part.up_deg is None else 180.0 - part.up_deg,
            words=part.words.removesuffix(" F") + (" B" if part.words.endswith(" F") else ""),
        )
        for part in plane.parts
    )
    lines = tuple(((plane.width_mm - x0, y0), (plane.width_mm - x1, y1)) for (x0, y0), (x1, y1) in plane.lines)
    return replace(
        plane, name=f"{plane.name}, mirrored", parts=parts, lines=lines, edges=tuple(map(turned, plane.edges))
    )
