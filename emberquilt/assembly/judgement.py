"""What is left to decide before glue-up, and what would not hold, not go in, or not set."""

from collections.abc import Iterable

import shapely
from networkx.utils import UnionFind

from ..findings import Finding, Fix, name_pieces
from ..work.parts import Job
from ..work.register import judgement
from .bonds import bonds_of
from .clamping import BAG, CLAMPS, NOTHING, WEIGHTS, Hold, hold_of
from .dryfit import USUAL_MM, advice_for, open_fits
from .finishing import BEFORE, coatings_of, glued_faces
from .glueup import Batch, GluePlan, GlueStep
from .insertion import USUAL_DRAFT_DEG, Insertion, insertions_of
from .supplies import Supply, glue_of
from .told import spoken

WARM_C = 20.0
MOST_HELD = 120
"""Of more batches than this the clamps are not counted beforehand."""
WATERPROOF = ("epoxy",)
SHORT = {CLAMPS: "few-clamps", WEIGHTS: "few-weights", BAG: "few-bags"}
PRESSED = {CLAMPS: "clamps along the edge", WEIGHTS: "weights of 5 kg", BAG: "sand bags"}


@judgement("assembly", plan="glue")
def glue_findings(job: Job, plan: GluePlan) -> list[Finding]:
    """What was found dry, anchors nobody confirmed, what is held by nothing, cannot go in, or is glued on a coat; what
    the air, the hands and the clamps do not allow."""
    if not plan.steps:
        return []
    return [
        *_fits(job, plan),
        *_open_anchors(job, plan),
        *_off_backer(job),
        *_held_by_nothing(job, plan),
        *_closed_in(job, plan),
        *_on_coats(job),
        *_cold(job, plan),
        *_open_too_short(job, plan),
        *_clamps(job, plan),
        *_outdoors(job, plan),
    ]


def _fits(job: Job, plan: GluePlan) -> Iterable[Finding]:
    """Seams that were found tight or open in the dry fit, with what to do."""
    composition, say = job.composition, job.composition.practice.say
    for fit in open_fits(job):
        advice = advice_for(job, plan, fit)
        if advice is None:
            continue
        numbers = name_pieces([composition.by_key[key].number for key in (fit.a, fit.b)])
        copy = f" in copy {fit.copy}" if job.copies > 1 else ""
        values = {"pieces": [fit.a, fit.b], "copy": fit.copy}
        if advice.sand:
            label = f"{composition.by_key[advice.sand].number} is sanded"
            fix = Fix(label, "sanded", values | {"sand": advice.sand, "mm": f"{advice.mm:g} mm"})
        else:
            fix = Fix("It fits now", "fit", values | {"found": "ok"})
        where = composition.home[fit.a].without_openings.coverage.neighbours[fit.a][fit.b].middle
        yield Finding(
            f"fit-{fit.found}",
            "assembly",
            f"{numbers} {'are tight' if fit.found == 'tight' else 'stand apart'}{copy} by {say(fit.mm or USUAL_MM)}: "
            f"{advice.words[:1].lower()}{advice.words[1:]}, {advice.reason}.",
            "; ".join(advice.chain) or "Found dry it costs a minute, found in the glue a piece.",
            (fit.a, fit.b),
            point_mm=where,
            amount=fit.mm,
            unit="mm",
            fix=fix,
            part=f"{fit.a}/{fit.copy}" if fit.copy > 1 else "",
        )


def _held_by_nothing(job: Job, plan: GluePlan) -> Iterable[Finding]:
    """Pieces that hang together with no backer, nor with what most of the work hangs together with."""
    practice = job.composition.practice
    joined = UnionFind(part.key for part in job.of_one if part.id.role not in ("rail", "base"))
    for bond in bonds_of(job):
        if bond.a in joined.parents and bond.b in joined.parents:
            joined.union(bond.a, bond.b)
    bodies = [sorted(body) for body in joined.to_sets()]
    if not bodies:
        return
    grounded = [body for body in bodies if any(key.startswith("backer") for key in body)]
    held = grounded or [max(bodies, key=lambda body: sum(job.by_key[key].area_mm2 for key in body))]
    off = {key for finding in _off_backer(job) for key in finding.pieces}
    loose = [int(key) for body in bodies if body not in held for key in body if key.isdecimal()]
    for key in sorted(set(loose) - off):
        yield Finding(
            "held-by-nothing",
            "assembly",
            f"{job.composition.by_key[key].number} touches nothing of the rest over more than "
            f"{practice.say_area(practice.least_glue_mm2)}: no glue would hold it.",
            "A part is glued to something that is glued.",
            (key,),
        )


