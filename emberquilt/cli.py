"""The command `emberquilt`: the core without the pages, for scripts and for checking."""

import argparse
import datetime as dt
import json
import sys
from dataclasses import replace
from pathlib import Path

from . import __version__
from .drawing.svg import coverage_svg
from .errors import BadChoice, BadLength, EmberError
from .intake.apart import body_apart, propose_apart
from .intake.by_hand import by_hand, strokes_of
from .intake.knobs import KINDS, OUTSIDES, UNITS, knobs_of, size_of
from .intake.lettering import FONTS
from .intake.proposal import Proposal
from .intake.simpler import simpler
from .space.slices import Cutting
from .units import Length

EXPORTS = ("pdf", "svg", "dxf", "csv", "parts", "ics", "png")
PACK_NAMES = ("copies", "ready", "boards", "labels", "trace", "template", "drill", "fold", "coupon", "piles", "faces")


def main(argv: list[str] | None = None) -> int:
    """Exit code 0, or 2 with one clear line on standard error."""
    parser = argparse.ArgumentParser(prog="emberquilt", description="Plans pictures made out of wood.")
    parser.add_argument("--version", action="version", version=__version__)
    commands = parser.add_subparsers(dest="command", required=True)
    pieces = commands.add_parser("pieces", help="the pieces in a drawing, as JSON")
    _drawing_options(pieces)
    pieces.add_argument("-o", "--output", type=Path, help="write the coverage as SVG in true millimetres")
    _make_options(commands)
    _solid_options(commands)
    _block_options(commands)
    plan = commands.add_parser("plan", help="the plan of a project file, as JSON")
    plan.add_argument("file", type=Path)
    dates = commands.add_parser("schedule", help="dates for the steps in a JSON file (see formats.md), as JSON")
    dates.add_argument("steps", type=Path)
    dates.add_argument("--seconds", default="0", help="how long to look for a better plan; 0 for the first")
    layout = commands.add_parser("layout", help="where the parts of a project file lie on boards, as JSON")
    layout.add_argument("file", type=Path)
    layout.add_argument("--boards", type=Path, help="the boards: a JSON file (see formats.md)")
    layout.add_argument("--seconds", default="0", help="how long to look for a better one; 0 for the first")
    layout.add_argument("--seed", default="0", help="the same seed gives the same layout")
    layout.add_argument("--spacing", help="between parts: 3mm, 1/4 in; the practice's own otherwise")
    layout.add_argument("--resaw", action="store_true", help="saw thick boards into leaves for thin parts")
    layout.add_argument("--buy", action="store_true", help="what to buy for the parts that find no place")
    layout.add_argument("--strip", metavar="HEIGHT", help="everything into one endless strip of that height: 200mm")
    export = commands.add_parser("export", help="a project file as pdf, svg, dxf, csv, parts list, ics or png")
    export.add_argument("file", type=Path)
    export.add_argument("--to", required=True, choices=EXPORTS)
    export.add_argument("--paper", help="Letter, Legal, Tabloid, A4, A3 or Roll; the practice's own otherwise")
    export.add_argument("--pack", choices=PACK_NAMES, help="the pdf as a print pack")
    export.add_argument("--parts", default="", help="parts that are made again, by key: 12,14; their pattern alone")
    export.add_argument("--mirrored", action="store_true", help="the pack as seen from behind, for film on the back")
    export.add_argument("--line", choices=("red", "black"), default="red", help="the pack's lines")
    export.add_argument("--line-width", default="0.3", help="and how wide they are, in mm")
    export.add_argument("-o", "--output", type=Path, help="where to write; standard output otherwise")
    which = commands.add_parser("which", help="the parts that a photo of one most likely shows, as JSON")
    which.add_argument("file", type=Path)
    which.add_argument("photo", type=Path, help="of one part on a plain ground")
    practice = commands.add_parser("practice", help="a sheet of lines to saw, or how well one was sawn")
    practice.add_argument("--level", default="1", help="from 1, straight lines, to 5, letters")
    practice.add_argument("--paper", default="Letter", help="Letter, Legal, Tabloid, A4 or A3")
    practice.add_argument("--photo", type=Path, help="of a sheet that was sawn: how far it drifted, as JSON")
    practice.add_argument("-o", "--output", type=Path, help="where to write the sheet; standard output otherwise")
    options = parser.parse_args(argv)
    try:
        commands_of = {
            "pieces": _pieces,
            "make": _make,
            "plan": _plan,
            "layout": _layout,
            "schedule": _schedule,
            "export": _export,
            "practice": _practice,
            "which": _which,
            "slice": _slice,
            "compound": _compound,
        }
        commands_of[options.command](options)
    except EmberError as problem:
        print(f"emberquilt: {problem}", file=sys.stderr)
        return 2
    except OSError as problem:
        print(f"emberquilt: {problem.filename or 'file'}: {problem.strerror}", file=sys.stderr)
        return 2
    return 0


