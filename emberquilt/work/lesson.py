"""What went wrong more than once in a shop."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Lesson:
    """Parts of a wood within a band of thickness that broke while a verb was done to them: how often, of how many, and
    how it happened most."""

    wood: str
    band: str
    verb: str
    times: int
    of: int
    why: str
