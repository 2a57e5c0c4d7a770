"""From a drawing's bytes to accepted pieces."""

import subprocess
import sys

import pytest
import shapely

from bench.conftest import median_ms, tell
from emberquilt.pattern.intake import propose
from emberquilt.units import Length
from tests.conftest import cells
from tests.core.test_intake_picture import draw, png
from workshop.compositions import actions, tasks
from workshop.compositions.models import Draft
from workshop.entry.middleware import local_person
from workshop.shop.actions import practice_of


def line_svg(count: int) -> bytes:
    coverage = cells(count, 1, 900, 600)
    lines = shapely.get_parts(
        shapely.line_merge(shapely.union_all([o.exterior for o in coverage.outlines], grid_size=0.001))
    )
    paths = "".join(
        "<path d='M" + "L".join(f"{x:.3f} {y:.3f}" for x, y in line.segmentize(5).coords) + "'/>" for line in lines
    )
    return f"<svg xmlns='http://www.w3.org/2000/svg' width='900mm' height='600mm' viewBox='0 0 900 600'>{paths}</svg>".encode()


@pytest.mark.django_db
@pytest.mark.parametrize("count", [60, 500, 2000])
def test_svg_to_accepted_pieces(count):
    data, person = line_svg(count), local_person()

    def accept():
        draft = Draft.objects.create(
            owner=person, name="x", file_name="x.svg", data=data, knobs={"how": "width", "size": "900 mm"}, turn=1
        )
        tasks.find_pieces.call(draft.pk, 1)
        draft.refresh_from_db()
        row = actions.accept_draft(draft, "x", practice_of(person))
        assert row.pieces.count() == pytest.approx(count, abs=2)

    time_ms = median_ms(accept, 3)
    tell(
        f"line SVG of {count} faces to accepted pieces",
        f"{time_ms:.0f} ms",
        "target <= 2 s at 500",
        ("line SVG", count, time_ms),
    )


@pytest.mark.parametrize(("megapixels", "count"), [(1.5, 60), (6, 60), (6, 500), (24, 500)])
def test_picture_to_pieces(megapixels, count, tmp_path):
    coverage = cells(count, 1)
    per_mm = (megapixels * 1e6 / (300 * 200)) ** 0.5
    data = png(draw(coverage, per_mm, 7))
    time_ms = median_ms(lambda: propose(data, Length(300)), 3, 1)
    place = tmp_path / "drawing.png"
    place.write_bytes(data)
    code = (
        "import re,sys;from pathlib import Path;from emberquilt.pattern.intake import propose;from emberquilt.units import Length;"
        "found=propose(Path(sys.argv[1]).read_bytes(),Length(300));"
        # not getrusage: its peak is inherited from the process that forked this one
        "print(found.faces, int(re.search(r'VmHWM:\\s*(\\d+)', Path('/proc/self/status').read_text())[1])//1024)"
    )
    done = subprocess.run([sys.executable, "-c", code, place], capture_output=True, text=True, check=True)
    faces, peak = done.stdout.split()
    target = "target <= 5 s, 600 MB" if (megapixels, count) == (6, 500) else ""
    tell(
        f"line picture, {megapixels:g} MP, {count} regions ({faces} found)",
        f"{time_ms / 1000:.2f} s, {peak} MB",
        target,
    )
