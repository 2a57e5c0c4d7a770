"""A line SVG, safely read into lines.

The file is checked with defusedxml before anything interprets it: entity bombs, outside entities, loops of `use`,
and drawings too large to be a pattern end in a sentence. Scripts and outside pictures are never run or fetched.
"""

import gzip
import io
import math
import re
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from xml.etree import ElementTree as ET

import defusedxml.ElementTree
import numpy as np
import shapely
import svgelements
from defusedxml.common import DefusedXmlException

from ..constants import MM_PER_INCH
from ..errors import BadDrawing
from ..lazy import lazy
from ..outline.linework import refuse_tangle
from .svg_style import flat_rules

MOST_BYTES = 40_000_000
MOST_POINTS = 300_000
MOST_ELEMENTS = 60_000
ROOTS = ("svg", "{http://www.w3.org/2000/svg}svg")
"""A drawing may come without its namespace; one of another is no SVG."""
XLINK = "{http://www.w3.org/1999/xlink}href"
NUMBERS = re.compile(r"\d*\.?\d+(?:[eE][-+]?\d+)?")
NUMBER = re.compile(r"[-+]?\d*\.?\d+(?:[eE][-+]?\d+)?")
LENGTH = re.compile(r"([-+]?\d*\.?\d+(?:[eE][-+]?\d+)?)\s*([a-zA-Z%]*)")
PIXELS = {"px": 1.0, "pt": 96 / 72, "pc": 16.0, "mm": 96 / 25.4, "cm": 960 / 25.4, "in": 96.0, "em": 16.0, "ex": 8.0}
ENTITY = re.compile(rb"<!ENTITY\s+([^\s%>]+)\s+(\"[^\"&%]{0,200}\"|'[^'&%]{0,200}')\s*>")
MOST_ENTITIES = 100
NO_LINES = "This SVG holds no lines. Draw the seams as lines or outlines and bring it again."
CURVE_STEPS = (4, 64)
GREATEST = 1e9
"""No corner of a drawing lies farther out, in its units; what is not a number does not either."""


@dataclass(frozen=True)
class LineSource:
    """Lines in the drawing's own units, and its page (left, top, width, height)."""

    lines: list[np.ndarray]
    page: tuple[float, float, float, float]
    left_out: tuple[str, ...]
    unit_mm: float | None = None
    """What one unit measures by the file's own account."""
    stroke: float = 0.0
    """How wide its strokes usually are, in its units; 0 where it does not say."""


@dataclass(frozen=True)
class SafeSvg:
    """A drawing without scripts and without ways to other files: its elements, its page in pixels of 1/96 inch, and
    words for what was left out."""

    root: ET.Element
    page: tuple[float, float]
    left_out: tuple[str, ...]

    @lazy
    def data(self) -> bytes:
        return ET.tostring(self.root)


def safe_svg(data: bytes) -> SafeSvg:
    """Raises `BadDrawing` for what is broken, dangerous or hopeless."""
    root, left_out = _inspect(unpacked(data))
    return SafeSvg(root, _page(root), left_out)


def unpacked(data: bytes) -> bytes:
    """What a gzipped drawing holds, no more than can be read."""
    if not data.startswith(b"\x1f\x8b"):
        return data
    try:
        with gzip.GzipFile(fileobj=io.BytesIO(data)) as stream:
            return stream.read(MOST_BYTES + 1)
    except (OSError, EOFError, zlib.error):
        raise BadDrawing("This packed SVG is damaged and cannot be unpacked.") from None


def _page(root: ET.Element) -> tuple[float, float]:
    """Width and height of the page in pixels; from the viewBox where only that is told, 0 where nothing is."""
    box = [float(v) for v in NUMBER.findall(root.get("viewBox") or "")]
    across, down = (box[2], box[3]) if len(box) == 4 and min(box[2:]) > 0 else (0.0, 0.0)
    width, height = _length(root.get("width"), across), _length(root.get("height"), down)
    if across and width and not height:
        height = width * down / across
    if across and height and not width:
        width = height * across / down
    return width, height


