"""How a file of each kind is read when somebody brings it."""

from emberquilt.formats.project import read_planned
from emberquilt.intake.body_source import body_of
from emberquilt.intake.knobs import Knobs, Size
from emberquilt.intake.propose import propose, source_picture

WIDE = Size("width", 228.6)


def read(kind: str, data: bytes) -> None:
    """Read it as the front door does. Raises an `EmberError` for what cannot be; anything else is a fault of ours."""
    if kind == "project":
        read_planned(data)
    elif kind in ("stl", "obj", "3mf"):
        body_of(data, "60 mm", "mm")
    elif kind == "font":
        propose(b"AB\n14", WIDE, Knobs(kind="text"), font=data)
    else:
        source_picture(data, Knobs())
        propose(data, WIDE)
