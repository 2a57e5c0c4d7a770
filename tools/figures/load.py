"""So many people work at once, each with a pause of 1 to 3 seconds after every answer, on the server as it is started.

python tools/figures/load.py [--people 20] [--works 24] [--minutes 10] [--home FOLDER]

Everybody goes through all of their works: the shelf, stations, chosen pieces, edits and taking them back, the bench,
the picture. Tells errors, the times of answers, and the memory of all processes of the server (their proportional
share, so that what they share counts once).
"""

import argparse
import collections
import http.client
import os
import random
import re
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path
from typing import NamedTuple
from urllib.parse import urlsplit

HERE = Path(__file__).resolve().parents[2]
sys.path.insert(0, str(HERE))

from tests.served import PASSWORD, Server, Visitor, encoded  # noqa: E402

STATIONS = ("pattern", "wood", "relief", "stock", "saw", "assembly", "calendar", "log")
WOODS = ("walnut", "holly", "maple", "cherry")


class Answer(NamedTuple):
    """When a person asked for what, how long it took, and with which status it ended."""

    what: str
    took_s: float
    status: int
    path: str
    at_s: float


class Told(NamedTuple):
    """All answers, the most memory of all processes together, the processor time that answering took, and what the
    machine's host gave to others meanwhile."""

    answers: list[Answer]
    most_mb: float
    worked_s: float
    stolen_s: float

    @property
    def errors(self) -> list[Answer]:
        return [one for one in self.answers if _is_error(one.status)]


class Person(Visitor):
    """Whose browser keeps its connection, as browsers do, and follows where it is led."""

    def __init__(self, base: str, name: str, told: list[Answer]):
        super().__init__(base, name)
        self.told = told
        self.line = http.client.HTTPConnection(urlsplit(base).netloc, timeout=60)
        self.cookies: dict[str, str] = {}
        self.dice = random.Random(name)  # noqa: S311
        self.works: list[str] = []
        self.turn = 0

    def ask(self, path, form=None, files=None, htmx=False, **headers):
        method, body, sent = "GET", None, {"Referer": self.base + "/"} | headers
        if htmx:
            sent["HX-Request"] = "true"
        if form is not None:
            body, kind = encoded(form | {"csrfmiddlewaretoken": self.cookies.get("csrftoken", "")}, {})
            method, sent = "POST", sent | {"Content-Type": kind}
        for _ in range(5):
            answer, words = self._sent(method, path, body, sent)
            if answer.status not in (301, 302, 303):
                break
            method, path, body = "GET", answer.headers["Location"].removeprefix(self.base), None
        return answer.status, words, path

    def _sent(self, method: str, path: str, body, headers: dict[str, str]):
        told = "; ".join(f"{name}={value}" for name, value in self.cookies.items())
        try:
            self.line.request(method, path, body, headers | {"Cookie": told})
            answer = self.line.getresponse()
        except (http.client.RemoteDisconnected, ConnectionError):
            # a server may end a connection that nothing was asked on for long
            self.line.close()
            self.line.request(method, path, body, headers | {"Cookie": told})
            answer = self.line.getresponse()
        words = answer.read().decode("utf-8", "replace")
        for line in answer.headers.get_all("Set-Cookie") or []:
            name, _, value = line.partition(";")[0].partition("=")
            self.cookies[name] = value
        return answer, words

    def asked(self, what: str, path: str, form: dict[str, str] | None = None, htmx: bool = False) -> str:
        """The words of an answer; how long it took, and how it ended, is told."""
        begin = time.perf_counter()
        status, words, _ = self.ask(path, form, htmx=htmx)
        self.told.append(Answer(what, time.perf_counter() - begin, status, path, begin))
        if _is_error(status):
            print(what, path, form, status, " ".join(re.sub(r"<[^>]+>", " ", words).split())[:200], flush=True)
        return words

    def come(self) -> None:
        self.asked("enter", "/enter/")
        self.asked("enter", "/enter/", {"username": self.name, "password": PASSWORD})
        found: dict[str, None] = {}
        for page in (1, 2):
            found |= dict.fromkeys(re.findall(r"/picture/([0-9a-f-]{36})/", self.asked("shelf", f"/?page={page}")))
        self.works = list(found)

    def step(self) -> None:
        """One thing that a person does, on the next of their works in turn."""
        self.turn += 1
        if self.turn % 12 == 0:
            self.asked("shelf", "/")
            return
        work = self.works[self.turn % len(self.works)]
        station = self.dice.choice(STATIONS)
        page = self.asked("station", f"/picture/{work}/{station}/")
        if shapes := re.search(r"/picture/[0-9a-f-]+/shapes\.json\?[^\"'&]*(&amp;view=[^\"']*)?", page):
            self.asked("shapes", shapes[0].replace("&amp;", "&"))
        kind = self.dice.random()
        revision = re.search(r'name="revision"[^>]*value="(\d+)"', page)
        keys = re.findall(r'"(\d+)":', page.partition('id="dress"')[2][:20_000])
        if kind < 0.4 and revision and keys:
            time.sleep(self.dice.uniform(1, 3))
            self.edit(work, revision[1], self.dice.choice(keys))
        elif kind < 0.6 and keys:
            time.sleep(self.dice.uniform(1, 3))
            self.asked("ticket", f"/picture/{work}/{station}/ticket?pieces={self.dice.choice(keys)}", htmx=True)
        elif kind < 0.7:
            time.sleep(self.dice.uniform(1, 3))
            self.asked("bench", f"/picture/{work}/bench/")

    def edit(self, work: str, revision: str, key: str) -> None:
        """Another wood for a piece, and now and then it is taken back."""
        asked = {"verb": "wood", "pieces": key, "wood": self.dice.choice(WOODS), "revision": revision}
        changed = self.asked("edit", f"/picture/{work}/wood/do/", asked, htmx=True)
        now = re.search(r'name="revision"[^>]*value="(\d+)"', changed)
        if now and self.dice.random() < 0.4:
            time.sleep(self.dice.uniform(1, 3))
            self.asked("undo", f"/picture/{work}/undo/wood/", {"pieces": key, "revision": now[1]}, htmx=True)


