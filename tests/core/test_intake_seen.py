"""Drawings read by what they show: ink that is no wood, what hides and clips, colours that are seen, the other ways."""

import gzip
import io
import json

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from reportlab.lib.utils import ImageReader
from reportlab.pdfgen import canvas

from emberquilt.cli import main
from emberquilt.intake.judged import minutes, said, too_thin
from emberquilt.intake.knobs import Knobs, Size
from emberquilt.intake.propose import propose, source_picture
from emberquilt.intake.simpler import order_of_joins, simpler
from emberquilt.practice import Practice
from emberquilt.units import Length
from tests.conftest import cells
from tests.core.test_intake_kinds import by_colour
from tests.core.test_intake_svg import FRAME, svg
from tests.core.truth import drawn, truth

TRUE_SIZE = Size("percent", 100)
PIXEL = 0.05
"""What a pixel of the rendering measures in a drawing of 100 mm."""


def read(body: str, **knobs):
    return propose(svg(body), TRUE_SIZE, Knobs(**knobs))


def near(areas: dict[str, float]):
    """Areas as they come from pixels: off by less than half a pixel along borders of up to 400 mm."""
    return pytest.approx(areas, abs=0.5 * PIXEL * 400)


# --- ink is not wood ------------------------------------------------------------------------------------------------

OUTLINED = {
    "strokes": '<g fill="none" stroke="black" stroke-width="2"><rect x="5" y="5" width="90" height="90"/>'
    '<path d="M50 5V95M5 50H95"/></g>',
    "filled outlines": '<path fill-rule="evenodd" d="M4 4H96V96H4Z M6 6H49V49H6Z M51 6H94V49H51Z M6 51H49V94H6Z '
    'M51 51H94V94H51Z"/><g stroke="none"/>',
    "white shapes over black": '<rect x="4" y="4" width="92" height="92" fill="#111"/>'
    + "".join(f'<rect x="{x}" y="{y}" width="43" height="43" fill="#fff"/>' for x in (6, 51) for y in (6, 51)),
}


@pytest.mark.parametrize("name", OUTLINED)
def test_lines_are_shared_along_their_middle_however_they_are_drawn(name):
    found = read(OUTLINED[name])
    assert found.read_as.kind == "line"
    assert sorted(found.coverage.area_mm2.values()) == pytest.approx([45.0**2] * 4, abs=0.5 * PIXEL * 180)
    assert not found.colours


def test_wide_dark_areas_are_pieces_and_thin_ones_lines():
    """A dark band of 20 between two outlined fields of the same line."""
    body = OUTLINED["strokes"] + '<rect x="5" y="40" width="90" height="20" fill="black"/>'
    found = read(body)
    assert len(found.coverage) == 5
    assert [c for c in found.colours.values() if c] == ["#000000"]


def test_dark_outlines_stay_pieces_where_wished():
    body = '<rect x="5" y="5" width="90" height="90" fill="#ddcc99" stroke="#101010" stroke-width="3"/>'
    lines, parts = read(body), read(body, lines_up_to_mm=0.0)
    assert by_colour(lines) == near({"#ddcc99": 8100})
    assert by_colour(parts) == pytest.approx({"#ddcc99": 87**2, "#101010": 93**2 - 87**2}, rel=1e-3)
    assert lines.lines_up_to_mm > 3
    assert "seams" in lines.read_as.why


def test_wide_coloured_strokes_are_pieces():
    body = '<rect width="100" height="100" fill="#ddcc99"/><path d="M0 50H100" stroke="#cc2200" stroke-width="8"/>'
    assert by_colour(read(body)) == pytest.approx({"#ddcc99": 9200, "#cc2200": 800}, rel=1e-3)


