"""Every room of the house, opened: importing this enters all verbs, readings, judgements and steps that there are."""

from importlib import import_module
from pkgutil import iter_modules

import emberquilt

FURNITURE = (
    "verbs",
    "grain_verbs",
    "order_verbs",
    "shape_verbs",
    "slot_verbs",
    "block_verbs",
    "judgement",
    "joints_judged",
    "block_judged",
    "readings",
    "steps",
)
ORDER = (
    "work",
    "pattern",
    "layers",
    "wood",
    "relief",
    "space",
    "fields",
    "stock",
    "saw",
    "assembly",
    "calendar",
    "bench",
    "log",
)
"""The order of the work, in which stations offer readings and steps follow on each other; a room that is not named here
comes last."""


def open_rooms() -> None:
    """Import what every package of the core has under one of these names."""
    found = {m.name for m in iter_modules(emberquilt.__path__) if m.ispkg}
    for room in sorted(found, key=lambda name: ORDER.index(name) if name in ORDER else len(ORDER)):
        package = import_module(f"emberquilt.{room}")
        there = {m.name for m in iter_modules(package.__path__)}
        for name in FURNITURE:
            if name in there:
                import_module(f"emberquilt.{room}.{name}")


open_rooms()
