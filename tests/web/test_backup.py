"""Backups: made while people work, whole, brought back, and refused where they are not ours or not of our time."""

import datetime as dt
import json
import sqlite3
import threading
import zipfile
from contextlib import closing
from pathlib import Path

import pytest

from emberquilt.formats.project import read_project
from tests.served import Server, Visitor, free_port
from workshop.serving import backup

SVG = b'<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0H90V60H0Z M45 0V60" fill="none" stroke="#000"/></svg>'

pytestmark = pytest.mark.sqlite


def rows_of(home: Path, table: str) -> list[tuple]:
    with closing(sqlite3.connect(home / "workshop.sqlite3")) as rows:
        return rows.execute(f"SELECT * FROM {table} ORDER BY 1").fetchall()


def held_in(path: Path, table: str, folder: Path) -> int:
    backup.unpacked(path, folder / "rows")
    with closing(sqlite3.connect(folder / "rows")) as rows:
        return rows.execute(f"SELECT count(*) FROM {table}").fetchone()[0]


def worked(server: Server) -> Visitor:
    """Somebody who has one work in the shop."""
    visitor = Visitor(server.base)
    path = visitor.bring("halves.svg", SVG)
    visitor.read(path)
    assert visitor.ask(f"{path}accept/", {"name": "Halves"})[0] == 200
    return visitor


def test_a_backup_is_made_while_people_work_and_brought_back(tmp_path):
    server = Server(tmp_path / "home")
    server.start()
    file = tmp_path / "kept.zip"
    try:
        server.wait_until_up()
        visitor = worked(server)
        over = threading.Event()
        edits = []

        def edit():
            while not over.is_set():
                status, _, _ = visitor.ask("/shop/practice/", {"backer_inset": f"{len(edits) % 9 + 1} mm"})
                edits.append(status)

        hand = threading.Thread(target=edit)
        hand.start()
        said = server.manage("backup", str(file))
        over.set()
        hand.join()
        assert "holds 1 works" in said
        assert edits
        assert set(edits) == {200}
        # a restore waits until nobody is served
        refused = server.manage("restore", str(file), check=False)
        assert "Stop that one first" in refused
        visitor.ask("/begin/")
    finally:
        server.end()
    before = rows_of(tmp_path / "home", "compositions_outline")
    assert before
    with closing(sqlite3.connect(tmp_path / "home" / "workshop.sqlite3")) as rows:
        rows.execute("DELETE FROM compositions_outline")
        rows.commit()
    assert "1 works of 1 accounts are back" in server.manage("restore", str(file))
    assert rows_of(tmp_path / "home", "compositions_outline") == before
    aside = list((tmp_path / "home" / "backups").glob("before-restore-*.zip"))
    assert len(aside) == 1
    assert held_in(aside[0], "compositions_outline", tmp_path) == 0
    # and into a folder where there was nothing
    other = Server(tmp_path / "elsewhere", fresh=True)
    other.manage("restore", str(file))
    assert rows_of(tmp_path / "elsewhere", "compositions_outline") == before
    other.start()
    try:
        other.wait_until_up()
        assert "Halves" in Visitor(other.base).ask("/")[1]
    finally:
        other.end()


def test_what_is_of_one_server_alone_stays_behind(tmp_path):
    server = Server(tmp_path / "home").with_accounts("ash")
    with closing(sqlite3.connect(tmp_path / "home" / "workshop.sqlite3")) as rows:
        rows.execute("INSERT INTO django_session VALUES ('key', 'data', '2099-01-01')")
        rows.commit()
    file = tmp_path / "kept.zip"
    server.manage("backup", str(file))
    assert held_in(file, "django_session", tmp_path) == 0
    assert held_in(file, "auth_user", tmp_path) == 1
    assert file.stat().st_mode & 0o777 == 0o600
    assert server.manage("backup", str(file), check=False).count("is there already") == 1


@pytest.fixture(scope="module")
def sound(tmp_path_factory) -> bytes:
    folder = tmp_path_factory.mktemp("sound")
    server = Server(folder / "home").with_accounts("ash")
    server.manage("backup", str(folder / "kept.zip"))
    return (folder / "kept.zip").read_bytes()


def changed(data: bytes, path: Path, **told) -> Path:
    """The backup with something else in its list."""
    path.write_bytes(data)
    with zipfile.ZipFile(path) as archive:
        listed, rows = json.loads(archive.read(backup.LIST)), archive.read(backup.ROWS)
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr(backup.LIST, json.dumps(listed | told))
        archive.writestr(backup.ROWS, rows)
    return path


