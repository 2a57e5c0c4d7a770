"""Bringing a drawing: upload, progress, accept, stop; and everything that is no drawing."""

import pytest
from django.utils import timezone

from emberquilt.formats.project import write_project
from emberquilt.intake import by_hand
from emberquilt.intake.knobs import Knobs
from tests.core import test_intake_kinds, test_intake_picture, test_intake_svg, test_intake_widths, test_leaving
from tests.core.test_by_hand import WINDOW
from tests.web.conftest import entry, said, sync, upload
from workshop import progress
from workshop.compositions import actions, tasks
from workshop.compositions.models import Composition, Draft
from workshop.compositions.proposals import proposed, unpack_proposal
from workshop.compositions.uploads import MOST_UPLOAD
from workshop.longwork.doing import do
from workshop.shop.actions import practice_of


def bring(client, data: bytes, name: str = "drawing.svg", width: str = "18 in"):
    return client.post("/bring/", {"drawing": upload(data, name), "width": width})


def test_from_a_file_to_pieces(client, person, koi_svg):
    response = bring(client, koi_svg, "two_koi-lines.svg")
    draft = Draft.objects.get()
    assert response.url == f"/draft/{draft.uid}/"
    assert (draft.state, draft.name) == ("ready", "Two koi lines")
    text = client.get(response.url).content.decode()
    assert '<span class="found">62</span>' in text
    scene = client.get(f"/draft/{draft.uid}/scene.json").json()
    assert len(scene["shapes"]) == 62
    assert scene["underlay"] == pytest.approx([0, 0, 457.2, 304.8])
    assert client.get(f"/draft/{draft.uid}/source").content == koi_svg
    accepted = client.post(f"/draft/{draft.uid}/accept/", {"name": "Two koi"})
    row = Composition.objects.get()
    assert accepted.url == f"/picture/{row.uid}/wood/"
    assert (row.name, row.pieces.count(), row.outlines.count()) == ("Two koi", 62, 62)
    assert list(row.pieces.values_list("number", flat=True)) == list(range(1, 63))
    assert not Draft.objects.exists()
    assert bytes(row.source.data) == koi_svg


def test_another_width_finds_them_again(client, person, koi_svg):
    bring(client, koi_svg)
    draft = Draft.objects.get()
    client.post(f"/draft/{draft.uid}/again/", {"how": "width", "size": "300 mm", "outside": "keep"})
    draft.refresh_from_db()
    assert (draft.state, draft.result["width_mm"], draft.knobs["outside"]) == ("ready", 300, "keep")
    bad = client.post(f"/draft/{draft.uid}/again/", {"how": "width", "size": "-3"})
    assert bad.status_code == 422
    assert "below zero" in said(bad)
    draft.refresh_from_db()
    assert draft.result["width_mm"] == 300


BAD = {f"svg: {k}": v for k, v in test_intake_svg.BAD.items()} | {
    f"picture: {k}": v for k, v in test_intake_picture.BAD.items()
}
BAD |= {k: (data, words) for k, (data, knobs, words) in test_intake_kinds.BAD.items() if knobs == Knobs()}


@pytest.mark.parametrize("name", BAD)
def test_every_bad_drawing_ends_in_a_sentence_and_keeps_nothing_half_done(client, person, name):
    data, _ = BAD[name]
    response = client.post("/bring/", {"drawing": upload(data, "x.png"), "width": "18 in", "kind": "line"}, follow=True)
    assert response.status_code == 200
    assert said(response).endswith(".")
    assert not Composition.objects.exists()
    for draft in Draft.objects.all():
        assert draft.state == "failed"
        assert client.post(f"/draft/{draft.uid}/accept/").status_code == 422
        assert client.get(f"/draft/{draft.uid}/scene.json").status_code == 422


@pytest.mark.parametrize("width", ["0", "-3", "abc", "40 m", "", "9" * 300, "1/0"])
def test_bad_widths_end_in_a_sentence(client, person, koi_svg, width):
    response = client.post("/bring/", {"drawing": upload(koi_svg), "width": width}, follow=True)
    assert response.status_code == 200
    assert said(response).endswith(".")
    assert not Draft.objects.exists()


def test_no_file_at_all(client, person):
    assert "Choose a file first" in said(client.post("/bring/", {"width": "18 in"}, follow=True))


