"""From sawn parts to a finished work: fit, shape, colour, glue, trim, finish, hang."""

from collections.abc import Iterable
from dataclasses import replace

import shapely

from ..colour import words_of
from ..rack.blades import choose_blade
from ..rack.coats import coat_of
from ..saw.cuts import SawPlan
from ..saw.minutes import feed_mm_per_minute
from ..work.contacts import contacts_of
from ..work.copies import among, in_copies, of_copy, repeated_minutes
from ..work.parts import Job
from ..work.register import steps
from ..work.steps import Gathered, Step
from .glueup import GluePlan
from .supplies import Finish, finishes
from .tree import Assembly

SHAPE_CAUTION = "Dust mask and extraction. A part too small to hold goes on a carrier."
BRUSH_MM = 8.0
"""Through less than this no brush reaches what lies deeper: common practice, no source."""
MINUTES_TO_COAT, MINUTES_A_PART = 10.0, 0.25
"""To set up for a coat, and for each part: common practice, no source."""
MINUTES_TO_TRIM = 10.0
"""To set the saw square and mark the edge: common practice, no source."""


@steps(at=30)
def fit(job: Job, plan, gathered: Gathered) -> None:
    """Fitted pieces on their placement sheet, layer by layer."""
    practice, sawn = job.composition.practice, set(plan.saw.pieces)
    several = len(job.composition.layers) > 1
    for layer in job.composition.layers:
        keys = [str(p.key) for p in layer.without_openings.pieces if p.key in sawn]
        if not layer.fitted or len(keys) < 2:
            continue
        parts = in_copies(keys, job.copies)
        share = repeated_minutes(practice, practice.fit_minutes * len(keys), job.copies) / len(parts)
        gathered.add(
            Step(
                f"fit-{layer.key}",
                "assembly",
                "fit",
                f"Fit {layer.name} on the placement sheet" if several else "Fit on the placement sheet",
                share * len(parts),
                parts,
                shares=(share,) * len(parts),
                why="all pieces of a layer must be there",
            )
        )


@steps(at=50)
def shape(job: Job, plan, gathered: Gathered) -> None:
    """Every piece shaped, the highest first."""
    practice, pieces = job.composition.practice, job.composition.by_key
    keys = sorted(plan.saw.pieces, key=lambda k: (-job.lifted_mm(pieces[k]), pieces[k].number))
    if not keys:
        return
    again = practice.shape_minutes * practice.repeat_share
    shares = tuple(practice.shape_minutes if n == 0 else again for _ in keys for n in range(job.copies))
    gathered.add(
        Step(
            "shape",
            "assembly",
            "shape",
            "Shape and sand",
            sum(shares),
            in_copies(map(str, keys), job.copies),
            each=True,
            shares=shares,
            caution=SHAPE_CAUTION,
            why="what stands out most first, the rest after it",
        )
    )


@steps(at=60)
def colour(job: Job, plan, gathered: Gathered) -> None:
    """What must be painted, dyed or finished before it is out of reach; the back of the backer; all of it, where the
    practice finishes before glue-up."""
    sawn = {str(key) for key in plan.saw.pieces}
    for coat, (keys, why) in coats_before(job).items():
        mine = [key for key in keys if key in sawn]
        if mine:
            _coats(job, gathered, coat, mine, why)
    practice = job.composition.practice
    finish = finishes()[practice.finish]
    if practice.finish_when == "before" and sawn:
        _finishing(job, gathered, _in_order(job, sawn), "before glue-up, as it is done here")
    else:
        keys, why = out_of_reach(job)
        mine = [key for key in keys if key in sawn]
        if mine:
            _finishing(job, gathered, mine, why, "early-")
    if job.grounds and sawn and any(step.key == "backer" for step in gathered.steps):
        backs = in_copies((part.key for part in job.grounds), job.copies)
        minutes = repeated_minutes(practice, 10.0, job.copies)
        label = f"{finish.name} on the back of the backer" + ("s" if len(backs) > 1 else "")
        why = "it dries while the pieces are shaped"
        gathered.add(
            Step(
                "backer-finish",
                "assembly",
                "coat",
                label,
                minutes,
                backs,
                finish.handle_minutes,
                place="finish",
                caution=finish.caution,
                why=why,
            )
        )


