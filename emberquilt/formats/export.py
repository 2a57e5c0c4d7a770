"""A plan in the formats that leave the workshop, by name."""

import datetime as dt

from ..calendar.ical import icalendar_of
from ..drawing.pdf import pattern_pdf
from ..drawing.svg import pattern_svg
from ..plan import Plan
from .piece_list import piece_list_csv


def export(plan: Plan, to: str, paper: str | None = None) -> bytes:
    """The plan's composition as pdf, svg, csv or ics."""
    composition = plan.composition
    if to == "pdf":
        letters = {key: "ABCD"[copy - 1] for key, copy in plan.copies.items()}
        return pattern_pdf(composition, paper or composition.practice.paper, max(plan.copies.values()), letters)
    if to == "svg":
        return pattern_svg(composition)
    if to == "csv":
        return piece_list_csv(plan).encode("utf-8-sig")
    return icalendar_of(plan.schedule, composition.name, composition.key, dt.datetime.now(dt.UTC))
