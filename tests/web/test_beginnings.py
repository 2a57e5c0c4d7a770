"""Ways to begin that are no flat drawing, and the pages of what comes of them."""

import json
import re

import pytest
import trimesh
from django.core.files.uploadedfile import SimpleUploadedFile

from emberquilt.work.joints import slots_of
from emberquilt.work.parts import job_of
from tests.core.test_slots import drawn_svg
from tests.walks import SPATIAL, small_work
from workshop.compositions import actions, store, tasks
from workshop.compositions.demo import solids
from workshop.compositions.models import Composition, Draft
from workshop.longwork.doing import do

STATIONS = ("pattern", "wood", "relief", "stock", "saw", "assembly", "calendar", "log")


def upload(name: str, data: bytes | str) -> SimpleUploadedFile:
    return SimpleUploadedFile(name, data.encode() if isinstance(data, str) else data)


def test_a_body_becomes_a_work_in_slices(client, person):
    mesh = trimesh.creation.cylinder(20, 60, sections=24)
    values = {"body": upload("a-post.stl", mesh.export(file_type="stl")), "body_height": "60 mm"}
    answer = client.post("/begin/slices/", values | {"slice_thickness": "6 mm", "along": "z", "pin": "5 mm"})
    row = Composition.objects.get()
    assert answer.url == f"/picture/{row.uid}/relief/"
    assert row.name == "A post"
    page = client.get(answer.url).content.decode()
    assert "10 of" in page
    assert 'data-mesh="' in page
    packed = client.get(f"/picture/{row.uid}/mesh.bin").content
    assert packed.startswith(b"EQ3D")


def test_parts_in_slots_and_a_block(client, person):
    plan = upload("desk.svg", drawn_svg(solids.desk_lighthouse()))
    answer = client.post("/begin/slots/", {"plan": plan, "thickness": "5 mm"})
    work = store.load(Composition.objects.get())
    assert len(work.decisions.space.joints) == 6
    assert [p.number for p in work.made] == [1, 2, 3, 4]
    page = client.get(answer.url).content.decode()
    slots = slots_of(work, job_of(work).thickness_mm)
    assert {round(slot.wide_mm, 6) for slot in slots} == {5.1}
    assert page.count("5.10 mm") >= 6
    faces = {
        "front": upload("front.svg", drawn_svg(solids.teapot_front())),
        "side": upload("side.svg", drawn_svg(solids.teapot_side())),
    }
    answer = client.post("/begin/block/", faces | {"block": "57 mm"})
    assert "parts of one block" in client.get(answer.url).content.decode()
    assert Composition.objects.count() == 2


def test_a_body_between_two_outlines(client, person):
    faces = {
        "front": upload("front.svg", drawn_svg(solids.teapot_side())),
        "side": upload("side.svg", drawn_svg(solids.teapot_side())),
    }
    answer = client.post("/begin/slices/", faces | {"slice_thickness": "8 mm", "pin": "0", "body_height": "80 mm"})
    assert "lying slices, from" in client.get(answer.url).content.decode()


def test_outlines_of_two_heights_are_refused_or_stretched_as_the_page_offers(client, person):
    def sent(more: dict):
        square = '<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="80mm" viewBox="0 0 60 80">{}</svg>'
        shapes = ('<path d="M5 5H45V65H5Z" fill="#a33"/>', '<path d="M5 5H45V45H5Z" fill="#a33"/>')
        faces = {n: upload(f"{n}.svg", square.format(s)) for n, s in zip(("front", "side"), shapes, strict=True)}
        return client.post("/begin/slices/", faces | {"slice_thickness": "8 mm", "along": "z"} | more, follow=True)

    refused = sent({}).content.decode()
    assert "two views of one body are of one height" in refused
    assert Composition.objects.count() == 0
    form = refused[refused.index('action="/begin/slices/"') :]
    assert 'name="stretch"' in form[: form.index("</form>")]
    sent({"stretch": "yes"})
    (body,) = store.load(Composition.objects.get()).decisions.space.bodies
    assert body.height_mm == pytest.approx(60, abs=0.5)


@pytest.mark.parametrize(
    ("way", "values", "words"),
    [
        ("slices", {}, "Choose a file first"),
        ("slices", {"body": ("x.stl", b"none"), "slice_thickness": "6 mm"}, "no faces|cannot be read|too early"),
        ("slices", {"body": ("x.stl", "cube"), "slice_thickness": "6 mm"}, "how high"),
        ("slices", {"body": ("x.stl", "cube"), "slice_thickness": "x", "body_height": "20 mm"}, "length|understood"),
        ("slices", {"body": ("x.stl", "cube"), "slice_thickness": "0.5 mm", "body_height": "900 mm"}, "slices"),
        ("block", {"front": ("f.svg", "front")}, "Choose a file first"),
        ("block", {"front": ("f.svg", "front"), "side": ("s.svg", b"<svg"), "block": "38 mm"}, "."),
        ("slots", {"plan": ("p.svg", b"not a drawing")}, "."),
    ],
)
def test_a_bad_beginning_ends_in_a_sentence(client, person, way, values, words):
    made = {
        "cube": trimesh.creation.box((10, 10, 10)).export(file_type="stl"),
        "front": drawn_svg(solids.teapot_side()),
    }
    files = {
        name: upload(value[0], made.get(value[1], value[1]) if isinstance(value[1], str) else value[1])
        if isinstance(value, tuple)
        else value
        for name, value in values.items()
    }
    answer = client.post(f"/begin/{way}/", files)
    assert answer.url == "/begin/"
    told = re.search(r">\s*([^<>]+?)\s*<button type=\"button\">All right", client.get("/begin/").content.decode())
    assert not Composition.objects.exists()
    assert told
    assert re.search(words, told[1])


