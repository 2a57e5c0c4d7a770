"""A plan in the formats that leave the workshop, by name."""

import datetime as dt
from collections.abc import Sequence

import cv2

from ..calendar.ical import icalendar_of
from ..constants import MM_PER_INCH
from ..drawing.dxf import pattern_dxf
from ..drawing.pdf import pattern_pdf
from ..drawing.print_pack import USUAL_LINE_MM, pack_pdf, print_pack
from ..drawing.svg import pattern_svg
from ..picture.render import Light, picture
from ..plan import Plan
from ..saw.cuts import holes_of
from .piece_list import parts_list_csv, piece_list_csv

PNG_DPI = 150


def export(
    plan: Plan,
    to: str,
    paper: str | None = None,
    pack: str = "",
    mirrored: bool = False,
    line: str = "red",
    line_mm: float = USUAL_LINE_MM,
    only: Sequence[str] = (),
) -> bytes:
    """The plan's work as pdf, svg, dxf, csv (pieces), parts (parts list as csv), ics, or the picture of the result as
    png; a `pack` of pages to print where one is named, or the patterns of `only` these parts. Raises `BadChoice` where
    no dates can be given."""
    composition = plan.composition
    if to == "pdf" and (pack or only):
        paper = paper or composition.practice.paper
        made = print_pack(plan.job, pack or "ready", paper, plan.paper, mirrored, holes_of(plan.saw), only)
        return pack_pdf(plan.job, made, line, line_mm)
    if to == "pdf":
        return pattern_pdf(plan.job, paper or composition.practice.paper, plan.paper)
    if to == "svg":
        return pattern_svg(plan.job)
    if to == "dxf":
        return pattern_dxf(plan.job)
    if to == "png":
        width = round(composition.width_mm / MM_PER_INCH * PNG_DPI)
        shown = picture(composition, width, Light(ss=2))
        return cv2.imencode(".png", cv2.cvtColor(shown, cv2.COLOR_RGB2BGR))[1].tobytes()
    if to == "parts":
        return parts_list_csv(plan.job).encode("utf-8-sig")
    if to == "csv":
        return piece_list_csv(plan).encode("utf-8-sig")
    return icalendar_of(plan.schedule, composition.name, composition.key, dt.datetime.now(dt.UTC))
