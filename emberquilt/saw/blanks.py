"""Blanks: what lies on the saw table at one time, and which parts come out of it."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

from ..relief.bevel import BevelCut, bevels_of
from ..solid.slices import mirrored_pairs
from ..wood.packs import MOST_WOODS
from ..work.composition import Layer
from ..work.parts import Job, Part

IN_ONE_SHEET = ("sheet", "backer", "spacer")
"""Kinds of layers whose bodies are sawn out of one sheet."""
MOST_PAIR_MM = 25.0
"""Two parts on each other that are thicker are sawn one by one: common practice, no source."""


@dataclass(frozen=True, slots=True)
class Blank:
    """Parts of one copy that are sawn out of one piece of stock, or of several that lie on each other (`stack` of them,
    `thickness_mm` in all). `leads` are the parts whose lines are followed, `frees` what each of these cuts sets free.
    `layer` is set where lines of that layer are shared inside the blank and sawn once. `tilts`: parts that are sawn
    with the table tilted, and by how many degrees; `out_of_one`: bevelled pieces with what they are sawn out of."""

    parts: tuple[str, ...]
    material: str
    thickness_mm: float
    hardness_lbf: float
    stack: int = 1
    tilts: tuple[tuple[str, float], ...] = ()
    layer: int = 0
    frees: tuple[tuple[str, ...], ...] = ()
    pack: bool = False
    late: bool = False
    """Traced from the fitted pieces, and so not sawn before them."""
    out_of_one: bool = False
    woods: tuple[str, ...] = ()
    """Of a pack, as decided."""
    profile: int = 0
    """Of a block that is sawn through two faces: the first or the second."""

    @property
    def tilt_deg(self) -> float:
        """The most that the table is tilted for it."""
        return max((deg for _, deg in self.tilts), default=0.0)

    @property
    def leads(self) -> tuple[str, ...]:
        return tuple(freed[0] for freed in self.frees)


def blanks_of(job: Job) -> tuple[Blank, ...]:
    """Every blank of one copy: what is made of something that the shelf has. What is cut once the pieces are fitted
    comes last."""
    made = []
    done: set[int] = set()
    for stack in job.composition.decisions.saw.stacks:
        layers = [job.composition.layer(key) for key in stack]
        if blank := _stacked(job, layers):
            made.append(blank)
            done |= set(stack)
    for layer in job.composition.layers:
        if layer.key not in done:
            made += _of_layer(job, layer)
    return (*made, *(_derived(job) if made else ()))


def _of_layer(job: Job, layer: Layer) -> Iterator[Blank]:
    known = [job.pieces[p.key] for p in layer.without_openings.pieces if job.known(p.key)]
    if not known:
        return
    if layer.kind == "routed":
        # its outline is sawn last, once it is routed
        yield from (_blank(job, [board]) for board in job.boards if board.id.layer == layer.key)
    elif layer.kind == "face":
        fronts = {block.front for block in job.composition.decisions.space.blocks}
        yield replace(_blank(job, known, layer=layer.key), profile=1 if layer.key in fronts else 2)
    elif layer.kind in IN_ONE_SHEET:
        sheets: dict[tuple[str, float], list[Part]] = {}
        for part in known:
            sheets.setdefault((part.material, part.thickness_mm), []).append(part)
        for parts in sheets.values():
            yield _blank(job, parts, layer=layer.key)
    elif layer.kind == "kit":
        yield from _kit(job, layer, known)
    elif job.composition.practice.fit == "stack":
        yield _pack(job, layer, known)
    else:
        yield from _each_alone(job, layer, known)


def _each_alone(job: Job, layer: Layer, known: list[Part]) -> Iterator[Blank]:
    """Every piece out of a blank of its own; a bevelled one with what it jams in, out of one board, or out of two on
    each other where their woods differ."""
    bevels = bevels_of(job)
    by_key = {part.id.piece: part for part in known}
    inside: dict[int, list[Part]] = {}
    for part in known:
        cut = bevels.get(part.id.piece)
        if cut is not None and cut.host in by_key:
            inside.setdefault(cut.host, []).append(part)
    out = {part.key for parts in inside.values() for part in parts}
    for part in known:
        if own := inside.get(part.id.piece):
            yield _bevelled(job, layer, part, own, bevels)
        elif part.key not in out:
            yield _blank(job, [part])


def _bevelled(job: Job, layer: Layer, host: Part, inside: list[Part], bevels: Mapping[int, BevelCut]) -> Blank:
    shelf = job.composition.rack.shelf
    woods = {part.material for part in (host, *inside)}
    boards = len(woods)
    thick = host.thickness_mm * boards
    return Blank(
        tuple(part.key for part in (*inside, host)),
        host.material if boards == 1 else "",
        thick,
        max(shelf[code].hardness_lbf for code in woods),
        boards,
        tuple((part.key, bevels[part.id.piece].tilt_deg) for part in inside),
        layer.key,
        tuple((part.key,) for part in (*inside, host)),
        out_of_one=True,
    )


def _blank(job: Job, parts: list[Part], layer: int = 0, late: bool = False) -> Blank:
    first = parts[0]
    bevels = bevels_of(job) if layer else {}
    keys = tuple(part.key for part in parts)
    high = job.composition.decisions.saw.high
    wood = job.composition.rack.shelf[first.material]
    return Blank(
        keys,
        first.material,
        first.thickness_mm * high,
        wood.hardness_lbf,
        high,
        tuple((part.key, bevels[part.id.piece].tilt_deg) for part in parts if part.id.piece in bevels),
        layer=layer,
        frees=tuple((key,) for key in keys),
        late=late,
    )


def _pack(job: Job, layer: Layer, known: list[Part]) -> Blank:
    """Every piece out of one pack: of the woods that were decided for it, otherwise of those in use, as many as a pack
    holds."""
    shelf = job.composition.rack.shelf
    kept = job.composition.decisions.wood.pack(layer.key)
    decided = [code for code in kept.woods if code in shelf] if kept else []
    codes = decided if len(decided) > 1 else list(dict.fromkeys(part.material for part in known))[:MOST_WOODS]
    keys = tuple(part.key for part in known)
    thick = max(part.thickness_mm for part in known) * len(codes)
    hard = max(shelf[code].hardness_lbf for code in codes)
    return Blank(
        keys,
        codes[0] if len(codes) == 1 else "",
        thick,
        hard,
        len(codes),
        layer=layer.key,
        frees=tuple((key,) for key in keys),
        pack=True,
        woods=tuple(codes),
    )


def _stacked(job: Job, layers: list[Layer]) -> Blank | None:
    """Layers of the same outlines on each other: the lines of the first are followed."""
    columns = alike_bodies(layers)
    if not columns or not all(job.known(key) for column in columns for key in column):
        return None
    parts = [[job.pieces[key] for key in column] for column in columns]
    shelf, high = job.composition.rack.shelf, job.composition.decisions.saw.high
    every = [part for column in parts for part in column]
    materials = {part.material for part in every}
    return Blank(
        tuple(part.key for part in every),
        materials.pop() if len(materials) == 1 else "",
        max(sum(part.thickness_mm for part in column) for column in parts) * high,
        max(shelf[part.material].hardness_lbf for part in every),
        len(layers) * high,
        layer=layers[0].key,
        frees=tuple(tuple(part.key for part in column) for column in parts),
    )


SAME_MM2 = 2.0
"""Outlines that differ by less than this are one: what rounding leaves."""


def alike_bodies(layers: list[Layer]) -> list[list[int]]:
    """For each body of the first layer the ones of the same outline in the others, by key; empty where any lacks
    one."""
    first = layers[0].without_openings.coverage
    columns = [[key] for key in first.keys]
    for other in layers[1:]:
        theirs = other.without_openings.coverage
        if len(theirs) != len(first):
            return []
        waiting = dict(theirs.by_key)
        for column in columns:
            mine = first.by_key[column[0]]
            same = next((key for key, outline in waiting.items() if _same(mine, outline)), None)
            if same is None:
                return []
            del waiting[same]
            column.append(same)
    return columns


def _same(one, other) -> bool:
    if abs(one.area - other.area) > SAME_MM2 or any(
        abs(a - b) > 0.5 for a, b in zip(one.bounds, other.bounds, strict=True)
    ):
        return False
    return one.symmetric_difference(other).area <= SAME_MM2


def _derived(job: Job) -> Iterator[Blank]:
    """Backers, shims and spacers; the base."""
    shelf = job.composition.rack.shelf
    for part in (*job.grounds, *job.base, *job.shims, *job.stands):
        if part.material in shelf:
            yield _blank(job, [part], late=True)


def _kit(job: Job, layer: Layer, known: list[Part]) -> Iterator[Blank]:
    """Parts that are drawn side by side: each out of a blank of its own, those of one outline (or of one and its mirror
    image, turned over afterwards) in pairs on each other, where that is not too thick to steer."""
    waiting = {part.id.piece: part for part in known}
    pairs = twins_in(layer) if job.composition.practice.pairs == "stack" else ()
    for pair in pairs:
        parts = [waiting[key] for key in pair if key in waiting]
        alike = len(parts) == 2 and parts[0].thickness_mm == parts[1].thickness_mm
        if alike and sum(part.thickness_mm for part in parts) <= MOST_PAIR_MM:
            for part in parts:
                del waiting[part.id.piece]
            yield _pair(job, parts)
    for part in waiting.values():
        yield _blank(job, [part])


def twins_in(layer: Layer) -> tuple[tuple[int, int], ...]:
    """Pairs of pieces of one outline, as it is or mirrored from left to right, worked out once for their outlines."""
    coverage = layer.without_openings.coverage

    def compute() -> tuple[tuple[int, int], ...]:
        keys = coverage.keys
        return tuple((keys[a], keys[b]) for a, b, _ in mirrored_pairs(coverage.outlines))

    return coverage.once("twins", compute)


def _pair(job: Job, parts: list[Part]) -> Blank:
    """Two parts on each other: the lines of the first are followed."""
    shelf, high = job.composition.rack.shelf, job.composition.decisions.saw.high
    materials = {part.material for part in parts}
    keys = tuple(part.key for part in parts)
    return Blank(
        keys,
        parts[0].material if len(materials) == 1 else "",
        sum(part.thickness_mm for part in parts) * high,
        max(shelf[part.material].hardness_lbf for part in parts),
        len(parts) * high,
        frees=(keys,),
    )
