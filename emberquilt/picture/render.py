"""The picture of the result: every piece in its wood, rounded, standing at its height, in the light of a lamp.

The cost follows pixels, not pieces. Large pictures are made in bands that overlap by as far as a shadow falls, so that
memory stays bounded and progress can be told.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import cv2
import numpy as np
import shapely

from ..colour import rgb_of
from ..errors import BadChoice
from ..rack.seen import Seen
from ..work.composition import Composition
from ..work.decisions import Slope
from ..work.shaped import height_at
from .board_face import Photos, board_face
from .figure import LEVELS, colours, darkness, figure_counts
from .light import GLOSS, Lamp, brightness, closeness, distances, highlight, shadows, sheen_of, slopes
from .parts import PLATE_MM, Frame, Hollow, Part, parts_of

BACKER = "#2b2623"
SEAM_MM = 0.12
SEAM_DARK, WITHIN_DARK = 0.22, 0.8
"""What is left of the light in a seam, and where two fields of one board meet: no seam, but an edge."""
LINES = {
    "burnt": (0.9, 0.82, 0.12),
    "painted": (1.1, 0.75, 0.0),
    "sawn": (0.5, 0.8, 0.0),
    "vein": (1.4, 0.6, 0.35),
    "textured": (0.6, 0.55, 0.1),
}
"""How lines that part nothing look: width in mm, how dark, how far (mm) they fade. Own choice."""
FINE_PX_PER_MM = (1.0, 2.0, 3.5, 6.0)
"""Resolutions at which figures are kept."""
BAND_PX = 1_500_000
SOFT_PX, LONG_SOFT_PX, MARGIN_PX = 1.0, 2.0, 9
"""Over how many pixels the steps of a slanted border are smoothed, more where it throws long slopes; how far a band
reaches beyond its own rows for it."""
MOST_SOFT_PX = 2_000_000
"""Shadows are worked out on so many pixels at most: in a large picture a pixel of them is a few of its own."""
MOST_PIXELS = 60_000_000
GAMMA = 1 / 2.3
Progress = Callable[[float], None]


@dataclass(frozen=True)
class Light:
    """How the picture is to be seen. `wall` behind it; `margin_mm` round it; `ss` x `ss` samples a pixel."""

    gloss: str = "satin"
    lamp: Lamp = Lamp()  # noqa: RUF009  frozen
    wall: str = BACKER
    margin_mm: float = 0.0
    frame: Frame | None = None
    aged: bool = False
    ss: int = 1

    def __post_init__(self):
        if self.gloss not in GLOSS:
            raise BadChoice(f"“{self.gloss}” is no sheen: raw, satin or gloss.")
        rgb_of(self.wall)


def picture(
    composition: Composition,
    width_px: int,
    light: Light = Light(),
    photos: Photos | None = None,
    progress: Progress = lambda share: None,
) -> np.ndarray:
    """uint8 sRGB (rows, columns, 3), `width_px` wide. `photos` give the faces of
    boards. Raises `BadChoice` for a picture larger than `MOST_PIXELS`. The same input always gives the same picture."""
    pad = light.margin_mm + (light.frame.width_mm if light.frame else 0.0)
    wide, high = composition.width_mm + 2 * pad, composition.height_mm + 2 * pad
    scale = width_px / wide
    height_px = max(1, round(high * scale))
    if not 0 < width_px * height_px <= MOST_PIXELS:
        raise BadChoice(
            f"A picture of {width_px} by {height_px} pixels is too large: up to {MOST_PIXELS // 1_000_000} megapixels."
        )
    parts = parts_of(composition, light.frame)
    seen = composition.seen.older if light.aged else composition.seen
    stage = _Stage(
        composition, parts, seen, light, photos, scale * light.ss, pad, (width_px * light.ss, height_px * light.ss)
    )
    out = np.empty((height_px, width_px, 3), np.uint8)
    rows = max(32, BAND_PX // (width_px * light.ss**2))
    for begin in range(0, height_px, rows):
        end = min(height_px, begin + rows)
        band = stage.band(begin * light.ss, end * light.ss, width_px * light.ss)
        out[begin:end] = (
            cv2.resize(band, (width_px, end - begin), interpolation=cv2.INTER_AREA) if light.ss > 1 else band
        )
        progress(end / height_px)
    return out


class _Stage:
    """What is the same for all bands of one picture. Label 0 is what lies behind everything."""

    def __init__(
        self,
        composition,
        parts: list[Part],
        seen: Seen,
        light: Light,
        photos,
        px_per_mm: float,
        pad_mm: float,
        size: tuple[int, int],
    ):
        self.parts, self.seen, self.light, self.photos = parts, seen, light, photos
        self.shelf = composition.rack.shelf
        self.boards = composition.rack.by_name
        self.details = composition.decisions.pattern.details
        self.px_per_mm, self.pad_mm = px_per_mm, pad_mm
        self.faces: dict[tuple, tuple[np.ndarray, float]] = {}
        self.bounds = shapely.bounds(np.array([p.outline for p in parts])) if parts else np.empty((0, 4))
        rings, self.ring_of = shapely.get_rings(np.array([p.outline for p in parts]), return_index=True)
        self.corners, of_ring = shapely.get_coordinates(rings, return_index=True)
        self.cuts = np.flatnonzero(np.diff(of_ring)) + 1
        self.top = np.array([0.0] + [p.top_mm for p in parts], np.float32)
        self.edge = np.array([0.1] + [p.edge_mm for p in parts], np.float32)
        hollows = [p.hollow or FLAT for p in parts]
        self.hollow = np.array([(0.0, 0.0, 0.0)] + [(h.deep_mm, h.steep, h.round_mm) for h in hollows], np.float32)
        self.wall = np.array([0.0] + [_wall_mm(h) for h in hollows], np.float32)
        dark = [SEAM_DARK if p.hollow is None else WITHIN_DARK for p in parts]
        self.seam = np.array([SEAM_DARK, *dark], np.float32)
        self.most_edge_mm = max(float(self.edge.max()), float(self.wall.max()))
        self.sheen = np.array([1.0] + [self._sheen(p) for p in parts], np.float32)
        # as fine as the picture shows, not as it is sampled: the finest figures take most of a second each to draw
        shown = 0.8 * px_per_mm / light.ss
        self.fine = next((f for f in FINE_PX_PER_MM if f >= shown), FINE_PX_PER_MM[-1])
        self._colour_table()
        self._soft_light(*size)

    def _sheen(self, part: Part) -> float:
        wood = self.shelf.get(part.look[0])
        if wood is None or wood.kind == "sheet" or part.look[1].startswith("paint"):
            return 1.0
        strength = {"raw": 0.6, "satin": 1.0, "gloss": 1.3}[self.light.gloss]
        return sheen_of(part.grain_deg, self.light.lamp, strength, wood.flash) * (1 + part.tint)

    def _colour_table(self) -> None:
        """Plates of darkness stand one above the other in one picture; each look has 256 colours."""
        codes = sorted({p.look[0] for p in self.parts if p.look[0] in self.shelf and not p.board})
        self.plates = [darkness(self.shelf[c], *PLATE_MM, self.fine, 1) for c in codes]
        self.atlas = np.vstack(self.plates) if self.plates else np.zeros((2, 2), np.uint8)
        row_of = {code: i for i, code in enumerate(codes)}
        looks = sorted({p.look for p in self.parts})
        number = {look: i + 1 for i, look in enumerate(looks)}
        tables = [np.repeat(np.array([rgb_of(self.light.wall)], np.uint8), LEVELS, axis=0)]
        for look in looks:
            flat = look[1].startswith("paint") or look[0] not in row_of
            counts = None if flat else figure_counts(self.shelf[look[0]], *PLATE_MM, self.fine, 1)
            table = colours(self.seen.lab_of(look), counts)
            tables.append(np.repeat(table[110:111], LEVELS, axis=0) if flat else table)
        self.colours = np.concatenate(tables)
        self.look = np.array([0] + [number[p.look] for p in self.parts], np.int32) * LEVELS
        plate = np.array([0] + [row_of.get(p.look[0], 0) for p in self.parts], np.float32)
        first_row = plate * (self.plates[0].shape[0] if self.plates else 1)
        # a turn and a shift: its second row of factors follows from the first
        move = np.array([[0.0] * 6] + [p.to_figure for p in self.parts])[:, [0, 1, 2, 5]] * self.fine
        self.move = np.column_stack([move, first_row]).astype(np.float32)

    def _soft_light(self, columns: int, rows: int) -> None:
        """Lamp and sky all over the picture. Both are soft, so they are worked out once, coarser where the picture is
        large."""
        shrink = min(1 / self.light.ss, float(np.sqrt(MOST_SOFT_PX / (columns * rows))))
        self.soft_share = max(1, round(columns * shrink)) / columns
        wide, high = max(1, round(columns * self.soft_share)), max(1, round(rows * self.soft_share))
        coarse = self.px_per_mm * self.soft_share
        labels = self._labels(0, high, wide, coarse)
        height, *_ = self._rounded(labels, coarse)
        for place, here, part, slope, spots in self._carved(labels, 0, coarse):
            height[place][here] -= (part.top_mm - height_at(slope, spots)).astype(np.float32)
        self.lit, self.sky = shadows(height, coarse, self.light.lamp), closeness(height, coarse)

    def _rounded(self, labels: np.ndarray, px_per_mm: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Height of every pixel (mm), its distance from a border (mm), and how far into the rounding it is, 0 to 1."""
        distance = distances(labels, px_per_mm)
        edge = np.take(self.edge, labels)
        into = np.maximum(edge - distance, 0)
        height = cv2.sqrt(np.maximum(edge * edge - into * into, 0))
        height += np.take(self.top - self.edge, labels)
        into /= edge
        into[labels == 0] = 0
        if self.wall.any():
            self._hollowed(labels, distance, height, into)
        return height, distance, into

    def _hollowed(self, labels: np.ndarray, distance: np.ndarray, height: np.ndarray, into: np.ndarray) -> None:
        """Walls of fields that no flat bit made rise towards their border: how far into them is below zero."""
        here = np.nonzero(distance < np.take(self.wall, labels))
        deep, steep, radius = self.hollow[labels[here]].T
        far = distance[here]
        straight = np.maximum(deep - steep * far, 0) * (steep > 0)
        within = np.maximum(radius - far, 0)
        bowl = np.minimum(radius - np.sqrt(np.maximum(radius * radius - within * within, 0)), deep)
        height[here] += straight + bowl
        lean = np.where(straight > 0, steep / np.hypot(steep, 1.0), 0.0)
        lean += np.where((bowl > 0) & (bowl < deep), within / np.maximum(radius, 1e-6), 0.0)
        into[here] = np.where(lean > 0, -lean, into[here])

    def _carved(self, labels: np.ndarray, top_row: int, px_per_mm: float):
        """Of every carved part that is seen here: the rows and columns about it, where in them it is, the part, its
        slope, and the places (mm) of its pixels."""
        for i, part in enumerate(self.parts):
            if part.slope is None:
                continue
            x0, y0, x1, y1 = ((self.bounds[i] + self.pad_mm) * px_per_mm).tolist()
            rows = slice(max(0, int(y0) - top_row), max(0, int(y1) + 2 - top_row))
            columns = slice(max(0, int(x0)), int(x1) + 2)
            here = labels[rows, columns] == i + 1
            if here.any():
                y, x = np.nonzero(here)
                pixels = np.c_[x + columns.start + 0.5, y + rows.start + top_row + 0.5]
                yield (rows, columns), here, part, part.slope, pixels / px_per_mm - self.pad_mm

    def _soft(self, field: np.ndarray, begin: int, rows: int, columns: int) -> np.ndarray:
        """The part of a coarse field that these rows see."""
        r = self.soft_share
        move = np.array([[r, 0, 0.5 * r - 0.5], [0, r, (begin + 0.5) * r - 0.5]])
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        return cv2.warpAffine(field, move, (columns, rows), flags=flags, borderMode=cv2.BORDER_REPLICATE)

    def band(self, begin: int, end: int, columns: int) -> np.ndarray:
        """Rows begin to end of the picture, in its own pixels. Roundings reach in from a narrow strip above and
        below."""
        pad, rows = int(np.ceil((self.most_edge_mm + 1.0) * self.px_per_mm)) + MARGIN_PX, end - begin
        labels = self._labels(begin - pad, rows + 2 * pad, columns, self.px_per_mm)
        _, distance, into = self._rounded(labels, self.px_per_mm)
        wider, keep = slice(pad - MARGIN_PX, pad + rows + MARGIN_PX), slice(pad, pad + rows)
        soft_px = LONG_SOFT_PX if self.wall.any() else SOFT_PX
        nx, ny = (n[MARGIN_PX:-MARGIN_PX] for n in slopes(distance[wider], into[wider], soft_px))
        labels, distance = labels[keep], distance[keep]
        for place, here, _, slope, spots in self._carved(labels, begin, self.px_per_mm):
            lean_x, lean_y = _lean(slope, spots)
            nx[place][here] += lean_x
            ny[place][here] += lean_y
        lit, sky = (self._soft(field, begin, rows, columns) for field in (self.lit, self.sky))
        normal = nx, ny, cv2.sqrt(np.maximum(1 - nx * nx - ny * ny, 0.03))
        light = brightness(normal, lit, sky, np.take(self.sheen, labels), self.light.lamp)
        dark = np.take(self.seam, labels)
        seam = np.clip((distance - SEAM_MM) * self.px_per_mm + 0.5, 0, 1) * (1 - dark) + dark
        seam[labels == 0] = 1
        light *= seam * self._lines(begin, rows, columns)
        shine = highlight(normal, lit, self.light.lamp, self.light.gloss)
        if shine is not None:
            shine[labels == 0] = 0
        return self._coloured(labels, begin, light, shine)

    def _lines(self, begin: int, rows: int, columns: int) -> np.ndarray:
        """What the lines that part nothing leave of the light: burnt and painted ones are dark, sawn ones a fine
        shadow, a vein a soft one, a texture a row of short strokes."""
        left: np.ndarray = np.full((rows, columns), 255, np.uint8)
        for detail in self.details:
            wide, dark, soft = LINES[detail.how]
            width = max(1, round(wide * self.px_per_mm))
            points = (np.array(detail.line) + self.pad_mm) * self.px_per_mm - [0, begin]
            if points[:, 1].max() < -width or points[:, 1].min() > rows + width:
                continue
            own: np.ndarray = np.zeros((rows, columns), np.uint8)
            for stretch in _strokes(points, 1.6 * self.px_per_mm) if detail.how == "textured" else [points]:
                fine = np.round(stretch * 16 - 8).astype(np.int32)
                cv2.polylines(own, [fine], False, round(255 * dark), width, cv2.LINE_AA, shift=4)
            if soft:
                own = cv2.GaussianBlur(own, (0, 0), max(0.6, soft * self.px_per_mm))
            left = np.minimum(left, 255 - own)
        return left.astype(np.float32) / 255

    def _labels(self, top_row: int, rows: int, columns: int, px_per_mm: float) -> np.ndarray:
        """Which part is seen at each pixel: number in `parts` and one more."""
        labels = np.zeros((rows, columns), np.int32)
        top, bottom = top_row / px_per_mm - self.pad_mm, (top_row + rows) / px_per_mm - self.pad_mm
        # sixteenths of a pixel, whose centre lies at +0.5; they are moved by whole pixels, so that an edge falls on the
        # same pixels in every band
        corners = np.round((self.corners + self.pad_mm) * (16 * px_per_mm) - 8).astype(np.int32)
        corners[:, 1] -= 16 * top_row
        rings = np.split(corners, self.cuts)
        first = np.searchsorted(self.ring_of, np.arange(len(self.parts) + 1)).tolist()
        for i in np.flatnonzero((self.bounds[:, 3] >= top) & (self.bounds[:, 1] <= bottom)).tolist():
            cv2.fillPoly(labels, rings[first[i] : first[i + 1]], i + 1, lineType=cv2.LINE_8, shift=4)
        return labels

    def _coloured(self, labels: np.ndarray, begin: int, light: np.ndarray, shine) -> np.ndarray:
        rows, columns = labels.shape
        x = (np.arange(columns, dtype=np.float32)[None, :] + 0.5) / self.px_per_mm - self.pad_mm
        y = (np.arange(begin, begin + rows, dtype=np.float32)[:, None] + 0.5) / self.px_per_mm - self.pad_mm
        high, wide = self.plates[0].shape if self.plates else self.atlas.shape
        move = np.take(self.move, labels, axis=0)
        u = move[..., 0] * x
        u += move[..., 1] * y
        u += move[..., 2]
        v = move[..., 0] * y
        v -= move[..., 1] * x
        v += move[..., 3]
        # at its border a figure is mirrored, as two boards from one log are
        u, v = _folded(u, wide), _folded(v, high)
        v += move[..., 4]
        dark = cv2.remap(self.atlas, u, v, cv2.INTER_LINEAR)
        place = np.take(self.look, labels)
        place += np.asarray(dark)
        colour = np.take(self.colours, place, axis=0)
        self._photographed(colour, labels, begin)
        lift = cv2.pow(np.minimum(light, 4), GAMMA)
        shown = cv2.multiply(colour, cv2.merge([lift, lift, lift]), dtype=cv2.CV_8U)
        return shown if shine is None else cv2.add(shown, cv2.merge([shine, shine, shine]), dtype=cv2.CV_8U)

    def _face(self, part: Part) -> tuple[np.ndarray, float]:
        """The face of the board that a part comes from, worked out once for a picture."""
        name = part.board, part.look
        if name not in self.faces:
            lab = self.seen.lab_of(part.look)
            self.faces[name] = board_face(self.boards[part.board], self.shelf, lab, self.photos, self.fine)
        return self.faces[name]

    def _photographed(self, colour: np.ndarray, labels: np.ndarray, begin: int) -> None:
        """Pieces with a place on a board show that place."""
        rows, columns = labels.shape
        for i in (i for i, p in enumerate(self.parts) if p.board):
            part = self.parts[i]
            x0, y0, x1, y1 = self.bounds[i]
            left = max(0, int((x0 + self.pad_mm) * self.px_per_mm) - 1)
            top = max(0, int((y0 + self.pad_mm) * self.px_per_mm) - 1 - begin)
            right = min(columns, int((x1 + self.pad_mm) * self.px_per_mm) + 2)
            bottom = min(rows, int((y1 + self.pad_mm) * self.px_per_mm) + 2 - begin)
            if right <= left or bottom <= top:
                continue
            face, fine = self._face(part)
            # pixel of the band -> mm of the picture -> mm of the board -> pixel of its face
            to_mm = np.array(
                [
                    [1 / self.px_per_mm, 0, (left + 0.5) / self.px_per_mm - self.pad_mm],
                    [0, 1 / self.px_per_mm, (top + begin + 0.5) / self.px_per_mm - self.pad_mm],
                    [0, 0, 1],
                ]
            )
            move = np.array([*part.to_figure, 0, 0, 1]).reshape(3, 3) @ to_mm
            move = np.diag([fine, fine, 1.0]) @ move
            move[:2, 2] -= 0.5
            cut = cv2.warpAffine(
                face,
                move[:2],
                (right - left, bottom - top),
                flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
                borderMode=cv2.BORDER_REFLECT_101,
            )
            mine = labels[top:bottom, left:right] == i + 1
            colour[top:bottom, left:right][mine] = cut[mine]


