"""A painted SVG: shapes over each other. What is visible becomes one coverage with its colours.

Every outline is noded; each face gets the colour that the shapes over its inside make together, from the front to the
first one that hides what is behind. Faces of one colour with no drawn line between them are one.
"""

import re
from dataclasses import dataclass
from xml.etree import ElementTree as ET

import numpy as np
import shapely
import svgelements

from ..errors import BadDrawing
from ..outline.coverage import Coverage, on_grid
from ..outline.linework import noded, refuse_tangle
from .seen import is_dark
from .svg_source import XLINK, SafeSvg, flatten, has_page, page_of, page_size, parse_svg, shapes_in, stroke_width

OPAQUE, UNSEEN, SEAM_ALPHA = 0.995, 0.04, 0.5
CAPS = {"butt": "flat", "round": "round", "square": "square"}
JOINS = {"miter": "mitre", "round": "round", "bevel": "bevel"}
Rgb = tuple[float, float, float]


@dataclass(frozen=True)
class Paint:
    """One painted region in the drawing's units; `line` where it is only a seam, drawn but no piece."""

    shape: shapely.Geometry
    colour: Rgb
    alpha: float
    seam: bool = False


@dataclass(frozen=True)
class PaintedSource:
    paints: list[Paint]
    page: tuple[float, float, float, float]
    left_out: tuple[str, ...]


def read_painted(safe: SafeSvg, up_to: float = 0.0) -> PaintedSource:
    """Painted regions back to front. Dark strokes up to a width in page units are seams, others are painted too.
    Raises `BadDrawing`."""
    svg = parse_svg(safe)
    gradients = _gradients(safe.root)
    paints: list[Paint] = []
    shapes = list(shapes_in(svg))
    every = [line for _, lines in shapes for line in lines]
    refuse_tangle([shapely.linestrings(line) for line in every])
    for element, lines in shapes:
        clip = _clip(element, page_size(svg) / 4000)
        opacity = _number(element.values.get("opacity"), 1.0)
        colour, alpha = _paint(element, "fill", gradients)
        alpha *= opacity  # the parser has the fill's own opacity in its colour
        if alpha > UNSEEN:
            region = region_of(lines, element.values.get("fill-rule") == "evenodd")
            paints.append(Paint(_clipped(region, clip), colour, min(alpha, 1.0)))
        paints += _stroke(element, lines, up_to, gradients, opacity, clip)
    paints = [p for p in paints if not p.shape.is_empty]
    if not paints:
        raise BadDrawing("Nothing is painted in this SVG. Bring it as lines.")
    page = page_of(svg, every)
    if has_page(svg):
        box = shapely.box(page[0], page[1], page[0] + page[2], page[1] + page[3])
        paints = [Paint(shapely.intersection(p.shape, box), p.colour, p.alpha, p.seam) for p in paints]
    return PaintedSource([p for p in paints if not p.shape.is_empty], page, safe.left_out)


def _stroke(element, lines, up_to: float, gradients, opacity: float, clip) -> list[Paint]:
    colour, alpha = _paint(element, "stroke", gradients)
    alpha *= opacity
    width = stroke_width(element)
    if alpha <= UNSEEN or width <= 0:
        return []
    if width <= up_to and alpha > SEAM_ALPHA and is_dark(np.array([[colour]], np.uint8))[0, 0]:
        return [
            Paint(
                _clipped(shapely.multilinestrings([shapely.linestrings(x) for x in lines]), clip), colour, alpha, True
            )
        ]
    cap = CAPS.get(str(element.values.get("stroke-linecap") or "butt"), "flat")
    join = JOINS.get(str(element.values.get("stroke-linejoin") or "miter"), "mitre")
    rings = [shapely.linearrings(x) if len(x) > 3 and (x[0] == x[-1]).all() else shapely.linestrings(x) for x in lines]
    fat = shapely.buffer(np.array(rings), width / 2, cap_style=cap, join_style=join, mitre_limit=4, quad_segs=6)
    return [Paint(_clipped(shapely.union_all(fat), clip), colour, min(alpha, 1.0))]


