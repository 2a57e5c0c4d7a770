"""A plan with everything that was worked out for it, as bytes, and back: so that another process, or the next start,
need not work it out again. They hold for this very code and are only ever read back from where we wrote them."""

import hashlib
import io
import pickle
import zlib
from functools import cache
from pathlib import Path
from typing import Any

from .outline.coverage import Coverage

LEVEL = 1


@cache
def stamp() -> bytes:
    """What tells this code from any other."""
    told = hashlib.sha256()
    home = Path(__file__).parent
    for path in sorted([*home.rglob("*.py"), *home.glob("data/*.csv"), *home.glob("data/*.json")]):
        told.update(path.relative_to(home).as_posix().encode())
        told.update(path.read_bytes())
    return told.digest()


def _coverage(values: dict[str, Any]) -> Coverage:
    made = Coverage(values.pop("keys"), values.pop("outlines"))
    made.__dict__.update(values)
    return made


class _Packer(pickle.Pickler):
    def reducer_override(self, value: Any) -> Any:
        if type(value) is Coverage:
            # with all that was derived; what is handed to long work goes without
            return _coverage, ({name: kept for name, kept in value.__dict__.items() if name != "_lock"},)
        return NotImplemented


def packed(value: Any) -> bytes:
    """Raises `RuntimeError` where another thread adds to it meanwhile."""
    stream = io.BytesIO()
    _Packer(stream, pickle.HIGHEST_PROTOCOL).dump(value)
    return zlib.compress(stream.getvalue(), LEVEL)


def unpacked(data: bytes) -> Any:
    return pickle.loads(zlib.decompress(data))  # noqa: S301  our own, told by its seal
