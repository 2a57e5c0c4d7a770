#!/usr/bin/env python3
"""Runs Ember Quilt with nothing but Python 3.11: python3 run.py demo. `make` calls this file."""

import hashlib
import os
import shutil
import subprocess
import sys
from pathlib import Path

HERE = Path(__file__).resolve().parent
VENV = HERE / ".venv"
BIN = VENV / ("Scripts" if os.name == "nt" else "bin")
PYTHON = BIN / ("python.exe" if os.name == "nt" else "python")
PORT = os.environ.get("PORT", "8000")


def call(*command: object, check: bool = True, **env: str) -> int:
    done = subprocess.run([str(c) for c in command], cwd=HERE, env=os.environ | env)
    if check and done.returncode:
        sys.exit(done.returncode)
    return done.returncode


def setup(lock: str = "requirements.lock") -> None:
    """The environment, from the lock file; nothing is done when it is up to date."""
    if sys.version_info < (3, 11):  # noqa: UP036  a newcomer may start it with an older Python
        sys.exit("Ember Quilt needs Python 3.11 or newer; this is " + sys.version.split()[0] + ".")
    stamp = VENV / f".installed-{Path(lock).stem}"
    wanted = hashlib.sha256((HERE / lock).read_bytes() + (HERE / "pyproject.toml").read_bytes()).hexdigest()
    if stamp.exists() and stamp.read_text() == wanted:
        return
    if not PYTHON.exists():
        print("Making the environment in .venv ...", flush=True)
        call(sys.executable, "-m", "venv", VENV)
    print("Installing what it needs, once ...", flush=True)
    pip = (PYTHON, "-m", "pip", "--disable-pip-version-check", "install", "-q")
    call(*pip, "--require-hashes", "-r", lock)
    call(*pip, "--no-deps", "-e", ".")
    stamp.write_text(wanted)


def data_folder() -> dict[str, str]:
    return {"EMBERQUILT_HOME": os.environ.get("EMBERQUILT_HOME") or str(HERE / ".data")}


def become(*command: object, **env: str) -> None:
    """Go on as that program: what is sent to this process, a stop too, is then sent to it, and its exit code is
    ours."""
    os.chdir(HERE)
    words = [str(c) for c in command]
    if os.name == "nt":
        call(*words, **env)
    else:
        sys.stdout.flush()
        os.execve(words[0], words, os.environ | env)  # noqa: S606  our own program, in place of this one


def demo() -> None:
    setup()
    become(PYTHON, "manage.py", "serve", "--demo", "--port", PORT, **data_folder())


def serve() -> None:
    setup()
    become(PYTHON, "manage.py", "serve", "--port", PORT, **data_folder())


def backup() -> None:
    """Everything that is kept in one file: python3 run.py backup FILE."""
    _with_file("backup", "FILE")


def restore() -> None:
    """What a backup holds in the place of what is kept now: python3 run.py restore FILE."""
    _with_file("restore", "FILE")


def export_all() -> None:
    """Every work as a project file: python3 run.py export-all FOLDER."""
    _with_file("export_all", "FOLDER")


def _with_file(command: str, what: str) -> None:
    if len(sys.argv) != 3:
        sys.exit(f"usage: python3 run.py {command.replace('_', '-')} {what}")
    setup()
    # from wherever it was called
    call(PYTHON, "manage.py", command, Path(sys.argv[2]).expanduser().absolute(), **data_folder())


def account() -> None:
    """An account for a workshop that others reach: python3 run.py account NAME [--reset|--close]."""
    setup()
    if len(sys.argv) < 3:
        sys.exit("usage: python3 run.py account NAME [--reset|--close]")
    call(PYTHON, "manage.py", "account", *sys.argv[2:], **data_folder())


def debian(package: str) -> None:
    """A package of Debian's, where one may be installed."""
    if shutil.which("apt-get") and hasattr(os, "geteuid") and os.geteuid() == 0:
        call("apt-get", "update", "-qq", check=False)
        words = ("apt-get", "install", "-y", "-qq", "--no-install-recommends", package)
        call(*words, check=False, DEBIAN_FRONTEND="noninteractive")


def browser() -> None:
    """Chromium for the browser tests; Debian's package, where it is missing and may be installed."""
    if shutil.which("chromium") or Path("/usr/bin/chromium").exists():
        return
    debian("chromium")
    if not Path("/usr/bin/chromium").exists():
        sys.exit(
            "The browser tests need Chromium at /usr/bin/chromium: install it with “sudo apt-get install chromium”."
        )


def lint() -> None:
    setup("requirements-dev.lock")
    call(BIN / "ruff", "check", ".")
    call(BIN / "ruff", "format", "--check", ".")
    call(BIN / "mypy")
    call(BIN / "lint-imports")


def test() -> None:
    """Lint, types, import contracts, every test, and the share of tests in the code."""
    lint()
    browser()
    # a file goes to one process whole, which has a browser and a database of its own; long files first
    spread = ("-n", str(min(os.cpu_count() or 1, 4)), "--dist", "loadfile", "--no-loadscope-reorder")
    call(PYTHON, "-m", "pytest", *spread, *sys.argv[2:])
    call(PYTHON, "tools/share_of_tests.py")


def test_postgres() -> None:
    """The workshop's tests with a PostgreSQL server in the place of a file, and of backups between the two; Debian's
    postgresql is installed where it is missing and may be."""
    setup("requirements-dev.lock")
    if not list(Path("/usr/lib/postgresql").glob("*/bin/initdb")):
        debian("postgresql")
    call(PYTHON, "-m", "tests.postgres", *sys.argv[2:])


def bench() -> None:
    setup("requirements-dev.lock")
    browser()
    call(
        PYTHON, "-m", "pytest", "bench", "-o", "python_files=bench_*.py", "-p", "no:cacheprovider", "-s", *sys.argv[2:]
    )


def screenshots() -> None:
    setup("requirements-dev.lock")
    browser()
    call(PYTHON, "tools/make_screenshots.py")


COMMANDS = {
    f.__name__.replace("_", "-"): f
    for f in (setup, demo, serve, account, backup, restore, export_all, test, test_postgres, bench, screenshots, lint)
}

if __name__ == "__main__":
    name = sys.argv[1] if len(sys.argv) > 1 else ""
    if name not in COMMANDS:
        sys.exit("usage: python3 run.py " + "|".join(COMMANDS))
    try:
        COMMANDS[name]()
    except KeyboardInterrupt:
        sys.exit(130)
