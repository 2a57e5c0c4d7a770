"""Practice: the named choices and numbers where workers disagree.

A shop has one; each composition takes a copy. Defaults are common practice, no source, unless a field says otherwise.
"""

from dataclasses import asdict, dataclass, field, fields, replace
from typing import Any

from .constants import PAPERS_MM, ROLL
from .errors import BadChoice
from .hours import days_off, parse_week, usual_hours
from .units import MM_PER_UNIT, Length, exact_length, format_area, format_length

SHEETS = {
    "ply_birch": "birch plywood",
    "ply_poplar": "poplar plywood",
    "hardboard": "hardboard",
    "fibreboard": "fibreboard",
}
CHOICES = {
    "unit": {"in": "inches", "mm": "millimetres"},
    "blade_school": {
        "thickness": "by thickness",
        "teeth": "6 to 10 teeth in the cut",
        "one": "one size for everything",
    },
    "blade_kind": {
        "plain": "plain or skip-tooth",
        "reverse": "reverse: its last teeth point up, the underside stays clean",
        "crown": "crown-tooth: cuts both ways, turned over it is fresh again",
        "spiral": "spiral: cuts in every direction, a wider kerf",
        "pinned": "with pins: needs a hole of 5 mm",
    },
    "fit": {
        "on": "on the line",
        "beside": "beside the line, sand to it",
        "gap": "beside it, for a wanted gap",
        "stack": "stack cut together",
    },
    "accents": {
        "after": "after the outline",
        "before": "before the outline",
        "mixed": "each when the blade passes by",
    },
    "glue": {
        "wood": "yellow wood glue",
        "quick": "thick quick wood glue",
        "ca": "thick CA",
        "epoxy": "epoxy, 30 min",
        "activated": "thick CA with activator",
        "tape": "double-sided tape",
    },
    "glue_small": {
        "same": "the same as for the rest",
        "ca": "thick CA",
        "activated": "thick CA with activator",
        "tape": "double-sided tape",
    },
    "glue_seams": {"faces": "on what they lie on", "seams": "on their seams too"},
    "anchor": {
        "outer": "an outer piece first",
        "middle": "from the middle out",
        "parts": "sub-assemblies first, then as with an outer piece",
    },
    "finish": {
        "gel": "gel polyurethane",
        "lacquer": "spray lacquer",
        "poly": "spray polyurethane",
        "shellac": "shellac",
        "oil": "hardening oil",
    },
    "align": {
        "lines": "centre lines, and the anchor drawn round",
        "template": "the template sheet as a jig, on washers",
        "pins": "pins through two parts at a time",
        "outline": "dark outlines that stayed on",
        "hinges": "hinges of tape along one side",
        "light": "light from below",
    },
    "resin_ratio": {"1": "1 to 1", "2": "2 to 1", "3": "3 to 1", "4": "4 to 1"},
    "resin_by": {"volume": "by volume", "weight": "by weight"},
    "press": {"weights": "under a board and weights", "veneer": "in a veneer press", "vacuum": "in a vacuum bag"},
    "pairs": {"stack": "as a stack, one turned over", "single": "one by one"},
    "prime": {"sheet": "sheet goods, under paint", "all": "everything, under paint", "no": "nothing"},
    "used": {
        "room": "on a wall or a shelf",
        "outdoors": "outdoors",
        "child": "in a child's hands",
        "food": "where food lies",
    },
    "paper_off": {
        "tape": "on tape or film, which comes off with it",
        "heat": "with a heat gun",
        "solvent": "with mineral spirits",
    },
    "spray_at": {"indoors": "indoors, with a respirator and moving air", "outdoors": "outdoors, by daylight"},
    "finish_when": {"after": "after glue-up", "before": "before glue-up"},
    "paper": {name: name for name in PAPERS_MM} | {ROLL: "a roll, 24 in"},
    "table_down": {"left": "the left side goes down", "right": "the right side goes down"},
    "backer_material": SHEETS,
    "shim_material": SHEETS,
    "money": {sign: sign for sign in ("$", "€", "£", "¥", "kr", "Fr", "zł")},
}

