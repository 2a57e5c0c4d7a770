"""Woods: the shipped table, read once from `data/woods.csv` (sources in its header), and a person's own beside it."""

import csv
import math
import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import asdict, dataclass, fields
from functools import cache
from importlib.resources import files
from typing import Any

from ..colour import rgb_of
from ..errors import BadChoice
from ..lazy import lazy

KINDS = {"hardwood": "hardwood", "softwood": "softwood", "exotic": "from far away", "sheet": "sheet goods"}


@dataclass(frozen=True, slots=True)
class Wood:
    """One wood. `mark` is what stands on the pattern; `raw`, `finished` and `aged` (after a year of room light, or
    empty) are sRGB hex; strengths in MPa along the grain; movement per % of moisture; `flash`: turned by 180 degrees
    it looks different."""

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
    c_radial: float | None = None
    c_tangential: float | None = None
    brittle: bool = False
    dust: str = ""
    ages: str = ""
    figure: str = ""
    aged: str = ""
    flash: bool = False
    price: float | None = None
    """What a board foot of it costs, of a sheet a square foot, in the shop's money; None where nobody said."""

    @property
    def density_kg_m3(self) -> float:
        """Density at 12 % moisture: specific gravity is oven-dry mass over volume at 12 %, so water adds 12 %."""
        return self.sg * 1.12 * 1000

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)


class Shelf(Mapping[str, Wood]):
    """The woods one has to choose from, by code. Immutable; equal tables are equal."""

    def __init__(self, woods: Iterable[Wood]):
        self._table = {wood.code: wood for wood in woods}

    def __getitem__(self, code: str) -> Wood:
        return self._table[code]

    def __iter__(self) -> Iterator[str]:
        return iter(self._table)

    def __len__(self) -> int:
        return len(self._table)

    def __hash__(self) -> int:
        return self._hash

    @lazy
    def _hash(self) -> int:
        return hash(tuple(self._table.values()))

    def wood(self, code: str) -> Wood:
        """The wood with this code. Raises `BadChoice`."""
        try:
            return self._table[code]
        except KeyError:
            raise BadChoice(f"There is no wood called “{code}” on the shelf.") from None

    def code_of(self, words: str) -> str:
        """The code of what is called so, by its code or its name; empty where nothing is."""
        if words in self._table:
            return words
        plain = words.strip().lower()
        return next((wood.code for wood in self._table.values() if wood.name.lower() == plain), "")

    def name(self, code: str) -> str:
        """Its name as it stands within a sentence."""
        return self.wood(code).name.lower()

    def with_own(self, own: Iterable[Wood]) -> "Shelf":
        """This shelf with a person's own woods: those of a shipped code stand in its place, the others after it."""
        return Shelf((self._table | {wood.code: wood for wood in own}).values())


def data_rows(name: str) -> list[dict[str, str]]:
    """Rows of a shipped table; lines that begin with # are its header of sources."""
    text = (files("emberquilt") / "data" / name).read_text(encoding="utf-8")
    return list(csv.DictReader(line for line in text.splitlines() if not line.startswith("#")))


@cache
def woods() -> Shelf:
    """Every shipped wood by its code, light to dark, sheet goods last."""
    return Shelf(_of_row(row) for row in data_rows("woods.csv"))


def wood(code: str) -> Wood:
    """The shipped wood with this code. Raises `BadChoice`."""
    return woods().wood(code)


NUMBERS = ("sg", "hardness_lbf", "mor_mpa", "across_ratio")
COEFFICIENTS = ("c_radial", "c_tangential")
MAY_LACK = (*COEFFICIENTS, "price")


def _of_row(row: Mapping[str, str]) -> Wood:
    values: dict[str, Any] = dict(row)
    values |= {name: float(row[name]) for name in NUMBERS}
    values |= {name: float(row[name]) if row[name] else None for name in COEFFICIENTS}
    values |= {name: row[name] == "1" for name in ("brittle", "flash")}
    return Wood(**values)


LIMITS = {
    "sg": (0.08, 1.4, "specific gravity"),
    "hardness_lbf": (20.0, 6000.0, "side hardness"),
    "mor_mpa": (5.0, 400.0, "bending strength"),
    "across_ratio": (0.01, 1.0, "strength across the grain"),
    "c_radial": (0.0, 0.02, "radial movement"),
    "c_tangential": (0.0, 0.02, "tangential movement"),
    "price": (0.0, 100_000.0, "price"),
}
MOST_OWN = 200


def typed_wood(code: str, values: Mapping[str, Any], like: Wood | None = None) -> Wood:
    """A person's own wood from what they typed; what is left empty is taken from `like`, a wood of the shelf.

    Raises `BadChoice` with what is wrong and the limits.
    """
    base = (like or wood("maple")).as_dict()
    known = {f.name for f in fields(Wood)}
    made = base | {name: value for name, value in values.items() if name in known and value not in ("", None)}
    made["code"] = code
    made["name"] = " ".join(str(made["name"]).split())[:40]
    made["mark"] = str(made["mark"]).strip()[:2].capitalize()
    if not made["name"] or len(made["mark"]) != 2:
        raise BadChoice("A wood needs a name, and a mark of two letters for the pattern.")
    if str(made["kind"]) not in KINDS:
        raise BadChoice(f"“{made['kind']}” is no kind of wood.")
    for name, (low, high, words) in LIMITS.items():
        made[name] = _number(made[name], low, high, words, name in MAY_LACK)
    for name in ("raw", "finished", "aged"):
        if made[name] or name != "aged":
            made[name] = "#{:02x}{:02x}{:02x}".format(*rgb_of(str(made[name])))
    for name in ("dust", "ages", "figure"):
        made[name] = " ".join(str(made[name]).split())[:200]
    if not re.fullmatch(r"([a-z_]+=(\d+\.?\d*|\.\d+) ?)*", made["figure"]):
        raise BadChoice("The drawn grain is written as name=number, for example ring_mm=5 ring=.3.")
    made["brittle"], made["flash"] = (made[name] in (True, "1", "yes", "on") for name in ("brittle", "flash"))
    return Wood(**made)


def _number(value: Any, low: float, high: float, words: str, may_lack: bool) -> float | None:
    if value is None and may_lack:
        return None
    try:
        number = float(str(value).replace(",", "."))
    except ValueError:
        number = math.nan
    if not low <= number <= high:
        raise BadChoice(f"A {words} of “{value}” cannot be right: it lies between {low:g} and {high:g}.")
    return number
