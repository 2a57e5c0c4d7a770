"""What a hand does to parts that stand in each other's slots."""

from collections.abc import Iterable
from dataclasses import replace

import numpy as np
import shapely

from ..errors import BadChoice
from ..findings import name_pieces
from ..outline.coverage import on_grid
from ..work.change import Edit, decided, with_decisions
from ..work.composition import Composition, Layer
from ..work.in_space import JOINTS, Joint, Point
from ..work.joints import clearance_mm, length, slots_of, splits
from ..work.parts import job_of
from ..work.poses import poses_of
from ..work.register import Values, verb
from ..work.setting import length_of, points_of
from ..work.view import Target
from .found import LEAST_TAB_MM, joints_in
from .order import together_of

MOST_JOINTS = 500
MOST_TABS = 12
CORNERS = ("square", "eased")


def kit_of(target: Target) -> Layer:
    """The layer of parts side by side that is meant. Raises `BadChoice`."""
    kits = [
        layer
        for layer in target.composition.layers
        if layer.kind == "kit" and target.composition.decisions.space.body_of(layer.key) is None
    ]
    if target.layer in kits:
        return target.layer
    if len(kits) == 1 and not target.pieces:
        return kits[0]
    raise BadChoice("These parts lie flat. Say first that they stand: at Relief, “parts that stand in slots”.")


@verb("kit")
def kit(target: Target, values: Values) -> Edit:
    """A layer's pieces as parts drawn side by side: what is enclosed in one is cut out of it, and tabs and slots are
    looked for."""
    composition, layer = target.composition, target.one_layer
    if layer.kind == "kit":
        raise BadChoice("These parts stand already.")
    enclosed = _enclosed(layer)
    if len(enclosed) == len(layer.pieces):
        raise BadChoice("Nothing is left of this layer but openings.")
    fields = {key: {"opening": True, "number": 0} for key in enclosed if not layer.by_key[key].opening}
    joints = _found(composition, layer, enclosed)
    now = composition.decisions
    others = tuple(j for j in now.space.joints if j.tab not in layer.by_key)
    then = replace(now, space=replace(now.space, joints=(*others, *joints)))
    label = f"parts that stand, {len(joints)} joint{'' if len(joints) == 1 else 's'} found"
    return Edit(label, fields, with_decisions({}, now, then), layers={layer.key: {"kind": "kit"}})


@verb("lay_flat")
def lay_flat(target: Target, values: Values) -> Edit:
    """Parts that stand are pieces of a flat layer again; their joints are no more."""
    composition, layer = target.composition, kit_of(target)
    space = composition.decisions.space
    left = tuple(j for j in space.joints if j.tab not in layer.by_key)
    now = composition.decisions
    then = replace(now, space=replace(space, joints=left))
    kind = "sheet" if layer.openings else "mosaic"
    return Edit("parts lie flat again", {}, with_decisions({}, now, then), layers={layer.key: {"kind": kind}})


def _enclosed(layer: Layer) -> list[int]:
    """Openings, and pieces that lie wholly within another: cut out of it."""
    coverage = layer.coverage
    inside = {p.key for p in layer.pieces if p.opening}
    filled = {key: shapely.Polygon(outline.exterior) for key, outline in coverage.by_key.items()}
    for key, outline in coverage.by_key.items():
        for other in coverage.neighbours[key]:
            if filled[other].area > outline.area and filled[other].covers(outline):
                inside.add(key)
    return sorted(inside)


def _found(composition: Composition, layer: Layer, enclosed: Iterable[int]) -> list[Joint]:
    cut = set(enclosed)
    solid = {key: outline for key, outline in layer.coverage.by_key.items() if key not in cut}
    holes = {key: [shapely.Polygon(ring) for ring in outline.interiors] for key, outline in solid.items()}
    return joints_in(solid, holes)[:MOST_JOINTS]


