"""Verbs that decide how it goes together: each a pure function from what is acted on and values to an `Edit`."""

from dataclasses import replace

from ..errors import BadChoice
from ..keys import keys_in, pairs_in, pairs_text, runs
from ..work.change import Edit, decided
from ..work.composition import Piece
from ..work.decisions import Fit
from ..work.fitted import found_at
from ..work.register import Values, verb
from ..work.setting import length_of, named, number, of, whole_number
from ..work.view import Target
from .clamping import HOLDS
from .dryfit import FOUND, USUAL_MM
from .supplies import glues

MOST_OFF_MM = 20.0
MOST_DRAFT_DEG = 15.0
MOST_COPIES = 99


@verb("anchor", on="pieces")
def set_anchor(target: Target, _values: Values) -> Edit:
    """The piece that is put down first in its layer."""
    if len(target.pieces) != 1:
        raise BadChoice("An anchor is one piece. Choose one.")
    composition, piece = target.composition, target.pieces[0]
    here = composition.home[piece.key].key
    rest = tuple(k for k in composition.decisions.assembly.anchors if composition.home[k].key != here)
    return decided(composition, f"anchor on {piece.number}", "assembly", anchors=(*rest, piece.key))


@verb("bundle", on="pieces")
def tie_bundle(target: Target, _values: Values) -> Edit:
    """Pieces that touch each other are put together by themselves and go on as one."""
    made = _chosen(target)
    if len(made) < 2:
        raise BadChoice("A bundle is two pieces or more that touch each other. Choose them.")
    decisions, mine = target.composition.decisions.assembly, {p.key for p in made}
    rest = [run for old in decisions.bundles if len(keys := set(keys_in(old)) - mine) > 1 for run in (runs(keys),)]
    return decided(target.composition, f"bundle of {of(made)}", "assembly", bundles=(*rest, runs(mine)))


@verb("untie", on="pieces")
def untie_bundle(target: Target, _values: Values) -> Edit:
    """Bundles that a person tied of the chosen pieces are none any more."""
    mine, bundles = {p.key for p in _chosen(target)}, target.composition.decisions.assembly.bundles
    kept = tuple(run for run in bundles if not mine & set(keys_in(run)))
    if kept == bundles:
        raise BadChoice("You tied no bundle with these. What the work itself ties goes together for a reason.")
    return decided(target.composition, f"untied {of(_chosen(target))}", "assembly", bundles=kept)


@verb("glue_with", on="pieces")
def glue_with(target: Target, values: Values) -> Edit:
    """Pieces with a glue of their own, or again with the usual one."""
    code = str(values.get("glue", ""))
    if code and code not in glues():
        raise BadChoice(f"“{code[:20]}” is no glue that is known here.")
    return _said(target, "glue", "glues", code)


@verb("hold", on="pieces")
def hold_with(target: Target, values: Values) -> Edit:
    """What presses these pieces, or again what is worked out."""
    kind = str(values.get("hold", ""))
    if kind and kind not in HOLDS:
        raise BadChoice(f"“{kind[:20]}” presses nothing here. Choose clamps, cauls, weights, a sand bag or a hand.")
    return _said(target, "clamps", "holds", kind)


@verb("draft", on="pieces")
def give_draft(target: Target, values: Values) -> Edit:
    """By how many degrees the edges of pieces are sanded under, so that they drop in."""
    deg = number(values.get("deg") or 0, "degrees")
    if not 0 <= deg <= MOST_DRAFT_DEG:
        raise BadChoice(f"{deg:g}° is out of range here: from 0 to {MOST_DRAFT_DEG:g}.")
    return _said(target, "draft", "drafts", deg or None)


def _said(target: Target, words: str, table: str, value) -> Edit:
    """One value for the chosen pieces, or none again."""
    made = _chosen(target)
    old = getattr(target.composition.decisions.assembly, table)
    rest = {key: told for key, told in old.items() if key not in {p.key for p in made}}
    given = dict.fromkeys((p.key for p in made), value) if value else {}
    return decided(target.composition, f"{words} of {of(made)}", "assembly", **{table: rest | given})


@verb("mask", on="pieces")
def mask_faces(target: Target, values: Values) -> Edit:
    """Where something is glued on these their face stays bare under a coat, as it usually does; or not."""
    off = values.get("off") == "yes"
    return _listed(target, not off, "unmasked", f"{'no ' if off else ''}mask on")


