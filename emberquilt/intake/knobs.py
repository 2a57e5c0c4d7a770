"""What a person can turn before pieces are kept, in shop words, and how large the work is to become."""

import re
from collections.abc import Callable
from dataclasses import dataclass, replace

from ..constants import GREATEST_WIDTH_MM, MM_PER_INCH, SMALLEST_WIDTH_MM
from ..errors import BadChoice, BadLength
from ..plain import read_marks
from ..units import Length

KINDS = {
    "auto": "as it looks",
    "line": "lines to saw along",
    "photo": "a photo, by tones",
    "painted": "painted shapes",
    "text": "lettering",
    "blank": "an outline to split",
    "figure": "a figure cut from its ground",
    "fretwork": "fretwork in two tones",
    "traced": "a sheet to trace by eye",
}
PICTURED = ("photo", "figure", "fretwork", "traced")
"""Kinds that are read from pixels, whatever the file holds."""
SIZES = {
    "width": "finished width",
    "height": "finished height",
    "points": "two points and their distance",
    "dpi": "printed dots per inch",
    "percent": "percent of the drawing",
}
UNITS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": MM_PER_INCH, "ft": 12 * MM_PER_INCH}
"""Millimetres in the units a drawing can be in."""
OUTSIDES = {"auto": "as it looks", "keep": "keep as a piece", "drop": "leave out"}
CHOICES = {
    "kind": KINDS,
    "outside": OUTSIDES,
    "by": {"": "as it looks", "lightness": "by lightness", "colour": "by colour"},
    "letters": {"openings": "openings in a sheet", "letters": "separate letters"},
    "dots": {"": "by themselves", "joined": "joined to their letter"},
    "hold": {"": "by themselves", "bridged": "held by bridges"},
    "unit": {"": "as it says itself", "mm": "millimetre", "cm": "centimetre", "m": "metre", "in": "inch", "ft": "foot"},
    "figure": {"one": "one piece", "tones": "its tones"},
    "stays": {"dark": "the dark", "light": "the light"},
    "outline": {"rectangle": "rectangle", "oval": "oval", "arch": "arch"},
}
Point = tuple[float, float]
MOST_LINES, MOST_LINE_POINTS = 80, 600


@dataclass(frozen=True, slots=True)
class Size:
    """How the finished size is told. `value` is mm for width, height and points, else the number itself; `points` are
    shares of the source picture's width and height."""

    how: str = "width"
    value: float = 300.0
    points: tuple[Point, Point] | None = None

    def mm_per_unit(self, box: tuple[float, float], page: tuple[float, float], unit_mm: float | None) -> float:
        """Millimetres for one unit of the source. `box` is the size of what was found in it, `page` of the whole
        source, `unit_mm` what a unit measures by the source's own account. Raises `BadLength` outside what can be made.
        """
        width, height = box
        if self.how == "height":
            scale = self.value / height
        elif self.how == "points" and self.points:
            (x0, y0), (x1, y1) = self.points
            apart = ((x1 - x0) * page[0]) ** 2 + ((y1 - y0) * page[1]) ** 2
            if apart <= 0:
                raise BadLength("The two points lie on each other. Mark two places that are apart.")
            scale = self.value / apart**0.5
        elif self.how == "dpi":
            scale = MM_PER_INCH / self.value
        elif self.how == "percent":
            # where a picture does not say how large it is, 96 dots to the inch, as screens reckon
            scale = self.value / 100 * (unit_mm or MM_PER_INCH / 96)
        else:
            scale = self.value / width
        finished = scale * width
        if not SMALLEST_WIDTH_MM <= finished <= GREATEST_WIDTH_MM:
            raise BadLength(
                f"That makes the work {finished / 1000:.3g} m wide; it can be from {SMALLEST_WIDTH_MM / 10:g} cm "
                f"to {GREATEST_WIDTH_MM / 1000:g} m."
            )
        return scale


def finished_width(text: str, unit: str) -> Length:
    """The finished width a person typed, within what can be a picture in wood. Raises `BadLength`."""
    width = Length.parse(text, unit)
    if width.mm <= 0:
        raise BadLength("The finished width must be more than zero.")
    if not SMALLEST_WIDTH_MM <= width.mm <= GREATEST_WIDTH_MM:
        raise BadLength(
            f"A finished width of {width.mm / 1000:g} m is outside what can be planned: "
            f"from {SMALLEST_WIDTH_MM / 10:g} cm to {GREATEST_WIDTH_MM / 1000:g} m."
        )
    return width


