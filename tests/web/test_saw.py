"""The saw on its pages: the way of the blade as it is played, verbs, the practice sheet, the table of blades."""

import cv2
import numpy as np
import pytest

from emberquilt.intake.marked_sheet import SHEET_MM, marks
from emberquilt.saw.practice_sheet import exercises
from tests.conftest import composition, grid
from tests.web.conftest import laid, said, upload
from workshop.bench.models import Skill
from workshop.compositions import actions, store
from workshop.compositions.models import Composition
from workshop.shop.actions import practice_of

PX = 8.0


@pytest.fixture
def squares(person):
    """Six squares of cherry."""
    return actions.create(person, composition(grid(3, 2)))


def decided(row):
    return store.load(Composition.objects.get(pk=row.pk)).decisions.saw


def test_the_way_of_a_part_is_told_to_the_player(client, squares):
    told = client.get(f"/picture/{squares.uid}/way.json", {"part": "2"}).json()
    assert [body["key"] for body in told["bodies"]] == ["2"]
    assert told["strokes"][0]["kind"] == "in"
    assert told["strokes"][-1]["frees"] == ["2"]
    assert client.get(f"/picture/{squares.uid}/way.json", {"part": "99"}).json() == {}
    assert client.get(f"/picture/{squares.uid}/way.json", {"part": "x/9"}).status_code == 200


def test_pins_ways_starts_and_blades_are_kept(page, squares):
    assert page.do(squares, "saw", "saw_last", "2").status_code == 200
    assert page.do(squares, "saw", "saw_first", "3").status_code == 200
    assert page.do(squares, "saw", "saw_way", "1").status_code == 200
    assert page.do(squares, "saw", "saw_start", "1").status_code == 200
    assert page.do(squares, "saw", "saw_blade", "4", blade="7").status_code == 200
    assert page.do(squares, "saw", "saw_spiral", "5").status_code == 200
    saw = decided(squares)
    assert (saw.first, saw.last, saw.ways, saw.blades, saw.spiral) == (
        (3,),
        (2,),
        {1: "counter-clockwise"},
        {4: "7"},
        (5,),
    )
    assert list(saw.starts) == [1]
    assert "No. 5 spiral" in laid(page.do(squares, "saw", "saw_start", "5", how="auto"))
    answer = page.do(squares, "saw", "saw_blade", "4", blade="77")
    assert answer.status_code == 422
    assert "There is no blade No. 77 here" in said(answer)
    assert page.do(squares, "saw", "saw_in_turn", "2,3").status_code == 200
    assert decided(squares).last == decided(squares).first == ()


def test_the_ticket_tells_what_is_done_one_after_another(client, squares):
    text = laid(client.get(f"/picture/{squares.uid}/saw/"))
    assert "one after another" in text
    assert "Mount No. 5" in text
    assert "Square the blade" in text
    assert "of 5, straight lines" in text
    one = laid(client.get(f"/picture/{squares.uid}/saw/?pieces=2"))
    assert "clockwise" in one
    assert "by thickness and hardness" in one
    played = laid(client.get(f"/picture/{squares.uid}/saw/?pieces=2&show=way"))
    assert "data-way=" in played
    assert "next stroke" in played


def test_a_blade_off_square_is_reckoned_from_the_kerf_turned_round(page, squares):
    answer = page.do(squares, "saw", "square_check", thickness="3/4 in", gap="0.7 mm")
    assert answer.status_code == 200
    assert "off square" in laid(answer)
    assert page.do(squares, "saw", "square_check", thickness="x", gap="1 mm").status_code == 422


def test_the_shops_table_of_blades(client, person):
    text = "5: 0.97 0.41 14 3\n7: 1.14 0.43 12 6"
    client.post("/shop/practice/", {"blades": text})
    assert [row[0] for row in practice_of(person).blades] == ["5", "7"]
    assert "7: 1.14 0.43 12 6" in client.get("/shop/").content.decode()
    answer = client.post("/shop/practice/", {"blades": ""}, follow=True)
    assert "at least one" in answer.content.decode()
    assert len(practice_of(person).blades) == 2
    client.post("/shop/practice/", {"blades": "usual"})
    assert practice_of(person).blades is None


