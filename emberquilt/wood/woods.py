"""The table of woods, read once from `data/woods.csv`; sources stand in its header."""

import csv
from dataclasses import dataclass
from functools import cache
from importlib.resources import files

from ..errors import BadChoice


@dataclass(frozen=True, slots=True)
class Wood:
    """One wood. `mark` is what stands on the pattern; `raw` and `finished` are sRGB hex; strengths in MPa along the grain; movement per % of moisture."""

    code: str
    mark: str
    name: str
    kind: str
    raw: str
    finished: str
    sg: float
    hardness_lbf: float
    mor_mpa: float
    across_ratio: float
    c_radial: float | None
    c_tangential: float | None
    brittle: bool
    dust: str
    ages: str
    figure: str

    @property
    def density_kg_m3(self) -> float:
        """Density at 12 % moisture: specific gravity is oven-dry mass over volume at 12 %, so water adds 12 %."""
        return self.sg * 1.12 * 1000


def data_rows(name: str) -> list[dict[str, str]]:
    """Rows of a shipped table; lines that begin with # are its header of sources."""
    text = (files("emberquilt") / "data" / name).read_text(encoding="utf-8")
    return list(csv.DictReader(line for line in text.splitlines() if not line.startswith("#")))


@cache
def woods() -> dict[str, Wood]:
    """Every shipped wood by its code, light to dark as the table has them."""

    def number(text: str) -> float | None:
        return float(text) if text else None

    return {
        row["code"]: Wood(
            row["code"],
            row["mark"],
            row["name"],
            row["kind"],
            row["raw"],
            row["finished"],
            float(row["sg"]),
            float(row["hardness_lbf"]),
            float(row["mor_mpa"]),
            float(row["across_ratio"]),
            number(row["c_radial"]),
            number(row["c_tangential"]),
            row["brittle"] == "1",
            row["dust"],
            row["ages"],
            row["figure"],
        )
        for row in data_rows("woods.csv")
    }


def wood(code: str) -> Wood:
    """The wood with this code. Raises `BadChoice`."""
    try:
        return woods()[code]
    except KeyError:
        raise BadChoice(f"There is no wood called “{code}” on the shelf.") from None
