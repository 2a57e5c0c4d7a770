"""Boards and off-cuts of the demo that were photographed from straight above: wood, outline in mm, and flaws as kind,
place and radius."""

Ring = list[tuple[float, float]]
Flaw = tuple[str, float, float, float]


def board(long: float, wide: float, bark: float = 0.0) -> Ring:
    """Four corners, or the upper edge as the bark left it."""
    if not bark:
        return [(0, 0), (long, 0), (long, wide), (0, wide)]
    swings = (0.5, 0.2, 0.6, 1.0, 0.7, 0.3, 0.0, 0.4, 0.8, 0.6)
    top = [(long * i / 9, bark * swing) for i, swing in enumerate(swings)]
    return [*top, (long, wide), (0, wide)]


FLAT: dict[str, tuple[str, Ring, tuple[Flaw, ...]]] = {
    "B1": ("blue_pine", board(1016, 267, 18), (("knot", 700, 150, 13), ("stain", 260, 60, 11))),
    "A1": ("aspen", board(838, 165), (("knot", 520, 110, 9),)),
    "G1": ("poplar", board(914, 229), (("knot", 640, 70, 12),)),
    "Y1": ("yellowheart", board(508, 114), ()),
    "W2": ("walnut", [(0, 6), (330, 0), (470, 10), (610, 44), (606, 140), (8, 134)], (("knot", 520, 96, 10),)),
    "B2": ("blue_pine", [(0, 14), (160, 2), (330, 8), (556, 0), (560, 114), (4, 110)], ()),
    "P1": ("padauk", [(0, 0), (250, 4), (300, 28), (296, 96), (10, 102)], (("split", 36, 84, 7),)),
    "E2": ("ebony", board(102, 38), ()),
    "M2": ("maple", [(0, 12), (60, 0), (270, 6), (310, 52), (280, 118), (16, 110)], (("stain", 236, 92, 10),)),
    "C4": ("cherry", [(0, 0), (230, 4), (286, 58), (240, 104), (0, 110)], ()),
    "A3": ("aspen", [(4, 0), (262, 6), (290, 40), (284, 122), (0, 116)], ()),
    "G2": ("poplar", [(0, 8), (300, 0), (340, 46), (330, 124), (10, 128)], (("knot", 300, 92, 9),)),
    "Y2": ("yellowheart", [(0, 0), (200, 4), (228, 40), (220, 92), (6, 96)], ()),
}
