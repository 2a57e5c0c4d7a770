"""Processes of the server are killed (SIGKILL) in the middle of saves and long tasks, on the server as it is started.

python tools/figures/kill.py [--saves 200] [--tasks 20]

Four people rename works without a pause while a web process, or now and then all of the server, is killed; drawings are
read while the process that reads, or the one that looks after it, is. Tells how many acknowledged saves are lost, what
is half-written, and what is left working.
"""

import argparse
import json
import os
import random
import re
import signal
import sqlite3
import sys
import tempfile
import threading
import time
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path

HERE = Path(__file__).resolve().parents[2]
sys.path.insert(0, str(HERE))

from tests.served import Server, Visitor  # noqa: E402

WRITERS = 4
SAVES_BETWEEN = 3
ALL_OF_IT = 20
"""Every so many times the whole server is killed and started again."""
DRAWING = HERE / "workshop" / "compositions" / "demo" / "two-koi-lines.svg"
LONG = HERE / "workshop" / "compositions" / "demo" / "lantern.jpg"
KNOBS = {"kind": "photo", "tones": "9"}


@dataclass
class Told:
    """What was found: numbers of saves that were acknowledged, of kills in their midst, of what went wrong."""

    saves: int = 0
    kills: int = 0
    lost: list[str] = field(default_factory=list)
    half_written: list[str] = field(default_factory=list)
    tasks: int = 0
    killed_tasks: int = 0
    left_working: list[str] = field(default_factory=list)


class Writer(threading.Thread):
    """Renames one work again and again; keeps every name that was acknowledged."""

    def __init__(self, server: Server, work: str, number: int):
        super().__init__(daemon=True)
        self.visitor, self.work, self.number = Visitor(server.base), work, number
        self.kept: list[str] = []
        self.under_way, self.over = False, False

    def run(self) -> None:
        count = 0
        while not self.over:
            page = self.visitor.ask(f"/picture/{self.work}/pattern/")[1]
            revision = re.search(r'name="revision"[^>]*value="(\d+)"', page)
            while revision and not self.over:
                count += 1
                name = f"writer {self.number} save {count}"
                form = {"verb": "rename", "pieces": "", "name": name, "revision": revision[1]}
                self.under_way = True
                status, words, _ = self.visitor.ask(f"/picture/{self.work}/pattern/do/", form, htmx=True)
                self.under_way = False
                revision = re.search(r'name="revision"[^>]*value="(\d+)"', words) if status == 200 else None
                if revision:
                    self.kept.append(name)
            time.sleep(0.05)


def up(server: Server) -> None:
    """Until it answers."""
    until = time.monotonic() + 60
    while Visitor(server.base).ask("/health/")[0] == 0:
        assert time.monotonic() < until, "the server did not come back"
        time.sleep(0.1)


def again(server: Server) -> None:
    """The whole server is killed, and started as a person would."""
    server.process.kill()
    server.process.wait(10)
    start(server)


def start(server: Server) -> None:
    process = server.start()
    threading.Thread(target=lambda: [None for _ in process.stdout], daemon=True).start()
    server.wait_until_up()
    up(server)


def kill_in_saves(server: Server, home: Path, count: int, hands: int, told: Told) -> None:
    dice = random.Random(7)  # noqa: S311
    begin = Visitor(server.base)
    works = []
    for number in range(hands):
        draft = begin.bring("koi.svg", DRAWING.read_bytes())
        begin.read(draft)
        where = begin.ask(f"{draft}accept/", {"name": f"writer {number} save 0"})[2]
        works.append(re.search(r"/picture/([0-9a-f-]{36})/", where)[1])
    writers = [Writer(server, work, number) for number, work in enumerate(works)]
    for writer in writers:
        writer.start()
    while told.kills < count:
        # some saves come through between two kills
        before, until = sum(len(writer.kept) for writer in writers), time.monotonic() + 20
        while sum(len(writer.kept) for writer in writers) < before + SAVES_BETWEEN and time.monotonic() < until:
            time.sleep(0.01)
        time.sleep(dice.uniform(0.0, 0.1))
        if not any(writer.under_way for writer in writers):
            continue
        if (told.kills + 1) % ALL_OF_IT == 0:
            told.kills += 1
            again(server)
        elif web := server.web():
            told.kills += 1
            os.kill(dice.choice(web), signal.SIGKILL)
            until = time.monotonic() + 30
            while not server.web() and time.monotonic() < until:
                time.sleep(0.02)
    for writer in writers:
        writer.over = True
    for writer in writers:
        writer.join(60)
    told.saves = sum(len(writer.kept) for writer in writers)
    check_saves(home, writers, told)


