"""The page that goes with a finished work: what it is made of, how long it took, how to care for it; as one HTML file,
as a PDF, and as a label for its back."""

import base64
import datetime as dt
import html
import io
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from reportlab.lib.colors import HexColor
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase.pdfmetrics import stringWidth
from reportlab.pdfgen.canvas import Canvas

from ..assembly.finishing import coatings_of
from ..colour import lab_of
from ..constants import PAPERS_MM, ROLL
from ..picture.figure import tile
from ..units import format_minutes
from ..work.parts import Job
from .pdf import INK, POINTS_PER_MM, draw_line, draw_words

TAG = HexColor("#f0ddb0")
LABEL_MM = (90.0, 55.0)
SWATCH_PX, SWATCH_QUALITY = 96, 82
LEAST_SHARE = 0.005
"""A wood that is seen less than this is not named with a share."""


@dataclass(frozen=True)
class Keepsake:
    """What the page says. Pictures are JPEGs: of the plan, of the finished work where one was taken, and of each wood
    as (name, share of what is seen, swatch)."""

    name: str
    size: str
    pieces: int
    woods: tuple[tuple[str, float, bytes], ...]
    finish: str
    minutes: float
    maker: str
    made: dt.date
    story: str
    care: tuple[str, ...]
    plan: bytes
    photo: bytes | None = None
    of: str = ""
    """Which of several, as it stands on a label: “2 of 6”."""


def woods_seen(job: Job) -> tuple[tuple[str, float, bytes], ...]:
    """Each wood that is seen, with its share and a swatch as it looks under the work's finish; most of it first."""
    area: dict[str, float] = {}
    composition = job.composition
    for piece in composition.made:
        seen, wood = job.seen_of.get(piece.key), composition.wood_of(piece)
        if seen is not None and wood in composition.rack.shelf:
            area[wood] = area.get(wood, 0.0) + seen.area
    total = sum(area.values()) or 1.0
    told = []
    for code, mm2 in sorted(area.items(), key=lambda entry: -entry[1]):
        own = composition.rack.shelf[code]
        told.append((own.name, mm2 / total, _jpeg(tile(own, lab_of(own.finished), SWATCH_PX))))
    return tuple(told)


def _jpeg(rgb: np.ndarray) -> bytes:
    _, data = cv2.imencode(".jpg", cv2.cvtColor(rgb, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, SWATCH_QUALITY])
    return data.tobytes()


def finish_words(job: Job) -> str:
    """What it is coated with, in words."""
    names = dict.fromkeys(coating.supply.name.lower() for coating in coatings_of(job))
    return ", ".join(names)


def usual_care(job: Job) -> tuple[str, ...]:
    """How to care for it, by its finish and where it will be: common practice, no source."""
    practice = job.composition.practice
    lines = ["Dust it with a soft dry brush along the grain; no water, no furniture spray."]
    if any(coating.supply.oily for coating in coatings_of(job)) and practice.finish == "oil":
        lines.append(
            "Once a year a thin coat of the oil it was finished with, wiped dry; spread the rag flat outdoors."
        )
    lines.append("Out of the sun: light changes every wood, and some of them fast.")
    if practice.used == "outdoors":
        lines.append("Under a roof, off the ground; look at its finish every spring.")
    else:
        lines.append("Not above a radiator or a fireplace: wood moves with the air's dampness, and seams open.")
    return tuple(lines)


def _share(share: float) -> str:
    return f"{100 * share:.0f} %" if share >= LEAST_SHARE else "a little"


def _hours(minutes: float) -> str:
    return f"{minutes / 60:.0f} hours" if minutes >= 180 else format_minutes(minutes)


def _facts(one: Keepsake) -> list[tuple[str, str]]:
    facts = [("size", one.size), ("pieces", str(one.pieces)), ("finish", one.finish)]
    facts += [
        ("at the bench", _hours(one.minutes) if one.minutes else ""),
        ("made by", one.maker),
        ("finished", f"{one.made:%d %B %Y}"),
    ]
    return [(name, words) for name, words in facts if words]


STYLE = """
body{margin:0 auto;max-width:860px;padding:34px 26px 60px;background:#f1e9da;color:#2a2521}
body{font:18px/1.5 ui-sans-serif,sans-serif}
h1,h2{font-family:ui-serif,serif}
h1{font-size:46px;line-height:1.05;margin:0 0 6px}
h2{font-size:21px;line-height:1.2;margin:34px 0 10px}
.two{display:grid;grid-template-columns:1fr 1fr;gap:18px}
.two.one{grid-template-columns:1fr}
figure{margin:18px 0 0}
figure img{width:100%;display:block;border:1px solid #2a2521}
figcaption{color:#5b5047;font-size:15px;margin-top:5px}
.woods{display:flex;flex-wrap:wrap;gap:14px;padding:0;list-style:none}
.woods li{width:96px;font-size:15px;line-height:1.25}
.woods img{width:96px;height:96px;border:1px solid #2a2521;display:block;margin-bottom:5px}
dl{display:grid;grid-template-columns:max-content 1fr;gap:4px 18px;margin:0}
dt{color:#5b5047}
dd{margin:0;font-weight:600}
.story{white-space:pre-wrap}
@media (max-width:600px){.two{grid-template-columns:1fr} h1{font-size:34px}}
"""