LIMITS = {
    "denominator": (8, 64),
    "one_blade": (0, 12),
    "stock_mm": (1.0, 80.0),
    "least_step_mm": (0.1, 20.0),
    "greatest_step_mm": (0.5, 60.0),
    "sanding_mm": (0.0, 3.0),
    "humid_low": (5.0, 95.0),
    "humid_high": (5.0, 95.0),
    "shim_inset_mm": (0.5, 20.0),
    "board_use": (0.2, 0.95),
    "part_gap_mm": (0.5, 60.0),
    "edge_gap_mm": (0.0, 60.0),
    "grain_within_deg": (0.0, 45.0),
    "saw_mm_per_minute": (5.0, 500.0),
    "minutes_per_cut": (0.0, 30.0),
    "hold_mm": (2.0, 60.0),
    "neck_mm": (0.5, 30.0),
    "reads_de": (1.0, 40.0),
    "turn_apart_deg": (5.0, 90.0),
    "backer_inset_mm": (0.0, 25.0),
    "backer_mm": (0.5, 30.0),
    "repeat_share": (0.5, 1.0),
    "seconds_per_piece": (5.0, 900.0),
    "least_glue_mm2": (0.0, 1000.0),
    "drop_mm": (0.0, 2.0),
    "shop_c": (-20.0, 45.0),
    "shop_humid": (5.0, 95.0),
    "spring_clamps": (0, 200),
    "screw_clamps": (0, 200),
    "clamp_reach_mm": (10.0, 300.0),
    "clamp_apart_mm": (30.0, 400.0),
    "cauls": (0, 50),
    "weights": (0, 50),
    "sand_bags": (0, 20),
    "shape_minutes": (0.0, 120.0),
    "fit_minutes": (0.0, 120.0),
    "coats": (0, 20),
    "latitude_deg": (-66.0, 66.0),
    "outdoor_low_c": (-40.0, 45.0),
    "outdoor_high_c": (-40.0, 45.0),
    "buy_days": (0, 180),
    "wage": (0.0, 10_000.0),
    "overhead_hour": (0.0, 10_000.0),
    "fee_share": (0.0, 0.7),
    "margin_share": (0.0, 0.7),
    "blade_price": (0.0, 10_000.0),
    "sheet_price": (0.0, 10_000.0),
    "glue_price": (0.0, 10_000.0),
    "finish_price": (0.0, 10_000.0),
    "extras_price": (0.0, 100_000.0),
    "pause_after": (0, 600),
    "pause_minutes": (0, 240),
    "estimate_ratio": (0.1, 20.0),
    "throat_mm": (100.0, 1500.0),
    "gap_mm": (0.0, 1.0),
    "opens_mm": (10.0, 120.0),
    "v_deg": (20.0, 120.0),
    "ball_mm": (1.0, 30.0),
    "router_base_mm": (40.0, 400.0),
    "pot_minutes": (3.0, 600.0),
    "pour_mm": (1.0, 60.0),
    "colour_share": (0.0, 0.3),
    "cure_hours": (1.0, 240.0),
    "square_deg": (0.0, 5.0),
    "section_mm": (60.0, 1500.0),
    "planer_long_mm": (0.0, 1200.0),
    "planer_wide_mm": (0.0, 1200.0),
    "planer_thin_mm": (0.5, 30.0),
    "planing_mm": (0.0, 10.0),
    "resaw_high_mm": (0.0, 600.0),
    "resaw_kerf_mm": (0.3, 6.0),
    "print_margin_mm": (3.0, 40.0),
    "ruler_across_mm": (120.0, 180.0),
    "ruler_down_mm": (120.0, 180.0),
}

