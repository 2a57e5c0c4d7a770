"""A plan in the formats that leave the workshop, by name."""

import datetime as dt

import cv2

from ..calendar.ical import icalendar_of
from ..constants import MM_PER_INCH
from ..drawing.pdf import pattern_pdf
from ..drawing.svg import pattern_svg
from ..picture.render import Light, picture
from ..plan import Plan
from .piece_list import piece_list_csv

PNG_DPI = 150


def export(plan: Plan, to: str, paper: str | None = None) -> bytes:
    """The plan's composition as pdf, svg, csv, ics, or the picture of the result as png."""
    composition = plan.composition
    if to == "pdf":
        letters = {key: "ABCD"[copy - 1] for key, copy in plan.copies.items()}
        return pattern_pdf(
            composition, paper or composition.practice.paper, max(plan.copies.values(), default=1), letters
        )
    if to == "svg":
        return pattern_svg(composition)
    if to == "png":
        width = round(composition.width_mm / MM_PER_INCH * PNG_DPI)
        return cv2.imencode(".png", cv2.cvtColor(picture(composition, width, Light(ss=2)), cv2.COLOR_RGB2BGR))[
            1
        ].tobytes()
    if to == "csv":
        return piece_list_csv(plan).encode("utf-8-sig")
    return icalendar_of(plan.schedule, composition.name, composition.key, dt.datetime.now(dt.UTC))
