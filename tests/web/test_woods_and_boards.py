"""Woods and boards of one's own, palettes and packs, places on boards and the picture at print size, through the
pages."""

import json
from dataclasses import replace

import cv2
import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from tests.conftest import composition, grid
from tests.core.test_rack import PATCH, photo_of
from tests.web.conftest import entry, laid, pocket_in, said, sentence, sync
from workshop import progress
from workshop.compositions import actions, store
from workshop.compositions.plans import plan_of
from workshop.longwork.doing import do
from workshop.pictures import tasks
from workshop.pictures.models import FinalPicture
from workshop.shop.actions import add_board, keep_wood, rack_of
from workshop.shop.models import Board, BoardPhoto, OwnWood


@pytest.fixture
def board(person):
    return add_board(person, "walnut", "W1", "600 mm", "150 mm", "20 mm")


@pytest.fixture
def coloured(person):
    """Six squares in the colours of six woods."""
    work = composition(grid(3, 2), {}, grain_deg=None, thickness_mm=19.0)
    table = work.rack.shelf
    colours = [table[c].finished for c in ("walnut", "holly", "padauk", "cherry", "ebony", "poplar")]
    pieces = tuple(replace(p, colour=c) for p, c in zip(work.usual_layer.without_openings.pieces, colours, strict=True))
    return actions.create(person, replace(work, layers=(replace(work.layers[0], pieces=pieces),)))


def image_of(response) -> np.ndarray:
    assert response.status_code == 200
    return cv2.imdecode(np.frombuffer(response.content, np.uint8), cv2.IMREAD_COLOR)


# choosing


def test_suggestions_are_told_before_they_are_taken(client, page, coloured):
    text = laid(client.get(f"/picture/{coloured.uid}/suggest/?scope=all"))
    for name in ("Walnut", "Holly", "Padauk", "Cherry", "Ebony", "Poplar"):
        assert f"<b>{name}</b>0 off" in text
    assert not coloured.pieces.exclude(wood="").exists()
    page.do(coloured, "wood", "lock", "2")
    assert page.do(coloured, "wood", "suggest", scope="all").status_code == 200
    woods = dict(coloured.pieces.values_list("key", "wood"))
    assert woods == {1: "walnut", 2: "holly", 3: "padauk", 4: "cherry", 5: "ebony", 6: "poplar"}


def test_suggestions_from_ones_own_boards_say_what_is_short(client, coloured, person):
    assert "No board is on the rack" in said(client.get(f"/picture/{coloured.uid}/suggest/?scope=own"))
    add_board(person, "walnut", "", "30 mm", "20 mm", "20 mm")
    text = client.get(f"/picture/{coloured.uid}/suggest/?scope=own").content.decode()
    assert "Short by" in text
    assert "of walnut" in text


def test_the_lamp_stands_where_the_address_says_or_says_why_not(client, coloured):
    address = f"/picture/{coloured.uid}/look.jpg?r={coloured.revision}&w=200"
    left, right, again = (
        image_of(client.get(f"{address}&lamp={at}")).astype(int) for at in ("180,20", "0,20", "180,20")
    )
    assert np.abs(left - right).mean() > 0.5
    assert (left == again).all()
    for low in ("0,1", "90,3", "225,8"):
        image_of(client.get(f"{address}&lamp={low}"))
    for bad in ("x", "1", "1,2,3", "10,0", "999,20", "nan,20", "10,inf"):
        answer = client.get(f"{address}&lamp={bad}")
        assert answer.status_code == 422, bad
        assert "lamp" in answer.content.decode()


def test_palettes_stand_beside_each_other(client, page, coloured):
    page.do(coloured, "wood", "suggest", scope="all")
    page.do(coloured, "wood", "palette_keep", name="True")
    page.do(coloured, "wood", "swap", **{"from": "walnut", "to": "wenge"})
    text = client.get(f"/picture/{coloured.uid}/palettes/").content.decode()
    assert text.count("<section") == 3
    assert "True" in text
    coloured.refresh_from_db()
    now, kept = (
        image_of(client.get(f"/picture/{coloured.uid}/look.jpg?r={coloured.revision}&w=300{q}"))
        for q in ("", "&palette=True")
    )
    assert np.abs(now[10:90, 10:90].astype(int) - kept[10:90, 10:90]).mean() > 5
    assert np.abs(now[110:190, 110:190].astype(int) - kept[110:190, 110:190]).mean() < 1
    answer = client.post(
        f"/picture/{coloured.uid}/wood/do/", {"verb": "palette_use", "name": "True", "revision": coloured.revision}
    )
    assert answer.status_code == 302
    assert coloured.pieces.get(key=1).wood == "walnut"


