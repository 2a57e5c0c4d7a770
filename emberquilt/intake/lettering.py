"""Typed words as outlines: openings in a sheet, or letters of their own. Shaped by HarfBuzz, drawn by fontTools."""

import io
import math
import unicodedata
from dataclasses import dataclass
from functools import cache
from importlib.resources import files

import numpy as np
import shapely
import uharfbuzz
from fontTools.pens.recordingPen import DecomposingRecordingPen
from fontTools.ttLib import TTFont
from shapely.affinity import translate

from ..errors import BadDrawing
from ..outline.plates import plate_round
from .painted import region_of

FONTS = {
    "alegreya-sans": ("Alegreya Sans, heavy: Latin, Greek, Cyrillic", ("latin", "latin-ext", "greek", "cyrillic"), 800),
    "hepta-slab": ("Hepta Slab, heavy", ("latin", "latin-ext"), 800),
    "saira-stencil-one": ("Saira Stencil One: bridges wide enough to saw", ("latin", "latin-ext"), 400),
    "allerta-stencil": ("Allerta Stencil: no letter loses its centre", ("latin",), 400),
    "abril-fatface": ("Abril Fatface, thick and thin", ("latin", "latin-ext"), 400),
    "lobster": ("Lobster, joined script, also Cyrillic", ("latin", "latin-ext", "cyrillic"), 400),
    "fredoka": ("Fredoka, round", ("latin", "latin-ext"), 700),
}
"""Shipped fonts: what they are, the alphabets they hold, and their weight."""
OTHERWISE = "alegreya-sans"
"""Letters that a font has not are set in this one."""
MOST_LETTERS, MOST_LINES = 120, 8
MOST_FONT_BYTES = 20_000_000
STEPS = 16
LINE_EM = 1.1


@dataclass(frozen=True)
class Lettering:
    """Letters as regions in em units, y downwards, without a sheet: each line of text below the one before."""

    letters: list[shapely.Geometry]
    missing: tuple[str, ...]
    lent: tuple[str, ...] = ()
    """Letters that the font has not, set in another."""
    drawn: tuple[tuple[str, shapely.Geometry], ...] = ()
    """Each letter and its own region, marks and dots with it; where they overlap they are one in `letters`."""


def set_text(text: str, font: bytes | str, spacing_percent: float = 0.0, bend_deg: float = 0.0) -> Lettering:
    """Words in a shipped font (its name) or an uploaded one (its bytes); `spacing_percent` of an em is added between
    letters; `bend_deg` lays each line on an arc over that angle, hollow below when positive. Raises `BadDrawing`."""
    lines = [line.strip() for line in text.strip().splitlines() if line.strip()]
    if not lines:
        raise BadDrawing("Type the words first.")
    if len(lines) > MOST_LINES or sum(map(len, lines)) > MOST_LETTERS:
        raise BadDrawing(f"Up to {MOST_LETTERS} letters in {MOST_LINES} lines can be set at a time.")
    own, others = _faces(font)
    drawn: list[tuple[str, shapely.Geometry]] = []
    missing: list[str] = []
    lent: list[str] = []
    for row, line in enumerate(lines):
        # a letter made of one and a mark is set as one where a font has it so
        shapes, lost, borrowed = _set(own, others, unicodedata.normalize("NFC", line), spacing_percent / 100)
        missing += lost
        lent += borrowed
        if not shapes:
            continue
        left, _, right, _ = shapely.total_bounds(np.array([s for _, s in shapes]))
        for letter, shape in shapes:
            centred = translate(shape, -(left + right) / 2)
            if bend_deg:
                centred = _bent(centred, right - left, math.radians(bend_deg))
            drawn.append((letter, translate(centred, 0, row * LINE_EM)))
    if not drawn:
        raise BadDrawing("This font has none of these letters. Choose another.")
    letters = apart([shape for _, shape in drawn])
    return Lettering(letters, tuple(dict.fromkeys(missing)), tuple(dict.fromkeys(lent)), tuple(drawn))


