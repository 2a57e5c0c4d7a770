"""Where flat parts stand in space: slices on each other, parts in the slots of others.

A pose takes a place of the sheet (x, y, height over the part's back) to space: x to the right, y to the back, z up.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from math import radians

import numpy as np

from ..solid.mesh import FRAMES
from .in_space import Body, Joint
from .joints import joints_of, out_of
from .parts import Job


@dataclass(frozen=True)
class Pose:
    """`turn` (3, 3) of right, up and out of the sheet, then `shift` (3) in mm."""

    turn: np.ndarray
    shift: np.ndarray

    def at(self, xy: np.ndarray, z_mm: float) -> np.ndarray:
        """Places (n, 3) in space of places (n, 2) of the sheet at a height over the part's back."""
        own = np.c_[xy[:, 0], -xy[:, 1], np.full(len(xy), z_mm)]
        return own @ self.turn.T + self.shift

    @property
    def rows(self) -> list[float]:
        """Twelve numbers: the turn row by row, then the shift."""
        return [round(float(v), 5) for v in (*self.turn.ravel(), *self.shift)]


FLAT = np.eye(3)
UPRIGHT = np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]])
"""Right stays right, up the sheet becomes up, and its front looks at whoever stands before it."""


def poses_of(job: Job) -> Mapping[int, Pose]:
    """Of every piece of layers that are drawn side by side; worked out once for a job."""
    return job.once("poses", lambda: _poses(job))


def _poses(job: Job) -> dict[int, Pose]:
    space, made = job.composition.decisions.space, dict[int, Pose]()
    for body in space.bodies:
        made |= _stacked(job, body)
    kits = [layer for layer in job.composition.layers if layer.kind == "kit" and space.body_of(layer.key) is None]
    mine = {p.key for layer in kits for p in layer.without_openings.pieces}
    joints = [joint for _, joint in joints_of(job.composition) if joint.tab in mine and joint.slot in mine]
    made |= _jointed(job, joints)
    for layer in kits:
        for p in layer.without_openings.pieces:
            if p.key not in made:
                made[p.key] = _root(job, p.key, p.key in space.upright)
    return made


def _stacked(job: Job, body: Body) -> dict[int, Pose]:
    """Slices on each other, as thick as they are now."""
    frame = FRAMES[body.along].T
    # as thick as the thickest part of each slice
    thick: dict[int, float] = {}
    for one in body.slices:
        if one.piece in job.thickness_mm:
            thick[one.level] = max(thick.get(one.level, 0.0), job.thickness_mm[one.piece])
    count = max(body.count, 1 + max(thick, default=0))
    floors = np.r_[0.0, np.cumsum([thick.get(level, body.thickness_mm) for level in range(count)])]
    made = {}
    for one in body.slices:
        if one.piece in job.thickness_mm:
            # the body's middle lies at this place of the sheet
            shift = frame @ np.array([-one.x_mm, one.y_mm, floors[one.level] - floors[-1] / 2])
            made[one.piece] = Pose(frame, shift)
    if made:
        low = min(float(pose.at(np.array(_corners(job, key)), 0.0)[:, 2].min()) for key, pose in made.items())
        if body.along == "z":
            low = -floors[-1] / 2
        made = {key: Pose(pose.turn, pose.shift - [0, 0, low]) for key, pose in made.items()}
    return made


def _corners(job: Job, key: int) -> list[tuple[float, float]]:
    x0, y0, x1, y1 = job.pieces[key].outline.bounds
    return [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]


def _jointed(job: Job, joints: list[Joint]) -> dict[int, Pose]:
    """From what lies or stands by itself, joint by joint."""
    beside: dict[int, list[Joint]] = {}
    for joint in joints:
        for key in (joint.tab, joint.slot):
            beside.setdefault(key, []).append(joint)
    made: dict[int, Pose] = {}
    while len(made) < len(beside):
        waiting = [key for key in beside if key not in made]
        root = min(waiting, key=lambda key: _rank(job, beside[key], key))
        made[root] = _root(job, root, _upright(job, beside[root], root))
        front = [root]
        while front:
            here = front.pop(0)
            for joint in beside[here]:
                other = joint.slot if joint.tab == here else joint.tab
                if other not in made:
                    made[other] = _beside(job, joint, here, made[here])
                    front.append(other)
    return made