def _in_order(job: Job, keys: set[str]) -> list[str]:
    return [part.key for part in job.of_one if part.key in keys]


def coats_before(job: Job) -> dict[str, tuple[list[str], str]]:
    """Colours that go on before glue-up, by coat: the parts that wear it and meet others that do not, and why."""
    coloured = {
        str(p.key): p.coat for p in job.composition.made if p.coat and p.coat != job.composition.practice.finish
    }
    name = {key: part.name for key, part in job.by_key.items()}
    found: dict[str, tuple[list[str], str]] = {}
    reason: dict[str, str] = {}
    for contact in contacts_of(job):
        for mine, other in ((contact.a, contact.b), (contact.b, contact.a)):
            if mine not in coloured or other not in job.by_key or coloured.get(other) == coloured[mine]:
                continue
            if contact.kind == "edge":
                reason.setdefault(mine, f"{name[mine]} meets {name[other]}: colours must not run")
            elif mine == contact.a and other.isdecimal():
                reason[mine] = f"{name[mine]} lies under {name[other]}: later no brush reaches it"
            elif other.isdecimal():
                reason.setdefault(mine, f"{name[mine]} lies on {name[other]}, which is not of that colour")
    for key, coat in coloured.items():
        if key in reason:
            keys, _ = found.setdefault(coat, ([], reason[key]))
            keys.append(key)
    return found


def out_of_reach(job: Job) -> tuple[list[str], str]:
    """Pieces that are seen only through what is too narrow for a brush, and why they are finished early."""
    found, why = [], ""
    for layer in job.composition.layers[:-1]:
        for p in layer.without_openings.pieces:
            seen = job.seen_of[p.key]
            hidden = job.pieces[p.key].area_mm2 - seen.area
            if seen.area > 1.0 and hidden > 1.0 and shapely.buffer(seen, -BRUSH_MM / 2).is_empty:
                found.append(str(p.key))
                why = why or f"{p.number} is seen only through less than {BRUSH_MM:g} mm: no brush reaches it later"
    return found, why


def _coats(job: Job, gathered: Gathered, text: str, keys: list[str], why: str) -> None:
    """Coats of a colour on these parts."""
    coat = coat_of(text)
    supply = finishes()[coat.kind]
    count = coat.coats if coat.kind == "dye" else 2 if coat.kind == "paint" else 1
    verb = {"dye": "Dye", "paint": "Paint", "stain": "Stain"}.get(coat.kind, f"{supply.name} on")
    parts = in_copies(keys, job.copies)
    named = _named(job, keys)
    colour = words_of(coat.colour) if coat.colour else ""
    caution = f"{supply.caution} Keep what will be glued bare: mask it."
    for number in range(1, count + 1):
        minutes = repeated_minutes(job.composition.practice, 5.0 + 1.0 * len(keys), job.copies, 5.0)
        wait = supply.handle_minutes if number == count else supply.recoat_minutes
        label = f"{verb} {named} {colour}".strip() + (f", coat {number} of {count}" if count > 1 else "")
        key = f"colour-{text.replace(' ', '-').replace('#', '')}-{number}"
        gathered.add(
            Step(key, "assembly", "coat", label, minutes, parts, wait, place="finish", caution=caution, why=why)
        )


def _named(job: Job, keys: Iterable[str]) -> str:
    names = [job.by_key[key].name for key in keys]
    return " and ".join(names) if len(names) <= 2 else f"{len(names)} parts"


def _finishing(job: Job, gathered: Gathered, keys: list[str], why: str, name: str = "") -> None:
    """Coats of the picture's finish on these parts of every copy."""
    practice = job.composition.practice
    finish: Finish = finishes()[practice.finish]
    parts = in_copies(keys, job.copies)
    one = MINUTES_TO_COAT + MINUTES_A_PART * len(keys)
    for coat in range(1, practice.coats + 1):
        wait = finish.handle_minutes if coat == practice.coats else finish.recoat_minutes
        label = f"{finish.name}, coat {coat} of {practice.coats}" + (f" on {_named(job, keys)}" if name else "")
        minutes = repeated_minutes(practice, one, job.copies, MINUTES_TO_COAT)
        gathered.add(
            Step(
                f"{name}coat-{coat}",
                "assembly",
                "coat",
                label,
                minutes,
                parts,
                wait,
                place="finish",
                caution=finish.caution,
                why=why,
            )
        )


