"""The picture of the result: true to its swatches, lit as light falls, the same in bands as whole; places on boards."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from skimage.color import rgb2lab

from emberquilt.colour import difference, lab_of, linear_of, srgb_of
from emberquilt.errors import BadChoice
from emberquilt.outline.coverage import Coverage, on_grid
from emberquilt.picture import render
from emberquilt.picture.board_face import board_face
from emberquilt.picture.figure import colours, counts_of, darkness, figure_of, tile
from emberquilt.picture.light import Lamp, distances, shadows, sheen_of
from emberquilt.picture.parts import Frame, parts_of
from emberquilt.picture.render import MOST_PIXELS, Light, picture
from emberquilt.rack.boards import Board, Defect, laid
from emberquilt.rack.rack import Rack
from emberquilt.rack.woods import wood, woods
from emberquilt.wood.palettes import in_woods
from emberquilt.wood.spots import WISHES, places
from emberquilt.work.composition import Composition, Placement
from tests.conftest import cells, composition, grid


def mean_lab(rgb: np.ndarray) -> np.ndarray:
    """Of the light that comes off, as an eye far away sees it."""
    mean = srgb_of(linear_of(rgb.reshape(-1, 3)).mean(axis=0))
    return rgb2lab(mean[None, None])[0, 0]


# true to the swatch


@pytest.mark.parametrize("code", sorted(woods()))
def test_every_wood_matches_its_swatch(code):
    """Flat in the light, away from edges, over the mean of four arrows: within 3 (CIEDE2000) of the finished colour."""
    shown = []
    for grain in (0.0, 90.0, 180.0, 270.0):
        work = composition(Coverage([1], [shapely.box(0, 0, 200, 200)]), code, grain_deg=grain)
        flat = picture(work, 200)[12:-12, 12:-12]
        shown.append(linear_of(flat.reshape(-1, 3)).mean(axis=0))
    lab = rgb2lab(srgb_of(np.mean(shown, axis=0))[None, None])[0, 0]
    assert float(difference(lab, lab_of(wood(code).finished))) <= 3.0


@given(st.floats(5, 95), st.floats(-30, 40), st.floats(-20, 50))
def test_a_figures_mean_is_the_colour_asked_for(lightness, a, b):
    dark = darkness(wood("walnut"), 120, 60, 2.0, 3)
    rgb = colours((lightness, a, b), counts_of(dark))[dark]
    if 35 < lightness < 75 and abs(a) + abs(b) < 30:
        assert float(difference(mean_lab(rgb), (lightness, a, b))) < 2.5


def test_figures_are_of_their_kind_and_always_the_same():
    assert (darkness(wood("oak_red"), 100, 50, 2.0, 1) == darkness(wood("oak_red"), 100, 50, 2.0, 1)).all()
    assert (darkness(wood("oak_red"), 100, 50, 2.0, 1) != darkness(wood("oak_red"), 100, 50, 2.0, 2)).any()
    assert figure_of(wood("zebra"))["ring"] > figure_of(wood("pear"))["ring"]
    contrast = {code: darkness(wood(code), 200, 100, 2.0, 1).std() for code in ("zebra", "pear")}
    assert contrast["zebra"] > 1.5 * contrast["pear"]


@pytest.mark.parametrize("code", ["walnut", "zebra", "curly_maple", "spalted_maple"])
def test_grain_runs_along_the_figure(code):
    """Neighbours along the grain are more alike than neighbours across it; in curly wood it is the other way round."""
    dark = darkness(wood(code), 200, 100, 4.0, 1).astype(float)
    along, across = np.abs(np.diff(dark, axis=1)).mean(), np.abs(np.diff(dark, axis=0)).mean()
    assert along < across


# light


def raised(height: float, **more) -> Composition:
    """A low square with a high one in its middle."""
    inner = shapely.box(60, 60, 120, 120)
    coverage = Coverage([1, 2], [shapely.box(0, 0, 180, 180) - inner, inner])
    work = composition(coverage, "maple", thickness_mm=10.0)
    pieces = (
        work.usual_layer.without_openings.pieces[0],
        replace(work.usual_layer.without_openings.pieces[1], shim_mm=height),
    )
    return replace(work, layers=(replace(work.layers[0], pieces=pieces),), **more)


@pytest.mark.parametrize("from_deg", [135.0, 45.0, 225.0, 315.0])
def test_a_shadow_falls_away_from_the_lamp_and_is_as_long_as_it_is_high(from_deg):
    """By the lamp's elevation a step of 20 mm throws a shadow of 20 / tan 40 = 24 mm."""
    light = Light(gloss="raw", lamp=Lamp(from_deg))
    grey = cv2.cvtColor(picture(raised(20.0), 540, light), cv2.COLOR_RGB2GRAY).astype(float)
    flat = cv2.cvtColor(picture(raised(0.0), 540, light), cv2.COLOR_RGB2GRAY).astype(float)
    share = grey / flat
    dx, dy = -np.cos(np.radians(from_deg)), np.sin(np.radians(from_deg))

    def at(mm: float) -> float:
        x, y = (90 + (30 / max(abs(dx), abs(dy)) + mm) * d for d in (dx, dy))
        return float(share[int(y * 3) - 4 : int(y * 3) + 5, int(x * 3) - 4 : int(x * 3) + 5].mean())

    assert at(8) < 0.75, "in the shadow"
    assert at(40) > 0.93, "beyond it"
    x, y = (90 - (30 / max(abs(dx), abs(dy)) + 8) * d for d in (dx, dy))
    assert share[int(y * 3), int(x * 3)] > 0.85, "towards the lamp"


