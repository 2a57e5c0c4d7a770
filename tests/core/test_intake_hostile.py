"""Files that would hang, or take the memory of everybody: each ends in a sentence, by counting before building, or in
a process that is ended."""

import io
import multiprocessing
import os
import time

import cv2
import ezdxf
import numpy as np
import pytest

from emberquilt.errors import BadDrawing, Cancelled, Tangled
from emberquilt.intake import apart
from emberquilt.intake.apart import Limits, propose_apart
from emberquilt.intake.knobs import Knobs, Size
from emberquilt.intake.propose import propose
from emberquilt.intake.svg_style import MOST_RULES, flat_rules
from emberquilt.outline import arcs
from tests.core.test_intake_svg import svg

WIDE = Size("width", 300.0)
MIST = (
    '<filter id="mist" x="0" y="0" width="1" height="1">'
    '<feTurbulence baseFrequency="0.9" numOctaves="200"/><feComposite in2="SourceGraphic" operator="in"/></filter>'
)
ENDLESS = svg(
    MIST + '<rect width="90" height="60" fill="#c60" filter="url(#mist)"/>' * 400,
    size='viewBox="0 0 90 60" width="900" height="600"',
)
"""Four hundred sheets of mist over each other: its renderer takes some seconds for each."""


# counted before anything is built


def strokes(paths: list[str], box: str = "0 0 1000 1000", width: float = 0.2) -> bytes:
    drawn = "".join(f'<path d="{path}"/>' for path in paths)
    return svg(f'<g fill="none" stroke="#000" stroke-width="{width}">{drawn}</g>', size=f'viewBox="{box}"')


def _places(points: np.ndarray) -> str:
    return " ".join(f"{x:.1f} {y:.1f}" for x, y in points.tolist())


def test_a_grid_of_1500_by_1500_lines():
    grid = strokes([f"M{v} 0V1500M0 {v}H1500" for v in range(1500)], "0 0 1500 1500", 0.1)
    with pytest.raises(Tangled, match=r"cross about 2,\d\d\d,\d\d\d times"):
        propose(grid, WIDE)


def test_a_scribble_of_8000_strokes():
    places = np.random.default_rng(1).uniform(0, 1000, (8000, 7, 2))
    paths = [f"M{_places(p[:1])}C{_places(p[1:])}" for p in places]
    with pytest.raises(Tangled, match=r"cross about \d+,\d\d\d,\d\d\d times"):
        propose(strokes(paths), WIDE)


def test_crossings_are_counted_about_right():
    # a grid of a by b lines crosses a times b times
    grid = strokes([f"M{v} 0V1000" for v in range(1, 999, 2)] + [f"M0 {v}H1000" for v in range(2, 999, 4)])
    with pytest.raises(Tangled) as told:
        propose(grid, WIDE)
    about = int(str(told.value).split("about ")[1].split(" ")[0].replace(",", ""))
    assert about == pytest.approx(499 * 250, rel=0.15)


def test_what_is_only_busy_is_read():
    grid = strokes([f"M{v} 0V1000M0 {v}H1000" for v in range(0, 1001, 20)], width=1)
    assert propose(grid, WIDE).faces == 2500


@pytest.mark.parametrize("ink", [0.5, 0.12], ids=["grey", "ink"])
def test_40_megapixels_of_noise(ink):
    rng = np.random.default_rng(1)
    side = 6300
    if ink == 0.5:
        picture = rng.integers(0, 256, (side, side), np.uint8)
    else:
        picture = np.where(rng.random((side, side), np.float32) < ink, 0, 255).astype(np.uint8)
    _, png = cv2.imencode(".png", picture, [cv2.IMWRITE_PNG_COMPRESSION, 1])
    with pytest.raises(BadDrawing, match=r"grain or a screened print|looks like a photo"):
        propose(png.tobytes(), WIDE, Knobs(kind="line"))


# style sheets


@pytest.mark.parametrize(
    "style",
    ["a{" * 50_000, "{" * 50_000, "@media a{" * 50_000 + "}" * 50_000, "/*" * 50_000, "a{fill:#" * 50_000 + "}"],
    ids=["open rules", "braces", "rules in rules", "comments", "one that never ends"],
)
def test_50000_braces_in_a_style(style):
    found = propose(svg(f'<style>{style}</style><circle cx="50" cy="40" r="30" fill="#c60"/>'), WIDE)
    assert (found.faces, list(found.colours.values())) == (1, ["#cc6600"])


@pytest.mark.parametrize(
    ("text", "rules"),
    [
        ("a{fill:red}b , c {fill : blue; }", ["a{fill:red}", "b , c{fill : blue;}"]),
        ("/* a{fill:red} */b{fill:blue/* {}*/}", ["b{fill:blue}"]),
        ("@media print{a{fill:red}}b{fill:blue}", ["b{fill:blue}"]),
        ('a{font-family:"}{"}b{fill:red', ['a{font-family:"}{"}']),
        ("}a{}", ["a{}"]),
        ("", []),
        ("@font-face{font-family:x}a{x:y}", ["a{x:y}"]),
    ],
)
def test_plain_rules_of_a_style_stay(text, rules):
    assert flat_rules(text).split("\n") == (rules or [""])


