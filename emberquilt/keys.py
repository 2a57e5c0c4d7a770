"""Many piece keys in few letters: ``1-40,44``."""

from collections.abc import Iterable

MOST_KEYS = 50_000


def runs(keys: Iterable[int]) -> str:
    """``1-3,7`` for 1, 2, 3 and 7."""
    spans: list[list[int]] = []
    for key in sorted(keys):
        if spans and key == spans[-1][1] + 1:
            spans[-1][1] = key
        else:
            spans.append([key, key])
    return ",".join(str(a) if a == b else f"{a}-{b}" for a, b in spans)


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


def pairs_text(pairs: Iterable[tuple[int, int]]) -> str:
    """``1:2,5;3:4`` for the pairs 1-2, 1-5 and 3-4: short also where there are thousands."""
    by_first: dict[int, list[int]] = {}
    for first, second in pairs:
        by_first.setdefault(first, []).append(second)
    return ";".join(f"{first}:{runs(by_first[first])}" for first in sorted(by_first))


def pairs_in(text: str) -> list[tuple[int, int]]:
    """Pairs in ``1:2,5;3:4``. Raises `ValueError` for anything else."""
    pairs = []
    for item in filter(None, text.split(";")):
        first, _, rest = item.partition(":")
        pairs += [(int(first), second) for second in keys_in(rest)]
    return pairs