def check_saves(home: Path, writers: list[Writer], told: Told) -> None:
    """Every acknowledged name is in the journal; each journal is whole, and the work has the last name in it."""
    with closing(sqlite3.connect(home / "workshop.sqlite3")) as rows:
        told.half_written += [words for (words,) in rows.execute("PRAGMA integrity_check") if words != "ok"]
        for writer in writers:
            uid = writer.work.replace("-", "")
            pk, name, cursor, revision = rows.execute(
                "SELECT id, name, cursor, revision FROM compositions_composition WHERE uid = ?", (uid,)
            ).fetchone()
            entries = rows.execute(
                "SELECT seq, after FROM compositions_entry WHERE composition_id = ? ORDER BY seq", (pk,)
            ).fetchall()
            names = [json.loads(after)["composition"]["name"] for _, after in entries]
            told.lost += sorted(set(writer.kept) - set(names))
            whole = [seq for seq, _ in entries] == list(range(1, len(entries) + 1))
            if not whole or cursor != len(entries) or names[-1] != name or revision != 1 + len(entries):
                told.half_written.append(f"{writer.work}: {cursor} of {len(entries)}, {name}, revision {revision}")


def kill_in_tasks(server: Server, home: Path, count: int, told: Told) -> None:
    dice = random.Random(11)  # noqa: S311
    person = Visitor(server.base)
    for number in range(3 * count):
        if told.killed_tasks == count:
            break
        draft = person.bring("lines.jpg", LONG.read_bytes(), **KNOBS)
        told.tasks += 1
        until = time.monotonic() + 10
        while not server.under_way() and time.monotonic() < until:
            time.sleep(0.01)
        time.sleep(dice.uniform(0.0, 0.6))
        tasks, workers = server.under_way(), server.workers()
        who = workers if number % 3 == 2 else tasks
        if who:
            told.killed_tasks += 1
            os.kill(dice.choice(who), signal.SIGKILL)
        person.read(draft, 120)
        answer = person.ask(draft)[1]
        if "did not work" in answer or 'id="panel"' not in answer:
            told.left_working.append(f"{draft}: {re.sub('<[^>]+>', ' ', answer)[-300:]}")
    time.sleep(1)
    told.left_working += [f"process {pid}" for pid in server.under_way()]
    with closing(sqlite3.connect(home / "workshop.sqlite3")) as rows:
        live = rows.execute("SELECT uid FROM compositions_draft WHERE state IN ('waiting', 'working')").fetchall()
        told.left_working += [f"draft {uid}" for (uid,) in live]
        turns = rows.execute("SELECT kind, subject FROM longwork_turn").fetchall()
        told.left_working += [f"turn {kind} {subject}" for kind, subject in turns]


def killed(home: Path, saves: int, tasks: int, writers: int = WRITERS) -> Told:
    """All of it, on a server of its own in this folder."""
    told, server = Told(), Server(home)
    start(server)
    try:
        kill_in_saves(server, home, saves, writers, told)
        kill_in_tasks(server, home, tasks, told)
    finally:
        server.end()
    return told


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("--saves", type=int, default=200)
    asked.add_argument("--tasks", type=int, default=20)
    how = asked.parse_args()
    with tempfile.TemporaryDirectory(prefix="emberquilt-kill-") as folder:
        told = killed(Path(folder) / "home", how.saves, how.tasks)
    print(f"{told.kills} kills in {told.saves} acknowledged saves: {len(told.lost)} lost, {told.lost[:3]}")
    print(f"half-written: {len(told.half_written)}, {told.half_written[:3]}")
    print(f"{told.killed_tasks} kills in {told.tasks} tasks: {len(told.left_working)} left, {told.left_working[:3]}")
    sys.exit(bool(told.lost or told.half_written or told.left_working))


if __name__ == "__main__":
    main()
