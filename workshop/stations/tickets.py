"""What the ticket and the strip of each station say, gathered from the plan. No arithmetic beyond counting."""

from dataclasses import dataclass

from emberquilt.drawing.panel import dress_json
from emberquilt.drawing.readings import MOST_FINDINGS, read, readings_of
from emberquilt.errors import BadChoice
from emberquilt.keys import runs
from emberquilt.picture.light import GLOSS
from emberquilt.picture.parts import Frame
from emberquilt.plan import Plan
from emberquilt.rack.coats import COATS, coat_of
from emberquilt.rack.woods import Shelf, Wood
from emberquilt.saw.copies import MOST_COPIES
from emberquilt.units import roman
from emberquilt.wood.colour import closest
from emberquilt.wood.contrast import READINGS, STEP_MM, rated
from emberquilt.wood.judgement import neck_table
from emberquilt.wood.match import alternatives
from emberquilt.wood.movement import seasonal_mm
from emberquilt.wood.verbs import matched
from emberquilt.work.composition import LAYER_KINDS, Layer, Piece
from workshop.pictures.light import DPIS, LAMPS, light_of
from workshop.shop.words import fields_of
from workshop.stations.faces import shelf_buttons, shelf_options, wood_table

PRACTICE = {
    "pattern": ("unit", "denominator", "paper", "ruler_across_mm", "ruler_down_mm", "throat_mm"),
    "wood": ("reads_de", "turn_apart_deg", "neck_mm"),
    "relief": ("stock_mm", "shim_inset_mm"),
    "stock": ("board_use",),
    "saw": ("blade_school", "one_blade", "fit", "hold_mm", "saw_mm_per_minute", "minutes_per_cut"),
    "assembly": ("glue", "seconds_per_piece", "anchor", "backer_inset_mm", "finish", "finish_when", "coats"),
    "calendar": ("fit_minutes", "shape_minutes"),
}
"""The practices that act at a station: shown, and changed for this picture, where they act."""
MOST_SEAMS = 5
MOST_ON_STRIP = 9


@dataclass(frozen=True)
class Chosen:
    """The selected pieces and what they have in common; a field is None where they differ."""

    pieces: tuple[Piece, ...]
    layer: Layer
    shelf: Shelf

    @property
    def one(self) -> Piece | None:
        return self.pieces[0] if len(self.pieces) == 1 else None

    @property
    def keys(self) -> str:
        return runs(p.key for p in self.pieces)

    def _common(self, name: str):
        values = {getattr(p, name) for p in self.pieces}
        return values.pop() if len(values) == 1 else None

    @property
    def wood(self) -> Wood | None:
        return self.shelf.get(self._common("wood") or "")

    @property
    def bare(self) -> bool:
        """None of them has a wood."""
        return not any(p.wood for p in self.pieces)

    @property
    def grain_deg(self) -> float | None:
        return self._common("grain_deg")

    @property
    def coat(self) -> str | None:
        return self._common("coat")

    @property
    def locked(self) -> bool:
        return all(p.locked for p in self.pieces)

    @property
    def thickness_mm(self) -> float | None:
        return self._common("thickness_mm")

    @property
    def shim_mm(self) -> float | None:
        return self._common("shim_mm")

    @property
    def part(self) -> str:
        return self._common("part") or ""

    @property
    def open(self) -> bool:
        """Some of them are openings."""
        return any(p.opening for p in self.pieces)

    @property
    def area_mm2(self) -> float:
        return sum(self.layer.coverage.area_mm2[p.key] for p in self.pieces)

    @property
    def size_mm(self) -> tuple[float, float]:
        bounds = [self.layer.coverage.by_key[p.key].bounds for p in self.pieces]
        return max(b[2] for b in bounds) - min(b[0] for b in bounds), max(b[3] for b in bounds) - min(
            b[1] for b in bounds
        )

    @property
    def alike(self) -> str:
        """Keys of every piece of the same wood, or of none, as the first chosen."""
        return runs(p.key for p in self.layer.pieces if p.wood == self.pieces[0].wood)

    @property
    def same_colour(self) -> str:
        """Keys of every piece with the first one's colour in the drawing; empty where the drawing has none."""
        colour = self.pieces[0].colour
        return runs(p.key for p in self.layer.pieces if p.colour == colour) if colour else ""

    @property
    def has_colour(self) -> bool:
        return any(p.colour for p in self.pieces)


