"""Bodies in slices: files read, sections and volumes against trimesh and Shapely, pins, islands, cutting again."""

import io
import json
import struct
import zipfile

import numpy as np
import pytest
import shapely
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity

from emberquilt.cli import main
from emberquilt.drawing.print_pack import print_pack
from emberquilt.errors import BadChoice, BadDrawing, BadLength
from emberquilt.formats.make import Wishes, body_from
from emberquilt.formats.project import Project, read_planned, read_project, write_project
from emberquilt.formats.space_json import space_json
from emberquilt.intake.apart import Limits, body_apart
from emberquilt.intake.body_source import body_of
from emberquilt.plan import Plan
from emberquilt.solid.blown import blown
from emberquilt.solid.mesh import Mesh, packed, unpacked
from emberquilt.solid.parted import coarser, parted
from emberquilt.solid.reading import MOST_TRIANGLES, is_body, read_body
from emberquilt.solid.slices import bridged, hole_of, mirrored_pairs, pins_of, sliced, ways_of
from emberquilt.solid.slicing import sections
from emberquilt.space.order import together_of
from emberquilt.space.slices import Cutting
from emberquilt.work.change import applied
from emberquilt.work.contacts import contacts_of
from emberquilt.work.parts import job_of
from emberquilt.work.poses import poses_of
from emberquilt.work.verbs import edit


def pear() -> trimesh.Trimesh:
    z = np.linspace(0, 100, 40)
    radius = np.sqrt(np.clip(1 - (2 * z / 100 - 1) ** 2, 0, 1)) * (34 - 0.16 * z)
    return trimesh.creation.revolve(np.c_[radius, z], sections=48)


def lamp() -> trimesh.Trimesh:
    """A body with a hole right through it."""
    return trimesh.creation.annulus(12, 30, 60)


def stl(mesh: trimesh.Trimesh) -> bytes:
    return mesh.export(file_type="stl")


def three_mf(mesh: trimesh.Trimesh, unit: str, transform: str = "") -> bytes:
    """As the core specification of 3MF has it, with one object that is built once."""
    rows = "".join(f'<vertex x="{x:.6f}" y="{y:.6f}" z="{z:.6f}"/>' for x, y, z in mesh.vertices)
    faces = "".join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in mesh.faces)
    move = f' transform="{transform}"' if transform else ""
    text = (
        f'<model unit="{unit}" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02"><resources>'
        f'<object id="1" type="model"><mesh><vertices>{rows}</vertices><triangles>{faces}</triangles></mesh></object>'
        f'</resources><build><item objectid="1"{move}/></build></model>'
    )
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr("3D/3dmodel.model", text)
    return buffer.getvalue()


@pytest.mark.parametrize("kind", ["stl", "stl_ascii", "obj"])
def test_a_file_gives_the_body_that_another_library_wrote(kind):
    data = pear().export(file_type=kind)
    data = data.encode() if isinstance(data, str) else data
    found = read_body(data)
    assert is_body(data)
    assert not found.unit_mm
    assert not found.mended
    assert found.mesh.volume_mm3 == pytest.approx(pear().volume, rel=1e-5)


def test_a_zip_without_a_model_is_no_body():
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w") as archive:
        archive.writestr("plan.json", "3D/3dmodel")
    assert not is_body(file.getvalue())
    assert not is_body(b"PK\x03\x04 3D/3dmodel.model cut off")


def test_a_3mf_says_its_unit_and_where_its_body_is_built():
    found = read_body(three_mf(trimesh.creation.box((2, 3, 4)), "inch", "1 0 0 0 1 0 0 0 1 5 0 0"))
    assert found.unit_mm == 25.4
    assert found.mesh.volume_mm3 == pytest.approx(24)
    assert found.mesh.bounds[0, 0] == pytest.approx(4)
    assert body_of(three_mf(trimesh.creation.box((2, 3, 4)), "inch"), "", "mm").height_mm == pytest.approx(4 * 25.4)


def test_a_body_inside_out_or_with_a_hole_is_mended_and_told():
    inside_out = pear()
    inside_out.invert()
    found = read_body(stl(inside_out))
    assert found.mesh.volume_mm3 == pytest.approx(pear().volume, rel=1e-5)
    assert "inside out" in found.mended[0]
    torn = trimesh.Trimesh(pear().vertices, pear().faces[3:], process=False)
    found = read_body(stl(torn))
    assert "closed flat" in found.mended[-1]
    assert found.mesh.volume_mm3 == pytest.approx(pear().volume, rel=0.01)
    some = pear()
    some.faces[:40] = some.faces[:40, ::-1]
    assert read_body(stl(some)).mesh.volume_mm3 == pytest.approx(pear().volume, rel=1e-5)


