"""A picture file, safely decoded to grey. Its size is judged from the header, before a pixel is unpacked."""

import io
import warnings
from dataclasses import dataclass

import cv2
import numpy as np
import pi_heif
from PIL import Image, ImageOps

from ..constants import MM_PER_INCH
from ..errors import BadDrawing
from ..limits import is_out_of_memory

MOST_PIXELS = 40_000_000
MOST_BYTES = 60_000_000
LEAST_SIDE = 24
LONGEST_SHARE = 40
"""No picture is longer than so many times its width."""
FORMATS = ("PNG", "JPEG", "WEBP", "GIF", "BMP", "TIFF", "AVIF", "HEIF")
BEGINNINGS = (b"\x89PNG", b"\xff\xd8\xff", b"GIF8", b"BM", b"II*\x00", b"MM\x00*")
BRANDS = (b"avif", b"avis", b"heic", b"heix", b"hevc", b"mif1", b"msf1")
"""Of AVIF and HEIF files, after `ftyp`."""
SHOWN = {b"\x89PNG": "image/png", b"\xff\xd8": "image/jpeg", b"RIFF": "image/webp"}
PALE = 200
"""What is drawn on a clear ground is drawn on dark paper when its mean is lighter than this."""

pi_heif.register_heif_opener()


@dataclass(frozen=True)
class Picture:
    """`grey` uint8 (rows, columns); `rgb` uint8 (rows, columns, 3) where the file has colour; `pixel_mm` by its own
    account."""

    grey: np.ndarray
    rgb: np.ndarray | None
    pixel_mm: float | None = None

    @property
    def in_colour(self) -> np.ndarray:
        """uint8 RGB, of a grey picture in greys."""
        return np.dstack([self.grey] * 3) if self.rgb is None else self.rgb

    def no_larger(self, most_side: int) -> "Picture":
        """Reduced, see `reduced`."""
        grey, shrink = reduced(self.grey, most_side)
        rgb = None if self.rgb is None else reduced(self.rgb, most_side)[0]
        return Picture(grey, rgb, None if self.pixel_mm is None else self.pixel_mm / shrink)


def is_picture(data: bytes) -> bool:
    """By its first bytes."""
    if data[:4] == b"RIFF":
        return data[8:12] == b"WEBP"
    return data.startswith(BEGINNINGS) or (data[4:8] == b"ftyp" and data[8:12] in BRANDS)


def shown_by_browsers(data: bytes) -> str:
    """The media type of a picture that a page can show as it is; empty for others."""
    return next((told for start, told in SHOWN.items() if data.startswith(start)), "")


def picture_of(rgb: np.ndarray, pixel_mm: float | None) -> Picture:
    return Picture(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY), rgb, pixel_mm)


def read_picture(data: bytes) -> Picture:
    """A picture file, its first frame or page, upright by its EXIF mark, on white paper; on black where it is light on
    a clear ground. Raises `BadDrawing`."""
    if len(data) > MOST_BYTES:
        raise BadDrawing(f"This file is {len(data) / 1e6:.0f} MB; up to {MOST_BYTES / 1e6:.0f} MB can be read.")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)
            image = Image.open(io.BytesIO(data), formats=FORMATS)
    except Image.DecompressionBombError:
        raise BadDrawing(
            f"This picture has hundreds of megapixels or more; up to {MOST_PIXELS / 1e6:.0f} can be read. "
            "Make it smaller and bring it again."
        ) from None
    except Exception as problem:
        # each decoder has its own words for what is damaged, here and below
        if is_out_of_memory(problem):
            raise
        raise BadDrawing(
            "This is no picture that can be read. Bring a PNG, JPEG, WebP, GIF, BMP, TIFF, AVIF or HEIC file."
        ) from None
    width, height = image.size
    if width * height > MOST_PIXELS:
        raise BadDrawing(
            f"This picture has {width * height / 1e6:.0f} megapixels; up to {MOST_PIXELS / 1e6:.0f} can be read. "
            "Make it smaller and bring it again."
        )
    if min(width, height) < LEAST_SIDE:
        raise BadDrawing(f"This picture is {width} × {height} pixels: too small to hold a pattern.")
    if max(width, height) > LONGEST_SHARE * min(width, height):
        raise BadDrawing(
            f"This picture is {width:,} × {height:,} pixels, a strip and no picture. Cut out the part that is meant."
        )
    try:
        return Picture(*_unpacked(ImageOps.exif_transpose(image)), _pixel_mm(image))
    except Exception as problem:
        if is_out_of_memory(problem):
            raise
        raise BadDrawing("This picture is damaged and cannot be unpacked.") from problem


def _unpacked(image: Image.Image) -> tuple[np.ndarray, np.ndarray | None]:
    if image.mode.startswith("I"):
        deep = np.asarray(image, dtype=np.float32)
        full = 65535.0 if deep.max() > 255 else 255.0
        return (deep / full * 255).astype(np.uint8), None
    if image.mode in ("RGBA", "LA", "PA") or "transparency" in image.info:
        image = image.convert("RGBA")
        grey, clear = np.asarray(image.convert("LA")).transpose(2, 0, 1)
        pale = bool((clear < 128).any() and (clear > 128).any() and grey[clear > 128].mean() > PALE)
        image = Image.alpha_composite(Image.new("RGBA", image.size, "black" if pale else "white"), image)
    coloured = image.mode not in ("1", "L")
    return np.asarray(image.convert("L")), np.asarray(image.convert("RGB")) if coloured else None


def _pixel_mm(image: Image.Image) -> float | None:
    """What a pixel measures, where the file says so and can be believed."""
    try:
        across = float(image.info.get("dpi", (0, 0))[0])
    except (TypeError, ValueError, ZeroDivisionError):
        return None
    return MM_PER_INCH / across if 10 <= across <= 4800 else None


def reduced(pixels: np.ndarray, most_side: int) -> tuple[np.ndarray, float]:
    """The picture no larger than this along its longer side, and by how much it was reduced."""
    shrink = most_side / max(pixels.shape[:2])
    if shrink >= 1:
        return pixels, 1.0
    size = (round(pixels.shape[1] * shrink), round(pixels.shape[0] * shrink))
    return cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), size[0] / pixels.shape[1]


def as_png(rgb: np.ndarray) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(rgb).save(buffer, "PNG", compress_level=1)
    return buffer.getvalue()
