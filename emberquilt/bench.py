"""The cards at the bench: every piece sawn, then shaped, then glued, one card at a time."""

from dataclasses import dataclass

from .plan import Plan
from .wood.woods import wood

STEPS = {"saw": "Saw", "shape": "Shape", "glue": "Glue"}
SAW_CAUTION = "Eye protection, hearing, dust mask. Fingers beside the blade, never in its line. Unplug to change it."
SHAPE_CAUTION = "Dust mask and extraction. A piece too small to hold goes on a carrier."


@dataclass(frozen=True, slots=True)
class Card:
    """One thing to do now. `estimate_minutes` holds the shop's correction, `base_minutes` does not."""

    step: str
    piece: int
    verb: str
    lines: tuple[str, ...]
    estimate_minutes: float
    base_minutes: float
    caution: str

    @property
    def key(self) -> tuple[str, int]:
        return self.step, self.piece


def cards(plan: Plan) -> tuple[Card, ...]:
    """All cards in order: sawing order, then the highest pieces shaped first, then gluing order."""
    layer, practice = plan.composition.in_hand, plan.composition.practice
    table = []
    for cut in plan.saw.cuts:
        piece = layer.by_key[cut.piece]
        lines = []
        bits = [hole.bit_mm for hole in cut.holes if hole.bit_mm]
        if cut.holes:
            size = f" {min(bits):g} mm" if bits else ""
            lines.append(
                f"Drill {len(cut.holes)}{size} pilot hole{'s' if len(cut.holes) > 1 else ''}, saw the inside first"
            )
        lines.append(f"No. {cut.blade.no}, {cut.teeth_in_cut:.0f} teeth in the cut; start at the marked point")
        dust = wood(piece.wood).dust
        caution = f"{SAW_CAUTION} {dust}".strip()
        base = cut.minutes / practice.estimate_ratio
        table.append(Card("saw", cut.piece, STEPS["saw"], tuple(lines), cut.minutes, base, caution))
    highest_first = sorted(
        (c.piece for c in plan.saw.cuts), key=lambda k: (-(layer.by_key[k].height_mm or 0.0), layer.by_key[k].number)
    )
    for key in highest_first:
        piece = layer.by_key[key]
        lines = ["Sand to the line, round over what shows: 100, 150, 220, 320 grit"]
        if piece.shim_mm:
            lines.insert(
                0,
                f"Shim of {practice.say(piece.shim_mm)} under it, {practice.say(practice.shim_inset_mm)} in from the edge",
            )
        minutes = practice.shape_minutes + practice.fit_minutes
        table.append(
            Card(
                "shape",
                key,
                STEPS["shape"],
                tuple(lines),
                minutes,
                minutes,
                f"{SHAPE_CAUTION} {wood(piece.wood).dust}".strip(),
            )
        )
    sawn = {c.piece for c in plan.saw.cuts}
    for step in plan.glue.steps:
        if step.piece not in sawn:
            continue
        touching = [layer.by_key[k].number for k in step.touches[:4]]
        where = f"Against {', '.join(map(str, touching))}" if touching else "The anchor: on its line, checked twice"
        lines = [where, f"Batch {step.batch} of {len(plan.glue.batches)}, {plan.glue.glue.name.lower()}"]
        minutes = practice.seconds_per_piece / 60
        table.append(Card("glue", step.piece, STEPS["glue"], tuple(lines), minutes, minutes, plan.glue.glue.caution))
    return tuple(table)