LISTS = {
    "stocks_mm": (1.0, 80.0),
    "shims_mm": (0.4, 40.0),
    "lengths_sold_mm": (100.0, 6000.0),
    "widths_sold_mm": (20.0, 600.0),
    "sheets_sold_mm": (100.0, 3600.0),
    "end_mills_mm": (0.5, 40.0),
}
"""Lists of lengths, and between what each of them lies."""
MOST_LISTED = 8
MONEY = (
    "wage",
    "overhead_hour",
    "blade_price",
    "sheet_price",
    "glue_price",
    "finish_price",
    "extras_price",
)
"""What is said in the shop's money."""

BLADE_LIMITS = ((0.2, 3.0), (0.1, 1.5), (3.0, 60.0), (0, 999))
"""Of a row in the table of blades: width and thickness in mm, teeth per inch, how many are at hand."""
MOST_BLADES = 24
BladeRow = tuple[str, float, float, float, int]

ONE = "One"
"""The person whose hours are the practice's own."""
FINE_MM = 1.4
"""Lengths below this are said in millimetres also in a shop that measures in inches."""


@dataclass(frozen=True, slots=True)
class Practice:
    """How this shop works. Lengths in mm, times in the unit of the name."""

    unit: str = "in"
    denominator: int = 32
    paper: str = "Letter"
    ruler_across_mm: float = 150.0
    """What the 150 mm of the check page measure across as this printer prints them; the print pack corrects for it."""
    ruler_down_mm: float = 150.0
    print_margin_mm: float = 12.0
    """What the printer leaves white at every edge."""
    throat_mm: float = 406.4
    """Depth of the saw's throat: 16 in."""
    section_mm: float = 305.0
    """A longer board is cut into sections no longer than this, where a cut passes between its parts: about 12 in, what
    two hands turn freely."""
    planer_long_mm: float = 300.0
    """The planer takes nothing shorter without a carrier board."""
    planer_wide_mm: float = 317.5
    """Nor anything wider: 12 1/2 in."""
    planer_thin_mm: float = 3.0
    """Nor planes thinner without a carrier board."""
    planing_mm: float = 1.2
    """Planed off the sawn faces of each slice of a resawn board."""
    resaw_high_mm: float = 152.4
    """The widest board that stands on edge under the band saw's guides: 6 in; 0 where there is no such saw."""
    resaw_kerf_mm: float = 1.6
    lengths_sold_mm: tuple[float, ...] = (609.6, 914.4, 1219.2, 1828.8, 2438.4)
    """Lengths that boards are bought in: 2, 3, 4, 6 and 8 ft."""
    widths_sold_mm: tuple[float, ...] = (101.6, 152.4, 203.2)
    """And widths: 4, 6 and 8 in."""
    sheets_sold_mm: tuple[float, ...] = (609.6, 1219.2, 2438.4)
    """Lengths of sheets as they are sold, each half as wide: 2 by 1, 4 by 2 and 8 by 4 ft."""
    blade_school: str = "thickness"
    one_blade: int = 5
    blade_kind: str = "plain"
    blades: tuple[BladeRow, ...] | None = None
    """This shop's own table: number, width and thickness in mm, teeth per inch, how many are at hand; the usual table
    where it has none."""
    fit: str = "beside"
    gap_mm: float = 0.2
    """The joint that is wanted where one saws for a gap."""
    accents: str = "after"
    """When lines that free nothing are sawn."""
    square_deg: float = 0.0
    """What the blade is off square by, as the check with a kerf turned round shows."""
    opens_mm: float = 50.0
    """The thickest pack that the saw's arms and the blade's stroke take: common practice, no source."""
    stock_mm: float = 19.05
    stocks_mm: tuple[float, ...] = (12.7, 19.05, 25.4)
    """Thicknesses that boards are milled to here: 1/2, 3/4 and 1 in."""
    shims_mm: tuple[float, ...] = (3.175, 6.35)
    """Sheets at hand for shims and spacers: 1/8 and 1/4 in."""
    least_step_mm: float = 1.5875
    """What is in front stands higher by at least this: 1/16 in reads as a step."""
    greatest_step_mm: float = 6.35
    """And by at most this: 1/4 in is bold."""
    sanding_mm: float = 0.5
    """Stock is milled thicker by this, which sanding takes off."""
    table_down: str = "left"
    """The side of the saw's table that goes down for a bevel."""
    humid_low: float = 30.0
    humid_high: float = 65.0
    """Relative humidity of the room it hangs in, %, from the driest to the dampest."""
    shim_inset_mm: float = 4.0
    board_use: float = 0.55
    """Share of a board that ends up in pieces: a raster layout placed 300 pieces at 0.53 to 0.60 (own measurement)."""
    part_gap_mm: float = 6.35
    """Left between parts on a board, for the blade, the paper's edge and the hand: 1/4 in."""
    edge_gap_mm: float = 3.175
    """And between a part and the board's edge or a flaw: 1/8 in."""
    grain_within_deg: float = 0.0
    """By so much a part may be turned off its arrow where that lets it fit."""
    saw_mm_per_minute: float = 80.0
    """Feed in 19 mm wood of cherry's hardness."""
    minutes_per_cut: float = 0.75
    """Mounting the piece, starting, turning corners, laying it on the sheet."""
    hold_mm: float = 10.0
    """Thickest place of a piece under which it wants a carrier."""
    neck_mm: float = 5.0
    """Necks narrower than this are judged for strength."""
    reads_de: float = 10.0
    """CIEDE2000 from which two neighbours read as two things."""
    turn_apart_deg: float = 30.0
    """Grain angle from which one wood beside itself reads as two pieces."""
    glue: str = "wood"
    glue_small: str = "same"
    """For parts too small to be clamped."""
    glue_seams: str = "faces"
    """Where pieces are glued besides: what lies on nothing is held by its seams anyway."""
    seconds_per_piece: float = 45.0
    least_glue_mm2: float = 10.0
    """A contact smaller than this gets no glue."""
    drop_mm: float = 0.1
    """What a part with square edges wants of room all round to be dropped into a closed gap."""
    shop_c: float = 20.0
    """Of the shop while glue and finish dry, in degrees Celsius; and its relative humidity in %."""
    shop_humid: float = 50.0
    spring_clamps: int = 8
    screw_clamps: int = 6
    clamp_reach_mm: float = 50.0
    """From the edge, as far as a clamp's jaw presses."""
    clamp_apart_mm: float = 150.0
    """Between one clamp and the next along an edge: common practice, no source."""
    cauls: int = 4
    weights: int = 2
    sand_bags: int = 1
    anchor: str = "outer"
    align: str = "lines"
    """How parts find their place under wet glue."""
    backer_inset_mm: float = 3.0
    backer_mm: float = 3.0
    backer_material: str = "ply_birch"
    shim_material: str = "ply_birch"
    repeat_share: float = 0.85
    """Share of the first one's handwork that each further copy of a part takes, set-up left out: common practice."""
    fit_minutes: float = 3.0
    shape_minutes: float = 6.0
    finish: str = "gel"
    finish_when: str = "after"
    coats: int = 3
    end_mills_mm: tuple[float, ...] = (3.175, 6.35, 12.7)
    """Straight bits of the shop by their diameter; a V-bit by its angle, a ball-nosed one by its diameter."""
    v_deg: float = 60.0
    ball_mm: float = 6.35
    router_base_mm: float = 150.0
    resin_ratio: str = "2"
    """Parts of resin to one of hardener, as the label says, by volume or by weight."""
    resin_by: str = "volume"
    pot_minutes: float = 40.0
    """Of the mix at 20 °C; about half for each 10 degrees more."""
    pour_mm: float = 6.0
    """As deep as one pour may be."""
    colour_share: float = 0.05
    cure_hours: float = 24.0
    """Until a pour is solid at 20 °C."""
    press: str = "weights"
    """How a figure and its ground are pressed onto their foundation."""
    pairs: str = "stack"
    """How two parts of one outline, or of one and its mirror image, are sawn."""
    prime: str = "sheet"
    """What gets a primer under its paint."""
    used: str = "room"
    """Where the work will be."""
    paper_off: str = "tape"
    """How the pattern comes off the wood."""
    estimate_ratio: float = 1.0
    """Minutes taken per minute estimated, from the log; multiplies every sawing estimate."""
    hours: dict = field(default_factory=usual_hours)
    helpers: dict = field(default_factory=dict)
    """Other people by name, with their hours as one's own are told."""
    off: str = ""
    """Days on which nobody works: ``2026-12-24, 2026-12-27 to 2027-01-02``."""
    pause_after: int = 0
    """A pause comes after so many minutes of hands, `pause_minutes` long; 0 where one takes none."""
    pause_minutes: int = 15
    spray_at: str = "indoors"
    latitude_deg: float = 47.0
    """Of the shop, for its daylight; south of the equator below 0."""
    outdoor_low_c: float = 3.0
    """A usual afternoon outdoors in the middle of winter, and of summer."""
    outdoor_high_c: float = 25.0
    buy_days: int = 2
    """From the order until what is short is in the shop."""
    money: str = "$"
    wage: float = 0.0
    """For an hour of hands, in the shop's money; 0, here and below, where nobody said."""
    overhead_hour: float = 0.0
    """Rent, power, machines: for each hour at work."""
    fee_share: float = 0.0
    """Of the price, what selling takes."""
    margin_share: float = 0.2
    """Of the price, what is to be left when everything is paid."""
    blade_price: float = 0.0
    sheet_price: float = 0.0
    """A sheet of sandpaper."""
    glue_price: float = 0.0
    """100 ml of it."""
    finish_price: float = 0.0
    """100 ml of it."""
    extras_price: float = 0.0
    """Hanger, box and whatever else goes with each."""

    @classmethod
    def from_dict(cls, values: dict) -> "Practice":
        """From stored values; unknown names are ignored, wrong values raise `BadChoice`."""
        known = {f.name for f in fields(cls)}
        return cls().changed(**{name: value for name, value in values.items() if name in known})

    def as_dict(self) -> dict:
        told = asdict(self) | {name: list(getattr(self, name)) for name in LISTS}
        own = {} if self.blades is None else {"blades": [list(row) for row in self.blades]}
        return {name: value for name, value in told.items() if name != "blades"} | own

    def offset_mm(self, kerf_mm: float) -> float:
        """How far outside its line the middle of the kerf runs, where waste lies beside it. With an offset o on each
        piece a joint opens by kerf - 2 o."""
        if self.fit == "gap":
            return (kerf_mm - self.gap_mm) / 2
        return kerf_mm / 2 if self.fit == "beside" else 0.0

    def joint_mm(self, kerf_mm: float) -> float:
        """How far a joint opens between pieces that are each sawn so."""
        return kerf_mm - 2 * self.offset_mm(kerf_mm)

    def unit_for(self, mm: float) -> str:
        """The unit a length is said in: what is finer than a 1/32 in tells nothing in inches and stays in mm."""
        return "mm" if 0 < mm < FINE_MM else self.unit

    def say(self, mm: float) -> str:
        """A length in the shop's words, for reading."""
        return format_length(mm, self.unit_for(mm), self.denominator)

    def short(self, mm: float) -> str:
        """A length on a drawing, without its unit: always in the shop's own."""
        return format_length(mm, self.unit, self.denominator, with_unit=False)

    def written(self, mm: float) -> str:
        """A length for a field that comes back: typed again it is the same length."""
        return exact_length(mm, self.unit, self.denominator)

    def offered(self, mm: float) -> str:
        """A length to begin with, round in the shop's unit: whole millimetres, or eighths of an inch."""
        unit_mm = MM_PER_UNIT["in"] / 8 if self.unit == "in" else 1.0
        return self.written(max(round(mm / unit_mm), 1) * unit_mm)

    def typed(self, /, **texts: str) -> dict:
        """Values as a form sends them: lengths are read, and one that stands as `written` shows it stays what is kept.
        Raises `BadLength`."""
        values: dict = dict(texts)
        for name in LISTS.keys() & texts.keys():
            if isinstance(text := texts[name], str):
                values[name] = self._lengths(name, text)
        for name, text in texts.items():
            if name in LIMITS and name.endswith("_mm") and isinstance(text, str):
                kept = getattr(self, name)
                same = text.strip() == self.written(kept)
                values[name] = kept if same else Length.parse(text, self.unit).mm
        for name in ("shop_c", "outdoor_low_c", "outdoor_high_c"):
            if isinstance(warm := texts.get(name), str):
                values[name] = read_warmth(warm)
        for name in texts:
            if name.endswith("_share") and isinstance(text := texts[name], str):
                kept = getattr(self, name, None)
                values[name] = kept if text.strip() == self.in_field(name) else read_share(text)
        return values

    def in_field(self, name: str) -> str:
        """A value as a field shows it, to be typed over: sent back unchanged it is the same value."""
        value: Any = getattr(self, name, "")
        if name in LISTS:
            return self.written_list(value)
        if name in LIMITS and name.endswith("_mm"):
            return self.written(value)
        if name in MONEY:
            return written_money(value)
        if name.endswith("_share"):
            return f"{100 * value:.3g} %"
        return str(value)

    def _lengths(self, name: str, text: str) -> tuple[float, ...]:
        kept = getattr(self, name)
        if text.strip() == self.written_list(kept):
            return kept
        return tuple(Length.parse(one, self.unit).mm for one in text.replace(";", ",").split(",") if one.strip())

    def written_list(self, lengths: tuple[float, ...]) -> str:
        """Lengths for a field that comes back, with commas between."""
        return ", ".join(self.written(mm) for mm in lengths)

    @property
    def box_mm(self) -> float:
        """Off-cuts stand in boxes by thickness, in such steps: a sixteenth of an inch, or a millimetre."""
        return MM_PER_UNIT["in"] / 16 if self.unit == "in" else 1.0

    def say_warmth(self, celsius: float) -> str:
        """A temperature in the shop's words: Fahrenheit where lengths are inches."""
        return f"{celsius * 9 / 5 + 32:.0f} °F" if self.unit == "in" else f"{celsius:g} °C"

    def say_area(self, mm2: float) -> str:
        return format_area(mm2, self.unit)

    def changed(self, /, **values) -> "Practice":
        """A copy with other values, checked. Names are what a form sends: also `self` is one, and no practice."""
        return replace(self, **{name: check(name, value) for name, value in values.items()})


