"""From the tones or parts of one layer to a stack of sheets, each reaching under the next."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from ..constants import GRID_MM
from ..outline.coverage import Coverage, on_grid
from ..outline.linework import noded

LEAST_MM2 = 1.0


@dataclass(frozen=True)
class SheetFaces:
    """One sheet of a stack: solid faces and openings, matched as a coverage, and the group that is seen of it."""

    group: str
    solid: tuple[shapely.Polygon, ...]
    openings: tuple[shapely.Polygon, ...]


def stack(coverage: Coverage, group_of: Mapping[int, str], order: Sequence[str], reach_mm: float) -> list[SheetFaces]:
    """Sheets from back to front for groups of pieces in that order.

    A sheet holds its own group and runs on under every group in front of it. Where it is farther than `reach_mm` from
    any border that has to be glued, it is cut away (a reach of 0 leaves it whole). The rearmost sheet is never cut.
    """
    regions = [
        shapely.coverage_union_all(np.array([coverage.by_key[k] for k in coverage.keys if group_of[k] in order[i:]]))
        for i in range(len(order))
    ]
    sheets = []
    for i, group in enumerate(order):
        solid = regions[i]
        if reach_mm > 0 and 0 < i < len(order) - 1:
            solid = shapely.difference(solid, _hollow(regions[i + 1 :], reach_mm), grid_size=GRID_MM)
        sheets.append(sheet_faces(group, solid))
    return sheets


def _hollow(above: Sequence[shapely.Geometry], reach_mm: float) -> shapely.Geometry:
    """What lies farther than the reach from every border of the sheets above; crumbs are not worth a pilot hole."""
    borders = shapely.union_all(np.array([shapely.boundary(region) for region in above]))
    deep = shapely.difference(above[0], shapely.buffer(borders, reach_mm))
    worth = [p for p in shapely.get_parts(deep) if not shapely.is_empty(shapely.buffer(p, -reach_mm))]
    return shapely.union_all(np.array(worth)) if worth else shapely.Polygon()


def sheet_faces(group: str, solid: shapely.Geometry) -> SheetFaces:
    """A region as faces that share their borders: what is wood, and the openings that it encloses."""
    parts = [p for p in shapely.get_parts(solid) if p.geom_type == "Polygon" and p.area > LEAST_MM2]
    lines = [ring for p in parts for ring in (p.exterior, *p.interiors)]
    faces = on_grid(shapely.get_parts(shapely.polygonize(shapely.get_parts(noded(np.array(lines))))))
    whole = shapely.union_all(np.array(parts))
    shapely.prepare(whole)
    wood: list[shapely.Polygon] = []
    air: list[shapely.Polygon] = []
    for face in faces:
        if face.area > LEAST_MM2:
            (wood if whole.contains(face.representative_point()) else air).append(shapely.normalize(face))
    return SheetFaces(group, tuple(wood), tuple(air))