def _closed_in(job: Job, plan: GluePlan) -> Iterable[Finding]:
    """Pieces that are dropped into a closed gap tighter than their edges allow."""
    composition, say = job.composition, job.composition.practice.say
    closed = [one for one in insertions_of(job, plan) if not one.goes]
    for one in closed:
        if one.tight:
            yield _closed(
                job,
                [one],
                f"{composition.by_key[one.piece].number} cannot go in: something lies all round it, and at "
                f"{composition.by_key[one.tight].number} it is tight by {say(-one.gap_mm)}. Sand it first.",
                None,
            )
    bare = [one for one in closed if not one.tight]
    if bare:
        keys = [one.piece for one in bare]
        numbers = name_pieces([composition.by_key[key].number for key in keys])
        room = max(min(one.room_mm for one in bare), 0.0)
        one_only = len(bare) == 1
        yield _closed(
            job,
            bare,
            f"{numbers} {'is' if one_only else 'are'} dropped in where something lies all round, with "
            f"{f'{say(room)} of' if room else 'no'} room: square edges want {say(bare[0].wanted_mm)}.",
            Fix(
                f"Sand {'its edge' if one_only else 'their edges'} under by {USUAL_DRAFT_DEG:g}°",
                "draft",
                {"pieces": keys, "deg": USUAL_DRAFT_DEG},
            ),
        )


def _closed(job: Job, some: list[Insertion], sentence: str, fix: Fix | None) -> Finding:
    return Finding(
        "closed-in",
        "assembly",
        sentence,
        "What is closed in on all sides drops in only with room, or with edges that slope under.",
        tuple(one.piece for one in some),
        amount=round(min(one.room_mm for one in some), 3),
        limit=some[0].wanted_mm,
        unit="mm",
        fix=fix,
    )


def _on_coats(job: Job) -> Iterable[Finding]:
    """Faces that are coated before something is glued on them."""
    composition, faces = job.composition, glued_faces(job)
    unmasked = set(composition.decisions.assembly.unmasked)
    for coating in coatings_of(job):
        if coating.when != BEFORE or coating.supply.code == "primer":
            continue
        keys = [int(key) for key in coating.parts if key in faces and int(key) in unmasked]
        if keys:
            area = sum(faces[str(key)] for key in keys)
            names = [spoken(job, str(key)) for key in keys]
            numbers = " and ".join(names) if len(names) < 3 else f"{len(names)} parts"
            said = composition.practice.say_area(area)
            yield Finding(
                "glue-on-coat",
                "assembly",
                f"{numbers} {'is' if len(keys) == 1 else 'are'} coated all over ({coating.supply.name.lower()}), and "
                f"{said} of it gets glue. Glue would hold the coat, not the wood.",
                "Glue goes on bare wood.",
                tuple(keys),
                amount=round(area, 1),
                limit=0.0,
                unit="mm2",
                fix=Fix(f"Mask {said}", "mask", {"pieces": keys}),
            )


def _cold(job: Job, plan: GluePlan) -> Iterable[Finding]:
    """A shop too cold for a glue or a finish."""
    practice = job.composition.practice
    used: dict[str, Supply] = {batch.glue.code: batch.glue for batch in plan.batches if batch.area_mm2}
    used |= {coating.supply.code: coating.supply for coating in coatings_of(job)}
    cold = [supply for supply in used.values() if practice.shop_c < supply.least_c]
    if cold:
        least = max(supply.least_c for supply in cold)
        names = " and ".join(supply.name.lower() for supply in cold[:3])
        yield Finding(
            "too-cold",
            "assembly",
            f"At {practice.say_warmth(practice.shop_c)} {names} do{'es' if len(cold) == 1 else ''} not set: the times "
            f"shown are for {practice.say_warmth(least)}. Warm the shop, or carry the work to where it is warm.",
            "Below what its label bears a glue turns to chalk, and a finish stays soft.",
            amount=practice.shop_c,
            limit=least,
            unit="C",
            fix=Fix(f"The shop is at {practice.say_warmth(WARM_C)}", "practice", {"shop_c": WARM_C}),
        )


