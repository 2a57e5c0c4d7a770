"""Woods of one's own, what coats do to colour, boards from their photos."""

import cv2
import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from emberquilt.colour import difference, lab_of, linear_of, srgb_of
from emberquilt.errors import BadChoice, BadDrawing
from emberquilt.picture.figure import colours, counts_of, darkness
from emberquilt.practice import Practice
from emberquilt.rack.boards import Board, Defect, laid, to_board
from emberquilt.rack.coats import FULL_COATS, MOST_COATS, Coat, coat_of, coated_lab
from emberquilt.rack.photo import REFERENCES, Marks, colour_of, face_of, white_balanced
from emberquilt.rack.rack import Rack
from emberquilt.rack.seen import Seen
from emberquilt.rack.woods import typed_wood, wood, woods

# woods


def test_a_wood_of_ones_own_takes_the_rest_from_one_it_is_like():
    own = typed_wood("own_1", {"name": " River   walnut ", "mark": "rw", "finished": "#4a3222"}, wood("walnut"))
    assert (own.name, own.mark, own.finished) == ("River walnut", "Rw", "#4a3222")
    assert (own.sg, own.c_tangential) == (wood("walnut").sg, wood("walnut").c_tangential)
    shelf = woods().with_own([own])
    assert len(shelf) == len(woods()) + 1
    assert shelf.wood("own_1") == own
    changed = typed_wood("walnut", {"finished": "#111111"}, wood("walnut"))
    assert woods().with_own([changed])["walnut"].finished == "#111111"
    assert woods()["walnut"].finished != "#111111"


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"name": "", "mark": "Xx"}, "needs a name"),
        ({"name": "A", "mark": "X"}, "two letters"),
        ({"name": "A", "mark": "Xx", "sg": "9"}, "specific gravity"),
        ({"name": "A", "mark": "Xx", "hardness_lbf": "hard"}, "side hardness"),
        ({"name": "A", "mark": "Xx", "raw": "brown"}, "not a colour"),
        ({"name": "A", "mark": "Xx", "kind": "cheese"}, "no kind"),
        ({"name": "A", "mark": "Xx", "figure": "<script>"}, "drawn grain"),
        ({"name": "A", "mark": "Xx", "across_ratio": "nan"}, "across the grain"),
    ],
)
def test_a_wood_that_makes_no_sense_ends_in_a_sentence(values, words):
    blank = {"name": "like"} | values
    with pytest.raises(BadChoice, match=words):
        typed_wood("own_1", blank if values["name"] else values | {"name": " "})


# coats


def test_a_clear_finish_darkens_and_warms():
    raw, finished = wood("cherry").raw, wood("cherry").finished
    steps = [coated_lab(raw, finished, "", f)[0] for f in ("raw", "lacquer", "poly", "oil")]
    assert steps == sorted(steps, reverse=True)
    assert coated_lab(raw, finished, "", "poly") == pytest.approx(lab_of(finished))
    assert coated_lab(raw, finished, "raw", "poly") == pytest.approx(lab_of(raw))
    assert coated_lab(raw, finished, "", "shellac")[2] > coated_lab(raw, finished, "", "poly")[2]


def test_full_coats_of_dye_on_white_wood_are_the_dyes_colour():
    """Light filtered twice by the full depth of dye and thrown back by something white is the dye itself."""
    white = "#ffffff"
    seen = coated_lab(white, white, f"dye #2a5c8a {FULL_COATS}", "poly")
    assert float(difference(seen, lab_of("#2a5c8a"))) < 0.6


@given(st.integers(0, 0xFFFFFF), st.integers(1, MOST_COATS - 1))
def test_every_coat_of_dye_makes_it_darker(colour, coats):
    text = f"dye #{colour:06x}"
    maple = wood("maple")
    less, more = (coated_lab(maple.raw, maple.finished, f"{text} {n}", "gel") for n in (coats, coats + 1))
    assert more[0] <= less[0] + 1e-6


def test_paint_hides_and_a_stain_lies_between():
    maple = wood("maple")
    assert coated_lab(maple.raw, maple.finished, "paint #123456", "gel") == pytest.approx(lab_of("#123456"))
    stained = coated_lab(maple.raw, maple.finished, "stain #3b2414", "gel")
    assert lab_of("#3b2414")[0] < stained[0] < lab_of(maple.finished)[0]


@pytest.mark.parametrize(
    "text", ["glitter", "paint", "dye 3", "oil #112233", "dye #112233 99", "dye #112233 0", "stain #12"]
)
def test_what_is_no_coat_ends_in_a_sentence(text):
    with pytest.raises(BadChoice):
        coat_of(text)


def test_a_coat_is_kept_as_it_is_read():
    for coat in (Coat(), Coat("oil"), Coat("paint", "#112233"), Coat("dye", "#112233", 3)):
        assert coat_of(coat.text) == coat


# boards and photos

BENCH = (96, 88, 78)


