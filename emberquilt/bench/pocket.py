"""The cards as a phone carries them: everything that the bench page needs to go on without its server.

Sentences are held once, in `texts`, and named by their number: most cards say what others say too, but for figures.
"""

import re
from collections.abc import Sequence
from typing import Any

import numpy as np
import shapely

from ..saw.cuts import SawPlan
from ..saw.steps import SAW_VERBS
from ..units import format_minutes
from ..work.composition import Composition
from ..work.copies import any_copy
from ..work.parts import Job
from ..work.readings import dress_of
from ..work.steps import Step
from .cards import Card
from .mending import HOWS, mends_of
from .remake import remake_of

PER_MM = 50
"""Outlines are whole numbers of so many a millimetre."""
STRAIGHT_MM = 0.03
"""What an outline may lose of its bends: less than a line is wide at the largest scale."""


FIGURES = re.compile(r"\d(?:[\d ,./×]*\d)?")
GAP = "\ue000"
"""Of those that stand for nothing by themselves: in what people write it is left out."""


class Once:
    """Each thing once; `self[thing]` is its number."""

    def __init__(self):
        self.numbers: dict[Any, int] = {}

    def __getitem__(self, thing: Any) -> int:
        return self.numbers.setdefault(thing, len(self.numbers))

    @property
    def rows(self) -> list:
        return list(self.numbers)


def moulded(sentences: Sequence[str]) -> tuple[list[str], list]:
    """Sentences that differ in their figures alone share a mould, with `GAP` for each figure: the moulds, and for each
    sentence its mould's number, or [number, figure, ...]."""
    moulds, rows = Once(), []
    for sentence in sentences:
        plain = sentence.replace(GAP, "")
        figures = FIGURES.findall(plain)
        mould = moulds[FIGURES.sub(GAP, plain)]
        rows.append([mould, *figures] if figures else mould)
    return moulds.rows, rows


def pocket_of(job: Job, steps: Sequence[Step], cards: Sequence[Card], saw: SawPlan) -> dict[str, Any]:
    """{"moulds", "texts", "steps": [[key, verb, each, [before, ...], parts and copy of what is no part's]],
    "cards": [row], "pieces", "dress", "layers", "w", "h", "mends", "remakes", "hows", "copies"}: rows as `_card_row`
    and others say."""
    texts, mends, remakes = Once(), Once(), Once()
    place = {step.key: i for i, step in enumerate(steps)}
    composition = job.composition
    rows = [_card_row(job, card, place[card.step.key], saw, texts) for card in cards]
    pieces = {str(p.key): _piece_row(job, p, texts, mends, remakes, saw) for p in composition.made}
    told_mends = [
        [[how, what, texts[why], [texts[line] for line in lines]] for how, what, why, lines in table]
        for table in mends.rows
    ]
    moulds, sentences = moulded(texts.rows)
    return {
        "cards": rows,
        "steps": [
            [step.key, step.verb, int(step.each), [place[key] for key in step.after if key in place]]
            + ([list(step.parts), step.copy] if not step.each else [])
            for step in steps
        ],
        "pieces": pieces,
        "layers": _layers(composition),
        # without words or arrow, lit in full
        "dress": {p.key: dress_of(composition, p, "full").row for p in composition.made},
        "w": composition.width_mm,
        "h": composition.height_mm,
        "moulds": moulds,
        "texts": sentences,
        "mends": told_mends,
        "remakes": [[list(lines), [list(board) for board in boards]] for lines, boards in remakes.rows],
        "hows": HOWS,
        "copies": job.copies,
    }


def _card_row(job: Job, card: Card, step: int, saw: SawPlan, texts: Once) -> list:
    """[step, title, lines, caution, estimate in minutes, the same in words, parts where it is done part by part, about
    the sawing]; the last is [blade, x, y, [hole x, y, ...]] or nothing. What stands at the end and is empty is left
    out."""
    row: list = [step, texts[card.title], [texts[line] for line in card.lines], texts[card.caution]]
    row += [round(card.estimate_minutes, 2), texts[format_minutes(card.estimate_minutes)]]
    if card.step.each:
        row.append(list(card.parts))
    if card.step.verb in SAW_VERBS:
        cut = saw.cut_at(card.step.key, any_copy(card.parts[0]))
        holes = [round(v, 1) for hole in cut.holes for v in (hole.x_mm, hole.y_mm)]
        row.append([texts[cut.blade.name], *(round(v, 1) for v in cut.start_mm), holes])
    return row


def _piece_row(job: Job, piece, texts: Once, mends: Once, remakes: Once, saw: SawPlan) -> list:
    """[number, what it is in words, layer, its mends, how it is made again, its board]."""
    composition, say = job.composition, job.composition.practice.say
    layer = composition.home[piece.key]
    made = job.pieces.get(piece.key)
    words = [piece.part] if piece.part else []
    words += [layer.name] if len(composition.layers) > 1 else []
    if made is None:
        return [piece.number, texts[", ".join(words)], layer.key]
    wood = composition.rack.shelf.get(made.material)
    words.append(f"{say(made.thickness_mm)} {wood.name.lower() if wood else made.material}")
    words.append(f"stands {say(job.lifted_mm(piece))}")
    table = tuple((how, m.what, m.why, m.lines) for how, m in mends_of(job, saw, str(piece.key)).items())
    again = remake_of(job, str(piece.key))
    placed = composition.placed(piece.key)
    return [
        piece.number,
        texts[", ".join(words)],
        layer.key,
        mends[table],
        remakes[tuple(texts[line] for line in again.lines), again.boards],
        placed.board if placed else "",
    ]


def _layers(composition: Composition) -> list[dict]:
    """The outlines of each layer without its openings, from the back to the front: [key, [ring, ...], x, y, r]; rings
    as `_rings` says, x, y and r of the fattest spot in mm."""
    told = []
    for layer in composition.layers:
        coverage = layer.without_openings.coverage
        rows = []
        for key in coverage.keys:
            spot = coverage.spots[key]
            place = (round(v, 1) for v in (spot.x_mm, spot.y_mm, spot.radius_mm))
            rows.append([key, _rings(coverage.by_key[key]), *place])
        told.append({"key": layer.key, "name": layer.name, "shapes": rows})
    return told


def _rings(outline: shapely.Geometry) -> list[list[int]]:
    """[x, y, dx, dy, dx, dy, ...] of each ring in 1/`PER_MM` mm: the first corner, then how far it is to each next."""
    rings = []
    for part in shapely.get_parts(shapely.simplify(outline, STRAIGHT_MM)):
        for ring in (part.exterior, *part.interiors):
            corners = np.rint(shapely.get_coordinates(ring)[:-1] * PER_MM).astype(int)
            rings.append(np.concatenate([corners[:1], np.diff(corners, axis=0)]).ravel().tolist())
    return rings
