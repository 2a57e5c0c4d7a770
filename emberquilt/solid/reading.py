"""Bodies from files: STL (in bytes or in words), OBJ, 3MF. What comes out is closed and the right side out, or there is
a sentence."""

import io
import re
import zipfile
from dataclasses import dataclass

import numpy as np
from defusedxml.ElementTree import fromstring
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ..errors import BadDrawing
from .mesh import Mesh

MOST_TRIANGLES = 2_000_000
MOST_BYTES = 200_000_000
UNITS_MM = {"micron": 0.001, "millimeter": 1.0, "centimeter": 10.0, "inch": 25.4, "foot": 304.8, "meter": 1000.0}
"""Names of a 3MF's units, as its core specification has them."""
FLAT = 0.002
"""A body of less than this share of its longest side in any direction is flat."""
MOST_OPEN = 0.05
"""Closing holes may add this share to the surface."""
TOGETHER = 1e-6
"""Corners nearer than this share of the size are one."""


@dataclass(frozen=True)
class Found:
    """A body as it stands in a file: `unit_mm` what one of its units measures, 0 where the file does not say; `mended`
    sentences of what was put right."""

    mesh: Mesh
    unit_mm: float = 0.0
    mended: tuple[str, ...] = ()


ENCLOSES_NOTHING = "This surface encloses nothing. Bring a closed body."


def is_body(data: bytes) -> bool:
    """Whether these bytes look like a file of a body."""
    head = data[:512].lstrip()
    if head.startswith(b"solid") and b"facet" in data[:4096]:
        return True
    if data[:2] == b"PK":
        try:
            with zipfile.ZipFile(io.BytesIO(data)) as archive:
                return any(name.lower().endswith(".model") for name in archive.namelist())
        except (zipfile.BadZipFile, ValueError, OSError):
            return False
    if len(data) >= 84 and len(data) == 84 + 50 * int.from_bytes(data[80:84], "little"):
        return True
    lines = data[:20000].splitlines()
    return any(line.startswith(b"v ") for line in lines) and b"\nf " in data


def read_body(data: bytes) -> Found:
    """The body in a file. Raises `BadDrawing` with one sentence."""
    if len(data) > MOST_BYTES:
        raise BadDrawing(f"This file has more than {MOST_BYTES // 1_000_000} MB. Bring a body of fewer triangles.")
    try:
        corners, faces, unit = _read(data)
    except BadDrawing:
        raise
    except Exception as problem:
        raise BadDrawing("The body in this file cannot be read: it is damaged, or no STL, OBJ or 3MF.") from problem
    return checked(corners, faces, unit)


def _read(data: bytes) -> tuple[np.ndarray, np.ndarray, float]:
    if data[:2] == b"PK":
        return _read_3mf(data)
    if len(data) >= 84:
        count = int.from_bytes(data[80:84], "little")
        # words hold no zero bytes
        if len(data) == 84 + 50 * count or b"\0" in data[:512]:
            return _read_stl_bytes(data, count)
    if data.lstrip().startswith(b"solid"):
        return _read_stl_words(data)
    return _read_obj(data)


def _enough(count: int) -> None:
    if count > MOST_TRIANGLES:
        raise BadDrawing(
            f"This body has {count:,} triangles; up to {MOST_TRIANGLES:,} are read. Simplify it where it was made: "
            "a slice of wood shows none of that."
        )


def _read_stl_bytes(data: bytes, count: int) -> tuple[np.ndarray, np.ndarray, float]:
    _enough(count)
    if len(data) < 84 + 50 * count:
        raise BadDrawing("This STL ends too early: it was cut off on its way.")
    kind = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("more", "<u2")])
    corners = np.frombuffer(data, kind, count, 84)["corners"].astype(float)
    return corners.reshape(-1, 3), np.arange(3 * count).reshape(-1, 3), 0.0


