"""Heights, stock, glue-up, calendar and the bench's cards."""

import datetime as dt
from dataclasses import replace
from zoneinfo import ZoneInfo

import icalendar
import pypdfium2
import pytest
import shapely
import vobject
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.assembly.glueup import glue_plan
from emberquilt.assembly.supplies import finishes, glues
from emberquilt.bench.cards import cards
from emberquilt.calendar.ical import called_off, event_id, icalendar_of, ids_of
from emberquilt.calendar.schedule import kept_of, schedule
from emberquilt.calendar.shop import means_of
from emberquilt.drawing.day_pdf import day_pdf
from emberquilt.errors import BadChoice
from emberquilt.findings import Finding
from emberquilt.hours import first_moment, parse_day, windows
from emberquilt.outline.coverage import Coverage
from emberquilt.outline.insets import backer_outline, shim_outline
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.rack.boards import Board
from emberquilt.rack.rack import Rack
from emberquilt.rack.woods import woods
from emberquilt.relief.heights import Relief
from emberquilt.stock.need import board_feet, grain_boxes_mm2, needs_of, nominal_quarters
from emberquilt.work.parts import job_of
from emberquilt.work.steps import Step
from tests.calendar_check import check
from tests.conftest import cells, composition, edited, findings_of, grid

MONDAY = dt.datetime(2026, 11, 23, 8, 0)
WEEK = {day: "19:00-21:30" for day in ("mon", "tue", "wed", "thu", "fri")} | {"sat": "9-12, 14-17"}


# heights


def test_heights_are_stock_and_shim():
    work = composition(grid(3, 1), thickness_mm=12.7, shim_mm=3.0)
    relief = Relief(job_of(work))
    assert (relief.lowest_mm, relief.highest_mm, relief.undecided) == pytest.approx((15.7, 15.7, 0))
    # three squares of 30 mm in a row share one shim, 4 mm inside all round: 82 x 22
    assert relief.shims == ((3.0, 1, pytest.approx(82 * 22)),)
    assert relief.thicknesses == ((12.7, 3),)
    # cherry weighs 560 kg a cubic metre at 12 %, birch plywood 739; the backer of 3 mm lies 3 mm inside
    pieces, shim, backer = 3 * 0.03 * 0.03 * 0.0127 * 560, 0.082 * 0.022 * 0.003, 0.084 * 0.024 * 0.003
    assert relief.weight_kg == pytest.approx(pieces + (shim + backer) * 0.66 * 1120, rel=2e-3)


@settings(max_examples=20)
@given(st.integers(2, 25), st.integers(0, 999), st.floats(1, 8))
def test_shims_never_show(count, seed, inset):
    for outline in cells(count, seed).outlines:
        shim = shim_outline(outline, inset)
        assert shim.is_empty or shim.distance(outline.exterior) >= inset - 1e-6


def test_what_relief_leaves_open():
    work = composition(grid(2, 1), thickness_mm=None)
    (finding,) = findings_of(work, "relief")
    assert (finding.code, finding.pieces) == ("no-thickness", (1, 2))
    small = composition(grid(2, 1, 7.0), shim_mm=3.0)
    assert [f.code for f in findings_of(small, "relief")] == ["no-room-for-shim"]


# stock


@pytest.mark.parametrize(
    ("length", "width", "thick", "feet"),
    # worked examples as lumber tables give them: thickness x width x length in inches over 144
    [(12, 12, 1, 1.0), (96, 6, 1, 4.0), (96, 6, 2, 8.0), (36, 8, 0.75, 1.5), (144, 4, 1, 4.0)],
)
def test_board_feet(length, width, thick, feet):
    assert board_feet(length * width * 25.4**2, thick * 25.4) == pytest.approx(feet)


