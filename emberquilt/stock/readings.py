"""How the Stock station reads the panel."""

from ..work.copies import any_copy
from ..work.parts import Job
from ..work.readings import Read, by_number, numbered_woods, woods, worn
from ..work.register import reading
from ..work.view import View
from .buying import Buying

reading("stock", "woods")(woods)


@reading("stock", "copies", plan="paper")
def paper(job: Job, table: dict[int, int], view: View) -> Read:
    """From which paper copy each piece is cut."""
    return worn(job, view, "pale", lambda p: "ABCD"[table[p.key] - 1]), ()


TO_BUY = "to buy"


@reading("stock", TO_BUY, plan="buying")
def to_buy(job: Job, buying: Buying, view: View) -> Read:
    """Pieces for which wood has to be bought, in full; what the rack gives is pale."""
    missing = {any_copy(key) for key in buying.parts} | {any_copy(one.part) for one in buying.too_large}
    dress = worn(job, view, "pale", by_number)
    short = worn(job, view, "full", by_number)
    return {key: short[key] if str(key) in missing else own for key, own in dress.items()}, ()


reading("stock", "numbers")(numbered_woods)
