"""The workshop as its own process, with its worker, for tests of what happens between processes."""

import fcntl
import hashlib
import http.client
import http.cookiejar
import os
import shutil
import socket
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
import uuid
from pathlib import Path
from urllib.parse import urlencode, urlsplit

import pytest

HERE = Path(__file__).parents[1]
PASSWORD = "a-canal-in-the-evening-7"
needs_proc = pytest.mark.skipif(not Path("/proc/self/environ").exists(), reason="looks for processes in /proc")


def free_port() -> int:
    with socket.socket() as held:
        held.bind(("127.0.0.1", 0))
        return held.getsockname()[1]


READY = Path(tempfile.gettempdir()) / f"emberquilt-ready-{os.getuid()}"


def ready_home() -> Path:
    """A folder as a first start leaves it, made once for all tests of this state of the code: all migrations and all
    static files take half of a start."""
    told = hashlib.sha256()
    for path in sorted(p for p in (HERE / "workshop").rglob("*") if "migrations" in p.parts or "static" in p.parts):
        if path.is_file() and path.suffix != ".pyc":
            told.update(f"{path} {path.stat().st_size} {path.stat().st_mtime_ns}".encode())
    READY.mkdir(mode=0o700, exist_ok=True)
    home = READY / told.hexdigest()[:16]
    with open(READY / "lock", "w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not home.exists():
            making = READY / "making"
            shutil.rmtree(making, ignore_errors=True)
            program = "from django.core.management import call_command as call; call('migrate', verbosity=0); "
            program += "from workshop.statics import gather; gather()"
            env = {"EMBERQUILT_HOME": str(making), "DJANGO_SETTINGS_MODULE": "workshop.settings"}
            whole = f"import django; django.setup(); {program}"
            subprocess.run([sys.executable, "-c", whole], cwd=HERE, env=os.environ | env, check=True)
            (making / "secret-key").unlink()
            making.rename(home)
    return home


class Server:
    """The workshop as its own process, as `run.py serve` starts it; in a folder that is made ready where it is none
    yet, or as it is on a `fresh` machine."""

    def __init__(self, home: Path, fresh: bool = False, **env: str):
        ready = not fresh and not home.exists()
        if ready:
            shutil.copytree(ready_home(), home)
        self.port = free_port()
        self.env = (
            os.environ
            | {"EMBERQUILT_HOME": str(home), "PORT": str(self.port), "DJANGO_SETTINGS_MODULE": "workshop.settings"}
            | env
        )
        self.process: subprocess.Popen | None = None
        address = os.environ.get("EMBERQUILT_DATABASE", "")
        if address and "EMBERQUILT_DATABASE" not in env:
            # where all tests run on another server, each folder has a database of its own there
            from tests.postgres import database

            name = "home_" + hashlib.sha256(str(home).encode()).hexdigest()[:16]
            self.env["EMBERQUILT_DATABASE"] = database(address, name)
            if ready:
                self.manage("migrate", "-v", "0")

    def manage(self, *words: str, check: bool = True) -> str:
        """What a command says; also what it says where it fails, if it need not succeed."""
        done = subprocess.run(
            [sys.executable, "manage.py", *words], cwd=HERE, env=self.env, capture_output=True, text=True, check=check
        )
        return done.stdout + ("" if check else done.stderr)

    @property
    def base(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def with_accounts(self, *names: str) -> "Server":
        """Everybody signs in, with `PASSWORD`."""
        self.env["EMBERQUILT_ORIGIN"] = self.base
        made = "".join(f"users().objects.create_user({name!r}, password={PASSWORD!r}); " for name in names)
        self.manage("shell", "-v", "0", "-c", f"from django.contrib.auth import get_user_model as users; {made}")
        return self

    def start(self) -> subprocess.Popen:
        # run.py without its setup, which this environment has had
        program = f"import run; run.setup = lambda: None; run.PYTHON = {sys.executable!r}; run.serve()"
        said = {"stdout": subprocess.PIPE, "stderr": subprocess.STDOUT, "text": True}
        self.process = subprocess.Popen([sys.executable, "-c", program], cwd=HERE, env=self.env, **said)
        return self.process

    def wait_until_up(self) -> None:
        for _ in range(1200):
            assert self.process.poll() is None, self.process.stdout.read()
            try:
                socket.create_connection(("127.0.0.1", self.port), 1).close()
                return
            except OSError:
                time.sleep(0.1)
        raise AssertionError("the server did not come up")

    def ask(self, method: str, path: str, body: str = "", **headers: str):
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=20)
        connection.request(method, path, body, {name.replace("_", "-"): value for name, value in headers.items()})
        answer = connection.getresponse()
        return answer, answer.read().decode()

    def workers(self) -> list[int]:
        """Processes that look after long work."""
        return self._running("ember-worker")

    def under_way(self) -> list[int]:
        """Processes that do long work."""
        return self._running("ember-task")

    def web(self) -> list[int]:
        """Processes that answer."""
        return self._running("ember-web")

    def _running(self, name: str) -> list[int]:
        found = []
        for folder in Path("/proc").glob("[0-9]*"):
            try:
                comm, env = (folder / "comm").read_text().strip(), (folder / "environ").read_bytes()
            except OSError:
                continue
            if comm == name and self.env["EMBERQUILT_HOME"].encode() in env:
                found.append(int(folder.name))
        return found

    def gone(self) -> bool:
        """Whether port and worker are free again, within a few seconds."""
        for _ in range(100):
            taken = True
            try:
                socket.create_connection(("127.0.0.1", self.port), 1).close()
            except OSError:
                taken = False
            if not taken and not self.workers():
                return True
            time.sleep(0.1)
        return False

    def end(self) -> None:
        if self.process is not None and self.process.poll() is None:
            self.process.kill()
            self.process.wait(10)


class Visitor:
    """Somebody at a browser that keeps cookies, from an address of their own on this computer."""

    def __init__(self, base: str, name: str = ""):
        self.base, self.name = base, name
        self.jar = http.cookiejar.CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))

    def ask(self, path: str, form=None, files=None, htmx: bool = False, **headers: str) -> tuple[int, str, str]:
        """Status, words and last address of the answer; sent as a form where one is given."""
        sent = {"Referer": self.base + "/", "Accept-Encoding": "identity"} | headers
        if htmx:
            sent["HX-Request"] = "true"
        data = None
        if form is not None or files:
            token = next((c.value for c in self.jar if c.name == "csrftoken"), "") or ""
            data, sent["Content-Type"] = encoded((form or {}) | {"csrfmiddlewaretoken": token}, files or {})
        try:
            with self.opener.open(urllib.request.Request(self.base + path, data, sent), timeout=60) as answer:
                return answer.status, answer.read().decode("utf-8", "replace"), answer.url
        except urllib.error.HTTPError as refused:
            return refused.code, refused.read().decode("utf-8", "replace"), refused.url
        except (OSError, http.client.HTTPException) as problem:
            # nobody answers, or no longer
            return 0, str(problem), path

    def enter(self, password: str) -> int:
        self.ask("/enter/")
        return self.ask("/enter/", {"username": self.name, "password": password})[0]

    def bring(self, name: str, data: bytes, **form: str) -> str:
        """A file for the shelf; the path that is shown then."""
        self.ask("/")
        _, _, url = self.ask("/bring/", {"width": "9 in"} | form, {"drawing": (name, data)})
        return urlsplit(url).path

    def read(self, path: str, seconds: float = 60.0) -> float:
        """Wait until a draft is read, for at most so long; how long it took."""
        begun = time.monotonic()
        while time.monotonic() - begun < seconds:
            if 'hx-trigger="every' not in self.ask(path, htmx=True)[1]:
                return time.monotonic() - begun
            time.sleep(0.05)
        raise AssertionError(f"{path} was not read within {seconds:.0f} s")


def encoded(form: dict[str, str], files: dict[str, tuple[str, bytes]]) -> tuple[bytes, str]:
    """A form as it is sent, and its content type."""
    if not files:
        return urlencode(form).encode(), "application/x-www-form-urlencoded"
    mark = uuid.uuid4().hex
    parts = [f'--{mark}\r\nContent-Disposition: form-data; name="{n}"\r\n\r\n{v}\r\n'.encode() for n, v in form.items()]
    for field, (name, data) in files.items():
        head = f'--{mark}\r\nContent-Disposition: form-data; name="{field}"; filename="{name}"\r\n\r\n'
        parts.append(head.encode() + data + b"\r\n")
    return b"".join(parts) + f"--{mark}--\r\n".encode(), f"multipart/form-data; boundary={mark}"
