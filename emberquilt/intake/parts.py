"""Which pixels hang together: parts of masks and of label pictures.

Label pictures are told apart by their runs along the rows, which are few: it takes a quarter of the memory that going
from pixel to pixel takes.
"""

import cv2
import numpy as np
from scipy import sparse
from scipy.sparse import csgraph


def mask_parts(mask: np.ndarray, connectivity: int) -> tuple[int, np.ndarray, np.ndarray]:
    """Connected parts of a mask: how many, with what is none of them; int32 labels from 0; their areas in pixels."""
    count, part, stats, _ = cv2.connectedComponentsWithStats(
        mask.astype(np.uint8), connectivity=connectivity, ltype=cv2.CV_32S
    )
    return count, part, stats[:, cv2.CC_STAT_AREA]


def alike_parts(label: np.ndarray, nothing: int | None = 0) -> tuple[np.ndarray, int]:
    """Parts of one label each whose pixels share an edge: int32 from 1 in the order of the picture, 0 where the label
    is `nothing`; and how many."""
    run, first, home = _joined(label[:, 1:] == label[:, :-1], label[1:] == label[:-1])
    count = int(home.max()) + 1
    kept = np.ones(count, bool)
    if nothing is not None:
        kept[home[label.ravel()[first] == nothing]] = False
    number = np.where(kept, np.cumsum(kept), 0).astype(np.int32)
    return taken(number[home], run), int(kept.sum())


def linked_parts(across: np.ndarray, down: np.ndarray) -> np.ndarray:
    """Labels from 0, int32, of pixels that are linked: `across` (rows, columns - 1) with the next in their row, `down`
    (rows - 1, columns) with the one below."""
    run, _, home = _joined(across, down)
    return taken(home, run)


def taken(values: np.ndarray, label: np.ndarray) -> np.ndarray:
    """The value of each pixel's label, some rows at a time: an index of all of them would take eight bytes a pixel."""
    made = np.empty(label.shape, values.dtype)
    for top in range(0, len(label), 256):
        made[top : top + 256] = values[label[top : top + 256]]
    return made


def _joined(across: np.ndarray, down: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """The run of each pixel; where in the flat picture each run begins; and by run its part, both from 0."""
    start = np.ones((across.shape[0], down.shape[1]), bool)
    np.logical_not(across, out=start[:, 1:])
    run = np.cumsum(start.ravel(), dtype=np.int32).reshape(start.shape)
    run -= 1
    # a pair of runs is linked at many places: it is enough to look where one of them, or the link, begins
    begins = down & (start[:-1] | start[1:])
    begins[:, 1:] |= down[:, 1:] & ~down[:, :-1]
    above, under = run[:-1][begins], run[1:][begins]
    many = int(run[-1, -1]) + 1
    graph = sparse.coo_matrix((np.ones(len(above), bool), (above, under)), shape=(many, many))
    _, home = csgraph.connected_components(graph, directed=False)
    return run, np.flatnonzero(start), home.astype(np.int32)
