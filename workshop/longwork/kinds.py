"""The kinds of long work there are. Each is entered by the module that does it."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from django.utils.module_loading import autodiscover_modules

from emberquilt.limits import USUAL, Limits

from .models import LongWork

KINDS: dict[str, "Kind"] = {}


@dataclass(frozen=True)
class Kind:
    """One kind: `work` does it for a row, calling `progress` as it goes on, and returns what is to be written.

    `limits` of a row; sentences for what went wrong: in us (`broke`), too long, too much memory, and with its worker
    gone. `again`: it is begun anew once when its worker is gone; else it ends with what was found."""

    name: str
    model: type[LongWork]
    work: Callable[[Any, Callable[..., None]], dict[str, Any]]
    owner: Callable[[Any], Any]
    broke: str
    no_time: str
    no_memory: str
    cut_off: str
    limits: Callable[[Any], Limits] = lambda row: USUAL
    again: bool = True


def enter(kind: Kind) -> Kind:
    KINDS[kind.name] = kind
    return kind


def every_kind() -> dict[str, Kind]:
    """All kinds, with the modules that do them."""
    # each application says in its module `tasks` what it does at length
    autodiscover_modules("tasks")
    return KINDS
