"""From boards as they are to blanks of the thickness that the parts on them want: what to do on which machine.

Along its length a board is cut into stretches of one thickness each. A machine has limits: what is shorter or thinner
than it takes goes on a carrier board, what is wider is ripped narrower or brought down by hand. Minutes are common
practice, no source.
"""

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from ..constants import MM3_PER_BOARD_FOOT
from ..lazy import lazy
from ..practice import Practice
from ..rack.boards import Board
from ..work.copies import copy_of
from ..work.on_boards import Lying, on_boards
from ..work.parts import Job
from .laying import CROSSCUT_MM, gaps_of
from .leaves import JOINTED_MM, MEASURED_MM, is_sheet, leaves_of, milled_mm

WORDS = {
    "crosscut": "Crosscut",
    "rip": "Rip",
    "joint": "Joint",
    "panel": "Glue up a panel",
    "flatten": "Flatten the panel",
    "resaw": "Resaw",
    "plane": "Plane",
    "carrier": "Plane on a carrier board",
    "hand": "Bring down by hand",
    "section": "Cut into sections",
}
HOW = tuple(WORDS)
"""In the order in which machines are set up: what keeps most choices open first, thickness before the last cuts."""
LEAST_REST_MM = 50.0
"""A shorter rest of a board is not cut off before it is milled."""
PASS_MM = 0.8
"""What a planer takes in one pass: common practice, no source."""
FEED_MM_A_MINUTE = 6000.0
"""How fast jointer and planer pass a board: common practice, no source."""
RESAW_MM2_A_MINUTE = 20_000.0
"""What a band saw cuts in hardwood, seen from the side: common practice, no source."""
HAND_MM3_A_MINUTE = 4000.0
"""What hand plane and sander take off: common practice, no source."""
SETTING = {"crosscut": 2.0, "rip": 3.0, "joint": 4.0, "resaw": 8.0, "plane": 3.0, "carrier": 8.0, "hand": 5.0}
SETTING |= {"section": 2.0, "panel": 8.0, "flatten": 3.0}
"""Minutes to set a machine for one kind of cut."""
EACH_CUT, EACH_PASS, EACH_JOINTED, EACH_CARRIED, EACH_STRIP, EACH_EDGE, EACH_GLUED = 1.0, 0.4, 2.0, 2.0, 1.0, 1.5, 2.0
"""Minutes of hands for a cut, a pass through the planer, a board that is jointed, one that is put on a carrier, a strip
that is ripped, an edge that is jointed and spread, a strip that is laid in the clamps."""
RIP_MM_A_MINUTE = 2000.0
LEAST_CARRIED = 0.5
"""Of the planer's least length: what is shorter does not go through it on a carrier either. Common practice, no
source."""


@dataclass(frozen=True, slots=True)
class Size:
    """Of a blank in mm, its length along the board."""

    long_mm: float
    wide_mm: float
    thick_mm: float

    @property
    def mm3(self) -> float:
        return self.long_mm * self.wide_mm * self.thick_mm


@dataclass(frozen=True)
class Mill:
    """One thing done to one blank, or to `blanks` of them that are alike (leaves): from `before` to `after`, of which
    there are `count`; `rest` is what goes back on the rack. `begin_mm`: where on the board the blank begins; `cuts_mm`
    where it is cut. `parts` are the keys of what will be sawn from it, with their copies. `minutes` leave out setting
    the machine. `instead`: what else could be done, where a limit of a machine makes this a long way round."""

    board: str
    how: str
    label: str
    before: Size
    after: Size
    count: int
    minutes: float
    parts: tuple[str, ...]
    begin_mm: float = 0.0
    rest: Size | None = None
    cuts_mm: tuple[float, ...] = ()
    instead: str = ""
    blanks: int = 1
    rest_first: bool = False
    """What goes back lies before the cut."""

    @lazy
    def lost_mm3(self) -> float:
        """Wood that becomes dust and chips."""
        kept = self.count * self.after.mm3 + (self.rest.mm3 if self.rest else 0.0)
        return max(0.0, self.blanks * self.before.mm3 - kept)