@pytest.mark.parametrize("angle", [0, 30, 90, 155])
def test_the_box_along_the_grain_turns_with_it(angle):
    bar = shapely.affinity.rotate(shapely.box(0, 0, 50, 10), -angle, origin=(0, 0))
    coverage = Coverage([1, 7], [shapely.box(200, 0, 240, 30), bar])
    work = edited(composition(coverage), "grain", [7], deg=angle)
    boxes = grain_boxes_mm2(job_of(work))
    assert (boxes["1"], boxes["7"]) == pytest.approx((43 * 33, 53 * 13))
    assert grain_boxes_mm2(job_of(edited(work, "turn", [7], by=45)))["7"] > 53 * 13


def needs(work, *boards):
    """What is needed of the pieces' own woods with these boards on the rack."""
    shelf = replace(work, rack=Rack(woods(), boards))
    return [n for n in needs_of(job_of(shelf)) if not n.sheet]


def test_rough_area_is_net_over_the_share_used_but_holds_the_largest_piece():
    many = needs(composition(grid(10, 10)))[0]
    assert many.rough_mm2 == pytest.approx(100 * 900 / 0.55)
    assert many.waste_factor == pytest.approx(1 / 0.55)
    one = Coverage([1], [shapely.Polygon([(0, 0), (100, 0), (0, 100)])])
    assert needs(composition(one))[0].rough_mm2 == pytest.approx(103 * 103)


def test_boards_count_once_and_only_where_thick_enough():
    thin = composition(grid(4, 4), thickness_mm=12.7)
    coverage = grid(8, 4)
    pieces = tuple(
        replace(p, thickness_mm=19.05 if p.key <= 16 else 12.7)
        for p in composition(coverage).usual_layer.without_openings.pieces
    )
    both = replace(thin, layers=(replace(thin.layers[0], coverage=coverage, pieces=pieces),))
    board = Board(1, "cherry", "C1", 200, 150, 19.0)
    thick_need, thin_need = sorted(needs(both, board), key=lambda n: -n.thickness_mm)
    assert thick_need.owned_mm2 == pytest.approx(30_000)
    assert thin_need.owned_mm2 == pytest.approx(30_000 - thick_need.rough_mm2)
    assert needs(both, replace(board, thickness_mm=6.0))[0].owned_mm2 == 0
    assert needs(both, replace(board, wood="walnut"))[0].owned_mm2 == 0


@pytest.mark.parametrize(
    ("thickness_in", "quarters"),
    # standard thicknesses of hardwood planed on both sides, from memory of the rules for measuring it
    [
        (0.125, 4),
        (0.75, 4),
        (13 / 16, 4),
        (0.875, 5),
        (1.0, 5),
        (1 + 1 / 16, 5),
        (1.25, 6),
        (1.5, 8),
        (1.75, 8),
        (2.0, 10),
        (3.5, 16),
        (4.0, 16),
        (4.2, 17),
    ],
)
def test_stock_is_bought_by_its_nominal_thickness(thickness_in, quarters):
    assert nominal_quarters(thickness_in * 25.4) == quarters


def test_three_quarters_are_bought_as_four():
    need = needs(composition(grid(4, 4)))[0]
    assert need.quarters == 4
    assert need.bought_feet == pytest.approx(need.board_feet / 0.75)


def test_a_board_counts_only_for_what_lies_on_it():
    """A piece of 280 mm does not fit a board of 60 mm, whatever their areas."""
    coverage = Coverage([1, 2], [shapely.box(0, 0, 280, 90), shapely.box(0, 90, 50, 140)])
    work = edited(composition(coverage), "number", [1], number="14")
    narrow = Board(1, "cherry", "C1", 2000, 60, 19.05)
    (need,) = needs(work, narrow)
    assert need.fit_nowhere == ("1",)
    assert need.short_mm2 == pytest.approx(max(280 * 90 / 0.55, 283 * 93))
    shelf = replace(work, rack=Rack(woods(), (narrow,)))
    assert "holds 14:" in next(f.sentence for f in findings_of(shelf, "stock") if "cherry" in f.sentence)
    # turned by its arrow the long side lies across the board
    across = edited(work, "grain", [1, 2], deg=90)
    wide = Board(2, "cherry", "C2", 2000, 100, 19.05)
    assert needs(work, wide)[0].fit_nowhere == ()
    assert needs(across, wide)[0].fit_nowhere == ("1",)
    assert needs(across, replace(wide, grain_deg=90.0))[0].fit_nowhere == ()