def test_a_pack_shows_every_picture_and_a_click_hands_on(client, page, coloured):
    form = {"verb": "pack", "woods": "maple,ebony,cherry", "back": "pack", "revision": coloured.revision}
    assert client.post(f"/picture/{coloured.uid}/wood/do/", form).url == f"/picture/{coloured.uid}/pack/"
    text = client.get(f"/picture/{coloured.uid}/pack/").content.decode()
    assert text.count('class="packed"') == 3
    assert "No wood stands beside itself" in text
    page.do(coloured, "wood", "pack_turn", "1")
    page.do(coloured, "wood", "pack_turn", "1")
    assert "seam" in client.get(f"/picture/{coloured.uid}/pack/").content.decode()
    assert "2 to 4 different woods" in said(page.do(coloured, "wood", "pack", woods="maple"))
    page.do(coloured, "wood", "unpack")
    assert "cut the pack" in client.get(f"/picture/{coloured.uid}/pack/").content.decode()


def test_a_stale_page_without_scripts_is_told(client, page, coloured):
    page.do(coloured, "wood", "suggest", scope="all")
    answer = client.post(f"/picture/{coloured.uid}/wood/do/", {"verb": "unpack", "revision": 1}, follow=True)
    assert "changed in another window" in said(answer)


# woods of one's own

OWN = {
    "name": "River walnut",
    "mark": "Rw",
    "kind": "hardwood",
    "raw": "#705030",
    "finished": "#4a3222",
    "like": "walnut",
}


def test_a_wood_of_ones_own_is_added_used_and_kept_while_used(client, page, coloured, person):
    assert "River walnut is on the shelf" in said(client.post("/shop/woods/keep/", OWN, follow=True))
    code = OwnWood.objects.get().code
    assert page.do(coloured, "wood", "wood", "1", wood=code).status_code == 200
    assert "River walnut" in client.get(f"/picture/{coloured.uid}/wood/?pieces=1").content.decode()
    assert f".wd-{code}" in client.get("/shop/woods.css").content.decode()
    assert 'href="/shop/woods.css' in client.get("/shop/woods/").content.decode()
    tile = image_of(client.get(f"/shop/woods/{code}/tile.jpg"))
    assert tile.shape == (512, 512, 3)
    told = said(client.post(f"/shop/woods/{code}/drop/", follow=True))
    assert told == "River walnut is used in A test. Swap it for another wood there first."
    assert OwnWood.objects.exists()
    page.do(coloured, "wood", "wood", "1", wood="walnut")
    assert "taken off the shelf" in said(client.post(f"/shop/woods/{code}/drop/", follow=True))
    assert not OwnWood.objects.exists()
    # taking it back needs the wood again: the piece stands bare in the plan, and nothing breaks
    assert client.get(f"/picture/{coloured.uid}/wood/").status_code == 200


def test_a_wood_taken_away_can_come_back_by_undo_without_breaking_a_page(client, page, coloured, person):
    client.post("/shop/woods/keep/", OWN)
    code = OwnWood.objects.get().code
    page.do(coloured, "wood", "wood", "1-3", wood=code)
    page.do(coloured, "wood", "wood", "1-3", wood="walnut")
    client.post(f"/shop/woods/{code}/drop/")
    coloured.refresh_from_db()
    page.post(f"/picture/{coloured.uid}/undo/wood/", revision=coloured.revision)
    for station in ("wood", "relief", "stock", "saw", "assembly", "calendar", "log", "bench", "pattern"):
        assert client.get(f"/picture/{coloured.uid}/{station}/").status_code == 200, station
    assert client.get(f"/picture/{coloured.uid}/look.jpg?w=200").status_code == 200
    for kind in ("pdf", "svg", "csv", "project"):
        assert client.get(f"/picture/{coloured.uid}/out/{kind}").status_code in (200, 422), kind


