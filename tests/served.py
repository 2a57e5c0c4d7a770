"""The workshop as its own process, with its worker, for tests of what happens between processes."""

import http.client
import os
import socket
import subprocess
import sys
import time
from pathlib import Path

import pytest

HERE = Path(__file__).parents[1]
needs_proc = pytest.mark.skipif(not Path("/proc/self/environ").exists(), reason="looks for processes in /proc")


def free_port() -> int:
    with socket.socket() as held:
        held.bind(("127.0.0.1", 0))
        return held.getsockname()[1]


class Server:
    """The workshop as its own process, as `run.py serve` starts it."""

    def __init__(self, home: Path, **env: str):
        self.port = free_port()
        self.env = (
            os.environ
            | {"EMBERQUILT_HOME": str(home), "PORT": str(self.port), "DJANGO_SETTINGS_MODULE": "workshop.settings"}
            | env
        )
        self.process: subprocess.Popen | None = None

    def manage(self, *words: str) -> str:
        done = subprocess.run(
            [sys.executable, "manage.py", *words], cwd=HERE, env=self.env, capture_output=True, text=True, check=True
        )
        return done.stdout

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
        return self._running(b"worker\0--tied")

    def readers(self) -> list[int]:
        """Processes that read drawings, and the one they come from."""
        return self._running(b"multiprocessing.forkserver")

    def _running(self, what: bytes) -> list[int]:
        found = []
        for folder in Path("/proc").glob("[0-9]*"):
            try:
                words, env = (folder / "cmdline").read_bytes(), (folder / "environ").read_bytes()
            except OSError:
                continue
            if what in words and self.env["EMBERQUILT_HOME"].encode() in env:
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