@settings(max_examples=30)
@given(
    st.integers(1, 30), st.integers(0, 999), st.lists(st.tuples(st.integers(20, 400), st.integers(20, 300)), max_size=4)
)
def test_what_is_short_lies_between_nothing_and_everything(count, seed, sizes):
    coverage = cells(count, seed)
    boards = tuple(Board(i, "cherry", f"C{i}", length, width, 19.05) for i, (length, width) in enumerate(sizes, 1))
    (need,) = needs(composition(coverage), *boards)
    assert 0 <= need.short_mm2 <= need.rough_mm2 + 1e-6
    assert need.owned_mm2 <= sum(b.area_mm2 for b in boards) + 1e-6
    for key in map(int, need.fit_nowhere):
        left, top, right, bottom = coverage.by_key[key].bounds
        assert not any(right - left <= length and bottom - top <= width for length, width in sizes)
    if not boards:
        assert need.short_mm2 == pytest.approx(need.rough_mm2)


def test_what_is_short_is_said_with_its_area():
    work = composition(grid(4, 4), practice=Practice(unit="mm"))
    found = {f.sentence.split()[2]: f for f in findings_of(work, "stock")}
    assert found["cherry"].amount == round(16 * 900 / 0.55 / 100)
    # the backer is short too, of a sheet
    assert "no sheet for it is on the rack" in found["birch"].sentence
    plenty = (Board(1, "cherry", "C1", 1000, 200, 19.05), Board(2, "ply_birch", "Q1", 600, 300, 3.0))
    assert findings_of(replace(work, rack=Rack(woods(), plenty)), "stock") == []


# glue-up


@settings(max_examples=25)
@given(st.integers(2, 90), st.integers(0, 999), st.sampled_from(["outer", "middle"]))
def test_every_next_piece_touches_what_is_down(count, seed, anchor):
    coverage = cells(count, seed)
    plan = glue_plan(job_of(composition(coverage, practice=Practice(anchor=anchor))))
    down = set()
    for step in plan.steps:
        assert {int(key) for key in step.touches} == set(coverage.neighbours[step.piece]) & down
        assert step.touches or step.order == 1
        down.add(step.piece)
    assert down == set(coverage.keys)
    assert [s for batch in plan.batches for s in batch.steps] == list(plan.steps)


@pytest.mark.parametrize(
    ("glue", "seconds", "per_batch"),
    [("wood", 45, 10), ("quick", 45, 5), ("epoxy", 60, 25), ("quick", 300, 1)],
)
def test_batches_fit_the_open_time(glue, seconds, per_batch):
    plan = glue_plan(job_of(composition(grid(7, 7), practice=Practice(glue=glue, seconds_per_piece=seconds))))
    assert plan.per_batch == per_batch
    assert max(len(batch.steps) for batch in plan.batches) == per_batch
    if per_batch > 1:
        assert per_batch * seconds / 60 <= plan.glue.open_minutes


@pytest.mark.parametrize("seconds", [45, 120])
def test_a_glue_that_is_held_by_hand_has_no_batches(seconds):
    """140 pieces in thick CA: each laid and held for a minute (common practice, no source), one after the other."""
    work = composition(grid(14, 10), practice=Practice(glue="ca", seconds_per_piece=seconds, hours=WEEK))
    plan = Plan(work, start=MONDAY)
    assert plan.glue.one_by_one
    assert len(plan.glue.batches) == 1
    glueing = [t for t in plan.left if t.verb == "glue"]
    assert [t.minutes for t in glueing] == [pytest.approx(140 * (seconds / 60 + 1))]
    assert glueing[0].wait_minutes == 0
    table = cards(plan.job, plan.steps, plan.saw, plan.glue)
    assert sum(c.base_minutes for c in table if c.step.verb == "glue") == pytest.approx(glueing[0].minutes)


