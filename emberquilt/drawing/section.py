"""The section as it is drawn under the picture: true along, taller than true where that helps."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import shapely

from ..errors import BadChoice
from ..relief.frame import LIP_THICK_MM
from ..relief.section import Section, Slice, reach_of, section_of, telling_line
from ..units import MM_PER_UNIT
from ..work.parts import Job, Part
from ..work.shaped import height_at, radius_mm
from ..work.standing import said_pairs

WIDE_PX, TALL_PX, PAD_PX = 790, 118, 44
MOST_TALLER = 3.0
LEAST_LABEL_PX = 11
LEAST_SHOWN_MM = 0.4
SAME_PLACE_MM = 0.05
CARVED_POINTS = 12


@dataclass(frozen=True)
class Drawn:
    """Everything the template needs, in pixels."""

    line: str
    length_mm: float
    taller: float
    blocks: list[dict]
    steps: list[dict]
    rungs: list[dict]
    ticks: list[dict]
    woods: list[dict]
    wide: int
    tall: int
    foot: float
    reach_mm: float
    """So far beyond the sheet there is something to cut."""


def line_of(job: Job, text: str) -> tuple[tuple[float, float], tuple[float, float]]:
    """The line that a page asks for, ``x,y,x,y`` in mm; a telling one where it asks for none. Raises `BadChoice`."""
    if not text:
        return telling_line(job)
    try:
        x0, y0, x1, y1 = (float(one) for one in text.split(","))
    except ValueError:
        raise BadChoice("The section line could not be read. Draw it again.") from None
    if not all(abs(one) < 1e5 for one in (x0, y0, x1, y1)):
        raise BadChoice("This section line lies outside the picture: draw it across the pieces.")
    return (x0, y0), (x1, y1)


def drawn(job: Job, text: str, chosen: frozenset[int], shelf: Mapping[str, dict]) -> Drawn:
    """The section along the line that is asked for; `shelf` what woods are filled with, by code. Raises `BadChoice`."""
    a, b = line_of(job, text)
    section = section_of(job, a, b)
    across = WIDE_PX / section.length_mm
    lowest = min((one.floor_mm for one in section.slices), default=0.0)
    depth = max(section.depth_mm - min(lowest, 0.0), 1.0)
    taller = min(MOST_TALLER, TALL_PX / (depth * across))
    up = across * taller
    bottom = TALL_PX + 26.0
    foot = bottom + min(lowest, 0.0) * up

    def block(one: Slice) -> dict:
        x, width = PAD_PX + one.from_mm * across, (one.to_mm - one.from_mm) * across
        y, height = foot - one.top_mm * up, max((one.top_mm - one.floor_mm) * up, 1.0)
        part = one.part
        seen = any(s.part is part and s.from_mm < one.to_mm and s.to_mm > one.from_mm for s in section.seen)
        key = part.id.piece if part.key.isdecimal() else 0
        return {
            "x": round(x, 1),
            "y": round(y, 1),
            "w": round(width, 1),
            "h": round(height, 1),
            "key": key,
            "name": part.name,
            "middle": round(x + width / 2, 1),
            "label": str(part.number) if key and seen and width >= LEAST_LABEL_PX * len(str(part.number)) else "",
            "fill": _filling(part, key, shelf),
            "ply": part.role in ("shim", "backer", "spacer"),
            "on": key in chosen,
            "path": path_of(one, key, x, y, width, height) if key else _rabbeted(job, section, one, across, up, foot),
        }

    def path_of(one: Slice, key: int, x: float, y: float, width: float, height: float) -> str:
        slope = job.composition.decisions.relief.slopes.get(key)
        if slope is None:
            return _rounded(job, section, one, x, y, width, height, across, up)
        along = np.linspace(one.from_mm, one.to_mm, CARVED_POINTS)
        places = np.array(section.a) + np.outer(along / section.length_mm, np.subtract(section.b, section.a))
        tops = foot - (height_at(slope, places) + job.ground_mm) * up
        line = "".join(f"L{PAD_PX + s * across:.1f} {y:.1f}" for s, y in zip(along, tops, strict=True))
        return f"M{x:.1f} {y + height:.1f}{line}L{x + width:.1f} {y + height:.1f}z"

    filled = [s.part for s in section.slices if s.part.id.piece or s.part.role == "rail"]
    woods = sorted({part.material for part in filled if part.material in shelf})
    return Drawn(
        ",".join(f"{v:.1f}" for v in (*a, *b)),
        section.length_mm,
        round(taller, 1),
        [block(one) for one in section.slices],
        _steps(job, section, across, up, foot),
        _rungs(job, section, up, foot),
        _ticks(job, section, across),
        [{"code": code, "tile": shelf[code]["tile"], "colour": shelf[code]["colour"]} for code in woods],
        WIDE_PX + 2 * PAD_PX,
        int(bottom) + 44,
        bottom,
        reach_of(job),
    )


def _filling(part: Part, key: int, shelf: Mapping[str, Mapping[str, str]]) -> str:
    """With what a block is filled: resin with its colour, pieces and rails with their wood."""
    if part.role == "resin":
        return part.material
    return f"url(#w-{part.material})" if part.material in shelf and (key or part.role == "rail") else ""


def _rounded(job: Job, section: Section, one: Slice, x, y, w, h, across: float, up: float) -> str:
    """A block whose upper corners are rounded as the piece's edges are."""
    radii = []
    for end in (one.from_mm, one.to_mm):
        step = next((s for s in section.steps if abs(s.at_mm - end) < SAME_PLACE_MM), None)
        free = 0.0
        # where the line ends the piece is cut through, and has no edge
        cut = min(end, section.length_mm - end) < SAME_PLACE_MM
        if step is not None and not cut and not _at_edge_of_sheet(job, section, end):
            lower = None not in (step.before, step.after) and _higher(step) is not one.part
            free = radius_mm(job, one.part.id.piece, -step.exposed_mm if lower else step.exposed_mm)
        radii.append((min(free * across, w / 2.2), min(free * up, h)))
    (lx, ly), (rx, ry) = radii
    return (
        f"M{x:.1f} {y + h:.1f}V{y + ly:.1f}q0 {-ly:.1f} {lx:.1f} {-ly:.1f}H{x + w - rx:.1f}"
        f"q{rx:.1f} 0 {rx:.1f} {ry:.1f}V{y + h:.1f}z"
    )


