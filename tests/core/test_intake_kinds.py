"""Photos, painted SVG, DXF, PDF, lettering and empty outlines, each against what another program says of them."""

import io
import json
import tempfile
from pathlib import Path

import cv2
import ezdxf
import numpy as np
import pytest
import shapely
import skimage.data
from fontTools.pens.areaPen import AreaPen
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from reportlab.pdfgen import canvas

from emberquilt.cli import main
from emberquilt.errors import BadChoice, BadDrawing, BadLength
from emberquilt.intake import lettering, rendering
from emberquilt.intake.knobs import Knobs, Size, knobs_of, size_of
from emberquilt.intake.propose import propose, recognise, source_picture
from emberquilt.units import Length
from tests.core.test_intake_svg import svg
from tests.core.truth import compare, drawn, truth


def png(rgb: np.ndarray) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(rgb).save(buffer, "PNG")
    return buffer.getvalue()


# --- line art, to the targets of the prototypes ---------------------------------------------------------------------


@pytest.mark.parametrize(("count", "ink_px", "per_mm"), [(60, 5, 5.0), (60, 3, 5.0), (150, 4, 6.0)])
def test_borders_follow_the_middle_of_the_ink(count, ink_px, per_mm):
    """Targets: at least 99 % of regions with an overlap over 0.9; p95 0.3 px away from nodes, 1 px at nodes."""
    real = truth(count, 1)
    found = propose(cv2.imencode(".png", drawn(real, per_mm, ink_px))[1].tobytes(), Length(300), Knobs(kind="line"))
    off = compare(found.coverage, real, per_mm, ink_px)
    assert found.faces == count
    assert off["recovered"] >= 0.99
    assert off["p95"] <= 0.3
    assert off["nodes_p95"] <= 1.0


def broken(picture: np.ndarray, real, per_mm: float, gap_px: int, margin: int = 30) -> tuple[np.ndarray, int]:
    """The picture with a gap rubbed out of the middle of every longer seam."""
    gaps = 0
    for seam in real.seams:
        if seam.length_mm * per_mm > 60:
            ((x, y),) = shapely.get_coordinates(seam.line.interpolate(0.5, normalized=True)) * per_mm + margin
            cv2.circle(picture, (round(x), round(y)), gap_px // 2, 255, -1)
            gaps += 1
    return picture, gaps


def test_gaps_up_to_six_pixels_are_bridged():
    """Targets: 95 % closed, 1 % false. A gap that stays open loses a region, a false one makes one."""
    real = truth(80, 4)
    # the rubber is round: a gap of 6 px between the ends of a 4 px line needs a little more
    picture, gaps = broken(drawn(real, 5.0, 4), real, 5.0, 6)
    found = propose(cv2.imencode(".png", picture)[1].tobytes(), Length(300), Knobs(kind="line"))
    assert gaps > 100
    lost = len(real) - compare(found.coverage, real, 5.0, 4)["recovered"] * len(real)
    assert lost <= 0.05 * gaps
    assert found.faces <= len(real) + 0.01 * gaps
    assert sum(1 for what, *_ in found.traces if what == "bridged") >= 0.95 * gaps
    open_again = propose(cv2.imencode(".png", picture)[1].tobytes(), Length(300), Knobs(kind="line", gap_mm=0.0))
    assert open_again.faces < found.faces


def test_uneven_light_and_noise_lose_no_region():
    real = truth(60, 2)
    picture = drawn(real, 5.0, 5).astype(float)
    rows, columns = np.mgrid[0 : picture.shape[0], 0 : picture.shape[1]]
    shade = 1 - 0.55 * columns / columns.max() - 0.15 * rows / rows.max()
    noisy = picture * shade + np.random.default_rng(1).normal(0, 4, picture.shape)
    data = cv2.imencode(".jpg", np.clip(noisy, 0, 255).astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, 80])[1].tobytes()
    found = propose(data, Length(300), Knobs(kind="line"))
    assert found.faces == 60
    assert compare(found.coverage, real, 5.0, 5)["recovered"] >= 0.99


