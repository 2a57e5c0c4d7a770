"""The cards at the bench: the same steps that the calendar dates, one card at a time."""

from dataclasses import dataclass
from typing import Any

from ..assembly.alike import alike_of
from ..assembly.dryfit import fit_order
from ..assembly.glueup import GluePlan, GlueStep
from ..assembly.told import ALIGNING, glue_lines
from ..findings import name_pieces
from ..outline.details import LEAST_DETAIL_MM
from ..relief.bevel import bevels_of
from ..relief.shaping import GRITS, together_of
from ..saw.blades import ALL, INSIDE
from ..saw.cuts import SawPlan
from ..saw.steps import SAW_VERBS
from ..saw.told import corners_told
from ..work.copies import among, any_copy, copy_of
from ..work.fitted import fits_of
from ..work.parts import Job, Part
from ..work.shaped import EASED_MM, edge_of
from ..work.steps import Step, groups

VERBS = {"saw": "Saw", INSIDE: "Saw inside", "shape": "Shape", "glue": "Glue"}
MANY_HOLES = 2
"""From more openings than this a part is fretwork: own choice."""
SAW_CAUTION = "Eye protection, hearing, dust mask. Fingers beside the blade, never in its line. Unplug to change it."


@dataclass(frozen=True, slots=True)
class Card:
    """One thing to do now: a step, or of a step done part by part one part, or those that one run sets free.
    `estimate_minutes` holds the shop's correction, `base_minutes` does not."""

    step: Step
    parts: tuple[str, ...]
    verb: str
    title: str
    lines: tuple[str, ...]
    estimate_minutes: float
    base_minutes: float
    caution: str

    @property
    def piece(self) -> int:
        """Key of the piece that is lit on the picture; 0 where the card is about all, or about no piece."""
        if not self.step.each:
            return 0
        name = any_copy(self.parts[0])
        return int(name) if name.isdecimal() else 0

    @property
    def copy(self) -> int:
        """The copy it is for, 0 where it is for all at once."""
        return copy_of(self.parts[0]) if self.step.each else self.step.copy

    @property
    def marks(self) -> tuple[tuple[str, str], ...]:
        """What is ticked with it."""
        return tuple(self.step.mark(part) for part in self.parts) if self.step.each else (self.step.mark(),)

    @property
    def key(self) -> tuple[str, str]:
        return self.marks[0]


def cards(job: Job, steps: tuple[Step, ...], saw: SawPlan, glue: GluePlan) -> tuple[Card, ...]:
    """All cards, in the order of the steps."""
    table: list[Card] = []
    for step in steps:
        if not step.each:
            table.append(_whole(job, step, glue))
            continue
        at = 0
        for group in groups(step):
            minutes = sum(step.shares[at : at + len(group)])
            at += len(group)
            table.append(_of_part(job, step, group, minutes, saw, glue))
    return tuple(table)


def made_of(job: Job, card: Card, saw: SawPlan) -> dict[str, Any]:
    """What the log learns of a card by: of a cut as the saw has it, of another its wood and thickness."""
    verb = {"verb": card.step.verb}
    if not card.step.each:
        return verb
    part = job.by_key[any_copy(card.parts[0])]
    if card.step.verb in SAW_VERBS:
        cut = saw.cut_at(card.step.key, part.key)
        return {**verb, **cut.made_of} | {
            "length_mm": round(cut.length_mm, 1),
            "wears": round(cut.wears / cut.runs, 4),
            "lasts": round(job.composition.blade_lasts.get(cut.blade.name, 1.0), 4),
        }
    return verb | {"wood": part.material, "thickness_mm": round(part.thickness_mm, 2)}


def _put_on(job: Job, step: Step, glue: GluePlan) -> list[str]:
    """How a sub-assembly goes on as one."""
    if step.verb != "put on":
        return []
    batch = next(one for one in glue.batches if one.key == step.key.partition("/")[0])
    return [*_first_under(job, batch.steps[0]), *glue_lines(job, glue, batch.steps[0], batch)]


def _whole(job: Job, step: Step, glue: GluePlan) -> Card:
    lines = [
        *step.lines,
        *_put_on(job, step, glue),
        *_fitting(job, step, glue),
        *(line[:1].upper() + line[1:] for line in (step.why,) if line),
    ]
    if step.wait_minutes:
        lines.append("Then it waits; go on with something else")
    # the card says by itself which copy it is
    title = step.label.removesuffix(among(step.copy, job.copies)) if step.copy else step.label
    base = step.minutes / step.pace
    return Card(step, step.parts, step.label, title, tuple(lines), step.minutes, base, step.caution)


