"""Plans over real hours, against an independent checker, worked examples and a published instance."""

import datetime as dt
import json
import re
from dataclasses import replace
from itertools import combinations, permutations
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from ortools.sat.python import cp_model

from emberquilt.calendar.dispatch import Due, placed
from emberquilt.calendar.forward import latest_start
from emberquilt.calendar.holding import measures
from emberquilt.calendar.means import Clock, Means, Person, Place
from emberquilt.calendar.placing import Impossible
from emberquilt.calendar.polish import _Model, polished
from emberquilt.calendar.schedule import Kept, Wishes, apart, kept_of, schedule, schedule_of
from emberquilt.calendar.together import WorkDates, kept_by_work, seen_by, together
from emberquilt.drawing.evenings import _of_one_clock
from emberquilt.errors import BadChoice
from emberquilt.formats.steps_json import planned_json
from emberquilt.hours import usual_hours
from emberquilt.work.steps import Step
from tests.calendar_check import check, real

MONDAY = dt.datetime(2026, 11, 30, 19, 0)
ALWAYS = dict.fromkeys(("mon", "tue", "wed", "thu", "fri", "sat", "sun"), "0:00-24:00")
ONE = Means((Person("One", usual_hours()),))
REFERENCE = Path(__file__).parent.parent / "reference"


def step(key: str, minutes: float, wait=0.0, after=(), **more) -> Step:
    return Step(key, "saw", "saw", f"Task {key}", minutes, (), wait, tuple(after), **{"divisible": False} | more)


def begins(plan) -> dict[str, dt.datetime]:
    return {slot.key: slot.begin for slot in plan.slots}


# ---- any steps keep the rules

ZONES = (None, ZoneInfo("Europe/Zurich"), ZoneInfo("America/New_York"), ZoneInfo("Australia/Lord_Howe"))
STARTS = (
    dt.datetime(2026, 11, 30, 19, 0),
    dt.datetime(2026, 3, 27, 8, 15),  # two days before the clock goes forward in Europe
    dt.datetime(2026, 10, 23, 18, 0),  # and back
    dt.datetime(2026, 10, 30, 18, 0),  # and in America
    dt.datetime(2026, 4, 3, 0, 0),  # Lord Howe: half an hour
)
WEEKS = (
    usual_hours(),
    {"mon": "19-21:30", "wed": "20-22", "sat": "0:30-5, 9-12:45, 14-17", "sun": "0-4:30"},
    {"fri": "22-24", "sat": "0-6", "sun": "0-6"},
)


@st.composite
def jobs(draw):
    start = draw(st.sampled_from(STARTS)).replace(tzinfo=draw(st.sampled_from(ZONES)))
    off = frozenset({start.date() + dt.timedelta(days=draw(st.integers(0, 9)))})
    people = [Person("One", draw(st.sampled_from(WEEKS)), off, draw(st.sampled_from([(0, 0), (60, 10)])))]
    if draw(st.booleans()):
        people.append(Person("Two", draw(st.sampled_from(WEEKS))))
    means = Means(tuple(people), {"clamps": 4}, {"outdoors": Place(True, 10.0, 47.0, 12.0, 25.0)})
    steps = []
    for i in range(draw(st.integers(1, 12))):
        after = tuple(f"t{j}" for j in range(i) if draw(st.integers(0, 3)) == 0)
        hands = draw(st.sampled_from([1, 1, 1, 1, 0, len(people)]))
        outdoors = hands == 1 and draw(st.integers(0, 9)) == 0
        steps.append(
            step(
                f"t{i}",
                draw(st.integers(0, 45)) + draw(st.sampled_from([0, 0.25])),
                draw(st.sampled_from([0, 0, 45, 600, 1440])),
                after,
                divisible=draw(st.booleans()),
                hands=hands,
                held=(("clamps", draw(st.integers(1, 4))),) if draw(st.integers(0, 2)) == 0 else (),
                setup="saw" if draw(st.integers(0, 2)) == 0 else "",
                setup_minutes=5.0,
                place="outdoors" if outdoors else "",
            )
        )
        if after and draw(st.integers(0, 5)) == 0:
            steps[-1] = replace(steps[-1], within=((after[-1], 3000.0),))
    return start, means, steps


