"""Edits of outlines and layers through the pages: what they write, what the answer carries, and that all can be taken
back."""

import json
import re

import pytest
import shapely
import skimage.data

from emberquilt.formats.project import Project, read_project, write_project
from tests.conftest import composition, grid
from tests.core.test_intake_kinds import dxf, lines, pdf, plan, png
from tests.core.test_reshaping import do, same
from tests.web.conftest import said, upload
from workshop.compositions import store
from workshop.compositions.models import Composition, Draft


def state(row) -> dict:
    return {
        "pieces": list(
            row.pieces.order_by("key").values_list("key", "layer_key", "number", "wood", "grain_deg", "opening")
        ),
        "outlines": {k: shapely.from_wkb(bytes(w)).wkt for k, w in row.outlines.values_list("key", "wkb")},
        "layers": list(row.layers.values_list("key", "name", "kind", "thickness_mm", "note", "trim_flush")),
        "size": (row.width_mm, row.height_mm),
    }


def reshape_in(response) -> dict | None:
    found = re.search(r'<script id="reshape" type="application/json">(.*?)</script>', response.content.decode(), re.S)
    return json.loads(found[1]) if found else None


EDITS = [
    ("split", "1", {"points": "[[5,15],[25,15]]"}),
    ("join", "1-2", {}),
    ("seam", "1-2", {"points": "[[30,0],[36,15],[30,30]]"}),
    ("junction", "", {"points": "[[30,30],[33,34]]", "snap": "2"}),
    ("opening", "2", {}),
    ("opening", "", {"points": "[[5,5],[12,5],[12,12],[5,12]]"}),
    ("drop", "1", {}),
    ("draw", "", {"points": "[[20,20],[40,20],[40,40]]", "curve": ""}),
    ("background", "", {"outline": "oval", "margin": "20mm"}),
    ("mirror", "", {}),
    ("resize", "", {"width": "300mm", "thickness": "yes"}),
    ("repeat", "3", {"times": "2"}),
    ("overlay", "1-2", {"how": "figure"}),
    ("overlay", "2", {"how": "move"}),
    ("add_layer", "", {"kind": "backer"}),
    ("layer", "", {"name": "Front", "note": "painted", "trim_flush": "yes"}),
    ("number", "1", {"number": "77"}),
]


@pytest.mark.parametrize(("verb", "pieces", "values"), EDITS)
def test_every_edit_is_written_as_the_core_made_it_and_taken_back(page, work, verb, pieces, values):
    page.do(work, "wood", "wood", "1-6", wood="walnut")
    work.refresh_from_db()
    before = state(work)
    answer = page.do(work, "pattern", verb, pieces, **values)
    assert answer.status_code == 200, said(answer)
    work.refresh_from_db()
    after = state(work)
    assert after != before
    kept = store.load(work)
    store._compositions._values.clear()
    store._coverages._values.clear()
    # what is remembered is what stands in the rows
    same(kept, store.load(work))
    assert all(layer.coverage.is_valid for layer in kept.layers)
    page.post(f"/picture/{work.uid}/undo/pattern/", revision=work.revision)
    work.refresh_from_db()
    assert state(work) == before
    page.post(f"/picture/{work.uid}/redo/pattern/", revision=work.revision)
    work.refresh_from_db()
    assert state(work) == after


def test_the_answer_carries_only_the_outlines_that_changed(page, client, work):
    shown = re.search(r'data-shapes="([^"]+)"', client.get(f"/picture/{work.uid}/pattern/").content.decode())[
        1
    ].replace("&amp;", "&")
    answer = page.do(work, "pattern", "split", "1", points="[[5,15],[25,15]]", view="1")
    told = reshape_in(answer)
    assert told["from"] == shown
    assert {row[0] for row in told["changed"]} == {1, 2, 7}
    whole = {row[0]: row for row in client.get(told["to"]).json()["shapes"]}
    assert all(whole[row[0]] == row for row in told["changed"])
    # a new layer changes more than outlines: the page reads them afresh
    assert reshape_in(page.do(work, "pattern", "add_layer", kind="backer")) is None


