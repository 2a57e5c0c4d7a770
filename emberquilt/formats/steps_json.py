"""Steps of anything, read from a file and planned, as `emberquilt schedule` does it. See docs/formats.md."""

import datetime as dt
import json
import math
from collections.abc import Mapping
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from ..calendar.means import Means, Person, Place
from ..calendar.schedule import Kept, Schedule, Wishes, apart, due_in, schedule, schedule_of
from ..calendar.task import moment_on, read_pin
from ..errors import BadChoice
from ..hours import days_off, usual_hours
from ..work.steps import Step

MOST_BYTES, MOST_STEPS = 20_000_000, 5_000
LONGEST = 10 * 366 * 24 * 60.0
"""Minutes that one step or wait may take."""


def planned_json(data: bytes, seconds: float = 0.0) -> dict[str, Any]:
    """The plan of a file of steps, polished for so many seconds. Raises `BadChoice`."""
    told = _object(data)
    start = _start(told)
    means = _means(told)
    steps, pins = _steps(told)
    ready_by = _ready_by(told, start)
    kept = _kept(told.get("kept"))
    wishes = Wishes(pins, ready_by, kept)
    plan = schedule(steps, means, start, wishes)
    proven = plan.gap == 0
    if seconds > 0 and plan.planned is not None and kept is None:
        from ..calendar.polish import polished

        quick = plan.planned
        made = polished(
            quick.problem, quick.passes, quick.made, due_in(quick.problem, ready_by), seconds, lambda *_: None
        )
        plan = schedule_of(quick.problem, quick.passes, made.made, plan.rule, wishes, bound=made.bound)
        proven = made.proven
    late = {work: _late(plan.finishes[work], moment) for work, moment in ready_by.items() if work in plan.finishes}
    return calendar_json(plan) | {
        "finish": plan.finish.isoformat() if plan.finish else None,
        "proven": proven,
        "rule": plan.rule,
        "moved": list(plan.moved),
        "late_minutes": late,
    }


def _late(finish: dt.datetime, moment: dt.datetime) -> float:
    return max(0.0, apart(moment, finish))


def calendar_json(plan: Schedule | None) -> dict[str, Any]:
    """`calendar`, `bound` and `gap` of a plan; empty where there is none."""
    if plan is None:
        return {"calendar": [], "bound": None, "gap": None}
    rows = []
    for slot in plan.slots:
        stand = plan.stands.get(slot.key)
        rows.append(
            {
                "step": slot.step.key,
                "part": slot.part,
                "parts": slot.parts,
                "label": slot.step.label,
                "begin": slot.begin.isoformat(),
                "end": slot.end.isoformat(),
                "ready": slot.ready.isoformat(),
                "lane": slot.lane,
                "setup_minutes": slot.setup_minutes,
                "why": stand.why if stand else "",
                "room_minutes": stand.room if stand else 0,
                "decides": bool(stand and stand.chain),
            }
            | ({"work": slot.step.work} if slot.step.work else {})
        )
    return {"calendar": rows, "bound": plan.bound.isoformat() if plan.bound else None, "gap": plan.gap}


def _object(data: bytes) -> Mapping[str, Any]:
    if len(data) > MOST_BYTES:
        raise BadChoice(f"A file of steps may have {MOST_BYTES / 1e6:.0f} MB.")
    try:
        told = json.loads(data)
    except (ValueError, RecursionError) as problem:
        raise BadChoice(f"This is no JSON: {str(problem)[:120]}.") from None
    if not isinstance(told, dict) or not isinstance(told.get("steps"), list):
        raise BadChoice("A file of steps is an object with “steps”, a list; see docs/formats.md.")
    return told


def _start(told: Mapping[str, Any]) -> dt.datetime:
    start = read_pin(_text(told, "start", "1990-01-01" if not told["steps"] else "")).moment
    if name := told.get("zone"):
        try:
            zone = ZoneInfo(str(name))
        except (ZoneInfoNotFoundError, ValueError, OSError):
            raise BadChoice(f"“{str(name)[:40]}” is no time zone.") from None
        return start.astimezone(zone) if start.tzinfo else start.replace(tzinfo=zone)
    return start


def _means(told: Mapping[str, Any]) -> Means:
    people = told.get("people")
    if people is None:
        people = [{"name": "One"}]
    if not isinstance(people, list) or not all(isinstance(one, dict) for one in people):
        raise BadChoice("“people” is a list of objects with name, hours and off.")
    made = tuple(
        Person(
            _text(one, "name", f"Person {i}"),
            _hours(one.get("hours")),
            days_off(one.get("off", [])),
        )
        for i, one in enumerate(people, 1)
    )
    if len({person.name for person in made}) < len(made):
        raise BadChoice("Two people have one name.")
    held = {str(name): int(_number(n, f"how many {name}", 0, 1e6)) for name, n in _pairs(told, "held").items()}
    places = {str(name): _place(one) for name, one in _pairs(told, "places").items()}
    return Means(made, held, places)