def test_what_is_too_large_is_said_before_it_is_read(client, person):
    answer = client.post("/bring/", {"drawing": upload(bytes(MOST_UPLOAD + 1)), "width": "18 in"}, follow=True)
    assert "This file is 60 MB; up to 60 MB can be read." in said(answer)
    assert not Draft.objects.exists()


def test_progress_is_shown_and_can_be_stopped(client, person, koi_svg, settings):
    settings.LONG_WORK_AT_ONCE = False
    bring(client, koi_svg)
    draft = Draft.objects.get()
    waiting = client.get(f"/draft/{draft.uid}/", headers={"HX-Request": "true"})
    assert b"Finding the pieces" in waiting.content
    assert b'hx-trigger="every 400ms"' in waiting.content
    client.post(f"/draft/{draft.uid}/stop/")
    draft.refresh_from_db()
    assert draft.state == "stopped"
    assert client.get(f"/draft/{draft.uid}/", headers={"HX-Request": "true"}).headers["HX-Refresh"] == "true"
    assert b"Stopped" in client.get(f"/draft/{draft.uid}/").content
    # the worker comes too late: it must not bring the draft back to life
    do(tasks.PIECES, draft.pk, draft.turn)
    draft.refresh_from_db()
    assert (draft.state, draft.result) == ("stopped", None)


def test_a_stop_reaches_the_work_under_way(person, koi_svg, monkeypatch):
    draft = Draft.objects.create(
        owner=person, name="x", file_name="x.svg", data=koi_svg, knobs={"how": "width", "size": "18 in"}, turn=1
    )
    monkeypatch.setattr(progress, "EVERY_SECONDS", 0)
    heard = []

    def find(data, size, knobs, *, font, over, progress, say):
        progress(0.3, "first")
        heard.append("first")
        Draft.objects.filter(pk=draft.pk).update(state="stopped")
        progress(0.6, "second")
        heard.append("second")

    monkeypatch.setattr(tasks, "propose", find)
    do(tasks.PIECES, draft.pk, 1)
    draft.refresh_from_db()
    assert heard == ["first"]
    assert draft.state == "stopped"


def test_what_breaks_unexpectedly_is_told_too(client, person, koi_svg, monkeypatch):
    draft = Draft.objects.create(
        owner=person, name="x", file_name="x.svg", data=koi_svg, knobs={"how": "width", "size": "18 in"}, turn=1
    )
    monkeypatch.setattr(tasks, "propose", lambda *a, **k: 1 / 0)
    do(tasks.PIECES, draft.pk, 1)
    assert (
        "broke the reading" in said(client.get(f"/draft/{draft.uid}/"))
        or b"broke the reading" in client.get(f"/draft/{draft.uid}/").content
    )


# project files


def test_a_project_leaves_and_returns_with_its_log(client, work, page):
    page.do(work, "wood", "wood", "1-6", wood="walnut")
    page.do(work, "assembly", "anchor", "2")
    sync(client, work, entry(step="saw", parts=["1"], minutes=3, text="as it came", who="Ada", sawn=60, x=1, y=2))
    work.refresh_from_db()
    now = timezone.now()
    first = write_project(actions.project_of(work, now))
    response = bring(client, first, "a-test.ember")
    copy = Composition.objects.exclude(pk=work.pk).get()
    assert response.url.startswith(f"/picture/{copy.uid}/")
    assert copy.events.count() == 1
    assert write_project(actions.project_of(copy, now)) == first
    served = client.get(f"/picture/{copy.uid}/out/project")
    assert served.headers["Content-Disposition"] == 'attachment; filename="a-test.ember"'


@pytest.mark.parametrize("name", [n for n in test_leaving.BAD if n not in ("not a zip", "empty")])
def test_bad_project_files_end_in_a_sentence(client, person, name):
    data, _ = test_leaving.BAD[name]
    response = client.post("/bring/", {"drawing": upload(data, "x.ember"), "width": ""}, follow=True)
    assert response.status_code == 200
    assert said(response).endswith(".")
    assert not Composition.objects.exists()


def test_a_damaged_log_keeps_nothing(client, person):
    event = {"part": "1", "step": "saw", "what": "done", "minutes": 1, "estimate_minutes": 1, "at": "yesterday"}
    data = test_leaving.rewritten(lambda d: d["log"].append(event))
    response = client.post("/bring/", {"drawing": upload(data, "x.ember"), "width": ""}, follow=True)
    assert "log is damaged" in said(response)
    assert not Composition.objects.exists()


