"""From the bytes of a file, or typed words, to a proposal of pieces at finished size."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
import shapely

from ..colour import hex_apart
from ..constants import MM_PER_INCH
from ..errors import BadDrawing
from ..findings import Finding
from ..outline import arcs, linework
from ..outline.coverage import Coverage, on_grid
from ..outline.numbering import reading_order
from ..outline.plates import plate
from ..outline.surgery import joined, small_joins
from ..units import Length, format_length
from . import labels, lettering, painted, raster_source, svg_source, tones
from .dxf_source import read_dxf
from .knobs import Knobs, Size, finished_width
from .pdf_source import read_pdf
from .proposal import Progress, Proposal, no_progress

__all__ = ["finished_width", "propose", "recognise", "source_picture"]

MOST_MARKED = 12
"""Loose ends are told one by one up to this many; beyond, one finding counts them."""
PAINTED_SHARE = 0.35
"""An SVG whose coloured fills cover this share of its page is taken as painted."""
PHOTO_PAPER, PHOTO_ROUGH = 0.65, 0.04
"""A picture with less paper than this, and more pixels than this that differ from their surroundings, is a photo."""

Say = Callable[[float], str]


def in_millimetres(mm: float) -> str:
    return format_length(mm, "mm")


def recognise(data: bytes) -> str:
    """``svg``, ``picture``, ``pdf`` or ``dxf`` by content, never by the file's name. Raises `BadDrawing`."""
    if not data:
        raise BadDrawing("This file is empty.")
    head = data[:4096].lstrip(b"\xef\xbb\xbf \t\r\n")
    if head.startswith((b"\x89PNG", b"\xff\xd8\xff")) or (head[:4] == b"RIFF" and head[8:12] == b"WEBP"):
        return "picture"
    if b"%PDF-" in head[:1024]:
        return "pdf"
    if head.startswith((b"<", b"\xff\xfe<", b"\xfe\xff")) or b"<svg" in head:
        return "svg"
    if head.startswith((b"AutoCAD Binary DXF", b"999")) or (b"SECTION" in head and b"\n" in head[:8]):
        return "dxf"
    raise BadDrawing("This is no drawing that can be read. Bring an SVG, PNG, JPEG, WebP, DXF or PDF file.")


@dataclass
class _Work:
    """What every kind of intake is given."""

    size: Size
    knobs: Knobs
    progress: Progress
    say: Say


def propose(
    data: bytes,
    size: Size | Length,
    knobs: Knobs = Knobs(),  # noqa: B008  frozen, so sharing it is safe
    *,
    font: bytes = b"",
    progress: Progress = no_progress,
    say: Say = in_millimetres,
) -> Proposal:
    """The pieces in a drawing, a photo, a page, or typed words (`knobs.kind` text; `font` the bytes of one's own).

    `say` puts a length in mm into the words of the shop. Raises `BadDrawing` with one clear sentence when nothing can
    be sawn from it, `BadLength` for a size that cannot be, `Cancelled` from `progress`.
    """
    work = _Work(Size("width", size.mm) if isinstance(size, Length) else size, knobs, progress, say)
    progress(0.02, "reading the file")
    if knobs.kind == "text":
        return _from_text(data, font, work)
    if knobs.kind == "blank":
        return _from_nothing(work)
    kind = recognise(data)
    if kind == "svg":
        return _from_svg(data, work)
    if kind == "dxf":
        return _from_lines(read_dxf(data), "DXF drawing", work)
    if kind == "pdf":
        page = read_pdf(data, knobs.page, knobs.kind == "photo")
        if page.lines is not None:
            found = _from_lines(page.lines, "PDF page", work)
        else:
            found = _from_pixels(raster_source.picture_of(page.picture, page.pixel_mm), work, "PDF page, as a picture")
        return replace(found, pages=page.pages)
    return _from_pixels(raster_source.read_picture(data), work)


