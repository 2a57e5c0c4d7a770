"""Every page answers, nobody sees another's work, and nothing on a page runs that is not ours."""

import re
from dataclasses import replace
from pathlib import Path

import pytest
from django.urls import URLPattern, get_resolver

import workshop
from emberquilt.work.register import READINGS
from tests.conftest import composition, edited, grid
from tests.walks import SPATIAL, small_work
from tests.web.conftest import upload
from workshop.bench.models import Event
from workshop.compositions import actions
from workshop.compositions.models import Composition, Draft
from workshop.shop.actions import add_board, shop_of
from workshop.stations.rule import NAMES

STATIONS = [name for name in NAMES if name != "bench"]
KINDS = ("pdf", "svg", "csv", "project", "back")


def addresses(row) -> dict[str, str]:
    """A GET address for every named page that needs nothing more than a work."""
    board = shop_of(row.owner).boards.first() or add_board(row.owner, "cherry", "C1", "600 mm", "200 mm", "20 mm")
    table = {
        "shelf": "/",
        "begin": "/begin/",
        "shop": "/shop/",
        "bench": f"/picture/{row.uid}/bench/",
        "bench-more": f"/picture/{row.uid}/bench/more.json?load=0",
        "bench-manifest": f"/picture/{row.uid}/bench/app.webmanifest",
        "keepsake": f"/picture/{row.uid}/keepsake/",
        "keepsake-file": f"/picture/{row.uid}/keepsake/pdf",
        "year": "/year/",
        "price": f"/picture/{row.uid}/price/",
        "pedal": f"/picture/{row.uid}/bench/pedal/",
        "bench-worker": "/bench-worker.js",
        "shapes": f"/picture/{row.uid}/shapes.json",
        "small": f"/picture/{row.uid}/small?smallest=9mm",
        "look": f"/picture/{row.uid}/look.jpg?w=200",
        "thumb": f"/picture/{row.uid}/thumb.json",
        "tag": f"/picture/{row.uid}/tag/",
        "palettes": f"/picture/{row.uid}/palettes/",
        "pack": f"/picture/{row.uid}/pack/",
        "place": f"/picture/{row.uid}/place/?piece=2",
        "printing": f"/picture/{row.uid}/print/",
        "printed": f"/picture/{row.uid}/print.pdf",
        "mesh": f"/picture/{row.uid}/mesh.bin",
        "forward": f"/picture/{row.uid}/dates/forward/",
        "dates-file": f"/picture/{row.uid}/dates/dates.ics",
        "way": f"/picture/{row.uid}/way.json?part=2",
        "fit": f"/picture/{row.uid}/bench/fit/",
        "swatches": f"/picture/{row.uid}/swatches/",
        "which": f"/picture/{row.uid}/bench/which/?number=2",
        "practising": f"/picture/{row.uid}/practise/",
        "practice-sheet": f"/picture/{row.uid}/practise/sheet.pdf?level=4",
        "section": f"/picture/{row.uid}/section?cut=1,1,50,40",
        "spots": f"/picture/{row.uid}/spots.json?piece=2&board=C1",
        "own-woods": "/shop/woods/?wood=cherry",
        "woods-css": "/shop/woods.css",
        "wood-tile": "/shop/woods/cherry/tile.jpg",
        "boards-by-colour": "/shop/boards/?near=%23a5361b",
        "board": f"/shop/board/{board.pk}/",
        "board-face": f"/shop/board/{board.pk}/face.jpg",
        "login": "/enter/",
        "account": "/account/",
        "pass-on": f"/picture/{row.uid}/pass-on/",
        "shown": f"/shown/{row.uid}/",
        "shown-scene": f"/shown/{row.uid}/numbers.json",
        "club": "/club/",
        "phone": "/phone/",
    }
    for name in STATIONS:
        table[f"station {name}"] = f"/picture/{row.uid}/{name}/"
        table[f"ticket {name}"] = f"/picture/{row.uid}/{name}/ticket?pieces=1-2"
        table[f"rule {name}"] = f"/picture/{row.uid}/{name}/rule"
        table[f"one on {name}"] = f"/picture/{row.uid}/{name}/?pieces=2"
        table[f"dress {name}"] = f"/picture/{row.uid}/{name}/woods/dress.json"
    return table | {f"leave {kind}": f"/picture/{row.uid}/out/{kind}" for kind in KINDS}