@dataclass(frozen=True)
class Stretch:
    """A length of a board that is brought to one thickness. `leaves` it is sawn into; `thinner` are parts on it that
    want less and are brought down by themselves."""

    begin_mm: float
    end_mm: float
    thickness_mm: float
    leaves: int
    lying: tuple[Lying, ...]
    thinner: tuple[str, ...] = ()

    @property
    def parts(self) -> tuple[str, ...]:
        return tuple(one.key for one in self.lying)


@dataclass(frozen=True)
class Milling:
    """Everything to be done before patterns are pasted, in order; stretches by board."""

    mills: tuple[Mill, ...]
    stretches: Mapping[str, tuple[Stretch, ...]]

    @property
    def minutes(self) -> float:
        return sum(self.minutes_at(setting) for setting in self.settings)

    def minutes_at(self, setting: tuple[str, float]) -> float:
        """Of one setting, with what setting the machine takes."""
        return SETTING[setting[0]] + sum(mill.minutes for mill in self.settings[setting])

    @property
    def lost_feet(self) -> float:
        """Board feet that become dust and chips."""
        return sum(mill.lost_mm3 for mill in self.mills) / MM3_PER_BOARD_FOOT

    @lazy
    def settings(self) -> dict[tuple[str, float], tuple[Mill, ...]]:
        """What is done with one setting of one machine: by what it is and, where it is about thickness, how thick."""
        table: dict[tuple[str, float], list[Mill]] = {}
        for mill in self.mills:
            thick = round(mill.after.thick_mm, 2) if mill.how in ("plane", "carrier", "hand", "flatten") else 0.0
            table.setdefault((mill.how, thick), []).append(mill)
        return {key: tuple(mills) for key, mills in table.items()}


def milling_of(job: Job) -> Milling:
    """What is to be done to the boards on which parts lie."""
    return job.once("milling", lambda: _milling(job))


def _milling(job: Job) -> Milling:
    made: list[Mill] = []
    stretches: dict[str, tuple[Stretch, ...]] = {}
    for name, lying in on_boards(job).items():
        board = job.composition.rack.by_name[name]
        own = [one for one in lying if one.part.material == board.wood]
        if not own:
            continue
        stretches[name] = stretches_of(job, board, own)
        mills = _Board(job, board, stretches[name]).mills()
        if board.panel is not None and not board.panel.made:
            made += panel_mills(job, board, own)
            # what is not glued yet is cut after it is
            mills = [replace(mill, how="section") if mill.how == "crosscut" else mill for mill in mills]
        made += mills
    made.sort(key=lambda mill: (HOW.index(mill.how), -round(mill.after.thick_mm, 2), mill.board, mill.begin_mm))
    return Milling(tuple(made), stretches)


def stretches_of(job: Job, board: Board, lying: Iterable[Lying]) -> tuple[Stretch, ...]:
    """Lengths of one thickness each, along the board. Where parts of several thicknesses lie beside each other the
    thickest decides."""
    rack, practice, whole = job.composition.rack, job.composition.practice, job.composition.decisions.stock.whole
    edge = gaps_of(job.composition).edge_mm
    groups: list[list[Lying]] = []
    reach = -math.inf
    for one in sorted(lying, key=lambda one: (one.outline.bounds[0], one.key)):
        left, _, right, _ = one.outline.bounds
        same = bool(groups) and _thick(groups[-1]) == round(one.part.thickness_mm, 3)
        if groups and (same or left < reach):
            groups[-1].append(one)
        else:
            groups.append([one])
        reach = max(reach, right)
    made: list[Stretch] = []
    begin = _spoken_before(job, board, groups)
    for group in groups:
        right = max(one.outline.bounds[2] for one in group)
        end = min(board.length_mm, right + edge)
        thick = max(one.part.thickness_mm for one in group)
        most = leaves_of(board, thick, practice, rack, whole)
        used = min(most, max(one.place.leaf for one in group))
        thinner = tuple(one.key for one in group if one.part.thickness_mm < thick - MEASURED_MM)
        made.append(Stretch(begin, end, thick, max(1, used), tuple(group), thinner))
        begin = min(board.length_mm, end + CROSSCUT_MM)
    return tuple(made)