def station_context(plan: Plan, station: str, show: str, keys: list[int]) -> dict:
    """Everything the templates of a station need beside the row itself."""
    layer = plan.composition.whole if station == "pattern" else plan.composition.in_hand
    pieces = tuple(layer.by_key[key] for key in keys if key in layer.by_key)
    chosen = Chosen(pieces, layer, plan.composition.rack.shelf) if pieces else None
    readings = readings_of(plan.composition, station)
    show = show if show in readings else readings[0]
    findings = plan.findings(station)
    return {
        "plan": plan,
        "practice": plan.composition.practice,
        "station": station,
        "show": show,
        "readings": readings,
        "chosen": chosen,
        "findings": findings[:MOST_FINDINGS],
        "more_findings": max(0, len(findings) - MOST_FINDINGS),
        "accepted": plan.accepted(station),
        "accepted_reasons": plan.composition.accepted,
        "dress": dress_json(read(plan, station, show, findings)),
        "ticket_template": f"stations/tickets/{station}.html",
        "strip_template": f"stations/strips/{station}.html",
        "woods": plan.composition.rack.shelf,
        "wood_table": wood_table(plan.composition),
        "shelf_buttons": shelf_buttons(plan.composition.rack.shelf),
        "shelf_options": shelf_options(plan.composition.rack.shelf),
        "practice_fields": fields_of(plan.composition.practice, PRACTICE.get(station, ())),
        **STATIONS[station](plan, chosen),
    }


def _pattern(plan: Plan, chosen: Chosen | None) -> dict:
    composition = plan.composition
    usual = composition.practice.stock_mm
    thickest = max(layer.thickness_mm or usual for layer in composition.layers)
    layers = [
        {
            "layer": layer,
            "current": layer.key == composition.whole.key,
            "kind": LAYER_KINDS[layer.kind],
            "grow": 1 + round(19 * (layer.thickness_mm or usual) / thickest),
            "solid": len(layer.solid.pieces),
        }
        for layer in composition.layers
    ]
    return {"by_part": _parts(plan), "layers": layers, "in_hand": composition.whole, "layer_kinds": LAYER_KINDS,
            "coloured": any(p.colour for p in composition.whole.pieces)}  # fmt: skip


def _parts(plan: Plan) -> list[tuple[str, str, int]]:
    parts: dict[str, list[int]] = {}
    for p in plan.composition.in_hand.pieces:
        if p.part:
            parts.setdefault(p.part, []).append(p.key)
    return [(name, runs(keys), len(keys)) for name, keys in sorted(parts.items())]


def palette(plan: Plan) -> list[dict]:
    """Woods in use, by area, the largest first; keys 1 to 9 give them."""
    area: dict[str, float] = {}
    count: dict[str, int] = {}
    for p in plan.composition.in_hand.pieces:
        if p.wood:
            area[p.wood] = area.get(p.wood, 0.0) + plan.composition.in_hand.coverage.area_mm2[p.key]
            count[p.wood] = count.get(p.wood, 0) + 1
    shelf = plan.composition.rack.shelf
    order = list(shelf)
    used = sorted(area, key=lambda code: order.index(code))
    total = sum(area.values()) or 1.0
    return [
        {
            "wood": shelf[code],
            "count": count[code],
            "key": i + 1 if i < MOST_ON_STRIP else "",
            "grow": 1 + round(19 * area[code] / total),
        }
        for i, code in enumerate(used)
    ]


