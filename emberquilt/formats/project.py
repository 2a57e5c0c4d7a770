"""The project file: a ZIP with `composition.json` and the source drawing beside it. See docs/formats.md.

Reading trusts nothing: sizes are bounded before anything is unpacked, names outside the file are refused, the
document is checked against its JSON Schema, and the pieces must form a valid coverage.
"""

import datetime as dt
import io
import json
import zipfile
import zlib
from contextlib import suppress
from dataclasses import asdict, dataclass, field, replace
from functools import cache
from importlib.resources import files

import jsonschema
import numpy as np
import shapely

from ..calendar.placing import Impossible
from ..calendar.task import read_pin
from ..errors import BadChoice, BadProject, EmberError
from ..findings import Finding
from ..hours import FIRST_YEAR, LAST_YEAR, day_of
from ..keys import keys_in, pairs_in
from ..outline.coverage import Coverage, on_grid
from ..plain import HIDDEN, read_json, texts
from ..plan import Plan
from ..practice import Practice
from ..rack.coats import coat_of
from ..rack.rack import Rack
from ..rack.woods import Shelf, Wood, typed_wood, woods
from ..work.change import with_subjects
from ..work.composition import Composition, Layer, Piece, Placement
from ..work.decisions import Decisions
from ..work.passed_on import Origin, origin_of, passed_on
from .beside import Beside, beside_of
from .older import modern

FORMAT = "emberquilt-composition"
VERSION = 11
DOCUMENT = "composition.json"
MOST_BYTES = 240_000_000
MOST_ENTRIES = 1000
STAMP = (1980, 1, 1, 0, 0, 0)
"""Times inside the ZIP are fixed, so that the same composition gives the same bytes; the date stands in the
document."""


@dataclass(frozen=True)
class Project:
    """What one file carries. `log` are events as plain values; `source` the drawing's bytes under its plain name."""

    composition: Composition
    saved: str
    log: tuple[dict, ...] = ()
    source_name: str = ""
    source: bytes = b""
    origin: Origin = field(default_factory=Origin)
    beside: Beside = field(default_factory=Beside)
    """What goes along when it is wished."""

    def passed_on(self, practice: Practice | None = None) -> "Project":
        """Without what is its shop's alone; its log and photos are."""
        return replace(self, composition=passed_on(self.composition, practice), log=(), beside=Beside())


def write_project(project: Project) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        text = json.dumps(document_of(project), ensure_ascii=False, indent=1, sort_keys=True)
        archive.writestr(_entry(DOCUMENT), text.encode())
        if project.source:
            archive.writestr(_entry(f"source/{project.source_name}"), project.source)
        for name, data in project.beside.files():
            archive.writestr(_entry(name), data)
    return buffer.getvalue()


def _entry(name: str) -> zipfile.ZipInfo:
    info = zipfile.ZipInfo(name, STAMP)
    info.compress_type = zipfile.ZIP_DEFLATED
    info.external_attr = 0o644 << 16
    return info


def document_of(project: Project) -> dict:
    composition = project.composition
    return {
        "format": FORMAT,
        "version": VERSION,
        "saved": project.saved,
        "name": composition.name,
        "width_mm": composition.width_mm,
        "height_mm": composition.height_mm,
        "practice": composition.practice.as_dict(),
        "decisions": composition.decisions.as_dict(),
        "placements": {key: asdict(place) for key, place in composition.placements.items()},
        "intake": [finding.as_dict() for finding in composition.intake_findings],
        "layers": [_layer_document(layer) for layer in composition.layers],
        "log": list(project.log),
        "woods": [wood.as_dict() for wood in own_woods(composition)],
        "source": f"source/{project.source_name}" if project.source else "",
        "origin": asdict(project.origin),
        **project.beside.document(),
    }


def own_woods(composition: Composition) -> list[Wood]:
    """Woods that this work speaks of and that are not the shipped ones."""
    decided = composition.decisions
    codes = {composition.wood_of(p) for p in composition.pieces()}
    codes |= {code for pack in decided.wood.packs for code in pack.woods}
    codes |= {code for kept in decided.wood.palettes for code, _ in kept.woods}
    codes |= {own.material for own in (decided.relief.rails, decided.relief.base) if own is not None}
    shelf, shipped = composition.rack.shelf, woods()
    # what a shop pays for its wood is nobody else's business
    own = [replace(shelf[code], price=None) for code in sorted(codes) if code in shelf]
    return [wood for wood in own if shipped.get(wood.code) != wood]


