"""Photos, story, boards and the journal leave with a project file when that is wished, and come back from one."""

import io
import json
import zipfile

import cv2
import numpy as np
import pytest
from django.utils import timezone

from emberquilt.errors import BadProject
from emberquilt.formats.project import read_project, write_project
from tests.conftest import composition, grid
from tests.web.conftest import said, upload
from workshop.bench.models import Snapshot, Story
from workshop.compositions import actions
from workshop.compositions.models import Composition
from workshop.shop.actions import add_board, mark_defect, shop_of
from workshop.shop.models import Board, BoardPhoto


@pytest.fixture
def rich(person, client, page):
    """A work with edits done and undone, parts on a board that was photographed, a photo and a story."""
    row = actions.create(person, composition(grid(3, 2), {}, grain_deg=None, thickness_mm=None))
    board = add_board(person, "walnut", "W1", "600 mm", "200 mm", "20 mm")
    _, jpeg = cv2.imencode(".jpg", np.full((60, 180, 3), 90, np.uint8))
    BoardPhoto.objects.create(board=board, data=jpeg.tobytes(), marks={"a": 1}, face=jpeg.tobytes(), px_per_mm=0.3)
    mark_defect(person, board.pk, "knot", [[300, 50], [320, 50], [310, 70]])
    Board.objects.filter(pk=board.pk).update(photo=3, lab=[40.0, 8.0, 12.0], spread=2.5)
    page.do(row, "wood", "wood", "1-6", wood="walnut")
    page.do(row, "wood", "grain", "1-6", deg="0")
    page.do(row, "relief", "thickness", "1-6", length="3/4 in")
    page.do(row, "stock", "lay")
    page.do(row, "pattern", "split", "1", points="[[15,-5],[15,35]]")
    page.do(row, "wood", "wood", "2", wood="maple")
    row.refresh_from_db()
    client.post(f"/picture/{row.uid}/undo/wood/", {"revision": row.revision}, headers={"HX-Request": "true"})
    shot = Snapshot.objects.create(
        composition=row, client="phone1-1", step="saw", part="2", at=timezone.now(), jpeg=jpeg.tobytes()
    )
    Story.objects.create(composition=row, text="Cut by the canal.", maker="Ada", shot=shot)
    row.refresh_from_db()
    return row


_FILE: list[bytes] = []


@pytest.fixture
def file(request, person):
    """Its project file with all that can go along, made once."""
    if not _FILE:
        _FILE.append(taken(request.getfixturevalue("client"), request.getfixturevalue("rich")))
        Composition.objects.all().delete()
        shop_of(person).boards.all().delete()
    return _FILE[0]


ALL = "with=photos&with=boards&with=journal"


def taken(client, row, query: str = ALL) -> bytes:
    answer = client.get(f"/picture/{row.uid}/out/project?{query}")
    assert answer.status_code == 200
    return answer.content


def brought(client, data: bytes):
    return client.post("/bring/", {"drawing": upload(data, "x.ember"), "width": ""}, follow=True)


def test_nothing_goes_along_unasked(client, rich):
    beside = read_project(taken(client, rich, "")).beside
    assert (beside.photos, beside.story, beside.boards, beside.journal) == ((), {}, (), ())
    assert not read_project(taken(client, rich, "with=everything")).beside.photos


def test_all_of_it_comes_back(client, rich, person):
    entries = rich.entries.count()
    assert (rich.cursor, entries) == (5, 6) or entries - rich.cursor == 1
    data = taken(client, rich)
    flaws = shop_of(person).boards.get().defects
    shop_of(person).boards.all().delete()
    brought(client, data)
    copy = Composition.objects.exclude(pk=rich.pk).get()
    assert bytes(copy.snapshots.get().jpeg) == bytes(rich.snapshots.get().jpeg)
    assert (copy.story.text, copy.story.maker, copy.story.shot) == ("Cut by the canal.", "Ada", copy.snapshots.get())
    board = shop_of(person).boards.get()
    assert (board.name, board.photo, board.lab, board.spread) == ("W1", 1, [40.0, 8.0, 12.0], 2.5)
    assert board.defects == flaws
    assert board.picture.marks == {"a": 1}
    assert (copy.cursor, copy.entries.count()) == (rich.cursor, entries)
    # the same leaves again
    second = write_project(actions.project_of(copy, timezone.now(), ("photos", "boards", "journal")))
    assert read_project(second).beside == read_project(data).beside


