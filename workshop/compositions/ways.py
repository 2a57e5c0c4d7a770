"""Works that begin otherwise than with a flat picture: what is asked for each way, and how it is made of a draft."""

from collections.abc import Callable

from emberquilt.errors import BadChoice
from emberquilt.formats.make import Wishes, block_from, body_from, made_from
from emberquilt.intake.body_source import blown_body, body_of
from emberquilt.intake.knobs import knobs_of, size_of
from emberquilt.intake.proposal import Proposal
from emberquilt.intake.propose import propose
from emberquilt.practice import Practice
from emberquilt.space.slices import Cutting
from emberquilt.units import Length
from emberquilt.work.composition import Composition

from .models import Draft

FRONT, SIDE = "a drawing of the front", "a drawing of the right side"
BODY = "an STL, OBJ or 3MF of a closed body, or drawings of its front and side"
FILES = {
    "slots": {"plan": "a drawing with the parts side by side"},
    "slices": {"body": BODY},
    "blown": {"front": FRONT, "side": SIDE},
    "block": {"front": FRONT, "side": SIDE},
}
"""The files that each way needs, by their field, and what they are."""
Make = Callable[[Draft, Practice, Callable[..., None]], Composition]


def made_by_way(draft: Draft, practice: Practice, progress: Callable[..., None]) -> Composition:
    """The work that a draft of one of these ways comes to. Raises `BadChoice`, `BadDrawing`, `BadLength`."""
    return WAYS[draft.way](draft, practice, progress)


def measured(draft: Draft, practice: Practice) -> None:
    """Raises for a size of a draft that says nothing, before anything long is begun."""
    for name in ("slice_thickness", "block", "block_height", "pin", "width"):
        if text := draft.knobs.get(name, "").strip():
            _ = Length.parse(text, practice.unit).mm
    if draft.way in ("slices", "blown"):
        _mm(draft, "slice_thickness", practice)
    if draft.way == "block":
        _mm(draft, "block", practice)


def _mm(draft: Draft, name: str, practice: Practice) -> float:
    return Length.parse(draft.knobs.get(name, ""), practice.unit).mm


def _found(data: bytes, practice: Practice, progress, how: dict[str, str] | None = None) -> Proposal:
    size = size_of(how or {"how": "percent", "size": "100"}, practice.unit)
    return propose(bytes(data), size, knobs_of({}, practice.unit), progress=progress, say=practice.say)


def _sliced(draft: Draft, practice: Practice, progress) -> Composition:
    asked, high = draft.knobs, draft.knobs.get("body_height", "")
    if draft.way == "blown":
        front, side = (_found(data, practice, progress) for data in (draft.data, draft.over))
        body = blown_body(front, side, high, practice.unit, asked.get("stretch") == "yes")
    else:
        body = body_of(bytes(draft.data), high, practice.unit)
    progress(0.5, "slicing the body")
    pin = asked.get("pin", "").strip()
    how = Cutting(
        _mm(draft, "slice_thickness", practice),
        body.height_mm,
        asked.get("along") or "best",
        Length.parse(pin, practice.unit).mm if pin not in ("", "0") else 0.0,
        2 if asked.get("pins") == "2" else 1,
    )
    return body_from(body, draft.name, how, Wishes(), practice)


def _compound(draft: Draft, practice: Practice, progress) -> Composition:
    front, side = (_found(data, practice, progress) for data in (draft.data, draft.over))
    height = draft.knobs.get("block_height", "").strip()
    return block_from(
        front,
        side,
        draft.name,
        _mm(draft, "block", practice),
        Wishes(),
        practice,
        Length.parse(height, practice.unit).mm if height else None,
        draft.knobs.get("stretch") == "yes",
    )


def _slotted(draft: Draft, practice: Practice, progress) -> Composition:
    width = draft.knobs.get("width", "").strip()
    how = {"how": "width", "size": width} if width else {"how": "percent", "size": "100"}
    found = _found(draft.data, practice, progress, how)
    wishes = Wishes(thickness=draft.knobs.get("thickness", "").strip(), slots=True)
    return made_from(found, draft.name, wishes, practice)


WAYS: dict[str, Make] = {"slots": _slotted, "slices": _sliced, "blown": _sliced, "block": _compound}


def needed(way: str, given) -> list[str]:
    """The fields of the files that this way needs. Raises `BadChoice` for one that is missing."""
    for field, what in FILES[way].items():
        if field not in given:
            raise BadChoice(f"Choose a file first: {what}.")
    return list(FILES[way])
