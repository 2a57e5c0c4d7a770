"""What is short on the rack."""

from ..findings import Finding, Fix, name_pieces
from ..work.parts import Job
from ..work.register import judgement
from .need import Need, bought_feet
from .parts_list import material_name


@judgement("stock", plan="needs")
def stock_findings(job: Job, needs: tuple[Need, ...]) -> list[Finding]:
    """Every need that the boards and sheets on the rack do not cover."""
    return [_short(job, need) for need in needs if need.short_mm2 > 0]


def _short(job: Job, need: Need) -> Finding:
    practice = job.composition.practice
    name = material_name(job.composition.rack.shelf, need.material)
    feet = (
        ""
        if need.sheet
        else (f" ({bought_feet(need.short_mm2, need.thickness_mm):.1f} board feet of {need.quarters}/4)")
    )
    beside = (
        f" beside the {practice.say_area(need.owned_mm2)} on the rack."
        if need.owned_mm2
        else f"; no {'sheet' if need.sheet else 'board'} for it is on the rack."
    )
    return Finding(
        "short-of-wood",
        "stock",
        f"Short of {name} {practice.say(need.thickness_mm)}: {practice.say_area(need.short_mm2)}{feet} to find{beside}"
        + _too_large(job, need),
        "Rough area by the share of a board that ends up in pieces; boards on the rack of that wood, thick, long and "
        "wide enough.",
        need.pieces,
        amount=round(need.short_mm2 / 100),
        limit=0,
        unit="cm2",
        part="" if need.pieces else f"{need.material}-{need.thickness_mm:g}",
        fix=Fix("Note a board", "board", {"wood": need.material}),
    )


def _too_large(job: Job, need: Need) -> str:
    if not need.fit_nowhere:
        return ""
    numbers = sorted(part.number for key in need.fit_nowhere if (part := job.by_key[key]).number)
    named = name_pieces(numbers, 4) if numbers else " and ".join(job.by_key[key].name for key in need.fit_nowhere[:4])
    return f" No board of it holds {named}: longer or wider than any, the arrow along the grain."
