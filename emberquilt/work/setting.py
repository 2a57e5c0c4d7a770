"""What verbs share: naming pieces in a label, setting fields where they really change, values that were typed."""

import math
from collections.abc import Callable, Iterable
from typing import Any

import numpy as np
import shapely

from ..errors import BadChoice, BadLength
from ..findings import name_pieces
from ..outline.coverage import on_grid
from ..outline.redraw import curve_through
from ..plain import read_marks
from ..units import Length
from .change import Edit
from .composition import Composition, Piece
from .register import Values

MOST_POINTS = 5000


def of(pieces: Iterable[Piece]) -> str:
    """“4 and 9”, or how many they are."""
    some = list(pieces)
    return name_pieces(sorted(p.number for p in some), 2) if len(some) <= 2 else f"{len(some)} pieces"


def named(pieces: Iterable[Piece]) -> str:
    return name_pieces(sorted(p.number for p in pieces), 3)


def set_fields(label: str, pieces: Iterable[Piece], change: Callable[[Piece], dict[str, Any]]) -> Edit:
    """An edit of those fields that really change."""
    some = list(pieces)
    changes = {}
    for p in some:
        fields = {name: value for name, value in change(p).items() if getattr(p, name) != value}
        if fields:
            changes[p.key] = fields
    return Edit(f"{label} of {of(some)}", changes)


def number(value: Any, what: str) -> float:
    """A number that was typed. Raises `BadChoice`."""
    try:
        made = float(str(value).replace("°", "").replace(",", ".").strip())
    except ValueError:
        raise BadChoice(f"“{value}” is not a number of {what}.") from None
    if not abs(made) < 1e6:
        raise BadChoice(f"“{value}” is not a number of {what}.")
    return made


def whole_number(value: Any, low: int, high: int) -> int:
    """A whole number that was typed, between two limits. Raises `BadChoice`."""
    try:
        made = int(str(value).strip() or low)
    except ValueError:
        raise BadChoice(f"“{value}” is not a whole number.") from None
    if not low <= made <= high:
        raise BadChoice(f"{made} is out of range: from {low} to {high}.")
    return made


def length_of(
    values: Values, composition: Composition, name: str, low: float, high: float, usual: float | None = None
) -> float:
    """A length a person typed under `name`, in mm, between two limits. Raises `BadLength`."""
    text = str(values.get(name, "")).strip()
    if not text and usual is not None:
        return usual
    mm = Length.parse(text, composition.practice.unit).mm
    if not low <= mm <= high:
        say = composition.practice.say
        raise BadLength(f"{say(mm)} is out of range here: from {say(low) if low else '0'} to {say(high)}.")
    return mm


def points_of(values: Values) -> np.ndarray:
    """What was drawn: [[x, y], ...] in mm as JSON; smooth through its points where `curve` is asked for. Raises
    `BadChoice`."""
    sentence = "The line that was drawn could not be read. Draw it again."
    drawn = read_marks(str(values.get("points", "")), sentence)
    try:
        points = np.array(drawn, float)
    except (ValueError, TypeError, OverflowError):
        raise BadChoice(sentence) from None
    fits = points.ndim == 2 and points.shape[1:] == (2,) and 2 <= len(points) <= MOST_POINTS
    if not fits or not (np.abs(points) < 2e4).all():
        raise BadChoice("Draw a line of two points or more first.")
    return curve_through(points) if values.get("curve") == "yes" else points


def closed_line(values: Values) -> shapely.Polygon:
    """What a drawn line encloses. Raises `BadChoice`."""
    points = points_of(values)
    shape = shapely.Polygon(points) if len(points) > 2 else shapely.Polygon()
    if shape.is_empty or not shape.is_valid or shape.area < 1:
        raise BadChoice("Draw a closed line that does not cross itself.")
    return on_grid(shape)


def snap_of(values: Values) -> float:
    """How far (mm) a drawn line is drawn to what is there."""
    try:
        snap = float(values.get("snap", 1.0))
    except (TypeError, ValueError):
        return 1.0
    return min(max(snap, 0.05), 20.0) if math.isfinite(snap) else 1.0
