"""In what order parts that stand in space go together: slices from the middle of their pin outwards, tabs into slots so
that none is trapped.

A set of parts comes apart where some of them can be drawn off the rest along one line: every joint between the two
lets go that way, and nothing else stands in the way. Put together it goes the other way round.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from itertools import permutations

import numpy as np
from networkx import DiGraph, strongly_connected_components
from networkx.utils import UnionFind

from ..work.composition import Layer
from ..work.in_space import Body, Joint
from ..work.joints import joints_of, out_of
from ..work.parts import Job
from ..work.poses import Pose, poses_of
from .sweeping import Sweeps

SAME_WAY = 0.995
"""Cosine of two directions that a hand takes for one: own choice."""
ALL_ROUND = tuple(np.concatenate([np.eye(3), -np.eye(3)]))


@dataclass(frozen=True, slots=True)
class Going:
    """A part that goes onto what is there: those that it touches, why now, and the way in space in which it goes in."""

    key: int
    touches: tuple[int, ...]
    why: str
    way: tuple[float, float, float] = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class Together:
    """The order of a layer's parts; `trapped` joints (places in the list) that no order frees."""

    order: tuple[Going, ...]
    trapped: tuple[int, ...] = ()


def together_of(job: Job, layer: Layer) -> Together:
    """In which order the parts of a layer drawn side by side go together; worked out once for a job."""
    return job.once(("together", layer.key), lambda: _together(job, layer))


def _together(job: Job, layer: Layer) -> Together:
    body = job.composition.decisions.space.body_of(layer.key)
    if body is not None:
        return Together(tuple(_from_the_pin(job, body)))
    return _Apart(job, layer).together()


