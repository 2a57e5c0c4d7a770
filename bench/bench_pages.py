"""Server time of station pages and of an edit's round trip, by size."""

import itertools

import pytest

from bench.conftest import median_ms, tell
from workshop.compositions import store
from workshop.compositions.plans import _plans

STATIONS = ("pattern", "wood", "relief", "stock", "saw", "assembly", "calendar", "log")
TARGET = {60: "target <= 80 ms", 500: "target <= 250 ms", 2000: ""}


@pytest.mark.parametrize("work", [60, 500, 2000], indirect=True, ids=str)
def test_station_pages(client, work, request):
    size = int(request.node.callspec.id)
    for station in STATIONS:
        address = f"/picture/{work.uid}/{station}/?pieces=1"
        time_ms = median_ms(lambda a=address: client.get(a))
        name = f"station page {station}"
        tell(f"{name}, {size} pieces, as it stands", f"{time_ms:.0f} ms", TARGET[size], (name, size, time_ms))

    def after_a_restart():
        for kept in (store._compositions, store._coverages, store._in_shop, _plans):
            kept._values.clear()
        client.get(f"/picture/{work.uid}/wood/")

    time_ms = median_ms(after_a_restart, 3, 0)
    tell(
        f"station page wood, {size} pieces, first after a restart",
        f"{time_ms:.0f} ms",
        "",
        ("first page", size, time_ms),
    )


@pytest.mark.parametrize("work", [500, 2000], indirect=True, ids=str)
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
        "target <= 120 ms at 500",
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
