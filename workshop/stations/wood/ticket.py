"""What the Wood station says."""

from emberquilt.keys import runs
from emberquilt.picture.light import GLOSS
from emberquilt.picture.parts import Frame
from emberquilt.rack.coats import COATS, coat_of
from emberquilt.wood.colour import closest
from emberquilt.wood.contrast import READINGS, rated
from emberquilt.wood.judgement import neck_table
from emberquilt.wood.match import alternatives
from emberquilt.wood.movement import seasonal_mm
from emberquilt.wood.verbs import matched
from emberquilt.work.composition import Piece
from emberquilt.work.view import Target
from workshop.pictures.light import DPIS, LAMPS, light_of
from workshop.stations.desk import Desk, by_part

PRACTICE = ("reads_de", "turn_apart_deg", "neck_mm")
MOST_SEAMS = 5
MOST_ON_STRIP = 9
MOST_GROUPS = 24
RANK = {"melts": 0, "open": 1, "shades": 2, "reads": 3}


def palette(desk: Desk) -> list[dict]:
    """Woods in use, as the shelf has them, as wide as their areas; keys 1 to 9 give them."""
    composition, job = desk.composition, desk.job
    area: dict[str, float] = {}
    count: dict[str, int] = {}
    for p in desk.pieces:
        code = composition.wood_of(p)
        if code:
            area[code] = area.get(code, 0.0) + job.pieces[p.key].area_mm2
            count[code] = count.get(code, 0) + 1
    total = sum(area.values()) or 1.0
    return [
        {
            "wood": composition.rack.shelf[code],
            "count": count[code],
            "key": i + 1 if i < MOST_ON_STRIP else "",
            "grow": 1 + round(19 * area[code] / total),
        }
        for i, code in enumerate(code for code in composition.rack.shelf if code in area)
    ]


def context(desk: Desk) -> dict:
    shared = {"palette": palette(desk), "seams": [], "suggested": [], "movement": None, "by_part": by_part(desk)}
    return shared | (_of_chosen(desk) if desk.chosen else _of_all(desk))


def _of_all(desk: Desk) -> dict:
    composition = desk.composition
    look = light_of(composition)
    return {
        "coloured": sum(1 for p in desk.pieces if p.colour),
        "locked": runs(p.key for p in desk.pieces if p.locked),
        "owned": len(composition.rack.owned),
        "palettes": composition.decisions.wood.palettes,
        "pack": composition.decisions.wood.pack(desk.layer.key),
        "look": look,
        "frame_mm": look.frame.width_mm if look.frame else Frame.width_mm,
        "lamps": LAMPS,
        "glosses": list(GLOSS),
        "dpis": DPIS,
    }


def _of_chosen(desk: Desk) -> dict:
    composition, chosen = desk.composition, desk.chosen
    context = {
        "coats": COATS,
        "coat": coat_of(chosen.coat) if chosen.coat is not None else None,
        "kept_together": bool(chosen.part) and chosen.part in composition.decisions.wood.together,
        "flows": composition.decisions.wood.flows,
    }
    piece = chosen.one
    if piece is None:
        return context
    layer = chosen.layer.without_openings
    context["seams"] = _seams(desk, piece)
    context["necks"] = neck_table(layer, composition.practice).get(piece.key, ())
    context["board"] = composition.rack.by_name.get(composition.board_of(piece.key))
    if chosen.wood is not None:
        context["movement"] = seasonal_mm(chosen.wood, layer.coverage.by_key[piece.key], piece.grain_deg or 0.0)
    if piece.colour:
        context["suggested"] = closest(piece.colour, composition.seen, most=3)
        context["owned"] = closest(piece.colour, composition.seen, list(composition.rack.owned), most=2)
    return context


def _seams(desk: Desk, piece: Piece) -> list[dict]:
    """The neighbours of a piece, those that melt first, then by length of seam."""
    composition = desk.composition
    layer = composition.home[piece.key].without_openings
    seams = layer.coverage.neighbours[piece.key].values()
    rows = []
    for r in rated(composition, layer, seams):
        other = layer.by_key[r.seam.b if r.seam.a == piece.key else r.seam.a]
        rows.append(
            {
                "other": other,
                "wood": composition.wood_of(other),
                "reading": r.reading,
                "apart": r.apart,
                "words": READINGS[r.reading],
                "length": r.seam.length_mm,
            }
        )
    rows.sort(key=lambda r: (RANK[r["reading"]], -r["length"]))
    return rows[:MOST_SEAMS]


def suggestion(target: Target, scope: str, by: str) -> dict:
    """The woods that suit best together, group by group, each with what else would do, before any is given."""
    task, answer = matched(target, {"scope": scope, "by": by})
    shelf = target.composition.rack.shelf
    rows = []
    for i, (group, w) in enumerate(zip(task.groups, answer.choice, strict=True)):
        if not group.area_mm2 or group.fixed:
            continue
        others = [(shelf[code], apart) for code, apart in alternatives(task, i, 4) if code != task.codes[w]][:3]
        rows.append(
            {
                "keys": runs(group.pieces),
                "count": len(group.pieces),
                "colour": group.colour,
                "area": group.area_mm2,
                "wood": shelf[task.codes[w]],
                "apart": float(task.apart[i, w]),
                "others": others,
            }
        )
    rows.sort(key=lambda row: -row["area"])
    return {
        "rows": rows[:MOST_GROUPS],
        "more": max(0, len(rows) - MOST_GROUPS),
        "scope": scope,
        "by": by,
        "held": sum(len(g.pieces) for g in task.groups if g.fixed and g.area_mm2),
        "short": [(shelf[code], mm2) for code, mm2 in sorted(answer.short_mm2.items(), key=lambda item: -item[1])],
    }
