"""Edits through the page: transactions, the journal, two tabs, and how little one edit writes."""

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from emberquilt.keys import keys_in, runs
from tests.web.conftest import said
from workshop.compositions import actions, store
from workshop.compositions.journal import pack, unpack
from workshop.compositions.models import Composition, Entry


def state(row: Composition):
    """Everything that an edit could change."""
    row = Composition.objects.get(pk=row.pk)
    return (
        list(row.pieces.values_list("key", "wood", "grain_deg", "thickness_mm", "shim_mm", "part")),
        row.name,
        row.practice,
        row.decisions,
        list(row.placements.values_list("part", "board", "x_mm")),
    )


STEPS = [
    ("wood", "wood", "1-6", {"wood": "walnut"}),
    ("wood", "wood", "2,4", {"wood": "holly"}),
    ("wood", "grain", "2", {"deg": "45"}),
    ("wood", "turn", "1-3", {"by": "-15"}),
    ("relief", "thickness", "1-6", {"length": "3/4 in"}),
    ("relief", "lift", "5", {"by_mm": "3"}),
    ("pattern", "part", "1,2", {"part": "left fin"}),
    ("saw", "saw_first", "6", {}),
    ("assembly", "anchor", "3", {}),
    ("wood", "accept", "", {"finding": "melts:1,3", "reason": "one body"}),
    ("calendar", "practice", "", {"hours-mon": "9-12", "hours-sat": "10-16"}),
    ("wood", "rename", "", {"name": "A pear"}),
]


def test_every_edit_can_be_undone_and_made_again_without_limit(client, work, page):
    seen = [state(work)]
    for station, verb, pieces, values in STEPS:
        assert page.do(work, station, verb, pieces, **values).status_code == 200
        assert state(work) != seen[-1], verb
        seen.append(state(work))
    for expected in reversed(seen[:-1]):
        work.refresh_from_db()
        assert page.post(f"/picture/{work.uid}/undo/wood/", revision=work.revision).status_code == 200
        assert state(work) == expected
    work.refresh_from_db()
    page.post(f"/picture/{work.uid}/undo/wood/", revision=work.revision)
    assert state(work) == seen[0]
    for expected in seen[1:]:
        work.refresh_from_db()
        page.post(f"/picture/{work.uid}/redo/wood/", revision=work.revision)
        assert state(work) == expected


def test_the_journal_survives_a_restart(work, page):
    """Nothing that undo needs is kept in the process: fresh caches, same answer."""
    page.do(work, "wood", "wood", "1", wood="walnut")
    store._compositions._values.clear()
    store._coverages._values.clear()
    row = Composition.objects.get(pk=work.pk)
    assert actions.undo(row, row.revision).made.label == "wood of 1"
    assert state(row)[0][0][1] == ""


def test_a_new_edit_forgets_what_was_undone(work, page):
    page.do(work, "wood", "wood", "1", wood="walnut")
    work.refresh_from_db()
    actions.undo(work, work.revision)
    page.do(work, "wood", "wood", "2", wood="holly")
    work.refresh_from_db()
    assert actions.redo(work, work.revision).made is None
    assert [e.label for e in work.entries.all()] == ["wood of 2"]


def test_two_tabs_never_overwrite_each_other_silently(client, work, page):
    work.refresh_from_db()
    old = work.revision
    page.do(work, "wood", "wood", "1", wood="walnut")
    before = state(work)
    late = page.post(f"/picture/{work.uid}/wood/do/", verb="wood", pieces="1", wood="holly", revision=old)
    assert late.status_code == 409
    assert "another window (wood of 1)" in said(late)
    assert state(work) == before
    work.refresh_from_db()
    assert f'name="revision" value="{work.revision}"' in late.content.decode()
    assert page.post(f"/picture/{work.uid}/undo/wood/", revision=old).status_code == 409
    assert state(work) == before


