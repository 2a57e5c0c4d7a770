"""All tasks of a composition with hands-on minutes and waits, and what each has to wait for."""

import math
from dataclasses import dataclass

from ..assembly.glueup import GluePlan
from ..assembly.supplies import finishes
from ..composition import Composition
from ..saw.cuts import SawPlan

LONGEST_SITTING = 60.0
"""Work that can be put down is cut into sittings of at most an hour, so that it fits short evenings."""


@dataclass(frozen=True, slots=True)
class Task:
    """`minutes` of hands, then `wait_minutes` in which nobody is needed; `after` are keys that must be done and dry."""

    key: str
    label: str
    station: str
    minutes: float
    wait_minutes: float = 0.0
    after: tuple[str, ...] = ()
    pieces: tuple[int, ...] = ()
    caution: str = ""


def tasks_of(composition: Composition, saw: SawPlan, glue: GluePlan) -> tuple[Task, ...]:
    """The whole job, in an order in which it could be done one after another. Minutes are common practice, no source."""
    practice, layer = composition.practice, composition.mosaic
    keys = tuple(cut.piece for cut in saw.cuts)
    if not keys:
        return ()
    tasks: list[Task] = []

    def add(key, label, station, minutes, wait=0.0, after=(), pieces=(), caution="") -> str:
        tasks.append(Task(key, label, station, minutes, wait, tuple(after), tuple(pieces), caution))
        return key

    def sittings(key, label, station, minutes, after, pieces, caution="") -> str:
        """Cut long work into sittings that follow one another; returns the last one's key."""
        count = max(1, math.ceil(minutes / LONGEST_SITTING))
        share = math.ceil(len(pieces) / count)
        for i in range(count):
            name = label if count == 1 else f"{label}, {i + 1} of {count}"
            part = pieces[i * share : (i + 1) * share]
            after = (add(f"{key}-{i + 1}", name, station, minutes / count, 0.0, after, part, caution),)
        return after[0]

    # pattern copies, pasted once the adhesive is tacky
    pasted = add("paste", f"Print, cut out and paste {len(keys)} patterns", "pattern", 15 + 0.8 * len(keys), 5.0,
                 caution="Spray adhesive: ventilate, no flame.", pieces=keys)  # fmt: skip
    sawn = pasted
    for chapter in saw.chapters:
        sawn = sittings(f"saw{chapter.number}", f"Saw with No. {chapter.blade.no}", "saw", chapter.minutes, (sawn,),
                        chapter.pieces, "Eye protection, dust mask, fingers beside the blade; unplug to change it.")  # fmt: skip
    fitted = sittings("fit", "Fit on the placement sheet", "assembly", practice.fit_minutes * len(keys), (sawn,), keys)
    shims = [p.key for p in layer.pieces if p.shim_mm > 0]
    if shims:
        fitted = add("shims", f"Cut {len(shims)} shims", "relief", 2.0 * len(shims), 0.0, (fitted,), shims)
    shaped = sittings("shape", "Shape and sand", "assembly", practice.shape_minutes * len(keys), (fitted,), keys,
                      "Dust mask and extraction.")  # fmt: skip
    finish = finishes()[practice.finish]
    # the backer is traced from the fitted pieces and dries while they are shaped
    backed = add("backer", "Trace and saw the backer, ease its edge", "assembly", 25.0, 0.0, (fitted,))
    backed = add("backer-finish", f"{finish.name} on the back of the backer", "assembly", 10.0, finish.handle_minutes,
                 (backed,), caution=finish.caution)  # fmt: skip
    coats = 10 + 0.25 * len(keys)

    def finishing(after: str) -> str:
        for coat in range(1, practice.coats + 1):
            last = coat == practice.coats
            wait = finish.handle_minutes if last else finish.recoat_minutes
            after = add(f"coat{coat}", f"{finish.name}, coat {coat} of {practice.coats}", "assembly", coats, wait,
                        (after,), keys, finish.caution)  # fmt: skip
        return after

    before = finishing(shaped) if practice.finish_when == "before" else shaped
    glued = add("anchor-line", "Mark the anchor on the backer", "assembly", 5.0, 0.0, (before, backed))
    for number, batch in enumerate(glue.batches, 1):
        glued = add(f"glue{number}", f"Glue batch {number} of {len(glue.batches)}, {len(batch)} pieces", "assembly",
                    3 + practice.seconds_per_piece * len(batch) / 60, glue.glue.clamp_minutes, (glued,), batch,
                    glue.glue.caution)  # fmt: skip
    cured = add("cure", "Take the clamps off, clean up", "assembly", 5.0, glue.glue.work_minutes, (glued,))
    done = finishing(cured) if practice.finish_when == "after" else cured
    add("hang", "Hanger, name on the back, photograph", "assembly", 20.0, 0.0, (done,))
    return tuple(tasks)