def _from_the_pin(job: Job, body: Body) -> Iterable[Going]:
    """The middle slice first, then one by one outwards, to both ends; parts of one slice the largest first."""
    levels: dict[int, list[int]] = {}
    for one in body.slices:
        if one.piece in job.pieces:
            levels.setdefault(one.level, []).append(one.piece)
    if not levels:
        return
    middle = sorted(levels)[len(levels) // 2]
    normal = next(iter(poses_of(job).values())).turn[:, 2]
    down: set[int] = set()
    for level in sorted(levels, key=lambda n: (abs(n - middle), n)):
        for key in sorted(levels[level], key=lambda k: (-job.pieces[k].area_mm2, k)):
            beside = [k for near in (level - 1, level + 1) for k in levels.get(near, ()) if k in down]
            pins = sum(pin.first <= level <= pin.last for pin in body.pins)
            if level == middle:
                why = "the middle of the pin: slices go on from here to both ends" if pins else "the middle"
            elif pins:
                why = f"onto the pin, {'after' if level > middle else 'before'} the middle"
            else:
                why = "no pin runs through it: its outline is drawn on the slice before it"
            way = normal * (-1.0 if level > middle else 1.0)
            yield Going(key, tuple(beside), why, _told(way))
        down |= set(levels[level])


class _Apart:
    """The parts of a scene, taken apart in thought."""

    def __init__(self, job: Job, layer: Layer):
        self.job = job
        self.poses = poses_of(job)
        self.keys = [p.key for p in layer.without_openings.pieces]
        mine = set(self.keys)
        self.joints = [(n, j) for n, j in joints_of(job.composition) if j.tab in mine and j.slot in mine]
        self.sweeps = Sweeps(job, self.poses)
        self.trapped: list[int] = []
        self.order: list[Going] = []

    def together(self) -> Together:
        groups = UnionFind(self.keys)
        for _, joint in self.joints:
            groups.union(joint.tab, joint.slot)
        for group in sorted(groups.to_sets(), key=lambda keys: (-len(keys), min(keys))):
            self._build(frozenset(group))
        return Together(tuple(self.order), tuple(sorted(set(self.trapped))))

    def _build(self, group: frozenset[int]) -> None:
        """What it takes to put a set of parts together, those that everything else goes onto first."""
        if len(group) == 1:
            key = next(iter(group))
            self.order.append(Going(key, (), "it carries the rest" if self._carries(key) else "it stands by itself"))
            return
        parted = self._parted(group)
        if parted is None:
            own = [n for n, j in self.joints if j.tab in group and j.slot in group]
            self.trapped += own or [n for n, j in self.joints if {j.tab, j.slot} & group]
            rest = sorted(group, key=lambda key: (not self._carries(key), -self.job.pieces[key].area_mm2, key))
            for key in rest:
                why = "its tabs trap each other" if own else "they hook into each other"
                self.order.append(Going(key, (), f"{why}: there is no way to put it in"))
            return
        staying, moving, way = parted
        self._build(staying)
        if len(moving) > 1:
            # it is put together beside the work, and then goes in as one
            self._build(moving)
        first = len(self.order) - len(moving)
        touched = sorted(
            {
                j.slot if j.tab in moving else j.tab
                for _, j in self.joints
                if (j.tab in moving) != (j.slot in moving) and {j.tab, j.slot} <= group
            }
        )
        told = _told(way)
        if len(moving) == 1:
            key = next(iter(moving))
            self.order.append(Going(key, tuple(touched), self._words(key, touched), told))
        else:
            lead = self.order[first]
            self.order[first] = Going(
                lead.key, lead.touches, f"{len(moving)} parts are put together first, and go in as one", told
            )

    def _carries(self, key: int) -> bool:
        return any(j.slot == key for _, j in self.joints)

    def _near(self, key: int) -> float:
        centre = self.job.pieces[key].outline.centroid
        return round(float(self.poses[key].at(np.array([[centre.x, centre.y]]), 0.0)[0, 1]), 1)

    def _words(self, key: int, touched: list[int]) -> str:
        tabs = sum(1 for _, j in self.joints if j.tab == key and j.slot in touched)
        names = " and ".join(str(self.job.pieces[k].number) for k in touched[:3])
        if not tabs:
            return f"over the tabs of {names}, or into its slot"
        return f"its {'tab' if tabs == 1 else f'{tabs} tabs'} into {names}"

    def _parted(self, group: frozenset[int]) -> tuple[frozenset[int], frozenset[int], np.ndarray] | None:
        """A set that can be drawn off the rest, and the way in which it goes in again; the smallest there is."""
        own = [j for _, j in self.joints if j.tab in group and j.slot in group]
        ways = [self._way(j) for j in own]
        best = None
        for way in _different(ways) or ALL_ROUND:
            graph = self._held(group, list(zip(own, ways, strict=True)), way)
            parts = list(strongly_connected_components(graph))
            if len(parts) < 2:
                continue
            ends = [part for part in parts if not any(b not in part for a in part for b in graph.successors(a))]
            for part in ends:
                moving = frozenset(part)
                # what stands in front goes in last
                near = min(self._near(key) for key in moving)
                rank = (len(moving), sum(self._carries(key) for key in moving), near, min(moving))
                if len(moving) < len(group) and (best is None or rank < best[0]):
                    best = (rank, moving, way)
        if best is None:
            return None
        _, moving, way = best
        return group - moving, moving, way

    def _held(self, group: frozenset[int], own: list[tuple[Joint, np.ndarray]], way: np.ndarray) -> DiGraph:
        """Who goes with whom when one is drawn out against `way`."""
        graph: DiGraph = DiGraph()
        graph.add_nodes_from(group)
        joined = set()
        for joint, other in own:
            joined |= {(joint.tab, joint.slot), (joint.slot, joint.tab)}
            along = float(other @ way)
            if along > SAME_WAY:
                # the tab's part goes in along this way: while it is in, whoever holds it goes with it
                graph.add_edge(joint.slot, joint.tab)
            elif along < -SAME_WAY:
                graph.add_edge(joint.tab, joint.slot)
            else:
                graph.add_edges_from([(joint.tab, joint.slot), (joint.slot, joint.tab)])
        for moved, met in permutations(sorted(group), 2):
            if (moved, met) not in joined and self.sweeps.hits(moved, met, -way):
                graph.add_edge(moved, met)
        return graph

    def _way(self, joint: Joint) -> np.ndarray:
        """The way in space in which the tab's part goes into the slot's."""
        pose = self.poses[joint.tab]
        if joint.kind == "half":
            (x0, y0), (x1, y1) = joint.foot
            # its slot comes down over the other: it moves against the way its slot runs
            return _in_space(pose, (x0 - x1, y0 - y1))
        return _in_space(pose, out_of(joint))


def _different(ways: list[np.ndarray]) -> list[np.ndarray]:
    """Each direction once."""
    kept: list[np.ndarray] = []
    for way in ways:
        if not any(float(way @ other) > SAME_WAY for other in kept):
            kept.append(way)
    return kept


def _told(way: np.ndarray) -> tuple[float, float, float]:
    x, y, z = (round(float(v), 4) for v in way)
    return x, y, z


def _in_space(pose: Pose, xy: tuple[float, float]) -> np.ndarray:
    way = pose.turn @ np.array([xy[0], -xy[1], 0.0])
    return way / max(float(np.linalg.norm(way)), 1e-12)