def source_picture(data: bytes, knobs: Knobs) -> tuple[bytes, str]:
    """The source as a page can show it under its pieces, and its media type; empty where there is no picture of it."""
    if knobs.kind in ("text", "blank"):
        return b"", "text/plain"
    kind = recognise(data)
    if kind == "svg":
        return data, "image/svg+xml"
    if kind == "dxf":
        return b"", "text/plain"
    if kind == "pdf":
        picture = read_pdf(data, knobs.page, as_picture=True).picture
    elif knobs.corners:
        flat = raster_source.straightened(raster_source.read_picture(data), knobs.corners)
        picture = flat.rgb if flat.rgb is not None else np.dstack([flat.grey] * 3)
    else:
        return data, "image/png" if data.startswith(b"\x89PNG") else "image/jpeg" if data.startswith(
            b"\xff\xd8"
        ) else "image/webp"
    return raster_source.as_png(raster_source.reduced(picture, tones.MOST_SIDE)[0]), "image/png"


# --- lines ----------------------------------------------------------------------------------------------------------


def _from_svg(data: bytes, work: _Work) -> Proposal:
    if work.knobs.kind != "painted":
        source = svg_source.read_svg(data)
        if work.knobs.kind == "line" or not _looks_painted(source):
            return _from_lines(source, "line SVG", work)
    return _from_painted(painted.read_painted(data, work.knobs.strokes), work)


def _looks_painted(source: svg_source.LineSource) -> bool:
    """Coloured fills over most of the page, lying over each other."""
    if not source.fills:
        return False
    shapes = [shape for shape, colour in source.fills if colour not in svg_source.NO_COLOUR]
    if len({colour for _, colour in source.fills}) < 2 or not shapes:
        return False
    whole = shapely.union_all(np.array(shapes)).area
    overlap = sum(shape.area for shape in shapes) / max(whole, 1e-9)
    return whole >= PAINTED_SHARE * source.page[2] * source.page[3] and overlap > 1.15


def _from_lines(source: svg_source.LineSource, kind: str, work: _Work) -> Proposal:
    work.progress(0.3, "joining the lines")
    lines = svg_source.as_lines(source)
    left, top, page_width, page_height = source.page
    outside, gap = work.knobs.outside, work.knobs.gap_mm
    framed = outside == "keep" or (outside == "auto" and _runs_off(lines, source.page))
    box = (left, top, left + page_width, top + page_height) if framed else shapely.bounds(lines)
    for _ in range(3):
        span = (box[2] - box[0], box[3] - box[1])
        if span[0] <= 0:
            raise BadDrawing("This drawing has no width.")
        scale = work.size.mm_per_unit((span[0], span[1] or span[0]), (page_width, page_height), source.unit_mm)
        placed = shapely.transform(lines, lambda xy, s=scale, b=box: (xy - [b[0], b[1]]) * s)  # type: ignore[misc]
        frame = shapely.box(0, 0, span[0] * scale, span[1] * scale) if framed else None
        faces = linework.faces_of(placed, frame, linework.CLOSE_MM if gap is None else gap)
        if not faces.outlines:
            raise BadDrawing("No closed region was found in this drawing. Its lines must enclose the pieces.")
        found = shapely.total_bounds(np.array(faces.outlines))
        if abs(found[2] - span[0] * scale) <= 1e-3 and abs(found[0]) <= 1e-3 and abs(found[1]) <= 1e-3:
            break
        # lines that stick out made the work smaller than was asked: measure what is enclosed and do it again
        box = tuple(box[i % 2] + found[i] / scale for i in range(4))
    work.progress(0.8, "checking the pieces")
    findings = _end_findings(faces.open_ends, work.say)
    if faces.closed_gaps:
        findings.append(_closed_gaps(faces.closed_gaps, linework.CLOSE_MM if gap is None else gap))
    source_box = ((left - box[0]) * scale, (top - box[1]) * scale, page_width * scale, page_height * scale)
    fills = [(shapely.transform(f, lambda xy: (xy - [box[0], box[1]]) * scale), colour) for f, colour in source.fills]
    traces = [("bridged", x, y) for x, y in faces.closed_gaps] + [("lost", x, y) for x, y in faces.open_ends]
    return _finish(
        faces.outlines, kind, source_box, findings, work, source.left_out, _colours_under(faces.outlines, fills), traces
    )


