"""What will go wrong at the saw."""

from collections import Counter

from ..findings import Finding, Fix, name_pieces
from ..rack.blades import LEAST_TEETH
from ..work.parts import Job
from ..work.register import judgement
from .blades import ALL, INSIDE, OUTLINE, tight_corners
from .corners import DEEP_MM
from .cuts import Cut, SawPlan
from .holding import blocks_of, held_by, long_and_wide
from .holes import least_opening_mm
from .kerf import gape_mm
from .offers import throat_offers
from .throat import COLUMN_MM, Hit

MOST_OFFERED = 5
"""Ways round the column are tried for so many sections or blanks."""
ARM_LONG, ARM_WIDE = 8.0, 2.0
"""An arm is so many times as long as wide, and narrower than so many times what fingers hold: own choice."""
HELD_BY = 1.5
"""What is left round a part has a place so many times as wide as what fingers hold: own choice."""
LEAST_GAPE_MM = 0.15
"""A joint that gapes by more is seen: own choice."""
MOST_GROWTH_MM = 2.0
"""A row that grows by more than this no longer fits its backer or frame: common practice, no source."""


@judgement("saw", plan="saw")
def saw_findings(job: Job, plan: SawPlan) -> list[Finding]:
    """Pieces too small to hold, openings without a bit, corners no blade turns, rows that grow, work that hits the
    saw's column, packs that are too thick, blades that run out, and arms that hang free."""
    return [
        *_too_small(job),
        *_undrillable(job, plan),
        *_tight_corners(job, plan),
        *_row_growth(job, plan),
        *_in_the_throat(job, plan),
        *_too_thick(job, plan),
        *_few_teeth(job, plan),
        *_blades_short(job, plan),
        *_too_near(job, plan),
        *_hanging(job, plan),
        *_little_left(job, plan),
        *_out_of_square(job, plan),
    ]


def _too_small(job: Job) -> list[Finding]:
    composition, limit = job.composition, job.composition.practice.hold_mm
    across = {
        key: 2 * spot.radius_mm
        for layer in composition.layers
        for key, spot in layer.coverage.spots.items()
        if key in job.pieces
    }
    # parts of a block are held by the block
    small = sorted(
        (
            p
            for p in composition.made
            if across[p.key] < limit and composition.home[p.key].kind not in ("face", "routed")
        ),
        key=lambda p: p.number,
    )
    if not small:
        return []
    worst = min(across[p.key] for p in small)
    several = len(small) > 1
    named = name_pieces([p.number for p in small])
    say = composition.practice.say
    return [
        Finding(
            "too-small",
            "saw",
            f"{named} {'are' if several else 'is'} "
            f"{say(worst)}{' or little more' if several else ''} at the fattest: too "
            f"small to hold beside the blade. Stick {'them' if several else 'it'} to a carrier board; {say(limit)} is "
            "safe to hold.",
            "Thickest place of the piece (largest circle that fits) against what fingers can hold.",
            tuple(p.key for p in small),
            amount=round(worst, 1),
            limit=limit,
            unit="mm",
            fix=Fix("Saw on a carrier", "accept", {"reason": "sawn on a carrier board"}),
        )
    ]


def _undrillable(job: Job, plan: SawPlan) -> list[Finding]:
    say = job.composition.practice.say
    return [
        Finding(
            "no-bit-fits",
            "saw",
            f"An opening of {job.by_key[cut.part].name} is {say(hole.room_mm)} at its fattest: no bit fits that lets "
            f"{cut.blade.name} through, the least is {say(least_opening_mm(cut.blade))}. Widen it, or "
            "leave it a drilled hole.",
            "The bit leaves 0.5 mm of waste round it and is 0.1 mm wider than the blade. A finer blade is taken where "
            "one fits that still clears its dust in this thickness.",
            (cut.piece,) if cut.piece else (),
            (round(hole.x_mm, 2), round(hole.y_mm, 2)),
            amount=round(hole.room_mm, 1),
            limit=round(least_opening_mm(cut.blade), 1),
            unit="mm",
            by_place=True,
        )
        for cut in plan.cuts
        for hole in cut.holes
        if hole.bit_mm is None
    ]


