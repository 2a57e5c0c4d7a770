"""A year as drawings: a disc sawn off a log, whose weeks stand round it; a plank of all woods; rules on which estimate
and truth lie; the hand's drift."""

import html
import math

from ..log.year import Year
from ..rack.woods import Shelf
from ..units import format_minutes

STATIONS = ("pattern", "stock", "saw", "relief", "assembly", "bench")
TONES = {
    "pattern": "#cbbb9f",
    "stock": "#a8823a",
    "saw": "#b23a12",
    "relief": "#5b5047",
    "assembly": "#2a2521",
    "bench": "#9d8555",
}
WORDS = {
    "pattern": "patterns",
    "stock": "boards",
    "saw": "sawing",
    "relief": "shaping",
    "assembly": "fitting, gluing, finish",
    "bench": "other",
}
INK, SOFT, TAG, LINE = "#2a2521", "#5b5047", "#f0ddb0", "#cbbb9f"
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
SIZE, HEART, BARK = 560.0, 84.0, 238.0
WEEKS = 53
FULL_HOURS = 4.0
"""A week's wedge reaches the bark with so many hours, or with the most there were."""


def year_disc(told: Year) -> str:
    """SVG: weeks as wedges from the heart outwards, as long as the hours in them, by station from the inside."""
    middle = SIZE / 2
    most = max([FULL_HOURS * 60, *(sum(week.values()) for week in told.by_week.values())])
    parts = [
        f'<circle cx="{middle:g}" cy="{middle:g}" r="{BARK + 10:g}" fill="{TAG}" stroke="#9d8555" stroke-width="5"/>'
    ]
    for ring in range(1, 6):
        radius = HEART + (BARK - HEART) * ring / 5
        parts.append(f'<circle cx="{middle:g}" cy="{middle:g}" r="{radius:g}" fill="none" stroke="#e2c98c"/>')
    for week, stations in sorted(told.by_week.items()):
        inner = HEART
        for station in STATIONS:
            minutes = stations.get(station, 0.0)
            if minutes <= 0:
                continue
            outer = inner + (BARK - HEART) * minutes / most
            words = f"week {week + 1}: {format_minutes(minutes)} {WORDS[station]}"
            parts.append(
                f'<path d="{_wedge(middle, week, inner, outer)}" fill="{TONES[station]}"><title>{words}</title></path>'
            )
            inner = outer
    for month, name in enumerate(MONTHS):
        angle = 2 * math.pi * (month + 0.5) / 12 - math.pi / 2
        x, y = middle + (BARK + 27) * math.cos(angle), middle + (BARK + 27) * math.sin(angle)
        parts.append(f'<text x="{x:.1f}" y="{y + 5:.1f}" text-anchor="middle" class="month">{name}</text>')
        edge = 2 * math.pi * month / 12 - math.pi / 2
        x0, y0, x1, y1 = (middle + radius * f(edge) for radius in (BARK + 4, BARK + 13) for f in (math.cos, math.sin))
        parts.append(f'<path d="M{x0:.1f} {y0:.1f}L{x1:.1f} {y1:.1f}" stroke="{INK}"/>')
    hours = told.minutes / 60
    parts.append(f'<text x="{middle:g}" y="{middle + 6:g}" text-anchor="middle" class="heart">{hours:.0f} h</text>')
    parts.append(f'<text x="{middle:g}" y="{middle + 30:g}" text-anchor="middle" class="under">at the bench</text>')
    label = f"{told.year}: {hours:.0f} hours, week by week"
    return f'<svg class="disc" viewBox="0 0 {SIZE:g} {SIZE:g}" role="img" aria-label="{label}">{"".join(parts)}</svg>'


def _wedge(middle: float, week: int, inner: float, outer: float) -> str:
    begin, end = (2 * math.pi * (week + share) / WEEKS - math.pi / 2 for share in (0.06, 0.94))
    corners = [(inner, begin), (outer, begin), (outer, end), (inner, end)]
    (ax, ay), (bx, by), (cx, cy), (dx, dy) = (
        (middle + radius * math.cos(angle), middle + radius * math.sin(angle)) for radius, angle in corners
    )
    return (
        f"M{ax:.1f} {ay:.1f}L{bx:.1f} {by:.1f}A{outer:.1f} {outer:.1f} 0 0 1 {cx:.1f} {cy:.1f}"
        f"L{dx:.1f} {dy:.1f}A{inner:.1f} {inner:.1f} 0 0 0 {ax:.1f} {ay:.1f}Z"
    )