def test_a_broad_dark_shape_inside_one_region_is_laid_in_and_a_fine_one_is_a_detail():
    plate = '<rect x="5" y="5" width="90" height="90" fill="#ddcc99" stroke="#000" stroke-width="2"/>'
    broad = read(plate + '<path d="M30 50H70" stroke="#000" stroke-width="4"/>')
    assert len(broad.coverage) == 2
    fine = read(plate + '<path d="M30 50H70" stroke="#000" stroke-width="1"/>')
    assert len(fine.coverage) == 1
    (line,) = (detail.line for detail in fine.lines)
    ends = sorted([line[0], line[-1]])
    # the width is 90 with the outline shared: 5 mm of page are left of it
    assert ends[0] == pytest.approx((25, 45), abs=1.2)
    assert ends[1] == pytest.approx((65, 45), abs=1.2)


# --- what shows -----------------------------------------------------------------------------------------------------

RED = 'fill="#aa0000"'
SHOWN = {
    "clip path on a group": (
        f'<clipPath id="c"><rect width="50" height="100"/></clipPath><g clip-path="url(#c)"><g><rect width="100" '
        f'height="100" {RED}/></g></g>',
        {"#aa0000": 5000},
    ),
    "mask": (
        f'<mask id="m"><rect width="100" height="50" fill="white"/></mask><rect width="100" height="100" {RED} '
        'mask="url(#m)"/>',
        {"#aa0000": 5000},
    ),
    "pattern": (
        '<pattern id="p" width="20" height="100" patternUnits="userSpaceOnUse"><rect width="10" height="100" '
        'fill="#00aa00"/></pattern><rect width="100" height="100" fill="#aa0000"/><rect width="100" height="100" '
        'fill="url(#p)"/>',
        {"#aa0000": 5000, "#00aa00": 5000},
    ),
    "symbol with a viewBox": (
        f'<symbol id="s" viewBox="0 0 10 10"><rect width="10" height="10" {RED}/></symbol><use href="#s" x="10" y="10" '
        'width="50" height="50"/>',
        {"#aa0000": 2500},
    ),
    "nested svg with a viewBox": (
        f'<svg x="10" y="10" width="50" height="50" viewBox="0 0 10 10"><rect width="10" height="10" {RED}/></svg>',
        {"#aa0000": 2500},
    ),
    "opacity of a group": (
        '<g opacity="0.5"><rect width="100" height="100" fill="#ff0000"/><rect width="50" height="100" '
        'fill="#0000ff"/></g>',
        {"#ff7f7f": 5000, "#7f7fff": 5000},
    ),
    "style sheet": ("<style>.a{fill:#aa0000}</style><rect class='a' width='100' height='100'/>", {"#aa0000": 10000}),
    "gradient half hidden": (
        '<linearGradient id="g"><stop offset="0" stop-color="#000000"/><stop offset="1" stop-color="#c80000"/>'
        '</linearGradient><rect width="100" height="100" fill="url(#g)"/><rect width="50" height="100" '
        'fill="#00cc00"/>',
        {"#960000": 5000, "#00cc00": 5000},
    ),
}


@pytest.mark.parametrize("name", SHOWN)
def test_pieces_are_what_shows(name):
    """Expected areas and colours by the SVG standard's own rules, worked out by hand."""
    body, areas = SHOWN[name]
    found = read(body)
    made = by_colour(found)
    assert len(made) == len(areas)
    for (colour, area), (wanted, size) in zip(sorted(made.items()), sorted(areas.items()), strict=True):
        assert area == pytest.approx(size, abs=0.5 * PIXEL * 1000)
        assert [int(colour[i : i + 2], 16) for i in (1, 3, 5)] == pytest.approx(
            [int(wanted[i : i + 2], 16) for i in (1, 3, 5)], abs=2
        )


def test_gradients_part_along_the_strong_edge_only():
    """A shine that fades to nothing over a disc makes no piece of its own; the disc's edge does."""
    body = (
        '<linearGradient id="g"><stop offset="0" stop-color="#224488"/><stop offset="1" stop-color="#4477cc"/>'
        '</linearGradient><radialGradient id="shine"><stop offset="0" stop-color="#fff" stop-opacity=".8"/><stop '
        'offset="1" stop-color="#fff" stop-opacity="0"/></radialGradient><rect width="100" height="100" '
        'fill="#ddcc99"/><circle cx="50" cy="50" r="30" fill="url(#g)"/><circle cx="45" cy="40" r="12" '
        'fill="url(#shine)"/>'
    )
    found = read(body)
    assert len(found.coverage) == 2
    assert min(found.coverage.area_mm2.values()) == pytest.approx(np.pi * 900, rel=2e-3)


