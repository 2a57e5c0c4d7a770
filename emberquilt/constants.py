"""Numbers that stand once, each with its source."""

MM_PER_INCH = 25.4
"""International yard and pound agreement of 1959, exact."""

MM3_PER_BOARD_FOOT = 144 * MM_PER_INCH**3
"""One board foot is 144 cubic inches (American Softwood Lumber Standard, PS 20, definition of board measure)."""

GRID_MM = 0.001
"""Outlines live on this grid. It is fine enough that nobody can saw it, and coarse enough that
coordinates survive being written as text with three decimals."""

PAPERS_MM = {
    "Letter": (8.5 * MM_PER_INCH, 11 * MM_PER_INCH),
    "Legal": (8.5 * MM_PER_INCH, 14 * MM_PER_INCH),
    "Tabloid": (11 * MM_PER_INCH, 17 * MM_PER_INCH),
    "A4": (210.0, 297.0),
    "A3": (297.0, 420.0),
}
"""ISO 216 A4 and A3; ANSI/ASME Y14.1 sizes A and B; Legal from memory."""
ROLL = "Roll"
ROLL_MM = 24 * MM_PER_INCH
"""A roll 24 in wide, cut off where the drawing ends: common practice, no source."""
LONGEST_ROLL_MM = 5000.0

SMALLEST_BIT_MM = 0.8
"""1/32 in: the smallest drill bit that is kept in a shop. Common practice, no source."""

HOLE_WASTE_MM = 0.5
"""Waste that a pilot hole keeps all round it. Common practice, no source."""

PRINT_MARGIN_MM = 12.0
"""Page printers do not print to the edge; common practice, no source."""

GREATEST_WIDTH_MM = 5000.0
SMALLEST_WIDTH_MM = 10.0
