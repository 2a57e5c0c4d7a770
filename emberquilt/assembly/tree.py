"""The work as a tree of sub-assemblies: what is put together by itself, and onto what it then goes."""

from collections.abc import Iterator
from dataclasses import dataclass, field

from ..findings import name_pieces
from ..work.composition import Layer
from ..work.parts import Job
from .bonds import bundles_of


@dataclass(frozen=True)
class Assembly:
    """Parts of one copy (`parts`, by key) that go down one after the other, and what is put together before (`inside`).
    `layer` is 0 for the whole work and for its frame. `apart`: it is put together by itself on the bench and goes on as
    one. `accent`: it goes on after the trimming. `why` it stands where it stands."""

    key: str
    name: str
    layer: int
    parts: tuple[str, ...]
    inside: tuple["Assembly", ...] = field(default=())
    why: str = ""
    accent: bool = False
    apart: bool = False

    def every(self) -> Iterator["Assembly"]:
        """This one and all inside it, those that are put together first before what they go on."""
        for one in self.inside:
            yield from one.every()
        yield self

    @property
    def all_parts(self) -> tuple[str, ...]:
        """Its parts with those of all inside it."""
        return tuple(key for one in self.every() for key in one.parts)


def tree_of(job: Job) -> Assembly:
    """The whole work: its layers back to front, in each the bundles that go on it as one, and its frame. Its parts are
    those of one copy, each in exactly one assembly."""
    layers = [layer for layer in job.composition.layers if layer.without_openings.pieces and layer.kind != "face"]
    last = max((i for i, layer in enumerate(layers) if layer.trim_flush), default=None)
    bundles = _bundles(job)
    bundled = {key for _, one in bundles for key in one.parts}
    order = []
    for i, layer in enumerate(layers):
        inside = tuple(one for home, one in bundles if home == layer.key)
        parts = tuple(key for key in _parts_of(job, layer, first=i == 0) if key not in bundled)
        if parts or inside:
            accent = last is not None and i > last
            key = f"layer-{layer.key}"
            order.append(Assembly(key, layer.name, layer.key, parts, inside, _why(job, layers, i, accent), accent))
    if job.rails:
        rails = tuple(part.key for part in job.rails)
        order.append(Assembly("frame", "frame", 0, rails, why="its mitres are glued by themselves", apart=True))
    return Assembly(
        "work", job.composition.name, 0, tuple(part.key for part in job.base), tuple(order), "back to front"
    )


def _bundles(job: Job) -> list[tuple[int, Assembly]]:
    """The bundles, each with the layer that its rearmost piece lies in, and the shims that only it stands on."""
    made = []
    for keys, why in bundles_of(job):
        home = job.composition.home[keys[0]]
        own = set(keys)
        shims = tuple(shim.key for shim in job.shims if set(job.carried[shim.key]) <= own)
        names = {job.composition.by_key[key].part for key in keys}
        name = names.pop() if len(names) == 1 and "" not in names else ""
        told = name or name_pieces([job.composition.by_key[key].number for key in keys], 3)
        parts = (*shims, *map(str, keys))
        made.append((home.key, Assembly(f"bundle-{keys[0]}", told, home.key, parts, why=why, apart=True)))
    return made


def _parts_of(job: Job, layer: Layer, first: bool) -> tuple[str, ...]:
    """Keys of all that goes down with a layer: the backer with the rearmost, shims and spacers before what they
    carry."""
    grounds = tuple(part.key for part in job.grounds) if first else ()
    under = tuple(part.key for part in (*job.shims, *job.stands) if part.id.layer == layer.key)
    if layer.kind == "routed":
        return (*grounds, *under, *(board.key for board in job.boards if board.id.layer == layer.key))
    return (*grounds, *under, *(str(p.key) for p in layer.without_openings.pieces))


def _why(job: Job, layers: list[Layer], i: int, accent: bool) -> str:
    if accent:
        return "after the edge is trimmed: it would be in the way"
    if i == 0:
        return "on its backer" if job.grounds else "it carries the rest"
    return f"on {layers[i - 1].name}: back to front, so that each lies on what is down"
