"""What can be sawn as one stack, and what that saves."""

from dataclasses import dataclass, replace

from ..work.composition import Composition, Layer
from ..work.parts import Job, job_of
from .blanks import alike_bodies
from .cuts import SawPlan
from .planning import plan_with

MOST_HIGH = 6
MOST_STACK_MM = 40.0
"""Thicker than this a stack is hard to steer and the blade wanders: common practice, no source."""


@dataclass(frozen=True, slots=True)
class StackOffer:
    """So many copies at once (`high`), or these `layers` as one stack, with the minutes that it saves over all
    copies."""

    high: int
    layers: tuple[int, ...]
    thickness_mm: float
    saves_minutes: float


def together_of(composition: Composition) -> list[tuple[int, ...]]:
    """Layers that share their outlines, as keys, each group back to front."""
    groups: list[list[Layer]] = []
    for layer in composition.layers:
        if not layer.without_openings.pieces or layer.kind == "mosaic":
            continue
        home = next((group for group in groups if alike_bodies([group[0], layer])), None)
        if home is None:
            groups.append([layer])
        else:
            home.append(layer)
    return [tuple(layer.key for layer in group) for group in groups if len(group) > 1]


def offers_of(job: Job, plan: SawPlan) -> list[StackOffer]:
    """Stacks that are thin enough to steer and save time: of copies the height that saves most, and every stack of
    layers."""
    return job.once(("saw", "offers", plan.high), lambda: _offers(job, plan))


def _offers(job: Job, plan: SawPlan) -> list[StackOffer]:
    composition = job.composition
    thickest = max((job.thickness_mm[key] for key in plan.pieces), default=0.0)
    heights = range(2, min(job.copies, MOST_HIGH) + 1) if composition.practice.fit != "stack" else ()
    copies = [_offer(job, plan, high=h) for h in heights if thickest * h <= MOST_STACK_MM and h != plan.high]
    offers = [max(copies, key=lambda offer: offer.saves_minutes)] if copies else []
    for layers in together_of(composition):
        if layers not in composition.decisions.saw.stacks:
            offers.append(_offer(job, plan, layers=layers))
    return [offer for offer in offers if offer.saves_minutes > 0 and offer.thickness_mm <= MOST_STACK_MM]


def _offer(job: Job, plan: SawPlan, high: int = 0, layers: tuple[int, ...] = ()) -> StackOffer:
    saw = job.composition.decisions.saw
    saw = replace(saw, high=high) if high else replace(saw, stacks=(*saw.stacks, layers))
    other = job_of(replace(job.composition, decisions=replace(job.composition.decisions, saw=saw)))
    then = plan_with(other, saw.high)
    thick = max((then.blanks[cut.blank].thickness_mm for cut in then.cuts if cut.piece), default=0.0)
    return StackOffer(high or saw.high, layers, thick, plan.minutes - then.minutes)
