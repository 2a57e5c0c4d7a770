"""Verbs that say how a piece is shaped: bevel, edge, slope."""

from collections.abc import Mapping
from typing import TypeVar

from ..errors import BadChoice
from ..work.change import Edit, decided
from ..work.decisions import Slope
from ..work.parts import job_of
from ..work.register import Values, verb
from ..work.setting import length_of, number, of, points_of
from ..work.standing import host_of
from ..work.view import Target
from .bevel import MOST_TILT_DEG, kerf_mm, rise_of, tilt_for
from .shaping import meets_mm

MOST_EDGE_MM = 25.0
Said = TypeVar("Said")


@verb("bevel", on="pieces")
def bevel(target: Target, values: Values) -> Edit:
    """The chosen pieces are sawn with the table tilted and stand proud of what they are sawn out of by `rise`, or lie
    as much lower where `how` is low; or `tilt` says by how many degrees it is tilted. Nothing typed takes it back."""
    composition = target.composition
    bevels = dict(composition.decisions.relief.bevels)
    if not _typed(values, "rise", "tilt"):
        left = _without(bevels, target)
        return decided(composition, f"no bevel on {of(target.pieces)}", "relief", bevels=left)
    sign = -1.0 if values.get("how") == "low" else 1.0
    job = job_of(composition)
    for p in target.made:
        host = host_of(composition, p.key)
        if host is None:
            raise BadChoice(f"{p.number} lies in nothing that it could be sawn out of.")
        if host in bevels:
            raise BadChoice(f"{p.number} lies in {composition.by_key[host].number}, which is bevelled itself.")
        thick, kerf = job.thickness_mm[host], kerf_mm(job, host)
        if _typed(values, "tilt"):
            rise = rise_of(number(values["tilt"], "degrees"), kerf)
        else:
            rise = length_of(values, composition, "rise", 0.1, 100.0)
        if rise >= thick:
            say = composition.practice.say
            raise BadChoice(f"{p.number} would slide by {say(rise)} and fall out of {say(thick)} of wood: tilt more.")
        if tilt_for(rise, kerf) > MOST_TILT_DEG:
            raise BadChoice(
                f"That takes more than {MOST_TILT_DEG:g} degrees: a piece slides farther than that by itself."
            )
        bevels[p.key] = round(sign * rise, 3)
    return decided(composition, f"bevel on {of(target.pieces)}", "relief", bevels=bevels)


@verb("edge", on="pieces")
def edge(target: Target, values: Values) -> Edit:
    """The radius to which the free edges of the chosen pieces are rounded, 0 where they stay square; nothing typed
    leaves it to their steps."""
    composition = target.composition
    edges = _without(composition.decisions.relief.edges, target)
    text = str(values.get("radius", "")).strip()
    if text.lower() in ("square", "0"):
        edges |= {p.key: 0.0 for p in target.made}
    elif text:
        mm = round(length_of(values, composition, "radius", 0.0, MOST_EDGE_MM), 3)
        edges |= {p.key: mm for p in target.made}
    return decided(composition, f"edges of {of(target.pieces)}", "relief", edges=edges)


@verb("slope", on="pieces")
def slope(target: Target, values: Values) -> Edit:
    """One piece is carved along a drawn line, from where it stays high to where it is low. Heights that are not typed
    are its own top and that of what lies beyond the low end. Nothing drawn and nothing typed takes it back."""
    composition = target.composition
    slopes = composition.decisions.relief.slopes
    if not _typed(values, "points", "high", "low"):
        return decided(composition, f"{of(target.pieces)} not carved", "relief", slopes=_without(slopes, target))
    if len(target.made) != 1:
        raise BadChoice("Choose one piece to carve a slope on.")
    (p,) = target.made
    job = job_of(composition)
    if _typed(values, "points"):
        drawn = points_of(values)
        high, low = ((round(float(x), 2), round(float(y), 2)) for x, y in (drawn[0], drawn[-1]))
    elif p.key in slopes:
        high, low = slopes[p.key].high, slopes[p.key].low
    else:
        raise BadChoice("Draw the slope across the piece first, from where it is high to where it is low.")
    if (high[0] - low[0]) ** 2 + (high[1] - low[1]) ** 2 < 1.0:
        raise BadChoice("Draw the slope as a line, from where it is high to where it is low.")
    top = job.lifted_mm(p)
    high_mm = length_of(values, composition, "high", 0.5, 300.0, top)
    low_mm = length_of(values, composition, "low", 0.5, 300.0, min(meets_mm(job, p.key, high, low), high_mm))
    if high_mm > top + 0.01 or low_mm > high_mm:
        raise BadChoice(f"A slope begins at most at the top of its piece, {composition.practice.say(top)}, and falls.")
    made = Slope(high, low, round(high_mm, 3), round(low_mm, 3))
    return decided(composition, f"slope on {p.number}", "relief", slopes={**slopes, p.key: made})


def _typed(values: Values, *names: str) -> bool:
    """Whether anything was typed or drawn under one of these names."""
    return any(str(values.get(name, "")).strip() for name in names)


def _without(table: Mapping[int, Said], target: Target) -> dict[int, Said]:
    """What was said of other pieces than those that are chosen."""
    gone = {p.key for p in target.pieces}
    return {key: said for key, said in table.items() if key not in gone}
