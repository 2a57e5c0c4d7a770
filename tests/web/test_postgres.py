"""PostgreSQL in the place of a file: people work, backups are made and brought back, from one kind to the other."""

import contextlib
import json
import re
import shutil
import sqlite3
import subprocess
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from urllib.parse import urlsplit

import pytest

from tests.postgres import Postgres, available, database, postgres
from tests.served import PASSWORD, Server, Visitor, needs_proc

pytestmark = [
    pytest.mark.postgres,
    pytest.mark.skipif(not available(), reason="Debian's postgresql is not installed"),
]


@pytest.fixture(scope="module")
def address():
    with postgres() as one:
        yield one.address


def manage(home, *words: str, **env: str) -> str:
    return Server(home, fresh=True, **env).manage(*words)


def rows_in(path, table: str) -> list[tuple]:
    with zipfile.ZipFile(path) as archive:
        copy = path.with_suffix(".rows")
        copy.write_bytes(archive.read(next(n for n in archive.namelist() if n.endswith("sqlite3"))))
    with closing(sqlite3.connect(copy)) as rows:
        names = [name for _, name, *_ in rows.execute(f"PRAGMA table_info({table})")]
        order = sorted(names)
        return [
            tuple(_plain(value) for value in row)
            for row in rows.execute(f"SELECT {', '.join(map(repr_name, order))} FROM {table} ORDER BY id")
        ]


def repr_name(name: str) -> str:
    return f'"{name}"'


def _plain(value):
    """JSON is the same in whatever order it is written."""
    if isinstance(value, str) and value.startswith(("{", "[")):
        return json.dumps(json.loads(value), sort_keys=True)
    return value


TABLES = (
    *("auth_user", "shop_shop", "shop_board", "shop_boardphoto", "compositions_composition", "compositions_piece"),
    *("compositions_outline", "compositions_entry", "compositions_source"),
)


SOME_WORKS = """
from workshop.compositions.demo import LANTERN, PHOTOS
from workshop.compositions.management.commands import load_demo as demo
from workshop.compositions.models import Composition
from workshop.entry.person import local_person
from workshop.shop.actions import add_board

owner = local_person()
for board in demo.demo.BOARDS:
    add_board(owner, *board)
demo.photograph(owner, PHOTOS[0])
demo.bring(owner, LANTERN)
demo.pear(owner)
"""


@needs_proc
def test_a_shop_goes_from_a_file_to_postgresql_and_back(tmp_path, address):
    """Every row of a few works of the demo, with its times, is the same after both ways."""
    manage(tmp_path / "home", "migrate", "-v0")
    manage(tmp_path / "home", "shell", "-v", "0", "-c", SOME_WORKS)
    manage(tmp_path / "home", "backup", str(tmp_path / "first.zip"))
    env = {"EMBERQUILT_DATABASE": database(address, "both_ways")}
    manage(tmp_path / "elsewhere", "migrate", "-v0", **env)
    told = manage(tmp_path / "elsewhere", "restore", str(tmp_path / "first.zip"), **env)
    assert "works" in told
    manage(tmp_path / "elsewhere", "backup", str(tmp_path / "second.zip"), **env)
    for table in TABLES:
        first, second = (rows_in(tmp_path / name, table) for name in ("first.zip", "second.zip"))
        assert first == second, table
        assert first, table
    manage(tmp_path / "third", "restore", str(tmp_path / "second.zip"))
    manage(tmp_path / "third", "backup", str(tmp_path / "third.zip"))
    for table in TABLES:
        assert rows_in(tmp_path / "first.zip", table) == rows_in(tmp_path / "third.zip", table), table


