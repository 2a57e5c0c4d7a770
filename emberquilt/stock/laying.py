"""Parts on the boards and sheets of the rack: laid, laid again round what is nailed, and why something found no place.

Parts of one material and thickness share boards; the thickest are laid first, because only they have no other choice.
A board is milled to one thickness along a stretch of its length, so thinner parts begin where thicker ones end. Where
it is thick enough for two of them it is resawn, and they lie on its leaves.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely

from ..errors import BadChoice
from ..layout.boards import Search, Task
from ..layout.bound import boards_bound
from ..layout.checked import Fault, faults_of
from ..layout.effort import Effort
from ..layout.task import ROUND, SEGMENTS, Face, Gaps, Item, Laid, room_on
from ..rack.boards import Board, turn_deg
from ..rack.rack import Rack
from ..relief.bevel import of_boards, stock_outline
from ..work.composition import Composition, Placement
from ..work.copies import any_copy, copy_of
from ..work.on_boards import about_of, on_boards
from ..work.parts import Job, Part
from .leaves import is_sheet, leaf_of, leaves_of, serving

QUARTERS = (0.0, 90.0, 180.0, 270.0)
LEAST_STRETCH_MM = 40.0
"""A shorter remainder of a board is not begun for parts of another thickness."""
CROSSCUT_MM = 3.2
"""What cutting a board across takes: common practice, no source."""
LEAST_GAP_MM = 0.5
OF_LEAF = "\x1f"
"""Between a board's mark and the number of a leaf: no mark that a person types has it."""


@dataclass(frozen=True)
class Homeless:
    """A part that found no place: why, and what would do."""

    part: str
    why: str
    would: str


@dataclass(frozen=True)
class RackLayout:
    """`laid` parts by key, the faces they could be laid on, and those that found none. `density` is the share of the
    boards begun that ends up in parts, `bound` what no layout of these parts could exceed on these boards."""

    laid: tuple[Laid, ...]
    faces: tuple[Face, ...]
    homeless: tuple[Homeless, ...]
    density: float
    bound: float
    placements: Mapping[str, Placement]


def face_key(board: str, leaf: int) -> str:
    """The name of a face that parts are laid on: a board's own, or that of one of its leaves."""
    return f"{board}{OF_LEAF}{leaf}" if leaf else board


def home_of(face: str) -> tuple[str, int]:
    """The board and the leaf, 0 where it is in one, that a face is."""
    board, _, leaf = face.partition(OF_LEAF)
    return board, int(leaf or 0)


@dataclass(frozen=True)
class Group:
    """Parts of one material and thickness."""

    material: str
    thickness_mm: float
    parts: tuple[Part, ...]


def gaps_of(composition: Composition) -> Gaps:
    return Gaps(composition.practice.part_gap_mm, composition.practice.edge_gap_mm)


def checked_gap(between_mm: float) -> float:
    """The gap, or `BadChoice` where no saw goes between."""
    if not between_mm >= LEAST_GAP_MM:
        raise BadChoice(
            f"Parts need room for the blade between them: at least {LEAST_GAP_MM:g} mm, and {between_mm:g} was said."
        )
    return between_mm


def groups_of(job: Job, spares: bool = True) -> list[Group]:
    """Everything that is made of something, of all copies, and what is cut to spare; of each material the thickest
    first."""
    table: dict[tuple[str, float], list[Part]] = {}
    for part in (*of_boards(job, job.parts()), *(job.spares if spares else ())):
        if part.material and not part.outline.is_empty:
            table.setdefault((part.material, part.thickness_mm), []).append(part)
    return [
        Group(material, thick, tuple(parts))
        for (material, thick), parts in sorted(table.items(), key=lambda entry: (entry[0][0], -entry[0][1]))
    ]


def item_of(job: Job, part: Part) -> Item:
    """The part as it may be laid: its arrow along the grain of whatever it lies on."""
    composition = job.composition
    whole = composition.by_key.get(part.id.piece) if part.id.in_any_copy.isdecimal() else None
    body = whole.part if whole is not None and whole.part in composition.decisions.wood.together else ""
    return Item(
        part.key,
        stock_outline(job, part),
        about_of(job, part),
        tuple(turn - (0.0 if part.turn == "any" else part.grain_deg) for turn in turns_of(job, part)),
        f"{body}/{part.copy}" if body else "",
        directed=part.turn != "any",
    )


