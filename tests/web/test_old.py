"""Files and databases that earlier versions wrote, kept in `tests/old`: they open, and undo works back through them."""

import json
import os
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest

from emberquilt.formats.project import read_planned, write_project
from emberquilt.work.composition import Placement
from tests.walks import open_everything

OLD = Path(__file__).parents[1] / "old"
VERSIONS = (1, 2, 3)

pytestmark = pytest.mark.sqlite


@pytest.mark.parametrize("version", VERSIONS)
def test_a_project_file_of_every_version_is_read_and_planned(version):
    """Twelve squares on which everything was decided that its time knew. 7 was to be sawn first and is gone since:
    that is said, and not kept."""
    project = read_planned((OLD / f"version-{version}.ember").read_bytes())
    work = project.composition
    decided = work.decisions
    assert decided.assembly.anchors == (6,)
    assert decided.saw.first == (8,)
    assert [lost.station for lost in decided.whole.lost] == ["saw"]
    assert decided.calendar.start == "2026-12-01"
    assert decided.whole.accepted == {"too-small:3": "sawn on a carrier board"}
    assert [(event["part"], event["step"]) for event in project.log][:2] == [("7", "saw"), ("8", "saw")]
    if version == 3:
        assert decided.pattern.mirrored
        assert decided.wood.together == ("fin",)
        assert [pack.woods for pack in decided.wood.packs] == [("walnut", "maple")]
        assert decided.wood.look.from_deg == 45
        assert [kept.name for kept in decided.wood.palettes] == ["First"]
        assert work.placements["2"] == Placement("W1", 120.0, 50.0)
    open_everything(work)
    assert json.loads(json.dumps(read_planned(write_project(project)).composition.decisions.as_dict())) == json.loads(
        json.dumps(decided.as_dict())
    )


@pytest.mark.parametrize("version", VERSIONS)
def test_a_database_of_every_version_opens_and_undo_works_back_through_it(version, tmp_path):
    with zipfile.ZipFile(OLD / f"version-{version}.sqlite3.zip") as archive:
        archive.extractall(tmp_path)
    script = Path(__file__).parent / "open_old.py"
    environment = os.environ | {"EMBERQUILT_HOME": str(tmp_path)}
    done = subprocess.run([sys.executable, script], env=environment, capture_output=True, text=True, timeout=300)
    assert done.returncode == 0, done.stderr[-3000:]
    squares, sheets = json.loads(done.stdout.splitlines()[-1])
    assert squares["pages"] == sheets["pages"] == [200]
    assert squares["same"]
    assert sheets["same"]
    # from the last edit back to the very first
    assert squares["undone"] == (27 if version == 3 else 16)
    assert (squares["pieces"], sheets["pieces"]) == (12, 12)
    assert squares["bare"] == [{}, {}, [""] * 12]
    assert squares["decisions"]["assembly"] == {"anchors": [6]}
    assert squares["events"] == ["7", "8", "8", "8"]
    if version == 3:
        assert squares["placements"]["2"] == "W1"
        assert "flows" in squares["decisions"]["wood"]
    assert sheets["undone"] == 5