def _tight_corners(job: Job, plan: SawPlan) -> list[Finding]:
    """Inner corners that a blade cannot turn, gathered by blade."""
    practice = job.composition.practice
    number = {p.key: p.number for p in job.composition.made}
    findings = []
    for blade in dict.fromkeys(cut.blade for cut in plan.cuts):
        radius = blade.line_mm(practice)
        left: dict[int, tuple[float, tuple[float, float]]] = {}
        for what in (ALL, INSIDE, OUTLINE):
            mine = [cut.part for cut in plan.cuts if cut.blade == blade and cut.piece and cut.what == what]
            left |= {int(key): rest for key, rest in tight_corners(job, radius, mine, what).items()}
        if not left:
            continue
        keys = sorted(left, key=lambda key: number[key])
        worst = max(keys, key=lambda key: left[key][0])
        several = len(keys) > 1
        findings.append(
            Finding(
                "tight-corner",
                "saw",
                f"{'Inner corners' if several else 'An inner corner'} of {name_pieces([number[k] for k in keys])} "
                f"{'are' if several else 'is'} tighter than {blade.name} turns ({practice.say(radius)} at the line): "
                f"{practice.say(left[worst][0])} would be left standing{f' in {number[worst]}' if several else ''}. "
                "Saw in from both sides.",
                "The blade's width in its own kerf bounds the radius it can follow; the wall of "
                "an inner corner lies half "
                "a kerf farther out. A finer blade is taken where it would turn.",
                tuple(keys),
                left[worst][1],
                amount=round(left[worst][0], 2),
                limit=DEEP_MM,
                unit="mm",
                fix=Fix("Saw in from both sides", "accept", {"reason": "sawn into from both sides"}),
            )
        )
    return findings


def _row_growth(job: Job, plan: SawPlan) -> list[Finding]:
    say, stacked = job.composition.practice.say, job.composition.practice.fit == "stack"
    advice = (
        "Cut together in a pack it cannot be sanded away: a finer blade leaves less, or saw each beside the line."
        if stacked
        else "Saw beside the line and sand to it."
    )
    return [
        Finding(
            "row-growth",
            "saw",
            f"Each joint opens by {say(plan.gap_mm)}; over {row.joints} joints in the longest row that is "
            f"{say(row.growth_mm)}. {advice}",
            "On the line, and in a pack, every joint opens by one kerf, and the kerfs add up along a row.",
            amount=round(row.growth_mm, 1),
            limit=MOST_GROWTH_MM,
            unit="mm",
            layer=row.layer,
            fix=Fix("Saw beside the line", "practice", {"fit": "beside"}),
        )
        for row in plan.worst_rows
        if row.growth_mm >= MOST_GROWTH_MM
    ]


def _in_the_throat(job: Job, plan: SawPlan) -> list[Finding]:
    """Gathered by what lies on the table: a section of a board, or a blank of its own."""
    say = job.composition.practice.say
    gathered: dict[tuple, list[tuple[Cut, Hit]]] = {}
    for cut in plan.cuts:
        if hits := plan.hits_of(cut):
            room = plan.rooms[cut.blank]
            home = (room.board, room.number) if room.section else (cut.blank,)
            gathered.setdefault(home, []).append((cut, max(hits, key=lambda hit: hit.reach_mm)))
    found = []
    for n, hit in enumerate(gathered.values()):
        cuts = [cut for cut, _ in hit]
        worst = max((one for _, one in hit), key=lambda one: one.reach_mm)
        offers = throat_offers(job, plan, cuts) if n < MOST_OFFERED else []
        keys = tuple(dict.fromkeys(cut.piece for cut in cuts if cut.piece))
        numbers = sorted(job.composition.by_key[key].number for key in keys)
        names = name_pieces(numbers) if numbers else job.by_key[cuts[0].part].name
        board = plan.rooms[cuts[0].blank].board
        found.append(
            Finding(
                "hits-column",
                "saw",
                f"Sawing {names}{f' out of board {board}' if board else ''} the work hits the saw's column: it reaches "
                f"{say(worst.reach_mm)} back from the blade, the throat is {say(plan.throat_mm)}.",
                "The wood is turned round the blade as it is sawn; the column stands behind the blade, "
                f"{COLUMN_MM:g} mm wide. What is offered was tried.",
                keys,
                (worst.x_mm, worst.y_mm),
                amount=worst.reach_mm,
                limit=plan.throat_mm,
                unit="mm",
                fix=offers[0] if offers else Fix("Rough it out first", "accept", {"reason": "roughed out first"}),
                more=tuple(offers[1:]),
                part="" if keys else cuts[0].part,
            )
        )
    return found


