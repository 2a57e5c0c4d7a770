"""Parts laid on boards and in strips: time, density beside a general packing engine, growth over sizes."""

import resource

import pytest
import shapely
import spyrrow

from bench.conftest import median_ms, tell
from emberquilt.layout.boards import Task, boards_layout
from emberquilt.layout.bound import boards_bound, strip_bound
from emberquilt.layout.effort import Effort
from emberquilt.layout.strip import strip_layout
from emberquilt.layout.task import Face, Gaps, Item
from tests.core.test_layout import drawn, items_of, rack

HIGH, GAP = 203.2, 3.0
THEIRS_SECONDS, OURS_SECONDS = 60, 20


@pytest.mark.parametrize("count", [40, 120, 300])
def test_strip_beside_a_packing_engine(count):
    """spyrrow (MIT), all cores, a minute; ours in a third of it, of the same parts, 0 or 180 degrees, 3 mm apart."""
    outlines = drawn(count)
    parts = [
        spyrrow.Item(str(i), [tuple(c) for c in p.exterior.coords], demand=1, allowed_orientations=[0, 180])
        for i, p in enumerate(outlines)
    ]
    task = spyrrow.StripPackingInstance("yardstick", strip_height=HIGH, items=parts)
    setting = spyrrow.StripPackingConfig(
        early_termination=False, total_computation_time=THEIRS_SECONDS, min_items_separation=GAP, seed=1
    )
    area = sum(p.area for p in outlines)
    theirs = area / (HIGH * task.solve(setting).width)
    items = items_of(outlines)
    ours = strip_layout(items, HIGH, GAP, Effort(OURS_SECONDS), seed=0).density
    bound = strip_bound(items, HIGH, GAP)
    tell(
        f"strip of {count}: density beside {theirs:.3f}, bound {bound:.3f}",
        f"{ours:.3f}, x{ours / theirs:.3f}",
        "target x0.95 (stretch 1.00)",
    )


@pytest.mark.parametrize(("count", "target"), [(40, ""), (120, "target <= 2 s"), (300, "target <= 4 s")])
def test_first_layout_on_boards_with_knots(count, target):
    faces, gaps = tuple(rack()), Gaps(GAP, 2.0)
    items = items_of(drawn(count))
    task = Task(tuple(items), faces, gaps)
    ms = median_ms(lambda: boards_layout(task, Effort(0.0)), 3, 0)
    made = boards_layout(task, Effort(0.0))
    used = sum(face.region.area for face in faces if face.key in made.by_face)
    bound = boards_bound(items, faces, gaps)
    tell(
        f"first layout of {count} on 9 off-cuts and 5 boards",
        f"{ms / 1000:.2f} s, {made.area_mm2 / used:.2f} of {bound:.2f}",
        target,
        ("first layout", count, ms),
    )


def test_a_batch_of_a_thousand():
    kinds = items_of(drawn(50, 3, 300.0, 200.0))
    items = tuple(Item(f"{i.key}/{c}", i.outline, i.about, i.turns) for c in range(20) for i in kinds)
    faces = tuple(Face(f"S{k:02}", shapely.box(0, 0, 1200, 200), rank=(1, k)) for k in range(12))
    task = Task(items, faces, Gaps(GAP, 2.0))
    ms = median_ms(lambda: boards_layout(task, Effort(0.0)), 1, 0)
    tell("first layout of 1,000 parts, twenty copies of 50", f"{ms / 1000:.1f} s", "target <= 20 s")
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    tell("memory of all that, with the suite", f"{peak:.0f} MB", "target < 500 MB")