@steps(at=70)
def glue(job: Job, plan, gathered: Gathered) -> None:
    """Copy by copy the tree from its leaves to the whole: glue-up, trimming, accents, and then the clamps come off."""
    sawn = set(plan.saw.pieces)
    if not sawn:
        return
    several = job.copies > 1
    if job.grounds:
        anchors = [job.composition.by_key[key].number for key in plan.glue.anchors.values()]
        label = f"Mark the anchor{'s' if len(anchors) > 1 else ''} on the backer{'s' if several else ''}"
        backs = in_copies((part.key for part in job.grounds), job.copies)
        minutes = repeated_minutes(job.composition.practice, 5.0, job.copies)
        gathered.add(Step("anchor-line", "assembly", "mark", label, minutes, backs, why="all else is measured from it"))
    for number in range(1, job.copies + 1):
        _one_copy(job, plan.saw, plan.glue, gathered, number, sawn)


def _one_copy(job: Job, saw: SawPlan, plan: GluePlan, gathered: Gathered, number: int, sawn: set[int]) -> None:
    trimmed = [p for layer in job.composition.layers if layer.trim_flush for p in layer.without_openings.pieces]
    flush = [str(p.key) for p in trimmed if p.key in sawn]
    before = tuple(step.key for step in gathered.steps if step.key in ("anchor-line", "backer-finish"))
    accents = False
    for assembly in plan.tree.every():
        if not assembly.layer:
            continue
        if assembly.accent and not accents:
            accents = True
            if flush:
                before = _trim(job, gathered, number, flush, before)
        before = _glued(job, plan, gathered, assembly, number, sawn, before)
    if flush and not accents:
        before = _trim(job, gathered, number, flush, before)
    every = of_copy((str(key) for key in sawn), number)
    label = "Take the clamps off, clean up" + among(number, job.copies)
    minutes = 5.0 * (1.0 if number == 1 else job.composition.practice.repeat_share)
    gathered.add(
        Step(
            _numbered("cure", number),
            "assembly",
            "cure",
            label,
            minutes,
            (),
            plan.glue.work_minutes,
            why="the glue must bear work",
            copy=number if job.copies > 1 else 0,
        ),
        (*before, *gathered.last(every)),
    )


def _numbered(key: str, number: int) -> str:
    return key if number == 1 else f"{key}/{number}"


def _glued(
    job: Job,
    plan: GluePlan,
    gathered: Gathered,
    assembly: Assembly,
    number: int,
    sawn: set[int],
    before: tuple[str, ...],
) -> tuple[str, ...]:
    """Batches of one assembly that are clamped together; with a glue that is held by hand, one part after the other."""
    practice, name = job.composition.practice, job.composition.layer(assembly.layer).name
    rows = [s for s in plan.of_assembly.get(assembly.key, ()) if s.piece in sawn]
    if job.rear is not None and assembly.layer == job.rear.key and not job.grounds and len(rows) == 1:
        return before  # one sheet that carries the rest is glued to nothing
    one_layer = len(job.composition.layers) == 1
    batches: dict[int, list] = {}
    for row in rows:
        batches.setdefault(row.batch, []).append(row)
    each = plan.minutes_each(practice) * (1.0 if number == 1 else practice.repeat_share)
    for batch, own in batches.items():
        parts = of_copy((row.part for row in own), number)
        count = f"{len(own)} part{'' if len(own) == 1 else 's'}" if not one_layer else _pieces(len(own))
        if plan.one_by_one:
            label = f"Glue {count} one by one, each held until it sets"
        elif len(batches) > 1:
            label = f"Glue batch {batch} of {len(batches)}, {count}"
        else:
            label = f"Glue {count}"
        label += ("" if one_layer else f" of {name}") + among(number, job.copies)
        fixed = 0.0 if plan.one_by_one else 3.0
        before = gathered.add(
            Step(
                _numbered(f"glue-{assembly.layer}-{batch}", number),
                "assembly",
                "glue",
                label,
                fixed + each * len(own),
                parts,
                0.0 if plan.one_by_one else plan.glue.clamp_minutes,
                each=True,
                # glue that is out sets: a batch is laid in one go
                divisible=plan.one_by_one,
                shares=(each,) * len(own),
                tools=(plan.glue.name,),
                caution=plan.glue.caution,
                why=assembly.why,
                copy=number if job.copies > 1 else 0,
            ),
            (*before, *gathered.last(of_copy((key for row in own for key in row.under), number))),
        )
    return before