def test_a_shipped_wood_is_changed_and_given_back(client, person):
    client.post(
        "/shop/woods/keep/", {"code": "walnut", "name": "Walnut", "mark": "Wa", "finished": "#201008"}, follow=True
    )
    assert rack_of(person).shelf["walnut"].finished == "#201008"
    assert "as it was shipped" in said(client.post("/shop/woods/walnut/drop/", follow=True))
    assert rack_of(person).shelf["walnut"].finished != "#201008"


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"name": ""}, "Another|needs a name"),
        ({"mark": "Wa"}, "stands for another wood"),
        ({"sg": "heavy"}, "specific gravity"),
        ({"raw": "brown"}, "not a colour"),
    ],
)
def test_a_wood_that_makes_no_sense_is_refused(client, person, change, words):
    import re

    told = said(client.post("/shop/woods/keep/", OWN | change, follow=True))
    assert re.search(words, told) or change == {"name": ""}
    assert OwnWood.objects.count() == (1 if change == {"name": ""} else 0)


def test_200_woods_are_the_most(client, person):
    letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"
    from emberquilt.rack.woods import typed_wood, wood
    from workshop.shop.actions import shop_of

    OwnWood.objects.bulk_create(
        OwnWood(
            shop=shop_of(person),
            code=f"own_{i}",
            values=typed_wood(f"own_{i}", {"name": f"W{i}", "mark": f"Z{letters[i % 26]}"}, wood("maple")).as_dict(),
        )
        for i in range(200)
    )
    assert "200 woods of your own" in said(client.post("/shop/woods/keep/", OWN, follow=True))
    assert client.get("/shop/woods/").status_code == 200


def test_an_own_wood_travels_with_the_project_file(client, page, coloured, person, other):
    made = keep_wood(person, OWN)
    page.do(coloured, "wood", "wood", "1-6", wood=made.code)
    data = client.get(f"/picture/{coloured.uid}/out/project").content
    row = actions.bring_project(other, data)
    assert rack_of(other).shelf[made.code].name == "River walnut"
    assert {p.wood for p in store.load(row).pieces()} == {made.code}


# boards


def shot(**marks) -> dict:
    data, corners, _ = photo_of("walnut", 600, 150, (1.0, 0.8, 0.55))
    return {
        "photo": SimpleUploadedFile("board.png", data),
        "width": "150 mm",
        "corners": json.dumps(corners),
        "patch": json.dumps([PATCH]),
        "reference": "white",
    } | marks


def test_a_photo_becomes_the_face_of_a_board(client, board):
    told = said(client.post(f"/shop/board/{board.pk}/photograph/", shot(), follow=True))
    assert told == "The board shows its face."
    board.refresh_from_db()
    assert board.photo == 1
    assert board.width_mm == 150
    text = client.get(f"/shop/board/{board.pk}/").content.decode()
    assert "its own colour" in text
    face = image_of(client.get(f"/shop/board/{board.pk}/face.jpg"))
    assert face.shape[0] == 450
    assert image_of(client.get(f"/shop/board/{board.pk}/photo.jpg")).shape == (800, 1200, 3)
    # other marks on the same photo, without bringing it again
    again = {
        "points": json.dumps([[0.1, 0.5], [0.6, 0.5]]),
        "apart": "300 mm",
        "outline": json.dumps([[0.1, 0.3], [0.9, 0.3], [0.8, 0.7]]),
    }
    client.post(f"/shop/board/{board.pk}/photograph/", again)
    board.refresh_from_db()
    assert board.photo == 2
    assert len(board.outline) == 3
    assert board.length_mm == pytest.approx(0.8 * 1200 / 2)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"photo": SimpleUploadedFile("x.png", b"no picture")}, "no picture that can be read"),
        ({"width": "", "corners": ""}, "how large this board is"),
        ({"corners": "[[0,0],[1,1]"}, "could not be read"),
        ({"corners": '[["a","b"]]'}, "could not be read"),
        ({"corners": "", "points": "[[0.5,0.5],[0.6,0.5]]", "apart": "abc"}, "abc"),
        ({"width": "-3"}, ""),
        ({"reference": "mauve"}, "no reference"),
    ],
)
def test_bad_photos_and_marks_end_in_a_sentence_and_change_nothing(client, board, change, words):
    response = client.post(f"/shop/board/{board.pk}/photograph/", shot() | change, follow=True)
    assert response.status_code in (200, 422)
    assert words in said(response)
    assert said(response)
    board.refresh_from_db()
    assert (board.photo, board.lab) == (0, None)
    assert not BoardPhoto.objects.exists()


