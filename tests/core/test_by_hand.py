"""Strokes made by hand on the pieces that were found: what they part, join, move and keep, checked by areas."""

import json
import math

import cv2
import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.bench.cards import cards
from emberquilt.cli import main
from emberquilt.drawing.dxf import pattern_dxf
from emberquilt.drawing.svg import pattern_svg
from emberquilt.errors import BadChoice
from emberquilt.formats.project import Project, read_project, write_project
from emberquilt.intake.by_hand import MOST_STROKES, Stroke, after, by_hand, strokes_of
from emberquilt.intake.knobs import Size
from emberquilt.intake.propose import propose
from emberquilt.outline.details import HOWS
from emberquilt.pattern.fresh import composition_of
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.work.change import applied
from emberquilt.work.parts import job_of
from emberquilt.work.verbs import edit
from tests.core.test_intake_svg import svg

WINDOW = svg(
    '<g fill="none" stroke="#000" stroke-width=".6"><rect x="0" y="0" width="100" height="80"/>'
    '<path d="M50 0V80M0 40H100"/><path d="M70 10V30"/></g>'
)
"""Four panes; in the upper right one a line that parts nothing, 20 long."""


@pytest.fixture(scope="module")
def window():
    return propose(WINDOW, Size("width", 100.0))


def share(proposal, *places):
    """Places in mm of the sheet as shares of the source."""
    x, y, width, height = proposal.source_box_mm
    return tuple(((u - x) / width, (v - y) / height) for u, v in places)


def areas(proposal):
    return sorted(round(a) for a in proposal.coverage.area_mm2.values())


def stroke(proposal, do, *places, how=""):
    return Stroke(do, share(proposal, *places), how)


def test_the_window_is_what_it_says(window):
    assert areas(window) == [2000] * 4
    (detail,) = window.lines
    assert detail.geometry.length == pytest.approx(20, abs=1.5)
    assert detail.how == "burnt"


def test_a_line_from_border_to_border_parts_a_piece(window):
    made = by_hand(window, [stroke(window, "line", (0, 10), (50, 10))])
    assert areas(made) == [500, 1500, 2000, 2000, 2000]
    assert made.is_valid
    assert list(made.coverage.keys) == [1, 2, 3, 4, 5]


def test_an_open_end_is_drawn_on_and_the_line_before_it_parts_as_well(window):
    """Both ends of the lone line drawn on to the borders: it parts the pane in two."""
    up = stroke(window, "line", (70, 30), (70, 40))
    made = by_hand(window, [up])
    # its other end runs on by itself, straight to the border
    assert areas(made) == pytest.approx([800, 1200, 2000, 2000, 2000], abs=5)
    assert made.lines == ()


def test_what_a_stroke_crosses_is_joined(window):
    made = by_hand(window, [stroke(window, "join", (20, 20), (20, 60))])
    assert areas(made) == [2000, 2000, 4000]
    assert made.is_valid


def test_a_seam_takes_the_place_that_is_drawn(window):
    made = by_hand(window, [stroke(window, "move", (0, 45), (50, 45))])
    assert areas(made) == [1750, 2000, 2000, 2250]


def test_a_line_is_made_a_detail_otherwise_or_gone(window):
    sawn = by_hand(window, [stroke(window, "detail", (70, 20), how="sawn")])
    assert [d.how for d in sawn.lines] == ["sawn"]
    assert areas(sawn) == areas(window)
    assert by_hand(window, [stroke(window, "detail", (70, 20), how="gone")]).lines == ()


def test_a_seam_can_be_kept_as_a_detail(window):
    made = by_hand(window, [stroke(window, "detail", (25, 40), how="painted")])
    assert areas(made) == [2000, 2000, 4000]
    (painted,) = [d for d in made.lines if d.how == "painted"]
    assert painted.geometry.length == pytest.approx(50, abs=0.5)


def test_a_detail_is_drawn(window):
    made = by_hand(window, [stroke(window, "detail", (10, 10), (30, 20), how="burnt")])
    assert len(made.lines) == 2
    assert made.lines[1].geometry.length == pytest.approx(math.hypot(20, 10), abs=0.1)


@pytest.mark.parametrize(
    ("do", "places", "words"),
    [
        ("line", [(10, 10)], "too short"),
        ("join", [(10, 10), (20, 10)], "Draw across"),
        ("move", [(10, 10)], "whole length"),
        ("move", [(-9, -9), (-9, 5)], "No seam"),
        ("detail", [(10, 10)], "no line here"),
    ],
)
def test_what_does_nothing_says_so(window, do, places, words):
    with pytest.raises(BadChoice, match=words):
        after(window, stroke(window, do, *places))


def test_strokes_that_fit_no_more_are_told_and_the_others_made(window):
    gone = stroke(window, "detail", (70, 20), how="gone")
    made = by_hand(window, [gone, gone, stroke(window, "join", (20, 20), (20, 60))])
    assert areas(made) == [2000, 2000, 4000]
    (told,) = [f for f in made.findings if f.code == "by-hand"]
    assert told.amount == 1


@pytest.mark.parametrize(
    "bad",
    [
        "[",
        "7",
        "[1]",
        '[{"do": "line"}]',
        '[{"do": "fly", "points": [[0, 0]]}]',
        '[{"do": "line", "points": [["a", 0]]}]',
        '[{"do": "line", "points": [[9, 9]]}]',
        '[{"do": "line", "points": []}]',
        '[{"do": "detail", "points": [[0, 0]], "how": "carved"}]',
        json.dumps([{"do": "line", "points": [[0, 0], [1, 1]]}] * (MOST_STROKES + 1)),
    ],
)
def test_strokes_that_cannot_be_read(bad):
    with pytest.raises(BadChoice):
        strokes_of(bad)


