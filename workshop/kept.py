"""A few recent values, kept in the process."""

from collections import OrderedDict
from threading import Lock


class Kept:
    """A few recent values by key, oldest forgotten first. Values are immutable, so sharing them is safe."""

    def __init__(self, most: int):
        self._values: OrderedDict = OrderedDict()
        self._most = most
        self._lock = Lock()

    def get(self, key, make):
        known = self.known(key)
        return self.keep(key, make()) if known is None else known

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
            while len(self._values) > self._most:
                self._values.popitem(last=False)
        return value