def _length(text: str | None, usual: float) -> float:
    told = LENGTH.fullmatch((text or "").strip())
    if not told:
        return usual
    if told[2] == "%":
        return usual * float(told[1]) / 100
    return float(told[1]) * PIXELS.get(told[2], 1.0)


def parse_svg(safe: SafeSvg) -> svgelements.SVG:
    """The drawing's own shapes. Raises `BadDrawing`."""
    try:
        svg = svgelements.SVG.parse(io.BytesIO(safe.data), reify=False)
    except RecursionError:
        raise BadDrawing("This SVG is nested too deeply to be read.") from None
    except Exception as problem:  # the parser raises whatever it meets: all mean that the file cannot be read
        raise BadDrawing(f"This SVG cannot be read ({type(problem).__name__}).") from problem
    if not isinstance(svg, svgelements.SVG):
        raise BadDrawing("This SVG cannot be read: its drawing is empty.")
    return svg


def shapes_in(
    svg: svgelements.SVG, lost: list[svgelements.Shape] | None = None
) -> Iterator[tuple[svgelements.Shape, list[np.ndarray]]]:
    """Every shape that shows, back to front, with its polylines flattened to 1/4000 of the page. What has numbers that
    are none, or lies nowhere, is `lost`."""
    points = 0
    every: list[np.ndarray] = []
    for element in svg.elements(lambda e: isinstance(e, svgelements.Shape)):
        if element.values.get("display") == "none" or element.values.get("visibility") == "hidden":
            continue
        lines = _flat(element, page_size(svg) / 4000)
        if not lines and lost is not None and _is_drawn(element):
            lost.append(element)
        points += sum(map(len, lines))
        every += lines
        if points > MOST_POINTS:
            refuse_tangle([shapely.linestrings(line) for line in every])
            raise BadDrawing(_too_many(points, "or more "))
        if lines:
            yield element, lines


def _flat(element: svgelements.Shape, tolerance: float) -> list[np.ndarray]:
    """Its polylines; none where it has no place: the parser raises whatever it meets on numbers that are none."""
    try:
        with np.errstate(all="ignore"):
            return flatten(abs(svgelements.Path(element)), tolerance)
    except (ArithmeticError, ValueError, TypeError, AttributeError, IndexError):
        return []


def _is_drawn(element: svgelements.Shape) -> bool:
    """Whether something was meant to be there."""
    given = element.values.get("d") or element.values.get("points") or ""
    return len(NUMBERS.findall(given)) > 2


def extent(safe: SafeSvg) -> tuple[float, float, float, float]:
    """Left, top, width and height of all shapes. Raises `BadDrawing`."""
    return read_svg(safe).page


def read_svg(safe: SafeSvg) -> LineSource:
    """Every stroke and outline as polylines. Raises `BadDrawing`."""
    svg = parse_svg(safe)
    lost: list[svgelements.Shape] = []
    shapes = list(shapes_in(svg, lost))
    lines = [line for _, own in shapes for line in own]
    if not lines:
        raise BadDrawing(NO_LINES)
    widths = [wide for element, _ in shapes if (wide := stroke_width(element)) > 0]
    stroke = float(np.median(widths)) if widths else 0.0
    nowhere = (f"{len(lost)} shape{'' if len(lost) == 1 else 's'} without a place",) if lost else ()
    return LineSource(lines, page_of(svg, lines), (*safe.left_out, *nowhere), MM_PER_INCH / 96, stroke)


WIDEST_STROKE = 1e7
"""Covers any page that can be read, from anywhere on it."""


def stroke_width(element: svgelements.Shape) -> float:
    """How wide a shape's stroke shows, in page units, at most `WIDEST_STROKE`; 0 for none."""
    if element.stroke is None or element.stroke.value is None:
        return 0.0
    width = float(element.stroke_width or 0) * math.sqrt(abs(element.transform.determinant))
    return 0.0 if math.isnan(width) else min(width, WIDEST_STROKE)


def _too_many(points: int, more: str = "") -> str:
    return (
        f"This drawing has {points:,} {more}points; up to {MOST_POINTS:,} can be read. "
        "Simplify its lines, or bring it as a picture."
    )