def test_the_persons_own_anchor_holds():
    work = edited(composition(grid(3, 3)), "anchor", [5])
    plan = glue_plan(job_of(work))
    assert (list(plan.anchors.values()), plan.steps[0].piece) == ([5], 5)
    assert plan.steps[0].reason == "your anchor"
    assert findings_of(work, "assembly") == []
    free = composition(grid(3, 3))
    assert [f.code for f in findings_of(free, "assembly")] == ["anchor-open"]
    middle = composition(grid(3, 3), practice=Practice(anchor="middle"))
    assert list(glue_plan(job_of(middle)).anchors.values()) == [5]


def test_bodies_apart_are_glued_one_after_the_other():
    coverage = Coverage([1, 2, 3], [shapely.box(0, 0, 10, 10), shapely.box(10, 0, 20, 10), shapely.box(50, 0, 90, 10)])
    steps = glue_plan(job_of(composition(coverage))).steps
    assert sum(not s.touches for s in steps) == 2


@settings(max_examples=20)
@given(st.integers(2, 40), st.integers(0, 999), st.floats(0.5, 10))
def test_the_backer_stays_inside_the_traced_line(count, seed, inset):
    coverage = cells(count, seed)
    backer = backer_outline(coverage, inset)
    assert coverage.outside.buffer(1e-6).contains(backer)
    # simplified to 0.05 mm afterwards
    assert backer.distance(shapely.boundary(coverage.outside)) >= inset - 0.06


def test_a_piece_off_the_backer_is_found():
    coverage = Coverage([1, 2], [shapely.box(0, 0, 60, 60), shapely.box(60, 28, 64, 32)])
    work = composition(coverage, practice=Practice(backer_inset_mm=5.0))
    assert "off-backer" in [f.code for f in findings_of(work, "assembly")]


def test_supplies_have_their_times():
    assert glues()["wood"].clamp_minutes == 45
    assert finishes()["gel"].handle_minutes == 1440
    assert set(glues()) >= {"wood", "quick", "ca", "epoxy"}


# calendar


@pytest.mark.parametrize(
    ("text", "spans"),
    [
        ("19:00-21:30", [(1140, 1290)]),
        ("9-12, 14-17", [(540, 720), (840, 1020)]),
        ("14.30 to 16", [(870, 960)]),
        ("", []),
        ("0-24", [(0, 1440)]),
    ],
)
def test_hours_as_people_type_them(text, spans):
    assert parse_day(text) == spans


@pytest.mark.parametrize("text", ["soon", "21-19", "9-12, 11-14", "25-26", "9:75-10", "9"])
def test_hours_that_cannot_be(text):
    with pytest.raises(BadChoice):
        parse_day(text)


def test_windows_begin_where_the_work_begins():
    first, second, *_ = windows(WEEK, dt.datetime(2026, 11, 23, 20, 0))
    assert first == (dt.datetime(2026, 11, 23, 20, 0), dt.datetime(2026, 11, 23, 21, 30))
    assert second[0] == dt.datetime(2026, 11, 24, 19, 0)
    with pytest.raises(BadChoice, match="hours"):
        list(windows({}, MONDAY))


def check_schedule(plan, steps, week):
    """By the independent checker, with the means of a usual shop and these hours."""
    check(plan, steps, means_of(Practice(hours=week)), MONDAY)


def task(key: str, minutes: float, wait=0.0, after=(), parts=0, divisible=False) -> Step:
    """A step that only the calendar looks at."""
    names = tuple(f"{i}" for i in range(parts))
    return Step(key, "saw", "saw", f"Task {key}", minutes, names, wait, tuple(after), divisible=divisible)


def dated(steps, week):
    return schedule(steps, means_of(Practice(hours=week)), MONDAY)


def test_a_task_longer_than_any_window_is_said():
    with pytest.raises(BadChoice, match="longest window"):
        dated([task("a", 400)], WEEK)


