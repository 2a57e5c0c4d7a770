"""The command `emberquilt`: the core without the pages, for scripts and for checking."""

import argparse
import datetime as dt
import json
import sys
from pathlib import Path

from . import __version__
from .drawing.svg import coverage_svg
from .errors import BadLength, EmberError
from .intake.knobs import KINDS, OUTSIDES, knobs_of, size_of
from .intake.lettering import FONTS
from .intake.proposal import Proposal
from .intake.propose import propose

EXPORTS = ("pdf", "svg", "csv", "ics", "png")


def main(argv: list[str] | None = None) -> int:
    """Exit code 0, or 2 with one clear line on standard error."""
    parser = argparse.ArgumentParser(prog="emberquilt", description="Plans pictures made out of wood.")
    parser.add_argument("--version", action="version", version=__version__)
    commands = parser.add_subparsers(dest="command", required=True)
    pieces = commands.add_parser("pieces", help="the pieces in a drawing, as JSON")
    pieces.add_argument("drawing", type=Path)
    pieces.add_argument("--width", help="finished width: 300mm, 15 1/2 in")
    pieces.add_argument("--height", help="finished height, in place of the width")
    pieces.add_argument("--dpi", help="printed dots per inch, in place of the width")
    pieces.add_argument("--percent", help="percent of the drawing's own size, in place of the width")
    pieces.add_argument("--kind", default="auto", choices=list(KINDS), help="how to read it")
    pieces.add_argument("--outside", choices=list(OUTSIDES), help="the paper round the drawing")
    pieces.add_argument("--tones", help="tones of a photo, 2 to 16")
    pieces.add_argument("--by", choices=("lightness", "colour"), help="what tells the tones apart")
    pieces.add_argument("--gap", help="bridge gaps in lines up to this: 2mm")
    pieces.add_argument("--smallest", help="join pieces narrower than this: 6mm")
    pieces.add_argument("--smooth", help="smoothness, 0 to 10")
    pieces.add_argument("--ink", help="darkness that counts as ink, -10 to 10")
    pieces.add_argument("--page", help="page of a PDF")
    pieces.add_argument("--strokes", choices=("seams", "pieces"), help="drawn lines of a painted SVG")
    pieces.add_argument(
        "--letters", choices=("openings", "letters"), help="lettering: cut out of a sheet, or by itself"
    )
    pieces.add_argument("--font", help="a shipped font by name, or a font file")
    pieces.add_argument("-o", "--output", type=Path, help="write the coverage as SVG in true millimetres")
    plan = commands.add_parser("plan", help="the plan of a project file, as JSON")
    plan.add_argument("file", type=Path)
    export = commands.add_parser("export", help="a project file as pdf, svg, csv, ics or png")
    export.add_argument("file", type=Path)
    export.add_argument("--to", required=True, choices=EXPORTS)
    export.add_argument("--paper", choices=("Letter", "A4"), help="paper of the pdf; the practice's own otherwise")
    export.add_argument("-o", "--output", type=Path, help="where to write; standard output otherwise")
    options = parser.parse_args(argv)
    try:
        {"pieces": _pieces, "plan": _plan, "export": _export}[options.command](options)
    except EmberError as problem:
        print(f"emberquilt: {problem}", file=sys.stderr)
        return 2
    except OSError as problem:
        print(f"emberquilt: {problem.filename or 'file'}: {problem.strerror}", file=sys.stderr)
        return 2
    return 0


def _pieces(options) -> None:
    how = next((how for how in ("width", "height", "dpi", "percent") if getattr(options, how)), None)
    if how is None:
        raise BadLength("Say how large it becomes: --width 300mm, or --height, --dpi or --percent.")
    typed = {name: value for name, value in vars(options).items() if isinstance(value, str)}
    typed |= {"gap_mm": options.gap or "", "smallest_mm": options.smallest or ""}
    font = b""
    if options.font and options.font not in FONTS:
        font = Path(options.font).read_bytes()
        typed.pop("font")
    size = size_of({"how": how, "size": getattr(options, how)}, "mm")
    proposal = propose(options.drawing.read_bytes(), size, knobs_of(typed, "mm"), font=font)
    if options.output:
        options.output.write_bytes(coverage_svg(proposal))
    json.dump(proposal_json(proposal), sys.stdout, indent=1)
    print()


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
    }


def _read_plan(path: Path):
    from .formats.project import read_project
    from .hours import first_moment
    from .plan import Plan

    composition = read_project(path.read_bytes()).composition
    return Plan(composition, start=first_moment(composition.pins.get("start"), dt.datetime.now()))


def _plan(options) -> None:
    plan = _read_plan(options.file)
    number = {p.key: p.number for p in plan.composition.pieces()}
    json.dump(
        {
            "name": plan.composition.name,
            "needs": [
                {"wood": n.wood, "thickness_mm": round(n.thickness_mm, 3), "net_mm2": n.net_mm2, "rough_mm2": n.rough_mm2,
                 "board_feet": n.board_feet, "bought_as": f"{n.quarters}/4", "bought_board_feet": n.bought_feet,
                 "short_mm2": n.short_mm2} for n in plan.needs
            ],
            "saw": [
                {"order": c.order, "piece": number[c.piece], "blade": c.blade.no, "cut_mm": c.length_mm,
                 "minutes": c.minutes, "holes": len(c.holes), "reason": c.reason} for c in plan.saw.cuts
            ],
            "glue": [{"order": s.order, "piece": number[s.piece], "batch": s.batch} for s in plan.glue.steps],
            "tasks": [
                {"label": s.label, "begin": s.begin.isoformat(), "end": s.end.isoformat(), "ready": s.ready.isoformat()}
                for s in plan.schedule.slots
            ],
            "finish": plan.schedule.finish.isoformat() if plan.schedule.finish else None,
            "findings": [f.as_dict() for f in plan.every_finding],
        },
        sys.stdout,
        indent=1,
    )  # fmt: skip
    print()


def _export(options) -> None:
    plan = _read_plan(options.file)
    from .formats.export import export

    data = export(plan, options.to, options.paper)
    if options.output:
        options.output.write_bytes(data)
    else:
        sys.stdout.buffer.write(data)


if __name__ == "__main__":
    sys.exit(main())