def test_every_page_answers_with_and_without_woods(client, work, page):
    for name, address in addresses(work).items():
        assert client.get(address, follow=name == "shown").status_code == 200, name
    assert page.do(work, "wood", "wood", "1-6", wood="walnut").status_code == 200
    page.do(work, "relief", "thickness", "1-6", length="3/4 in")
    page.do(work, "relief", "shim", "2", length="1/8 in")
    for name, address in addresses(work).items():
        assert client.get(address, follow=name == "shown").status_code == 200, name


def test_the_smoke_test_knows_every_page(work):
    named = {p.name for p in get_resolver().url_patterns if isinstance(p, URLPattern)}
    seen = {name.split()[0] for name in addresses(work)} - {"one"}
    drafts = {n for n in named if n.startswith("draft")}
    posts = {
        "bring",
        "begin-way",
        "discard",
        "once-more",
        "undo",
        "redo",
        "do",
        "bench-sync",
        "bench-photo",
        "log-correct",
        "snapshot",
        "swatch-sheet",
        "shop-practice",
        "shop-board",
        "shop-board-drop",
        "logout",
    }
    # these have tests of their own
    posts |= {
        "suggest",
        "shop-zone",
        "final",
        "final-begin",
        "final-stop",
        "final-png",
        "dates",
        "polish",
        "polish-stop",
        "subscribe",
        "subscribed",
        "together",
        "day-sheet",
        "layout-search",
        "layout-search-stop",
        "keep-rest",
        "panel",
        "keep-wood",
        "drop-wood",
        "board-change",
        "end-session",
        "end-sessions",
        "show-to",
        "show-no-longer",
        "put-on-shelf",
        "copy",
        "leave-alone",
        "pattern",
        "pattern-scene",
        "take-pattern",
        "take-down",
        "come-in",
        "first",
        "health",
    }
    posts |= {"board-photograph", "board-photo", "board-defect", "board-defect-clear"}
    assert named == seen | drafts | posts


def test_nobody_sees_anothers_work(client, work, other, person):
    draft = Draft.objects.create(
        owner=person, name="x", file_name="x.svg", data=b"<svg/>", knobs={"how": "width", "size": "100mm"}
    )
    client.force_login(other)
    foreign = [a for n, a in addresses(work).items() if str(work.uid) in a] + [
        f"/draft/{draft.uid}/",
        f"/draft/{draft.uid}/source",
        f"/draft/{draft.uid}/scene.json",
    ]
    for address in foreign:
        assert client.get(address).status_code == 404, address
    for address in (
        f"/picture/{work.uid}/wood/do/",
        f"/picture/{work.uid}/discard/",
        f"/picture/{work.uid}/once-more/",
        f"/picture/{work.uid}/undo/wood/",
        f"/picture/{work.uid}/bench/sync/",
        f"/draft/{draft.uid}/accept/",
        f"/draft/{draft.uid}/discard/",
    ):
        assert (
            client.post(address, {"revision": 1, "verb": "wood", "pieces": "1", "wood": "walnut"}).status_code == 404
        ), address
    assert client.get("/").content.decode().count("A test") == 0
    assert Composition.objects.count() == 1


def test_reading_never_writes_and_writing_is_never_a_get(client, work):
    for address in (
        f"/picture/{work.uid}/wood/do/",
        f"/picture/{work.uid}/discard/",
        f"/picture/{work.uid}/once-more/",
        f"/picture/{work.uid}/undo/wood/",
        "/bring/",
        f"/picture/{work.uid}/bench/sync/",
        "/shop/practice/",
        "/shop/board/",
    ):
        assert client.get(address).status_code == 405


@pytest.mark.parametrize(
    "address", ["/nothing/", "/picture/not-a-uuid/wood/", "/picture/00000000-0000-0000-0000-000000000000/wood/"]
)
def test_what_is_not_there_is_said_in_a_sentence(client, person, address):
    response = client.get(address)
    assert response.status_code == 404
    assert b"no such page" in response.content


def test_a_strict_policy_and_nothing_inline(client, work):
    policy = client.get("/").headers["Content-Security-Policy"]
    assert "script-src 'self'" in policy
    assert "style-src 'self'" in policy
    assert "unsafe" not in policy
    for address in addresses(work).values():
        response = client.get(address)
        if "html" in response.headers["Content-Type"]:
            text = response.content.decode()
            assert not re.search(r"<script(?![^>]*(?:src=|application/json))", text), address
            assert not re.search(r"<style|\sstyle=|\son[a-z]+=|javascript:", text), address