def refutes_nothing(planned) -> None:
    """What the bound is reckoned from holds of a plan that there is: its passes would not call it impossible."""
    passes, made = planned.passes, planned.made
    dues = passes.dues(planned.end)
    for key, sittings in made.items():
        assert passes.heads[key] <= sittings[0].begin
        assert sittings[-1].end <= dues[key]
    assert passes._may_end(planned.end)


@settings(max_examples=120)
@given(jobs())
def test_every_plan_keeps_the_rules(job):
    start, means, steps = job
    try:
        plan = schedule(steps, means, start)
    except BadChoice as problem:
        said = str(problem)
        # only what cannot be: no daylight in those hours, or two who are never there together
        assert re.search("in one go|follow soon|within 10 years", said)
        return
    check(plan, steps, means, start)
    refutes_nothing(plan.planned)
    assert plan.bound is None or real(plan.bound, plan.finish) >= 0
    assert {s.key for s in plan.slots} == set(plan.stands)
    assert any(stand.chain for stand in plan.stands.values())


@settings(max_examples=12)
@given(jobs())
def test_a_polished_plan_keeps_them_too_and_is_never_worse(job):
    start, means, steps = job
    try:
        plan = schedule(steps, means, start)
    except BadChoice:
        return
    quick = plan.planned
    better = polished(quick.problem, quick.passes, quick.made, Due(), 0.4, lambda *_: None)
    made = schedule_of(quick.problem, quick.passes, better.made, "", bound=better.bound)
    check(made, steps, means, start)
    assert real(made.finish, plan.finish) >= 0
    assert real(made.bound, made.finish) >= 0


def test_what_a_sitting_outdoors_needs_is_set_up_by_daylight_too():
    """The solver once let the set-up run into the dusk."""
    means = Means((Person("One", ALWAYS),), {}, {"outdoors": Place(True, None, 47.0)})
    spray = step("spray", 20, place="outdoors", setup="gun", setup_minutes=30.0)
    quick = schedule([spray], means, MONDAY).planned
    end = quick.end + 5 * 1440
    model = _Model(quick.problem, quick.passes, quick.made, Due(), end, quick.bound)
    light = quick.problem.places["outdoors"]
    spans = model._begins(quick.problem.by_key["spray"]).flattened_intervals()
    assert len(spans) > 6
    for first, last in zip(spans[::2], spans[1::2], strict=True):
        assert any(a <= first and last + 50 <= b for a, b in zip(light.begins, light.ends, strict=True))


@settings(max_examples=40)
@given(jobs())
def test_the_solver_begins_from_the_plan_it_is_given(job):
    """With every variable fixed to what it is hinted, its model is that plan. Set-ups that are shared are not in it."""
    start, means, steps = job
    try:
        plan = schedule([replace(s, setup="", setup_minutes=0.0) for s in steps], means, start)
    except BadChoice:
        return
    quick = plan.planned
    model = _Model(quick.problem, quick.passes, quick.made, Due(), quick.end, quick.bound)
    solver = cp_model.CpSolver()
    solver.parameters.fix_variables_to_their_hinted_value = True
    assert solver.solve(model.model) == cp_model.OPTIMAL
    again = model.read(solver.value)
    assert {key: (rows[0].begin, rows[-1].end) for key, rows in again.items()} == {
        key: (rows[0].begin, rows[-1].end) for key, rows in quick.made.items()
    }