def _at_edge_of_sheet(job: Job, section: Section, along_mm: float) -> bool:
    share = along_mm / section.length_mm
    x, y = np.array(section.a) + share * np.subtract(section.b, section.a)
    gaps = (x, y, job.composition.width_mm - x, job.composition.height_mm - y)
    return bool(min(map(abs, gaps)) < SAME_PLACE_MM)


def _rabbeted(job: Job, section: Section, one: Slice, across: float, up: float, foot: float) -> str:
    """A rail whose rabbet is milled: where its lip reaches over the work only that stands."""
    rails, part = job.composition.decisions.relief.rails, one.part
    if part.role != "rail" or rails is None or rails.built or not rails.rabbet_mm:
        return ""
    cut = max(part.thickness_mm - LIP_THICK_MM, 0.0)
    (x0, y0), (x1, y1) = shapely.get_coordinates(part.outline)[2:4].tolist()
    way = np.array([y1 - y0, x0 - x1]) / max(np.hypot(x1 - x0, y1 - y0), 1e-9)
    along = np.linspace(one.from_mm, one.to_mm, 2)
    places = np.array(section.a) + np.outer(along / section.length_mm, np.subtract(section.b, section.a))
    # how far the two ends of the slice lie from the rail's inner edge: its lip is what is near it
    far = np.abs((places - [x0, y0]) @ way)
    lip = float(np.interp(rails.rabbet_mm, np.sort(far), along[np.argsort(far)]))
    near = float(along[np.argmin(far)])
    free = float(along[np.argmax(far)])
    u, v, w = (PAD_PX + s * across for s in (free, lip, near))
    top, under, low = (foot - mm * up for mm in (part.top_mm, part.floor_mm + cut, part.floor_mm))
    return f"M{u:.1f} {low:.1f}V{top:.1f}H{w:.1f}V{under:.1f}H{v:.1f}V{low:.1f}z"


def _higher(step):
    return step.before if step.before.top_mm > step.after.top_mm else step.after


def _steps(job: Job, section: Section, across: float, up: float, foot: float) -> list[dict]:
    """Where heights change: the step that shows, and what was said of the two."""
    practice = job.composition.practice
    said = _said_of(job, {s.id.piece for step in section.steps for s in (step.before, step.after) if s is not None})
    rows = []
    for step in section.steps:
        if step.before is None or step.after is None:
            continue
        a, b = step.before.id.piece, step.after.id.piece
        kind = said.get((a, b)) or said.get((b, a), "")
        way = 0 if kind != "front" else (1 if (a, b) in said else -1)
        x = PAD_PX + step.at_mm * across
        high, low = sorted((step.before.top_mm, step.after.top_mm), reverse=True)
        ahead = step.before.top_mm > step.after.top_mm
        shows = step.exposed_mm >= LEAST_SHOWN_MM
        rows.append(
            {
                "x": round(x, 1),
                "top": round(foot - high * up, 1),
                "low": round(foot - low * up, 1),
                "kind": kind,
                "way": way,
                "shows": practice.short(step.exposed_mm) if shows else "",
                "side": 1 if ahead else -1,
            }
        )
    return _apart(rows)


def _said_of(job: Job, met: set[int]) -> dict[tuple[int, int], str]:
    """What was said of pieces that the line meets: of the one in front and the one behind."""
    return {
        (a, b): "level" if level else "front"
        for _, front, behind, level in said_pairs(job.composition)
        for a in met.intersection(front)
        for b in met.intersection(behind)
    }


def _apart(rows: list[dict]) -> list[dict]:
    """Words only where they have room beside the last."""
    last = -100.0
    for row in rows:
        if row["shows"] and row["x"] - last < 26:
            row["shows"] = ""
        elif row["shows"]:
            last = row["x"]
    return rows


def _rungs(job: Job, section: Section, up: float, foot: float) -> list[dict]:
    """Levels beside the drawing: the top of the backer and the heights that stand on it."""
    practice, ground = job.composition.practice, job.ground_mm
    tops = sorted({round(one.top_mm - ground, 3) for one in section.seen})
    rows, last = [], None
    for mm in [0.0, *tops]:
        y = round(foot - (mm + ground) * up, 1)
        if last is not None and last - y < 15:
            continue
        last = y
        rows.append({"y": y, "words": practice.short(mm) if mm else "0"})
    return rows


def _ticks(job: Job, section: Section, across: float) -> list[dict]:
    """The rule under it, in the shop's unit."""
    unit_mm = MM_PER_UNIT["in"] if job.composition.practice.unit == "in" else 10.0
    total = int(section.length_mm / unit_mm)
    every = max(1, round(2 * total / 16))
    return [
        {
            "x": round(PAD_PX + n * unit_mm * across, 1),
            "words": str(n if unit_mm > 20 else n * 10) if n and n % every == 0 else "",
        }
        for n in range(total + 1)
        if n % max(1, every // 2) == 0
    ]