def _from_painted(source: painted.PaintedSource, work: _Work) -> Proposal:
    work.progress(0.3, "seeing what is visible")
    left, top, page_width, page_height = source.page
    whole = work.knobs.outside == "keep"
    box = (
        (left, top, left + page_width, top + page_height)
        if whole
        else tuple(shapely.total_bounds(np.array([p.shape for p in source.paints])).tolist())
    )
    span = (box[2] - box[0], box[3] - box[1])
    if min(span) <= 0:
        raise BadDrawing("This drawing has no width.")
    scale = work.size.mm_per_unit(span, (page_width, page_height), MM_PER_INCH / 96)

    def place(xy: np.ndarray) -> np.ndarray:
        return (xy - [box[0], box[1]]) * scale

    paints = [painted.Paint(shapely.transform(p.shape, place), p.colour, p.alpha, p.seam) for p in source.paints]
    frame = shapely.box(0, 0, span[0] * scale, span[1] * scale) if whole else None
    faces, colours = painted.faces_of(paints, frame)
    if not faces:
        raise BadDrawing("No region of this drawing is painted. Bring it as lines.")
    work.progress(0.7, "joining what no blade can part")
    clean, slivers = linework.without_slivers(faces)
    by_shape = dict(zip(map(id, faces), colours, strict=True))
    kept = [by_shape.get(id(p)) for p in clean]
    spots = shapely.point_on_surface(np.array(clean))
    tree = shapely.STRtree(np.array(faces))
    for i, colour in enumerate(kept):
        if colour is None:
            near = tree.query(spots[i], predicate="intersects").tolist()
            kept[i] = colours[near[0]] if near else ""
    findings = [_slivers(slivers)] if slivers else []
    box_mm = ((left - box[0]) * scale, (top - box[1]) * scale, page_width * scale, page_height * scale)
    return _finish(clean, "painted SVG", box_mm, findings, work, source.left_out, [c or "" for c in kept])


def _slivers(count: int) -> Finding:
    return Finding(
        "slivers",
        "pattern",
        f"{count} hairline regions thinner than {linework.SLIVER_MM} mm were joined to their neighbours.",
        "No blade parts what is thinner than its own kerf.",
        amount=count,
        limit=linework.SLIVER_MM,
        unit="mm",
    )


def _colours_under(outlines, fills) -> list[str]:
    """For each outline the colour of the topmost filled shape at a point inside it; empty where there is none."""
    colours = [""] * len(outlines)
    if not fills:
        return colours
    spots = shapely.point_on_surface(np.array(outlines))
    tree = shapely.STRtree([shape for shape, _ in fills])
    found, shapes = tree.query(spots, predicate="within")
    for i, shape in sorted(zip(found.tolist(), shapes.tolist(), strict=True)):
        colours[i] = fills[shape][1]
    return ["" if colour in svg_source.NO_COLOUR else colour for colour in colours]


def _runs_off(lines: shapely.Geometry, page: tuple[float, float, float, float]) -> bool:
    """Lines that end on the page's border, where nothing closes them: the page itself is the sheet."""
    left, top, width, height = page
    border = shapely.box(left, top, left + width, top + height).exterior
    slack = 0.002 * max(width, height)
    merged = shapely.get_parts(shapely.line_merge(shapely.node(lines)))
    tips = merged[~shapely.is_closed(merged)]
    if not len(tips):
        return False
    ends = np.concatenate([shapely.get_point(tips, 0), shapely.get_point(tips, -1)])
    unique, count = np.unique(np.round(shapely.get_coordinates(ends), 6), axis=0, return_counts=True)
    loose = shapely.points(unique[count == 1])
    if not len(loose):
        return False
    return int((shapely.distance(loose, border) <= slack).sum()) >= 2


# --- pictures -------------------------------------------------------------------------------------------------------


