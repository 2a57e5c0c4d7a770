"""Tools of the benchmark suite: medians of several runs, ratios within one run, growth over sizes. Nothing here passes or
fails by time; figures are printed beside their targets."""

import statistics
import time

import pytest

from tests.conftest import cells, composition

LINES: list[str] = []


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


def tell(what: str, figure: str, target: str = "") -> None:
    LINES.append(f"{what:<58} {figure:>22}   {target}")


def pytest_terminal_summary(terminalreporter):
    if LINES:
        terminalreporter.section("measured (medians on this machine)")
        for line in LINES:
            terminalreporter.write_line(line)


@pytest.fixture
def work(db, request):
    """A composition of about `request.param` pieces, woods given, as the person at this computer owns it."""
    from workshop.compositions import actions
    from workshop.entry.middleware import local_person

    names = ("walnut", "holly", "padauk", "maple", "cherry", "blue_pine")
    coverage = cells(request.param, 1, 900, 600)
    woods = {key: names[key % len(names)] for key in coverage.keys}
    return actions.create(local_person(), composition(coverage, woods))
