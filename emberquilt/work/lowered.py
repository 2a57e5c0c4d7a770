"""What was decided about fields: how deep each is routed and with what, and which are filled with resin."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from ..outline.details import Affine
from .reshaped import Reshaped

BITS = {"flat": "an end mill", "v": "a V-bit", "ball": "a ball-nosed bit"}
LINE_MM = 7.0
"""A field that is nowhere wider is a line, and is cut by a V-bit: own choice."""


def kind_of_bit(said: str, wide_mm: float) -> str:
    """With what kind of bit a field is routed whose widest spot is so wide."""
    return said or ("v" if wide_mm <= LINE_MM else "flat")


@dataclass(frozen=True, slots=True)
class Pool:
    """An opening or a field that is filled: its colour, and how deep the resin is (0: to the top)."""

    colour: str
    deep_mm: float = 0.0


@dataclass(frozen=True)
class FieldDecisions:
    """By piece: `depths` how far it is routed below the face (mm), `bits` what kind of bit routs it, `pools` what fills
    it."""

    depths: Mapping[int, float] = field(default_factory=dict)
    bits: Mapping[int, str] = field(default_factory=dict)
    pools: Mapping[int, Pool] = field(default_factory=dict)

    def moved(self, move: Affine) -> "FieldDecisions":
        """Depths stay: a larger drawing is not routed deeper."""
        return self

    def thicker(self, scale: float) -> "FieldDecisions":
        """The same depths in a board that is so many times as thick."""
        pools = {key: replace(pool, deep_mm=round(pool.deep_mm * scale, 3)) for key, pool in self.pools.items()}
        return replace(self, depths={key: round(mm * scale, 3) for key, mm in self.depths.items()}, pools=pools)

    def after(self, change: Reshaped) -> tuple["FieldDecisions", list[str]]:
        def home(table: Mapping[int, Any]) -> dict[int, Any]:
            kept = {there: v for key, v in table.items() if (there := change.home(key)) is not None}
            # what is cut from a field is as deep as it was
            return kept | {
                new: table[old] for new, old in change.parents.items() if old in table and new in change.pieces
            }

        depths, bits = home(self.depths), home(self.bits)
        pools = {key: pool for key, pool in self.pools.items() if key in change.every}
        lost = ["A depth is gone with its field."] * (len(depths) < len(self.depths))
        lost += ["A pool is gone with its opening."] * (len(self.pools) - len(pools))
        return replace(self, depths=depths, bits=bits, pools=pools), lost


def fields_of(told: Mapping[str, Any]) -> FieldDecisions:
    """Back from plain values."""

    def by_key(name: str, make) -> dict[int, Any]:
        return {int(key): make(value) for key, value in told.get(name, {}).items()}

    return FieldDecisions(by_key("depths", float), by_key("bits", str), by_key("pools", lambda one: Pool(**one)))