STRETCH = "make the side as high as the front where they differ"


def _make_options(commands) -> None:
    """How a drawing becomes a whole work."""
    make = commands.add_parser("make", help="a project file from a drawing")
    _drawing_options(make)
    make.add_argument(
        "--stack", metavar="REACH", help="sheets over each other by colour, reaching so far under the next"
    )
    make.add_argument("--slots", action="store_true", help="parts side by side that stand in each other's slots")
    make.add_argument("--depths", type=Path, help="fields of one board and how deep each is routed: a JSON file")
    make.add_argument("--pools", type=Path, help="what is filled with resin: a JSON file")
    make.add_argument("--woods", default="none", help="best, owned, none, or the code of one wood for all")
    make.add_argument("--thickness", help="of all pieces or sheets: 6mm, 1/4 in")
    make.add_argument("--copies", help="how many are made of it")
    make.add_argument("--orders", type=Path, help="what is in front of what, by piece numbers: a JSON file")
    make.add_argument("-o", "--output", type=Path, required=True, help="the project file to write")


def _solid_options(commands) -> None:
    """How a body becomes slices."""
    slices = commands.add_parser("slice", help="a project file of a body in slices: STL, OBJ or 3MF")
    slices.add_argument("mesh", type=Path, help="the body; or, with --side, a drawing of its front")
    slices.add_argument("--side", type=Path, help="a drawing of its right side: a body is blown up between the two")
    slices.add_argument("--stretch", action="store_true", help=STRETCH)
    slices.add_argument("--thickness", required=True, help="of the stock, by the caliper: 6mm, 1/4 in")
    slices.add_argument("--height", help="finished height of the body, along its z: 150mm; the file's own otherwise")
    slices.add_argument("--along", default="z", choices=("x", "y", "z", "best"), help="which way it is sliced")
    slices.add_argument("--pin", default="6mm", help="side of the square pins; 0 for none")
    slices.add_argument("--pins", default="1", choices=("1", "2"), help="pins through every slice")
    slices.add_argument("--loose", action="store_true", help="leave small islands apart instead of joining them")
    slices.add_argument("--wood", default="", help="the code of one wood for all")
    slices.add_argument("--copies", help="how many are made of it")
    slices.add_argument("-o", "--output", type=Path, required=True, help="the project file to write")


def _block_options(commands) -> None:
    """How a block is sawn through two of its faces."""
    block = commands.add_parser("compound", help="a project file of a block sawn from two sides")
    block.add_argument("front", type=Path)
    block.add_argument("side", type=Path)
    block.add_argument("--block", required=True, help="side of the square block: 38mm, 1 1/2 in")
    block.add_argument("--height", help="finished height; as large as the block allows otherwise")
    block.add_argument("--stretch", action="store_true", help=STRETCH)
    block.add_argument("--kind", default="auto", choices=list(KINDS), help="how to read the drawings")
    block.add_argument("--wood", default="", help="the code of one wood for all")
    block.add_argument("--copies", help="how many are made of it")
    block.add_argument("-o", "--output", type=Path, required=True, help="the project file to write")


