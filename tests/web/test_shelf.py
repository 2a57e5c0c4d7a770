"""The shelf: many works, broken ones, the work to begin with; and pages of states that once had none."""

import re

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from emberquilt.errors import EmberError
from tests.conftest import composition, grid
from tests.nasty import WRONG, places, project_file, sound_document
from tests.walks import chosen, small_work, steps
from tests.web.conftest import laid, said, upload
from workshop.compositions import actions, store
from workshop.compositions.models import Composition
from workshop.entry.person import local_person
from workshop.shop.actions import keep_wood, rack_of, shop_of
from workshop.shop.models import OwnWood
from workshop.stations.rule import NAMES
from workshop.stations.told import tell_afresh

EXPORTS = ("pdf", "svg", "dxf", "csv", "parts", "project")


def every_page(client, row):
    """Every station in every view, every export, the bench, palettes, packs and the shelf."""
    views = ["front", "apart", *(str(layer.key) for layer in store.load(row).layers)]
    for view in views:
        yield from (f"/picture/{row.uid}/{station}/?view={view}" for station in NAMES)
        yield from (f"/picture/{row.uid}/{page}?view={view}" for page in ("palettes/", "pack/", "shapes.json"))
    yield from (f"/picture/{row.uid}/out/{kind}" for kind in EXPORTS)
    yield from (f"/picture/{row.uid}/{page}" for page in ("bench/", "look.jpg", "thumb.json", "tag/"))
    yield "/"


def assert_all_open(client, row):
    for address in every_page(client, row):
        assert client.get(address).status_code == 200, address


@pytest.mark.parametrize("kind", ["one", "sheet", "three"])
def test_a_layer_of_openings_only_has_all_its_pages_and_can_be_undone(client, person, page, kind):
    row = actions.create(person, small_work(kind))
    made = ",".join(str(p.key) for p in store.load(row).usual_layer.without_openings.pieces)
    assert page.do(row, "pattern", "overlay", made, how="move").status_code == 200
    row.refresh_from_db()
    assert_all_open(client, row)
    answer = page.post(f"/picture/{row.uid}/undo/pattern/", revision=row.revision)
    assert answer.status_code == 200
    row.refresh_from_db()
    assert_all_open(client, row)


ALL_ROUND = "[[-50,-50],[200,-50],[200,200],[-50,200]]"


@pytest.mark.parametrize("kind", ["one", "sheet", "three"])
@pytest.mark.parametrize("how", ["opened", "dropped"])
def test_a_layer_whose_last_piece_is_taken_has_all_its_pages(client, person, page, kind, how):
    """Everything is drawn round and opened, or the last piece of wood is dropped beside openings that stay."""
    row = actions.create(person, small_work(kind))
    if how == "opened":
        view = str(store.load(row).usual_layer.key)
        assert page.do(row, "pattern", "opening", points=ALL_ROUND, view=view).status_code == 200
    else:
        layer = store.load(row).usual_layer
        first, *rest = [p.key for p in layer.without_openings.pieces]
        opened = page.do(row, "pattern", "overlay", str(first), how="move")
        assert opened.status_code == 200
        if rest:
            page.do(row, "pattern", "drop", ",".join(map(str, rest)))
    row.refresh_from_db()
    assert_all_open(client, row)


class Walks(TestCase):
    @settings(max_examples=7)
    @given(st.sampled_from(["one", "sheet", "three"]), st.lists(steps(), min_size=1, max_size=4))
    def test_every_page_of_every_state_that_verbs_reach(self, kind, path):
        person = local_person()
        row = actions.create(person, small_work(kind))
        for verb, rule, turn, values in path:
            work = store.load(row)
            layer = work.layers[turn % len(work.layers)]
            try:
                row = actions.perform(row, row.revision, verb, chosen(layer, rule, turn), values, layer.key)
            except EmberError:
                continue
        row.refresh_from_db()
        assert_all_open(self.client, row)

    @settings(max_examples=40)
    @given(st.sampled_from([p for p in places(sound_document()) if p]), st.sampled_from(WRONG))
    def test_a_project_file_with_one_wrong_value_breaks_no_page(self, place, wrong):
        before = Composition.objects.count()
        answer = self.client.post(
            "/bring/", {"drawing": upload(project_file(sound_document(), place, wrong), "x.ember"), "width": ""}
        )
        assert answer.status_code == 302
        if Composition.objects.count() == before:
            assert said(self.client.get("/")).endswith(".")
            return
        assert_all_open(self.client, Composition.objects.latest("id"))


@pytest.mark.parametrize("start", ["9999-12-31", "0001-01-01", "2026-02-31", "0000-00-00", "soon", "1066-10-14"])
def test_a_first_day_that_cannot_be_is_refused(client, work, page, start):
    assert page.do(work, "calendar", "start", start=start).status_code == 422
    work.refresh_from_db()
    assert work.revision == 1
    assert client.get("/").status_code == 200


