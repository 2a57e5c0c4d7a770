"""Verbs that decide how it goes together: each a pure function from what is acted on and values to an `Edit`."""

from ..errors import BadChoice
from ..work.change import Edit, decided
from ..work.register import Values, verb
from ..work.view import Target


@verb("anchor", on="pieces")
def set_anchor(target: Target, _values: Values) -> Edit:
    """The piece that is put down first in its layer."""
    if len(target.pieces) != 1:
        raise BadChoice("An anchor is one piece. Choose one.")
    composition, piece = target.composition, target.pieces[0]
    here = composition.home[piece.key].key
    rest = tuple(k for k in composition.decisions.assembly.anchors if composition.home[k].key != here)
    return decided(composition, f"anchor on {piece.number}", "assembly", anchors=(*rest, piece.key))