def test_edges_are_lit_towards_the_lamp_and_dark_away_from_it():
    grey = cv2.cvtColor(picture(raised(6.0), 720, Light(gloss="raw")), cv2.COLOR_RGB2GRAY).astype(float)
    top, bottom = grey[243:249, 300:420].mean(), grey[471:477, 300:420].mean()
    assert top > grey[330:390, 330:390].mean() > bottom


def test_gloss_adds_light_on_the_rounded_edge_only():
    raw, gloss = (picture(raised(6.0), 720, Light(gloss=g)).astype(int) for g in ("raw", "gloss"))
    gain = (gloss - raw).mean(axis=2)
    assert gain[240:252, 300:420].max() > 12
    assert abs(gain[330:390, 330:390].mean()) < 4


def test_a_turned_grain_looks_different_and_round_matters_where_it_flashes():
    lamp = Lamp()
    assert sheen_of(45, lamp, 1.0, False) > 1.02 > 0.98 > sheen_of(135, lamp, 1.0, False)
    assert sheen_of(135, lamp, 1.0, False) == pytest.approx(sheen_of(315, lamp, 1.0, False))
    assert abs(sheen_of(135, lamp, 1.0, True) - sheen_of(315, lamp, 1.0, True)) > 0.08
    ways = [sheen_of(a, lamp, 1.0, True) for a in range(360)]
    assert np.mean(ways) == pytest.approx(1, abs=1e-6)


@given(st.integers(2, 40), st.integers(2, 40))
def test_distance_to_a_border(left, right):
    labels = np.zeros((60, left + right), np.int32)
    labels[:, left:] = 1
    found = distances(labels, 2.0)
    assert found[30, left] == pytest.approx(0.25, abs=0.01)
    assert found[30, 0] == pytest.approx((left - 0.5) / 2, rel=0.05)


# the whole picture


def test_in_bands_it_is_the_same_as_whole(monkeypatch):
    coverage = cells(30, 3)
    # edges of a pixel or so, as drawn curves have them: OpenCV clips a long edge at a band's border to other pixels
    short = Coverage(coverage.keys, list(on_grid(shapely.segmentize(np.array(coverage.outlines), 1.17))))
    work = composition(short, "cherry", shim_mm=3.0)
    whole = picture(work, 400)
    told: list[float] = []
    monkeypatch.setattr(render, "BAND_PX", 400 * 40)
    banded = picture(work, 400, progress=told.append)
    assert told == sorted(told)
    assert told[-1] == 1.0
    assert len(told) > 4
    off = np.abs(whole.astype(int) - banded).max(axis=2)
    assert (off <= 3).mean() > 0.998
    assert off.mean() < 0.1


def test_size_and_bounds():
    work = composition(grid(3, 2), "cherry")
    assert picture(work, 300).shape == (200, 300, 3)
    assert picture(work, 300, Light(ss=2)).shape == (200, 300, 3)
    framed = picture(work, 300, Light(frame=Frame("walnut", 30), margin_mm=10))
    assert framed.shape == (round(300 * 140 / 170), 300, 3)
    for width in (0, 200_000):
        with pytest.raises(BadChoice, match=f"{MOST_PIXELS // 10**6} megapixels"):
            picture(work, width)
    for bad in ({"gloss": "wet"}, {"wall": "white"}):
        with pytest.raises(BadChoice):
            Light(**bad)


