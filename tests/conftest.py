"""What tests share: coverages made by general libraries, compositions with known shapes, pictures drawn by OpenCV."""

import csv
import os
from pathlib import Path

import numpy as np
import pytest
import shapely
from hypothesis import settings

from emberquilt.findings import Finding
from emberquilt.outline.coverage import Coverage, on_grid
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.work.change import applied
from emberquilt.work.composition import Composition, Layer, Piece
from emberquilt.work.verbs import edit

# examples are judged by what they give, never by how long a busy machine takes over one; before a change lands they are
# always the same ones, at the desk new ones are tried
settings.register_profile("calm", deadline=None, derandomize=os.environ.get("CI") == "true")
settings.load_profile("calm")

REFERENCE = Path(__file__).parent / "reference"


def table(name: str) -> list[dict[str, str]]:
    """Rows of a cited table; its header tells the source."""
    text = (REFERENCE / name).read_text(encoding="utf-8")
    return list(csv.DictReader(line for line in text.splitlines() if not line.startswith("#")))


def grid(columns: int, rows: int, side: float = 30.0) -> Coverage:
    """Squares in rows: piece 1 upper left."""
    boxes = [
        shapely.box(c * side, r * side, (c + 1) * side, (r + 1) * side) for r in range(rows) for c in range(columns)
    ]
    return Coverage(range(1, len(boxes) + 1), boxes)


def cells(count: int, seed: int, width: float = 300.0, height: float = 200.0) -> Coverage:
    """Voronoi cells of random points (Shapely), on our grid: an irregular coverage nobody drew by hand."""
    rng = np.random.default_rng(seed)
    points = shapely.multipoints(rng.uniform([0, 0], [width, height], (count, 2)))
    sheet = shapely.box(0, 0, width, height)
    raw = shapely.get_parts(shapely.voronoi_polygons(points, extend_to=sheet))
    lines = shapely.union_all([shapely.boundary(p) for p in raw] + [sheet.exterior], grid_size=0.001)
    faces = shapely.get_parts(
        shapely.polygonize(shapely.get_parts(shapely.intersection(lines, sheet, grid_size=0.001)))
    )
    return Coverage(range(1, len(faces) + 1), list(on_grid(np.array(faces))))


def composition(
    coverage: Coverage, woods: str | dict = "cherry", practice: Practice | None = None, **piece
) -> Composition:
    """A composition in which every piece has a wood, an arrow and a thickness unless said otherwise."""
    given = {"grain_deg": 0.0, "thickness_mm": 19.05} | piece
    pieces = tuple(
        Piece(key, key, woods if isinstance(woods, str) else woods.get(key, ""), **given) for key in coverage.keys
    )
    _, _, width, height = coverage.bounds_mm
    return Composition(
        "A test", width, height, (Layer(1, "Picture", "mosaic", coverage, pieces),), practice or Practice()
    )


@pytest.fixture(scope="session")
def koi_svg() -> bytes:
    """The demo's drawing: a real file of 62 faces."""
    return (Path(__file__).parent.parent / "workshop" / "compositions" / "demo" / "two-koi-lines.svg").read_bytes()


@pytest.fixture(scope="session")
def koi(koi_svg):
    from emberquilt.intake.propose import propose
    from emberquilt.units import Length

    return propose(koi_svg, Length(457.2))


def edited(work: Composition, verb: str, keys=(), layer: int = 0, **values) -> Composition:
    """The work after one edit, made as the pages make it."""
    return applied(work, edit(work, verb, list(keys), values, layer))


def findings_of(work: Composition, station: str) -> list[Finding]:
    """All findings of a station, accepted ones too."""
    plan = Plan(work)
    return [f for f in plan.every_finding if f.station == station]


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """The browser's files take longest: they begin, so that no process waits for them at the end. The first two go to
    two processes: one loads the demo, and the other has work that needs none."""
    first = ("test_sizes", "test_first_minute")
    items.sort(key=lambda item: ("browser" not in item.path.parts, item.path.stem not in first))
