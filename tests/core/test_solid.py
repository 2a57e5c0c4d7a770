"""The turntable's bodies, the drawing of what comes off, and the lit picture, against trimesh and plain geometry."""

import numpy as np
import pytest
import shapely
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.drawing.shaped import shaped_drawing
from emberquilt.drawing.solid import packed
from emberquilt.outline.coverage import Coverage
from emberquilt.picture.light import Lamp
from emberquilt.picture.parts import shown_edge_mm
from emberquilt.picture.render import Light, draft
from emberquilt.work.parts import job_of
from emberquilt.work.shaped import EASED_MM, USUAL_EDGE_MM, edge_of, edges_of
from tests.bodies import unpacked
from tests.conftest import cells, composition, edited, grid


def bodies_of(job) -> dict[str, list[tuple[dict, trimesh.Trimesh]]]:
    """What the page builds, read back from what goes over the wire."""
    found: dict[str, list] = {}
    for body, corners, faces in unpacked(packed(job)):
        found.setdefault(body["key"], []).append((body, trimesh.Trimesh(corners, faces, process=False)))
    return found


def rounded_volume(outline, thick: float, edge: float) -> float:
    """A prism whose upper edge is taken off evenly: what stands below, and slices of the outline drawn in by and by
    (Simpson's rule)."""
    steps = np.linspace(0.0, edge, 21)
    areas = [shapely.buffer(outline, -mm, join_style="mitre", mitre_limit=2.0).area for mm in steps]
    weights = np.r_[1, np.tile([4, 2], 10)[:-1], 1]
    return outline.area * (thick - edge) + float(weights @ areas) * (steps[1] - steps[0]) / 3


@settings(max_examples=15)
@given(st.integers(3, 40), st.integers(0, 999))
def test_bodies_are_closed_and_as_large_as_their_parts(count, seed):
    job = job_of(edited(composition(cells(count, seed)), "shim", [1], length="3 mm"))
    bodies = bodies_of(job)
    assert set(bodies) == {part.key for part in job.of_one}
    for part in job.of_one:
        own = bodies[part.key]
        assert all(mesh.is_watertight and mesh.is_winding_consistent for _, mesh in own)
        real = sum(mesh.volume for _, mesh in own)
        edge = own[0][0]["edge"]
        assert real == pytest.approx(rounded_volume(part.outline, part.thickness_mm, edge), rel=0.01, abs=2.0)
        assert max(mesh.bounds[1][2] for _, mesh in own) == pytest.approx(part.top_mm, abs=1e-3)
    assert any(body["edge"] > 0 for own in bodies.values() for body, _ in own)


def test_a_hole_and_a_carved_top_stay_closed():
    ring = shapely.Point(60, 60).buffer(40).difference(shapely.Point(60, 60).buffer(12))
    eye = shapely.Point(60, 60).buffer(12)
    board = shapely.box(0, 0, 120, 120).difference(shapely.Point(60, 60).buffer(40))
    work = composition(Coverage([1, 2, 3], [board, ring, eye]), "cherry")
    work = edited(work, "slope", [2], points="[[22, 60], [98, 60]]", high="19 mm", low="9 mm")
    job = job_of(work)
    for own in bodies_of(job).values():
        assert all(mesh.is_watertight for _, mesh in own)
    ((_, flat),), ((_, carved),) = (
        bodies_of(job_of(composition(Coverage([1, 2, 3], [board, ring, eye]), "cherry")))["2"],
        bodies_of(job)["2"],
    )
    # carved evenly from 19.05 and 19 mm down to 9 mm across a body that is symmetrical: half of what it falls
    lost = (flat.volume - carved.volume) / ring.area
    assert lost == pytest.approx((0.05 + 10.05) / 2, rel=0.05)


def test_level_neighbours_are_only_eased_where_heights_were_decided():
    work = composition(grid(3, 1), "cherry", thickness_mm=None)
    assert shown_edge_mm(job_of(work), work.by_key[1]) == pytest.approx(USUAL_EDGE_MM)
    work = edited(edited(work, "order", [1], behind="2"), "order", [2], behind="3", level="yes")
    job = job_of(work)
    step = job.standing.top_mm(1) - job.standing.top_mm(2)
    assert edge_of(job, 1)[0] == pytest.approx(min(step, USUAL_EDGE_MM))
    assert edge_of(job, 3)[0] == EASED_MM
    assert shown_edge_mm(job, work.by_key[3]) == pytest.approx(EASED_MM)


@settings(max_examples=20)
@given(st.integers(3, 25), st.integers(0, 999))
def test_edges_cover_the_border_once_and_are_rounded_by_what_shows(count, seed):
    work = composition(cells(count, seed), "cherry", thickness_mm=None)
    work = edited(work, "top", [1], length="30 mm")
    job = job_of(work)
    for p in work.made:
        edges = edges_of(job, p.key)
        assert sum(e.line.length for e in edges) == pytest.approx(job.pieces[p.key].outline.length, abs=1.1)
        for edge in edges:
            if edge.other:
                step = job.standing.top_mm(p.key) - job.standing.top_mm(edge.other)
                level = EASED_MM if abs(step) <= 0.01 else 0.0
                assert edge.mm == pytest.approx(min(step, USUAL_EDGE_MM) if step > 0.01 else level)
            else:
                # all that is beside nothing lies at the edge of the sheet, for a frame
                assert edge.mm == 0.0


def test_what_stands_free_is_rounded_and_told_beside_its_edge():
    disc = shapely.Point(60, 60).buffer(40)
    work = composition(Coverage([1, 2], [disc, shapely.box(104, 40, 118, 80)]), "cherry")
    job = job_of(work)
    assert edge_of(job, 1)[0] == USUAL_EDGE_MM
    drawing = shaped_drawing(job, 1)
    (band,) = drawing.bands
    scale = (drawing.wide - 52) / 80
    assert band["wide"] == pytest.approx(2 * USUAL_EDGE_MM * scale, rel=0.05)
    (word,) = drawing.words
    assert np.hypot(word["x"] - drawing.wide / 2, word["y"] - drawing.tall / 2) > 40 * scale
    work = edited(edited(work, "edge", [1], radius="square"), "detail", points="[[30, 60], [90, 60]]", how="vein")
    work = edited(work, "slope", [1], points="[[25, 60], [95, 60]]", high="18 mm", low="8 mm")
    drawing = shaped_drawing(job_of(work), 1)
    assert not drawing.bands
    assert drawing.slope
    assert [line["how"] for line in drawing.lines] == ["vein"]


def lightness(rgb: np.ndarray) -> float:
    return float(rgb.astype(float).mean())


def test_a_carved_top_is_lit_by_the_side_that_it_looks_to():
    """A plane that leans to the right takes more light from the right than a flat one, and less from the left."""
    flat = composition(grid(1, 1, 100.0), "walnut")
    carved = edited(flat, "slope", [1], points="[[5, 50], [95, 50]]", high="19 mm", low="6 mm")

    def middle(work, turn):
        shown = draft(work, 200, Light(lamp=Lamp(turn, 35.0)))
        return lightness(shown[60:140, 60:140])

    assert middle(carved, 0.0) > middle(flat, 0.0) + 3
    assert middle(carved, 180.0) < middle(flat, 180.0) - 3