def photo_of(code: str, length_mm: float, width_mm: float, lamp=(1.0, 1.0, 1.0), ring=None, per_mm: float = 3.0):
    """A bare board on a bench, drawn and warped by OpenCV, under a coloured lamp, white paper (0.88) in the upper left
    corner; with the truth: corners in shares, and the mean colour of the board's face."""
    dark = darkness(wood(code), length_mm, width_mm, per_mm, 7)
    face = colours(lab_of(wood(code).raw), counts_of(dark))[dark]
    wide, high = 1200, 800
    ring = np.array(ring or [[150, 260], [1080, 230], [1110, 560], [130, 600]], np.float32)
    box = np.array([[0, 0], [face.shape[1], 0], [face.shape[1], face.shape[0]], [0, face.shape[0]]], np.float32)
    move = cv2.getPerspectiveTransform(box, ring)
    picture = np.full((high, wide, 3), BENCH, np.uint8)
    cv2.warpPerspective(face, move, (wide, high), dst=picture, flags=cv2.INTER_AREA, borderMode=cv2.BORDER_TRANSPARENT)
    paper = srgb_of(np.full(3, REFERENCES["white"])) * 255
    cv2.rectangle(picture, (30, 30), (180, 140), paper.tolist(), -1)
    lit = srgb_of(linear_of(picture) * np.array(lamp)) * 255
    _, png = cv2.imencode(".png", np.round(lit).astype(np.uint8)[..., ::-1])
    return png.tobytes(), tuple(map(tuple, (ring / [wide, high]).tolist())), wood(code).raw


PATCH = (105 / 1200, 85 / 800)


@pytest.mark.parametrize("code", ["walnut", "cherry", "maple"])
@pytest.mark.parametrize("lamp", [(1, 1, 1), (1.0, 0.8, 0.55), (0.6, 0.75, 0.9)])
def test_white_paper_takes_the_lamps_colour_away(code, lamp):
    data, corners, raw = photo_of(code, 600, 150, lamp)
    face = face_of(data, Marks(corners=corners, patch=PATCH), width_mm=150)
    lab, spread = colour_of(face.rgb, face.px_per_mm, shapely.box(0, 0, face.length_mm, face.width_mm))
    assert float(difference(lab, lab_of(raw))) < 2.0
    assert 0 < spread < 8
    if lamp != (1, 1, 1):
        plain = face_of(data, Marks(corners=corners), width_mm=150)
        off, _ = colour_of(plain.rgb, plain.px_per_mm, shapely.box(0, 0, plain.length_mm, plain.width_mm))
        assert float(difference(off, lab_of(raw))) > 4


def test_four_corners_give_the_face_back():
    """The straightened face is the drawn one again: seen beside it, pixel by pixel, at one resolution."""
    data, corners, _ = photo_of("walnut", 600, 150)
    face = face_of(data, Marks(corners=corners), length_mm=600, width_mm=150)
    assert (face.length_mm, face.width_mm) == (600, 150)
    dark = darkness(wood("walnut"), 600, 150, 3.0, 7)
    truth = cv2.resize(
        colours(lab_of(wood("walnut").raw), counts_of(dark))[dark], face.rgb.shape[1::-1], interpolation=cv2.INTER_AREA
    )
    blurred = [
        cv2.GaussianBlur(cv2.cvtColor(p, cv2.COLOR_RGB2GRAY), (0, 0), 2).astype(float) for p in (face.rgb, truth)
    ]
    assert np.corrcoef(blurred[0].ravel(), blurred[1].ravel())[0, 1] > 0.9


def test_two_points_and_their_distance_give_true_size():
    data, *_ = photo_of("cherry", 600, 150, ring=[[100, 300], [1100, 300], [1100, 550], [100, 550]])
    outline = tuple((x / 1200, y / 800) for x, y in [(100, 300), (1100, 300), (900, 550), (100, 550)])
    marks = Marks(outline=outline, points=((0.1, 0.5), (0.6, 0.5)), apart_mm=300)
    face = face_of(data, marks)
    assert face.length_mm == pytest.approx(500)  # 1000 px at 2 px a mm
    assert face.width_mm == pytest.approx(125)
    assert shapely.Polygon(face.outline).area == pytest.approx((500 + 400) / 2 * 125)
    by_width = face_of(data, Marks(outline=outline), width_mm=125)
    assert by_width.length_mm == pytest.approx(500)


def test_a_knot_does_not_change_the_colour_of_a_board():
    rgb = np.full((200, 400, 3), (150, 110, 70), np.uint8)
    plain, _ = colour_of(rgb, 1.0, shapely.box(0, 0, 400, 200))
    cv2.circle(rgb, (100, 100), 60, (30, 20, 10), -1)
    knot = Defect("knot", tuple(shapely.Point(100, 100).buffer(65).exterior.coords))
    board = Board(1, "oak_red", "O1", 400, 200, 20, defects=(knot,))
    assert colour_of(rgb, 1.0, board.clear)[0] == pytest.approx(plain, abs=0.05)
    assert colour_of(rgb, 1.0, board.region)[0] == pytest.approx(plain, abs=0.05), "robust even where it is not marked"