def _spoken_before(job: Job, board: Board, groups: Sequence[Sequence[Lying]]) -> float:
    """Where what other works have spoken for ends, when all of this work lies beyond it."""
    if is_sheet(job.composition.rack, board.wood):
        return 0.0
    spoken = job.composition.rack.spoken_on.get(board.name, ())
    reach = max((one.outlines.bounds[2] for one in spoken), default=0.0)
    first = min((one.outline.bounds[0] for group in groups for one in group), default=0.0)
    return reach + CROSSCUT_MM if 0 < reach < first else 0.0


def target_mm(job: Job, board: Board, stretch: Stretch) -> float:
    """What the caliper should say of a stretch once it is milled; a sheet stays as thick as it is."""
    if is_sheet(job.composition.rack, board.wood):
        return board.thickness_mm
    return min(board.thickness_mm, milled_mm(job.composition.practice, stretch.thickness_mm))


def _thick(group: Sequence[Lying]) -> float:
    return round(max(one.part.thickness_mm for one in group), 3)


class _Board:
    """One board on its way through the machines."""

    def __init__(self, job: Job, board: Board, stretches: Sequence[Stretch]):
        self.job, self.board, self.stretches = job, board, stretches
        self.practice: Practice = job.composition.practice
        self.made: list[Mill] = []

    def mills(self) -> list[Mill]:
        worked = [self._wants_work(stretch) for stretch in self.stretches]
        ends = self._crosscuts(worked)
        for stretch, work, end in zip(self.stretches, worked, ends, strict=True):
            blank = Size(end - stretch.begin_mm, self.board.width_mm, self.board.thickness_mm)
            if work:
                blank = self._to_thickness(stretch, blank)
            self._sections(stretch, blank)
        return self.made

    def _wants_work(self, stretch: Stretch) -> bool:
        """What is hardly thicker than wanted stays as it is."""
        target = target_mm(self.job, self.board, stretch)
        return stretch.leaves > 1 or self.board.thickness_mm - target > MEASURED_MM

    def _add(self, how: str, label: str, before: Size, after: Size, minutes: float, stretch: Stretch, **more) -> None:
        count = more.pop("count", 1)
        begin = more.pop("begin_mm", stretch.begin_mm)
        parts = tuple(key for key in stretch.parts if copy_of(key) <= self.job.copies)
        self.made.append(Mill(self.board.name, how, label, before, after, count, minutes, parts, begin, **more))

    def _crosscuts(self, worked: Sequence[bool]) -> list[float]:
        """Stretches cut apart where they are treated otherwise, and what stays cut off first; where each ends now. One
        that is too short for the planer by itself takes so much more of the board, where there is more of it."""
        ends = []
        long, wide, thick = self.board.length_mm, self.board.width_mm, self.board.thickness_mm
        say = self.practice.say
        if self.stretches and self.stretches[0].begin_mm > 0:
            first = self.stretches[0]
            works = sorted({one.work for one in self.job.composition.rack.spoken_on.get(self.board.name, ())})
            self._add(
                "crosscut",
                f"Crosscut {self.board.name} at {say(first.begin_mm)}: what is before it is for {works[0]}",
                Size(long, wide, thick),
                Size(long - first.begin_mm, wide, thick),
                EACH_CUT,
                first,
                rest=Size(first.begin_mm - CROSSCUT_MM, wide, thick),
                cuts_mm=(first.begin_mm,),
                begin_mm=0.0,
                rest_first=True,
            )
        for i, stretch in enumerate(self.stretches):
            end, begin, last = stretch.end_mm, stretch.begin_mm, i + 1 == len(self.stretches)
            if last and worked[i] and end - begin < self.practice.planer_long_mm:
                end = min(long, begin + self.practice.planer_long_mm)
            following = end + CROSSCUT_MM if last else self.stretches[i + 1].begin_mm
            rest_mm = max(0.0, long - following)
            if last and rest_mm < LEAST_REST_MM:
                ends.append(long if worked[i] else end)
                continue
            ends.append(end)
            if not last and not worked[i] and not worked[i + 1]:
                continue
            why = "the rest goes back on the rack" if last else "two thicknesses meet there"
            self._add(
                "crosscut",
                f"Crosscut {self.board.name} at {say(end)}: {why}",
                Size(long - begin, wide, thick),
                Size(end - begin, wide, thick),
                EACH_CUT,
                stretch,
                rest=Size(rest_mm, wide, thick),
                cuts_mm=(end,),
            )
        return ends

    def _to_thickness(self, stretch: Stretch, blank: Size) -> Size:
        """Ripped where it is wider than the planer and the parts leave room, resawn, planed."""
        practice, name = self.practice, self.board.name
        target = target_mm(self.job, self.board, stretch)
        wide_mm = blank.wide_mm
        if wide_mm > practice.planer_wide_mm and self.board.panel is None:
            wide_mm = self._ripped(stretch, blank)
            blank = Size(blank.long_mm, wide_mm, blank.thick_mm)
        slice_mm = blank.thick_mm
        if stretch.leaves > 1:
            blank, slice_mm = self._resawn(stretch, blank, target)
        after = Size(blank.long_mm, blank.wide_mm, target)
        before = Size(blank.long_mm, blank.wide_mm, slice_mm)
        many = {"count": stretch.leaves, "blanks": stretch.leaves}
        off = slice_mm - target
        leaves = f"each of {stretch.leaves} leaves of {name}" if stretch.leaves > 1 else name
        passes = max(1, math.ceil(off / PASS_MM)) * stretch.leaves
        run = passes * (EACH_PASS + blank.long_mm / FEED_MM_A_MINUTE)
        say = practice.say
        tiny = blank.long_mm < practice.planer_long_mm * LEAST_CARRIED
        if wide_mm > practice.planer_wide_mm or tiny:
            minutes = stretch.leaves * blank.long_mm * blank.wide_mm * off / HAND_MM3_A_MINUTE
            why = f"only {say(blank.long_mm)} long" if tiny else "wider than the planer"
            label = f"Bring {leaves} to {say(target)} by hand plane or sander: {why}"
            other = "Rip it, plane the strips and glue them up again, or " if not tiny else "Or "
            other += self._buy_thin(target)
            self._add("hand", label, before, after, minutes, stretch, **many, instead=other)
        elif target < practice.planer_thin_mm or blank.long_mm < practice.planer_long_mm:
            short = blank.long_mm < practice.planer_long_mm
            why = f"only {say(blank.long_mm)} long" if short else f"thinner than {say(practice.planer_thin_mm)}"
            label = f"Plane {leaves} to {say(target)} on a carrier board: {why}"
            other = f"Bring it down by hand, or {self._buy_thin(target)}"
            minutes = run + EACH_CARRIED * stretch.leaves
            self._add("carrier", label, before, after, minutes, stretch, **many, instead=other)
        else:
            label = f"Plane {leaves} to {say(target)}"
            instead = ""
            if stretch.leaves == 1 and off > target:
                instead = self._why_not_resawn(stretch)
            self._add("plane", label, before, after, run, stretch, **many, instead=instead)
        return after

    def _buy_thin(self, target_mm: float) -> str:
        return f"buy it {self.practice.say(target_mm)} thin, or take plywood where it does not show"

    def _why_not_resawn(self, stretch: Stretch) -> str:
        """More than the part itself becomes chips: why it is not resawn, and what would save it."""
        practice = self.practice
        if self.board.name in self.job.composition.decisions.stock.whole:
            return "Kept whole: more of it becomes chips than stock"
        if not practice.resaw_high_mm:
            return f"More of it becomes chips than stock: {self._buy_thin(target_mm(self.job, self.board, stretch))}"
        if self.board.width_mm > practice.resaw_high_mm:
            high = practice.say(practice.resaw_high_mm)
            return f"More of it becomes chips than stock: ripped to {high} or less it could be resawn"
        return ""

    def _ripped(self, stretch: Stretch, blank: Size) -> float:
        """The width that goes through the planer, where the parts leave that room; otherwise as it is."""
        edge = gaps_of(self.job.composition).edge_mm
        low = max(one.outline.bounds[3] for one in stretch.lying) + edge
        top = min(one.outline.bounds[1] for one in stretch.lying) - edge
        kerf = CROSSCUT_MM
        for need, at in ((low, low), (blank.wide_mm - top, top)):
            if need <= self.practice.planer_wide_mm and blank.wide_mm - need - kerf >= LEAST_REST_MM:
                after = Size(blank.long_mm, need, blank.thick_mm)
                rest = Size(blank.long_mm, blank.wide_mm - need - kerf, blank.thick_mm)
                say = self.practice.say
                label = f"Rip {self.board.name} to {say(need)}: {say(blank.wide_mm)} does not go through the planer"
                minutes = EACH_CUT + blank.long_mm / RIP_MM_A_MINUTE
                self._add("rip", label, blank, after, minutes, stretch, rest=rest, cuts_mm=(at,), rest_first=at == top)
                return need
        return blank.wide_mm

    def _resawn(self, stretch: Stretch, blank: Size, target_mm: float) -> tuple[Size, float]:
        practice, name = self.practice, self.board.name
        flat = Size(blank.long_mm, blank.wide_mm, blank.thick_mm - JOINTED_MM)
        label = f"Joint one face and one edge of {name}, so that it stands square at the fence"
        self._add("joint", label, blank, flat, EACH_JOINTED + 2 * blank.long_mm / FEED_MM_A_MINUTE, stretch)
        count = stretch.leaves
        slice_mm = target_mm + practice.planing_mm
        left = flat.thick_mm - count * (slice_mm + practice.resaw_kerf_mm)
        after = Size(flat.long_mm, flat.wide_mm, slice_mm)
        rest = Size(flat.long_mm, flat.wide_mm, left) if left >= max(2.0, practice.planer_thin_mm) else None
        if rest is None:
            # what is too thin to keep goes into the slices: less is sawn, more is planed
            slice_mm = (flat.thick_mm - (count - 1) * practice.resaw_kerf_mm) / count
            after = Size(flat.long_mm, flat.wide_mm, slice_mm)
        cuts = count - 1 if rest is None else count
        minutes = cuts * flat.long_mm * flat.wide_mm / RESAW_MM2_A_MINUTE + EACH_CUT * cuts
        words = {2: "two", 3: "three", 4: "four", 5: "five"}.get(count, str(count))
        say = practice.say
        label = f"Resaw {name}, {say(flat.long_mm)} long and {say(flat.wide_mm)} high, into {words} leaves"
        self._add("resaw", label, flat, after, minutes, stretch, count=count, rest=rest)
        return flat, slice_mm

    def _sections(self, stretch: Stretch, blank: Size) -> None:
        """Crosscuts between parts, so that no section is longer than two hands and the throat turn."""
        cuts = section_cuts(stretch, blank.long_mm, self.practice)
        if not cuts:
            return
        sides = [stretch.begin_mm, *cuts, stretch.begin_mm + blank.long_mm]
        longest = max(b - a for a, b in zip(sides, sides[1:], strict=False))
        after = Size((blank.long_mm - len(cuts) * CROSSCUT_MM) / (len(cuts) + 1), blank.wide_mm, blank.thick_mm)
        say = self.practice.say
        where = ", ".join(say(cut) for cut in cuts)
        label = f"Cut {self.board.name} into {len(cuts) + 1} sections, at {where}: none longer than {say(longest)}"
        count = (len(cuts) + 1) * stretch.leaves
        minutes = EACH_CUT * len(cuts) * stretch.leaves
        many = {"count": count, "blanks": stretch.leaves}
        self._add("section", label, blank, after, minutes, stretch, **many, cuts_mm=cuts)


