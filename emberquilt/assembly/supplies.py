"""Glues and finishes with their times, from the shipped tables."""

from dataclasses import dataclass
from functools import cache

from ..rack.woods import data_rows

HELD_MINUTES = 2.0
"""A glue that sets within this is held by hand: common practice, no source."""


@dataclass(frozen=True, slots=True)
class Glue:
    code: str
    name: str
    open_minutes: float
    clamp_minutes: float
    work_minutes: float
    full_minutes: float
    caution: str

    @property
    def held_by_hand(self) -> bool:
        """It sets so soon that every piece is held by itself, not clamped in batches."""
        return self.clamp_minutes <= HELD_MINUTES


@dataclass(frozen=True, slots=True)
class Finish:
    code: str
    name: str
    recoat_minutes: float
    handle_minutes: float
    caution: str


def _read(kind, table: str) -> dict:
    minutes = [n for n in kind.__slots__ if n.endswith("_minutes")]
    rows = data_rows(table)
    return {r["code"]: kind(r["code"], r["name"], *(float(r[m]) for m in minutes), r["caution"]) for r in rows}


@cache
def glues() -> dict[str, Glue]:
    return _read(Glue, "glues.csv")


@cache
def finishes() -> dict[str, Finish]:
    return _read(Finish, "finishes.csv")
