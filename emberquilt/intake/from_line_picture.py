"""Pictures of drawn lines, as pieces."""

import cv2
import numpy as np
import shapely

from ..findings import Finding
from ..outline import arcs
from . import faint, labels, pale, raster_source
from .finish import LAID_IN_MM, Intake, finish, told_ends
from .proposal import Proposal, ReadAs


def from_line_picture(picture: raster_source.Picture, work: Intake, words: str = "") -> Proposal:
    knobs = work.knobs
    work.progress(0.1, "telling ink from paper")
    picture, ink, pencilled = _inked(picture, knobs.ink)
    height, width = picture.grey.shape
    rows, columns = np.flatnonzero(ink.any(axis=1)), np.flatnonzero(ink.any(axis=0))
    box = (float(columns[-1] - columns[0] + 1), float(rows[-1] - rows[0] + 1))
    rough = work.size.mm_per_unit(box, (width, height), picture.pixel_mm)
    gap_px = max(labels.GAP_MM / rough, labels.GAP_SHARE * max(box)) * (faint.GAPS if pencilled else 1)
    if knobs.gap_mm is not None:
        gap_px = knobs.gap_mm / rough
    up_to = None if knobs.lines_up_to_mm is None else knobs.lines_up_to_mm / rough
    found = labels.label_regions(
        ink,
        knobs.outside,
        gap_px,
        up_to,
        LAID_IN_MM / rough,
        lambda share, words: work.progress(0.1 + 0.4 * share, words),
    )
    return _outlined(found, picture, ink, gap_px, work, words)


def _outlined(
    found: labels.Labels, picture: raster_source.Picture, ink: np.ndarray, gap_px: float, work: Intake, words: str
) -> Proposal:
    """Regions of a picture's lines as outlines in mm, with what is to be said about them."""
    work.progress(0.5, "following the borders")
    height, width = picture.grey.shape
    outlines, _ = arcs.outlines_of(
        found.picture,
        found.count,
        rounds=2 * work.knobs.smooth,
        ridge=_ridge(picture.grey, ink, found.broad),
        ink_px=found.ink_px,
    )
    left, top, right, bottom = shapely.total_bounds(np.array(outlines))
    scale = work.size.mm_per_unit((right - left, bottom - top), (width, height), picture.pixel_mm)
    placed = list(shapely.transform(np.array(outlines), lambda xy: (xy - [left, top]) * scale))
    work.progress(0.85, "checking the pieces")

    def mm(points) -> list[tuple[float, float]]:
        return [((x - left) * scale, (y - top) * scale) for x, y in points]

    findings, traces = told_ends(mm(found.ends), mm(found.bridged), gap_px * scale, work.say)
    if found.specks:
        findings.append(
            Finding(
                "specks",
                "pattern",
                f"{found.specks} specks of paper inside the lines were left out: each under {labels.SPECK_PX} pixels.",
                "Regions smaller than a blade's kerf are scanning noise.",
                amount=found.specks,
            )
        )
    source_box = (-left * scale, -top * scale, width * scale, height * scale)
    plain = picture.rgb is None and found.dark_from > found.count
    colours = {} if plain else labels.region_colours(found, picture.in_colour)
    by_outline = [colours.get(label, "") for label in range(1, found.count + 1)]
    why = "dark areas on light paper, no lines between them"
    if found.up_to_px:
        why = f"dark lines about {work.say(found.ink_px * scale)} wide on light paper"
    return finish(
        placed,
        words or ("line picture" if found.up_to_px else "silhouettes"),
        source_box,
        findings,
        work,
        (),
        by_outline,
        traces,
        read_as=ReadAs("line", why),
        lines=[(line - [left, top]) * scale for line in found.details],
        up_to_mm=found.up_to_px * scale,
    )


def _inked(picture: raster_source.Picture, darkness: int) -> tuple[raster_source.Picture, np.ndarray, bool]:
    """The picture, smaller where its lines are faint; where it is inked; and whether it is so faintly, so that one
    threshold for all of it makes crumbs of its lines."""
    small = picture.no_larger(faint.SIDE)
    even = labels.evenly_lit(small.grey)
    if int(even.max()) - int(even.min()) >= labels.LEAST_CONTRAST and not labels.two_toned(even):
        lines = faint.faint_lines(even) if faint.is_ragged(labels.ink_of(small.grey, darkness, even)) else None
        if lines is not None and lines.any():
            return small, lines, True
    ink = labels.ink_of(picture.grey, darkness, even if small.grey.shape == picture.grey.shape else None)
    return picture, ink | _pale(picture.grey, ink, even) if darkness >= 0 else ink, False


def _pale(grey: np.ndarray, ink: np.ndarray, even: np.ndarray) -> np.ndarray:
    """Lines too pale for one threshold, looked for in the smaller picture, evenly lit."""
    height, width = ink.shape
    dark = pale.dark_of(grey, ink)
    if even.shape == ink.shape:
        return pale.pale_lines(even, dark)
    # all that is dark anywhere in a small pixel
    box = int(width / even.shape[1] + 1)
    grown = cv2.dilate(dark.astype(np.uint8), np.ones((box, box), np.uint8))
    found = pale.pale_lines(even, cv2.resize(grown, even.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0)
    if not found.any():
        return np.zeros_like(ink)
    return cv2.resize(found.astype(np.uint8) * 255, (width, height), interpolation=cv2.INTER_LINEAR) > 127


def _ridge(grey: np.ndarray, ink: np.ndarray, broad: np.ndarray) -> np.ndarray:
    """The picture whose dark lines borders follow: where there are dark areas, the lines and what is beside them."""
    if not broad.any():
        return grey
    lines = cv2.dilate((ink & ~broad).astype(np.uint8), np.ones((7, 7), np.uint8))
    areas = cv2.dilate(broad.astype(np.uint8), np.ones((5, 5), np.uint8))
    return np.where((lines > 0) & (areas == 0), grey, np.uint8(255))
