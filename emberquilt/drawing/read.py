"""The scene of a station in one of its readings and one of the views, with its findings pinned where they are."""

from collections.abc import Iterable
from dataclasses import replace

from ..findings import Finding
from ..layers.stacked import scene_in
from ..outline.paths import path_of
from ..plan import Plan
from ..work.composition import Composition
from ..work.register import READINGS
from ..work.scene import Mark, Scene
from ..work.view import View

MOST_FINDINGS = 12
"""So many findings are listed and pinned at a time; the rest is counted until these are settled."""
MOST_PINS = 4
"""A finding about more pieces than this is pinned nowhere: choosing it shows them all."""

SPACE = "turntable"
PICTURED = ("picture", "lamp", "coats")
"""Readings in which the picture of the result stands in place of the drawn pieces."""


def readings_of(station: str, composition: Composition) -> list[str]:
    """The readings a station offers for a work, the usual one first."""
    other = "flat" if composition.stands else "apart"
    absent = _without(composition)
    names = [name for name, one in READINGS[station].items() if one.of != other and name not in absent]
    # parts that stand are seen standing first
    return sorted(names, key=lambda name: name != SPACE) if composition.stands else names


def _without(composition: Composition) -> set[str]:
    """Readings that would show nothing of this work."""
    decided = composition.decisions
    kits = any(layer.kind == "kit" and not decided.space.body_of(layer.key) for layer in composition.layers)
    lowered = decided.fields.pools or any(layer.kind == "routed" for layer in composition.layers)
    return {name for name, there in (("joints", kits), ("depths", lowered)) if not there}


def read(plan: Plan, station: str, show: str, findings: Iterable[Finding], view: View) -> Scene:
    """The scene of a station; a reading that it does not offer is its usual one."""
    offered = readings_of(station, plan.composition)
    reading = READINGS[station][show if show in offered else offered[0]]
    dress, marks = reading.read(plan.job, plan.of(reading.plan), view)
    pins = [
        Mark("pin", *place, text=str(i), piece=f.pieces[0] if f.pieces else 0)
        for i, f in enumerate(list(findings)[:MOST_FINDINGS], 1)
        for place in _places(plan, f, view)
    ]
    details = [Mark("detail", path=path_of(d.geometry), text=d.how) for d in plan.composition.decisions.pattern.details]
    scene = scene_in(plan.job, view, dress, (*details, *marks, *pins))
    return replace(scene, rendered=True) if reading.name in PICTURED else scene


def _places(plan: Plan, finding: Finding, view: View) -> list[tuple[float, float]]:
    composition = plan.composition
    shown = {layer.key for layer in view.layers(composition)}
    # what intake found may speak of a piece that is gone since
    mine = [key for key in finding.pieces if key in composition.home and composition.home[key].key in shown]
    if finding.pieces and not mine:
        return []
    if finding.point_mm is not None:
        return [finding.point_mm]
    if len(finding.pieces) > MOST_PINS:
        return []
    spots = [composition.home[key].coverage.spots[key] for key in mine]
    return [(spot.x_mm, spot.y_mm) for spot in spots]