def test_the_counts_of_the_other_stations_come_after_the_answer(page, client, work):
    answer = page.do(work, "pattern", "split", "1", points="[[5,15],[25,15]]").content.decode()
    assert 'id="rule"' not in answer
    address = re.search(r'hx-get="([^"]+/rule[^"]*)"', answer)[1].replace("&amp;", "&")
    assert "1 left" in client.get(address).content.decode()


def test_an_older_page_does_not_cut_a_newer_picture(page, client, work):
    page.do(work, "pattern", "split", "1", points="[[5,15],[25,15]]")
    values = {"verb": "join", "pieces": "1-2", "revision": 1}
    stale = client.post(f"/picture/{work.uid}/pattern/do/", values, headers={"HX-Request": "true"})
    assert stale.status_code == 409
    assert "another window" in said(stale)
    assert work.pieces.count() == 7


@pytest.mark.parametrize(
    ("verb", "pieces", "values"),
    [
        ("split", "1", {"points": "[[1,1]]"}),
        ("split", "1", {"points": "<script>"}),
        ("join", "1,6", {}),
        ("stack", "", {}),
        ("bridge", "1", {}),
        ("resize", "", {"width": "40 m"}),
        ("seam", "1", {"points": "[[1,1],[2,2]]"}),
        ("drop_layer", "", {}),
        ("layer", "", {"kind": "cake"}),
        ("smooth", "", {}),
        ("fill", "1", {}),
        ("repeat", "1", {"times": "-4"}),
    ],
)
def test_what_cannot_be_done_changes_nothing(page, work, verb, pieces, values):
    before = state(work)
    answer = page.do(work, "pattern", verb, pieces, **values)
    assert answer.status_code == 422
    assert said(answer).endswith(".")
    assert state(work) == before
    assert not work.entries.exists()


def test_a_layer_that_is_gone_is_no_broken_page(page, client, work):
    page.do(work, "pattern", "add_layer", kind="backer")
    for station in ("pattern", "wood", "saw"):
        assert client.get(f"/picture/{work.uid}/{station}/?view=99").status_code == 200
        assert client.get(f"/picture/{work.uid}/{station}/?view=2").status_code == 200
    for view in ("front", "apart", "1"):
        for show in ("numbers", "colours"):
            assert client.get(f"/picture/{work.uid}/pattern/?view={view}&show={show}").status_code == 200
    assert len(client.get(f"/picture/{work.uid}/shapes.json?view=front").json()["shapes"]) == 7
    assert len(client.get(f"/picture/{work.uid}/shapes.json?view=1").json()["shapes"]) == 6


def test_small_pieces_are_listed_before_they_are_joined(page, client, work):
    page.do(work, "pattern", "draw", points="[[28,10],[32,10],[32,13],[28,13]]")
    listed = client.get(f"/picture/{work.uid}/small?smallest=5mm").content.decode()
    assert "7 into" in listed
    assert work.pieces.count() == 7
    page.do(work, "pattern", "join_small", smallest="5mm")
    assert work.pieces.count() == 6


def test_layers_and_openings_travel_in_the_project_file():
    work = do(composition(grid(3, 3)), "opening", [5])
    work = do(work, "add_layer", kind="backer", name="Back")
    work = do(work, "layer", layer=1, name="Front", layer_thickness="6mm", note="painted", trim_flush="yes")
    data = write_project(Project(work, "2026-01-05"))
    back = read_project(data)
    same(back.composition, work)
    assert write_project(back) == data


# --- bringing every kind --------------------------------------------------------------------------------------------

KINDS = {
    "photo": ({"drawing": ("coffee.png", png(skimage.data.coffee()))}, "photo in 6 tones"),
    "dxf": ({"drawing": ("plan.dxf", dxf(plan))}, "DXF drawing"),
    "pdf": ({"drawing": ("page.pdf", pdf(lines))}, "PDF page"),
    "words": ({"kind": "text", "words": "CANAL"}, "lettering in a sheet"),
    "nothing": ({"kind": "blank", "outline": "arch", "across": "0.8"}, "empty arch"),
}


