"""How the Stock station reads the panel."""

from ..work.parts import Job
from ..work.readings import Read, numbered_woods, woods, worn
from ..work.register import reading
from ..work.view import View

reading("stock", "woods")(woods)


@reading("stock", "copies", plan="paper")
def paper(job: Job, table: dict[int, int], view: View) -> Read:
    """From which paper copy each piece is cut."""
    return worn(job, view, "pale", lambda p: "ABCD"[table[p.key] - 1]), ()


reading("stock", "numbers")(numbered_woods)
