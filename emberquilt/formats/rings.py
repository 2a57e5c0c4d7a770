"""Outlines as lists of rings."""

import shapely


def rings_of(outline: shapely.Geometry) -> list[list[list[float]]]:
    """The outline of every body, each followed by its holes: points in mm to a thousandth, the first not repeated."""
    return [
        shapely.get_coordinates(ring)[:-1].round(3).tolist()
        for body in shapely.get_parts(outline)
        for ring in (body.exterior, *body.interiors)
    ]
