"""A DXF drawing, read by ezdxf, as lines in mm."""

import io
from itertools import islice

import ezdxf
import ezdxf.path
import numpy as np
from ezdxf import recover, units
from ezdxf.disassemble import recursive_decompose
from ezdxf.math import Matrix44

from ..errors import BadDrawing
from .svg_source import GREATEST, MOST_BYTES, MOST_POINTS, LineSource

FLAT_SHARE = 1 / 20_000
FROM_ABOVE = Matrix44.scale(1, 1, 0)
MOST_ENTITIES = 60_000
DAMAGED = "This DXF file is damaged and cannot be read."
NO_LINES = "This DXF holds no lines. Draw the seams as lines, arcs or polylines."


def read_dxf(data: bytes) -> LineSource:
    """Lines, arcs, polylines, ellipses, splines and hatch borders of the model, blocks taken apart, layers that are off
    or frozen left out. Raises `BadDrawing`."""
    if len(data) > MOST_BYTES:
        raise BadDrawing(f"This file is {len(data) / 1e6:.0f} MB; up to {MOST_BYTES / 1e6:.0f} MB can be read.")
    try:
        document, _ = recover.read(io.BytesIO(data))
    except MemoryError:
        raise
    except Exception as problem:  # the reader raises whatever it meets, failed assertions too
        raise BadDrawing(DAMAGED) from problem
    hidden = {layer.dxf.name.lower() for layer in document.layers if layer.is_off() or layer.is_frozen()}
    try:
        paths, left_out = _paths(document, hidden)
    except (BadDrawing, MemoryError):
        raise
    except RecursionError:
        raise BadDrawing("The blocks in this DXF hold each other without end.") from None
    except Exception as problem:
        raise BadDrawing(DAMAGED) from problem
    if not paths:
        raise BadDrawing(NO_LINES)
    corners = np.array([[v.x, v.y] for path in paths for v in path.control_vertices()])
    span = float(np.ptp(corners, axis=0).max()) or 1.0
    lines, points = [], 0
    for path in paths:
        # as seen from above: heights would only make the flattening finer
        seen = path.transform(FROM_ABOVE).flattening(span * FLAT_SHARE)
        xy = np.array([[v.x, -v.y] for v in islice(seen, MOST_POINTS + 1)])
        points += len(xy)
        if points > MOST_POINTS:
            raise BadDrawing(f"This drawing has more than {MOST_POINTS:,} points. Simplify it and bring it again.")
        if len(xy) > 1 and np.isfinite(xy).all():
            lines.append(xy)
    if not lines:
        raise BadDrawing(NO_LINES)
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
    corners = np.array([[v.x, v.y, v.z] for v in path.control_vertices()])
    return bool((np.abs(corners[:, :2]) < GREATEST).all() and np.isfinite(corners).all())


def _unit_mm(document) -> float | None:
    """What one unit of the drawing measures, None where the file does not say."""
    try:
        unit = units.InsertUnits(document.units or 0)
    except ValueError:
        return None
    return (
        None
        if unit == units.InsertUnits.Unitless
        else float(units.conversion_factor(unit, units.InsertUnits.Millimeters))
    )