def _inspect(data: bytes) -> tuple[ET.Element, tuple[str, ...]]:
    """Refuse what is dangerous or hopeless; return what is left of the drawing, and words for what is not."""
    if len(data) > MOST_BYTES:
        raise BadDrawing(f"This file is {len(data) / 1e6:.0f} MB; up to {MOST_BYTES / 1e6:.0f} MB can be read.")
    try:
        root = defusedxml.ElementTree.fromstring(
            data, forbid_dtd=False, forbid_entities=not _plain_entities(data), forbid_external=True
        )
    except DefusedXmlException:
        raise BadDrawing("This SVG defines entities, which can hide a bomb. Save it again as plain SVG.") from None
    except (ET.ParseError, ValueError, LookupError) as problem:
        raise BadDrawing(f"This SVG is broken: {problem}.") from None
    except RecursionError:
        raise BadDrawing("This SVG is nested too deeply to be read.") from None
    if root.tag not in ROOTS:
        raise BadDrawing("This file is XML, but not an SVG drawing.")
    return root, _walk(root)


def _plain_entities(data: bytes) -> bool:
    """Whether all entities are short words that hold no others, as drawing programs write for their namespaces."""
    declared = data.count(b"<!ENTITY")
    return 0 < declared <= MOST_ENTITIES and len(ENTITY.findall(data)) == declared and data.count(b"&") < 5000


def _walk(root) -> tuple[str, ...]:
    """Count what the drawing holds, refusing what is too much; words for what will be left out."""
    scripts = pictures = outside = rough_points = elements = 0
    uses: dict[str, list[str]] = {}
    stack: list[tuple] = [(root, ("",))]
    while stack:
        element, owners = stack.pop()
        elements += 1
        name = _local(element.tag)
        if element.get("id"):
            owners = (*owners, element.get("id"))
        href = element.get("href") or element.get(XLINK) or ""
        scripts += any(a.lower().startswith("on") for a in element.attrib)
        pictures += name == "image"
        # without its namespace it says nothing, but the renderer would keep the blanks before a word
        element.attrib.pop("space", None)
        if name == "use" and href.startswith("#"):
            for owner in owners:
                uses.setdefault(owner, []).append(href[1:])
        rough_points += len(NUMBERS.findall(element.get("d") or element.get("points") or "")) // 2
        if len(owners) > 200:
            raise BadDrawing("This SVG is nested too deeply to be read.")
        for child in list(element):
            if _local(child.tag) in ("script", "foreignObject") or _reaches_out(child):
                scripts += _local(child.tag) == "script"
                pictures += _local(child.tag) in ("image", "foreignObject")
                outside += _reaches_out(child)
                element.remove(child)
            else:
                if _local(child.tag) == "style":
                    child.text = flat_rules("".join(child.itertext()))
                stack.append((child, owners))
    if elements > MOST_ELEMENTS:
        raise BadDrawing(f"This SVG has {elements:,} elements; up to {MOST_ELEMENTS:,} can be read.")
    if rough_points > MOST_POINTS:
        raise BadDrawing(_too_many(rough_points, "or more "))
    _refuse_use_loops(uses)
    said = ((scripts, "script"), (pictures, "picture"), (outside, "link to another file"))
    return tuple(f"{n} {word}{'' if n == 1 else 's'}" for n, word in said if n)


def _reaches_out(element) -> bool:
    """Whether an element draws what lies in another file."""
    href = element.get("href") or element.get(XLINK) or ""
    return bool(href) and not href.startswith(("#", "data:")) and _local(element.tag) != "a"