def keepsake_html(one: Keepsake) -> bytes:
    """One HTML file that needs nothing beside it."""
    say = html.escape

    def picture(data: bytes, words: str) -> str:
        src = base64.b64encode(data).decode()
        return f'<img src="data:image/jpeg;base64,{src}" alt="{say(words)}">'

    shown = [(one.photo, "as it was made")] if one.photo else []
    shown.append((one.plan, "as it was planned"))
    figures = "".join(
        f"<figure>{picture(data, f'{one.name}, {words}')}<figcaption>{words}</figcaption></figure>"
        for data, words in shown
    )
    swatches = "".join(
        f"<li>{picture(data, name)}{say(name)}<br>{_share(share)}</li>" for name, share, data in one.woods
    )
    facts = "".join(f"<dt>{say(name)}</dt><dd>{say(words)}</dd>" for name, words in _facts(one))
    care = "".join(f"<li>{say(line)}</li>" for line in one.care)
    parts = [
        "<!doctype html>",
        '<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">',
        f"<title>{say(one.name)}</title><style>{STYLE}</style></head><body>",
        f"<h1>{say(one.name)}</h1>",
        f'<div class="two{"" if one.photo else " one"}">{figures}</div>',
        f'<h2>How it came to be</h2><p class="story">{say(one.story)}</p>' if one.story else "",
        f'<h2>Its woods</h2><ul class="woods">{swatches}</ul>' if one.woods else "",
        f"<h2>Made</h2><dl>{facts}</dl>",
        f"<h2>Care</h2><ul>{care}</ul>" if care else "",
        "</body></html>",
    ]
    return "\n".join(part for part in parts if part).encode()


def keepsake_pdf(one: Keepsake, paper: str) -> bytes:
    """The same on paper; what does not fit on one page goes on to the next."""
    wide, tall = PAPERS_MM[paper if paper != ROLL else "Letter"]
    page = _Paper(wide, tall, one.name)
    page.words(one.name, 9, bold=True, after=4)
    shown = [one.plan] if one.photo is None else [one.photo, one.plan]
    page.pictures(shown)
    captions = "as it was made, and as it was planned" if one.photo else "as it was planned"
    page.words(captions, 3.2, after=4)
    if one.story:
        page.heading("How it came to be")
        for line in one.story.splitlines():
            page.words(line, 4, after=1)
    if one.woods:
        page.heading("Its woods")
        page.swatches(one.woods)
    page.heading("Made")
    page.words("; ".join(f"{name} {words}" for name, words in _facts(one)), 4, after=0.5)
    if one.care:
        page.heading("Care")
        for line in one.care:
            page.words(line, 4, after=0.8)
    return page.done()