def test_a_tilted_photo_of_a_pattern_is_straightened():
    real = truth(40, 3)
    flat = drawn(real, 4.0, 5, margin_px=0)
    height, width = flat.shape
    corners = np.array([[180, 90], [1350, 160], [1250, 930], [90, 840]], np.float32)
    sheet = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float32)
    photo = cv2.warpPerspective(flat, cv2.getPerspectiveTransform(sheet, corners), (1500, 1000), borderValue=120)
    shares = [[float(x) / 1500, float(y) / 1000] for x, y in corners]
    knobs = knobs_of({"corners": json.dumps(shares), "kind": "line"}, "mm")
    found = propose(cv2.imencode(".png", photo)[1].tobytes(), Length(300), knobs)
    assert found.faces == pytest.approx(40, abs=1)
    # a tilted sheet is only as long as its longer sides in the picture: the shape comes back within a few parts in a
    # hundred
    assert found.height_mm == pytest.approx(200, rel=0.05)


# --- photos ---------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ["astronaut", "coffee", "camera"])
@pytest.mark.parametrize("by", ["lightness", "colour"])
def test_a_photo_falls_into_tones_near_to_it(name, by):
    """scikit-image's sample pictures: the pieces painted with their tones are nearer to the picture than fewer tones
    are."""
    picture = getattr(skimage.data, name)()
    rgb = picture if picture.ndim == 3 else np.dstack([picture] * 3)
    errors = []
    for tones in (2, 6):
        found = propose(png(rgb), Length(400), Knobs(kind="photo", tones=tones, by=by, smallest_mm=6.0))
        assert found.is_valid
        assert len(set(found.colours.values())) <= tones
        assert set(found.colours) == set(found.coverage.keys)
        errors.append(
            np.abs(painted(found, rgb.shape).astype(float).mean(axis=2) - rgb.astype(float).mean(axis=2)).mean()
        )
    assert errors[1] < 0.75 * errors[0]


def painted(found, shape) -> np.ndarray:
    """A proposal painted by OpenCV at the size of its source."""
    canvas_ = np.zeros((*shape[:2], 3), np.uint8)
    scale = shape[1] / found.width_mm
    for key in sorted(found.coverage.keys, key=lambda k: -found.coverage.area_mm2[k]):
        outline = found.coverage.by_key[key]
        rings = [
            np.round(shapely.get_coordinates(r) * scale * 16 - 8).astype(np.int32)
            for r in (outline.exterior, *outline.interiors)
        ]
        colour = tuple(int(found.colours[key][i : i + 2], 16) for i in (1, 3, 5))
        cv2.fillPoly(canvas_, rings, colour, cv2.LINE_8, 4)
    return canvas_


@pytest.mark.parametrize("name", ["astronaut", "coffee", "camera", "chelsea", "coins"])
def test_a_photo_is_told_from_line_art(name):
    picture = getattr(skimage.data, name)()
    assert propose(png(picture), Length(300)).kind.startswith("photo")
    assert propose(cv2.imencode(".png", drawn(truth(30, 1), 3.0, 5))[1].tobytes(), Length(300)).kind == "line picture"


def test_no_region_of_a_photo_is_smaller_than_asked():
    found = propose(png(skimage.data.coffee()), Length(400), Knobs(kind="photo", tones=6, smallest_mm=12.0))
    assert min(found.coverage.area_mm2.values()) >= 0.9 * np.pi / 4 * 12.0**2 * 0.9
    assert min(2 * s.radius_mm for s in found.coverage.spots.values()) >= 0.9 * 12.0 or any(
        w == "merged" for w, *_ in found.traces
    )


def test_a_place_can_be_given_more_tones():
    rgb = skimage.data.astronaut()
    plain = propose(png(rgb), Length(400), Knobs(kind="photo", tones=3, smallest_mm=5.0))
    face = propose(
        png(rgb),
        Length(400),
        Knobs(kind="photo", tones=3, smallest_mm=5.0, more=((0.35, 0.05, 0.55, 0.4),), more_tones=8),
    )
    assert len(set(face.colours.values())) > len(set(plain.colours.values()))
    inside = shapely.box(0.35 * 400, 0.05 * 400, 0.55 * 400, 0.4 * 400)

    def count(found):
        return sum(1 for o in found.coverage.outlines if inside.contains(o.representative_point()))

    assert count(face) > count(plain)


# --- painted SVG ----------------------------------------------------------------------------------------------------


