"""Verbs that turn arrows: each a pure function from what is acted on and values to an `Edit`."""

from collections.abc import Iterable
from dataclasses import replace

import numpy as np
import shapely

from ..errors import BadChoice
from ..keys import keys_in, runs
from ..work.change import Edit, decided
from ..work.composition import Piece
from ..work.decisions import Flow
from ..work.parts import job_of
from ..work.register import Values, verb
from ..work.setting import number, of, points_of, set_fields
from ..work.view import Target
from .axis import long_axis_deg
from .flow import counterparts, flow_deg, keeping_up, mirrored_deg, radial_deg
from .judgement import neck_table
from .strength import strong_grain_deg

MOST_FLOWS = 60


@verb("grain", on="pieces")
def set_grain(target: Target, values: Values) -> Edit:
    degrees = number(values.get("deg"), "degrees") % 360
    return set_fields("arrow", target.pieces, lambda p: {"grain_deg": round(degrees, 1) % 360})


@verb("turn", on="pieces")
def turn_grain(target: Target, values: Values) -> Edit:
    by = number(values.get("by"), "degrees")
    return set_fields(
        "arrow", target.pieces, lambda p: {"grain_deg": round(((p.grain_deg or 0.0) + by) % 360, 1) % 360}
    )


@verb("beside", on="pieces")
def grain_as_beside(target: Target, _values: Values) -> Edit:
    """The arrow of the neighbour with the longest shared seam that has one."""
    home = target.composition.home

    def change(p: Piece) -> dict:
        layer = home[p.key].without_openings
        seams = sorted(layer.coverage.neighbours[p.key].items(), key=lambda item: -item[1].length_mm)
        angles = [layer.by_key[k].grain_deg for k, _ in seams if layer.by_key[k].grain_deg is not None]
        return {"grain_deg": angles[0]} if angles else {}

    return set_fields("arrow", target.pieces, change)


@verb("along", on="pieces")
def grain_along(target: Target, _values: Values) -> Edit:
    """Along each piece's length; what was up the grain stays up."""
    home = target.composition.home

    def change(p: Piece) -> dict:
        return {"grain_deg": keeping_up(long_axis_deg(home[p.key].coverage.by_key[p.key]), p.grain_deg)}

    return set_fields("arrow", target.pieces, change)


@verb("flow", on="pieces")
def flow(target: Target, values: Values) -> Edit:
    """Follow a drawn line. Lines drawn before for the same pieces stay: between several the grain fans."""
    line = shapely.LineString(points_of(values))
    if line.length < 1.0:
        raise BadChoice("Draw a line along which the grain is to run.")
    drawn = tuple((round(x, 2), round(y, 2)) for x, y in shapely.get_coordinates(shapely.simplify(line, 0.2)).tolist())
    composition = target.composition
    flows = (*composition.decisions.wood.flows, Flow(drawn, runs(target.keys)))
    if len(flows) > MOST_FLOWS:
        raise BadChoice(f"There are {MOST_FLOWS} flow lines in this picture already. Forget some first.")
    lines_of = flow_lines(flows)

    def change(p: Piece) -> dict:
        spot = composition.home[p.key].coverage.spots[p.key]
        return {"grain_deg": round(flow_deg(lines_of[p.key], spot.x_mm, spot.y_mm), 1) % 360}

    made = set_fields("flow", target.pieces, change)
    return replace(made, composition=decided(composition, "", "wood", flows=flows).composition)


def flow_lines(flows: Iterable[Flow]) -> dict[int, list[shapely.LineString]]:
    """The flow lines that each piece follows."""
    table: dict[int, list[shapely.LineString]] = {}
    for drawn in flows:
        line = shapely.LineString(drawn.line)
        for key in keys_in(drawn.keys):
            table.setdefault(key, []).append(line)
    return table


@verb("flow_forget", on="pieces")
def flow_forget(target: Target, _values: Values) -> Edit:
    """The chosen pieces follow no line any more; their arrows stay as they are."""
    gone = set(target.keys)
    flows = [
        replace(f, keys=runs(k for k in keys_in(f.keys) if k not in gone))
        for f in target.composition.decisions.wood.flows
    ]
    label = f"flow of {of(target.pieces)} forgotten"
    return decided(target.composition, label, "wood", flows=tuple(f for f in flows if f.keys))


@verb("radial", on="pieces")
def radial(target: Target, values: Values) -> Edit:
    """Outwards from a point: the first that was marked."""
    x, y = points_of(values | {"curve": ""})[0]
    home = target.composition.home

    def change(p: Piece) -> dict:
        return {"grain_deg": round(radial_deg(home[p.key].coverage.spots[p.key], x, y), 1) % 360}

    return set_fields("arrows", target.pieces, change)


@verb("mirror_arrows", on="pieces")
def mirror_arrows(target: Target, values: Values) -> Edit:
    """Across a drawn line: the counterpart of each chosen piece gets its arrow mirrored."""
    points = points_of(values | {"curve": ""})
    start, end = points[0], points[-1]
    if np.hypot(*(end - start)) < 1.0:
        raise BadChoice("Draw the line across which it is to be mirrored.")
    layer = target.one_layer.without_openings
    pairs = counterparts(layer.coverage.by_key, target.keys, tuple(start), tuple(end))
    axis = float(np.degrees(np.arctan2(start[1] - end[1], end[0] - start[0])))
    given = {pairs[p.key]: p.grain_deg for p in target.pieces if p.key in pairs and p.grain_deg is not None}
    if not given:
        raise BadChoice("None of the chosen pieces has a counterpart beyond that line.")
    others = [layer.by_key[key] for key in given]
    return set_fields(
        "mirrored arrow", others, lambda p: {"grain_deg": round(mirrored_deg(given[p.key] or 0.0, axis), 1) % 360}
    )


@verb("strong", on="pieces")
def strong(target: Target, _values: Values) -> Edit:
    """The least turn from the arrow as it is that lets every neck bear a hand, or the strongest where none does."""
    composition, job, shelf = target.composition, job_of(target.composition), target.composition.rack.shelf
    weak = {
        key: necks
        for layer in {composition.home[p.key].key: composition.home[p.key] for p in target.pieces}.values()
        for key, necks in neck_table(layer.without_openings, composition.practice).items()
    }
    chosen = [p for p in target.pieces if p.key in weak and p.wood]
    if not chosen:
        raise BadChoice("None of the chosen pieces has a weak neck and a wood.")

    def change(p: Piece) -> dict:
        along = p.grain_deg
        flow = long_axis_deg(composition.home[p.key].coverage.by_key[p.key]) if along is None else along
        turned, _ = strong_grain_deg(shelf.wood(p.wood), job.thickness_mm[p.key], weak[p.key], flow)
        return {"grain_deg": turned}

    return set_fields("stronger arrow", chosen, change)


@verb("together", on="pieces")
def together(target: Target, values: Values) -> Edit:
    """Keep the arrows of whole parts together, or let them go their own ways (`keep` no)."""
    parts = sorted({p.part for p in target.pieces if p.part})
    if not parts:
        raise BadChoice("Name these pieces as a part first, then their arrows can be kept together.")
    keep = values.get("keep") != "no"
    now = [p for p in target.composition.decisions.wood.together if p not in parts] + (parts if keep else [])
    label = f"arrows of {', '.join(parts)[:50]} " + ("together" if keep else "free")
    return decided(target.composition, label, "wood", together=tuple(sorted(now)))
