"""What is worked out when it is first asked for, and kept."""

from collections.abc import Callable
from typing import Any, Generic, Self, TypeVar, overload

T = TypeVar("T")


class lazy(Generic[T]):  # noqa: N801  used as a property is
    """As `functools.cached_property`, but for its lock: until Python 3.12 that is one for all instances, so that a
    small work waited until a large one was worked out. Where two threads ask at once, both work and one result is kept.
    """

    def __init__(self, work: Callable[[Any], T]):
        self.work = work
        self.__doc__ = work.__doc__

    def __set_name__(self, owner: type, name: str) -> None:
        self.name = name

    @overload
    def __get__(self, instance: None, owner: type) -> Self: ...

    @overload
    def __get__(self, instance: object, owner: type | None = None) -> T: ...

    def __get__(self, instance: Any, owner: type | None = None) -> Self | T:
        return self if instance is None else self._of(instance)

    def _of(self, instance: Any) -> T:
        # what is kept there is found before this is asked again
        found: T = instance.__dict__.setdefault(self.name, self.work(instance))
        return found
