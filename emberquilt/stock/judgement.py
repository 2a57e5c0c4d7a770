"""What is short on the rack, what lies on no board, and what lies badly on one."""

from collections.abc import Mapping
from dataclasses import replace

from ..errors import BadChoice
from ..findings import Finding, Fix, name_pieces
from ..layout.checked import Fault, faults_of
from ..layout.task import Laid
from ..rack.boards import turn_deg
from ..work.copies import any_copy, copy_of
from ..work.on_boards import Lying, on_boards
from ..work.parts import Job
from ..work.register import judgement
from .caliper import off_the_caliper
from .laying import Laying, face_of, gaps_of, groups_of, item_of
from .milling import milling_of
from .need import Need, bought_feet
from .panels import panel_for, too_wide
from .parts_list import material_name
from .places_judged import bad_places


@judgement("stock", plan="needs")
def stock_findings(job: Job, needs: tuple[Need, ...]) -> list[Finding]:
    """Every need that the boards and sheets on the rack do not cover: by area as long as nothing of it was laid, then
    part by part; and parts that lie too near to each other, or turned as they may not be."""
    lying = on_boards(job)
    laid = {one.key for some in lying.values() for one in some}
    groups = {(group.material, group.thickness_mm): group for group in groups_of(job)} if laid else {}
    found: list[Finding] = []
    laying: Laying | None = None
    for need in needs:
        group = groups.get((need.material, need.thickness_mm))
        keys = [part.key for part in group.parts] if group else []
        missing = [key for key in keys if key not in laid]
        if keys and len(missing) < len(keys):
            if missing:
                laying = laying or Laying(job, nailed=False)
                found.append(_homeless(job, laying, need, missing))
        elif need.short_mm2 > 0:
            found.append(_short(job, need))
    found += [*bad_places(job, lying), *_lying_badly(job, lying), *off_the_caliper(job)]
    return [*found, *_among_thicker(job)]


def _among_thicker(job: Job) -> list[Finding]:
    """Parts that want less than the stretch of the board they lie on is milled to, because thicker ones lie beside."""
    practice, found = job.composition.practice, []
    for board, stretches in milling_of(job).stretches.items():
        for stretch in stretches:
            if not stretch.thinner:
                continue
            keys = list(stretch.thinner)
            pieces = tuple(dict.fromkeys(int(any_copy(key)) for key in keys if any_copy(key).isdecimal()))
            lies, thick = "lies" if len(keys) == 1 else "lie", practice.say(stretch.thickness_mm)
            found.append(
                Finding(
                    "among-thicker",
                    "stock",
                    f"{_named(job, keys)} {lies} beside parts of {thick} on board {board}: that length is milled to "
                    "these, and what is thinner is brought down by itself once it is sawn out.",
                    "Stretches of a board by the thickest part that lies on each.",
                    pieces,
                    amount=len(keys),
                    limit=0,
                    part="" if pieces else f"{board}-{keys[0]}",
                    fix=Fix("Lay them again", "lay", {}),
                )
            )
    return found


def _homeless(job: Job, laying: Laying, need: Need, missing: list[str]) -> Finding:
    """Parts of a material that is laid on boards already, and themselves are not."""
    largest = max(missing, key=lambda key: job.by_key[any_copy(key)].area_mm2)
    told = laying.homeless(largest)
    named = _named(job, missing)
    pieces = tuple(dict.fromkeys(int(any_copy(key)) for key in missing if any_copy(key).isdecimal()))
    lies = "lies" if len(missing) == 1 else "lie"
    return Finding(
        "on-no-board",
        "stock",
        f"{named} {lies} on no board. {told.why} {told.would}{_panel(job, largest)}",
        "Outlines laid with their arrows along the grain, clear of flaws and of each other.",
        pieces,
        amount=len(missing),
        limit=0,
        part="" if pieces else largest,
        fix=Fix("Note a board", "board", {"wood": need.material}),
        more=_choose(largest),
    )


