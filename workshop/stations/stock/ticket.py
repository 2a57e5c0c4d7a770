"""What the Stock station says."""

from emberquilt.drawing.milling import milling_drawing, short_words
from emberquilt.drawing.rack import DrawnBoard, RackDrawing, rack_drawing
from emberquilt.errors import BadChoice
from emberquilt.keys import runs
from emberquilt.rack.boards import DEFECTS
from emberquilt.saw.copies import MOST_COPIES
from emberquilt.stock.buying import Buying, bought
from emberquilt.stock.caliper import stretch_of
from emberquilt.stock.laying import turns_of
from emberquilt.stock.leaves import leaves_of
from emberquilt.stock.milling import WORDS, sizes_told, target_mm
from emberquilt.stock.panels import PanelPlan, panel_for, too_wide
from emberquilt.stock.parts_list import material_name, parts_list
from emberquilt.stock.readings import TO_BUY
from emberquilt.stock.swaps import swaps_of
from emberquilt.work.composition import Composition
from emberquilt.work.copies import any_copy
from emberquilt.work.parts import Job
from workshop.compositions.models import LayoutSearch
from workshop.stations.desk import Desk
from workshop.stations.faces import face_url

from .search import SECONDS

PRACTICE = (
    "part_gap_mm",
    "edge_gap_mm",
    "grain_within_deg",
    "section_mm",
    "planer_long_mm",
    "planer_wide_mm",
    "planer_thin_mm",
    "resaw_high_mm",
    "resaw_kerf_mm",
    "planing_mm",
    "lengths_sold_mm",
    "widths_sold_mm",
    "sheets_sold_mm",
    "board_use",
    "backer_material",
    "backer_mm",
)
MOST_LINES = 60
LEAVES = "abcdefghijklmnopqrstuvwxyz"
SHADE_PX = 3.0


def context(desk: Desk) -> dict:
    plan, composition, shelf = desk.plan, desk.composition, desk.composition.rack.shelf
    chosen = {str(p.key) for p in desk.chosen.pieces} if desk.chosen else set()
    largest = max((n.rough_mm2 for n in plan.needs), default=1.0)
    needs = [
        {
            "need": n,
            "name": material_name(shelf, n.material),
            "keys": runs(n.pieces),
            "chosen": bool(chosen & set(n.parts)),
            "grow": 1 + round(19 * n.rough_mm2 / largest),
        }
        for n in plan.needs
    ]
    shown = next((n for n in needs if n["chosen"]), None) or (needs[0] if needs else None)
    lines = _lines(desk)
    key = _part_key(desk)
    shopping = desk.plan.buying if desk.show == TO_BUY else None
    job, only = desk.job, None
    if shopping and (shopping.purchases or shopping.too_large):
        job, only = bought(job, shopping), frozenset(one.part for one in shopping.too_large)
    rack = rack_drawing(job, only)
    return {
        **_drawn(desk, job, rack, key),
        **(_shopping(desk, shopping) if shopping else {}),
        **_milling(desk, key),
        "part_key": key,
        "lying": _lying(desk, key, rack),
        "nailed": sum(1 for p in composition.placements.values() if p.nailed and p.point is not None),
        "laid": sum(1 for p in composition.placements.values() if p.point is not None),
        "needs": needs,
        "shown_need": shown,
        "paper": max(plan.paper.values(), default=0),
        "paper_bound": MOST_COPIES,
        "lines": lines[:MOST_LINES],
        "more_lines": max(0, len(lines) - MOST_LINES),
        "parts_count": sum(line["line"].count for line in lines),
        "weight_kg": plan.relief.weight_kg,
        "copies": composition.decisions.whole.copies,
        "flaw_kinds": list(DEFECTS.items()),
    }


