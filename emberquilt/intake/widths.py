"""No region of a label picture narrower than asked: what a disc of that width does not reach goes to its neighbours."""

from dataclasses import dataclass

import cv2
import numpy as np
from skimage import measure

from .ink import border_of
from .labels import grown
from .parts import alike_parts

ROUNDS = 8
TENDRIL = 0.5
"""What is narrower than this share of the width asked is no arm of a piece: it would break off at the saw."""
COMPACT = 3.0
"""What is left over is given away whole, to the neighbour of the nearest colour, when it is no longer than so many
times the width asked; what is longer runs past many regions and is shared by those it lies between."""


@dataclass(frozen=True)
class Wide:
    """`label` int32 from 1, connected regions, each somewhere as wide as asked; `count` of them; `home` by new label
    the old one it was; `lost`: the middles, x and y in pixels, of old regions of which nothing is left."""

    label: np.ndarray
    count: int
    home: np.ndarray
    lost: list[tuple[float, float]]


def widened(label: np.ndarray, width_px: float, colours: np.ndarray) -> Wide:
    """`label` int32 from 1 without gaps; `colours` (n + 1, 3) in CIELAB by label, of which the nearest is joined."""
    now, home = label, np.arange(len(colours))
    for _ in range(ROUNDS):
        kept = _reached(now, TENDRIL * width_px)
        if not kept.any():
            kept = now == np.bincount(now.ravel()).argmax()
        joined = _joined(now, width_px, colours[home]) if kept.all() else now
        if kept.all() and (joined == now).all():
            break
        if not kept.all():
            joined = _given_away(np.where(kept, now, 0), now, colours[home], width_px)
        now, home = _parts(joined, home)
    now, home = _parts(_joined(now, width_px, colours[home]), home)
    return Wide(now, len(home) - 1, home, _lost(label, now, home))


def _reached(label: np.ndarray, width_px: float) -> np.ndarray:
    """Pixels that a disc of the width reaches inside their own region; the picture's edge bounds nothing."""
    half = _half(label)
    core = half >= width_px / 2
    if not core.any():
        return core
    away, nearest = cv2.distanceTransformWithLabels(
        (~core).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    lut = np.zeros(int(nearest.max()) + 1, np.int32)
    lut[nearest[core]] = label[core]
    return (away <= width_px / 2 + 0.5) & (lut[nearest] == label)


def _half(label: np.ndarray) -> np.ndarray:
    """The distance of each pixel to the next region."""
    edge = border_of(label)
    edge[1:] |= (label[1:] != label[:-1]).astype(np.uint8)
    edge[:, 1:] |= (label[:, 1:] != label[:, :-1]).astype(np.uint8)
    return cv2.distanceTransform(1 - edge, cv2.DIST_L2, 5) + 0.5


def _given_away(kept: np.ndarray, before: np.ndarray, colours: np.ndarray, width_px: float) -> np.ndarray:
    """What is 0 in `kept`, given to regions beside it: whole where it is compact, else to the nearest."""
    near = grown(kept)
    part, count = alike_parts((kept == 0) * before)
    box = np.array([r.bbox for r in measure.regionprops(part)]).reshape(-1, 4)
    compact = np.r_[False, np.maximum(box[:, 2] - box[:, 0], box[:, 3] - box[:, 1]) <= COMPACT * width_px]
    own = np.zeros(count + 1, np.int64)
    own[part.ravel()] = before.ravel()
    best, into = np.full(count + 1, np.inf), np.zeros(count + 1, np.int32)
    for a, b in ((np.s_[:, :-1], np.s_[:, 1:]), (np.s_[:-1], np.s_[1:])):
        for one, other in ((a, b), (b, a)):
            touch = (part[one] > 0) & (kept[other] > 0)
            pairs = np.unique(np.stack([part[one][touch], kept[other][touch]], axis=1), axis=0)
            far = np.linalg.norm(colours[own[pairs[:, 0]]] - colours[pairs[:, 1]], axis=1)
            order = np.argsort(-far, kind="stable")
            pieces, to, far = pairs[order, 0], pairs[order, 1], far[order]
            better = far < best[pieces]
            best[pieces[better]], into[pieces[better]] = far[better], to[better]
    whole = compact & (into > 0)
    return np.where(whole[part], into[part], near)


def _parts(label: np.ndarray, home: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Connected regions numbered anew from 1, and by new label the home of the old."""
    part, count = alike_parts(label)
    old = np.zeros(count + 1, np.int64)
    old[part.ravel()] = label.ravel()
    return part, home[old]


def _joined(label: np.ndarray, width_px: float, colours: np.ndarray) -> np.ndarray:
    """Regions that are still nowhere so wide, joined to the neighbour of the nearest colour, the narrowest first."""
    count = len(colours) - 1
    for _ in range(ROUNDS):
        half = np.zeros(count + 1, np.float32)
        np.maximum.at(half, label.ravel(), _half(label).ravel())
        thin = (half < width_px / 2) & (half > 0)
        if not thin.any():
            break
        pairs = np.unique(
            np.concatenate(
                [
                    np.stack([x[x != y], y[x != y]], axis=1)
                    for p, q in ((label[:, :-1], label[:, 1:]), (label[:-1], label[1:]))
                    for x, y in ((p, q), (q, p))
                ]
            ),
            axis=0,
        )
        pairs = pairs[thin[pairs[:, 0]]]
        far = np.linalg.norm(colours[pairs[:, 0]] - colours[pairs[:, 1]], axis=1)
        into = np.arange(count + 1)
        taken = np.zeros(count + 1, bool)
        for i in np.lexsort((far, half[pairs[:, 0]])).tolist():
            a, b = pairs[i].tolist()
            if into[a] == a and not taken[a] and into[b] == b:
                into[a], taken[b] = b, True
        if (into == np.arange(count + 1)).all():
            break
        label = into[label].astype(np.int32)
    return label


def _lost(before: np.ndarray, now: np.ndarray, home: np.ndarray) -> list[tuple[float, float]]:
    flat = before.ravel()
    area = np.bincount(flat)
    left = np.bincount(flat[home[now.ravel()] == flat], minlength=len(area))
    gone = np.flatnonzero((area > 0) & (left < 0.1 * area))
    return middles_of(before, gone.tolist())


def middles_of(label: np.ndarray, wanted: list[int]) -> list[tuple[float, float]]:
    """Centres of gravity of some regions, x and y in pixels."""
    flat = label.ravel()
    count = np.bincount(flat)
    rows, columns = (np.bincount(flat, weights=at.ravel()) for at in np.indices(label.shape, np.float32))
    return [(float(columns[i] / count[i]) + 0.5, float(rows[i] / count[i]) + 0.5) for i in wanted]