def written_money(amount: float) -> str:
    """An amount for a field that comes back, with its hundredths."""
    return f"{amount:.2f}" if round(amount, 2) == amount else str(amount)


def read_share(text: str) -> float | str:
    """``12 %``, ``12`` and ``0.12`` are the same; what is no number stays what it is."""
    try:
        number = float(text.replace("%", "").strip())
    except ValueError:
        return text
    return number / 100 if "%" in text or number > 1 else number


def check(name: str, value):
    """The value in its right type, or `BadChoice` in a sentence."""
    words = name.replace("_mm", "").replace("_", " ")
    if name in CHOICES:
        if not isinstance(value, str) or value not in CHOICES[name]:
            raise BadChoice(f"“{value}” is no choice for {words}.")
        return value
    if name == "hours":
        parse_week(value)
        return dict(value)
    if name == "helpers":
        return _check_helpers(value)
    if name == "off":
        if not isinstance(value, str):
            raise BadChoice("Days off are typed with commas between: 2026-12-24, 2026-12-27 to 2027-01-02.")
        days_off(value)
        return value.strip()
    if name == "blades":
        return _check_blades(value)
    if name in LISTS:
        return _check_list(words, value, *LISTS[name])
    if name not in LIMITS:
        raise BadChoice(f"There is no practice called “{name}”.")
    low, high = LIMITS[name]
    try:
        number = type(low)(float(value))
    except (TypeError, ValueError, OverflowError):
        raise BadChoice(f"“{value}” is not a number for {words}.") from None
    if not low <= number <= high:
        between = f"{100 * low:g} % and {100 * high:g} %" if name.endswith("_share") else f"{low:g} and {high:g}"
        raise BadChoice(f"{words.capitalize()} must lie between {between}.")
    return number


