"""Verbs that turn arrows: each a pure function from a composition, the chosen pieces and values to an `Edit`."""

from typing import Any

import numpy as np
import shapely

from ..errors import BadChoice
from ..keys import keys_in, runs
from ..pattern.verbs import points_of
from ..work.change import Edit
from ..work.composition import Composition, Piece
from ..work.setting import number, of, pin, set_fields
from .axis import long_axis_deg
from .flow import counterparts, flow_deg, keeping_up, mirrored_deg, radial_deg
from .judgement import neck_table
from .strength import strong_grain_deg

Values = dict[str, Any]
MOST_FLOWS = 60


def set_grain(_composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    degrees = number(values.get("deg"), "degrees") % 360
    return set_fields("arrow", pieces, lambda p: {"grain_deg": round(degrees, 1) % 360})


def turn_grain(_composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    by = number(values.get("by"), "degrees")
    return set_fields("arrow", pieces, lambda p: {"grain_deg": round(((p.grain_deg or 0.0) + by) % 360, 1) % 360})


def grain_as_beside(composition: Composition, pieces: list[Piece], _values: Values) -> Edit:
    """The arrow of the neighbour with the longest shared seam that has one."""
    layer = composition.in_hand

    def change(p: Piece) -> dict:
        seams = sorted(layer.coverage.neighbours[p.key].items(), key=lambda item: -item[1].length_mm)
        angles = [layer.by_key[k].grain_deg for k, _ in seams if layer.by_key[k].grain_deg is not None]
        return {"grain_deg": angles[0]} if angles else {}

    return set_fields("arrow", pieces, change)


def grain_along(composition: Composition, pieces: list[Piece], _values: Values) -> Edit:
    """Along each piece's length; what was up the grain stays up."""
    outlines = composition.in_hand.coverage.by_key
    return set_fields("arrow", pieces, lambda p: {"grain_deg": keeping_up(long_axis_deg(outlines[p.key]), p.grain_deg)})


def flow(composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    """Follow a drawn line. Lines drawn before for the same pieces stay: between several the grain fans."""
    line = shapely.LineString(points_of(values))
    if line.length < 1.0:
        raise BadChoice("Draw a line along which the grain is to run.")
    drawn = [[round(x, 2), round(y, 2)] for x, y in shapely.get_coordinates(shapely.simplify(line, 0.2)).tolist()]
    flows = [*composition.pins.get("flows", []), {"line": drawn, "keys": runs(p.key for p in pieces)}]
    if len(flows) > MOST_FLOWS:
        raise BadChoice(f"There are {MOST_FLOWS} flow lines in this picture already. Forget some first.")
    lines_of = flow_lines(flows)
    spots = composition.in_hand.coverage.spots

    def change(p: Piece) -> dict:
        turned = flow_deg(lines_of[p.key], spots[p.key].x_mm, spots[p.key].y_mm)
        return {"grain_deg": round(turned, 1) % 360}

    made = set_fields("flow", pieces, change)
    return Edit(made.label, made.pieces, {"pins": composition.pins | {"flows": flows}})


def flow_lines(flows: list[dict]) -> dict[int, list[shapely.LineString]]:
    """The flow lines that each piece follows."""
    table: dict[int, list[shapely.LineString]] = {}
    for drawn in flows:
        line = shapely.LineString(drawn["line"])
        for key in keys_in(drawn["keys"]):
            table.setdefault(key, []).append(line)
    return table


def flow_forget(composition: Composition, pieces: list[Piece], _values: Values) -> Edit:
    """The chosen pieces follow no line any more; their arrows stay as they are."""
    gone = {p.key for p in pieces}
    flows = [
        {"line": f["line"], "keys": runs(k for k in keys_in(f["keys"]) if k not in gone)}
        for f in composition.pins.get("flows", [])
    ]
    return pin(composition, f"flow of {of(pieces)} forgotten", flows=[f for f in flows if f["keys"]] or None)


def radial(composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    """Outwards from a point: the first that was marked."""
    x, y = points_of(values | {"curve": ""})[0]
    spots = composition.in_hand.coverage.spots
    return set_fields("arrows", pieces, lambda p: {"grain_deg": round(radial_deg(spots[p.key], x, y), 1) % 360})


def mirror_arrows(composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    """Across a drawn line: the counterpart of each chosen piece gets its arrow mirrored."""
    points = points_of(values | {"curve": ""})
    start, end = points[0], points[-1]
    if np.hypot(*(end - start)) < 1.0:
        raise BadChoice("Draw the line across which it is to be mirrored.")
    layer = composition.in_hand
    pairs = counterparts(layer.coverage.by_key, [p.key for p in pieces], tuple(start), tuple(end))
    axis = float(np.degrees(np.arctan2(start[1] - end[1], end[0] - start[0])))
    given = {pairs[p.key]: p.grain_deg for p in pieces if p.key in pairs and p.grain_deg is not None}
    if not given:
        raise BadChoice("None of the chosen pieces has a counterpart beyond that line.")
    others = [layer.by_key[key] for key in given]
    return set_fields(
        "mirrored arrow", others, lambda p: {"grain_deg": round(mirrored_deg(given[p.key] or 0.0, axis), 1) % 360}
    )


def strong(composition: Composition, pieces: list[Piece], _values: Values) -> Edit:
    """The least turn from the arrow as it is that lets every neck bear a hand, or the strongest where none does."""
    weak, shelf, practice = (
        neck_table(composition.in_hand, composition.practice),
        composition.rack.shelf,
        composition.practice,
    )
    chosen = [p for p in pieces if p.key in weak and p.wood]
    if not chosen:
        raise BadChoice("None of the chosen pieces has a weak neck and a wood.")
    axis = composition.in_hand.coverage.by_key

    def change(p: Piece) -> dict:
        flow = p.grain_deg if p.grain_deg is not None else long_axis_deg(axis[p.key])
        turned, _ = strong_grain_deg(shelf.wood(p.wood), p.thickness_mm or practice.stock_mm, weak[p.key], flow)
        return {"grain_deg": turned}

    return set_fields("stronger arrow", chosen, change)


def together(composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    """Keep the arrows of whole parts together, or let them go their own ways (`keep` no)."""
    parts = sorted({p.part for p in pieces if p.part})
    if not parts:
        raise BadChoice("Name these pieces as a part first, then their arrows can be kept together.")
    keep = values.get("keep") != "no"
    now = [p for p in composition.together if p not in parts] + (parts if keep else [])
    label = f"arrows of {', '.join(parts)[:50]} " + ("together" if keep else "free")
    return pin(composition, label, together=sorted(now) or None)


GRAINING = {
    "grain": set_grain,
    "turn": turn_grain,
    "beside": grain_as_beside,
    "along": grain_along,
    "flow": flow,
    "flow_forget": flow_forget,
    "radial": radial,
    "mirror_arrows": mirror_arrows,
    "strong": strong,
    "together": together,
}
"""All of them need chosen pieces."""
