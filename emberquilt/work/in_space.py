"""What was decided about parts that do not lie flat on each other: bodies in slices, joints of tabs and slots."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from ..outline.details import Affine, moved_line
from .reshaped import Reshaped

Point = tuple[float, float]
JOINTS = {"tab": "a tab in a slot", "half": "two slots that cross"}


@dataclass(frozen=True, slots=True)
class Slice:
    """Piece `piece` is of the slice `level`, counted from 0 where the body begins; the body's own middle lies at
    (`x_mm`, `y_mm`) of the sheet, for this slice."""

    piece: int
    level: int
    x_mm: float
    y_mm: float


@dataclass(frozen=True, slots=True)
class PinRun:
    """A square pin through slices `first` to `last`, its middle so far right and up of the body's own middle."""

    x_mm: float
    y_mm: float
    first: int
    last: int


@dataclass(frozen=True, slots=True)
class Body:
    """A layer's pieces are slices of one body, `height_mm` high, cut along `along` (x, y or z) every `thickness_mm`;
    `pin_mm` the side of its pins, 0 for none."""

    layer: int
    along: str
    thickness_mm: float
    height_mm: float
    slices: tuple[Slice, ...]
    pin_mm: float = 0.0
    pins: tuple[PinRun, ...] = ()
    count: int = 0

    @property
    def by_piece(self) -> dict[int, Slice]:
        return {one.piece: one for one in self.slices}

    def moved(self, move: Affine) -> "Body":
        """On a sheet that is moved or scaled: the slices follow, their thickness does not."""
        a, b, _, d, e, _ = move
        scale = abs(a * e - b * d) ** 0.5
        places = moved_line([(s.x_mm, s.y_mm) for s in self.slices], move) if self.slices else ()
        slices = tuple(replace(s, x_mm=x, y_mm=y) for s, (x, y) in zip(self.slices, places, strict=True))
        flipped = -1.0 if a * e - b * d < 0 else 1.0
        pins = tuple(
            replace(p, x_mm=round(p.x_mm * scale * flipped, 3), y_mm=round(p.y_mm * scale, 3)) for p in self.pins
        )
        return replace(
            self, slices=slices, pins=pins, height_mm=round(self.height_mm * scale, 4), pin_mm=self.pin_mm * scale
        )


@dataclass(frozen=True, slots=True)
class Joint:
    """A tab of the piece `tab` goes into a slot of the piece `slot`. `foot`: the line on the tab's piece where its tab
    begins, which stands out towards `tip`; `middle`: the middle line of the slot, the end that the foot's first end
    comes to named first. `deep_mm` how far the tab goes in, 0 for all the way through. `wide_mm` and `out_mm`: how wide
    the drawing's own slot is and how far its tab stands out, 0 where the drawing has none. `lean_deg` how far the tab's
    piece leans off the square; `behind`: it stands on the slot's back. Of `half` joints both lines run from the edge to
    where the slots end, and `tip` means nothing."""

    tab: int
    slot: int
    foot: tuple[Point, Point]
    middle: tuple[Point, Point]
    tip: Point = (0.0, 0.0)
    kind: str = "tab"
    deep_mm: float = 0.0
    wide_mm: float = 0.0
    out_mm: float = 0.0
    lean_deg: float = 0.0
    behind: bool = False

    def moved(self, move: Affine) -> "Joint":
        foot, middle = moved_line(self.foot, move), moved_line(self.middle, move)
        a, b, _, d, e, _ = move
        scale = abs(a * e - b * d) ** 0.5
        return replace(
            self,
            foot=(foot[0], foot[1]),
            middle=(middle[0], middle[1]),
            tip=moved_line((self.tip, self.tip), move)[0],
            wide_mm=self.wide_mm * scale,
            out_mm=self.out_mm * scale,
            deep_mm=self.deep_mm * scale,
        )


@dataclass(frozen=True, slots=True)
class Block:
    """Two layers are faces of one block, seen from the front and from its right: their pieces are what is sawn through
    it. The front's upper left corner lies at (`left_mm`, `top_mm`) of the sheet, the fold between them `wide_mm`
    farther, both feet `long_mm` below. `dowel_mm` is the bore along its length, at (`dowel_x`, `dowel_z`) from the left
    and from the back."""

    front: int
    side: int
    wide_mm: float
    deep_mm: float
    long_mm: float
    dowel_mm: float = 0.0
    dowel_x: float = 0.0
    dowel_z: float = 0.0
    left_mm: float = 0.0
    top_mm: float = 0.0

    def moved(self, move: Affine) -> "Block":
        a, b, _, d, e, _ = move
        left, top = moved_line(((self.left_mm, self.top_mm), (0.0, 0.0)), move)[0]
        scale = abs(a * e - b * d) ** 0.5
        return replace(
            self,
            wide_mm=self.wide_mm * scale,
            deep_mm=self.deep_mm * scale,
            long_mm=self.long_mm * scale,
            dowel_x=self.dowel_x * scale,
            dowel_z=self.dowel_z * scale,
            left_mm=left,
            top_mm=top,
        )