def test_a_body_at_the_front_door_is_shown_the_way(client, person):
    data = trimesh.creation.box((10, 10, 10)).export(file_type="stl")
    answer = client.post("/bring/", {"drawing": upload("cube.stl", data), "width": "200 mm"})
    assert answer.url == "/begin/"
    assert "This is a body" in client.get("/begin/").content.decode()


def test_there_is_no_other_way(client, person):
    assert client.post("/begin/magic/").status_code == 404
    assert client.get("/begin/slices/").status_code == 405


@pytest.mark.parametrize("kind", sorted(SPATIAL))
def test_every_station_shows_a_work_that_is_not_flat(client, person, kind):
    row = actions.create(person, small_work(kind))
    work = store.load(row)
    keys = ",".join(str(p.key) for p in work.made[:1])
    for station in STATIONS:
        for query in ("", f"?pieces={keys}"):
            assert client.get(f"/picture/{row.uid}/{station}/{query}").status_code == 200, (station, query)
    assert client.get(f"/picture/{row.uid}/bench/").status_code == 200
    for pack in ("coupon", "piles", "faces", "ready"):
        assert client.get(f"/picture/{row.uid}/print/?pack={pack}").status_code == 200


def test_verbs_of_the_page_and_undo(client, person, page):
    row = actions.create(person, small_work("standing"))
    before = store.load(row).decisions.space
    assert page.do(row, "relief", "turn_part", "1").status_code == 200
    row.refresh_from_db()
    assert store.load(row).decisions.space != before
    actions.undo(row, row.revision)
    row.refresh_from_db()
    assert store.load(row).decisions.space == before
    answer = page.do(row, "relief", "stand_in", "2-3", count="1", points=json.dumps([[60, 110], [80, 110]]))
    assert answer.status_code == 200
    row.refresh_from_db()
    assert len(store.load(row).decisions.space.joints) == 3
    page.do(row, "relief", "stand_in", "2-3", count="99")
    row.refresh_from_db()
    assert len(store.load(row).decisions.space.joints) == 3


def test_a_body_is_cut_again_on_the_page_and_taken_back(client, person, page):
    row = actions.create(person, small_work("stacked"))
    kept = store.load(row)
    assert page.do(row, "relief", "slice", slice_thickness="4 mm").status_code == 200
    row.refresh_from_db()
    assert store.load(row).decisions.space.bodies[0].count == 6
    actions.undo(row, row.revision)
    row.refresh_from_db()
    back = store.load(row)
    assert back.decisions == kept.decisions
    assert [p.key for p in back.made] == [p.key for p in kept.made]
    assert all(
        a.equals(b) for a, b in zip(back.layers[0].coverage.outlines, kept.layers[0].coverage.outlines, strict=True)
    )


def test_what_is_made_of_files_is_waited_for_and_can_be_stopped(client, person, settings):
    """Slicing is long work like any other: the page waits, shows how far it is, and leads on."""
    settings.LONG_WORK_AT_ONCE = False
    mesh = trimesh.creation.cylinder(20, 60, sections=24).export(file_type="stl")
    values = {"body_height": "60 mm", "slice_thickness": "6 mm", "along": "z", "pin": "0"}

    def asked() -> Draft:
        answer = client.post("/begin/slices/", values | {"body": upload("a-post.stl", mesh)})
        draft = Draft.objects.get()
        assert answer.url == f"/draft/{draft.uid}/"
        page = client.get(answer.url).content.decode()
        assert "Making it of your files" in page
        assert 'hx-trigger="every' in page
        return draft

    draft = asked()
    client.post(f"/draft/{draft.uid}/stop/")
    do(tasks.PIECES, draft.pk, draft.turn)
    assert not Composition.objects.exists()
    answer = client.get(f"/draft/{draft.uid}/", follow=True)
    assert "You stopped it" in answer.content.decode()
    assert not Draft.objects.exists()
    draft = asked()
    do(tasks.PIECES, draft.pk, draft.turn)
    waiting = client.get(f"/draft/{draft.uid}/", headers={"HX-Request": "true"})
    assert waiting.headers["HX-Refresh"] == "true"
    row = Composition.objects.get()
    assert client.get(f"/draft/{draft.uid}/").url == f"/picture/{row.uid}/relief/"
    assert not Draft.objects.exists()


def test_a_try_that_was_stopped_at_the_last_moment_leaves_no_work(client, person, settings, monkeypatch):
    settings.LONG_WORK_AT_ONCE = False
    mesh = trimesh.creation.cylinder(20, 60, sections=24).export(file_type="stl")
    values = {"body": upload("a-post.stl", mesh), "body_height": "60 mm", "slice_thickness": "6 mm"}
    client.post("/begin/slices/", values)
    draft = Draft.objects.get()
    real = tasks.made_by_way

    def stopped(*asked):
        made = real(*asked)
        Draft.objects.update(state="stopped")
        return made

    monkeypatch.setattr(tasks, "made_by_way", stopped)
    do(tasks.PIECES, draft.pk, draft.turn)
    assert not Composition.objects.exists()
    assert Draft.objects.get().state == "stopped"
