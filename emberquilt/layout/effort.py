"""How much may be tried: counted, so that the same seed gives the same plan on any machine that keeps up."""

import time
from collections.abc import Callable

CELLS_PER_SECOND = 85e6
"""Cells a search gets through in a second: own measurement on two cores."""
SLOWEST = 2.0
"""A machine that takes longer than this times what was asked for is cut short by the clock."""


class Effort:
    """`seconds` of searching, in counted work. `watch` is told the share that is spent, and may raise to end it."""

    def __init__(self, seconds: float, watch: Callable[[float], None] | None = None):
        self.seconds, self.watch = seconds, watch
        self.spent = 0.0
        self._end = time.monotonic() + SLOWEST * seconds
        self._told = 0.0

    @property
    def done(self) -> bool:
        return self.spent >= self.seconds or time.monotonic() > self._end

    def cells(self, count: float) -> None:
        self.spend(count / CELLS_PER_SECOND)

    def spend(self, seconds: float) -> None:
        self.spent += seconds
        if self.watch is not None and self.spent - self._told > 0.25:
            self._told = self.spent
            self.watch(min(1.0, self.spent / self.seconds) if self.seconds else 1.0)

    def share(self, share: float) -> "Effort":
        """A part of it, at most; what it spends counts here."""
        return _Share(self, share * self.seconds)


class _Share(Effort):
    def __init__(self, whole: Effort, seconds: float):
        super().__init__(seconds)
        self.whole = whole

    @property
    def done(self) -> bool:
        return self.spent >= self.seconds or self.whole.done

    def spend(self, seconds: float) -> None:
        self.spent += seconds
        self.whole.spend(seconds)
