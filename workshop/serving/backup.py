"""Everything that is kept, in one file: made while the workshop is served, checked, and brought back.

A backup is a ZIP with the whole database as SQLite writes it, and a list of what it holds. The database is of the very
state of migrations it was in, so that it can be made before an upgrade and read by any later version. What is of one
server and one day alone (sessions, wrong tries at the door, turns of long work) is left out: after a restore everybody
signs in again.
"""

import datetime as dt
import hashlib
import json
import os
import sqlite3
import tempfile
import zipfile
import zlib
from collections.abc import Iterable
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from django.conf import settings
from django.core.management import call_command
from django.db import connection, connections
from django.db.migrations.executor import MigrationExecutor
from django.db.migrations.recorder import MigrationRecorder

from emberquilt import __version__
from emberquilt.errors import EmberError
from workshop.private import DATABASE

FORMAT, VERSION = "emberquilt-backup", 1
LIST, ROWS = "backup.json", "workshop.sqlite3"
PASSING = (
    "django_session",
    "entry_knock",
    "entry_signedin",
    "entry_onetimekey",
    "longwork_turn",
    "longwork_worker",
)
"""Tables that are of one server and one day."""
PIECE = 1 << 20
UNSOUND = (
    zipfile.BadZipFile,
    zlib.error,
    sqlite3.Error,
    KeyError,
    ValueError,
    TypeError,
    AttributeError,
    EOFError,
    NotImplementedError,
    RuntimeError,
)
"""What a damaged file raises when it is read."""


class BadBackup(EmberError):
    """A file that is no backup, or cannot be brought back here; in a sentence."""


@dataclass(frozen=True)
class Made:
    """What a backup holds."""

    path: Path
    works: int
    accounts: int
    bytes: int


def backup(path: Path) -> Made:
    """Write a backup of what is kept at this moment, and look at it again. Raises `BadBackup`, `OSError`."""
    if path.exists():
        raise BadBackup(f"{path} is there already. Choose another name, or take that one away first.")
    if path.parent != Path() and not path.parent.is_dir():
        raise BadBackup(f"There is no folder {path.parent}.")
    if not MigrationRecorder(connection).applied_migrations():
        raise BadBackup(f"Nothing is kept in {settings.HOME} yet.")
    part = path.with_name(path.name + ".part")
    with tempfile.TemporaryDirectory(prefix=".ember-backup-", dir=path.parent) as folder:
        copy = Path(folder) / ROWS
        _copy(copy)
        with closing(sqlite3.connect(copy)) as rows:
            told = _told(rows)
        told |= {"bytes": copy.stat().st_size, "sha256": _sum(copy)}
        try:
            fd = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
            with os.fdopen(fd, "wb") as file:
                with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as archive:
                    archive.writestr(LIST, json.dumps(told, indent=1))
                    archive.write(copy, ROWS)
                file.flush()
                os.fsync(file.fileno())
            made = checked(part)
            os.replace(part, path)
        finally:
            part.unlink(missing_ok=True)
    return Made(path, made.works, made.accounts, path.stat().st_size)