def _drawing_options(parser: argparse.ArgumentParser) -> None:
    """How a drawing is to be read, and how large it becomes."""
    parser.add_argument("drawing", type=Path)
    parser.add_argument("--width", help="finished width: 300mm, 15 1/2 in")
    parser.add_argument("--height", help="finished height, in place of the width")
    parser.add_argument("--dpi", help="printed dots per inch, in place of the width")
    parser.add_argument("--percent", help="percent of the drawing's own size, in place of the width")
    parser.add_argument("--kind", default="auto", choices=list(KINDS), help="how to read it")
    parser.add_argument("--outside", choices=list(OUTSIDES), help="the paper round the drawing")
    parser.add_argument("--tones", help="tones of a photo, 2 to 16")
    parser.add_argument("--by", choices=("lightness", "colour"), help="what tells the tones apart")
    parser.add_argument("--gap", help="bridge gaps in lines up to this: 2mm")
    parser.add_argument("--smallest", help="join pieces narrower than this: 6mm")
    parser.add_argument("--simplify", help="no more pieces than this: what matters least is joined")
    parser.add_argument("--smooth", help="smoothness, 0 to 10")
    parser.add_argument("--ink", help="darkness that counts as ink, -10 to 10")
    parser.add_argument("--page", help="page of a PDF")
    parser.add_argument("--unit", choices=list(UNITS), help="what one unit of a DXF measures, where it does not say")
    parser.add_argument("--by-hand", type=Path, help="a JSON file of strokes made on what is found (see formats.md)")
    parser.add_argument("--lines-up-to", help="dark shapes up to this width are seams: 2mm; 0 keeps them as pieces")
    parser.add_argument("--finer", help="places of pieces to part by their tones: [[x, y]], shares of the picture")
    parser.add_argument("--finer-tones", help="into so many tones, 2 to 8")
    parser.add_argument("--over", type=Path, help="a photo that is laid over those pieces, to part them by its tones")
    parser.add_argument("--box", help="rectangle round a figure, shares of the picture: [[left, top, right, bottom]]")
    parser.add_argument("--inside", help="strokes over a figure: [[[x, y], [x, y]]], shares of the picture")
    parser.add_argument("--beyond", help="strokes over what is no part of the figure")
    parser.add_argument("--figure", choices=("one", "tones"), help="a figure as one piece, or in its tones")
    parser.add_argument("--stays", choices=("dark", "light"), help="which tone of fretwork is wood")
    parser.add_argument("--bridge", help="width of fretwork's bridges: 4mm")
    parser.add_argument("--bridge-count", help="bridges between two parts of fretwork, 1 to 4")
    parser.add_argument("--bridges", help="bridges set by hand: [[[x, y], [x, y]]], shares of the picture")
    parser.add_argument("--frame", help="width of a frame round fretwork: 10mm; 0 for none")
    parser.add_argument(
        "--letters", choices=("openings", "letters"), help="lettering: cut out of a sheet, or by itself"
    )
    parser.add_argument("--widen", help="lettering: strokes wider by this")
    parser.add_argument("--close-eyes", help="lettering: eyes narrower than this are closed")
    parser.add_argument("--dots", choices=("joined",), help="lettering: dots joined to their letter")
    parser.add_argument("--hold", choices=("bridged",), help="lettering: centres held by bridges (see --bridge)")
    parser.add_argument("--font", help="a shipped font by name, or a font file")


def _proposed(options) -> Proposal:
    """What is found in the drawing, read as the options say."""
    how = next((how for how in ("width", "height", "dpi", "percent") if getattr(options, how)), None)
    if how is None:
        raise BadLength("Say how large it becomes: --width 300mm, or --height, --dpi or --percent.")
    typed = {name: value for name, value in vars(options).items() if isinstance(value, str)}
    typed |= {
        "gap_mm": options.gap or "",
        "smallest_mm": options.smallest or "",
        "lines_up_to_mm": options.lines_up_to or "",
        "bridge_mm": options.bridge or "",
        "frame_mm": options.frame or "",
        "widen_mm": options.widen or "",
        "eyes_mm": options.close_eyes or "",
    }
    font = b""
    if options.font and options.font not in FONTS:
        font = Path(options.font).read_bytes()
        typed.pop("font")
    size = size_of({"how": how, "size": getattr(options, how)}, "mm")
    knobs = knobs_of(typed, "mm")
    data = options.drawing.read_bytes()
    over = options.over.read_bytes() if options.over else b""
    if not options.by_hand:
        return propose_apart(data, size, knobs, font=font, over=over, at_once=True)
    strokes = strokes_of(options.by_hand.read_text(encoding="utf-8", errors="replace"))
    found = propose_apart(data, size, replace(knobs, simplify=0), font=font, over=over, at_once=True)
    return simpler(by_hand(found, strokes), knobs.simplify)