def turns_of(job: Job, part: Part) -> tuple[float, ...]:
    """Turns beyond the arrow along the grain: a half-turn where it does not matter, any where the material is even."""
    if part.turn == "any":
        return QUARTERS
    composition = job.composition
    within = composition.practice.grain_within_deg
    if part.id.in_any_copy.isdecimal():
        within = composition.decisions.stock.within.get(part.id.piece, within)
    near = (0.0, within, -within) if within else (0.0,)
    return tuple(way + off for way in ((0.0, 180.0) if part.turn == "half" else (0.0,)) for off in near)


def face_of(board: Board, rack: Rack, gaps: Gaps) -> Face:
    """A board's face, its flaws and what other works have spoken for left out."""
    flaws = [shapely.Polygon(defect.ring) for defect in board.defects]
    spoken = [one.outlines for one in rack.spoken_on.get(board.name, ())]
    more = max(0.0, gaps.between_mm - gaps.edge_mm)
    flaws += [outline.buffer(more) for outline in spoken]
    rank = (0 if board.offcut else 1, round(board.thickness_mm, 1), round(board.area_mm2))
    return Face(board.name, board.region, shapely.union_all(flaws), rank, board.grain_deg)


def placed(one: Laid, part: Part, board: Board, leaf: int) -> Placement:
    """Where a part lies, as a work keeps it."""
    turned = one.turn_deg - turn_deg(board, part.grain_deg)
    turned = round((turned + 180) % 360 - 180, 3)
    return Placement(board.name, round(one.x_mm, 3), round(one.y_mm, 3), turned, leaf, nailed=False)


def side_left(board: Board, rack: Rack) -> shapely.Polygon | None:
    """The side of a board, along its length, that other works leave: they mill their stretch of it as they need it.
    None where it is all free, or a sheet, that nobody mills."""
    spoken = rack.spoken_on.get(board.name, ())
    if not spoken or is_sheet(rack, board.wood):
        return None
    x0, y0, x1, y1 = board.region.bounds
    left, right = min(one.outlines.bounds[0] for one in spoken), max(one.outlines.bounds[2] for one in spoken)
    if left - x0 > x1 - right:
        return shapely.box(x0, y0, left - CROSSCUT_MM, y1)
    return shapely.box(min(right + CROSSCUT_MM, x1), y0, x1, y1)