BAD = [
    ("wood", "1", {"wood": "unobtainium"}, "no wood called"),
    ("wood", "", {"wood": "walnut"}, "Choose a piece"),
    ("wood", "77", {"wood": "walnut"}, "no longer"),
    ("wood", "1-", {"wood": "walnut"}, "could not be read"),
    ("wood", "a;b", {"wood": "walnut"}, "could not be read"),
    ("wood", "1-999999999", {"wood": "walnut"}, "could not be read"),
    ("grain", "1", {"deg": "up"}, "not a number"),
    ("thickness", "1", {"length": "thick"}, "not a length"),
    ("practice", "", {"hours-mon": "late"}, "no span of time"),
    ("juggle", "1", {}, "no verb"),
]


@pytest.mark.parametrize(("verb", "pieces", "values", "words"), BAD)
def test_bad_edits_say_so_and_change_nothing(client, work, page, verb, pieces, values, words):
    before = state(work)
    response = page.do(work, "wood", verb, pieces, **values)
    assert response.status_code == 422
    assert response.headers["HX-Retarget"] == "#said"
    assert words in said(response)
    assert state(work) == before
    assert not Entry.objects.exists()
    plain = client.post(
        f"/picture/{work.uid}/wood/do/", {"verb": verb, "pieces": pieces, "revision": work.revision} | values
    )
    assert plain.status_code == 422
    assert words in said(plain)


def test_an_edit_without_a_state_is_refused(client, work):
    assert (
        client.post(f"/picture/{work.uid}/wood/do/", {"verb": "wood", "pieces": "1", "wood": "walnut"}).status_code
        == 422
    )


def test_without_scripts_an_edit_leads_back_to_the_page(client, work):
    response = client.post(
        f"/picture/{work.uid}/wood/do/", {"verb": "wood", "pieces": "1", "wood": "walnut", "revision": work.revision}
    )
    assert (response.status_code, response.url) == (302, f"/picture/{work.uid}/wood/?pieces=1")


def test_a_failure_half_way_leaves_nothing(work, monkeypatch):
    """The journal entry is written first; when the pieces cannot be, it goes too."""
    before = state(work)
    monkeypatch.setattr(Composition, "save", lambda *a, **k: (_ for _ in ()).throw(RuntimeError("power cut")))
    with pytest.raises(RuntimeError):
        actions.perform(work, work.revision, "wood", [1, 2], {"wood": "walnut"})
    assert state(work) == before
    assert not Entry.objects.exists()


@pytest.mark.parametrize("keys", [[1], [5, 1, 2, 3, 9], list(range(1, 400)), [2, 4, 6]])
def test_runs_of_keys_come_back(keys):
    assert keys_in(runs(keys)) == sorted(keys)


def test_changes_are_packed_by_value():
    changes = {k: {"wood": "walnut" if k % 2 else "holly", "shim_mm": 1.5} for k in range(1, 5001)}
    packed = pack(changes)
    assert unpack(packed) == changes
    assert packed["shim_mm"] == [[1.5, "1-5000"]]
    with pytest.raises(ValueError):
        keys_in("5-1")


@pytest.mark.sqlite
def test_one_edit_of_a_5000_piece_picture_writes_under_50_kb(tmp_path):
    """Measured on a real database file in a process of its own: every page that one edit adds to the write-ahead
    log."""
    script = Path(__file__).parent / "edit_size.py"
    done = subprocess.run(
        [sys.executable, script],
        env=os.environ | {"EMBERQUILT_HOME": str(tmp_path)},
        capture_output=True,
        text=True,
        timeout=300,
    )
    assert done.returncode == 0, done.stderr
    written = json.loads(done.stdout)
    assert written["pieces"] > 4900
    for count in ("1", "40", "undo", "split"):
        assert 0 < written[count] < 50_000, written


def test_a_practice_is_changed_where_it_acts(client, work, page):
    page.do(work, "wood", "wood", "1-6", wood="walnut")
    page.do(work, "relief", "thickness", "1-6", length="3/4 in")
    before = client.get(f"/picture/{work.uid}/saw/?pieces=1").content.decode()
    assert "how it is done here" in before
    assert "<b>No. 7</b>" in before
    changed = page.do(work, "saw", "practice", "1", blade_school="one", one_blade="3")
    assert "<b>No. 3</b>" in changed.content.decode()
    bad = page.do(work, "saw", "practice", "1", hold_mm="a thumb")
    assert (bad.status_code, "not a length" in said(bad)) == (422, True)
