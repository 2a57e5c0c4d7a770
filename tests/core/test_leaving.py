"""What leaves the workshop: SVG, PDF and CSV at true size, the project file, the command line."""

import contextlib
import csv
import io
import json
import subprocess
import sys
import zipfile
from dataclasses import replace
from xml.etree import ElementTree as ET

import ezdxf.recover
import ezdxf.units
import pypdfium2
import pytest
import shapely
import svgelements
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.cli import main
from emberquilt.drawing.panel import dress_json, shapes_json
from emberquilt.drawing.pdf import OVERLAP_MM, layout_for
from emberquilt.drawing.read import read
from emberquilt.drawing.svg import pattern_svg
from emberquilt.errors import BadChoice, BadProject
from emberquilt.formats.export import export
from emberquilt.formats.piece_list import piece_list_csv
from emberquilt.formats.project import MOST_BYTES, Project, read_project, write_project
from emberquilt.outline.coverage import Coverage
from emberquilt.pattern.fresh import composition_of
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.work.composition import Composition, Layer, Piece
from emberquilt.work.parts import job_of
from emberquilt.work.register import READINGS
from emberquilt.work.view import View
from tests.conftest import cells, composition, edited, grid

MM = 25.4 / 72


@pytest.fixture(scope="module")
def koi_work(koi):
    work = composition_of(koi, "Two koi", Practice())
    layer = work.usual_layer.without_openings
    pieces = tuple(
        replace(p, wood=("walnut", "holly", "padauk")[p.key % 3], grain_deg=float(p.key), part="=fin")
        for p in layer.pieces
    )
    return replace(work, layers=(replace(layer, pieces=pieces),))


def paths_of(page):
    """Bounds of every path on a page in mm, from the PDF itself."""
    return [tuple(v * MM for v in o.get_bounds()) for o in page.get_objects() if o.type == 2]


@pytest.mark.parametrize(("paper", "width", "height"), [("A4", 210, 297), ("Letter", 215.9, 279.4)])
def test_the_pdf_is_true_to_a_tenth_of_a_millimetre(koi_work, paper, width, height):
    """Paper by ISO 216 and ANSI/ASME Y14.1; ruler and a known piece measured by pdfium, which we did not write."""
    document = pypdfium2.PdfDocument(export(Plan(koi_work), "pdf", paper))
    layout = layout_for(koi_work.width_mm, koi_work.height_mm, paper)
    # instructions, the pieces, and what the backer is sawn by
    assert len(document) == 1 + 2 * len(layout.sheets)
    spot = koi_work.usual_layer.without_openings.coverage.by_key[9].bounds
    seen = False
    for number, page in enumerate(document):
        assert sorted(v * MM for v in page.get_size()) == pytest.approx((width, height), abs=0.05)
        sizes = [(b[2] - b[0], b[3] - b[1]) for b in paths_of(page)]
        # pdfium adds the stroke width (0.25 and 0.3 mm) on either side to the bounds it gives
        assert any(abs(w - 100 - 0.5) < 0.1 and h < 0.6 for w, h in sizes), "check ruler"
        if number:
            want = (spot[2] - spot[0], spot[3] - spot[1])
            seen |= any(abs(w - want[0] - 0.6) < 0.1 and abs(h - want[1] - 0.6) < 0.1 for w, h in sizes)
    assert seen, "piece 9 stands whole on some sheet"


@settings(max_examples=50)
@given(st.floats(20, 3000), st.floats(20, 3000), st.sampled_from(["A4", "Letter"]))
def test_sheets_cover_the_work_and_overlap(width, height, paper):
    sheets = layout_for(width, height, paper).sheets
    boxes = [shapely.box(s.left_mm, s.top_mm, s.left_mm + s.width_mm, s.top_mm + s.height_mm) for s in sheets]
    assert shapely.union_all(boxes).buffer(1e-6).contains(shapely.box(0, 0, width, height))
    assert len({s.name for s in sheets}) == len(sheets)
    for s in sheets:
        right = next((o for o in sheets if (o.row, o.column) == (s.row, s.column + 1)), None)
        assert right is None or s.left_mm + s.width_mm - right.left_mm == pytest.approx(OVERLAP_MM)


def test_the_page_is_turned_to_save_paper():
    """Two koi, 18 x 12 in: six upright letter sheets, or four on their side."""
    layout = layout_for(457.2, 304.8, "Letter")
    assert layout.page_width_mm > layout.page_height_mm
    assert len(layout.sheets) == 4
    assert len(layout_for(150, 220, "A4").sheets) == 1