FLAT = Hollow(0.0)


def _wall_mm(hollow: Hollow) -> float:
    """How far from its border a hollow's wall reaches."""
    return max(hollow.deep_mm / hollow.steep if hollow.steep else 0.0, hollow.round_mm)


def _lean(slope: Slope, spots: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """x and y of the normal of a carved top at places (n, 2): it falls towards the low end between both ends."""
    way = np.subtract(slope.low, slope.high)
    long = float(np.hypot(*way))
    share = (spots - np.asarray(slope.high)) @ way / long**2
    fall = (slope.high_mm - slope.low_mm) / long
    lean = np.where((share > 0) & (share < 1), fall / np.hypot(fall, 1.0), 0.0).astype(np.float32)
    return lean * np.float32(way[0] / long), lean * np.float32(way[1] / long)


def _strokes(points: np.ndarray, step: float) -> list[np.ndarray]:
    """Every other stretch of that length along a line."""
    far = np.r_[0.0, np.cumsum(np.hypot(*np.diff(points, axis=0).T))]
    places = np.arange(0.0, far[-1], step)
    at = np.c_[np.interp(places, far, points[:, 0]), np.interp(places, far, points[:, 1])]
    return [at[i : i + 2] for i in range(0, len(at) - 1, 2)]


def _folded(position: np.ndarray, size: int) -> np.ndarray:
    """Positions beyond 0..size - 1 mirrored back into it, again and again."""
    span = np.float32(2 * (size - 1))
    back = np.abs(position - span * np.round(position / span))
    return back.astype(np.float32)


FINE_DRAFT_PX, FINE_DRAFT_PIECES = 1000, 1500
"""Larger drafts, and those of more pieces, take one sample a pixel."""


def draft(composition: Composition, width_px: int, light: Light = Light(), **more) -> np.ndarray:
    """The picture while one edits: as fine as can be waited for."""
    pieces = sum(len(layer.pieces) for layer in composition.layers)
    fine = width_px <= FINE_DRAFT_PX and pieces <= FINE_DRAFT_PIECES
    return picture(composition, width_px, replace(light, ss=2 if fine else 1), **more)
