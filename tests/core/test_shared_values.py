"""What is kept with a coverage stays sound while several threads ask at once."""

import threading

from tests.conftest import cells


def test_values_are_filled_by_one_thread_while_another_replaces_an_outline():
    """Forty runs: one thread fills values piece by piece, another makes the next coverage again and again."""
    problems: list[BaseException] = []
    for _ in range(40):
        coverage = cells(300, 3)
        begin = threading.Barrier(2)

        def fill(coverage=coverage, begin=begin):
            begin.wait()
            try:
                for name in range(20):
                    for key in coverage.keys:
                        coverage.of(key, ("area", name), lambda outline: outline.area)
            except BaseException as problem:
                problems.append(problem)

        filling = threading.Thread(target=fill)
        filling.start()
        begin.wait()
        while filling.is_alive():
            then = coverage.replaced({}, [1])
            assert len(then) == len(coverage) - 1
        filling.join()
    assert problems == []


def test_what_was_known_is_carried_over_but_not_for_what_changed():
    coverage = cells(20, 1)
    asked: list[int] = []

    def area(keys, outlines):
        asked.extend(keys)
        return [o.area for o in outlines]

    coverage.each("area", area)
    assert sorted(asked) == sorted(coverage.keys)
    then = coverage.replaced({3: coverage.by_key[3].buffer(-1)}, [5])
    asked.clear()
    table = then.each("area", area)
    assert asked == [3]
    assert set(table) == set(then.keys)
    some = cells(20, 1)
    asked.clear()
    some.each("area", area, [2, 4])
    assert asked == [2, 4]
