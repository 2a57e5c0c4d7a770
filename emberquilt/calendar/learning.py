"""What the log teaches: how many minutes a shop takes for each minute that was estimated."""

from collections.abc import Iterable

PRIOR_MINUTES = 20.0
"""The estimate is trusted as if this many minutes had come out exactly: one slow first piece does not double a plan."""
LEAST, MOST = 0.2, 8.0


def ratio_from(pairs: Iterable[tuple[float, float]]) -> float:
    """Ratio from pairs of (minutes taken, minutes estimated before any correction); 1 with nothing logged."""
    taken = estimated = PRIOR_MINUTES
    for actual, estimate in pairs:
        if actual > 0 and estimate > 0:
            taken += actual
            estimated += estimate
    return min(max(taken / estimated, LEAST), MOST)
