"""What every station's page shows: the plan on the desk, the view of it, the chosen pieces, and its findings."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from importlib import import_module

from emberquilt.drawing.panel import dress_json
from emberquilt.drawing.read import MOST_FINDINGS, read, readings_of
from emberquilt.keys import runs
from emberquilt.lazy import lazy
from emberquilt.plan import Plan
from emberquilt.rack.woods import Wood
from emberquilt.work.composition import Composition, Layer, Piece
from emberquilt.work.made_of import made_of
from emberquilt.work.parts import Job
from emberquilt.work.view import APART, FRONT, View
from workshop.shop.words import fields_of

from .faces import shelf_buttons, shelf_options, wood_table


@dataclass(frozen=True)
class Chosen:
    """The selected pieces, of whatever layers, and what they have in common; a field is None where they differ."""

    pieces: tuple[Piece, ...]
    job: Job
    view: View

    @property
    def composition(self) -> Composition:
        return self.job.composition

    @property
    def one(self) -> Piece | None:
        return self.pieces[0] if len(self.pieces) == 1 else None

    @property
    def keys(self) -> str:
        return runs(p.key for p in self.pieces)

    @lazy
    def layer(self) -> Layer:
        """The layer of the first."""
        return self.composition.home[self.pieces[0].key]

    @property
    def layers(self) -> str:
        """Names of the layers they lie in, where the work has several."""
        if len(self.composition.layers) == 1:
            return ""
        return ", ".join(dict.fromkeys(self.composition.home[p.key].name for p in self.pieces))

    def _common(self, name: str):
        values = {getattr(p, name) for p in self.pieces}
        return values.pop() if len(values) == 1 else None

    @property
    def wood(self) -> Wood | None:
        """What they all are of."""
        codes = {self.composition.wood_of(p) for p in self.pieces}
        return self.composition.rack.shelf.get(codes.pop()) if len(codes) == 1 else None

    @property
    def bare(self) -> bool:
        """None of them is of anything yet."""
        return not any(self.composition.wood_of(p) for p in self.pieces)

    @property
    def grain_deg(self) -> float | None:
        return self._common("grain_deg")

    @property
    def coat(self) -> str | None:
        return self._common("coat")

    @property
    def locked(self) -> bool:
        return all(p.locked for p in self.pieces)

    @property
    def given_mm(self) -> float | None:
        """Their own thickness, or that of their layer; what is only reckoned with is none."""
        home = self.composition.home
        values = {p.thickness_mm or home[p.key].thickness_mm for p in self.pieces}
        return values.pop() if len(values) == 1 else None

    @property
    def shim_mm(self) -> float | None:
        made = {self.job.shim_mm.get(p.key, 0.0) for p in self.pieces}
        return made.pop() if len(made) == 1 else None

    @property
    def part(self) -> str:
        return self._common("part") or ""

    @property
    def open(self) -> bool:
        """Some of them are openings."""
        return any(p.opening for p in self.pieces)

    @property
    def area_mm2(self) -> float:
        return sum(self.composition.home[p.key].coverage.area_mm2[p.key] for p in self.pieces)

    @property
    def size_mm(self) -> tuple[float, float]:
        bounds = [self.composition.home[p.key].coverage.by_key[p.key].bounds for p in self.pieces]
        wide = max(b[2] for b in bounds) - min(b[0] for b in bounds)
        return wide, max(b[3] for b in bounds) - min(b[1] for b in bounds)

    @property
    def alike(self) -> str:
        """Keys of every piece that is seen and of the same, or of nothing, as the first chosen."""
        wood_of = self.composition.wood_of
        code = wood_of(self.pieces[0])
        return runs(p.key for p in self.view.pieces(self.composition) if wood_of(p) == code)

    @property
    def same_colour(self) -> str:
        """Keys of every piece that is seen with the first one's colour in the drawing; empty where it has none."""
        colour = self.pieces[0].colour
        return runs(p.key for p in self.view.pieces(self.composition) if p.colour == colour) if colour else ""

    @property
    def has_colour(self) -> bool:
        return any(p.colour for p in self.pieces)