def _of_part(job: Job, step: Step, group: tuple[str, ...], minutes: float, saw: SawPlan, glue: GluePlan) -> Card:
    part = job.by_key[any_copy(group[0])]
    lines, base, caution = {"saw": _sawing, INSIDE: _sawing, "shape": _shaping, "glue": _gluing}[step.verb](
        job, step, part, group, minutes, saw, glue
    )
    verb = VERBS[step.verb]
    return Card(step, group, verb, f"{verb} {part.name}", tuple(lines), minutes, base, caution)


def _dust(job: Job, part: Part) -> str:
    wood = job.composition.rack.shelf.get(part.material)
    return wood.dust if wood else ""


def _sawing(job: Job, step: Step, part: Part, group: tuple[str, ...], minutes: float, saw: SawPlan, _glue):
    cut = saw.cut_at(step.key, part.key)
    lines = []
    if cut.holes:
        bits = [hole.bit_mm for hole in cut.holes if hole.bit_mm]
        size = f" of {' and '.join(f'{bit:g}' for bit in sorted(set(bits)))} mm" if bits else ""
        where = " on the line" if cut.holes[0].on_line else ""
        plural = "s" if len(cut.holes) > 1 else ""
        tilted = ", the drill tilted as the table" if cut.tilt_deg else ""
        lines.append(f"Drill {len(cut.holes)} pilot hole{plural}{size}{where}{tilted}; sand the burrs off its back")
    if cut.what != ALL:
        lines.append("Its openings now, its outline with another blade" if cut.what == INSIDE else "Its outline now")
    fresh = "A fresh " if cut.fresh else ""
    lines.append(
        f"{fresh}{cut.blade.name}, {cut.teeth_in_cut:.0f} teeth in the cut; start at the marked point"
        + (f"; {corners}" if (corners := corners_told(cut)) else "")
    )
    if hits := saw.hits_of(cut):
        lines.append(f"It hits the saw's column: {job.composition.practice.say(hits[0].reach_mm)} behind the blade")
    if len(cut.holes) > MANY_HOLES:
        lines.append("Cut the blank to its final size before the inside: fretted wood goes on no powered crosscut saw")
    if len(group) > 1:
        lines.append(f"{len(group)} on each other: {_freed(job, group)} come out of one cut")
    place = job.composition.placements.get(group[0])
    if place:
        lines.append(f"From board {place.board}{_where(job, group[0])}, the arrow along its grain")
    if part.id.piece in job.composition.decisions.relief.bevels and (bevel := bevels_of(job).get(part.id.piece)):
        host = job.composition.by_key[bevel.host].number
        lines.append(
            f"Out of {host} with the table tilted {bevel.tilt_deg:.1f}°, its {bevel.down} side down, drill tilted too; "
            f"go {bevel.way} as seen from above: it will {'stand proud' if bevel.rise_mm > 0 else 'lie lower'} by "
            f"{job.composition.practice.say(abs(bevel.rise_mm))}"
        )
    if sawn := _details(job, part, ("sawn", "vein")):
        lines.append(f"{sawn} to saw into it without freeing anything: back out as you came")
    caution = f"{SAW_CAUTION} {_dust(job, part)}".strip()
    return lines, minutes / cut.pace, caution


def _freed(job: Job, group: tuple[str, ...]) -> str:
    words = [job.by_key[any_copy(key)].name + (f" of copy {copy_of(key)}" if job.copies > 1 else "") for key in group]
    return ", ".join(words[:4]) + (f" and {len(words) - 4} more" if len(words) > 4 else "")


def _where(job: Job, key: str) -> str:
    """How far along the board, and from its near edge, the part's fattest spot lies."""
    place = job.composition.placements[key]
    if place.point is None or place.board not in job.composition.rack.by_name:
        return ""
    say = job.composition.practice.say
    x, y = place.point
    return f", {say(x)} along and {say(y)} down to the middle of its fattest spot"


def _fitting(job: Job, step: Step, glue: GluePlan) -> list[str]:
    """What a dry fit of a layer comes to."""
    if step.verb != "fit":
        return []
    layer = int(step.key.removeprefix("fit-"))
    pairs = {seam.pair for seam in fit_order(job, glue) if seam.layer == layer}
    fits = [fit for fit in fits_of(job.composition) if (fit.a, fit.b) in pairs]
    right = sum(fit.found == "ok" for fit in fits)
    told = [f"{len(pairs) * job.copies} seams, one after the other; {right} were found right"]
    if len(fits) > right:
        told.append(f"{len(fits) - right} are tight or open still")
    return told


