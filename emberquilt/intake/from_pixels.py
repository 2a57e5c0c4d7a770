"""Pictures: drawn lines, or photos in tones and colours, as pieces."""

from dataclasses import replace

import cv2
import numpy as np
import shapely

from ..errors import BadDrawing
from ..findings import Finding
from ..outline import arcs
from . import faint, labels, raster_source, tones
from .finish import LAID_IN_MM, Intake, closed_gaps, end_findings, finish
from .proposal import Proposal, ReadAs
from .sheet import corners_of, straightened

PHOTO_PAPER, PHOTO_ROUGH = 0.65, 0.04
"""A picture with less paper than this, and more pixels than this that differ from their surroundings, is a photo."""
DARK, LIGHT = 70, 150
MOSTLY, TWO_TONES = 0.6, 0.93
"""Shares: of dark in a drawing that is light on dark, and of dark and light together."""
COLOURED = 0.2
"""A picture of which more than this share is neither grey nor white is coloured."""
SMALLEST_PHOTO_MM = 8.0
"""Diameter of the smallest region a photo is parted into unless said otherwise: what fingers can hold, a little
under."""


def from_pixels(picture: raster_source.Picture, work: Intake, kind: str = "") -> Proposal:
    corners, knobs = work.knobs.corners, work.knobs
    if knobs.kind != "photo" and _light_on_dark(picture.grey):
        picture = raster_source.Picture(255 - picture.grey, None, picture.pixel_mm)
    if corners:
        picture = straightened(picture, corners)
    as_photo = knobs.kind == "photo" or (knobs.kind == "auto" and _looks_like_photo(picture.grey))
    if not corners and not knobs.as_photographed and knobs.kind != "photo":
        corners = corners_of(picture.grey if picture.rgb is None else picture.rgb)
        flat = straightened(picture, corners) if corners else picture
        if corners and (knobs.kind == "line" or not _looks_like_photo(flat.grey)):
            picture, as_photo = flat, False
        else:
            corners = ()
    try:
        make = from_photo if as_photo else _from_line_picture
        return replace(make(picture, work, kind), corners=corners)
    except BadDrawing:
        # what is coloured all over and shows no lines is told by its colours
        if as_photo or knobs.kind != "auto" or picture.rgb is None or not _is_coloured(picture.rgb):
            raise
        work = replace(work, knobs=replace(knobs, by=knobs.by or "colour"))
        return replace(from_photo(picture, work, kind), corners=corners)


def _is_coloured(rgb: np.ndarray) -> bool:
    small, _ = raster_source.reduced(rgb, 600)
    return float((np.ptp(cv2.medianBlur(small, 5), axis=2) >= labels.TINT).mean()) > COLOURED


def _light_on_dark(grey: np.ndarray) -> bool:
    """Pale lines on dark paper: mostly dark, the rest light, hardly anything between."""
    small, _ = raster_source.reduced(grey, 1200)
    dark, light = float((small < DARK).mean()), float((small > LIGHT).mean())
    return dark > MOSTLY and light > 0.002 and dark + light > TWO_TONES


def _looks_like_photo(grey: np.ndarray) -> bool:
    """Line art is mostly paper once the light is even, or flatly coloured in; a photo is neither."""
    small, _ = raster_source.reduced(grey, 1200)
    even = labels.evenly_lit(small)
    paper = float((even > 0.8 * np.percentile(even, 95)).mean())
    rough = float((cv2.absdiff(small, cv2.medianBlur(small, 5)) > 2).mean())
    return paper < PHOTO_PAPER and rough > PHOTO_ROUGH and not labels.two_toned(even)


