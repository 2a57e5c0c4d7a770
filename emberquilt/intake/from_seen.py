"""What is seen of a drawing, as pieces: the way every painted drawing and every drawing in ink can be read."""

import cv2
import numpy as np
import shapely

from ..errors import BadDrawing
from ..outline import arcs
from . import labels, seen
from .finish import LAID_IN_MM, Intake, finish, told_ends
from .ink import border_of
from .proposal import Proposal, ReadAs
from .rendering import PAPER, SEEN_ALPHA, Rendering, on_white

SIDE = 2000
"""A drawing is looked at with this many pixels along the longer side of its figure."""
MOST_PIECES = 15_000
INKED = 0.005
"""Outlines that lie in the ink may take up this share: places where lines run together."""
OUT_PX = 4
COLOURED = 0.02
"""A drawing whose figure is neither ink nor paper on this share is painted."""
NOISE_PX = 40
"""Regions smaller than this for each grey level of noise may be noise."""
CLEAR = 0.99
"""Share of the sheet on which lines drawn by numbers and what is seen must agree to be taken for each other."""


class Looked:
    """A rendering, its regions, and about how many millimetres a pixel of it measures."""

    def __init__(self, rendering: Rendering, work: Intake):
        self.rendering, self.work = rendering, work
        link, noise_px = seen.LINK + round(rendering.noise / 2), round(NOISE_PX * rendering.noise)
        self.regions = seen.regions_of(rendering.rgba, rendering.shapes, link, noise_px)
        work.progress(0.35, "telling lines from areas")
        self.ground = np.zeros(self.regions.count + 1, bool)
        if work.knobs.outside != "keep":
            self.ground = seen.ground_of(self.regions, rendering.paper)
        self.pixel_mm = self._rough_scale()

    def _rough_scale(self) -> float:
        shown = ~self.ground[self.regions.picture]
        if not shown.any():
            shown = ~shown
        across, down = (float(np.ptp(np.flatnonzero(shown.any(axis=i))) + 1) for i in (0, 1))
        return self.work.size.mm_per_unit(
            (across, down), page_px(self.rendering), self.rendering.unit_mm * self.rendering.unit
        )

    @property
    def is_coloured(self) -> bool:
        """Whether more of the figure than a trace is neither ink nor paper."""
        return seen.coloured_share(self.regions, self.ground) >= COLOURED

    def seen(self, up_to_mm: float | None, bridged: bool = False) -> seen.Seen:
        """Pieces with lines up to a width in mm, None as it looks. Raises `BadDrawing` for none, or too many."""
        gap_mm = labels.GAP_MM if self.work.knobs.gap_mm is None else self.work.knobs.gap_mm
        found = seen.seen_in(
            self.regions,
            self.ground,
            None if up_to_mm is None else up_to_mm / self.pixel_mm,
            LAID_IN_MM / self.pixel_mm,
            gap_mm / self.pixel_mm if bridged else 0.0,
        )
        if found.count > MOST_PIECES:
            raise BadDrawing(
                f"This drawing falls into {found.count:,} pieces; up to {MOST_PIECES:,} can be read. "
                "Bring a simpler one."
            )
        if not found.count:
            raise BadDrawing("No region of this drawing shows. It may be white on white.")
        return found