def by_colour(found) -> dict[str, float]:
    total: dict[str, float] = {}
    for key, colour in found.colours.items():
        total[colour] = total.get(colour, 0.0) + found.coverage.area_mm2[key]
    return total


def test_what_lies_in_front_hides_what_is_behind():
    body = (
        '<rect width="100" height="100" fill="#336699"/><circle cx="50" cy="50" r="30" '
        'fill="#cc3300"/><circle cx="50" cy="50" r="10" fill="#336699"/>'
    )
    found = propose(svg(body), Length(100), Knobs(kind="painted"))
    disc, eye = shapely.Point(50, 50).buffer(30, quad_segs=64).area, shapely.Point(50, 50).buffer(10, quad_segs=64).area
    assert by_colour(found) == pytest.approx({"#336699": 10000 - disc + eye, "#cc3300": disc - eye}, rel=2e-3)
    assert len(found.coverage) == 3


PAINTED = {
    "group and transform": (
        '<g transform="translate(50 0) scale(0.5)" fill="#aa0000"><rect x="0" y="0" width="100" height="100"/></g>',
        {"#aa0000": 2500},
    ),
    "use": (
        '<defs><rect id="r" width="20" height="20"/></defs><use href="#r" x="10" y="10" '
        'fill="#aa0000"/><use href="#r" x="60" y="60" fill="#00aa00"/>',
        {"#aa0000": 400, "#00aa00": 400},
    ),
    "clip path": (
        '<defs><clipPath id="c"><rect x="0" y="0" width="50" height="100"/></clipPath></defs><rect '
        'width="100" height="100" fill="#aa0000" clip-path="url(#c)"/>',
        {"#aa0000": 5000},
    ),
    "gradient as its mean": (
        '<defs><linearGradient id="g"><stop offset="0" stop-color="#000000"/><stop offset="1" '
        'stop-color="#c80000"/></linearGradient></defs><rect width="100" height="100" fill="url(#g)"/>',
        {"#640000": 10000},
    ),
    "see-through over white": (
        '<rect width="100" height="100" fill="#ff0000" fill-opacity="0.5"/>',
        {"#ff7f7f": 10000},
    ),
    "even-odd": (
        '<path fill="#aa0000" fill-rule="evenodd" d="M0 0H100V100H0Z M25 25H75V75H25Z"/><path '
        'fill="#0000aa" d="M40 40H60V60H40Z"/>',
        {"#aa0000": 7500, "#0000aa": 400},
    ),
    "nonzero ring": ('<path fill="#aa0000" d="M0 0H100V100H0Z M25 25V75H75V25Z"/>', {"#aa0000": 7500}),
    "self-crossing": ('<path fill="#aa0000" d="M0 0L100 100L100 0L0 100Z"/>', {"#aa0000": 5000}),
    "open path is closed": ('<path fill="#aa0000" d="M0 0H100V100H0"/>', {"#aa0000": 10000}),
    "hidden and empty": (
        '<rect width="100" height="100" fill="#aa0000"/><rect width="50" height="50" fill="#00ff00" '
        'display="none"/><rect width="0" height="9" fill="#00ff00"/>',
        {"#aa0000": 10000},
    ),
}


@pytest.mark.parametrize("name", PAINTED)
def test_painted_shapes_of_every_sort(name):
    body, areas = PAINTED[name]
    found = propose(svg(body), Size("percent", 100), Knobs(kind="painted"))
    assert by_colour(found) == pytest.approx(areas, rel=1e-3)


def test_drawn_lines_are_seams_or_pieces():
    body = (
        '<rect x="5" y="5" width="90" height="90" fill="#ddcc99" stroke="#000000" '
        'stroke-width="4"/><path d="M50 5V95" stroke="#000000" stroke-width="4" fill="none"/>'
    )
    seams = propose(svg(body), Length(90), Knobs(kind="painted"))
    assert by_colour(seams) == pytest.approx({"#ddcc99": 8100}, rel=1e-3)
    assert len(seams.coverage) == 2
    pieces = propose(svg(body), Size("percent", 100), Knobs(kind="painted", lines_up_to_mm=0.0))
    assert by_colour(pieces)["#000000"] == pytest.approx(94**2 - 86**2 + 4 * 86, rel=1e-3)