@verb("find_joints")
def find_joints(target: Target, values: Values) -> Edit:
    """Tabs and slots looked for once more in the drawing; what was joined by hand stays."""
    composition, layer = target.composition, kit_of(target)
    mine = set(layer.by_key)
    now = composition.decisions.space.joints
    by_hand = [j for j in now if j.tab not in mine or not j.wide_mm]
    busy = {j.tab for j in by_hand}
    found = [j for j in _found(composition, layer, layer.openings) if j.tab not in busy]
    return decided(composition, f"{len(found)} joints found", "space", joints=(*by_hand, *found))


@verb("stand_in", on="pieces")
def stand_in(target: Target, values: Values) -> Edit:
    """Two chosen parts joined: the first stands in the second. `count` tabs so wide along its lower edge, or along the
    drawn line on the second; through, or so deep; or both crossing half way (`kind` half)."""
    composition, layer = target.composition, kit_of(target)
    keys = [p.key for p in target.pieces if not p.opening and p.key in layer.by_key]
    if len(keys) != 2:
        raise BadChoice("Choose two parts that stand: first the one that stands, then the one it stands in.")
    kind = str(values.get("kind") or "tab")
    if kind not in JOINTS:
        raise BadChoice("Parts are joined by a tab in a slot, or by two slots that cross.")
    one, other = (keys[1], keys[0]) if values.get("swap") == "yes" else (keys[0], keys[1])
    outlines = layer.coverage.by_key
    rest = tuple(j for j in composition.decisions.space.joints if {j.tab, j.slot} != {one, other})
    if kind == "half":
        made = [_crossing(outlines[one], outlines[other], one, other)]
    else:
        made = _tabs(composition, outlines, one, other, values)
    _check(composition, (*rest, *made), made)
    numbers = name_pieces([layer.by_key[k].number for k in (one, other)])
    return decided(composition, f"{numbers} joined", "space", joints=(*rest, *made))


def _tabs(
    composition: Composition, outlines: dict[int, shapely.Polygon], one: int, other: int, values: Values
) -> list[Joint]:
    count = _count(values)
    foot = _lower_edge(outlines[one])
    long = length(foot)
    wide = length_of(
        values, composition, "tab_width", LEAST_TAB_MM, 500.0, max(LEAST_TAB_MM, round(long / (2 * count + 1), 1))
    )
    if count * wide > long - 2.0 * count:
        raise BadChoice(
            f"{count} tabs of {composition.practice.say(wide)} find no room on an edge of "
            f"{composition.practice.say(long)}."
        )
    deep = length_of(values, composition, "deep", 0.0, 200.0, 0.0)
    thick = job_of(composition).thickness_mm
    if deep and deep > thick[other] - 1.0:
        raise BadChoice(
            f"A blind slot {composition.practice.say(deep)} deep comes through: the part is "
            f"{composition.practice.say(thick[other])} thick. Leave a millimetre, or go through."
        )
    line = _stands_on(outlines[other], long, values)
    (x0, y0), (x1, y1) = foot
    ux, uy = (x1 - x0) / long, (y1 - y0) / long
    middle = ((line[0][0] + line[1][0]) / 2, (line[0][1] + line[1][1]) / 2)
    vx, vy = ((line[1][0] - line[0][0]) / length(line), (line[1][1] - line[0][1]) / length(line))
    out = (-uy, ux)
    made = []
    for n in range(count):
        at = (2 * n + 1) * long / (2 * count)
        a, b = at - wide / 2, at + wide / 2
        offset = at - long / 2
        feet = ((x0 + ux * a, y0 + uy * a), (x0 + ux * b, y0 + uy * b))
        c = (middle[0] + vx * offset, middle[1] + vy * offset)
        slot = ((c[0] - vx * wide / 2, c[1] - vy * wide / 2), (c[0] + vx * wide / 2, c[1] + vy * wide / 2))
        tip = (feet[0][0] / 2 + feet[1][0] / 2 + out[0] * 5, feet[0][1] / 2 + feet[1][1] / 2 + out[1] * 5)
        made.append(Joint(one, other, _round(feet), _round(slot), _round((tip, tip))[0], deep_mm=deep))
    return made