def _too_thick(job: Job, plan: SawPlan) -> list[Finding]:
    """Packs and boards that the saw does not open for."""
    practice = job.composition.practice
    found = []
    for at, blank in enumerate(plan.blanks):
        if blank.thickness_mm <= practice.opens_mm or not plan.of_blank(at):
            continue
        first = plan.of_blank(at)[0]
        layer = job.composition.layer(blank.layer) if blank.layer else None
        what = f"{blank.stack} on each other are" if blank.stack > 1 else f"{job.by_key[first.part].name} is"
        advice = "Take fewer on each other." if blank.stack > 1 else "Mill it thinner, or saw it on a band saw."
        found.append(
            Finding(
                "too-thick",
                "saw",
                f"{what} {practice.say(blank.thickness_mm)} thick; the saw takes {practice.say(practice.opens_mm)}. "
                f"{advice}",
                "The arms of the saw and the stroke of its blade bound what goes under: as the shop's practice says.",
                (first.piece,) if first.piece else (),
                amount=round(blank.thickness_mm, 2),
                limit=practice.opens_mm,
                unit="mm",
                layer=layer.key if layer else 0,
                part="" if first.piece else first.part,
            )
        )
    return found


def _few_teeth(job: Job, plan: SawPlan) -> list[Finding]:
    """Wood so thin that even the finest blade has too few teeth in it."""
    few = [cut for cut in plan.cuts if cut.teeth_in_cut < LEAST_TEETH and cut.piece]
    if not few:
        return []
    number = {p.key: p.number for p in job.composition.made}
    keys = list(dict.fromkeys(cut.piece for cut in few))
    worst = min(few, key=lambda cut: cut.teeth_in_cut)
    named = name_pieces(sorted(number[key] for key in keys))
    return [
        Finding(
            "few-teeth",
            "saw",
            f"{named}: only {worst.teeth_in_cut:.1f} teeth of {worst.blade.name} are in the cut, it will catch and "
            "tear. Tape scrap under the wood, or stack it.",
            f"At least {LEAST_TEETH:g} teeth in the wood, whichever school: common practice, no source.",
            tuple(keys),
            amount=round(worst.teeth_in_cut, 1),
            limit=LEAST_TEETH,
            unit="teeth",
            fix=Fix("Scrap is taped under it", "accept", {"reason": "scrap taped under it"}),
        )
    ]


def _blades_short(job: Job, plan: SawPlan) -> list[Finding]:
    """Where a shop counts its blades: those that will not last."""
    if job.composition.practice.blades is None:
        return []
    return [
        Finding(
            "blades-short",
            "saw",
            f"{need.blade.name}: {need.count} are wanted for {job.composition.practice.say(need.length_mm)} of line, "
            f"{need.blade.at_hand or 'none'} {'is' if need.blade.at_hand == 1 else 'are'} at hand.",
            "A blade saws so much wall of wood, length times thickness, and less of hard wood: common practice.",
            amount=need.count,
            limit=need.blade.at_hand,
            unit="blades",
            part=need.blade.name,
            fix=Fix("They are on the way", "accept", {"reason": "blades are ordered"}),
        )
        for need in plan.needs
        if need.short
    ]


def _too_near(job: Job, plan: SawPlan) -> list[Finding]:
    """Parts of one sheet between which the blade does not fit beside their lines."""
    say = job.composition.practice.say
    found = []
    narrow = [at for at, (net, _) in plan.nets.items() if net.narrow]
    of_layer = Counter(plan.blanks[at].layer for at in narrow)
    for at in narrow:
        layer = job.composition.layer(plan.blanks[at].layer)
        kerf = max(cut.blade.kerf_mm for cut in plan.of_blank(at))
        found.append(
            Finding(
                "too-near",
                "saw",
                f"Somewhere in {layer.name} two lines lie nearer to each other than the {say(kerf)} that the blade "
                "takes: it saws into what is to stay. Move them apart, or take a finer blade.",
                "A kerf in the waste needs its width between the parts; where it has not, the blade runs on the line.",
                limit=round(kerf, 2),
                unit="mm",
                layer=layer.key,
                # a layer of several woods has a sheet for each
                part=plan.blanks[at].leads[0] if of_layer[layer.key] > 1 else "",
            )
        )
    return found


