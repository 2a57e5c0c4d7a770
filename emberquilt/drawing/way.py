"""The way of the blade through one blank, for a player: shapes as SVG path data and strokes as points, in the picture's
millimetres."""

from typing import Any

import numpy as np
import shapely

from ..outline.coverage import largest_circle
from ..outline.paths import path_of
from ..saw.cuts import Cut, SawPlan
from ..saw.lines import openings_of
from ..saw.throat import COLUMN_MM
from ..saw.told import stroke_words
from ..work.parts import Job

BARE = "#e7d3ad"
"""Wood that nobody has given a name yet."""
Points = np.ndarray


def way_scene(job: Job, saw: SawPlan, part: str) -> dict[str, Any]:
    """Of the blank that a part comes out of; `begin` is the first stroke of that part. Empty where nothing saws it."""
    cut = next((one for one in saw.cuts if part in one.frees or one.part == part), None)
    if cut is None:
        return {}
    blank, room = saw.blanks[cut.blank], saw.rooms[cut.blank]
    cuts = saw.of_blank(cut.blank)
    bodies = [_body(job, key) for key in dict.fromkeys(blank.leads)]
    openings = _openings(job, saw, cut.blank)
    strokes = _strokes(job, cuts, blank.frees, openings)
    others = room.others(())
    x0, y0, x1, y1 = _focus([stroke.path for one in cuts for stroke in one.strokes], room.stock)
    practice = job.composition.practice
    return {
        "box": [round(v, 2) for v in (x0, y0, x1, y1)],
        "stock": path_of(room.stock),
        "others": path_of(others) if others is not None and len(blank.leads) == 1 else "",
        "wood": _colour(job, job.by_key[cut.part].material),
        "bodies": bodies,
        "openings": [path_of(one) for one in openings],
        "holes": [
            {"x": round(h.x_mm, 2), "y": round(h.y_mm, 2), "bit": h.bit_mm or 0.0} for one in cuts for h in one.holes
        ],
        "strokes": strokes,
        "begin": next((i for i, s in enumerate(strokes) if s["part"] == part), 0),
        "throat": practice.throat_mm,
        "column": COLUMN_MM,
    }


def _focus(paths: list[Points], stock: shapely.Polygon) -> tuple[float, ...]:
    """What is looked at: the whole way, with some of the wood round it."""
    if not paths:
        return stock.bounds
    every = np.concatenate(paths)
    (x0, y0), (x1, y1) = every.min(axis=0), every.max(axis=0)
    room = 4.0 + 0.04 * max(x1 - x0, y1 - y0)
    return x0 - room, y0 - room, x1 + room, y1 + room


def _body(job: Job, key: str) -> dict[str, Any]:
    part = job.by_key[key]
    spot = largest_circle(max(shapely.get_parts(part.outline), key=lambda one: one.area))
    return {
        "key": key,
        "label": str(part.number) if part.number else part.name,
        "path": path_of(part.outline),
        "wood": _colour(job, part.material),
        "spot": [round(spot.x_mm, 2), round(spot.y_mm, 2), round(spot.radius_mm, 2)],
    }


def _colour(job: Job, code: str) -> str:
    wood = job.composition.rack.shelf.get(code)
    return wood.raw if wood else BARE


def _openings(job: Job, saw: SawPlan, at: int) -> list[shapely.Polygon]:
    blank = saw.blanks[at]
    if blank.layer:
        coverage = job.composition.layer(blank.layer).without_openings.coverage
        keys = [int(key) for key in blank.leads]
        return list(openings_of(coverage if len(keys) == len(coverage) else coverage.only(keys)))
    parts = [body for key in blank.leads for body in shapely.get_parts(job.by_key[key].outline)]
    return [shapely.Polygon(ring) for body in parts for ring in body.interiors]


def _strokes(job: Job, cuts: tuple[Cut, ...], frees, openings: list[shapely.Polygon]) -> list[dict[str, Any]]:
    lead_of = {key: freed[0] for freed in frees for key in freed}
    borders = shapely.STRtree([opening.boundary for opening in openings])
    say = job.composition.practice.say
    left = sum(s.length_mm for cut in cuts for s in cut.strokes if s.kind == "line")
    of_part: dict[str, float] = {}
    for cut in cuts:
        of_part[cut.part] = of_part.get(cut.part, 0.0) + sum(s.length_mm for s in cut.strokes if s.kind == "line")
    told = []
    for cut in cuts:
        for stroke in cut.strokes:
            sawn = stroke.length_mm if stroke.kind == "line" else 0.0
            holds = of_part[cut.part]
            left, of_part[cut.part] = left - sawn, holds - sawn
            drops = int(borders.nearest(shapely.Point(stroke.path[-1]))) if stroke.waste and openings else -1
            told.append(
                {
                    "points": stroke.path.round(2).tolist(),
                    "kind": stroke.kind,
                    "corner": stroke.corner,
                    "part": cut.part,
                    "frees": list(dict.fromkeys(lead_of[key] for key in stroke.frees)),
                    "drops": drops,
                    "kerf": round(cut.blade.kerf_mm, 3),
                    "words": stroke_words(job, cut, stroke),
                    "left": round(max(left, 0.0), 1),
                    "holds": f"{say(holds)} of line still to saw round it" if holds > 0.5 else "",
                }
            )
    return told