def _count(values: Values) -> int:
    text = str(values.get("count") or "2")
    if not text.isdecimal() or not 1 <= int(text[:3]) <= MOST_TABS:
        raise BadChoice(f"A part has 1 to {MOST_TABS} tabs in another.")
    return int(text)


def _round(line: tuple[Point, Point]) -> tuple[Point, Point]:
    (a, b), (c, d) = line
    return (round(a, 3), round(b, 3)), (round(c, 3), round(d, 3))


def _lower_edge(outline: shapely.Polygon) -> tuple[Point, Point]:
    """The longest straight stretch of its border that looks down, from the left to the right."""
    ring = shapely.get_coordinates(shapely.simplify(shapely.orient_polygons(outline), 0.2).exterior)
    best, found = 0.0, None
    for a, b in zip(ring[:-1], ring[1:], strict=True):
        x, y = b - a
        far = float(np.hypot(x, y))
        # counter-clockwise in mathematics is clockwise here: what looks down runs to the left or the right, its inside
        # above
        if far < 1e-9 or abs(y) > 0.35 * abs(x):
            continue
        middle = (a + b) / 2
        if outline.contains(shapely.Point(middle[0], middle[1] + 0.5)):
            continue
        if far > best:
            best, found = far, (a, b) if x > 0 else (b, a)
    if found is None or best < 2 * LEAST_TAB_MM:
        raise BadChoice("This part has no straight edge below for tabs to stand on. Draw tabs on it first.")
    return (float(found[0][0]), float(found[0][1])), (float(found[1][0]), float(found[1][1]))


def _stands_on(outline: shapely.Polygon, long: float, values: Values) -> tuple[Point, Point]:
    """The line on which the first part stands: drawn, or through the other's middle from left to right."""
    if values.get("points"):
        points = points_of(values)
        line = (tuple(map(float, points[0])), tuple(map(float, points[-1])))
        if length(line) < 1.0:  # type: ignore[arg-type]
            raise BadChoice("That line is too short to say where the part stands.")
        return line  # type: ignore[return-value]
    x, y = outline.centroid.x, outline.centroid.y
    return (x - long / 2, y), (x + long / 2, y)


def _crossing(one: shapely.Polygon, other: shapely.Polygon, key: int, beside: int) -> Joint:
    """Both slotted half way where they cross, on the middle of each: the first comes down over the second."""
    ax, ay0, ay1 = _column(one)
    bx, by0, by1 = _column(other)
    deep = min(ay1 - ay0, by1 - by0) / 2
    # bottoms level: what is left above of the higher one belongs to it
    foot = ((ax, ay1), (ax, ay1 - deep))
    middle = ((bx, by1 - 2 * deep), (bx, by1 - deep))
    if by1 - 2 * deep > by0 + 0.5:
        middle = ((bx, by0), (bx, by1 - deep))
    return Joint(key, beside, _round(foot), _round(middle), kind="half")


def _column(outline: shapely.Polygon) -> tuple[float, float, float]:
    """The middle of a part from left to right, and where it begins and ends there."""
    x0, y0, x1, y1 = outline.bounds
    x = (x0 + x1) / 2
    cut = shapely.intersection(outline, shapely.LineString([(x, y0 - 1), (x, y1 + 1)]))
    if cut.is_empty:
        raise BadChoice("Through the middle of this part runs no wood.")
    _, top, _, foot = cut.bounds
    return x, top, foot


def _check(composition: Composition, joints: tuple[Joint, ...], fresh: list[Joint]) -> None:
    """Refuses a slot that is wider than its part, or parts it."""
    if len(joints) > MOST_JOINTS:
        raise BadChoice(f"A work has up to {MOST_JOINTS} joints.")
    then = replace(
        composition,
        decisions=replace(composition.decisions, space=replace(composition.decisions.space, joints=joints)),
    )
    mine = {key for j in fresh for key in (j.tab, j.slot)}
    for slot in slots_of(then, job_of(composition).thickness_mm):
        if joints[slot.joint] in fresh and joints[slot.joint].kind == "tab":
            part = shapely.Polygon(composition.home[slot.piece].coverage.by_key[slot.piece].exterior)
            if not part.covers(slot.area):
                number = composition.by_key[slot.piece].number
                raise BadChoice(f"The slot would run over the edge of {number}: draw its line farther inside.")
    bad = [key for key in splits(then, job_of(composition).thickness_mm) if key in mine]
    if bad:
        number = composition.by_key[bad[0]].number
        raise BadChoice(f"The slot would be wider than {number}, or part it: narrower tabs, or another place.")


