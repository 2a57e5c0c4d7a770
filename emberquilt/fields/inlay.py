"""A figure of fitted pieces that lies in a ground: a panel whose hole it fills, both flat on a foundation."""

from dataclasses import dataclass

import shapely

from ..work.composition import Layer, Piece
from ..work.parts import Job

GROUND = "background"
"""What a piece is called that runs round a figure."""
ROUND_IT = 0.98
"""So much of a figure's border its ground holds: a picture that only reaches a side board lies in none."""


@dataclass(frozen=True)
class Ground:
    """A ground: its layer, its piece, and the figure's pieces in it; `border_mm` how long the line is along which both
    meet, `gap_mm` how far it opens."""

    layer: Layer
    piece: Piece
    figure: tuple[int, ...]
    border_mm: float
    gap_mm: float


def grounds_of(job: Job, kerf_mm: float) -> list[Ground]:
    """Every figure that lies in a ground of its layer; `kerf_mm` of the blade that saws both."""
    found = []
    for layer in job.composition.layers:
        if layer.kind != "mosaic":
            continue
        coverage = layer.without_openings.coverage
        for piece in layer.without_openings.pieces:
            if piece.part != GROUND or len(coverage) < 2:
                continue
            figure = tuple(p.key for p in layer.without_openings.pieces if p.part != GROUND)
            if not figure:
                continue
            outside = shapely.union_all([coverage.by_key[key] for key in figure])
            held = sum(seam.length_mm for key, seam in coverage.neighbours[piece.key].items() if key in figure)
            others = [p for p in layer.without_openings.pieces if p.part == GROUND and p is not piece]
            held += sum(
                seam.length_mm
                for other in others
                for key, seam in coverage.neighbours[other.key].items()
                if key in figure
            )
            border = shapely.union_all([shapely.Polygon(g.exterior) for g in shapely.get_parts(outside)]).length
            if border and held >= ROUND_IT * border:
                gap = max(0.0, job.composition.practice.joint_mm(kerf_mm))
                found.append(Ground(layer, piece, figure, held, gap))
                break
    return found