@pytest.mark.parametrize("at", [0.0, 0.1, 0.5, 0.9, 0.999])
def test_a_backup_that_was_cut_off_or_changed_is_refused(sound, tmp_path, at):
    path = tmp_path / "kept.zip"
    where = int(at * len(sound))
    path.write_bytes(sound[:where])
    with pytest.raises(backup.BadBackup, match=r"\.$"):
        backup.checked(path)
    path.write_bytes(sound[:where] + bytes([sound[where] ^ 0xFF]) + sound[where + 1 :])
    try:
        backup.checked(path)
    except backup.BadBackup:
        return
    # what was changed there says nothing: a date, or how the list is written
    assert backup.checked(path).accounts == 1


@pytest.mark.parametrize(
    ("told", "words"),
    [
        ({"format": "something-else"}, "no backup"),
        ({"version": 2}, "newer Ember Quilt"),
        ({"bytes": 10}, "more than its list says"),
        ({"sha256": "0" * 64}, "damaged"),
        ({"works": 7}, "not sound"),
        ({"bytes": "many"}, "no whole backup"),
    ],
)
def test_a_list_that_does_not_fit_is_refused(sound, tmp_path, told, words):
    with pytest.raises(backup.BadBackup, match=words):
        backup.checked(changed(sound, tmp_path / "kept.zip", **told))


@pytest.mark.django_db
def test_what_is_newer_than_this_is_refused(sound, tmp_path):
    with zipfile.ZipFile(changed(sound, tmp_path / "x.zip")) as archive:
        done = json.loads(archive.read(backup.LIST))["migrations"]
    told = {"migrations": [*done, ["compositions", "9999_of_tomorrow"]], "program": "9.0"}
    with pytest.raises(backup.BadBackup, match=r"newer Ember Quilt \(9\.0, compositions 9999_of_tomorrow\)"):
        backup._refuse_newer(told)
    # of an app that is gone since then nothing is asked
    backup._refuse_newer({"migrations": [*done, ["axes", "0001_initial"]], "program": "0.1"})


def test_the_night_keeps_fourteen_days(sound, tmp_path, settings, monkeypatch):
    settings.BACKUPS = tmp_path / "backups"
    monkeypatch.setattr(backup, "backup", lambda path: path.write_bytes(b"x"))
    for day in range(1, 30):
        for hour in (1, 3, 9):
            backup.nightly(dt.datetime(2026, 11, day, hour))
    kept = sorted(path.name for path in settings.BACKUPS.iterdir())
    assert kept == [f"nightly-2026-11-{day}.zip" for day in range(16, 30)]
    settings.NIGHTLY_DAYS = 0
    assert backup.nightly(dt.datetime(2026, 12, 1, 4)) is None


def test_an_upgrade_keeps_what_was_before(tmp_path):
    home = tmp_path / "home"
    home.mkdir()
    with zipfile.ZipFile(Path(__file__).parents[1] / "old" / "version-2.sqlite3.zip") as archive:
        (home / "workshop.sqlite3").write_bytes(archive.read(archive.namelist()[0]))
    before = rows_of(home, "compositions_composition")
    server = Server(home, fresh=True)
    process = server.start()
    try:
        server.wait_until_up()
        assert "what was kept before lies in" in process.stdout.readline()
    finally:
        server.end()
    aside = list((home / "backups").glob("before-upgrade-*.zip"))
    assert len(aside) == 1
    assert held_in(aside[0], "compositions_composition", tmp_path) == len(before) > 0
    # and this code brings it back, and up to its own time again
    server.manage("restore", str(aside[0]))
    assert len(rows_of(home, "compositions_composition")) == len(before)


def test_every_work_leaves_as_a_project_file(tmp_path):
    server = Server(tmp_path / "home")
    server.start()
    try:
        server.wait_until_up()
        worked(server)
        worked(server)
        assert "2 works are in" in server.manage("export_all", str(tmp_path / "out"))
    finally:
        server.end()
    files = sorted((tmp_path / "out").rglob("*.ember"))
    assert [file.relative_to(tmp_path / "out").as_posix() for file in files] == [
        "workshop/halves-2.ember",
        "workshop/halves.ember",
    ]
    assert [len(read_project(file.read_bytes()).composition.made) for file in files] == [2, 2]
    assert "is not empty" in server.manage("export_all", str(tmp_path / "out"), check=False)


def test_a_database_that_does_not_answer_is_one_sentence(tmp_path):
    server = Server(tmp_path / "home", EMBERQUILT_DATABASE=f"postgresql://nobody@127.0.0.1:{free_port()}/nothing")
    said = server.manage("backup", str(tmp_path / "all.zip"), check=False)
    assert "The database does not answer: " in said
    assert "Traceback" not in said
