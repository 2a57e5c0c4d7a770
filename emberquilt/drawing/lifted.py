"""The work lifted apart along one axis, as plain values for a picture: what is down, what is being glued above it, and
what still waits, sheet by sheet; with the faces that get glue, clamps and cauls, and a knot for every step."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import shapely

from ..assembly.bonds import bonds_of
from ..assembly.clamping import hold_of
from ..assembly.finishing import BEFORE, coatings_of
from ..assembly.knots import Knot
from ..assembly.tree import Assembly
from ..outline.paths import path_of
from ..plan import Plan
from ..work.contacts import Contact
from ..work.parts import Job, Part

SQUEEZE, SLOPE = 0.56, 0.16
"""A sheet stands upright and is seen from its right: so much of its width is left, and its right side is so much
higher."""
DEEP = (-0.62, 0.12)
"""Where a millimetre of thickness goes, towards the back."""
LEAST_STEP, MOST_STEP = 0.42, 1.15
"""From one sheet to the next, in widths of a sheet as it is seen."""
WIDE_TO_HIGH = 1.62
ROOM, NAMES = 0.03, 0.17
"""Left free round the drawing, and below it for names, in shares of its height."""
PANEL_PX, LETTER_PX = 870, 9.4
DRIFT = 0.05
"""Each next sheet stands lower by this share of the height."""
SIDES = 3
"""So often a part is drawn towards the back, in a darker tone, for its edge."""
MANY = 400
"""Of more parts none gets an edge, and outlines are simplified."""
MOST_FACES = 200
SHOWN = ("glue", "coat", "trim")
BARE = "#e7d3ad"
DARKER = 0.62


@dataclass
class Leaf:
    """What is drawn on one sheet of the string: a name, and parts by key."""

    key: str
    name: str
    words: str
    parts: list[str] = field(default_factory=list)
    bundle: bool = False


def lifted(plan: Plan, knot: Knot | None, knots: Sequence[Knot], lit: Iterable[int] = ()) -> dict[str, Any]:
    """All of it, or at one knot: then what is down before it lies on one sheet, and what it moves on the next."""
    made = _Lifted(plan, knot, knots, frozenset(lit))
    if knot is None and not made.lit:
        # what is seen first and most often
        return plan.job.once(("drawing", "lifted"), made.told)
    return made.told()


class _Lifted:
    def __init__(self, plan: Plan, knot: Knot | None, knots: Sequence[Knot], lit: frozenset[int]):
        self.plan, self.knot, self.knots, self.lit = plan, knot, knots, lit
        self.job: Job = plan.job
        self.practice = plan.composition.practice
        self.leaves = list(self._leaves())
        own = [part for part in self.job.of_one if part.id.role not in ("rail", "base", "block")]
        boxes = [part.outline.bounds for part in (*own, *(self.job.pieces[key] for key in self.job.fronts))]
        # a frame round nothing
        boxes = boxes or [(0.0, 0.0, plan.composition.width_mm, plan.composition.height_mm)]
        self.x0, self.y0 = min(b[0] for b in boxes), min(b[1] for b in boxes)
        self.wide, self.high = max(b[2] for b in boxes) - self.x0, max(b[3] for b in boxes) - self.y0
        self.step = self._step()
        self.plain = len(self.job.of_one) > MANY

    def _step(self) -> float:
        """As far apart as fills the panel."""
        seen, count = self.wide * SQUEEZE, len(self.leaves) - 1
        if not count:
            return 0.0
        step = (WIDE_TO_HIGH * self._tall(count) * (1 - 2 * ROOM) - seen) / count
        return float(np.clip(step, LEAST_STEP * seen, MOST_STEP * seen))

    def _tall(self, count: int) -> float:
        """Height of the drawing with the names below it."""
        return (self.high * (1 + count * DRIFT) + self.wide * SLOPE) / (1 - ROOM - NAMES)

    def _leaves(self) -> Iterable[Leaf]:
        """The sheets, back to front."""
        down = set(self.knot.down) if self.knot else set()
        moved = set(self.knot.moves) if self.knot and self.knot.batch else set()
        grounds = [part.key for part in self.job.grounds]
        base = Leaf("down", "Backer" if grounds and not down else "What is down", "", grounds)
        rest: list[Leaf] = []
        for one in self.plan.glue.tree.inside:
            if not one.layer:
                continue
            for part in (one, *one.inside):
                leaf = Leaf(part.key, self._name(part, one), "", bundle=part is not one)
                for key in part.parts:
                    # a bundle that is being put together is no part of what is down yet
                    apart = leaf.bundle and not self._is_on(part)
                    if key in down and not apart and key not in moved:
                        base.parts.append(key)
                    elif key not in grounds and (key not in moved or apart):
                        leaf.parts.append(key)
                if leaf.parts:
                    leaf.words = self._words(leaf.parts)
                    rest.append(leaf)
        if self.job.fronts:
            fronts = [str(key) for key in self.job.fronts]
            rest.append(Leaf("block", "Parts of a block", self._words(fronts), fronts))
        if base.parts:
            base.words = self._words(base.parts)
            yield base
        if moved and self.knot and self.knot.batch:
            going = [key for key in self.knot.moves if not any(key in leaf.parts for leaf in rest)]
            if going:
                yield Leaf("moves", self._moving(), self._words(going), going)
        yield from rest

    def _is_on(self, bundle: Assembly) -> bool:
        """A bundle that went on as one is down."""
        at = next((k for k in self.knots if k.batch is not None and k.batch.whole == bundle.key), None)
        return at is not None and self.knot is not None and at.number < self.knot.number

    def _moving(self) -> str:
        batch = self.knot.batch if self.knot else None
        if batch is None:
            return ""
        if batch.whole:
            return self.plan.glue.by_assembly[batch.whole].name
        if len(batch.steps) == 1 and batch.steps[0].piece:
            home = self.plan.composition.home[batch.steps[0].piece]
            return home.name if len(home.without_openings.pieces) == 1 else self.job.by_key[batch.steps[0].part].name
        return f"Batch {batch.number}"

    def _name(self, part: Assembly, layer: Assembly) -> str:
        return part.name if part is layer else f"Bundle {part.name}"

    def _words(self, keys: Sequence[str]) -> str:
        if len(keys) > 1:
            return f"{len(keys)} parts"
        part = self.job.by_key[keys[0]]
        wood = self.plan.composition.rack.shelf.get(part.material)
        said = self.practice.say(part.thickness_mm)
        return f"{said}, {wood.name.lower()}" if wood else said

    def told(self) -> dict[str, Any]:
        leaves = [self._leaf(i, leaf) for i, leaf in enumerate(self.leaves)]
        at = {key: i for i, leaf in enumerate(self.leaves) for key in leaf.parts}
        knots = list(self._knots(at))
        count = max(len(self.leaves) - 1, 0)
        high = self._tall(count)
        across = self.wide * SQUEEZE + count * self.step
        wide = max(across / (1 - 2 * ROOM), WIDE_TO_HIGH * high)
        # the panel's shape, so that nothing is drawn smaller than it could be
        high = max(high, wide / WIDE_TO_HIGH)
        left, top = (across - wide) / 2, -self.wide * SLOPE - ROOM * high
        self._name_rows(leaves, wide / PANEL_PX)
        return {
            "box": [round(v, 2) for v in (left, top, wide, high)],
            "unit": round(wide / PANEL_PX, 5),
            "leaves": leaves,
            "knots": knots,
            "clamps": self._clamps(),
            "cauls": self._cauls(),
            "string": [
                [round(v, 2) for v in self._spot(i, self.x0 + self.wide / 2, self.y0 + 0.45 * self.high)]
                for i in range(len(self.leaves))
            ],
        }

    def _name_rows(self, leaves: list[dict[str, Any]], unit: float) -> None:
        """A name that would run into the next one stands a row lower."""
        lower = False
        for i, leaf in enumerate(leaves):
            long = max(len(leaf["name"]) * LETTER_PX, len(leaf["words"]) * LETTER_PX * 0.78) * unit
            before = leaves[i - 1] if i else None
            lower = before is not None and not before["lower"] and before["long"] > self.step
            leaf |= {"lower": lower, "long": long}

    def _spot(self, i: int, x: float, y: float, z: float = 0.0) -> tuple[float, float]:
        """Where a place of a sheet is seen; `z` in mm towards the front."""
        x, y = x - self.x0, y - self.y0
        return (
            i * self.step + x * SQUEEZE - z * DEEP[0],
            y - x * SLOPE + i * DRIFT * self.high - z * DEEP[1],
        )

    def _leaf(self, i: int, leaf: Leaf) -> dict[str, Any]:
        ox, oy = self._spot(i, 0.0, 0.0)
        parts = sorted((self.job.by_key[key] for key in leaf.parts), key=lambda part: part.floor_mm)
        lowest = min((part.floor_mm for part in parts), default=0.0)
        x, y = self._spot(i, self.x0, self.y0 + self.high)
        return {
            "key": leaf.key,
            "name": leaf.name,
            "words": leaf.words,
            "bundle": leaf.bundle,
            "moves": leaf.key == "moves",
            "move": f"matrix({SQUEEZE} {-SLOPE} 0 1 {ox:.2f} {oy:.2f})",
            "parts": [self._part(part, lowest) for part in parts],
            "faces": list(self._faces(leaf, lowest)),
            "x": round(x, 2),
            "y": round(y, 2),
        }

    def _part(self, part: Part, lowest: float) -> dict[str, Any]:
        outline = shapely.simplify(part.outline, 0.4) if self.plain else part.outline
        path = path_of(outline)
        colour = self._colour(part)
        edges = []
        if not self.plain:
            for n in range(SIDES):
                z = part.floor_mm - lowest + part.thickness_mm * n / SIDES
                edges.append(self._shift(z))
        return {
            "key": part.key,
            "piece": part.id.piece if part.key.isdecimal() else 0,
            "name": part.name,
            "path": path,
            "fill": colour,
            "side": _darker(colour),
            "edges": edges,
            "shift": self._shift(part.top_mm - lowest),
            "lit": part.id.piece in self.lit and part.key.isdecimal(),
        }

    @staticmethod
    def _shift(z: float) -> str:
        """By how much a height moves what lies in a sheet's own plane."""
        x = -z * DEEP[0] / SQUEEZE
        return f"{x:.2f} {-z * DEEP[1] + x * SLOPE:.2f}"

    def _colour(self, part: Part) -> str:
        composition = self.plan.composition
        if part.key.isdecimal() and composition.wood_of(composition.by_key[part.id.piece]):
            return composition.seen.hex(composition.look_of(composition.by_key[part.id.piece]))
        wood = composition.rack.shelf.get(part.material)
        return wood.raw if wood else BARE

    def _faces(self, leaf: Leaf, lowest: float) -> Iterable[dict[str, Any]]:
        """Faces of a sheet on which glue goes: at a knot those of its batch, else all; on a coat told apart."""
        mine = set(leaf.parts)
        if self.knot is not None:
            if self.knot.batch is None:
                return
            bonds = [bond for step in self.knot.batch.steps for bond in step.bonds]
        else:
            bonds = list(bonds_of(self.job))
        # what lies on it in the same sheet hides it
        own = [bond for bond in bonds if bond.kind == "face" and bond.a in mine and bond.b not in mine]
        if not own or len(own) > MOST_FACES:
            return
        coated = {key for c in coatings_of(self.job) if c.when == BEFORE for key in c.parts if key not in c.masked}
        by_face: dict[tuple[float, bool], list[Contact]] = {}
        for bond in own:
            top = self.job.by_key[bond.a].top_mm
            by_face.setdefault((top, bond.a in coated), []).append(bond)
        for (top, on_coat), some in sorted(by_face.items()):
            region = shapely.union_all(
                np.array(
                    [self.job.by_key[b.a].outline.intersection(self.job.by_key[b.b].outline) for b in some], object
                )
            )
            if not region.is_empty:
                region = shapely.simplify(region, 0.4) if self.plain else region
                yield {"path": _areas(region), "shift": self._shift(top - lowest), "coat": on_coat}

    def _knots(self, at: dict[str, int]) -> Iterable[dict[str, Any]]:
        """The knot that is at hand, or all of which the place is plain: what is glued, trimmed or coated early."""
        taken: dict[int, int] = {}
        last = max((knot.number for knot in self.knots if knot.batch is not None), default=0)
        for knot in self.knots:
            current = self.knot is not None and knot.key == self.knot.key
            places = [at[key] for key in knot.moves if key in at]
            if not places or not (current if self.knot else knot.kind in SHOWN and knot.number <= last):
                continue
            i = min(places)
            keys = [key for key in knot.moves if at.get(key) == i]
            spots = [self.job.by_key[key].outline.centroid for key in keys]
            x, y = float(np.mean([s.x for s in spots])), float(np.mean([s.y for s in spots]))
            tops = max(self.job.by_key[key].thickness_mm for key in keys)
            px, py = self._spot(i, x, y, tops)
            taken[i] = taken.get(i, 0) + 1
            crowd = (taken[i] - 1) * 0.06 * self.high if knot.kind != "glue" else 0.0
            yield {
                "key": knot.key,
                "number": knot.number,
                "kind": knot.kind,
                "current": current,
                "x": round(px, 2),
                "y": round(py + crowd, 2),
                "words": knot.step.label,
            }

    def _hold(self):
        batch = self.knot.batch if self.knot else None
        return hold_of(self.job, self.plan.glue, batch) if batch else None

    def _front(self) -> tuple[int, float]:
        """The sheet that is pressed, and how high its front stands."""
        i = next((n for n, leaf in enumerate(self.leaves) if leaf.key == "moves"), 0)
        parts = [self.job.by_key[key] for key in self.leaves[i].parts] if self.leaves else []
        low = min((part.floor_mm for part in parts), default=0.0)
        return i, max((part.top_mm for part in parts), default=0.0) - low

    def _clamps(self) -> list[dict[str, Any]]:
        hold = self._hold()
        if hold is None:
            return []
        i, z = self._front()
        rows = []
        for clamp in hold.clamps:
            x, y = self._spot(i, clamp.x_mm, clamp.y_mm, z)
            turn = np.radians(clamp.heading_deg)
            tx, ty = self._spot(i, clamp.x_mm + np.cos(turn), clamp.y_mm + np.sin(turn), z)
            heading = float(np.degrees(np.arctan2(ty - y, tx - x)))
            rows.append({"kind": clamp.kind, "x": round(x, 2), "y": round(y, 2), "turn": round(heading, 1)})
        return rows

    def _cauls(self) -> list[dict[str, Any]]:
        hold = self._hold()
        if hold is None:
            return []
        i, z = self._front()
        rows = []
        for x0, y0, x1, y1 in hold.cauls:
            a, b = self._spot(i, x0, y0, z + 8.0), self._spot(i, x1, y1, z + 8.0)
            rows.append({"path": f"M{a[0]:.1f} {a[1]:.1f}L{b[0]:.1f} {b[1]:.1f}"})
        return rows


def _areas(region: shapely.Geometry) -> str:
    polygons = [part for part in shapely.get_parts(region) if part.geom_type == "Polygon"]
    return path_of(shapely.MultiPolygon(polygons)) if polygons else ""


def _darker(colour: str) -> str:
    values = [int(int(colour[i : i + 2], 16) * DARKER) for i in (1, 3, 5)]
    return "#{:02x}{:02x}{:02x}".format(*values)
