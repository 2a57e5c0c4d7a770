"""What is put on the wood: which parts, in how many coats, before or after glue-up and why, how much of it, what stays
bare where glue goes, and what must not be brushed over."""

from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np
import shapely

from ..colour import words_of
from ..findings import name_pieces
from ..rack.coats import CLEAR, Coat, coat_of
from ..work.contacts import contacts_of
from ..work.parts import Job
from .bonds import bonds_of
from .supplies import Finish, finish_of

BRUSH_MM = 8.0
"""Through less than this no brush reaches what lies deeper: common practice, no source."""
PAINT_COATS = 2
"""Of solid paint; of a wash, speckle or stain one: common practice, no source."""
SUPPLY = {"wash": "paint", "speckle": "paint"}
"""What a coat is made with, where that is not named as it is."""
WITH_THEM = {
    "outdoors": "Outdoors a finish lasts a few years: take one that is sold for it, and water-resistant glue.",
    "child": "For a child's hands: only what its label allows for toys; follow the local rules, no loose parts.",
    "food": "Where food lies: only what its label allows for that, cured as long as it says; follow the local rules.",
}
"""The usual cautions by what the work is for."""
BEFORE, AFTER = "before", "after"
AS_HERE = "before glue-up, as it is done here"


@dataclass(frozen=True)
class Coating:
    """One kind of coat on some parts of one copy. `key` names its steps; `supply` with its times in the shop's air;
    `coats` how many; `when` before or after glue-up; `area_mm2` what is coated of one copy, and `masked` by part what
    of it stays bare because glue goes there. `why` it stands there; `bare` parts that it must not get on."""

    key: str
    name: str
    supply: Finish
    coats: int
    parts: tuple[str, ...]
    when: str
    why: str
    area_mm2: float
    masked: dict[str, float] = field(default_factory=dict)
    lines: tuple[str, ...] = ()
    bare: tuple[str, ...] = ()

    @property
    def masked_mm2(self) -> float:
        return sum(self.masked.values())

    @property
    def ml(self) -> float:
        """For all coats of one copy."""
        return self.supply.ml(self.area_mm2) * self.coats

    def step_keys(self) -> list[str]:
        """Of its steps, coat by coat."""
        return [f"{self.key}-{n}" for n in range(1, self.coats + 1)]


def coatings_of(job: Job) -> tuple[Coating, ...]:
    """All coats of one copy, in the order in which they are put on."""
    return job.once("coatings", lambda: tuple(_Coating(job).every()))


class _Coating:
    def __init__(self, job: Job):
        self.job = job
        self.practice = job.composition.practice
        self.finish = finish_of(self.practice.finish, self.practice)
        self.worn = {str(p.key): p.coat for p in job.composition.made if p.coat and p.coat != self.practice.finish}
        self.early = _early(job, self.worn)
        if self.practice.finish_when == BEFORE:
            self.early |= {key: AS_HERE for key in self.worn if key not in self.early}
        self.glued_on = glued_faces(job)

    def every(self) -> Iterable[Coating]:
        yield from self._colours(BEFORE)
        everything = [part.key for part in self.job.of_one if part.key.isdecimal()]
        everything += [str(key) for key in (*self.job.fronts, *self.job.routed)]
        # a colour is cleared over with the rest; who wears another clear finish, or none, is left out
        rest = [key for key in everything if coat_of(self.worn.get(key, "")).kind not in CLEAR]
        among = set(rest)
        left_out = tuple(key for key in everything if key not in among)
        if self.practice.finish_when == BEFORE:
            if rest and self.practice.coats:
                yield self._over(rest, AS_HERE, BEFORE, "coat", left_out)
        else:
            keys, why = out_of_reach(self.job)
            keys = [key for key in keys if key in among]
            if keys and self.practice.coats:
                yield self._over(keys, why, BEFORE, "early-coat", ())
        yield from self._colours(AFTER)
        if self.practice.finish_when == AFTER and rest and self.practice.coats:
            yield self._over(rest, "over all, once nothing more is glued", AFTER, "coat", left_out)

    def _colours(self, when: str) -> Iterable[Coating]:
        """Coats that some pieces wear, those with a reason to be early before glue-up."""
        by_coat: dict[str, list[str]] = {}
        for key, text in self.worn.items():
            if coat_of(text).kind != "raw" and (key in self.early) == (when == BEFORE):
                by_coat.setdefault(text, []).append(key)
        for text, keys in by_coat.items():
            coat = coat_of(text)
            why = next((self.early[key] for key in keys if key in self.early), "it meets nothing of another colour")
            name = text.replace(" ", "-").replace("#", "")
            name = f"colour-{name}" if when == BEFORE else f"late-colour-{name}"
            primed = self._primed(coat, keys)
            if primed:
                yield self._made(f"{name}-primer", "Prime", finish_of("primer", self.practice), 1, primed, when, why)
            supply = finish_of(SUPPLY.get(coat.kind, coat.kind), self.practice)
            yield self._made(name, _verb(coat, supply), supply, _count(coat), keys, when, why, _how(coat))

    def _primed(self, coat: Coat, keys: list[str]) -> list[str]:
        """What is primed under a paint."""
        if coat.kind not in ("paint", "speckle") or self.practice.prime == "no":
            return []
        shelf = self.job.composition.rack.shelf
        material = {key: self.job.by_key[key].material for key in keys}
        sheet = [key for key in keys if material[key] in shelf and shelf[material[key]].kind == "sheet"]
        return keys if self.practice.prime == "all" else sheet

    def _over(self, keys: list[str], why: str, when: str, name: str, bare: tuple[str, ...]) -> Coating:
        lines = []
        if bare:
            numbers = name_pieces([self.job.by_key[key].number for key in bare], 6)
            lines.append(f"Keep it off {numbers}: {_worn_words(self.worn[bare[0]])}")
        return self._made(name, self.finish.name, self.finish, self.practice.coats, keys, when, why, lines, bare)

    def _made(self, key, name, supply, coats, keys, when, why, lines=(), bare=()) -> Coating:
        job = self.job
        masked = {}
        if when == BEFORE:
            # glue goes on bare wood, unless somebody wants it otherwise
            coated = set(job.composition.decisions.assembly.unmasked)
            masked = {k: self.glued_on[k] for k in keys if k in self.glued_on and int(k) not in coated}
        area = sum(_face_mm2(job, k, when) for k in keys) - sum(masked.values())
        told = [*lines, *_handled(job, supply, keys)]
        return Coating(key, name, supply, coats, tuple(keys), when, why, max(area, 0.0), masked, tuple(told), bare)


