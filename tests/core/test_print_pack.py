"""Print packs read back from their PDFs by pdfium, which we did not write, and measured."""

import ctypes
import math
from dataclasses import replace

import networkx
import numpy as np
import pypdfium2
import pypdfium2.raw as raw
import pytest
import shapely
from shapely import affinity

from emberquilt.cli import PACK_NAMES
from emberquilt.drawing.on_paper import arrow_of, waste_side
from emberquilt.drawing.pdf import FOOT_MM, OVERLAP_MM, layout_for
from emberquilt.drawing.planes import CLEAR_MM, READY_GAP_MM, Printed, clear_copies
from emberquilt.drawing.print_pack import PACKS, STUCK, pack_pdf, page_svg, print_pack, seen_line_mm
from emberquilt.errors import BadChoice
from emberquilt.formats.export import export
from emberquilt.outline.coverage import Coverage
from emberquilt.pattern.fresh import composition_of
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.rack.boards import Board
from emberquilt.rack.rack import Rack
from emberquilt.rack.woods import woods
from emberquilt.saw.cuts import Drilled
from emberquilt.saw.holes import PilotHole
from tests.conftest import cells, composition, edited, grid

MM = 25.4 / 72
NEAR_MM = 0.05


@pytest.fixture(scope="module")
def koi_work(koi):
    work = composition_of(koi, "Two koi", Practice(unit="mm"))
    layer = work.usual_layer
    pieces = tuple(
        replace(p, wood=("walnut", "cherry", "padauk")[p.key % 3], grain_deg=float(7 * p.key % 180))
        for p in layer.pieces
    )
    return replace(work, layers=(replace(layer, pieces=pieces),))


def boxes(across: int, down: int, wide: float, high: float) -> Coverage:
    """Rectangles side by side."""
    made = [shapely.box(x * wide, y * high, (x + 1) * wide, (y + 1) * high) for y in range(down) for x in range(across)]
    return Coverage(range(1, len(made) + 1), made)


def rings_of(page) -> list[np.ndarray]:
    """Every closed run of straight lines on a page, in mm from its upper left corner, y downwards."""
    _, high = page.get_size()
    rings = []
    for found in page.get_objects():
        if found.type != raw.FPDF_PAGEOBJ_PATH:
            continue
        matrix = found.get_matrix()
        ring: list[tuple[float, float]] = []
        for i in range(raw.FPDFPath_CountSegments(found.raw)):
            segment = raw.FPDFPath_GetPathSegment(found.raw, i)
            x, y = ctypes.c_float(), ctypes.c_float()
            raw.FPDFPathSegment_GetPoint(segment, x, y)
            if raw.FPDFPathSegment_GetType(segment) == raw.FPDF_SEGMENT_MOVETO and ring:
                rings.append(np.array(ring))
                ring = []
            px, py = matrix.on_point(x.value, y.value)
            ring.append((px * MM, (high - py) * MM))
        rings.append(np.array(ring))
    return [ring for ring in rings if len(ring) > 3]


def same(ring: np.ndarray, shape: shapely.Polygon) -> bool:
    """Whether a ring on paper is that outline, wherever it lies and however it is turned."""
    found = shapely.Polygon(ring)
    if abs(found.area - shapely.Polygon(shape.exterior).area) > 0.02 * math.sqrt(found.area):
        return False
    # distances of every corner from the centroid do not change under turns and shifts; a mirror image goes
    # the other way round
    if shapely.is_ccw(shapely.LinearRing(ring)) != shapely.is_ccw(shape.exterior):
        return False
    theirs = np.hypot(*(shapely.get_coordinates(shape.exterior)[:-1] - shape_centre(shape)).T)
    mine = np.hypot(*(ring[: len(theirs)] - np.array(found.centroid.coords[0])).T)
    return len(mine) == len(theirs) and np.abs(mine - theirs).max() < NEAR_MM


def shape_centre(shape: shapely.Polygon) -> np.ndarray:
    return np.array(shapely.Polygon(shape.exterior).centroid.coords[0])


