"""Works that are not flat: slicing, what two outlines leave of a block, freeing, fields lit, pages; how they grow."""

import numpy as np
import pytest
import shapely
import trimesh

from emberquilt.picture.render import render
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.solid.compound import heights_of, mesh_of, solid_of
from emberquilt.solid.freeing import freeing
from emberquilt.solid.mesh import Mesh
from emberquilt.solid.reading import read_body
from emberquilt.space.slices import Cutting, cut_up
from tests.core.test_block import wavy

FACES = (5, 6, 7)
"""Subdivisions of an icosahedron: 20,480, 81,920 and 327,680 triangles."""


def ball(times: int) -> Mesh:
    mesh = trimesh.creation.icosphere(subdivisions=times, radius=60)
    return Mesh(np.asarray(mesh.vertices), np.asarray(mesh.faces))


@pytest.mark.parametrize("times", FACES)
def test_slicing(benchmark, times):
    """Ways compared, 60 slices, their pins: at most 3 s for 200,000 triangles."""
    mesh = ball(times)
    made = benchmark.pedantic(lambda: cut_up(mesh, Cutting(2.0, 120.0, "z", 6.0)), rounds=2)
    assert len(made.areas) == 60


@pytest.mark.parametrize("times", FACES)
def test_reading_an_stl(benchmark, times):
    data = trimesh.creation.icosphere(subdivisions=times, radius=60).export(file_type="stl")
    benchmark.pedantic(read_body, (data,), rounds=2)


@pytest.mark.parametrize("points", [125, 250, 500])
def test_what_two_outlines_leave(benchmark, points):
    """With its surface: at most 1 s for two outlines of 500 points."""
    front, side = wavy(1, points, 36, 90), wavy(2, points, 30, 90)
    benchmark(lambda: mesh_of(solid_of(front, side, heights_of([front, side]))))


@pytest.mark.parametrize("rows", [3, 6, 12])
def test_freeing(benchmark, rows):
    """At most 2 s for 12 parts."""
    fronts = [shapely.box(0, 120 / rows * n, 40, 120 / rows * (n + 1)) for n in range(rows)]
    turns = np.linspace(0, 2 * np.pi, 200)
    side = shapely.Polygon(np.c_[20 + 20 * np.cos(turns), 60 + 60 * np.sin(turns)])
    sides = [shapely.intersection(side, shapely.box(0, 0, 20, 120)), shapely.intersection(side, shapely.box(20, 0, 40, 120))]
    heights = heights_of([*fronts, *sides])
    parts = [solid_of(front, half, heights) for front in fronts for half in sides]
    benchmark.pedantic(freeing, (parts,), rounds=3)