def test_bare_pieces_and_sheets_are_drawn_too():
    """Without any wood pieces look like paper; what stands in front is what is seen."""
    bare = picture(composition(grid(2, 1), {}), 200)
    assert mean_lab(bare[10:-10, 10:40])[0] > 88
    back = composition(Coverage([1], [shapely.box(0, 0, 90, 60)]), "ebony")
    front = composition(Coverage([2], [shapely.box(30, 0, 90, 60)]), "holly").layers[0]
    both = replace(back, layers=(replace(back.layers[0], kind="sheet"), replace(front, key=2, kind="overlay")))
    shown = picture(both, 300)
    assert mean_lab(shown[40:160, 180:280])[0] > 80 > 40 > mean_lab(shown[40:160, 5:60])[0]
    assert [round(p.top_mm, 2) for p in parts_of(both)] == [19.05, 38.1]


def test_other_woods_can_be_tried_without_being_given():
    work = composition(grid(2, 1), "walnut")
    tried = picture(in_woods(work, {1: "holly"}), 200)
    assert mean_lab(tried[10:90, 15:85])[0] > mean_lab(tried[10:90, 115:185])[0] + 30


def test_a_painted_piece_has_no_grain():
    work = composition(Coverage([1], [shapely.box(0, 0, 100, 100)]), "zebra", coat="paint #446688")
    shown = picture(work, 200, Light(gloss="raw"))[20:-20, 20:-20]
    assert shown.reshape(-1, 3).std(axis=0).max() < 3
    assert float(difference(mean_lab(shown), lab_of("#446688"))) < 3


# real boards


def chequered(board: Board) -> tuple[np.ndarray, float]:
    """A face on which every place can be told: lightness by x, redness by y."""
    y, x = np.mgrid[0 : round(board.width_mm * 2), 0 : round(board.length_mm * 2)] / 2
    return np.dstack([80 + 100 * y / board.width_mm, 60 + 120 * x / board.length_mm, np.full_like(x, 90)]).astype(
        np.uint8
    ), 2.0


@pytest.mark.parametrize("grain", [0.0, 90.0, 210.0])
def test_a_piece_shows_the_very_place_of_the_board(grain):
    """Sampled where Shapely's own rotation says the piece lies."""
    board = Board(1, "cherry", "C1", 400, 200, 20, lab=(50.0, 10.0, 20.0), photo=1)
    work = replace(
        composition(
            Coverage([1], [shapely.box(0, 0, 60, 40)]),
            "cherry",
            grain_deg=grain,
        ),
        rack=Rack(boards=(board,)),
        placements={"1": Placement("C1", 200.0, 100.0)},
    )
    shown = picture(work, 240, Light(gloss="raw"), photos=chequered).astype(float)
    spot = work.usual_layer.without_openings.coverage.spots[1]
    face, fine = board_face(board, woods(), work.seen.lab_of(work.look_of(work.made[0])), chequered, 2.0)
    for x, y in ((20, 20), (45, 12), (30, 30), (12, 28)):
        place = laid(shapely.Point(x, y), (spot.x_mm, spot.y_mm), board, grain, 200.0, 100.0)
        wanted = face[int(place.y * fine), int(place.x * fine)].astype(float)
        seen = shown[int(y * 4), int(x * 4)]
        # light changes how bright, not the ratio of the channels
        assert seen / seen.sum() == pytest.approx(wanted / wanted.sum(), abs=0.012)


def test_a_boards_face_has_the_colour_it_is_to_have():
    board = Board(1, "walnut", "W1", 300, 100, 20, lab=(45.0, 12.0, 20.0), photo=1)
    rgb, _ = board_face(
        board,
        woods(),
        (35.0, 13.0, 22.0),
        lambda b: (np.full((100, 300, 3), 0, np.uint8) + np.array([134, 96, 76], np.uint8), 1.0),
        2.0,
    )
    bare = rgb2lab(np.array([[[134, 96, 76]]]) / 255)[0, 0]
    assert mean_lab(rgb)[0] < bare[0] - 5
    drawn, fine = board_face(replace(board, photo=0), woods(), (35.0, 13.0, 22.0), None, 2.0)
    assert drawn.shape == (200, 600, 3)
    assert fine == 2.0
    assert float(difference(mean_lab(drawn), (35.0, 13.0, 22.0))) < 2


# where on a board

