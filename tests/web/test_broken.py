"""A work that is broken beyond what any verb can do to one spoils no page but its own."""

import pytest
from django.core.management import call_command
from django.utils import timezone

from tests.conftest import composition, grid
from tests.web.test_pages import addresses
from workshop.bench.models import Event
from workshop.compositions import actions, store
from workshop.compositions.models import Composition, DatePlan, Outline
from workshop.shop.actions import add_board, shop_of
from workshop.shop.models import Shop

HOW = {
    "an outline is gone": lambda row: Outline.objects.filter(composition=row, key=2).delete(),
    "an outline is none": lambda row: Outline.objects.filter(composition=row, key=2).update(wkb=b"no outline"),
    "its layers are gone": lambda row: row.layers.all().delete(),
    "a practice that is none": lambda row: Composition.objects.filter(pk=row.pk).update(practice={"unit": ["in"]}),
    "decisions of nothing": lambda row: Composition.objects.filter(pk=row.pk).update(decisions={"saw": {"first": "x"}}),
    "a told of nothing": lambda row: Composition.objects.filter(pk=row.pk).update(told={"station": "moon", "next": 7}),
    "findings of nothing": lambda row: Composition.objects.filter(pk=row.pk).update(intake=[{"x": 1}]),
    "dates of nothing": lambda row: DatePlan.objects.update_or_create(
        composition=row, defaults={"sittings": {"saw": [["x"]]}}
    ),
}


@pytest.fixture
def pair(person, page, client):
    """Two works on one board, planned at once, both with something in the log."""
    add_board(person, "walnut", "C1", "600 mm", "300 mm", "20 mm")
    rows = [actions.create(person, composition(grid(3, 2), "walnut")) for _ in range(2)]
    for row in rows:
        page.do(row, "stock", "lay")
        Event.objects.create(composition=row, part="1", step="saw", what="done", minutes=3, at=timezone.now())
        row.refresh_from_db()
    client.post(f"/picture/{rows[0].uid}/dates/together/", {"work": str(rows[1].uid), "with": "yes"})
    Shop.objects.filter(owner=person).update(
        together=[str(row.uid) for row in rows], calendar_secret="a-secret-address-of-dates"
    )
    return rows


def looked_at(row) -> dict[str, str]:
    """Pages that work out something of their own."""
    wanted = ("shelf", "bench", "year", "price", "keepsake", "forward", "look", "palettes", "shop")
    return {n: a for n, a in addresses(row).items() if n in wanted or n.startswith("station ")}


def forgotten() -> None:
    """As another process finds it."""
    from workshop.compositions import plans

    for kept in (store._coverages, store._compositions, store._in_shop, store._spoken, plans._wholes, plans._plans):
        kept._values.clear()
    plans._at_any_pace._values.clear()


@pytest.mark.parametrize("how", HOW)
def test_pages_of_all_others_are_as_before(client, person, pair, how, tmp_path):
    whole, broken = pair
    HOW[how](broken)
    forgotten()
    for name, address in looked_at(whole).items():
        answer = client.get(address, follow=True)
        assert answer.status_code == 200, (name, answer.status_code)
    for address in (
        "/calendar/a-secret-address-of-dates.ics",
        f"/picture/{whole.uid}/dates/day.pdf",
        f"/picture/{broken.uid}/tag/",
    ):
        assert client.get(address).status_code in (200, 422), address
    assert shop_of(person).boards.count() == 1
    # its own pages end in a sentence, with the ways out
    for name, address in looked_at(broken).items():
        if str(broken.uid) in address:
            answer = client.get(address, follow=True)
            assert answer.status_code in (200, 422, 500), name
            assert b"Traceback" not in answer.content
    (tmp_path / "all").mkdir()
    try:
        call_command("export_all", str(tmp_path / "all"))
    except Exception as problem:
        assert "1" in str(problem)  # noqa: PT017  it says how many could not be written
    assert len(list((tmp_path / "all").rglob("*.ember"))) >= 1
    client.post(f"/picture/{broken.uid}/discard/")
    assert Composition.objects.get() == whole
