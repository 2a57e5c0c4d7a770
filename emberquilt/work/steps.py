"""Steps: one thing to do each, gathered room by room in the order of the work."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from .pace import Pace

Done = frozenset[tuple[str, str]]
"""What was ticked: of a step done part by part its verb and the part's key, of another its key and nothing."""


@dataclass(frozen=True, slots=True)
class Step:
    """`minutes` of hands, then `wait_minutes` in which nobody is needed; `after` are keys of steps that must be done
    and dry. `shares` are the minutes of each of its parts, as many as there are parts, or none where it is one thing.
    `each`: it is done, shown and ticked part by part. `why` it stands where it stands."""

    key: str
    station: str
    verb: str
    label: str
    minutes: float
    parts: tuple[str, ...] = ()
    wait_minutes: float = 0.0
    after: tuple[str, ...] = ()
    each: bool = False
    divisible: bool = True
    """It can be put down and taken up again: the calendar cuts it by the windows one really has."""
    shares: tuple[float, ...] = ()
    together: tuple[int, ...] = ()
    """How many of its parts, one after the other, are done in one go; empty where each is done alone."""
    blank: int | None = None
    place: str = "bench"
    tools: tuple[str, ...] = ()
    caution: str = ""
    why: str = ""
    copy: int = 0
    """The copy that it is for, 0 where it is for all at once."""
    lines: tuple[str, ...] = ()
    """What is to be done, one thing after the other, where one sentence is not enough."""
    hands: int = 1
    """How many people it takes; 0 where it goes on by itself."""
    by: tuple[str, ...] = ()
    """Names of those who may do it; empty for anybody."""
    held: tuple[tuple[str, int], ...] = ()
    """What it holds from its begin until its wait is over, such as clamps, and how many of them."""
    setup: str = ""
    """What is set up for it, for `setup_minutes` on top of its own: once, where steps of one set-up stand together."""
    setup_minutes: float = 0.0
    within: tuple[tuple[str, float], ...] = ()
    """Keys of steps it waits for, and the most minutes from when each is ready until this begins."""
    earliest: str = ""
    """A day, or a day and time, before which it cannot begin."""
    work: str = ""
    """The work it is of, where several are planned at once."""
    pace: float = 1.0
    """The shop's own correction in its minutes."""

    def mark(self, part: str = "") -> tuple[str, str]:
        """What is ticked when it is done, or done to one part."""
        return (self.verb, part) if self.each else (self.key, "")


@dataclass
class Gathered:
    """Steps as rooms add them; each `add` gives the keys that what comes next has to wait for."""

    steps: list[Step] = field(default_factory=list)
    _last: dict[str, str] = field(default_factory=dict)
    """By part the step that handled it last."""

    def add(self, step: Step, after: Iterable[str] = ()) -> tuple[str, ...]:
        """One more step. It waits for those named, and for whatever handled one of its parts before. A step that speaks
        of parts and has none left is none: what follows waits for what came before."""
        before = dict.fromkeys(after)
        before |= dict.fromkeys(self._last[part] for part in step.parts if part in self._last)
        made = replace(step, after=tuple(dict.fromkeys((*step.after, *before))))
        self.steps.append(made)
        self._last |= dict.fromkeys(made.parts, made.key)
        return (made.key,)

    def last(self, parts: Iterable[str]) -> tuple[str, ...]:
        """Keys of the steps that handled these parts last."""
        return tuple(dict.fromkeys(self._last[part] for part in parts if part in self._last))


def paced(step: Step, pace: Pace | None) -> Step:
    """A step as long as it takes in this shop, where the log knows its verb."""
    if pace is None or not pace.counts.get(("verb", step.verb)):
        return step
    # one that is sawn has the pace of its cuts in its minutes
    factor = pace.factor(step.verb, {})
    more = factor / step.pace
    return replace(step, minutes=step.minutes * more, shares=tuple(share * more for share in step.shares), pace=factor)


def left_of(steps: Sequence[Step], done: Done) -> tuple[Step, ...]:
    """What is left of the steps: parts that are done fall out, and so does what must have been done before what is
    ticked. Steps that stay wait for those that stay."""
    if not done:
        return tuple(steps)
    begun = _begun(steps, done)
    left: list[Step] = []
    instead: dict[str, tuple[str, ...]] = {}
    for i, step in enumerate(steps):
        after = tuple(dict.fromkeys(key for before in step.after for key in instead.get(before, (before,))))
        keep = _keep(step, done, begun[i])
        if keep is None:
            instead[step.key] = after
            continue
        left.append(replace(keep, after=after))
    return tuple(left)


def _begun(steps: Sequence[Step], done: Done) -> list[Mapping[str, bool] | bool]:
    """For each step the parts that a later one was ticked for; True where a step that waits for all of it was ticked
    and the two share no part."""
    followers: dict[str, list[int]] = {}
    for i, step in enumerate(steps):
        for before in step.after:
            followers.setdefault(before, []).append(i)
    ticked: list[set[str]] = []
    for step in steps:
        if step.each:
            ticked.append({part for part in step.parts if (step.verb, part) in done})
        else:
            ticked.append(set(step.parts) or {""} if (step.key, "") in done else set())
    later: list[set[str]] = [set() for _ in steps]
    for i in range(len(steps) - 1, -1, -1):
        for j in followers.get(steps[i].key, ()):
            later[i] |= ticked[j] | later[j]
    told: list[Mapping[str, bool] | bool] = []
    for i, step in enumerate(steps):
        shared = {part: True for part in step.parts if part in later[i]}
        told.append(shared if shared or step.each else bool(later[i]))
    return told


def _keep(step: Step, done: Done, begun: Mapping[str, bool] | bool) -> Step | None:
    """The rest of a step, or None where nothing of it is left."""
    if not step.each and (step.key, "") in done:
        return None
    if not step.parts:
        return None if begun else step
    begun = begun or {}
    if begun is True:
        return None
    own = {part for part in step.parts if step.each and (step.verb, part) in done}
    keep = [i for i, part in enumerate(step.parts) if part not in own and part not in begun]
    if not keep:
        return None
    if len(keep) == len(step.parts):
        return step
    shares = tuple(step.shares[i] for i in keep) if step.shares else ()
    together = _groups_of(step, keep)
    fixed = step.minutes - sum(step.shares)
    minutes = fixed + sum(shares) if step.shares else step.minutes * len(keep) / len(step.parts)
    return replace(step, parts=tuple(step.parts[i] for i in keep), shares=shares, minutes=minutes, together=together)


def groups(step: Step) -> list[tuple[str, ...]]:
    """Its parts as they are done: those in one go together, or each alone."""
    if not step.together:
        return [(part,) for part in step.parts]
    made, at = [], 0
    for size in step.together:
        made.append(step.parts[at : at + size])
        at += size
    return made


def _groups_of(step: Step, keep: list[int]) -> tuple[int, ...]:
    """Sizes of what is left of the groups of a step."""
    if not step.together:
        return ()
    group = [i for i, size in enumerate(step.together) for _ in range(size)]
    sizes: dict[int, int] = {}
    for i in keep:
        sizes[group[i]] = sizes.get(group[i], 0) + 1
    return tuple(sizes.values())