@settings(max_examples=40)
@given(jobs(), st.integers(0, 4000))
def test_what_slips_is_planned_again_by_the_rules(job, minutes):
    """Time has passed, and nothing was ticked."""
    start, means, steps = job
    try:
        plan = schedule(steps, means, start)
        later = start + dt.timedelta(minutes=minutes)
        again = schedule(steps, means, later, Wishes(kept=kept_of(plan)))
    except BadChoice:
        return
    check(again, steps, means, later)
    before, after = kept_of(plan).sittings, kept_of(again).sittings
    assert set(again.moved) == {key for key in after if after[key] != before[key]}
    if not minutes:
        assert again.moved == ()


@settings(max_examples=60)
@given(st.data())
def test_no_order_whatever_ends_before_the_bound(data):
    """Against every order of a few steps, each placed as early as it can be: that is every left-shifted plan of steps
    that are not put down, and one of them is the best."""
    steps = [
        step(
            f"t{i}",
            data.draw(st.integers(5, 100)),
            data.draw(st.sampled_from([0, 45, 600, 1440])),
            tuple(f"t{j}" for j in range(i) if data.draw(st.integers(0, 3)) == 0),
            held=(("clamps", data.draw(st.integers(1, 4))),) if data.draw(st.integers(0, 3)) else (),
            setup=data.draw(st.sampled_from(["", "saw"])),
            setup_minutes=8.0,
            divisible=data.draw(st.integers(0, 4)) == 0,
            place=data.draw(st.sampled_from(["", "", "", "outdoors"])),
        )
        for i in range(data.draw(st.integers(2, 5)))
    ]
    one = Person("One", data.draw(st.sampled_from(WEEKS)))
    people = (one, Person("Two", {"tue": "18-19:45", "sat": "8-12"}))[: data.draw(st.integers(1, 2))]
    outdoors = Place(True, None, 47.0)
    try:
        plan = schedule(steps, Means(people, {"clamps": 4}, {"outdoors": outdoors}), MONDAY)
    except BadChoice:
        return
    problem = plan.planned.problem
    ends = []
    for order in permutations(problem.by_key):
        if all(order.index(key) < order.index(t.key) for t in problem.tasks for key in t.after):
            made = placed(problem, order)
            ends.append(max(s[-1].end + problem.by_key[key].wait for key, s in made.items()))
    assert plan.planned.bound <= min(ends) <= plan.planned.end
    refutes_nothing(plan.planned)


@settings(max_examples=60)
@given(st.lists(st.integers(1, 12), min_size=1, max_size=8), st.integers(12, 20))
def test_what_fits_at_once_weighs_no_more_than_everything_by_any_measure(amounts, there):
    for measure in measures(amounts, there):
        for count in range(1, len(amounts) + 1):
            for at_once in combinations(amounts, count):
                if sum(at_once) <= there:
                    assert sum(measure.weights[amount] for amount in at_once) <= measure.full


# ---- worked examples


@pytest.mark.parametrize(
    ("joints", "held", "clamps", "last"),
    [
        # 57 minutes each: the third begins at 20:54 and sets after hours, a fourth would begin at 21:51. Four evenings.
        (12, 1, 1, dt.datetime(2026, 12, 3, 21, 51)),
        # two of eight clamps are left over and of no use: no better than one at a time
        (12, 6, 8, dt.datetime(2026, 12, 3, 21, 51)),
        # two at a time, 12 minutes behind each other: 19:00, 19:12, 19:57, 20:09, 20:54, 21:06 in one evening
        (12, 4, 8, dt.datetime(2026, 12, 1, 22, 3)),
    ],
)
def test_joints_that_take_turns_are_proven_to_need_their_evenings(joints, held, clamps, last):
    """Joints of 12 minutes that hold clamps for 45 more, from 19:00 to 21:30. Worked by hand."""
    steps = [step(f"glue-{n}", 12, 45, held=(("clamps", held),)) for n in range(joints)]
    plan = schedule(steps, Means(ONE.people, {"clamps": clamps}), MONDAY)
    assert plan.finish == last
    assert plan.bound == last


