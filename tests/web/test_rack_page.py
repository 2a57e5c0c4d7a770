"""The rack at the Stock station: laying, nailing, searching, keeping what is left, printing; two works on one rack."""

import pytest
import shapely

from emberquilt.work.on_boards import on_boards
from tests.conftest import cells, composition
from tests.web.conftest import laid, pocket_in, said, sentence
from workshop.compositions import actions, store
from workshop.compositions.models import Composition, LayoutSearch
from workshop.compositions.plans import plan_of
from workshop.longwork.doing import do
from workshop.shop.actions import add_board, mark_defect, shop_of
from workshop.stations.stock import search

HTMX = {"HX-Request": "true"}


@pytest.fixture
def boards(person):
    return [
        add_board(person, "cherry", "C1", "400 mm", "150 mm", "20 mm"),
        add_board(person, "cherry", "C2", "300 mm", "120 mm", "20 mm", offcut=True),
    ]


def begun(person, seed: int = 3) -> Composition:
    return actions.create(person, composition(cells(12, seed, 180.0, 120.0)))


@pytest.fixture
def ready(person, boards):
    return begun(person)


def now(row):
    return store.load(Composition.objects.get(pk=row.pk))


def station(client, row, **query) -> str:
    return laid(client.get(f"/picture/{row.uid}/stock/", query))


def test_parts_are_laid_shown_and_taken_off(client, page, ready):
    assert "lay the parts on the boards" in station(client, ready)
    text = laid(page.do(ready, "stock", "lay"))
    assert text.count('class="part"') >= 12
    assert len(now(ready).placements) == 12
    # off-cuts are filled first
    assert {place.board for place in now(ready).placements.values()} == {"C1", "C2"}
    text = laid(page.do(ready, "stock", "nail", "5"))
    assert "lay again round the 1 nailed" in text
    assert "draw the nail" in station(client, ready, pieces="5", part="5")
    page.do(ready, "stock", "take_off", all="yes")
    assert list(now(ready).placements) == ["5"]
    assert page.do(ready, "stock", "set_down", part="5", board="C9", x="1", y="1").status_code == 422
    assert page.do(ready, "stock", "set_down", part="999", board="C1", x="1", y="1").status_code == 422
    assert page.do(ready, "stock", "set_down", part="5", board="C1", x="far", y="1").status_code == 422
    assert page.do(ready, "stock", "lay", places="nonsense").status_code == 200


def test_a_part_of_no_piece_can_be_chosen_and_moved(client, page, person, ready):
    add_board(person, "ply_birch", "Q1", "600 mm", "400 mm", "3 mm")
    page.do(ready, "stock", "lay")
    assert now(ready).placements["backer"].board == "Q1"
    text = station(client, ready, part="backer")
    assert "even: any way round" in text
    page.do(ready, "stock", "set_down", part="backer", board="Q1", middle="yes")
    assert now(ready).placements["backer"].x_mm == 300.0
    assert now(ready).placements["backer"].nailed


def test_what_found_no_place_is_a_finding_with_its_reason(client, page, person):
    add_board(person, "cherry", "C1", "200 mm", "90 mm", "20 mm")
    row = begun(person)
    page.do(row, "stock", "lay")
    row.refresh_from_db()
    (found,) = [f for f in plan_of(row).findings("stock") if f.code == "on-no-board"]
    assert "on no board" in found.sentence
    assert "would do" in found.sentence
    assert "part lost" in station(client, row)


def test_two_works_on_one_rack_do_not_take_each_others_wood(client, page, person, ready):
    page.do(ready, "stock", "lay")
    other = begun(person, 4)
    page.do(other, "stock", "lay")
    mine = {name: shapely.union_all([o.outline for o in some]) for name, some in on_boards(plan_of(ready).job).items()}
    for name, some in on_boards(plan_of(other).job).items():
        if name in mine:
            assert all(one.outline.distance(mine[name]) > 3 for one in some)
    assert "spoken for by A test" in station(client, other)
    # what one gives back, the other may have
    free = len(now(other).placements)
    page.do(ready, "stock", "take_off", all="yes")
    page.do(other, "stock", "lay")
    assert len(now(other).placements) >= free
    assert "spoken for by A test" not in station(client, other)