@pytest.fixture
def broken(work, page):
    """A work that an earlier version let break: its first day is none."""
    page.do(work, "wood", "wood", "1-6", wood="walnut")
    page.do(work, "calendar", "start", start="2030-01-07")
    Composition.objects.filter(pk=work.pk).update(decisions={"calendar": {"start": "0000-00-00"}})
    work.refresh_from_db()
    return work


def test_a_broken_work_is_one_card_with_ways_out(client, person, broken):
    sound = actions.create(person, composition(grid(2, 2)))
    client.get(f"/picture/{sound.uid}/tag/")
    text = client.get(f"/picture/{broken.uid}/tag/").content.decode()
    assert "cannot be shown" in text
    shelf = client.get("/")
    assert shelf.status_code == 200
    text = shelf.content.decode()
    assert text.count("cannot be shown") == 1
    assert f"/picture/{sound.uid}/" in text
    for way in (
        f"/picture/{broken.uid}/undo/pattern/",
        f"/picture/{broken.uid}/out/project",
        f"/picture/{broken.uid}/discard/",
    ):
        assert way in text
    # its own pages say so too, with the same ways out
    page = client.get(f"/picture/{broken.uid}/saw/")
    assert page.status_code == 422
    assert f"/picture/{broken.uid}/undo/pattern/" in page.content.decode()
    assert client.get(f"/picture/{broken.uid}/out/project").status_code == 200
    answer = client.post(f"/picture/{broken.uid}/undo/pattern/", {"revision": broken.revision, "back": "shelf"})
    assert answer.url == "/"
    broken.refresh_from_db()
    assert "cannot be shown" not in client.get("/").content.decode()
    assert client.get(f"/picture/{broken.uid}/saw/").status_code == 200
    assert "cannot be shown" not in client.get(f"/picture/{broken.uid}/tag/").content.decode()
    client.post(f"/picture/{broken.uid}/discard/")
    assert not Composition.objects.filter(pk=broken.pk).exists()


def test_a_slip_of_the_hand_offers_no_ways_out_of_a_sound_work(client, work):
    answer = client.get(f"/picture/{work.uid}/place/")
    assert answer.status_code == 422
    assert "throw it away" not in answer.content.decode()
    assert "throw it away" not in client.get(f"/picture/{work.uid}/wood/?pieces=nonsense").content.decode()


def test_a_painted_piece_is_painted_on_the_shelf_too(client, work, page):
    page.do(work, "wood", "wood", "1-6", wood="walnut")
    page.do(work, "wood", "coat", "1", coat="paint", tint="#1f4f8f")
    dress = client.get(f"/picture/{work.uid}/thumb.json").json()["dress"]["pieces"]
    assert dress["1"][7].startswith("#")
    assert len(dress["2"]) == 7


def test_a_page_that_breaks_says_what_is_true_and_offers_ways_out(client, work, monkeypatch):
    def fall(*_):
        raise ZeroDivisionError("a fault nobody thought of")

    monkeypatch.setattr("workshop.stations.views.station_context", fall)
    answer = client.get(f"/picture/{work.uid}/saw/")
    assert answer.status_code == 500
    text = answer.content.decode()
    assert "written whole or not at all" in text
    assert f"/picture/{work.uid}/out/project" in text
    assert f"/picture/{work.uid}/discard/" in text


def many(person, count: int) -> None:
    rows = [Composition(owner=person, name=f"Teapot {i}", width_mm=90, height_mm=60) for i in range(1, count + 1)]
    Composition.objects.bulk_create(rows)


def test_two_hundred_works_are_all_reachable_and_found_by_name(client, person):
    many(person, 200)
    found, address = set(), "/"
    for _ in range(20):
        text = laid(client.get(address))
        found |= set(re.findall(r'href="/picture/([0-9a-f-]{36})/', text))
        older = re.search(r'<a href="(\?page=\d+)">older works</a>', text)
        if older is None:
            break
        address = "/" + older[1]
    assert found == {str(uid) for uid in person.compositions.values_list("uid", flat=True)}
    text = laid(client.get("/?find=teapot+137"))
    assert str(person.compositions.get(name="Teapot 137").uid) in text
    assert "1 of 200 works" in text
    assert "No work is called that" in client.get("/?find=windmill").content.decode()
    assert client.get("/?page=nonsense").status_code == 200


def test_the_shelf_asks_no_more_for_more_works(client, person):
    client.get("/")

    def asked() -> int:
        with CaptureQueriesContext(connection) as queries:
            assert client.get("/").status_code == 200
        return len(queries)

    few = (many(person, 3), asked())[1]
    assert (many(person, 90), asked())[1] <= few + 1