# --- DXF ------------------------------------------------------------------------------------------------------------


def dxf(draw, units: int = 4) -> bytes:
    """Written by ezdxf; its own audit finds nothing."""
    document = ezdxf.new(setup=True)
    document.units = units
    draw(document, document.modelspace())
    assert not document.audit().errors
    buffer = io.StringIO()
    document.write(buffer)
    return buffer.getvalue().encode()


def plan(document, space) -> None:
    space.add_lwpolyline([(0, 0), (100, 0), (100, 50), (0, 50)], close=True)
    space.add_circle((30, 25), 10)
    space.add_line((50, 0), (50, 50))
    space.add_arc((75, 25), 10, 0, 180)
    space.add_line((65, 25), (85, 25))
    space.add_lwpolyline([(52, 10, 0, 0, 1), (58, 10, 0, 0, 1)], format="xyseb", close=True)
    off = document.layers.add("construction")
    off.off()
    space.add_line((0, 0), (100, 50), dxfattribs={"layer": "construction"})


def test_a_dxf_comes_true_to_size():
    found = propose(dxf(plan), Size("percent", 100))
    circle, half = np.pi * 100, np.pi * 50
    bulged = np.pi * 9
    expected = sorted([2500 - half - bulged, 2500 - circle, circle, half, bulged])
    assert sorted(found.coverage.area_mm2.values()) == pytest.approx(expected, rel=2e-3)
    assert (found.width_mm, found.height_mm) == pytest.approx((100, 50), abs=0.01)


def test_units_blocks_splines_ellipses_and_hatches_of_a_dxf():
    def draw(document, space):
        block = document.blocks.new("tile")
        block.add_lwpolyline([(0, 0), (2, 0), (2, 2), (0, 2)], close=True)
        space.add_blockref("tile", (0, 0))
        space.add_blockref("tile", (2, 0), dxfattribs={"xscale": 0.5, "yscale": 1.0})
        space.add_ellipse((1, 1), (0.5, 0), 0.5)
        space.add_spline([(2.2, 1.2), (2.5, 1.8), (2.8, 1.2)])
        space.add_line((2.2, 1.2), (2.8, 1.2))
        space.add_hatch().paths.add_polyline_path([(2.2, 0.2), (2.8, 0.2), (2.8, 0.8), (2.2, 0.8)], is_closed=True)

    found = propose(dxf(draw, units=1), Size("percent", 100))
    inch2 = 25.4**2
    assert found.width_mm == pytest.approx(3 * 25.4, abs=0.02)
    areas = sorted(a / inch2 for a in found.coverage.area_mm2.values())
    assert len(areas) == 5
    assert areas[-1] == pytest.approx(4 - np.pi / 8, rel=3e-3)
    assert any(a == pytest.approx(np.pi / 8, rel=3e-3) for a in areas)
    assert any(a == pytest.approx(0.36, rel=1e-3) for a in areas)


# --- PDF ------------------------------------------------------------------------------------------------------------


def pdf(*pages, encrypt=None) -> bytes:
    buffer = io.BytesIO()
    page = canvas.Canvas(buffer, pagesize=(360, 288), encrypt=encrypt)
    for draw in pages:
        draw(page)
        page.showPage()
    page.save()
    return buffer.getvalue()


def lines(page) -> None:
    page.rect(36, 36, 288, 216)
    page.line(180, 36, 180, 252)
    page.circle(100, 144, 30)
    page.saveState()
    page.translate(250, 144)
    page.rotate(45)
    page.rect(-20, -20, 40, 40)
    page.restoreState()


def test_a_drawn_pdf_page_comes_true_to_size():
    found = propose(pdf(lines), Size("percent", 100))
    point = 25.4 / 72
    expected = [288 * 216 / 2 - np.pi * 900, np.pi * 900, 1600, 288 * 216 / 2 - 1600]
    assert sorted(found.coverage.area_mm2.values()) == pytest.approx(sorted(a * point**2 for a in expected), rel=2e-3)
    assert (found.width_mm, found.height_mm) == pytest.approx((101.6, 76.2), abs=0.01)


