"""Parts that look alike, and a part found by its photo. Outlines are turned, mirrored and cut with Shapely; photos are
made by `tests/photos.py`, which shares nothing with what reads them."""

import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.assembly.alike import alike_of
from emberquilt.assembly.found import found_in
from emberquilt.errors import BadChoice, BadDrawing
from emberquilt.outline.coverage import Coverage, on_grid
from emberquilt.work.parts import job_of
from tests.conftest import composition, grid
from tests.photos import photo_of

OAK = (150, 95, 60)
ELL = shapely.Polygon([(0, 0), (60, 0), (60, 20), (22, 20), (22, 50), (0, 50)])
ESS = shapely.Polygon([(0, 0), (40, 0), (40, 20), (70, 20), (70, 50), (30, 50), (30, 30), (0, 30)])
PEAR = shapely.union(shapely.Point(0, 0).buffer(30), shapely.Point(12, -34).buffer(16))


def apart(*outlines) -> list:
    """Outlines side by side on the grid, touching nothing."""
    moved = [shapely.affinity.translate(one, 120 * i + 60, 100) for i, one in enumerate(outlines)]
    return [on_grid(shapely.segmentize(one, 4.0)) for one in moved]


def alike(*outlines):
    made = apart(*outlines)
    return alike_of(job_of(composition(Coverage(range(1, len(made) + 1), made))))


@settings(max_examples=30)
@given(st.floats(0, 360), st.booleans(), st.sampled_from([ELL, ESS, PEAR]))
def test_what_is_turned_or_turned_over_is_found_to_look_alike(turn, over, outline):
    twin = shapely.affinity.rotate(shapely.affinity.scale(outline, -1 if over else 1, 1), turn)
    found = alike(outline, twin, shapely.affinity.scale(outline, 1.3, 1.3))
    (twins,) = found.twins
    assert twins.parts == ("1", "2")
    # the pear's own mirror image is itself, turned
    assert twins.mirrored == over or outline is PEAR
    assert twins.off_mm < 0.5


def test_what_fits_its_place_turned_is_found():
    found = alike(ESS, ELL, PEAR, shapely.box(0, 0, 40, 60), shapely.Point(0, 0).buffer(20, quad_segs=32))
    turned = {one.part: one for one in found.turned}
    assert set(turned) == {"1", "4", "5"}
    assert turned["1"].degs == turned["4"].degs == (180,)
    assert turned["5"].round
    assert found.twins == ()
    squares = alike_of(job_of(composition(grid(3, 3))))
    assert len(squares.twins[0].parts) == 9
    assert squares.turned[0].degs == (90, 180)


def test_a_little_too_different_is_not_alike():
    assert alike(ESS, shapely.affinity.scale(ESS, 1.0, 1.12)).twins == ()
    assert alike(ELL, ESS).twins == ()


def test_parts_of_the_koi_are_found_by_their_photos(koi):
    """Every second of the 62 lying somehow on paper, seen ten degrees off level, with light and noise; half of the
    koi's pieces have a near twin in the other fish. All are of one wood here, so that colours cannot help."""
    job = job_of(composition(koi.coverage))
    first = five = 0
    some = list(job.pieces.items())[::2]
    for key, part in some:
        found = [match.part for match in found_in(job, photo_of(part.outline, OAK, 7 * key))]
        assert len(found) == 5
        first += found[0] == part.key
        five += part.key in found
    assert first >= 0.9 * len(some)
    assert five >= 0.98 * len(some)


def test_a_part_on_its_face_is_known():
    made = apart(ELL, ESS, PEAR)
    job = job_of(composition(Coverage([1, 2, 3], made)))
    best = found_in(job, photo_of(made[0], OAK, 3, over=True))[0]
    assert (best.part, best.over) == ("1", True)
    best = found_in(job, photo_of(made[0], OAK, 4))[0]
    assert (best.part, best.over) == ("1", False)
    assert best.off_share < 0.02


def test_a_photo_of_nothing_is_told():
    job = job_of(composition(grid(2, 2)))
    with pytest.raises(BadChoice, match="No part stands out"):
        found_in(job, photo_of(ELL, None, 5))
    with pytest.raises(BadDrawing, match="no picture"):
        found_in(job, b"not a photo")
    with pytest.raises(BadChoice, match="out of the photo"):
        found_in(job, photo_of(ESS, OAK, 2, size=2.2))