def test_a_line_behind_a_white_shape_parts_nothing():
    body = '<g stroke="black" stroke-width="1"><path d="M5 50H95"/><rect x="10" y="10" width="80" height="80" '
    found = read(body + 'fill="white"/></g>')
    assert len(found.coverage) == 1
    assert found.coverage.sheet_area_mm2 == pytest.approx(6400, rel=2e-3)


def test_words_in_a_drawing_are_set_in_a_shipped_font():
    plate = '<rect width="100" height="100" fill="#ddcc99"/>'
    found = read(plate + '<text x="5" y="70" font-size="60" font-family="No Such Face" fill="#aa0000">TI</text>')
    assert by_colour(found)["#aa0000"] > 300
    assert [f.code for f in found.findings] == ["words-set"]


def test_blanks_before_a_word_are_kept_only_where_xml_says_so():
    word = '<text space="preserve" x="5" y="70" font-size="60" fill="#aa0000">\n    <tspan>T</tspan></text>'
    found = read('<rect width="100" height="100" fill="#ddcc99"/>' + word)
    (letter,) = [found.coverage.by_key[k] for k, c in found.colours.items() if c == "#aa0000"]
    assert letter.bounds[0] < 10


def test_the_edge_of_a_shadow_along_a_thick_line_is_no_piece():
    ground, shade = '<rect width="100" height="100" fill="#eecc66"/>', '<path d="M8.3 8V92" stroke="#a08020"{}/>'
    frame = '<path d="M5 5H95V95H5Z" fill="none" stroke="#000" stroke-width="6"/>'
    found = read(ground + shade.format(' stroke-width="0.6"') + frame)
    assert set(found.colours.values()) == {"#eecc66"}
    wide = read(ground + shade.format(' stroke-width="6"') + frame)
    assert "#a08020" in wide.colours.values()


def test_a_drawing_that_states_no_colours_is_lines():
    found = read(FRAME + '<path d="M50 0V100"/>')
    assert sorted(found.coverage.area_mm2.values()) == pytest.approx([5000, 5000])
    assert found.read_as.why == "it states no colours"


def test_packed_drawings_and_namespace_entities_are_read():
    body = svg('<rect width="100" height="100" fill="#aa0000"/>')
    assert by_colour(propose(gzip.compress(body), TRUE_SIZE)) == pytest.approx({"#aa0000": 10000})
    head = '<!DOCTYPE svg [<!ENTITY ns_a "http://example.invalid/a/"><!ENTITY ns_b "http://example.invalid/b/">]>'
    shown, media = source_picture(gzip.compress(body), Knobs())
    assert (shown, media) == (body, "image/svg+xml")
    named = svg('<rect xmlns:a="&ns_a;" a:b="&ns_b;" width="100" height="100" fill="#aa0000"/>', head=head)
    assert by_colour(propose(named, TRUE_SIZE)) == pytest.approx({"#aa0000": 10000})


@pytest.mark.parametrize("kind", ["auto", "line", "painted", "photo"])
def test_the_source_box_is_the_page_in_the_sheets_millimetres(kind):
    body = '<rect x="20" y="30" width="40" height="50" fill="#aa0000"/><rect x="40" y="30" width="20" height="50" '
    found = propose(svg(body + 'fill="#00aa00"/>'), TRUE_SIZE, Knobs(kind=kind, outside="drop"))
    x, y, width, height = found.source_box_mm
    # a photo's sheet has a few pixels of margin round the figure
    assert (x, y, width, height) == pytest.approx((-20, -30, 100, 100), abs=0.5 if kind == "photo" else 0.2)


# --- PDF ------------------------------------------------------------------------------------------------------------