@verb("seal", on="pieces")
def seal_faces(target: Target, values: Values) -> Edit:
    """These are glued over their whole face, so that nothing that is poured gets under them."""
    off = values.get("off") == "yes"
    return _listed(target, off, "sealed", f"{'no ' if off else ''}sealing glue under")


def _listed(target: Target, off: bool, name: str, words: str) -> Edit:
    """The chosen pieces on a list of the station, or off it."""
    made = _chosen(target)
    mine = {p.key for p in made}
    rest = [key for key in getattr(target.composition.decisions.assembly, name) if key not in mine]
    told = tuple(rest if off else [*rest, *sorted(mine)])
    return decided(target.composition, f"{words} {of(made)}", "assembly", **{name: told})


@verb("fit", on="pieces")
def say_fit(target: Target, values: Values) -> Edit:
    """What was found at the seam of two pieces of a copy: ok, tight or a gap, and by how much; or nothing again."""
    found = str(values.get("found", ""))
    if found not in ("", *FOUND):
        raise BadChoice("A seam fits, is tight, or gapes. Say one of the three.")
    a, b, copy = _seam_of(target, values)
    mm = 0.0
    if found in ("tight", "gap"):
        mm = length_of(values, target.composition, "mm", 0.0, MOST_OFF_MM, USUAL_MM)
    old = found_at(target.composition, a.key, b.key, copy)
    kept = replace(old, found=found, mm=round(mm, 4)) if old else Fit(a.key, b.key, found, round(mm, 4), copy)
    words = FOUND.get(found, "looked at again")
    return _with_fit(target, kept if found else None, a.key, b.key, copy, f"{a.number} and {b.number}: {words}")


@verb("sanded", on="pieces")
def say_sanded(target: Target, values: Values) -> Edit:
    """Of two pieces of a copy one was sanded at their seam, by so much, and now they fit."""
    a, b, copy = _seam_of(target, values)
    which = whole_number(values.get("sand", ""), 0, 10**7)
    if which not in (a.key, b.key):
        raise BadChoice(f"Say which of the two was sanded: {a.number} or {b.number}.")
    mm = length_of(values, target.composition, "mm", 0.0, MOST_OFF_MM, USUAL_MM)
    old = found_at(target.composition, a.key, b.key, copy)
    had = old.off_mm if old is not None and old.sanded == which else 0.0
    total = round(min(had + mm, 2 * MOST_OFF_MM), 4)
    sanded = a if a.key == which else b
    fit = Fit(a.key, b.key, "ok", 0.0, copy, which, total)
    return _with_fit(target, fit, a.key, b.key, copy, f"{sanded.number} sanded to fit")


def _seam_of(target: Target, values: Values) -> tuple[Piece, Piece, int]:
    """Two pieces that touch each other, in the order of their keys, and the copy that is meant."""
    made = sorted(_chosen(target), key=lambda p: p.key)
    copies = target.composition.decisions.whole.copies
    copy = whole_number(values.get("copy", 1), 1, min(copies, MOST_COPIES))
    if len(made) != 2:
        raise BadChoice("A seam lies between two pieces. Choose both.")
    a, b = made
    home = target.composition.home[a.key]
    if b.key not in home.coverage.by_key or b.key not in home.without_openings.coverage.neighbours[a.key]:
        raise BadChoice(f"{named(made)} do not touch: there is no seam between them.")
    return a, b, copy


def _with_fit(target: Target, fit: Fit | None, a: int, b: int, copy: int, label: str) -> Edit:
    """Seams that simply fit are kept as pairs: there are thousands of them."""
    decided_ = target.composition.decisions.assembly
    rest = tuple(one for one in decided_.fits if (one.a, one.b, one.copy) != (a, b, copy))
    pairs = set(pairs_in(decided_.right.get(copy, ""))) - {(a, b)}
    plain = fit is not None and fit.found == "ok" and not fit.sanded
    if plain:
        pairs.add((a, b))
    right = {n: text for n, text in decided_.right.items() if n != copy}
    if pairs:
        right[copy] = pairs_text(pairs)
    fits = (*rest, fit) if fit is not None and not plain else rest
    return decided(target.composition, label, "assembly", fits=fits, right=right)


def _chosen(target: Target) -> tuple[Piece, ...]:
    """The chosen pieces that are made of something. Raises `BadChoice` for none."""
    made = tuple(p for p in target.pieces if not p.opening)
    if not made:
        raise BadChoice("Choose pieces first that are made of something.")
    return made
