"""Line SVG to pieces: areas of known figures, gaps, frames, and files that mean harm."""

import math

import pytest
import shapely

from emberquilt.errors import BadDrawing, BadLength
from emberquilt.intake import svg_source
from emberquilt.intake.knobs import Knobs
from emberquilt.intake.propose import finished_width, propose, recognise
from emberquilt.units import Length


def svg(body: str, size: str = 'width="100mm" height="100mm" viewBox="0 0 100 100"', head: str = "") -> bytes:
    return (
        f'{head}<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" {size}>{body}</svg>'
    ).encode()


def areas(data: bytes, width: float = 100.0, **options) -> list[float]:
    found = propose(data, Length(width), Knobs(**options))
    assert found.is_valid
    return sorted(found.coverage.area_mm2.values())


FRAME = '<rect x="0" y="0" width="100" height="100"/>'


def test_the_demo_drawing_has_its_62_faces(koi):
    assert (koi.faces, len(koi.coverage), koi.width_mm, koi.height_mm) == (62, 62, 457.2, 304.8)
    assert koi.is_valid
    assert sum(koi.coverage.area_mm2.values()) == pytest.approx(457.2 * 304.8, rel=1e-6)
    assert koi.findings == ()


def test_a_cross_in_a_frame_is_four_pieces():
    assert areas(svg(FRAME + '<path d="M50 0V100M0 50H100"/>')) == pytest.approx([2500] * 4)


def test_the_finished_width_scales_areas_squared():
    assert areas(svg(FRAME), 50) == pytest.approx([2500])
    assert areas(svg(FRAME, 'viewBox="0 0 100 100"'), 300) == pytest.approx([90_000])


def test_a_circle_keeps_its_area():
    """Flattened to 1/4000 of the page: the area of a circle of 40 is off by less than 2 r x 0.025 x pi."""
    small, _ = areas(svg(FRAME + '<circle cx="50" cy="50" r="40"/>'))[::-1]
    assert small == pytest.approx(math.pi * 1600, abs=2 * math.pi * 40 * 0.025)


@pytest.mark.parametrize(
    "line",
    [
        '<path d="M0 20C30 60 70 -20 100 20"/>',
        '<path d="M0 20Q50 80 100 20"/>',
        '<path d="M0 20A80 80 0 0 0 100 20"/>',
        '<polyline points="0,20 40,60 100,20"/>',
        '<g transform="translate(10 10) scale(2)"><path d="M-5 5L45 5"/></g>',
        '<defs><path id="a" d="M0 20H100"/></defs><use href="#a"/>',
    ],
)
def test_every_kind_of_line_parts_the_sheet_in_two(line):
    found = areas(svg(FRAME + line))
    assert len(found) == 2
    assert sum(found) == pytest.approx(10_000, rel=1e-9)


def test_areas_agree_with_shapely_on_transformed_shapes():
    body = '<g transform="rotate(30 50 50)"><rect x="30" y="40" width="40" height="20"/></g>'
    expected = shapely.affinity.rotate(shapely.box(30, 40, 70, 60), 30, origin=(50, 50)).area
    assert areas(svg(FRAME + body))[0] == pytest.approx(expected, abs=0.05)


def test_hidden_lines_are_no_seams():
    assert len(areas(svg(FRAME + '<path d="M50 0V100" display="none"/>'))) == 1


def test_ends_that_stop_short_are_joined_and_said():
    found = propose(svg(FRAME + '<path d="M50 0.9V99.2"/>'), Length(100))
    assert len(found.coverage) == 2
    assert [f.code for f in found.findings] == ["closed-gap"]


def test_a_line_that_ends_in_the_open_is_a_finding_with_its_place():
    found = propose(svg(FRAME + '<path d="M50 0V60"/>'), Length(100))
    assert len(found.coverage) == 1
    (gap,) = found.findings
    assert gap.code == "open-gap"
    assert gap.point_mm == pytest.approx((50, 60), abs=0.01)


def test_a_line_drawn_a_little_too_far_is_no_loose_end():
    found = propose(svg(FRAME + '<path d="M50 -0.8V100.6"/>'), Length(100))
    assert [len(found.coverage), found.findings] == [2, ()]


def test_many_open_ends_are_counted_once():
    strokes = "".join(f'<path d="M{5 * i} 40V60"/>' for i in range(1, 19))
    found = propose(svg(FRAME + strokes), Length(100))
    assert [(f.code, f.amount) for f in found.findings] == [("open-gap", 36)]


def test_lines_that_run_off_the_page_make_the_page_the_sheet():
    assert areas(svg('<path d="M0 30H100M0 70H100"/>')) == pytest.approx([3000, 3000, 4000])


def test_paper_round_a_figure_is_left_out_unless_kept():
    figure = svg('<circle cx="50" cy="50" r="20"/>')
    assert len(areas(figure, 100)) == 1
    kept = areas(figure, 100, outside="keep")
    assert len(kept) == 2
    assert sum(kept) == pytest.approx(10_000)


def test_the_width_is_that_of_what_is_enclosed():
    """A loose line that sticks out must not make the work smaller."""
    found = propose(svg('<rect x="20" y="20" width="40" height="40"/><path d="M60 40H90"/>'), Length(200))
    assert (found.width_mm, found.height_mm) == pytest.approx((200, 200))


