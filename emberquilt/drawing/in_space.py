"""What the turntable is told of parts that stand in space: where, which way they come off, and how a body in slices
looks once its steps are sanded away."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..solid.compound import surface_of
from ..solid.freeing import WAYS
from ..solid.mesh import FRAMES, unpacked
from ..solid.parted import coarser, parted
from ..space.block import Compound, compounds_of
from ..space.order import together_of
from ..space.slices import to_height
from ..work.in_space import Body
from ..work.parts import Job
from ..work.poses import Pose, poses_of

STEP_APART = 0.35
"""Parts that come off one after another are drawn apart by this share of the whole."""


@dataclass(frozen=True)
class Stood:
    """How parts of one copy stand, by piece: the pose, and where each goes when the work is lifted apart, in shares of
    `apart_mm`. `box` width, height and depth of the whole, `middle` its middle in space."""

    poses: Mapping[int, Pose]
    lifts: Mapping[int, tuple[float, float, float]]
    box: tuple[float, float, float]
    middle: tuple[float, float, float]
    apart_mm: float

    def told(self) -> dict[str, Any]:
        return {"box": _short(self.box), "middle": _short(self.middle), "apart": round(self.apart_mm, 3)}


def stood(job: Job) -> Stood | None:
    """Nothing where every part lies flat."""
    poses, blocks = poses_of(job), [(one, at) for one, at in _blocks(job) if len(one.whole)]
    if not poses and not blocks:
        return None
    boxes = [_corners(job, key, pose) for key, pose in poses.items()]
    boxes += [_upright(one.whole.bounds, at) for one, at in blocks]
    corners = np.concatenate(boxes)
    low, high = corners.min(axis=0), corners.max(axis=0)
    size, middle = high - low, (low + high) / 2
    lifts: dict[int, tuple[float, float, float]] = {}
    for layer in job.composition.layers:
        if layer.kind == "kit":
            lifts |= _lifts(job, layer)
    wide, deep, tall = (float(v) for v in size)
    return Stood(poses, lifts, (wide, tall, deep), (float(middle[0]), float(middle[1]), float(middle[2])), max(size))


def _blocks(job: Job) -> list[tuple[Compound, float]]:
    """Blocks, and how far to the right each stands."""
    found, at = [], 0.0
    for one in compounds_of(job):
        found.append((one, at))
        at += 1.3 * one.block.wide_mm
    return found


def _upright(points: np.ndarray, at: float) -> np.ndarray:
    """Of a block's x, height and z towards the eye, as the work's space has it."""
    return np.stack([points[..., 0] + at, -points[..., 2], points[..., 1]], axis=-1)


def fragments(job: Job) -> tuple[list[dict[str, Any]], bytes]:
    """The parts of blocks, whole, with the way each comes out: what the head says of each, and their triangles, nine
    numbers of four bytes each, in space."""
    heads: list[dict[str, Any]] = []
    data: list[bytes] = []
    for one, at in _blocks(job):
        for n, part in enumerate(one.in_order):
            turn = part.freed.turn or one.turns + 1
            x, y, z = WAYS.get(part.freed.way, (0.0, 0.0, 0.0))
            far = 0.5 + 0.25 * (one.turns - turn)
            last = turn >= one.turns and n == len(one.fragments) - 1
            lift = (0.0, 0.0, 0.0) if last else (x * far, -z * far, y * far)
            triangles = _upright(surface_of(part.boxes), at)
            piece = job.pieces[part.front]
            heads.append(
                {
                    "key": piece.key,
                    "piece": part.front,
                    "name": part.name,
                    "wood": piece.material,
                    "grain": round(piece.grain_deg, 1),
                    "triangles": len(triangles),
                    "order": 1 + one.turns - turn + 1,
                    "lift": list(lift),
                    "tone": TONES[n % len(TONES)],
                }
            )
            data.append(triangles.astype("<f4").tobytes())
    return heads, b"".join(data)


TONES = (1.0, 0.84, 1.12, 0.92, 1.05)
"""Parts of one wood beside each other are told apart by how light they are drawn."""


def _corners(job: Job, key: int, pose: Pose) -> np.ndarray:
    part = job.pieces[key]
    x0, y0, x1, y1 = part.outline.bounds
    xy = np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)])
    return np.concatenate([pose.at(xy, 0.0), pose.at(xy, part.thickness_mm)])


def _lifts(job: Job, layer) -> dict[int, tuple[float, float, float]]:
    """Against the way in which each goes in, farther than what it goes onto."""
    body = job.composition.decisions.space.body_of(layer.key)
    lifts: dict[int, tuple[float, float, float]] = {}
    if body is not None:
        normal = FRAMES[body.along][2]
        for one in body.slices:
            share = (one.level + 0.5) / max(body.count, 1) - 0.5
            lifts[one.piece] = tuple(float(v) for v in normal * share * 1.6)  # type: ignore[assignment]
        return lifts
    for going in together_of(job, layer).order:
        here = np.array(lifts.get(going.touches[0], (0.0, 0.0, 0.0)) if going.touches else (0.0, 0.0, 0.0))
        x, y, z = (here - np.array(going.way) * STEP_APART).tolist()
        lifts[going.key] = (x, y, z)
    return lifts


def sanded(job: Job) -> tuple[list[dict[str, Any]], bytes]:
    """The bodies without their steps, a share for each slice: what the head says of each, and their triangles, nine
    numbers of four bytes each, in space."""
    heads: list[dict[str, Any]] = []
    data: list[bytes] = []
    space = job.composition.decisions.space
    for body in space.bodies:
        text = job.composition.decisions.meshes.meshes.get(body.layer)
        if text:
            for level, triangles in enumerate(_shares(text, body)):
                key = next((s.piece for s in body.slices if s.level == level and s.piece in job.pieces), 0)
                if not key or not len(triangles):
                    continue
                part = job.pieces[key]
                heads.append(
                    {
                        "key": part.key,
                        "piece": key,
                        "wood": part.material,
                        "grain": round(part.grain_deg, 1),
                        "triangles": len(triangles),
                    }
                )
                data.append((triangles + _foot(job, body)).astype("<f4").tobytes())
    return heads, b"".join(data)


def _shares(text: str, body: Body) -> Sequence[np.ndarray]:
    mesh = coarser(to_height(unpacked(text), body.height_mm))
    turned = mesh.turned(body.along)
    low, high = turned.bounds
    middle = (low + high) / 2
    turned = type(mesh)(turned.points - middle, turned.faces)
    edges = (np.arange(body.count + 1) - body.count / 2) * body.thickness_mm
    frame = FRAMES[body.along]
    return [share @ frame for share in parted(turned, edges.tolist())]


def _foot(job: Job, body: Body) -> np.ndarray:
    """Where the body's own middle stands."""
    one = next(s for s in body.slices if s.piece in job.pieces)
    pose = poses_of(job)[one.piece]
    at = pose.at(np.array([[one.x_mm, one.y_mm]]), 0.0)[0]
    return at + pose.turn[:, 2] * (body.count / 2 - one.level) * body.thickness_mm


def _short(values: Sequence[float]) -> list[float]:
    return [round(v, 3) for v in values]