def _hanging(job: Job, plan: SawPlan) -> list[Finding]:
    """Parts that come away from a sheet together as a long thin arm, before they are sawn apart."""
    practice = job.composition.practice
    found = []
    for at, (net, leads) in plan.nets.items():
        sawn = [n for cut in plan.of_blank(at) for n in cut.lines]
        cut_of = [cut for cut in plan.of_blank(at) for _ in cut.lines]
        for block in blocks_of(net, sawn):
            long, wide = long_and_wide([net.bodies[i] for i in block.bodies])
            if wide >= ARM_WIDE * practice.hold_mm or long < ARM_LONG * wide:
                continue
            keys = [leads[i] for i in block.bodies]
            parts = [job.by_key[key] for key in keys]
            cut = cut_of[block.after - 1]
            found.append(
                Finding(
                    "long-arm",
                    "saw",
                    f"After cut {cut.order} {name_pieces(sorted(part.number for part in parts))} hang together as an "
                    f"arm {practice.say(long)} long and {practice.say(wide)} wide: it will chatter and snap. Saw some "
                    "of it earlier, or tape it to a carrier.",
                    "What is sawn off together is held by nothing else until it is sawn apart.",
                    tuple(part.id.piece for part in parts if part.id.piece),
                    amount=round(long / max(wide, 0.1), 1),
                    limit=ARM_LONG,
                    unit="times as long as wide",
                    layer=plan.blanks[at].layer,
                    fix=Fix("Tape it to a carrier", "accept", {"reason": "taped to a carrier"}),
                )
            )
    return found


def _little_left(job: Job, plan: SawPlan) -> list[Finding]:
    """Parts that come late out of a section of which little is left to hold."""
    by_section: dict[int, list[Cut]] = {}
    for cut in plan.cuts:
        room = plan.rooms[cut.blank]
        if room.section is not None and cut.frees:
            by_section.setdefault(id(room.section), []).append(cut)
    sections = []
    for cuts in by_section.values():
        section = plan.rooms[cuts[0].blank].section
        assert section is not None
        outline = dict(zip(section.keys, section.outlines, strict=True))
        sections.append((section.stock, [outline[cut.part] for cut in cuts]))
    practice = job.composition.practice
    least = HELD_BY * practice.hold_mm
    held = held_by(sections, least)
    found = []
    for cuts, told in zip(by_section.values(), held, strict=True):
        board = plan.rooms[cuts[0].blank].board
        loose = [cut for cut, enough in zip(cuts, told, strict=True) if not enough]
        # a part that is itself no wider is told as too small to hold
        numbers = sorted(job.by_key[cut.part].number for cut in loose if cut.piece)
        if not numbers:
            continue
        found.append(
            Finding(
                "little-left",
                "saw",
                f"When {name_pieces(numbers)} {'are' if len(numbers) > 1 else 'is'} sawn, what is left of {board} is "
                f"nowhere {practice.say(least)} wide: too little to hold beside the blade. Tape it to a carrier, or "
                "saw it sooner.",
                "What hangs together round a part when its turn comes, without all that is gone before: the largest "
                f"circle in it is less than {HELD_BY:g} times what fingers hold.",
                tuple(cut.piece for cut in loose if cut.piece),
                limit=least,
                unit="mm",
                part=board,
                fix=Fix("Tape it to a carrier", "accept", {"reason": "taped to a carrier"}),
            )
        )
    return found


def _out_of_square(job: Job, plan: SawPlan) -> list[Finding]:
    """What a blade out of square does to joints, by the thickness of the wood."""
    practice = job.composition.practice
    thick = max((plan.blanks[cut.blank].thickness_mm for cut in plan.cuts if cut.piece), default=0.0)
    gape = gape_mm(thick, practice.square_deg)
    if gape < LEAST_GAPE_MM:
        return []
    return [
        Finding(
            "out-of-square",
            "saw",
            f"The blade is off square by {practice.square_deg:g} degrees: joints in wood of {practice.say(thick)} gape "
            f"by {practice.say(gape)} on one side. Set the table square before the first cut.",
            "Two faces cut the same way round lean apart: 2 T tan e.",
            amount=round(gape, 2),
            limit=LEAST_GAPE_MM,
            unit="mm",
            fix=Fix("It is square now", "practice", {"square_deg": "0"}),
        )
    ]
