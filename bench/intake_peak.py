"""The highest memory of one reading, in a process of its own: `python -m bench.intake_peak DRAWING` prints MB in all
and bytes above what the program itself takes."""

import re
import sys
from pathlib import Path

import emberquilt.cli  # noqa: F401 - the base is the whole program loaded
from emberquilt.intake.propose import propose
from emberquilt.units import Length


def peak_kb() -> int:
    # not getrusage: its peak is inherited from the process that forked this one
    found = re.search(r"VmHWM:\s*(\d+)", Path("/proc/self/status").read_text())
    assert found is not None
    return int(found[1])


if __name__ == "__main__":
    base_kb = peak_kb()
    propose(Path(sys.argv[1]).read_bytes(), Length(300))
    print(peak_kb() // 1024, (peak_kb() - base_kb) * 1024)