def _is_error(status: int) -> bool:
    """A verb that does not suit what was chosen at random is refused in a sentence, which is no error."""
    return not 200 <= status < 400 and status not in (409, 422)


def family(pid: int) -> list[int]:
    """A process and all that came of it."""
    children = collections.defaultdict(list)
    for folder in Path("/proc").glob("[0-9]*"):
        try:
            stat = (folder / "stat").read_text().rpartition(")")[2].split()
        except OSError:
            continue
        children[int(stat[1])].append(int(folder.name))
    found, left = [], [pid]
    while left:
        one = left.pop()
        found.append(one)
        left += children[one]
    return found


def memory_mb(pids: list[int]) -> float:
    total = 0
    for pid in pids:
        try:
            told = Path(f"/proc/{pid}/smaps_rollup").read_text()
        except OSError:
            continue
        total += int(re.search(r"^Pss:\s+(\d+)", told, re.M)[1])
    return total / 1024


def stolen_seconds() -> float:
    """What the machine's host has given to others so far, where it says so: of all processors together."""
    try:
        told = re.search(r"^cpu +(.*)$", Path("/proc/stat").read_text(), re.M)
    except OSError:
        return 0.0
    return int(told[1].split()[7]) / os.sysconf("SC_CLK_TCK")


def processor_seconds(pids: list[int]) -> float:
    total = 0
    for pid in pids:
        try:
            fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
        except OSError:
            continue
        total += int(fields[11]) + int(fields[12])
    return total / os.sysconf("SC_CLK_TCK")


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("--people", type=int, default=20)
    asked.add_argument("--works", type=int, default=24)
    asked.add_argument("--minutes", type=float, default=10)
    asked.add_argument("--home", default="", help="a folder that was filled before")
    how = asked.parse_args()
    home = Path(how.home or tempfile.mkdtemp(prefix="emberquilt-load-"))
    tell(loaded(home, how.people, how.works, how.minutes * 60))


def loaded(home: Path, people: int, works: int, seconds: float) -> Told:
    """On a server of its own in this folder, which is filled first where nothing is in it."""
    if not (home / "workshop.sqlite3").exists():
        subprocess.run([sys.executable, HERE / "tools/figures/fill_home.py", home, str(people), str(works)], check=True)
    server = Server(home)
    server.env["EMBERQUILT_ORIGIN"] = f"http://127.0.0.1:{server.port}"
    process = server.start()
    threading.Thread(target=lambda: [None for _ in process.stdout], daemon=True).start()
    try:
        server.wait_until_up()
        return run(f"http://127.0.0.1:{server.port}", people, seconds, process.pid)
    finally:
        server.end()


def run(base: str, people: int, seconds: float, pid: int) -> Told:
    told: list[Answer] = []
    end = time.monotonic() + seconds

    def live(number: int) -> None:
        person = Person(base, f"person-{number}", told)
        time.sleep(person.dice.uniform(0, 4))
        person.come()
        while time.monotonic() < end:
            time.sleep(person.dice.uniform(1, 3))
            person.step()

    threads = [threading.Thread(target=live, args=(number,)) for number in range(people)]
    for thread in threads:
        thread.start()
    stolen, most, worked = stolen_seconds(), 0.0, 0.0
    while any(thread.is_alive() for thread in threads):
        time.sleep(2)
        processes = family(pid)
        most = max(most, memory_mb(processes))
        worked = max(worked, processor_seconds(processes))
    return Told(told, most, worked, stolen_seconds() - stolen)


def tell(figures: Told) -> None:
    told, most_mb, worked_s, stolen_s = figures
    print(f"{len(told)} requests, memory at most {most_mb:.0f} MB")
    asking = time.process_time()
    print(f"answering took {worked_s:.0f} s of processor time, asking {asking:.0f} s; the host took {stolen_s:.0f} s")
    bad = figures.errors
    refused = sum(one.status in (409, 422) for one in told)
    print(f"{refused} refused in a sentence")
    print(f"{len(bad)} errors", collections.Counter((one.what, one.status) for one in bad))
    for what in [*dict.fromkeys(one.what for one in told), "all"]:
        times = sorted(one.took_s for one in told if what in (one.what, "all"))
        if len(times) > 1:
            p95 = statistics.quantiles(times, n=20)[18]
            print(
                f"{what:8} {len(times):5}  median {statistics.median(times) * 1000:5.0f} ms  "
                f"p95 {p95 * 1000:5.0f}  worst {times[-1] * 1000:6.0f}"
            )
    begun = told[0].at_s
    for one in sorted(told, key=lambda one: -one.took_s)[:12]:
        print(f"  {one.took_s:5.1f} s after {one.at_s - begun:4.0f} s: {one.what} {one.path.partition('?')[0][-40:]}")
    minutes = collections.defaultdict(list)
    for one in told:
        minutes[int((one.at_s - begun) // 120)].append(one.took_s)
    p95s = [f"{statistics.quantiles(minutes[two], n=20)[18] * 1000:.0f}" for two in sorted(minutes) if minutes[two][1:]]
    print("p95 of every two minutes:", " ".join(p95s), "ms")


if __name__ == "__main__":
    main()
