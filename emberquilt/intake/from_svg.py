"""An SVG: what it shows, and the lines and shapes it states."""

import numpy as np

from ..errors import BadDrawing
from ..findings import Finding
from . import painted, svg_source
from .by_sight import ByNumbers, by_sight
from .finish import Intake
from .from_lines import from_lines
from .proposal import Proposal
from .rendering import Figure, figure_of, on_white, render

TEXT = "{http://www.w3.org/2000/svg}text"


def from_svg(data: bytes, work: Intake) -> Proposal:
    """Raises `BadDrawing`."""
    svg = svg_source.safe_svg(data)
    kind = work.knobs.kind
    by_lines = kind in ("line", "auto")
    if by_lines and _no_paint(svg):
        return from_lines(svg_source.read_svg(svg), "line SVG", "it states no colours", work)
    svg = _with_page(svg)
    work.progress(0.1, "drawing it")
    figure = figure_of(svg)
    if figure is None:
        if by_lines:
            return from_lines(svg_source.read_svg(svg), "line SVG", "nothing in it is painted", work)
        raise BadDrawing("Nothing is painted in this SVG. Bring it as lines.")
    source = ByNumbers(
        "SVG",
        svg.left_out,
        _words_in(svg),
        lambda: svg_source.read_svg(svg),
        lambda up_to: painted.read_painted(svg, up_to),
    )
    whole = work.knobs.outside == "keep"
    return by_sight(lambda side: render(svg, figure, side, whole), source, work)


def svg_page(data: bytes, side: int) -> np.ndarray:
    """Its whole page on white, uint8 RGB. Raises `BadDrawing`."""
    svg = _with_page(svg_source.safe_svg(data))
    return on_white(render(svg, Figure(0, 0, *svg.page, False), side, whole=True).rgba)


def _words_in(svg: svg_source.SafeSvg) -> tuple[Finding, ...]:
    """Words of a drawing are set anew, and it is said."""
    lines = [e for e in svg.root.iter(TEXT) if "".join(e.itertext()).strip()]
    if not lines:
        return ()
    shown = " ".join("".join(lines[0].itertext()).split())[:40]
    count = f"{len(lines)} lines of words" if len(lines) > 1 else "One line of words"
    return (
        Finding(
            "words-set",
            "pattern",
            f"{count} (“{shown}”) {'was' if len(lines) == 1 else 'were'} set in a font of ours, which may look "
            "different. Turn words into outlines in the drawing program to keep their shape.",
            "A drawing names its fonts; it does not carry them.",
            amount=len(lines),
        ),
    )


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
