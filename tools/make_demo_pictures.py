"""Makes the demo's lantern, a picture as a camera would take it at dusk, its lighthouse, painted shapes, and photos of
boards and off-cuts on a bench under a lamp: ours to ship."""

import json
from pathlib import Path

import cv2
import numpy as np

from emberquilt.colour import lab_of, linear_of, srgb_of
from emberquilt.picture.figure import colours, counts_of, darkness
from emberquilt.rack.woods import wood
from workshop.compositions.demo.flat_boards import FLAT

FOLDER = Path(__file__).resolve().parent.parent / "workshop" / "compositions" / "demo"


def lantern() -> np.ndarray:
    """A lit lantern on a canal wall, uint8 RGB: warm light falling off, a metal frame, its glow on the stones."""
    height, width = 900, 720
    y, x = np.mgrid[0:height, 0:width].astype(float)
    rng = np.random.default_rng(4)
    sky = np.dstack([40 + 30 * y / height, 46 + 34 * y / height, 74 + 26 * y / height])
    glow = np.exp(-(((x - 360) / 210) ** 2 + ((y - 400) / 230) ** 2))
    picture = sky + glow[..., None] * np.array([150, 92, 24])
    wall = y > 690 + 14 * np.sin(x / 90)
    stone = 58 + 16 * np.sin(x / 47) * np.sin(y / 33) + 110 * np.exp(-(((x - 360) / 260) ** 2 + ((y - 700) / 120) ** 2))
    picture[wall] = np.dstack([stone * 1.05, stone * 0.86, stone * 0.66])[wall]
    draw = picture.astype(np.float32)
    glass = np.array([[235, 250], [485, 250], [520, 640], [200, 640]], np.int32)
    cv2.fillPoly(draw, [glass], (232, 168, 74))
    inside = np.exp(-(((x - 360) / 70) ** 2 + ((y - 470) / 120) ** 2))
    mask = np.zeros((height, width), np.uint8)
    cv2.fillPoly(mask, [glass], 1)
    draw += (inside * mask)[..., None] * np.array([30, 76, 130], np.float32)
    flame = np.array([[360, 380], [392, 470], [384, 530], [336, 530], [328, 470]], np.int32)
    cv2.fillPoly(draw, [flame], (255, 248, 214))
    cv2.ellipse(draw, (360, 505), (40, 44), 0, 0, 360, (255, 244, 200), -1)
    metal = (44, 34, 28)
    for line in (
        ((235, 250), (200, 640)),
        ((485, 250), (520, 640)),
        ((360, 250), (360, 360)),
        ((200, 640), (520, 640)),
        ((217, 446), (503, 446)),
    ):
        cv2.line(draw, *line, metal, 18)
    cv2.fillPoly(draw, [np.array([[200, 250], [520, 250], [440, 150], [280, 150]], np.int32)], metal)
    cv2.rectangle(draw, (300, 105), (420, 155), metal, -1)
    cv2.ellipse(draw, (360, 80), (62, 54), 0, 180, 360, metal, 14)
    cv2.rectangle(draw, (180, 640), (540, 700), metal, -1)
    draw = cv2.GaussianBlur(draw, (0, 0), 2.2) + rng.normal(0, 3.0, draw.shape).astype(np.float32)
    return np.clip(draw, 0, 255).astype(np.uint8)


def board_photo(code: str, length_mm: float, width_mm: float, ring, seed: int, knots=()) -> np.ndarray:
    """A board as a telephone takes it, uint8 RGB 1500 x 1000: askew on a bench, a sheet of white paper beside it, in
    warm light that falls off. `ring` are corners on the photo in pixels, from the upper left clockwise, of the board's
    box; `knots` are (x, y, radius) in mm."""
    face = _face(code, length_mm, width_mm, 4.0, seed, knots)
    wide, high = 1500, 1000
    photo = _bench(wide, high)
    cv2.fillPoly(photo, [np.array([[60, 60], [330, 40], [345, 210], [70, 230]], np.int32)], (241, 241, 241))
    box = np.array([[0, 0], [face.shape[1], 0], [face.shape[1], face.shape[0]], [0, face.shape[0]]], np.float32)
    move = cv2.getPerspectiveTransform(box, np.array(ring, np.float32))
    laid = cv2.warpPerspective(face, move, (wide, high), flags=cv2.INTER_AREA)
    mask = cv2.warpPerspective(np.ones(face.shape[:2], np.float32), move, (wide, high))[..., None]
    return _lit(photo * (1 - mask) + laid * mask, seed)


def offcut_photo(code: str, ring_mm, seed: int, knots=()) -> tuple[np.ndarray, list[list[float]]]:
    """An off-cut as a telephone takes it from straight above, uint8 RGB 900 x 600, and its ring in shares of that."""
    ring = np.array(ring_mm, float)
    length, width = ring.max(axis=0)
    wide, high = 900, 600
    per_mm = min(780 / length, 330 / width)
    face = _face(code, length, width, per_mm, seed, knots)
    rows, columns = face.shape[:2]
    left, top = (wide - columns) // 2, 225 + (330 - rows) // 2
    photo = _bench(wide, high)
    cv2.fillPoly(photo, [np.array([[40, 40], [230, 30], [236, 150], [46, 158]], np.int32)], (241, 241, 241))
    points = ring * per_mm + [left, top]
    mask = np.zeros((high, wide), np.float32)
    cv2.fillPoly(mask, [np.round(points * 16).astype(np.int32)], 1.0, cv2.LINE_AA, 4)
    laid = photo.copy()
    laid[top : top + rows, left : left + columns] = face
    photo = photo * (1 - mask[..., None]) + laid * mask[..., None]
    return _lit(photo, seed), (points / [wide, high]).round(4).tolist()