def _choose(key: str) -> tuple[Fix, ...]:
    """A piece can be chosen on the picture; what lies under one cannot."""
    name = any_copy(key)
    return (Fix("Choose it", "select", {"pieces": [int(name)]}),) if name.isdecimal() else ()


def _panel(job: Job, key: str) -> str:
    """What could be glued up for it instead."""
    part = job.part(key)
    if part is None or not too_wide(job, part):
        return ""
    try:
        plan = panel_for(job, key)
    except BadChoice:
        return ""
    strip = job.composition.practice.say(plan.strip_mm)
    return f" So would a panel glued up of {plan.strips} strips {strip} wide from {plan.board}."


def _named(job: Job, keys: list[str]) -> str:
    numbers = sorted({job.by_key[any_copy(key)].number for key in keys} - {0})
    if numbers:
        return name_pieces(numbers, 4)
    names = list(dict.fromkeys(job.by_key[any_copy(key)].name for key in keys))
    return (" and ".join(names[:2]) + (f" and {len(names) - 2} more" if len(names) > 2 else "")).capitalize()


def _lying_badly(job: Job, lying: Mapping[str, list[Lying]]) -> list[Finding]:
    """What an independent look at every board finds. Parts over each other, over flaws or over the edge are told by
    their own findings; here it is said where less than the gap is left."""
    rack, gaps = job.composition.rack, gaps_of(job.composition)
    found = []
    for name, some in lying.items():
        board = rack.by_name[name]
        leaves = {one.place.leaf for one in some} - {0} or {0}
        for leaf in sorted(leaves):
            laid = [_laid(job, one, name) for one in some if one.place.leaf in (0, leaf)]
            faults = [f for f in faults_of(laid, [face_of(board, rack, gaps)], gaps) if f.what == "too-near"]
            faults = [f for f in faults if f.amount_mm > 0 and not _of_one_pack(job, f)]
            if faults:
                found.append(_too_near(job, name, faults))
    return found


def _of_one_pack(job: Job, fault: Fault) -> bool:
    """Both come out of one sheet of a pack, where their seam is sawn once."""
    if job.composition.practice.fit != "stack":
        return False
    one, other = job.by_key[any_copy(fault.part)], job.by_key[any_copy(fault.other)]
    pieces = all(part.id.in_any_copy.isdecimal() for part in (one, other))
    return pieces and one.id.layer == other.id.layer and copy_of(fault.part) == copy_of(fault.other)


def _laid(job: Job, one: Lying, board: str) -> Laid:
    turn = turn_deg(job.composition.rack.by_name[board], one.part.grain_deg) + one.place.turned_deg
    assert one.place.point is not None
    item = replace(item_of(job, one.part), key=one.key, turns=(turn,), directed=False)
    return Laid(item, board, *one.place.point, turn)


def _too_near(job: Job, board: str, faults: list[Fault]) -> Finding:
    practice = job.composition.practice
    worst = min(faults, key=lambda fault: fault.amount_mm)
    keys = [key for fault in faults for key in (fault.part, fault.other)]
    pieces = tuple(dict.fromkeys(int(any_copy(key)) for key in keys if any_copy(key).isdecimal()))
    names = " and ".join(job.by_key[any_copy(key)].name for key in (worst.part, worst.other))
    more = f", and {len(faults) - 1} more pairs are as near" if len(faults) > 1 else ""
    return Finding(
        "too-near",
        "stock",
        f"{names.capitalize()} lie {practice.say(worst.amount_mm)} apart on board {board}{more}: "
        f"{practice.say(practice.part_gap_mm)} is wanted for the blade and the hand.",
        "Distances between outlines as they lie.",
        pieces,
        amount=round(worst.amount_mm, 2),
        limit=practice.part_gap_mm,
        unit="mm",
        part=board,
        fix=Fix("Lay them again", "lay", {}),
    )


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
