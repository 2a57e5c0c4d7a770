"""What is shown to others, what they can do with it, and that they see nothing else."""

import uuid
from dataclasses import replace

import pytest
from django.contrib.auth import get_user_model
from django.test import Client

from emberquilt.formats.project import read_project
from emberquilt.practice import Practice
from emberquilt.work.passed_on import LICENCES
from tests.conftest import composition, grid
from tests.walks import SPATIAL, small_work
from tests.web.conftest import entry, said, sync
from tests.web.test_pages import addresses
from workshop.club.models import Pattern
from workshop.compositions import actions
from workshop.compositions.models import Composition, Share
from workshop.shop.actions import add_board, change_practice, keep_wood, shop_of
from workshop.shop.models import Shop

WITH_OWNER = {
    *("tag", "keepsake", "keepsake-file", "price", "forward", "dates-file", "swatches", "practising"),
    *("practice-sheet", "pass-on"),
    *(f"{what} {station}" for what in ("station", "ticket", "rule", "one on") for station in ("calendar", "log")),
}
"""Pages of a work that stay with its owner whoever works on it."""
TO_SEE = {"thumb", "shapes", "shown", "shown-scene"}
SECRET, WAGE = "A lantern nobody has seen", "47.11"


@pytest.fixture
def club(settings):
    settings.LOCAL_PERSON = False


@pytest.fixture
def anna(club, db, client):
    """Has a work, and a second one that nobody is to know of, on the same board."""
    owner = get_user_model().objects.create_user("anna", password="by the old canal lock")
    client.force_login(owner)
    change_practice(owner, {"wage": WAGE})
    add_board(owner, "walnut", "C1", "600 mm", "200 mm", "20 mm")
    return owner


@pytest.fixture
def shown(anna):
    made = composition(grid(3, 2), "walnut", Practice(wage=float(WAGE), overhead_hour=3.17, margin_share=0.41))
    return actions.create(anna, made, "drawing.svg", b"<svg/>")


@pytest.fixture
def secret(anna, shown, client, page):

    row = actions.create(anna, replace(composition(grid(2, 1), "walnut"), name=SECRET))
    assert page.do(row, "stock", "lay").status_code == 200
    assert row.placements.count() == 2
    page.do(shown, "stock", "lay")
    Shop.objects.filter(owner=anna).update(together=[str(shown.uid), str(row.uid)], calendar_secret="whistle-blower")
    return row


@pytest.fixture
def ben(club, db):
    return get_user_model().objects.create_user("ben", password="by the old canal lock")


@pytest.fixture
def visits(client):
    """Another browser, in which somebody else is signed in."""

    def enter(person) -> Client:
        other = Client()
        other.force_login(person)
        return other

    return enter


def show(client, row, may: str, name: str = "ben"):
    return client.post(f"/picture/{row.uid}/show/", {"name": name, "may": may}, follow=True)


def pages_of(row) -> dict[str, str]:
    return {name: address for name, address in addresses(row).items() if str(row.uid) in address}


@pytest.mark.parametrize("may", ["", "read", "copy", "work"])
def test_whoever_is_shown_a_work_sees_it_and_nothing_else(client, anna, shown, secret, ben, visits, may):
    if may:
        assert "stands on ben’s shelf" in said(show(client, shown, may))
    theirs = visits(ben)
    for name, address in pages_of(shown).items():
        answer = theirs.get(address)
        open_to = {"": set(), "read": TO_SEE, "copy": TO_SEE}.get(may)
        expected = (name in open_to) if open_to is not None else name not in WITH_OWNER
        if name == "shown" and may == "work":
            expected = True
        assert answer.status_code == (200 if expected else 404), (name, may)
        if answer.status_code == 200:
            for word in (SECRET, WAGE, "whistle-blower", str(secret.uid)):
                assert word.encode() not in answer.content, (name, word)
    for address in pages_of(secret).values():
        assert theirs.get(address).status_code == 404, address
    shelf = theirs.get("/").content.decode()
    assert ("A test" in shelf) == bool(may)
    assert SECRET not in shelf
    assert theirs.get("/shop/").status_code == 200
    assert b"C1" not in theirs.get("/shop/").content