class _Paper:
    """Pages that fill from above."""

    MARGIN_MM = 18.0

    def __init__(self, wide: float, tall: float, title: str):
        self.wide, self.tall, self.y = wide, tall, 0.0
        self.buffer = io.BytesIO()
        self.canvas = Canvas(
            self.buffer, pagesize=(wide * POINTS_PER_MM, tall * POINTS_PER_MM), invariant=1, pageCompression=1
        )
        self.canvas.setTitle(title)
        self._begin()

    def _begin(self) -> None:
        self.canvas.translate(0, self.tall * POINTS_PER_MM)
        self.canvas.scale(1, -1)
        self.y = self.MARGIN_MM

    def room(self, needs: float) -> None:
        if self.y + needs > self.tall - self.MARGIN_MM:
            self.canvas.showPage()
            self._begin()

    def heading(self, text: str) -> None:
        self.room(20)
        self.y += 4
        self.words(text, 5.2, bold=True, after=1.5)

    def words(self, text: str, size: float, bold: bool = False, colour=INK, after: float = 0.0) -> None:
        for line in _wrapped(text, size, self.wide - 2 * self.MARGIN_MM, bold):
            self.room(1.3 * size)
            draw_words(self.canvas, self.MARGIN_MM, self.y + size, line, size, bold, colour=colour)
            self.y += 1.3 * size
        self.y += after

    def pictures(self, shown: Sequence[bytes]) -> None:
        """Side by side, as wide as the page."""
        gap = 6.0
        each = (self.wide - 2 * self.MARGIN_MM - gap * (len(shown) - 1)) / len(shown)
        sizes = [ImageReader(io.BytesIO(data)).getSize() for data in shown]
        most = min(self.tall * 0.42, max(each * high / broad for broad, high in sizes))
        for i, (data, (broad, high)) in enumerate(zip(shown, sizes, strict=True)):
            scale = min(each / broad, most / high)
            self.image(data, self.MARGIN_MM + i * (each + gap), self.y, broad * scale, high * scale)
        self.y += most + 3

    def image(self, data: bytes, x: float, y: float, broad: float, high: float) -> None:
        self.canvas.saveState()
        self.canvas.translate(x * POINTS_PER_MM, (y + high) * POINTS_PER_MM)
        self.canvas.scale(1, -1)
        reader = ImageReader(io.BytesIO(data))
        self.canvas.drawImage(reader, 0, 0, broad * POINTS_PER_MM, high * POINTS_PER_MM)
        self.canvas.restoreState()

    def swatches(self, woods: Iterable[tuple[str, float, bytes]]) -> None:
        side, step, x = 20.0, 29.0, self.MARGIN_MM
        self.room(side + 12)
        for name, share, data in woods:
            if x + side > self.wide - self.MARGIN_MM:
                x, self.y = self.MARGIN_MM, self.y + side + 12
                self.room(side + 12)
            self.image(data, x, self.y, side, side)
            for n, line in enumerate((_cut(name, 3.2, step - 2), _share(share))):
                draw_words(self.canvas, x, self.y + side + 4 + 4 * n, line, 3.2)
            x += step
        self.y += side + 11

    def done(self) -> bytes:
        self.canvas.save()
        return self.buffer.getvalue()


def _wrapped(text: str, size_mm: float, wide_mm: float, bold: bool = False) -> list[str]:
    font, lines, line = "Helvetica-Bold" if bold else "Helvetica", [], ""
    for word in text.split():
        longer = f"{line} {word}".strip()
        if line and stringWidth(longer, font, size_mm) > wide_mm:
            lines.append(line)
            line = word
        else:
            line = longer
    return [_cut(one, size_mm, wide_mm, bold) for one in [*lines, line]]


def _cut(text: str, size_mm: float, wide_mm: float, bold: bool = False) -> str:
    font = "Helvetica-Bold" if bold else "Helvetica"
    while len(text) > 1 and stringWidth(text, font, size_mm) > wide_mm:
        text = text[:-2].rstrip() + "…"
    return text


def label_pdf(one: Keepsake, count: int, paper: str) -> bytes:
    """Labels to cut out for the backs of `count` copies, numbered where there are several."""
    wide, tall = PAPERS_MM[paper if paper != ROLL else "Letter"]
    page = _Paper(wide, tall, f"{one.name}: labels")
    broad, high = LABEL_MM
    across = max(1, int((wide - 2 * 12) // (broad + 4)))
    for i in range(count):
        if i and i % across == 0:
            page.y += high + 4
            page.room(high)
        x = 12 + (i % across) * (broad + 4)
        _label(page, one, x, page.y, f"{i + 1} of {count}" if count > 1 else one.of)
    return page.done()


def _label(page: _Paper, one: Keepsake, x: float, y: float, of: str) -> None:
    canvas, (broad, high) = page.canvas, LABEL_MM
    canvas.setFillColor(TAG)
    canvas.rect(x * POINTS_PER_MM, y * POINTS_PER_MM, broad * POINTS_PER_MM, high * POINTS_PER_MM, stroke=0, fill=1)
    corners = [(x, y), (x + broad, y), (x + broad, y + high), (x, y + high), (x, y)]
    for start, end in zip(corners, corners[1:], strict=False):
        draw_line(canvas, *start, *end)
    room = broad - 12
    draw_words(canvas, x + 6, y + 11, _cut(one.name, 6.5, room, bold=True), 6.5, bold=True)
    names = ", ".join(name for name, _, _ in one.woods)
    rows = [*(_wrapped(names, 3.1, room)[:3] if names else []), f"{one.size}; {one.pieces} pieces; {one.finish}"]
    rows.append(f"{one.maker + ', ' if one.maker else ''}{one.made:%B %Y}{', ' + of if of else ''}")
    at = y + 17.5
    for row in rows[:-1]:
        draw_words(canvas, x + 6, at, _cut(row, 3.1, room), 3.1)
        at += 4.4
    for line in [part for care in one.care[:2] for part in _wrapped(care, 2.7, room)][:4]:
        draw_words(canvas, x + 6, at, line, 2.7)
        at += 3.6
    draw_words(canvas, x + 6, y + high - 5, _cut(rows[-1], 3.8, room, bold=True), 3.8, bold=True)
