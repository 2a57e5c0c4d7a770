"""What a work is made of: counted and weighed against its pieces."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.work.made_of import made_of
from tests.conftest import cells, composition, grid

WOODS = ("walnut", "cherry", "maple", "")


def test_what_most_is_of_comes_first():
    work = composition(grid(3, 2), {1: "walnut", 2: "cherry", 3: "cherry", 4: "cherry", 5: "walnut", 6: ""})
    told = [(one.code, one.pieces, one.area_mm2, one.share) for one in made_of(work)]
    assert told == [
        ("cherry", 3, 2700.0, pytest.approx(1 / 2)),
        ("walnut", 2, 1800.0, pytest.approx(1 / 3)),
        ("", 1, 900.0, pytest.approx(1 / 6)),
    ]


def test_some_of_its_pieces_alone_and_none():
    work = composition(grid(3, 2), {1: "walnut", 2: "cherry"})
    assert [(one.code, one.share) for one in made_of(work, [work.by_key[2]])] == [("cherry", 1.0)]
    assert made_of(work, []) == []


@settings(max_examples=20)
@given(st.integers(2, 40), st.integers(0, 99), st.data())
def test_nothing_is_counted_twice_or_lost(count, seed, data):
    coverage = cells(count, seed)
    woods = {key: data.draw(st.sampled_from(WOODS)) for key in coverage.keys}
    told = made_of(composition(coverage, woods))
    assert {one.code: one.pieces for one in told} == {code: list(woods.values()).count(code) for code in woods.values()}
    assert sum(one.area_mm2 for one in told) == pytest.approx(sum(coverage.area_mm2.values()))
    assert sum(one.share for one in told) == pytest.approx(1.0)
    assert [one.area_mm2 for one in told] == sorted((one.area_mm2 for one in told), reverse=True)
