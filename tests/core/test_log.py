"""What the log teaches: pace with honest intervals, lessons, hours, and the bill."""

import datetime as dt
import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.bench.cards import made_of
from emberquilt.log.blades import lasting, lives_of
from emberquilt.log.happened import BLADE, BROKE, DONE, PAPER, Happened
from emberquilt.log.hours import hours_of
from emberquilt.log.lessons import lessons_from
from emberquilt.log.price import bill_of
from emberquilt.log.rates import Logged, pace_from
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.rack.rack import Rack
from emberquilt.rack.woods import woods
from emberquilt.work.pace import terms_of, thickness_band
from tests.conftest import composition, grid

WOODS = {"walnut": 1.0, "maple": 1.25, "padauk": 0.85, "cherry": 1.0, "wenge": 1.4}
THICK = {6.0: 0.9, 12.0: 1.0, 19.0: 1.0, 38.0: 1.3}
BLADES = {"No. 1": 1.1, "No. 3": 1.0, "No. 5": 0.9}
HANDS = {"": 1.0, "Ada": 1.3}
CORNERS = {"pivot": 1.6, "loop": 0.7}
AT = dt.datetime(2026, 11, 20, 19, tzinfo=dt.UTC)


def simulated(
    rng, count: int, noise: float, base: float, odd: float = 0.0, most: float = 0.3
) -> list[tuple[Logged, float]]:
    """Timed cuts of a shop whose rates are known, and the rate of each; `odd` of them are no times at all."""
    told = []
    for _ in range(count):
        wood, thick = rng.choice(list(WOODS)), float(rng.choice(list(THICK)))
        blade, who = rng.choice(list(BLADES)), str(rng.choice(list(HANDS), p=[0.7, 0.3]))
        corners = {kind: float(rng.uniform(0, most)) for kind in CORNERS}
        rate = base * WOODS[wood] * THICK[thick] * BLADES[blade] * HANDS[who]
        rate *= math.exp(sum(share * math.log(CORNERS[kind]) for kind, share in corners.items()))
        estimate = float(rng.uniform(1, 12))
        minutes = estimate * rate * math.exp(noise * rng.normal())
        if rng.random() < odd:
            minutes *= rng.choice([6, 12, 0.1])
        of = {"wood": str(wood), "thickness_mm": thick, "blade": str(blade), "corners": corners}
        told.append((Logged("saw", minutes, estimate, of, who), rate))
    return told


def test_simulated_logs_give_their_rates_back():
    """Ratios between woods, thicknesses, blades, hands and corners, from 600 cuts of which one in 25 is nonsense."""
    rng = np.random.default_rng(5)
    pace = pace_from(entry for entry, _ in simulated(rng, 600, 0.25, 1.3, 0.04, most=0.5))
    factor = {(group, name): middle for group in ("wood", "thickness", "blade", "who", "corner")
              for name, middle, *_ in pace.told(group)}  # fmt: skip
    for group, table in (
        ("wood", WOODS),
        ("thickness", {thickness_band(mm): rate for mm, rate in THICK.items()}),
        ("blade", BLADES),
        ("who", HANDS),
    ):
        names = list(table)
        for a, b in zip(names, names[1:], strict=False):
            assert factor[group, a] / factor[group, b] == pytest.approx(table[a] / table[b], rel=0.1), (group, a, b)
    assert factor["corner", "pivot"] == pytest.approx(1.6, rel=0.2)
    assert factor["corner", "loop"] == pytest.approx(0.7, rel=0.25)


@pytest.mark.parametrize("count", [3, 12, 40, 150])
def test_eighty_of_a_hundred_cuts_lie_within_the_interval(count):
    """Over shops drawn at random, with few entries as with many."""
    within = total = 0
    for seed in range(30):
        rng = np.random.default_rng(1000 * count + seed)
        noise, base = rng.uniform(0.2, 0.4), math.exp(0.3 * rng.normal())
        pace = pace_from(entry for entry, _ in simulated(rng, count, noise, base, 0.03))
        for entry, _ in simulated(rng, 40, noise, base):
            sure = replace(pace, whose={entry.who: 1.0})
            low, high = sure.between("saw", entry.made_of)
            within += low <= entry.minutes / entry.estimate <= high
            total += 1
    assert 0.75 <= within / total <= 0.85


def test_sums_lie_within_theirs():
    """Whole works of thirty cuts: what is not known of the shop moves them together, chance evens out."""
    within = 0
    for seed in range(120):
        rng = np.random.default_rng(seed)
        base = math.exp(0.3 * rng.normal())
        pace = pace_from(entry for entry, _ in simulated(rng, 15, 0.3, base))
        work = [entry for entry, _ in simulated(rng, 30, 0.3, base)]
        cards = [(e.estimate * pace.factor("saw", e.made_of), "saw", e.made_of) for e in work]
        low, high = pace.sum_between(cards)
        within += low <= sum(e.minutes for e in work) <= high
    assert 0.7 <= within / 120 <= 0.95


