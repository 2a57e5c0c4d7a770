"""Judges readings of drawings by what another renderer shows: librsvg's `rsvg-convert`, flood fills and colours by
OpenCV and scikit-image. It shares nothing with the intake but the proposal it is given."""

import re
import subprocess
from dataclasses import dataclass

import cv2
import numpy as np
import shapely
from skimage.color import deltaE_ciede2000, rgb2lab

SIDE = 1400
ALIKE_DE = 5.0
"""CIEDE2000 up to which two colours are alike."""
STRONG = 25.0
"""A step between neighbouring pixels (Euclidean in CIELAB, slightly softened) that is a strong edge."""
NEAR_PX = 4
FEW_STRONG = 0.003
"""Strong edges are judged where they are more than this share of the figure: a few pixels beside lines are none."""
NOT_FLAT = re.compile(rb"<(\w+:)?(radialGradient|linearGradient|filter|image|pattern|mask)\b")


@dataclass(frozen=True)
class Painted:
    """`page` and `figure`: shares of pixels alike, outlines that were taken for lines aside; `off` the share of pieces
    whose colour is not the mean of what is seen in them; `edges` the share of strong edges with a border on them."""

    page: float
    figure: float
    off: float
    edges: float
    flat: bool

    @property
    def good(self) -> bool:
        alike = self.page >= 0.98 and self.figure >= 0.95
        return alike or (not self.flat and self.off <= 0.05 and self.edges >= 0.95)


@dataclass(frozen=True)
class Lines:
    """Regions that a flood fill finds between the lines, how many of them are a piece (IoU over 0.9), and how many
    pieces are made of thin ink."""

    regions: int
    found: int
    of_ink: int
    pieces: int

    @property
    def good(self) -> bool:
        return self.found >= self.regions - max(0, round(0.01 * self.regions)) and self.of_ink <= 0.03 * self.pieces


def rendered(svg: bytes, box: tuple[float, float, float, float]) -> np.ndarray:
    """The page as librsvg draws it on white, uint8 RGB."""
    width = round(SIDE if box[2] >= box[3] else SIDE * box[2] / box[3])
    done = subprocess.run(
        ["rsvg-convert", "-w", str(width), "--background-color", "#ffffff"], input=svg, capture_output=True, check=True
    )
    return cv2.imdecode(np.frombuffer(done.stdout, np.uint8), cv2.IMREAD_COLOR)[..., ::-1]


def labels_of(proposal, shape: tuple[int, ...]) -> np.ndarray:
    """The number of the piece at each pixel of the page, 0 for none."""
    x, y, width, height = proposal.source_box_mm
    picture = np.zeros(shape[:2], np.int32)
    scale = np.array([shape[1] / width, shape[0] / height])
    for key, outline in proposal.coverage.by_key.items():
        rings = [
            np.round(((shapely.get_coordinates(ring) - [x, y]) * scale - 0.5) * 16).astype(np.int32)
            for ring in (outline.exterior, *outline.interiors)
        ]
        cv2.fillPoly(picture, rings, int(key), cv2.LINE_8, 4)
    return picture


def judge_painted(svg: bytes, proposal) -> Painted:
    source = rendered(svg, proposal.source_box_mm)
    label = labels_of(proposal, source.shape)
    colours = np.full((len(proposal.coverage) + 1, 3), 255, np.uint8)
    for key, code in proposal.colours.items():
        colours[key] = [int(code[i : i + 2], 16) for i in (1, 3, 5)]
    lab, ours = rgb2lab(source), colours[label]
    border = np.zeros(label.shape, np.uint8)
    border[:, 1:] |= label[:, 1:] != label[:, :-1]
    border[1:] |= label[1:] != label[:-1]
    away = cv2.distanceTransform(1 - border, cv2.DIST_L2, 3)
    line = _outlines(lab, proposal, source.shape[1])
    # along a border no pixel is quite of one colour in either picture
    alike = (deltaE_ciede2000(lab, rgb2lab(ours)) <= ALIKE_DE) | (away <= 1)
    figure = (source < 250).any(axis=2) | (ours < 250).any(axis=2)
    counted = (away > 1.5) & ~line
    area = np.bincount(label[counted], minlength=len(colours))
    mean = np.stack([np.bincount(label[counted], source[..., c][counted], len(colours)) for c in range(3)], axis=1)
    shown = area >= 30
    shown[0] = False
    told = rgb2lab((mean[shown] / area[shown, None])[None] / 255)
    off = deltaE_ciede2000(told, rgb2lab(colours[shown][None])) > ALIKE_DE
    soft = cv2.GaussianBlur(lab, (0, 0), 0.8)
    across, down = soft[1:-1, 2:] - soft[1:-1, :-2], soft[2:, 1:-1] - soft[:-2, 1:-1]
    step = np.maximum(np.linalg.norm(across, axis=2), np.linalg.norm(down, axis=2))
    strong = np.zeros(label.shape, bool)
    strong[1:-1, 1:-1] = step > STRONG
    strong &= cv2.dilate(line.astype(np.uint8), np.ones((7, 7), np.uint8)) == 0
    return Painted(
        float(alike[~line].mean()),
        float(alike[figure & ~line].mean()) if (figure & ~line).any() else 1.0,
        float(off.mean()) if off.size else 0.0,
        float((away[strong] <= NEAR_PX).mean()) if strong.sum() > FEW_STRONG * figure.sum() else 1.0,
        not NOT_FLAT.search(svg),
    )


