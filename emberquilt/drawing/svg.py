"""Back end for files: SVG in true millimetres."""

import math
from xml.etree import ElementTree as ET

from ..intake.proposal import Proposal
from ..outline.paths import path_of
from ..work.composition import Layer
from ..work.parts import Job
from ..work.scene import Shape, shapes_of, wood_mark
from .registration import registration_lines

DASHES = {"burnt": "", "painted": "0.3 0.9", "sawn": "2.4 0.9", "vein": "4 0.9 0.6 0.9", "textured": "0.9 0.9"}
"""How the lines that part nothing are drawn: burnt ones whole, painted ones dotted, sawn ones dashed, veins dashed and
dotted, textures in short strokes; in mm."""


def pattern_svg(job: Job) -> bytes:
    """All parts of one copy: a group for each layer with its outlines, openings, numbers, grain arrows and wood marks;
    lines that part nothing with how they are made, backers, shims and spacers in a group each; registration marks that
    lie in the same place in every layer. One user unit is one millimetre. Three decimals."""
    composition = job.composition
    root = _root(composition.width_mm, composition.height_mm)
    ET.SubElement(root, "title").text = composition.name
    for role in ("backer", "shim", "spacer"):
        parts = [part for part in job.of_one if part.role == role and not part.key.isdecimal()]
        if parts:
            group = ET.SubElement(root, "g", id=role, fill="none", stroke="#5b5047")
            group.set("stroke-dasharray", "4 3")
            for part in parts:
                path = path_of(part.outline, 3)
                ET.SubElement(group, "path", {"d": path, "stroke-width": "0.3", "data-part": part.key})
    if composition.decisions.pattern.details:
        group = ET.SubElement(root, "g", id="details", fill="none", stroke="#2a2521")
        group.set("stroke-width", "0.3")
        for detail in composition.decisions.pattern.details:
            drawn = ET.SubElement(group, "path", {"d": path_of(detail.geometry, 3), "data-how": detail.how})
            if DASHES[detail.how]:
                drawn.set("stroke-dasharray", DASHES[detail.how])
    for i, layer in enumerate(composition.layers, 1):
        _layer(ET.SubElement(root, "g", {"id": f"layer-{i}", "data-layer": layer.name}), job, layer)
    return _bytes(root)


def _layer(root: ET.Element, job: Job, layer: Layer) -> None:
    composition = job.composition
    outlines = ET.SubElement(root, "g", {"class": "outlines", "fill": "none", "stroke": "#c0271a"})
    outlines.set("stroke-width", "0.3")
    arrows = ET.SubElement(root, "g", {"class": "arrows", "fill": "none", "stroke": "#2a2521"})
    arrows.set("stroke-width", "0.35")
    words = ET.SubElement(root, "g", {"class": "numbers", "fill": "#2a2521"})
    words.set("font-family", "sans-serif")
    words.set("text-anchor", "middle")
    for shape in shapes_of(layer.without_openings.coverage):
        piece, part = layer.by_key[shape.key], job.pieces[shape.key]
        path = path_of(part.outline, 3)
        told = {"data-piece": str(piece.number), "data-wood": part.material, "data-part": part.key}
        ET.SubElement(outlines, "path", {"d": path} | told)
        if part.material:
            ET.SubElement(arrows, "path", d=arrow_path(shape, piece.grain_deg or 0.0))
        size = label_size_mm(shape)
        mark = wood_mark(composition, piece)
        text = ET.SubElement(words, "text", x=f"{shape.spot.x_mm:.2f}", y=f"{shape.spot.y_mm - 0.15 * size:.2f}")
        text.set("font-size", f"{size:.2f}")
        text.text = f"{piece.number} {mark}".strip()
    if len(composition.layers) > 1:
        group = ET.SubElement(root, "g", {"class": "registration", "fill": "none", "stroke": "#2a2521"})
        group.set("stroke-width", "0.2")
        for (x0, y0), (x1, y1) in registration_lines(composition):
            ET.SubElement(group, "path", d=f"M{x0:.3f} {y0:.3f}L{x1:.3f} {y1:.3f}")


def coverage_svg(proposal: Proposal) -> bytes:
    """The pieces of a proposal, filled with their colours; one user unit is one millimetre. Three decimals."""
    root = _root(proposal.width_mm, proposal.height_mm)
    group = ET.SubElement(root, "g", id="pieces", stroke="#2a2521")
    group.set("stroke-width", "0.1")
    for key in proposal.coverage.keys:
        if key in proposal.openings:
            continue
        colour = proposal.colours.get(key) or "none"
        path = path_of(proposal.coverage.by_key[key], 3)
        ET.SubElement(group, "path", {"d": path, "fill": colour, "fill-rule": "evenodd", "data-piece": str(key)})
    return _bytes(root)


def label_size_mm(shape: Shape) -> float:
    """Height of the words on a piece: as large as fits its fattest spot, never above 6 mm."""
    return min(6.0, max(1.2, 0.6 * shape.spot.radius_mm))


def arrow_place(shape: Shape) -> tuple[float, float, float]:
    """Middle and half length in mm of a printed arrow: under the words, inside the piece's largest circle."""
    radius = shape.spot.radius_mm
    drop = 0.55 * min(radius, 14.0)
    return shape.spot.x_mm, shape.spot.y_mm + drop, 0.85 * min(radius - drop, drop)


def arrow_path(shape: Shape, grain_deg: float) -> str:
    """A grain arrow under the piece's number, as path data in mm."""
    x, y, reach = arrow_place(shape)
    angle_rad = math.radians(grain_deg)
    dx, dy = math.cos(angle_rad), -math.sin(angle_rad)
    tip_x, tip_y = x + dx * reach, y + dy * reach
    head = min(2.5, 0.4 * reach)
    wings = [
        (tip_x - head * (dx * math.cos(a) - dy * math.sin(a)), tip_y - head * (dx * math.sin(a) + dy * math.cos(a)))
        for a in (0.45, -0.45)
    ]
    (ax, ay), (bx, by) = wings
    return (
        f"M{x - dx * reach:.2f} {y - dy * reach:.2f}L{tip_x:.2f} {tip_y:.2f}"
        f"M{ax:.2f} {ay:.2f}L{tip_x:.2f} {tip_y:.2f}L{bx:.2f} {by:.2f}"
    )


def _root(width: float, height: float) -> ET.Element:
    root = ET.Element("svg", xmlns="http://www.w3.org/2000/svg", viewBox=f"0 0 {width!r} {height!r}")
    root.set("width", f"{width!r}mm")
    root.set("height", f"{height!r}mm")
    return root


def _bytes(root: ET.Element) -> bytes:
    return ET.tostring(root, encoding="utf-8", xml_declaration=True)