def test_the_page_of_a_pdf_is_chosen_and_a_scan_is_read_as_a_picture():
    scan = Image.fromarray(drawn(truth(20, 5), 3.0, 5))

    def scanned(page) -> None:
        page.drawInlineImage(scan, 0, 0, 360, 288)

    data = pdf(lines, scanned)
    assert propose(data, Length(200), Knobs(page=1)).faces == 4
    second = propose(data, Length(200), Knobs(page=2))
    assert second.faces == 20
    assert second.pages == 2
    with pytest.raises(BadDrawing, match="2 pages; there is no page 3"):
        propose(data, Length(200), Knobs(page=3))


def test_a_pdf_of_five_hundred_pages_opens_on_one():
    assert propose(pdf(*[lines] * 500), Length(200), Knobs(page=500)).pages == 500


# --- lettering ------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", lettering.FONTS)
def test_a_letter_has_the_area_that_its_font_says(name):
    """Against fontTools' own area of the outline (no letter overlaps itself in these)."""
    face = lettering.open_font(name)
    glyphs = face.getGlyphSet()
    for letter in "OTB":
        pen = AreaPen(glyphs)
        glyphs[face.getBestCmap()[ord(letter)]].draw(pen)
        em = face["head"].unitsPerEm
        ours = sum(p.area for p in lettering.set_text(letter, name).letters)
        assert ours == pytest.approx(abs(pen.value) / em**2, rel=4e-3)


def test_letters_are_openings_and_their_centres_hang_on_nothing():
    found = propose(b"BOAT", Length(300), Knobs(kind="text", font="hepta-slab"))
    assert found.is_valid
    assert len(found.openings) == 4
    solid = [k for k in found.coverage.keys if k not in found.openings]
    assert len(solid) == 5  # the sheet, two centres in B, one in O and one in A
    stencil = propose(b"BOAT", Length(300), Knobs(kind="text", font="allerta-stencil"))
    assert len(stencil.coverage) - len(stencil.openings) == 1
    assert found.width_mm == pytest.approx(300, abs=0.01)


def test_letters_stand_by_themselves_on_an_arc_with_spacing():
    flat = propose(b"lighthouse", Length(300), Knobs(kind="text", letters="letters"))
    assert len(flat.coverage) - len(flat.openings) == 10 + 1  # the dot of the i stands alone
    bent = propose(b"lighthouse", Length(300), Knobs(kind="text", letters="letters", bend_deg=120))
    assert bent.height_mm > 1.5 * flat.height_mm
    wide = propose(b"lighthouse", Length(300), Knobs(kind="text", letters="letters", spacing=40))
    assert wide.height_mm < 0.9 * flat.height_mm


@settings(max_examples=20)
@given(
    st.text(st.characters(min_codepoint=32, max_codepoint=382), min_size=1, max_size=12),
    st.sampled_from(list(lettering.FONTS)),
)
def test_any_words_make_a_coverage_or_a_sentence(words, font):
    try:
        found = propose(words.encode(), Length(300), Knobs(kind="text", font=font))
    except BadDrawing:
        return
    assert found.is_valid


@pytest.mark.parametrize(("outline", "share"), [("rectangle", 1.0), ("oval", np.pi / 4)])
def test_an_outline_to_begin_with(outline, share):
    found = propose(b"", Length(300), Knobs(kind="blank", outline=outline, across=1.5))
    assert found.coverage.sheet_area_mm2 == pytest.approx(300 * 200 * share, rel=1e-3)


# --- size and smallest ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("size", "width"),
    [
        ({"how": "width", "size": "25 cm"}, 250),
        ({"how": "height", "size": "100mm"}, 150),
        ({"how": "percent", "size": "50%"}, 150),
        ({"how": "points", "size": "150mm", "points": "[[0, 0.5], [0.5, 0.5]]"}, 300),
    ],
)
def test_every_way_to_tell_the_size(size, width):
    drawing = svg(
        '<rect width="300" height="200" fill="none"/><path d="M100 0V200"/>',
        'width="300mm" height="200mm" viewBox="0 0 300 200"',
    )
    assert propose(drawing, size_of(size, "mm")).width_mm == pytest.approx(width, rel=1e-3)


def test_dots_per_inch_size_a_scan():
    picture = drawn(truth(10, 1), 4.0, 5)
    found = propose(cv2.imencode(".png", picture)[1].tobytes(), Size("dpi", 101.6))
    assert found.width_mm == pytest.approx(300, abs=0.2)


