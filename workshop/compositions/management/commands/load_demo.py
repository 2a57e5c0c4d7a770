"""Loads the demo through the actions that the pages use. Does nothing for a person who already has it, or had it."""

import datetime as dt
import json
import random

import shapely
from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand
from django.utils import timezone

from emberquilt.bench.cards import made_of
from emberquilt.formats.make import Wishes, block_from, body_from
from emberquilt.intake.body_source import Brought
from emberquilt.keys import runs
from emberquilt.pattern.fresh import composition_of
from emberquilt.space.slices import Cutting
from workshop.bench.models import Event
from workshop.compositions import actions, demo, store, tasks
from workshop.compositions.demo import solids
from workshop.compositions.demo.flat_boards import FLAT
from workshop.compositions.models import Composition, Draft
from workshop.compositions.plans import plan_of
from workshop.entry.person import local_person
from workshop.longwork.doing import do
from workshop.shop.actions import add_board, change_prices, mark_defect, photograph_board, practice_of, shop_of
from workshop.shop.models import Shop
from workshop.stations.told import tell_afresh


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser):
        parser.add_argument("--owner", help="name of an account; the person at this computer otherwise")

    def handle(self, *args, **options):
        name = options["owner"]
        owner = get_user_model().objects.get(username=name) if name else local_person()
        if Shop.objects.filter(owner=owner).exists() or owner.compositions.exists():
            self.stdout.write("The demo was loaded before; nothing is changed.")
            return
        shop_of(owner)
        change_prices(owner, demo.PRICES, demo.WOOD_PRICES)
        for board in demo.BOARDS:
            add_board(owner, *board, offcut=board[1] in demo.OFFCUTS)
        for given in demo.PHOTOS:
            photograph(owner, given)
        photograph_flat(owner)
        for begin in (pane_lantern, house_number, teapot_puzzle, pear_in_slices, desk_lighthouse):
            begin(owner)
        plaque(owner)
        bring(owner, demo.LANTERN)
        pear(owner)
        lighthouse(owner)
        two_koi(owner)
        acorn = bring(owner, demo.ACORN)
        Composition.objects.filter(pk=acorn.pk).update(starter=True)
        for row in owner.compositions.all():
            tell_afresh(row, shop_of(owner))
        self.stdout.write("The demo is on the shelf.")


def photograph(owner, given: dict) -> None:
    """The photo of a board becomes its face, with its knots marked."""
    pk = shop_of(owner).boards.get(name=given["board"]).pk
    photograph_board(
        owner, pk, (demo.FOLDER / given["file"]).read_bytes(), given["marks"], given["length"], given["width"]
    )
    for kind, ring in given["defects"]:
        mark_defect(owner, pk, kind, ring)


def photograph_flat(owner) -> None:
    """Boards and off-cuts seen from straight above: their outline is that on the photo."""
    marks = json.loads((demo.FOLDER / "boards.json").read_text(encoding="utf-8"))
    for mark, (_, ring, flaws) in FLAT.items():
        pk = shop_of(owner).boards.get(name=mark).pk
        width = max(y for _, y in ring) - min(y for _, y in ring)
        told = {"outline": marks[mark], "patch": [[0.15, 0.16]], "reference": "white"}
        data = (demo.FOLDER / f"board-{mark.lower()}.jpg").read_bytes()
        photograph_board(owner, pk, data, told, "", f"{width:.1f} mm")
        for kind, x, y, radius in flaws:
            round_it = shapely.Point(x, y).buffer(radius, quad_segs=4).exterior.coords[:-1]
            mark_defect(owner, pk, kind, [[px, py] for px, py in round_it])


def bring(owner, given: dict) -> Composition:
    """A drawing through the real intake, accepted."""
    file = given.get("file", "")
    draft = Draft.objects.create(
        owner=owner,
        name=given["name"],
        file_name=file,
        data=given["words"].encode() if "words" in given else (demo.FOLDER / file).read_bytes(),
        knobs={"how": "width", "size": given["width"]} | given.get("knobs", {}),
    )
    do(tasks.PIECES, draft.pk, draft.turn)
    draft.refresh_from_db()
    return actions.accept_draft(draft, given["name"], practice_of(owner))


