"""Progress of long work: told now and then, and the moment at which a stop or a later try is noticed."""

import time
from collections.abc import Callable

from emberquilt.errors import Cancelled

EVERY_SECONDS = 0.15


def telling(tell: Callable[..., bool]) -> Callable[..., None]:
    """What long work calls as it goes on, with its share and words. `tell` writes that and says whether the work is
    still wanted; where it is not, `Cancelled` ends it."""
    told, said = 0.0, ""

    def progress(share: float, words: str = "") -> None:
        nonlocal told, said
        # the first word of a new part is told at once: that part may be the long one
        if time.monotonic() - told < EVERY_SECONDS and words == said:
            return
        told, said = time.monotonic(), words
        if not tell(share, words):
            raise Cancelled("Stopped.")

    return progress