def size_of(values: dict[str, str], unit: str) -> Size:
    """The size in what was typed: `how`, `size`, and `points` as JSON. Raises `BadLength` or `BadChoice`."""
    how = values.get("how") or "width"
    text = str(values.get("size", "")).strip()
    if how not in SIZES:
        raise BadChoice(f"There is no way to tell the size called “{how}”.")
    if how in ("width", "height"):
        return Size(how, finished_width(text, unit).mm)
    if how == "points":
        points = _points(values.get("points", ""), 2)
        distance = Length.parse(text, unit).mm
        if distance <= 0:
            raise BadLength("The distance between the two points must be more than zero.")
        if len(points) != 2:
            raise BadChoice("Mark two points on the drawing whose distance you know.")
        return Size(how, distance, (points[0], points[1]))
    low, high = (10.0, 4800.0) if how == "dpi" else (1.0, 10_000.0)
    return Size(how, _number(text.rstrip("% "), low, high, SIZES[how]))


@dataclass(frozen=True, slots=True)
class Knobs:
    """Lengths in mm at finished size; None lets the drawing decide. `more` are ellipses inside boxes (left, top,
    right, bottom as shares) that get more tones; `corners` are those of the sheet in a tilted photo, from upper left
    clockwise."""

    kind: str = "auto"
    outside: str = "auto"
    smallest_mm: float = 0.0
    gap_mm: float | None = None
    smooth: int = 4
    ink: int = 0
    tones: int = 6
    by: str = ""
    """What tells tones apart; empty is lightness, and colour where a picture has nothing else."""
    more: tuple[tuple[float, float, float, float], ...] = ()
    more_tones: int = 8
    page: int = 1
    unit: str = ""
    """What one unit of a drawing measures, of `UNITS`; empty is what it says itself."""
    lines_up_to_mm: float | None = None
    """Dark shapes up to this width are lines, shared by their neighbours; 0 keeps them all as pieces."""
    corners: tuple[Point, ...] = ()
    as_photographed: bool = False
    """No sheet is looked for in the picture."""
    font: str = "alegreya-sans"
    letters: str = "openings"
    dots: str = ""
    hold: str = ""
    """Centres of letters that are cut out of a sheet."""
    widen_mm: float = 0.0
    """Strokes of letters are so much wider."""
    eyes_mm: float = 0.0
    """Eyes of letters narrower than this are closed."""
    spacing: float = 0.0
    bend_deg: float = 0.0
    outline: str = "rectangle"
    margin_mm: float = 15.0
    simplify: int = 0
    """No more pieces than this; 0 keeps them all."""
    across: float = 1.0
    """Width of an empty outline for a height of 1."""
    box: tuple[float, float, float, float] | None = None
    """Rectangle round a figure, as shares of the picture: left, top, right, bottom."""
    inside: tuple[tuple[Point, ...], ...] = ()
    beyond: tuple[tuple[Point, ...], ...] = ()
    """Strokes over what belongs to the figure, and over what does not."""
    figure: str = "one"
    stays: str = "dark"
    """Which tone of fretwork is wood."""
    bridge_mm: float = 4.0
    bridge_count: int = 2
    """Bridges between two parts, where there is room for so many."""
    bridges: tuple[tuple[Point, ...], ...] = ()
    """Bridges set by hand."""
    finer: tuple[Point, ...] = ()
    """Places of pieces that are parted by their tones, as shares of the picture."""
    finer_tones: int = 3
    frame_mm: float = 10.0
    """Round fretwork; 0 for none."""

    def marks_at(self, place: Callable[[Point], Point]) -> "Knobs":
        """These with everything that was marked on the picture in other places."""
        moved: dict = {name: tuple(tuple(map(place, line)) for line in getattr(self, name)) for name in MARKED}
        left, top, right, bottom = self.box or (0.0, 0.0, 1.0, 1.0)
        box = (*place((left, top)), *place((right, bottom))) if self.box else None
        more = tuple((*place((a, b)), *place((c, d))) for a, b, c, d in self.more)
        return replace(self, box=box, more=more, **moved)


MARKED = ("inside", "beyond", "bridges")
LIMITS: dict[str, tuple[float, float]] = {
    "smallest_mm": (0, 200),
    "gap_mm": (0, 50),
    "lines_up_to_mm": (0, 50),
    "smooth": (0, 10),
    "ink": (-10, 10),
    "tones": (2, 16),
    "more_tones": (2, 24),
    "page": (1, 5000),
    "simplify": (0, 100_000),
    "spacing": (-20, 200),
    "widen_mm": (0, 30),
    "eyes_mm": (0, 50),
    "bend_deg": (-350, 350),
    "margin_mm": (0, 500),
    "across": (0.1, 10),
    "bridge_mm": (0.5, 50),
    "bridge_count": (1, 4),
    "frame_mm": (0, 200),
    "finer_tones": (2, 8),
}


