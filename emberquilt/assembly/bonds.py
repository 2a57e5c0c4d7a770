"""Which contacts are glued: faces that are wide enough, joints, and seams where nothing else holds a piece."""

from collections.abc import Iterable
from dataclasses import replace

from networkx.utils import UnionFind

from ..keys import keys_in
from ..relief.bevel import bevels_of
from ..work.contacts import Contact, contacts_of
from ..work.parts import Job, Part

LEAST_SEAM_MM = 3.0
"""A shorter seam holds nothing: own choice."""


def bonds_of(job: Job) -> tuple[Contact, ...]:
    """All contacts of one copy that are glued, seams with the area of their edges, worked out once for a job."""
    return job.once("bonds", lambda: tuple(_bonds(job)))


def _bonds(job: Job) -> Iterable[Contact]:
    practice, contacts = job.composition.practice, contacts_of(job)
    wide = [c for c in contacts if c.kind != "edge" and c.area_mm2 >= practice.least_glue_mm2]
    yield from wide
    every = practice.glue_seams == "seams"
    lies = {c.b for c in wide if c.kind == "face"}
    bundle = bundle_of(job)
    for seam in contacts:
        if seam.kind != "edge" or seam.length_mm < LEAST_SEAM_MM:
            continue
        bound = bundle.get(seam.a, seam.a) == bundle.get(seam.b, seam.b)
        if every or bound or seam.a not in lies or seam.b not in lies:
            yield replace(seam, area_mm2=round(seam.length_mm * _meeting_mm(job.by_key[seam.a], job.by_key[seam.b]), 6))


def _meeting_mm(one: Part, other: Part) -> float:
    """Over what height two neighbours stand beside each other."""
    return max(min(one.top_mm, other.top_mm) - max(one.floor_mm, other.floor_mm), 0.0)


def bundle_of(job: Job) -> dict[str, int]:
    """For each piece that goes into a bundle the number of it; pieces of the other parts are in none."""
    return {str(key): n for n, (keys, _) in enumerate(bundles_of(job)) for key in keys}


def bundles_of(job: Job) -> tuple[tuple[tuple[int, ...], str], ...]:
    """Pieces that are put together by themselves and go on as one, back to front, each bundle with why. What one person
    tied, what jams in what, and what lies on nothing but one overlay share a bundle where they share a piece."""
    return job.once("bundles", lambda: tuple(_bundles(job)))


def _bundles(job: Job) -> Iterable[tuple[tuple[int, ...], str]]:
    joined, why = UnionFind(), dict[int, str]()
    for keys, reason in _ties(job):
        joined.union(*keys)
        why |= {key: why.get(key, reason) for key in keys}
    place = {key: i for i, key in enumerate(job.pieces)}
    groups = [sorted(group, key=place.__getitem__) for group in joined.to_sets()]
    for keys in sorted(groups, key=lambda group: place[group[0]]):
        yield tuple(keys), next(why[key] for key in keys)


def _ties(job: Job) -> Iterable[tuple[list[int], str]]:
    """Pieces that are put together, and why, what a person said first."""
    for run in job.composition.decisions.assembly.bundles:
        for keys in _hanging_together(job, [key for key in keys_in(run) if key in job.pieces]):
            yield keys, "you tied them together"
    for key, bevel in bevels_of(job).items():
        if key in job.pieces and bevel.host in job.pieces:
            side = "below" if bevel.rise_mm > 0 else "above"
            yield [bevel.host, key], f"it is pressed in from {side}, while both of its sides can be reached"
    for key, host in _carried(job).items():
        yield [host, key], "small parts are easier to press on the bench"
    if job.composition.practice.anchor == "parts":
        for keys in _named(job):
            yield keys, "they are one body, fitted and glued before it goes on"


def _hanging_together(job: Job, keys: list[int]) -> list[list[int]]:
    """Of these pieces the groups that touch each other, by seams or by lying on each other."""
    wanted, joined = {str(key) for key in keys}, UnionFind()
    for contact in contacts_of(job):
        if contact.a in wanted and contact.b in wanted:
            joined.union(int(contact.a), int(contact.b))
    return [sorted(group) for group in joined.to_sets()]


def _carried(job: Job) -> dict[int, int]:
    """Pieces of overlays that lie on nothing but one piece of another overlay, with that one."""
    layer = {p.key: one for one in job.composition.layers for p in one.without_openings.pieces}
    under: dict[int, set[str]] = {}
    for contact in contacts_of(job):
        if contact.kind == "face" and contact.b.isdecimal():
            under.setdefault(int(contact.b), set()).add(contact.a)
    found = {}
    for key, below in under.items():
        only = next(iter(below))
        if layer[key].kind != "overlay" or len(below) != 1 or not only.isdecimal():
            continue
        host = layer[int(only)]
        if host.kind == "overlay" and not host.trim_flush:
            found[key] = int(only)
    return found


def _named(job: Job) -> list[list[int]]:
    """Pieces of each named part of a layer of several, as far as they touch each other."""
    found = []
    for layer in job.composition.layers:
        if not layer.fitted:
            continue
        by_name: dict[str, list[int]] = {}
        for p in layer.without_openings.pieces:
            if p.part:
                by_name.setdefault(p.part, []).append(p.key)
        for keys in by_name.values():
            if 1 < len(keys) < len(layer.without_openings.pieces):
                found += _hanging_together(job, keys)
    return found
