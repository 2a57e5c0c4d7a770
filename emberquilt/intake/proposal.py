"""What intake found in a drawing, before the person accepts it."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace

from ..findings import Finding
from ..outline.coverage import Coverage
from ..outline.details import Detail
from ..outline.numbering import reading_order

Progress = Callable[[float, str], None]
"""Called with a share from 0 to 1 and a few words; raises `errors.Cancelled` to stop the work."""


def no_progress(_share: float, _words: str) -> None:
    """For callers that do not watch."""


@dataclass(frozen=True)
class ReadAs:
    """How a drawing was read: a kind of `knobs.KINDS`, and why in a few words."""

    kind: str
    why: str


@dataclass(frozen=True)
class Other:
    """Another kind a drawing also fits: how many pieces it would give, and how much of the sheet would look like the
    source, 0 to 1."""

    kind: str
    words: str
    pieces: int
    likeness: float
    knobs: tuple[tuple[str, str], ...] = ()
    """What is to be turned for it."""
    picture: bytes = b""
    """Its pieces, small, as PNG."""


@dataclass(frozen=True)
class Proposal:
    """Pieces over the sheet, in mm. `faces` are the regions counted in the source, before they became outlines."""

    coverage: Coverage
    width_mm: float
    height_mm: float
    kind: str
    faces: int
    source_box_mm: tuple[float, float, float, float]
    """Where the source's own picture lies over the sheet: left, top, width, height."""
    findings: tuple[Finding, ...] = ()
    colours: dict[int, str] = field(default_factory=dict)
    openings: tuple[int, ...] = ()
    """Keys of faces that are cut away: the sheet keeps standing round them."""
    traces: tuple[tuple[str, float, float], ...] = ()
    """What was done where, in mm: bridged, merged or lost."""
    pages: int = 1
    """Pages of the file, of which one was read."""
    left_out: tuple[str, ...] = ()
    """What the file held that is not used: scripts, outside pictures."""
    read_as: ReadAs = ReadAs("line", "")
    others: tuple[Other, ...] = ()
    lines: tuple[Detail, ...] = ()
    """Details that free nothing."""
    corners: tuple[tuple[float, float], ...] = ()
    """Of the sheet that was straightened, as shares of the picture, from the upper left clockwise."""
    lines_up_to_mm: float | None = None
    """Dark shapes up to this width were taken as lines; None where nothing was."""

    @property
    def is_valid(self) -> bool:
        return self.coverage.is_valid and len(self.coverage) == self.faces


def in_reading_order(proposal: Proposal) -> Proposal:
    """Its pieces numbered from 1 as one reads."""
    order = reading_order(proposal.coverage)
    return replace(
        proposal,
        coverage=Coverage(range(1, len(order) + 1), [proposal.coverage.by_key[k] for k in order]),
        faces=len(order),
        colours={i: proposal.colours[k] for i, k in enumerate(order, 1) if proposal.colours.get(k)},
        openings=tuple(i for i, k in enumerate(order, 1) if k in proposal.openings),
    )
