"""How large a file may be."""

MOST_UPLOAD = 60_000_000
MOST_TYPED = 120_000
"""Signs in one knob: strokes over a picture are long."""