def test_with_nothing_logged_estimates_stand():
    pace = pace_from([])
    assert pace.factor("saw", {"wood": "walnut"}) == pytest.approx(1.0, abs=0.05)
    low, high = pace.between("saw", {"wood": "walnut", "blade": "No. 3"})
    assert low < 0.65
    assert high > 1.5
    assert pace.sum_between([]) == (0.0, 0.0)
    assert pace_from([Logged("saw", 0, 5), Logged("saw", 5, 0), Logged("saw", 900, 1)]).counts["all", ""] == 0


@given(
    st.floats(0.5, 2.2),
    st.lists(st.tuples(st.floats(0.85, 1.2), st.floats(0.5, 8)), min_size=12, max_size=40),
    st.floats(0.002, 5000),
)
@settings(max_examples=40)
def test_no_single_entry_decides(rate, cuts, odd):
    """Where cuts agree, one more of any length moves the pace by less than a twelfth."""
    entries = [Logged("saw", rate * spread * estimate, estimate, {"wood": "cherry"}) for spread, estimate in cuts]
    before = pace_from(entries).factor("saw", {"wood": "cherry"})
    after = pace_from([*entries, Logged("saw", 3 * odd, 3.0, {"wood": "cherry"})]).factor("saw", {"wood": "cherry"})
    assert after == pytest.approx(before, rel=1 / 12)


def test_slow_shops_are_believed():
    pace = pace_from([Logged("saw", 9.0, 3.0, {"wood": "maple"})] * 60)
    assert pace.factor("saw", {"wood": "maple"}) == pytest.approx(3.0, rel=0.06)
    # of a wood never sawn here most of it holds too
    assert 2.2 < pace.factor("saw", {"wood": "wenge"}) < 3.1


def test_a_step_of_a_kind_that_was_timed_takes_as_long_as_it_does_here():
    work = composition(grid(3, 2), "walnut")
    plain = Plan(work)
    shaped = [Logged("shape", 12.0, 6.0, {"wood": "walnut"})] * 40
    slow = Plan(replace(work, pace=pace_from(shaped)))
    usual = {card.key: card.estimate_minutes for card in plain.cards}
    shape = next(card for card in slow.cards if card.step.verb == "shape")
    assert shape.estimate_minutes == pytest.approx(2 * usual[shape.key], rel=0.1)
    assert shape.base_minutes == pytest.approx(usual[shape.key])
    glue = next(card for card in slow.cards if card.step.verb == "glue")
    assert glue.estimate_minutes == pytest.approx(usual[glue.key])


def test_what_is_stored_as_estimate_knows_nothing_of_the_pace():
    """Else the log would feed on itself: every card's base is the same whatever the log says."""
    work = composition(grid(3, 2), "walnut")
    plain = {card.key: card.base_minutes for card in Plan(work).cards}
    logged = [Logged(verb, 30.0, 6.0) for verb in ("saw", "shape", "glue", "backer", "paste") for _ in range(9)]
    slow = {card.key: card for card in Plan(replace(work, pace=pace_from(logged))).cards}
    assert {key: card.base_minutes for key, card in slow.items()} == pytest.approx(plain)
    assert slow["backer", ""].estimate_minutes > 2.5 * plain["backer", ""]


def happened(what: str, step: str, wood: str, mm: float, why: str = "") -> Happened:
    return Happened(what, step, "1", AT, why=why, made_of={"wood": wood, "thickness_mm": mm})


def test_what_broke_twice_is_a_finding_where_it_applies():
    thin = [happened(DONE, "saw", "padauk", 3.0)] * 6
    once = [*thin, happened(BROKE, "saw", "padauk", 3.0, "across")]
    assert lessons_from(once) == ()
    twice = [*once, happened(BROKE, "saw", "padauk", 2.5, "across")]
    (lesson,) = lessons_from(twice)
    assert (lesson.wood, lesson.band, lesson.times, lesson.of) == ("padauk", "0 to 4 mm", 2, 8)
    # what lies in the hand, and not in the wood, teaches nothing of the wood; nor does two of two hundred
    assert lessons_from([happened(BROKE, "saw", "padauk", 3.0, "lost")] * 5) == ()
    assert lessons_from([*thin * 40, *[happened(BROKE, "saw", "padauk", 3.0, "chip")] * 2]) == ()
    work = composition(grid(3, 2), {1: "padauk", 2: "padauk", 3: "walnut"}, thickness_mm=3.0)
    plan = Plan(replace(work, lessons=(lesson,)))
    (found,) = (f for f in plan.findings("saw") if f.code == "lesson")
    assert found.pieces == (1, 2)
    assert "broke 2 times of 8 here while being sawn" in found.sentence
    thick = composition(grid(3, 2), "padauk")
    assert not [f for f in Plan(replace(thick, lessons=(lesson,))).findings("saw") if f.code == "lesson"]


