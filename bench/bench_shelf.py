"""The shelf by how many works stand on it, with 500 pieces in each, and by the queries it asks."""

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from bench.conftest import median_ms, tell
from tests.conftest import cells, composition
from workshop.compositions import actions, store
from workshop.compositions.models import Composition
from workshop.compositions.plans import _plans
from workshop.entry.person import local_person
from workshop.shop.actions import shop_of
from workshop.stations.told import tell_afresh


@pytest.mark.django_db
@pytest.mark.parametrize("count", [5, 24, 200])
def test_the_shelf(client, count):
    person = local_person()
    work = composition(cells(500, 1, 900, 600), {k: ("walnut", "holly", "padauk")[k % 3] for k in range(1, 600)})
    row = actions.create(person, work)
    told = tell_afresh(row, shop_of(person))
    Composition.objects.filter(pk=row.pk).update(told=told)
    # the shelf reads rows and what they tell, never pieces: more rows that tell the same stand for more works
    rows = [
        Composition(owner=person, name=f"Work {i}", width_mm=900, height_mm=600, practice=row.practice, told=told)
        for i in range(1, count)
    ]
    Composition.objects.bulk_create(rows)

    def cold():
        for kept in (store._compositions, store._coverages, store._in_shop, _plans):
            kept._values.clear()
        assert client.get("/").status_code == 200

    time_ms = median_ms(cold)
    with CaptureQueriesContext(connection) as asked:
        client.get("/")
    tell(
        f"shelf of {count} works, {len(asked)} queries",
        f"{time_ms:.0f} ms",
        "target <= 2 jobs at 200",
        ("shelf", count, time_ms),
    )
    time_ms = median_ms(lambda: client.get("/?find=work+19"))
    tell(f"a work found by name among {count}", f"{time_ms:.0f} ms", "", ("find by name", count, time_ms))