@pytest.mark.parametrize("may", ["", "read", "copy", "work"])
def test_what_others_may_do(client, anna, shown, secret, ben, visits, may):
    show(client, shown, may or "read")
    if not may:
        client.post(f"/picture/{shown.uid}/show/{Share.objects.get().pk}/end/")
    shown.refresh_from_db()
    theirs, works = visits(ben), may == "work"
    wood = {"verb": "wood", "pieces": "1", "wood": "cherry", "revision": shown.revision}
    head = {"headers": {"HX-Request": "true"}}
    assert theirs.post(f"/picture/{shown.uid}/wood/do/", wood, **head).status_code == (200 if works else 404)
    shown.refresh_from_db()
    assert shown.pieces.get(key=1).wood == ("cherry" if works else "walnut")
    assert sync(theirs, shown, entry(what="note", text="mine")).status_code == (200 if works else 404)
    assert theirs.post(f"/picture/{shown.uid}/undo/wood/", {"revision": shown.revision}, **head).status_code == (
        200 if works else 404
    )
    # what stays with the owner
    dates = "dates/", "dates/together/", "dates/subscribe/"
    for address in ("discard/", "once-more/", "show/", "put/", *dates, "price/", "rest/"):
        assert theirs.post(f"/picture/{shown.uid}/{address}", {"board": "C1"}).status_code == 404, address
    pin = {"verb": "pin", "step": "saw", "at": "2027-01-04", "revision": shown.revision}
    assert theirs.post(f"/picture/{shown.uid}/calendar/do/", pin, **head).status_code == 404
    assert theirs.post(f"/picture/{shown.uid}/wood/do/", pin, **head).status_code == (422 if works else 404)
    for values in ({"wage": "1"}, {"hours-mon": "18:00-19:00"}, {"helper": "ben", "helper-mon": "18:00-19:00"}):
        own = {"verb": "practice", "pieces": "", "revision": shown.revision} | values
        assert theirs.post(f"/picture/{shown.uid}/wood/do/", own, **head).status_code == (422 if works else 404)
    shown.refresh_from_db()
    assert shown.practice["wage"] == float(WAGE)
    copied = theirs.post(f"/shown/{shown.uid}/copy/")
    assert copied.status_code == (302 if may in ("copy", "work") else 404)
    assert ben.compositions.count() == (may in ("copy", "work"))
    assert Composition.objects.filter(owner=anna).count() == 2


def test_a_face_of_a_board_is_seen_by_whoever_works_with_its_owner(client, anna, shown, ben, visits):
    pk, theirs = shop_of(anna).boards.get().pk, visits(ben)
    for may, status in (("read", 422), ("copy", 422), ("work", 200)):
        show(client, shown, may)
        assert theirs.get(f"/shop/board/{pk}/face.jpg").status_code == status
    for address in (f"/shop/board/{pk}/", f"/shop/board/{pk}/photo.jpg"):
        assert theirs.get(address).status_code == 422
    for address in (f"/shop/board/{pk}/drop/", f"/shop/board/{pk}/change/"):
        theirs.post(address, {"length": "1 mm"})
    assert shop_of(anna).boards.get().length_mm == 600


def test_a_wood_of_the_owners_own_looks_as_it_does_there(client, anna, ben, visits):
    made = keep_wood(
        anna,
        {
            "name": "Canal oak",
            "mark": "Ca",
            "kind": "hardwood",
            "raw": "#8a6a4c",
            "finished": "#7a5a3c",
            "hardness_lbf": 1300,
        },
    )
    row = actions.create(anna, composition(grid(2, 1), "walnut"))
    theirs = visits(ben)
    tile = client.get(f"/picture/{row.uid}/wood/").content.decode()
    assert made.code in tile
    address = f"/shop/woods.css?of={row.uid}"
    assert theirs.get(address).status_code == 404
    show(client, row, "read")
    assert made.code in theirs.get(address).content.decode()
    assert f"of={row.uid}" in theirs.get(f"/shown/{row.uid}/").content.decode()
    assert theirs.get(f"/shop/woods.css?of={uuid.uuid4()}").status_code == 404
    assert theirs.get("/shop/woods.css?of=nothing").status_code == 404