def test_a_drill_map_has_a_page_for_every_bit_and_none_without_a_hole():
    """Crosses at the holes, grouped by bit and tilt; sheets of a large work on which nothing is drilled stay out."""
    plan = Plan(composition(grid(20, 10, 30.0)))
    holes = [
        Drilled("1", PilotHole(15.0, 15.0, 9.0, 3.2)),
        Drilled("1", PilotHole(8.0, 8.0, 3.0, 1.6)),
        Drilled("200", PilotHole(585.0, 285.0, 9.0, 3.2, tilt_deg=2.5)),
        Drilled("200", PilotHole(580.0, 280.0, 0.7, None)),
    ]
    made = print_pack(plan.job, "drill", "A4", plan.paper, drilled=holes)
    names = [page.plane.name for page in made.pages]
    assert [name.split(":")[0] for name in names] == [
        "Drill 3.2 mm (1/8 in)",
        "Drill 3.2 mm (1/8 in)",
        "Drill 1.6 mm (1/16 in)",
    ]
    assert sum("tilted 2.5 degrees" in name for name in names) == 1
    assert all(len(page.layout.sheets) > 3 for page in made.pages)
    with pytest.raises(BadChoice, match="nothing to drill"):
        print_pack(plan.job, "drill", "A4", plan.paper)


@pytest.mark.parametrize(("paper", "wide", "high"), [("A4", 210.0, 297.0), ("Letter", 215.9, 279.4)])
def test_every_part_stands_whole_on_ready_sheets(koi_work, paper, wide, high):
    plan = Plan(koi_work)
    made = print_pack(plan.job, "ready", paper, plan.paper)
    document = pypdfium2.PdfDocument(pack_pdf(plan.job, made))
    assert len(document) == len(made.pages)
    rings = []
    for number, page in enumerate(document):
        assert sorted(v * MM for v in page.get_size()) == pytest.approx((wide, high), abs=0.05)
        if made.pages[number].plane.kind == "ready":
            rings += rings_of(page)
    for part in plan.job.pieces.values():
        assert any(same(ring, part.outline) for ring in rings), part.name


def test_parts_ready_apart_leave_room_and_save_paper(koi_work):
    plan = Plan(koi_work)
    made = print_pack(plan.job, "ready", "Letter", plan.paper)
    planes = {page.plane.name: page.plane for page in made.pages if page.plane.kind == "ready"}
    for plane in planes.values():
        shapes = [part.outline for part in plane.parts]
        for i, one in enumerate(shapes):
            assert all(one.distance(other) > READY_GAP_MM - 2e-3 for other in shapes[i + 1 :])
            assert shapely.box(0, 0, plane.width_mm, plane.height_mm).covers(one)
    copies = print_pack(plan.job, "copies", "Letter", plan.paper)
    assert made.count("ready") <= 0.6 * copies.count("copy")


def test_page_counts_worked_out_by_hand():
    """A sheet of 400 x 300 mm: between margins of 12 mm and above a foot of 14, A4 upright leaves 186 x 259 mm, on its
    side 273 x 172; with 10 mm shared by neighbours, 400 wants 3 upright or 2 on its side, 300 wants 2 or 2."""
    work = composition(boxes(2, 2, 200.0, 150.0), practice=Practice(unit="mm"))
    plan = Plan(replace(work, rack=Rack()))
    room_x, room_y = 297 - 24, 210 - 24 - FOOT_MM
    assert math.ceil((400 - OVERLAP_MM) / (room_x - OVERLAP_MM)) * math.ceil((300 - OVERLAP_MM) / (room_y - 10)) == 4
    made = print_pack(plan.job, "copies", "A4", plan.paper)
    assert made.count("placement") == 4
    # four squares that meet in a point: four copies, each square of 200 x 150 on the sheets it reaches
    assert len({page.plane.name for page in made.pages if page.plane.kind == "copy"}) == 4
    # Letter on its side leaves 255.4 x 177.9: two by two as well; a roll of 24 in holds all on one length
    assert print_pack(plan.job, "copies", "Letter", plan.paper).count("placement") == 4
    assert print_pack(plan.job, "copies", "Roll", plan.paper).count("placement") == 1


