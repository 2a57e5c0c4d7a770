"""How large a file may be."""

MOST_UPLOAD = 60_000_000