def test_a_coloured_drawing_suggests_its_woods(client, person, page):
    body = "<rect width='50' height='60' fill='#a5361b'/><rect x='50' width='50' height='60' fill='#5d3f2b'/>"
    bring(
        client,
        f"<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 100 60'><g stroke='#000'>{body}</g></svg>".encode(),
    )
    client.post(f"/draft/{Draft.objects.get().uid}/accept/", {"name": "Two boards"})
    row = Composition.objects.get()
    text = client.get(f"/picture/{row.uid}/wood/?pieces=1").content.decode()
    assert "Nearest to its colour" in text
    assert "all of this colour" in text
    assert page.do(row, "wood", "nearest", "1-2").status_code == 200
    assert list(row.pieces.values_list("wood", flat=True)) == ["padauk", "walnut"]


def test_two_tabs_accept_only_once(person, koi_svg):
    draft = Draft.objects.create(
        owner=person, name="x", file_name="x.svg", data=koi_svg, knobs={"how": "width", "size": "18 in"}, turn=1
    )
    do(tasks.PIECES, draft.pk, 1)
    first, second = Draft.objects.get(), Draft.objects.get()
    actions.accept_draft(first, "x", practice_of(person))
    with pytest.raises(actions.Stale, match="another window"):
        actions.accept_draft(second, "x", practice_of(person))
    assert Composition.objects.count() == 1


def test_the_unit_of_a_drawing_is_asked_for_on_its_page(client, person):
    bring(client, test_intake_kinds.board_dxf(None), "board.dxf")
    draft = Draft.objects.get()
    assert 'name="unit"' in client.get(f"/draft/{draft.uid}/").content.decode()
    client.post(f"/draft/{draft.uid}/again/", {"how": "percent", "size": "100"})
    assert "choose the unit" in client.get(f"/draft/{draft.uid}/").content.decode()
    client.post(f"/draft/{draft.uid}/again/", {"how": "percent", "size": "100", "unit": "cm"})
    draft.refresh_from_db()
    assert draft.result["width_mm"] == pytest.approx(1000)


def test_a_coloured_picture_is_told_by_its_colours_or_as_the_person_says(client, person):
    bring(client, test_intake_widths.plate(), "plate.png")
    draft = Draft.objects.get()
    assert draft.result["read_as"] == ["painted", "3 colours"]
    client.post(f"/draft/{draft.uid}/again/", {"how": "width", "size": "18 in", "kind": "photo", "by": "colour"})
    draft.refresh_from_db()
    assert draft.result["read_as"][1].endswith("told apart by colour")
    client.post(f"/draft/{draft.uid}/again/", {"how": "width", "size": "18 in", "by": "lightness"})
    draft.refresh_from_db()
    assert draft.result["read_as"][1].endswith("told apart by lightness")


def test_each_stroke_is_made_once_and_comes_to_the_same(client, person, monkeypatch):
    bring(client, WINDOW, "window.svg", "100 mm")
    row = Draft.objects.get()
    made = []
    monkeypatch.setattr(by_hand, "after", lambda *a, after=by_hand.after: made.append(1) or after(*a))
    one, two, three = "[[12,0],[12,40]]", "[[37,0],[37,40]]", "[[62,40],[62,80]]"
    for line in [one, two, three, "back", three, "back", "back", two]:
        told = {"do": "back"} if line == "back" else {"do": "line", "points": line}
        answer = client.post(f"/draft/{row.uid}/by-hand/", told)
        assert answer.status_code == 200, answer.content
        row.refresh_from_db()
        before = len(made)
        shown = client.get(f"/draft/{row.uid}/scene.json").json()
        assert len(made) - before <= 1
        again = by_hand.by_hand(unpack_proposal(row.result), by_hand.strokes_of(row.knobs["by_hand"]))
        assert proposed(row).coverage.by_key == again.coverage.by_key
        assert len(shown["shapes"]) == again.faces
    assert again.faces == 6
    # while it is read anew what was found before is shown, and what comes of it then, though its outlines be the same
    row.turn, row.state = row.turn + 7, Draft.State.WORKING
    assert proposed(row).kind == again.kind
    row.state, row.result = Draft.State.READY, row.result | {"kind": "another"}
    assert proposed(row).kind == "another"
    row.refresh_from_db()
    # read anew, the strokes are made anew
    client.post(f"/draft/{row.uid}/again/", {"how": "width", "size": "200 mm"})
    row.refresh_from_db()
    assert proposed(row).coverage.bounds_mm[2] == pytest.approx(200, abs=1)
    assert proposed(row).faces == 6
