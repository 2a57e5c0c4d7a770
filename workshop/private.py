"""The data folder is its owner's alone: nobody else on this computer reads drawings, passwords or the secret key."""

import contextlib
import os
from pathlib import Path

DATABASE = "workshop.sqlite3"
SECRET = "secret-key"  # noqa: S105  a file's name


def keep_private(home: Path) -> None:
    """Folder 0700, database with its companions and key 0600, also where an earlier version made them readable for all.

    The database is made here, so that SQLite finds it with these rights and gives its companions the same.
    """
    home.mkdir(parents=True, exist_ok=True, mode=0o700)
    with contextlib.suppress(FileExistsError):
        os.close(os.open(home / DATABASE, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600))
    # a folder that belongs to somebody else cannot be closed by us
    with contextlib.suppress(PermissionError):
        home.chmod(0o700)
        for file in (*home.glob(f"{DATABASE}*"), *home.glob(SECRET)):
            file.chmod(0o600)