def _wood(plan: Plan, chosen: Chosen | None) -> dict:
    composition = plan.composition
    context: dict = {"palette": palette(plan), "seams": [], "suggested": [], "movement": None, "by_part": _parts(plan)}
    if chosen is None:
        pieces = composition.in_hand.pieces
        look = light_of(composition)
        return context | {
            "coloured": sum(1 for p in pieces if p.colour),
            "locked": runs(p.key for p in pieces if p.locked),
            "owned": len(composition.rack.owned),
            "palettes": composition.pins.get("palettes", []),
            "pack": composition.pins.get("pack"),
            "look": look,
            "frame_mm": look.frame.width_mm if look.frame else Frame.width_mm,
            "lamps": LAMPS,
            "glosses": list(GLOSS),
            "dpis": DPIS,
        }
    context |= {"coats": COATS, "coat": coat_of(chosen.coat) if chosen.coat is not None else None,
                "kept_together": bool(chosen.part) and chosen.part in composition.together}  # fmt: skip
    piece = chosen.one
    if piece is not None:
        context["seams"] = _seams(plan, piece)
        context["necks"] = neck_table(chosen.layer, composition.practice).get(piece.key, ())
        context["board"] = composition.rack.by_name.get(piece.board)
        if chosen.wood is not None:
            outline = chosen.layer.coverage.by_key[piece.key]
            context["movement"] = seasonal_mm(chosen.wood, outline, piece.grain_deg or 0.0)
        if piece.colour:
            context["suggested"] = closest(piece.colour, composition.seen, most=3)
            context["owned"] = closest(piece.colour, composition.seen, list(composition.rack.owned), most=2)
    return context


def _seams(plan: Plan, piece: Piece) -> list[dict]:
    """The neighbours of a piece, those that melt first, then by length of seam."""
    composition = plan.composition
    layer = composition.in_hand
    seams = layer.coverage.neighbours[piece.key].values()
    rows = [
        {"other": layer.by_key[r.seam.b if r.seam.a == piece.key else r.seam.a], "reading": r.reading, "apart": r.apart,
         "words": READINGS[r.reading], "length": r.seam.length_mm}
        for r in rated(layer, seams, composition.practice, composition.seen)
    ]  # fmt: skip
    rank = {"melts": 0, "open": 1, "shades": 2, "reads": 3}
    rows.sort(key=lambda r: (rank[r["reading"]], -r["length"]))
    return rows[:MOST_SEAMS]


MOST_GROUPS = 24


def suggestion(plan: Plan, keys: list[int], scope: str, by: str) -> dict:
    """The woods that suit best together, group by group, each with what else would do, before any is given."""
    composition = plan.composition
    layer = composition.in_hand
    pieces = [layer.by_key[key] for key in keys if key in layer.by_key]
    task, answer = matched(composition, pieces, {"scope": scope, "by": by})
    shelf = composition.rack.shelf
    rows = []
    for i, (group, w) in enumerate(zip(task.groups, answer.choice, strict=True)):
        if group.area_mm2 and not group.fixed:
            others = [(shelf[code], apart) for code, apart in alternatives(task, i, 4) if code != task.codes[w]][:3]
            rows.append({"keys": runs(group.pieces), "count": len(group.pieces), "colour": group.colour, "area": group.area_mm2,
                         "wood": shelf[task.codes[w]], "apart": float(task.apart[i, w]), "others": others})  # fmt: skip
    rows.sort(key=lambda row: -row["area"])
    held = sum(len(g.pieces) for g in task.groups if g.fixed and g.area_mm2)
    return {"rows": rows[:MOST_GROUPS], "more": max(0, len(rows) - MOST_GROUPS), "scope": scope, "by": by, "held": held,
            "short": [(shelf[code], mm2) for code, mm2 in sorted(answer.short_mm2.items(), key=lambda item: -item[1])]}  # fmt: skip


def _relief(plan: Plan, chosen: Chosen | None) -> dict:
    return {"relief": plan.relief, "step_mm": STEP_MM, "step_down_mm": -STEP_MM}


