"""An SVG, read by what it shows: rendered first, then, where its own lines say the same, by those lines."""

from dataclasses import replace

import numpy as np
import shapely

from ..errors import BadDrawing
from . import painted, rendering, seen, svg_source
from .finish import Drawn, Intake, finished
from .from_lines import line_faces
from .from_painted import painted_faces
from .from_pixels import from_photo
from .from_seen import CLEAR, SIDE, agreement, colours_under, look, seen_proposal
from .proposal import Proposal, ReadAs
from .raster_source import picture_of

COLOURED = 0.02
"""A drawing whose figure is neither ink nor paper on this share is painted."""
MOST_DRAWN = 60_000
"""Beyond so many points, a painted drawing is only looked at."""


def from_svg(data: bytes, work: Intake) -> Proposal:
    svg = svg_source.safe_svg(data)
    kind = work.knobs.kind
    if kind == "line" or (kind == "auto" and _no_paint(svg)):
        why = "you asked for its lines" if kind == "line" else "it states no colours"
        return _as_lines(svg, work, why)
    svg = _with_page(svg)
    picture = rendering.render(svg, SIDE, work.knobs.outside == "keep")
    if picture is None:
        if kind == "auto":
            return _as_lines(svg, work, "nothing in it is painted")
        raise BadDrawing("Nothing is painted in this SVG. Bring it as lines.")
    if kind == "photo":
        flat = picture_of(rendering.on_white(picture.rgba), picture.unit * picture.unit_mm)
        return replace(from_photo(flat, work, ""), left_out=svg.left_out)
    found, rough = look(picture, work, work.knobs.lines_up_to_mm)
    if kind == "painted" or found.coloured >= COLOURED:
        return _as_painted(svg, picture, found, rough, work)
    return _as_ink(svg, picture, work)


def _no_paint(svg: svg_source.SafeSvg) -> bool:
    """Whether a drawing says nothing of how its shapes are painted: outlines for a machine."""
    return not any(
        e.get(name) is not None for e in svg.root.iter() for name in ("fill", "stroke", "style", "class", "filter")
    )


def _with_page(svg: svg_source.SafeSvg) -> svg_source.SafeSvg:
    """A drawing that tells no page has the one its shapes take up."""
    if min(svg.page) > 0:
        return svg
    left, top, width, height = svg_source.extent(svg)
    root = svg.root
    root.set("viewBox", f"{left:.9g} {top:.9g} {width:.9g} {height:.9g}")
    root.set("width", f"{width:.9g}")
    root.set("height", f"{height:.9g}")
    return svg_source.SafeSvg(root, (width, height), svg.left_out)


def _as_lines(svg: svg_source.SafeSvg, work: Intake, why: str) -> Proposal:
    drawn = line_faces(svg_source.read_svg(svg), work)
    return finished(drawn, "line SVG", ReadAs("line", why), work)


def _as_painted(svg, picture: rendering.Rendering, found: seen.Seen, rough: float, work: Intake) -> Proposal:
    tones = len({tuple(c) for c in (found.colours[1:] // 8).astype(int).tolist()})
    why = f"{tones} colour{'' if tones == 1 else 's'}"
    if found.ink.up_to:
        why += f"; its dark outlines up to {work.say(found.ink.up_to * rough)} are seams"
    read_as = ReadAs("painted", why)
    up_to = found.ink.up_to * picture.unit
    drawn = _drawn(lambda: painted_faces(painted.read_painted(svg, up_to), work), picture, found)
    if drawn is not None:
        own = colours_under(_in_pixels(drawn, picture), found, picture, False)
        return finished(replace(drawn, colours=own), "painted SVG", read_as, work, found.ink.up_to * rough)
    return seen_proposal(picture, found, "painted SVG", read_as, svg.left_out, work, False)


def _as_ink(svg, picture: rendering.Rendering, work: Intake) -> Proposal:
    """Dark on light: by its strokes where all that shows is strokes, else by its ink."""
    found, rough = look(picture, work, work.knobs.lines_up_to_mm, bridged=True)
    if not found.ink.up_to:
        read_as = ReadAs("line", "dark areas on light, no lines between them")
        return seen_proposal(picture, found, "silhouettes", read_as, svg.left_out, work, True)
    drawn = _drawn(lambda: line_faces(svg_source.read_svg(svg), work), picture, found)
    if drawn is not None:
        own = colours_under(_in_pixels(drawn, picture), found, picture, True)
        read_as = ReadAs("line", "lines alone, and what they enclose")
        return finished(replace(drawn, colours=own), "line SVG", read_as, work)
    why = f"dark lines up to {work.say(found.ink.up_to * rough)} on light are seams"
    return seen_proposal(picture, found, "line SVG", ReadAs("line", why), svg.left_out, work, True)


def _drawn(read, picture: rendering.Rendering, found: seen.Seen) -> Drawn | None:
    """The drawing by its own lines, where that says what is seen."""
    try:
        drawn = read()
    except BadDrawing:
        return None
    return drawn if agreement(_in_pixels(drawn, picture), found) >= CLEAR else None


def _in_pixels(drawn: Drawn, picture: rendering.Rendering) -> list:
    """Its pieces in the pixels of the rendering."""
    x, y, width, _ = drawn.source_box_mm
    scale = picture.page[0] / width

    def place(xy: np.ndarray) -> np.ndarray:
        return ((xy - [x, y]) * scale - [picture.left, picture.top]) / picture.unit

    return list(shapely.transform(np.array(drawn.outlines), place))
