"""The way of the blade through a blank: from the board's edge or a pilot hole along every line to the last freed part.

Bodies are sawn in a given order; of each the openings first, then what is not yet sawn of the lines round it, begun
where something is open beside it.
"""

import math
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise

import numpy as np
import shapely

from ..constants import HOLE_WASTE_MM
from ..rack.blades import Blade
from .blades import INSIDE, OUTLINE, Asked
from .both_ways import both_ways
from .holes import PilotHole, bits_for, hole_in, hole_on
from .network import OUTSIDE, Net
from .turning import MILD_RAD, NEAR_EDGE_MM, SHARP_RAD, TOUCH_MM, Run, bends_of, clear_of, runs_along, turned_from

RAYS = 32
"""Directions that are tried for the way in from the board's edge."""
MOST_SEEN = 60
"""Points of a line that are looked at from a hole."""
TRIED = 6
"""Corners that are tried as a start, sharpest first."""

Points = np.ndarray


@dataclass(frozen=True, slots=True)
class Stroke:
    """One stretch that the blade saws without stopping. `path`: the middle of its kerf, mm in the picture of the work.
    `kind`: ``in`` from the board's edge or a hole to the line, ``line``, or ``waste``; `corner`: what is done where it
    ends; `frees`: the parts that it sets free; `part`: the one that is sawn; `waste`: whether waste drops out."""

    path: Points
    kind: str
    corner: str
    part: str
    frees: tuple[str, ...] = ()
    waste: bool = False
    tilt_deg: float = 0.0

    @property
    def length_mm(self) -> float:
        step = np.diff(self.path, axis=0)
        return float(np.hypot(step[:, 0], step[:, 1]).sum())


@dataclass(frozen=True)
class Sawn:
    """What is sawn for one part of a blank, one stretch after another, and the holes that are drilled for it.
    `drawn_mm` of its lines, `inside_mm` of that round openings."""

    part: str
    strokes: tuple[Stroke, ...]
    holes: tuple[PilotHole, ...]
    drawn_mm: float
    inside_mm: float
    lines: tuple[int, ...] = ()
    """Of the net, in the order in which they are sawn."""