def test_setting_up_again_every_evening_is_in_the_bound():
    """400 minutes, and 5 to set up on each of three evenings: 145, 145 and 110, done on Wednesday at 20:55, and what
    is glued then sets at 21:50. By hand."""
    steps = [
        step("saw", 400, divisible=True, setup="saw", setup_minutes=5.0),
        step("glue", 10, 45, ("saw",), held=(("clamps", 1),)),
    ]
    plan = schedule(steps, Means(ONE.people, {"clamps": 1}), MONDAY)
    assert plan.finish == dt.datetime(2026, 12, 2, 21, 50)
    assert plan.bound == plan.finish


def test_what_is_set_up_stays_so_through_midnight():
    """From Friday 22:00 to Saturday 6:00 are 480 minutes: 5 to set up and 470 to saw, then the fitting. By hand."""
    steps = [step("saw", 470, divisible=True, setup="saw", setup_minutes=5.0), step("fit", 5, after=("saw",))]
    plan = schedule(steps, Means((Person("One", WEEKS[2]),)), MONDAY)
    assert plan.finish == dt.datetime(2026, 12, 5, 6, 0)
    assert plan.bound == plan.finish
    refutes_nothing(plan.planned)


def test_a_plan_that_is_late_is_not_called_the_best_for_its_end():
    steps = [replace(step(key, 60), work=key) for key in "ab"]
    plan = schedule(steps, ONE, MONDAY)
    quick = plan.planned
    wished = Due({max(quick.made, key=lambda key: quick.made[key][0].begin): 60})
    assert quick.end == quick.bound
    assert not polished(quick.problem, quick.passes, quick.made, wished, 0, lambda *_: None).proven
    better = polished(quick.problem, quick.passes, quick.made, wished, 2.0, lambda *_: None)
    assert wished.worth(quick.problem, better.made)[0] == 0
    assert better.proven


def test_nobody_is_waited_for_whose_evenings_are_too_short():
    """Two hours in one go: the first has them, the second never."""
    people = (Person("One", usual_hours()), Person("Two", {"mon": "19-20", "tue": "19-20"}))
    steps = [step("saw", 120), step("lift", 50, hands=2), step("fit", 120)]
    plan = schedule(steps, Means(people), MONDAY)
    assert {slot.key: slot.people for slot in plan.slots} == {"saw": ("One",), "fit": ("One",), "lift": ("One", "Two")}
    check(plan, steps, Means(people), MONDAY)


def test_a_night_holds_clamps_no_longer_than_glue_sets():
    """Ten minutes, then a day in the only clamp. By hand: Monday 19:00, Tuesday 19:10, so on to Friday 19:40; it is
    free on Saturday at 19:50, when nobody is there any more, so Monday 19:00, Tuesday 19:10, free Wednesday 19:20."""
    steps = [step(f"glue-{n}", 10, 1440, held=(("clamps", 1),)) for n in range(7)]
    plan = schedule(steps, Means(ONE.people, {"clamps": 1}), MONDAY)
    assert plan.finish == dt.datetime(2026, 12, 9, 19, 20)
    assert plan.bound == plan.finish


def test_a_critical_path_as_textbooks_have_it():
    """A to H take 3, 3, 4, 6, 5, 5, 4, 6; A and B begin, C and D after A, E and F after B and C, G after D and E, H
    after F and G. By hand: A C E G H is critical, 22 long, and D may be late by 3, B by 4, F by 4. The kind of example
    that stands in every text on the critical path method; from memory, worked again by hand."""
    rows = {
        "A": (3, ()),
        "B": (3, ()),
        "C": (4, ("A",)),
        "D": (6, ("A",)),
        "E": (5, ("B", "C")),
        "F": (5, ("B", "C")),
        "G": (4, ("D", "E")),
        "H": (6, ("F", "G")),
    }
    steps = [step(key, n, after=after, hands=0) for key, (n, after) in rows.items()]
    plan = schedule(steps, ONE, MONDAY)
    assert apart(MONDAY, plan.finish) == 22
    assert plan.bound == plan.finish
    assert plan.gap == 0
    stands = plan.stands
    assert {key for key in stands if stands[key].chain} == set("ACEGH")
    assert {key: stands[key].room for key in rows} == {"A": 0, "B": 4, "C": 0, "D": 3, "E": 0, "F": 4, "G": 0, "H": 0}


