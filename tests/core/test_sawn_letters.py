"""Letters made fit to be sawn, judged by what Shapely and OpenCV say of their outlines."""

import json

import pytest
import shapely

from emberquilt.cli import main
from emberquilt.intake.knobs import Knobs, Size
from emberquilt.intake.propose import propose
from emberquilt.outline.coverage import largest_circle


def words(text: str, **knobs):
    return propose(text.encode(), Size("width", 200.0), Knobs(kind="text", margin_mm=10.0, **knobs))


def solid(found) -> list:
    return [o for k, o in found.coverage.by_key.items() if k not in found.openings]


def told(found) -> str:
    return " ".join(f.sentence for f in found.findings if f.code == "small-letters")


def test_centres_and_dots_that_are_too_small_are_named():
    small = propose(b"Lantern in Tinder Lane", Size("width", 150.0), Knobs(kind="text"))
    said = told(small)
    assert "eyes of “a”, “e”" in said
    assert "dots of “i”" in said
    assert "dots" not in told(propose(b"Lantern in Tinder Lane", Size("width", 400.0), Knobs(kind="text")))
    letters = propose(b"Lantern in Tinder Lane", Size("width", 150.0), Knobs(kind="text", letters="letters"))
    assert "dots of “i”" in told(letters)
    large = propose(b"oi", Size("width", 600.0), Knobs(kind="text"))
    assert told(large) == ""


def test_the_size_that_is_named_is_large_enough():
    found = propose(b"reel", Size("width", 60.0), Knobs(kind="text", margin_mm=2.0))
    width = float(told(found).split("about ")[1].split(" ")[0])
    assert told(propose(b"reel", Size("width", 1.05 * width), Knobs(kind="text", margin_mm=2.0 * width / 60))) == ""


def test_tiny_eyes_are_closed():
    open_eyes = words("reel", letters="letters")
    closed = words("reel", letters="letters", eyes_mm=40.0)
    assert len(open_eyes.openings) == 2
    assert len(closed.openings) == 0
    assert len(solid(closed)) == 4
    half = words("oe", letters="letters", eyes_mm=12.0)
    assert 0 <= len(half.openings) <= len(words("oe", letters="letters").openings)


def test_dots_are_joined_to_their_letter():
    loose, joined = words("iij", letters="letters"), words("iij", letters="letters", dots="joined")
    assert len(solid(loose)) == 6
    assert len(solid(joined)) == 3
    assert joined.is_valid
    assert words("Ä!?", letters="letters", dots="joined").is_valid


@pytest.mark.parametrize("wide", [2.0, 5.0])
def test_strokes_are_widened_by_what_is_asked(wide):
    plain, wider = (
        words("l", letters="letters", font="fredoka"),
        words("l", letters="letters", font="fredoka", widen_mm=wide),
    )
    # of one height both have the stroke's width in proportion to it
    height = plain.height_mm / plain.width_mm
    across = 200.0 - wide
    assert wider.height_mm == pytest.approx(across * height + wide, rel=0.02)


@pytest.mark.parametrize("count", [1, 2, 3])
def test_centres_are_held_by_bridges(count):
    loose = words("Ogee")
    held = words("Ogee", hold="bridged", bridge_mm=3.0, bridge_count=count)
    centres = len(solid(loose)) - 1
    assert centres >= 4
    assert len(solid(held)) == 1
    assert held.is_valid
    bridges = sum(what == "bridge" for what, *_ in held.traces)
    # there is not always room for a third
    assert min(count, 2) * centres <= bridges <= count * centres
    # each is as wide as asked: the sheet falls apart when it is narrowed by more, and not by less
    (sheet,) = solid(held)
    for narrower, parts in ((2.7, 1), (3.3, centres + 1)):
        rest = shapely.get_parts(sheet.buffer(-narrower / 2, quad_segs=8))
        assert len([p for p in rest if p.area > 1]) == parts


def test_stencils_need_no_bridges():
    held = words("OABe", font="saira-stencil-one", hold="bridged")
    assert not any(what == "bridge" for what, *_ in held.traces)


def test_the_command_makes_letters_fit_to_saw(tmp_path, capsys):
    place = tmp_path / "words.txt"
    place.write_text("pie", encoding="utf-8")
    fit = ["--widen", "1mm", "--close-eyes", "30mm", "--dots", "joined", "--hold", "bridged", "--bridge", "3mm"]
    assert main(["pieces", str(place), "--kind", "text", "--width", "200mm", "--letters", "letters", *fit]) == 0
    made = json.loads(capsys.readouterr().out)
    assert len(made["pieces"]) == 3
    assert made["openings"] == []
    assert main(["pieces", str(place), "--kind", "text", "--width", "200mm", "--hold", "bridged"]) == 0
    made = json.loads(capsys.readouterr().out)
    assert sum(done["what"] == "bridge" for done in made["done"]) > 0


def test_an_eye_is_as_wide_as_the_largest_circle_in_it():
    found = words("o", letters="letters")
    (eye,) = (found.coverage.by_key[k] for k in found.openings)
    width = 2 * largest_circle(eye).radius_mm
    assert len(words("o", letters="letters", eyes_mm=width * 0.95).openings) == 1
    assert len(words("o", letters="letters", eyes_mm=width * 1.05).openings) == 0