MOST_HELPERS = 5


def _check_helpers(value) -> dict[str, dict[str, str]]:
    """People by name; whoever has no hours at all has left."""
    if not isinstance(value, dict) or len(value) > MOST_HELPERS:
        raise BadChoice(f"Up to {MOST_HELPERS} more people, each with a name and hours.")
    kept = {}
    for name, week in value.items():
        name = " ".join(str(name).split())
        if not name or len(name) > 20 or " and " in name or name == ONE:
            raise BadChoice(f"“{name[:30]}” is no name for a second person: up to 20 letters, without “and”.")
        if any(parse_week(week).values()):
            kept[name] = {day: str(text) for day, text in week.items()}
    return kept


def read_warmth(text: str) -> float | str:
    """Degrees Celsius from what was typed: ``18``, ``18 C`` or ``65 °F``; what is no number stays as it is."""
    bare = text.replace("°", "").replace(",", ".").strip().upper()
    try:
        if bare.endswith("F"):
            return round((float(bare[:-1]) - 32) * 5 / 9, 2)
        return float(bare.removesuffix("C"))
    except ValueError:
        return text


def read_blades(text: str) -> list[list] | None:
    """A table as it is typed: one blade a line, “5: 0.97 0.41 14 12”; the word “usual” for the usual table."""
    if text.strip().lower() == "usual":
        return None
    rows = []
    for line in text.splitlines():
        if not line.strip():
            continue
        no, _, rest = line.partition(":")
        rows.append([no.strip().removeprefix("No. "), *rest.replace(",", " ").replace("x", " ").split()])
    return rows