def _pieces(options) -> None:
    proposal = _proposed(options)
    if options.output:
        options.output.write_bytes(coverage_svg(proposal))
    json.dump(proposal_json(proposal), sys.stdout, indent=1)
    print()


def _make(options) -> None:
    from .formats.make import Wishes, made_from

    orders, depths, pools = (
        path.read_text(encoding="utf-8", errors="replace") if path else ""
        for path in (options.orders, options.depths, options.pools)
    )
    stack, thickness, copies = options.stack or "", options.thickness or "", options.copies or ""
    wishes = Wishes(options.woods, stack, thickness, copies, options.slots, depths, pools, orders)
    _write(options, options.drawing, made_from(_proposed(options), _name_of(options.drawing), wishes))


def _slice(options) -> None:
    from .formats.make import Wishes, body_from
    from .intake.body_source import blown_body

    if options.side:
        size, knobs = size_of({"how": "percent", "size": "100"}, "mm"), knobs_of({}, "mm")
        front, side = (propose_apart(p.read_bytes(), size, knobs, at_once=True) for p in (options.mesh, options.side))
        body = blown_body(front, side, options.height or "", "mm", options.stretch)
    else:
        body = body_apart(options.mesh.read_bytes(), options.height or "", "mm", at_once=True)
    pin = Length.parse(options.pin, "mm").mm if options.pin.strip() not in ("0", "") else 0.0
    thick = Length.parse(options.thickness, "mm").mm
    wishes = Wishes(options.wood or "none", copies=options.copies or "")
    how = Cutting(thick, body.height_mm, options.along, pin, int(options.pins), not options.loose)
    _write(options, options.mesh, body_from(body, _name_of(options.mesh), how, wishes))


def _compound(options) -> None:
    from .formats.make import Wishes, block_from

    size, knobs = size_of({"how": "percent", "size": "100"}, "mm"), knobs_of({"kind": options.kind}, "mm")
    front, side = (
        propose_apart(path.read_bytes(), size, knobs, at_once=True) for path in (options.front, options.side)
    )
    height = Length.parse(options.height, "mm").mm if options.height else None
    block = Length.parse(options.block, "mm").mm
    wishes = Wishes(options.wood or "none", copies=options.copies or "")
    name = _name_of(options.front)
    _write(options, options.front, block_from(front, side, name, block, wishes, None, height, options.stretch))


def _name_of(path: Path) -> str:
    return " ".join(path.stem.replace("-", " ").replace("_", " ").split())[:120].capitalize() or "A work"


def _write(options, source: Path, composition) -> None:
    from .formats.project import Project, write_project

    saved = dt.datetime.now(dt.UTC).isoformat(timespec="seconds")
    project = Project(composition, saved, (), source.name, source.read_bytes())
    options.output.write_bytes(write_project(project))


def proposal_json(proposal: Proposal) -> dict:
    """What `emberquilt pieces` prints: pieces in reading order, seams by piece numbers, areas in mm2."""
    coverage = proposal.coverage
    return {
        "kind": proposal.kind,
        "width_mm": proposal.width_mm,
        "height_mm": proposal.height_mm,
        "faces": proposal.faces,
        "pieces": [
            {
                "number": key,
                "area_mm2": coverage.area_mm2[key],
                "bounds_mm": list(coverage.by_key[key].bounds),
                "colour": proposal.colours.get(key, ""),
            }
            for key in coverage.keys
        ],
        "seams": [{"pieces": [s.a, s.b], "length_mm": round(s.length_mm, 3)} for s in coverage.seams],
        "coverage_valid": proposal.is_valid,
        "sheet_area_mm2": coverage.sheet_area_mm2,
        "piece_area_mm2": sum(coverage.area_mm2.values()),
        "findings": [f.as_dict() for f in proposal.findings],
        "openings": list(proposal.openings),
        "done": [{"what": what, "x_mm": x, "y_mm": y} for what, x, y in proposal.traces],
        "left_out": list(proposal.left_out),
        "source_box_mm": dict(zip(("x", "y", "width", "height"), proposal.source_box_mm, strict=True)),
        "read_as": {"kind": proposal.read_as.kind, "why": proposal.read_as.why},
        "others": [
            {"kind": o.kind, "words": o.words, "pieces": o.pieces, "likeness": o.likeness} for o in proposal.others
        ],
        "lines": [[list(point) for point in detail.line] for detail in proposal.lines],
        "lines_how": [detail.how for detail in proposal.lines],
        "lines_up_to_mm": proposal.lines_up_to_mm,
        "corners": [list(corner) for corner in proposal.corners],
    }


