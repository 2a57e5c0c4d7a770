"""Pictures: painted drawings, drawn lines, or photos, as pieces."""

from dataclasses import replace

import cv2
import numpy as np
import shapely

from ..errors import BadDrawing
from . import labels, raster_source
from .finish import Intake, finish
from .flat import flattened, on_even_paper
from .from_figure import from_figure
from .from_fretwork import from_fretwork
from .from_line_picture import from_line_picture
from .from_photo import SMALLEST_PHOTO_MM, from_photo
from .from_seen import Looked, as_painted, seen_proposal
from .knobs import PICTURED
from .proposal import Proposal, ReadAs
from .readings import FIRST_SIDE, of_seen, others_of, others_of_lines
from .sheet import corners_of, straightened

PHOTO_PAPER, PHOTO_ROUGH = 0.65, 0.04
"""A picture with less paper than this, and more pixels than this that differ from their surroundings, is a photo."""
DARK, LIGHT = 70, 150
MOSTLY, TWO_TONES = 0.6, 0.93
"""Shares: of dark in a drawing that is light on dark, and of dark and light together."""
LOOK_SIDE, TINTED_PX = 600, 7
"""In a picture of this size, what is coloured is more than a line when it is wider than so many pixels."""
GREY = (80, 205)
"""Between dark and paper."""
FINE_SIDE, ALL_GREY = 1500, 0.8
"""A place is painted grey when in a picture of this size this share of its pixels is between dark and paper."""
TINTED = 0.01
"""Share of a picture that is so coloured when it may be painted."""
PAINTED_ALIKE, GREY_ALIKE, PAINTED_FEW = 0.6, 0.85, 60
"""Areas of one colour each are what was painted when this share of the sheet looks like the picture, of a grey one in
which less differs the next; on white paper, where gradients are more likely than photos, also when they are this few.
"""


def from_pixels(picture: raster_source.Picture, work: Intake, words: str = "") -> Proposal:
    """As what the picture looks like, or as it is asked for. Raises `BadDrawing`."""
    corners, knobs = work.knobs.corners, work.knobs
    as_it_is = knobs.kind in PICTURED and knobs.kind != "traced"
    if knobs.kind not in PICTURED and _light_on_dark(picture):
        picture = raster_source.Picture(255 - picture.grey, None, picture.pixel_mm)
    look = None
    if corners:
        picture = straightened(picture, corners)
    elif not knobs.as_photographed and not as_it_is:
        corners = corners_of(picture.grey if picture.rgb is None else picture.rgb)
        if corners:
            sheet = straightened(picture, corners)
            look = _Look(sheet, work)
            if look.kind == "photo":
                look, corners = None, ()
            else:
                picture = sheet
    return replace(_read(picture, look or _Look(picture, work), work, words), corners=corners)


class _Look:
    """What a picture looks like at first: its kind, and where it is coloured the areas it shows."""

    def __init__(self, picture: raster_source.Picture, work: Intake):
        self.areas: Looked | None = None
        asked = work.knobs.kind
        if asked == "painted" or (asked not in MAKERS and _tinted(picture)):
            self.areas = Looked(flattened(picture, FIRST_SIDE), work)
        self.kind = self._seen(picture) if asked == "auto" else asked

    def _seen(self, picture: raster_source.Picture) -> str:
        alike = GREY_ALIKE if picture.rgb is None else PAINTED_ALIKE
        if self.areas is not None and self.areas.is_coloured and _is_painted(self.areas, alike):
            return "painted"
        return "photo" if _looks_like_photo(picture.grey) else "line"


def _read(picture: raster_source.Picture, look: _Look, work: Intake, words: str) -> Proposal:
    if look.kind in MAKERS:
        return MAKERS[look.kind](picture, work, words)
    if look.kind == "photo":
        return _with_others(from_photo(picture, work, words), picture, look, work)
    try:
        made = from_line_picture if look.kind == "line" else _painted
        return _with_others(made(picture, work, words), picture, look, work)
    except BadDrawing:
        # what is coloured all over and shows no lines is told by its colours
        if work.knobs.kind != "auto" or not _tinted(picture):
            raise
        by = "lightness" if picture.rgb is None else "colour"
        work = replace(work, knobs=replace(work.knobs, by=work.knobs.by or by))
        return _with_others(from_photo(picture, work, words), picture, look, work)