@pytest.mark.parametrize("name", KINDS)
def test_every_kind_from_the_shelf_to_pieces(client, person, name):
    values, kind = KINDS[name]
    values = {k: upload(v[1], v[0]) if k == "drawing" else v for k, v in values.items()}
    response = client.post("/bring/", values | {"width": "300 mm"})
    draft = Draft.objects.get()
    assert draft.state == "ready", draft.problem
    text = client.get(response.url).content.decode()
    assert kind in text
    assert client.get(f"/draft/{draft.uid}/source").status_code == 200
    scene = client.get(f"/draft/{draft.uid}/scene.json").json()
    assert scene["w"] == pytest.approx(300, abs=0.1)
    client.post(f"/draft/{draft.uid}/accept/", {"name": name})
    row = Composition.objects.get()
    for station in ("pattern", "wood", "relief", "stock", "saw", "assembly", "calendar", "log"):
        assert client.get(f"/picture/{row.uid}/{station}/").status_code == 200
    assert client.get(f"/picture/{row.uid}/out/pdf").content.startswith(b"%PDF")


def test_knobs_find_the_pieces_again_and_a_bad_one_keeps_what_was_found(client, person):
    client.post("/bring/", {"drawing": upload(png(skimage.data.coffee()), "coffee.png"), "width": "300 mm"})
    draft = Draft.objects.get()
    first = len(draft.result["colours"])
    client.post(f"/draft/{draft.uid}/again/", {"tones": "3", "smallest_mm": "15 mm"})
    draft.refresh_from_db()
    assert len(draft.result["colours"]) < first
    bad = client.post(f"/draft/{draft.uid}/again/", {"tones": "99"})
    assert bad.status_code == 422
    client.post(f"/draft/{draft.uid}/again/", {"kind": "line", "ink": "-10"})
    draft.refresh_from_db()
    # whatever came of it, the page still stands, with what was found last
    assert b'class="found"' in client.get(f"/draft/{draft.uid}/").content
    assert draft.result


def test_ones_own_font_and_one_that_is_none(client, person):
    from importlib.resources import files

    client.post("/bring/", {"kind": "text", "words": "Koi", "width": "300 mm"})
    draft = Draft.objects.get()
    own = (files("emberquilt") / "data" / "fonts" / "lobster-latin-400-normal.woff").read_bytes()
    client.post(f"/draft/{draft.uid}/again/", {"font_file": upload(own, "own.woff")})
    draft.refresh_from_db()
    assert (draft.state, bytes(draft.font)) == ("ready", own)
    bad = client.post(f"/draft/{draft.uid}/again/", {"font_file": upload(b"nonsense", "own.ttf")})
    assert bad.status_code == 422
    assert "no font" in said(bad)


def test_the_print_pack_corrects_for_the_printer(page, client, work):
    import pypdfium2

    from tests.core.test_leaving import paths_of

    page.do(work, "wood", "wood", "1-6", wood="walnut")

    def width_of_piece() -> float:
        document = pypdfium2.PdfDocument(client.get(f"/picture/{work.uid}/out/pdf").content)
        return max(b[2] - b[0] for b in paths_of(document[1]) if 29 < b[2] - b[0] < 33)

    plain = width_of_piece()
    assert plain == pytest.approx(30.6, abs=0.1)
    page.do(work, "pattern", "practice", ruler_across_mm="147 mm", ruler_down_mm="150 mm")
    assert width_of_piece() == pytest.approx(plain * 150 / 147, abs=0.1)
    check = pypdfium2.PdfDocument(client.get(f"/picture/{work.uid}/out/check").content)
    sizes = [(b[2] - b[0], b[3] - b[1]) for b in paths_of(check[0])]
    # pdfium adds the stroke of 0.2 mm on either side to the bounds it gives
    assert any(abs(w - 150.4) < 0.1 and h < 1 for w, h in sizes), "ruler across"
    assert any(abs(h - 150.4) < 0.1 and w < 1 for w, h in sizes), "ruler down"