def test_long_work_that_can_be_put_down_is_cut_by_the_windows_one_has():
    short = {day: "20:00-20:45" for day in ("mon", "wed")}
    long = task("a", 400, 60.0, parts=40, divisible=True)
    plan = dated([long], short)
    check_schedule(plan, [long], short)
    assert 9 <= len(plan.slots) <= 10
    assert max(slot.minutes for slot in plan.slots) <= 45


def test_what_is_more_urgent_comes_between_two_sittings():
    tasks = [
        task("glue", 20, 60),
        task("more", 20, 2880, ("glue",)),
        task("saw", 400, divisible=True),
    ]
    plan = dated(tasks, WEEK)
    check_schedule(plan, tasks, WEEK)
    slots = {s.key: s for s in plan.slots}
    assert slots["glue"].begin < slots["saw-1"].begin < slots["more"].begin < slots["saw-2"].begin


@pytest.mark.parametrize("hours", [{day: "19:00-19:45" for day in ("mon", "tue", "sat")}, {"sun": "9-10"}, WEEK])
@pytest.mark.parametrize("count", [64, 225, 900])
def test_many_pieces_find_dates_in_short_evenings(count, hours):
    """225 pieces were too many for any calendar once, 64 for evenings of 45 minutes."""
    side = round(count**0.5)
    work = composition(grid(side, side), practice=Practice(hours=hours), shim_mm=2.0)
    plan = Plan(work, start=MONDAY)
    assert plan.findings("calendar") == []
    check_schedule(plan.schedule, plan.left, hours)


@pytest.mark.parametrize("when", ["before", "after"])
@pytest.mark.parametrize("glue", ["wood", "ca", "epoxy"])
def test_a_whole_job_keeps_the_rules_and_every_wait(glue, when):
    practice = Practice(glue=glue, finish_when=when, hours=WEEK, coats=2)
    plan = Plan(composition(grid(6, 4), practice=practice, shim_mm=2.0), start=MONDAY)
    check_schedule(plan.schedule, plan.left, WEEK)
    by_key = {t.key: t for t in plan.left}
    order = {s.step.key: i for i, s in enumerate(sorted(plan.schedule.slots, key=lambda s: s.begin))}
    assert order["paste"] < order["saw-1"] < order["fit-1"] < order["backer"] < order["glue-1-1"] < order["hang"]
    assert (order["coat-1"] < order["glue-1-1"]) == (when == "before")
    assert by_key["glue-1-1"].wait_minutes == (0 if glue == "ca" else glues()[glue].clamp_minutes)
    assert sum(t.minutes for t in plan.left if t.verb == "saw") == pytest.approx(
        sum(c.minutes for c in plan.saw.cuts if c.piece)
    )
    assert [t.key for t in plan.left if not t.divisible] == [
        f"glue-1-{i}" for i in range(1, 1 + (0 if glue == "ca" else len(plan.glue.batches)))
    ]


def test_what_the_bench_has_done_is_not_planned_again():
    work = composition(grid(6, 4), practice=Practice(hours=WEEK), shim_mm=2.0)
    whole = Plan(work, start=MONDAY)
    sawn = frozenset(("saw", cut.part) for cut in whole.saw.cuts[:10])
    rest = Plan(work, start=MONDAY, done=sawn)
    check_schedule(rest.schedule, rest.left, WEEK)

    def sawing(plan):
        return sum(t.minutes for t in plan.left if t.verb == "saw")

    assert sawing(rest) == pytest.approx(sawing(whole) - sum(c.minutes for c in whole.saw.cuts[:10]))
    assert sum(t.minutes for t in rest.left if t.key.startswith("fit")) == pytest.approx(24 * work.practice.fit_minutes)
    all_but_glue = frozenset((step, str(key)) for key in work.usual_layer.by_key for step in ("saw", "shape"))
    late = Plan(work, start=MONDAY, done=all_but_glue)
    assert {t.key for t in late.left} & {"paste", "saw-1", "fit-1", "shape"} == set()
    assert late.schedule.finish <= rest.schedule.finish <= whole.schedule.finish
    hands = [sum(t.minutes for t in plan.left) for plan in (late, rest, whole)]
    assert hands == sorted(hands)
    glued = frozenset((step, str(key)) for key in work.usual_layer.by_key for step in ("saw", "shape", "glue"))
    assert [t.key for t in Plan(work, start=MONDAY, done=glued).left] == ["cure", "coat-1", "coat-2", "coat-3", "hang"]


