"""Reads thousands of files in which something is wrong, and tells how each ended.

python tools/figures/mutants.py [--count 10000] [--kinds svg,dxf] [--jobs 2] [--from 0] [--side 0] [--keep FOLDER]

Every file is to be read, or refused in a sentence, within `--seconds` and the memory that one may take. Most of
what an SVG or a PDF takes is pictures of one size, however small the file: `--side` has them made so many pixels wide.
"""

import argparse
import collections
import multiprocessing
import os
import sys
import time
import traceback
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[2]))

from emberquilt.errors import EmberError
from emberquilt.intake import by_sight
from emberquilt.limits import Limits, hold_memory, is_out_of_memory
from tests.mutants import KINDS, mutant
from tests.reading import read


def look_at(side: int) -> None:
    """Drawings by numbers are looked at in pictures with so many pixels along the longer side."""
    by_sight.FIRST_SIDE, by_sight.SIDE = round(side * by_sight.FIRST_SIDE / by_sight.SIDE), side


def work(kind: str, todo, told) -> None:
    sys.stderr.flush()
    null = os.open(os.devnull, os.O_WRONLY)
    os.dup2(null, 2)
    hold_memory(Limits().bytes)
    while (number := todo.get()) is not None:
        told.send(("begun", number, ""))
        try:
            read(kind, mutant(kind, number))
            how, words = "read", ""
        except EmberError as problem:
            how, words = "refused", str(problem)
        except Exception as problem:
            how, words = ("memory", "") if is_out_of_memory(problem) else ("BROKE", traceback.format_exc())
        told.send((how, number, words))
    told.send(("end", 0, ""))


class Hand:
    """One process that reads, begun anew when it has to be ended."""

    def __init__(self, kind: str, todo):
        self.kind, self.todo = kind, todo
        self.begin()

    def begin(self) -> None:
        self.told, theirs = multiprocessing.Pipe(duplex=False)
        self.process = multiprocessing.Process(target=work, args=(self.kind, self.todo, theirs), daemon=True)
        self.process.start()
        theirs.close()
        self.number, self.since = -1, time.monotonic()


def run(kind: str, first: int, count: int, jobs: int, seconds: float):
    """How each ended: (how, number, words, seconds)."""
    todo = multiprocessing.Queue()
    for number in [*range(first, first + count), *[None] * jobs]:
        todo.put(number)
    hands = [Hand(kind, todo) for _ in range(jobs)]
    while hands:
        for hand in list(hands):
            try:
                if not hand.told.poll(0.02):
                    if hand.number >= 0 and time.monotonic() - hand.since > seconds:
                        hand.process.kill()
                        yield "TOO LONG", hand.number, "", seconds
                        hand.begin()
                    continue
                how, number, words = hand.told.recv()
            except EOFError:
                yield "DIED", hand.number, f"exit {hand.process.exitcode}", time.monotonic() - hand.since
                hand.begin()
                continue
            if how == "begun":
                hand.number, hand.since = number, time.monotonic()
            elif how == "end":
                hands.remove(hand)
            else:
                yield how, number, words, time.monotonic() - hand.since
                hand.number = -1


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("--count", type=int, default=10_000)
    asked.add_argument("--from", type=int, default=0, dest="first")
    asked.add_argument("--kinds", default=",".join(KINDS))
    asked.add_argument("--jobs", type=int, default=os.cpu_count() or 1)
    asked.add_argument("--seconds", type=float, default=60.0)
    asked.add_argument("--side", type=int, default=0)
    asked.add_argument("--keep", default="")
    how = asked.parse_args()
    if how.side:
        look_at(how.side)
    worst = 0
    for kind in how.kinds.split(","):
        begun, ends, slowest = time.monotonic(), collections.Counter(), 0.0
        last = collections.Counter()
        for end, number, words, took in run(kind, how.first, how.count, how.jobs, how.seconds):
            ends[end] += 1
            slowest = max(slowest, took)
            if end.isupper():
                worst += 1
                where = words.strip().splitlines()[-1:] or [""]
                last[where[0][:100]] += 1
                if last[where[0][:100]] <= 2:
                    print(f"  {kind} {number}: {end} {words if how.count <= 20 else where[0]}", flush=True)
                if how.keep:
                    Path(how.keep).mkdir(exist_ok=True)
                    (Path(how.keep) / f"{kind}-{number}").write_bytes(mutant(kind, number))
                    (Path(how.keep) / f"{kind}-{number}.txt").write_text(words)
        told = ", ".join(f"{count} {end}" for end, count in ends.most_common())
        print(f"{kind}: {told}; slowest {slowest:.1f} s; {time.monotonic() - begun:.0f} s in all", flush=True)
    sys.exit(1 if worst else 0)


if __name__ == "__main__":
    main()