def _copy(copy: Path) -> None:
    """All rows as they stand at one moment, without what passes."""
    if connection.vendor == "sqlite":
        with closing(sqlite3.connect(settings.HOME / DATABASE)) as source, closing(sqlite3.connect(copy)) as target:
            # a page at a time would begin anew with every edit; at once it does not keep writers waiting
            source.backup(target)
    else:
        from .rows import to_sqlite

        to_sqlite(copy)
    with closing(sqlite3.connect(copy)) as rows:
        there = {name for (name,) in rows.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
        for table in PASSING:
            if table in there:
                rows.execute(f"DELETE FROM {table}")  # noqa: S608  names of our own
        rows.commit()
        rows.execute("PRAGMA journal_mode = DELETE")
        rows.execute("VACUUM")


def _told(rows: sqlite3.Connection) -> dict:
    migrations = sorted(rows.execute("SELECT app, name FROM django_migrations").fetchall())
    return {
        "format": FORMAT,
        "version": VERSION,
        "program": __version__,
        "made": dt.datetime.now(dt.UTC).isoformat(timespec="seconds"),
        "works": _count(rows, "compositions_composition"),
        "accounts": _count(rows, "auth_user"),
        "migrations": [list(one) for one in migrations],
    }


def _count(rows: sqlite3.Connection, table: str) -> int:
    return int(rows.execute(f"SELECT count(*) FROM {table}").fetchone()[0])  # noqa: S608  names of our own


def _sum(path: Path) -> str:
    told = hashlib.sha256()
    with open(path, "rb") as file:
        while piece := file.read(PIECE):
            told.update(piece)
    return told.hexdigest()


def checked(path: Path) -> Made:
    """Read a backup through: that it is one, whole, and sound. Raises `BadBackup`."""
    with tempfile.TemporaryDirectory(prefix="ember-check-", dir=path.parent) as folder:
        told = unpacked(path, Path(folder) / ROWS)
    return Made(path, told["works"], told["accounts"], path.stat().st_size)


def unpacked(path: Path, to: Path) -> dict:
    """The database of a backup, put there, and what its list says. Raises `BadBackup`."""
    try:
        with zipfile.ZipFile(path) as archive:
            told = json.loads(archive.read(LIST))
            if told.get("format") != FORMAT:
                raise BadBackup(f"{path} is no backup of Ember Quilt.")
            if told["version"] > VERSION:
                raise BadBackup(f"{path} was made by a newer Ember Quilt ({told['program']}). Bring this one up to it.")
            with archive.open(ROWS) as source, open(to, "wb") as target:
                os.chmod(to, 0o600)
                left = int(told["bytes"])
                while piece := source.read(min(PIECE, left + 1)):
                    left -= len(piece)
                    if left < 0:
                        raise BadBackup(f"{path} is damaged: it holds more than its list says.")
                    target.write(piece)
        if _sum(to) != told["sha256"]:
            raise BadBackup(f"{path} is damaged: what it holds is not what was written.")
        with closing(sqlite3.connect(to)) as rows:
            sound = rows.execute("PRAGMA quick_check").fetchone()[0]
            if sound != "ok" or _count(rows, "compositions_composition") != told["works"]:
                raise BadBackup(f"{path} is damaged: its database is not sound.")
    except FileNotFoundError:
        raise BadBackup(f"There is no file {path}.") from None
    except UNSOUND as problem:
        raise BadBackup(f"{path} is no whole backup of Ember Quilt: it is damaged, or something else.") from problem
    return told


def restore(path: Path) -> Made:
    """Put what a backup holds in the place of all that is kept now, which is kept aside as a backup itself. The folder
    must be held, so that no server runs on it. Raises `BadBackup`; then nothing is changed."""
    new = settings.HOME / f"{DATABASE}.restoring"
    try:
        told = unpacked(path, new)
        _refuse_newer(told)
        aside(f"before-restore-{_now()}")
        if connection.vendor == "sqlite":
            # what lies beside the database is part of it until it is written there
            with connection.cursor() as cursor:
                cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
            connections.close_all()
            for companion in ("-wal", "-shm"):
                (settings.HOME / f"{DATABASE}{companion}").unlink(missing_ok=True)
            os.replace(new, settings.HOME / DATABASE)
            _on_disk(settings.HOME)
        else:
            from .rows import from_sqlite

            from_sqlite(new, told["migrations"])
    finally:
        new.unlink(missing_ok=True)
    for kept in (settings.HOME / "worked-out").glob("*"):
        kept.unlink(missing_ok=True)
    call_command("migrate", verbosity=0)
    return Made(path, told["works"], told["accounts"], path.stat().st_size)


def _refuse_newer(told: dict) -> None:
    known = set(MigrationExecutor(connection).loader.disk_migrations)
    replaced = {one for m in MigrationExecutor(connection).loader.disk_migrations.values() for one in m.replaces}
    ours = {app for app, _ in known}
    newer = [f"{app} {name}" for app, name in map(tuple, told["migrations"]) if app in ours]
    newer = [one for one in newer if tuple(one.split(" ", 1)) not in known | replaced]
    if newer:
        raise BadBackup(
            f"This backup was made by a newer Ember Quilt ({told['program']}, {newer[-1]}), and cannot be brought back "
            f"by {__version__}. Bring the program up to it first. Nothing was changed."
        )


def _on_disk(folder: Path) -> None:
    """That a file was put in the place of another is on the disk, too."""
    if os.name != "nt":
        fd = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(fd)
        finally:
            os.close(fd)


def _now() -> str:
    return dt.datetime.now().strftime("%Y-%m-%d-%H%M%S")


def folder() -> Path:
    """Where backups are that are made without being asked for."""
    settings.BACKUPS.mkdir(parents=True, exist_ok=True, mode=0o700)
    return settings.BACKUPS


def aside(name: str) -> Made | None:
    """A backup of what is kept now, where there is anything."""
    if not MigrationRecorder(connection).applied_migrations():
        return None
    return backup(folder() / f"{name}.zip")


def brought_up_to_date() -> Made | None:
    """The database in the state of this code, after a backup where that changes it."""
    executor = MigrationExecutor(connection)
    made = None
    if executor.loader.applied_migrations and executor.migration_plan(executor.loader.graph.leaf_nodes()):
        made = aside(f"before-upgrade-{_now()}")
    call_command("migrate", verbosity=0)
    return made


NIGHTLY = "nightly-"


def nightly(now: dt.datetime) -> Made | None:
    """The backup of a night, from three o'clock on or whenever the workshop is served next; those of older days than
    are to be kept go. None where there is one already, or none is wanted."""
    if not settings.NIGHTLY_DAYS or now.hour < 3:
        return None
    today = folder() / f"{NIGHTLY}{now:%Y-%m-%d}.zip"
    if today.exists():
        return None
    made = backup(today)
    for old in _older(folder().glob(f"{NIGHTLY}*.zip"), now.date() - dt.timedelta(days=settings.NIGHTLY_DAYS)):
        old.unlink(missing_ok=True)
    return made


def newest() -> dt.datetime | None:
    """When the latest backup of a night was made; None where there is none."""
    made = [path.stat().st_mtime for path in folder().glob(f"{NIGHTLY}*.zip")]
    return dt.datetime.fromtimestamp(max(made), dt.UTC) if made else None


def _older(paths: Iterable[Path], day: dt.date) -> list[Path]:
    return [path for path in paths if path.stem.removeprefix(NIGHTLY) <= day.isoformat()]
