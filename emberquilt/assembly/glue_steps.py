"""Gluing as steps: sub-assemblies meanwhile, batch by batch onto what is down, trimming before accents go on."""

from ..work.copies import among, in_copies, of_copy, repeated_minutes
from ..work.parts import Job
from ..work.register import steps
from ..work.steps import Gathered, Step
from .clamping import held_by, hold_of
from .glueup import SETTING_OUT_MINUTES, Batch, GluePlan
from .told import ALIGNING
from .tree import Assembly
from .trimming import Trim, trim_of

CLEANING_MINUTES = 5.0
TO_MARK_MINUTES = 5.0


@steps(at=70)
def glue(job: Job, plan, gathered: Gathered) -> None:
    """Copy by copy the tree from its leaves to the whole: glue-up, trimming, accents, and then the clamps come off."""
    sawn = plan.saw.made(job) | {board.key for board in job.boards if board.key in plan.saw.by_part}
    if not sawn or not any(one.layer for one in plan.glue.tree.inside):
        return
    several = job.copies > 1
    before: tuple[str, ...] = ()
    if job.grounds:
        count = len([key for key in plan.glue.anchors if key.startswith("layer-")])
        label = f"Mark the anchor{'s' if count > 1 else ''} on the backer{'s' if several else ''}"
        backs = in_copies((part.key for part in job.grounds), job.copies)
        minutes = repeated_minutes(job.composition.practice, TO_MARK_MINUTES, job.copies)
        step = Step(
            "anchor-line",
            "assembly",
            "mark",
            label,
            minutes,
            backs,
            lines=ALIGNING[job.composition.practice.align],
            why="all else is measured from it",
        )
        before = gathered.add(step)
    before += tuple(step.key for step in gathered.steps if step.key == "backer-finish")
    for number in range(1, job.copies + 1):
        _Copy(job, plan.glue, gathered, number, sawn).add(before)