def _from_pixels(picture: raster_source.Picture, work: _Work, kind: str = "") -> Proposal:
    if work.knobs.corners:
        picture = raster_source.straightened(picture, work.knobs.corners)
    as_photo = work.knobs.kind == "photo" or (work.knobs.kind == "auto" and _looks_like_photo(picture.grey))
    make = _from_photo if as_photo else _from_line_picture
    return make(picture, work, kind)


def _looks_like_photo(grey: np.ndarray) -> bool:
    """Line art is mostly paper once the light is even, or flatly coloured in; a photo is neither."""
    small, _ = raster_source.reduced(grey, 1200)
    even = labels.evenly_lit(small)
    paper = float((even > 0.8 * np.percentile(even, 95)).mean())
    rough = float((cv2.absdiff(small, cv2.medianBlur(small, 5)) > 2).mean())
    return paper < PHOTO_PAPER and rough > PHOTO_ROUGH


def _from_line_picture(picture: raster_source.Picture, work: _Work, kind: str) -> Proposal:
    knobs = work.knobs
    height, width = picture.grey.shape
    work.progress(0.1, "telling ink from paper")
    ink = labels.ink_of(picture.grey, knobs.ink)
    rows, columns = np.flatnonzero(ink.any(axis=1)), np.flatnonzero(ink.any(axis=0))
    box = (float(columns[-1] - columns[0] + 1), float(rows[-1] - rows[0] + 1))
    rough = work.size.mm_per_unit(box, (width, height), picture.pixel_mm)
    gap_px = labels.GAP_PX if knobs.gap_mm is None else knobs.gap_mm / rough
    found = labels.label_regions(
        ink, knobs.outside, gap_px, lambda share, words: work.progress(0.1 + 0.4 * share, words)
    )
    work.progress(0.5, "following the borders")
    outlines, _ = arcs.outlines_of(
        found.picture, found.count, rounds=2 * knobs.smooth, ridge=picture.grey, ink_px=found.ink_px
    )
    left, top, right, bottom = shapely.total_bounds(np.array(outlines))
    scale = work.size.mm_per_unit((right - left, bottom - top), (width, height), picture.pixel_mm)
    placed = list(shapely.transform(np.array(outlines), lambda xy: (xy - [left, top]) * scale))
    work.progress(0.85, "checking the pieces")

    def mm(points) -> list[tuple[float, float]]:
        return [((x - left) * scale, (y - top) * scale) for x, y in points]

    findings = _end_findings(mm(found.ends), work.say)
    if found.bridged:
        findings.append(_closed_gaps(mm(found.bridged), gap_px * scale))
    if found.specks:
        findings.append(
            Finding(
                "specks",
                "pattern",
                f"{found.specks} specks of paper inside the lines were left out: each under {labels.SPECK_PX} pixels.",
                "Regions smaller than a blade's kerf are scanning noise.",
                amount=found.specks,
            )
        )
    source_box = (-left * scale, -top * scale, width * scale, height * scale)
    colours = labels.region_colours(found, picture.rgb) if picture.rgb is not None else {}
    by_outline = [colours.get(label, "") for label in range(1, found.count + 1)]
    traces = [("bridged", *p) for p in mm(found.bridged)] + [("lost", *p) for p in mm(found.ends)]
    return _finish(placed, kind or "line picture", source_box, findings, work, (), by_outline, traces)


def _from_photo(picture: raster_source.Picture, work: _Work, kind: str) -> Proposal:
    knobs = work.knobs
    rgb = picture.rgb if picture.rgb is not None else np.dstack([picture.grey] * 3)
    height, width = rgb.shape[:2]
    scale = work.size.mm_per_unit((width, height), (width, height), picture.pixel_mm)
    rgb, shrink = raster_source.reduced(rgb, tones.MOST_SIDE)
    pixel_mm = scale / shrink
    smallest_mm = knobs.smallest_mm or SMALLEST_PHOTO_MM
    found = tones.tone_labels(
        rgb, knobs.tones, knobs.by, smallest_mm / pixel_mm, knobs.smooth, knobs.more, knobs.more_tones, work.progress
    )
    work.progress(0.65, "following the borders")
    outlines, _ = arcs.outlines_of(found.picture, found.count, rounds=2 + 2 * knobs.smooth)
    placed = list(shapely.transform(np.array(outlines), lambda xy: xy * pixel_mm))
    colours = [found.colours[i] for i in range(1, found.count + 1)]
    traces = [("merged", x * pixel_mm, y * pixel_mm) for x, y in found.merged]
    work.progress(0.85, "checking the pieces")
    words = kind or f"photo in {found.tones} tones"
    return _finish(placed, words, (0.0, 0.0, width * scale, height * scale), [], work, (), colours, traces)