def _milling(desk: Desk, key: str) -> dict:
    """What is to be done to the boards, drawn with those of the chosen part's board first, and listed machine by
    machine."""
    milling, practice, rack = desk.plan.milling, desk.composition.practice, desk.composition.rack
    place = desk.composition.placements.get(key)
    own = place.board if place else ""
    drawn = milling_drawing(milling)
    rows = [
        {
            "drawn": one,
            "words": short_words(one.mill, practice.short),
            "sizes": sizes_told(one.mill, practice.short),
            "own": one.mill.board == own,
            "colour": _colour(rack.shelf, rack.by_name[one.mill.board].wood),
        }
        for one in drawn
    ]
    of_mill, groups = iter(rows), []
    for setting, mills in milling.settings.items():
        own_rows, minutes = [next(of_mill) for _ in mills], milling.minutes_at(setting)
        groups.append({"words": WORDS[setting[0]], "thick_mm": setting[1], "minutes": minutes, "rows": own_rows})
    return {
        "mills": sorted(rows, key=lambda row: not row["own"]),
        "mill_groups": groups,
        "mill_minutes": milling.minutes,
        "mill_lost": milling.lost_feet,
    }


def search_context(row) -> dict:
    """How far a search for a better layout is, or what it found."""
    search = LayoutSearch.objects.filter(composition=row).first()
    return {"search": search, "search_live": search is not None and search.live, "search_seconds": SECONDS}


def _part_key(desk: Desk) -> str:
    """The part that is chosen on the rack: the one that is asked for, or the first of the chosen piece."""
    job, asked = desk.job, desk.asked.get("part", "")
    one = desk.chosen.one if desk.chosen else None
    if asked and job.part(asked) is not None:
        piece = any_copy(asked)
        if not piece.isdecimal() or (one is not None and piece == str(one.key)):
            return asked
    if one is None:
        return ""
    placed = [key for key in desk.composition.placements if any_copy(key) == str(one.key)]
    return min(placed, default=str(one.key))


def _shopping(desk: Desk, buying: Buying) -> dict:
    """What to buy in lines, what no size holds, and what could be made from the rack instead."""
    practice, shelf, job = desk.composition.practice, desk.composition.rack.shelf, desk.job
    missing = [any_copy(key) for key in (*buying.parts, *(one.part for one in buying.too_large))]
    lines = []
    for one in buying.purchases:
        pieces = {int(any_copy(key)) for key in one.parts if any_copy(key).isdecimal()}
        lines.append(
            {
                "one": one,
                "name": material_name(shelf, one.material),
                "keys": runs(pieces),
                "words": f"{practice.short(one.width_mm)} × {practice.say(one.length_mm)}",
                "leaves": one.leaves if one.leaves > 1 else 0,
            }
        )
    large = [
        {"one": one, "part": job.by_key[any_copy(one.part)], "name": material_name(shelf, one.material)}
        for one in buying.too_large
    ]
    return {
        "shopping": True,
        "purchases": lines,
        "too_large": large[:6],
        "buy_price": buying.price,
        "swaps": [
            {"swap": swap, "wood": shelf.name(swap.wood), "other": shelf.name(swap.other), "keys": runs(swap.pieces)}
            for swap in swaps_of(job, missing)
        ],
    }


def _drawn(desk: Desk, job: Job, rack: RackDrawing, key: str) -> dict:
    scale, practice = rack.scale, desk.composition.practice
    long_px = rack.ruler[2] * scale
    bits = 16 if practice.unit == "in" else 20
    ticks = "".join(f"M{long_px * i / bits:.1f} 0v{7 if i % 4 == 0 else 4}" for i in range(1, bits))
    shelf = desk.composition.rack.shelf
    return {
        "rack": rack,
        "boards": [_board(desk, job.composition, one, key) for one in rack.boards],
        "loose": [
            {
                "part": part,
                "x": round(x, 1),
                "y": round(y, 1),
                "scale": scale,
                "tx": round(part.x_mm * scale, 1),
                "ty": round(part.y_mm * scale + 0.36 * part.label_px, 1),
                "colour": _colour(shelf, desk.job.by_key[any_copy(part.key)].material),
            }
            for part, x, y in rack.loose
        ],
        "ruler_px": round(long_px, 1),
        "ruler_ticks": ticks,
    }


def _colour(shelf, material: str) -> str:
    return shelf[material].finished if material in shelf else "#e9d7b0"