@dataclass
class WayThrough:
    """Finds the way through a net. `leads` names the part of each body; `blade_of` each part's blade; `kept`: what is
    left of the bodies once they are sawn; `stock`: the wood they come out of; `start_at`: places where a person begins,
    `clockwise`: the way round a person goes, by part; `hidden(point)`: whether an edge there is not seen later;
    `wood_between`: what the openings hold is wood as well, so that a hole too large for them is drilled on the
    line."""

    net: Net
    leads: Sequence[str]
    blade_of: Mapping[Asked, Blade]
    kept: shapely.Geometry
    stock: shapely.Polygon
    start_at: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    clockwise: Mapping[str, bool] = field(default_factory=dict)
    tilt_deg: Mapping[str, float] = field(default_factory=dict)
    hidden: Callable[[Points], bool] | None = None
    wood_between: bool = False
    both_ways: float = 0.0
    """The throat (mm) where a closed outline may be sawn from its start both ways round, so that the work turns in it;
    0 where it is sawn one way."""

    def __post_init__(self) -> None:
        self.sawn: set[int] = set()
        self.in_order: list[int] = []
        self.reached: set[int] = set()
        self.waiting = Counter(self.leads)
        self.clear_with: dict[Blade, Callable[[Points], bool]] = {}
        self.left = [len(set(lines)) for lines in (self.net.of_body[i] for i in range(len(self.net.bodies)))]
        self.here: Points | None = None

    def of(self, order: Iterable[Asked]) -> list[Sawn]:
        """Cut by cut in this order. A part whose lines were all sawn before has no strokes."""
        bodies: dict[str, list[int]] = {}
        for i, lead in enumerate(self.leads):
            bodies.setdefault(lead, []).append(i)
        return [self._cut(cut, bodies[cut[0]]) for cut in order]

    def _cut(self, cut: Asked, bodies: list[int]) -> Sawn:
        part, what = cut
        self.blade = self.blade_of[cut]
        strokes: list[Stroke] = []
        holes: list[PilotHole] = []
        begun = len(self.in_order)
        drawn = inside = 0.0
        for body in bodies:
            mine = set(self.net.of_body[body])
            near = {
                OUTSIDE - 1 - w for n in mine for w in (self.net.lines[n].left, self.net.lines[n].right) if w < OUTSIDE
            }
            for opening in sorted(near, key=lambda o: self.net.openings[o].area) if what != OUTLINE else ():
                lines = [n for n in self.net.of_opening[opening] if n not in self.sawn]
                drilled: PilotHole | None = None
                # an island in it comes before what lies round both
                for chain in sorted(self._chains(lines), key=self._reach):
                    made, hole = self._opening(part, opening, chain, drilled)
                    drilled = drilled or next(iter(hole), None)
                    long = sum(self.net.lines[n].drawn_mm for n, _ in chain)
                    strokes += made
                    holes += hole
                    drawn, inside = drawn + long, inside + long
            lines = [n for n in self.net.of_body[body] if n not in self.sawn]
            for chain in self._chains(lines) if what != INSIDE else ():
                made, hole = self._outline(part, body, chain)
                strokes += made
                holes += hole
                drawn += sum(self.net.lines[n].drawn_mm for n, _ in chain)
        return Sawn(part, tuple(strokes), tuple(holes), drawn, inside, tuple(self.in_order[begun:]))

    def _chains(self, lines: Sequence[int]) -> list[list[tuple[int, bool]]]:
        """Lines joined end to end, each with whether it runs its own way: closed ones by themselves."""
        chains = [[(n, True)] for n in lines if self.net.lines[n].closed]
        ends: dict[int, list[int]] = {}
        for n in lines:
            if not self.net.lines[n].closed:
                for node in self.net.lines[n].nodes:
                    ends.setdefault(node, []).append(n)
        left = {n for n in lines if not self.net.lines[n].closed}
        while left:
            loose = [node for node, own in ends.items() if len(left & set(own)) % 2]
            node = min(loose) if loose else self.net.lines[min(left)].nodes[0]
            chain: list[tuple[int, bool]] = []
            while following := [n for n in ends[node] if n in left]:
                n = self._straightest(chain, following, node)
                left.discard(n)
                forward = self.net.lines[n].nodes[0] == node
                chain.append((n, forward))
                node = self.net.lines[n].nodes[1] if forward else self.net.lines[n].nodes[0]
            chains.append(chain)
        return chains

    def _straightest(self, chain, following: list[int], node: int) -> int:
        if len(following) == 1 or not chain:
            return following[0]
        last = self._xy(*chain[-1])
        into = last[-1] - last[-2]

        def turn(n: int) -> float:
            line = self.net.lines[n]
            out = line.xy[1] - line.xy[0] if line.nodes[0] == node else line.xy[-2] - line.xy[-1]
            return abs(math.atan2(into[0] * out[1] - into[1] * out[0], into @ out))

        return min(following, key=turn)

    def _xy(self, n: int, forward: bool) -> Points:
        return self.net.lines[n].xy if forward else self.net.lines[n].xy[::-1]

    def _round(self, chain) -> bool:
        """Whether a chain ends where it begins."""
        if self.net.lines[chain[0][0]].closed:
            return True
        first, last = self._ends(chain)
        return first == last

    def _ends(self, chain) -> tuple[int, int]:
        (a, ahead), (b, along) = chain[0], chain[-1]
        return self.net.lines[a].nodes[0 if ahead else 1], self.net.lines[b].nodes[1 if along else 0]

    # a closed chain round an opening

    def _reach(self, chain) -> float:
        xy = np.concatenate([self._xy(*link) for link in chain])
        return float(np.ptp(xy[:, 0]) + np.ptp(xy[:, 1]))

    def _opening(
        self, part: str, opening: int, chain, drilled: PilotHole | None
    ) -> tuple[list[Stroke], list[PilotHole]]:
        """Round an opening, from a hole in its waste: from the one that is `drilled` there, or a new one."""
        waste, blade = self.net.openings[opening], self.blade
        reached = self._first_reached(chain)
        if reached is not None:
            return self._strokes(part, self._begun_at(chain, reached), None), []
        hole = drilled or hole_in(waste, blade)
        if hole.bit_mm is None and self.wood_between:
            return self._through_the_line(part, chain)
        if hole.bit_mm is None:
            # it stays closed, and is said; what lies round it comes free all the same
            self._sawn(self._link(*link) for link in chain)
            return [], [hole]
        spot = np.array([hole.x_mm, hole.y_mm])
        seen = self._seen_from(chain, spot)
        if seen is not None:
            begun, point = self._begun_at_point(chain, seen)
            lead = np.stack([spot, point]) if np.hypot(*(point - spot)) > 0.05 else None
            return self._strokes(part, begun, lead), [] if drilled else [hole]
        # something stands between: it has a hole of its own, beside its line
        corners = [point for point, _ in self._corners(chain)] or [self._xy(*chain[0])[0]]
        start, lead, own = self._from_beside(corners)
        begun, _ = self._begun_at_point(chain, start)
        return self._strokes(part, begun, lead), [own] if own else []

    def _through_the_line(self, part: str, chain) -> tuple[list[Stroke], list[PilotHole]]:
        """A closed line in wood: a hole on the line itself, where it turns sharpest."""
        begun, point = self._begun_at_point(chain, self._sharpest(chain))
        hole = replace(hole_on(tuple(point.tolist()), self.blade), tilt_deg=self.tilt_deg.get(part, 0.0))
        return self._strokes(part, begun, None), [hole]

    def _seen_from(self, chain, spot: Points) -> Points | None:
        """Of the corners round an opening the sharpest with a straight way from the hole, or the nearest point that has
        one; none where no point has."""
        clear = self._clear()
        for point, _ in sorted(self._corners(chain), key=lambda one: -abs(one[1]))[:TRIED]:
            if clear(np.stack([spot, point])):
                return point
        xy = np.concatenate([self._xy(*link) for link in chain])
        near = xy[np.argsort(np.hypot(*(xy - spot).T))]
        some = near[:: max(1, len(near) // MOST_SEEN)]
        rays = shapely.linestrings(np.stack([np.broadcast_to(spot, some.shape), some], axis=1))
        free = ~shapely.dwithin(self.kept, rays, self.blade.kerf_mm / 2 - TOUCH_MM)
        return some[int(np.argmax(free))] if free.any() else None

    # round a body

    def _outline(self, part: str, body: int, chain) -> tuple[list[Stroke], list[PilotHole]]:
        if not self._round(chain):
            first, last = self._xy(*chain[0])[0], self._xy(*chain[-1])[-1]
            if self.here is not None and np.hypot(*(last - self.here)) < np.hypot(*(first - self.here)):
                chain = _back(chain)
            return self._strokes(part, [self._link(*link) for link in chain], None), []
        outside = [(n, forward) for n, forward in chain if OUTSIDE in (self.net.lines[n].left, self.net.lines[n].right)]
        reached = self._first_reached(chain)
        if outside and (reached is None or part in self.start_at):
            point, lead, hole = self._from_the_edge(part, outside)
            begun, _ = self._begun_at_point(self._way_round(part, body, chain), point)
            if self.both_ways and len(begun) == 1 and (parted := self._parted(part, begun[0])):
                return parted, []
            return self._strokes(part, begun, lead), [hole] if hole else []
        chain = self._way_round(part, body, chain)
        if reached is not None:
            return self._strokes(part, self._begun_at(chain, reached), None), []
        return self._through_the_line(part, chain)

    def _way_round(self, part: str, body: int, chain):
        """The chain as it is gone round: with its body on the left, which is clockwise as the picture is seen, unless a
        person or a bevel wants it the other way."""
        n, forward = chain[0]
        line = self.net.lines[n]
        on_left = (line.left == body) == forward
        inner = self._is_opening(chain, body)
        wanted = self.clockwise.get(part, True) != inner
        return chain if on_left == wanted else _back(chain)

    def _is_opening(self, chain, body: int) -> bool:
        """Whether the body lies round the chain, not within it."""
        closed = len(chain) == 1
        xy = self._xy(*chain[0]) if closed else np.concatenate([self._xy(*link)[:-1] for link in chain])
        n, forward = chain[0]
        on_left = (self.net.lines[n].left == body) == forward
        x, y = xy[:, 0], xy[:, 1]
        positive = (x * np.roll(y, -1) - np.roll(x, -1) * y).sum() > 0
        return positive != on_left

    def _from_the_edge(self, part: str, outside) -> tuple[Points, Points | None, PilotHole | None]:
        """Where a closed chain is begun from the board's edge, and the way there: at a sharp corner that has a straight
        way out, away from edges that are seen; otherwise where the edge is nearest. Where no way is free, from a hole
        in the waste beside the line."""
        wish = self.start_at.get(part)
        xy = np.concatenate([self._xy(*link) for link in outside])
        if wish is not None:
            points = [xy[int(np.argmin(np.hypot(*(xy - np.array(wish)).T)))]]
        else:
            rated = []
            corners = self._corners(outside) or self._corners(outside, MILD_RAD)
            for point, turn in corners:
                seen = 0.0 if self.hidden is None or self.hidden(point) else 0.5
                rated.append((abs(turn) - seen, point))
            points = [point for _, point in sorted(rated, key=lambda one: -one[0])[:TRIED]]
        for point in points:
            if (way := self.way_in(point)) is not None:
                return point, way, None
        extremes = [xy[int(np.argmin(xy[:, 0]))], xy[int(np.argmax(xy[:, 0]))]]
        extremes += [xy[int(np.argmin(xy[:, 1]))], xy[int(np.argmax(xy[:, 1]))]]
        ways = [(way, point) for point in extremes if (way := self.way_in(point)) is not None]
        if ways:
            way, point = min(ways, key=lambda one: float(np.hypot(*(one[0][0] - one[0][-1]))))
            return point, way, None
        return self._from_beside([*points, *extremes])

    def _from_beside(self, points: Sequence[Points]) -> tuple[Points, Points | None, PilotHole | None]:
        """A hole in the waste near one of these points on the line, and the way from it; no hole where there is no room
        for one: what lies round is in the way, and has to be sawn first."""
        for bit in sorted(bit for bit in bits_for(self.blade) if bit >= self.blade.passes_mm - 1e-9):
            away = bit / 2 + HOLE_WASTE_MM + self.blade.kerf_mm
            angles = np.arange(RAYS) * 2 * math.pi / RAYS
            for point in points:
                spots = point + away * np.stack([np.cos(angles), np.sin(angles)], axis=1)
                room = shapely.distance(self.kept, shapely.points(spots))
                best = int(np.argmax(room))
                if room[best] >= bit / 2 + 0.1:
                    x, y = spots[best].tolist()
                    hole = PilotHole(round(x, 3), round(y, 3), 2 * float(room[best]), bit)
                    return point, np.stack([spots[best], point]), hole
        return points[0], None, None

    def way_in(self, point: Points) -> Points | None:
        """A straight way from the edge of the stock to a point on a line, that cuts nothing that is kept; the shortest
        one there is."""
        angles = np.arange(RAYS) * 2 * math.pi / RAYS
        ways = np.stack([np.cos(angles), np.sin(angles)], axis=1)
        far = _out_of(self.stock, point, ways)
        order = np.argsort(far)
        ends = point + ways * far[:, None]
        rays = shapely.linestrings(np.stack([np.broadcast_to(point, ends.shape), ends], axis=1))
        free = self.blade.kerf_mm / 2 - 0.02
        for n in order:
            if not shapely.dwithin(self.kept, rays[n], free):
                return np.stack([ends[n], point])
        return None

    def _parted(self, part: str, link: "_Link") -> list[Stroke]:
        """A closed line from several starts at the board's edge, from each both ways round to where they meet; nothing
        where that is not to be had."""
        strokes: list[Stroke] = []
        halves = both_ways(link.xy, self.stock, self.both_ways, self.way_in)
        for n, (lead, ahead, behind) in enumerate(halves):
            last = n == len(halves) - 1
            first = _Link(link.n, ahead, link.sides, (-1, -1), False)
            second = _Link(link.n, behind, link.sides[::-1], (-1, -1), last)
            strokes += self._strokes(part, [first], lead)
            strokes[-1] = replace(strokes[-1], corner="back out")
            strokes += self._strokes(part, [second], None)
        return strokes

    # where a chain is begun

    def _first_reached(self, chain) -> int | None:
        """The node of a chain that a sawn line already meets; with the sharpest turn in the chain, where several do."""
        nodes = {node for n, _ in chain for node in self.net.lines[n].nodes if node in self.reached}
        return min(nodes) if nodes else None

    def _begun_at(self, chain, node: int):
        for i, (n, forward) in enumerate(chain):
            if self.net.lines[n].nodes[0 if forward else 1] == node:
                return [self._link(*link) for link in (*chain[i:], *chain[:i])]
        return [self._link(*link) for link in chain]

    def _link(self, n: int, forward: bool) -> "_Link":
        line = self.net.lines[n]
        sides = (line.left, line.right) if forward else (line.right, line.left)
        nodes = line.nodes if forward else line.nodes[::-1]
        return _Link(n, self._xy(n, forward), sides, nodes, True)

    def _begun_at_point(self, chain, point: Points):
        """The chain from a point of it all round and back, and that point as it lies on it."""
        best, at, where = math.inf, 0, 0
        for i, link in enumerate(chain):
            xy = self._xy(*link)
            far = np.hypot(*(xy - point).T)
            if far.min() < best:
                best, at, where = float(far.min()), i, int(np.argmin(far))
        n, forward = chain[at]
        xy, link = self._xy(n, forward), self._link(n, forward)
        if self.net.lines[n].closed:
            return [_Link(n, turned_from(xy, where), link.sides, (-1, -1), True)], xy[where]
        rest = [self._link(*one) for one in (*chain[at + 1 :], *chain[:at])]
        if where in (0, len(xy) - 1):
            return ([link, *rest] if where == 0 else [*rest, link]), xy[where]
        head = _Link(n, xy[: where + 1], link.sides, (link.nodes[0], -1), True)
        tail = _Link(n, xy[where:], link.sides, (-1, link.nodes[1]), False)
        return [tail, *rest, head], xy[where]

    def _corners(self, chain, least: float = SHARP_RAD) -> list[tuple[Points, float]]:
        """Corners on lines and where they meet, with the turn."""
        found = []
        for n, forward in chain:
            xy, closed = self._xy(n, forward), self.net.lines[n].closed
            found += [
                (xy[bend.at], bend.turn) for bend in bends_of(xy, closed, max(self.blade.tightest_mm, 0.4), least)
            ]
        for (a, ahead), (b, along) in pairwise([*chain, chain[0]] if len(chain) > 1 else chain):
            one, two = self._xy(a, ahead), self._xy(b, along)
            if np.hypot(*(one[-1] - two[0])) < 0.01:
                found.append((two[0], _turn(one, two)))
        return found

    def _sharpest(self, chain) -> Points:
        corners = self._corners(chain)
        if corners:
            return max(corners, key=lambda one: abs(one[1]))[0]
        return self._xy(*chain[0])[0]

    # strokes

    def _clear(self) -> Callable[[Points], bool]:
        if self.blade not in self.clear_with:
            self.clear_with[self.blade] = clear_of(self.kept, self.blade.kerf_mm)
        return self.clear_with[self.blade]

    def _strokes(self, part: str, links: list["_Link"], lead: Points | None) -> list[Stroke]:
        """The strokes along links, each run on as far as the blade flows, and what each sets free."""
        blade, tilt = self.blade, self.tilt_deg.get(part, 0.0)
        clear = self._clear()
        strokes: list[Stroke] = []
        if lead is not None:
            strokes.append(Stroke(lead, "in", "flow", part, tilt_deg=tilt))
        groups: list[list[_Link]] = []
        for link in links:
            last = groups[-1][-1] if groups else None
            if last and self._side(last) == self._side(link) and abs(_turn(last.xy, link.xy)) <= SHARP_RAD:
                groups[-1].append(link)
            else:
                groups.append([link])
        for i, group in enumerate(groups):
            xy = np.concatenate([group[0].xy, *(link.xy[1:] for link in group[1:])])
            side = self._side(group[0])
            runs = runs_along(xy, side, blade, clear, self._out)
            if i + 1 < len(groups) and not runs[-1].corner:
                runs[-1] = Run(runs[-1].xy, runs[-1].kind, self._at_node(group[-1], groups[i + 1][0]))
            ends = [Stroke(run.xy, run.kind, run.corner, part, tilt_deg=tilt) for run in runs]
            freed, waste = self._sawn(link for link in group if link.whole)
            ends[-1] = Stroke(ends[-1].path, ends[-1].kind, ends[-1].corner, part, freed, waste, tilt)
            strokes += ends
        if strokes:
            self.here = strokes[-1].path[-1]
        return strokes

    def _out(self, point: Points, way: Points) -> Points | None:
        """Straight on to the edge of the stock, where it is near."""
        end = point + way * 1000.0
        edge = shapely.intersection(shapely.linestrings([point, end]), self.stock)
        long = float(edge.length) if not edge.is_empty else 0.0
        return np.stack([point, point + way * long]) if 0 < long <= NEAR_EDGE_MM else None

    def _side(self, link: "_Link") -> int:
        left, right = (side >= 0 for side in link.sides)
        return 0 if left and right else 1 if left else -1

    def _at_node(self, one: "_Link", two: "_Link") -> str:
        """What is done where lines meet: turn on the spot where something is open there, flow where it hardly turns."""
        turn = abs(_turn(one.xy, two.xy))
        if turn <= SHARP_RAD:
            return "flow"
        open_there = one.nodes[1] in self.reached or min(*one.sides, *two.sides) < 0
        return "pivot" if open_there else "spin"

    def _sawn(self, links: Iterable["_Link"]) -> tuple[tuple[str, ...], bool]:
        """Lines that are sawn now: parts that are free then, and whether waste drops out."""
        freed: list[str] = []
        waste = False
        for link in links:
            if link.n in self.sawn:
                continue
            self.sawn.add(link.n)
            self.in_order.append(link.n)
            line = self.net.lines[link.n]
            self.reached.update(node for node in line.nodes if node >= 0)
            for side in {line.left, line.right}:
                if side >= 0:
                    self.left[side] -= 1
                    if not self.left[side]:
                        lead = self.leads[side]
                        self.waiting[lead] -= 1
                        if not self.waiting[lead]:
                            freed.append(lead)
                elif side < OUTSIDE:
                    waste |= all(n in self.sawn for n in self.net.of_opening[OUTSIDE - 1 - side])
        return tuple(freed), waste


@dataclass(frozen=True, slots=True)
class _Link:
    """A line, or a stretch of one, as it is gone along. `whole`: with it the line is sawn to its end."""

    n: int
    xy: Points
    sides: tuple[int, int]
    nodes: tuple[int, int]
    whole: bool


def _back(chain: list[tuple[int, bool]]) -> list[tuple[int, bool]]:
    return [(n, not forward) for n, forward in reversed(chain)]


def _turn(one: Points, two: Points) -> float:
    into, out = one[-1] - one[-2], two[1] - two[0]
    return math.atan2(into[0] * out[1] - into[1] * out[0], into @ out)


def _out_of(stock: shapely.Polygon, point: Points, ways: Points) -> Points:
    """How far it is from a point straight out of an outline, along each way; 0 where it lies outside already."""
    ring = shapely.get_coordinates(stock.exterior)
    start, edge = ring[:-1], np.diff(ring, axis=0)
    offset = start - point
    cross = ways[:, None, 0] * edge[None, :, 1] - ways[:, None, 1] * edge[None, :, 0]
    with np.errstate(divide="ignore", invalid="ignore"):
        along = (offset[None, :, 0] * edge[None, :, 1] - offset[None, :, 1] * edge[None, :, 0]) / cross
        share = (offset[None, :, 0] * ways[:, None, 1] - offset[None, :, 1] * ways[:, None, 0]) / cross
    hit = (np.abs(cross) > 1e-12) & (along > 1e-9) & (share >= 0) & (share <= 1)
    far = np.where(hit, along, np.inf).min(axis=1)
    return np.where(np.isfinite(far), far, 0.0)
