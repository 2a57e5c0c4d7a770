"""Back end for machines and other drawing programs: DXF in true millimetres, one layer a layer of the work."""

import io
import re

import ezdxf
import shapely
from ezdxf import units
from ezdxf.layouts import Modelspace

from ..work.parts import Job
from ..work.scene import Shape, shapes_of
from .registration import registration_lines
from .svg import label_size_mm

COLOURS = (1, 5, 3, 6, 4, 30, 140, 210)
"""Colour numbers of the format, one layer after the other."""
DECIMALS = 3


def pattern_dxf(job: Job) -> bytes:
    """All parts of one copy as closed polylines, outlines and openings alike, y upwards as is usual there; each layer
    of the work is a layer with its numbers beside it; backers, shims and spacers, lines that part nothing and the
    registration marks have layers of their own."""
    composition = job.composition
    document = ezdxf.new("R2010", setup=False, units=units.MM)
    space = document.modelspace()
    high = composition.height_mm
    for role in ("backer", "shim", "spacer", "rail", "base"):
        parts = [part for part in job.of_one if part.role == role and not part.key.isdecimal()]
        if parts:
            document.layers.add(role.upper(), color=8)
            for part in parts:
                _outline(space, part.outline, high, role.upper())
    for i, layer in enumerate(composition.layers):
        name, colour = _name(i + 1, layer.name), COLOURS[i % len(COLOURS)]
        document.layers.add(name, color=colour)
        document.layers.add(f"{name}_NUMBERS", color=colour)
        for shape in shapes_of(layer.without_openings.coverage):
            _outline(space, layer.coverage.by_key[shape.key], high, name)
            _number(space, shape, str(layer.by_key[shape.key].number), high, f"{name}_NUMBERS")
    for how in sorted({detail.how for detail in composition.decisions.pattern.details}):
        document.layers.add(f"DETAILS_{how.upper()}", color=9)
    for detail in composition.decisions.pattern.details:
        points = [(x, round(high - y, DECIMALS)) for x, y in detail.line]
        space.add_lwpolyline(points, dxfattribs={"layer": f"DETAILS_{detail.how.upper()}"})
    document.layers.add("REGISTRATION", color=7)
    for (x0, y0), (x1, y1) in registration_lines(composition):
        space.add_line((x0, high - y0), (x1, high - y1), dxfattribs={"layer": "REGISTRATION"})
    stream = io.StringIO()
    document.write(stream)
    return stream.getvalue().encode("utf-8")


def _name(number: int, words: str) -> str:
    """A layer's name in letters that every reader takes."""
    plain = re.sub(r"[^A-Z0-9]+", "_", words.upper()).strip("_")
    return f"{number:02d}_{plain}"[:60].rstrip("_")


def _outline(space: Modelspace, outline: shapely.Geometry, high: float, layer: str) -> None:
    for part in shapely.get_parts(outline):
        for ring in (part.exterior, *part.interiors):
            points = [(round(x, DECIMALS), round(high - y, DECIMALS)) for x, y in shapely.get_coordinates(ring)[:-1]]
            space.add_lwpolyline(points, close=True, dxfattribs={"layer": layer})


def _number(space: Modelspace, shape: Shape, words: str, high: float, layer: str) -> None:
    size = label_size_mm(shape)
    text = space.add_text(words, height=size, dxfattribs={"layer": layer})
    text.set_placement((shape.spot.x_mm, high - shape.spot.y_mm), align=ezdxf.enums.TextEntityAlignment.MIDDLE_CENTER)