def _board(desk: Desk, composition: Composition, one: DrawnBoard, key: str) -> dict:
    scale, board = one.scale, one.board
    practice, shelf = composition.practice, composition.rack.shelf
    words_on = [
        {
            "kind": "number",
            "text": p.number,
            "px": round(p.label_px, 1),
            **_at(p.x_mm, p.y_mm, scale, 0.36 * p.label_px),
        }
        for p in one.parts
        if p.label_px
    ]
    words_on += [{"kind": "flawed", "text": f.words, **_at(f.x_mm, f.y_mm, scale, 14)} for f in one.flaws]
    words_on += [{"kind": "spoken-words", "text": work, **_at(x, y, scale, 5)} for work, _, x, y in one.spoken[:4]]
    if one.stays:
        words_on += _stays_words(desk, one)
    on = next((p for p in one.parts if p.key == key), None)
    kind = " off-cut" if board.offcut else " panel" if board.panel else ""
    share = f", {round(100 * one.share)}% in parts" if one.parts else ""
    words = f"{shelf.name(board.wood)}{kind} {practice.short(board.thickness_mm)}{share}"
    if board.key < 0:
        size = f"{practice.short(board.width_mm)} × {practice.short(board.length_mm)}"
        words = f"{shelf.name(board.wood)} {size}{f', leaf {LEAVES[one.leaf - 1]}' if one.leaf else ''}{share}"
    elif one.leaf:
        words = f"resawn: leaf {LEAVES[one.leaf - 1]}{share}"
    room = one.wide - 9 * len(board.name)
    return {
        "drawn": one,
        "x": one.x,
        "y": one.y,
        "scale": f"{scale:.5f}",
        "long": round(board.length_mm, 2),
        "broad": round(board.width_mm, 2),
        "back": round(-one.shown.from_mm * scale, 1),
        "seen": _seen(one),
        "shade": round(SHADE_PX / scale, 2),
        "colour": _colour(shelf, board.wood),
        "face": face_url(board, composition.rack, practice.finish, small=True) if board.key > 0 else "",
        "words": words
        if 6.6 * len(words) < room
        else (f"{round(100 * one.share)}%" if one.parts and room > 34 else ""),
        "words_on": words_on,
        "nails": [_nail(p.x_mm, p.y_mm, p.label_px, scale) for p in one.parts if p.nailed],
        "arrow": {**_at(on.x_mm, on.y_mm, scale, 14), "deg": -board.grain_deg} if on else None,
    }


def _seen(one: DrawnBoard) -> str:
    """A path round what is drawn of a board, torn where the rest of it is left out."""
    long, broad, tooth = one.shown.long_mm + 1, one.shown.broad_mm + 1, 7 / one.scale
    left = one.shown.from_mm - 9
    path = f"M{left:.1f} -9H{long:.1f}"
    if one.shown.broken_right:
        count = max(2, round((broad + 9) / tooth / 2)) * 2
        down = (broad + 9) / count
        path += "".join(f"l{-tooth if i % 2 == 0 else tooth:.1f} {down:.2f}" for i in range(count))
    else:
        path += f"V{broad:.1f}"
    if one.shown.broken_below:
        count = max(2, round((long - left) / tooth / 2)) * 2
        back = -(long - left) / count
        path += "".join(f"l{back:.2f} {-tooth if i % 2 == 0 else tooth:.1f}" for i in range(count))
    return path + f"H{left:.1f}Z"


def _stays_words(desk: Desk, one: DrawnBoard) -> list[dict]:
    """How much of a board stays, where there is room to say it."""
    assert one.stays is not None
    x, y, wide, tall = one.stays
    seen, low = min(wide, one.shown.long_mm - x), min(tall, one.shown.broad_mm)
    if seen * one.scale < 40 or low * one.scale < 24:
        return []
    say = desk.composition.practice.short
    words = [{"kind": "stays-words", "text": "stays", **_at(x + seen / 2, y + low / 2, one.scale, -3)}]
    size = f"{say(wide)} × {say(tall)}"
    if seen * one.scale > 7.5 * len(size) and low * one.scale > 40:
        words.append({"kind": "stays-words", "text": size, **_at(x + seen / 2, y + low / 2, one.scale, 14)})
    else:
        words[0] |= _at(x + seen / 2, y + low / 2, one.scale, 5)
    return words