SMALLEST_PHOTO_MM = 8.0
"""Diameter of the smallest region a photo is parted into unless said otherwise: what fingers can hold, a little
under."""


# --- nothing, and words ---------------------------------------------------------------------------------------------


def _from_nothing(work: _Work) -> Proposal:
    across = work.knobs.across
    scale = work.size.mm_per_unit((across, 1.0), (across, 1.0), None)
    shape = plate(work.knobs.outline, (0.0, 0.0, across * scale, scale))
    return _finish([shape], f"empty {work.knobs.outline}", tuple(shape.bounds), [], work, (), [""])


def _from_text(data: bytes, font: bytes, work: _Work) -> Proposal:
    knobs = work.knobs
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError:
        raise BadDrawing("This text is not in UTF-8. Type the words instead.") from None
    set_words = lettering.set_text(text, font or knobs.font, knobs.spacing, knobs.bend_deg)
    words = shapely.total_bounds(np.array(set_words.letters))
    span = words[2] - words[0]
    # the margin is typed at finished size, which depends on the margin: two rounds settle it
    share = 0.0
    for _ in range(4):
        faces, openings = lettering.lettered(set_words, knobs.letters, knobs.outline, share)
        left, top, right, bottom = shapely.total_bounds(np.array(faces))
        scale = work.size.mm_per_unit((right - left, bottom - top), (right - left, bottom - top), None)
        share = knobs.margin_mm / (span * scale)
    lines = shapely.transform(np.array(faces), lambda xy: (xy - [left, top]) * scale)
    matched, open_ones = _matched(list(lines), set(openings))
    findings = []
    if set_words.missing:
        named = ", ".join(f"“{c}”" for c in set_words.missing[:8])
        findings.append(
            Finding("no-letter", "pattern", f"This font has no {named}; left out.", "A font holds only some letters.")
        )
    kind = "letters" if knobs.letters == "letters" else "lettering in a sheet"
    box = (0.0, 0.0, (right - left) * scale, (bottom - top) * scale)
    return _finish(matched, kind, box, findings, work, (), [""] * len(matched), openings=open_ones)


def _matched(faces: list[shapely.Polygon], openings: set[int]) -> tuple[list[shapely.Polygon], set[int]]:
    """Faces noded on the grid, so that they share their borders to the last bit."""
    rings = [ring for p in faces for ring in (p.exterior, *p.interiors)]
    made = shapely.get_parts(shapely.polygonize(shapely.get_parts(linework.noded(np.array(rings)))))
    made, _ = linework.without_slivers([p for p in made if p.area > 1e-3])
    tree = shapely.STRtree(np.array(faces))
    kept: list[shapely.Polygon] = []
    open_ones: set[int] = set()
    for face in made:
        home = tree.query(face.representative_point(), predicate="within").tolist()
        if not home:
            continue
        if home[0] in openings:
            open_ones.add(len(kept))
        kept.append(face)
    return kept, open_ones


# --- what all share -------------------------------------------------------------------------------------------------