def test_levelling_by_hand():
    """Four jobs of 4, 3, 3 and 2 that need 2, 2, 1 and 1 of three workers: together 4 × 2 + 3 × 2 + 3 × 1 + 2 × 1 = 19
    worker hours, so at least 7 hours; 7 is reached with the first beside the last two. Worked by hand."""
    steps = [
        step("a", 4, hands=0, held=(("workers", 2),)),
        step("b", 3, hands=0, held=(("workers", 2),)),
        step("c", 3, hands=0, held=(("workers", 1),)),
        step("d", 2, hands=0, held=(("workers", 1),)),
    ]
    plan = schedule(steps, Means(ONE.people, {"workers": 3}), MONDAY)
    assert apart(MONDAY, plan.finish) == 7
    assert plan.bound == plan.finish


def instance() -> dict:
    """j301_1 of PSPLIB (R. Kolisch and A. Sprecher), as it comes with the source distribution of the package psplib
    (MIT licence), in the shape of docs/formats.md."""
    section, rows = "", {}
    for line in (REFERENCE / "j301_1.sm").read_text().splitlines():
        if line[:2].isupper():
            section = line.split(":")[0]
        elif re.fullmatch(r"[\d\s]+", line) and line.strip():
            rows.setdefault(section, []).append([int(one) for one in line.split()])
    pairs = [(row[0], after) for row in rows["PRECEDENCE RELATIONS"] for after in row[3:]]
    (there,) = rows["RESOURCEAVAILABILITIES"]
    steps = [
        {
            "key": str(job),
            "minutes": minutes,
            "hands": 0,
            "after": [str(a) for a, b in pairs if b == job],
            "held": {f"R{i}": n for i, n in enumerate(wants, 1) if n},
        }
        for job, _, minutes, *wants in rows["REQUESTS/DURATIONS"]
    ]
    return {"start": "2026-01-05T00:00", "held": {f"R{i}": n for i, n in enumerate(there, 1)}, "steps": steps}


def test_a_published_instance_is_solved_to_its_optimum():
    """Its published optimum is 43: PSPLIB's table of optima for J30."""
    told = planned_json(json.dumps(instance()).encode(), 20.0)
    assert told["finish"] == "2026-01-05T00:43:00"
    assert told["bound"] == told["finish"]
    assert told["gap"] == 0
    assert told["proven"] is True
    assert {row["step"] for row in told["calendar"]} == {str(i) for i in range(1, 33)}


# ---- what a shop asks for


def test_waits_overlap_with_work_and_hands_do_not():
    steps = [step("glue", 20, 1440), step("saw", 120), step("fit", 30, 0, ("glue", "saw"))]
    plan = schedule(steps, ONE, MONDAY)
    assert plan.finish == dt.datetime(2026, 12, 1, 19, 50)
    assert plan.gap == 0
    assert plan.one_after_another > plan.finish
    assert "dries" in plan.stands["fit"].why
    assert plan.stands["fit"].behind == "glue"


def test_the_second_pair_of_hands_takes_what_it_may():
    steps = [step("a", 100), step("b", 100), step("c", 100, by=("Two",))]
    two = Means((Person("One", usual_hours()), Person("Two", {"mon": "19-21"})))
    plan = schedule(steps, two, MONDAY)
    check(plan, steps, two, MONDAY)
    assert {s.step.key: s.lane for s in plan.slots}["c"] == "Two"
    assert plan.finish.date() == dt.date(2026, 12, 1)


def test_set_up_is_paid_once_where_steps_stand_together():
    steps = [step(key, 30, setup="saw", setup_minutes=10) for key in "abc"]
    plan = schedule(steps, ONE, MONDAY)
    assert [s.setup_minutes for s in plan.slots] == [10, 0, 0]
    assert plan.finish == dt.datetime(2026, 11, 30, 20, 40)


