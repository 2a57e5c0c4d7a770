"""Heights: what each piece stands above the backer, the shims under it, and the totals."""

from collections import Counter
from dataclasses import dataclass

import shapely

from ..findings import Finding, Fix, name_pieces
from ..practice import Practice
from ..rack.woods import Shelf, woods
from ..work.composition import Layer


@dataclass(frozen=True)
class Relief:
    """Totals of one layer. `shims` counts by height; areas in mm2; `lowest` and `highest` are tops in mm."""

    lowest_mm: float
    highest_mm: float
    thicknesses: tuple[tuple[float, int], ...]
    shims: tuple[tuple[float, int, float], ...]
    undecided: int
    weight_kg: float
    """Of the pieces whose wood and thickness are known, at 12 % moisture, without shims and backer."""


def relief_of(layer: Layer, practice: Practice, shelf: Shelf | None = None) -> Relief:
    shelf = woods() if shelf is None else shelf
    decided = [p for p in layer.pieces if p.height_mm is not None]
    heights = [p.height_mm or 0.0 for p in decided] or [0.0]
    shimmed = [p for p in decided if p.shim_mm > 0]
    area = {p.key: shim_outline(layer.coverage.by_key[p.key], practice.shim_inset_mm).area for p in shimmed}
    shims = tuple(
        (mm, count, sum(area[p.key] for p in shimmed if p.shim_mm == mm))
        for mm, count in sorted(Counter(p.shim_mm for p in shimmed).items())
    )
    known = [p for p in decided if p.wood]
    area_m2 = {key: mm2 / 1e6 for key, mm2 in layer.coverage.area_mm2.items()}
    weight = sum(area_m2[p.key] * (p.thickness_mm or 0.0) / 1000 * shelf.wood(p.wood).density_kg_m3 for p in known)
    thicknesses = tuple(sorted(Counter(p.thickness_mm or 0.0 for p in decided).items()))
    return Relief(min(heights), max(heights), thicknesses, shims, len(layer.pieces) - len(decided), weight)


def shim_outline(outline: shapely.Polygon, inset_mm: float) -> shapely.Geometry:
    """The shim under a piece: smaller all round so that it never shows. Empty where the piece is too narrow for one."""
    return shapely.buffer(outline, -inset_mm, join_style="mitre")


def relief_findings(layer: Layer, practice: Practice) -> list[Finding]:
    findings = []
    bare = sorted((p for p in layer.pieces if p.thickness_mm is None), key=lambda p: p.number)
    if bare:
        keys = tuple(p.key for p in bare)
        words = "Piece" if len(bare) == 1 else f"{len(bare)} pieces"
        findings.append(
            Finding(
                "no-thickness",
                "relief",
                f"{words} without a stock thickness: {name_pieces([p.number for p in bare])}. "
                f"Until then {practice.say(practice.stock_mm)} is reckoned with.",
                "Heights, stock and blade follow from the thickness.",
                keys,
                amount=len(bare),
                limit=0,
                fix=Fix("Give them the usual stock", "thickness", {"pieces": list(keys), "mm": practice.stock_mm}),
            )
        )
    shimmed = sorted((p for p in layer.pieces if p.shim_mm > 0), key=lambda p: p.number)
    narrow = [p for p in shimmed if layer.coverage.spots[p.key].radius_mm <= practice.shim_inset_mm]
    if narrow:
        several = len(narrow) > 1
        findings.append(
            Finding(
                "no-room-for-shim",
                "relief",
                f"{name_pieces([p.number for p in narrow])} {'are' if several else 'is'} too narrow for a shim that stays "
                f"{practice.say(practice.shim_inset_mm)} inside the edge. Use thicker stock, or a narrower margin.",
                "Shims stay inside the piece so that they never show.",
                tuple(p.key for p in narrow),
                limit=practice.shim_inset_mm,
                unit="mm",
                fix=Fix("Thicker stock there", "thicken", {"pieces": [p.key for p in narrow]}),
            )
        )
    return findings