def test_static_files_name_no_host():
    """Fonts, styles and scripts ship with the application."""
    static = Path(workshop.__file__).parent / "static"
    for file in [*static.glob("js/*"), *static.glob("css/*")]:
        assert not re.search(r"(?:https?:)?//(?!www\.w3\.org/2000/svg)[a-z0-9.-]+\.[a-z]{2,}", file.read_text()), file
    for folder in (static / "vendor").iterdir():
        assert folder.is_file() or (folder / "LICENSE").exists(), folder


def test_a_shape_may_be_kept_for_ever_because_its_address_changes(client, work):
    text = client.get(f"/picture/{work.uid}/wood/").content.decode()
    assert f"shapes.json?s={work.shape_revision}" in text
    assert "immutable" in client.get(f"/picture/{work.uid}/shapes.json").headers["Cache-Control"]


def test_a_drawings_own_scripts_stay_dead(client, person):
    evil = (
        b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><script>alert(1)</script><rect '
        b'width="9" height="9"/></svg>'
    )
    client.post("/bring/", {"drawing": upload(evil), "width": "10 in"})
    draft = Draft.objects.get()
    response = client.get(f"/draft/{draft.uid}/source")
    assert "sandbox" in response.headers["Content-Security-Policy"]
    assert "default-src 'none'" in response.headers["Content-Security-Policy"]
    assert response.headers["X-Content-Type-Options"] == "nosniff"


def test_names_are_escaped_everywhere(client, work, page):
    page.do(work, "wood", "rename", name="<b>bold</b>")
    page.do(work, "pattern", "part", "1", part="<i>fin</i>")
    for address in ("/", f"/picture/{work.uid}/pattern/?pieces=1", f"/picture/{work.uid}/bench/"):
        text = client.get(address).content.decode()
        assert "<b>bold" not in text
        assert "<i>fin" not in text


def test_lengths_stand_in_the_shops_unit(client, work, page):
    assert (
        '<span class="fr joined">17/32</span>' in client.get(f"/picture/{work.uid}/wood/").content.decode()
    )  # 90 mm = 3 17/32 in
    client.post("/shop/practice/", {"unit": "mm"})
    assert page.do(work, "wood", "practice", unit="mm").status_code == 200
    assert '<span class="m">90</span>' in client.get(f"/picture/{work.uid}/wood/").content.decode()


def test_bench_and_log_of_a_removed_piece_do_not_break(client, work, page):
    page.do(work, "wood", "wood", "1-6", wood="walnut")
    client.post(f"/picture/{work.uid}/bench/sync/", {"what": "done"})
    Event.objects.update(part="999", step="saw")
    assert client.get(f"/picture/{work.uid}/log/").status_code == 200
    assert client.get(f"/picture/{work.uid}/bench/").status_code == 200


@pytest.mark.parametrize("kind", ["one", "sheet", "three", "openings only", "in a circle", *SPATIAL])
def test_reliefs_pages_show_every_state(client, person, kind):
    """One piece, a sheet with an opening, three layers in two copies, nothing that is made, orders in a circle."""
    if kind == "openings only":
        made = small_work("one")
        layer = made.layers[0]
        made = replace(made, layers=(replace(layer, pieces=tuple(replace(p, opening=True) for p in layer.pieces)),))
    elif kind == "in a circle":
        made = edited(edited(composition(grid(2, 1)), "order", [1], behind="2"), "order", [2], behind="1", level="yes")
        made = edited(edited(made, "order", [2], behind="1"), "bevel", [2], rise="6 mm")
    else:
        made = small_work(kind)
    row = actions.create(person, made)
    first = next(made.pieces()).key
    for show in READINGS["relief"]:
        for view in ("front", "apart", str(made.layers[0].key)):
            address = f"/picture/{row.uid}/relief/?show={show}&view={view}&pieces={first}"
            assert client.get(address).status_code == 200, (show, view)
    for address in ("section?cut=1,1,20,20", "section?cut=nan,0,0,0", "mesh.bin", "relief/rule"):
        assert client.get(f"/picture/{row.uid}/{address}").status_code == 200, address
    printed = client.get(f"/picture/{row.uid}/out/back")
    assert printed.status_code == (422 if kind == "openings only" else 200)
    if printed.status_code == 422:
        assert "nothing to print" in printed.content.decode()