def _hours(told: Any) -> dict[str, str]:
    if told is None:
        return usual_hours()
    if not isinstance(told, dict):
        raise BadChoice("Hours are an object from mon to sun, such as 19:00-21:30.")
    return {str(day): str(text) for day, text in told.items()}


def _place(told: Any) -> Place:
    if not isinstance(told, dict):
        raise BadChoice("A place is an object with daylight, least_c, latitude_deg, coldest_c and warmest_c.")
    bounds = {"latitude_deg": (-66.0, 66.0), "coldest_c": (-60.0, 60.0), "warmest_c": (-60.0, 60.0)}
    values = {name: _number(told[name], name, *bounds[name]) for name in bounds if told.get(name) is not None}
    least = None if told.get("least_c") is None else _number(told["least_c"], "least_c", -60, 60)
    return Place(bool(told.get("daylight", True)), least, **values)


def _steps(told: Mapping[str, Any]) -> tuple[list[Step], dict[str, str]]:
    if len(told["steps"]) > MOST_STEPS:
        raise BadChoice(f"Up to {MOST_STEPS} steps can be planned at once.")
    steps, pins = [], {}
    for row in told["steps"]:
        if not isinstance(row, dict) or not row.get("key"):
            raise BadChoice("Every step is an object with a key.")
        step = _step(row)
        steps.append(step)
        if row.get("pin"):
            pins[step.key] = str(row["pin"])
    return steps, pins


def _step(row: Mapping[str, Any]) -> Step:
    key = str(row["key"])[:200]
    after = row.get("after", [])
    if not isinstance(after, list):
        raise BadChoice(f"What “{key}” comes after is a list of keys.")
    return Step(
        key,
        str(row.get("station", "")),
        str(row.get("verb", "")),
        _text(row, "label", key),
        _number(row.get("minutes", 0), f"minutes of “{key}”", 0, LONGEST),
        wait_minutes=_number(row.get("wait_minutes", 0), f"wait_minutes of “{key}”", 0, LONGEST),
        after=tuple(str(one) for one in after),
        divisible=bool(row.get("divisible", False)),
        place=str(row.get("place") or ""),
        hands=int(_number(row.get("hands", 1), f"hands of “{key}”", 0, 8)),
        by=tuple(str(one) for one in row.get("by") or ()),
        held=tuple((name, int(_number(n, name, 0, 1e6))) for name, n in _pairs(row, "held").items()),
        setup=str(row.get("setup") or ""),
        setup_minutes=_number(row.get("setup_minutes", 0), f"setup_minutes of “{key}”", 0, 24 * 60),
        within=tuple((name, _number(n, "within", 0, LONGEST)) for name, n in _pairs(row, "within").items()),
        earliest=str(row.get("earliest") or ""),
        work=str(row.get("work") or ""),
    )


def _ready_by(told: Mapping[str, Any], start: dt.datetime) -> dict[str, dt.datetime]:
    """By work the end of the day, or the moment, that it must be ready by."""
    given = told.get("ready_by")
    if not given:
        return {}
    rows = given if isinstance(given, dict) else {"": given}
    found = {str(work): moment_on(str(text), start) for work, text in rows.items()}
    for moment in found.values():
        if moment <= start:
            raise BadChoice(f"It is to be ready by {moment:%a %d %b %Y}, and work begins {start:%a %d %b %Y %H:%M}.")
    return found


def _kept(rows: Any) -> Kept | None:
    """A plan as this printed it before, to be kept to as far as it can be."""
    if rows is None:
        return None
    if not isinstance(rows, list) or not all(isinstance(row, dict) and row.get("step") for row in rows):
        raise BadChoice("“kept” is the “calendar” of an earlier plan.")
    found: dict[str, list] = {}
    for row in rows:
        begin, end = (read_pin(str(row.get(name, ""))).moment for name in ("begin", "end"))
        people = tuple(name for name in str(row.get("lane", "")).split(" and ") if name)
        setup = int(_number(row.get("setup_minutes", 0), "setup_minutes", 0, 24 * 60))
        found.setdefault(str(row["step"]), []).append((begin, end, people, setup))
    return Kept({key: tuple(sorted(own)) for key, own in found.items()})


def _text(told: Mapping[str, Any], name: str, usual: str) -> str:
    value = told.get(name, usual)
    if not isinstance(value, str) or not value.strip():
        raise BadChoice(f"“{name}” is missing, or no text.")
    return value[:200]


def _pairs(told: Mapping[str, Any], name: str) -> Mapping[str, Any]:
    value = told.get(name) or {}
    if not isinstance(value, dict):
        raise BadChoice(f"“{name}” is an object, by name.")
    return value


def _number(value: Any, what: str, least: float, most: float) -> float:
    good = isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
    if not good or not least <= value <= most:
        raise BadChoice(f"{what} must be a number from {least:g} to {most:g}, not {str(value)[:30]}.")
    return float(value)
