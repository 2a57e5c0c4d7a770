"""Glues and finishes from the shipped tables, with their times in the air of the shop.

What sets or dries does so about twice as fast for each 10 degrees that it is warmer; damp air holds back what dries by
losing water or solvent, and helps what sets by it. Common practice, no source: the label knows better.
"""

from dataclasses import dataclass, replace
from functools import cache

from ..practice import Practice
from ..rack.woods import data_rows

HELD_MINUTES = 2.0
"""A glue that sets within this is held by hand: common practice, no source."""
TABLE_C, TABLE_HUMID = 20.0, 50.0
"""The air that the tables' times are for."""
TWICE_C = 10.0
TEASPOON_ML = 5.0


@dataclass(frozen=True, slots=True)
class Supply:
    """What sets or dries: its times are for the table's air until it is put into another. `least_c`: not below;
    `ml_per_m2` for one face and one coat; `damp` what damp air does to its times: slower, faster or nothing."""

    code: str
    name: str
    caution: str = ""
    least_c: float = 10.0
    ml_per_m2: float = 0.0
    damp: str = ""

    def ml(self, area_mm2: float) -> float:
        """How much an area takes."""
        return self.ml_per_m2 * area_mm2 / 1e6


@dataclass(frozen=True, slots=True)
class Glue(Supply):
    open_minutes: float = 0.0
    clamp_minutes: float = 0.0
    work_minutes: float = 0.0
    full_minutes: float = 0.0
    tack_minutes: float = 0.0

    @property
    def held_by_hand(self) -> bool:
        """It sets so soon that every piece is held by itself, not clamped in batches."""
        return self.clamp_minutes <= HELD_MINUTES

    @property
    def is_tape(self) -> bool:
        return self.full_minutes == 0


@dataclass(frozen=True, slots=True)
class Finish(Supply):
    """`how` it goes on: spray, wipe or brush; `grit` between its coats, 0 for none. `soon_minutes`: from when the next
    coat may go on, the most until it must, or it is to wait for a day; 0 where that does not matter."""

    soon_minutes: float = 0.0
    recoat_minutes: float = 0.0
    handle_minutes: float = 0.0
    grit: int = 0
    how: str = ""
    oily: int = 0


def pace(supply: Supply, celsius: float, humid: float) -> float:
    """How many times as long it takes in this air. Below what it bears it does not set at all; told is then the time at
    the least that it bears, and a finding says so."""
    warm = 2.0 ** ((TABLE_C - max(celsius, supply.least_c)) / TWICE_C)
    off = (humid - TABLE_HUMID) / 100.0
    return warm * {"slower": 1.0 + max(off, -0.2), "faster": 1.0 / (1.0 + max(off, -0.4))}.get(supply.damp, 1.0)


def glue_of(code: str, practice: Practice) -> Glue:
    """A glue with its times in this shop's air."""
    return _in_air(glues()[code], practice)


def finish_of(code: str, practice: Practice) -> Finish:
    return _in_air(finishes()[code], practice)


def _in_air(supply, practice: Practice):
    slow = pace(supply, practice.shop_c, practice.shop_humid)
    minutes = [n for n in supply.__dataclass_fields__ if n.endswith("_minutes")]
    return replace(supply, **{n: round(getattr(supply, n) * slow, 4) for n in minutes})


def _read(kind, table: str) -> dict:
    made = {}
    for row in data_rows(table):
        kinds = {n: f.type for n, f in kind.__dataclass_fields__.items()}
        made[row["code"]] = kind(
            **{n: float(row[n]) if kinds[n] is float else int(row[n]) if kinds[n] is int else row[n] for n in kinds}
        )
    return made


@cache
def glues() -> dict[str, Glue]:
    return _read(Glue, "glues.csv")


@cache
def finishes() -> dict[str, Finish]:
    return _read(Finish, "finishes.csv")