def test_a_job_of_decades_is_a_finding_not_a_crash():
    work = composition(grid(30, 30), practice=Practice(hours={"sun": "9-9:15"}))
    (finding,) = Plan(work, start=MONDAY).findings("calendar")
    assert "10 years" in finding.sentence


def test_no_hours_is_a_finding_not_a_crash():
    plan = Plan(composition(grid(2, 2), practice=Practice(hours={})), start=MONDAY)
    assert [f.code for f in plan.findings("calendar")] == ["no-dates"]


def test_the_calendar_file_is_read_by_icalendar():
    plan = Plan(composition(grid(3, 2), practice=Practice(hours=WEEK)), start=MONDAY)
    read = icalendar.Calendar.from_ical(
        icalendar_of(plan.schedule, "A test", "abc", dt.datetime(2026, 1, 1, tzinfo=dt.UTC))
    )
    events = read.walk("VEVENT")
    assert len(events) == len(plan.schedule.slots) >= len(plan.left)
    first = min(plan.schedule.slots, key=lambda s: s.begin)
    assert min(e["dtstart"].dt for e in events) == first.begin
    assert len({str(e["uid"]) for e in events}) == len(events)


def test_what_was_told_before_moves_when_it_is_told_again():
    """Read by icalendar and by vobject: ids stay, sequences grow, what is gone is called off."""
    plan = Plan(
        composition(grid(3, 2), practice=Practice(hours=WEEK)), start=MONDAY.replace(tzinfo=ZoneInfo("Europe/Oslo"))
    )
    stamp = dt.datetime(2026, 11, 1, tzinfo=dt.UTC)
    first = icalendar_of(plan.schedule, "A test", "abc", stamp)
    later = plan.at(plan.start + dt.timedelta(days=3), frozenset(), kept_of(plan.schedule))
    told = ids_of(plan.schedule, "abc") | {"gone.1.abc@emberquilt.invalid": "gone"}
    gone = called_off(told, ids_of(later.schedule, "abc"), [s.key for s in later.left], [s.key for s in later.steps])
    second = icalendar_of(later.schedule, "A test", "abc", stamp + dt.timedelta(hours=1), gone)
    before, after = (
        {str(e["uid"]): e for e in icalendar.Calendar.from_ical(f).walk("VEVENT")} for f in (first, second)
    )
    assert set(before) <= set(after)
    assert after["gone.1.abc@emberquilt.invalid"]["status"] == "CANCELLED"
    assert all(after[uid]["sequence"] > before[uid]["sequence"] for uid in before)
    moved = [uid for uid in before if before[uid]["dtstart"].dt != after[uid]["dtstart"].dt]
    assert moved
    events = vobject.readOne(second.decode()).vevent_list
    by_id = {event.uid.value: event.dtstart.value for event in events if not hasattr(event, "status")}
    for slot in later.schedule.slots:
        assert by_id[event_id(slot.step.key, slot.part, "abc")] == slot.begin


def test_the_day_sheet_has_every_sitting_of_its_day():
    plan = Plan(composition(grid(6, 4), practice=Practice(hours=WEEK), shim_mm=2.0), start=MONDAY)
    days = sorted({slot.begin.date() for slot in plan.schedule.slots})
    document = pypdfium2.PdfDocument(day_pdf(plan.schedule, plan.composition, days))
    text = "\n".join(page.get_textpage().get_text_bounded() for page in document)
    assert len(document) >= len(days)
    for slot in plan.schedule.slots:
        assert f"{slot.begin:%H:%M}" in text
        assert slot.label.split()[0] in text
    with pytest.raises(BadChoice, match="Nothing is planned"):
        day_pdf(plan.schedule, plan.composition, [dt.date(2020, 1, 1)])


# log and bench


