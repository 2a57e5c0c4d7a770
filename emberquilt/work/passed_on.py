"""What a work tells of where it comes from, and what of it is passed on to another shop."""

from dataclasses import dataclass, fields, replace

from ..errors import BadChoice
from ..plain import HIDDEN
from ..practice import Practice
from .composition import Composition
from .decisions import CalendarDecisions

LICENCES = {
    "own": "my own drawing: who has it may make it, also to sell",
    "own-gifts": "my own drawing: who has it may make it, not to sell",
    "free": "in the public domain, or given to it (CC0 1.0)",
    "by": "CC BY 4.0: to be used, whoever drew it is named",
    "by-sa": "CC BY-SA 4.0: to be used, named, and passed on alike",
    "by-nc": "CC BY-NC 4.0: to be used and named, not to sell",
    "asked": "whoever drew it allowed this club to make it",
    "kept": "bought or borrowed: for the one who has it alone",
}
"""How a pattern may be used, as whoever brings it says. What is for one person alone is never put on a club's shelf.
Creative Commons publish the texts of theirs (CC0 1.0, and version 4.0 of the others)."""
ALONE = "kept"
MOST_SAID = 300


@dataclass(frozen=True, slots=True)
class Origin:
    """Who drew a pattern, where it is from, and how it may be used: a key of `LICENCES`, empty where nobody said."""

    by: str = ""
    source: str = ""
    licence: str = ""

    def __bool__(self) -> bool:
        return bool(self.by or self.source or self.licence)

    @property
    def may(self) -> str:
        return LICENCES.get(self.licence, "")

    @property
    def may_be_shown(self) -> bool:
        """It may stand on a club's shelf."""
        return bool(self.by and self.source and self.licence in LICENCES and self.licence != ALONE)


def origin_of(values: dict) -> Origin:
    """As it was typed. Raises `BadChoice`."""
    told = {f.name: " ".join(HIDDEN.sub("", str(values.get(f.name, ""))).split())[:MOST_SAID] for f in fields(Origin)}
    if told["licence"] and told["licence"] not in LICENCES:
        raise BadChoice("Choose one of the licences.")
    return Origin(**told)


MONEY = (
    "money", "wage", "overhead_hour", "fee_share", "margin_share", "blade_price", "sheet_price", "glue_price",
    "finish_price", "extras_price",
)  # fmt: skip
HOURS = ("hours", "helpers", "off", "buy_days", "estimate_ratio", "latitude_deg")


def passed_on(work: Composition, practice: Practice | None = None) -> Composition:
    """The work without what is its shop's alone: what it earns and when it works, the boards that parts lie on, dates,
    and what was found at the bench. `practice`: it is made in another shop that works by these."""
    decided = work.decisions
    if practice is None:
        plain = Practice()
        practice = replace(work.practice, **{name: getattr(plain, name) for name in (*MONEY, *HOURS)})
    bare = replace(
        decided,
        stock=replace(decided.stock, whole=()),
        assembly=replace(decided.assembly, fits=()),
        calendar=CalendarDecisions(),
    )
    return replace(work, practice=practice, decisions=bare, placements={})
