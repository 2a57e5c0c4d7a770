"""What is worked out when it is first asked for: once for each, and nobody waits for what is another's."""

import pickle
from concurrent.futures import ThreadPoolExecutor
from threading import Barrier, Event

import pytest

from emberquilt import plan as planning
from emberquilt.lazy import lazy
from emberquilt.plan import Plan
from tests.conftest import composition, grid

SECONDS = 30


class Board:
    def __init__(self):
        self.asked = 0
        self.both = Barrier(2)

    @lazy
    def face(self) -> list[int]:
        """Its better face."""
        self.asked += 1
        return [self.asked]

    @lazy
    def edge(self) -> object:
        self.both.wait(SECONDS)
        return object()


def test_it_is_worked_out_once_and_told_by_its_words():
    board, other = Board(), Board()
    assert board.face is board.face
    assert board.asked == 1
    assert other.asked == 0
    assert Board.face.__doc__ == "Its better face."


def test_two_who_ask_at_once_get_the_same():
    board = Board()
    with ThreadPoolExecutor() as pool:
        one, two = (pool.submit(lambda: board.edge) for _ in range(2))
        assert one.result(SECONDS) is two.result(SECONDS)


@pytest.fixture
def held(monkeypatch):
    """The sawing of works of four pieces is planned only when it may be. What was planned, and the leave."""
    leave, planned, real = Event(), [], planning.saw_plan

    def slow(job):
        planned.append(len(job.composition.made))
        assert len(job.composition.made) < 4 or leave.wait(SECONDS)
        return real(job)

    monkeypatch.setattr(planning, "saw_plan", slow)
    with ThreadPoolExecutor() as pool:
        yield pool, planned, leave
        leave.set()


def test_a_small_work_does_not_wait_for_a_large_one(held):
    pool, _, leave = held
    large = pool.submit(lambda: Plan(composition(grid(2, 2))).saw)
    small = pool.submit(lambda: Plan(composition(grid(2, 1))).saw)
    assert small.result(SECONDS).cuts
    assert not large.done()
    leave.set()
    assert large.result(SECONDS).cuts


def test_all_who_ask_one_plan_wait_for_one_of_them(held):
    pool, planned, leave = held
    plan = Plan(composition(grid(2, 2)))
    later = plan.at(plan.start, frozenset())
    asked = [pool.submit(lambda one=one: one.saw) for one in (plan, plan, later)]
    leave.set()
    first, *others = (one.result(SECONDS) for one in asked)
    assert all(one is first for one in others)
    assert planned == [4]


def test_a_plan_goes_to_another_process_with_what_it_knows(held):
    _, planned, _ = held
    plan = Plan(composition(grid(2, 1)))
    cuts = plan.saw.cuts
    brought = pickle.loads(pickle.dumps(plan))
    assert len(brought.saw.cuts) == len(cuts)
    assert brought.at(plan.start, frozenset()).steps
    assert planned == [2]
