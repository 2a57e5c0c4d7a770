"""Project files with one value put wrong, as a slip, a foreign program or an attacker would."""

import copy
import io
import json
import zipfile
from dataclasses import replace

from emberquilt.findings import Finding
from emberquilt.formats.project import Project, document_of
from tests.walks import small_work

WRONG = (
    "NaN",
    "Infinity",
    "1e999",
    "-1",
    "0",
    "1.5",
    "1e300",
    str(2**64),
    "true",
    "null",
    '""',
    '"9-1"',
    '"0-9999999"',
    '"2026-02-31"',
    '"0000-00-00"',
    '"9999-12-31"',
    '"0001-01-01T00:00:00+14:00"',
    '"\\u0000"',
    '"\\ud800"',
    '"=1+1"',
    "[]",
    "{}",
    "[[1]]",
    "[" * 50 + "]" * 50,
    '"' + "x" * 900 + '"',
)


def sound_document() -> dict:
    """A project that uses everything a project file can hold."""
    work = small_work("three")
    decided = work.decisions.changed(
        {
            "whole": {
                "copies": 2,
                "accepted": {"hidden:1": "as meant"},
                "lost": [{"station": "saw", "words": "Gone."}],
            },
            "wood": {
                "together": ["fin"],
                "flows": [{"line": [[0, 0], [30.5, 20]], "keys": "1-3,5"}],
                "palettes": [{"name": "pale", "woods": [["holly", "1-4"], ["maple", "5"]]}],
                "packs": [{"layer": 2, "woods": ["cherry", "walnut"], "turn": {"1": 1}}],
                "look": {"gloss": "gloss", "from_deg": 90.0, "frame": "cherry", "frame_mm": 20.0, "wall": "#aabbcc"},
            },
        }
    )
    finding = Finding(
        "left-out", "pattern", "Something was left out.", "It cannot be read.", (1,), (3.0, 4.0), 2.0, 1.0, "mm"
    )
    log = (
        {
            "part": "1",
            "step": "saw",
            "what": "done",
            "minutes": 3.5,
            "estimate_minutes": 3.0,
            "at": "2026-11-20T19:00:00+00:00",
        },
        {
            "part": "2/2",
            "step": "saw",
            "what": "broke",
            "minutes": None,
            "estimate_minutes": None,
            "at": "2026-11-20T19:10:00",
        },
    )
    project = Project(replace(work, decisions=decided, intake_findings=(finding,)), "2026-11-25T10:00:00", log)
    # as a file gives it back: lists in place of tuples
    return json.loads(json.dumps(document_of(project)))


def places(value, path=()):
    """Where something stands in the document, the long lists of points only once each."""
    yield path
    if isinstance(value, dict):
        for name, inner in value.items():
            yield from places(inner, (*path, name))
    elif isinstance(value, list):
        for i, inner in enumerate(value[:2]):
            yield from places(inner, (*path, i))


def project_file(document: dict, path=(), wrong: str = "") -> bytes:
    """The file of a document, with what stands at `path` replaced by this JSON text."""
    document = copy.deepcopy(document)
    if path:
        home = document
        for name in path[:-1]:
            home = home[name]
        home[path[-1]] = "@wrong@"
    text = json.dumps(document).replace('"@wrong@"', wrong)
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr("composition.json", text)
    return buffer.getvalue()
