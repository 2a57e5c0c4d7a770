"""The other ways a drawing could be read: quickly, with a small picture of each, for choosing."""

import io
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import cv2
import numpy as np
from PIL import Image

from ..errors import EmberError
from . import labels, seen, tones
from .from_seen import Looked
from .ink import border_of
from .parts import mask_parts
from .proposal import Other
from .raster_source import Picture, reduced
from .rendering import lab_of

FIRST_SIDE = 800
"""A drawing is first looked at with this many pixels along its longer side, and so are the other ways."""
SMALL_SIDE = 240
TONES_SIDE = 700
"""Tones are tried on a picture of this size: their count is about what the full size gives."""
ALIKE_DE = 5.0
"""Colours closer than this (Euclidean in CIELAB) look alike."""


@dataclass(frozen=True)
class Reading:
    """Labels from 0 (outside), how many, and their colours (uint8 RGB, by label) on a picture of the source; `ink`
    what was taken for line."""

    label: np.ndarray
    count: int
    colours: np.ndarray
    rgb: np.ndarray
    ink: np.ndarray | None = None

    @property
    def likeness(self) -> float:
        """Share of the sheet that looks like the source, lines aside, by every second pixel."""
        label = self.label[::2, ::2]
        sheet = label > 0
        if self.ink is not None:
            sheet &= ~self.ink[::2, ::2]
        if not sheet.any():
            return 0.0
        far = np.linalg.norm(lab_of(self.rgb[::2, ::2]) - lab_of(self.colours[label]), axis=2)
        return round(float((far[sheet] <= ALIKE_DE).mean()), 4)

    @property
    def painted(self) -> np.ndarray:
        return self.colours[self.label]

    def picture(self) -> bytes:
        """Its pieces with their seams, small, as PNG."""
        seams = cv2.dilate(border_of(self.label), np.ones((3, 3), np.uint8))
        shrink = max(1.0, max(self.label.shape) / SMALL_SIDE)
        painted = np.where(seams[..., None] > 0, np.uint8(60), self.painted)
        size = (max(1, round(self.label.shape[1] / shrink)), max(1, round(self.label.shape[0] / shrink)))
        small = cv2.resize(painted, size, interpolation=cv2.INTER_AREA)
        buffer = io.BytesIO()
        Image.fromarray(small).quantize(32).save(buffer, "PNG", optimize=True)
        return buffer.getvalue()


def of_seen(found: seen.Seen, rgb: np.ndarray, coloured: bool) -> Reading:
    """What was seen, on white; all white unless `coloured`."""
    colours = found.colours.round().astype(np.uint8)
    colours[~found.painted | ~np.full(len(colours), coloured)] = 255
    colours[0] = 255
    return Reading(found.picture, found.count, colours, rgb, found.ink.mask if found.ink.up_to else None)


def of_tones(rgb: np.ndarray, smallest_px: float) -> Reading:
    small, shrink = reduced(rgb, TONES_SIDE)
    found = tones.tone_labels(small, 6, "colour", smallest_px * shrink, 4)
    colours = np.full((found.count + 1, 3), 255, np.uint8)
    for label, code in found.colours.items():
        colours[label] = [int(code[i : i + 2], 16) for i in (1, 3, 5)]
    return Reading(found.picture, found.count, colours, small)


def of_ink(picture: Picture, outside: str) -> Reading:
    """Everything dark and everything light as pieces."""
    ink = labels.ink_of(picture.grey)
    papers, paper, sizes = mask_parts(~ink, 4)
    _, dark, dark_sizes = mask_parts(ink, 8)
    kept = np.r_[sizes, dark_sizes] >= labels.SPECK_PX
    kept[:papers] &= ~labels.outside_regions(paper, ink, papers, outside)
    kept[[0, papers]] = False
    number = np.where(kept, np.cumsum(kept), 0).astype(np.int32)
    label = number[np.where(ink, dark + papers, paper)]
    many = int(number.max()) + 1
    area = np.maximum(np.bincount(label.ravel(), minlength=many), 1)
    grey = np.bincount(label.ravel(), picture.grey.ravel(), many) / area
    return Reading(label, many - 1, np.repeat(grey.round().astype(np.uint8)[:, None], 3, axis=1), picture.in_colour)


def others_of_lines(picture: Picture, up_to_mm: float, outside: str) -> tuple[Other, ...]:
    """The way beside lines alone of a picture without colours: its dark lines as pieces, or of silhouettes the paper
    round them as well."""
    small = picture.no_larger(FIRST_SIDE)
    if up_to_mm:
        knobs, words = {"kind": "line", "lines_up_to_mm": "0"}, "dark lines as pieces"
    elif outside != "keep":
        knobs, words, outside = {"kind": "line", "outside": "keep"}, "the paper round it as well", "keep"
    else:
        return ()
    made = _other("line", words, knobs, lambda: of_ink(small, outside))
    return () if made is None else (made,)


def _other(kind: str, words: str, knobs: dict[str, str], read: Callable[[], Reading]) -> Other | None:
    """None where it cannot be read so."""
    try:
        reading = read()
    except EmberError:
        return None
    return Other(kind, words, reading.count, reading.likeness, tuple(knobs.items()), reading.picture())


def others_of(looked: Looked, kind: str, up_to: float, smallest_mm: float) -> tuple[Other, ...]:
    """The ways beside `kind`: with the dark outlines as pieces, as lines alone, as areas alone, by tones."""
    rgb = looked.rendering.looks
    ways = []
    if up_to:
        ways.append(("painted", "dark outlines as pieces", {"kind": "painted", "lines_up_to_mm": "0"}, "parts"))
    if kind == "photo" or (kind == "line" and looked.is_coloured):
        ways.append(("painted", "areas of one colour", {"kind": "painted"}, "seen"))
    if kind == "painted":
        ways.append(("line", "lines alone, no colours", {"kind": "line"}, "line"))
    elif kind == "line" and not up_to:
        ways.append(("line", "its outlines as lines", {"kind": "line"}, "line"))
    if kind == "painted":
        ways.append(("photo", "by tones, as a photo", {"kind": "photo", "lines_up_to_mm": ""}, "tones"))

    def reading(how: str) -> Reading:
        if how == "tones":
            return of_tones(rgb, smallest_mm / looked.pixel_mm)
        found = looked.seen(0.0 if how == "parts" else None, bridged=how == "line")
        return of_seen(found, rgb, coloured=how != "line")

    made = [_other(name, words, knobs, partial(reading, how)) for name, words, knobs, how in ways]
    return tuple(other for other in made if other is not None)