BOARD = Board(1, "cherry", "C1", 400, 160, 20, defects=(Defect("knot", ((180, 0), (220, 0), (220, 160), (180, 160))),))
PIECE = shapely.Polygon([(0, 0), (70, 0), (70, 20), (20, 40), (0, 40)])


def lightness_field() -> np.ndarray:
    """Two pixels a mm: light on the right, and a busy figure in the lower left."""
    y, x = np.mgrid[0:320, 0:800] / 2
    field = 40 + 30 * x / 400 + 12 * np.sin(y * 1.5) * ((x < 180) & (y > 90))
    return field.astype(np.float32)


@pytest.mark.parametrize("wish", sorted(WISHES))
@pytest.mark.parametrize("grain", [0.0, 35.0, 200.0])
def test_every_place_is_free(wish, grain):
    """Checked by Shapely: whole on the board, clear of defects and of what lies there."""
    taken = [shapely.box(250, 20, 320, 80)]
    found = places(PIECE, (30, 15), grain, BOARD, lightness_field(), 2.0, taken, wish)
    assert found
    assert [p.score for p in found] == sorted((p.score for p in found), reverse=True)
    for place in found:
        shape = laid(PIECE, (30, 15), BOARD, grain, place.x_mm, place.y_mm)
        assert BOARD.clear.buffer(0.01).contains(shape)
        assert not shape.intersects(taken[0])


def test_light_dark_and_figured_places():
    found = {wish: places(PIECE, (30, 15), 0.0, BOARD, lightness_field(), 2.0, [], wish)[0] for wish in WISHES}
    assert found["lightest"].x_mm > 330
    assert found["darkest"].x_mm < 60
    assert found["figured"].x_mm < 150
    assert found["figured"].y_mm > 90
    assert not (found["plain"].x_mm < 150 and found["plain"].y_mm > 90)


def test_arches_are_centred():
    """Arches whose middle line lies at y = 50: the piece comes to lie across it."""
    y, x = np.mgrid[0:320, 0:800] / 2
    field = 60 + 10 * np.sin((x - 0.03 * (y - 50) ** 2) / 3)
    board = Board(1, "cherry", "C1", 400, 160, 20)
    bar = shapely.box(0, 0, 80, 50)
    best = places(bar, (40, 25), 0.0, board, field.astype(np.float32), 2.0, [], "centred")[0]
    assert best.y_mm == pytest.approx(50, abs=8)


def test_a_piece_that_fits_nowhere_is_told():
    for shape in (shapely.box(0, 0, 300, 100), shapely.box(0, 0, 900, 20)):
        with pytest.raises(BadChoice, match="fits nowhere"):
            places(shape, shape.centroid.coords[0], 0.0, BOARD, lightness_field(), 2.0, [], "plain")
    with pytest.raises(BadChoice, match="nothing to look for"):
        places(PIECE, (30, 15), 0.0, BOARD, lightness_field(), 2.0, [], "golden")


def test_swatch_tiles_repeat():
    picture_of = tile(wood("cherry"), lab_of(wood("cherry").finished), 128, 32.0)
    grey = picture_of.astype(float).mean(axis=2)
    for axis in (0, 1):
        inside = np.abs(np.diff(grey, axis=axis)).mean()
        ends = grey.take([0, -1], axis=axis)
        assert np.abs(np.diff(ends, axis=axis)).mean() < 2.5 * inside + 2


@pytest.mark.parametrize("size", [(1, 1), (3, 40), (40, 3), (200, 90)])
@pytest.mark.parametrize("turn", range(0, 360, 45))
@pytest.mark.parametrize("high", [1.0, 8.0, 12.0, 40.0, 89.0])
def test_a_level_field_is_lit_by_every_lamp_and_a_wall_shades_it(size, turn, high):
    lamp = Lamp(float(turn), high)
    level = np.full(size, 7.0, np.float32)
    assert shadows(level, 2.0, lamp).min() > 0.999
    if min(size) > 50:
        wall = level.copy()
        wall[40:60, 40:50] += 12
        seen = shadows(wall, 2.0, lamp)
        x, y, _ = lamp.towards
        across, down = (int(np.sign(v)) if abs(v) > 1e-3 else 0 for v in (x, y))
        # the foot of the wall on the side away from the lamp lies in its shade, the foot before it does not
        foot, before = ((50 + way * 14 * down, 45 + way * 8 * across) for way in (-1, 1))
        assert seen[foot] < 0.5 or high > 80
        assert seen[before] > 0.999