def _face(code: str, length_mm: float, width_mm: float, per_mm: float, seed: int, knots) -> np.ndarray:
    """The bare figure of a board, float32 RGB."""
    dark = darkness(wood(code), length_mm, width_mm, per_mm, seed)
    face = colours(lab_of(wood(code).raw), counts_of(dark))[dark].astype(np.float32)
    y, x = np.mgrid[0 : face.shape[0], 0 : face.shape[1]] / per_mm
    for kx, ky, radius in knots:
        far = np.hypot((x - kx) / 1.5, y - ky) / radius
        face *= (1 - 0.62 * np.exp(-(far**4)) - 0.14 * np.sin(9 * far) ** 2 * np.exp(-((far - 1.1) ** 2) / 0.3))[
            ..., None
        ]
    return face


def _bench(wide: int, high: int) -> np.ndarray:
    yy, xx = np.mgrid[0:high, 0:wide].astype(np.float32)
    bench = 96 + 10 * np.sin(yy / 7 + 2 * np.sin(xx / 260)) + 6 * np.sin(xx / 90)
    return np.dstack([bench * 1.02, bench * 0.93, bench * 0.80]).astype(np.float32)


def _lit(photo: np.ndarray, seed: int) -> np.ndarray:
    """Under a lamp whose light falls off, uint8."""
    high, wide = photo.shape[:2]
    yy, xx = np.mgrid[0:high, 0:wide].astype(np.float32)
    lamp = (
        np.array([1.0, 0.86, 0.66])
        * (0.92 - 0.10 * ((xx - 7 / 15 * wide) / wide) ** 2 - 0.08 * ((yy - 0.5 * high) / high) ** 2)[..., None]
    )
    seen = srgb_of(linear_of(np.clip(photo, 0, 255)) * lamp) * 255
    noise = np.random.default_rng(seed).normal(0, 2.0, seen.shape)
    return np.clip(seen + noise, 0, 255).astype(np.uint8)


WALNUT_CORNERS = [[120, 330], [1395, 290], [1430, 640], [95, 620]]
CHERRY_CORNERS = [[150, 300], [1360, 340], [1390, 690], [120, 660]]

LIGHTHOUSE = """<svg xmlns="http://www.w3.org/2000/svg" width="360mm" height="480mm" viewBox="0 0 360 480">
<title>A lighthouse at dusk</title>
<rect width="360" height="480" fill="#f0d9a8"/>
<path fill="#d99a5b" d="M0 232C40 214 78 226 112 208S190 176 232 196 312 214 360 190V480H0Z"/>
<path fill="#d99a5b" d="M62 70C84 58 104 66 122 60 140 52 168 58 176 68 160 80 118 76 100 80 86 84 70 82 62 70Z"/>
<path fill="#a9643f" d="M0 300C44 288 70 296 116 286 170 274 214 292 262 282 300 274 330 280 360 270V480H0Z"/>
<path fill="#6b3d2c" d="M0 372C36 356 82 352 128 342 150 337 162 328 176 326L186 146H184V138H190V116
C190 100 230 100 230 116V138H236V146H234L246 326C272 330 306 348 360 344V480H0Z"/>
<path fill="#f0d9a8" d="M198 116H222V136H198Z"/>
<path fill="#f0d9a8" d="M203 196H213V214H203ZM204 252H216V272H204Z"/>
<path fill="#3b241d" d="M0 430C30 410 58 426 92 418 110 398 132 404 146 424
190 436 214 420 244 430 268 400 296 404 312 424 330 420 346 426 360 418V480H0Z"/>
</svg>
"""


if __name__ == "__main__":
    cv2.imwrite(str(FOLDER / "lantern.jpg"), lantern()[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 88])
    walnut = board_photo("walnut", 860, 204, WALNUT_CORNERS, 5, ((640, 60, 13),))
    cherry = board_photo("cherry", 790, 180, CHERRY_CORNERS, 3, ((180, 130, 10), (560, 50, 8)))
    for name, photo in (("board-walnut", walnut), ("board-cherry", cherry)):
        cv2.imwrite(str(FOLDER / f"{name}.jpg"), photo[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 84])
    marks = {}
    for seed, (mark, (code, ring, knots)) in enumerate(FLAT.items(), 11):
        photo, shares = offcut_photo(code, ring, seed, [(x, y, r) for _, x, y, r in knots])
        cv2.imwrite(str(FOLDER / f"board-{mark.lower()}.jpg"), photo[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 80])
        marks[mark] = shares
    (FOLDER / "boards.json").write_text(json.dumps(marks), encoding="utf-8")
    (FOLDER / "lighthouse.svg").write_text(LIGHTHOUSE, encoding="utf-8")
