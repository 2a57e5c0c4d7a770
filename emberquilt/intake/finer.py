"""Make it finer: a piece parted by the tones that are seen in it, or by those of a photo laid over it."""

from dataclasses import replace

import cv2
import numpy as np
import shapely

from ..colour import hex_apart
from ..errors import BadChoice, BadDrawing
from ..findings import Finding
from ..outline import arcs
from ..outline.coverage import Coverage
from ..outline.cut import joined, small_joins
from ..outline.knit import Reshape, arranged
from .by_hand import reshaped
from .finish import Say
from .knobs import Knobs, Point
from .labels import grown
from .proposal import Proposal, in_reading_order
from .tones import tone_labels

LOOK_SIDE, LEAST_SIDE = 900, 60
"""A piece is looked at with so many pixels along its longer side; with fewer there is nothing to see in it."""
SMALLEST_MM = 6.0


def finer(proposal: Proposal, page: np.ndarray, over: np.ndarray | None, knobs: Knobs, say: Say) -> Proposal:
    """Each piece at one of `knobs.finer` in `knobs.finer_tones` tones of `page`, the source's whole page, or of `over`,
    a photo that is laid over the piece so that it covers it; uint8 RGB, of any size. What cannot be parted is a
    finding."""
    made, whole = proposal, 0
    for place in knobs.finer:
        try:
            made = _parted(made, place, page, over, knobs)
        except (BadDrawing, BadChoice):
            whole += 1
    if made.coverage is not proposal.coverage:
        made = in_reading_order(made)
    if not whole:
        return made
    words = "One piece shows" if whole == 1 else f"{whole} pieces show"
    told = Finding(
        "one-tone",
        "pattern",
        f"{words} no tones that could part it with pieces of {say(knobs.smallest_mm or SMALLEST_MM)} or more. Lay a "
        "photo over it, or draw a line.",
        "Tones are told apart within the piece.",
        amount=whole,
    )
    return replace(made, findings=(*made.findings, told))


def _parted(proposal: Proposal, place: Point, page: np.ndarray, over: np.ndarray | None, knobs: Knobs) -> Proposal:
    coverage = proposal.coverage
    x, y, width, height = proposal.source_box_mm
    at = shapely.Point(x + place[0] * width, y + place[1] * height)
    key = next((k for k, o in coverage.by_key.items() if o.covers(at) and k not in proposal.openings), None)
    if key is None:
        raise BadChoice("There is no piece here.")
    outline = coverage.by_key[key]
    rgb, inside, pixel_mm = _seen_in(outline, proposal, page, over)
    smallest_px = (knobs.smallest_mm or SMALLEST_MM) / pixel_mm
    # what is round the piece has the colours of its rim, so that no tone is spent on it and no edge runs along it
    place_of = np.arange(1, inside.size + 1, dtype=np.int32).reshape(inside.shape)
    calm = rgb.reshape(-1, 3)[grown(np.where(inside, place_of, 0)) - 1]
    by = knobs.by or ("colour" if over is None else "lightness")
    found = tone_labels(calm, knobs.finer_tones, by, smallest_px, knobs.smooth)
    left, top, _, _ = outline.bounds
    borders, _ = arcs.outlines_of(found.picture, found.count, rounds=2 + 2 * knobs.smooth)
    tones = shapely.transform(np.array(borders), lambda xy: xy * pixel_mm + [left, top])
    lines = shapely.intersection(shapely.union_all(shapely.boundary(tones)), outline)
    made = arranged(coverage, {key}, lines)
    if not made.born:
        raise BadChoice("No tone parts this piece.")
    colours = [found.colours[i] for i in range(1, found.count + 1)]
    return _coloured(reshaped(proposal, made), key, made, tones, colours, knobs)


def _seen_in(
    outline: shapely.Polygon, proposal: Proposal, page: np.ndarray, over: np.ndarray | None
) -> tuple[np.ndarray, np.ndarray, float]:
    """The box round a piece as pixels, which of them are inside it, and what a pixel measures in mm."""
    left, top, right, bottom = outline.bounds
    x, y, width, _ = proposal.source_box_mm
    if over is None:
        mm = width / page.shape[1]
        picture, origin = page, np.array([left - x, top - y]) / mm
    else:
        # it covers the box, the middle on the middle
        mm = max((right - left) / over.shape[1], (bottom - top) / over.shape[0])
        picture = over
        origin = (np.array(over.shape[1::-1]) - np.array([right - left, bottom - top]) / mm) / 2
    across = max(right - left, bottom - top)
    pixel_mm = across / LOOK_SIDE
    if across / mm < LEAST_SIDE:
        raise BadDrawing("There are too few pixels in this piece to tell tones apart.")
    size = (max(2, round((right - left) / pixel_mm)), max(2, round((bottom - top) / pixel_mm)))
    zoom = pixel_mm / mm
    matrix = np.array([[zoom, 0, origin[0] + zoom / 2 - 0.5], [0, zoom, origin[1] + zoom / 2 - 0.5]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    rgb = cv2.warpAffine(picture, matrix, size, flags=flags, borderMode=cv2.BORDER_REPLICATE)
    inside = np.zeros(size[::-1], np.uint8)
    rings = [
        np.round(((shapely.get_coordinates(ring) - [left, top]) / pixel_mm - 0.5) * 16).astype(np.int32)
        for ring in (outline.exterior, *outline.interiors)
    ]
    cv2.fillPoly(inside, rings, 1, cv2.LINE_8, 4)
    if not inside.any():
        raise BadDrawing("This piece is too thin to be parted.")
    return rgb, inside > 0, pixel_mm


def _coloured(proposal: Proposal, key: int, made: Reshape, tones: np.ndarray, colours: list[str], knobs: Knobs):
    """The parts of a piece in the colours of their tones; those that are too narrow go into another of them."""
    born = sorted(proposal.coverage.keys)[-len(made.born) :]
    parts = [key, *born] if key in proposal.coverage.by_key else born
    own = Coverage(parts, [proposal.coverage.by_key[k] for k in parts])
    tree = shapely.STRtree(tones)
    told = dict(proposal.colours)
    for k in parts:
        share = shapely.area(shapely.intersection(tones[near := tree.query(own.by_key[k])], own.by_key[k]))
        told[k] = colours[int(near[share.argmax()])]
    spots, smallest = own.spots, knobs.smallest_mm or SMALLEST_MM
    pairs = small_joins(own, lambda k: 2 * spots[k].radius_mm < smallest, lambda a, b: hex_apart(told[a], told[b]))
    if len(own) - len(pairs) < 2:
        raise BadChoice("No tone parts this piece.")
    return reshaped(replace(proposal, colours=told), joined(own, pairs))
