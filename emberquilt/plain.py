"""Plain values out of JSON that somebody else wrote: no number that is none, no nesting without end, no hidden
signs."""

import json
import math
import re
from collections.abc import Iterator
from typing import Any

from .errors import BadChoice

HIDDEN = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ud800-\udfff\ufffe\uffff]")
"""Signs that no XML, and so no SVG, may hold, and halves of signs that no file can hold."""


def read_json(text: str) -> Any:
    """What the JSON text says. Raises `ValueError` for what is no JSON, and for NaN, infinities and numbers too
    large."""

    def refuse(word: str):
        raise ValueError(f"{word} is no number")

    def finite(digits: str) -> float:
        number = float(digits)
        return number if math.isfinite(number) else refuse(digits[:20])

    try:
        return json.loads(text, parse_constant=refuse, parse_float=finite)
    except RecursionError:
        raise ValueError("nested too deeply") from None


def read_marks(text: str, sentence: str) -> Any:
    """JSON that a page sent of what was marked or drawn. Raises `BadChoice` with this sentence."""
    try:
        return read_json(text)
    except ValueError:
        raise BadChoice(sentence) from None


def texts(value: Any, leave: frozenset[str] = frozenset()) -> Iterator[str]:
    """Every text in plain values, names of fields too; what stands under the names in `leave` is passed over."""
    waiting = [value]
    while waiting:
        now = waiting.pop()
        if isinstance(now, str):
            yield now
        elif isinstance(now, dict):
            yield from now
            waiting += [inner for name, inner in now.items() if name not in leave]
        elif isinstance(now, list):
            waiting += now