BAD = {
    "flat": (lambda: stl(trimesh.creation.box((50, 40, 0.01))), "flat"),
    "an open sheet": (lambda: stl(trimesh.Trimesh(pear().vertices, pear().faces[: len(pear().faces) // 2])), "open"),
    "ten million triangles": (lambda: b"\0" * 80 + struct.pack("<I", 10_000_000) + b"\0" * 50, "10,000,000 triangles"),
    "cut off": (lambda: stl(pear())[:2000], "too early"),
    "nothing": (lambda: b"\0" * 80 + struct.pack("<I", 0), "no body"),
    "not a number": (
        lambda: b"v nan 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 2 3\nf 1 3 4\n",
        "no body|cannot be read|not there",
    ),
    "a corner that is not there": (lambda: b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "not there"),
    "words": (lambda: b"a pear, a lantern, an acorn\n" * 20, "too early|no faces|cannot be read"),
    "no body in a zip": (lambda: _zip("readme.txt", b"x"), "no body"),
    "a zip that is none": (lambda: b"PK\x03\x04 and then nothing", "cannot be read"),
}


def _zip(name: str, data: bytes) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr(name, data)
    return buffer.getvalue()


@pytest.mark.parametrize("name", BAD)
def test_a_bad_body_ends_in_a_sentence(name):
    make, words = BAD[name]
    with pytest.raises(BadDrawing, match=words):
        read_body(make())


def test_a_file_without_a_unit_asks_how_high(tmp_path, capsys):
    with pytest.raises(BadLength, match="how high"):
        body_of(stl(pear()), "", "mm")
    (tmp_path / "pear.stl").write_bytes(stl(pear()))
    out = tmp_path / "pear.ember"
    assert main(["slice", str(tmp_path / "pear.stl"), "--thickness", "6mm", "-o", str(out)]) == 2
    assert "how high" in capsys.readouterr().err
    assert not out.exists()
    assert MOST_TRIANGLES >= 200_000


@settings(max_examples=25, deadline=None)
@given(st.floats(0.02, 0.98), st.sampled_from("xyz"), st.floats(0.5, 3.0))
def test_a_section_has_the_area_that_another_library_finds(share, along, scale):
    mesh = read_body(stl(lamp())).mesh.scaled(scale)
    turned = mesh.turned(along)
    low, high = turned.bounds[:, 2]
    height = low + share * (high - low)
    other = trimesh.Trimesh(turned.points, turned.faces)
    lines = trimesh.intersections.mesh_plane(other, [0, 0, 1], [0, 0, height])
    flat = shapely.build_area(shapely.set_precision(shapely.multilinestrings(lines[:, :, :2]), 1e-7))
    (own,) = sections(turned, [height])
    assert own.is_valid
    assert own.area == pytest.approx(flat.area, rel=1e-5)


def test_a_body_is_read_in_a_process_of_its_own():
    data = stl(pear())
    here, there = body_of(data, "120 mm", "mm"), body_apart(data, "120 mm", "mm")
    assert (there.mesh.points == here.mesh.points).all()
    assert there.height_mm == 120
    with pytest.raises(BadLength, match="does not say its unit"):
        body_apart(data, "", "mm")
    heavy = stl(trimesh.creation.icosphere(subdivisions=6))
    with pytest.raises(BadDrawing, match=r"This body asks for more memory .* smaller or simpler one\.$"):
        body_apart(heavy, "120 mm", "mm", limits=Limits(memory=10_000_000))


def test_a_body_keeps_its_openings_in_every_slice():
    cut = sliced(read_body(stl(lamp())).mesh.scaled(1), "z", 6.0)
    assert len(cut.areas) == 10
    assert all(len(area.interiors) == 1 for area in cut.areas)


@pytest.mark.parametrize("along", ["x", "y", "z"])
def test_slices_add_up_to_the_body_within_their_steps(along):
    mesh = read_body(stl(pear())).mesh.scaled(1.2)
    cut = sliced(mesh, along, 6.0)
    way = next(way for way in ways_of(mesh, 6.0) if way.along == along)
    assert way.count == len(cut.areas)
    assert all(area.is_valid and not area.is_empty for area in cut.areas)
    assert abs(cut.volume_mm3 - mesh.volume_mm3) < way.lost * mesh.volume_mm3
    assert cut.volume_mm3 == pytest.approx(1.2**3 * pear().volume, rel=0.03)
    thinner = next(way for way in ways_of(mesh, 3.0) if way.along == along)
    assert thinner.lost < 0.65 * way.lost


def test_a_long_body_loses_least_along_its_length():
    """A lying log: sliced across its length each slice is a circle and only its ends lose anything."""
    log = trimesh.creation.cylinder(20, 120, sections=64)
    log.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, [0, 1, 0]))
    ways = ways_of(read_body(stl(log)).mesh.scaled(1), 6.0)
    assert ways[0].along == "x"
    assert ways[0].lost < 0.01 < ways[1].lost


def test_a_pin_lies_inside_every_slice_it_runs_through():
    mesh = read_body(stl(pear())).mesh.scaled(1.2)
    areas = sliced(mesh, "z", 6.0).areas
    for wanted in (1, 2):
        pins = pins_of(areas, 6.0, wanted)
        assert pins
        for pin in pins:
            for level in range(pin.first, pin.last + 1):
                assert areas[level].buffer(-2.9).contains(hole_of(pin, 6.0))
    broad = pins_of([shapely.box(0, 0, 120, 80)] * 4, 6.0, 2)
    assert len(broad) == 2
    assert np.hypot(broad[0].x_mm - broad[1].x_mm, broad[0].y_mm - broad[1].y_mm) > 60
    assert pins_of([shapely.box(0, 0, 5, 5)] * 3, 6.0, 1) == []
    # two towers: a pin for each run of slices that has a place in common
    towers = [shapely.box(0, 0, 20, 20)] * 3 + [shapely.box(40, 0, 60, 20)] * 2
    assert [(p.first, p.last) for p in pins_of(towers, 6.0, 1)] == [(0, 2), (3, 4)]


def test_small_islands_are_bridged_and_large_ones_stay():
    main_part, tiny, large = shapely.box(0, 0, 40, 40), shapely.box(44, 10, 48, 14), shapely.box(60, 0, 80, 40)
    made, joined = bridged(shapely.union_all([main_part, tiny, large]), 3.0, 60.0)
    assert joined == 1
    assert sorted(round(part.area) for part in made.geoms) == [800, 1628]
    assert made.is_valid


def test_mirrored_slices_make_pairs():
    wedge = shapely.Polygon([(0, 0), (30, 0), (30, 10), (5, 20)])
    other = affinity.translate(affinity.scale(wedge, -1, 1), 100, 7)
    assert mirrored_pairs([wedge, shapely.box(0, 0, 30, 20), other]) == [(0, 2, True)]
    assert mirrored_pairs([wedge, affinity.translate(wedge, 50, 0)]) == [(0, 1, False)]


@settings(max_examples=20, deadline=None)
@given(st.floats(5, 500), st.integers(8, 60))
def test_a_packed_body_is_the_same_within_a_hair(size, sections_round):
    mesh = trimesh.creation.cylinder(size / 3, size, sections=sections_round)
    own = Mesh(mesh.vertices, mesh.faces)
    back = unpacked(packed(own))
    assert np.abs(back.points - own.points).max() <= size / 65535
    assert (back.faces == own.faces).all()


def test_a_damaged_body_in_a_file_is_refused():
    with pytest.raises(BadChoice, match="damaged"):
        unpacked("not a body")


def test_a_blown_up_body_is_an_ellipsoid_between_two_ellipses():
    """Volume of an ellipsoid: 4/3 pi a b c."""
    turns = np.linspace(0, 2 * np.pi, 200, endpoint=False)
    front = shapely.Polygon(np.c_[20 * np.cos(turns), 50 + 50 * np.sin(turns)])
    side = shapely.Polygon(np.c_[30 * np.cos(turns), 50 + 50 * np.sin(turns)])
    body = blown(front, side)
    assert body.volume_mm3 == pytest.approx(4 / 3 * np.pi * 20 * 30 * 50, rel=0.01)
    assert body.size == pytest.approx([40, 60, 100], rel=0.03)
    assert trimesh.Trimesh(body.points, body.faces).is_watertight


def test_a_surface_is_parted_at_its_slices_and_made_coarser():
    mesh = read_body(stl(pear())).mesh
    shares = parted(mesh, [0, 25, 50, 75, 100])
    area = sum(np.linalg.norm(np.cross(s[:, 1] - s[:, 0], s[:, 2] - s[:, 0]), axis=1).sum() / 2 for s in shares)
    assert area == pytest.approx(mesh.area_mm2, rel=1e-9)
    for n, share in enumerate(shares):
        assert share[:, :, 2].min() >= 25 * n - 1e-6
        assert share[:, :, 2].max() <= 25 * (n + 1) + 1e-6
    small = coarser(mesh, 500)
    assert len(small.faces) <= 500
    assert small.volume_mm3 == pytest.approx(mesh.volume_mm3, rel=0.15)


# -- as a work -------------------------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def sliced_pear():
    body = body_of(stl(pear()), "120 mm", "mm")
    return body_from(body, "Pear", Cutting(6.0, 120.0, "z", 6.0), Wishes("walnut"))


def test_every_slice_is_a_part_with_a_step_and_its_glue(sliced_pear):
    plan = Plan(sliced_pear)
    job = plan.job
    body = sliced_pear.decisions.space.bodies[0]
    assert body.count == 20 == len(job.of_one)
    assert {part.role for part in job.of_one} == {"slice"}
    told = space_json(job)["slices"][0]
    assert told["sliced_mm3"] == pytest.approx(sum(p.area_mm2 for p in job.of_one) * 6.0)
    # the hole of the pin is missing in all that it runs through
    holes = sum(pin.last - pin.first + 1 for pin in body.pins) * 6.0**3
    assert told["sliced_mm3"] + holes == pytest.approx(told["volume_mm3"], rel=0.05)
    labels = [step.label for step in plan.steps]
    assert any(label.startswith("Glue") for label in labels)
    assert plan.schedule.slots


def test_glue_goes_from_the_pin_outwards(sliced_pear):
    job = job_of(sliced_pear)
    order = together_of(job, sliced_pear.layers[0]).order
    level = {s.piece: s.level for s in sliced_pear.decisions.space.bodies[0].slices}
    levels = [level[going.key] for going in order]
    assert levels[0] == 10
    assert all(abs(n - 10) <= abs(m - 10) for n, m in zip(levels, levels[1:], strict=False))
    assert all(going.touches for going in order[1:])
    plan = Plan(sliced_pear)
    assert [step.piece for step in plan.glue.steps] == [going.key for going in order]


def test_slices_lie_on_each_other_in_space(sliced_pear):
    """Corners of all slices as they stand: from the table to the body's height, each on the one before it."""
    job = job_of(sliced_pear)
    poses = poses_of(job)
    total, low, high = 0.0, np.inf, -np.inf
    for key, pose in poses.items():
        assert np.linalg.det(pose.turn) == pytest.approx(1)
        rim = shapely.get_coordinates(job.pieces[key].outline)
        corners = np.concatenate([pose.at(rim, 0.0), pose.at(rim, 6.0)])
        total += job.pieces[key].area_mm2 * 6.0
        low, high = min(low, corners[:, 2].min()), max(high, corners[:, 2].max())
    assert high - low == pytest.approx(120)
    assert low == pytest.approx(0, abs=1e-6)
    assert total == pytest.approx(space_json(job)["slices"][0]["sliced_mm3"])
    faces = [c for c in contacts_of(job) if c.kind == "face"]
    assert len(faces) == 19


def test_thicker_stock_is_told_and_cut_again(sliced_pear):
    keys = [p.key for p in sliced_pear.made]
    thick = applied(sliced_pear, edit(sliced_pear, "thickness", keys, {"length": "6.4 mm"}))
    finding = next(f for f in Plan(thick).every_finding if f.code == "slice-thickness")
    assert "8 mm longer" in finding.sentence
    again = applied(thick, edit(thick, finding.fix.verb, [], finding.fix.values))
    body = again.decisions.space.bodies[0]
    assert (body.thickness_mm, body.count) == (6.4, 19)
    assert len(again.made) == 19
    assert {again.wood_of(p) for p in again.made} == {"walnut"}
    assert "slice-thickness" not in {f.code for f in Plan(again).every_finding}


def test_slices_of_different_stock_count_on_the_average(sliced_pear):
    keys = [p.key for p in sliced_pear.made]
    mixed = applied(sliced_pear, edit(sliced_pear, "thickness", keys[:10], {"length": "6.2 mm"}))
    told = space_json(job_of(mixed))["slices"][0]
    assert told["stock_mm"] == pytest.approx(6.1)
    assert "slice-thickness" in {f.code for f in Plan(mixed).every_finding}


def test_double_the_size_wants_double_the_stock(sliced_pear):
    twice = applied(sliced_pear, edit(sliced_pear, "grow_body", [], {"times": "2"}))
    body = twice.decisions.space.bodies[0]
    assert (body.count, body.thickness_mm, body.height_mm) == (20, 12.0, 240.0)
    volumes = [space_json(job_of(w))["slices"][0]["sliced_mm3"] for w in (sliced_pear, twice)]
    assert volumes[1] == pytest.approx(8 * volumes[0], rel=1e-3)
    scaled = applied(sliced_pear, edit(sliced_pear, "resize", [], {"width": "600 mm", "thickness": "yes"}))
    own = scaled.decisions.space.bodies[0]
    assert own.thickness_mm / own.height_mm == pytest.approx(6 / 120, rel=1e-3)


def test_another_way_keeps_woods_and_undoes_nothing(sliced_pear):
    other = applied(sliced_pear, edit(sliced_pear, "slice", [], {"along": "y", "pin": "0", "islands": "loose"}))
    body = other.decisions.space.bodies[0]
    assert body.along == "y"
    assert not body.pins
    assert {s.piece for s in body.slices} == {p.key for p in other.made}
    with pytest.raises(BadChoice, match="mirrored"):
        edit(sliced_pear, "mirror", [], {})
    for values, words in (
        ({"slice_thickness": "0.1 mm"}, "thick"),
        ({"along": "w"}, "sliced along"),
        ({"slice_thickness": "0.5 mm", "body_height": "400 mm"}, "slices"),
    ):
        with pytest.raises((BadChoice, BadLength), match=words):
            edit(sliced_pear, "slice", [], values)


def test_a_file_keeps_the_body(sliced_pear):
    data = write_project(Project(sliced_pear, "2026-01-01T00:00:00+00:00"))
    back = read_planned(data).composition
    assert back.decisions == sliced_pear.decisions
    assert applied(back, edit(back, "slice", [], {"along": "x"})).decisions.space.bodies[0].along == "x"


def test_slices_are_drawn_on_each_other_and_where_no_pin_holds_them(sliced_pear):
    job = job_of(sliced_pear)
    planes = [page.plane for page in print_pack(job, "piles", "A3", {}).pages]
    piles = [plane for plane in planes if plane.name.startswith("Slices")]
    assert [len(plane.edges) for plane in piles] == [8, 8, 4]
    body = sliced_pear.decisions.space.bodies[0]
    bare = [n for n in range(body.count) if not any(pin.first <= n <= pin.last for pin in body.pins)]
    lone = [plane for plane in planes if plane.name.startswith("Where")]
    assert bare
    assert len(lone) == len(bare)
    # true to size: as wide as the slice itself
    one = piles[0].edges[0].bounds
    assert one[2] - one[0] == pytest.approx(job.pieces[1].outline.bounds[2] - job.pieces[1].outline.bounds[0], abs=1e-3)


def test_the_command_slices_and_the_plan_shows_it(tmp_path, capsys):
    (tmp_path / "lamp.stl").write_bytes(stl(lamp()))
    out = tmp_path / "lamp.ember"
    command = ["slice", str(tmp_path / "lamp.stl"), "--thickness", "6mm", "--height", "60mm", "--wood", "cherry"]
    assert main([*command, "-o", str(out)]) == 0
    assert main(["plan", str(out)]) == 0
    told = json.loads(capsys.readouterr().out)["slices"][0]
    assert told["count"] == 10 == len(told["slices"])
    assert told["stock_mm"] == 6.0
    assert {way["along"] for way in told["ways"]} == {"x", "y", "z"}
    # all slices are alike: they are sawn in pairs
    assert len(told["pairs"]) == 5
    for one in told["slices"]:
        for part in one["parts"]:
            assert shapely.Polygon(part["rings"][0], part["rings"][1:]).area == pytest.approx(
                part["area_mm2"], rel=1e-4
            )
    assert main(["export", str(out), "--to", "pdf", "--pack", "piles", "-o", str(tmp_path / "p.pdf")]) == 0
    assert (tmp_path / "p.pdf").read_bytes().startswith(b"%PDF")


def test_the_command_blows_up_two_outlines_and_stretches_one_only_when_told(tmp_path, capsys):
    views = {"front": "M5 5H45V65H5Z", "side": "M5 5H45V45H5Z"}
    for name, path in views.items():
        shape = f'<path d="{path}" fill="#a33"/>'
        sheet = f'<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="80mm" viewBox="0 0 60 80">{shape}</svg>'
        (tmp_path / f"{name}.svg").write_text(sheet, encoding="utf-8")
    asked = ["slice", str(tmp_path / "front.svg"), "--side", str(tmp_path / "side.svg"), "--thickness", "6mm"]
    asked += ["-o", str(tmp_path / "body.ember")]
    assert main(asked) == 2
    assert "two views of one body are of one height" in capsys.readouterr().err
    assert not (tmp_path / "body.ember").exists()
    assert main([*asked, "--stretch"]) == 0
    (body,) = read_project((tmp_path / "body.ember").read_bytes()).composition.decisions.space.bodies
    assert (body.height_mm, body.count) == (pytest.approx(60, abs=0.5), 10)
