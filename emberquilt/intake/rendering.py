"""What an SVG shows, as pixels: every pixel the colour of exactly one shape, so that regions can be told apart.

The renderer knows what a drawing may hold (clips, masks, patterns, symbols, styles, text) far beyond what our own
reading of its lines does. It gets no way to the outside: other files are taken out before, fonts are the shipped ones.
"""

import atexit
import copy
import hashlib
import io
import math
import os
import re
import shutil
import stat
import tempfile
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from itertools import count
from pathlib import Path
from xml.etree import ElementTree as ET

import cv2
import numpy as np
import resvg_py
from fontTools.ttLib import TTFont
from PIL import Image

from ..constants import MM_PER_INCH
from ..errors import BadDrawing
from .svg_source import SafeSvg

DPI = 96.0
LOOK_SIDE = 600
"""The drawing is first looked at in a picture of this size, to find where in its page the figure lies."""
MARGIN_PX = 6
PAPER = 247
"""Channels from here on are paper, when the page is covered with it."""
PAGE_SHARE = 0.9
"""White that takes up this share of the page's rim is the page."""
SEEN_ALPHA = 10
LETTERS = "Alegreya Sans ExtraBold"
"""Words in a drawing are set in this where their own font is not shipped."""
PAINTED_BY = re.compile(r"(fill|stroke)\s*:\s*url\([^)]*\)(\s*#[0-9a-fA-F]+)?")


@dataclass(frozen=True)
class Rendering:
    """`rgba` uint8 (rows, columns, 4) without soft edges; where its left and top lie on the page and what a pixel
    measures there, in page units; `paper` when white paint covers the page as its ground."""

    rgba: np.ndarray
    left: float
    top: float
    unit: float
    page: tuple[float, float]
    paper: bool
    shapes: np.ndarray | None = None
    """The same with every gradient in a flat colour of its own, so that shapes of nearly one colour can be told apart;
    None where there is no gradient."""
    unit_mm: float = MM_PER_INCH / DPI
    """What a page unit measures by the file's own account."""
    noise: float = 0.0
    """Of the picture it was made of, in grey levels; 0 where there is none."""
    soft: np.ndarray | None = None
    """That picture, uint8 RGB, with its soft edges."""

    @property
    def looks(self) -> np.ndarray:
        """What a reading should look like, uint8 RGB."""
        return on_white(self.rgba) if self.soft is None else self.soft


@dataclass(frozen=True)
class Figure:
    """Where on the page something is drawn, in page units; `paper` when white paint covers the page as its ground."""

    left: float
    top: float
    width: float
    height: float
    paper: bool


def figure_of(svg: SafeSvg) -> Figure | None:
    """None when nothing shows. Raises `BadDrawing` for what cannot be drawn."""
    width, height = svg.page
    if not (0 < width < 1e6 and 0 < height < 1e6):
        raise BadDrawing("This drawing has no usable size.")
    look = min(LOOK_SIDE / max(width, height), 1e4)
    return figure_in(_pixels(svg, (0.0, 0.0, width, height), look, soft=True), look)


def figure_in(picture: np.ndarray, zoom: float) -> Figure | None:
    """The figure in a picture of its page, RGBA at so many pixels for a page unit; None where nothing shows."""
    painted = picture[..., 3] > SEEN_ALPHA
    white = painted & (picture[..., :3] >= PAPER).all(axis=2)
    ring = np.ones(painted.shape, bool)
    ring[2:-2, 2:-2] = False
    paper = bool(white[ring].mean() >= PAGE_SHARE) and bool((painted & ~white).any())
    shown = painted & ~white if paper else painted
    if not shown.any():
        return None
    rows, columns = np.flatnonzero(shown.any(axis=1)), np.flatnonzero(shown.any(axis=0))
    left, top = (columns[0] - 1) / zoom, (rows[0] - 1) / zoom
    return Figure(left, top, (columns[-1] + 2) / zoom - left, (rows[-1] + 2) / zoom - top, paper)


def render(svg: SafeSvg, figure: Figure, side: int, whole: bool = False) -> Rendering:
    """The figure of a drawing, its longer side `side` pixels; `whole` renders the page with it. Raises `BadDrawing`."""
    if whole:
        zoom = side / max(svg.page)
        box = (0.0, 0.0, *svg.page)
    else:
        zoom = side / max(figure.width, figure.height)
        edge = MARGIN_PX / zoom
        box = (figure.left - edge, figure.top - edge, figure.width + 2 * edge, figure.height + 2 * edge)
    paper = figure.paper and not whole
    return Rendering(_pixels(svg, box, zoom), *box[:2], 1 / zoom, svg.page, paper, _shapes(svg, box, zoom))