def knobs_of(values: dict[str, str], unit: str) -> Knobs:
    """Knobs from what was typed; lengths in the shop's words. Raises `BadChoice` or `BadLength` in a sentence."""
    made: dict = {}
    for name, (low, high) in LIMITS.items():
        text = str(values.get(name, "")).strip()
        if not text:
            continue
        if name.endswith("_mm"):
            number = Length.parse(text, unit).mm
            if not low <= number <= high:
                raise BadLength(f"{_words(name)} can be from {low:g} to {high:g} mm.")
            made[name] = number
        else:
            number = _number(text, low, high, _words(name))
            made[name] = number if name in ("spacing", "bend_deg", "across") else int(number)
    for name, table in CHOICES.items():
        if values.get(name):
            if values[name] not in table:
                raise BadChoice(f"“{values[name]}” is no choice for {_words(name).lower()}.")
            made[name] = values[name]
    if values.get("font"):
        made["font"] = re.sub(r"[^a-z0-9-]", "", values["font"])[:60]
    return Knobs(**made, **_marked(values))


def _marked(values: dict[str, str]) -> dict:
    """What was marked on the picture."""
    made: dict = _sheet(values["corners"]) if values.get("corners") else {}
    made |= {name: _lines(values[name]) for name in MARKED if values.get(name)}
    if values.get("finer"):
        made["finer"] = tuple(_points(values["finer"], MOST_LINES))
    if values.get("box"):
        made["box"] = next(iter(_boxes(values["box"])), None)
    if values.get("more"):
        made["more"] = tuple(_boxes(values["more"]))
    return made


def _sheet(text: str) -> dict:
    """Corners that were marked, or that none are to be looked for."""
    if text == "none":
        return {"as_photographed": True}
    corners = _points(text, 4)
    if len(corners) not in (0, 4):
        raise BadChoice("Mark the four corners of the sheet.")
    return {"corners": tuple(corners)}


def _words(name: str) -> str:
    return name.removesuffix("_mm").removesuffix("_deg").replace("_", " ").capitalize()


def _number(text: str, low: float, high: float, what: str) -> float:
    try:
        number = float(str(text).replace(",", "."))
    except ValueError:
        raise BadChoice(f"“{text}” is not a number for {what.lower()}.") from None
    if not low <= number <= high:
        raise BadChoice(f"{what} can be from {low:g} to {high:g}.")
    return number


def _points(text: str, most: int) -> list[Point]:
    """Points as shares of the picture, JSON [[x, y], ...]."""
    sentence = "The points that were marked could not be read. Mark them again."
    marked = read_marks(str(text) or "[]", sentence)
    try:
        points = [(float(x), float(y)) for x, y in marked][: most + 1]
    except (ValueError, TypeError, OverflowError):
        raise BadChoice(sentence) from None
    if len(points) > most or not all(-1 <= v <= 2 for p in points for v in p):
        raise BadChoice(sentence)
    return points


def _lines(text: str) -> tuple[tuple[Point, ...], ...]:
    """Strokes, JSON [[[x, y], ...], ...] in shares of the picture."""
    sentence = "The strokes that were drawn could not be read. Draw them again."
    marked = read_marks(str(text), sentence)
    try:
        lines = tuple(tuple((float(x), float(y)) for x, y in line) for line in marked)
    except (ValueError, TypeError, OverflowError):
        raise BadChoice(sentence) from None
    if len(lines) > MOST_LINES:
        raise BadChoice(f"These are more than {MOST_LINES} strokes. Take some back.")
    if not all(0 < len(line) <= MOST_LINE_POINTS and all(-1 <= v <= 2 for p in line for v in p) for line in lines):
        raise BadChoice(sentence)
    return lines


def _boxes(text: str) -> list[tuple[float, float, float, float]]:
    sentence = "The places that get more tones could not be read. Mark them again."
    marked = read_marks(str(text), sentence)
    try:
        boxes = [(float(a), float(b), float(c), float(d)) for a, b, c, d in marked][:12]
    except (ValueError, TypeError, OverflowError):
        raise BadChoice(sentence) from None
    return [(min(a, c), min(b, d), max(a, c), max(b, d)) for a, b, c, d in boxes]
