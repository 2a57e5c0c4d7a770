"""What else goes on paper: labels, lines to trace, a template for hardboard, both faces with the folds between."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import shapely

from ..assembly.alike import alike_of
from ..errors import BadChoice
from ..saw.cuts import Drilled
from ..saw.holes import bit_words
from ..stock.parts_list import material_name
from ..work.composition import Layer
from ..work.joints import joints_of
from ..work.parts import Job, Part
from .pdf import layout_for
from .planes import Plane, Printed, mirrored_plane, of_work, placement_planes, printed_of

LABEL_MM = (60.0, 26.0)
FOLD_EDGE_MM = 6.0
"""From the drawing to the edge that the paper is folded over: common practice, no source."""
MEETS = 3
"""So many outlines meet in a point that is marked on a template."""


def label_planes(job: Job, paper: str) -> list[Plane]:
    """A label for every part of one copy: number, wood, thickness, layer, which face it is, and its arrow."""
    layout = layout_for(10, 10, paper, job.composition.practice.print_margin_mm)
    sheet = layout.sheets[0]
    across, down = (
        max(1, int(side // own)) for side, own in zip((sheet.width_mm, sheet.height_mm), LABEL_MM, strict=True)
    )
    parts = [part for part in job.of_one if part.material]
    planes: list[Plane] = []
    for first in range(0, len(parts), across * down):
        own = []
        for i, part in enumerate(parts[first : first + across * down]):
            x, y = (i % across) * LABEL_MM[0], (i // across) * LABEL_MM[1]
            own.append(_label(job, part, shapely.box(x, y, x + LABEL_MM[0], y + LABEL_MM[1])))
        name = f"Labels {len(planes) + 1}"
        planes.append(Plane("labels", name, across * LABEL_MM[0], down * LABEL_MM[1], tuple(own)))
    return planes


def _label(job: Job, part: Part, card: shapely.Polygon) -> Printed:
    composition = job.composition
    wood = material_name(composition.rack.shelf, part.material).capitalize()
    notes = [f"{wood}, {composition.practice.say(part.thickness_mm)}"]
    piece = part.id.piece if part.key.isdecimal() else 0
    if piece and len(composition.layers) > 1:
        layer = composition.home[piece]
        notes.append(f"layer {composition.layers.index(layer) + 1}, {layer.name}")
    place = composition.placements.get(part.key)
    if place:
        notes.append(f"board {place.board}")
    notes.append("front: this side up" if piece else "back" if part.role == "backer" else "goes under, either side up")
    if takes := sorted({joint.tab for _, joint in joints_of(composition) if joint.slot == piece}):
        notes.append("its slots take " + ", ".join(str(job.pieces[key].number) for key in takes))
    alike = alike_of(job)
    if others := alike.others(part.id.in_any_copy, 3):
        notes.append(f"looks like {', '.join(job.by_key[key].name for key in others)}")
    if part.id.in_any_copy in alike.turned_of:
        notes.append("nearly fits turned: mark its upper end")
    grain = None if part.turn == "any" else part.grain_deg
    return replace(
        printed_of(job, part),
        outline=card,
        words=str(part.number or part.name),
        grain_deg=grain,
        notes=tuple(notes),
        sunk=(),
    )


def trace_planes(job: Job) -> list[Plane]:
    """Lines alone, to be traced through carbon paper."""
    return [replace(plane, kind="trace", name=_name(plane, "lines to trace")) for plane in placement_planes(job)]


def _name(plane: Plane, words: str) -> str:
    """Of what is made of a layer's whole drawing."""
    layer = plane.name.removesuffix(", whole")
    return f"{layer}: {words}" if layer != plane.name else words.capitalize()


def template_planes(job: Job, drilled: Sequence[Drilled]) -> list[Plane]:
    """Each layer whole, to stick on hardboard and keep: pilot holes, and where three outlines meet, are drilled through
    it and pricked from there."""
    holes: dict[str, list[tuple[float, float]]] = {}
    for one in drilled:
        holes.setdefault(one.part, []).append((one.hole.x_mm, one.hole.y_mm))
    planes = []
    made = [layer for layer in job.composition.layers if layer.without_openings.pieces]
    for layer, plane in zip(made, placement_planes(job), strict=True):
        marks = [point for p in layer.pieces for point in holes.get(str(p.key), ())]
        marks += _meetings(layer)
        planes.append(replace(plane, kind="template", name=_name(plane, "template to keep"), marks=tuple(marks)))
    return planes


def drill_planes(job: Job, drilled: Sequence[Drilled]) -> list[Plane]:
    """A page for every bit and tilt, layer by layer, with the places to drill. Raises `BadChoice` where there are
    none."""
    gathered: dict[tuple[int, float, float], list[Drilled]] = {}
    for one in drilled:
        if one.hole.bit_mm is not None:
            key = (job.by_key[one.part].id.layer, -one.hole.bit_mm, round(one.hole.tilt_deg, 1))
            gathered.setdefault(key, []).append(one)
    if not gathered:
        raise BadChoice("There is nothing to drill: no part has an opening, and every line is reached from an edge.")
    composition = job.composition
    names = {layer.key: layer.name for layer in composition.layers} if len(composition.layers) > 1 else {}
    planes = []
    for (layer, bit, tilt), holes in sorted(gathered.items(), key=lambda entry: (entry[0][1], entry[0])):
        keys = {one.part for one in holes}
        whole = [part for part in job.of_one if part.id.layer == layer and (part.key in keys or part.key.isdecimal())]
        words = f"Drill {bit_words(-bit)}: {len(holes)} hole{'' if len(holes) == 1 else 's'}"
        words += f", tilted {tilt:g} degrees" if tilt else ""
        where = f", {names[layer]}" if layer in names else ""
        name = f"{words}{where}; scrap under it, sand the burrs off the back"
        marks = tuple((one.hole.x_mm, one.hole.y_mm) for one in holes)
        plane = of_work(composition, "drill", name, tuple(printed_of(job, part, tint=False) for part in whole))
        planes.append(replace(plane, marks=marks))
    return planes


def _meetings(layer: Layer) -> list[tuple[float, float]]:
    """Points that three or more outlines share."""
    count: Counter[tuple[float, float]] = Counter()
    for outline in layer.without_openings.coverage.outlines:
        count.update({(round(x, 3), round(y, 3)) for x, y in shapely.get_coordinates(outline).tolist()})
    return sorted(point for point, times in count.items() if times >= MEETS)


def fold_planes(job: Job) -> list[Plane]:
    """Front, edge and back of each layer in one piece: folded over the edge of the stock twice, both faces agree."""
    planes = []
    for plane in placement_planes(job):
        keys = [int(part.key) for part in plane.parts]
        thick = max(job.pieces[key].thickness_mm for key in keys)
        wide = max(part.outline.bounds[2] for part in plane.parts)
        first = wide + FOLD_EDGE_MM
        back = mirrored_plane(plane)
        shift = first + thick + FOLD_EDGE_MM + wide - plane.width_mm

        def moved(shape: shapely.Geometry, by: float = shift) -> shapely.Geometry:
            return shapely.transform(shape, lambda xy: xy + np.array([by, 0.0]))

        behind = tuple(replace(part, outline=moved(part.outline)) for part in back.parts)
        folds = tuple(((x, 0.0), (x, plane.height_mm)) for x in (first, first + thick))
        total = 2 * (wide + FOLD_EDGE_MM) + thick
        name = _name(plane, "front and back, to fold")
        planes.append(Plane("fold", name, total, plane.height_mm, (*plane.parts, *behind), folds))
    return planes