@pytest.mark.parametrize(
    ("name", "may", "words"),
    [
        ("nobody", "read", "Nobody here has the account “nobody”."),
        ("anna", "read", "This work is your own."),
        ("ben", "everything", "Say what they may"),
        ("", "read", "Nobody here has the account"),
    ],
)
def test_what_cannot_be_shown_is_told(client, shown, ben, name, may, words):
    assert words in said(show(client, shown, may, name))
    assert not Share.objects.exists()


def test_it_ends_at_once_from_either_side(client, shown, ben, visits):
    theirs = visits(ben)
    show(client, shown, "work")
    assert theirs.get(f"/picture/{shown.uid}/wood/").status_code == 200
    client.post(f"/picture/{shown.uid}/show/{Share.objects.get().pk}/end/")
    assert theirs.get(f"/picture/{shown.uid}/wood/").status_code == 404
    show(client, shown, "read")
    theirs.post(f"/shown/{shown.uid}/end/")
    assert not Share.objects.exists()
    assert theirs.get(f"/shown/{shown.uid}/").status_code == 404
    show(client, shown, "read")
    ben.is_active = False
    ben.save()
    assert theirs.get(f"/shown/{shown.uid}/").status_code == 302


def test_two_at_one_work_lose_nothing_of_each_other(client, shown, ben, visits):
    """Whoever is later is told, and sees what the other did."""
    show(client, shown, "work")
    theirs, head = visits(ben), {"headers": {"HX-Request": "true"}}
    shown.refresh_from_db()
    first = {"verb": "wood", "pieces": "1", "wood": "cherry", "revision": shown.revision}
    second = first | {"pieces": "2", "wood": "maple_hard"}
    assert theirs.post(f"/picture/{shown.uid}/wood/do/", first, **head).status_code == 200
    late = client.post(f"/picture/{shown.uid}/wood/do/", second, **head)
    assert late.status_code == 409
    shown.refresh_from_db()
    assert client.post(f"/picture/{shown.uid}/wood/do/", second | {"revision": shown.revision}, **head).status_code in (
        200,
        422,
    )
    assert shown.pieces.get(key=1).wood == "cherry"


def test_a_copy_is_in_ones_own_shop_and_apart(client, anna, shown, secret, ben, visits):
    """No boards, prices, hours, dates or log go along, neither in a copy nor in the file a helper takes."""
    sync(client, shown, entry(what="note", text="a word of my own"))
    show(client, shown, "work")
    theirs = visits(ben)
    change_practice(ben, {"wage": "12.5"})
    theirs.post(f"/shown/{shown.uid}/copy/")
    copy = ben.compositions.get()
    assert copy.practice["wage"] == 12.5
    assert not copy.placements.exists()
    assert not copy.events.exists()
    taken = read_project(theirs.get(f"/picture/{shown.uid}/out/project?with=boards&with=journal").content)
    plain, told = Practice(), taken.composition.practice
    assert (told.wage, told.overhead_hour, told.margin_share) == (0, 0, plain.margin_share)
    assert not taken.composition.placements
    assert not taken.log
    assert not taken.beside.boards
    assert not taken.beside.journal
    theirs.post(
        f"/picture/{copy.uid}/wood/do/",
        {"verb": "wood", "pieces": "1", "wood": "cherry", "revision": copy.revision},
        headers={"HX-Request": "true"},
    )
    assert shown.pieces.get(key=1).wood == "walnut"


# the club's shelf


TOLD = {"do": "put", "by": "anna", "source": "drawn from our own teapot", "licence": "by-sa"}


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"by": " "}, "Say who drew it, and where it is from."),
        ({"source": ""}, "Say who drew it, and where it is from."),
        ({"licence": ""}, "Say how it may be used."),
        ({"licence": "kept"}, "cannot be put on the club’s shelf."),
        ({"licence": "whatever"}, "Choose one of the licences."),
    ],
)
def test_nothing_stands_there_without_source_and_licence(client, shown, change, words):
    answer = client.post(f"/picture/{shown.uid}/put/", TOLD | change, follow=True)
    assert words in said(answer)
    assert not Pattern.objects.exists()


