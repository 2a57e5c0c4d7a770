"""Prints how much of the code is tests: non-blank lines, migrations and vendored files left out."""

import subprocess
from pathlib import Path

ENDINGS = (".py", ".html", ".js", ".css", ".sh")


def lines(path: str) -> int:
    return sum(1 for line in Path(path).read_text(encoding="utf-8").splitlines() if line.strip())


if __name__ == "__main__":
    listed = subprocess.run(
        ["git", "ls-files", "-co", "--exclude-standard"], capture_output=True, text=True, check=False
    )
    files = [
        f
        for f in listed.stdout.splitlines()
        if f.endswith(ENDINGS) and "/vendor/" not in f and "/migrations/" not in f and Path(f).is_file()
    ]
    tests = sum(lines(f) for f in files if f.startswith("tests/"))
    rest = sum(lines(f) for f in files if not f.startswith("tests/"))
    print(f"Tests are {tests / max(tests + rest, 1):.0%} of the code ({tests} of {tests + rest} lines).")