def test_overlap_marks_lie_in_the_same_place_on_neighbouring_sheets():
    plan = Plan(composition(boxes(2, 2, 200.0, 150.0), practice=Practice(unit="mm")))
    made = print_pack(plan.job, "copies", "A4", plan.paper)
    document = pypdfium2.PdfDocument(pack_pdf(plan.job, made))
    marks: dict[tuple[int, int], int] = {}
    for number, page in enumerate(made.pages):
        if page.plane.kind != "placement":
            continue
        for found in document[number].get_objects():
            if found.type != raw.FPDF_PAGEOBJ_PATH:
                continue
            left, low, right, top = (v * MM for v in found.get_bounds())
            _, high = document[number].get_size()
            if 7.9 < right - left < 8.7 and 7.9 < top - low < 8.7:
                x = (left + right) / 2 - page.layout.margin_mm + page.sheet.left_mm
                y = high * MM - (low + top) / 2 - page.layout.margin_mm + page.sheet.top_mm
                marks[round(x * 5), round(y * 5)] = marks.get((round(x * 5), round(y * 5)), 0) + 1
    assert max(marks.values()) == 4  # the middle one is on all four
    assert sum(count >= 2 for count in marks.values()) >= 3


def test_no_two_on_a_cutting_copy_are_near(koi_work):
    """Neighbours against networkx' own walk over seams; the scissors' room by distance."""
    plan = Plan(koi_work)
    made = clear_copies(plan.job, plan.paper)
    coverage = koi_work.usual_layer.without_openings.coverage
    graph = networkx.Graph((seam.a, seam.b) for seam in coverage.seams)
    assert all(made[a] != made[b] for a, b in graph.edges)
    for number in set(made.values()):
        own = [coverage.by_key[key] for key, copy in made.items() if copy == number]
        assert all(a.distance(b) >= CLEAR_MM for i, a in enumerate(own) for b in own[i + 1 :])
    assert set(made) == set(coverage.keys)


def test_one_sheet_a_board_shows_parts_as_they_lie():
    board = Board(1, "cherry", "C1", 400.0, 150.0, 20.0)
    work = edited(replace(composition(cells(8, 3, 150.0, 100.0)), rack=Rack(woods(), (board,))), "lay")
    plan = Plan(work)
    made = print_pack(plan.job, "boards", "A3", plan.paper)
    (page,) = [page for page in made.pages if page.plane.kind == "board"]
    assert page.plane.name == "Board C1"
    assert len(page.plane.parts) == 8
    with pytest.raises(BadChoice, match="No part lies on a board yet"):
        print_pack(Plan(edited(work, "take_off", all="yes")).job, "boards", "A3", plan.paper)


def test_a_mirrored_set_is_the_mirror_image_with_words_that_read():
    plan = Plan(composition(cells(6, 3, 120.0, 90.0)))
    straight = print_pack(plan.job, "copies", "A4", plan.paper)
    turned = print_pack(plan.job, "copies", "A4", plan.paper, mirrored=True)
    for one, other in zip(straight.pages, turned.pages, strict=True):
        for a, b in zip(one.plane.parts, other.plane.parts, strict=True):
            flipped = affinity.scale(a.outline, -1, 1, origin=(one.plane.width_mm / 2, 0))
            assert flipped.symmetric_difference(b.outline).area < 1e-6
    assert pypdfium2.PdfDocument(pack_pdf(plan.job, turned))[0].get_textpage().get_text_range().strip()


def test_the_printers_correction_and_margins_are_kept():
    """A printer that shrinks 150 mm to 149: what is drawn comes out 150/149 as large."""
    practice = Practice(unit="mm", ruler_across_mm=149.0, ruler_down_mm=149.0, print_margin_mm=20.0)
    work = composition(boxes(1, 1, 80.0, 60.0), practice=practice)
    plan = Plan(work)
    made = print_pack(plan.job, "copies", "A4", plan.paper)
    page = next(i for i, page in enumerate(made.pages) if page.plane.kind == "copy")
    rings = rings_of(pypdfium2.PdfDocument(pack_pdf(plan.job, made))[page])
    sides = [np.ptp(ring, axis=0) for ring in rings]
    assert any(np.abs(side - np.array([80.0, 60.0]) * 150 / 149).max() < NEAR_MM for side in sides)
    assert all(ring.min() > 19.9 for ring in rings)
    assert layout_for(10, 10, "A4", 20.0).sheets[0].width_mm == 170.0


@pytest.mark.parametrize(
    ("pack", "paper", "why"),
    [("origami", "A4", "no way to print"), ("ready", "Parchment", "There is no paper"), ("copies", "", "no paper")],
)
def test_bad_wishes_end_in_a_sentence(pack, paper, why):
    plan = Plan(composition(cells(4, 3)))
    with pytest.raises(BadChoice, match=why):
        print_pack(plan.job, pack, paper, plan.paper)