def test_tags_tell_what_pages_worked_out_and_know_when_it_is_old(client, work, page):
    assert "Wood</b>, 1 left" in client.get(f"/picture/{work.uid}/tag/").content.decode()
    assert 'hx-trigger="revealed"' not in client.get("/").content.decode()
    page.do(work, "wood", "wood", "1-6", wood="walnut")
    # the answer to the edit has worked it out already
    text = client.get("/").content.decode()
    assert 'hx-trigger="revealed"' not in text
    assert "6 pieces" in text
    client.post(
        "/shop/board/", {"wood": "walnut", "name": "", "length": "24", "width": "8 in", "thickness": "13/16 in"}
    )
    assert 'hx-trigger="revealed"' in client.get("/").content.decode()


def test_only_the_starter_is_offered_to_newcomers(client, work):
    """Whatever stands unfinished on the shelf is nobody's first evening."""
    tell_afresh(work, shop_of(work.owner))
    assert "New at this?" not in client.get("/").content.decode()
    Composition.objects.filter(pk=work.pk).update(starter=True)
    text = client.get("/").content.decode()
    assert "New at this?" in text
    assert "6 pieces" in text
    assert "one evening" not in text


def test_a_starter_that_is_begun_is_no_longer_offered(client, work, page):
    Composition.objects.filter(pk=work.pk).update(starter=True)
    page.do(work, "wood", "wood", "1", wood="walnut")
    assert "New at this?" not in client.get("/").content.decode()


def test_a_wood_that_comes_back_to_the_shelf_is_seen_at_once(client, work, page):
    """It was missing until the next start before."""
    keep_wood(work.owner, {"name": "River walnut", "mark": "Rw", "like": "walnut"})
    own = OwnWood.objects.get()
    page.do(work, "wood", "wood", "1-6", wood=own.code)
    work.refresh_from_db()
    shop = shop_of(work.owner)
    kept = OwnWood(shop=shop, code=own.code, values=own.values)
    own.delete()
    type(shop).objects.filter(pk=shop.pk).update(revision=shop.revision + 1)
    assert own.code not in rack_of(work.owner).shelf
    assert {p.wood for p in store.load(work).pieces()} == {""}
    kept.save()
    type(shop).objects.filter(pk=shop.pk).update(revision=shop.revision + 2)
    assert {p.wood for p in store.load(work).pieces()} == {own.code}


def test_more_than_ten_chapters_at_the_saw(client, person, page):
    """Blades that change at every cut, because somebody wants it so."""
    row = actions.create(person, composition(grid(13, 1), "cherry"))
    for key in range(1, 14, 2):
        page.do(row, "relief", "thickness", str(key), mm="3")
    for key in range(13, 0, -1):
        page.do(row, "saw", "saw_first", str(key))
    answer = client.get(f"/picture/{row.uid}/saw/")
    assert answer.status_code == 200
    assert "XIII, No." in answer.content.decode()


def test_a_field_called_self_is_no_practice(client, work, page):
    answer = client.post(f"/picture/{work.uid}/saw/do/", {"verb": "practice", "revision": 1, "pieces": "", "self": "1"})
    assert answer.status_code == 422
    assert "no practice called" in said(answer)
    assert client.post("/shop/practice/", {"self": "1"}).status_code == 302
    assert client.get("/").status_code == 200


def test_a_shop_form_sent_back_unchanged_changes_nothing(client, person, page, work):
    """A printer's 149.4 mm stays 149.4, in inches too."""
    shop = shop_of(person)
    page.do(work, "pattern", "practice", ruler_across_mm="149.4 mm")
    client.post("/shop/practice/", {"ruler_across_mm": "149.4 mm", "shim_inset_mm": "3.7 mm"})
    shop.refresh_from_db()
    kept = shop.practice
    text = laid(client.get("/shop/"))
    sent = dict(re.findall(r'<input id="p-(\w+)" name="\w+" autocomplete="off" value="([^"]*)"', text))
    assert len(sent) > 10
    client.post("/shop/practice/", sent)
    shop.refresh_from_db()
    assert shop.practice == kept
    assert shop.practice["ruler_across_mm"] == 149.4


def test_lines_nested_without_end_are_a_sentence(client, person, work, page):
    deep = "[" * 1900
    assert page.do(work, "pattern", "split", "1", points=deep).status_code == 422
    client.post(
        "/bring/",
        {"drawing": upload(b'<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0H9V9Z"/></svg>'), "width": "9 in"},
    )
    draft = person.drafts.get()
    for name in ("corners", "points", "more"):
        values = {name: deep, "how": "points" if name == "points" else "width", "size": "9 in"}
        assert client.post(f"/draft/{draft.uid}/again/", values).status_code == 422
    board = client.post(
        "/shop/board/", {"wood": "walnut", "name": "", "length": "24", "width": "8 in", "thickness": "1 in"}
    )
    assert board.status_code == 302
    pk = shop_of(person).boards.get().pk
    assert client.post(f"/shop/board/{pk}/defect/", {"kind": "knot", "points": deep}).status_code in (302, 422)