def _finish(
    outlines,
    kind,
    source_box,
    findings,
    work: _Work,
    left_out,
    colours,
    traces: Sequence = (),
    openings: set[int] = frozenset(),  # type: ignore[assignment]
) -> Proposal:
    rounded = [shapely.normalize(p) for p in on_grid(np.array(outlines))]
    draft = Coverage(range(len(rounded)), rounded)
    traces = list(traces)
    merged: list[tuple[float, float]] = []
    if work.knobs.smallest_mm > 0 and not openings:
        draft, merged = _without_small(draft, colours, work)
        traces += [("merged", x, y) for x, y in merged]
    order = reading_order(draft)
    x, y, w, h = source_box
    coverage = Coverage(range(1, len(order) + 1), [draft.by_key[key] for key in order])
    _, _, right, bottom = coverage.bounds_mm
    if merged:
        findings = [*findings, _merged(merged, work)]
    proposal = Proposal(
        coverage,
        round(right, 3),
        round(bottom, 3),
        kind,
        len(rounded) - len(merged),
        (round(float(x), 3), round(float(y), 3), round(float(w), 3), round(float(h), 3)),
        tuple(findings),
        colours={i: colours[key] for i, key in enumerate(order, 1) if colours[key]},
        openings=tuple(i for i, key in enumerate(order, 1) if key in openings),
        left_out=tuple(left_out),
        traces=tuple((what, round(float(x), 2), round(float(y), 2)) for what, x, y in traces),
    )
    if not proposal.is_valid:
        raise BadDrawing(
            "The lines of this drawing cross so closely that its pieces could not be told apart without gaps. "
            "Simplify the drawing or make the finished width larger."
        )
    return proposal


def _without_small(draft: Coverage, colours, work: _Work):
    """Pieces narrower than the smallest one asked for, joined to the best neighbour; and where they were."""
    spots, merged = draft.spots, []
    smallest = work.knobs.smallest_mm

    def apart(a: int, b: int) -> float:
        return hex_apart(colours[a], colours[b]) if colours[a] and colours[b] else 0.0

    for _ in range(3):
        pairs = small_joins(draft, lambda k, s=spots: 2 * s[k].radius_mm < smallest, apart)  # type: ignore[misc]
        made = joined(draft, pairs)
        if not made.gone:
            break
        merged += [(spots[k].x_mm, spots[k].y_mm) for k in made.gone]
        draft = draft.replaced(made.changed, made.gone)
        spots = draft.spots
    return draft, merged


def _merged(places, work: _Work) -> Finding:
    return Finding(
        "merged",
        "pattern",
        f"{len(places)} piece{'' if len(places) == 1 else 's'} narrower than {work.say(work.knobs.smallest_mm)} "
        f"{'was' if len(places) == 1 else 'were'} joined to a neighbour.",
        "You asked for no piece smaller than that.",
        point_mm=(round(places[0][0], 2), round(places[0][1], 2)),
        amount=len(places),
        limit=work.knobs.smallest_mm,
        unit="mm",
    )


def _end_findings(ends: list[tuple[float, float]], say: Say) -> list[Finding]:
    rule = "A line that stops in the open does not part two pieces; what lay on its two sides became one."
    if len(ends) > MOST_MARKED:
        words = (
            f"{len(ends)} lines end in the open: pieces there were lost into their neighbours. Bridge "
            f"wider gaps, or close them in the drawing."
        )
        return [Finding("open-gap", "pattern", words, rule, point_mm=ends[0], amount=len(ends))]
    return [
        Finding(
            "open-gap",
            "pattern",
            f"A line ends in the open {say(max(x, 0.0))} from the left and {say(max(y, 0.0))} from the top: "
            "both sides became one piece. Split it there if it should part them.",
            rule,
            point_mm=(round(x, 2), round(y, 2)),
            by_place=True,
        )
        for x, y in ends
    ]


def _closed_gaps(places: list[tuple[float, float]], limit_mm: float) -> Finding:
    return Finding(
        "closed-gap",
        "pattern",
        f"{len(places)} line ends stopped up to {limit_mm:.1f} mm short of the next line and were joined to it.",
        f"Ends closer than {limit_mm:.1f} mm at finished size are taken as meeting.",
        point_mm=(round(places[0][0], 2), round(places[0][1], 2)),
        amount=len(places),
        limit=round(limit_mm, 1),
        unit="mm",
    )