def test_pieces_narrower_than_asked_are_joined_and_marked():
    body = '<rect width="100" height="100" fill="none"/><path d="M0 50H100M0 53H100"/>'
    found = propose(svg(body), Length(100), Knobs(kind="line", smallest_mm=5.0))
    assert len(found.coverage) == 2
    assert [what for what, *_ in found.traces] == ["merged"]


@pytest.mark.parametrize("kind", ["GIF", "BMP", "TIFF", "AVIF", "WEBP"])
def test_pictures_of_every_usual_kind_are_read_and_shown(kind):
    picture = Image.fromarray(drawn(truth(20, 1), 4.0, 5))
    buffer = io.BytesIO()
    others = [Image.new("L", picture.size, 255)] if kind in ("GIF", "TIFF") else []
    picture.save(buffer, kind, **({"save_all": True, "append_images": others} if others else {}))
    assert recognise(buffer.getvalue()) == "picture"
    assert propose(buffer.getvalue(), Length(300)).faces == 20
    shown, media = source_picture(buffer.getvalue(), Knobs())
    assert media in ("image/png", "image/webp")
    assert Image.open(io.BytesIO(shown)).size == picture.size


def test_a_telephones_picture_is_read():
    """Twelve pieces, written by another program's encoder for HEIF."""
    data = (Path(__file__).parent / "twelve.heic").read_bytes()
    assert recognise(data) == "picture"
    assert propose(data, Length(300)).faces == 12


@pytest.mark.parametrize("ground", ["dark", "clear"])
def test_pale_lines_on_dark_or_clear_ground_are_lines(ground):
    flat = drawn(truth(20, 1), 4.0, 5)
    picture = Image.fromarray(255 - flat)
    if ground == "clear":
        picture = Image.merge("LA", [Image.new("L", picture.size, 255), picture])
    buffer = io.BytesIO()
    picture.save(buffer, "PNG")
    found = propose(buffer.getvalue(), Length(300))
    assert found.read_as.kind == "line"
    assert found.faces == 20


# --- what is bad ----------------------------------------------------------------------------------------------------

BAD = {
    "broken DXF": (b"  0\nSECTION\n  2\nENTITIES\n  0\nLINE\n 10\nnonsense\n", Knobs(), "DXF"),
    "DXF cut off": (dxf(plan)[:3000], Knobs(), "DXF"),
    "DXF without lines": (dxf(lambda d, s: s.add_point((1, 1))), Knobs(), "no lines"),
    "locked PDF": (pdf(lines, encrypt="secret"), Knobs(), "password"),
    "broken PDF": (b"%PDF-1.7\nnonsense", Knobs(), "damaged"),
    "PDF cut off": (pdf(lines)[:600], Knobs(), "damaged|no "),
    "empty PDF page": (pdf(lambda page: None), Knobs(), "blank|photo|dark|line"),
    "photo of one colour": (png(np.full((200, 200, 3), 128, np.uint8)), Knobs(kind="photo"), "one tone"),
    "nothing painted": (svg('<path d="M0 0H9V9"  fill="none"/>'), Knobs(kind="painted"), "painted"),
    "no words": (b"  \n ", Knobs(kind="text"), "Type the words"),
    "too many words": (b"word " * 200, Knobs(kind="text"), "Up to 120"),
    "words in no code": (b"\xff\xfe\x00", Knobs(kind="text"), "UTF-8"),
    "no such font": (b"x", Knobs(kind="text", font="nonsense"), "no font"),
    "corners that enclose nothing": (
        png(np.full((200, 200, 3), 255, np.uint8)),
        Knobs(corners=((0, 0), (1, 1), (1, 0), (0, 1))),
        "enclose no sheet",
    ),
}


@pytest.mark.parametrize("name", BAD)
def test_what_is_bad_ends_in_a_sentence(name):
    data, knobs, words = BAD[name]
    with pytest.raises(BadDrawing, match=words) as problem:
        propose(data, Length(200), knobs)
    assert str(problem.value).endswith(".")


