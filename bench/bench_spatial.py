"""Works that are not flat: slicing, what two outlines leave of a block, freeing, fields lit, pages; how they grow."""

import os
import sys

import numpy as np
import pytest
import shapely
import trimesh

from emberquilt.fields.routing import routings_of
from emberquilt.pattern.fresh import composition_of
from emberquilt.picture.render import Light, picture
from emberquilt.solid.compound import heights_of, mesh_of, solid_of
from emberquilt.solid.freeing import freeing
from emberquilt.solid.mesh import Mesh
from emberquilt.solid.reading import read_body
from emberquilt.space.slices import Cutting, cut_up
from emberquilt.work.parts import Job
from tests.core.test_block import wavy
from tests.spatial import METRIC, done
from workshop.compositions.demo import solids

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


@pytest.mark.parametrize("times", FACES)
def test_memory_of_slicing(benchmark, times, tmp_path):
    """The whole command, in a process of its own: at most 500 MB for 200,000 triangles."""
    trimesh.creation.icosphere(subdivisions=times, radius=60).export(tmp_path / "ball.stl")
    asked = [sys.executable, "-m", "emberquilt.cli", "slice", str(tmp_path / "ball.stl"), "--along", "best"]
    asked += ["--thickness", "2mm", "--height", "120mm", "-o", str(tmp_path / "ball.ember")]

    def peak_mb() -> float:
        child = os.posix_spawn(sys.executable, asked, os.environ)
        _, status, used = os.wait4(child, 0)
        assert status == 0
        return used.ru_maxrss / 1024

    peak = benchmark.pedantic(peak_mb, rounds=1)
    benchmark.extra_info["peak_mb"] = round(peak)
    assert peak <= 500


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
    sides = [
        shapely.intersection(side, shapely.box(0, 0, 20, 120)),
        shapely.intersection(side, shapely.box(20, 0, 40, 120)),
    ]
    heights = heights_of([*fronts, *sides])
    parts = [solid_of(front, half, heights) for front in fronts for half in sides]
    benchmark.pedantic(freeing, (parts,), rounds=3)


def sunk_number():
    work = composition_of(solids.house_number(), "Number", METRIC)
    work = done(work, "wood", [p.key for p in work.made], wood="cherry")
    work = done(work, "routed")
    for n, piece in enumerate(work.made[:4], 1):
        work = done(work, "rout", [piece.key], depth=f"{n} mm")
    return work


def test_a_field_lit(benchmark):
    """At most 0.5 s, 1,000 pixels wide."""
    work = sunk_number()
    picture(work, 200, Light())
    benchmark.pedantic(lambda: picture(work, 1000, Light()), rounds=3)


def test_bits_and_passes(benchmark):
    work = sunk_number()
    benchmark.pedantic(routings_of, setup=lambda: ((Job(work),), {}), rounds=3)