def test_an_unknown_paper_is_refused():
    with pytest.raises(BadChoice, match="paper"):
        layout_for(100, 100, "Parchment")


def test_the_svg_is_true_to_size_for_another_reader(koi_work):
    """svgelements reads it back at 96 pixels to the inch."""
    data = pattern_svg(job_of(koi_work))
    drawing = svgelements.SVG.parse(io.BytesIO(data))
    assert float(drawing.width) * 25.4 / 96 == pytest.approx(457.2, abs=0.01)
    path = next(e for e in drawing.elements() if getattr(e, "values", {}).get("data-piece") == "9")
    left, top, right, bottom = (v * 25.4 / 96 for v in abs(svgelements.Path(path)).bbox())
    assert (left, top, right, bottom) == pytest.approx(
        koi_work.usual_layer.without_openings.coverage.by_key[9].bounds, abs=0.01
    )
    assert len(ET.fromstring(data).findall(".//*[@data-piece]")) == 62


def test_the_piece_list_has_a_row_a_piece_and_no_formulas(koi_work):
    rows = list(csv.DictReader(io.StringIO(piece_list_csv(Plan(koi_work)))))
    assert [int(r["number"]) for r in rows] == list(range(1, 63))
    assert all(r["part"] == "'=fin" for r in rows)
    assert sum(float(r["area_mm2"]) for r in rows) == pytest.approx(457.2 * 304.8, abs=62 * 0.05)


def test_the_panel_gets_plain_values(koi_work):
    plan = Plan(koi_work)
    for station, readings in READINGS.items():
        for show in readings:
            scene = read(plan, station, show, plan.findings(station), View("", 1))
            dress = json.loads(json.dumps(dress_json(scene)))
            assert len(dress["pieces"]) == 62
            kinds = {"pin", "hole", "start", "melt", "guide", "ring", "neck", "seam-reads", "seam-shades", "seam-melts"}
            kinds |= {"tab", "mass", "hanger", "plumb", "slope"}
            assert set(m["kind"] for m in dress["marks"]) <= kinds
    shapes = shapes_json(scene)
    assert (shapes["w"], len(shapes["shapes"])) == (457.2, 62)


# project file


def test_a_project_comes_back_and_leaves_with_the_same_bytes(koi_work, koi_svg):
    log = (
        {
            "part": "3",
            "step": "saw",
            "what": "done",
            "minutes": 4.5,
            "estimate_minutes": 3.0,
            "at": "2026-11-20T19:05:00+00:00",
        },
    )
    first = write_project(Project(edited(koi_work, "anchor", [3]), "2026-11-23T20:00:00", log, "two-koi.svg", koi_svg))
    back = read_project(first)
    assert write_project(back) == first
    assert write_project(replace(back, saved="2027-01-01T00:00:00")) != first
    assert back.source == koi_svg
    assert back.log == log
    assert [p.wood for p in back.composition.pieces()] == [p.wood for p in koi_work.pieces()]
    assert all(
        a.equals_exact(b, 0) or a.equals(b)
        for a, b in zip(
            back.composition.usual_layer.without_openings.coverage.outlines,
            koi_work.usual_layer.without_openings.coverage.outlines,
            strict=True,
        )
    )


@settings(max_examples=10)
@given(st.integers(2, 40), st.integers(0, 999))
def test_any_coverage_survives_the_file(count, seed):
    data = write_project(Project(composition(cells(count, seed)), "x"))
    assert write_project(read_project(data)) == data


def rewritten(change, name: str = "composition.json") -> bytes:
    """A good project file with its document changed, or with an entry under another name."""
    good = write_project(Project(composition(grid(2, 2)), "x"))
    with zipfile.ZipFile(io.BytesIO(good)) as archive:
        document = json.loads(archive.read("composition.json"))
    change(document)
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr(name, json.dumps(document))
    return buffer.getvalue()