def open_font(font: bytes | str) -> TTFont:
    if isinstance(font, str):
        if font not in FONTS:
            raise BadDrawing(f"There is no font “{font}” here.")
        return _shipped(font)
    if len(font) > MOST_FONT_BYTES:
        raise BadDrawing(f"This font is {len(font) / 1e6:.0f} MB; up to {MOST_FONT_BYTES / 1e6:.0f} MB can be read.")
    try:
        face = TTFont(io.BytesIO(font), lazy=True)
        if not face.getBestCmap() or not len(face.getGlyphSet()):
            raise BadDrawing("This font has no letters.")
        return face
    except BadDrawing:
        raise
    except Exception as problem:  # a broken font makes the reader raise whatever it meets
        raise BadDrawing("This file is no font that can be read. Bring a TTF, OTF, WOFF or WOFF2 file.") from problem


@cache
def _shipped(name: str, alphabet: str = "latin") -> TTFont:
    file = f"{name}-{alphabet}-{FONTS[name][2]}-normal.woff"
    return TTFont(io.BytesIO((files("emberquilt") / "data" / "fonts" / file).read_bytes()))


def _faces(font: bytes | str) -> tuple[list[TTFont], list[TTFont]]:
    """The faces of a font, one for each alphabet, and those that lend what these have not."""
    own = [open_font(font)]
    if isinstance(font, str):
        own += [_shipped(font, alphabet) for alphabet in FONTS[font][1][1:]]
    others = [] if font == OTHERWISE else [_shipped(OTHERWISE, alphabet) for alphabet in FONTS[OTHERWISE][1]]
    return own, others


def _runs(faces: list[TTFont], line: str) -> list[tuple[TTFont, str]]:
    """A line in runs that one face can set; what none has stays with the face before it."""
    runs: list[tuple[TTFont, str]] = []
    for letter in line:
        now = runs[-1][0] if runs else faces[0]
        keeps = letter.isspace() or unicodedata.combining(letter) or ord(letter) in now.getBestCmap()
        face = now if keeps else next((f for f in faces if ord(letter) in f.getBestCmap()), now)
        if runs and face is now:
            runs[-1] = (face, runs[-1][1] + letter)
        else:
            runs.append((face, letter))
    return runs


def _plain(face: TTFont) -> bytes:
    """The font without web compression, as HarfBuzz wants it."""
    buffer = io.BytesIO()
    flavor, face.flavor = face.flavor, None
    face.save(buffer, reorderTables=False)
    face.flavor = flavor
    return buffer.getvalue()


def _set(
    own: list[TTFont], others: list[TTFont], line: str, spacing_em: float
) -> tuple[list[tuple[str, shapely.Geometry]], list[str], list[str]]:
    """Letters of one line side by side, in ems, baseline at 0; those that no face has, and those that were lent."""
    shapes: list[tuple[str, shapely.Geometry]] = []
    missing: list[str] = []
    lent: list[str] = []
    x = 0.0
    for face, run in _runs([*own, *others], line):
        made, lost, wide = _line(face, run, spacing_em)
        shapes += [(letter, translate(shape, x)) for letter, shape in made]
        missing += lost
        lent += [] if face in own else [letter for letter in run if not letter.isspace()]
        x += wide
    return shapes, missing, lent


def _line(face: TTFont, line: str, spacing_em: float) -> tuple[list[tuple[str, shapely.Geometry]], list[str], float]:
    """Letters of one run side by side, in ems, baseline at 0; those it has not; and how far it goes."""
    try:
        shaper = uharfbuzz.Font(uharfbuzz.Face(_plain(face)))
        buffer = uharfbuzz.Buffer()
        buffer.add_str(line)
        buffer.guess_segment_properties()
        uharfbuzz.shape(shaper, buffer, {"kern": True, "liga": spacing_em == 0})
        glyphs, order, em = face.getGlyphSet(), face.getGlyphOrder(), face["head"].unitsPerEm
        shapes, x, missing = [], 0.0, []
        for info, place in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True):
            if info.codepoint == 0:
                missing.append(line[info.cluster])
            else:
                outline = glyph_region(glyphs, order[info.codepoint])
                if not outline.is_empty:
                    move = np.array([x + place.x_offset, place.y_offset])
                    placed = shapely.transform(outline, lambda xy, m=move: (xy + m) * [1 / em, -1 / em])
                    shapes.append((line[info.cluster], placed))
            x += place.x_advance + spacing_em * em
    except Exception as problem:
        raise BadDrawing("This font is damaged: its letters cannot be drawn.") from problem
    return shapes, missing, x / em