def as_painted(found: seen.Seen, looked: Looked) -> ReadAs:
    """Why a drawing is read by its colours."""
    tones = len({tuple(c) for c in (found.colours[1:] // 8).astype(int).tolist()})
    why = f"{tones} colour{'' if tones == 1 else 's'}"
    if found.ink.up_to:
        why += f"; its dark outlines up to {looked.work.say(found.ink.up_to * looked.pixel_mm)} are seams"
    return ReadAs("painted", why)


def page_px(rendering: Rendering) -> tuple[float, float]:
    return rendering.page[0] / rendering.unit, rendering.page[1] / rendering.unit


def seen_proposal(
    looked: Looked, found: seen.Seen, words: str, read_as: ReadAs, left_out: tuple[str, ...], unpainted: bool
) -> Proposal:
    """Pieces of what was seen. `unpainted`: paper inside the lines has no colour."""
    rendering, work = looked.rendering, looked.work
    work.progress(0.5, "following the borders")
    ridge = np.full(found.picture.shape, 255, np.uint8)
    ink_px = 2.0
    if found.ink.up_to:
        ridge[found.ink.mask] = 0
        ink_px = max(found.ink.usual, 2.0)
    outlines, _ = arcs.outlines_of(found.picture, found.count, rounds=2 * work.knobs.smooth, ridge=ridge, ink_px=ink_px)
    left, top, right, bottom = shapely.total_bounds(np.array(outlines))
    page = page_px(rendering)
    scale = work.size.mm_per_unit((right - left, bottom - top), page, rendering.unit_mm * rendering.unit)

    def mm(points) -> np.ndarray:
        return (np.asarray(points, float).reshape(-1, 2) - [left, top]) * scale

    placed = list(shapely.transform(np.array(outlines), mm))
    work.progress(0.85, "checking the pieces")
    x, y = rendering.left / rendering.unit + left, rendering.top / rendering.unit + top
    box = (-x * scale, -y * scale, page[0] * scale, page[1] * scale)
    ends, joins = ([(x, y) for x, y in mm(points).tolist()] for points in (found.ends, found.bridged))
    gap_mm = labels.GAP_MM if work.knobs.gap_mm is None else work.knobs.gap_mm
    findings, traces = told_ends(ends, joins, gap_mm, work.say)
    return finish(
        placed,
        words,
        box,
        findings,
        work,
        left_out,
        colours_of(found, unpainted),
        traces,
        read_as=read_as,
        lines=[mm(line) for line in found.details],
        up_to_mm=found.ink.up_to * scale,
    )


def colours_of(found: seen.Seen, unpainted: bool) -> list[str]:
    """``#rrggbb`` of each piece; empty for paper, and for white in a drawing of lines."""
    return _told(found.colours, found.painted, unpainted)


def _told(colours: np.ndarray, shown: np.ndarray, unpainted: bool) -> list[str]:
    bare = ~shown | (unpainted & (colours >= PAPER).all(axis=1))
    return [
        "" if empty else "#" + "".join(f"{round(v):02x}" for v in colour)
        for colour, empty in zip(colours.tolist(), bare.tolist(), strict=True)
    ][1:]


def colours_under(outlines, found: seen.Seen, rendering: Rendering, unpainted: bool) -> list[str]:
    """The mean colour of what is seen inside each outline in pixels; empty where it is paper."""
    canvas = _drawn_labels(outlines, found.picture.shape)
    if found.ink.up_to:
        canvas[found.ink.mask] = 0
    many = len(outlines) + 1
    # clear of the borders, where outline and pixels need not agree, but for what is too thin for that
    whole = np.bincount(canvas.ravel(), minlength=many)
    clear = np.where(border_of(canvas), 0, canvas)
    clear[1:, 1:][border_of(canvas)[:-1, :-1] > 0] = 0
    left = np.bincount(clear.ravel(), minlength=many)
    thin = left < 0.2 * whole
    flat = np.where(thin[canvas], canvas, clear).ravel()
    area = np.maximum(np.bincount(flat, minlength=many), 1)
    rgb = on_white(rendering.rgba)
    mean = np.stack([np.bincount(flat, rgb[..., c].ravel(), many) / area for c in range(3)], axis=1)
    shown = np.bincount(flat, (rendering.rgba[..., 3] > SEEN_ALPHA).ravel(), many) / area > 0.5
    return _told(mean, shown, unpainted)


def _drawn_labels(outlines, shape) -> np.ndarray:
    canvas = np.zeros(shape, np.int32)
    for number, outline in enumerate(outlines, 1):
        rings = [
            np.round(shapely.get_coordinates(ring) * 16 - 8).astype(np.int32)
            for ring in (outline.exterior, *outline.interiors)
        ]
        cv2.fillPoly(canvas, rings, number, cv2.LINE_8, 4)
    return canvas


def agreement(outlines, found: seen.Seen) -> float:
    """The share of what is seen on which outlines in its pixels say the same: one outline for one region, up to the
    width of a line along the borders."""
    canvas = _drawn_labels(outlines, found.picture.shape)
    if sum(outline.area for outline in outlines) > 1.01 * (canvas > 0).sum() + OUT_PX * len(outlines):
        return 0.0  # they reach to where nothing shows
    base = len(outlines) + 1
    whole = np.bincount(canvas.ravel(), minlength=base)
    if found.ink.up_to:
        # an outline that lies in the ink is a piece made of ink
        inked = np.bincount(canvas[found.ink.mask], minlength=base) > 0.5 * whole
        inked[0] = False
        if whole[inked].sum() > INKED * (canvas > 0).sum():
            return 0.0
    # along a border a pixel may lie to either side
    edge = border_of(canvas) | border_of(found.picture)
    counted = (cv2.dilate(edge, np.ones((3, 3), np.uint8)) == 0) & ((canvas > 0) | (found.picture > 0))
    if found.ink.up_to:
        counted &= ~found.ink.mask
    pair = found.picture[counted].astype(np.int64) * base + canvas[counted]
    keys, area = np.unique(pair, return_counts=True)
    seen_label, drawn = keys // base, keys % base
    seen_area = np.bincount(seen_label, area)
    drawn_area = np.bincount(drawn, area, base)
    fits = (seen_label > 0) & (drawn > 0)
    fits &= area >= 0.8 * np.maximum(seen_area[seen_label], drawn_area[drawn])
    return float(area[fits].sum() / max(counted.sum(), 1))
