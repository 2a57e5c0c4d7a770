"""Cutting, joining and moving borders: judged by Shapely's own coverage check and by areas."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.errors import BadChoice
from emberquilt.outline import cut, knit, redraw
from emberquilt.outline.coverage import Coverage
from tests.conftest import cells, grid

WIDTH, HEIGHT = 300.0, 200.0


def after(coverage: Coverage, made: knit.Reshape) -> Coverage:
    top = max(coverage.keys) + 1
    born = {top + i: outline for i, (_, outline) in enumerate(made.born)}
    return coverage.replaced(made.changed | born, made.gone)


def same_sheet(before: Coverage, now: Coverage) -> None:
    assert now.is_valid
    assert now.sheet_area_mm2 == pytest.approx(before.sheet_area_mm2, rel=1e-9)
    # what was carried over is what would be worked out afresh
    fresh = Coverage(now.keys, now.outlines)
    assert {(s.a, s.b): round(s.length_mm, 6) for s in now.seams} == {
        (s.a, s.b): round(s.length_mm, 6) for s in fresh.seams
    }


points = st.tuples(st.floats(-20, WIDTH + 20), st.floats(-20, HEIGHT + 20))


@settings(max_examples=60)
@given(st.integers(3, 60), st.integers(0, 10_000), st.lists(points, min_size=2, max_size=7))
def test_a_cut_leaves_a_coverage_of_the_same_sheet(count, seed, line):
    coverage = cells(count, seed)
    _ = coverage.seams
    try:
        made = cut.split(coverage, [], np.array(line))
    except BadChoice:
        return
    now = after(coverage, made)
    same_sheet(coverage, now)
    assert len(now) == len(coverage) + len(made.born)


@settings(max_examples=30)
@given(st.integers(3, 40), st.integers(0, 10_000))
def test_a_cut_joined_again_is_the_piece_it_was(count, seed):
    coverage = cells(count, seed)
    key = max(coverage.keys, key=lambda k: coverage.area_mm2[k])
    middle = coverage.by_key[key].representative_point()
    made = cut.split(coverage, [key], np.array([[middle.x - 1, middle.y], [middle.x + 1, middle.y + 0.3]]))
    parted = after(coverage, made)
    same_sheet(coverage, parted)
    parts = [key, *range(max(coverage.keys) + 1, max(coverage.keys) + 1 + len(made.born))]
    back = after(parted, cut.join(parted, parts))
    same_sheet(coverage, back)
    one = back.by_key[next(iter(set(back.keys) & set(parts)))]
    # a point that the cut left on a slanted border lies on the grid, at most 0.001 mm beside it
    assert one.symmetric_difference(coverage.by_key[key]).area < 0.001 * one.length


@settings(max_examples=40)
@given(st.integers(4, 40), st.integers(0, 10_000), st.floats(-15, 15), st.floats(-15, 15))
def test_a_moved_junction_takes_its_seams_along(count, seed, dx, dy):
    coverage = cells(count, seed)
    seam = max(coverage.seams, key=lambda s: s.length_mm)
    x, y = shapely.get_coordinates(seam.line)[0]
    try:
        made = redraw.move_junction(coverage, (x, y), (x + dx, y + dy), 1.0)
    except BadChoice:
        return
    now = after(coverage, made)
    same_sheet(coverage, now)
    assert set(now.keys) == set(coverage.keys)


@settings(max_examples=25)
@given(st.integers(4, 40), st.integers(0, 10_000), st.sampled_from(["smooth", "straighten"]))
def test_calmed_and_straightened_seams_keep_the_sheet(count, seed, word):
    coverage = cells(count, seed)
    key = min(coverage.keys, key=lambda k: coverage.by_key[k].centroid.distance(shapely.Point(150, 100)))
    try:
        now = after(coverage, getattr(redraw, word)(coverage, [key]))
    except BadChoice:
        return
    same_sheet(coverage, now)
    assert set(now.keys) == set(coverage.keys)


def test_the_cut_runs_on_to_the_border_and_the_neighbour_gets_its_point():
    coverage = grid(2, 1)
    made = cut.split(coverage, [1], np.array([[5.0, 15.0], [20.0, 15.0]]))
    now = after(coverage, made)
    assert now.is_valid
    assert sorted(now.area_mm2[k] for k in now.keys) == pytest.approx([450, 450, 900], abs=0.1)
    assert (30.0, 15.0) in set(now.by_key[2].exterior.coords)


def test_a_closed_line_cuts_out_what_it_encloses():
    coverage = grid(1, 1)
    made = cut.split(coverage, [1], np.array([[10.0, 10], [20, 10], [20, 20], [10, 20], [10.2, 10.1]]))
    now = after(coverage, made)
    assert sorted(now.area_mm2.values()) == pytest.approx([100, 800], abs=0.01)
    assert now.is_valid


def test_a_wavy_seam_becomes_straight_and_calm():
    x = np.linspace(0, 30, 61)
    wave = np.c_[30 + 2 * np.sin(x), x].round(3)
    left = shapely.Polygon([(0, 0), *wave.tolist(), (0, 30)])
    right = shapely.Polygon([(60, 0), *wave.tolist(), (60, 30)])
    coverage = Coverage([1, 2], [left, right])
    assert coverage.is_valid
    straight = after(coverage, redraw.straighten(coverage, [1, 2]))
    ends = np.hypot(*(wave[-1] - wave[0]))
    assert straight.neighbours[1][2].length_mm == pytest.approx(ends, abs=0.01)
    calm = after(coverage, redraw.smooth(coverage, [1, 2]))
    assert calm.is_valid
    assert ends < calm.neighbours[1][2].length_mm < coverage.neighbours[1][2].length_mm - 1


def test_a_seam_drawn_anew_moves_both_pieces_and_no_other():
    coverage = grid(2, 2)
    line = np.array([[30.0, 0], [40, 15], [30, 30]])
    now = after(coverage, redraw.redraw_seam(coverage, 1, 2, line))
    assert now.is_valid
    assert now.area_mm2[1] == pytest.approx(900 + 150, abs=0.1)
    assert now.area_mm2[2] == pytest.approx(900 - 150, abs=0.1)
    assert now.by_key[3].equals(coverage.by_key[3])


def test_shapes_laid_in_take_their_place_and_a_surround_fills_the_rest():
    coverage = grid(2, 2)
    disc = shapely.Point(30, 30).buffer(10)
    now = after(coverage, cut.imprint(coverage, [disc]))
    assert now.is_valid
    assert len(now) == 5
    assert now.area_mm2[5] == pytest.approx(disc.area, abs=0.05)
    framed = after(now, cut.surround(now, shapely.box(-10, -10, 70, 70)))
    assert framed.is_valid
    assert framed.sheet_area_mm2 == pytest.approx(6400, abs=0.01)


def test_only_the_border_can_be_dropped():
    coverage = grid(3, 3)
    assert after(coverage, cut.drop(coverage, [1])).sheet_area_mm2 == pytest.approx(7200)
    with pytest.raises(BadChoice, match="opening"):
        cut.drop(coverage, [5])


@pytest.mark.parametrize(
    ("act", "words"),
    [
        (lambda c: cut.join(c, [1]), "two pieces"),
        (lambda c: cut.join(c, [1, 4]), "share a seam"),
        (lambda c: cut.split(c, [1], np.array([[5.0, 5], [5.001, 5]])), "too short"),
        (lambda c: cut.split(c, [], np.array([[500.0, 5], [600, 5]])), "crosses no piece"),
        (lambda c: redraw.redraw_seam(c, 1, 4, np.array([[0.0, 0], [9, 9]])), "share a seam"),
        (lambda c: redraw.move_junction(c, (15, 15), (20, 20), 2.0), "no junction"),
        (lambda c: cut.drop(c, [1, 2, 3, 4]), "Nothing would be left"),
    ],
)
def test_what_cannot_be_done_is_said(act, words):
    with pytest.raises(BadChoice, match=words):
        act(grid(2, 2))


def test_small_pieces_go_into_the_longest_seam_and_the_nearest_colour():
    coverage = after(grid(2, 1), cut.imprint(grid(2, 1), [shapely.box(28, 10, 32, 12)]))
    apart = {1: 5.0, 2: 1.0}
    pairs = cut.small_joins(coverage, lambda k: coverage.area_mm2[k] < 50, lambda _, into: apart[into])
    assert pairs == [(3, 2)]
    now = after(coverage, cut.joined(coverage, pairs))
    assert now.is_valid
    assert set(now.keys) == {1, 2}
