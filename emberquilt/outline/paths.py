"""Geometry as SVG path data."""

import shapely


def path_of(geometry: shapely.Geometry, decimals: int = 2) -> str:
    """Path data of polygons and lines, absolute coordinates, y downwards; rings are closed."""
    parts = []
    for part in shapely.get_parts(geometry):
        if part.geom_type == "Polygon":
            parts += [_ring(ring, decimals, True) for ring in (part.exterior, *part.interiors)]
        elif not part.is_empty:
            parts.append(_ring(part, decimals, False))
    return "".join(parts)


def _ring(ring, decimals: int, closed: bool) -> str:
    points = shapely.get_coordinates(ring)[: -1 if closed else None].round(decimals).tolist()
    return "M" + "L".join(f"{x!r} {y!r}" for x, y in points) + ("Z" if closed else "")