@dataclass(frozen=True)
class SpaceDecisions:
    """`bodies` in slices; `joints` of parts that stand in each other; `blocks` sawn from two sides; `clearance_mm` that
    a slot is wider than what goes in, `corners` how its inner corners are (square or eased); `upright`: parts that
    stand although nothing holds them."""

    bodies: tuple[Body, ...] = ()
    joints: tuple[Joint, ...] = ()
    blocks: tuple[Block, ...] = ()
    clearance_mm: float | None = None
    corners: str = ""
    upright: tuple[int, ...] = ()

    def thicker(self, scale: float) -> "SpaceDecisions":
        """The same in stock that is so many times as thick."""
        bodies = tuple(replace(body, thickness_mm=round(body.thickness_mm * scale, 4)) for body in self.bodies)
        return replace(self, bodies=bodies) if self.bodies else self

    def block_of(self, layer: int) -> Block | None:
        return next((block for block in self.blocks if layer in (block.front, block.side)), None)

    def body_of(self, layer: int) -> Body | None:
        return next((body for body in self.bodies if body.layer == layer), None)

    def moved(self, move: Affine) -> "SpaceDecisions":
        if not self.bodies and not self.joints and not self.blocks:
            return self
        return replace(
            self,
            bodies=tuple(body.moved(move) for body in self.bodies),
            joints=tuple(joint.moved(move) for joint in self.joints),
            blocks=tuple(block.moved(move) for block in self.blocks),
        )

    def after(self, change: Reshaped) -> tuple["SpaceDecisions", list[str]]:
        lost = []
        bodies = []
        for body in self.bodies:
            kept = tuple(s for s in body.slices if s.piece in change.pieces)
            if body.layer in change.layers and kept:
                bodies.append(replace(body, slices=kept))
            else:
                lost.append("A body is gone with its slices.")
        joints = tuple(j for j in self.joints if j.tab in change.pieces and j.slot in change.pieces)
        lost += ["A joint is gone with its piece."] * (len(self.joints) - len(joints))
        upright = tuple(key for key in self.upright if key in change.pieces)
        blocks = tuple(b for b in self.blocks if {b.front, b.side} <= change.layers)
        lost += ["A block is gone with one of its faces."] * (len(self.blocks) - len(blocks))
        return replace(self, bodies=tuple(bodies), joints=joints, upright=upright, blocks=blocks), lost


@dataclass(frozen=True)
class MeshDecisions:
    """`meshes`: of each layer whose pieces are slices the body that they are cut from, packed (see `solid.mesh`)."""

    meshes: Mapping[int, str] = field(default_factory=dict)

    def after(self, change: Reshaped) -> tuple["MeshDecisions", list[str]]:
        return MeshDecisions({key: text for key, text in self.meshes.items() if key in change.layers}), []


def space_of(told: Mapping[str, Any]) -> SpaceDecisions:
    """Back from plain values."""
    clearance = told.get("clearance_mm")
    return SpaceDecisions(
        tuple(_body(**one) for one in told.get("bodies", ())),
        tuple(_joint(**one) for one in told.get("joints", ())),
        tuple(Block(**one) for one in told.get("blocks", ())),
        None if clearance is None else float(clearance),
        str(told.get("corners", "")),
        tuple(told.get("upright", ())),
    )


def _body(slices: Iterable = (), pins: Iterable = (), **told: Any) -> Body:
    """Slices and pins are kept as short lists."""
    return Body(slices=tuple(Slice(*one) for one in slices), pins=tuple(PinRun(*one) for one in pins), **told)


def _joint(foot, middle, tip=(0.0, 0.0), **told: Any) -> Joint:
    return Joint(foot=_line(foot), middle=_line(middle), tip=(float(tip[0]), float(tip[1])), **told)


def _line(told) -> tuple[Point, Point]:
    (x0, y0), (x1, y1) = told
    return (float(x0), float(y0)), (float(x1), float(y1))


def meshes_of(told: Mapping[str, Any]) -> MeshDecisions:
    return MeshDecisions({int(key): str(text) for key, text in told.get("meshes", {}).items()})
