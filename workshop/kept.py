"""A few recent values, kept in the process."""

from collections import OrderedDict
from collections.abc import Callable
from threading import Lock
from typing import Any


class Kept:
    """A few recent values by key, oldest forgotten first. Values are immutable, so sharing them is safe. Where they are
    weighed, all together weigh no more than `heaviest`, but the last one is kept whatever it weighs."""

    def __init__(self, most: int, weigh: Callable[[Any], int] | None = None, heaviest: int = 0):
        self._values: OrderedDict = OrderedDict()
        self._most, self._weigh, self._heaviest = most, weigh, heaviest
        self._weights: dict = {}
        self._lock = Lock()

    def get(self, key, make):
        known = self.known(key)
        if known is None:
            made = make()
            # whoever was sooner meanwhile: all are to work with one
            known = self.known(key)
        return self.keep(key, made) if known is None else known

    def known(self, key):
        """None where it is not kept."""
        with self._lock:
            if key not in self._values:
                return None
            self._values.move_to_end(key)
            return self._values[key]

    def key_of(self, value):
        """The key of this very value; None where it is not kept."""
        with self._lock:
            return next((key for key, kept in self._values.items() if kept is value), None)

    def keep(self, key, value):
        with self._lock:
            self._values[key] = value
            self._values.move_to_end(key)
            if self._weigh is not None:
                self._weights[key] = self._weigh(value)
            while len(self._values) > self._most or (len(self._values) > 1 and self._too_heavy()):
                gone, _ = self._values.popitem(last=False)
                self._weights.pop(gone, None)
        return value

    def _too_heavy(self) -> bool:
        return sum(self._weights.values()) > self._heaviest