def lighthouse(owner) -> Composition:
    """Painted shapes, stacked by tone into five sheets that reach under each other. The sky is painted before anything
    lies on it; four are trimmed to one edge before the rocks go on. Six are made of it."""
    row = bring(owner, demo.LIGHTHOUSE)

    def do(verb: str, keys: list[int], layer: int = 0, **values) -> None:
        nonlocal row
        row = actions.perform(row, row.revision, verb, keys, values, layer)

    do("stack", [], by="colour", front="dark", reach="8 mm")
    layers = [layer.key for layer in store.load(row).layers]
    for key, (name, wood, paint, note, flush) in zip(layers, demo.LIGHTHOUSE["sheets"], strict=True):
        do("layer", [], key, name=name, note=note, layer_thickness=demo.LIGHTHOUSE["thickness"], trim_flush=flush)
        keys = [p.key for p in store.load(row).layer(key).without_openings.pieces]
        do("wood", keys, wood=wood)
        if paint:
            do("coat", keys, coat="paint", tint=paint)
    do("copies", [], count=demo.LIGHTHOUSE["copies"])
    for finding in plan_of(row).every_finding:
        if finding.code in ("hidden", "glued-parts", "too-small", "tight-corner"):
            do("accept", [], finding=finding.id, **finding.fix.values)
    return row


def pear(owner) -> Composition:
    """Pieces that rise out of the board they are sawn from, because the table was tilted."""
    row = bring(owner, demo.PEAR)
    for place, part, wood, grain, rise in demo.PEAR["pieces"]:
        keys = keys_at(row, [place])
        for verb, values in (
            ("part", {"part": part}),
            ("wood", {"wood": wood}),
            ("grain", {"deg": grain}),
            ("thickness", {"length": demo.PEAR["stock"]}),
            *([("bevel", {"rise": rise})] if rise else []),
        ):
            row = actions.perform(row, row.revision, verb, keys, values)
    return row


def desk_lighthouse(owner) -> Composition:
    """Parts that stand in the slots of a base, four times."""
    practice = practice_of(owner)
    row = actions.create(owner, composition_of(solids.desk_lighthouse(), "Desk lighthouse", practice))
    row = actions.perform(row, row.revision, "kit", [], {})
    row = actions.perform(row, row.revision, "renumber", [], {})
    keys = [p.key for p in store.load(row).made]
    row = actions.perform(row, row.revision, "thickness", keys, {"length": f"{solids.STOCK_MM:g} mm"})
    for key, wood in zip(keys, ("holly", "cherry", "maple", "walnut"), strict=True):
        row = actions.perform(row, row.revision, "wood", [key], {"wood": wood})
    return actions.perform(row, row.revision, "copies", [], {"count": "4"})


def pear_in_slices(owner) -> Composition:
    """A body on a square pin."""
    how = Cutting(6.0, 120.0, "best", 6.0)
    work = body_from(Brought(solids.pear_body(), 120.0), "Pear in slices", how, Wishes(), practice_of(owner))
    row = actions.create(owner, work)
    keys = [p.key for p in store.load(row).made]
    for some, wood in ((keys[:-2], "yellowheart"), (keys[-2:], "walnut")):
        row = actions.perform(row, row.revision, "wood", some, {"wood": wood})
    return row


def teapot_puzzle(owner) -> Composition:
    """A block sawn from two sides into five parts that free each other."""
    front, side = solids.teapot_front(), solids.teapot_side()
    work = block_from(front, side, "Teapot puzzle", 57.0, Wishes("basswood"), practice_of(owner))
    return actions.create(owner, work)


def house_number(owner) -> Composition:
    """Two figures that stand in a field which is routed into one board, a line round them."""
    row = actions.create(owner, composition_of(solids.house_number(), "House number", practice_of(owner)))
    keys = [p.key for p in store.load(row).made]
    for verb, values in (("thickness", {"length": "3/4 in"}), ("wood", {"wood": "cherry"})):
        row = actions.perform(row, row.revision, verb, keys, values)
    row = actions.perform(row, row.revision, "routed", [], {})
    coverage = store.load(row).layers[0].coverage
    sunk = max(keys, key=lambda key: len(coverage.neighbours[key]))
    line = next(k for k in coverage.neighbours[sunk] if 2 * coverage.spots[k].radius_mm < 4)
    inside = min(keys, key=lambda key: coverage.area_mm2[key] if len(coverage.neighbours[key]) == 1 else 1e9)
    for some, depth in (([sunk, inside], "6 mm"), ([line], "2.5 mm")):
        row = actions.perform(row, row.revision, "rout", some, {"depth": depth})
    return row


