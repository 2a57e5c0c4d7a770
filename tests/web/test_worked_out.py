"""What was worked out for a work is kept beside the database: the same as if it were worked out again, or not at all;
and a work whose pages find no end is tried no more."""

import gc
import queue
import time
import weakref

import pytest
from django.core.handlers.wsgi import WSGIHandler
from django.test import RequestFactory

from emberquilt import packing
from emberquilt.plan import Plan
from workshop.compositions import plans, store, worked_out
from workshop.compositions.models import Composition
from workshop.compositions.plans import keep_whole, plan_of
from workshop.kept import Kept
from workshop.serving import watch
from workshop.shop.actions import add_board
from workshop.stations.told import tell_afresh, tell_endless

keep_soon = worked_out.keep


@pytest.fixture(autouse=True)
def folder(tmp_path, monkeypatch):
    monkeypatch.setattr(worked_out, "FOLDER", tmp_path)
    monkeypatch.setattr(
        worked_out, "keep", lambda row, key, plan: worked_out.write(row.uid, worked_out._mark(key), plan)
    )
    forgotten()
    return tmp_path


def forgotten() -> None:
    """As after a start."""
    for kept in (
        store._coverages,
        store._compositions,
        store._in_shop,
        plans._wholes,
        plans._plans,
        plans._at_any_pace,
    ):
        kept._values.clear()


def whole_of(row: Composition) -> Plan:
    plan = plan_of(Composition.objects.get(pk=row.pk))
    return plan.base or plan


def counted(row: Composition) -> dict[str, int]:
    return plan_of(Composition.objects.get(pk=row.pk)).counts


@pytest.fixture
def kept(work, page, folder):
    """A work with woods, worked out and kept."""
    page.do(work, "wood", "wood", "1-6", wood="walnut")
    work.refresh_from_db()
    _ = plan_of(work).counts
    keep_whole(work, plan_of(work))
    return work


def test_another_process_finds_it_and_it_says_the_same(kept):
    before, findings = counted(kept), [f.id for f in plan_of(kept).every_finding]
    forgotten()
    whole = whole_of(kept)
    assert {"saw", "steps", "glue", "_of_station"} <= whole.__dict__.keys()
    assert whole.composition.layers[0].coverage._of_each
    assert counted(kept) == before
    forgotten()
    for file in worked_out.FOLDER.iterdir():
        file.unlink()
    assert counted(kept) == before
    assert [f.id for f in plan_of(kept).every_finding] == findings


def test_it_is_kept_too_where_parts_lie_on_boards(kept, page, person):
    add_board(person, "walnut", "W1", "600 mm", "150 mm", "20 mm")
    add_board(person, "holly", "H1", "600 mm", "150 mm", "20 mm")
    page.do(kept, "stock", "lay")
    kept.refresh_from_db()
    plan = plan_of(kept)
    assert plan.composition.placements
    assert any(room.section for room in plan.saw.rooms.values())
    before = [f.id for f in plan.every_finding], [(cut.part, cut.minutes, cut.length_mm) for cut in plan.saw.cuts]
    assert plan.pocket
    keep_whole(kept, plan)
    forgotten()
    whole = whole_of(kept)
    assert {"saw", "pocket"} <= whole.__dict__.keys()
    assert (
        [f.id for f in whole.every_finding],
        [(cut.part, cut.minutes, cut.length_mm) for cut in whole.saw.cuts],
    ) == before


def test_what_changes_again_at_once_is_written_once(kept, settings, monkeypatch):
    settings.KEEP_WORKED_OUT = True
    written = queue.Queue()
    monkeypatch.setattr(worked_out, "write", lambda uid, mark, plan: written.put((uid, mark)))
    plan = whole_of(kept)
    for state in range(5):
        keep_soon(kept, ("state", state), plan)
    assert written.get(timeout=60) == (kept.uid, worked_out._mark(("state", 4)))
    # the same is not written again; what is worked out further is
    keep_soon(kept, ("state", 4), plan)
    assert plan.job.once("something else", lambda: 5) == 5
    keep_soon(kept, ("state", 4), plan)
    assert written.get(timeout=60)[0] == kept.uid
    time.sleep(2 * worked_out.SOON_SECONDS)
    assert written.empty()


def test_a_work_that_is_forgotten_leaves_memory_at_once(kept, client):
    """Without anybody looking for what is held in circles: twenty people would fill the memory with it."""
    handler = WSGIHandler()
    plan = weakref.ref(whole_of(kept))
    gc.collect()
    gc.disable()
    try:
        for station in ("pattern", "wood", "relief", "stock", "saw", "assembly", "calendar", "log"):
            request = RequestFactory().get(f"/picture/{kept.uid}/{station}/")
            request.COOKIES = {name: morsel.value for name, morsel in client.cookies.items()}
            assert b'id="dress"' in handler.get_response(request).content
        assert plan() is not None
        forgotten()
        assert plan() is None
    finally:
        gc.enable()


def test_an_edit_goes_on_from_what_is_known_of_the_outlines(kept, page):
    forgotten()
    answer = page.do(kept, "wood", "wood", "2", wood="holly")
    assert answer.status_code == 200
    forgotten()
    # no plan of this state is kept, but the outlines are those that were kept
    kept.refresh_from_db()
    for file in worked_out.FOLDER.iterdir():
        data = file.read_bytes()
    assert worked_out._opened(data) is not None
    assert store.as_kept(kept).layers[0].coverage._of_each