def panel_mills(job: Job, board: Board, lying: Sequence[Lying]) -> list[Mill]:
    """A panel that is not glued yet: strips ripped, their edges jointed, glued, flattened."""
    panel, practice = board.panel, job.composition.practice
    assert panel is not None
    say, parts = practice.say, tuple(one.key for one in lying)
    long, count = board.length_mm, panel.strips
    rough = Size(panel.long_mm, panel.wide_mm, panel.thick_mm)
    strip = Size(long, panel.strip_mm, panel.thick_mm)
    edged = Size(long, board.width_mm / count, panel.thick_mm)
    glued = Size(long, board.width_mm, panel.thick_mm)
    flat = Size(long, board.width_mm, board.thickness_mm)
    halves = ""
    if board.width_mm > practice.planer_wide_mm:
        most = say(practice.planer_wide_mm)
        halves = f"Glue it in two halves no wider than {most}, plane them, then joint and glue the last seam"
    strips = f"{count} strips of {board.name}"
    rip = f"Rip {count} strips {say(panel.strip_mm)} wide from {panel.board}, for panel {board.name}"
    joint = f"Joint both edges of the {strips}"
    glue = f"Glue {strips} edge to edge, grain one way, tones side by side as they please; cauls across"
    flatten = f"Flatten {board.name} to {say(board.thickness_mm)}"
    minutes = long * board.width_mm * (panel.thick_mm - board.thickness_mm) / HAND_MM3_A_MINUTE
    if not halves:
        minutes = max(1, math.ceil((panel.thick_mm - board.thickness_mm) / PASS_MM)) * (
            EACH_PASS + long / FEED_MM_A_MINUTE
        )
    cuts = tuple(round((panel.strip_mm + CROSSCUT_MM) * i, 1) for i in range(1, count))
    return [
        Mill(board.name, "rip", rip, rough, strip, count, EACH_STRIP * count, parts, cuts_mm=cuts),
        Mill(board.name, "joint", joint, strip, edged, count, EACH_EDGE * 2 * count, parts, blanks=count),
        Mill(board.name, "panel", glue, edged, glued, 1, EACH_GLUED * count, parts, instead=halves, blanks=count),
        Mill(board.name, "flatten", flatten, glued, flat, 1, minutes, parts),
    ]