def test_a_work_is_worked_out_anew_only_when_others_lie_otherwise_on_the_boards(client, page, person, ready):
    other, bystander = begun(person, 4), actions.create(person, composition(cells(5, 6)))
    plans = plan_of(ready)
    # nothing of the other lay on a board, and nothing does afterwards
    page.do(other, "wood", "wood", "3", wood="walnut")
    assert plan_of(Composition.objects.get(pk=ready.pk)).composition is plans.composition
    page.do(other, "stock", "lay")
    assert "spoken for by A test" in station(client, ready)
    # what it has laid itself is spoken for by nobody else
    assert not plan_of(Composition.objects.get(pk=other.pk)).composition.rack.spoken_for
    seen = plan_of(Composition.objects.get(pk=ready.pk)).composition
    for row, station_name, verb, values in (
        (other, "saw", "saw_first", {}),
        (bystander, "wood", "wood", {"wood": "walnut"}),
    ):
        assert page.do(row, station_name, verb, "3", **values).status_code == 200
    assert plan_of(Composition.objects.get(pk=ready.pk)).composition is seen
    page.do(other, "pattern", "rename", name="Canal lock")
    assert "spoken for by Canal lock" in station(client, ready)
    actions.discard(other)
    assert "spoken for" not in station(client, ready)


def test_a_search_is_shown_stopped_and_taken(client, page, ready):
    page.do(ready, "stock", "lay")
    url = f"/picture/{ready.uid}/layout/"
    assert "look for a better one" in station(client, ready)
    assert "Look for 15, 60" in said(client.post(url, {"seconds": "7"}))
    ready.refresh_from_db()
    row = LayoutSearch.objects.create(composition=ready, revision=ready.revision, seconds=1)
    assert "Looking for a better layout" in laid(client.get(url, headers=HTMX))
    do(search.LAYOUT, row.pk, row.turn)
    row.refresh_from_db()
    assert row.state == "ready"
    assert len(row.places) == 12
    assert "could exceed" in laid(client.get(url, headers=HTMX))
    assert page.do(ready, "stock", "lay", found="yes").status_code == 200
    assert {key: place.x_mm for key, place in now(ready).placements.items()} == {
        key: place["x_mm"] for key, place in row.places.items()
    }
    # it was for the work as it stood then
    assert "has changed since" in said(page.do(ready, "stock", "lay", found="yes"))
    LayoutSearch.objects.update(state="working")
    client.post(f"{url}stop/", headers=HTMX)
    assert LayoutSearch.objects.get().state == "stopped"


def test_what_is_left_of_a_board_becomes_an_off_cut(client, page, person, ready):
    mark_defect(person, ready.owner.shop.boards.get(name="C1").pk, "knot", [[370, 20], [390, 20], [390, 40], [370, 40]])
    page.do(ready, "stock", "lay")
    for key, place in now(ready).placements.items():
        if place.board == "C1" and place.x_mm > 220:
            page.do(ready, "stock", "take_off", part=key)
    drawn = next(k for k, place in now(ready).placements.items() if place.board == "C1")
    before = shop_of(person).boards.get(name="C1")
    assert "keep the other" in station(client, ready, pieces=drawn, part=drawn)
    client.post(f"/picture/{ready.uid}/rest/", {"board": "C1", "part": drawn})
    after = shop_of(person).boards.get(name="C1")
    rest = shop_of(person).boards.exclude(name__in=("C1", "C2")).get(offcut=True)
    assert after.length_mm + rest.length_mm == pytest.approx(before.length_mm - 3.2, abs=0.1)
    assert rest.width_mm == before.width_mm
    # its knot goes with it, where it was
    (defect,) = rest.defects
    assert defect[1][0][0] + after.length_mm + 3.2 == pytest.approx(370, abs=20.1)
    assert not after.defects
    assert "Nothing is left over" in said(client.post(f"/picture/{ready.uid}/rest/", {"board": "C9"}))


def test_the_print_pack_is_seen_before_it_leaves(client, page, ready):
    text = laid(client.get(f"/picture/{ready.uid}/print/?pack=ready&paper=A4"))
    assert "less paper" in text
    assert "Parts apart 1" in text
    assert "No part lies on a board yet" in laid(client.get(f"/picture/{ready.uid}/print/?pack=boards"))
    page.do(ready, "stock", "lay")
    assert "Board C1" in laid(client.get(f"/picture/{ready.uid}/print/?pack=boards&paper=A3&mirrored=yes"))
    answer = client.get(f"/picture/{ready.uid}/print.pdf?pack=boards&paper=Roll&line=black")
    assert answer.content.startswith(b"%PDF")
    assert 'filename="a-test-boards.pdf"' in answer["Content-Disposition"]
    assert "There is no paper" in said(client.get(f"/picture/{ready.uid}/print.pdf?paper=Parchment"))
    assert "There is no paper" in laid(client.get(f"/picture/{ready.uid}/print/?paper=Parchment"))


def test_works_without_boards_or_woods_can_be_seen_and_printed(client, person):
    bare = actions.create(person, composition(cells(3, 3), {}))
    assert "No board or sheet" in station(client, bare)
    assert client.get(f"/picture/{bare.uid}/print/").status_code == 200
    assert client.get(f"/picture/{bare.uid}/print.pdf").content.startswith(b"%PDF")