def _face_mm2(job: Job, key: str, when: str) -> float:
    """What of a part's face is coated: all of it, or what is still seen of it."""
    seen = job.seen_of.get(int(key))
    return float(job.by_key[key].area_mm2 if when == BEFORE or seen is None else seen.area)


def _verb(coat: Coat, supply: Finish) -> str:
    return {
        "dye": "Dye",
        "paint": "Paint",
        "wash": "Wash",
        "speckle": "Speckle",
        "stain": "Stain",
    }.get(coat.kind, f"{supply.name} on") + (f" {words_of(coat.colour)}" if coat.colour else "")


def _count(coat: Coat) -> int:
    return coat.coats if coat.kind == "dye" else PAINT_COATS if coat.kind == "paint" else 1


def _how(coat: Coat) -> list[str]:
    return {
        "wash": ["Thinned with as much water, wiped back while it is wet"],
        "speckle": ["Flicked off a stiff brush from a hand's breadth; try it on paper first"],
        "dye": ["Flood it on, even and wet; each coat makes it deeper"],
    }.get(coat.kind, [])


def _worn_words(text: str) -> str:
    kind = coat_of(text).kind
    return "it stays raw" if kind == "raw" else f"it wears {kind}"


def _handled(job: Job, supply: Finish, keys: Iterable[str]) -> list[str]:
    """Grit between coats, burnt lines, rags and the rack, in words."""
    told = []
    if supply.grit:
        told.append(f"Between coats {supply.grit} grit, lightly, and wipe the dust off")
    if burnt := _burnt(job, keys):
        brush = supply.how in ("brush", "wipe")
        how = "do not brush over them, their soot smears; spray or dab" if brush else "sprayed, they hold"
        told.append(f"Burnt lines on {burnt}: {how}")
    if supply.how == "spray":
        told.append("Spray in several light passes where air moves; bring it back to a warm room to dry")
    return told


def _burnt(job: Job, keys: Iterable[str]) -> str:
    burnt = [d.geometry for d in job.composition.decisions.pattern.details if d.how == "burnt"]
    if not burnt:
        return ""
    lines = shapely.union_all(np.array(burnt, object))
    numbers = [job.by_key[key].number for key in keys if shapely.intersects(job.by_key[key].outline, lines)]
    return name_pieces(sorted(numbers), 4) if numbers else ""


def glued_faces(job: Job) -> dict[str, float]:
    """By part the area of its upper face on which something is glued."""
    found: dict[str, float] = {}
    for bond in bonds_of(job):
        if bond.kind == "face":
            found[bond.a] = found.get(bond.a, 0.0) + bond.area_mm2
    return found


def _early(job: Job, coloured: dict[str, str]) -> dict[str, str]:
    """Parts whose colour goes on before glue-up, and why."""
    name = {key: part.name for key, part in job.by_key.items()}
    reason: dict[str, str] = {}
    for contact in contacts_of(job):
        for mine, other in ((contact.a, contact.b), (contact.b, contact.a)):
            if mine not in coloured or other not in job.by_key or coloured.get(other) == coloured[mine]:
                continue
            if contact.kind == "edge":
                reason.setdefault(mine, f"{name[mine]} meets {name[other]}: colours must not run")
            elif mine == contact.a and other.isdecimal():
                reason[mine] = f"{name[mine]} lies under {name[other]}: later no brush reaches it"
            elif other.isdecimal():
                reason.setdefault(mine, f"{name[mine]} lies on {name[other]}, which is not of that colour")
    return reason


def out_of_reach(job: Job) -> tuple[list[str], str]:
    """Pieces that are seen only through what is too narrow for a brush, and why they are finished early."""
    found, why = [], ""
    for layer in job.composition.layers[:-1]:
        for p in layer.without_openings.pieces:
            seen = job.seen_of[p.key]
            hidden = job.pieces[p.key].area_mm2 - seen.area
            if seen.area > 1.0 and hidden > 1.0 and shapely.buffer(seen, -BRUSH_MM / 2).is_empty:
                found.append(str(p.key))
                why = why or f"{p.number} is seen only through less than {BRUSH_MM:g} mm: no brush reaches it later"
    return found, why