def pane_lantern(owner) -> Composition:
    """Openings that are filled with coloured resin."""
    row = actions.create(owner, composition_of(solids.pane_lantern(), "Lantern panes", practice_of(owner)))
    work = store.load(row)
    keys = [p.key for p in work.made]
    for verb, values in (("thickness", {"length": "1/4 in"}), ("wood", {"wood": "walnut"})):
        row = actions.perform(row, row.revision, verb, keys, values)
    for key, tint in zip(work.layers[0].openings, ("#d98a2b", "#2a6f8a", "#2a6f8a", "#d98a2b"), strict=True):
        row = actions.perform(row, row.revision, "pool", [key], {"tint": tint})
    return row


def plaque(owner) -> Composition:
    """Words in an oval: letters are openings, two centres are bridged, the others are left to decide."""
    row = bring(owner, demo.PLAQUE)
    for _ in range(2):
        floater = next(f for f in plan_of(row).every_finding if f.code == "floater")
        row = actions.perform(row, row.revision, "bridge", list(floater.pieces), {"width": "3 mm", "count": "2"})
    return row


def two_koi(owner) -> Composition:
    row = bring(owner, demo.TWO_KOI)

    def do(verb: str, keys: list[int], **values) -> None:
        nonlocal row
        row = actions.perform(row, row.revision, verb, keys, values)

    for part, places, wood, grain in demo.TWO_KOI["parts"]:
        keys = keys_at(row, places)
        do("part", keys, part=part)
        do("wood", keys, wood=wood)
        if grain is not None:
            do("grain", keys, deg=grain)
    for front, behind, level in demo.TWO_KOI["orders"]:
        parts = {name: [p.key for p in store.load(row).made if p.part == name] for name in (front, behind)}
        do("order", parts[front], behind=runs(parts[behind]), level=level)
    do("together", keys_at(row, [(223, 64)]), keep="yes")
    for name, swaps in demo.PALETTES:
        for before, after in reversed(swaps.items()):
            do("swap", [], **{"from": before, "to": after})
        do("palette_keep", [], name=name)
        for before, after in swaps.items():
            do("swap", [], **{"from": after, "to": before})
    for place, board, x, y in demo.PLACED:
        do("place", keys_at(row, [place]), board=board, x=x, y=y)
    do("lay", [])
    for finding in plan_of(row).findings("stock"):
        if finding.code == "caliper":
            do(finding.fix.verb, [], **finding.fix.values)
    _seen(row, do)
    do("anchor", keys_at(row, [(99, 30)]))
    _saw_some(row, demo.TWO_KOI["sawn"])
    return row


def _seen(row: Composition, do) -> None:
    """Findings that are as they are meant to be."""
    part = {p.key: p.part for p in store.load(row).pieces()}
    for finding in plan_of(row).every_finding:
        if finding.code == "tight-corner":
            do("accept", [], finding=finding.id, reason="sawn into from both sides")
        if finding.code == "melts" and all(part[key] in demo.TWO_KOI["one_body"] for key in finding.pieces):
            do("accept", [], finding=finding.id, reason="one body, meant to read as one")


def keys_at(row: Composition, places: list[tuple[float, float]]) -> list[int]:
    coverage = store.load(row).usual_layer.coverage
    return [next(k for k, o in coverage.by_key.items() if o.contains(shapely.Point(place))) for place in places]


def _saw_some(row: Composition, count: int) -> None:
    """A log as two evenings would leave it: invented minutes round the estimates, one piece broken and made again."""
    rng = random.Random(7)  # noqa: S311  invented data, not a secret
    at = timezone.now() - dt.timedelta(days=2, hours=1)
    plan = plan_of(row)
    table = plan.cards
    for card in table:
        if card.step.verb == "paste":
            Event.objects.create(composition=row, step=card.step.key, what="done", at=at)
    for i, card in enumerate([c for c in table if c.step.verb == "saw"][:count]):
        minutes = round(card.base_minutes * rng.uniform(1.0, 1.7), 1)
        at += dt.timedelta(minutes=minutes + 1) if i != count // 2 else dt.timedelta(hours=22)
        if i == 5:
            Event.objects.create(
                composition=row,
                part=card.parts[0],
                step="saw",
                what="broke",
                minutes=minutes,
                estimate_minutes=card.base_minutes,
                at=at - dt.timedelta(seconds=30),
                why="across",
                made_of=made_of(plan.job, card, plan.saw),
            )
        Event.objects.create(
            composition=row,
            part=card.parts[0],
            step="saw",
            what="done",
            minutes=minutes,
            estimate_minutes=card.base_minutes,
            at=at,
            made_of=made_of(plan.job, card, plan.saw),
        )
