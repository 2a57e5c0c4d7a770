"""What is wrong with how pieces are to be shaped: bevels that clash or hold too little, slopes that run too low."""

from ..findings import Finding, Fix, name_pieces
from ..work.parts import Job
from ..work.standing import LEAST_LEFT_MM
from .bevel import LEAST_HELD, USUAL_DEG, bevels_of
from .shaping import slope_faults


def shape_findings(job: Job) -> list[Finding]:
    return [*_bevels(job), *_slopes(job), *_thin(job)]


def _bevels(job: Job) -> list[Finding]:
    composition, say = job.composition, job.composition.practice.say
    found = []
    for cut in bevels_of(job).values():
        number = composition.by_key[cut.piece].number
        undo = Fix("No bevel", "bevel", {"pieces": [cut.piece]})
        if cut.clashes:
            names = name_pieces([composition.by_key[key].number for key in cut.clashes])
            found.append(
                Finding(
                    "bevel-clashes",
                    "relief",
                    f"{number} is bevelled and meets {names} besides {composition.by_key[cut.host].number}, out of "
                    f"which it is sawn: along them a wedge stays open, and it jams on one side only.",
                    "A bevelled piece jams evenly in one that goes all round it.",
                    (cut.piece, *cut.clashes),
                    amount=len(cut.clashes),
                    limit=0,
                    fix=undo,
                )
            )
        if cut.held_mm < LEAST_HELD * job.thickness_mm[cut.host]:
            found.append(
                Finding(
                    "bevel-loose",
                    "relief",
                    f"{number} slides by {say(abs(cut.rise_mm))} and is held by {say(max(cut.held_mm, 0.0))} only. "
                    "Tilt more, or lift it with a shim.",
                    "What is held by less than two fifths of its thickness rocks and comes out.",
                    (cut.piece,),
                    amount=cut.held_mm,
                    limit=LEAST_HELD * job.thickness_mm[cut.host],
                    unit="mm",
                    fix=undo,
                )
            )
        if not USUAL_DEG[0] <= cut.tilt_deg <= USUAL_DEG[1]:
            found.append(
                Finding(
                    "bevel-unusual",
                    "relief",
                    f"{number} takes a tilt of {cut.tilt_deg:.1f} degrees with a kerf of {cut.kerf_mm:.2f} mm; 2 to 3 "
                    "are usual. Try it on scrap first.",
                    "The slide follows from the kerf, and a kerf differs from blade to blade.",
                    (cut.piece,),
                    amount=round(cut.tilt_deg, 2),
                    limit=USUAL_DEG[0] if cut.tilt_deg < USUAL_DEG[0] else USUAL_DEG[1],
                    unit="degrees",
                )
            )
    return found


def _slopes(job: Job) -> list[Finding]:
    composition, say = job.composition, job.composition.practice.say
    found = []
    for key, slope in composition.decisions.relief.slopes.items():
        if key not in job.pieces:
            continue
        left, below = slope_faults(job, key)
        number = composition.by_key[key].number
        if left < LEAST_LEFT_MM:
            found.append(
                Finding(
                    "carved-thin",
                    "relief",
                    f"The slope on {number} leaves {say(max(left, 0.0))} of wood at its low end; {say(LEAST_LEFT_MM)} "
                    "is the least that can be held and sanded.",
                    "Thin ends break, and a belt takes fingertips.",
                    (key,),
                    point_mm=slope.low,
                    amount=left,
                    limit=LEAST_LEFT_MM,
                    unit="mm",
                )
            )
        if below:
            names = name_pieces([composition.by_key[other].number for other in below])
            found.append(
                Finding(
                    "carved-below",
                    "relief",
                    f"The slope on {number} runs below {names}, which lie{'s' if len(below) == 1 else ''} behind it: "
                    "there their raw edge would show. Leave its low end higher, or lower them.",
                    "What is in front must not dip behind what it covers.",
                    (key, *below),
                    point_mm=slope.low,
                )
            )
    return found


def _thin(job: Job) -> list[Finding]:
    """Pieces that are lowered from below until too little is left."""
    thin = [key for key, pair in job.standing.pair.items() if pair.lowered_mm and job.thickness_mm[key] < LEAST_LEFT_MM]
    if not thin:
        return []
    say = job.composition.practice.say
    numbers = sorted(job.composition.by_key[key].number for key in thin)
    least = min(job.thickness_mm[key] for key in thin)
    return [
        Finding(
            "lowered-thin",
            "relief",
            f"{name_pieces(numbers)} would be lowered to {say(least)}: under {say(LEAST_LEFT_MM)} it goes on a "
            "carrier, or its height changes.",
            "Stock thinner than that is never planed by itself.",
            tuple(sorted(thin)),
            amount=least,
            limit=LEAST_LEFT_MM,
            unit="mm",
        )
    ]
