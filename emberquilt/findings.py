"""A finding: what is wrong or left, where, how much against which limit, why it matters and what to do."""

import hashlib
from dataclasses import dataclass, field

STATIONS = ("pattern", "wood", "relief", "stock", "saw", "assembly", "calendar", "bench", "log", "shop")


MOST_NAMED = 40
"""A finding about more pieces than this is known by their number and a digest of all their keys."""


@dataclass(frozen=True, slots=True)
class Fix:
    """A command that clears the finding: a verb of the page with its arguments."""

    label: str
    verb: str
    values: dict = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Finding:
    """`sentence` is shown as it stands; `amount` against `limit` in `unit`; `point_mm` marks the place."""

    code: str
    station: str
    sentence: str
    rule: str
    pieces: tuple[int, ...] = ()
    point_mm: tuple[float, float] | None = None
    amount: float | None = None
    limit: float | None = None
    unit: str = ""
    fix: Fix | None = None
    more: tuple[Fix, ...] = ()
    """Other commands that clear it."""
    by_place: bool = False
    """Several of the kind can speak of the same pieces; the place tells them apart."""
    layer: int = 0
    """Key of the layer that it speaks of as a whole; 0 where its pieces say enough."""
    part: str = ""
    """Key of the part that it speaks of, where its pieces do not say enough: a further copy, a shim."""

    @property
    def id(self) -> str:
        """Stable as long as it speaks of the same pieces, all of them, so that accepting it is remembered."""
        place = "@{:.0f},{:.0f}".format(*self.point_mm) if self.by_place and self.point_mm else ""
        keys = ",".join(map(str, self.pieces))
        if len(self.pieces) > MOST_NAMED:
            keys = f"{len(self.pieces)}#{hashlib.sha256(keys.encode()).hexdigest()[:16]}"
        part = f"~{self.part}" if self.part else ""
        return f"{self.code}:{keys}{place}{part}" + (f"/{self.layer}" if self.layer else "")

    def as_dict(self) -> dict:
        return {
            "id": self.id,
            "code": self.code,
            "station": self.station,
            "sentence": self.sentence,
            "rule": self.rule,
            "pieces": list(self.pieces),
            "point_mm": None if self.point_mm is None else [round(v, 2) for v in self.point_mm],
            "amount": self.amount,
            "limit": self.limit,
            "unit": self.unit,
            "by_place": self.by_place,
            "layer": self.layer,
            "part": self.part,
        }

    @classmethod
    def from_dict(cls, values: dict) -> "Finding":
        """Back from `as_dict`; a fix is not kept."""
        point = values.get("point_mm")
        return cls(
            str(values["code"]),
            str(values["station"]),
            str(values["sentence"]),
            str(values["rule"]),
            tuple(int(k) for k in values.get("pieces", ())),
            None if point is None else (float(point[0]), float(point[1])),
            amount=values.get("amount"),
            limit=values.get("limit"),
            unit=str(values.get("unit", "")),
            by_place=bool(values.get("by_place", False)),
            layer=int(values.get("layer", 0)),
            part=str(values.get("part", "")),
        )


def name_pieces(numbers: list[int], most: int = 6) -> str:
    """``4, 9 and 14``; after `most` the rest is counted."""
    shown = [str(n) for n in (numbers[:most] if len(numbers) > most + 1 else numbers)]
    if len(numbers) > most + 1:
        return ", ".join(shown) + f" and {len(numbers) - most} more"
    return " and ".join([", ".join(shown[:-1]), shown[-1]] if len(shown) > 1 else shown)
