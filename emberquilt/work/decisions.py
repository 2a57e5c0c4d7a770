"""What a person decided about the plans of a work, one small frozen dataclass a station.

Decisions travel with edits: `moved` takes what was drawn along when the work is scaled, shifted or mirrored, `after`
hands on what was said of pieces that go or come. What loses its subject is dropped, and remembered in `whole.lost`
until somebody has seen it; nothing stale is ever kept.
"""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import MISSING, dataclass, field, fields, replace
from typing import Any
from zlib import crc32

from ..keys import keys_in, pairs_in, pairs_text
from ..outline.details import Affine, Detail, detail_of, moved_line
from .in_space import MeshDecisions, PinRun, Slice, SpaceDecisions, meshes_of, space_of
from .lowered import FieldDecisions, fields_of
from .reshaped import Reshaped

MOST_COPIES = 99
MOST_LOST = 20
STATION_OF = {"space": "relief", "meshes": "relief", "fields": "relief"}
"""Where what was decided in these is spoken of."""


@dataclass(frozen=True, slots=True)
class Lost:
    """A decision that lost its subject: the station it was about, and what is gone, in a sentence."""

    station: str
    words: str

    @property
    def mark(self) -> str:
        """What tells it from others."""
        return f"{crc32(f'{self.station} {self.words}'.encode()):08x}"


@dataclass(frozen=True)
class WholeDecisions:
    """About the whole work: how many are made of it, findings that are accepted (id to reason), what was lost."""

    copies: int = 1
    accepted: Mapping[str, str] = field(default_factory=dict)
    lost: tuple[Lost, ...] = ()


@dataclass(frozen=True, slots=True)
class PatternDecisions:
    """`mirrored`: it stands the other way round than it was drawn; `lettered`: words are part of it; `details`: lines
    that part nothing."""

    mirrored: bool = False
    lettered: bool = False
    details: tuple[Detail, ...] = ()

    def moved(self, move: Affine) -> "PatternDecisions":
        return replace(self, details=tuple(d.moved(move) for d in self.details)) if self.details else self


@dataclass(frozen=True, slots=True)
class Flow:
    """A drawn line (mm) and the pieces whose grain follows it, as a run of keys."""

    line: tuple[tuple[float, float], ...]
    keys: str

    def moved(self, move: Affine) -> "Flow":
        return replace(self, line=moved_line(self.line, move))