def sawn_sheet(level: int, off_mm: float) -> bytes:
    """A photo of a practice sheet sawn so far beside all its lines, taken askew, by OpenCV."""
    wide, high = (round(v * PX) for v in SHEET_MM)
    edge = round(20 * PX)
    img = np.full((high + 2 * edge, wide + 2 * edge, 3), (225, 228, 232), np.uint8)
    for x, y, side in marks():
        ends = [(round((x + s * side / 2) * PX) + edge, round((y + s * side / 2) * PX) + edge) for s in (-1, 1)]
        cv2.rectangle(img, *ends, (28, 26, 25), -1)
    for exercise in exercises(level):
        for line in exercise.lines:
            cv2.polylines(img, [_pixels(line, edge)], False, (26, 39, 192), 3, cv2.LINE_AA)
            for a, b in zip(line, line[1:], strict=False):
                way = (b - a) / max(np.hypot(*(b - a)), 1e-9)
                beside = off_mm * np.array([-way[1], way[0]])
                cv2.polylines(img, [_pixels(np.array([a, b]) + beside, edge)], False, (22, 22, 20), 5, cv2.LINE_AA)
    h, w = img.shape[:2]
    corners = np.float32([[0, 0], [w, 0], [w, h], [0, h]])
    askew = np.float32([[0.1 * w, 0.06 * h], [0.94 * w, 0.03 * h], [0.98 * w, 0.97 * h], [0.04 * w, 0.93 * h]])
    photo = cv2.warpPerspective(img, cv2.getPerspectiveTransform(corners, askew), (w, h), borderValue=(38, 34, 30))
    return cv2.imencode(".jpg", cv2.rotate(photo, cv2.ROTATE_180))[1].tobytes()


def _pixels(line: np.ndarray, edge: int) -> np.ndarray:
    return np.round(line * PX + edge).astype(np.int32)


@pytest.mark.parametrize(("level", "off"), [(1, 0.0), (2, 0.4), (3, 0.8), (4, 0.4), (5, 0.6)])
def test_a_photo_of_a_sawn_sheet_is_measured_and_kept(client, squares, person, level, off):
    address = f"/picture/{squares.uid}/practise/"
    answer = client.post(address, {"level": level, "photo": upload(sawn_sheet(level, off), "sheet.jpg")}, follow=True)
    assert answer.status_code == 200
    (skill,) = Skill.objects.filter(shop__owner=person)
    assert skill.level == level
    assert skill.drift_mm == pytest.approx(off, abs=0.1)
    assert skill.worst_mm >= skill.drift_mm
    assert "from the line" in laid(answer)
    assert f"at level {level}" in laid(client.get(f"/picture/{squares.uid}/log/"))


def test_what_is_no_sheet_ends_in_a_sentence(client, squares):
    address = f"/picture/{squares.uid}/practise/"
    grey = cv2.imencode(".png", np.full((400, 300, 3), 128, np.uint8))[1].tobytes()
    unsawn = sawn_sheet(2, 30.0)
    for data, says in ((b"no picture", "picture"), (grey, "four black squares"), (unsawn, "seen as sawn")):
        answer = client.post(address, {"level": 2, "photo": upload(data, "a.jpg")})
        assert answer.status_code == 422
        assert says in laid(answer)
    assert client.post(address, {"level": 2}).status_code == 422
    assert not Skill.objects.exists()


def test_the_sheet_is_saved_for_the_paper_one_has(client, squares):
    for level in range(1, 6):
        data = client.get(f"/picture/{squares.uid}/practise/sheet.pdf", {"level": level, "paper": "A4"})
        assert data.content.startswith(b"%PDF")
    assert client.get(f"/picture/{squares.uid}/practise/sheet.pdf", {"level": 9, "paper": "A4"}).status_code == 200
    bad = client.get(f"/picture/{squares.uid}/practise/sheet.pdf", {"level": 1, "paper": "napkin"})
    assert bad.status_code == 422
