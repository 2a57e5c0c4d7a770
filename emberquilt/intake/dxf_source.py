"""A DXF drawing, read by ezdxf, as lines in mm."""

import io

import ezdxf
import ezdxf.path
import numpy as np
from ezdxf import recover, units
from ezdxf.disassemble import recursive_decompose
from ezdxf.lldxf.const import DXFError

from ..errors import BadDrawing
from .svg_source import MOST_BYTES, MOST_POINTS, LineSource

FLAT_SHARE = 1 / 20_000
MOST_ENTITIES = 60_000
GREATEST = 1e9
"""No corner of a drawing lies farther out, in its units; what is not a number does not either."""


def read_dxf(data: bytes) -> LineSource:
    """Lines, arcs, polylines, ellipses, splines and hatch borders of the model, blocks taken apart, layers that are off
    or frozen left out. Raises `BadDrawing`."""
    if len(data) > MOST_BYTES:
        raise BadDrawing(f"This file is {len(data) / 1e6:.0f} MB; up to {MOST_BYTES / 1e6:.0f} MB can be read.")
    try:
        document, _ = recover.read(io.BytesIO(data))
    except (DXFError, OSError, ValueError, TypeError, KeyError, IndexError, AttributeError, UnicodeError) as problem:
        raise BadDrawing("This DXF file is damaged and cannot be read.") from problem
    hidden = {layer.dxf.name.lower() for layer in document.layers if layer.is_off() or layer.is_frozen()}
    try:
        paths, left_out = _paths(document, hidden)
    except RecursionError:
        raise BadDrawing("The blocks in this DXF hold each other without end.") from None
    if not paths:
        raise BadDrawing("This DXF holds no lines. Draw the seams as lines, arcs or polylines.")
    corners = np.array([[v.x, v.y] for path in paths for v in path.control_vertices()])
    span = float(np.ptp(corners, axis=0).max()) or 1.0
    lines, points = [], 0
    for path in paths:
        xy = np.array([[v.x, -v.y] for v in path.flattening(span * FLAT_SHARE)])
        points += len(xy)
        if points > MOST_POINTS:
            raise BadDrawing(f"This drawing has more than {MOST_POINTS:,} points. Simplify it and bring it again.")
        if len(xy) > 1 and np.isfinite(xy).all():
            lines.append(xy)
    every = np.concatenate(lines)
    (left, top), (right, bottom) = every.min(axis=0), every.max(axis=0)
    return LineSource(lines, (left, top, right - left, bottom - top), left_out, _unit_mm(document))


def _paths(document, hidden: set[str]) -> tuple[list, tuple[str, ...]]:
    paths, others, nowhere = [], 0, 0
    for count, entity in enumerate(recursive_decompose(document.modelspace())):
        if count > MOST_ENTITIES:
            raise BadDrawing(f"This DXF has more than {MOST_ENTITIES:,} entities; bring a simpler drawing.")
        if entity.dxf.get("layer", "0").lower() in hidden or entity.dxf.get("invisible", 0):
            continue
        if entity.dxftype() == "HATCH":
            own = list(ezdxf.path.from_hatch(entity))  # type: ignore[arg-type]
        else:
            try:
                own = [p for p in ezdxf.path.make_path(entity).sub_paths() if len(p)]
            except TypeError:
                others += entity.dxftype() not in ("POINT", "ATTDEF", "VIEWPORT")
                continue
            except (ValueError, ArithmeticError, np.linalg.LinAlgError):
                nowhere += 1
                continue
        placed = [p for p in own if _is_placed(p)]
        nowhere += len(own) - len(placed)
        paths += placed
    told = ((others, "thing", "that are no lines"), (nowhere, "line", "without a place"))
    return paths, tuple(f"{n} {word}{'' if n == 1 else 's'} {what}" for n, word, what in told if n)


def _is_placed(path) -> bool:
    """Whether every corner of a path is a place within what a drawing can span."""
    corners = np.array([[v.x, v.y] for v in path.control_vertices()])
    return bool((np.abs(corners) < GREATEST).all())


def _unit_mm(document) -> float | None:
    """What one unit of the drawing measures, None where the file does not say."""
    unit = units.InsertUnits(document.units or 0)
    return (
        None
        if unit == units.InsertUnits.Unitless
        else float(units.conversion_factor(unit, units.InsertUnits.Millimeters))
    )
