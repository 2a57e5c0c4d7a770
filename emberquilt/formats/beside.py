"""What may go along with a work in its project file when that is wished: photos from the bench, the story told of it,
the journal of edits, and the boards its parts lie on with their photos."""

import datetime as dt
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass, field
from typing import Any

from ..errors import BadDrawing, BadProject
from ..hours import FIRST_YEAR, LAST_YEAR
from ..intake.raster_source import read_picture
from ..rack.boards import DEFECTS, Board, Defect

MOST_JOURNAL = 500
"""Edits that go along, the latest ones."""
JPEG = b"\xff\xd8\xff"


@dataclass(frozen=True)
class Photo:
    """A photo from the bench, a JPEG; `name` as the phone called it, `at` when it was taken (ISO 8601)."""

    name: str
    step: str
    part: str
    at: str
    jpeg: bytes


@dataclass(frozen=True)
class BoardAlong:
    """A board and its photo as it was taken, what was marked on it, and the face made of it (a JPEG)."""

    board: Board
    data: bytes = b""
    marks: dict[str, Any] = field(default_factory=dict)
    face: bytes = b""
    px_per_mm: float = 0.0


@dataclass(frozen=True)
class Beside:
    """`story`: text, care, maker, and the name of the photo that shows it. `journal`: edits with what they did and what
    takes them back, as the workshop keeps them; so many of them, `cursor`, are done, the rest undone."""

    photos: tuple[Photo, ...] = ()
    story: dict[str, str] = field(default_factory=dict)
    boards: tuple[BoardAlong, ...] = ()
    journal: tuple[dict[str, Any], ...] = ()
    cursor: int = 0

    def document(self) -> dict[str, Any]:
        """What stands of it in the document; nothing where nothing goes along."""
        told: dict[str, Any] = {}
        if self.photos:
            told["photos"] = [
                {"file": f"photos/{i}.jpg", "name": p.name, "step": p.step, "part": p.part, "at": p.at}
                for i, p in enumerate(self.photos, 1)
            ]
        if self.story:
            told["story"] = self.story
        if self.boards:
            told["boards"] = [_board_document(i, one) for i, one in enumerate(self.boards, 1)]
        if self.journal:
            told["journal"] = {"entries": list(self.journal), "cursor": self.cursor}
        return told

    def files(self) -> Iterator[tuple[str, bytes]]:
        """Entries of the archive beside the document."""
        for i, photo in enumerate(self.photos, 1):
            yield f"photos/{i}.jpg", photo.jpeg
        for i, one in enumerate(self.boards, 1):
            if one.face:
                yield f"boards/{i}.photo", one.data
                yield f"boards/{i}-face.jpg", one.face


def _board_document(i: int, one: BoardAlong) -> dict[str, Any]:
    values = asdict(one.board)
    told = {name: values[name] for name in BOARD_FIELDS}
    told |= {"outline": list(map(list, one.board.outline)), "lab": list(one.board.lab) if one.board.lab else None}
    told["defects"] = [{"kind": d.kind, "ring": list(map(list, d.ring))} for d in one.board.defects]
    if one.face:
        told |= {"photo": f"boards/{i}.photo", "face": f"boards/{i}-face.jpg"}
        told |= {"px_per_mm": one.px_per_mm, "marks": one.marks}
    return told


BOARD_FIELDS = ("wood", "name", "length_mm", "width_mm", "thickness_mm", "grain_deg", "spread", "offcut")


def beside_of(document: dict[str, Any], read: Callable[[str], bytes]) -> Beside:
    """Back from a checked document; `read` gives the bytes of an entry, none where it is not there. Raises
    `BadProject`."""
    photos = tuple(_photo(values, read) for values in document.get("photos", ()))
    if len({p.name for p in photos}) < len(photos):
        raise BadProject("Two photos in this project file have the same name.")
    boards = tuple(_board(values, read) for values in document.get("boards", ()))
    if len({one.board.name for one in boards}) < len(boards):
        raise BadProject("Two boards in this project file have the same mark.")
    journal = document.get("journal", {"entries": (), "cursor": 0})
    if journal["cursor"] > len(journal["entries"]):
        raise BadProject("The journal in this project file is damaged.")
    for entry in journal["entries"]:
        _when(entry["at"])
    return Beside(photos, document.get("story", {}), boards, tuple(journal["entries"]), journal["cursor"])


def _when(text: str) -> None:
    try:
        year = dt.datetime.fromisoformat(text).year
    except ValueError:
        raise BadProject("A date in this project file is damaged.") from None
    if not FIRST_YEAR <= year <= LAST_YEAR:
        raise BadProject(f"A date in this project file lies in the year {year}; it is refused.")


def _picture(data: bytes, jpeg: bool = True) -> bytes:
    try:
        if jpeg and not data.startswith(JPEG):
            raise BadDrawing("no JPEG")
        read_picture(data)
    except BadDrawing:
        raise BadProject("A photo in this project file is damaged.") from None
    return data


def _photo(values: dict[str, Any], read: Callable[[str], bytes]) -> Photo:
    _when(values["at"])
    return Photo(values["name"], values["step"], values["part"], values["at"], _picture(read(values["file"])))


def _board(values: dict[str, Any], read: Callable[[str], bytes]) -> BoardAlong:
    if any(d["kind"] not in DEFECTS for d in values.get("defects", ())):
        raise BadProject("A flaw on a board in this project file is of no kind that is known here.")
    board = Board(
        0,
        **{name: values[name] for name in BOARD_FIELDS if name in values},
        outline=tuple(map(tuple, values.get("outline", ()))),
        defects=tuple(Defect(d["kind"], tuple(map(tuple, d["ring"]))) for d in values.get("defects", ())),
        lab=tuple(values["lab"]) if values.get("lab") else None,
    )
    rings = [ring for ring in (board.outline, *(d.ring for d in board.defects)) if ring]
    if any(len(ring) < 3 for ring in rings) or not board.region.is_valid or board.region.area <= 0:
        raise BadProject(f"The outline of board {board.name} in this project file is damaged.")
    if not values.get("face"):
        return BoardAlong(board)
    if not 0 < values.get("px_per_mm", 0) <= 100:
        raise BadProject(f"The photo of board {board.name} in this project file is of no size.")
    face, data = _picture(read(values["face"])), _picture(read(values.get("photo", "")), jpeg=False)
    return BoardAlong(board, data, values.get("marks", {}), face, values["px_per_mm"])