def _from_line_picture(picture: raster_source.Picture, work: Intake, kind: str) -> Proposal:
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
    work.progress(0.5, "following the borders")
    outlines, _ = arcs.outlines_of(
        found.picture,
        found.count,
        rounds=2 * knobs.smooth,
        ridge=_ridge(picture.grey, ink, found.broad),
        ink_px=found.ink_px,
    )
    left, top, right, bottom = shapely.total_bounds(np.array(outlines))
    scale = work.size.mm_per_unit((right - left, bottom - top), (width, height), picture.pixel_mm)
    placed = list(shapely.transform(np.array(outlines), lambda xy: (xy - [left, top]) * scale))
    work.progress(0.85, "checking the pieces")

    def mm(points) -> list[tuple[float, float]]:
        return [((x - left) * scale, (y - top) * scale) for x, y in points]

    findings = end_findings(mm(found.ends), work.say)
    if found.bridged:
        findings.append(closed_gaps(mm(found.bridged), gap_px * scale))
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
    rgb = picture.rgb if picture.rgb is not None else np.dstack([picture.grey] * 3)
    colours = labels.region_colours(found, rgb)
    by_outline = [colours.get(label, "") for label in range(1, found.count + 1)]
    traces = [("bridged", *p) for p in mm(found.bridged)] + [("lost", *p) for p in mm(found.ends)]
    why = "dark areas on light paper, no lines between them"
    if found.up_to_px:
        why = f"dark lines about {work.say(found.ink_px * scale)} wide on light paper"
    return finish(
        placed,
        kind or ("line picture" if found.up_to_px else "silhouettes"),
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
    small, shrink = raster_source.reduced(picture.grey, faint.SIDE)
    even = labels.evenly_lit(small)
    if int(even.max()) - int(even.min()) >= labels.LEAST_CONTRAST and not labels.two_toned(even):
        lines = faint.faint_lines(even) if faint.is_ragged(labels.ink_of(small, darkness)) else None
        if lines is not None and lines.any():
            rgb = None if picture.rgb is None else raster_source.reduced(picture.rgb, faint.SIDE)[0]
            pixel_mm = None if picture.pixel_mm is None else picture.pixel_mm / shrink
            return raster_source.Picture(small, rgb, pixel_mm), lines, True
    return picture, labels.ink_of(picture.grey, darkness), False


def _ridge(grey: np.ndarray, ink: np.ndarray, broad: np.ndarray) -> np.ndarray:
    """The picture whose dark lines borders follow: where there are dark areas, the lines and what is beside them."""
    if not broad.any():
        return grey
    lines = cv2.dilate((ink & ~broad).astype(np.uint8), np.ones((7, 7), np.uint8))
    areas = cv2.dilate(broad.astype(np.uint8), np.ones((5, 5), np.uint8))
    return np.where((lines > 0) & (areas == 0), grey, np.uint8(255))


def from_photo(picture: raster_source.Picture, work: Intake, kind: str) -> Proposal:
    knobs = work.knobs
    rgb = picture.rgb if picture.rgb is not None else np.dstack([picture.grey] * 3)
    height, width = rgb.shape[:2]
    scale = work.size.mm_per_unit((width, height), (width, height), picture.pixel_mm)
    rgb, shrink = raster_source.reduced(rgb, tones.MOST_SIDE)
    pixel_mm = scale / shrink
    smallest_mm, by = knobs.smallest_mm or SMALLEST_PHOTO_MM, knobs.by or "lightness"
    found = tones.tone_labels(
        rgb, knobs.tones, by, smallest_mm / pixel_mm, knobs.smooth, knobs.more, knobs.more_tones, work.progress
    )
    work.progress(0.65, "following the borders")
    outlines, _ = arcs.outlines_of(found.picture, found.count, rounds=2 + 2 * knobs.smooth)
    placed = list(shapely.transform(np.array(outlines), lambda xy: xy * pixel_mm))
    colours = [found.colours[i] for i in range(1, found.count + 1)]
    traces = [("merged", x * pixel_mm, y * pixel_mm) for x, y in found.merged]
    work.progress(0.85, "checking the pieces")
    words = kind or f"photo in {found.tones} tones"
    read_as = ReadAs("photo", f"{found.tones} tones, told apart by {by}")
    box = (0.0, 0.0, width * scale, height * scale)
    traces += [("inlay", x * pixel_mm, y * pixel_mm) for x, y, _ in found.spots]
    findings = _spot_findings(found.spots, pixel_mm, smallest_mm, width * scale, work)
    work = replace(work, knobs=replace(knobs, smallest_mm=smallest_mm))
    return finish(placed, words, box, findings, work, (), colours, traces, read_as=read_as)


def _spot_findings(spots, pixel_mm: float, smallest_mm: float, width_mm: float, work: Intake) -> list[Finding]:
    """Small areas that stood out and are too small at this size: how large the work must be for them, or an inlay."""
    if not spots:
        return []
    x, y, _ = spots[0]
    least = min(a for _, _, a in spots) * pixel_mm
    count = f"{len(spots)} small spots stand" if len(spots) > 1 else "One small spot stands"
    return [
        Finding(
            "small-spot",
            "pattern",
            f"{count} out here, down to {work.say(least)} across, and went into what is round: eyes, mouths and "
            f"catch-lights do. Make the work about {work.say(width_mm * smallest_mm / least)} wide, lay them in with "
            "dowels or burn them.",
            f"No piece is narrower than {work.say(smallest_mm)}.",
            point_mm=(round(x * pixel_mm, 2), round(y * pixel_mm, 2)),
            amount=len(spots),
            limit=round(smallest_mm, 2),
            unit="mm",
        )
    ]