@pytest.mark.parametrize("font", [b"nonsense", b"", b"\x00\x01\x00\x00" + bytes(200), b"wOFF" + bytes(500)])
def test_fonts_that_are_none(font):
    with pytest.raises(BadDrawing, match="font"):
        lettering.open_font(font)


PICTURES = {
    "CMYK JPEG": lambda image: image.convert("CMYK"),
    "16-bit PNG": lambda image: Image.fromarray(np.asarray(image.convert("L")).astype(np.uint16) * 257),
    "palette PNG": lambda image: image.convert("P"),
}


@pytest.mark.parametrize("name", PICTURES)
def test_pictures_of_every_mode(name):
    buffer = io.BytesIO()
    PICTURES[name](Image.fromarray(drawn(truth(12, 1), 3.0, 5))).save(buffer, "JPEG" if "JPEG" in name else "PNG")
    assert propose(buffer.getvalue(), Length(200)).faces == 12


def test_an_animated_picture_gives_its_first_frame():
    first, second = Image.fromarray(drawn(truth(12, 1), 3.0, 5)), Image.fromarray(drawn(truth(20, 2), 3.0, 5))
    buffer = io.BytesIO()
    first.save(buffer, "PNG", save_all=True, append_images=[second])
    assert propose(buffer.getvalue(), Length(200)).faces == 12


@pytest.mark.parametrize(
    ("values", "problem"),
    [
        ({"tones": "99"}, BadChoice),
        ({"tones": "many"}, BadChoice),
        ({"kind": "poem"}, BadChoice),
        ({"corners": "x"}, BadChoice),
        ({"corners": "[[0,0]]"}, BadChoice),
        ({"gap_mm": "9 m"}, BadLength),
        ({"more": "[1]"}, BadChoice),
        ({"smallest_mm": "wide"}, BadLength),
    ],
)
def test_knobs_that_make_no_sense(values, problem):
    with pytest.raises(problem):
        knobs_of(values, "mm")


@pytest.mark.parametrize(
    "values",
    [
        {"how": "points", "size": "10mm"},
        {"how": "nonsense"},
        {"how": "dpi", "size": "0"},
        {"how": "width", "size": "-3"},
        {"size": "abc"},
        {"how": "points", "size": "0", "points": "[[0,0],[1,1]]"},
    ],
)
def test_sizes_that_make_no_sense(values):
    with pytest.raises((BadChoice, BadLength)):
        size_of(values, "mm")


def test_the_command_takes_every_kind(tmp_path, capsys):
    photo, words, out = tmp_path / "photo.png", tmp_path / "words.txt", tmp_path / "out.svg"
    photo.write_bytes(png(skimage.data.coffee()))
    words.write_text("CANAL")
    assert (
        main(
            [
                "pieces",
                str(photo),
                "--width",
                "300mm",
                "--kind",
                "photo",
                "--tones",
                "4",
                "--smallest",
                "8mm",
                "-o",
                str(out),
            ]
        )
        == 0
    )
    told = json.loads(capsys.readouterr().out)
    assert told["coverage_valid"]
    again = propose(out.read_bytes(), Size("percent", 100), Knobs(kind="painted"))
    # neighbours of one tone that meet in a point stay apart; areas by colour are the same
    assert sum(again.coverage.area_mm2.values()) == pytest.approx(told["piece_area_mm2"], rel=1e-3)
    assert main(["pieces", str(words), "--height", "80mm", "--kind", "text", "--font", "lobster"]) == 0
    assert json.loads(capsys.readouterr().out)["openings"]
    assert main(["pieces", str(words), "--kind", "text"]) == 2
    assert main(["pieces", str(photo), "--width", "300mm", "--tones", "x"]) == 2
    assert len(capsys.readouterr().err.splitlines()) == 2


def test_the_demo_lantern_is_read_as_a_photo_unasked():
    from pathlib import Path

    import workshop

    data = (Path(workshop.__file__).parent / "compositions" / "demo" / "lantern.jpg").read_bytes()
    assert propose(data, Length(300)).kind.startswith("photo")


# the unit of a drawing


def board_dxf(unit: int | None) -> bytes:
    """100 by 60 with a line across; the unit by its number in the format, 0 for none."""
    document = ezdxf.new(units=unit or 0)
    space = document.modelspace()
    space.add_lwpolyline([(0, 0), (100, 0), (100, 60), (0, 60)], close=True)
    space.add_line((0, 30), (100, 30))
    stream = io.StringIO()
    document.write(stream)
    return stream.getvalue().encode()


