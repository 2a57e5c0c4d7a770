"""Lengths as people write them: ``15 1/2``, ``15-1/2 in``, ``.5 in``, ``5'``, ``390mm``, ``39,5 cm``, ``1,000 mm``.

They are written in two ways: `format_length` for reading, rounded to what a ruler shows, and `exact_length` for a field
that is sent back, so that what nobody touched returns as it was.

Inside, every length is a float in millimetres. What is typed becomes a `Length` at the edge, so that a bare
number is never mistaken for one.
"""

import re
from dataclasses import dataclass
from fractions import Fraction

from .constants import MM_PER_INCH
from .errors import BadLength

MM_PER_UNIT = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": MM_PER_INCH, "ft": 12 * MM_PER_INCH}
UNIT_WORDS = {
    **{w: "mm" for w in ("mm", "millimetre", "millimetres", "millimeter", "millimeters")},
    **{w: "cm" for w in ("cm", "centimetre", "centimetres", "centimeter", "centimeters")},
    **{w: "m" for w in ("m", "metre", "metres", "meter", "meters")},
    **{w: "in" for w in ("in", "in.", "inch", "inches", '"', "''", "″", "”")},
    **{w: "ft" for w in ("ft", "ft.", "foot", "feet", "'", "′")},
}
VULGAR = {"½": "1/2", "¼": "1/4", "¾": "3/4", "⅛": "1/8", "⅜": "3/8", "⅝": "5/8", "⅞": "7/8", "⅓": "1/3", "⅔": "2/3"}
GROUPED = (
    re.compile(r"^(?P<whole>[1-9]\d{0,2}(?:,\d{3})+)(?:\.(?P<rest>\d+))?$"),
    re.compile(r"^(?P<whole>[1-9]\d{0,2}(?:\.\d{3})+),(?P<rest>\d+)$"),
    re.compile(r"^(?P<whole>[1-9]\d{0,2}(?: \d{3})+)(?:[.,](?P<rest>\d+))?$"),
)
"""Digits in groups of three. A comma before exactly three digits parts thousands: nobody measures wood to a
thousandth."""
NUMBER = re.compile(r"^(?:(?P<whole>\d+(?:[.,]\d+)?|[.,]\d+)|(?P<mixed>\d+)[\s-]+(?P<frac>\d+/\d+)|(?P<only>\d+/\d+))$")


@dataclass(frozen=True, slots=True, order=True)
class Length:
    """A length. Lengths add, subtract, compare and scale; a bare number cannot be added to one."""

    mm: float

    def __add__(self, other: "Length") -> "Length":
        return Length(self.mm + other.mm) if isinstance(other, Length) else NotImplemented

    def __sub__(self, other: "Length") -> "Length":
        return Length(self.mm - other.mm) if isinstance(other, Length) else NotImplemented

    def __mul__(self, factor: float) -> "Length":
        return Length(self.mm * factor)

    __rmul__ = __mul__

    @classmethod
    def parse(cls, text: str, unit: str = "mm") -> "Length":
        """The length that `text` means; `unit` is meant where none is written. Raises `BadLength`."""
        # what the float of an inch leaves behind is no length: 0.75 x 25.4 would be 19.049999999999997
        return cls(round(_parse_mm(str(text), unit), 9))


def _parse_mm(text: str, unit: str) -> float:
    cleaned = text.strip().lower().replace("−", "-")
    for glyph, plain in VULGAR.items():
        cleaned = cleaned.replace(glyph, f" {plain}")
    cleaned = " ".join(cleaned.split())
    if not cleaned:
        raise BadLength("Type a length, for example 15 1/2 in or 390 mm.")
    if len(cleaned) > 40:
        raise BadLength("That is too long for a length. Type for example 15 1/2 in or 390 mm.")
    if cleaned.startswith("-"):
        raise BadLength(f"“{text.strip()}” is below zero; a length must be more than zero.")
    feet, cleaned = _leading_feet(cleaned)
    if not cleaned:
        return feet * MM_PER_UNIT["ft"]
    match = re.match(r"^(?P<number>[\d\s/.,-]*\d)\s*(?P<unit>[^\d\s].*)?$", cleaned)
    word = (match["unit"] or "").strip() if match else ""
    if match is None or (word and word not in UNIT_WORDS):
        raise BadLength(f"“{text.strip()}” is not a length. Type for example 15 1/2 in, 390 mm or 39 cm.")
    meant = UNIT_WORDS[word] if word else ("in" if feet else unit)
    return feet * MM_PER_UNIT["ft"] + _number(match["number"].strip(), text) * MM_PER_UNIT[meant]


