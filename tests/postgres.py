"""A PostgreSQL server of the tests' own, from Debian's package, in a folder that goes away with it."""

import contextlib
import os
import pwd
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from tests.served import free_port

PROGRAMS = next(iter(sorted(Path("/usr/lib/postgresql").glob("*/bin"), reverse=True)), None)


def available() -> bool:
    return PROGRAMS is not None and (os.geteuid() != 0 or _somebody() is not None)


def _somebody() -> pwd.struct_passwd | None:
    """It refuses to be run by root."""
    with contextlib.suppress(KeyError):
        return pwd.getpwnam("postgres")
    return None


class Postgres:
    """A server in a folder of its own in `where`, without waiting for the disk; to its user everything is allowed."""

    def __init__(self, where: Path | None = None):
        self.folder = Path(tempfile.mkdtemp(prefix="emberquilt-postgres-", dir=where))
        who = _somebody() if os.geteuid() == 0 else None
        self.how = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "cwd": self.folder}
        if who:
            os.chown(self.folder, who.pw_uid, who.pw_gid)
            self.how |= {"user": who.pw_uid, "group": who.pw_gid, "extra_groups": []}
        self.port = free_port()
        words = ["-U", "ember", "--auth=trust", "--encoding=UTF8", "--locale=C.UTF-8", "--no-sync"]
        subprocess.run([PROGRAMS / "initdb", "-D", self.folder / "data", *words], check=True, **self.how)
        self.address = f"postgresql://ember@127.0.0.1:{self.port}/postgres"

    def start(self) -> None:
        options = ["-h", "127.0.0.1", "-p", str(self.port), "-k", self.folder, "-F", "-c", "full_page_writes=off"]
        self.server = subprocess.Popen([PROGRAMS / "postgres", "-D", self.folder / "data", *options], **self.how)
        for _ in range(300):
            ready = [PROGRAMS / "pg_isready", "-q", "-h", "127.0.0.1", "-p", str(self.port)]
            if subprocess.run(ready, check=False).returncode == 0:
                return
            assert self.server.poll() is None, "PostgreSQL did not start"
            time.sleep(0.1)

    def end(self) -> None:
        """At once, whoever is connected."""
        self.server.send_signal(signal.SIGQUIT)
        self.server.wait(20)


@contextlib.contextmanager
def postgres(where: Path | None = None) -> Iterator[Postgres]:
    """A server that goes away with all it holds."""
    one = Postgres(where)
    try:
        one.start()
        yield one
    finally:
        one.end()
        shutil.rmtree(one.folder, ignore_errors=True)


def database(address: str, name: str) -> str:
    """The address of the database of this name on that server; an empty one is made where there is none."""
    import psycopg

    with psycopg.connect(address, autocommit=True) as connection:
        known = connection.execute("SELECT 1 FROM pg_database WHERE datname = %s", (name,)).fetchone()
        if not known:
            connection.execute(f'CREATE DATABASE "{name}"')
    return address.rsplit("/", 1)[0] + f"/{name}"


def main() -> int:
    """The tests of the workshop on it, then those of the two kinds together."""
    if not available():
        print("PostgreSQL is not installed: “apt-get install postgresql” brings it.")
        return 1
    with postgres() as one:
        here = [sys.executable, "-m", "pytest", "-p", "no:cacheprovider"]
        env = os.environ | {"EMBERQUILT_DATABASE": one.address}
        given = sys.argv[1:] or ["-n", "2", "--dist", "loadfile", "tests/web"]
        code = subprocess.run([*here, "-m", "not sqlite and not postgres", *given], env=env, check=False).returncode
    both = subprocess.run([*here, "-m", "postgres", "tests/web/test_postgres.py"], check=False).returncode
    return code or both


if __name__ == "__main__":
    sys.exit(main())