def page_of(draw, turn: int = 0) -> bytes:
    buffer = io.BytesIO()
    page = canvas.Canvas(buffer, pagesize=(360, 360))
    draw(page)
    if turn:
        page.setPageRotation(turn)
    page.showPage()
    page.save()
    return buffer.getvalue()


POINT = 25.4 / 72


@pytest.mark.parametrize("turn", [0, 90, 180, 270])
def test_a_turned_page_stands_as_it_is_seen(turn):
    def draw(page):
        page.rect(36, 36, 288, 144)
        page.line(108, 36, 108, 180)

    found = propose(page_of(draw, turn), TRUE_SIZE)
    size = (288 * POINT, 144 * POINT)
    assert (found.width_mm, found.height_mm) == pytest.approx(size if turn % 180 == 0 else size[::-1], abs=0.1)
    small = min(found.coverage.outlines, key=lambda o: o.area).centroid
    middle = (found.width_mm / 2, found.height_mm / 2)
    away = (small.x - middle[0], small.y - middle[1])
    # the narrow piece is on the left, and goes clockwise with the page
    assert {0: away[0] < -9, 90: away[1] < -9, 180: away[0] > 9, 270: away[1] > 9}[turn]


def test_clips_and_paint_of_a_page_are_seen():
    def draw(page):
        page.saveState()
        path = page.beginPath()
        path.rect(36, 36, 144, 144)
        page.clipPath(path, stroke=0, fill=0)
        page.setFillColorRGB(0.8, 0.1, 0)
        page.rect(0, 0, 360, 360, stroke=0, fill=1)
        page.restoreState()
        page.setFillColorRGB(0, 0.5, 0.1)
        page.rect(180, 36, 72, 144, stroke=0, fill=1)

    found = propose(page_of(draw), TRUE_SIZE)
    assert found.read_as.kind == "painted"
    expected = sorted([(144 * POINT) ** 2, 72 * 144 * POINT**2])
    assert sorted(found.coverage.area_mm2.values()) == pytest.approx(expected, rel=5e-3)


def test_the_paper_of_a_page_can_be_kept():
    def draw(page):
        page.rect(72, 72, 144, 144)

    assert len(propose(page_of(draw), TRUE_SIZE).coverage) == 1
    kept = propose(page_of(draw), TRUE_SIZE, Knobs(outside="keep"))
    assert len(kept.coverage) == 2
    assert kept.width_mm == pytest.approx(360 * POINT, abs=0.2)


def test_a_scan_with_a_frame_drawn_beside_it_is_read_as_its_picture():
    scan = Image.fromarray(drawn(truth(20, 5), 3.0, 5))

    def draw(page):
        page.drawImage(ImageReader(scan), 0, 0, 360, 360)
        for i in range(5):
            page.rect(2 + i, 2 + i, 10, 10)

    assert propose(page_of(draw), Length(200)).faces >= 20


# --- before acceptance ----------------------------------------------------------------------------------------------


def test_the_other_ways_are_told_with_their_pieces_and_likeness():
    body = '<g stroke="#000" stroke-width="3"><rect x="5" y="5" width="90" height="90" fill="#ddcc99"/><circle cx="50" '
    found = read(body + 'cy="50" r="20" fill="#aa2200"/></g>')
    assert found.read_as.kind == "painted"
    parts = next(o for o in found.others if dict(o.knobs).get("lines_up_to_mm") == "0")
    assert (parts.pieces, parts.likeness) == (4, pytest.approx(1, abs=0.01))
    assert {o.kind for o in found.others} >= {"line", "photo"}
    for other in found.others:
        small = Image.open(io.BytesIO(other.picture))
        assert max(small.size) <= 240
        assert len(other.picture) < 20_000


def coloured(count: int, seed: int):
    coverage = cells(count, seed)
    rng = np.random.default_rng(seed)
    return coverage, {k: "#" + "".join(f"{v:02x}" for v in rng.integers(0, 256, 3)) for k in coverage.keys}