@verb("unjoin", on="pieces")
def unjoin(target: Target, values: Values) -> Edit:
    """The joints of the chosen part, or those between two chosen ones, are no more."""
    composition, keys = target.composition, set(target.keys)
    now = composition.decisions.space.joints
    left = tuple(j for j in now if not ({j.tab, j.slot} <= keys if len(keys) > 1 else j.tab in keys or j.slot in keys))
    if len(left) == len(now):
        raise BadChoice("Nothing joins what is chosen.")
    return decided(composition, f"{len(now) - len(left)} joints dropped", "space", joints=left)


@verb("turn_part", on="pieces")
def turn_part(target: Target, values: Values) -> Edit:
    """The chosen part stands the other way round in its slots; or (`lean`) leans; or (`behind`) stands on the back of
    what it stands in; or (`upright`) stands although it carries the rest."""
    composition, keys = target.composition, set(target.keys)
    space = composition.decisions.space
    names = name_pieces([p.number for p in target.pieces])
    if values.get("upright") in ("yes", "no"):
        left = tuple(k for k in space.upright if k not in keys)
        both = (*left, *sorted(keys)) if values["upright"] == "yes" else left
        return decided(
            composition, f"{names} {'stands' if values['upright'] == 'yes' else 'lies'}", "space", upright=both
        )
    mine = [j for j in space.joints if j.tab in keys]
    if not mine:
        raise BadChoice("The chosen part has no tabs: choose one that stands in another.")
    lean = _degrees(values) if "lean" in values else None

    def turned(joint: Joint) -> Joint:
        if joint.tab not in keys:
            return joint
        if lean is not None:
            return replace(joint, lean_deg=lean)
        if values.get("behind") == "yes":
            return replace(joint, behind=not joint.behind)
        return replace(joint, middle=(joint.middle[1], joint.middle[0]))

    made = tuple(turned(j) for j in space.joints)
    if lean is None and values.get("behind") != "yes" and len(mine) > 1:
        # turned round, its last tab comes into its first slot
        made = _other_way(made, keys)
    how = "leans" if lean is not None else "stands behind" if values.get("behind") == "yes" else "turned round"
    return decided(composition, f"{names} {how}", "space", joints=made)


def _other_way(joints: tuple[Joint, ...], keys: set[int]) -> tuple[Joint, ...]:
    made = list(joints)
    for key in keys:
        for other in {j.slot for j in joints if j.tab == key and j.kind == "tab"}:
            own = [n for n, j in enumerate(made) if j.tab == key and j.slot == other and j.kind == "tab"]
            middles = [(made[n].middle, made[n].wide_mm) for n in own]
            for n, (middle, wide) in zip(own, reversed(middles), strict=True):
                made[n] = replace(made[n], middle=middle, wide_mm=wide)
    return tuple(made)


def _degrees(values: Values) -> float:
    try:
        lean = float(str(values.get("lean") or "0").replace(",", "."))
    except ValueError:
        lean = 999.0
    if not -60 <= lean <= 60:
        raise BadChoice("A part leans up to 60 degrees either way.")
    return lean


