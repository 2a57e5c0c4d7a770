"""What the page of a brought drawing offers to turn, by the kind of drawing."""

from emberquilt.errors import BadDrawing
from emberquilt.intake.knobs import CHOICES, KINDS, LIMITS, PICTURED, SIZES, Knobs
from emberquilt.intake.lettering import FONTS
from emberquilt.intake.propose import recognise
from emberquilt.practice import Practice

from .models import Draft

WORDS = {
    "kind": "Read it as",
    "smallest_mm": "No piece narrower than",
    "gap_mm": "Bridge gaps up to",
    "smooth": "Smoothness",
    "ink": "Ink darkness",
    "tones": "Tones",
    "by": "Told apart",
    "more_tones": "Tones there",
    "outside": "Paper round it",
    "lines_up_to_mm": "Lines up to",
    "page": "Page",
    "unit": "A unit in it is",
    "font": "Letters in",
    "letters": "Cut as",
    "spacing": "Apart, % of their height",
    "bend_deg": "Bent over, degrees",
    "outline": "Outline",
    "margin_mm": "Margin",
    "across": "Width to height",
    "figure": "Cut it as",
    "stays": "What stays",
    "bridge_mm": "Bridges so wide",
    "bridge_count": "Bridges to a part",
    "frame_mm": "A frame round it",
    "widen_mm": "Strokes wider by",
    "eyes_mm": "Close eyes under",
    "dots": "Dots",
    "hold": "Centres",
    "finer_tones": "Tones in a piece",
}
FIT_TO_SAW = ("widen_mm", "eyes_mm", "dots", "hold", "bridge_mm", "bridge_count")
OFFERED = {
    "picture": ("kind",),
    "line picture": ("lines_up_to_mm", "gap_mm", "smooth", "ink", "outside", "smallest_mm"),
    "painted picture": ("lines_up_to_mm", "gap_mm", "smooth", "outside", "smallest_mm"),
    "photo": ("tones", "by", "smooth", "smallest_mm", "more_tones"),
    "figure": ("figure", "tones", "by", "smooth", "smallest_mm", "outside"),
    "fretwork": ("stays", "ink", "frame_mm", "bridge_mm", "bridge_count", "smooth", "smallest_mm"),
    "svg": ("kind",),
    "painted": ("lines_up_to_mm", "outside", "smallest_mm"),
    "line": ("lines_up_to_mm", "gap_mm", "outside", "smallest_mm"),
    "pdf": ("page", "kind"),
    "dxf": ("unit",),
    "text": ("font", "letters", *FIT_TO_SAW, "outline", "margin_mm", "spacing", "bend_deg"),
    "blank": ("outline", "across"),
}
PLACEHOLDERS = {"gap_mm": "as it looks", "lines_up_to_mm": "as it looks", "smallest_mm": "any"}
PLACEHOLDERS |= {"widen_mm": "nothing", "eyes_mm": "nothing"}
RANGES = ("smooth", "ink", "tones", "more_tones", "bridge_count", "finer_tones")
ASKED = {"more_tones": "more", "finer_tones": "finer"}
"""Knobs that are shown once something was marked for them."""


def sort_of(row: Draft) -> str:
    """text, blank, or what the file is by its content."""
    if row.knobs.get("kind") in ("text", "blank"):
        return row.knobs["kind"]
    try:
        return recognise(bytes(row.data))
    except BadDrawing:
        return "picture"


def knob_context(row: Draft, practice: Practice) -> dict:
    """The fields of the form beside the picture, and the tools that mark places on it."""
    sort = sort_of(row)
    told, *_ = (row.result or {}).get("read_as") or [row.knobs.get("kind") or "line"]
    photo = told == "photo"
    read_as = f"{told} picture" if sort == "picture" and told in ("line", "painted") else told
    found_up_to = (row.result or {}).get("lines_up_to_mm")
    names = OFFERED[sort] + (() if sort in ("text", "blank") else (*OFFERED.get(read_as, ()), "finer_tones"))
    fields = [
        {
            "name": name,
            "words": WORDS[name],
            "value": row.knobs.get(name, _usual(name, practice)),
            "choices": _choices(name),
            "limits": LIMITS.get(name),
            "range": name in RANGES,
            "placeholder": practice.offered(found_up_to)
            if name == "lines_up_to_mm" and found_up_to
            else PLACEHOLDERS.get(name, ""),
        }
        for name in names
        if name not in ASKED or row.knobs.get(ASKED[name])
    ]
    pictured = sort == "picture"
    words = bytes(row.data).decode(errors="replace") if sort == "text" else ""
    return {
        "fields": fields,
        "sizes": SIZES,
        "knobs": row.knobs,
        "sort": sort,
        "pictured": pictured,
        "photo": photo,
        "read": told,
        "text": words,
    }


def _usual(name: str, practice: Practice):
    """What a knob says before it is turned; lengths as one would type them."""
    value = getattr(Knobs(), name)
    if not name.endswith("_mm"):
        return f"{value:g}" if isinstance(value, float) else value
    return practice.offered(value) if value else ""


def _choices(name: str) -> dict[str, str] | None:
    if name == "font":
        return {code: words for code, (words, *_) in FONTS.items()}
    if name == "kind":
        return {code: KINDS[code] for code in ("auto", "line", "painted", *PICTURED)}
    return CHOICES.get(name)


def wanted_pieces(row: Draft, typed: str = "") -> int:
    """How many pieces at most: as the slider stands, else as it stood; 0 for all."""
    text = typed or str(row.knobs.get("simplify", ""))
    return int(text) if text.isdecimal() and len(text) < 7 else 0