class _Copy:
    """One copy of the work."""

    def __init__(self, job: Job, plan: GluePlan, gathered: Gathered, number: int, sawn: set[str]):
        self.job, self.plan, self.gathered, self.number, self.sawn = job, plan, gathered, number, sawn
        self.pace = 1.0 if number == 1 else job.composition.practice.repeat_share

    def add(self, before: tuple[str, ...]) -> None:
        trim = trim_of(self.job)
        flush = trim is not None and any(key in self.sawn for key in trim.parts)
        trimmed = False
        for one in self.plan.tree.inside:
            if not one.layer:
                continue
            if one.accent and flush and trim is not None and not trimmed:
                before, trimmed = self._trim(trim, before), True
            before = self._assembly(one, before)
        if flush and trim is not None and not trimmed:
            before = self._trim(trim, before)
        every = of_copy(sorted(self.sawn), self.number)
        step = Step(
            self._named("cure"),
            "assembly",
            "cure",
            f"Take the clamps off, clean up{self._copy}",
            CLEANING_MINUTES * self.pace,
            (),
            self.plan.glue.work_minutes,
            lines=(
                "Smears of glue show as pale spots under a finish: wet the work with spirits, look, scrape them off",
            ),
            why="the glue must bear work",
            copy=self._which,
        )
        self.gathered.add(step, (*before, *self.gathered.last(every)))

    @property
    def _copy(self) -> str:
        return among(self.number, self.job.copies)

    @property
    def _which(self) -> int:
        return self.number if self.job.copies > 1 else 0

    def _named(self, key: str) -> str:
        return key if self.number == 1 else f"{key}/{self.number}"

    def _assembly(self, one: Assembly, before: tuple[str, ...]) -> tuple[str, ...]:
        """Its sub-assemblies, which wait for nothing but their parts, and then itself onto what is down."""
        for inner in one.inside:
            waits: tuple[str, ...] = ()
            for batch in self.plan.batches_of.get(inner.key, ()):
                waits = self._batch(inner, batch, waits)
        for batch in self.plan.batches_of.get(one.key, ()):
            before = self._batch(one, batch, before)
        return before

    def _batch(self, one: Assembly, batch: Batch, before: tuple[str, ...]) -> tuple[str, ...]:
        """One batch that is clamped together; with a glue that is held by hand, one part after the other."""
        if batch.whole:
            return self._whole(batch, before)
        rows = [step for step in batch.steps if step.part in self.sawn]
        if not any(step.bonds for step in batch.steps) and self._carries(one, batch):
            return before  # one sheet that carries the rest is glued to nothing
        if not rows:
            return before
        shares = tuple(row.minutes * self.pace for row in rows)
        under = of_copy((key for row in rows for key in row.under), self.number)
        parts = of_copy((row.part for row in rows), self.number)
        fixed = 0.0 if batch.held else SETTING_OUT_MINUTES + batch.glue.tack_minutes
        step = Step(
            self._named(batch.key),
            "assembly",
            "glue",
            self._label(one, batch, len(rows)) + self._copy,
            fixed + sum(shares),
            parts,
            0.0 if batch.held else batch.glue.clamp_minutes,
            each=True,
            held=held_by(hold_of(self.job, self.plan, batch)) if not batch.held else (),
            # glue that is out sets: a batch is laid in one go
            divisible=batch.held,
            shares=shares,
            tools=(batch.glue.name,),
            caution=batch.glue.caution,
            why=one.why,
            copy=self._which,
        )
        return self.gathered.add(step, (*before, *self.gathered.last(under)))

    def _carries(self, one: Assembly, batch: Batch) -> bool:
        rear = self.job.rear
        return rear is not None and one.layer == rear.key and not self.job.grounds and len(batch.steps) == 1

    def _whole(self, batch: Batch, before: tuple[str, ...]) -> tuple[str, ...]:
        bundle = self.plan.by_assembly[batch.whole]
        own = [key for key in bundle.all_parts if key in self.sawn]
        row = batch.steps[0]
        under = of_copy(row.under, self.number)
        step = Step(
            self._named(batch.key),
            "assembly",
            "put on",
            f"Glue {bundle.name} on as one{self._copy}",
            SETTING_OUT_MINUTES + batch.glue.tack_minutes + batch.minutes * self.pace,
            of_copy(own, self.number),
            0.0 if batch.held else batch.glue.clamp_minutes,
            divisible=False,
            held=held_by(hold_of(self.job, self.plan, batch)) if not batch.held else (),
            tools=(batch.glue.name,),
            caution=batch.glue.caution,
            why=bundle.why,
            copy=self._which,
        )
        return self.gathered.add(step, (*before, *self.gathered.last(under))) if own else before

    def _label(self, one: Assembly, batch: Batch, count: int) -> str:
        plain = len(self.job.composition.layers) == 1 and not one.apart
        what = f"{count} {'piece' if plain else 'part'}{'' if count == 1 else 's'}"
        several = len([b for b in self.plan.batches_of[one.key] if not b.whole]) > 1
        if one.apart:
            return f"Put {one.name} together: {what}" + (f", batch {batch.number}" if several else "")
        if batch.held:
            label = f"Glue {what} one by one, each held until it sets"
        elif several:
            label = f"Glue batch {batch.number} of {len(self.plan.batches_of[one.key])}, {what}"
        else:
            label = f"Glue {what}"
        return label + ("" if plain else f" of {one.name}")

    def _trim(self, trim: Trim, before: tuple[str, ...]) -> tuple[str, ...]:
        """The glued sheets are trimmed to one edge, at their total thickness."""
        say = self.job.composition.practice.say
        keys = [key for key in trim.parts if key in self.sawn]
        step = Step(
            self._named("trim"),
            "saw",
            "trim",
            f"Trim the edge flush, {say(trim.thickness_mm)} thick, with No. {trim.blade.no}{self._copy}",
            trim.minutes * self.pace,
            of_copy(keys, self.number),
            place="saw",
            tools=(f"No. {trim.blade.no}",),
            caution="Eye protection, dust mask, fingers beside the blade; unplug to change it.",
            lines=trim.lines(self.job),
            why="glued sheets are never quite even at the edge; what stands proud of it goes on after",
            copy=self._which,
        )
        return self.gathered.add(step, before)