def _open_too_short(job: Job, plan: GluePlan) -> Iterable[Finding]:
    """Parts that take longer to lay than their glue stays open."""
    composition = job.composition
    for code, steps in _by_glue(plan).items():
        glue = glue_of(code, composition.practice)
        slow = [step for step in steps if step.bonds and step.laying_minutes(glue) > glue.open_minutes + 1e-9]
        if not slow:
            continue
        worst = max(slow, key=lambda step: step.laying_minutes(glue))
        name = plan.by_assembly[worst.whole].name if worst.whole else job.by_key[worst.part].name
        more = f", and {len(slow) - 1} more" if len(slow) > 1 else ""
        yield Finding(
            "open-too-short",
            "assembly",
            f"Laying {name}{more} takes {worst.laying_minutes(glue):.1f} min, and {glue.name.lower()} stays open for "
            f"{glue.open_minutes:.2g}: take one that stays open longer, or lay it with a second pair of hands.",
            "Glue that has skinned over holds nothing.",
            tuple(sorted({step.piece for step in slow if step.piece})),
            amount=round(worst.laying_minutes(glue), 2),
            limit=round(glue.open_minutes, 2),
            unit="min",
            fix=Fix("Epoxy for all of it", "practice", {"glue": "epoxy"})
            if code == composition.practice.glue
            else None,
        )


def _by_glue(plan: GluePlan) -> dict[str, list[GlueStep]]:
    table: dict[str, list[GlueStep]] = {}
    for step in plan.steps:
        table.setdefault(step.glue, []).append(step)
    return table


def _clamps(job: Job, plan: GluePlan) -> Iterable[Finding]:
    """Batches for which the shop has too few clamps, weights or bags, or nothing that presses: each said once, of the
    batch that wants most."""
    if len(plan.batches) > MOST_HELD:
        return
    short: dict[str, list[tuple[Batch, Hold]]] = {}
    for batch in plan.batches:
        hold = hold_of(job, plan, batch)
        if hold.missing or (hold.how == NOTHING and batch.area_mm2):
            short.setdefault(hold.how, []).append((batch, hold))
    for how, some in short.items():
        batch, hold = max(some, key=lambda one: one[1].wanted)
        pieces = [step.piece for other, _ in some for step in other.steps if step.piece]
        own = [job.composition.by_key[step.piece].number for step in batch.steps if step.piece]
        name = name_pieces(own, 3) if own else plan.by_assembly[batch.whole or batch.assembly].name
        more = f" {len(some) - 1} more batches want more than there is too." if len(some) > 1 else ""
        if how == NOTHING:
            sentence = f"Nothing presses {name} while the glue sets: {hold.why}.{more}"
        else:
            verb = "wants" if len(own) <= 1 else "want"
            wanted, there, what = hold.wanted, hold.there, PRESSED[how]
            if there >= wanted:
                wanted, there = hold.cauls_wanted, len(hold.cauls)
                what = f"caul{'s' if wanted > 1 else ''} where no clamp reaches"
            sentence = f"{name} {verb} {wanted} {what}; you have {there} for it.{more}"
        yield Finding(
            "no-clamps" if how == NOTHING else SHORT[how],
            "assembly",
            sentence,
            "A joint that is not pressed opens.",
            tuple(pieces),
            amount=float(hold.there + len(hold.cauls)),
            limit=float(hold.wanted + hold.cauls_wanted),
            unit=how,
        )


def _outdoors(job: Job, plan: GluePlan) -> Iterable[Finding]:
    practice = job.composition.practice
    if practice.used == "outdoors" and practice.glue not in WATERPROOF:
        yield Finding(
            "not-outdoors",
            "assembly",
            f"{plan.glue.name} gives way outdoors: most kinds of it bear no standing water.",
            "What stands outdoors is glued with what its label calls waterproof.",
            fix=Fix("Epoxy for all of it", "practice", {"glue": "epoxy"}),
        )


def _open_anchors(job: Job, plan: GluePlan) -> list[Finding]:
    composition = job.composition
    number = {p.key: p.number for p in composition.made}
    return [
        Finding(
            "anchor-open",
            "assembly",
            f"{number[anchor]} would be glued first{_where(job, anchor)}, by your practice. "
            f"Confirm it or choose another "
            "anchor.",
            "Everything is registered from the first piece down.",
            (anchor,),
            fix=Fix(f"Anchor on {number[anchor]}", "anchor", {"pieces": [anchor]}),
        )
        for anchor in plan.anchors.values()
        if anchor not in composition.decisions.assembly.anchors
    ]


def _where(job: Job, key: int) -> str:
    several = len(job.composition.layers) > 1
    return f" of {job.composition.home[key].name}" if several else ""


def _off_backer(job: Job) -> list[Finding]:
    if not job.grounds or job.rear is None:
        return []
    ground = shapely.union_all([part.outline for part in job.grounds])
    shapely.prepare(ground)
    practice = job.composition.practice
    return [
        Finding(
            "off-backer",
            "assembly",
            f"{job.rear.by_key[key].number} would not lie on the backer at all: make its inset less than "
            f"{practice.say(practice.backer_inset_mm)}.",
            "Every piece needs backer under it.",
            (key,),
        )
        for key, outline in job.rear.without_openings.coverage.by_key.items()
        if not ground.intersects(outline)
    ]
