"""The data folder: one server has it, and a disk that is full or read-only is called by its name."""

import errno
import os
import sqlite3
import subprocess
import sys
from pathlib import Path

import pytest
from django.db import OperationalError, connection

from tests.served import HERE, Server, needs_proc
from workshop.compositions.models import Composition
from workshop.serving import folder


def test_two_servers_on_one_folder_are_told(tmp_path):
    first = Server(tmp_path / "home")
    first.start()
    try:
        first.wait_until_up()
        second = Server(tmp_path / "home")
        said = second.start().communicate(timeout=60)[0]
        assert second.process.returncode == 1
        assert f"serves {tmp_path / 'home'} already (at port {first.port})" in said
        assert "Traceback" not in said
        # the first one has not noticed
        assert first.ask("GET", "/")[0].status == 200
    finally:
        first.end()
    third = Server(tmp_path / "home")
    third.start()
    try:
        third.wait_until_up()
    finally:
        third.end()


def test_the_folder_is_free_again_when_its_holder_ends(tmp_path):
    held = folder.hold(tmp_path)
    folder.sign(held, "at port 1")
    with pytest.raises(folder.Held, match="at port 1"):
        folder.hold(tmp_path)
    held.close()
    folder.hold(tmp_path).close()


@needs_proc
@pytest.mark.parametrize("command", ["serve", "migrate", "account"])
def test_a_folder_that_cannot_be_written_is_a_sentence(command):
    # nobody, root neither, makes folders there
    home = "/proc/1/ember-quilt"
    words = [command] + (["ash"] if command == "account" else [])
    done = subprocess.run(
        [sys.executable, "manage.py", *words],
        cwd=HERE,
        env=os.environ | {"EMBERQUILT_HOME": home, "DJANGO_SETTINGS_MODULE": "workshop.settings"},
        capture_output=True,
        text=True,
        timeout=60,
    )
    said = done.stdout + done.stderr
    assert done.returncode == 1
    assert "Traceback" not in said
    assert home in said
    assert said.strip().endswith(".")


@pytest.mark.parametrize(
    ("problem", "words"),
    [
        (OSError(errno.ENOSPC, "No space left on device"), "is full"),
        (sqlite3.OperationalError("database or disk is full"), "is full"),
        (OperationalError("attempt to write a readonly database"), "read-only"),
        (OSError(errno.EROFS, "Read-only file system"), "read-only"),
        (ValueError("something else"), ""),
    ],
)
def test_disks_are_told_by_name(problem, words):
    said = folder.sentence_for(problem, Path("/srv/ember"))
    assert words in said
    assert ("/srv/ember" in said) == bool(words)


@pytest.mark.sqlite
@pytest.mark.django_db(transaction=True)
def test_a_full_disk_loses_nothing_and_names_the_disk(client, work, page, settings):
    """SQLite is given no page more than it has: what it says then is what it says on a full disk."""
    with connection.cursor() as cursor:
        # what other tests have left behind would be room
        cursor.execute("VACUUM")
        most = cursor.execute("PRAGMA page_count").fetchone()[0]
        cursor.execute(f"PRAGMA max_page_count={most}")
        try:
            before = Composition.objects.get().revision
            for i in range(400):
                answer = page.do(work, "wood", "part", "1-6", part=f"{i} {'x' * 60}")
                if answer.status_code != 200:
                    break
                work.refresh_from_db()
                before = work.revision
        finally:
            cursor.execute("PRAGMA max_page_count=1073741823")
    assert answer.status_code == 507
    assert str(settings.HOME) in answer.content.decode()
    assert "is full" in answer.content.decode()
    assert Composition.objects.get().revision == before
    assert page.do(work, "wood", "part", "1-6", part="a name").status_code == 200


@pytest.mark.sqlite
def test_every_commit_is_on_the_disk(tmp_path):
    """As the workshop itself speaks to its database: 2 is FULL."""
    ask = "from django.db import connection as c; o = c.cursor().execute; "
    ask += "print(*(o(f'PRAGMA {p}').fetchone()[0] for p in ('synchronous', 'journal_mode')))"
    assert Server(tmp_path / "home").manage("shell", "-v", "0", "-c", ask).split() == ["2", "wal"]
