"""A picture file, safely decoded to grey. Its size is judged from the header, before a pixel is unpacked."""

import io
import warnings

import numpy as np
from PIL import Image, ImageOps, UnidentifiedImageError

from ..errors import BadDrawing

MOST_PIXELS = 40_000_000
MOST_BYTES = 60_000_000
LEAST_SIDE = 24
FORMATS = ("PNG", "JPEG", "WEBP")


def read_picture(data: bytes) -> tuple[np.ndarray, np.ndarray | None]:
    """Grey values, uint8, shape (rows, columns), and the same in colour, (rows, columns, 3), where the file has any.

    Upright by its EXIF mark, on white. Raises `BadDrawing`.
    """
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
    except (UnidentifiedImageError, OSError, ValueError):
        raise BadDrawing("This is no picture that can be read. Bring an SVG, PNG, JPEG or WebP file.") from None
    width, height = image.size
    if width * height > MOST_PIXELS:
        raise BadDrawing(
            f"This picture has {width * height / 1e6:.0f} megapixels; up to {MOST_PIXELS / 1e6:.0f} can be read. "
            "Make it smaller and bring it again."
        )
    if min(width, height) < LEAST_SIDE:
        raise BadDrawing(f"This picture is {width} × {height} pixels: too small to hold a pattern.")
    try:
        return _unpacked(ImageOps.exif_transpose(image))
    except (OSError, ValueError, SyntaxError, MemoryError) as problem:
        raise BadDrawing("This picture is damaged and cannot be unpacked.") from problem


def _unpacked(image: Image.Image) -> tuple[np.ndarray, np.ndarray | None]:
    if image.mode.startswith("I"):
        deep = np.asarray(image, dtype=np.float32)
        return (deep / max(float(deep.max()), 1.0) * 255).astype(np.uint8), None
    if image.mode in ("RGBA", "LA", "PA") or "transparency" in image.info:
        image = image.convert("RGBA")
        image = Image.alpha_composite(Image.new("RGBA", image.size, "white"), image)
    coloured = image.mode not in ("1", "L")
    return np.asarray(image.convert("L")), np.asarray(image.convert("RGB")) if coloured else None