def _stock(plan: Plan, chosen: Chosen | None) -> dict:
    wanted = {p.wood for p in chosen.pieces} if chosen else set()
    largest = max((n.rough_mm2 for n in plan.needs), default=1.0)
    needs = [
        {
            "need": n,
            "wood": plan.composition.rack.shelf[n.wood],
            "keys": runs(n.pieces),
            "chosen": n.wood in wanted,
            "grow": 1 + round(19 * n.rough_mm2 / largest),
        }
        for n in plan.needs
    ]
    shown = [n for n in needs if n["chosen"]] or needs[:1]
    by_board: dict[str, list[int]] = {}
    for p in plan.composition.in_hand.pieces:
        if p.board and shown and p.key in shown[0]["need"].pieces:
            by_board.setdefault(p.board, []).append(p.key)
    return {"by_board": [(name, len(keys), runs(keys)) for name, keys in sorted(by_board.items())], "needs": needs, "shown_need": shown[0] if shown else None, "copies": max(plan.copies.values(), default=0), "copies_bound": MOST_COPIES,
            "rough_mm2": sum(n.rough_mm2 for n in plan.needs)}  # fmt: skip


def _saw(plan: Plan, chosen: Chosen | None) -> dict:
    cut = plan.saw.by_piece.get(chosen.one.key) if chosen and chosen.one else None
    first = set(plan.composition.pins.get("saw_first", []))
    chapters = [
        {"chapter": c, "roman": roman(c.number), "current": cut is not None and cut.chapter == c.number,
         "grow": 1 + round(19 * c.minutes / plan.saw.minutes)}
        for c in plan.saw.chapters
    ]  # fmt: skip
    current = next((c["chapter"] for c in chapters if c["current"]), None)
    order = [c.piece for c in plan.saw.cuts]
    after = order[(order.index(cut.piece) + 1) % len(order)] if cut else (order[0] if order else None)
    return {
        "saw": plan.saw,
        "cut": cut,
        "chapters": chapters,
        "current_chapter": current,
        "turns_mm": cut.blade.line_mm(plan.composition.practice.fit) if cut else 0.0,
        "pinned": cut is not None and cut.piece in first,
        "next_cut": after,
        "copy": "ABCD"[plan.copies[cut.piece] - 1] if cut else "",
        "bits": sorted({h.bit_mm for h in cut.holes if h.bit_mm}) if cut else [],
    }


def _assembly(plan: Plan, chosen: Chosen | None) -> dict:
    glue = plan.glue
    step = next((s for s in glue.steps if s.piece == chosen.one.key), None) if chosen and chosen.one else None
    number = {p.key: p.number for p in plan.composition.in_hand.pieces}
    order = [s.piece for s in glue.steps]
    after = order[step.order % len(order)] if step else (order[0] if order else None)
    return {
        "glue": glue,
        "step": step,
        "touches": [number[k] for k in step.touches] if step else [],
        "next_step": after,
        "batches": [
            {
                "number": i,
                "keys": runs(b),
                "count": len(b),
                "grow": min(len(b), 20),
                "current": step is not None and step.batch == i,
            }
            for i, b in enumerate(glue.batches, 1)
        ],
        "anchor_number": number.get(glue.anchor),
    }


def _calendar(plan: Plan, chosen: Chosen | None) -> dict:
    try:
        schedule = plan.schedule
    except BadChoice:
        return {"schedule": None, "days": [], "hours": plan.composition.practice.hours}
    days: dict = {}
    for slot in schedule.slots:
        days.setdefault(slot.begin.date(), []).append(slot)
    return {
        "schedule": schedule,
        "days": sorted(days.items()),
        "hours": plan.composition.practice.hours,
        "hands": sum(t.minutes for t in plan.tasks),
        "waits": sum(t.wait_minutes for t in plan.tasks),
    }


def _log(plan: Plan, chosen: Chosen | None) -> dict:
    return {}


STATIONS = {
    "pattern": _pattern,
    "wood": _wood,
    "relief": _relief,
    "stock": _stock,
    "saw": _saw,
    "assembly": _assembly,
    "calendar": _calendar,
    "log": _log,
}
