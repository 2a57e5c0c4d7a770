"""The journal: every edit with its values before and after, in few bytes.

Values of many pieces are grouped: {"wood": [["walnut", "1-40,44"]]} says that these keys have this value.
"""

from collections.abc import Iterable
from typing import Any

Changes = dict[int, dict[str, Any]]


def pack(changes: Changes) -> dict[str, list]:
    grouped: dict[str, dict] = {}
    for key in sorted(changes):
        for name, value in changes[key].items():
            grouped.setdefault(name, {}).setdefault(value, []).append(key)
    return {name: [[value, runs(keys)] for value, keys in values.items()] for name, values in grouped.items()}


def unpack(packed: dict[str, list]) -> Changes:
    changes: Changes = {}
    for name, values in packed.items():
        for value, text in values:
            for key in keys_in(text):
                changes.setdefault(key, {})[name] = value
    return changes


def runs(keys: Iterable[int]) -> str:
    """``1-3,7`` for 1, 2, 3 and 7."""
    spans: list[list[int]] = []
    for key in sorted(keys):
        if spans and key == spans[-1][1] + 1:
            spans[-1][1] = key
        else:
            spans.append([key, key])
    return ",".join(str(a) if a == b else f"{a}-{b}" for a, b in spans)


MOST_KEYS = 50_000


def keys_in(text: str) -> list[int]:
    """Keys in ``1-3,7``. Raises `ValueError` for anything else."""
    keys: list[int] = []
    for item in filter(None, text.replace(" ", "").split(",")):
        first, dash, last = item.partition("-")
        low, high = int(first), int(last if dash else first)
        if not 0 <= low <= high or high - low > MOST_KEYS or len(keys) > MOST_KEYS:
            raise ValueError("no run of keys")
        keys.extend(range(low, high + 1))
    return keys
