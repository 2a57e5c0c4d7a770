"""The work as a tree of sub-assemblies: what is put together by itself, and onto what it then goes."""

from collections.abc import Iterator
from dataclasses import dataclass, field

from ..work.composition import Layer
from ..work.contacts import contacts_of
from ..work.parts import Job


@dataclass(frozen=True)
class Assembly:
    """Parts of one copy (`parts`, by key) that go down one after the other, and what is put together before and goes
    on as one (`inside`). `layer` is 0 for the whole work. `accent`: it goes on after the trimming. `why` it stands
    where it stands."""

    key: str
    name: str
    layer: int
    parts: tuple[str, ...]
    inside: tuple["Assembly", ...] = field(default=())
    why: str = ""
    accent: bool = False

    def every(self) -> Iterator["Assembly"]:
        """This one and all inside it, those that are put together first before what they go on."""
        for one in self.inside:
            yield from one.every()
        yield self


def tree_of(job: Job) -> Assembly:
    """The whole work. Its parts are those of one copy, each in exactly one assembly."""
    layers = [layer for layer in job.composition.layers if layer.without_openings.pieces]
    carried = _carried(job, layers)
    last = _last_flush(layers)
    made: dict[int, Assembly] = {}
    # from the front: what lies on an overlay is known before the overlay is
    for i in range(len(layers) - 1, -1, -1):
        layer = layers[i]
        inside = tuple(made.pop(other.key) for other in layers[i + 1 :] if carried.get(other.key) == layer.key)
        accent = last is not None and i > last
        made[layer.key] = Assembly(
            f"layer-{layer.key}",
            layer.name,
            layer.key,
            _parts_of(job, layer, first=i == 0),
            inside,
            _why(job, layers, i, inside, accent),
            accent,
        )
    whole = tuple(part.key for part in (*job.rails, *job.base))
    order = tuple(made[layer.key] for layer in layers if layer.key in made)
    return Assembly("work", job.composition.name, 0, whole, order, "back to front")


def _parts_of(job: Job, layer: Layer, first: bool) -> tuple[str, ...]:
    """Keys of all that goes down with a layer: the backer with the rearmost, shims and spacers before what they
    carry."""
    grounds = tuple(part.key for part in job.grounds) if first else ()
    under = tuple(part.key for part in (*job.shims, *job.stands) if part.id.layer == layer.key)
    return (*grounds, *under, *(str(p.key) for p in layer.without_openings.pieces))


def _carried(job: Job, layers: list[Layer]) -> dict[int, int]:
    """Overlays that lie on nothing but another overlay, with that one: they are put together before they go on."""
    kind = {layer.key: layer.kind for layer in layers}
    home = {str(p.key): layer.key for layer in layers for p in layer.without_openings.pieces}
    under: dict[int, set[int]] = {}
    for contact in contacts_of(job):
        if contact.kind == "face" and contact.a in home and contact.b in home:
            under.setdefault(home[contact.b], set()).add(home[contact.a])
    return {
        key: next(iter(below))
        for key, below in under.items()
        if kind[key] == "overlay" and len(below) == 1 and kind[next(iter(below))] == "overlay"
    }


def _last_flush(layers: list[Layer]) -> int | None:
    """Place of the frontmost layer that is trimmed flush, None where there is none."""
    return max((i for i, layer in enumerate(layers) if layer.trim_flush), default=None)


def _why(job: Job, layers: list[Layer], i: int, inside: tuple[Assembly, ...], accent: bool) -> str:
    if inside:
        names = " and ".join(one.name for one in inside)
        return f"{names} {'goes' if len(inside) == 1 else 'go'} on first: small parts are easier to press on the bench"
    if accent:
        return "after the edge is trimmed: it would be in the way"
    if i == 0:
        return "on its backer" if job.grounds else "it carries the rest"
    return f"on {layers[i - 1].name}: back to front, so that each lies on what is down"
