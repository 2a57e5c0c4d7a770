"""A fresh composition from the pieces that were found in a drawing."""

from ..intake.proposal import Proposal
from ..outline.details import MOST_DETAILS
from ..practice import Practice
from ..work.composition import Composition, Layer, Piece
from ..work.decisions import Decisions, PatternDecisions


def composition_of(proposal: Proposal, name: str, practice: Practice) -> Composition:
    """A fresh composition from an accepted proposal: numbers in reading order, nothing decided yet."""
    colours = proposal.colours
    openings = set(proposal.openings)
    solid = iter(range(1, len(proposal.coverage) + 1))
    numbers = {key: 0 if key in openings else next(solid) for key in proposal.coverage.keys}
    pieces = tuple(
        Piece(key, numbers[key], colour=colours.get(key, ""), opening=key in openings) for key in proposal.coverage.keys
    )
    kind = "sheet" if openings else "mosaic"
    layer = Layer(1, "Picture", kind, proposal.coverage, pieces)
    # the longest, where there are more than a picture can keep
    details = tuple(sorted(proposal.lines, key=lambda d: -d.geometry.length)[:MOST_DETAILS])
    decided = Decisions(pattern=PatternDecisions(lettered=bool(openings), details=details))
    return Composition(
        name, proposal.width_mm, proposal.height_mm, (layer,), practice, decided, intake_findings=proposal.findings
    )
