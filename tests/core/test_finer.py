"""Pieces parted by the tones that are seen in them, or by those of a photo laid over them: bands of known width."""

import json

import cv2
import numpy as np
import pytest

from emberquilt.cli import main
from emberquilt.errors import BadChoice, BadDrawing
from emberquilt.intake.knobs import Knobs, Size, knobs_of
from emberquilt.intake.propose import propose
from tests.core.test_intake_svg import svg

BANDS = svg(
    '<defs><linearGradient id="g"><stop offset="0" stop-color="#221100"/><stop offset="1" stop-color="#ffeecc"/>'
    '</linearGradient></defs><rect x="0" y="0" width="90" height="60" fill="url(#g)"/>'
    '<rect x="90" y="0" width="60" height="60" fill="#3a6a4a"/>',
    'viewBox="0 0 150 60" width="150mm" height="60mm"',
)
"""A field that runs from dark to light, and a plain one beside it."""
IN_THE_FIELD, IN_THE_PLAIN = (0.3, 0.5), (0.8, 0.5)


def read(**knobs):
    over = knobs.pop("over", b"")
    return propose(BANDS, Size("width", 300.0), Knobs(**knobs), over=over)


def png(rgb: np.ndarray) -> bytes:
    return cv2.imencode(".png", rgb[..., ::-1])[1].tobytes()


def steps(shares, size=(200, 400)) -> bytes:
    """A grey photo in steps from left to right, each so wide a share of it."""
    edges = np.cumsum([0, *shares]) * size[1]
    column = np.searchsorted(edges, np.arange(size[1]) + 0.5) - 1
    grey = np.linspace(30, 230, len(shares))[column].astype(np.uint8)
    return png(np.dstack([np.tile(grey, (size[0], 1))] * 3))


def test_a_piece_is_parted_by_its_tones():
    whole = read()
    assert len(whole.coverage) == 2
    made = read(finer=(IN_THE_FIELD,), finer_tones=3)
    assert len(made.coverage) == 4
    assert made.is_valid
    bands = sorted(((o.bounds, made.colours[k]) for k, o in made.coverage.by_key.items()))[:3]
    assert [b[2] - b[0] for b, _ in bands] == pytest.approx([60, 60, 60], abs=12)
    light = [sum(int(c[i : i + 2], 16) for i in (1, 3, 5)) for _, c in bands]
    assert light == sorted(light)
    # the field beside it stays as it was
    assert "#3a6a4a" in made.colours.values()
    assert sum(made.coverage.area_mm2.values()) == pytest.approx(sum(whole.coverage.area_mm2.values()), rel=1e-6)


def test_a_piece_without_tones_stays_and_it_is_said():
    made = read(finer=(IN_THE_PLAIN,))
    assert len(made.coverage) == 2
    (told,) = [f for f in made.findings if f.code == "one-tone"]
    assert told.amount == 1
    assert "photo over it" in told.sentence


def test_a_photo_over_a_piece_parts_it():
    made = read(finer=(IN_THE_PLAIN,), finer_tones=3, over=steps([0.5, 0.25, 0.25], (400, 400)))
    assert len(made.coverage) == 4
    parts = sorted(o.bounds for o in made.coverage.outlines if o.bounds[0] > 179)
    assert [round(b[2] - b[0]) for b in parts] == pytest.approx([60, 30, 30], abs=2)


def test_a_photo_of_another_shape_covers_the_piece_middle_on_middle():
    """Twice as wide as the piece is: only its middle half lies on it."""
    made = read(finer=(IN_THE_PLAIN,), finer_tones=2, over=steps([0.5, 0.5], (200, 400)))
    parts = sorted(o.bounds for o in made.coverage.outlines if o.bounds[0] > 179)
    assert [round(b[2] - b[0]) for b in parts] == pytest.approx([60, 60], abs=2)


def test_parts_that_are_too_narrow_go_into_another():
    made = read(finer=(IN_THE_PLAIN,), finer_tones=3, smallest_mm=10.0, over=steps([0.5, 0.03, 0.47], (400, 400)))
    assert len(made.coverage) == 3
    assert min(2 * s.radius_mm for s in made.coverage.spots.values()) >= 10


def test_what_can_be_no_place_or_no_photo():
    with pytest.raises(BadChoice):
        knobs_of({"finer": "[[9, 9]]"}, "mm")
    with pytest.raises(BadDrawing):
        read(finer=(IN_THE_PLAIN,), over=b"no picture")
    outside = read(finer=((1.9, 1.9),))
    assert len(outside.coverage) == 2


def test_a_picture_is_made_finer_by_the_command_before_it_is_simplified(tmp_path, capsys):
    place, photo = tmp_path / "bands.svg", tmp_path / "photo.png"
    place.write_bytes(BANDS)
    photo.write_bytes(steps([0.5, 0.5], (400, 400)))
    command = ["pieces", str(place), "--width", "300mm", "--finer", json.dumps([IN_THE_PLAIN]), "--finer-tones", "2"]
    assert main([*command, "--over", str(photo)]) == 0
    assert len(json.loads(capsys.readouterr().out)["pieces"]) == 3
    assert main([*command, "--over", str(photo), "--simplify", "2"]) == 0
    assert len(json.loads(capsys.readouterr().out)["pieces"]) == 2
