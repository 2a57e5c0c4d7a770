"""Tools of the benchmark suite: medians of several runs, ratios within one run, growth over sizes. Nothing here passes
or fails by time; figures are printed beside their targets."""

import statistics
import time

import pytest

from tests.browser.conftest import chromium  # noqa: F401  one browser for all that need it
from tests.conftest import cells, composition

LINES: list[str] = []
GROWTH: dict[str, dict[float, float]] = {}
"""Measured values by size, for what was measured at several."""


def median_ms(act, runs: int = 7, warm: int = 1) -> float:
    """Median wall time of `act` in milliseconds, after `warm` runs that do not count."""
    for _ in range(warm):
        act()
    times = []
    for _ in range(runs):
        begin = time.perf_counter()
        act()
        times.append((time.perf_counter() - begin) * 1000)
    return statistics.median(times)


def tell(what: str, figure: str, target: str = "", grows: tuple[str, float, float] | None = None) -> None:
    """One line of the report. `grows`: what is compared over sizes, the size, the value."""
    LINES.append(f"{what:<58} {figure:>22}   {target}")
    if grows:
        GROWTH.setdefault(grows[0], {})[grows[1]] = grows[2]


def pace_ms() -> float:
    """A fixed piece of work in plain Python: by its time, runs on different machines and days can be compared."""
    return median_ms(lambda: sum(i * i for i in range(1_000_000)))


def pytest_terminal_summary(terminalreporter):
    if LINES:
        terminalreporter.section("measured (medians on this machine)")
        for line in LINES:
            terminalreporter.write_line(line)
        pace = pace_ms()
        terminalreporter.section(f"growth over sizes, and times as multiples of a fixed job ({pace:.0f} ms here)")
        for what, values in GROWTH.items():
            sizes = sorted(values)
            steps = ", ".join(
                f"{small:g} to {large:g}: x{values[large] / values[small]:.2f} for x{large / small:.1f} the size"
                for small, large in zip(sizes, sizes[1:], strict=False)
            )
            terminalreporter.write_line(f"{what:<34} {values[sizes[0]] / pace:6.2f} jobs at {sizes[0]:g}; {steps}")


@pytest.fixture
def work(db, request):
    """A composition of about `request.param` pieces, woods given, as the person at this computer owns it."""
    from workshop.compositions import actions
    from workshop.entry.person import local_person

    names = ("walnut", "holly", "padauk", "maple", "cherry", "blue_pine")
    coverage = cells(request.param, 1, 900, 600)
    woods = {key: names[key % len(names)] for key in coverage.keys}
    return actions.create(local_person(), composition(coverage, woods))