def _refuse_use_loops(uses: dict[str, list[str]]) -> None:
    """A `use` that draws itself never ends; one that doubles at each level is a bomb."""
    drawn: dict[str, int] = {}
    walking: set[str] = set()

    def count(name: str) -> int:
        if name in drawn:
            return drawn[name]
        if name in walking:
            raise BadDrawing("This SVG uses itself in a loop. Save it again with its copies expanded.")
        walking.add(name)
        total = 1 + sum(count(other) for other in uses.get(name, ()))
        walking.discard(name)
        if total > MOST_ELEMENTS:
            raise BadDrawing(f"The copies in this SVG expand to more than {MOST_ELEMENTS:,} shapes.")
        drawn[name] = total
        return total

    try:
        for name in uses:
            count(name)
    except RecursionError:
        raise BadDrawing("This SVG is nested too deeply to be read.") from None


def _local(tag) -> str:
    return tag.rsplit("}", 1)[-1] if isinstance(tag, str) else ""


def page_size(svg) -> float:
    return max(float(svg.width or 0), float(svg.height or 0), 1.0)


def has_page(svg) -> bool:
    """Whether the drawing says how large its page is."""
    told = svg.viewbox is not None or ("width" in svg.values and "height" in svg.values)
    return told and float(svg.width or 0) > 0 and float(svg.height or 0) > 0


def page_of(svg, lines: list[np.ndarray]) -> tuple[float, float, float, float]:
    """The page, left, top, width, height; what the lines take up where the drawing has none."""
    try:
        if has_page(svg):
            return 0.0, 0.0, float(svg.width), float(svg.height)
    except (TypeError, ValueError):
        pass
    every = np.concatenate(lines)
    (left, top), (right, bottom) = every.min(axis=0), every.max(axis=0)
    return left, top, right - left, bottom - top


def flatten(path: svgelements.Path, tolerance: float) -> list[np.ndarray]:
    """Polylines of a path; closed subpaths end where they start."""
    lines: list[np.ndarray] = []
    current: list[np.ndarray] = []

    def finish() -> None:
        if current:
            line = np.concatenate(current)
            keep = np.r_[True, np.abs(np.diff(line, axis=0)).sum(axis=1) > 0]
            if keep.sum() > 1 and (np.abs(line) < GREATEST).all():
                lines.append(line[keep])
        current.clear()

    for segment in path:
        if isinstance(segment, svgelements.Move):
            finish()
            continue
        if segment.start is None or segment.end is None:
            continue
        points = _segment_points(segment, tolerance)
        current.append(points if not current else points[1:])
        if isinstance(segment, svgelements.Close):
            finish()
    finish()
    return lines


def _segment_points(segment, tolerance: float) -> np.ndarray:
    if isinstance(segment, svgelements.QuadraticBezier):
        return _bezier([segment.start, segment.control, segment.end], tolerance)
    if isinstance(segment, svgelements.CubicBezier):
        return _bezier([segment.start, segment.control1, segment.control2, segment.end], tolerance)
    if isinstance(segment, svgelements.Arc):
        radius = max(abs(segment.rx), abs(segment.ry), tolerance)
        step = 2 * math.acos(max(1 - tolerance / radius, -1.0)) or 0.1
        steps = int(np.clip(abs(segment.sweep) / step, *CURVE_STEPS)) + 1
        return np.array([[p.x, p.y] for p in (segment.point(t) for t in np.linspace(0, 1, steps))])
    return np.array([[segment.start.x, segment.start.y], [segment.end.x, segment.end.y]])


def _bezier(control, tolerance: float) -> np.ndarray:
    """Points on a Bezier curve; the step follows from its second difference (Wang's bound on flatness)."""
    p = np.array([[c.x, c.y] for c in control])
    degree = len(p) - 1
    bend = np.abs(np.diff(p, 2, axis=0)).sum(axis=1).max()
    steps = int(np.clip(math.sqrt(degree * (degree - 1) * bend / (8 * tolerance)), *CURVE_STEPS)) + 1
    t = np.linspace(0, 1, steps)[:, None]
    weights = [math.comb(degree, i) * t**i * (1 - t) ** (degree - i) for i in range(degree + 1)]
    points = sum(w * p[i] for i, w in enumerate(weights))
    points[0], points[-1] = p[0], p[-1]
    return points


def as_lines(source: LineSource) -> shapely.Geometry:
    return shapely.multilinestrings([shapely.linestrings(line) for line in source.lines])
