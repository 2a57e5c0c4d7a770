"""Files in which something is wrong: each is read, or refused in a sentence. Thousands of each kind are read by hand
with tools/figures/mutants.py; here are some of each, and those that once were no sentence."""

import io

import cv2
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image

from emberquilt.errors import BadDrawing, BadProject, EmberError
from emberquilt.formats.project import read_planned
from emberquilt.practice import Practice
from tests.mutants import KINDS, mutant
from tests.nasty import project_file, sound_document
from tests.reading import read

SOME = {"svg": 4, "pdf": 6, "picture": 12, "jpeg": 20}
ONCE_BROKE = {
    "svg": (0, 17, 285, 310, 368, 1487),
    "dxf": (1019, 2402, 3127, 3520, 9417),
    "stl": (233, 314),
    "obj": (6874,),
    "jpeg": (3432, 6846),
    "picture": (4622, 5490),
}


def ends_well(kind: str, data: bytes) -> None:
    said = "."
    try:
        read(kind, data)
    except EmberError as refused:
        said = str(refused)
    assert said.endswith(".")


@pytest.mark.parametrize("kind", KINDS)
def test_what_is_torn_or_changed_ends_well(kind):
    @settings(max_examples=SOME.get(kind, 60), deadline=None, suppress_health_check=list(HealthCheck), derandomize=True)
    @given(st.integers(10_000, 10**9))
    def held(number):
        ends_well(kind, mutant(kind, number))

    held()


@pytest.mark.parametrize(("kind", "number"), [(kind, n) for kind, some in ONCE_BROKE.items() for n in some])
def test_what_once_broke_ends_well(kind, number):
    ends_well(kind, mutant(kind, number))


def test_a_root_of_another_namespace_is_no_svg():
    for head in ("xmlns='urn:of-something-else'", "xmlns:a='urn:x'"):
        name = "svg" if head.startswith("xmlns=") else "a:svg"
        with pytest.raises(BadDrawing, match="not an SVG"):
            read("svg", f"<{name} {head}><path d='M0 0H9V9H0Z'/></{name}>".encode())


@pytest.mark.parametrize("number", ["NaN", "1e308", "-1e308", "1e400", "inf"])
@pytest.mark.parametrize(
    "path",
    ["M0 0 L{} 5 L9 9 Z", "M0 0 C{} 0 9 9 5 5 Z", "M0 0 A{} 3 0 0 1 9 9 Z", "M0 0 A5 3 {} 0 1 9 9 Z", "M{} 0 H9 V9 Z"],
)
def test_numbers_that_are_none_in_a_path(path, number):
    lines = "<path d='M0 0H90V60H0Z M45 0V60' fill='none' stroke='#000'/>"
    odd = f"<path d='{path.format(number)}' fill='none' stroke='#000'/>"
    ends_well("svg", f"<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 90 60'>{lines}{odd}</svg>".encode())


def test_a_strip_is_no_picture():
    buffer = io.BytesIO()
    Image.new("L", (24, 1_600_000), 255).save(buffer, "PNG")
    with pytest.raises(BadDrawing, match=r"24 × 1,600,000 pixels, a strip"):
        read("png", buffer.getvalue())


@pytest.mark.parametrize("seed", range(6))
def test_noise_ends_well(seed):
    """Of every coarseness, as JPEG and as PNG."""
    dice = np.random.default_rng(seed)
    small = dice.integers(0, 256, (30 + 9 * seed, 40, 3 if seed % 2 else 1), np.uint8)
    noise = cv2.resize(small, (160, 120), interpolation=cv2.INTER_NEAREST if seed % 3 else cv2.INTER_CUBIC)
    for kind, name in (("png", ".png"), ("jpeg", ".jpg")):
        ends_well(kind, cv2.imencode(name, noise)[1].tobytes())


def test_a_unit_that_is_a_list():
    with pytest.raises(BadProject):
        read_planned(project_file(sound_document(), ("practice", "unit"), '["mm"]'))
    with pytest.raises(EmberError):
        Practice.from_dict({"unit": ["mm"]})
