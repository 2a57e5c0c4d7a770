"""What is left to decide about heights, and what has no room for what lies under it."""

from ..findings import Finding, Fix, name_pieces
from ..work.parts import LEAST_SPACERS, Job
from ..work.register import judgement
from ..work.standing import is_at_hand, spacer_heights, spacer_sheets
from .back_judged import back_findings
from .heights import Relief, undecided
from .orders_judged import order_findings
from .shape_judged import shape_findings


@judgement("relief", plan="relief")
def relief_findings(job: Job, plan: Relief) -> list[Finding]:
    """Orders that cannot be kept, pieces without a thickness, shims and spacers that would show, and the back."""
    return [
        *order_findings(job),
        *_bare(job),
        *_narrow(job),
        *_no_sheet(job),
        *_few_spacers(job),
        *_no_spacer_sheet(job),
        *shape_findings(job),
        *back_findings(job, plan),
    ]


def _bare(job: Job) -> list[Finding]:
    practice = job.composition.practice
    bare = sorted((p for p in job.composition.made if undecided(job, p.key)), key=lambda p: p.number)
    if not bare:
        return []
    keys = tuple(p.key for p in bare)
    words = "Piece" if len(bare) == 1 else f"{len(bare)} pieces"
    return [
        Finding(
            "no-thickness",
            "relief",
            f"{words} without a stock thickness: {name_pieces([p.number for p in bare])}. "
            f"Until then {practice.say(practice.stock_mm)} is reckoned with.",
            "Heights, stock and blade follow from the thickness.",
            keys,
            amount=len(bare),
            limit=0,
            fix=Fix("Give them the usual stock", "thickness", {"pieces": list(keys), "mm": practice.stock_mm}),
        )
    ]


def _narrow(job: Job) -> list[Finding]:
    practice, home = job.composition.practice, job.composition.home
    shimmed = sorted((p for p in job.composition.made if job.shim_mm[p.key] > 0), key=lambda p: p.number)
    narrow = [p for p in shimmed if home[p.key].coverage.spots[p.key].radius_mm <= practice.shim_inset_mm]
    if not narrow:
        return []
    return [
        Finding(
            "no-room-for-shim",
            "relief",
            f"{name_pieces([p.number for p in narrow])} {'are' if len(narrow) > 1 else 'is'} too "
            f"narrow for a shim that "
            f"stays {practice.say(practice.shim_inset_mm)} inside the edge. Use thicker stock, or a narrower margin.",
            "Shims stay inside the piece so that they never show.",
            tuple(p.key for p in narrow),
            limit=practice.shim_inset_mm,
            unit="mm",
            fix=Fix("Thicker stock there", "thicken", {"pieces": [p.key for p in narrow]}),
        )
    ]


def _no_sheet(job: Job) -> list[Finding]:
    """Shims of a height that the sheets at hand do not come to."""
    practice = job.composition.practice
    bevels = job.composition.decisions.relief.bevels
    odd: dict[float, list[int]] = {}
    for key, mm in job.shim_mm.items():
        if mm and key not in bevels and not is_at_hand(mm, practice.shims_mm):
            odd.setdefault(mm, []).append(key)
    if not odd:
        return []
    say = practice.say
    heights = " and ".join(say(mm) for mm in sorted(odd)[:3])
    sheets = ", ".join(say(mm) for mm in practice.shims_mm)
    keys = tuple(sorted(key for some in odd.values() for key in some))
    return [
        Finding(
            "no-shim-stock",
            "relief",
            f"Shims of {heights} are none of the sheets at hand ({sheets}), nor two of them glued up. Add the sheet to "
            "those at hand, or let these heights follow.",
            "Shims are sawn out of sheets as they are sold.",
            keys,
            amount=min(odd),
            unit="mm",
            fix=Fix("Let their heights follow", "follow", {"pieces": list(keys)}),
        )
    ]


def _few_spacers(job: Job) -> list[Finding]:
    found = []
    for stand in job.composition.decisions.relief.stand_offs:
        layer = next((one for one in job.composition.layers if one.key == stand.layer), None)
        count, _ = job.spacers_under(stand.layer)
        if layer is None or count >= LEAST_SPACERS or not layer.without_openings.pieces:
            continue
        words = "no spacer" if not count else f"only {count} spacer{'s' if count > 1 else ''}"
        found.append(
            Finding(
                "few-spacers",
                "relief",
                f"Under {layer.name} there is room for {words} that both sides hide: it needs "
                f"{LEAST_SPACERS} to lie still. "
                "Let what lies behind it reach farther, or draw spacers as a layer.",
                "A sheet on fewer than three points rocks.",
                amount=count,
                limit=LEAST_SPACERS,
                layer=layer.key,
            )
        )
    return found


def _no_spacer_sheet(job: Job) -> list[Finding]:
    """Layers that stand off by what no sheets at hand come to."""
    composition, say = job.composition, job.composition.practice.say
    found = []
    for stand in composition.decisions.relief.stand_offs:
        layer = next((one for one in composition.layers if one.key == stand.layer), None)
        if layer is None or not layer.without_openings.pieces or spacer_sheets(stand.mm, job.spacer_stock):
            continue
        sheets = ", ".join(say(mm) for mm in sorted(job.spacer_stock))
        near = min(spacer_heights(job.spacer_stock), key=lambda mm: abs(mm - stand.mm), default=0.0)
        about = {"pieces": [layer.without_openings.pieces[0].key], "mm_off": f"{near:g} mm"}
        fix = Fix(f"Stand it off {say(near)}", "stand_off", about) if near else None
        found.append(
            Finding(
                "no-spacer-stock",
                "relief",
                f"{layer.name} stands off {say(stand.mm)}, and no sheets at hand ({sheets}) come to that. Change "
                "it, or add the sheet to those at hand.",
                "Spacers are glued up of sheets as they are sold, or of what is left of the work's own.",
                amount=stand.mm,
                unit="mm",
                layer=layer.key,
                fix=fix,
            )
        )
    return found