def _clip(element, tolerance: float) -> shapely.Geometry | None:
    """The region that a clip path leaves, in the drawing's units; None without one."""
    clip = getattr(element, "clip_path", None)
    if clip is None:
        return None
    parts = []
    for shape in clip:
        if isinstance(shape, svgelements.Shape):
            lines = flatten(abs(svgelements.Path(shape)), tolerance)
            parts.append(region_of(lines, shape.values.get("clip-rule") == "evenodd"))
    return shapely.union_all(np.array(parts)) if parts else None


def _clipped(shape: shapely.Geometry, clip: shapely.Geometry | None) -> shapely.Geometry:
    return shape if clip is None else shapely.intersection(shape, clip)


def region_of(lines: list[np.ndarray], evenodd: bool) -> shapely.Geometry:
    """What a path fills: faces whose winding number is not zero, or odd. Open subpaths are closed, as painters do."""
    rings = [np.r_[line, line[:1]] if (line[0] != line[-1]).any() else line for line in lines if len(line) >= 3]
    rings = [ring for ring in rings if len(ring) >= 4]
    if not rings:
        return shapely.Polygon()
    if len(rings) == 1 and (one := shapely.Polygon(rings[0])).is_valid:
        return one
    crossed = shapely.unary_union(np.array([shapely.LineString(ring) for ring in rings]))
    faces = shapely.get_parts(shapely.polygonize(shapely.get_parts(crossed)))
    if not len(faces):
        return shapely.Polygon()
    spots = shapely.get_coordinates(shapely.point_on_surface(faces))
    turns = sum(_winding(ring, spots) for ring in rings)
    inside = (turns % 2 == 1) if evenodd else (turns != 0)
    return shapely.union_all(faces[inside])


def _winding(ring: np.ndarray, spots: np.ndarray) -> np.ndarray:
    """How often a ring runs round each point: upward crossings to its right less downward ones."""
    turns = np.zeros(len(spots), int)
    (x0, y0), (x1, y1) = ring[:-1].T, ring[1:].T
    for i, (x, y) in enumerate(spots.tolist()):
        side = (x1 - x0) * (y - y0) - (x - x0) * (y1 - y0)
        turns[i] = int(((y0 <= y) & (y1 > y) & (side > 0)).sum() - ((y0 > y) & (y1 <= y) & (side < 0)).sum())
    return turns


def faces_of(paints: list[Paint], frame: shapely.Polygon | None) -> tuple[list[shapely.Polygon], list[str]]:
    """Visible faces and their colours, ``#rrggbb`` or empty where nothing is painted. Lengths in mm."""
    lines = [shapely.boundary(p.shape) if not p.seam else p.shape for p in paints]
    if frame is not None:
        lines.append(frame.exterior)
    faces = shapely.get_parts(
        shapely.polygonize(shapely.get_parts(noded(np.concatenate([shapely.get_parts(x) for x in lines]))))
    )
    if not len(faces):
        return [], []
    spots = shapely.point_on_surface(faces)
    solid = [i for i, p in enumerate(paints) if not p.seam]
    found, shape = shapely.STRtree(np.array([paints[i].shape for i in solid])).query(spots, predicate="within")
    over: list[list[int]] = [[] for _ in faces]
    for f, s in zip(found.tolist(), shape.tolist(), strict=True):
        over[f].append(solid[s])
    colours = [_seen([paints[i] for i in sorted(stack, reverse=True)]) for stack in over]
    seams = [p.shape for p in paints if p.seam]
    return _merged(list(faces), colours, seams)


def _seen(stack: list[Paint]) -> str:
    """The colour of shapes over each other, front first, on white paper; empty where none is."""
    if not stack:
        return ""
    mixed, left = np.zeros(3), 1.0
    for paint in stack:
        mixed += left * paint.alpha * np.array(paint.colour)
        left *= 1 - paint.alpha
        if left < 1 - OPAQUE:
            break
    mixed += left * 255
    return "#" + "".join(f"{min(255, max(0, round(v))):02x}" for v in mixed.tolist())


