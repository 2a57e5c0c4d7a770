"""Verbs that belong to no station, and the one way that every edit goes."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from ..errors import BadChoice
from .change import Edit, carried, decided
from .composition import Composition
from .decisions import MOST_COPIES
from .register import VERBS, Values, verb
from .setting import set_fields, whole_number
from .view import Target, target_of

MOST_ID = 600
"""Letters of a finding's id: forty keys of seven digits, a place and a layer."""


def edit(composition: Composition, name: str, keys: Sequence[int], values: dict[str, Any], layer: int = 0) -> Edit:
    """The changes that a verb with its values makes to pieces, in the layer of that key where none is chosen. Raises
    `BadChoice` or `BadLength` and then changes nothing."""
    if name not in VERBS:
        raise BadChoice(f"There is no verb “{name[:40]}”.")
    target = target_of(composition, list(keys), layer)
    if VERBS[name].on == "pieces":
        target = replace(target, pieces=tuple(p for p in target.pieces if not p.opening))
        if not target.pieces:
            raise BadChoice("Choose a piece first: click it on the picture.")
    return carried(composition, VERBS[name].do(target, values))


@verb("part", on="pieces")
def name_part(target: Target, values: Values) -> Edit:
    name = " ".join(str(values.get("part", "")).split())[:80]
    return set_fields("part", target.pieces, lambda p: {"part": name})


@verb("copies")
def copies(target: Target, values: Values) -> Edit:
    """How many are made of this work."""
    count = whole_number(values.get("count"), 1, MOST_COPIES)
    return decided(target.composition, f"make {count} of this", "whole", copies=count)


@verb("accept")
def accept(target: Target, values: Values) -> Edit:
    """Remember that a finding was seen and is all right, with its reason."""
    finding = str(values.get("finding", ""))[:MOST_ID]
    if not finding:
        raise BadChoice("No finding was named.")
    lost = target.composition.decisions.whole.lost
    left = tuple(one for one in lost if not (finding.startswith("decision-gone:") and finding.endswith(one.mark)))
    if len(left) < len(lost):
        # it was said, and somebody has seen it: there is nothing to be kept of it
        return decided(target.composition, "what was let go is seen", "whole", lost=left)
    reason = str(values.get("reason", "")).strip()[:400] or "accepted as it is"
    accepted = dict(target.composition.accepted) | {finding: reason}
    return decided(target.composition, "a finding accepted", "whole", accepted=accepted)


@verb("open_again")
def open_again(target: Target, values: Values) -> Edit:
    rest = {k: v for k, v in target.composition.accepted.items() if k != values.get("finding")}
    return decided(target.composition, "a finding opened again", "whole", accepted=rest)


@verb("practice")
def set_practice(target: Target, values: Values) -> Edit:
    """Change one or several of the composition's own practices; lengths may be typed."""
    practice = target.composition.practice
    changed = practice.changed(**practice.typed(**values)).as_dict()
    words = ", ".join(name.removesuffix("_mm").replace("_", " ") for name in values)
    return Edit(f"practice: {words}"[:80], {}, {"practice": changed} if changed != practice.as_dict() else {})


@verb("rename")
def rename(target: Target, values: Values) -> Edit:
    name = " ".join(str(values.get("name", "")).split())[:120]
    if not name:
        raise BadChoice("Give the picture a name.")
    return Edit("name", {}, {"name": name} if name != target.composition.name else {})