def stations_in(told: Year) -> list[tuple[str, str, float]]:
    """(words, tone, minutes) of each station that had any."""
    return [(WORDS[one], TONES[one], told.by_station[one]) for one in STATIONS if told.by_station.get(one)]


WIDE, HIGH = 620.0, 78.0
LEAST_WORDS_PX = 54.0


def wood_plank(told: Year, shelf: Shelf) -> str:
    """SVG: a plank of all woods that were sawn, each as long as its share; empty where none were."""
    total = sum(told.woods.values())
    if not total:
        return ""
    parts, x = [], 0.0
    for code, area in told.woods.items():
        wood = shelf.get(code)
        wide = WIDE * area / total
        name = html.escape(wood.name if wood else code)
        colour = wood.finished if wood else LINE
        share = f"{100 * area / total:.0f} %"
        parts.append(
            f'<rect x="{x:.1f}" y="0" width="{wide:.1f}" height="{HIGH - 26:g}" fill="{colour}" stroke="{INK}">'
            f"<title>{name}: {share}</title></rect>"
        )
        if wide >= LEAST_WORDS_PX:
            parts.append(f'<text x="{x + 4:.1f}" y="{HIGH - 10:g}" class="month">{name}</text>')
        x += wide
    label = f"Woods sawn: {html.escape(', '.join(shelf[c].name if c in shelf else c for c in told.woods))}"
    box = f"-1 -1 {WIDE + 2:g} {HIGH:g}"
    return f'<svg class="plank" viewBox="{box}" role="img" aria-label="{label}">{"".join(parts)}</svg>'


def truth_rules(told: Year) -> list[dict]:
    """For each work that was timed a rule: where the estimate lies on it, and the truth."""
    timed = [work for work in told.works if work.estimate and work.took]
    most = max([60.0, *(max(work.estimate, work.took) for work in timed)])
    rows = []
    for work in timed:
        guess, truth = (6 + (WIDE - 12) * minutes / most for minutes in (work.estimate, work.took))
        ticks = "".join(f"M{6 + (WIDE - 12) * i / 40:.1f} 22V{10 if i % 10 == 0 else 16}" for i in range(41))
        svg = (
            f'<svg class="truth" viewBox="0 0 {WIDE:g} 34" role="img" aria-label="estimated '
            f'{format_minutes(work.estimate)}, took {format_minutes(work.took)}">'
            f'<path d="M0 22H{WIDE:g}" stroke="{INK}"/><path d="{ticks}" stroke="{LINE}"/>'
            f'<path d="M{min(guess, truth):.1f} 25.5H{max(guess, truth):.1f}" stroke="#b23a12" stroke-width="5"/>'
            f'<path d="M{guess:.1f} 4V30" stroke="{INK}" stroke-width="2"/>'
            f'<circle cx="{truth:.1f}" cy="25.5" r="6.5" fill="#b23a12"/></svg>'
        )
        rows.append({"name": work.name, "svg": svg, "estimate": work.estimate, "took": work.took, "uid": work.uid})
    return rows


def skill_line(told: Year) -> str:
    """SVG: how far the hand drifted from the line on practice sheets through the year; empty for fewer than two."""
    if len(told.drift_mm) < 2:
        return ""
    high = 110.0
    most = max(drift for _, drift in told.drift_mm) * 1.15
    spots = [
        (8 + (WIDE - 16) * (day.timetuple().tm_yday - 1) / 365, high - 22 - (high - 34) * drift / most, day, drift)
        for day, drift in told.drift_mm
    ]
    line = "M" + "L".join(f"{x:.1f} {y:.1f}" for x, y, _, _ in spots)
    dots = "".join(
        f'<circle cx="{x:.1f}" cy="{y:.1f}" r="5" fill="#b23a12"><title>{day:%d %b}: {drift:.2f} mm</title></circle>'
        for x, y, day, drift in spots
    )
    ends = f"{told.drift_mm[0][1]:.2f} mm, then {told.drift_mm[-1][1]:.2f} mm"
    return (
        f'<svg class="plank" viewBox="0 0 {WIDE:g} {high:g}" role="img" aria-label="The hand drifts: {ends}">'
        f'<path d="M0 {high - 20:g}H{WIDE:g}" stroke="{INK}"/><path d="{line}" fill="none" stroke="{INK}" '
        f'stroke-width="1.6"/>{dots}</svg>'
    )