def _read_plan(path: Path):
    from .formats.project import read_project
    from .hours import first_moment
    from .plan import Plan

    composition = read_project(path.read_bytes()).composition
    return Plan(composition, start=first_moment(composition.decisions.calendar.start, dt.datetime.now()))


def _plan(options) -> None:
    from .formats.plan_json import plan_json

    json.dump(plan_json(_read_plan(options.file)), sys.stdout, indent=1)
    print()


MOST_SECONDS = 3600.0


def _schedule(options) -> None:
    from .formats.steps_json import planned_json

    seconds = _number(options.seconds, "seconds", MOST_SECONDS)
    json.dump(planned_json(options.steps.read_bytes(), seconds), sys.stdout, indent=1)
    print()


def _layout(options) -> None:
    from .formats.layout_json import boards_from, layout_json, strip_json

    seconds, seed = _number(options.seconds, "seconds", MOST_SECONDS), int(_number(options.seed, "a seed", 2**31))
    plan = _read_plan(options.file)
    unit = plan.composition.practice.unit
    spacing = None if options.spacing is None else Length.parse(options.spacing, unit).mm
    if options.strip:
        told = strip_json(plan, Length.parse(options.strip, unit).mm, spacing, seconds, seed)
    else:
        shelf = plan.composition.rack.shelf
        boards = boards_from(options.boards.read_bytes(), shelf) if options.boards else None
        told = layout_json(plan, boards, seconds, seed, spacing, options.resaw, options.buy)
    json.dump(told, sys.stdout, indent=1)
    print()


def _number(text: str, what: str, most: float) -> float:
    try:
        value = float(text)
    except ValueError:
        value = -1.0
    if not 0 <= value <= most:
        raise BadChoice(f"“{text[:20]}” is no number of {what} from 0 to {most:g}.")
    return value


def _export(options) -> None:
    plan = _read_plan(options.file)
    from .formats.export import export

    wide = _number(options.line_width, "millimetres", 10)
    only = tuple(filter(None, options.parts.replace(" ", "").split(",")))
    data = export(plan, options.to, options.paper, options.pack or "", options.mirrored, options.line, wide, only)
    if options.output:
        options.output.write_bytes(data)
    else:
        sys.stdout.buffer.write(data)


def _practice(options) -> None:
    from dataclasses import asdict

    from .drawing.practice_pdf import practice_pdf
    from .practice import Practice
    from .saw.drift import drift_of

    level = int(_number(options.level, "a level", 5))
    if options.photo:
        told = asdict(drift_of(options.photo.read_bytes(), level))
        json.dump(told | {"by_exercise": dict(told["by_exercise"])}, sys.stdout, indent=1)
        print()
        return
    data = practice_pdf(Practice(), level, options.paper)
    if options.output:
        options.output.write_bytes(data)
    else:
        sys.stdout.buffer.write(data)


def _which(options) -> None:
    from .assembly.found import found_in
    from .formats.project import read_project
    from .work.parts import job_of

    job = job_of(read_project(options.file.read_bytes()).composition)
    rows = [
        {
            "part": one.part,
            "number": job.by_key[one.part].number,
            "off_share": one.off_share,
            "turn_deg": one.turn_deg,
            "over": one.over,
        }
        for one in found_in(job, options.photo.read_bytes())
    ]
    json.dump({"found": rows}, sys.stdout, indent=1)
    print()


if __name__ == "__main__":
    sys.exit(main())