def _at(x_mm: float, y_mm: float, scale: float, down: float) -> dict:
    return {"x": round(x_mm * scale, 1), "y": round(y_mm * scale + down, 1)}


def _nail(x_mm: float, y_mm: float, label_px: float, scale: float) -> dict:
    return {"x": round(x_mm * scale + 0.9 * label_px + 4, 1), "y": round(y_mm * scale - 0.3 * label_px, 1)}


def _lying(desk: Desk, key: str, rack: RackDrawing) -> dict | None:
    """What is to be told of the chosen part."""
    job, composition = desk.job, desk.composition
    part = job.part(key) if key else None
    if part is None:
        return None
    place = composition.placements.get(key)
    board = composition.rack.by_name.get(place.board) if place else None
    others = [
        b for b in composition.rack.boards if b.wood == part.material and (place is None or b.name != place.board)
    ]
    on = [b for b in rack.boards if board is not None and b.board.name == board.name]
    drawn = next((b for b in on if any(p.key == key for p in b.parts)), on[0] if on else None)
    at = next((p for p in drawn.parts if p.key == key), None) if drawn else None
    tolerance = composition.decisions.stock.within.get(part.id.piece)
    whole = composition.decisions.stock.whole
    could = 1
    if board is not None:
        could = leaves_of(board, part.thickness_mm, composition.practice, composition.rack)
    return {
        "part": part,
        "place": place if place and place.point else None,
        "board": board,
        "at": at,
        "share": drawn.share if drawn else 0.0,
        "others": others,
        "leaf": LEAVES[place.leaf - 1] if place and place.leaf else "",
        "leaves": [
            (n, LEAVES[n - 1])
            for n in range(1, could + 1)
            if could > 1 and place and n != place.leaf and place.board not in whole
        ],
        "caliper_mm": _caliper(job, key),
        "to_glue": board.panel if board is not None and board.panel and not board.panel.made else None,
        "panel": _panel(job, key) if place is None and too_wide(job, part) else None,
        "could_resaw": could if could > 1 else 0,
        "kept_whole": board is not None and board.name in whole,
        "stays": drawn.stays[2] if drawn and drawn.stays else None,
        "wanted": composition.decisions.stock.wanted.get(part.id.piece, ""),
        "may_half": part.turn != "fixed",
        "within": composition.practice.grain_within_deg if tolerance is None else tolerance,
        "own_within": tolerance,
        "turns": _turned(job, key),
    }


def _panel(job: Job, key: str) -> PanelPlan | None:
    """The panel that would hold a part that is wider than every board, where the rack has wood for it."""
    try:
        return panel_for(job, key)
    except BadChoice:
        return None


def _caliper(job: Job, key: str) -> float | None:
    """What the caliper should say of the stretch that a part lies on, once it is milled."""
    found = stretch_of(job, key)
    return target_mm(job, job.composition.rack.by_name[found[0]], found[1]) if found else None


def _turned(job: Job, key: str) -> list[tuple[str, float]]:
    """The ways it may be turned from how it lies, with words."""
    part = job.part(key)
    place = job.composition.placements.get(key)
    if part is None or place is None or place.point is None or part.turn == "fixed":
        return []
    turned = place.turned_deg
    made = [("half round", turned + 180)]
    if part.turn == "any" and len(turns_of(job, part)) > 2:
        made.append(("a quarter", turned + 90))
    return [(words, round((deg + 180) % 360 - 180, 2)) for words, deg in made]


def _lines(desk: Desk) -> list[dict]:
    """The parts list, with what is chosen told."""
    shelf = desk.composition.rack.shelf
    layers = {layer.key: layer.name for layer in desk.composition.layers}
    chosen = {p.key for p in desk.chosen.pieces} if desk.chosen else set()
    return [
        {
            "line": line,
            "material": material_name(shelf, line.material),
            "layer": layers.get(line.layer, ""),
            "keys": runs(line.pieces),
            "chosen": bool(chosen & set(line.pieces)),
        }
        for line in parts_list(desk.job)
    ]
