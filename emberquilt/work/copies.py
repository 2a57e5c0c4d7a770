"""Making the same thing several times: set-up is paid once, and what is done again goes faster."""

from collections.abc import Iterable

from ..practice import Practice


def repeated_minutes(practice: Practice, one: float, copies: int, setup: float = 0.0) -> float:
    """Minutes for all copies of what takes `one` the first time, of which `setup` is not paid again."""
    return one + (copies - 1) * practice.repeat_share * (one - setup)


def in_copies(keys: Iterable[str], copies: int) -> tuple[str, ...]:
    """Parts of every copy, each part's copies one after the other."""
    return tuple(key if number == 1 else f"{key}/{number}" for key in keys for number in range(1, copies + 1))


def of_copy(keys: Iterable[str], number: int) -> tuple[str, ...]:
    """These parts of one copy."""
    return tuple(keys) if number == 1 else tuple(f"{key}/{number}" for key in keys)


def any_copy(key: str) -> str:
    """What a part is called in every copy."""
    return key.partition("/")[0]


def copy_of(key: str) -> int:
    """The number of the copy that a part is of."""
    number = key.partition("/")[2]
    return int(number) if number.isdecimal() else 1


def among(number: int, copies: int) -> str:
    """Which of the copies, as it stands after what is done to it; nothing where there is but one."""
    return f", copy {number} of {copies}" if copies > 1 else ""