@verb("clearance")
def clearance(target: Target, values: Values) -> Edit:
    """How much wider every slot is than what goes in: as typed, or by the slot of the test coupon that fits best
    (`fits`, counted from 1); and whether inner corners are square or eased."""
    composition = target.composition
    space = composition.decisions.space
    corners = str(values.get("corners", space.corners))
    if corners not in ("", *CORNERS):
        raise BadChoice("Inner corners are square or eased.")
    if values.get("fits"):
        text = str(values["fits"])
        if text not in [str(n) for n in range(1, COUPON_SLOTS + 1)]:
            raise BadChoice(f"The coupon has {COUPON_SLOTS} slots: say which one fits best.")
        mm = coupon_clearances(composition)[int(text) - 1]
        return decided(composition, f"slot {text} of the coupon fits", "space", clearance_mm=mm, corners=corners)
    mm = length_of(values, composition, "clearance", -1.0, 3.0, clearance_mm(composition))
    return decided(composition, "how slots fit", "space", clearance_mm=round(mm, 3), corners=corners)


COUPON_SLOTS = 5
COUPON_STEP_MM = 0.1


def coupon_clearances(composition: Composition) -> list[float]:
    """Of the five slots of a test coupon, the present clearance in the middle."""
    now = clearance_mm(composition)
    return [round(now + COUPON_STEP_MM * (n - COUPON_SLOTS // 2), 3) for n in range(COUPON_SLOTS)]


@verb("base_for")
def base_for(target: Target, values: Values) -> Edit:
    """The part that carries the rest becomes a board as large as what stands on it, with so much round it."""
    composition, layer = target.composition, kit_of(target)
    over = length_of(values, composition, "overhang", 0.0, 300.0, 12.0)
    job = job_of(composition)
    order = together_of(job, layer).order
    joints = [j for j in composition.decisions.space.joints if j.slot in layer.by_key]
    base = next((going.key for going in order if any(j.slot == going.key for j in joints)), None)
    if base is None:
        raise BadChoice("Nothing stands in another part yet: join parts first.")
    shape = _board(job, base, over)
    others = shapely.union_all([o for k, o in layer.without_openings.coverage.by_key.items() if k != base])
    # drawn slots stay what they are
    drawn = [layer.coverage.by_key[k] for k in layer.openings if shape.intersects(layer.coverage.by_key[k])]
    moved = on_grid(shapely.difference(shape, shapely.union_all(drawn)) if drawn else shape)
    if moved.geom_type != "Polygon":
        raise BadChoice("The base would come apart at its slots: leave more round what stands on it.")
    if shapely.intersection(moved, others).area > 0.01:
        raise BadChoice("On this sheet the larger base would lie over other parts: move it to a free place first.")
    round_over = length_of(values, composition, "rounded", 0.0, 50.0, 0.0)
    now = composition.decisions
    edges = dict(now.relief.edges) | ({base: round_over} if round_over else {})
    then = replace(now, relief=replace(now.relief, edges=edges))
    x1, y1 = moved.bounds[2], moved.bounds[3]
    fields = {
        "width_mm": max(composition.width_mm, round(x1, 3)),
        "height_mm": max(composition.height_mm, round(y1, 3)),
    }
    fields = {name: value for name, value in fields.items() if value != getattr(composition, name)}
    return Edit("base by what stands on it", {}, with_decisions(fields, now, then), outlines={base: moved})


def _board(job, base: int, over: float) -> shapely.Polygon:
    """A rectangle round the footprint of all that stands on a part, on the sheet of that part."""
    poses = poses_of(job)
    home = poses[base]
    corners = []
    for key, pose in poses.items():
        if key == base or key not in _standing_on(job, base):
            continue
        rim = shapely.get_coordinates(job.pieces[key].outline)
        for z in (0.0, job.pieces[key].thickness_mm):
            own = (pose.at(rim, z) - home.shift) @ home.turn
            corners.append(own[:, :2] * (1, -1))
    every = np.concatenate(corners)
    (x0, y0), (x1, y1) = every.min(axis=0), every.max(axis=0)
    return shapely.box(x0 - over, y0 - over, x1 + over, y1 + over)


def _standing_on(job, base: int) -> set[int]:
    """All parts that hang together with one by joints."""
    found, front = {base}, [base]
    while front:
        here = front.pop()
        for j in job.composition.decisions.space.joints:
            for a, b in ((j.tab, j.slot), (j.slot, j.tab)):
                if a == here and b not in found and b in job.pieces:
                    found.add(b)
                    front.append(b)
    return found - {base}