@dataclass(frozen=True, slots=True)
class Palette:
    """Woods as they were once, under a name: pairs of wood and run of keys."""

    name: str
    woods: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class PackChoice:
    """A layer is cut as one pack of these woods; `turn` says which picture a piece was handed to by hand."""

    layer: int
    woods: tuple[str, ...]
    turn: Mapping[int, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Look:
    """How the picture of the result is shown; what is None or empty was not decided."""

    gloss: str = ""
    from_deg: float | None = None
    frame: str = ""
    frame_mm: float | None = None
    wall: str = ""


@dataclass(frozen=True)
class WoodDecisions:
    """`together`: parts whose arrows run one way."""

    together: tuple[str, ...] = ()
    flows: tuple[Flow, ...] = ()
    palettes: tuple[Palette, ...] = ()
    packs: tuple[PackChoice, ...] = ()
    look: Look = Look()

    def pack(self, layer: int) -> PackChoice | None:
        return next((pack for pack in self.packs if pack.layer == layer), None)

    def moved(self, move: Affine) -> "WoodDecisions":
        return replace(self, flows=tuple(flow.moved(move) for flow in self.flows)) if self.flows else self

    def after(self, change: Reshaped) -> tuple["WoodDecisions", list[str]]:
        flows = tuple(f for flow in self.flows if (f := replace(flow, keys=change.run(flow.keys))).keys)
        lost = ["A flow line is gone with the last piece that followed it."] * (len(self.flows) - len(flows))
        palettes = []
        for kept in self.palettes:
            woods = tuple((code, keys) for code, old in kept.woods if (keys := change.run(old)))
            if woods:
                palettes.append(Palette(kept.name, woods))
            else:
                lost.append(f"The palette “{kept.name}” is gone with the last of its pieces.")
        packs = []
        for pack in self.packs:
            if pack.layer in change.layers:
                turn = {home: t for key, t in pack.turn.items() if (home := change.home(key)) is not None}
                packs.append(replace(pack, turn=turn))
            else:
                lost.append("The stack-cut pack is gone with its layer.")
        return replace(self, flows=flows, palettes=tuple(palettes), packs=tuple(packs)), lost


@dataclass(frozen=True, slots=True)
class Rails:
    """A frame round the work: mitred lengths of this material, so wide and thick (mm); `rabbet_mm` how far their lip
    reaches over the work's edge; `sides` 4, or a polygon's. `built` tells what each side is: one moulding with its
    rabbet (nothing said), ``strips`` glued on each other that leave a rabbet, or with one behind, a ``groove``."""

    material: str
    width_mm: float
    thickness_mm: float
    rabbet_mm: float = 0.0
    sides: int = 4
    built: str = ""


@dataclass(frozen=True, slots=True)
class Base:
    """A board that the work stands on: material, length, depth and thickness in mm."""

    material: str
    length_mm: float
    depth_mm: float
    thickness_mm: float


@dataclass(frozen=True, slots=True)
class StandOff:
    """A layer stands off what lies behind it, on hidden spacers of this height (mm)."""

    layer: int
    mm: float


@dataclass(frozen=True, slots=True)
class Order:
    """What stands in front of what, or is `level` with it: each a run of keys, for one piece or for a whole part over
    another."""

    front: str
    behind: str
    level: bool = False


@dataclass(frozen=True, slots=True)
class Slope:
    """A piece carved from one place of it (mm) to another, and how high its top is left there, above what the rearmost
    layer lies on."""

    high: tuple[float, float]
    low: tuple[float, float]
    high_mm: float
    low_mm: float

    def moved(self, move: Affine) -> "Slope":
        high, low = moved_line((self.high, self.low), move)
        return replace(self, high=high, low=low)


@dataclass(frozen=True)
class ReliefDecisions:
    """`stand_offs`: layers held off by spacers; `rails` and `base` where the work has a frame or stands; `orders` in
    the sequence in which they were said; `tops`: heights set by hand, of a piece's top above what the rearmost layer
    lies on; `depth_mm`: what the whole may be deep, backer included, 0 where nothing limits it; `refused`: suggested
    orders that were turned down; `hanger` how it hangs, `back` what is written on its back.
    By piece: `bevels` how far it rises in what it is sawn out of, `edges` the radius of its round-over, 0 where it
    stays square, `slopes` how it is carved."""

    stand_offs: tuple[StandOff, ...] = ()
    rails: Rails | None = None
    base: Base | None = None
    orders: tuple[Order, ...] = ()
    tops: Mapping[int, float] = field(default_factory=dict)
    depth_mm: float = 0.0
    refused: tuple[Order, ...] = ()
    hanger: str = ""
    back: str = ""
    bevels: Mapping[int, float] = field(default_factory=dict)
    edges: Mapping[int, float] = field(default_factory=dict)
    slopes: Mapping[int, Slope] = field(default_factory=dict)

    def thicker(self, scale: float) -> "ReliefDecisions":
        """The same heights in wood that is so many times as thick."""

        def scaled(table: Mapping[int, float]) -> dict[int, float]:
            return {key: round(mm * scale, 3) for key, mm in table.items()}

        return replace(
            self,
            stand_offs=tuple(replace(one, mm=round(one.mm * scale, 3)) for one in self.stand_offs),
            tops=scaled(self.tops),
            bevels=scaled(self.bevels),
            edges=scaled(self.edges),
            depth_mm=round(self.depth_mm * scale, 3),
            slopes={
                key: replace(one, high_mm=round(one.high_mm * scale, 3), low_mm=round(one.low_mm * scale, 3))
                for key, one in self.slopes.items()
            },
        )

    def stand_off_mm(self, layer: int) -> float:
        return next((s.mm for s in self.stand_offs if s.layer == layer), 0.0)

    def after(self, change: Reshaped) -> tuple["ReliefDecisions", list[str]]:
        kept = tuple(s for s in self.stand_offs if s.layer in change.layers)
        lost = ["The spacers of a layer are gone with it."] * (len(self.stand_offs) - len(kept))
        orders = _orders_after(self.orders, change)
        lost += ["An order of depth is gone with its pieces."] * (len(self.orders) - len(orders))
        tops = _at_home(self.tops, change)
        lost += ["A height that was set is gone with its piece."] * (len(self.tops) - len(tops))
        made = replace(
            self,
            stand_offs=kept,
            orders=orders,
            tops=tops,
            refused=_orders_after(self.refused, change),
            bevels=_at_home(self.bevels, change),
            edges=_at_home(self.edges, change),
            slopes=_at_home(self.slopes, change),
        )
        gone = len(self.bevels) + len(self.slopes) - len(made.bevels) - len(made.slopes)
        lost += ["A bevel or a slope is gone with its piece."] * gone
        return made, lost

    def moved(self, move: Affine) -> "ReliefDecisions":
        if not self.slopes:
            return self
        return replace(self, slopes={key: slope.moved(move) for key, slope in self.slopes.items()})


def _at_home(table: Mapping[int, Any], change: Reshaped) -> dict[int, Any]:
    """What was said of pieces, of those that are left or took their place."""
    return {home: value for key, value in table.items() if (home := change.home(key)) is not None}


def _orders_after(orders: tuple[Order, ...], change: Reshaped) -> tuple[Order, ...]:
    """Orders between pieces that are left; nothing stands in front of itself."""
    kept = []
    for order in orders:
        front, behind = change.run(order.front), change.run(order.behind)
        if front and behind and not set(keys_in(front)) & set(keys_in(behind)):
            kept.append(Order(front, behind, order.level))
    return tuple(dict.fromkeys(kept))


@dataclass(frozen=True)
class StockDecisions:
    """`within`: by how many degrees a piece may be turned off its arrow on a board, by key; `whole`: marks of boards
    that are not resawn; `wanted`: the kind of flaw that a piece is to lie over, by key: a knot for an eye."""

    within: Mapping[int, float] = field(default_factory=dict)
    whole: tuple[str, ...] = ()
    wanted: Mapping[int, str] = field(default_factory=dict)

    def after(self, change: Reshaped) -> tuple["StockDecisions", list[str]]:
        within, wanted = _at_home(self.within, change), _at_home(self.wanted, change)
        return replace(self, within=within, wanted=wanted), []


@dataclass(frozen=True)
class SawDecisions:
    """`first`: pieces to saw before all others, in that order; `last`: after all others, in that order; `stacks`:
    layers that are cut as one stack; `high`: how many copies lie on each other and are sawn at once. By piece: `starts`
    where its outline is begun (mm), `ways` which way it is gone round as seen from above (clockwise, counter-clockwise,
    or both from its start), `blades` the number of the blade that saws it; `spiral`: pieces that a spiral blade
    saws."""

    first: tuple[int, ...] = ()
    stacks: tuple[tuple[int, ...], ...] = ()
    high: int = 1
    last: tuple[int, ...] = ()
    starts: Mapping[int, tuple[float, float]] = field(default_factory=dict)
    ways: Mapping[int, str] = field(default_factory=dict)
    blades: Mapping[int, str] = field(default_factory=dict)
    spiral: tuple[int, ...] = ()

    def after(self, change: Reshaped) -> tuple["SawDecisions", list[str]]:
        homes = [change.home(key) for key in (*self.first, *self.last)]
        lost = ["A piece that was to be sawn first or last is gone."] * homes.count(None)
        first, last, spiral = (_homes(keys, change) for keys in (self.first, self.last, self.spiral))
        stacks = tuple(s for s in self.stacks if all(layer in change.layers for layer in s))
        lost += ["A stack of layers is gone with one of them."] * (len(self.stacks) - len(stacks))
        starts, ways, blades = (_at_home(table, change) for table in (self.starts, self.ways, self.blades))
        made = replace(
            self, first=first, last=last, stacks=stacks, starts=starts, ways=ways, blades=blades, spiral=spiral
        )
        return made, lost

    def moved(self, move: Affine) -> "SawDecisions":
        """A mirrored work is gone round the other way."""
        if not self.starts and not self.ways:
            return self
        starts = {key: moved_line((point, point), move)[0] for key, point in self.starts.items()}
        flipped = move[0] * move[4] - move[1] * move[3] < 0
        other = {"clockwise": "counter-clockwise", "counter-clockwise": "clockwise"}
        ways = {key: other.get(way, way) if flipped else way for key, way in self.ways.items()}
        return replace(self, starts=starts, ways=ways)


def _homes(keys: tuple[int, ...], change: Reshaped) -> tuple[int, ...]:
    return tuple(dict.fromkeys(home for key in keys if (home := change.home(key)) is not None))


@dataclass(frozen=True, slots=True)
class Fit:
    """What was found when two pieces of a copy were laid beside each other dry: `found` ok, tight or gap, by `mm`;
    `off_mm` has been sanded off the piece `sanded` at this seam, in all."""

    a: int
    b: int
    found: str
    mm: float = 0.0
    copy: int = 1
    sanded: int = 0
    off_mm: float = 0.0


@dataclass(frozen=True)
class AssemblyDecisions:
    """`anchors`: pieces that are put down first, at most one a layer; `bundles`: runs of pieces that are put together
    by themselves and go on as one; `right`: seams that fit dry, by copy as pairs of keys, and `fits`: what else the dry
    fit found; `unmasked`: pieces that are coated also where something is glued on them, `sealed`: pieces that are glued
    over their whole face. By piece: `glues` its glue, `holds` what presses it, `drafts` by how many degrees its edge is
    sanded under."""

    anchors: tuple[int, ...] = ()
    bundles: tuple[str, ...] = ()
    fits: tuple[Fit, ...] = ()
    right: Mapping[int, str] = field(default_factory=dict)
    unmasked: tuple[int, ...] = ()
    sealed: tuple[int, ...] = ()
    glues: Mapping[int, str] = field(default_factory=dict)
    holds: Mapping[int, str] = field(default_factory=dict)
    drafts: Mapping[int, float] = field(default_factory=dict)

    def after(self, change: Reshaped) -> tuple["AssemblyDecisions", list[str]]:
        homes = [change.home(key) for key in self.anchors]
        lost = ["Your anchor is gone with its piece. Choose another."] * homes.count(None)
        bundles = [run for run in (change.run(old) for old in self.bundles) if len(keys_in(run)) > 1]
        lost += ["A bundle is gone with its pieces."] * (len(self.bundles) - len(bundles))
        fits = _fits_after(self.fits, change)
        right = {n: text for n, old in self.right.items() if (text := _right_after(old, change))}
        if len(fits) < len(self.fits) or right != self.right:
            lost.append("What was found at a seam in the dry fit is gone with it.")
        unmasked, sealed = (_homes(keys, change) for keys in (self.unmasked, self.sealed))
        glues, holds, drafts = (_at_home(table, change) for table in (self.glues, self.holds, self.drafts))
        anchors = tuple(dict.fromkeys(key for key in homes if key is not None))
        return AssemblyDecisions(anchors, tuple(bundles), fits, right, unmasked, sealed, glues, holds, drafts), lost


def _right_after(text: str, change: Reshaped) -> str:
    pairs = pairs_in(text)
    kept = [(a, b) for a, b in pairs if a in change.pieces and b in change.pieces]
    return text if len(kept) == len(pairs) else pairs_text(kept)


def _fits_after(fits: tuple[Fit, ...], change: Reshaped) -> tuple[Fit, ...]:
    """What was found at seams whose two pieces are left as they were: a seam of another outline was not looked at."""
    kept = (fit for fit in fits if fit.a in change.pieces and fit.b in change.pieces)
    return tuple(fit if fit.sanded in (0, *change.pieces) else replace(fit, sanded=0) for fit in kept)


@dataclass(frozen=True, slots=True)
class CalendarDecisions:
    """`start`: the first day of work, ``2026-12-01``, `ready_by` the day it is to be ready by, and the `occasion`;
    `pins`, by key of a step, the day, or day and time, to which a person pinned it."""

    start: str = ""
    ready_by: str = ""
    occasion: str = ""
    pins: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Decisions:
    """All of them. `as_dict` leaves out what was never decided; `from_dict` gives the same again."""

    whole: WholeDecisions = WholeDecisions()
    pattern: PatternDecisions = PatternDecisions()
    wood: WoodDecisions = WoodDecisions()
    relief: ReliefDecisions = ReliefDecisions()
    stock: StockDecisions = StockDecisions()
    saw: SawDecisions = SawDecisions()
    assembly: AssemblyDecisions = AssemblyDecisions()
    space: SpaceDecisions = field(default_factory=SpaceDecisions)
    meshes: MeshDecisions = field(default_factory=MeshDecisions)
    fields: FieldDecisions = field(default_factory=FieldDecisions)
    calendar: CalendarDecisions = field(default_factory=CalendarDecisions)

    def moved(self, move: Affine) -> "Decisions":
        """These, of the work moved as a whole."""
        return replace(
            self,
            pattern=self.pattern.moved(move),
            wood=self.wood.moved(move),
            relief=self.relief.moved(move),
            saw=self.saw.moved(move),
            space=self.space.moved(move),
        )

    def after(self, change: Reshaped) -> "Decisions":
        """These, once pieces went and came."""
        made: dict[str, Any] = {}
        lost = list(self.whole.lost)
        for station in ("wood", "relief", "stock", "saw", "assembly", "space", "meshes", "fields"):
            mine, gone = getattr(self, station).after(change)
            made[station] = mine
            lost += [Lost(STATION_OF.get(station, station), words) for words in dict.fromkeys(gone)]
        seen = tuple(dict.fromkeys(lost))[-MOST_LOST:]
        return replace(self, whole=replace(self.whole, lost=seen), **made)

    def as_dict(self) -> dict[str, dict[str, Any]]:
        """Plain values, station by station; a station about which nothing was decided is left out."""
        told = {f.name: _plain(getattr(self, f.name)) for f in fields(self)}
        return {station: values for station, values in told.items() if values}

    @classmethod
    def from_dict(cls, values: Mapping[str, Any]) -> "Decisions":
        """Back from `as_dict`. What stands under names that are not known is refused with `TypeError`."""
        return cls(**{station: _READ[station](told) for station, told in values.items()})

    def changed(self, values: Mapping[str, Any]) -> "Decisions":
        """These with whole stations in other plain values, as an edit carries them."""
        return replace(self, **{station: _READ[station](told) for station, told in values.items()})

    def different(self, other: "Decisions") -> dict[str, dict[str, Any]]:
        """The stations in which `other` differs, as plain values of `other`."""
        return {
            f.name: _plain(getattr(other, f.name))
            for f in fields(self)
            if getattr(self, f.name) != getattr(other, f.name)
        }


def _plain(decided: Any) -> dict[str, Any]:
    """Fields that differ from the usual, as JSON has them."""
    usual = type(decided)() if not _required(type(decided)) else None
    values = {}
    for f in fields(decided):
        value = getattr(decided, f.name)
        if usual is None or value != getattr(usual, f.name):
            values[f.name] = _bare(value)
    return values


def _required(kind: type) -> bool:
    """Whether something must be said for it to be."""
    return any(f.default is MISSING and f.default_factory is MISSING for f in fields(kind))


def _bare(value: Any) -> Any:
    if isinstance(value, Slice | PinRun):
        # there are hundreds of them
        return [getattr(value, f.name) for f in fields(value)]
    if isinstance(value, Mapping):
        return {str(key): _bare(inner) for key, inner in value.items()}
    if isinstance(value, tuple | list):
        return [_bare(inner) for inner in value]
    return _plain(value) if hasattr(value, "__dataclass_fields__") else value


def _each(values: Iterable[Mapping[str, Any]], make: Callable[..., Any]) -> tuple:
    return tuple(make(**told) for told in values)


def _whole(told: Mapping[str, Any]) -> WholeDecisions:
    return WholeDecisions(**(dict(told) | {"lost": _each(told.get("lost", ()), Lost)}))


def _pattern(told: Mapping[str, Any]) -> PatternDecisions:
    return PatternDecisions(**(dict(told) | {"details": _each(told.get("details", ()), detail_of)}))


def _flow(line, keys: str) -> Flow:
    return Flow(tuple((float(x), float(y)) for x, y in line), keys)


def _palette(name: str, woods) -> Palette:
    return Palette(name, tuple((code, keys) for code, keys in woods))


def _pack(layer: int, woods, turn: Mapping = {}) -> PackChoice:
    return PackChoice(layer, tuple(woods), {int(key): number for key, number in turn.items()})


def _wood(told: Mapping[str, Any]) -> WoodDecisions:
    return WoodDecisions(
        tuple(told.get("together", ())),
        _each(told.get("flows", ()), _flow),
        _each(told.get("palettes", ()), _palette),
        _each(told.get("packs", ()), _pack),
        Look(**told.get("look", {})),
    )


def _relief(told: Mapping[str, Any]) -> ReliefDecisions:
    rails, base = told.get("rails"), told.get("base")
    return ReliefDecisions(
        _each(told.get("stand_offs", ()), StandOff),
        Rails(**rails) if rails else None,
        Base(**base) if base else None,
        _each(told.get("orders", ()), Order),
        _by_key(told.get("tops", {}), float),
        float(told.get("depth_mm", 0.0)),
        _each(told.get("refused", ()), Order),
        str(told.get("hanger", "")),
        str(told.get("back", "")),
        _by_key(told.get("bevels", {}), float),
        _by_key(told.get("edges", {}), float),
        _by_key(told.get("slopes", {}), lambda one: _slope(**one)),
    )


def _by_key(told: Mapping[str, Any], make: Callable[[Any], Any]) -> dict[int, Any]:
    return {int(key): make(value) for key, value in told.items()}


def _slope(high, low, high_mm: float, low_mm: float) -> Slope:
    return Slope((float(high[0]), float(high[1])), (float(low[0]), float(low[1])), high_mm, low_mm)


def _saw(told: Mapping[str, Any]) -> SawDecisions:
    stacks = tuple(tuple(s) for s in told.get("stacks", ()))
    return SawDecisions(
        tuple(told.get("first", ())),
        stacks,
        told.get("high", 1),
        tuple(told.get("last", ())),
        _by_key(told.get("starts", {}), lambda point: (float(point[0]), float(point[1]))),
        _by_key(told.get("ways", {}), str),
        _by_key(told.get("blades", {}), str),
        tuple(told.get("spiral", ())),
    )


def _assembly(told: Mapping[str, Any]) -> AssemblyDecisions:
    return AssemblyDecisions(
        tuple(told.get("anchors", ())),
        tuple(told.get("bundles", ())),
        _each(told.get("fits", ()), Fit),
        _by_key(told.get("right", {}), str),
        tuple(told.get("unmasked", ())),
        tuple(told.get("sealed", ())),
        _by_key(told.get("glues", {}), str),
        _by_key(told.get("holds", {}), str),
        _by_key(told.get("drafts", {}), float),
    )


_READ: dict[str, Callable[[Mapping[str, Any]], Any]] = {
    "whole": _whole,
    "pattern": _pattern,
    "wood": _wood,
    "relief": _relief,
    "stock": lambda told: StockDecisions(
        _by_key(told.get("within", {}), float), tuple(told.get("whole", ())), _by_key(told.get("wanted", {}), str)
    ),
    "saw": _saw,
    "assembly": _assembly,
    "space": space_of,
    "meshes": meshes_of,
    "fields": fields_of,
    "calendar": lambda told: CalendarDecisions(
        told.get("start", ""), told.get("ready_by", ""), told.get("occasion", ""), dict(told.get("pins", {}))
    ),
}


def from_pins(pins: Mapping[str, Any], layer: int = 0) -> Decisions:
    """Decisions as project files of version 1 to 3, and journals of their time, have them: loose names for one layer,
    whose key is given."""
    pack, look = pins.get("pack"), dict(pins.get("look", {}))
    values: dict[str, dict[str, Any]] = {
        "whole": {"accepted": dict(pins.get("accepted", {}))},
        "pattern": {name: True for name in ("mirrored", "lettered") if pins.get(name)},
        "wood": {
            "together": pins.get("together", ()),
            "flows": pins.get("flows", ()),
            "palettes": pins.get("palettes", ()),
            "packs": [{"layer": layer, **pack}] if pack else (),
            "look": look,
        },
        "saw": {"first": pins.get("saw_first", ())},
        "assembly": {"anchors": (pins["anchor"],) if pins.get("anchor") else ()},
        "calendar": {"start": pins.get("start", "")},
    }
    return Decisions.from_dict(values)
