"""Figures of tools/figures, shortened: processes are killed in the middle of saves and long tasks; several people work
at once."""

import importlib.util
from pathlib import Path

import pytest

from tests.served import needs_proc

FIGURES = Path(__file__).parents[2] / "tools" / "figures"

pytestmark = pytest.mark.sqlite


def figure(name: str):
    """A program of the figures."""
    import sys

    told = importlib.util.spec_from_file_location(f"figures_{name}", FIGURES / f"{name}.py")
    made = importlib.util.module_from_spec(told)
    # where dataclasses look for their module
    sys.modules[told.name] = made
    told.loader.exec_module(made)
    return made


@needs_proc
def test_nothing_is_lost_half_written_or_left_working(tmp_path):
    told = figure("kill").killed(tmp_path / "home", 4, 1, writers=2)
    assert told.kills == 4
    assert told.saves >= 12
    assert told.lost == []
    assert told.half_written == []
    assert told.left_working == []
    assert told.killed_tasks >= 1


@needs_proc
def test_several_people_work_at_once_without_an_error(tmp_path):
    told = figure("load").loaded(tmp_path / "home", 4, 3, 12.0)
    assert {"enter", "shelf", "station"} <= {one.what for one in told.answers}
    assert len(told.answers) >= 40
    assert told.errors == []
    assert told.most_mb <= 1000
