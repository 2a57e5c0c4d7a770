"""Server time of station pages and of an edit's round trip, by size; and what an edit writes."""

import itertools
import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from bench.conftest import median_ms, tell
from emberquilt.outline.coverage import Coverage
from emberquilt.work.composition import Composition, Layer, Piece
from emberquilt.work.parts import job_of
from tests.conftest import cells, edited
from workshop.compositions import actions, store
from workshop.compositions.plans import _plans
from workshop.entry.person import local_person

STATIONS = ("pattern", "wood", "relief", "stock", "saw", "assembly", "calendar", "bench", "log")
TARGET = {60: "target <= 0.43 jobs", 500: "target <= 0.6 jobs", 5000: ""}


def forget() -> None:
    """What a server that was just started does not know yet."""
    for kept in (store._compositions, store._coverages, store._in_shop, _plans):
        kept._values.clear()


def tell_pages(client, uid, size: int, name: str, target: str, first: str = "") -> None:
    for station in STATIONS:
        address = f"/picture/{uid}/{station}/" + ("" if station == "bench" else "?pieces=1")
        time_ms = median_ms(lambda a=address: client.get(a), 5)
        tell(f"{name} {station}, {size}", f"{time_ms:.0f} ms", target, (f"{name} {station}", size, time_ms))

    def after_a_restart():
        forget()
        client.get(f"/picture/{uid}/wood/")

    time_ms = median_ms(after_a_restart, 3, 0)
    tell(f"{name} wood, {size}, first after a restart", f"{time_ms:.0f} ms", first, (f"first {name}", size, time_ms))

    def with_counts():
        after_a_restart()
        client.get(f"/picture/{uid}/wood/rule")

    time_ms = median_ms(with_counts, 3, 0)
    tell(f"and what is left at every station, {size}", f"{time_ms:.0f} ms", "", (f"all left, {name}", size, time_ms))


@pytest.mark.parametrize("work", [60, 500, 5000], indirect=True, ids=str)
def test_station_pages(client, work, request):
    size = int(request.node.callspec.id)
    tell_pages(client, work.uid, size, "station page", TARGET[size], "target <= 3 jobs at 500")


def test_pages_of_eight_layers(client, db):
    """Seven overlays of fifty pieces over a mosaic, every seam crossing others, in four copies."""
    woods = ("walnut", "holly", "padauk", "maple")
    layers, key = [], 0
    for number in range(1, 9):
        coverage = cells(50, number, 600, 400)
        keys = range(key + 1, key + 1 + len(coverage))
        pieces = tuple(Piece(k, k, woods[k % 4], 30.0 * number) for k in keys)
        kind = "mosaic" if number == 1 else "overlay"
        layers.append(Layer(number, f"Layer {number}", kind, Coverage(keys, coverage.outlines), pieces, 6.0))
        key = keys[-1]
    work = Composition("Eight", 600, 400, tuple(layers))
    work = edited(work, "copies", count="4")
    row = actions.create(local_person(), work)
    tell_pages(client, row.uid, len(job_of(work).of_one), "eight layers", "target <= 0.8 jobs at 400 parts")


def test_what_an_edit_writes(tmp_path):
    """Measured in a process of its own, on a database with its write-ahead log."""
    script = Path(__file__).parents[1] / "tests" / "web" / "edit_size.py"
    environment = os.environ | {"EMBERQUILT_HOME": str(tmp_path)}
    for size in (500, 5000):
        done = subprocess.run([sys.executable, script, str(size)], env=environment, capture_output=True, check=True)
        written = json.loads(done.stdout)["40"] / 1024
        target = "target < 50 KB at 500"
        tell(f"wood to 40 of {size} pieces writes", f"{written:.0f} KB", target)


@pytest.mark.parametrize("work", [60, 500, 5000], indirect=True, ids=str)
def test_giving_a_wood_to_forty_pieces(client, work, request):
    size = int(request.node.callspec.id)
    woods = itertools.cycle(["ebony", "aspen"])

    def give():
        work.refresh_from_db()
        values = {"verb": "wood", "wood": next(woods), "pieces": "1-40", "revision": work.revision}
        assert client.post(f"/picture/{work.uid}/wood/do/", values, headers={"HX-Request": "true"}).status_code == 200

    time_ms = median_ms(give)
    tell(
        f"wood to 40 of {size} pieces, round trip",
        f"{time_ms:.0f} ms",
        "target <= 1.0 job at 500",
        ("edit", size, time_ms),
    )


# a real transaction: what an edit has made is remembered when it is committed
@pytest.mark.django_db(transaction=True)
@pytest.mark.parametrize("work", [500, 5000], indirect=True, ids=str)
def test_splitting_and_joining(client, work, request):
    size = int(request.node.callspec.id)
    target = {500: "target <= 150 ms", 5000: "target <= 500 ms"}[size]
    client.get(f"/picture/{work.uid}/pattern/")
    keys = itertools.count(20, 9)

    def send(verb: str, pieces: str, **values) -> None:
        work.refresh_from_db()
        values |= {"verb": verb, "pieces": pieces, "revision": work.revision, "view": "1", "show": "numbers"}
        answer = client.post(f"/picture/{work.uid}/pattern/do/", values, headers={"HX-Request": "true"})
        assert answer.status_code == 200

    def split() -> None:
        key = next(keys)
        spot = store.load(work).usual_layer.coverage.spots[key]
        send(
            "split",
            str(key),
            points=f"[[{spot.x_mm - 0.5},{spot.y_mm}],[{spot.x_mm + 0.5},{spot.y_mm + 0.2}]]",
            snap="0.1",
        )

    def join() -> None:
        key = next(keys)
        near = store.load(work).usual_layer.coverage.neighbours[key]
        beside = max(near, key=lambda k: near[k].length_mm)
        send("join", f"{key},{beside}")

    for name, act in (("split", split), ("join", join)):
        time_ms = median_ms(act)
        tell(f"{name} in {size} pieces, round trip", f"{time_ms:.0f} ms", target, (name, size, time_ms))