def section_cuts(stretch: Stretch, long_mm: float, practice: Practice) -> tuple[float, ...]:
    """Places along the board where a straight cut passes clear of all parts, as few as keep sections short enough; none
    is made where parts reach over each other's ends."""
    most = min(practice.section_mm, practice.throat_mm)
    end = stretch.begin_mm + long_mm
    if long_mm <= most:
        return ()
    clear = _clear_places(stretch)
    cuts: list[float] = []
    at = stretch.begin_mm
    while end - at > most:
        within = [place for place in clear if at < place <= at + most]
        beyond = [place for place in clear if place > at + most]
        if within:
            at = within[-1]
        elif beyond:
            at = beyond[0]
        else:
            break
        cuts.append(at)
    return tuple(round(cut, 1) for cut in cuts)


def _clear_places(stretch: Stretch) -> list[float]:
    """Middles of the gaps that no part of any leaf reaches into, wide enough for a saw."""
    spans = sorted((one.outline.bounds[0], one.outline.bounds[2]) for one in stretch.lying)
    places = []
    reach = None
    for left, right in spans:
        if reach is not None and left - reach >= CROSSCUT_MM:
            places.append((left + reach) / 2)
        reach = right if reach is None else max(reach, right)
    return places


Words = Callable[[float], str]


def sizes_told(mill: Mill, say: Words) -> str:
    """Start and end sizes in words: from so long by so wide by so thick, to."""

    def told(size: Size) -> str:
        return f"{say(size.long_mm)} × {say(size.wide_mm)} × {say(size.thick_mm)}"

    if mill.how == "section":
        return told(mill.before)
    blanks = f"{mill.blanks} of " if mill.blanks > 1 else ""
    count = f"{mill.count} of " if mill.count > mill.blanks else ""
    return f"{blanks}{told(mill.before)} to {count}{told(mill.after)}"