@pytest.mark.parametrize("at", [0, 40, 70, 500, -1])
def test_what_was_changed_on_the_way_is_not_read(kept, at, monkeypatch):
    (file,) = worked_out.FOLDER.iterdir()
    data = bytearray(file.read_bytes())
    data[at] ^= 1
    file.write_bytes(data)
    monkeypatch.setattr(worked_out, "unpacked", lambda data: pytest.fail("it was read"))
    forgotten()
    assert not plan_of(Composition.objects.get(pk=kept.pk)).base.__dict__.get("saw")


def test_what_other_code_worked_out_is_not_read(kept, monkeypatch):
    """Neither the plan nor what it knew of outlines: the rules may be others by now."""
    monkeypatch.setattr(worked_out, "stamp", lambda: b"x" * 32)
    monkeypatch.setattr(worked_out, "unpacked", lambda data: pytest.fail("it was read"))
    forgotten()
    assert not store.as_kept(Composition.objects.get(pk=kept.pk)).layers[0].coverage._of_each
    assert "saw" not in whole_of(kept).__dict__


def test_the_stamp_is_of_the_code_and_its_tables(tmp_path, monkeypatch):
    (tmp_path / "data").mkdir()
    monkeypatch.setattr(packing, "__file__", str(tmp_path / "packing.py"))
    stamps = []
    for name, text in (("rule.py", "a = 1"), ("rule.py", "a = 2"), ("data/woods.csv", "code"), ("notes.txt", "x")):
        (tmp_path / name).write_text(text)
        packing.stamp.cache_clear()
        stamps.append(packing.stamp())
    packing.stamp.cache_clear()
    assert [len(one) for one in stamps] == [worked_out.HASH] * 4
    assert len(set(stamps)) == 3
    assert stamps[2] == stamps[3]


def test_the_oldest_go_where_there_is_no_room(folder):
    import os

    for i in range(5):
        (folder / f"{i}.plan").write_bytes(b"x" * 100)
        os.utime(folder / f"{i}.plan", (i, i))
    worked_out.make_room(250)
    assert sorted(p.name for p in folder.iterdir()) == ["3.plan", "4.plan"]


def test_a_work_that_is_thrown_away_leaves_nothing(kept, client):
    assert list(worked_out.FOLDER.iterdir())
    client.post(f"/picture/{kept.uid}/discard/")
    assert not list(worked_out.FOLDER.iterdir())


# pages without an end


class Ended(Exception):
    pass


def ends(status: int) -> None:
    raise Ended(status)


def test_a_page_without_an_end_ends_its_process_and_is_tried_no_more(kept, client, page, monkeypatch):
    path = f"/picture/{kept.uid}/saw/"
    monkeypatch.setattr(watch, "_under_way", {1: (watch.time.monotonic() - 121, "GET", path)})
    monkeypatch.setattr(watch.os, "_exit", ends)
    with pytest.raises(Ended, match="3"):
        watch.look()
    monkeypatch.setattr(plans, "_make", lambda *asked: pytest.fail("it was tried again"))
    forgotten()
    for file in worked_out.FOLDER.iterdir():
        file.unlink()
    for _ in range(2):
        # however often, and on the shelf as well
        answer = client.get(path)
        assert answer.status_code == 422
        assert "could not be planned in the time" in answer.content.decode()
        assert client.get(f"/picture/{kept.uid}/tag/").status_code == 200
        assert client.get("/").status_code == 200
    # the ways out: trying once more, undo, the file, throwing it away
    assert "try it once more" in client.get("/").content.decode()
    monkeypatch.undo()
    assert client.post(f"/picture/{kept.uid}/once-more/").status_code == 302
    assert client.get(path).status_code == 200
    tell_endless(str(kept.uid))
    assert client.get(path).status_code == 422
    kept.refresh_from_db()
    assert client.get(f"/picture/{kept.uid}/out/project").status_code == 200
    assert page.post(f"/picture/{kept.uid}/undo/saw/", revision=kept.revision).status_code == 200
    assert client.get(path).status_code == 200


def test_what_takes_its_time_is_left_alone(kept, monkeypatch):
    monkeypatch.setattr(watch, "_under_way", {1: (watch.time.monotonic() - 60, "GET", f"/picture/{kept.uid}/saw/")})
    monkeypatch.setattr(watch.os, "_exit", ends)
    watch.look()
    tell_endless("00000000-0000-0000-0000-000000000000")
    assert not tell_afresh(Composition.objects.get(pk=kept.pk), kept.owner.shop).get("broken")


def test_a_few_heavy_values_are_kept_and_many_light_ones():
    kept = Kept(10, len, 100)
    for i in range(20):
        kept.keep(i, "x")
    assert [i for i in range(20) if kept.known(i)] == list(range(10, 20))
    kept.keep("large", "x" * 60)
    kept.keep("larger", "x" * 70)
    assert kept.known("large") is None
    assert kept.known("larger")
    # the last one stays, whatever it weighs
    kept.keep("huge", "x" * 1000)
    assert kept.known("huge")
    assert kept.known("larger") is None
    kept.keep("light", "x")
    assert kept.known("light")
    assert kept.known("huge") is None