def glyph_region(glyphs, name: str) -> shapely.Geometry:
    """The filled region of a glyph in font units, y upwards; contours by the nonzero rule."""
    pen = DecomposingRecordingPen(glyphs)
    glyphs[name].draw(pen)
    lines: list[np.ndarray] = []
    current: list[np.ndarray] = []
    for what, points in pen.value:
        if what == "moveTo":
            current = [np.array(points[0], float)]
        elif what == "lineTo":
            current.append(np.array(points[0], float))
        elif what == "curveTo":
            current += _cubic([current[-1], *(np.array(p, float) for p in points)])
        elif what == "qCurveTo":
            current = _quadratics(current, points)
        elif len(current) > 2:
            lines.append(np.array(current))
    return region_of(lines, False)


def _cubic(p: list[np.ndarray]) -> list[np.ndarray]:
    t = np.linspace(0, 1, STEPS + 1)[1:, None]
    s = 1 - t
    return list(s**3 * p[0] + 3 * s * s * t * p[1] + 3 * s * t * t * p[2] + t**3 * p[3])


def _quadratics(current: list[np.ndarray], points) -> list[np.ndarray]:
    """TrueType runs: between two off-curve points lies an on-curve one; a contour may have none at all."""
    if points[-1] is None:
        off = [np.array(p, float) for p in points[:-1]]
        start = (off[-1] + off[0]) / 2
        current, points = [start], [*points[:-1], tuple(start)]
    ends = [np.array(p, float) for p in points]
    for i, control in enumerate(ends[:-1]):
        end = ends[-1] if i == len(ends) - 2 else (control + ends[i + 1]) / 2
        t = np.linspace(0, 1, STEPS + 1)[1:, None]
        s = 1 - t
        current = current + list(s * s * current[-1] + 2 * s * t * control + t * t * end)
    return current


def _bent(shape: shapely.Geometry, width: float, bend: float) -> shapely.Geometry:
    """A line of text laid on an arc: its baseline keeps its length."""
    radius = width / bend
    fine = shapely.segmentize(shape, 0.03)

    def move(xy: np.ndarray) -> np.ndarray:
        angle = xy[:, 0] / radius
        return np.c_[(radius - xy[:, 1]) * np.sin(angle), radius - (radius - xy[:, 1]) * np.cos(angle)]

    return shapely.transform(fine, move)


def apart(letters: list[shapely.Geometry]) -> list[shapely.Geometry]:
    """Letters that overlap, as in a joined script, are one."""
    whole = shapely.union_all(np.array([shapely.make_valid(s) for s in letters]))
    return [p for p in shapely.get_parts(whole) if p.geom_type == "Polygon" and p.area > 1e-6]


def lettered(
    lettering: Lettering, letters: str, outline: str, margin_share: float
) -> tuple[list[shapely.Polygon], list[int]]:
    """Faces and the positions of those that are openings, still in ems. `margin_share` of the words' width round them.

    openings: a sheet with the letters cut out; a letter's centre is a piece that nothing holds. letters: the letters
    are the pieces and what their centres enclose is open.
    """
    words = shapely.union_all(np.array(lettering.letters))
    left, _, right, _ = words.bounds
    faces: list[shapely.Polygon] = []
    openings: list[int] = []
    centres = [shapely.Polygon(ring) for p in lettering.letters for ring in p.interiors]
    inner = [q for c in centres for q in shapely.get_parts(shapely.difference(c, words)) if q.geom_type == "Polygon"]
    if letters == "letters":
        faces = [*lettering.letters, *inner]
        return faces, list(range(len(lettering.letters), len(faces)))
    sheet = plate_round(outline, words.bounds, margin_share * (right - left))
    filled = shapely.union_all(np.array([shapely.Polygon(p.exterior) for p in lettering.letters]))
    faces = [q for q in shapely.get_parts(shapely.difference(sheet, filled)) if q.geom_type == "Polygon"]
    faces += inner
    openings = list(range(len(faces), len(faces) + len(lettering.letters)))
    return [*faces, *lettering.letters], openings