def test_paper_smaller_than_the_overlap_ends_in_a_sentence():
    with pytest.raises(BadChoice, match="nothing is left of that paper but the overlap"):
        layout_for(100, 100, "A4", 100.0)


def test_packs_leave_by_the_command_line_too(koi_work):
    data = export(Plan(koi_work), "pdf", "A4", "ready")
    assert data.startswith(b"%PDF")
    assert len(pypdfium2.PdfDocument(data)) < len(pypdfium2.PdfDocument(export(Plan(koi_work), "pdf", "A4", "copies")))


def work_of_boxes(**practice) -> Plan:
    return Plan(composition(boxes(2, 2, 60.0, 40.0), practice=Practice(unit="mm", **practice)))


def words_on(page) -> str:
    return page.get_textpage().get_text_range()


def strokes_of(page) -> list[tuple[float, float]]:
    """Length (mm) and line width (mm) of every path of one straight line."""
    found = []
    for one in page.get_objects():
        if one.type != raw.FPDF_PAGEOBJ_PATH or raw.FPDFPath_CountSegments(one.raw) != 2:
            continue
        wide = ctypes.c_float()
        raw.FPDFPageObj_GetStrokeWidth(one.raw, wide)
        ends = []
        for i in (0, 1):
            x, y = ctypes.c_float(), ctypes.c_float()
            raw.FPDFPathSegment_GetPoint(raw.FPDFPath_GetPathSegment(one.raw, i), x, y)
            ends.append((x.value, y.value))
        found.append((math.dist(*ends) * MM, wide.value * MM))
    return found


def test_a_label_for_every_part_says_what_it_is_and_which_way_up():
    plan = work_of_boxes()
    made = print_pack(plan.job, "labels", "A4", plan.paper)
    assert len(made.pages) == 1
    cards = made.pages[0].plane.parts
    assert len(cards) == len(plan.job.of_one)
    assert all(a.outline.intersection(b.outline).area < 1e-9 for i, a in enumerate(cards) for b in cards[i + 1 :])
    text = words_on(pypdfium2.PdfDocument(pack_pdf(plan.job, made))[0])
    assert text.count("Cherry, 19.1 mm") == 4
    assert text.count("front: this side up") == 4
    assert "backer" in text


def test_a_template_is_drilled_where_outlines_meet_and_where_the_saw_drills():
    plan = work_of_boxes()
    made = print_pack(plan.job, "template", "A4", plan.paper, drilled=[Drilled("1", PilotHole(30.0, 20.0, 9.0, 3.2))])
    (page,) = made.pages
    assert set(page.plane.marks) == {(30.0, 20.0), (60.0, 40.0)}
    lengths = [length for length, _ in strokes_of(pypdfium2.PdfDocument(pack_pdf(plan.job, made))[0])]
    assert sum(abs(length - 3.0) < 0.01 for length in lengths) == 4  # two crosses


def test_the_back_lies_on_the_front_once_it_is_folded():
    """Folded at both lines round 19.05 mm, a point at x comes to lie at first + thick + (first - x)."""
    plan = work_of_boxes()
    (plane,) = {page.plane.name: page.plane for page in print_pack(plan.job, "fold", "A3", plan.paper).pages}.values()
    (first, _), (second, _) = (line[0] for line in plane.lines)
    assert second - first == pytest.approx(19.05)
    assert first == pytest.approx(126.0)
    for part in plane.parts[:4]:
        back = next(p for p in plane.parts[4:] if p.key == part.key)
        folded = shapely.transform(back.outline, lambda xy: np.c_[first + second - xy[:, 0], xy[:, 1]])
        assert folded.symmetric_difference(part.outline).area < 1e-6
        assert back.words.endswith("B")


def test_lines_to_trace_may_be_mirrored_and_as_wide_as_asked():
    plan = work_of_boxes()
    made = print_pack(plan.job, "trace", "A4", plan.paper, mirrored=True)
    assert [page.plane.kind for page in made.pages] == ["trace"]
    page = pypdfium2.PdfDocument(pack_pdf(plan.job, made, "black", 0.7))[0]
    widths = set()
    for one in page.get_objects():
        if one.type == raw.FPDF_PAGEOBJ_PATH:
            wide = ctypes.c_float()
            raw.FPDFPageObj_GetStrokeWidth(one.raw, wide)
            widths.add(round(wide.value * MM, 2))
    assert 0.7 in widths
    for bad in (0.0, 2.0):
        with pytest.raises(BadChoice, match="mm wide"):
            pack_pdf(plan.job, made, "black", bad)


