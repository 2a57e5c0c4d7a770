"""Pools as bodies of resin: what each fills, from what is below it up to how deep it is poured."""

from collections.abc import Iterable
from dataclasses import dataclass, field

import shapely

from .composition import Layer, Piece
from .lowered import Pool
from .parts import Job, Part, PartId

RESIN_KG_M3 = 1100.0
"""Density of mixed resin: common practice, no source."""


@dataclass(frozen=True)
class Fill:
    """The resin of one pool: the layer and the piece that it fills, its colour, its outline without what stands in it,
    the lowest rim round it and its floor (mm from the very back), how deep it is, and the pieces that stand in it."""

    layer: Layer
    piece: Piece
    colour: str
    outline: shapely.Geometry = field(repr=False)
    rim_mm: float
    floor_mm: float
    deep_mm: float
    floaters: tuple[int, ...]

    @property
    def area_mm2(self) -> float:
        return float(self.outline.area)


def fills_of(job: Job) -> tuple[Fill, ...]:
    """Pools whose piece is there, as an opening or a lowered field, in the order in which they were said."""
    return job.once("fills", lambda: tuple(_fills(job)))


def resin_of(job: Job) -> tuple[Part, ...]:
    """The resin of one copy as parts that one sees and weighs, and that come from no stock."""
    return tuple(
        Part(
            PartId("resin", piece=one.piece.key),
            one.piece.number,
            f"resin in {one.piece.number}",
            one.outline,
            one.colour,
            one.deep_mm,
            one.floor_mm,
        )
        for one in fills_of(job)
        if one.area_mm2 > 0 and one.deep_mm > 0
    )


def _fills(job: Job) -> Iterable[Fill]:
    for key, pool in job.composition.decisions.fields.pools.items():
        piece, layer = job.composition.by_key.get(key), job.composition.home.get(key)
        if piece is not None and layer is not None and (piece.opening or layer.kind == "routed"):
            yield _fill(job, layer, piece, pool)


def _fill(job: Job, layer: Layer, piece: Piece, pool: Pool) -> Fill:
    outline = layer.coverage.by_key[piece.key]
    floaters = tuple(_floaters(job, layer, piece))
    if floaters:
        outline = shapely.difference(outline, shapely.union_all([job.pieces[key].outline for key in floaters]))
    beside = [key for key in layer.coverage.neighbours[piece.key] if key in job.pieces]
    rim = min((job.standing.top_mm(key) for key in beside), default=0.0)
    if piece.opening:
        # from the lowest rim down to what is below
        own = [job.thickness_mm[key] for key in beside] or [layer.thickness_mm or job.composition.practice.stock_mm]
        whole = min(own)
        floor = rim - whole
    else:
        whole = job.composition.decisions.fields.depths.get(piece.key, 0.0)
        floor = job.pieces[piece.key].top_mm
    deep = min(pool.deep_mm, whole) if pool.deep_mm else whole
    return Fill(layer, piece, pool.colour, outline, rim, round(floor, 6), deep, floaters)


def _floaters(job: Job, layer: Layer, piece: Piece) -> Iterable[int]:
    """Pieces of layers in front that stand in a pool on what is below it."""
    outline = layer.coverage.by_key[piece.key]
    within = outline.buffer(0.05)
    for one in job.composition.layers:
        for p in one.without_openings.pieces:
            if one is not layer and within.covers(job.pieces[p.key].outline):
                yield p.key
    for ring in outline.interiors:
        hole = shapely.Polygon(ring)
        yield from (
            k for k in layer.coverage.neighbours[piece.key] if k in job.pieces and hole.covers(layer.coverage.by_key[k])
        )