def test_blades_are_counted_from_one_fresh_one_to_the_next():
    def at(minute: int, what: str, wears: float = 0.0) -> Happened:
        of = {"blade": "No. 3", "wears": wears, "wood": "maple", "thickness_mm": 19}
        return Happened(what, "saw", "1", AT + dt.timedelta(minutes=minute), made_of=of, text="No. 3")

    # how far gone the first one was nobody knows; the last is still on the saw
    events = [at(0, DONE, 0.9), at(1, BLADE)]
    for life in range(4):
        events += [at(10 * life + 2, DONE, 0.3), at(10 * life + 3, DONE, 0.2), at(10 * life + 4, BLADE)]
    events += [at(90, DONE, 0.4), at(91, BLADE), at(92, BLADE)]
    lives = lives_of(reversed(events))
    assert lives == {"No. 3": pytest.approx([0.5, 0.5, 0.5, 0.5, 0.4])}
    factor, low, high, count = lasting(lives)["No. 3"]
    assert count == 5
    assert 0.48 < factor < 0.75
    assert low < factor < high
    work = composition(grid(3, 2), "maple")
    usual, short = (sum(n.count for n in Plan(w).saw.needs) for w in (work, replace(work, blade_lasts={
        blade: 0.1 for blade in {cut.blade.name for cut in Plan(work).saw.cuts}})))  # fmt: skip
    assert short > usual


def bill(plan: Plan, prices: Practice, events=()):
    hours = hours_of(plan.cards, events, plan.marks_left)
    return hours, bill_of(plan.job, plan.needs, plan.saw, plan.glue, hours, prices, events)


def test_hours_are_the_clocks_where_there_are_any():
    work = composition(grid(3, 2), "walnut")
    card = next(card for card in Plan(work).cards if card.step.verb == "saw")
    done = frozenset(card.marks)
    plan = Plan(work, done=done)
    event = Happened(DONE, *card.key, AT, minutes=50.0, estimate=card.base_minutes)
    hours = {one.station: one for one in hours_of(plan.cards, [event], plan.marks_left)}
    assert hours["saw"].timed == 50.0
    before = {one.station: one for one in hours_of(Plan(work).cards, [], Plan(work).marks_left)}
    # the saw was set up before it
    setup = sum(one.estimate_minutes for one in plan.cards if one.step.station == "saw" and not one.step.each)
    assert hours["saw"].left == pytest.approx(before["saw"].left - card.estimate_minutes - setup)
    # a part that was made again took its time twice
    again = hours_of(plan.cards, [event, event], plan.marks_left)
    assert sum(one.timed for one in again) == 100.0


def test_a_bill_adds_up_and_says_what_has_no_price():
    """Twelve inches of walnut by eight, priced by the board foot (144 cubic inches, 3/4 in charged as 4/4)."""
    shelf = woods().with_own([replace(woods()["walnut"], price=14.0)])
    work = replace(composition(grid(3, 2), "walnut"), rack=Rack(shelf, ()))
    plan = Plan(work)
    hours, plain = bill(plan, Practice())
    assert "walnut" not in " ".join(plain.unknown).lower()
    assert {"hours of hands", "blades"} <= set(plain.unknown)
    (walnut,) = (item for item in plain.items if item.name == "Walnut")
    need = next(need for need in plan.needs if need.material == "walnut")
    inches = need.rough_mm2 / 25.4**2
    assert walnut.cost == pytest.approx(inches / 144 * 14.0, rel=0.01)
    prices = Practice(wage=30.0, fee_share=0.1, margin_share=0.25, blade_price=0.5)
    _, full = bill(plan, prices)
    minutes = sum(one.minutes for one in hours)
    (wages,) = (item for item in full.items if item.kind == "hours")
    assert wages.cost == pytest.approx(minutes / 2)
    assert full.cost == pytest.approx(sum(item.cost for item in full.items if item.cost is not None))
    assert full.price == pytest.approx(full.cost + full.fee + full.margin)
    assert full.margin == pytest.approx(0.25 * full.price)
    # what the bench counted goes before what was planned
    counted = [replace(happened(what, "saw", "walnut", 19), what=what) for what in (BLADE, BLADE, PAPER)]
    _, told = bill(plan, prices, counted)
    amounts = {item.name: (item.quantity, item.counted) for item in told.items}
    assert amounts["blades"] == (3, True)
    assert amounts["sheets of sandpaper"] == (1, True)


def test_what_a_card_is_made_of_is_what_the_log_learns_by():
    plan = Plan(composition(grid(3, 2), "walnut"))
    told = {card.step.verb: made_of(plan.job, card, plan.saw) for card in plan.cards}
    assert told["saw"]["wood"] == "walnut"
    assert told["saw"]["thickness_mm"] == 19.05
    assert told["saw"]["blade"].startswith("No.")
    assert 0 < told["saw"]["wears"] < 1
    assert 0 <= sum(told["saw"].get("corners", {}).values()) <= 1
    terms = terms_of("saw", told["saw"], {"Ada": 1.0})
    assert {("wood", "walnut"), ("thickness", "16 to 26 mm"), ("who", "Ada")} <= set(terms)
