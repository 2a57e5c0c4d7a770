"""Cutting, joining, laying in and taking away pieces of a coverage, so that it stays one."""

from collections.abc import Callable, Iterable, Sequence

import numpy as np
import shapely

from ..constants import GRID_MM
from ..errors import BadChoice
from .coverage import Coverage
from .knit import Reshape, arranged, run_on
from .linework import home_of


def split(coverage: Coverage, keys: Iterable[int], line: np.ndarray, snap_mm: float = 1.0) -> Reshape:
    """Cut pieces along a line, points in mm, shape (n, 2). Its ends run on to the next border; a closed line cuts out
    what it encloses. With no keys it cuts whatever it crosses. Raises `BadChoice` when nothing is parted."""
    cut = shapely.LineString(line)
    if not cut.is_valid or cut.length < 10 * GRID_MM:
        raise BadChoice("This line is too short to cut along. Draw it from border to border.")
    under = set(keys) or {k for k, o in coverage.by_key.items() if o.intersects(cut)}
    if not under:
        raise BadChoice("This line crosses no piece. Draw it over the picture.")
    if len(line) > 2 and np.hypot(*(line[0] - line[-1])) <= snap_mm:
        cut = shapely.LineString(np.r_[line[:-1], line[:1]])
    else:
        cut = run_on(coverage, under, cut, snap_mm)
    region = shapely.coverage_union_all(np.array([coverage.by_key[k] for k in under]))
    made = arranged(coverage, under, shapely.intersection(cut, region))
    if not made.born:
        raise BadChoice("This line parts no piece: draw it right across, from border to border.")
    return made


def join(coverage: Coverage, keys: Sequence[int]) -> Reshape:
    """Several pieces as one, under the key of the largest. Raises `BadChoice` when they do not hang together."""
    if len(keys) < 2:
        raise BadChoice("Choose two pieces or more to join.")
    whole = shapely.coverage_union_all(np.array([coverage.by_key[k] for k in keys]))
    if whole.geom_type != "Polygon" or not whole.is_valid:
        raise BadChoice("These pieces do not all share a seam with each other, so they cannot become one.")
    into = max(keys, key=lambda k: (coverage.area_mm2[k], -k))
    return Reshape({into: whole}, (), tuple(k for k in keys if k != into))


def imprint(coverage: Coverage, shapes: Sequence[shapely.Polygon]) -> Reshape:
    """Lay shapes into the coverage: they take their place, what lay there gives way, what lies outside is added."""
    over = shapely.union_all(np.array(shapes))
    under = {k for k, o in coverage.by_key.items() if o.intersects(over)}
    return arranged(coverage, under, shapely.MultiLineString(), on_top=shapes)


def surround(coverage: Coverage, outline: shapely.Polygon) -> Reshape:
    """Fill what the outline holds and no piece covers."""
    under = set(coverage.keys)
    return arranged(coverage, under, shapely.MultiLineString(), below=[outline])


def drop(coverage: Coverage, keys: Sequence[int]) -> Reshape:
    """Take pieces at the outer border away. Raises `BadChoice` for one that lies inside: that is an opening."""
    outer = shapely.boundary(coverage.without_gaps)
    for key in keys:
        if shapely.intersection(coverage.by_key[key], outer).length <= GRID_MM and len(coverage) > len(keys):
            raise BadChoice("A piece inside the picture cannot be dropped: cut it out as an opening instead.")
    if len(keys) >= len(coverage):
        raise BadChoice("Nothing would be left of this layer.")
    return Reshape(gone=tuple(keys))


def small_joins(
    coverage: Coverage, small: Callable[[int], bool], colour_apart: Callable[[int, int], float]
) -> list[tuple[int, int]]:
    """Which small piece would go into which neighbour, smallest first: the longest seam, the nearest colour among
    seams that are nearly as long. Pairs (small, into); a piece may take several in turn."""
    pairs = []
    home: dict[int, int] = {}
    for key in sorted((k for k in coverage.keys if small(k)), key=lambda k: coverage.area_mm2[k]):
        seams = coverage.neighbours[key]
        if not seams:
            continue
        longest = max(s.length_mm for s in seams.values())
        near = [k for k, s in seams.items() if s.length_mm >= 0.75 * longest and home_of(home, k) != key]
        if near:
            into = min(near, key=lambda k: (colour_apart(key, k), -seams[k].length_mm, k))
            home[key] = into
            pairs.append((key, into))
    return pairs


def joined(coverage: Coverage, pairs: Sequence[tuple[int, int]]) -> Reshape:
    """The reshape that makes these joins (small, into) come true."""
    home = dict(pairs)
    groups: dict[int, list[int]] = {}
    for small, _ in pairs:
        groups.setdefault(home_of(home, small), []).append(small)
    changed = {}
    gone: list[int] = []
    for into, several in groups.items():
        whole = shapely.coverage_union_all(np.array([coverage.by_key[k] for k in (into, *several)]))
        if whole.geom_type == "Polygon" and whole.is_valid:
            changed[into] = whole
            gone += several
    return Reshape(changed, (), tuple(gone))