# 1 inches, 4 millimetres, 5 centimetres: the format's own numbers for units
@pytest.mark.parametrize(("unit", "width"), [(1, 2540), (4, 100), (5, 1000)])
def test_a_dxf_by_percent_has_the_size_that_it_says(unit, width):
    found = propose(board_dxf(unit), Size("percent", 100.0))
    assert (found.faces, found.width_mm) == (2, pytest.approx(width))


def test_a_dxf_that_says_no_unit_asks_for_it():
    with pytest.raises(BadDrawing, match=r"100 by 60, but does not say of what: choose the unit"):
        propose(board_dxf(None), Size("percent", 100.0))
    assert propose(board_dxf(None), Size("percent", 100.0), Knobs(unit="mm")).width_mm == pytest.approx(100)
    assert propose(board_dxf(None), Size("percent", 50.0), Knobs(unit="in")).width_mm == pytest.approx(1270)
    assert propose(board_dxf(None), Size("width", 300.0)).width_mm == pytest.approx(300)


def test_the_command_takes_the_unit(tmp_path, capsys):
    place = tmp_path / "board.dxf"
    place.write_bytes(board_dxf(None))
    assert main(["pieces", str(place), "--percent", "100"]) == 2
    assert "choose the unit" in capsys.readouterr().err
    assert main(["pieces", str(place), "--percent", "100", "--unit", "cm"]) == 0
    assert json.loads(capsys.readouterr().out)["width_mm"] == pytest.approx(1000)


# alphabets


@pytest.mark.parametrize(
    ("words", "font", "lent"),
    [
        ("ŻÓŁĆ", "alegreya-sans", ()),
        ("ŻÓŁĆ", "saira-stencil-one", ()),
        ("ŻÓŁĆ", "lobster", ()),
        ("ΦΑΡΟΣ", "alegreya-sans", ()),
        ("МАЯК", "alegreya-sans", ()),
        ("маяк", "lobster", ()),
        ("МАЯК Ż", "hepta-slab", ("М", "А", "Я", "К")),
        ("Ż", "allerta-stencil", ("Ż",)),
    ],
)
def test_letters_of_other_alphabets_are_set(words, font, lent):
    made = lettering.set_text(words, font)
    assert made.missing == ()
    assert made.lent == lent
    # what belongs to one letter may be in two parts, as a dot over it is
    assert len(made.letters) >= (1 if font == "lobster" else len(words.replace(" ", "")))


def test_a_letter_and_its_mark_are_set_as_one():
    assert lettering.set_text("Z\u0307", "alegreya-sans") == lettering.set_text("Ż", "alegreya-sans")


def test_letters_lent_by_another_font_are_told():
    found = propose("LAMPA Ж".encode(), Size("width", 300.0), Knobs(kind="text", font="fredoka"))
    assert [f.sentence for f in found.findings if f.code == "lent-letter"] == [
        "This font has no “Ж”; set in Alegreya Sans."
    ]


def test_no_letter_of_a_stencil_has_a_centre_that_falls_out():
    for name in ("saira-stencil-one", "allerta-stencil"):
        letters = lettering.set_text("ABDOPQR\nabdegopq\n0689", name).letters
        assert not any(p.interiors for p in letters), name


def test_the_shipped_fonts_are_unpacked_once_for_all_and_never_into_what_is_anybodys(tmp_path, monkeypatch):
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    told = []
    for _ in range(2):
        rendering._fonts.cache_clear()
        told.append(rendering._fonts())
    assert told[0] == told[1]
    assert [str(place) for place in tmp_path.iterdir()] == told[:1]
    # one that others may write into is not taken, nor one that somebody half swept away
    for spoil in (lambda place: place.chmod(0o777), lambda place: next(place.iterdir()).unlink()):
        rendering._fonts.cache_clear()
        place = Path(told[0])
        spoil(place)
        other = Path(rendering._fonts())
        assert other != place
        assert len(list(other.iterdir())) >= len(list(place.iterdir()))
        place.chmod(0o700)
    rendering._fonts.cache_clear()