def _shapes(svg: SafeSvg, box: tuple[float, float, float, float], zoom: float) -> np.ndarray | None:
    root = copy.deepcopy(svg.root)
    numbers = count(1)

    def flat(_found=None) -> str:
        # far apart in all channels, and the same at every run
        n = next(numbers)
        return "#" + "".join(f"{(n * step) % 251:02x}" for step in (97, 57, 181))

    for element in root.iter():
        for name in ("fill", "stroke"):
            if "url(" in (element.get(name) or ""):
                element.set(name, flat())
        if "url(" in (element.get("style") or ""):
            element.set("style", PAINTED_BY.sub(lambda found: f"{found[1]}:{flat()}", element.get("style") or ""))
        if isinstance(element.tag, str) and element.tag.endswith("}style") and element.text:
            element.text = PAINTED_BY.sub(lambda found: f"{found[1]}:{flat()}", element.text)
    if next(numbers) == 1:
        return None
    return _pixels(SafeSvg(root, svg.page, ()), box, zoom)


def _pixels(svg: SafeSvg, box: tuple[float, float, float, float], zoom: float, soft: bool = False) -> np.ndarray:
    """A part of the page (left, top, width, height) as RGBA."""
    left, top, width, height = box
    columns, rows = max(1, math.ceil(width * zoom)), max(1, math.ceil(height * zoom))
    root = ET.Element("{http://www.w3.org/2000/svg}svg", width=str(columns), height=str(rows))
    root.set("viewBox", f"{left:.9g} {top:.9g} {columns / zoom:.9g} {rows / zoom:.9g}")
    inner = ET.Element(svg.root.tag, dict(svg.root.attrib))
    inner.extend(svg.root)
    inner.text = svg.root.text
    inner.attrib.update(x="0", y="0", width=f"{svg.page[0]:.9g}", height=f"{svg.page[1]:.9g}", overflow="visible")
    root.append(inner)
    try:
        png = resvg_py.svg_to_bytes(
            svg_string=ET.tostring(root, encoding="unicode"),
            skip_system_fonts=True,
            font_dirs=[_fonts()],
            font_family=LETTERS,
            serif_family=LETTERS,
            sans_serif_family=LETTERS,
            cursive_family=LETTERS,
            fantasy_family=LETTERS,
            monospace_family=LETTERS,
            dpi=DPI,
            shape_rendering="geometric_precision" if soft else "crisp_edges",
        )
    except BaseException as problem:  # a panic of the renderer is no Exception
        if isinstance(problem, (KeyboardInterrupt, SystemExit, MemoryError)):
            raise
        raise BadDrawing("This SVG cannot be drawn: something in it is broken.") from None
    picture = np.array(Image.open(io.BytesIO(bytes(png))).convert("RGBA"))
    # the page ends at whole pixels, not softly as where the renderer clips
    first, last = math.floor(-left * zoom + 0.5), math.floor((svg.page[0] - left) * zoom + 0.5)
    upper, lower = math.floor(-top * zoom + 0.5), math.floor((svg.page[1] - top) * zoom + 0.5)
    for part in (np.s_[: max(upper, 0)], np.s_[max(lower, 0) :], np.s_[:, : max(first, 0)], np.s_[:, max(last, 0) :]):
        picture[part] = 0
    return picture


@cache
def _fonts() -> str:
    """A folder of the shipped fonts, unpacked: the renderer reads no packed ones. All processes of a user share one,
    since most of them end without tidying up."""
    packed = sorted(
        (font for font in files("emberquilt").joinpath("data", "fonts").iterdir() if font.name.endswith(".woff")),
        key=lambda font: font.name,
    )
    told = hashlib.sha256(b"".join(font.name.encode() + font.read_bytes() for font in packed)).hexdigest()[:12]
    owner = os.getuid() if hasattr(os, "getuid") else 0
    place = Path(tempfile.gettempdir()) / f"ember-fonts-{owner}-{told}"
    if _is_ours(place, owner, len(packed)):
        return str(place)
    made = Path(tempfile.mkdtemp(prefix="ember-fonts-"))
    for each in packed:
        font = TTFont(io.BytesIO(each.read_bytes()))
        font.flavor = None
        font.save(made / each.name.replace(".woff", ".ttf"))
    try:
        made.rename(place)
    except OSError:
        # another process was sooner, or the name is somebody else's
        if _is_ours(place, owner, len(packed)):
            shutil.rmtree(made, ignore_errors=True)
        else:
            atexit.register(shutil.rmtree, made, ignore_errors=True)
            return str(made)
    return str(place)


def _is_ours(place: Path, owner: int, fonts: int) -> bool:
    """Whether it is a folder that nobody else may have written into, and still whole."""
    try:
        state = place.lstat()
        whole = len(os.listdir(place)) == fonts
    except OSError:
        return False
    return whole and stat.S_ISDIR(state.st_mode) and state.st_uid == owner and not state.st_mode & 0o022


def on_white(rgba: np.ndarray) -> np.ndarray:
    """Composite over white paper, uint8 RGB."""
    alpha = rgba[..., 3:].astype(np.uint16)
    return ((rgba[..., :3] * alpha + 255 * (255 - alpha) + 127) // 255).astype(np.uint8)


def lab_of(rgb: np.ndarray) -> np.ndarray:
    """CIELAB, float32, of uint8 RGB."""
    return cv2.cvtColor(rgb.astype(np.float32) / 255, cv2.COLOR_RGB2LAB)
