"""What stands on the wood and what it does to its colour: clear finishes, oil, stains, dyes by coats, paint.

A clear finish carries the raw colour towards the finished one of the table, some farther than others (common practice,
no source). A dye is taken as a filter that light passes twice: what comes back is the wood's colour times the dye's, to
the power of its coats over `FULL_COATS` (Beer and Lambert's law; own model). A stain lies as a thin layer of pigment:
half of it hides, half of it filters. Paint hides all; as a wash a part of it does, and flicked on it covers a part.
"""

import re
from dataclasses import dataclass
from functools import cache

import numpy as np

from ..colour import hex_of, lab_of, lab_of_linear, linear_of, rgb_of
from ..errors import BadChoice

FULL_COATS = 4
"""Coats of dye that bring its full depth: common practice, no source."""
MOST_COATS = 8
CLEAR = {"lacquer": 0.8, "poly": 1.0, "gel": 1.0, "shellac": 1.05, "oil": 1.15, "raw": 0.0}
"""How far a finish carries a wood from its raw to its finished colour. Common practice, no source."""
AMBER = {"shellac": 2.5, "oil": 1.5}
"""How much yellower (CIELAB b) it is than a clear film. Common practice, no source."""
COATS = {
    "": "as the picture is finished",
    "raw": "raw",
    "oil": "oil",
    "shellac": "shellac",
    "lacquer": "clear lacquer",
    "stain": "stain",
    "dye": "dye",
    "paint": "paint",
    "wash": "paint, thinned as a wash",
    "speckle": "paint, flicked on",
}
COLOURED = ("stain", "dye", "paint", "wash", "speckle")
STAIN_HIDES = 0.5
WASH_HIDES = 0.3
"""Of acrylic paint with as much water: own estimate."""
SPECKLE_COVERS = 0.15
"""Of the face: own estimate."""


@dataclass(frozen=True, slots=True)
class Coat:
    """What one piece wears: a clear finish by name, or stain, dye or paint with its colour, dye with its coats."""

    kind: str = ""
    colour: str = ""
    coats: int = 1

    @property
    def text(self) -> str:
        """As it is kept: ``dye #2a5c8a 3``."""
        if self.kind not in COLOURED:
            return self.kind
        return f"{self.kind} {self.colour} {self.coats}" if self.kind == "dye" else f"{self.kind} {self.colour}"

    @property
    def words(self) -> str:
        if self.kind == "dye":
            return f"dyed {self.colour}, {self.coats} coat{'s' if self.coats != 1 else ''}"
        done = {"stain": "stained", "paint": "painted", "wash": "washed", "speckle": "speckled"}.get(self.kind)
        return f"{done} {self.colour}" if done else COATS[self.kind]


@cache
def coat_of(text: str) -> Coat:
    """The coat that `text` describes. Raises `BadChoice`."""
    found = re.fullmatch(r"(\w*)(?: (#[0-9a-fA-F]{6}))?(?: (\d{1,2}))?", text.strip())
    kind = found[1] if found else ""
    if found is None or kind not in COATS or (kind in COLOURED) != bool(found[2]):
        raise BadChoice(f"“{text[:40]}” is no coat. Choose a finish, or stain, dye or paint with a colour.")
    coats = int(found[3] or 1)
    if not 1 <= coats <= MOST_COATS:
        raise BadChoice(f"Dye goes on in 1 to {MOST_COATS} coats; {coats} is not that.")
    return Coat(kind, (found[2] or "").lower(), coats)


@cache
def coated_lab(raw: str, finished: str, coat: str, finish: str) -> tuple[float, float, float]:
    """CIELAB of a wood (raw and finished sRGB hex) under a piece's own coat, or else the picture's `finish`."""
    one = coat_of(coat)
    clear = one.kind if one.kind in CLEAR else finish if finish in CLEAR else "poly"
    bare, full = np.array(lab_of(raw)), np.array(lab_of(finished))
    lab = bare + CLEAR[clear] * (full - bare) + np.array([0.0, 0.0, AMBER.get(clear, 0.0)])
    lab[0] = np.clip(lab[0], 0.0, 100.0)
    if one.kind not in COLOURED:
        return tuple(lab.tolist())
    if one.kind == "paint":
        return lab_of(one.colour)
    wood_lin, tint = linear_of(rgb_of(hex_of(lab))), linear_of(rgb_of(one.colour))
    if one.kind == "dye":
        seen = wood_lin * np.maximum(tint, 1e-3) ** (one.coats / FULL_COATS)
    elif one.kind == "speckle":
        seen = SPECKLE_COVERS * tint + (1 - SPECKLE_COVERS) * wood_lin
    elif one.kind == "wash":
        seen = WASH_HIDES * tint + (1 - WASH_HIDES) * wood_lin
    else:
        seen = STAIN_HIDES * tint + (1 - STAIN_HIDES) * wood_lin * np.maximum(tint, 1e-3) ** 0.5
    return lab_of_linear(seen)