def test_a_coat_that_needs_a_second_soon_is_not_begun_before_leaving():
    """Twenty minutes are left on Monday: the first coat would fit, the second, due within half an hour, would not."""
    steps = [
        step("saw", 125),
        step("coat 1", 10, 30, ("saw",)),
        step("coat 2", 10, 30, ("coat 1",), within=(("coat 1", 30),)),
    ]
    plan = schedule(steps, ONE, MONDAY)
    check(plan, steps, ONE, MONDAY)
    assert begins(plan)["coat 1"] == dt.datetime(2026, 12, 1, 19, 0)
    assert begins(plan)["coat 2"] == dt.datetime(2026, 12, 1, 19, 40)
    free = [replace(one, within=()) for one in steps]
    assert begins(schedule(free, ONE, MONDAY))["coat 1"] == dt.datetime(2026, 11, 30, 21, 5)


def test_spraying_waits_for_daylight_and_warmth():
    place = Place(True, 10.0, 47.0, 3.0, 25.0)
    means = Means((Person("One", usual_hours()),), {}, {"outdoors": place})
    plan = schedule([step("spray", 20, place="outdoors")], means, MONDAY)
    (slot,) = plan.slots
    assert slot.begin.month in (3, 4)
    assert slot.begin.strftime("%a") == "Sat"
    # an evening in May is light till nine, one in November is not
    light = schedule([step("spray", 20, place="outdoors")], means, dt.datetime(2026, 5, 25, 18, 0))
    assert light.slots[0].begin == dt.datetime(2026, 5, 25, 19, 0)


@pytest.mark.parametrize(
    ("latitude", "day", "hours"),
    [
        # day lengths as almanacs print them, from memory: the equator's 12 h 7 min, the arctic circle's midsummer
        (0.0, dt.date(2026, 3, 20), 12.1),
        (51.5, dt.date(2026, 6, 21), 16.6),
        (51.5, dt.date(2026, 12, 21), 7.8),
        (40.7, dt.date(2026, 12, 21), 9.25),
        (-33.9, dt.date(2026, 12, 21), 14.4),
    ],
)
def test_the_length_of_a_day(latitude, day, hours):
    rise, set_ = Place(latitude_deg=latitude).sun(day)
    assert set_ - rise == pytest.approx(hours, abs=0.1)


def test_lead_time_runs_through_days_off():
    steps = [step("order", 20, 3 * 1440), step("mill", 60, after=("order",))]
    means = Means((Person("One", usual_hours(), frozenset({dt.date(2026, 12, 3), dt.date(2026, 12, 4)})),))
    plan = schedule(steps, means, MONDAY)
    assert begins(plan)["mill"] == dt.datetime(2026, 12, 5, 9, 0)


def test_a_pin_holds_and_everything_else_goes_round_it():
    steps = [step("a", 60), step("b", 60, after=("a",)), step("c", 60)]
    plan = schedule(steps, ONE, MONDAY, Wishes({"c": "2026-11-30T19:30"}))
    check(plan, steps, ONE, MONDAY)
    assert begins(plan)["c"] == dt.datetime(2026, 11, 30, 19, 30)
    assert plan.stands["c"].why == "you pinned it here"
    day = schedule(steps, ONE, MONDAY, Wishes({"b": "2026-12-03"}))
    assert begins(day)["b"] == dt.datetime(2026, 12, 3, 19, 0)
    with pytest.raises(Impossible, match=r"Task b.*19:00.*20:00 at the earliest"):
        schedule(steps, ONE, MONDAY, Wishes({"b": "2026-11-30T19:00"}))
    with pytest.raises(Impossible, match="pinned to Sun 06 Dec"):
        schedule(steps, ONE, MONDAY, Wishes({"b": "2026-12-06"}))