def test_cards_follow_saw_shape_and_glue_order():
    plan = Plan(composition(cells(15, 3), shim_mm=2.0), start=MONDAY)
    table = cards_of(plan)
    by_verb = {verb: [c.piece for c in table if c.step.verb == verb and c.piece] for verb in ("saw", "shape", "glue")}
    assert by_verb["saw"] == [c.piece for c in plan.saw.cuts if c.piece]
    assert by_verb["glue"] == [s.piece for s in plan.glue.steps]
    assert sorted(by_verb["shape"]) == sorted(by_verb["saw"]) == list(range(1, 16))
    # beside them one card for each thing that is done once
    whole = [c.step.key for c in table if not c.step.each]
    assert whole == [s.key for s in plan.steps if not s.each]
    assert {"paste", "fit-1", "backer", "hang"} <= set(whole)
    assert all(c.caution for c in table if c.step.verb == "saw")
    assert [c.step.key for c in table] == sorted((c.step.key for c in table), key=[s.key for s in plan.steps].index)


def cards_of(plan):
    return cards(plan.job, plan.steps, plan.saw, plan.glue)


def test_cards_warn_of_the_woods_dust():
    table = cards_of(Plan(composition(grid(1, 1), "padauk"), start=MONDAY))
    assert "mask and extraction" in next(c for c in table if c.step.verb == "saw").caution


def test_a_picture_without_woods_has_no_cards_and_no_dates():
    plan = Plan(composition(grid(2, 2), {}), start=MONDAY)
    assert cards_of(plan) == ()
    assert plan.schedule.finish is None
    assert plan.counts["wood"] == 1


def test_accepting_a_finding_about_many_pieces_accepts_no_other():
    """Forty-one and more: what differs only behind the fortieth piece is another finding."""
    many = tuple(range(1, 61))
    one, other = (Finding("melts", "wood", "s", "r", keys) for keys in (many, (*many[:-1], 99)))
    assert one.id != other.id
    assert len(one.id) < 60
    assert Finding("melts", "wood", "s", "r", many[:40]).id == "melts:" + ",".join(map(str, range(1, 41)))
    assert (
        Finding("no-overlap", "pattern", "s", "r", layer=3).id != Finding("no-overlap", "pattern", "s", "r", layer=4).id
    )
    work = composition(grid(9, 6), {})
    (bare,) = Plan(work, start=MONDAY).findings("wood")
    accepted = edited(work, "accept", finding=bare.id, reason="bare on purpose")
    assert Plan(accepted, start=MONDAY).findings("wood") == []
    fewer = tuple(replace(p, wood="cherry") if p.key == 54 else p for p in work.layers[0].pieces)
    later = replace(accepted, layers=(replace(work.layers[0], pieces=fewer),))
    assert [f.code for f in Plan(later, start=MONDAY).findings("wood")] == ["no-wood"]


@pytest.mark.parametrize(
    ("pinned", "now", "begins"),
    [
        (None, "2026-11-25 09:00", "2026-11-25 09:00"),
        (None, "2026-11-25 09:01", "2026-11-25 09:15"),
        (None, "2026-12-31 23:50", "2027-01-01 00:00"),
        ("2020-01-06", "2026-11-25 09:00", "2026-11-25 09:00"),
        ("2026-11-25", "2026-11-25 20:00", "2026-11-25 20:00"),
        ("2026-12-01", "2026-11-25 20:00", "2026-12-01 00:00"),
    ],
)
def test_work_begins_on_the_day_decided_but_never_before_now(pinned, now, begins):
    assert first_moment(pinned, dt.datetime.fromisoformat(now)) == dt.datetime.fromisoformat(begins)


def test_accepted_findings_are_not_left():
    work = composition(grid(2, 1), {1: "cherry"})
    (finding,) = Plan(work, start=MONDAY).findings("wood")
    calm = Plan(edited(work, "accept", finding=finding.id, reason="bare on purpose"), start=MONDAY)
    assert calm.findings("wood") == []
    assert calm.accepted("wood") == [finding]
    assert calm.counts["wood"] == 0