@settings(max_examples=20, deadline=None)
@given(st.integers(20, 90), st.integers(0, 99), st.integers(12, 60))
def test_simpler_keeps_the_sheet_whole(count, seed, most):
    coverage, colours = coloured(count, seed)
    found = propose(svg(FRAME), Length(100))
    from dataclasses import replace

    whole = replace(found, coverage=coverage, colours=colours, faces=len(coverage))
    less = simpler(whole, most)
    assert len(less.coverage) == min(most, len(coverage))
    assert less.is_valid
    assert less.coverage.sheet_area_mm2 == pytest.approx(coverage.sheet_area_mm2, rel=1e-9)
    assert set(less.colours.values()) <= set(colours.values())
    twice = simpler(simpler(whole, max(most, 40)), most)
    assert len(twice.coverage) == len(less.coverage)


def test_what_stands_out_is_joined_last():
    """A small dark eye in a pale field outlasts two wide fields that are nearly alike."""
    boxes = [shapely.box(0, 0, 40, 40), shapely.box(40, 0, 80, 40), shapely.box(80, 0, 120, 40)]
    eye = shapely.Point(100, 20).buffer(3)
    pieces = [*boxes[:2], boxes[2].difference(eye), eye]
    from emberquilt.outline.coverage import Coverage

    coverage = Coverage([1, 2, 3, 4], pieces)
    joins = order_of_joins(coverage, {1: "#ddcc99", 2: "#dccb98", 3: "#eeddaa", 4: "#101010"})
    assert set(joins[0]) == {1, 2}
    assert 4 in joins[-1]


def test_what_a_sawyer_would_dislike_is_said_before_acceptance():
    found = read(
        '<rect width="100" height="100" fill="#ddcc99"/><rect x="20" width="3" height="100" fill="#aa2200"/>'
        '<path d="M40 10L90 13L40 16Z" fill="#00aa00"/>'
    )
    assert sorted(round(found.coverage.area_mm2[k]) for k in too_thin(found)) == [150, 300]
    sentences = said(found, Practice())
    assert sentences[0].startswith("4 pieces: about 1 evening ")
    assert "2 are thinner than" in sentences[1]
    assert "sharp" in sentences[2]
    quick = Practice().changed(shape_minutes=1.0, fit_minutes=1.0)
    assert minutes(found, quick) == pytest.approx(minutes(found, Practice()) - 4 * 7)


def test_the_command_tells_how_it_read(tmp_path, capsys):
    place = tmp_path / "koi.svg"
    body = '<g stroke="#000" stroke-width="3"><rect x="5" y="5" width="90" height="90" fill="#ddcc99"/><circle cx="50" '
    place.write_bytes(svg(body + 'cy="50" r="20" fill="#aa2200"/><path d="M20 20H35" stroke-width="1"/></g>'))
    out = tmp_path / "pieces.svg"
    assert main(["pieces", str(place), "--percent", "100", "-o", str(out)]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["read_as"]["kind"] == "painted"
    assert "seams" in told["read_as"]["why"]
    assert told["source_box_mm"] == pytest.approx({"x": -5, "y": -5, "width": 100, "height": 100}, abs=0.1)
    assert {"kind", "words", "pieces", "likeness"} == set(told["others"][0])
    assert len(told["lines"]) == 1
    assert out.read_text().count("data-piece=") == len(told["pieces"]) == 2
    assert main(["pieces", str(place), "--percent", "100", "--lines-up-to", "0"]) == 0
    assert len(json.loads(capsys.readouterr().out)["pieces"]) > 2
    assert main(["pieces", str(place), "--percent", "100", "--simplify", "1"]) == 0
    assert len(json.loads(capsys.readouterr().out)["pieces"]) == 1


def test_tips_of_outlines_are_no_pieces_but_an_eye_is():
    """A spout with mitred corners, and a dark dot as wide as its outline is."""
    spout = '<path d="M10 90L45 30L80 90Z" fill="#7f9c8a" stroke="#101010" stroke-width="4"/>'
    dot = '<circle cx="45" cy="70" r="2" fill="#101010"/>'
    assert len(read(spout).coverage) == 1
    both = read(spout + dot)
    assert sorted(c[:3] for c in both.colours.values()) == ["#10", "#7f"]