def _rank(job: Job, own: list[Joint], key: int) -> tuple:
    """What is only ever a slot carries the rest; of several the one with the most slots, then the largest."""
    slots = sum(1 for joint in own if joint.slot == key and joint.kind == "tab")
    return (any(joint.tab == key and joint.kind == "tab" for joint in own), -slots, -job.pieces[key].area_mm2, key)


def _upright(job: Job, own: list[Joint], key: int) -> bool:
    """A part that carries others stands upright where it was said, or where their tabs do not point down."""
    if key in job.composition.decisions.space.upright:
        return True
    tabs = [joint for joint in own if joint.slot == key and joint.kind == "tab"]
    if not tabs:
        return True
    return not any(out_of(joint)[1] > 0.7 for joint in tabs)


def _root(job: Job, key: int, upright: bool) -> Pose:
    """Where it is drawn; lying, or standing on its lower edge."""
    x0, y0, x1, y1 = job.pieces[key].outline.bounds
    turn = UPRIGHT if upright else FLAT
    foot = turn @ np.array([(x0 + x1) / 2, -y1 if upright else -(y0 + y1) / 2, 0.0])
    middle = np.array([(x0 + x1) / 2, 0.0, 0.0])
    return Pose(turn, middle - foot)


def _sheet(xy: tuple[float, float], z: float = 0.0) -> np.ndarray:
    return np.array([xy[0], -xy[1], z])


def _unit(v: np.ndarray) -> np.ndarray:
    return v / max(float(np.linalg.norm(v)), 1e-12)


def _beside(job: Job, joint: Joint, here: int, pose: Pose) -> Pose:
    """The pose of the other part of a joint."""
    thick = job.thickness_mm
    tab, slot = thick[joint.tab], thick[joint.slot]
    if joint.kind == "half":
        own, other = (joint.foot, joint.middle) if here == joint.tab else (joint.middle, joint.foot)
        mine, theirs = (tab, slot) if here == joint.tab else (slot, tab)
        # the slots run against each other and end in one place
        along = pose.turn @ _unit(_sheet(own[1]) - _sheet(own[0]))
        out = pose.turn @ np.array([0.0, 0.0, 1.0])
        a = _unit(_sheet(other[1]) - _sheet(other[0]))
        n = np.array([0.0, 0.0, 1.0])
        turn = _turning((a, np.cross(n, a)), (-along, out))
        here_at = pose.turn @ _sheet(own[1], mine / 2) + pose.shift
        return Pose(turn, here_at - turn @ _sheet(other[1], theirs / 2))
    # in the frame of the slot's part: along the slot, and out of its face
    a = _unit(_sheet(joint.foot[1]) - _sheet(joint.foot[0]))
    ox, oy = out_of(joint)
    o = _sheet((ox, oy))
    s = _unit(_sheet(joint.middle[1]) - _sheet(joint.middle[0]))
    face = np.array([0.0, 0.0, -1.0 if joint.behind else 1.0])
    lean = radians(joint.lean_deg)
    into = -face * np.cos(lean) + np.cross(s, -face) * np.sin(lean)
    relative = _turning((a, o), (s, into))
    foot = (_sheet(joint.foot[0]) + _sheet(joint.foot[1])) / 2 + [0, 0, tab / 2]
    middle = (_sheet(joint.middle[0]) + _sheet(joint.middle[1])) / 2 + [0, 0, 0.0 if joint.behind else slot]
    shift = middle - relative @ foot
    if here == joint.slot:
        return Pose(pose.turn @ relative, pose.turn @ shift + pose.shift)
    turn = pose.turn @ relative.T
    return Pose(turn, pose.shift - turn @ shift)


def _turning(from_: tuple[np.ndarray, np.ndarray], to: tuple[np.ndarray, np.ndarray]) -> np.ndarray:
    """The turn that takes two directions, square to each other, to two others."""
    one = np.c_[from_[0], from_[1], np.cross(from_[0], from_[1])]
    two = np.c_[to[0], to[1], np.cross(to[0], to[1])]
    return two @ one.T