def _merged(faces: list[shapely.Polygon], colours: list[str], seams: list) -> tuple[list[shapely.Polygon], list[str]]:
    """Faces of one colour that share a border where no line is drawn, joined."""
    coverage = Coverage(range(len(faces)), list(on_grid(np.array(faces))))
    drawn = noded(np.concatenate([shapely.get_parts(s) for s in seams])) if seams else None
    if drawn is not None:
        shapely.prepare(drawn)
    home = list(range(len(faces)))

    def root(i: int) -> int:
        while home[i] != i:
            home[i] = home[home[i]]
            i = home[i]
        return i

    for seam in coverage.seams:
        if colours[seam.a] != colours[seam.b]:
            continue
        if drawn is not None and drawn.distance(shapely.Point(seam.middle)) <= 0.005:
            continue
        home[root(seam.a)] = root(seam.b)
    groups: dict[int, list[int]] = {}
    for i in range(len(faces)):
        groups.setdefault(root(i), []).append(i)
    out, tints = [], []
    for first, members in groups.items():
        for part in shapely.get_parts(shapely.coverage_union_all(np.array([coverage.outlines[i] for i in members]))):
            out.append(part)
            tints.append(colours[first])
    return out, tints


def _paint(element, name: str, gradients: dict[str, tuple[Rgb, float]]) -> tuple[Rgb, float]:
    """Colour 0..255 and alpha of a fill or stroke; a gradient is taken as its mean."""
    raw = str(element.values.get(name) or "")
    named = re.match(r"url\(['\"]?#([^)'\"]+)['\"]?\)", raw)
    if named:
        return gradients.get(named[1], ((0.0, 0.0, 0.0), 0.0))
    colour = getattr(element, name)
    if colour is None or colour.value is None:
        return (0.0, 0.0, 0.0), 0.0
    return (float(colour.red), float(colour.green), float(colour.blue)), colour.alpha / 255


def _gradients(root: ET.Element) -> dict[str, tuple[Rgb, float]]:
    """The mean colour and opacity of every gradient, stops inherited by reference."""
    table = {
        e.get("id"): e for e in root.iter() if isinstance(e.tag, str) and e.tag.rsplit("}", 1)[-1].endswith("Gradient")
    }
    made = {}
    for name, owner in table.items():
        element: ET.Element | None = owner
        radial = owner.tag.endswith("radialGradient")
        stops: list = []
        seen: set[int] = set()
        while element is not None and not stops and id(element) not in seen:
            seen.add(id(element))
            stops = [s for s in element if isinstance(s.tag, str) and s.tag.endswith("stop")]
            href = element.get("href") or element.get(XLINK) or ""
            element = table.get(href.removeprefix("#"))
        if stops and name:
            made[name] = _mean(stops, radial)
    return made


def _mean(stops: list[ET.Element], radial: bool) -> tuple[Rgb, float]:
    """Mean over the way from 0 to 1; of a radial one by area, so what lies outside counts more."""
    places, values = [], []
    for stop in stops:
        style = dict(part.split(":", 1) for part in (stop.get("style") or "").split(";") if ":" in part)
        style = {k.strip(): v.strip() for k, v in style.items()}
        colour = svgelements.Color(style.get("stop-color") or stop.get("stop-color") or "black")
        text = stop.get("offset") or "0"
        share = _number(text.rstrip("%"), 0.0) / (100 if text.endswith("%") else 1)
        alpha = _number(style.get("stop-opacity") or stop.get("stop-opacity"), 1.0)
        places.append(min(max(share, 0.0), 1.0))
        values.append([colour.red or 0, colour.green or 0, colour.blue or 0, alpha])
    t = np.linspace(0, 1, 101)
    at = np.maximum.accumulate(places)
    run = np.column_stack([np.interp(t, at, [v[i] for v in values]) for i in range(4)])
    weight = (t + 1e-6) if radial else np.ones_like(t)
    mean = (run * weight[:, None]).sum(axis=0) / weight.sum()
    return (float(mean[0]), float(mean[1]), float(mean[2])), float(mean[3])


def _number(text, usual: float) -> float:
    try:
        return usual if text is None else float(text)
    except (TypeError, ValueError):
        return usual