def test_a_slip_moves_no_more_than_it_must():
    """Six jobs; the first is not done on Monday. It goes into Tuesday's free hour, and nothing else moves."""
    steps = [step("a", 60), *(step(f"b{i}", 90) for i in range(4)), step("z", 30, after=("a",))]
    plan = schedule(steps, ONE, MONDAY, Wishes({"a": "2026-11-30T19:00"}))
    kept = kept_of(plan)
    later = MONDAY + dt.timedelta(minutes=61)
    again = schedule(steps, ONE, later, Wishes(kept=kept))
    check(again, steps, ONE, later)
    assert "a" in again.moved
    assert len(again.moved) <= 2


@settings(max_examples=12)
@given(st.lists(st.integers(10, 60), min_size=3, max_size=5), st.integers(0, 4), st.data())
def test_moves_stay_near_the_least_there_are(minutes, slips, data):
    """Against every choice of steps that could stay, tried one by one: at most 1.5 times as many move."""
    steps = []
    for i, n in enumerate(minutes):
        after = tuple(f"t{j}" for j in range(i) if data.draw(st.integers(0, 3)) == 0)
        steps.append(step(f"t{i}", n, data.draw(st.sampled_from([0, 0, 45, 1440])), after))
    kept = kept_of(schedule(steps, ONE, MONDAY))
    later = MONDAY + dt.timedelta(minutes=30 * slips + 1)
    again = schedule(steps, ONE, later, Wishes(kept=kept))
    fewer = [count for count in range(len(steps)) if 1.5 * count < len(again.moved)]
    assert not any(_can_move_only(count, steps, kept, later) for count in fewer)


def _can_move_only(count: int, steps, kept: Kept, later) -> bool:
    """Whether some choice of so many steps can move while all others stay to the minute."""
    keys = [s.key for s in steps]
    if count <= len(keys):
        for moving in combinations(keys, count):
            pins = {k: kept.sittings[k][0][0].isoformat() for k in keys if k not in moving}
            if any(kept.sittings[k][0][0] < later for k in pins):
                continue
            try:
                schedule(steps, ONE, later, Wishes(pins))
            except BadChoice:
                continue
            return True
    return False


# ---- bad input ends in a sentence


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"people": [{"name": "One", "hours": {}}]}, "hours you have"),
        ({"people": []}, "Nobody is there"),
        ({"people": [{"name": "One", "off": ["soon"]}]}, "is no day"),
        ({"ready_by": "2026-11-01"}, "ready by Sun 01 Nov 2026, and work begins"),
        ({"start": "soon"}, "no day and time"),
        ({"zone": "Tinder/Lane"}, "no time zone"),
        ({"held": {"clamps": -1}}, "how many clamps"),
        ({"steps": [{"key": "a", "after": ["b"]}, {"key": "b", "after": ["a"]}]}, "wait for each other in a circle"),
        ({"steps": [{"key": "a", "after": ["c"]}]}, "which is no step"),
        ({"steps": [{"key": "a", "minutes": 400}]}, "longest window has 180"),
        ({"steps": [{"key": "a", "minutes": "many"}]}, "minutes of “a”"),
        ({"steps": [{"key": "a", "minutes": float("nan")}]}, "minutes of “a”"),
        ({"steps": [{"key": "a"}, {"key": "a"}]}, "Two steps are called"),
        ({"steps": [{"key": "a", "held": {"clamps": 2}}]}, "holds 2 clamps, and there are 0"),
        ({"steps": [{"key": "a", "minutes": 5, "by": ["Nobody"]}]}, "not among the people"),
        ({"steps": 3}, "a list"),
    ],
)
def test_bad_steps_end_in_a_sentence(change, words):
    told = {"start": "2026-11-30T19:00", "steps": [{"key": "a", "minutes": 5}]} | change
    with pytest.raises(BadChoice, match=words):
        planned_json(json.dumps(told).encode())
    with pytest.raises(BadChoice, match="no JSON"):
        planned_json(b"steps")


# ---- several works at once


