"""What verbs share: naming pieces in a label, setting fields where they really change, pins, numbers that were typed."""

from collections.abc import Callable
from typing import Any

from ..errors import BadChoice
from ..findings import name_pieces
from .change import Edit
from .composition import Composition, Piece


def of(pieces: list[Piece]) -> str:
    return name_pieces(sorted(p.number for p in pieces), 2) if len(pieces) <= 2 else f"{len(pieces)} pieces"


def set_fields(label: str, pieces: list[Piece], change: Callable[[Piece], dict[str, Any]]) -> Edit:
    """An edit of those fields that really change."""
    changes = {}
    for p in pieces:
        fields = {name: value for name, value in change(p).items() if getattr(p, name) != value}
        if fields:
            changes[p.key] = fields
    return Edit(f"{label} of {of(pieces)}", changes)


def pin(composition: Composition, label: str, **pins) -> Edit:
    """An edit of what is decided about the plan; a pin set to None goes."""
    changed = {name: value for name, value in (composition.pins | pins).items() if value is not None}
    return Edit(label, {}, {"pins": changed} if changed != composition.pins else {})


def number(value: Any, what: str) -> float:
    try:
        made = float(str(value).replace("°", "").replace(",", ".").strip())
    except ValueError:
        raise BadChoice(f"“{value}” is not a number of {what}.") from None
    if not abs(made) < 1e6:
        raise BadChoice(f"“{value}” is not a number of {what}.")
    return made