@pytest.mark.parametrize(
    ("marks", "size", "words"),
    [
        (Marks(), {}, "how large"),
        (Marks(corners=((0, 0), (1, 0), (1, 1), (0, 1))), {}, "how large"),
        (Marks(corners=((0, 0), (1, 1), (1, 0), (0, 1))), {"width_mm": 100}, "one after another"),
        (Marks(outline=((0, 0), (1, 1), (1, 0), (0, 1))), {"width_mm": 100}, "crosses itself"),
        (Marks(points=((0.5, 0.5), (0.5, 0.5)), apart_mm=100), {}, "well apart"),
        (Marks(points=((0.1, 0.5), (0.6, 0.5)), apart_mm=0), {}, "well apart"),
        (Marks(), {"width_mm": 5900}, "cannot be right"),
        (Marks(patch=(0.5, 0.5), reference="blue"), {"width_mm": 100}, "no reference"),
        (Marks(corners=((float("nan"), 0), (1, 0), (1, 1), (0, 1))), {"width_mm": 100}, "could not be read"),
    ],
)
def test_marks_that_make_no_sense_end_in_a_sentence(marks, size, words):
    data, *_ = photo_of("cherry", 600, 150)
    with pytest.raises(BadChoice, match=words):
        face_of(data, marks, **size)


def test_what_is_no_photo_ends_in_a_sentence():
    with pytest.raises(BadDrawing):
        face_of(b"a shopping list", Marks(), width_mm=100)
    black = np.zeros((100, 100, 3), np.uint8)
    with pytest.raises(BadChoice, match="almost black"):
        white_balanced(black, (0.5, 0.5), "white")
    black[:] = (250, 40, 40)
    with pytest.raises(BadChoice, match="not the white or grey reference"):
        white_balanced(black, (0.5, 0.5), "white")


@given(st.floats(0, 359), st.floats(0, 179), st.floats(-200, 200), st.floats(-200, 200))
def test_a_piece_on_a_board_lies_along_its_grain(grain, board_grain, x, y):
    """Outline and matrix make the same move, and an arrow of the picture comes to lie along the board's grain."""
    board = Board(1, "cherry", "C1", 800, 200, 20, grain_deg=board_grain)
    outline = shapely.Polygon([(10, 10), (60, 10), (60, 30), (10, 25)])
    about = (30.0, 20.0)
    move = to_board(about, board, grain, x, y)
    points = shapely.get_coordinates(outline)
    assert (move[:, :2] @ points.T).T + move[:, 2] == pytest.approx(
        shapely.get_coordinates(laid(outline, about, board, grain, x, y)), abs=1e-6
    )
    arrow = move[:, :2] @ np.array([np.cos(np.radians(grain)), -np.sin(np.radians(grain))])
    assert (
        np.degrees(np.arctan2(-arrow[1], arrow[0])) % 360 == pytest.approx(board_grain, abs=1e-6) or board_grain < 1e-6
    )
    assert move @ np.array([*about, 1.0]) == pytest.approx([x, y])


def test_a_board_is_seen_by_its_own_colour_and_paint_hides_it():
    bare = np.array(lab_of(wood("walnut").raw))
    board = Board(1, "walnut", "W1", 800, 200, 20, lab=tuple(bare + [6, 0, 0]))
    seen = Seen(Rack(boards=(board,)), "poly")
    kind, piece = seen.look("walnut"), seen.look("walnut", "", "W1")
    assert np.array(seen.lab_of(piece)) - np.array(seen.lab_of(kind)) == pytest.approx([6, 0, 0])
    assert seen.look("cherry", "", "W1") == seen.look("cherry")
    assert seen.hex(seen.look("walnut", "paint #405060", "W1")) == "#405060"
    assert seen.older.lab_of(kind) == pytest.approx(lab_of(wood("walnut").aged))


def test_off_cuts_stand_in_boxes_by_thickness():
    boards = (
        Board(1, "cherry", "C1", 300, 100, 19.0, offcut=True),
        Board(2, "cherry", "C2", 400, 100, 19.4, offcut=True),
        Board(3, "aspen", "A1", 300, 100, 6.2, offcut=True),
        Board(4, "cherry", "C3", 900, 100, 19.0),
    )
    rack = Rack(woods(), boards)
    inches = rack.boxes(Practice().box_mm)
    assert [round(16 * mm / 25.4) for mm, _ in inches] == [4, 12]
    assert [[board.name for board in own] for _, own in inches] == [["A1"], ["C2", "C1"]]
    assert [mm for mm, _ in rack.boxes(Practice(unit="mm").box_mm)] == [6.0, 19.0]
    assert Rack(woods(), boards[3:]).boxes(1.0) == []
