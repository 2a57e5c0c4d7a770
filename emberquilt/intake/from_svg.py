"""An SVG, read by what it shows: rendered first, then, where its own lines say the same, by those lines."""

from dataclasses import replace

import numpy as np
import shapely

from ..errors import BadDrawing
from . import painted, rendering, seen, svg_source
from .finish import Drawn, Intake, finished
from .from_lines import line_faces
from .from_painted import painted_faces
from .from_pixels import SMALLEST_PHOTO_MM, from_photo
from .from_seen import CLEAR, SIDE, Looked, agreement, colours_under, seen_proposal
from .proposal import Proposal, ReadAs
from .raster_source import picture_of
from .readings import others_of

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
    looked = Looked(picture, work)
    painting = kind == "painted" or looked.coloured >= COLOURED
    found, proposal = (_as_painted if painting else _as_ink)(svg, looked)
    work.progress(0.92, "trying the other ways")
    others = others_of(looked, proposal.read_as.kind, found.ink.up_to, work.knobs.smallest_mm or SMALLEST_PHOTO_MM)
    return replace(proposal, others=others)


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


def _as_painted(svg: svg_source.SafeSvg, looked: Looked) -> tuple[seen.Seen, Proposal]:
    work, found = looked.work, looked.seen(looked.work.knobs.lines_up_to_mm)
    tones = len({tuple(c) for c in (found.colours[1:] // 8).astype(int).tolist()})
    why = f"{tones} colour{'' if tones == 1 else 's'}"
    if found.ink.up_to:
        why += f"; its dark outlines up to {work.say(found.ink.up_to * looked.pixel_mm)} are seams"
    read_as = ReadAs("painted", why)
    up_to = found.ink.up_to * looked.rendering.unit
    drawn = _drawn(lambda: painted_faces(painted.read_painted(svg, up_to), work), looked, found)
    if drawn is None:
        return found, seen_proposal(looked, found, "painted SVG", read_as, svg.left_out, False)
    own = colours_under(_in_pixels(drawn, looked.rendering), found, looked.rendering, False)
    return found, finished(replace(drawn, colours=own), "painted SVG", read_as, work, found.ink.up_to * looked.pixel_mm)


def _as_ink(svg: svg_source.SafeSvg, looked: Looked) -> tuple[seen.Seen, Proposal]:
    """Dark on light: by its strokes where all that shows is strokes, else by its ink."""
    work, found = looked.work, looked.seen(looked.work.knobs.lines_up_to_mm, bridged=True)
    if not found.ink.up_to:
        read_as = ReadAs("line", "dark areas on light, no lines between them")
        return found, seen_proposal(looked, found, "silhouettes", read_as, svg.left_out, True)
    drawn = _drawn(lambda: line_faces(svg_source.read_svg(svg), work), looked, found)
    if drawn is not None:
        own = colours_under(_in_pixels(drawn, looked.rendering), found, looked.rendering, True)
        read_as = ReadAs("line", "lines alone, and what they enclose")
        return found, finished(replace(drawn, colours=own), "line SVG", read_as, work)
    why = f"dark lines up to {work.say(found.ink.up_to * looked.pixel_mm)} on light are seams"
    return found, seen_proposal(looked, found, "line SVG", ReadAs("line", why), svg.left_out, True)


def _drawn(read, looked: Looked, found: seen.Seen) -> Drawn | None:
    """The drawing by its own lines, where that says what is seen."""
    try:
        drawn = read()
    except BadDrawing:
        return None
    return drawn if agreement(_in_pixels(drawn, looked.rendering), found) >= CLEAR else None


def _in_pixels(drawn: Drawn, picture: rendering.Rendering) -> list:
    """Its pieces in the pixels of the rendering."""
    x, y, width, _ = drawn.source_box_mm
    scale = picture.page[0] / width

    def place(xy: np.ndarray) -> np.ndarray:
        return ((xy - [x, y]) * scale - [picture.left, picture.top]) / picture.unit

    return list(shapely.transform(np.array(drawn.outlines), place))
