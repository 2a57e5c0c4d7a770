import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.outline.coverage import Coverage, largest_circle
from emberquilt.outline.numbering import reading_order
from tests.conftest import cells, grid


@settings(max_examples=25)
@given(st.integers(2, 60), st.integers(0, 10_000))
def test_seams_are_what_shapely_says_neighbours_share(count, seed):
    coverage = cells(count, seed)
    assert coverage.is_valid
    tree = shapely.STRtree(coverage.outlines)
    shared = {}
    for i, outline in enumerate(coverage.outlines):
        for j in tree.query(outline).tolist():
            if (
                i < j
                and (length := shapely.intersection(outline, coverage.outlines[j], grid_size=0.001).length) > 0.002
            ):
                shared[coverage.keys[i], coverage.keys[j]] = length
    found = {(s.a, s.b): s.length_mm for s in coverage.seams if s.length_mm > 0.002}
    assert found.keys() == shared.keys()
    # both sides lie on a grid of 0.001 mm, so a border of n points may differ by n grid steps
    assert all(found[pair] == pytest.approx(shared[pair], abs=0.02) for pair in found)


@settings(max_examples=25)
@given(st.integers(2, 60), st.integers(0, 10_000))
def test_every_border_is_a_seam_or_lies_outside(count, seed):
    coverage = cells(count, seed)
    borders = sum(outline.length for outline in coverage.outlines)
    inside = 2 * sum(seam.length_mm for seam in coverage.seams)
    assert borders == pytest.approx(inside + shapely.length(shapely.boundary(coverage.outside)), rel=1e-6)


def test_an_overlap_is_no_coverage():
    assert not Coverage([1, 2], [shapely.box(0, 0, 10, 10), shapely.box(9, 0, 20, 10)]).is_valid


def test_an_open_gap_inside_is_no_coverage():
    """Shapely's own check lets a hole pass; the sum of areas does not."""
    ring = shapely.Polygon([(0, 0), (30, 0), (30, 30), (0, 30)], [[(10, 10), (20, 10), (20, 20), (10, 20)]])
    outlines = [ring]
    assert shapely.coverage_is_valid(np.array(outlines))
    assert not Coverage([1], outlines).is_valid
    assert Coverage([1, 2], [ring, shapely.box(10, 10, 20, 20)]).is_valid


def test_an_edge_that_does_not_match_is_no_coverage():
    """A bulge of half a millimetre over the neighbour's straight edge."""
    left = shapely.box(0, 0, 10, 10)
    right = shapely.Polygon([(10, 0), (20, 0), (20, 10), (10, 10), (9.5, 5)])
    assert not Coverage([1, 2], [left, right]).is_valid


def test_touching_in_a_point_is_no_seam():
    coverage = grid(2, 2)
    assert set(coverage.neighbours[1]) == {2, 3}
    assert all(seam.length_mm == pytest.approx(30) for seam in coverage.seams)


def test_two_stretches_of_one_border_are_one_seam():
    u_shape = shapely.Polygon([(0, 0), (30, 0), (30, 10), (20, 10), (20, 20), (30, 20), (30, 30), (0, 30)])
    rest = shapely.Polygon([(30, 0), (40, 0), (40, 30), (30, 30), (30, 20), (30, 10)])
    plug = shapely.box(20, 10, 30, 20)
    coverage = Coverage([1, 2, 3], [u_shape, rest, plug])
    assert coverage.is_valid
    assert coverage.neighbours[1][2].length_mm == pytest.approx(20)
    assert coverage.neighbours[1][2].line.geom_type == "MultiLineString"


SHAPES = [
    (shapely.box(0, 0, 40, 10), 5.0),
    (shapely.Point(0, 0).buffer(7, quad_segs=64), 7.0),
    (shapely.Polygon([(0, 0), (30, 0), (0, 40)]), 10.0),  # inradius of the 3-4-5 triangle: (a + b - c) / 2
    (shapely.Point(0, 0).buffer(20, quad_segs=64).difference(shapely.Point(0, 0).buffer(8, quad_segs=64)), 6.0),
]


@pytest.mark.parametrize(("shape", "radius"), SHAPES)
def test_largest_circle_of_shapes_of_known_width(shape, radius):
    spot = largest_circle(shape, 0.01)
    assert spot.radius_mm == pytest.approx(radius, abs=0.02)
    assert shape.buffer(0.02).contains(shapely.Point(spot.x_mm, spot.y_mm).buffer(spot.radius_mm - 0.02))


@settings(max_examples=30)
@given(st.integers(2, 30), st.integers(0, 5_000))
def test_largest_circle_against_shapely(count, seed):
    """Never larger than Shapely's own fine answer, and within the promised 2 % of the piece's size."""
    for outline in cells(count, seed).outlines:
        best = shapely.maximum_inscribed_circle(outline, tolerance=0.001).length
        assert best - 0.02 * outline.area**0.5 - 0.001 <= largest_circle(outline).radius_mm <= best + 0.001


def test_numbers_run_as_one_reads():
    assert reading_order(grid(4, 3)) == list(range(1, 13))
    shuffled = grid(4, 3)
    mixed = Coverage([7, 3, 9, 1, 5, 2, 8, 4, 6, 12, 11, 10], shuffled.outlines)
    assert reading_order(mixed) == [7, 3, 9, 1, 5, 2, 8, 4, 6, 12, 11, 10]


@settings(max_examples=20)
@given(st.integers(2, 80), st.integers(0, 1000))
def test_every_piece_is_numbered_once(count, seed):
    coverage = cells(count, seed)
    assert sorted(reading_order(coverage)) == sorted(coverage.keys)