def test_a_style_keeps_its_first_rules():
    assert flat_rules("a{b:c}" * (MOST_RULES + 10)).count("\n") == MOST_RULES - 1


# numbers that are none


def dxf(draw) -> str:
    document = ezdxf.new()
    document.modelspace().add_lwpolyline([(0, 0), (100, 0), (100, 100), (0, 100)], close=True)
    draw(document.modelspace())
    stream = io.StringIO()
    document.write(stream)
    return stream.getvalue()


@pytest.mark.parametrize("number", ["nan", "inf", "-inf", "1e308"])
@pytest.mark.parametrize(
    ("draw", "kind", "old"),
    [
        (lambda m: m.add_line((0, 50), (77.25, 50)), "LINE", " 11\n77.25"),
        (lambda m: m.add_circle((50, 50), 17.25), "CIRCLE", " 40\n17.25"),
        (lambda m: m.add_arc((50, 50), 17.25, 0, 90), "ARC", " 50\n0"),
        (lambda m: m.add_lwpolyline([(1, 1), (77.25, 9), (3, 70)]), "LWPOLYLINE", " 10\n77.25"),
        (lambda m: m.add_spline([(0, 0), (77.25, 20), (30, 40), (99, 10)]), "SPLINE", " 11\n77.25"),
        (lambda m: m.add_ellipse((50, 50), (17.25, 0), 0.5), "ELLIPSE", " 11\n17.25"),
    ],
    ids=["line", "circle", "arc", "polyline", "spline", "ellipse"],
)
def test_a_dxf_with_numbers_that_are_none(draw, kind, old, number):
    text = dxf(draw)
    at = text.rindex(f"\n{kind}\n")
    bad = text[:at] + text[at:].replace(old, old.split("\n")[0] + f"\n{number}", 1)
    assert bad != text
    found = propose(bad.encode(), WIDE)
    assert found.faces >= 1
    assert found.width_mm == pytest.approx(300, abs=0.01)


def test_what_has_no_place_is_told():
    text = dxf(lambda m: m.add_lwpolyline([(1, 1), (77.25, 9), (3, 70)]))
    found = propose(text.replace(" 10\n77.25", " 10\nnan").encode(), WIDE)
    assert found.left_out == ("1 line without a place",)


# borders that cannot be followed


def test_borders_that_do_not_close_end_in_a_sentence(monkeypatch):
    monkeypatch.setattr(arcs, "_faces", lambda lines, label, count: (None, np.arange(count + 1)))
    label = np.kron(np.array([[1, 2], [3, 4]], np.int32), np.ones((20, 20), np.int32))
    with pytest.raises(BadDrawing, match="cannot be followed"):
        arcs.outlines_of(label, 4)


# a process of its own


def apart_of(data: bytes, **named):
    return propose_apart(data, WIDE, **named)


def test_another_process_finds_the_same(koi_svg):
    here, there = propose(koi_svg, WIDE), apart_of(koi_svg)
    assert there.coverage.outlines == here.coverage.outlines
    assert (there.findings, there.colours, there.read_as) == (here.findings, here.colours, here.read_as)


def test_its_sentences_and_its_progress_arrive(koi_svg):
    heard = []
    apart_of(koi_svg, progress=lambda share, words: heard.append((share, words)))
    assert "reading the file" in [words for _, words in heard]
    assert heard[-1][0] > 0.5
    with pytest.raises(BadDrawing, match="no drawing that can be read"):
        apart_of(b"Dear workshop")


def test_what_takes_too_long_is_ended():
    begun = time.monotonic()
    with pytest.raises(BadDrawing, match=r"not read within 0 minutes"):
        apart_of(ENDLESS, limits=Limits(seconds=2))
    assert time.monotonic() - begun < 60
    assert not multiprocessing.active_children()


def test_what_asks_for_too_much_memory_ends_in_a_sentence():
    _, png = cv2.imencode(".png", np.full((6000, 6000, 3), 200, np.uint8))
    with pytest.raises(BadDrawing, match=r"more memory than is given to one: up to 0\.1 GB"):
        apart_of(png.tobytes(), limits=Limits(memory=100_000_000))


def test_a_stop_ends_it_while_it_says_nothing():
    def stop(share: float, words: str) -> None:
        if words == "drawing it":
            raise Cancelled("Stopped.")

    with pytest.raises(Cancelled):
        apart_of(ENDLESS, progress=stop)
    assert not multiprocessing.active_children()


def dies(*asked, **named):
    os.kill(os.getpid(), 9)


def breaks(*asked, **named):
    raise AssertionError("an inner rule")


@pytest.mark.parametrize(("how", "words"), [(dies, "ended by itself"), (breaks, "broke the reading")])
def test_a_process_that_dies_or_breaks_is_told(monkeypatch, how, words):
    monkeypatch.setattr(apart, "propose", how)
    with pytest.raises(BadDrawing, match=words) as told:
        apart_of(b"", at_once=True)
    if how is breaks:
        assert "an inner rule" in str(told.value.__cause__)
