"""From a drawing's bytes to accepted pieces."""

import shutil
import subprocess
import sys

import cv2
import numpy as np
import pytest
import shapely
import skimage.data
from skimage.color import deltaE_ciede2000, rgb2lab

from bench.conftest import median_ms, tell
from bench.judge import labels_of
from emberquilt.intake.knobs import Knobs
from emberquilt.intake.propose import propose
from emberquilt.units import Length
from tests.conftest import cells
from tests.core.test_intake_picture import png
from tests.core.truth import compare, drawn, truth
from workshop.compositions import actions, tasks
from workshop.compositions.models import Draft
from workshop.entry.person import local_person
from workshop.longwork.doing import do
from workshop.shop.actions import practice_of


def line_svg(count: int) -> bytes:
    coverage = cells(count, 1, 900, 600)
    lines = shapely.get_parts(
        shapely.line_merge(shapely.union_all([o.exterior for o in coverage.outlines], grid_size=0.001))
    )
    paths = "".join(
        "<path d='M" + "L".join(f"{x:.3f} {y:.3f}" for x, y in line.segmentize(5).coords) + "'/>" for line in lines
    )
    return (
        f"<svg xmlns='http://www.w3.org/2000/svg' width='900mm' height='600mm' viewBox='0 0 900 600'>{paths}</svg>"
    ).encode()


@pytest.mark.django_db
@pytest.mark.parametrize("count", [60, 500, 2000])
def test_svg_to_accepted_pieces(count):
    data, person = line_svg(count), local_person()

    def accept():
        draft = Draft.objects.create(
            owner=person, name="x", file_name="x.svg", data=data, knobs={"how": "width", "size": "900 mm"}, turn=1
        )
        do(tasks.PIECES, draft.pk, 1)
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


@pytest.mark.parametrize("name", ["coffee", "astronaut", "chelsea", "rocket"])
def test_photos_in_tones(name):
    """scikit-image's sample photos by tones, as they come: how near the pieces in their tones are to the photo."""
    rgb = getattr(skimage.data, name)()
    found = propose(cv2.imencode(".png", rgb[..., ::-1])[1].tobytes(), Length(300), Knobs(kind="photo"))
    label = labels_of(found, rgb.shape)
    colours = np.zeros((len(found.coverage) + 1, 3), np.uint8)
    for key, code in found.colours.items():
        colours[key] = [int(code[i : i + 2], 16) for i in (1, 3, 5)]
    far = deltaE_ciede2000(rgb2lab(rgb), rgb2lab(colours[label]))[label > 0].mean()
    tell(f"photo {name} in {len(found.coverage)} pieces", f"{far:.2f} mean CIEDE2000")


SIZES = [(1.5, 60), (6, 60), (6, 500), (24, 500), (24, 5000)]


@pytest.mark.parametrize(("megapixels", "count"), SIZES)
def test_picture_to_pieces(megapixels, count, tmp_path):
    """Line art beside potrace on the same picture in the same run, with its accuracy against the truth it was drawn
    from."""
    real = truth(count, 1)
    per_mm = (megapixels * 1e6 / (300 * 200)) ** 0.5
    ink_px = max(3.0, min(5.0, 40 * (megapixels / count) ** 0.5))
    picture = drawn(real, per_mm, ink_px)
    data = png(picture)
    runs = 3 if megapixels < 20 else 1
    time_ms = median_ms(lambda: propose(data, Length(300), Knobs(kind="line")), runs, 1)
    found = propose(data, Length(300), Knobs(kind="line"))
    off = compare(found.coverage, real, per_mm, ink_px)
    place = tmp_path / "drawing.png"
    place.write_bytes(data)
    done = subprocess.run(
        [sys.executable, "-m", "bench.intake_peak", place], capture_output=True, text=True, check=True
    )
    peak, above = map(int, done.stdout.split())
    words = f"{megapixels:g} MP, {count} regions ({found.faces} found)"
    tell(
        f"line picture, {words}",
        f"{time_ms / 1000:.2f} s, {peak} MB",
        "target <= 5 s, 600 MB" if (megapixels, count) == (6, 500) else "",
    )
    tell("  above the base", f"{above / picture.size:.0f} bytes a pixel", "target <= 40 at 24 MP")
    tell("  recovered with an overlap over 0.9", f"{off['recovered']:.2%}", "target >= 99 %")
    tell(
        "  off the truth, away from nodes and at them (p95)",
        f"{off['p95']:.2f} and {off['nodes_p95']:.2f} px",
        "targets 0.3 and 1",
    )
    if shutil.which("potrace"):
        flat = tmp_path / "drawing.pgm"
        cv2.imwrite(str(flat), picture)
        theirs = median_ms(
            lambda: subprocess.run(["potrace", "-s", "-o", tmp_path / "out.svg", flat], check=True), runs, 1
        )
        tell(
            "  times potrace's time on the same picture",
            f"{time_ms / theirs:.1f} ({theirs / 1000:.2f} s)",
            "target <= 10",
        )
