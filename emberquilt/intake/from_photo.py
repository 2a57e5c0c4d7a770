"""Photos, in tones or colours, as pieces."""

from dataclasses import replace

import numpy as np
import shapely

from ..findings import Finding
from ..outline import arcs
from . import raster_source, tones
from .finish import Intake, finish
from .proposal import Proposal, ReadAs

SMALLEST_PHOTO_MM = 8.0
"""Diameter of the smallest region a photo is parted into unless said otherwise: what fingers can hold, a little
under."""


def from_photo(picture: raster_source.Picture, work: Intake, words: str = "") -> Proposal:
    knobs = work.knobs
    rgb = picture.in_colour
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
    words = words or f"photo in {found.tones} tones"
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
