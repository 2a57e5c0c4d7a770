"""A shelf of many works: how long it takes, and how long a backup takes while edits go on.

python tools/figures/many.py [--works 200] [--home FOLDER]
"""

import argparse
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path

HERE = Path(__file__).resolve().parents[2]
sys.path.insert(0, str(HERE))

from tests.served import PASSWORD, Server, Visitor  # noqa: E402
from tools.figures.kill import Writer  # noqa: E402

TRIES = 30


@dataclass
class Told:
    shelf_s: list[float] = field(default_factory=list)
    backup_s: float = 0.0
    backup_mb: float = 0.0
    saves_before: float = 0.0
    saves_meanwhile: float = 0.0
    lost: list[str] = field(default_factory=list)


def measured(home: Path, folder: Path) -> Told:
    """On the server as it is started, for the first account."""
    told, server = Told(), Server(home)
    server.env["EMBERQUILT_ORIGIN"] = server.base
    process = server.start()
    threading.Thread(target=lambda: [None for _ in process.stdout], daemon=True).start()
    try:
        server.wait_until_up()
        person = Visitor(server.base, "person-0")
        assert person.enter(PASSWORD) == 200
        works = works_on_shelf(person)
        for _ in range(TRIES):
            begun = time.perf_counter()
            status, words, _ = person.ask("/")
            told.shelf_s.append(time.perf_counter() - begun)
            assert status == 200, words[:200]
        back_up(server, person, works, folder, told)
    finally:
        server.end()
    return told


def works_on_shelf(person: Visitor) -> list[str]:
    """Works of the first page; all tags are worked out, as they are once it was looked at."""
    import re

    found: dict[str, None] = {}
    for page in range(1, 100):
        words = person.ask(f"/?page={page}")[1]
        fresh = [uid for uid in re.findall(r"/picture/([0-9a-f-]{36})/", words) if uid not in found]
        if not fresh:
            break
        found |= dict.fromkeys(fresh)
        for uid in dict.fromkeys(fresh):
            person.ask(f"/picture/{uid}/tag/")
    return list(found)


def back_up(server: Server, person: Visitor, works: list[str], folder: Path, told: Told) -> None:
    writer = Writer(server, works[0], 0)
    writer.visitor.jar = person.jar
    writer.visitor.opener = person.opener
    writer.start()
    time.sleep(3)
    before, told.saves_before = len(writer.kept), len(writer.kept) / 3
    begun = time.perf_counter()
    server.manage("backup", str(folder / "all.zip"))
    told.backup_s = time.perf_counter() - begun
    told.saves_meanwhile = (len(writer.kept) - before) / told.backup_s
    told.backup_mb = (folder / "all.zip").stat().st_size / 1e6
    writer.over = True
    writer.join(30)


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("--works", type=int, default=200)
    asked.add_argument("--home", default="", help="a folder that was filled before")
    how = asked.parse_args()
    with tempfile.TemporaryDirectory(prefix="emberquilt-many-") as folder:
        home = Path(how.home or Path(folder) / "home")
        if not (home / "workshop.sqlite3").exists():
            fill = [sys.executable, HERE / "tools/figures/fill_home.py", home, "1", str(how.works)]
            subprocess.run(fill, check=True)
        told = measured(home, Path(folder))
    times = sorted(told.shelf_s)
    print(f"shelf: median {statistics.median(times) * 1000:.0f} ms, at worst {times[-1] * 1000:.0f} ms of {TRIES}")
    print(
        f"backup: {told.backup_s:.1f} s with the start of its program, {told.backup_mb:.0f} MB; saves a second "
        f"{told.saves_before:.1f} before, {told.saves_meanwhile:.1f} meanwhile"
    )


if __name__ == "__main__":
    main()