SHARES = st.floats(-0.1, 1.1)
STROKES = st.lists(
    st.builds(
        Stroke,
        st.sampled_from(["line", "join", "move", "detail"]),
        st.lists(st.tuples(SHARES, SHARES), min_size=1, max_size=5).map(tuple),
        st.sampled_from(["", "gone", *HOWS]),
    ),
    max_size=6,
)


@settings(max_examples=30)
@given(strokes=STROKES)
def test_any_strokes_leave_a_coverage_of_the_same_sheet(window, strokes):
    made = by_hand(window, strokes)
    assert made.is_valid
    assert made.coverage.sheet_area_mm2 == pytest.approx(window.coverage.sheet_area_mm2, rel=1e-6)
    assert set(made.colours) <= set(made.coverage.keys)


def test_the_command_makes_strokes_before_it_simplifies(tmp_path, capsys):
    drawing, strokes = tmp_path / "window.svg", tmp_path / "strokes.json"
    drawing.write_bytes(WINDOW)
    strokes.write_text(json.dumps([{"do": "join", "points": [[0.2, 0.25], [0.2, 0.75]]}]))
    assert main(["pieces", str(drawing), "--width", "100mm", "--by-hand", str(strokes)]) == 0
    told = json.loads(capsys.readouterr().out)
    assert len(told["pieces"]) == 3
    assert told["lines_how"] == ["burnt"]
    strokes.write_text("[{")
    assert main(["pieces", str(drawing), "--width", "100mm", "--by-hand", str(strokes)]) == 2
    assert "Draw it again." in capsys.readouterr().err


@pytest.fixture(scope="module")
def kept(window):
    return composition_of(window, "Window", Practice())


def test_details_are_kept_in_the_work_its_file_and_its_patterns(kept):
    (detail,) = kept.decisions.pattern.details
    project = read_project(write_project(Project(kept, "2026-11-26T10:00:00+00:00", (), "", b"")))
    assert project.composition.decisions.pattern.details == (detail,)
    assert b'data-how="burnt"' in pattern_svg(job_of(kept))
    assert b"DETAILS_BURNT" in pattern_dxf(job_of(kept))


def test_details_go_with_the_picture_when_it_is_scaled_and_mirrored(kept):
    twice = applied(kept, edit(kept, "resize", [], {"width": "200 mm"}))
    (large,) = twice.decisions.pattern.details
    assert large.geometry.length == pytest.approx(2 * kept.decisions.pattern.details[0].geometry.length, rel=1e-3)
    mirrored = applied(kept, edit(kept, "mirror", [], {}))
    xs = {round(x) for x, _ in mirrored.decisions.pattern.details[0].line}
    assert xs == {30}


def test_a_detail_is_drawn_and_made_otherwise_at_pattern(kept):
    drawn = applied(kept, edit(kept, "detail", [], {"points": "[[10, 50], [40, 50]]", "how": "sawn"}))
    assert [d.how for d in drawn.decisions.pattern.details] == ["burnt", "sawn"]
    place = {"points": "[[25, 50], [25, 50]]"}
    gone = drawn
    for how in ("vein", "textured", None):
        assert len(gone.decisions.pattern.details) == 2
        gone = applied(gone, edit(gone, "redetail", [], place))
        assert [d.how for d in gone.decisions.pattern.details[1:]] == ([how] if how else [])
    assert len(gone.decisions.pattern.details) == 1
    for how in ("painted", "sawn"):
        kept = applied(kept, edit(kept, "redetail", [], {"points": "[[70, 20], [70, 20]]"}))
        assert kept.decisions.pattern.details[0].how == how
    with pytest.raises(BadChoice, match="no line"):
        edit(kept, "redetail", [], place)
    with pytest.raises(BadChoice, match="too short"):
        edit(kept, "detail", [], {"points": "[[10, 50], [10, 50]]"})
    with pytest.raises(BadChoice, match="burnt, painted, sawn, a vein"):
        edit(kept, "detail", [], {"points": "[[10, 50], [40, 50]]", "how": "carved"})


def told_on(composition):
    plan = Plan(composition)
    return cards(plan.job, plan.steps, plan.saw, plan.glue)


def test_the_cards_say_what_is_burnt_and_what_is_sawn(kept):
    kept = applied(kept, edit(kept, "wood", [p.key for p in kept.pieces()], {"wood": "cherry"}))
    shape = [c for c in told_on(kept) if c.verb == "Shape"]
    told = [c.title for c in shape if any("to burn on it" in line for line in c.lines)]
    assert len(told) == 1
    sawn = applied(kept, edit(kept, "detail", [], {"points": "[[10, 50], [40, 50]]", "how": "sawn"}))
    saw = [c for c in told_on(sawn) if c.verb == "Saw"]
    assert sum(any("without freeing anything" in line for line in c.lines) for c in saw) == 1


def test_a_picture_of_lines_takes_strokes_too():
    picture = np.full((400, 600), 255, np.uint8)
    cv2.rectangle(picture, (20, 20), (580, 380), 0, 5)
    cv2.line(picture, (300, 20), (300, 250), 0, 3)
    found = propose(cv2.imencode(".png", picture)[1].tobytes(), Size("width", 280.0))
    assert len(found.coverage) == 1
    (end,) = [(x, y) for what, x, y in found.traces if what == "lost"]
    _, _, right, bottom = found.coverage.bounds_mm
    made = by_hand(found, [stroke(found, "line", end, (end[0], bottom))])
    left, other = (shapely.bounds(o) for o in made.coverage.outlines)
    assert left[2] == pytest.approx(right / 2, abs=1)
    assert other[0] == pytest.approx(right / 2, abs=1)