def test_milling_is_listed_and_drawn_and_stands_in_calendar_and_bench(client, page, person):
    add_board(person, "cherry", "C1", "900 mm", "150 mm", "20.6 mm")
    row = begun(person)
    page.do(row, "relief", "thickness", "1-12", mm="6.35")
    assert 'class="mills"' not in station(client, row)
    text = laid(page.do(row, "stock", "lay"))
    assert {place.leaf for place in now(row).placements.values()} == {1, 2}
    assert "resawn: leaf a" in text
    text = station(client, row)
    assert 'class="mills"' in text
    assert "C1 resaw, 2 leaves" in text
    assert "board feet become dust" in text
    assert "Resaw: C1" in client.get(f"/picture/{row.uid}/calendar/").content.decode()
    pocket = pocket_in(client.get(f"/picture/{row.uid}/bench/"))
    titles = [sentence(pocket, card[1]) for card in pocket["cards"]]
    assert "Order" in titles[0]  # sheet for shims and backer is short: it is ordered first
    assert any("Crosscut: C1" in title for title in titles)
    text = station(client, row, pieces="5", part="5")
    assert "keep C1 whole" in text
    other = "2" if now(row).placements["5"].leaf == 1 else "1"
    page.do(row, "stock", "set_down", part="5", where=f"{other}:C1", x="60", y="70")
    assert now(row).placements["5"].leaf == int(other)
    text = laid(page.do(row, "stock", "whole", board="C1"))
    assert "wants leaf" in text
    page.do(row, "stock", "lay")
    assert {p.leaf for k, p in now(row).placements.items() if k != "5"} == {0}


def test_what_is_missing_is_shown_on_boards_as_they_are_sold(client, page, person):
    add_board(person, "mahogany", "H1", "600 mm", "150 mm", "20 mm")
    row = begun(person)
    text = station(client, row, show="to buy")
    assert "laid out on boards and sheets as they are sold" in text
    assert "birch plywood" in text
    assert "mahogany instead of cherry" in text
    assert 'class="bought"' in text
    page.do(row, "wood", "wood", "1-12", wood="mahogany")
    page.do(row, "stock", "lay")
    text = station(client, row, show="to buy")
    assert "mahogany instead" not in text
    add_board(person, "ply_birch", "Q1", "600 mm", "300 mm", "3 mm")
    page.do(row, "stock", "lay")
    assert "Nothing to buy" in station(client, row, show="to buy")


def test_a_panel_is_planned_glued_and_taken_apart(client, page, person):
    add_board(person, "cherry", "C1", "1500 mm", "110 mm", "22 mm")
    row = actions.create(person, composition(cells(1, 3, 180.0, 150.0)))
    text = station(client, row, pieces="1", part="1")
    assert "glue up a panel" in text
    answer = client.post(f"/picture/{row.uid}/panel/", {"part": "1"}, follow=True)
    assert "to be glued up of 2 strips" in answer.content.decode()
    shop = shop_of(person)
    source, panel = shop.boards.get(name="C1"), shop.boards.get(panel__isnull=False)
    assert source.length_mm + panel.panel["long_mm"] == pytest.approx(1500 - 3.2, abs=0.1)
    page.do(row, "stock", "lay")
    assert now(row).placements["1"].board == panel.name
    text = station(client, row, pieces="1", part="1")
    assert "it is glued up" in text
    assert "Glue up a panel" in text
    url = f"/picture/{row.uid}/panel/"
    assert client.post(url, {"part": "1"}).status_code == 422  # there is one already
    client.post(url, {"part": "1", "board": panel.name, "done": "apart"})
    panel.refresh_from_db()
    assert panel.panel is None
    assert (panel.width_mm, panel.thickness_mm, panel.offcut) == (110.0, 22.0, True)
    page.do(row, "stock", "take_off", all="yes")
    client.post(url, {"part": "1"})
    panel = shop.boards.get(panel__isnull=False)
    page.do(row, "stock", "lay")
    client.post(url, {"part": "1", "board": panel.name, "done": "glued"})
    assert "Glue up a panel" not in station(client, row)
    assert client.post(url, {"part": "1", "board": panel.name, "done": "apart"}).status_code == 422
    assert client.post(url, {"part": "nothing"}).status_code == 422
    assert client.post(url, {"board": "X9", "done": "glued"}).status_code == 422


def test_what_the_caliper_says_is_typed_beside_the_part(client, page, ready):
    page.do(ready, "stock", "lay")
    assert "By caliper, as milled" in station(client, ready, pieces="5", part="5")
    page.do(ready, "stock", "caliper", part="5", length="18.5 mm")
    board = now(ready).placements["5"].board
    here = {key for key, place in now(ready).placements.items() if place.board == board}
    assert {now(ready).by_key[int(key)].thickness_mm for key in here} == {18.0}
    assert page.do(ready, "stock", "caliper", part="5", length="thick").status_code == 422
