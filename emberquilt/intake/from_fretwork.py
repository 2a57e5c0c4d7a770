"""Fretwork from a photo: two tones, and all that stays hangs together, by bridges where they cost the picture least."""

from dataclasses import replace

import cv2
import numpy as np
import shapely
from scipy import sparse
from scipy.sparse import csgraph
from skimage import measure

from ..errors import BadDrawing
from ..findings import Finding
from ..outline import arcs
from . import raster_source
from .finish import Intake, finish
from .knobs import Point
from .proposal import Proposal, ReadAs

SIDE, MOST_LARGER = 1600, 4.0
PATH_SIDE = 420
"""Bridges are looked for in a picture of this size."""
SMALLEST_MM = 3.0
"""What is smaller is neither sawn out nor left standing, unless said otherwise."""
TONE_COST = 8.0
"""A bridge through the lightest opening costs so many times the one through what is nearly as dark as the wood."""
APART = 0.3
"""A second bridge stands off the first by this share of what it holds."""
MOST_PARTS = 3000


def from_fretwork(picture: raster_source.Picture, work: Intake, words: str = "") -> Proposal:
    """One sheet with openings. Raises `BadDrawing`."""
    knobs = work.knobs
    work.progress(0.1, "telling two tones apart")
    # small pictures are looked at larger, so that a bridge is as wide as asked and not a pixel more
    shrink = min(SIDE / max(picture.grey.shape), MOST_LARGER)
    grey = _sized(picture.grey, shrink)
    height, width = grey.shape
    unit_mm = None if picture.pixel_mm is None else picture.pixel_mm / shrink
    page = (float(width), float(height))
    pixel_mm = work.size.mm_per_unit(page, page, unit_mm)
    smallest_px = (knobs.smallest_mm or SMALLEST_MM) / pixel_mm
    soft = cv2.GaussianBlur(grey, (0, 0), (0.8 + 0.5 * knobs.smooth) * max(1.0, shrink))
    if knobs.stays == "light":
        soft = 255 - soft
    wood = _two_tones(soft, knobs.ink)
    frame = round(knobs.frame_mm / pixel_mm)
    if frame:
        wood[:frame], wood[-frame:], wood[:, :frame], wood[:, -frame:] = True, True, True, True
    bridge_px = max(2, round(knobs.bridge_mm / pixel_mm))
    canvas = wood.astype(np.uint8)
    for line in knobs.bridges:
        _draw(canvas, [(x * width, y * height) for x, y in line], bridge_px)
    wood = _without_crumbs(canvas > 0, smallest_px)
    work.progress(0.35, "bridging what would fall out")
    paths = bridges_between(wood, soft, knobs.bridge_count)
    canvas = wood.astype(np.uint8)
    for path in paths:
        _draw(canvas, path, bridge_px)
    wood = _without_crumbs(canvas > 0, smallest_px)
    label, solid, count = _faces(wood, framed=frame > 0)
    if not solid:
        raise BadDrawing("Nothing of this picture stays in one tone. Turn the ink darkness, or keep the other tone.")
    work.progress(0.65, "following the borders")
    outlines, _ = arcs.outlines_of(label, count, rounds=2 + 2 * knobs.smooth)
    left, top, right, bottom = shapely.total_bounds(np.array(outlines))
    pixel_mm = work.size.mm_per_unit((right - left, bottom - top), page, unit_mm)

    def mm(points) -> np.ndarray:
        return (np.asarray(points, float).reshape(-1, 2) - [left, top]) * pixel_mm

    placed = list(shapely.transform(np.array(outlines), mm))
    source = (-left * pixel_mm, -top * pixel_mm, width * pixel_mm, height * pixel_mm)
    middles = [mm(path[len(path) // 2])[0].tolist() for path in paths]
    findings = [_told(middles, solid, work)] if middles else []
    why = f"two tones, the {knobs.stays} one stays"
    if paths:
        why += f"; {len(paths)} bridge{'s hold' if len(paths) > 1 else ' holds'} it together"
    work = replace(work, knobs=replace(knobs, smallest_mm=0.0))
    traces = [("bridge", x, y) for x, y in middles]
    openings = set(range(solid, count))
    kind = words or "fretwork from a picture"
    colours = [_wood_colour(picture, wood)] * solid + [""] * (count - solid)
    return finish(placed, kind, source, findings, work, (), colours, traces, openings, read_as=ReadAs("fretwork", why))


def _told(middles: list, solid: int, work: Intake) -> Finding:
    count = len(middles)
    return Finding(
        "bridges",
        "pattern",
        f"{count} bridge{'s' if count > 1 else ''} of {work.say(work.knobs.bridge_mm)} hold{'' if count > 1 else 's'} "
        "what would fall out, where the picture misses least. Draw one where you want it: the one set by itself goes.",
        "All that stays must hang together.",
        point_mm=(round(middles[0][0], 2), round(middles[0][1], 2)),
        amount=count,
        limit=round(work.knobs.bridge_mm, 2),
        unit="mm",
    )


def _two_tones(soft: np.ndarray, darkness: int) -> np.ndarray:
    """What is dark, by Otsu's threshold."""
    if int(soft.max()) - int(soft.min()) < 30:
        raise BadDrawing("This picture has one tone only: there is nothing to saw out.")
    level, _ = cv2.threshold(soft, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    return soft <= np.clip(level + 6 * darkness, 1, 254)


def _without_crumbs(wood: np.ndarray, smallest_px: float) -> np.ndarray:
    """Openings that are too small are filled, then parts that are too small are sawn away; those that hold others
    together are not small."""
    across = max(1, round(smallest_px)) | 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (across, across))
    made = wood
    for stays in (False, True):
        own = made == stays
        count, part = cv2.connectedComponents(own.astype(np.uint8), connectivity=4, ltype=cv2.CV_32S)
        fits = cv2.erode(own.astype(np.uint8), disc, borderType=cv2.BORDER_REPLICATE) > 0
        kept = np.zeros(count, bool)
        kept[np.unique(part[fits])] = True
        made = np.where(own & ~kept[part], not stays, made)
    return made


def bridges_between(wood: np.ndarray, soft: np.ndarray, each: int) -> list[list[Point]]:
    """Paths in pixels along which parts of the wood are joined to one, at least cost: short, and through what is nearly
    as dark as the wood. `soft` grey, the wood dark; `each` how many bridges a part gets where it is large enough.

    Every opening pixel belongs to the part from which it is reached at least cost; the bridges are a minimum spanning
    tree of the parts over the pixels where their regions meet (Mehlhorn, A faster approximation algorithm for the
    Steiner problem in graphs, 1988). Raises `BadDrawing` for too many parts.
    """
    shrink = min(1.0, PATH_SIDE / max(wood.shape))
    size = (max(2, round(wood.shape[1] * shrink)), max(2, round(wood.shape[0] * shrink)))
    full, parts = measure.label(wood, connectivity=1, return_num=True)
    if parts < 2:
        return []
    if parts > MOST_PARTS:
        raise BadDrawing(
            f"What stays falls into {parts:,} parts: too many to bridge. Smooth it more, or make the smallest part "
            "larger."
        )
    # the labels themselves are shrunk, so that narrow gaps do not close
    label = cv2.resize(full.astype(np.float32), size, interpolation=cv2.INTER_NEAREST).astype(np.int32)
    light = cv2.resize(soft, size, interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    cost = np.where(label > 0, 0.01, 1 + TONE_COST * light)
    rows, columns = size[1], size[0]
    place = np.arange(rows * columns).reshape(rows, columns)
    heads, tails, weights = [], [], []
    for (a, b), long in (
        ((np.s_[:, :-1], np.s_[:, 1:]), 1.0),
        ((np.s_[:-1], np.s_[1:]), 1.0),
        ((np.s_[:-1, :-1], np.s_[1:, 1:]), 2**0.5),
        ((np.s_[:-1, 1:], np.s_[1:, :-1]), 2**0.5),
    ):
        heads.append(place[a].ravel())
        tails.append(place[b].ravel())
        weights.append((long * (cost[a] + cost[b]) / 2).ravel())
    u, v, w = np.concatenate(heads), np.concatenate(tails), np.concatenate(weights)
    graph = sparse.coo_matrix((w, (u, v)), shape=(place.size, place.size)).tocsr()
    starts = np.flatnonzero(label.ravel())
    far, before, source = csgraph.dijkstra(
        graph, directed=False, indices=starts, return_predecessors=True, min_only=True
    )
    home = label.ravel()[source]
    meets = home[u] != home[v]
    a, b = np.minimum(home[u], home[v])[meets], np.maximum(home[u], home[v])[meets]
    total, edge = (far[u] + far[v] + w)[meets], np.flatnonzero(meets)
    order = np.lexsort((total, b, a))
    a, b, total, edge = a[order], b[order], total[order], edge[order]
    first = np.r_[True, (a[1:] != a[:-1]) | (b[1:] != b[:-1])]
    links = sparse.coo_matrix((total[first], (a[first], b[first])), shape=(parts + 1, parts + 1)).tocsr()
    tree = csgraph.minimum_spanning_tree(links).tocoo()
    extent = np.sqrt(np.bincount(full.ravel(), minlength=parts + 1)) * shrink
    paths = []
    for i, j in sorted(zip(tree.row.tolist(), tree.col.tolist(), strict=True)):
        own = edge[(a == min(i, j)) & (b == max(i, j))]
        apart = max(3.0, APART * float(min(extent[i], extent[j])))
        chosen: list[np.ndarray] = []
        for e in own.tolist():
            at = np.array(divmod(int(u[e]), columns))
            if len(chosen) < each and all(np.hypot(*(at - other)) >= apart for other in chosen):
                chosen.append(at)
                paths.append(_path(e, u, v, before, columns, shrink))
    return paths


def _path(e: int, u, v, before, columns: int, shrink: float) -> list[Point]:
    """From the wood over a meeting place to the wood on the other side, in pixels of the large picture."""
    sides = []
    for end in (int(u[e]), int(v[e])):
        run = [end]
        while before[run[-1]] >= 0:
            run.append(int(before[run[-1]]))
        sides.append(run)
    steps = sides[0][::-1] + sides[1]
    xy = [((p % columns + 0.5) / shrink, (p // columns + 0.5) / shrink) for p in steps]
    line = shapely.simplify(shapely.LineString(xy), 1.5 / shrink) if len(xy) > 2 else shapely.LineString(xy)
    return [(float(x), float(y)) for x, y in shapely.get_coordinates(shapely.segmentize(line, 6 / shrink))]


def _wood_colour(picture: raster_source.Picture, wood: np.ndarray) -> str:
    """The mean of what stays."""
    rgb = picture.in_colour
    mean = cv2.resize(rgb, wood.shape[::-1], interpolation=cv2.INTER_AREA)[wood].mean(axis=0)
    return "#" + "".join(f"{round(v):02x}" for v in mean.tolist())


def _sized(pixels: np.ndarray, zoom: float) -> np.ndarray:
    size = (max(1, round(pixels.shape[1] * zoom)), max(1, round(pixels.shape[0] * zoom)))
    return cv2.resize(pixels, size, interpolation=cv2.INTER_AREA if zoom < 1 else cv2.INTER_CUBIC)


def _draw(canvas: np.ndarray, path: list[Point], wide_px: int) -> None:
    points = np.round((np.array(path) - 0.5) * 16).astype(np.int32)
    cv2.polylines(canvas, [points], False, 1, wide_px, cv2.LINE_8, 4)


def _faces(wood: np.ndarray, framed: bool) -> tuple[np.ndarray, int, int]:
    """Labels: first the parts that stay, then the openings; how many stay, and how many there are. Without a frame,
    what reaches the picture's edge is no opening but the outside, 0."""
    solid, label = cv2.connectedComponents(wood.astype(np.uint8), connectivity=4, ltype=cv2.CV_32S)
    holes, hole = cv2.connectedComponents((~wood).astype(np.uint8), connectivity=4, ltype=cv2.CV_32S)
    lut = np.zeros(holes, np.int32)
    inner = np.ones(holes, bool)
    inner[0] = False
    if not framed:
        inner[np.unique(np.concatenate([hole[0], hole[-1], hole[:, 0], hole[:, -1]]))] = False
    lut[inner] = np.arange(solid, solid + int(inner.sum()))
    return np.where(wood, label, lut[hole]).astype(np.int32), solid - 1, solid - 1 + int(inner.sum())