def _check_blades(value) -> tuple[BladeRow, ...] | None:
    """Rows in their right types, fine to coarse."""
    if value is None:
        return None
    if isinstance(value, str):
        return _check_blades(read_blades(value))
    if not isinstance(value, list | tuple) or not value:
        raise BadChoice("The table of blades is empty: a saw needs at least one. Write “usual” for the usual table.")
    rows: list[BladeRow] = []
    for row in value:
        told = " ".join(str(one) for one in row)[:60] if isinstance(row, list | tuple) else str(row)[:60]
        wrong = BadChoice(
            f"“{told}” is no blade: write its number, width and thickness in mm, teeth to the inch, count."
        )
        try:
            no, *numbers = row
            if len(numbers) == 3:
                numbers = [*numbers, 0]
            width, thick, teeth, count = (float(one) for one in numbers)
        except (TypeError, ValueError):
            raise wrong from None
        no = str(no).strip()
        within = all(
            low <= one <= high for one, (low, high) in zip((width, thick, teeth, count), BLADE_LIMITS, strict=True)
        )
        if not no or len(no) > 8 or not within or thick >= width:
            raise wrong
        rows.append((no, width, thick, teeth, int(count)))
    if len({row[0] for row in rows}) < len(rows) or len(rows) > MOST_BLADES:
        raise BadChoice(f"A table has at most {MOST_BLADES} blades, each with a number of its own.")
    return tuple(sorted(rows, key=lambda row: (row[1], row[2])))


def _check_list(words: str, value, low: float, high: float) -> tuple[float, ...]:
    try:
        lengths = tuple(sorted({round(float(one), 4) for one in value}))
    except (TypeError, ValueError, OverflowError):
        raise BadChoice(f"“{str(value)[:40]}” is no list of lengths for {words}.") from None
    if not 1 <= len(lengths) <= MOST_LISTED or not all(low <= one <= high for one in lengths):
        raise BadChoice(f"{words.capitalize()} must be 1 to {MOST_LISTED} lengths between {low:g} and {high:g} mm.")
    return lengths