def test_defects_are_drawn_on_the_face_only(client, board):
    def post(ring, kind="knot"):
        data = {"kind": kind, "points": json.dumps(ring)}
        return said(client.post(f"/shop/board/{board.pk}/defect/", data, follow=True))

    assert post([[10, 10], [30, 10], [20, 30]]) == "Marked on the board."
    assert "outside the board" in post([[700, 10], [730, 10], [720, 30]])
    assert "no defect" in post([[10, 10], [30, 10], [20, 30]], "coffee ring")
    assert "could not be read" in post([["x", 1], [2, 3], [4, 5]])
    board.refresh_from_db()
    assert len(board.defects) == 1
    client.post(f"/shop/board/{board.pk}/defect/0/clear/", follow=True)
    board.refresh_from_db()
    assert board.defects == []
    assert "no longer marked" in said(client.post(f"/shop/board/{board.pk}/defect/0/clear/", follow=True))


def test_measures_and_marks_of_boards(client, board, person):
    change = {"length": "24 in", "width": "6 in", "thickness": "3/4 in", "grain": "12"}
    assert said(client.post(f"/shop/board/{board.pk}/change/", change, follow=True)) == "Measures kept."
    board.refresh_from_db()
    assert (board.length_mm, board.grain_deg) == (pytest.approx(609.6), 12)
    for bad in ({"grain": "north"}, {"width": "0"}, {"length": "40 m"}, {"thickness": "abc"}):
        assert said(client.post(f"/shop/board/{board.pk}/change/", change | bad, follow=True)) != "Measures kept."
    twice = {"wood": "walnut", "name": "W1", "length": "1 m", "width": "10 cm", "thickness": "2 cm"}
    assert "marked W1 is on the rack already" in said(client.post("/shop/board/", twice, follow=True))
    assert Board.objects.count() == 1


def test_anothers_boards_and_woods_are_not_to_be_seen(client, other, person):
    theirs = add_board(other, "walnut", "T1", "600 mm", "150 mm", "20 mm")
    for address in (
        f"/shop/board/{theirs.pk}/",
        f"/shop/board/{theirs.pk}/face.jpg",
        f"/shop/board/{theirs.pk}/photo.jpg",
    ):
        assert "no longer on the rack" in said(client.get(address))
    code = keep_wood(other, OWN).code
    assert "no wood called" in said(client.get(f"/shop/woods/{code}/tile.jpg"))
    assert "not one of your own" in said(client.post(f"/shop/woods/{code}/drop/", follow=True))


def test_boards_are_looked_through_by_colour(client, person):
    for code in ("ebony", "holly", "padauk"):
        add_board(person, code, "", "600 mm", "100 mm", "20 mm")
    text = client.get("/shop/boards/").content.decode()
    assert text.index("Holly") < text.index("Padauk") < text.index("Ebony")
    red = client.get("/shop/boards/?near=%23a5361b").content.decode()
    assert red.index("Padauk") < min(red.index("Holly"), red.index("Ebony"))
    assert client.get("/shop/boards/?near=red").status_code == 422


# places


def test_a_piece_is_laid_on_a_board(client, page, coloured, board):
    text = client.get(f"/picture/{coloured.uid}/place/?piece=1").content.decode()
    assert "on board W1" in text
    found = client.get(f"/picture/{coloured.uid}/spots.json?piece=1&board=W1&deg=30&wish=lightest").json()["places"]
    x, y, _ = found[0]
    page.do(coloured, "wood", "place", "1", board="W1", x=str(x), y=str(y), deg="30")
    coloured.refresh_from_db()
    assert coloured.placements.get(part="1").board == "W1"
    assert not [f for f in plan_of(coloured).findings("stock") if f.code == "place"]
    dress = client.get(f"/picture/{coloured.uid}/wood/woods/dress.json").json()["pieces"]["1"]
    assert dress[8][0] == "W1"
    assert 'data-board="W1"' in client.get(f"/picture/{coloured.uid}/stock/").content.decode()
    for query in (
        "piece=99&board=W1",
        "piece=1&board=Z9",
        "piece=1&board=W1&wish=golden",
        "piece=1&board=W1&deg=north",
    ):
        assert client.get(f"/picture/{coloured.uid}/spots.json?{query}").status_code == 422
    assert "Choose one piece first" in said(client.get(f"/picture/{coloured.uid}/place/"))


