"""Milling as a cutting diagram: each step the board seen on edge, or on end where it is ripped, with what is lost.

Lengths are drawn at one scale, thickness at another that shows what a planer takes.
"""

from dataclasses import dataclass

from ..stock.milling import Mill, Milling
from ..units import roman

LEAST_PX, MOST_PX = 70.0, 190.0
THICK_PX_A_MM = 1.0
MOST_TALL_PX = 34.0
OUT_PX = 6.0
LEAST_LOST_PX = 1.6
"""What is lost is drawn no thinner than this: it would not be seen."""


@dataclass(frozen=True)
class DrawnMill:
    """One step: `wide` by `tall` pixels of wood, `lost` rectangles of it (x, y, width, height) that become dust, `cuts`
    as lines (x1, y1, x2, y2), `stays` a rectangle that goes back on the rack."""

    mill: Mill
    number: str
    wide: float
    tall: float
    lost: tuple[tuple[float, float, float, float], ...]
    cuts: tuple[tuple[float, float, float, float], ...]
    stays: tuple[float, float, float, float] | None = None

    @property
    def box_wide(self) -> float:
        """Of what it is drawn in, with room for cuts that stick out at both ends."""
        return _r(self.wide + 2 * OUT_PX)

    @property
    def down(self) -> float:
        """Where its upper edge lies, so that all stand on one line."""
        return _r(MOST_TALL_PX - self.tall)


def milling_drawing(milling: Milling) -> tuple[DrawnMill, ...]:
    """Every step in its order."""
    mills = milling.mills
    longest = max((_across(mill) for mill in mills), default=1.0)
    scale = MOST_PX / longest
    return tuple(_drawn(roman(n), mill, scale) for n, mill in enumerate(mills, 1))


def _across(mill: Mill) -> float:
    if mill.how == "panel":
        return mill.after.wide_mm
    return mill.before.wide_mm if mill.how == "rip" else mill.before.long_mm


def _glued(mill: Mill, number: str, wide: float, tall: float) -> DrawnMill:
    """A panel on end: its seams."""
    seams = tuple(
        (_r(wide * i / mill.blanks), 0.0, _r(wide * i / mill.blanks), _r(tall)) for i in range(1, mill.blanks)
    )
    return DrawnMill(mill, number, _r(wide), _r(tall), (), seams)


def _drawn(number: str, mill: Mill, scale: float) -> DrawnMill:
    across = _across(mill)
    wide = max(LEAST_PX, across * scale)
    high = min(THICK_PX_A_MM, MOST_TALL_PX / mill.before.thick_mm)
    tall = mill.before.thick_mm * high
    x_scale = wide / across
    if mill.how in ("crosscut", "rip", "section"):
        lines, stays = _across_cuts(mill, x_scale, tall, wide)
        return DrawnMill(mill, number, _r(wide), _r(tall), (), lines, stays)
    if mill.how == "resaw":
        return _resawn(mill, number, wide, tall, high)
    off = max(LEAST_LOST_PX, (mill.before.thick_mm - mill.after.thick_mm) * high)
    if mill.how == "panel":
        return _glued(mill, number, wide, tall)
    if mill.how == "joint":
        return DrawnMill(mill, number, _r(wide), _r(tall), ((0.0, _r(tall - off), _r(wide), _r(off)),), ())
    half = max(LEAST_LOST_PX, off / 2)
    lost = ((0.0, 0.0, _r(wide), _r(half)), (0.0, _r(tall - half), _r(wide), _r(half)))
    return DrawnMill(mill, number, _r(wide), _r(tall), lost, ())


def _across_cuts(mill: Mill, scale: float, tall: float, wide: float):
    """Cuts through the whole thickness, and what goes back on the rack beyond them."""
    begin = 0.0 if mill.how == "rip" else mill.begin_mm
    lines = tuple((_r((at - begin) * scale), -4.0, _r((at - begin) * scale), _r(tall + 4)) for at in mill.cuts_mm)
    if mill.rest is None or not lines:
        return lines, None
    rest = mill.rest.wide_mm if mill.how == "rip" else mill.rest.long_mm
    at = 0.0 if mill.rest_first else wide - rest * scale
    return lines, (_r(at), 0.0, _r(rest * scale), _r(tall))


def _resawn(mill: Mill, number: str, wide: float, tall: float, high: float) -> DrawnMill:
    lost, cuts = [], []
    count = mill.count - (mill.rest is None)
    rest = mill.rest.thick_mm if mill.rest else 0.0
    kerf = (mill.before.thick_mm - mill.count * mill.after.thick_mm - rest) / max(1, count)
    for i in range(1, count + 1):
        y = (i * mill.after.thick_mm + (i - 1) * kerf) * high
        lost.append((0.0, _r(y), _r(wide), _r(max(LEAST_LOST_PX, kerf * high))))
        middle = _r(y + kerf * high / 2)
        cuts.append((-5.0, middle, _r(wide + 5), middle))
    stays = (0.0, _r(tall - rest * high), _r(wide), _r(rest * high)) if mill.rest else None
    return DrawnMill(mill, number, _r(wide), _r(tall), tuple(lost), tuple(cuts), stays)


def _r(v: float) -> float:
    return round(v, 1)


def short_words(mill: Mill, say) -> str:
    """What a step does, as shortly as it is read under a small drawing."""
    thick = say(mill.after.thick_mm)
    return {
        "crosscut": f"{mill.board} crosscut at {say(mill.cuts_mm[0]) if mill.cuts_mm else ''}",
        "rip": f"{mill.board} on end: rip "
        + (f"{mill.count} strips of " if mill.count > 1 else "to ")
        + say(mill.after.wide_mm),
        "joint": f"{mill.board} joint {'the strips' if mill.blanks > 1 else 'face and edge'}",
        "panel": f"{mill.board} glue up of {mill.blanks}",
        "flatten": f"{mill.board} flatten to {thick}",
        "resaw": f"{mill.board} resaw, {mill.count} leaves",
        "plane": f"{mill.board} plane to {thick}",
        "carrier": f"{mill.board} to {thick} on a carrier",
        "hand": f"{mill.board} to {thick} by hand",
        "section": f"{mill.board} in {len(mill.cuts_mm) + 1} sections",
    }[mill.how]