class Laying:
    """The rack while works are laid on it, group by group."""

    def __init__(
        self, job: Job, gaps: Gaps | None = None, nailed: bool = True, resaw: bool = True, spares: bool = True
    ):
        self.job, self.composition, self.resaw, self.spares = job, job.composition, resaw, spares
        self.rack = job.composition.rack
        self.gaps = gaps or gaps_of(job.composition)
        checked_gap(self.gaps.between_mm)
        self.faces = {board.name: face_of(board, self.rack, self.gaps) for board in self.rack.boards}
        self.nailed = self._nailed() if nailed else {}
        self._refuse_overlaps()
        self.over_flaws: frozenset[str] = frozenset()
        """Parts that were put over a flaw they want: the rest is laid round them, as if they were nailed."""
        self.sheets: dict[str, tuple[Part, ...]] = {}
        """Parts that are cut out of one sheet of a pack, by the one that stands for all."""

    def _nailed(self) -> dict[str, Laid]:
        """What a person put where it is."""
        made = {}
        for board, lying in on_boards(self.job).items():
            for one in lying:
                fits = one.part.material == self.rack.by_name[board].wood
                if one.place.nailed and fits and one.place.point is not None:
                    item = item_of(self.job, one.part)
                    turn = self._turn(board, one.part, one.place.turned_deg)
                    face = self._face_named(board, one.place.leaf, one.part.thickness_mm)
                    made[one.key] = Laid(replace(item, key=one.key), face, *one.place.point, turn, nailed=True)
        return made

    def leaves(self, board: Board, thickness_mm: float) -> int:
        """Into how many leaves a board is resawn for parts of this thickness."""
        if not self.resaw:
            return 1
        whole = self.composition.decisions.stock.whole
        return leaves_of(board, thickness_mm, self.composition.practice, self.rack, whole)

    def _face_named(self, board: str, leaf: int, thickness_mm: float) -> str:
        """The face that a leaf of a board is for parts of this thickness."""
        return face_key(board, leaf_of(leaf, self.leaves(self.rack.by_name[board], thickness_mm)))

    def _turn(self, board: str, part: Part, turned_deg: float) -> float:
        """Of a part beyond its arrow, as the whole turn of its outline."""
        return turn_deg(self.rack.by_name[board], part.grain_deg) + turned_deg

    def _refuse_overlaps(self) -> None:
        by_board: dict[str, list[Laid]] = {}
        for one in self.nailed.values():
            by_board.setdefault(self.board_of(one), []).append(one)
        for board, some in by_board.items():
            for i, one in enumerate(some):
                for other in some[i + 1 :]:
                    leaves = {home_of(each.face)[1] for each in (one, other)} - {0}
                    if len(leaves) < 2 and one.outline.intersection(other.outline).area > 1.0:
                        names = " and ".join(self._name(key) for key in (one.item.key, other.item.key))
                        raise BadChoice(
                            f"{names} are nailed over each other on board {board}. Take one of them off it first."
                        )

    def _name(self, key: str) -> str:
        part = self.job.by_key.get(any_copy(key))
        return part.name if part is not None else key

    def boards_for(self, group: Group) -> list[Board]:
        """Of that material, and no thinner than it."""
        return serving(self.rack, group.material, group.thickness_mm)

    def laid(
        self,
        effort: Effort,
        seed: int = 0,
        better: Callable[["RackLayout"], None] | None = None,
    ) -> RackLayout:
        """Everything that is not nailed laid anew, group by group, then each made better; what lies already is the
        first to be better than. `better` is told the whole whenever something became better. What is given, then and
        in the end, was looked at by code that shares nothing with what laid it."""
        groups = self._in_packs(groups_of(self.job, self.spares))
        self._over_flaws(groups)
        searches: list[Search] = []
        begun: dict[str, float] = {}
        for group in groups:
            search = Search(self._task(group, begun), seed)
            searches.append(search)
            for one in search.best.laid:
                board = self.board_of(one)
                begun[board] = max(begun.get(board, 0.0), one.outline.bounds[2] + CROSSCUT_MM)
        self._keep_apart(searches)
        count = sum(len(search.task.items) for search in searches)
        for search in searches:
            own = effort.share(len(search.task.items) / count) if count else effort
            while not own.done and search.movable:
                if search.attempt(own) and better is not None:
                    better(self._made(groups, searches))
        return self._made(groups, searches)

    def _in_packs(self, groups: Iterable[Group]) -> list[Group]:
        """Where woods are stacked and cut as one, a sheet as large as the layer is laid once for all that comes out of
        it."""
        if self.composition.practice.fit != "stack":
            return list(groups)
        fitted = {layer.key for layer in self.composition.layers if layer.fitted}
        made = []
        for group in groups:
            own: dict[tuple[int, int], list[Part]] = {}
            alone: list[Part] = []
            for part in group.parts:
                packed = part.id.in_any_copy.isdecimal() and part.id.layer in fitted and part.key not in self.nailed
                (own.setdefault((part.id.layer, part.copy), []) if packed else alone).append(part)
            for parts in own.values():
                lead = max(parts, key=lambda part: (part.area_mm2, part.key))
                self.sheets[lead.key] = tuple(parts)
                alone.append(lead)
            made.append(replace(group, parts=tuple(alone)))
        return made

    def _item(self, part: Part) -> Item:
        """The part as it may be laid, or the sheet of a pack that it stands for."""
        item = item_of(self.job, part)
        if part.key not in self.sheets:
            return item
        layer = self.composition.layer(part.id.layer).without_openings
        return replace(item, outline=shapely.union_all(layer.coverage.outlines), cluster="")

    def _over_flaws(self, groups: Sequence[Group]) -> None:
        """Parts that want a flaw are put over one of its kind, the largest first; where none takes them they are laid
        like others, and it is said."""
        wanted = self.composition.decisions.stock.wanted
        found = []
        for group in groups:
            for part in sorted(group.parts, key=lambda part: (-part.area_mm2, part.key)):
                kind = wanted.get(part.id.piece) if part.id.in_any_copy.isdecimal() else None
                if kind and part.key not in self.nailed:
                    laid = self._over_a_flaw(group, part, kind)
                    if laid is not None:
                        self.nailed[part.key] = laid
                        found.append(part.key)
        self.over_flaws = frozenset(found)

    def _over_a_flaw(self, group: Group, part: Part, kind: str) -> Laid | None:
        item = self._item(part)
        for board in self.boards_for(group):
            face = self._face_named(board.name, 0, group.thickness_mm)
            edge = board.region.buffer(-self.gaps.edge_mm * ROUND)
            there = [one for one in self.nailed.values() if self.board_of(one) == board.name]
            for flaw in board.defects:
                if flaw.kind != kind:
                    continue
                x, y = shapely.Polygon(flaw.ring).centroid.coords[0]
                others = [shapely.Polygon(d.ring) for d in board.defects if d is not flaw]
                spoken = [one.outlines for one in self.rack.spoken_on.get(board.name, ())]
                for turn in self.faces[board.name].turns(item):
                    laid = Laid(item, face, x, y, turn, nailed=True)
                    outline = laid.outline
                    clear = all(outline.distance(other.outline) >= self.gaps.between_mm for other in there)
                    clear = clear and all(outline.distance(shape) >= self.gaps.edge_mm for shape in (*others, *spoken))
                    if clear and edge.covers(outline):
                        return laid
        return None

    def _keep_apart(self, searches: Sequence[Search]) -> None:
        """Where thinner parts follow on a board, thicker ones no longer reach beyond where those begin."""
        for i, search in enumerate(searches):
            later = {self.board_of(one) for other in searches[i + 1 :] for one in other.best.laid}
            reach: dict[str, float] = {}
            for one in search.best.laid:
                board = self.board_of(one)
                reach[board] = max(reach.get(board, 0.0), one.outline.bounds[2])
            ends = []
            for key, face in search.faces.items():
                board = home_of(key)[0]
                if board in later and board in reach:
                    x0, y0, _, y1 = face.region.bounds
                    upto = shapely.box(x0, y0, reach[board] + self.gaps.edge_mm, y1)
                    ends.append(replace(face, region=face.region.intersection(upto)))
                elif board in later:
                    ends.append(replace(face, region=shapely.Polygon()))
            search.narrow(ends)

    def board_of(self, one: Laid) -> str:
        """The board that it lies on."""
        return home_of(one.face)[0]

    def _made(self, groups: Sequence[Group], searches: Sequence[Search]) -> RackLayout:
        done = [one for search in searches for one in search.best.laid]
        homeless = [
            Homeless(part.key, "It is of no wood or sheet yet.", "") for part in self.job.parts() if not part.material
        ]
        for group, search in zip(groups, searches, strict=True):
            faces = search.task.faces
            for item in search.best.unplaced:
                told = self._homeless(group, item.key, faces)
                keys = [part.key for part in self.sheets.get(item.key, ())] or [item.key]
                homeless += [replace(told, part=key) for key in keys]
        used = {one.face for one in done}
        leaves: dict[str, int] = {}
        for key in used:
            board, leaf = home_of(key)
            leaves[board] = max(leaves.get(board, 1), leaf)
        boards_mm2 = sum(count * self.rack.by_name[board].area_mm2 for board, count in leaves.items())
        names = {face.key for search in searches for face in search.task.faces}
        every = self.faces | {key: replace(self.faces[home_of(key)[0]], key=key) for key in names | used}
        parts_mm2 = sum(one.item.area_mm2 for one in done)
        made = RackLayout(
            tuple(done),
            tuple(face for key, face in every.items() if key in used or self._speaks_of(home_of(key)[0])),
            tuple(homeless),
            parts_mm2 / boards_mm2 if boards_mm2 else 0.0,
            self._bound(groups, bool(homeless)),
            self.placements(done),
        )
        if faults := self.faults(made):  # pragma: no cover  a fault of ours, never of the drawing
            raise BadChoice(f"The layout does not hold: {faults[0].what} at part {faults[0].part}. Please report this.")
        return made

    def _speaks_of(self, board: str) -> bool:
        wood = self.rack.by_name[board].wood
        return any(part.material == wood for part in self.job.of_one)

    def _faces(self, group: Group, begun: Mapping[str, float]) -> list[Face]:
        """Faces for a group: the boards as far as thicker parts have not begun them."""
        faces = []
        for board in self.boards_for(group):
            face = self.faces[board.name]
            own = side_left(board, self.rack)
            if own is not None:
                face = replace(face, region=face.region.intersection(own))
                if face.region.is_empty:
                    continue
            start = begun.get(board.name, 0.0)
            if start:
                _, y0, x1, y1 = face.region.bounds
                if x1 - start < LEAST_STRETCH_MM:
                    continue
                face = replace(face, region=face.region.intersection(shapely.box(start, y0, x1, y1)))
            # the nearest in thickness first, so that little is planed away
            leaves = self.leaves(board, group.thickness_mm)
            over = round(max(0.0, board.thickness_mm / leaves - group.thickness_mm), 1)
            rank = (face.rank[0], over, face.rank[2])
            if leaves == 1:
                faces.append(replace(face, rank=rank))
                continue
            for leaf in range(1, leaves + 1):
                faces.append(replace(face, key=face_key(board.name, leaf), rank=(*rank, leaf), stack=board.name))
        return faces

    def _task(self, group: Group, begun: Mapping[str, float]) -> Task:
        keys = {part.key for part in group.parts}
        nailed = tuple(one for key, one in self.nailed.items() if key in keys)
        others = [one for key, one in self.nailed.items() if key not in keys]
        faces = []
        for face in self._faces(group, begun):
            # what is of another thickness goes through all leaves
            board = home_of(face.key)[0]
            faces.append(_without(face, [o for o in others if self.board_of(o) == board], self.gaps))
        names = {face.key for face in faces}
        items = tuple(self._item(part) for part in group.parts if part.key not in self.nailed)
        now = [None if item.key in self.sheets else self._lies(item) for item in items]
        there = tuple(one for one in now if one is not None and one.face in names)
        return Task(items, tuple(faces), self.gaps, nailed, there)

    def _lies(self, item: Item) -> Laid | None:
        """Where a loose part lies now."""
        place = self.composition.placements.get(item.key)
        if place is None or place.nailed or place.point is None or place.board not in self.rack.by_name:
            return None
        part = self.job.by_key[any_copy(item.key)]
        face = self._face_named(place.board, place.leaf, part.thickness_mm)
        return Laid(item, face, *place.point, self._turn(place.board, part, place.turned_deg))

    def placements(self, laid: Iterable[Laid]) -> dict[str, Placement]:
        """Where loose parts lie, as the work keeps it."""
        made = {}
        for one in laid:
            if one.nailed and one.item.key not in self.over_flaws:
                continue
            lead = self.job.by_key[any_copy(one.item.key)]
            board, leaf = home_of(one.face)
            here = np.array(about_of(self.job, lead))
            angle = np.radians(-one.turn_deg)
            turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
            for part in self.sheets.get(one.item.key, (lead.of_copy(copy_of(one.item.key)),)):
                x, y = (turn @ (np.array(about_of(self.job, part)) - here) + [one.x_mm, one.y_mm]).tolist()
                made[part.key] = placed(replace(one, x_mm=x, y_mm=y), part, self.rack.by_name[board], leaf)
        return made

    def _bound(self, groups: Sequence[Group], homeless: bool) -> float:
        """The share of begun boards that no layout of these parts could exceed. Parts of one material share boards
        whatever their thickness; where some found no place, what holds for the best material."""
        shares: list[tuple[float, float]] = []
        for material in dict.fromkeys(group.material for group in groups):
            own = [group for group in groups if group.material == material]
            items = [self._item(part) for group in own for part in group.parts]
            leaves: dict[str, int] = {}
            for group in own:
                for board in self.boards_for(group):
                    leaves[board.name] = max(leaves.get(board.name, 1), self.leaves(board, group.thickness_mm))
            faces = [self.faces[name] for name, count in leaves.items() for _ in range(count)]
            share = boards_bound(items, faces, self.gaps)
            if share:
                shares.append((sum(item.area_mm2 for item in items), share))
        if not shares:
            return 0.0
        if homeless:
            return max(share for _, share in shares)
        return min(1.0, sum(area for area, _ in shares) / sum(area / share for area, share in shares))

    def homeless(self, key: str) -> Homeless:
        """Why a part lies on no board, as far as sizes tell."""
        part = self.job.by_key[any_copy(key)]
        group = Group(part.material, part.thickness_mm, (part,))
        return self._homeless(group, key, [self.faces[board.name] for board in self.boards_for(group)])

    def _homeless(self, group: Group, key: str, faces: Sequence[Face]) -> Homeless:
        part = self.job.by_key[any_copy(key)]
        along, across = self._item(part).reach_mm
        practice, shelf = self.composition.practice, self.rack.shelf
        name, say = shelf.name(group.material) if group.material in shelf else group.material, practice.say
        edge = 2 * self.gaps.edge_mm
        would = (
            f"{name} {say(group.thickness_mm)} thick, {say(along + edge)} along the grain and {say(across + edge)} wide"
        )
        return Homeless(key, self._why(group, part, faces, along, across, name), f"A board of {would}, would do.")

    def _why(self, group: Group, part: Part, faces: Sequence[Face], along: float, across: float, name: str) -> str:
        say, same = self.composition.practice.say, [b for b in self.rack.boards if b.wood == group.material]
        thick = self.boards_for(group)
        if not same:
            return f"No board of {name} is on the rack."
        if not thick and is_sheet(self.rack, group.material):
            near = min(same, key=lambda board: abs(board.thickness_mm - group.thickness_mm))
            return (
                f"It wants {name} of {say(group.thickness_mm)}, and no sheet on the rack is of that: "
                f"{near.name} has {say(near.thickness_mm)}."
            )
        if not thick:
            most = max(same, key=lambda board: board.thickness_mm)
            return (
                f"It wants {say(group.thickness_mm)}, and no board of {name} is as thick: "
                f"{most.name} has {say(most.thickness_mm)}."
            )
        room = {home_of(face.key)[0]: room_on(face, self.gaps) for face in faces}
        edge = 2 * self.gaps.edge_mm
        wide = [board for board in thick if board.width_mm >= across + edge]
        long = [board for board in thick if board.length_mm >= along + edge]
        if not long:
            most = max(thick, key=lambda board: board.length_mm)
            return (
                f"It is longer than every board of {name}: {say(along)} along the grain, "
                f"and {most.name} is {say(most.length_mm)} long."
            )
        if not wide:
            most = max(thick, key=lambda board: board.width_mm)
            return (
                f"It is wider than every board of {name}: {say(across)} across the grain, "
                f"and {most.name} is {say(most.width_mm)} wide."
            )
        large = [board for board in wide if board in long]
        if not large:
            return (
                f"No board of {name} is both as long and as wide: {say(along)} along the grain, {say(across)} across."
            )
        names = ", ".join(board.name for board in large[:3])
        if all(room[b.name].is_empty for b in large if b.name in room):
            return f"Flaws leave no room on {names}."
        spoken = sorted({one.work for board in large for one in self.rack.spoken_on.get(board.name, ())})
        if spoken:
            return (
                f"{names} would be large enough, but what is not spoken for by {', '.join(spoken[:2])} is too little."
            )
        return f"{names} would be large enough, but other parts and flaws leave no room for it."

    def faults(self, layout: RackLayout) -> list[Fault]:
        """What an independent look finds wrong with what was laid."""
        laid = list(layout.laid)
        for face in layout.faces:
            board, leaf = home_of(face.key)
            if leaf:
                # what is not sawn into leaves goes through all of them
                laid += [replace(one, face=face.key) for one in layout.laid if one.face == board]
        return faults_of(laid, layout.faces, self.gaps)


def _without(face: Face, others: Sequence[Laid], gaps: Gaps) -> Face:
    """A face without where parts of another thickness are nailed."""
    if not others:
        return face
    more = max(0.0, gaps.between_mm - gaps.edge_mm) * ROUND
    grown = [one.outline.buffer(more, quad_segs=SEGMENTS) for one in others]
    return replace(face, flaws=shapely.union_all([face.flaws, *grown]))
