"""What the log teaches: how many minutes a shop takes for each minute that was estimated."""

from collections.abc import Iterable

PRIOR_MINUTES = 20.0
"""The estimate is trusted as if this many minutes had come out exactly: one slow first piece does not double a plan."""
LEAST, MOST = 0.25, 4.0
"""A shop that takes four times as long in the middle of its cuts has no use for these estimates: own assumption."""
FAR = 2.0
"""A cut that took this many times what cuts usually take here, or that part of it, counts as so many and no more: a
clock that was forgotten, or stopped at once, tells nothing of the saw."""


def ratio_from(pairs: Iterable[tuple[float, float]]) -> float:
    """Ratio from pairs of (minutes taken, minutes estimated before any correction); 1 with nothing logged.

    The middle of all ratios, each counted by its estimated minutes, says what is usual; what lies farther than `FAR`
    from it is drawn in to there (a Winsorized mean), so that no single entry moves the ratio by more than its own
    estimate allows.
    """
    known = [(actual / estimate, estimate) for actual, estimate in pairs if actual > 0 and estimate > 0]
    usual = _weighted_median([*known, (1.0, PRIOR_MINUTES)])
    taken = estimated = PRIOR_MINUTES
    for ratio, estimate in known:
        taken += min(max(ratio, usual / FAR), usual * FAR) * estimate
        estimated += estimate
    return min(max(taken / estimated, LEAST), MOST)


def _weighted_median(values: list[tuple[float, float]]) -> float:
    """The value at which half of all weight is reached; pairs of (value, weight)."""
    half, reached = sum(weight for _, weight in values) / 2, 0.0
    for value, weight in sorted(values):
        reached += weight
        if reached >= half:
            return value
    return 1.0