def zipped(entries: dict[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in entries.items():
            archive.writestr(name, data)
    return buffer.getvalue()


def piece(index: int, **values):
    return lambda d: d["layers"][0]["pieces"][index].update(values)


BAD = {
    "not a zip": (b"hello", "no project file"),
    "empty": (b"", "no project file"),
    "truncated": (write_project(Project(composition(grid(2, 2)), "x"))[:-60], "cut off|damaged"),
    "another zip": (zipped({"readme.txt": b"x"}), "holds no"),
    "a seam backwards": (rewritten(lambda d: d["decisions"].update(assembly={"right": {"1": "1:4-2"}})), "damaged"),
    "a bundle backwards": (rewritten(lambda d: d["decisions"].update(assembly={"bundles": ["4-2"]})), "damaged"),
    "a log of nothing real": (
        rewritten(
            lambda d: d["log"].append(
                {"part": "1", "step": "saw", "what": "done", "minutes": 3, "at": "2026-11-01T10:00:00+00:00"}
                | {"made_of": {"thickness_mm": "thick", "corners": 3}}
            )
        ),
        "damaged",
    ),
    "newer": (rewritten(lambda d: d.update(version=12)), "version 12"),
    "another format": (rewritten(lambda d: d.update(format="shopping-list")), "no project file"),
    "not json": (zipped({"composition.json": b"{"}), "damaged"),
    "a list": (zipped({"composition.json": b"[]"}), "no project file"),
    "a path outside": (zipped({"composition.json": b"{}", "../../etc/passwd": b"x"}), "outside itself"),
    "an absolute path": (zipped({"composition.json": b"{}", "/etc/passwd": b"x"}), "outside itself"),
    "a bomb": (zipped({"composition.json": b"{}", "source/a": bytes(MOST_BYTES + 1)}), "MB"),
    "many entries": (zipped({f"source/{i}": b"" for i in range(1100)}), "MB"),
    "no name": (rewritten(lambda d: d.pop("name")), "damaged"),
    "unknown wood": (rewritten(piece(0, wood="unobtainium")), "not on this shelf"),
    "two keys alike": (rewritten(piece(0, key=2)), "overlap|same key"),
    "an overlap": (rewritten(piece(0, rings=[[[0, 0], [45, 0], [45, 30], [0, 30]]])), "overlap"),
    "a crossed ring": (rewritten(piece(0, rings=[[[0, 0], [30, 30], [30, 0], [0, 30]]])), "overlap"),
    "an angle beyond the circle": (rewritten(piece(0, grain_deg=400)), "damaged"),
    "not a number": (rewritten(piece(0, rings=[[[0, 0], ["x", 0], [30, 30]]])), "damaged"),
    "infinite": (rewritten(piece(0, thickness_mm=float("inf"))), "damaged"),
    "no pieces": (rewritten(lambda d: d["layers"][0].update(pieces=[])), "damaged"),
    "layer twice": (
        rewritten(
            lambda d: d["layers"].append(d["layers"][0] | {"pieces": [d["layers"][0]["pieces"][0] | {"key": 999}]})
        ),
        "Two layers",
    ),
    "bad practice": (rewritten(lambda d: d["practice"].update(glue="gum")), "practice"),
    "bad source": (rewritten(lambda d: d.update(source="source/../../x")), "damaged"),
}


@pytest.mark.parametrize("name", BAD)
def test_bad_project_files_end_in_a_clear_sentence(name):
    data, words = BAD[name]
    with pytest.raises(BadProject, match=words) as problem:
        read_project(data)
    assert str(problem.value).endswith(".")


GOOD = write_project(Project(composition(grid(3, 2)), "x"))


@settings(max_examples=60)
@given(st.integers(0, len(GOOD) - 1), st.binary(min_size=1, max_size=8))
def test_damaged_files_never_break_the_reader(at, noise):
    with contextlib.suppress(BadProject):
        read_project(GOOD[:at] + noise + GOOD[at + len(noise) :])


# command line


def emberquilt(*words, alone: bool = False) -> subprocess.CompletedProcess:
    """The command as it is typed; `alone` in a process of its own, which takes seconds to start."""
    typed = [str(word) for word in words]
    if alone:
        program = [sys.executable, "-m", "emberquilt.cli", *typed]
        return subprocess.run(program, capture_output=True, text=True, timeout=120)
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        code = main(typed)
    return subprocess.CompletedProcess(typed, code, out.getvalue(), err.getvalue())


def test_the_command_prints_pieces_as_json(tmp_path, koi_svg):
    drawing = tmp_path / "koi.svg"
    drawing.write_bytes(koi_svg)
    done = emberquilt("pieces", drawing, "--width", "300mm", alone=True)
    assert done.returncode == 0, done.stderr
    found = json.loads(done.stdout)
    assert found["coverage_valid"] is True
    assert [p["number"] for p in found["pieces"]] == list(range(1, 63))
    assert sum(p["area_mm2"] for p in found["pieces"]) == pytest.approx(found["piece_area_mm2"])
    assert found["piece_area_mm2"] == pytest.approx(found["sheet_area_mm2"], rel=1e-6)
    assert found["sheet_area_mm2"] == pytest.approx(300 * 200, rel=1e-4)
    assert len(found["seams"]) == 155
    assert found["findings"] == []


@pytest.mark.parametrize(
    ("name", "content", "width"),
    [
        ("a.svg", "<svg", "300mm"),
        ("b.svg", "hello", "300mm"),
        ("c.svg", None, "300mm"),
        ("d.svg", "<svg xmlns='http://www.w3.org/2000/svg'/>", "abc"),
    ],
)
def test_the_command_fails_with_one_clear_line(tmp_path, name, content, width):
    drawing = tmp_path / name
    if content is not None:
        drawing.write_text(content)
    done = emberquilt("pieces", drawing, "--width", width)
    assert done.returncode == 2
    assert done.stdout == ""
    assert len(done.stderr.strip().splitlines()) == 1
    assert "Traceback" not in done.stderr


def test_the_command_plans_and_exports_a_project(tmp_path, koi_work):
    project = tmp_path / "koi.ember"
    project.write_bytes(write_project(Project(koi_work, "x")))
    plan = json.loads(emberquilt("plan", project).stdout)
    assert len([cut for cut in plan["saw"] if cut["piece"]]) == len(plan["glue"]) == 62
    assert plan["finish"]
    for kind in ("pdf", "svg", "dxf", "csv", "parts", "ics"):
        out = tmp_path / f"out.{kind}"
        assert emberquilt("export", project, "--to", kind, "-o", out).returncode == 0
        assert out.stat().st_size > 500


def test_no_more_findings_are_pinned_than_listed():
    plan = Plan(composition(grid(8, 6), "walnut"))
    findings = plan.findings("wood")
    assert len(findings) == 82
    pins = [m for m in read(plan, "wood", "woods", findings, View("", 1)).marks if m.kind == "pin"]
    assert sorted(int(m.text) for m in pins) == list(range(1, 13))


# layers


def sheets() -> Composition:
    """A ring over a plate, and a disc on it, in three layers."""
    plate, disc = shapely.box(0, 0, 300, 200), shapely.Point(150, 100).buffer(40)
    ring = shapely.box(20, 20, 280, 180).difference(shapely.Point(150, 100).buffer(60))
    layers = tuple(
        Layer(i, name, kind, Coverage([10 * i], [outline]), (Piece(10 * i, i, "cherry", 0.0),), 6.0)
        for i, (name, kind, outline) in enumerate(
            (("Back", "sheet", plate), ("Ring", "sheet", ring), ("Lamp", "overlay", disc)), 1
        )
    )
    return Composition("Three", 300, 200, layers)


def test_the_dxf_is_sound_and_true_for_another_reader(tmp_path, koi_work):
    """ezdxf's own audit finds nothing; every outline is found again, y upwards, within a thousandth."""
    for work in (koi_work, sheets()):
        place = tmp_path / "out.dxf"
        place.write_bytes(export(Plan(work), "dxf"))
        document, auditor = ezdxf.recover.readfile(place)
        assert not auditor.errors
        assert not auditor.fixes
        assert document.units == ezdxf.units.MM
        high = work.height_mm
        rings = [
            shapely.Polygon([(x, high - y) for x, y in line.get_points("xy")])
            for line in document.modelspace().query("LWPOLYLINE")
        ]
        parts = [part for part in job_of(work).of_one if part.role not in ("rail", "base")]
        expected = [shapely.Polygon(ring) for p in parts for ring in (p.outline.exterior, *p.outline.interiors)]
        assert len(rings) == len(expected)
        assert sorted(r.area for r in rings) == pytest.approx(sorted(r.area for r in expected), abs=0.5)
        assert shapely.total_bounds(rings) == pytest.approx(shapely.total_bounds(expected), abs=1e-3)
        names = {layer.dxf.name for layer in document.layers}
        assert all(any(name.startswith(f"{i:02d}_") for name in names) for i in range(1, len(work.layers) + 1))


def test_registration_marks_agree_between_layers_on_paper_and_in_drawings():
    """Every layer's sheet has its crosses at the same place of the picture."""
    work = sheets()
    document = pypdfium2.PdfDocument(export(Plan(work), "pdf", "A4"))
    layout = layout_for(work.width_mm, work.height_mm, "A4")
    assert len(document) == 1 + 3 * len(layout.sheets)
    marks = []
    for page in list(document)[1:]:
        _, high = (v * MM for v in page.get_size())
        # an arm of 5 mm either way, and the bounds count half the line's 0.3 mm twice at every side
        lines = [b for b in paths_of(page) if abs((b[2] - b[0]) - 10.6) < 0.1 and b[3] - b[1] < 0.7]
        marks.append(sorted((round((a + c) / 2, 1), round(high - (b + d) / 2, 1)) for a, b, c, d in lines))
    assert marks[0]
    assert marks[: len(layout.sheets)] == marks[len(layout.sheets) : 2 * len(layout.sheets)]
    tree = ET.fromstring(pattern_svg(job_of(work)))
    crosses = [
        sorted(path.get("d") for path in group)
        for group in tree.iter("{http://www.w3.org/2000/svg}g")
        if group.get("class") == "registration"
    ]
    assert len(crosses) == 3
    assert crosses[0] == crosses[1] == crosses[2]


def test_the_parts_list_counts_everything_in_every_copy():
    work = edited(sheets(), "copies", count="6")
    rows = list(csv.DictReader(io.StringIO(export(Plan(work), "parts").decode("utf-8-sig"))))
    assert [(r["part"], r["role"], r["count"], r["thickness_mm"]) for r in rows] == [
        ("1", "sheet", "6", "6.0"),
        ("2", "sheet", "6", "6.0"),
        ("3", "overlay", "6", "6.0"),
    ]
    assert float(rows[0]["area_mm2"]) == 300 * 200
    # cherry weighs 560 kg a cubic metre at 12 %
    assert float(rows[0]["weight_kg"]) == pytest.approx(0.3 * 0.2 * 0.006 * 560)


PAINTED = """<svg xmlns="http://www.w3.org/2000/svg" width="300mm" height="200mm" viewBox="0 0 300 200">
<rect width="300" height="200" fill="#f0e0b0"/><rect x="20" y="90" width="260" height="110" fill="#a06030"/>
<circle cx="150" cy="150" r="40" fill="#402010"/></svg>"""


def test_a_whole_work_is_made_and_planned_by_script(tmp_path):
    drawing, made = tmp_path / "evening-canal.svg", tmp_path / "made.ember"
    drawing.write_text(PAINTED)
    wishes = ("--kind", "painted", "--stack", "8mm", "--woods", "best", "--thickness", "6mm", "--copies", "4")
    done = emberquilt("make", drawing, "--width", "300mm", *wishes, "-o", made)
    assert (done.returncode, done.stdout, done.stderr) == (0, "", "")
    work = read_project(made.read_bytes()).composition
    assert (work.name, len(work.layers), work.decisions.whole.copies) == ("Evening canal", 3, 4)
    plan = json.loads(emberquilt("plan", made).stdout)
    once = [part for part in plan["parts"] if part["copy"] == 1]
    assert len(plan["parts"]) == 4 * len(once)
    assert [part["floor_mm"] for part in once if part["role"] == "sheet"] == [0.0, 6.0, 12.0]
    assert all(part["top_mm"] - part["floor_mm"] == part["thickness_mm"] == 6.0 for part in once)
    outline = shapely.Polygon(once[0]["rings"][0], once[0]["rings"][1:])
    assert outline.area == pytest.approx(once[0]["area_mm2"])
    ids = {part["id"] for part in plan["parts"]}
    assert all({c["a"], c["b"]} <= ids for c in plan["contacts"])
    keys = [step["key"] for step in plan["steps"]]
    assert len(keys) == len(set(keys))
    assert all(set(step["after"]) <= set(keys) for step in plan["steps"])
    assert all(step["begin"] <= step["end"] for step in plan["steps"])
    assert {"key", "station", "verb", "parts", "minutes", "wait_minutes", "after", "begin", "end"} <= set(
        plan["steps"][0]
    )
    fitted = emberquilt("make", drawing, "--width", "300mm", "--kind", "painted", "--woods", "cherry", "-o", made)
    assert fitted.returncode == 0
    assert {p.wood for p in read_project(made.read_bytes()).composition.made} == {"cherry"}


@pytest.mark.parametrize(
    ("wishes", "words"),
    [
        (("--woods", "gold"), "on no shelf"),
        (("--woods", "owned"), "No board is on the rack"),
        (("--copies", "0"), "out of range"),
        (("--thickness", "9 m"), "out of range"),
        (("--stack", "far"), "not a length"),
    ],
)
def test_wishes_that_cannot_be_fulfilled_are_said_and_write_nothing(tmp_path, wishes, words):
    drawing, made = tmp_path / "drawing.svg", tmp_path / "made.ember"
    drawing.write_text(PAINTED)
    stacked = () if "--stack" in wishes else ("--stack", "8mm")
    done = emberquilt("make", drawing, "--width", "300mm", "--kind", "painted", *stacked, *wishes, "-o", made)
    assert (done.returncode, done.stdout) == (2, "")
    assert words in done.stderr
    assert not made.exists()
