"""A PostgreSQL server of the tests' own, from Debian's package, in a folder that goes away with it."""

import contextlib
import os
import pwd
import shutil
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


@contextlib.contextmanager
def postgres() -> Iterator[str]:
    """Its address, to whose user everything is allowed; without waiting for the disk."""
    folder = Path(tempfile.mkdtemp(prefix="emberquilt-postgres-"))
    who = _somebody() if os.geteuid() == 0 else None
    as_who = {"user": who.pw_uid, "group": who.pw_gid, "extra_groups": []} if who else {}
    if who:
        os.chown(folder, who.pw_uid, who.pw_gid)
    port, data = free_port(), folder / "data"
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "cwd": folder}
    start = ["initdb", "-D", data, "-U", "ember", "--auth=trust", "--encoding=UTF8", "--locale=C.UTF-8", "--no-sync"]
    subprocess.run([PROGRAMS / start[0], *start[1:]], check=True, **quiet, **as_who)
    options = ["-h", "127.0.0.1", "-p", str(port), "-k", folder, "-F", "-c", "full_page_writes=off"]
    server = subprocess.Popen([PROGRAMS / "postgres", "-D", data, *options], **quiet, **as_who)
    try:
        for _ in range(300):
            ready = [PROGRAMS / "pg_isready", "-q", "-h", "127.0.0.1", "-p", str(port)]
            if subprocess.run(ready, check=False).returncode == 0:
                break
            assert server.poll() is None, "PostgreSQL did not start"
            time.sleep(0.1)
        yield f"postgresql://ember@127.0.0.1:{port}/postgres"
    finally:
        # at once: what it holds is thrown away
        server.send_signal(3)
        server.wait(20)
        shutil.rmtree(folder, ignore_errors=True)


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
    with postgres() as address:
        here = [sys.executable, "-m", "pytest", "-p", "no:cacheprovider"]
        env = os.environ | {"EMBERQUILT_DATABASE": address}
        given = sys.argv[1:] or ["-n", "2", "--dist", "loadfile", "tests/web"]
        code = subprocess.run([*here, "-m", "not sqlite and not postgres", *given], env=env, check=False).returncode
    both = subprocess.run([*here, "-m", "postgres", "tests/web/test_postgres.py"], check=False).returncode
    return code or both


if __name__ == "__main__":
    sys.exit(main())