def _outlines(lab: np.ndarray, proposal, width: int) -> np.ndarray:
    """Dark pixels that no disc of the width up to which dark shapes are lines covers, places where such lines meet or
    turn (touching them, no longer and no wider than twice that), and what is softened by them."""
    up_to = (proposal.lines_up_to_mm or 0.0) * width / proposal.source_box_mm[2]
    if not up_to:
        return np.zeros(lab.shape[:2], bool)
    # dark, or so deep that its colour hardly shows
    dark = ((lab[..., 0] < 42) & (np.hypot(lab[..., 1], lab[..., 2]) < 35)) | (lab[..., 0] < 25)
    dark = dark.astype(np.uint8)
    dark = cv2.dilate(dark, np.ones((3, 3), np.uint8))
    across = (int(up_to) + 3) | 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (across, across))
    wide = cv2.morphologyEx(dark, cv2.MORPH_OPEN, disc)
    thin = (dark > 0) & (wide == 0)
    count, part, stats, _ = cv2.connectedComponentsWithStats(wide, connectivity=8)
    touching = np.unique(part[cv2.dilate(thin.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0])
    meets = np.zeros(count, bool)
    meets[touching[touching > 0]] = True
    meets &= stats[:, [cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT]].max(axis=1) <= 2 * across
    thin |= meets[part]
    return cv2.dilate(thin.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0


def judge_lines(svg: bytes, proposal, narrowest_px: float = 6.0) -> Lines:
    """Regions narrower than `narrowest_px` are not asked for."""
    source = rendered(svg, proposal.source_box_mm)
    ink = source.mean(axis=2) < 128
    label = labels_of(proposal, source.shape)
    count, paper, stats, _ = cv2.connectedComponentsWithStats((~ink).astype(np.uint8), connectivity=4)
    outside = set(np.concatenate([paper[0], paper[-1], paper[:, 0], paper[:, -1]]).tolist())
    half = cv2.distanceTransform((~ink).astype(np.uint8), cv2.DIST_L2, 5)
    free = np.where(ink, 0, label)
    own = np.bincount(free.ravel(), minlength=len(proposal.coverage) + 1)
    regions = found = 0
    for region in range(1, count):
        left, top, width, height, area = stats[region]
        window = np.s_[top : top + height, left : left + width]
        here = paper[window] == region
        if region in outside or 2 * half[window][here].max() < narrowest_px:
            continue
        regions += 1
        inside = np.bincount(free[window][here], minlength=len(own))
        inside[0] = 0
        best = int(inside.argmax())
        found += bool(inside[best] > 0.9 * (area + own[best] - inside[best]))
    whole, inked = np.bincount(label.ravel(), minlength=len(own)), np.bincount(label[ink], minlength=len(own))
    width_px = np.zeros(len(own), np.float32)
    np.maximum.at(width_px, label[ink], 2 * cv2.distanceTransform(ink.astype(np.uint8), cv2.DIST_L2, 5)[ink])
    wide_mm = width_px * proposal.source_box_mm[2] / source.shape[1]
    thin = (inked > 0.6 * whole) & (wide_mm < 0.8 * (proposal.lines_up_to_mm or 0.0))
    thin[0] = False
    return Lines(regions, found, int(thin.sum()), len(proposal.coverage))
