"""What the Fit and glue station says."""

from emberquilt.keys import runs
from emberquilt.saw.steps import SAW_VERBS
from emberquilt.work.steps import Step
from workshop.stations.desk import Desk

PRACTICE = (
    "glue",
    "seconds_per_piece",
    "anchor",
    "backer_inset_mm",
    "finish",
    "finish_when",
    "coats",
)


def context(desk: Desk) -> dict:
    glue, number = desk.plan.glue, desk.number
    row = glue.by_part.get(str(desk.chosen.one.key)) if desk.chosen and desk.chosen.one else None
    order = [s.piece for s in glue.steps]
    after = order[(order.index(row.piece) + 1) % len(order)] if row else (order[0] if order else None)
    batches = [
        {
            "number": i,
            "name": _name(desk, batch[0].assembly),
            "keys": runs(s.piece for s in batch),
            "count": len(batch),
            "grow": min(len(batch), 20),
            "current": row in batch,
        }
        for i, batch in enumerate(glue.batches, 1)
    ]
    return {
        "glue": glue,
        "row_down": row,
        "touches": [number[int(key)] for key in row.touches] if row else [],
        "next_step": after,
        "batches": batches,
        "anchors": [number[key] for key in glue.anchors.values()],
        "tree": [_branch(desk, one) for one in glue.tree.inside],
        "order": [
            _told(desk, step)
            for step in desk.plan.steps
            if step.station in ("assembly", "saw", "relief") and _is_shown(step)
        ],
        "copies": desk.composition.decisions.whole.copies,
        "several": len(desk.composition.layers) > 1,
    }


def _name(desk: Desk, assembly: str) -> str:
    """The layer that an assembly is of, where the work has several."""
    if len(desk.composition.layers) == 1:
        return ""
    return desk.composition.layer(int(assembly.removeprefix("layer-"))).name


def _branch(desk: Desk, one) -> dict:
    """An assembly for the tree: its name, how many parts, why it stands there, what is put together before."""
    pieces = [int(key) for key in one.parts if key.isdecimal()]
    return {
        "name": one.name,
        "count": len(pieces),
        "keys": runs(pieces),
        "derived": _derived(desk, one),
        "why": one.why,
        "accent": one.accent,
        "inside": [_branch(desk, inner) for inner in one.inside],
    }


def _derived(desk: Desk, one) -> str:
    """Backer, shims and spacers of an assembly, counted."""
    count: dict[str, int] = {}
    for key in one.parts:
        if not key.isdecimal():
            role = desk.job.by_key[key].role
            count[role] = count.get(role, 0) + 1
    return ", ".join(
        role if n == 1 and role == "backer" else f"{n} {role}{'s' if n > 1 else ''}" for role, n in count.items()
    )


def _is_shown(step: Step) -> bool:
    """Each kind of step once: of several copies the first; what is sawn and pasted before stands elsewhere."""
    return step.copy in (0, 1) and step.verb not in ("paste", *SAW_VERBS)


def _told(desk: Desk, step: Step) -> dict:
    pieces = {int(name) for key in step.parts if (name := key.partition("/")[0]).isdecimal()}
    label = step.label.removesuffix(f", copy 1 of {desk.job.copies}")
    return {"step": step, "label": label, "keys": runs(pieces)}