def _layer_document(layer: Layer) -> dict:
    return {
        "key": layer.key,
        "name": layer.name,
        "kind": layer.kind,
        "thickness_mm": layer.thickness_mm,
        "material": layer.material,
        "note": layer.note,
        "trim_flush": layer.trim_flush,
        "pieces": [
            {
                "key": p.key,
                "number": p.number,
                "wood": p.wood,
                "grain_deg": p.grain_deg,
                "thickness_mm": p.thickness_mm,
                "shim_mm": p.shim_mm,
                "part": p.part,
                "colour": p.colour,
                "opening": p.opening,
                "coat": p.coat,
                "locked": p.locked,
                "rings": [
                    shapely.get_coordinates(ring)[:-1].round(3).tolist()
                    for ring in (layer.coverage.by_key[p.key].exterior, *layer.coverage.by_key[p.key].interiors)
                ],
            }
            for p in layer.pieces
        ],
    }


@cache
def schema(version: int = VERSION) -> dict:
    """The JSON Schema of documents of a version; one tells the first three."""
    name = f"composition-{max(version, 3)}.schema.json"
    return json.loads((files("emberquilt") / "data" / name).read_text(encoding="utf-8"))


def read_project(data: bytes) -> Project:
    """The project in these bytes. Raises `BadProject` with one sentence that says what is wrong."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            _check_entries(archive)
            if DOCUMENT not in archive.namelist():
                raise BadProject(f"This ZIP holds no {DOCUMENT}: it is no project file.")
            document = read_json(archive.read(DOCUMENT).decode())
            version = document.get("version") if isinstance(document, dict) else None
            _check_document(document, version)
            if document["version"] < VERSION:
                document = modern(document)
            source_name = document["source"].removeprefix("source/")
            names = set(archive.namelist())
            source = archive.read(document["source"]) if document["source"] in names else b""
            beside = beside_of(document, lambda name: archive.read(name) if name in names else b"")
    except zipfile.BadZipFile:
        raise BadProject("This file is no project file, or it was cut off on its way.") from None
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError):
        raise BadProject(f"The {DOCUMENT} in this file is damaged.") from None
    except (EOFError, OSError, NotImplementedError, RuntimeError, zlib.error) as problem:
        raise BadProject("This project file is damaged and cannot be unpacked.") from problem
    except (zipfile.LargeZipFile, ValueError) as problem:
        if isinstance(problem, BadProject | BadChoice):
            raise
        raise BadProject("This project file is damaged and cannot be unpacked.") from problem
    _check_log(document["log"])
    return Project(
        _composition(document),
        document["saved"],
        tuple(document["log"]),
        source_name,
        source,
        _origin(document.get("origin", {})),
        beside,
    )


def read_planned(data: bytes) -> Project:
    """The project, once it is sure that all of it can be planned: a file that would break a page is refused whole.
    Raises `BadProject`."""
    project = read_project(data)
    try:
        plan = Plan(project.composition)
        _ = plan.cards
        if not any(f.code == "no-dates" for f in plan.every_finding):
            with suppress(Impossible):  # a pin that cannot be kept is a finding
                _ = plan.schedule
    except Exception as problem:
        words = str(problem) if isinstance(problem, EmberError) else f"{type(problem).__name__}: {str(problem)[:80]}"
        raise BadProject(f"No plan can be made of this project file, so it is refused: {words}") from problem
    return project


def _origin(values: dict) -> Origin:
    try:
        return origin_of(values)
    except BadChoice:
        raise BadProject("The licence noted in this project file is none that is known here.") from None


def _check_log(log: list[dict]) -> None:
    for event in log:
        try:
            year = dt.datetime.fromisoformat(event["at"]).year
        except ValueError:
            raise BadProject("A date in this file's log is damaged.") from None
        if not FIRST_YEAR <= year <= LAST_YEAR:
            raise BadProject(f"A date in this file's log lies in the year {year}; it is refused.")


def _decisions(values: dict) -> Decisions:
    """What was decided about the plans must be what a plan can be made of."""
    try:
        decided = Decisions.from_dict(values)
        for day in filter(None, (decided.calendar.start, decided.calendar.ready_by)):
            day_of(day)
        for pin in decided.calendar.pins.values():
            read_pin(pin)
        for text in (
            *(flow.keys for flow in decided.wood.flows),
            *(keys for kept in decided.wood.palettes for _, keys in kept.woods),
            *(
                run
                for order in (*decided.relief.orders, *decided.relief.refused)
                for run in (order.front, order.behind)
            ),
            *decided.assembly.bundles,
        ):
            keys_in(text)
        for text in decided.assembly.right.values():
            pairs_in(text)
    except BadChoice as problem:
        raise BadProject(f"A decision in this project file cannot be kept: {problem}") from None
    except ValueError:
        raise BadProject("A list of pieces in this project file is damaged.") from None
    return decided


def _check_entries(archive: zipfile.ZipFile) -> None:
    entries = archive.infolist()
    if len(entries) > MOST_ENTRIES or sum(e.file_size for e in entries) > MOST_BYTES:
        raise BadProject(f"This project file unpacks to more than {MOST_BYTES / 1e6:.0f} MB; it is refused.")
    for entry in entries:
        parts = entry.filename.replace("\\", "/").split("/")
        if entry.filename.startswith(("/", "\\")) or ".." in parts or ":" in parts[0]:
            raise BadProject("This project file holds a path outside itself; it is refused.")


def _check_document(document, version) -> None:
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise BadProject("This file is no project file.")
    if isinstance(version, int) and version > VERSION:
        raise BadProject(
            f"This project file is of version {version}; this workshop reads up to {VERSION}. Update and open it again."
        )
    problem = next(
        iter(_validator(int(version) if version in range(1, VERSION) else VERSION).iter_errors(document)), None
    )
    if problem is not None:
        place = "/".join(str(p) for p in problem.absolute_path) or "the document"
        raise BadProject(f"This project file is damaged at {place}: {problem.message[:120]}.")
    if any(HIDDEN.search(text) for text in texts(document, frozenset({"rings"}))):
        raise BadProject("This project file holds signs that cannot be written down; it is refused.")


@cache
def _validator(version: int):
    """Whole numbers must be written as such: 1.0 would be no key."""
    base = jsonschema.Draft202012Validator
    whole = base.TYPE_CHECKER.redefine("integer", lambda _, v: isinstance(v, int) and not isinstance(v, bool))
    return jsonschema.validators.extend(base, type_checker=whole)(schema(version))


def _composition(document: dict) -> Composition:
    shelf = woods().with_own(_own_wood(values) for values in document.get("woods", ()))
    layers = tuple(_layer(values, shelf) for values in document["layers"])
    keys = [p.key for layer in layers for p in layer.pieces]
    if len(keys) != len(set(keys)):
        raise BadProject("Two pieces in this project file have the same key.")
    if len({layer.key for layer in layers}) != len(layers):
        raise BadProject("Two layers in this project file have the same key.")
    if not any(layer.pieces for layer in layers):
        raise BadProject("This project file holds no pieces.")
    try:
        practice = Practice.from_dict(document["practice"])
    except BadChoice as problem:
        raise BadProject(f"The practice in this project file is damaged: {problem}") from None
    findings = tuple(Finding.from_dict(values) for values in document["intake"])
    composition = Composition(
        document["name"],
        document["width_mm"],
        document["height_mm"],
        layers,
        practice,
        _decisions(document["decisions"]),
        intake_findings=findings,
        rack=Rack(shelf),
        placements={key: Placement(**place) for key, place in document["placements"].items()},
    )
    return with_subjects(composition)


def _own_wood(values: dict) -> Wood:
    try:
        return typed_wood(values["code"], values)
    except BadChoice as problem:
        raise BadProject(f"A wood in this project file is damaged: {problem}") from None


def _layer(values: dict, shelf: Shelf) -> Layer:
    try:
        outlines = [shapely.Polygon(p["rings"][0], p["rings"][1:]) for p in values["pieces"]]
    except (ValueError, shapely.errors.GEOSException):
        raise BadProject("An outline in this project file is damaged.") from None
    coverage = Coverage([p["key"] for p in values["pieces"]], list(on_grid(np.array(outlines))))
    if not coverage.fits:
        raise BadProject("The pieces in this project file overlap, or do not meet where they should; it is refused.")
    for piece in values["pieces"]:
        if piece["wood"] and piece["wood"] not in shelf:
            raise BadProject(f"This project file uses a wood that is not on this shelf: “{piece['wood'][:40]}”.")
        try:
            coat_of(piece.get("coat", ""))
        except BadChoice as problem:
            raise BadProject(f"A coat in this project file is damaged: {problem}") from None
    pieces = tuple(Piece(**{name: value for name, value in p.items() if name != "rings"}) for p in values["pieces"])
    more = {name: values[name] for name in ("thickness_mm", "material", "note", "trim_flush") if name in values}
    return Layer(values["key"], values["name"], values["kind"], coverage, pieces, **more)