def test_slivers_that_no_blade_could_part_are_dissolved():
    assert len(areas(svg(FRAME + '<path d="M50 0V100M50.1 0V100"/>'))) == 2


def test_scripts_and_outside_pictures_are_left_out_and_said():
    body = FRAME + '<script>alert(1)</script><image href="http://example.invalid/a.png" width="5" height="5"/>'
    found = propose(svg(body), Length(100))
    assert len(found.coverage) == 1
    assert set(found.left_out) == {"1 script", "1 picture", "1 link to another file"}


BOMB = '<!DOCTYPE svg [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;"><!ENTITY c "&b;&b;&b;&b;">]>'
OUTSIDE = '<!DOCTYPE svg [<!ENTITY x SYSTEM "file:///etc/passwd">]>'
DOUBLING = (
    "".join(f'<g id="g{i}"><use href="#g{i + 1}"/><use href="#g{i + 1}"/></g>' for i in range(40))
    + '<path id="g40" d="M0 0H9"/>'
)
BAD = {
    "empty": (b"", "empty"),
    "not a drawing": (b"hello, this is a letter", "no drawing"),
    "broken xml": (b"<svg><path", "broken"),
    "other xml": (b"<html><body/></html>", "not an SVG"),
    "no lines": (svg(""), "no lines"),
    "no closed region": (svg('<path d="M10 10L90 90"/>'), "No closed region"),
    "entity bomb": (svg(FRAME + "<text>&c;</text>", head=BOMB), "entities"),
    "outside entity": (svg(FRAME + "<text>&x;</text>", head=OUTSIDE), "entities"),
    "use loop": (svg('<g id="a"><use href="#b"/></g><g id="b"><use href="#a"/></g>'), "loop"),
    "use bomb": (svg(DOUBLING), "expand"),
    "a million points": (
        svg('<path d="M0 0' + "".join(f"L{i % 100}.5 {i % 97}.25" for i in range(1_000_000)) + '"/>'),
        "points",
    ),
    "too many elements": (svg("<path/>" * 60_100), "elements"),
    "too deep": (svg('<g id="x">' * 300 + "</g>" * 300), "deep"),
    "binary": (bytes(range(256)) * 20, "no drawing"),
    "huge": (b"<svg>" + b" " * svg_source.MOST_BYTES + b"</svg>", "MB"),
}


@pytest.mark.parametrize("name", BAD)
def test_bad_files_end_in_a_clear_sentence(name):
    data, words = BAD[name]
    with pytest.raises(BadDrawing, match=words) as problem:
        propose(data, Length(300))
    assert str(problem.value).endswith(".")
    assert len(str(problem.value)) < 240


@pytest.mark.parametrize(
    ("text", "words"),
    [("0", "more than zero"), ("-3", "below zero"), ("abc", "not a length"), ("40 m", "outside"), ("2mm", "outside")],
)
def test_widths_that_cannot_be(text, words):
    with pytest.raises(BadLength, match=words):
        finished_width(text, "mm")


def test_kind_is_told_by_content():
    assert recognise(svg(FRAME)) == "svg"
    assert recognise(b"\x89PNG\r\n\x1a\n") == "picture"
    assert recognise(b"\xff\xd8\xff\xe0") == "picture"
    with pytest.raises(BadDrawing):
        recognise(b"Dear woodworker, here is a pear.")
    assert recognise(b"%PDF-1.7") == "pdf"
    assert recognise(b"  0\nSECTION\n  2\nHEADER\n") == "dxf"


def test_progress_can_stop_the_work(koi_svg):
    from emberquilt.errors import Cancelled

    def stop(share: float, _words: str) -> None:
        if share > 0.2:
            raise Cancelled("stopped")

    with pytest.raises(Cancelled):
        propose(koi_svg, Length(457.2), progress=stop)


def test_a_coloured_drawing_keeps_its_colours():
    body = '<rect width="50" height="100" fill="#c04a24"/><rect x="50" width="50" height="100" style="fill:#8397a0"/>'
    body += '<circle cx="75" cy="50" r="15" fill="white" stroke="black"/>'
    found = propose(svg(f'<g stroke="black">{body}</g>'), Length(100))
    by_area = {round(area): found.colours.get(key, "") for key, area in found.coverage.area_mm2.items()}
    assert by_area[5000] == "#c04a24"
    assert sorted(by_area.values()) == ["#8397a0", "#c04a24", "#ffffff"]


@pytest.mark.parametrize(("visible", "wide", "pieces"), [(0.9, 2.4, 2), (0.9, 0.4, 2), (2.0, 2.4, 1)])
def test_a_gap_is_as_wide_as_it_looks(visible, wide, pieces):
    """The line ends short of the frame's inner edge, which lies half a stroke within the frame's middle."""
    end = 100 - wide / 2 - visible
    drawing = svg(
        f'<g fill="none" stroke="#000" stroke-width="{wide}"><rect x="0" y="0" width="100" height="100"/>'
        f'<path d="M50 0V{end}"/></g>',
        'viewBox="-10 -10 120 120" width="120mm" height="120mm"',
    )
    assert len(areas(drawing, 106.0, kind="line")) == pieces