def _to_trace(picture: raster_source.Picture, work: Intake, words: str) -> Proposal:
    """The sheet as one piece, to draw borders on by hand over its picture."""
    height, width = picture.grey.shape
    scale = work.size.mm_per_unit((width, height), (width, height), picture.pixel_mm)
    box = (0.0, 0.0, width * scale, height * scale)
    read_as = ReadAs("traced", "one piece; draw its borders over the picture")
    sheet = shapely.box(*box)
    return finish([sheet], words or "sheet to trace", box, [], work, (), [""], (), read_as=read_as)


MAKERS = {"figure": from_figure, "fretwork": from_fretwork, "traced": _to_trace}


def _painted(picture: raster_source.Picture, work: Intake, words: str) -> Proposal:
    work.progress(0.1, "telling colours apart")
    looked = Looked(flattened(picture), work)
    found = looked.seen(work.knobs.lines_up_to_mm, bridged=True)
    return seen_proposal(looked, found, words or "painted picture", as_painted(found, looked), (), False)


def _with_others(proposal: Proposal, picture: raster_source.Picture, look: _Look, work: Intake) -> Proposal:
    work.progress(0.92, "trying the other ways")
    up_to_mm = proposal.lines_up_to_mm or 0.0
    if look.areas is None:
        if proposal.read_as.kind != "line":
            return proposal
        return replace(proposal, others=others_of_lines(picture, up_to_mm, work.knobs.outside))
    up_to, smallest_mm = up_to_mm / look.areas.pixel_mm, work.knobs.smallest_mm or SMALLEST_PHOTO_MM
    return replace(proposal, others=others_of(look.areas, proposal.read_as.kind, up_to, smallest_mm))


def _is_painted(areas: Looked, least: float) -> bool:
    try:
        found = areas.seen(None, bridged=True)
    except BadDrawing:
        return False
    alike = of_seen(found, areas.rendering.looks, coloured=True).likeness
    return alike >= least or (areas.rendering.paper and found.count <= PAINTED_FEW)


def _tinted(picture: raster_source.Picture) -> bool:
    """Whether more than lines is coloured or grey, once paper is white."""
    fine = picture.no_larger(FINE_SIDE)
    # light is evened out only where that can matter
    return _wide_tints(fine) and _wide_tints(raster_source.picture_of(on_even_paper(fine.in_colour)[0], None))


def _wide_tints(fine: raster_source.Picture) -> bool:
    # fine lines close together are grey from afar: each pixel must be
    between = cv2.inRange(cv2.medianBlur(fine.grey, 3), GREY[0], GREY[1])
    tinted = raster_source.reduced(between, LOOK_SIDE)[0] > 255 * ALL_GREY
    if fine.rgb is not None:
        small = cv2.medianBlur(raster_source.reduced(fine.rgb, LOOK_SIDE)[0], 5)
        tinted |= np.ptp(small, axis=2) >= labels.TINT
    wide = cv2.morphologyEx(tinted.astype(np.uint8), cv2.MORPH_OPEN, np.ones((TINTED_PX, TINTED_PX), np.uint8))
    return float(wide.mean()) > TINTED


def _light_on_dark(picture: raster_source.Picture) -> bool:
    """Pale lines on dark paper: mostly dark, the rest light, hardly anything between, and nothing coloured."""
    small, _ = raster_source.reduced(picture.grey, 1200)
    dark, light = float((small < DARK).mean()), float((small > LIGHT).mean())
    lit = dark > MOSTLY and light > 0.002 and dark + light > TWO_TONES
    return lit and (picture.rgb is None or not _tinted(picture))


def _looks_like_photo(grey: np.ndarray) -> bool:
    """Line art is mostly paper once the light is even, or flatly coloured in; a photo is neither."""
    small, _ = raster_source.reduced(grey, 1200)
    even = labels.evenly_lit(small)
    if float((even > 0.8 * np.percentile(even, 95)).mean()) >= PHOTO_PAPER:
        return False
    rough = float((cv2.absdiff(small, cv2.medianBlur(small, 5)) > 2).mean())
    return rough > PHOTO_ROUGH and not labels.two_toned(even)