def _read_stl_words(data: bytes) -> tuple[np.ndarray, np.ndarray, float]:
    _enough(data.count(b"endfacet"))
    corners = _numbers(b"".join(re.findall(rb"(?i)\bvertex((?:\s+[-+.\deE]+){3})", data)))
    return corners, np.arange(len(corners) // 3 * 3).reshape(-1, 3), 0.0


def _read_obj(data: bytes) -> tuple[np.ndarray, np.ndarray, float]:
    _enough(data.count(b"\nf "))
    points = 0
    faces: list[tuple[int, int, int]] = []
    for line in data.splitlines():
        if line.startswith(b"v "):
            points += 1
        elif line.startswith(b"f "):
            own = [int(word.split(b"/")[0]) for word in line.split()[1:]]
            # numbers count from 1, or backwards from the last one read
            own = [i - 1 if i > 0 else points + i for i in own]
            faces += [(own[0], own[i], own[i + 1]) for i in range(1, len(own) - 1)]
    if not faces:
        raise BadDrawing("This file holds no faces. Bring an STL, an OBJ or a 3MF of a closed body.")
    rows = b"".join(re.findall(rb"(?m)^v((?:[ \t]+[-+.\deE]+){3})", data))
    return _numbers(rows), np.array(faces), 0.0


def _numbers(text: bytes) -> np.ndarray:
    """Corners from three numbers each."""
    return np.array(text.split(), dtype="S32").astype(float).reshape(-1, 3)


def _read_3mf(data: bytes) -> tuple[np.ndarray, np.ndarray, float]:
    """All objects that are to be built, where their file places them."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        name = next((one for one in archive.namelist() if one.lower().endswith(".model")), None)
        if name is None:
            raise BadDrawing("This ZIP holds no body.")
        if archive.getinfo(name).file_size > MOST_BYTES:
            raise BadDrawing(f"The body in this file unpacks to more than {MOST_BYTES // 1_000_000} MB.")
        root = fromstring(archive.read(name))
    space = root.tag.partition("}")[0] + "}" if root.tag.startswith("{") else ""
    known = {}
    for one in root.iter(f"{space}object"):
        rows = [[float(v.get(axis, "0")) for axis in "xyz"] for v in one.iter(f"{space}vertex")]
        own = [[int(t.get(f"v{i}", "0")) for i in (1, 2, 3)] for t in one.iter(f"{space}triangle")]
        parts = [(c.get("objectid", ""), _moved_by(c.get("transform"))) for c in one.iter(f"{space}component")]
        known[one.get("id", "")] = (np.array(rows, float).reshape(-1, 3), np.array(own, int).reshape(-1, 3), parts)
    points, faces = list[np.ndarray](), list[np.ndarray]()

    def build(which: str, move: np.ndarray, deep: int) -> None:
        if which not in known or deep > 8:
            return
        rows, own, parts = known[which]
        faces.append(own + sum(len(p) for p in points))
        points.append(rows @ move[:3] + move[3])
        _enough(sum(len(f) for f in faces))
        for inner, turn in parts:
            moved = np.vstack([turn[:3] @ move[:3], turn[3] @ move[:3] + move[3]])
            build(inner, moved, deep + 1)

    items = [(i.get("objectid", ""), _moved_by(i.get("transform"))) for i in root.iter(f"{space}item")]
    for which, move in items or [(which, _moved_by(None)) for which in known]:
        build(which, move, 0)
    if not points:
        raise BadDrawing("This 3MF holds no body.")
    return np.vstack(points), np.vstack(faces), UNITS_MM.get(root.get("unit", "millimeter"), 1.0)


def _moved_by(text: str | None) -> np.ndarray:
    """A 3MF's transform: four rows of three."""
    rows = np.array([float(word) for word in (text or "1 0 0 0 1 0 0 0 1 0 0 0").split()])
    return rows.reshape(4, 3)


def checked(corners: np.ndarray, faces: np.ndarray, unit_mm: float = 0.0) -> Found:
    """A closed body the right side out, with what had to be mended. Raises `BadDrawing`."""
    if not len(faces) or not np.isfinite(corners).all():
        raise BadDrawing("There is no body in this file: it holds no triangles, or numbers that are none.")
    if faces.min() < 0 or faces.max() >= len(corners):
        raise BadDrawing("A triangle in this file has a corner that is not there: the file is damaged.")
    size = np.ptp(corners[np.unique(faces)], axis=0)
    if not size.max() > 0 or size.min() < FLAT * size.max():
        raise BadDrawing("This body is flat: it has no thickness in one direction. Bring it as a drawing instead.")
    points, faces = _joined(corners, faces, TOGETHER * float(size.max()))
    if not len(faces):
        raise BadDrawing(ENCLOSES_NOTHING)
    mended = []
    faces, turned = _one_way_round(faces)
    if turned:
        mended.append(f"{turned:,} triangles were inside out and have been turned.")
    points, faces, holes, widest = _closed(points, faces)
    if holes:
        share = 100 * widest / float(size.max())
        s = "s" if holes > 1 else ""
        mended.append(f"{holes} hole{s} in the surface closed flat, the widest {share:.0f} % of the body's length.")
    mesh = Mesh(points, faces)
    if mesh.volume_mm3 < 0:
        mesh = Mesh(points, faces[:, ::-1].copy())
        mended.append("The whole surface was inside out and has been turned.")
    if mesh.volume_mm3 < 1e-6 * float(np.prod(size)):
        raise BadDrawing(ENCLOSES_NOTHING)
    return Found(mesh, unit_mm, tuple(mended))


def _joined(corners: np.ndarray, faces: np.ndarray, near: float) -> tuple[np.ndarray, np.ndarray]:
    """Corners that lie in one place are one, and triangles without an area are gone."""
    grid = ((corners - corners.min(axis=0)) / near).round().astype(np.int64)
    # three numbers of up to 2^21 in one
    as_one = (grid[:, 0] << 42) + (grid[:, 1] << 21) + grid[:, 2]
    _, first, home = np.unique(as_one, return_index=True, return_inverse=True)
    made = home.ravel()[faces]
    whole = (made[:, 0] != made[:, 1]) & (made[:, 1] != made[:, 2]) & (made[:, 2] != made[:, 0])
    return corners[first], made[whole]


def _edges(faces: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """For each side of each triangle (3m) a number of its edge, the same both ways, and whether it runs upwards."""
    a = faces.ravel()
    b = np.roll(faces, -1, axis=1).ravel()
    pair = np.minimum(a, b).astype(np.int64) * (int(faces.max()) + 1) + np.maximum(a, b)
    _, edge = np.unique(pair, return_inverse=True)
    return edge.ravel(), a < b


def _one_way_round(faces: np.ndarray) -> tuple[np.ndarray, int]:
    """Triangles that meet at an edge run it opposite ways; of each connected surface the fewer are turned."""
    edge, up = _edges(faces)
    order = np.argsort(edge, kind="stable")
    own = edge[order]
    # edges of exactly two triangles say whether those agree
    first = np.flatnonzero(np.r_[True, own[1:] != own[:-1]])
    count = np.diff(np.r_[first, len(own)])
    pairs = first[count == 2]
    one, other = order[pairs], order[pairs + 1]
    clash = up[one] == up[other]
    if not clash.any():
        return faces, 0
    m = len(faces)
    # two nodes a triangle, as it is and turned: what agrees is joined
    a, b = one // 3, other // 3
    flip = np.where(clash, m, 0)
    rows = np.r_[a, a + m]
    columns = np.r_[b + flip, b + m - flip]
    graph = coo_matrix((np.ones(len(rows)), (rows, columns)), shape=(2 * m, 2 * m))
    _, label = connected_components(graph, directed=False)
    size = np.bincount(label[:m], minlength=int(label.max()) + 1)
    turned = size[label[:m]] < size[label[m:]]
    # a surface that cannot be turned one way (its two nodes hang together) stays
    made = faces.copy()
    made[turned] = made[turned][:, ::-1]
    return made, int(turned.sum())


def _closed(points: np.ndarray, faces: np.ndarray) -> tuple[np.ndarray, np.ndarray, int, float]:
    """Holes closed from their middle; how many there were, and how wide the widest. Raises `BadDrawing` where they are
    too large to be faults."""
    edge, _ = _edges(faces)
    count = np.bincount(edge)
    lone = np.flatnonzero(count[edge] % 2 == 1)
    if not len(lone):
        return points, faces, 0, 0.0
    start = faces.ravel()[lone]
    end = np.roll(faces, -1, axis=1).ravel()[lone]
    # a hole's border runs against the triangles beside it
    follows: dict[int, list[int]] = {}
    for a, b in zip(end.tolist(), start.tolist(), strict=True):
        follows.setdefault(a, []).append(b)
    more, centres, widest = list[tuple[int, int, int]](), list[np.ndarray](), 0.0
    holes = 0
    while follows:
        first = next(iter(follows))
        loop, here = [first], first
        while here in follows:
            here_next = follows[here].pop()
            if not follows[here]:
                del follows[here]
            here = here_next
            if here == first:
                break
            loop.append(here)
        if here != first or len(loop) < 3:
            raise BadDrawing(
                "The surface of this body is torn: its open edges do not close. Mend it where it was made."
            )
        ring = points[loop]
        middle = len(points) + len(centres)
        centres.append(ring.mean(axis=0))
        more += [(loop[i], loop[(i + 1) % len(loop)], middle) for i in range(len(loop))]
        widest = max(widest, float(np.linalg.norm(np.ptp(ring, axis=0))))
        holes += 1
    made_points = np.vstack([points, *centres])
    made = np.vstack([faces, np.array(more)])
    before, after = Mesh(points, faces).area_mm2, Mesh(made_points, made).area_mm2
    if after - before > MOST_OPEN * before:
        raise BadDrawing(
            f"This surface is open: closing its holes would add more than {MOST_OPEN:.0%} to it. Bring a closed body."
        )
    return made_points, made, holes, widest