def _leading_feet(cleaned: str) -> tuple[float, str]:
    match = re.match(r"^(\d+(?:\.\d+)?)\s*(?:'|′|ft\.?|feet|foot)(?!')\s*-?\s*(.*)$", cleaned)
    return (float(match[1]), match[2]) if match else (0.0, cleaned)


def _number(number: str, text: str) -> float:
    for grouped in GROUPED:
        if match := grouped.match(number):
            return float(re.sub(r"\D", "", match["whole"]) + "." + (match["rest"] or "0"))
    match = NUMBER.match(number)
    if match is None:
        raise BadLength(f"“{text.strip()}” is not a length. Type for example 15 1/2 in, 390 mm or 39 cm.")
    try:
        fraction = Fraction(match["frac"] or match["only"] or 0)
    except ZeroDivisionError:
        raise BadLength(f"“{text.strip()}” divides by zero.") from None
    whole = match["whole"] or match["mixed"] or "0"
    return float(whole.replace(",", ".")) + float(fraction)


def inch_parts(mm: float, denominator: int = 32) -> tuple[int, Fraction]:
    """Whole inches and the remaining fraction, rounded to 1/denominator in."""
    ticks = round(abs(mm) / MM_PER_INCH * denominator)
    return ticks // denominator, Fraction(ticks % denominator, denominator)


def format_length(mm: float, unit: str = "mm", denominator: int = 32, with_unit: bool = True) -> str:
    """The length in the shop's words: ``15 1/2 in`` or ``393.7 mm`` (0.1 mm; whole millimetres without a dot)."""
    if unit == "in":
        whole, rest = inch_parts(mm, denominator)
        sign = "-" if mm < 0 and (whole or rest) else ""
        number = sign + (" ".join(p for p in (str(whole) if whole else "", str(rest) if rest else "") if p) or "0")
    else:
        number = f"{mm:.1f}".removesuffix(".0")
        number = "0" if number == "-0" else number
    return f"{number} {unit}" if with_unit else number


EXACT_MM = 5e-4
"""What is written for a field differs from what is kept by less than this, which nobody can measure."""


def exact_length(mm: float, unit: str = "mm", denominator: int = 32) -> str:
    """The length for a field that is sent back: `Length.parse` gives it again within `EXACT_MM`. In inches where a
    fraction down to 1/denominator, or 1/64, says it, otherwise in millimetres."""
    if unit == "in":
        for parts in (denominator, 64):
            ticks = mm / MM_PER_INCH * parts
            if abs(ticks - round(ticks)) * MM_PER_INCH / parts < EXACT_MM:
                return format_length(mm, "in", parts)
    number = f"{mm:.3f}".rstrip("0").removesuffix(".")
    return f"{'0' if number == '-0' else number} mm"


TINY_AREA = 0.2


def format_area(mm2: float, unit: str = "mm") -> str:
    """Square inches or square centimetres, one decimal, of tiny ones two."""
    area, words = (mm2 / MM_PER_INCH**2, "in²") if unit == "in" else (mm2 / 100, "cm²")
    return f"{area:.{2 if 0 < area < TINY_AREA else 1}f} {words}"


ROMAN = (
    (1000, "M"),
    (900, "CM"),
    (500, "D"),
    (400, "CD"),
    (100, "C"),
    (90, "XC"),
    (50, "L"),
    (40, "XL"),
    (10, "X"),
    (9, "IX"),
    (5, "V"),
    (4, "IV"),
    (1, "I"),
)


def roman(number: int) -> str:
    """``XIV`` for 14: chapters of a saw plan, of which there can be more than ten."""
    letters = ""
    for value, letter in ROMAN:
        letters += letter * (number // value)
        number %= value
    return letters


def format_minutes(minutes: float) -> str:
    """``4 min``, ``1 h 5 min``: never finer than a minute above ten, halves below."""
    if minutes < 10:
        return f"{round(minutes * 2) / 2:g} min"
    whole = round(minutes)
    hours, rest = divmod(whole, 60)
    return " ".join(p for p in (f"{hours} h" if hours else "", f"{rest} min" if rest or not hours else "") if p)