def works(count: int, start=MONDAY) -> list[WorkDates]:
    def steps(n):
        return [
            step("saw", 60 + 15 * n, divisible=True, setup="saw", setup_minutes=5),
            step("fit", 30, after=("saw",)),
            *(
                step(f"glue-{i}", 20, 45, ("fit",) if not i else (f"glue-{i - 1}",), held=(("spring clamps", 6),))
                for i in range(3)
            ),
            *(step(f"coat-{i}", 10, 360, ("glue-2",) if not i else (f"coat-{i - 1}",)) for i in range(3)),
        ]

    return [WorkDates(f"w{n}", f"Work {n}", steps(n), {}) for n in range(count)]


SHARED = Means(ONE.people, {"spring clamps": 8})


def test_several_works_share_hands_and_clamps():
    rows = works(4)
    plan = together(rows, SHARED, MONDAY)
    every = [slot.step for slot in plan.slots]
    check(plan, list(dict.fromkeys(every)), SHARED, MONDAY)
    assert set(plan.finishes) == {"w0", "w1", "w2", "w3"}
    # one after the other takes longer: what one waits for, another is worked on
    alone, at = [], MONDAY
    for one in rows:
        at = schedule(one.steps, SHARED, at).finish
        alone.append(at)
    assert plan.bound <= max(plan.finishes.values()) < alone[-1]


def test_a_work_sees_its_own_steps_and_the_others_names():
    rows = works(3)
    seen = seen_by(together(rows, SHARED, MONDAY), rows[1])
    own = {slot.step.key for slot in seen.own_slots}
    assert own == {s.key for s in rows[1].steps}
    assert seen.others == {"w0": "Work 0", "w2": "Work 2"}
    assert {slot.key for slot in seen.slots} == set(seen.stands)
    assert seen.finish == max(slot.ready for slot in seen.own_slots)
    kept = kept_by_work(kept_of(seen))
    assert set(kept) == {"w0", "w1", "w2"}
    assert set(kept["w1"].sittings) == own
    again = together([replace(one, kept=kept[one.work]) for one in rows], SHARED, MONDAY)
    assert again.moved == ()


def test_the_work_that_is_due_first_is_served_first():
    rows = works(3)
    soon = MONDAY + dt.timedelta(days=4)
    plan = together([*rows[:2], replace(rows[2], ready_by=soon)], SHARED, MONDAY)
    assert plan.finishes["w2"] <= soon
    assert together(rows, SHARED, MONDAY).finishes["w2"] > soon


def test_the_latest_begin_is_the_last_that_is_in_time():
    steps = [step("glue", 20, 1440), step("hang", 30, after=("glue",))]
    ready_by = dt.datetime(2026, 12, 12)
    last = latest_start(tuple(steps), ONE, MONDAY, ready_by)
    assert last is not None
    assert schedule(steps, ONE, last).finish <= ready_by
    assert schedule(steps, ONE, last + dt.timedelta(days=1)).finish > ready_by
    assert latest_start(tuple(steps), ONE, MONDAY, MONDAY + dt.timedelta(hours=2)) is None


def test_hours_that_hold_a_change_of_the_clock_are_drawn_in_two():
    """In Berlin the clock goes from 02:00 to 03:00 on 28 March 2027: a night shift of eight hours is seven long, and
    each part of it is told from the moment that the wall then shows."""
    start = dt.datetime(2027, 3, 27, 22, 0, tzinfo=ZoneInfo("Europe/Berlin"))
    clock = Clock(start)
    assert _of_one_clock(clock, 0, 420) == [(0, 240), (240, 420)]
    assert [clock.moment(a).strftime("%H:%M") for a, _ in _of_one_clock(clock, 0, 420)] == ["22:00", "03:00"]
    assert _of_one_clock(clock, 0, 200) == [(0, 200)]
    autumn = Clock(dt.datetime(2026, 10, 24, 22, 0, tzinfo=ZoneInfo("Europe/Berlin")))
    assert _of_one_clock(autumn, 0, 540) == [(0, 300), (300, 540)]