def test_it_can_be_undone_and_done_again_there(client, rich):
    brought(client, taken(client, rich, "with=journal"))
    copy = Composition.objects.exclude(pk=rich.pk).get()
    head = {"headers": {"HX-Request": "true"}}
    for row in (rich, copy):
        while row.cursor:
            client.post(f"/picture/{row.uid}/undo/wood/", {"revision": row.revision}, **head)
            row.refresh_from_db()
    bare = [list(row.pieces.order_by("key").values_list("key", "wood", "thickness_mm")) for row in (rich, copy)]
    assert bare[0] == bare[1]
    assert [wood for _, wood, _ in bare[1]] == [""] * 6
    for _ in range(rich.entries.count()):
        client.post(f"/picture/{copy.uid}/redo/wood/", {"revision": copy.revision}, **head)
        copy.refresh_from_db()
    assert copy.pieces.get(key=2).wood == "maple"
    assert copy.pieces.count() == 7


def test_a_board_whose_mark_is_taken_stays_as_it_is(client, rich, person):
    data = taken(client, rich)
    shop_of(person).boards.update(length_mm=500)
    brought(client, data)
    assert shop_of(person).boards.get().length_mm == 500


def changed(data: bytes, change, **entries: bytes) -> bytes:
    """The file with another document, or other entries."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w") as new:
        for info in old.infolist():
            content = old.read(info)
            if info.filename == "composition.json":
                document = json.loads(content)
                change(document)
                content = json.dumps(document).encode()
            if (content := entries.get(info.filename.replace("/", "_").replace(".", "_"), content)) is not None:
                new.writestr(info.filename, content)
    return out.getvalue()


def nothing(document):
    pass


BAD = {
    "no jpeg": (nothing, {"photos_1_jpg": b"GIF89a nothing of the kind"}),
    "cut off": (nothing, {"photos_1_jpg": b"\xff\xd8\xff"}),
    "photo that is missing": (nothing, {"photos_1_jpg": None}),
    "face that is missing": (nothing, {"boards_1-face_jpg": None}),
    "a date": (lambda d: d["photos"][0].update(at="yesterday"), {}),
    "a year": (lambda d: d["photos"][0].update(at="1066-10-14T09:00"), {}),
    "two of one name": (lambda d: d["photos"].append(d["photos"][0]), {}),
    "a path": (lambda d: d["photos"][0].update(file="../secret-key"), {}),
    "two boards": (lambda d: d["boards"].append(d["boards"][0]), {}),
    "a board's outline": (lambda d: d["boards"][0].update(outline=[[0, 0], [9, 9], [9, 0], [0, 9]]), {}),
    "two corners": (lambda d: d["boards"][0].update(outline=[[0, 0], [9, 9]]), {}),
    "a flaw": (lambda d: d["boards"][0]["defects"][0].update(kind="moth"), {}),
    "a wood": (lambda d: d["boards"][0].update(wood="unobtainium"), {}),
    "no size": (lambda d: d["boards"][0].update(px_per_mm=0), {}),
    "cursor": (lambda d: d["journal"].update(cursor=99), {}),
    "an edit of nothing": (lambda d: d["journal"]["entries"][0].update(before={}), {}),
    "an edit of no piece": (
        lambda d: d["journal"]["entries"][-1].update(after={"label": "x", "pieces": {"wood": [["x", "999"]]}}),
        {},
    ),
    "edits out of order": (lambda d: d["journal"]["entries"].reverse(), {}),
    "a bomb of an edit": (
        lambda d: d["journal"]["entries"][-2].update(before={"outlines": {"keys": [1], "wkb": "AAAA"}}),
        {},
    ),
    "a story that is none": (lambda d: d.update(story=["x"]), {}),
}


@pytest.mark.parametrize("name", BAD)
def test_what_does_not_fit_is_refused_whole(client, person, file, name):
    change, entries = BAD[name]
    answer = brought(client, changed(file, change, **entries))
    assert answer.status_code == 200
    assert said(answer).endswith("."), said(answer)
    assert not Composition.objects.exists()
    assert not shop_of(person).boards.exists()


def test_the_core_reads_what_goes_along(file):
    beside = read_project(file).beside
    assert [p.name for p in beside.photos] == ["phone1-1"]
    assert [one.board.name for one in beside.boards] == ["W1"]
    with pytest.raises(BadProject, match="same name"):
        read_project(changed(file, BAD["two of one name"][0]))