def _shaping(job: Job, step: Step, part: Part, group: tuple[str, ...], minutes: float, _saw, _glue):
    practice = job.composition.practice
    sheet = part.role in ("sheet", "backer", "spacer")
    lines = []
    shim = job.shim_mm.get(part.id.piece, 0.0)
    # a bevelled piece is held by what it jams in, and has nothing under it
    if shim and part.id.piece not in job.composition.decisions.relief.bevels:
        lines.append(f"Shim of {practice.say(shim)} under it, {practice.say(practice.shim_inset_mm)} in from the edge")
    lines += _shaped(job, part.id.piece, sheet)
    for how, words in (
        ("vein", "soften with folded sandpaper"),
        ("textured", "texture"),
        ("burnt", "burn"),
        ("painted", "paint"),
    ):
        if drawn := _details(job, part, (how,)):
            lines.append(f"{drawn} to {words} on it, once it is sanded")
    return lines, minutes / step.pace, f"{step.caution} {_dust(job, part)}".strip()


def _shaped(job: Job, key: int, sheet: bool) -> list[str]:
    """How a piece is held, then what is taken off where, by grits from coarse to fine."""
    if key not in job.pieces:
        return []
    composition, say = job.composition, job.composition.practice.say
    relief, pair = composition.decisions.relief, job.standing.pair[key]
    lines = []
    if 2 * composition.home[key].coverage.spots[key].radius_mm < composition.practice.hold_mm:
        lines.append("Too small to hold: stick it on a carrier first")
    if beside := together_of(job).get(key):
        numbers = name_pieces([composition.by_key[other].number for other in beside], 4)
        lines.append(f"Tape it to {numbers} from below: they are one surface, shaped as one")
    if pair.lowered_mm:
        lines.append(f"Take {say(pair.lowered_mm)} off from below: {say(job.thickness_mm[key])} is left")
    coarse, fine, finer, finest = GRITS
    edge, square = edge_of(job, key)
    if sheet:
        eased = f", its edges stay square: {square}" if square else ", ease the edges"
        return [*lines, f"Sand the burrs off the back{eased}: {fine}, {finer} grit"]
    slope = relief.slopes.get(key)
    if slope is not None:
        carve = f"carve it from {say(slope.high_mm)} down to {say(slope.low_mm)} along the wedge on the drawing"
        lines.append(f"{coarse} grit: to the line, and {carve}")
    else:
        lines.append(f"{coarse} grit: to the line, its top flat")
    if square:
        lines.append(f"{fine} grit: its edges stay square, {square}")
    elif edge > EASED_MM:
        lines.append(f"{fine} grit: round it over by up to {say(edge)}, where the drawing is red")
    else:
        lines.append(f"{fine} grit: only break its edges, it stands above nothing beside it")
    lines.append(f"{finer}, then {finest} by hand along the grain, all that shows")
    return lines


def _details(job: Job, part: Part, hows: tuple[str, ...]) -> str:
    """How many lines that part nothing lie on a piece; empty for none, and for parts that are not seen."""
    if not part.id.piece:
        return ""
    lines = [d.geometry for d in job.composition.decisions.pattern.details if d.how in hows]
    count = sum(line.intersection(part.outline).length > LEAST_DETAIL_MM for line in lines)
    return "" if not count else "One line" if count == 1 else f"{count} lines"


def _gluing(job: Job, step: Step, part: Part, group: tuple[str, ...], minutes: float, _saw, glue: GluePlan):
    row, batch = glue.by_part[part.key], glue.batch_of[part.key]
    first = batch.number == 1 and row is batch.steps[0]
    align = ALIGNING[job.composition.practice.align] if first and not job.grounds else ()
    warning = alike_of(job).warning(job, part.key)
    touching = [job.by_key[key].name for key in row.touches[:4]]
    if touching:
        where = f"Against {', '.join(touching)}"
    elif row.reason in ("anchor", "your anchor"):
        where = "The anchor: on its line, checked twice"
    else:
        where = row.reason[:1].upper() + row.reason[1:]
    told = [*align, *_first_under(job, row), where, *glue_lines(job, glue, row, batch)]
    return [*told, warning] if warning else told, minutes / step.pace, step.caution


def _first_under(job: Job, row: GlueStep) -> list[str]:
    if not row.under:
        return []
    names = [job.by_key[key].name for key in row.under]
    first = f"{len(names)} spacers first" if len(names) > 1 else f"Its {job.by_key[row.under[0]].role} first"
    return [f"{first}, then this on it"]