def _pieces(count: int) -> str:
    return f"{count} piece{'' if count == 1 else 's'}"


def _trim(job: Job, gathered: Gathered, number: int, keys: list[str], before: tuple[str, ...]) -> tuple[str, ...]:
    """The glued sheets are trimmed to one edge, at their total thickness."""
    composition = job.composition
    parts = [job.by_key[key] for key in keys]
    thick = max(part.top_mm for part in parts) - min(part.floor_mm for part in parts)
    hard = max((composition.rack.shelf[p.material].hardness_lbf for p in parts), default=0.0)
    edge = shapely.union_all([part.outline for part in parts])
    length = sum(part.exterior.length for part in shapely.get_parts(edge))
    blade = choose_blade(composition.practice, thick, hard)
    minutes = MINUTES_TO_TRIM + length / feed_mm_per_minute(composition.practice, thick, hard)
    minutes *= 1.0 if number == 1 else composition.practice.repeat_share
    say = composition.practice.say
    step = Step(
        _numbered("trim", number),
        "saw",
        "trim",
        f"Trim the edge flush, {say(thick)} thick, with No. {blade.no}{among(number, job.copies)}",
        minutes,
        of_copy(keys, number),
        place="saw",
        tools=(f"No. {blade.no}",),
        caution="Eye protection, dust mask, fingers beside the blade; unplug to change it.",
        why="glued sheets are never quite even at the edge; what stands proud of it goes on after",
        copy=number if job.copies > 1 else 0,
    )
    return gathered.add(step, before)


@steps(at=90)
def finish(job: Job, plan, gathered: Gathered) -> None:
    """The finish over all, where it comes last; rails and base; hanger, name, photograph."""
    practice = job.composition.practice
    cured = tuple(step.key for step in gathered.steps if step.verb == "cure")
    if not cured:
        return
    before = cured
    if job.rails or job.base:
        parts = in_copies((part.key for part in (*job.rails, *job.base)), job.copies)
        words = " and ".join(word for word, own in (("frame", job.rails), ("base", job.base)) if own)
        minutes = repeated_minutes(practice, 45.0 if job.rails else 15.0, job.copies, 10.0)
        step = Step(
            "mount",
            "assembly",
            "mount",
            f"Join the {words} and mount it",
            minutes,
            parts,
            plan.glue.glue.clamp_minutes,
            caution=plan.glue.glue.caution,
            why="it is measured on the work as it came out",
        )
        before = gathered.add(step, cured)
    if practice.finish_when == "after":
        sawn = [str(key) for key in plan.saw.pieces]
        begun = len(gathered.steps)
        _finishing(job, gathered, sawn, "over all, once nothing more is glued")
        if len(gathered.steps) > begun:
            first = gathered.steps[begun]
            gathered.steps[begun] = _after(first, before)
            before = (gathered.steps[-1].key,)
    minutes = repeated_minutes(practice, 20.0, job.copies)
    gathered.add(
        Step(
            "hang",
            "assembly",
            "hang",
            "Hanger, name on the back, photograph",
            minutes,
            why="the last thing, on a dry back",
        ),
        before,
    )


def _after(step: Step, before: tuple[str, ...]) -> Step:
    return replace(step, after=tuple(dict.fromkeys((*step.after, *before))))
