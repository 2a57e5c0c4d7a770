"""Fit and glue: tree and order, the dry fit, what looks alike, a part by its photo; how they grow."""

import pytest

from emberquilt.assembly.alike import alike_of
from emberquilt.assembly.dryfit import fit_order
from emberquilt.assembly.found import found_in
from emberquilt.assembly.glueup import glue_plan
from emberquilt.intake.propose import propose
from emberquilt.plan import Plan
from emberquilt.units import Length
from emberquilt.work.parts import Job
from tests.conftest import cells, composition
from tests.photos import photo_of
from workshop.compositions import demo

SIZES = (60, 500, 5000)


def job(count: int) -> Job:
    """Cells on a sheet that grows with them, nothing known of them yet."""
    side = (count / 500) ** 0.5
    made = Job(composition(cells(count, 3, 900 * side, 600 * side)))
    assert made.pieces
    return made


@pytest.mark.parametrize("count", SIZES)
def test_tree_and_order(benchmark, count):
    """At most 0.5 s for 500 parts, 5 s for 5,000."""
    benchmark.pedantic(glue_plan, setup=lambda: ((job(count),), {}), rounds=3)


@pytest.mark.parametrize("count", SIZES)
def test_dry_fit(benchmark, count):
    def setup():
        made = job(count)
        return (made, glue_plan(made)), {}

    benchmark.pedantic(fit_order, setup=setup, rounds=3)


@pytest.mark.parametrize("count", SIZES)
def test_alike(benchmark, count):
    """At most 0.5 s for 500 parts."""
    benchmark.pedantic(alike_of, setup=lambda: ((job(count),), {}), rounds=3)


def test_a_part_by_its_photo(benchmark):
    """At most 1 s, of the koi's 62 parts."""
    drawing = (demo.FOLDER / "two-koi-lines.svg").read_bytes()
    made = Plan(composition(propose(drawing, Length(457.2)).coverage)).job
    photos = [photo_of(part.outline, (150, 95, 60), key) for key, part in list(made.pieces.items())[:10]]
    found_in(made, photos[0])
    benchmark(lambda: [found_in(made, photo) for photo in photos[:1]])
