"""Fit, glue and finish as plain values: the dry fit's order, the tree with its glue and clamps, what can be mixed up,
and the coats. See docs/formats.md."""

from typing import Any

from ..assembly.alike import alike_of
from ..assembly.clamping import Hold, hold_of
from ..assembly.dryfit import fit_order
from ..assembly.finishing import AFTER, Coating, coatings_of
from ..assembly.glueup import Batch, GlueStep
from ..assembly.insertion import insertions_of
from ..assembly.squeeze import squeezed_out
from ..assembly.tree import Assembly
from ..assembly.trimming import Trim, trim_of
from ..plan import Plan
from ..work.contacts import Contact
from ..work.fitted import fits_of
from ..work.parts import Job
from .rings import rings_of


def assembly_json(plan: Plan) -> dict[str, Any]:
    """Of one copy, but for `fits` and the steps that are named, which are of all."""
    number = {p.key: p.number for p in plan.composition.pieces()}
    return {
        "glue": [_step(s, number) for s in plan.glue.steps],
        "assembly": _tree(plan, plan.glue.tree, ()),
        **_fit(plan),
        "alike": _alike(plan.job),
        "finishes": [_coating(c) for c in coatings_of(plan.job)],
        "trim": _trim(trim_of(plan.job)),
    }


def _fit(plan: Plan) -> dict[str, Any]:
    """The dry fit: its order, what was found, and what is closed in when it goes down."""
    return {
        "fit_order": [
            {
                "order": s.order,
                "layer": s.layer,
                "laid": str(s.laid),
                "lies": str(s.lies),
                "length_mm": s.length_mm,
                "closes": s.closes,
            }
            for s in fit_order(plan.job, plan.glue)
        ],
        "fits": [
            {
                "a": str(f.a),
                "b": str(f.b),
                "copy": f.copy,
                "found": f.found,
                "mm": f.mm,
                "sanded": str(f.sanded) if f.sanded else "",
                "off_mm": f.off_mm,
            }
            for f in fits_of(plan.composition)
        ],
        "insertion": [
            {
                "part": str(one.piece),
                "gap_mm": one.gap_mm,
                "draft_deg": round(one.draft_deg, 4),
                "room_mm": one.room_mm,
                "goes": one.goes,
            }
            for one in insertions_of(plan.job, plan.glue)
        ],
    }


def _alike(job: Job) -> dict[str, Any]:
    alike = alike_of(job)
    return {
        "twins": [
            {"parts": list(t.parts), "mirrored": t.mirrored, "off_mm": t.off_mm, "same_wood": t.same_wood}
            for t in alike.twins
        ],
        "turned": [{"part": t.part, "degs": list(t.degs), "off_mm": t.off_mm} for t in alike.turned],
    }


def _coating(c: Coating) -> dict[str, Any]:
    return {
        "key": c.key,
        "name": c.name,
        "kind": c.supply.code,
        "how": c.supply.how,
        "coats": c.coats,
        "when": c.when,
        "parts": list(c.parts),
        "area_mm2": c.area_mm2,
        "masked_mm2": c.masked_mm2,
        "masked": c.masked,
        "bare": list(c.bare),
        "ml": c.ml,
        "recoat_minutes": c.supply.recoat_minutes,
        "handle_minutes": c.supply.handle_minutes,
        "grit": c.supply.grit,
        "steps": c.step_keys(),
        "after": [] if c.when != AFTER else ["work"],
        "why": c.why,
        "lines": list(c.lines),
    }


def _trim(trim: Trim | None) -> dict[str, Any] | None:
    if trim is None:
        return None
    return {
        "parts": list(trim.parts),
        "edge": rings_of(trim.edge),
        "thickness_mm": trim.thickness_mm,
        "length_mm": round(trim.length_mm, 3),
        "blade": trim.blade.no,
        "blades": round(trim.blades, 3),
        "minutes": trim.minutes,
        "reach_mm": trim.sweep.reach_mm,
    }


def _step(s: GlueStep, number: dict[int, int]) -> dict[str, Any]:
    return {
        "order": s.order,
        "piece": number.get(s.piece, 0),
        "part": s.part,
        "whole": s.whole,
        "batch": s.batch,
        "assembly": s.assembly,
        "under": list(s.under),
        "glue": s.glue,
        "minutes": s.minutes,
        "area_mm2": s.area_mm2,
        "bonds": [_bond(bond) for bond in s.bonds],
        "closed": s.closed,
        "closes": s.closes,
        "why": s.reason,
    }


def _bond(bond: Contact) -> dict[str, Any]:
    return {"a": bond.a, "b": bond.b, "kind": bond.kind, "area_mm2": bond.area_mm2}


def _tree(plan: Plan, one: Assembly, before: tuple[str, ...]) -> dict[str, Any]:
    """An assembly: what goes down, what is put together before, what it is glued with, what presses it, and which
    assemblies must be done and dry before it (`after`)."""
    batches = plan.glue.batches_of.get(one.key, ())
    holds = [hold_of(plan.job, plan.glue, batch) for batch in batches]
    inside: list[dict[str, Any]] = []
    went: tuple[str, ...] = ()
    for inner in one.inside:
        inside.append(_tree(plan, inner, went))
        if not inner.apart:
            went = (inner.key,)
    return {
        "key": one.key,
        "name": one.name,
        "layer": one.layer,
        "parts": list(one.parts),
        "why": one.why,
        "accent": one.accent,
        "apart": one.apart,
        "glue": list(dict.fromkeys(step.glue for batch in batches for step in batch.steps if step.bonds)),
        "clamps": _most(holds),
        "after": [*(inner.key for inner in one.inside), *before],
        "batches": [_batch(plan, batch, hold) for batch, hold in zip(batches, holds, strict=True)],
        "inside": inside,
    }


def _most(holds: list[Hold]) -> dict[str, int]:
    """The most of each that is in use at once: clamps come off one batch before they go on the next."""
    return {
        "spring": max((hold.count("spring") for hold in holds), default=0),
        "screw": max((hold.count("screw") for hold in holds), default=0),
        "cauls": max((len(hold.cauls) for hold in holds), default=0),
        "weights": max((hold.weights for hold in holds), default=0),
        "bags": max((hold.bags for hold in holds), default=0),
    }


def _batch(plan: Plan, batch: Batch, hold: Hold) -> dict[str, Any]:
    return {
        "step": batch.key,
        "number": batch.number,
        "parts": [step.part for step in batch.steps if step.part],
        "whole": batch.whole,
        "glue": batch.glue.code,
        "area_mm2": batch.area_mm2,
        "ml": batch.ml,
        "minutes": batch.minutes,
        "open_minutes": batch.glue.open_minutes,
        "clamp_minutes": batch.glue.clamp_minutes,
        "work_minutes": batch.glue.work_minutes,
        "squeeze_mm": squeezed_out(plan.job, batch),
        "hold": {
            "how": hold.how,
            "why": hold.why,
            "wanted": hold.wanted,
            "cauls_wanted": hold.cauls_wanted,
            "clamps": [
                {"kind": c.kind, "x_mm": c.x_mm, "y_mm": c.y_mm, "heading_deg": c.heading_deg} for c in hold.clamps
            ],
            "cauls": [list(line) for line in hold.cauls],
            "weights": hold.weights,
            "bags": hold.bags,
        },
    }