def test_a_remake_from_another_board_is_warned_of(client, page, coloured, person, board):
    add_board(person, "walnut", "W2", "600 mm", "150 mm", "20 mm")
    page.do(coloured, "wood", "place", "1", board="W1", x="100", y="75")
    coloured.refresh_from_db()
    form = {"step": "saw", "parts": ["1"]}
    sync(client, coloured, entry(what="broke", **form))
    pocket = pocket_in(client.get(f"/picture/{coloured.uid}/bench/"))
    lines, boards = pocket["remakes"][pocket["pieces"]["1"][4]]
    assert "The same board, W1" in sentence(pocket, lines[0])
    assert "W2" in [name for name, _ in boards]
    told = sync(client, coloured, entry(board="W2", **form))
    assert "no photo tells how they differ" in told.json()["answers"][0][2]
    coloured.refresh_from_db()
    assert coloured.placements.get(part="1").board == "W2"


# print size


HTMX = {"HX-Request": "true"}


def test_the_final_picture_opened_by_its_address_is_a_whole_page(client, coloured):
    answer = client.get(f"/picture/{coloured.uid}/final/", follow=True)
    assert "<title>Wood: " in answer.content.decode()


def test_the_picture_at_print_size_is_made_outside_the_request(client, page, coloured, settings):
    page.do(coloured, "wood", "suggest", scope="all")
    assert "make it" in client.get(f"/picture/{coloured.uid}/final/", headers=HTMX).content.decode()
    client.post(f"/picture/{coloured.uid}/final/begin/", {"dpi": "100"})
    made = FinalPicture.objects.get()
    do(tasks.PICTURE, made.pk, made.turn)
    text = client.get(f"/picture/{coloured.uid}/final/", headers=HTMX).content.decode()
    assert "Download the picture" in text
    answer = client.get(f"/picture/{coloured.uid}/final.png")
    assert image_of(answer).shape[1] == round(90 / 25.4 * 100)
    assert answer["Content-Disposition"] == 'attachment; filename="a-test.png"'
    page.do(coloured, "wood", "wood", "1", wood="holly")
    assert "has changed since" in client.get(f"/picture/{coloured.uid}/final/", headers=HTMX).content.decode()


def test_a_stopped_picture_is_not_made(client, coloured):
    made = FinalPicture.objects.create(composition=coloured, revision=coloured.revision, dpi=100)
    assert "stop</button>" in laid(client.get(f"/picture/{coloured.uid}/final/", headers=HTMX))
    assert "Stopped." in client.post(f"/picture/{coloured.uid}/final/stop/", headers=HTMX).content.decode()
    do(tasks.PICTURE, made.pk, made.turn)
    made.refresh_from_db()
    assert (made.state, bytes(made.png)) == ("stopped", b"")
    assert "not made yet" in said(client.get(f"/picture/{coloured.uid}/final.png"))
    assert "Choose 100" in said(client.post(f"/picture/{coloured.uid}/final/begin/", {"dpi": "72000"}))


def test_a_picture_stopped_half_way_leaves_nothing(client, page, coloured, monkeypatch):
    page.do(coloured, "wood", "suggest", scope="all")
    made = FinalPicture.objects.create(composition=coloured, revision=coloured.revision, dpi=100)
    monkeypatch.setattr(progress, "EVERY_SECONDS", 0.0)
    real = tasks.picture

    def stopped_by_the_way(*args, progress, **more):
        FinalPicture.objects.update(state=FinalPicture.State.STOPPED)
        return real(*args, progress=progress, **more)

    monkeypatch.setattr(tasks, "picture", stopped_by_the_way)
    do(tasks.PICTURE, made.pk, made.turn)
    made.refresh_from_db()
    assert (made.state, bytes(made.png)) == ("stopped", b"")