def test_a_pattern_is_put_there_found_taken_and_taken_down(client, page, shown, secret, ben, visits):
    client.post(f"/picture/{shown.uid}/put/", TOLD)
    one, theirs = Pattern.objects.get(), visits(ben)
    shelf = theirs.get("/club/").content.decode()
    assert "A test" in shelf
    assert LICENCES["by-sa"] in shelf
    assert "drawn from our own teapot" in theirs.get(f"/club/{one.uid}/").content.decode()
    assert theirs.get(f"/club/{one.uid}/scene.json").json()["shapes"]
    assert b"Nothing here" in theirs.get("/club/?find=zebra").content
    # what is in it is nobody's shop
    kept = read_project(bytes(one.data))
    assert not kept.composition.placements
    assert kept.composition.practice.wage == 0
    for word in (SECRET, WAGE, "whistle-blower"):
        assert word.encode() not in theirs.get(f"/club/{one.uid}/").content + bytes(one.data)
    # what changes later stays at home until it is put there again
    client.post(
        f"/picture/{shown.uid}/wood/do/",
        {
            "verb": "rename",
            "pieces": "",
            "name": "A better test",
            "revision": Composition.objects.get(pk=shown.pk).revision,
        },
        headers={"HX-Request": "true"},
    )
    assert Pattern.objects.get().name == "A test"
    theirs.post(f"/club/{one.uid}/take/")
    mine = ben.compositions.get()
    assert mine.origin == {"by": "anna", "source": "drawn from our own teapot", "licence": "by-sa"}
    client.post(f"/picture/{shown.uid}/put/", TOLD)
    assert Pattern.objects.get().name == "A better test"
    assert theirs.post(f"/club/{one.uid}/down/", follow=True).status_code == 200
    assert Pattern.objects.count() == 1
    # it stays when its work goes, and goes when whoever put it there says so
    client.post(f"/picture/{shown.uid}/discard/")
    assert Pattern.objects.get().composition is None
    assert b"take it down" in client.get(f"/club/{one.uid}/").content
    client.post(f"/club/{one.uid}/down/")
    assert not Pattern.objects.exists()
    assert theirs.get(f"/club/{one.uid}/").status_code == 404


def test_where_it_is_from_goes_with_its_file(client, shown):
    client.post(f"/picture/{shown.uid}/put/", TOLD | {"do": "note", "licence": "kept"})
    told = read_project(client.get(f"/picture/{shown.uid}/out/project").content).origin
    assert (told.by, told.source, told.licence) == ("anna", "drawn from our own teapot", "kept")
    assert not Pattern.objects.exists()


@pytest.mark.parametrize("kind", ["one", "sheet", "three", "openings only", *SPATIAL])
def test_every_kind_of_work_is_shown_copied_and_put_there(client, anna, ben, visits, kind):
    """One piece, a sheet with an opening, layers in copies, nothing that is made, slices, blocks, fields, slots."""
    made = small_work("one" if kind == "openings only" else kind)
    if kind == "openings only":
        layer = made.layers[0]
        made = replace(made, layers=(replace(layer, pieces=tuple(replace(p, opening=True) for p in layer.pieces)),))
    row, theirs = actions.create(anna, made), visits(ben)
    show(client, row, "copy")
    assert client.get(f"/picture/{row.uid}/pass-on/").status_code == 200
    for view in ("front", "apart", str(made.layers[0].key), "moon"):
        for name in ("numbers", "woods", "arrows", "moon"):
            page = theirs.get(f"/shown/{row.uid}/?show={name}&view={view}")
            assert page.status_code == 200, (name, view)
            assert theirs.get(f"/shown/{row.uid}/{name}.json?view={view}").status_code == 200, (name, view)
    client.post(f"/picture/{row.uid}/put/", TOLD)
    one = Pattern.objects.get()
    for address in ("/club/", f"/club/{one.uid}/", f"/club/{one.uid}/scene.json"):
        assert theirs.get(address).status_code == 200
    for address in (f"/club/{one.uid}/take/", f"/shown/{row.uid}/copy/"):
        assert theirs.post(address, follow=True).status_code == 200
    assert ben.compositions.count() == 2