def test_the_waste_side_is_marked_where_one_saws_beside_the_line():
    ticks = {}
    for fit in ("on", "beside"):
        plan = work_of_boxes(fit=fit)
        made = print_pack(plan.job, "copies", "A4", plan.paper)
        pages = [i for i, page in enumerate(made.pages) if page.plane.kind == "copy"]
        document = pypdfium2.PdfDocument(pack_pdf(plan.job, made))
        ticks[fit] = sum(abs(length - 1.4) < 0.01 for i in pages for length, _ in strokes_of(document[i]))
    assert ticks["on"] == 0
    assert ticks["beside"] == 4 * round(200 / 22)


def test_shims_that_lie_on_no_board_are_printed_with_the_boards():
    work = edited(work_of_boxes().composition, "shim", [1], mm="6.35")
    work = replace(work, rack=Rack(woods(), (Board(1, "cherry", "C1", 400, 150, 20),)))
    plan = Plan(edited(work, "lay"))
    made = print_pack(plan.job, "boards", "A4", plan.paper)
    named = {part.key for page in made.pages for part in page.plane.parts}
    assert any(key.startswith("shim") for key in named)


@pytest.mark.parametrize("pack", sorted(set(PACKS) - {"coupon", "piles", "faces"}))
def test_what_is_looked_at_is_what_is_printed(pack):
    """Words and strokes of the page that is shown, and of the PDF that pdfium reads, are the same and in one place."""
    work = work_of_boxes().composition
    work = edited(replace(work, rack=Rack(woods(), (Board(1, "cherry", "C1", 400, 150, 20),))), "lay")
    plan = Plan(work)
    made = print_pack(plan.job, pack, "A3", plan.paper, drilled=[Drilled("1", PilotHole(30.0, 20.0, 9.0, 3.2))])
    document = pypdfium2.PdfDocument(pack_pdf(plan.job, made))
    assert len(document) == len(made.pages)
    for page, printed in zip(made.pages, document, strict=True):
        shown = page_svg(page)
        text = words_on(printed)
        assert shown["parts"]
        assert all(one.words in text for one in shown["texts"])
        strokes = shown["strokes"].count("M") + shown["ticks"].count("M")
        # beside these a page has its check ruler, and no more strokes of the drawing than are shown
        ruler = len(strokes_of(printed)) - strokes
        assert 0 <= ruler <= 60
    assert (made.pages[0].ticked, made.pages[-1].ticked) == (False, False)
    assert any(page.ticked for page in made.pages) == (pack in STUCK)


def test_the_command_line_offers_every_pack():
    assert set(PACK_NAMES) == set(PACKS)


@pytest.mark.parametrize("turn", [0.0, 30.0, 90.0, 135.0])
def test_an_arrow_points_along_the_grain_as_one_sees_it(turn):
    """Counter-clockwise from the right, on a page whose y runs down."""
    part = Printed("1", shapely.box(0, 0, 60, 60), "1", turn)
    (x0, y0, x1, y1), *heads = arrow_of(part)
    assert math.degrees(math.atan2(y0 - y1, x1 - x0)) == pytest.approx(turn)
    assert all((x, y) == (x1, y1) for x, y, _, _ in heads)
    assert all(math.dist((x1, y1), (x, y)) < math.dist((x0, y0), (x1, y1)) for _, _, x, y in heads)
    assert arrow_of(replace(part, grain_deg=None)) == []
    assert arrow_of(replace(part, outline=shapely.box(0, 0, 5, 5))) == []


def test_strokes_stand_outside_the_part_and_inside_its_openings():
    outline = shapely.Polygon(shapely.box(0, 0, 80, 60).exterior, [shapely.box(20, 20, 50, 40).exterior])
    strokes = waste_side(Printed("1", outline))
    assert len(strokes) == round(280 / 22) + round(100 / 22)
    for x0, y0, x1, y1 in strokes:
        assert outline.boundary.distance(shapely.Point(x0, y0)) < 1e-6
        assert not outline.contains(shapely.Point(x1, y1))
        assert math.dist((x0, y0), (x1, y1)) == pytest.approx(1.4)


def test_a_line_seen_small_is_wider_than_printed_and_keeps_its_order():
    assert 0.1 < seen_line_mm(0.1) < seen_line_mm(0.3) < seen_line_mm(1.5)