@needs_proc
def test_two_people_work_on_it_and_a_backup_is_made_meanwhile(tmp_path, address, koi_svg):
    club = database(address, "club")
    server = Server(tmp_path / "home", fresh=True, EMBERQUILT_DATABASE=club)
    server.manage("migrate", "-v0")
    server.with_accounts("anna", "ben")
    server.start()
    try:
        server.wait_until_up()
        people = [Visitor(server.base, name) for name in ("anna", "ben")]
        for one in people:
            assert one.enter(PASSWORD) == 200
        drafts = [one.bring("koi.svg", koi_svg) for one in people]
        for one, draft in zip(people, drafts, strict=True):
            one.read(draft)
        server.manage("backup", str(tmp_path / "meanwhile.zip"))
        for one, draft in zip(people, drafts, strict=True):
            status, _, where = one.ask(f"{draft}accept/", {"name": f"Koi of {one.name}"})
            assert status == 200, where
        status, words, _ = people[0].ask("/health/")
        assert status == 200, words
        assert "Koi of anna" in people[0].ask("/")[1]
        assert "Koi of anna" not in people[1].ask("/")[1]
    finally:
        server.end()
    assert len(rows_in(tmp_path / "meanwhile.zip", "compositions_draft")) == 2
    # what is numbered anew after it was brought back begins where it left off
    manage(tmp_path / "back", "migrate", "-v0", EMBERQUILT_DATABASE=(fresh := database(address, "back")))
    manage(tmp_path / "back", "restore", str(tmp_path / "meanwhile.zip"), EMBERQUILT_DATABASE=fresh)
    made = "from workshop.compositions.models import Draft; d = Draft.objects.first(); d.pk = None; "
    made += "import uuid; d.uid = uuid.uuid4(); d.save(); print(Draft.objects.count())"
    assert manage(tmp_path / "back", "shell", "-v", "0", "-c", made, EMBERQUILT_DATABASE=fresh).split()[-1] == "3"


@contextlib.contextmanager
def annas_shop(one: Postgres, home: Path, koi_svg: bytes) -> Iterator[tuple[Visitor, str]]:
    """A workshop that is served from it: somebody with a work, and its path."""
    server = Server(home, fresh=True, EMBERQUILT_DATABASE=one.address)
    server.manage("migrate", "-v0")
    server.with_accounts("anna")
    server.start()
    try:
        server.wait_until_up()
        anna = Visitor(server.base, "anna")
        assert anna.enter(PASSWORD) == 200
        draft = anna.bring("koi.svg", koi_svg)
        anna.read(draft)
        status, _, where = anna.ask(f"{draft}accept/", {"name": "Koi"})
        assert status == 200
        yield anna, urlsplit(where).path.removesuffix("wood/").removesuffix("pattern/")
    finally:
        server.end()


def named(anna: Visitor, work: str, part: str) -> tuple[int, str]:
    """An edit as the page makes it."""
    revision = re.search(r'name="revision"[^>]*value="(\d+)"', anna.ask(f"{work}wood/")[1])[1]
    form = {"verb": "part", "pieces": "1-3", "part": part, "revision": revision}
    return anna.ask(f"{work}wood/do/", form, htmx=True)[:2]


@needs_proc
def test_the_database_server_is_begun_anew_under_the_workshop(tmp_path, koi_svg):
    with postgres() as one, annas_shop(one, tmp_path / "home", koi_svg) as (anna, work):
        assert named(anna, work, "before")[0] == 200
        one.end()
        for htmx in (False, True):
            status, words, _ = anna.ask("/", htmx=htmx)
            assert (status, "does not answer just now" in words) == (503, True)
        for visitor in (anna, Visitor(anna.base)):
            status, words, _ = visitor.ask("/health/")
            assert (status, "does not answer" in words) == (503, True)
        one.start()
        assert named(anna, work, "after")[0] == 200
        assert "after" in anna.ask(f"{work}wood/?pieces=1")[1]
        again = anna.bring("koi.svg", koi_svg)
        anna.read(again)
        assert anna.ask("/health/")[0] == 200


@pytest.fixture
def small_disk():
    # the tests' own folder is closed to the account that runs the database server
    disk = Path(tempfile.mkdtemp(prefix="emberquilt-disk-"))
    words = ["mount", "-t", "tmpfs", "-o", "size=160m,mode=755", "tmpfs", disk]
    if shutil.which("mount") is None or subprocess.run(words, check=False, capture_output=True).returncode:
        pytest.skip("no disk may be mounted here")
    yield disk
    subprocess.run(["umount", "-l", disk], check=True)
    disk.rmdir()


@needs_proc
def test_a_full_disk_of_the_database_server_loses_nothing(tmp_path, small_disk, koi_svg):
    with postgres(small_disk) as one, annas_shop(one, tmp_path / "home", koi_svg) as (anna, work):
        assert named(anna, work, "before")[0] == 200
        with contextlib.suppress(OSError), (small_disk / "full").open("wb") as full:
            while True:
                full.write(bytes(65536))
        for i in range(300):
            status, words = named(anna, work, f"{i} {'x' * 60}")
            if status != 200:
                break
        assert (status, "disk of the database server is full" in words) == (507, True)
        last = f"{i - 1} {'x' * 60}" if i else "before"
        (small_disk / "full").unlink()
        assert last in anna.ask(f"{work}wood/?pieces=1")[1]
        assert named(anna, work, "after")[0] == 200