@dataclass(frozen=True)
class Desk:
    """What a station's ticket speaks of."""

    plan: Plan
    view: View
    chosen: Chosen | None
    show: str
    asked: Mapping[str, str] = field(default_factory=dict)
    """What the page asks for besides, such as the line of a section."""

    @property
    def composition(self) -> Composition:
        return self.plan.composition

    @property
    def job(self) -> Job:
        return self.plan.job

    @lazy
    def pieces(self) -> tuple[Piece, ...]:
        """The pieces that are seen and made of something."""
        return self.view.pieces(self.composition)

    @property
    def layer(self) -> Layer:
        """The layer that is seen, or of the first chosen piece, else the usual one."""
        if not self.view.stacked:
            return self.composition.layer(self.view.layer)
        return self.chosen.layer if self.chosen else self.composition.usual_layer

    @property
    def all_keys(self) -> str:
        """Keys of all that is seen."""
        return runs(p.key for p in self.pieces)

    @property
    def number(self) -> dict[int, int]:
        return {p.key: p.number for p in self.composition.pieces()}


def ticket_of(station: str):
    """The module of a station's own ticket: its `context(desk)`, and the practices that act there."""
    return import_module(f"workshop.stations.{station}.ticket")


def station_context(
    plan: Plan, station: str, show: str, keys: list[int], view: View, asked: Mapping[str, str] = {}
) -> dict:
    """Everything the templates of a station need beside the row itself."""
    composition, ticket = plan.composition, ticket_of(station)
    openings = station == "pattern"
    pieces = tuple(p for key in keys if (p := composition.by_key.get(key)) and (openings or not p.opening))
    chosen = Chosen(pieces, plan.job, view) if pieces else None
    readings = readings_of(station, composition)
    show = show if show in readings else readings[0]
    findings = plan.findings(station)
    desk = Desk(plan, view, chosen, show, asked)
    shelf = composition.rack.shelf
    return {
        "plan": plan,
        "practice": composition.practice,
        "station": station,
        "show": show,
        "readings": readings,
        "view": view,
        "views": views_of(plan, view),
        "desk": desk,
        "chosen": chosen,
        "findings": findings[:MOST_FINDINGS],
        "more_findings": max(0, len(findings) - MOST_FINDINGS),
        "accepted": plan.accepted(station),
        "dress": dress_json(read(plan, station, show, findings, view)),
        "wood_table": wood_table(composition),
        "woods": shelf,
        "ticket_template": f"{station}/ticket.html",
        "strip_template": f"{station}/strip.html",
        "shelf_buttons": shelf_buttons(shelf),
        "shelf_options": shelf_options(shelf),
        "practice_fields": fields_of(composition.practice, ticket.PRACTICE),
        **ticket.context(desk),
    }


LEAST_PX, TALLEST_PX = 9, 120


def views_of(plan: Plan, view: View) -> list[dict]:
    """The views a work of several layers offers: its layers as a small stack drawn to scale, the front one on top."""
    composition = plan.composition
    if len(composition.layers) == 1:
        return []
    thick = {layer.key: _thick(plan.job, layer) for layer in composition.layers}
    scale = TALLEST_PX / max(sum(thick.values()), 1e-6)
    rows = [
        {
            "name": str(layer.key),
            "words": layer.name,
            "thick_mm": thick[layer.key],
            "px": max(LEAST_PX, round(thick[layer.key] * scale)),
            "number": i,
            "current": view.name == str(layer.key),
            "wood": _wood(composition, layer),
        }
        for i, layer in enumerate(composition.layers, 1)
    ]
    return rows[::-1]


def _thick(job: Job, layer: Layer) -> float:
    """As thick as the thickest piece of it, shim included."""
    pieces = layer.without_openings.pieces
    return max((job.thickness_mm[p.key] + job.shim_mm[p.key] for p in pieces), default=layer.thickness_mm or 0.0)


def _wood(composition: Composition, layer: Layer) -> str:
    """What most of a layer is of."""
    return next((one.code for one in made_of(composition, layer.without_openings.pieces)), "")


NEXT_VIEW = {FRONT: "from the front", APART: "lifted apart"}


def by_part(desk: Desk) -> list[tuple[str, str, int]]:
    """Named parts with the keys of their pieces that are seen."""
    parts: dict[str, list[int]] = {}
    for p in desk.pieces:
        if p.part:
            parts.setdefault(p.part, []).append(p.key)
    return [(name, runs(keys), len(keys)) for name, keys in sorted(parts.items())]
