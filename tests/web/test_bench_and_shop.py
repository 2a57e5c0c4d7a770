"""Bench cards with their clock, the log and its ratio, the shop, and who may enter."""

import re
import time

import pypdfium2
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import CommandError, call_command
from django.test import override_settings
from django.utils import timezone

from emberquilt.assembly.dryfit import fit_order
from emberquilt.bench.cards import cards
from emberquilt.units import format_minutes
from tests.photos import photo_of
from tests.web.conftest import entry, laid, pocket_in, said, sentence, sync
from workshop.bench import actions as bench
from workshop.bench.kept_log import log_of
from workshop.bench.models import Event
from workshop.compositions.models import Composition
from workshop.compositions.plans import plan_of
from workshop.shop.actions import practice_of, rack_of
from workshop.shop.models import Board


@pytest.fixture
def ready(work, page):
    page.do(work, "wood", "wood", "1-6", wood="walnut")
    page.do(work, "relief", "thickness", "1-6", length="3/4 in")
    work.refresh_from_db()
    return work


def tick(client, row, what="done", card=None, **more):
    """Tick this card, or the one that is due."""
    return sync(client, row, entry(card or due(row), what, **more))


def cards_of(row):
    plan = plan_of(row)
    return cards(plan.job, plan.steps, plan.saw, plan.glue)


def due(row):
    """The first card that is left."""
    left = {mark for step in plan_of(row).left for mark in (map(step.mark, step.parts) if step.each else [step.mark()])}
    return next((card for card in cards_of(row) if left & set(card.marks)), None)


def to_saw(row):
    return [card for card in cards_of(row) if card.step.verb == "saw"]


def words_of(answer) -> str:
    return " ".join(words for _, _, words in answer.json()["answers"])


def test_cards_come_in_order_until_all_is_done(client, ready):
    table = cards_of(ready)
    assert len(table) > 3 * 6
    pocket = pocket_in(client.get(f"/picture/{ready.uid}/bench/"))
    assert [sentence(pocket, row[1]) for row in pocket["cards"]] == [card.title for card in table]
    assert [[sentence(pocket, line) for line in row[2]] for row in pocket["cards"]] == [list(c.lines) for c in table]
    assert [sentence(pocket, row[3]) for row in pocket["cards"]] == [card.caution for card in table]
    for card in table:
        assert due(ready).key == card.key
        tick(client, ready)
    assert due(ready) is None
    assert "all done" in client.get(f"/picture/{ready.uid}/log/").content.decode()


def test_a_broken_piece_is_made_again_with_its_arrow(client, ready):
    first = to_saw(ready)[0]
    tick(client, ready, card=first)
    shaped = next(c for c in cards_of(ready) if c.key == ("shape", first.parts[0]))
    tick(client, ready, "broke", shaped, x=12.5, y=30.25)
    assert (ready.events.last().x_mm, ready.events.last().y_mm) == (12.5, 30.25)
    now = due(ready)
    # its pattern is pasted again, then it is sawn
    assert now.step.verb == "paste"
    assert first.parts[0] in now.parts
    pocket = pocket_in(client.get(f"/picture/{ready.uid}/bench/"))
    lines, _ = pocket["remakes"][pocket["pieces"][first.parts[0]][4]]
    assert "No board was noted for it" in sentence(pocket, lines[0])


def test_in_copies_a_stack_is_ticked_at_once(client, ready, page):
    """Three of it: every part three times; sawn three at once, one cut for all."""
    page.do(ready, "pattern", "copies", count="3")
    ready.refresh_from_db()
    assert len(to_saw(ready)) == 18
    assert to_saw(ready)[1].copy == 2
    page.do(ready, "relief", "thickness", "1-6", length="1/4 in")
    page.do(ready, "saw", "stack_copies", high="3")
    ready.refresh_from_db()
    (first, *rest) = to_saw(ready)
    assert len(rest) == 5
    tick(client, ready, card=first)
    assert sorted(ready.events.values_list("part", flat=True)) == sorted(first.parts)
    assert len(first.parts) == 3
    sync(client, ready, entry(what="undo", of=ready.events.first().client))
    assert not ready.events.exists()


def test_a_clock_left_on_for_a_week_teaches_nothing_false(client, ready):
    """Its tick is kept, its time is not; and what a person says it took is."""
    card, second, third = to_saw(ready)[:3]
    answer = tick(client, ready, card=card, minutes=7 * 24 * 60.0)
    assert "nobody's time at one card" in words_of(answer)
    event = Event.objects.get()
    assert (event.minutes, event.what) == (None, "done")
    for wrong in ("soon", -3, 0, 10**12, True, [4], "NaN"):
        sync(client, ready, entry(what="time", of=event.client, minutes=wrong))
        assert Event.objects.get().minutes is None
    sync(client, ready, entry(what="time", of=event.client, minutes=4))
    assert Event.objects.get().minutes == 4.0
    factor = bench.learned_by(ready.owner).pace.factor("saw", {})
    assert (factor > 1) == (card.base_minutes < 4)
    tick(client, ready, card=second)
    assert Event.objects.latest("id").minutes is None
    tick(client, ready, card=third, minutes=720)
    # even where it is believed, one entry does not multiply every later estimate
    assert bench.learned_by(ready.owner).pace.factor("saw", {}) < 1.9
    assert "no longer in the log" in words_of(sync(client, ready, entry(what="time", of="nobody-1", minutes=4)))


def test_a_tick_without_the_clock_has_no_minutes_and_teaches_nothing(client, ready):
    tick(client, ready)
    assert Event.objects.get().minutes is None
    assert plan_of(ready).composition.pace is None


def test_the_log_corrects_the_next_estimate(client, ready):
    before = plan_of(ready).saw.minutes
    for card in to_saw(ready):
        tick(client, ready, card=card, minutes=1.9 * card.base_minutes)
    pace = bench.learned_by(ready.owner).pace
    ratio = pace.factor("saw", Event.objects.first().made_of)
    assert 1.2 < ratio < 1.95
    assert plan_of(ready).saw.minutes == pytest.approx(before * ratio, rel=0.03)
    text = laid(client.get(f"/picture/{ready.uid}/log/"))
    assert f"× {plan_of(ready).composition.pace.factor('saw', {}):.2f} at the saw" in text
    assert "Walnut" in text
    # what is stored is the estimate before correction, so that the ratio does not feed on itself
    assert to_saw(ready)[0].base_minutes == pytest.approx(Event.objects.first().estimate_minutes, rel=1e-3)


def test_a_tick_can_be_taken_back(client, ready):
    told = entry(due(ready))
    sync(client, ready, told)
    back = entry(what="undo", of=told["id"])
    for _ in range(2):
        assert sync(client, ready, back).status_code == 200
        assert not Event.objects.exists()
    # late, or again, it stays out
    assert sync(client, ready, told).json()["answers"][0][1] == "known"
    assert not Event.objects.exists()
    late = entry(due(ready))
    sync(client, ready, entry(what="undo", of=late["id"]), late)
    assert not Event.objects.exists()
    # what was logged before phones gave names
    old = Event.objects.create(composition=ready, step="saw", part="1", what="done", at=timezone.now())
    sync(client, ready, entry(what="undo", of=f"e{old.pk}"))
    assert not Event.objects.exists()


def test_nothing_else_can_happen_to_a_piece(client, ready):
    good = entry(due(ready))
    for wrong in (
        {"what": "vanished"},
        {"id": "x"},
        {"id": 7},
        {"parts": "1"},
        {"parts": ["<b>"]},
        {"step": ""},
        {"at": "yesterday"},
        {"why": "magic"},
        {"text": "x" * 501},
        {"x": "left"},
        {"what": "undo"},
        {"what": "undo", "of": ""},
        {"what": "time", "of": "'; drop", "minutes": 4},
    ):
        answer = sync(client, ready, good | wrong, "nonsense")
        assert [state for _, state, _ in answer.json()["answers"]] == ["refused", "refused"], wrong
    assert not Event.objects.exists()
    for body in ("", "[]", "{", '{"entries": 5, "now": 1}', '{"entries": [1]}', '{"entries": [], "cursor": [1]}'):
        posted = client.post(f"/picture/{ready.uid}/bench/sync/", body, content_type="application/json")
        assert posted.status_code == 422, body


def test_boards_go_on_and_off_the_rack(client, person, ready):
    client.post(
        "/shop/board/", {"wood": "walnut", "name": "", "length": "24", "width": "8 in", "thickness": "13/16 in"}
    )
    (board,) = rack_of(person).boards
    assert (board.name, board.length_mm, board.width_mm) == ("Wa1", pytest.approx(609.6), pytest.approx(203.2))
    assert plan_of(ready).needs[0].owned_mm2 == pytest.approx(609.6 * 203.2)
    assert "Walnut" in client.get("/").content.decode()
    client.post(f"/shop/board/{board.key}/drop/")
    assert rack_of(person).boards == ()
    assert plan_of(ready).needs[0].owned_mm2 == 0


@pytest.mark.parametrize(
    "values", [{"length": "0"}, {"width": "wide"}, {"thickness": "-1"}, {"length": "90 m"}, {"wood": "unobtainium"}]
)
def test_boards_that_cannot_be(client, person, values):
    good = {"wood": "walnut", "name": "W1", "length": "24 in", "width": "8 in", "thickness": "1 in"}
    response = client.post("/shop/board/", good | values, follow=True)
    assert said(response).endswith(".")
    assert not Board.objects.exists()


def test_practice_is_copied_into_what_is_begun_later(client, person, work):
    client.post("/shop/practice/", {"glue": "epoxy", "stock_mm": "1/2 in", "hours-mon": "9-12"})
    assert (practice_of(person).glue, practice_of(person).stock_mm) == ("epoxy", 12.7)
    assert practice_of(person).hours["mon"] == "9-12"
    assert Composition.objects.get().practice["glue"] == "wood"
    bad = client.post("/shop/practice/", {"glue": "gum", "stock_mm": "3/4 in"}, follow=True)
    assert "no choice" in bad.content.decode()
    assert practice_of(person).stock_mm == 12.7


# who may enter


def test_a_foreign_name_for_this_machine_is_refused(client, db):
    """What a page elsewhere would use to reach a server on loopback: another host name that leads here."""
    assert client.get("/", headers={"Host": "evil.example"}).status_code == 400
    assert client.get("/", headers={"Host": "localhost:8000"}).status_code == 200


@pytest.mark.parametrize("site", ["cross-site", "same-site"])
def test_another_sites_page_may_open_but_not_use_it(client, work, site):
    foreign = {"Sec-Fetch-Site": site}
    assert client.post(f"/picture/{work.uid}/discard/", headers=foreign).status_code == 403
    assert client.get(f"/picture/{work.uid}/shapes.json", headers=foreign).status_code == 403
    assert client.get("/", headers=foreign | {"Sec-Fetch-Mode": "navigate"}).status_code == 200
    assert Composition.objects.exists()


def test_forms_carry_a_token(work):
    from django.test import Client

    strict = Client(enforce_csrf_checks=True)
    assert strict.post(f"/picture/{work.uid}/discard/").status_code == 403
    assert Composition.objects.exists()


def test_only_loopback_enters_without_signing_in(client, work):
    assert client.get("/", REMOTE_ADDR="127.0.0.1").status_code == 200
    assert client.get("/", REMOTE_ADDR="192.168.1.20").status_code == 302


@override_settings(LOCAL_PERSON=False)
def test_bound_elsewhere_everybody_signs_in(client, work, other):
    for address in ("/", f"/picture/{work.uid}/wood/", f"/picture/{work.uid}/shapes.json", "/shop/"):
        response = client.get(address)
        assert (response.status_code, response.url.split("?")[0]) == (302, "/enter/")
    assert client.post("/enter/", {"username": "somebody", "password": "a long enough word"}).url == "/"
    assert client.get("/").status_code == 200


@override_settings(LOCAL_PERSON=False)
def test_guessing_passwords_shuts_the_door(client, other):
    answers = [client.post("/enter/", {"username": "somebody", "password": f"guess {i}"}).status_code for i in range(7)]
    assert answers[-1] == 429
    assert client.post("/enter/", {"username": "somebody", "password": "a long enough word"}).status_code == 429


@override_settings(LOCAL_PERSON=False, BIND="0.0.0.0")
def test_bound_elsewhere_without_accounts_it_does_not_start(person):
    with pytest.raises(CommandError, match="make an account"):
        call_command("serve", port=0)


def test_the_demo_is_loaded_once_and_keeps_what_people_did(person, page):
    call_command("load_demo", verbosity=0)
    koi = Composition.objects.get(name="Two koi")
    assert koi.pieces.exclude(wood="").count() == koi.pieces.count() == 62
    assert len(koi.decisions["relief"]["orders"]) == 14
    assert koi.events.filter(what="done", step="saw").count() == 24
    acorn = Composition.objects.get(name="An acorn")
    assert (acorn.cursor, acorn.pieces.exclude(wood="").count()) == (0, 0)
    assert plan_of(acorn).counts["pattern"] == 0
    light = Composition.objects.get(name="Lighthouse at dusk")
    assert light.layers.count() == 5
    assert plan_of(light).job.copies == 6
    plaque = plan_of(Composition.objects.get(name="House plaque"))
    assert sum(f.code == "floater" for f in plaque.every_finding) == 2
    assert len(set(Composition.objects.get(name="The lantern").pieces.values_list("colour", flat=True))) >= 5
    acorn.delete()
    call_command("load_demo", verbosity=0)
    assert Composition.objects.count() == 10


def test_a_thumb_that_taps_twice_ticks_once(client, ready):
    first = to_saw(ready)[0]
    tick(client, ready, card=first)
    assert "was ticked already, and counts once" in words_of(tick(client, ready, card=first))
    assert Event.objects.count() == 1
    tick(client, ready, "broke", next(c for c in cards_of(ready) if c.key == ("shape", first.parts[0])))
    tick(client, ready, card=first)
    assert Event.objects.filter(what="done").count() == 2


def test_each_phone_hears_what_came_after_it_last_heard(client, ready):
    first, second = to_saw(ready)[:2]
    told = entry(first, phone="phone1", who="Ada", minutes=3)
    cursor = sync(client, ready, told, entry(what="note", text="a <b>note</b>", step="saw")).json()["cursor"]
    assert sync(client, ready, cursor=cursor).json()["events"] == []
    sync(client, ready, entry(second, phone="phone2"))
    heard = sync(client, ready, cursor=cursor).json()
    assert [row[1:4] for row in heard["events"]] == [["done", "saw", second.parts[0]]]
    sync(client, ready, entry(what="undo", of=told["id"], phone="phone2"))
    assert sync(client, ready, cursor=heard["cursor"]).json()["gone"] == [told["id"]]
    pocket = pocket_in(client.get(f"/picture/{ready.uid}/bench/"))
    assert [row[8:] for row in pocket["log"]["events"] if row[1] == "note"] == [["a <b>note</b>"]]
    assert b"<b>note" not in client.get(f"/picture/{ready.uid}/bench/").content
    # a phone whose clock is a day ahead writes no entry of tomorrow
    sync(client, ready, entry(to_saw(ready)[2], at=(time.time() + 86400) * 1000), ahead_s=86400)
    assert abs((Event.objects.latest("id").at - timezone.now()).total_seconds()) < 60


def test_what_was_done_to_a_part_that_broke_elsewhere_is_told(client, ready):
    card = to_saw(ready)[0]
    glue = next(c for c in cards_of(ready) if c.key == ("glue", card.parts[0]))
    sync(client, ready, entry(card, phone="phone1"), entry(card, "broke", phone="phone1", why="chip", who="Ada"))
    told = words_of(sync(client, ready, entry(glue, phone="phone2")))
    assert "ticked after somebody (Ada) had written that the part was a chip off its edge" in told


def test_whatever_people_write_comes_to_the_phone_as_it_is(client, ready, page):
    """Figures in names are no gaps, and no sign that anybody can type stands for one."""
    page.do(ready, "pattern", "part", "1", part="no. 7 1/2 ¤ of 12 </script>")
    pocket = pocket_in(client.get(f"/picture/{ready.uid}/bench/"))
    assert sentence(pocket, pocket["pieces"]["1"][1]).startswith("no. 7 1/2 ¤ of 12 </script>, 3/4 in walnut")


def test_a_photo_is_kept_once_and_seen_in_the_log(client, ready, other):
    outline = plan_of(ready).job.pieces[1].outline
    address = f"/picture/{ready.uid}/bench/photo/"

    def send(**more):
        told = {"id": "phone1-7", "step": "saw", "part": "1"} | more
        return client.post(address, told | {"photo": SimpleUploadedFile("a.jpg", photo_of(outline, (150, 95, 60), 5))})

    assert [send().json()["state"] for _ in range(2)] == ["kept", "known"]
    (kept,) = ready.snapshots.all()
    served = client.get(f"{address}{kept.pk}.jpg")
    assert served.headers["Content-Type"] == "image/jpeg"
    assert f"{address}{kept.pk}.jpg" in client.get(f"/picture/{ready.uid}/log/").content.decode()
    assert send(id="<b>").status_code == 422
    bad = client.post(address, {"id": "phone1-8", "photo": SimpleUploadedFile("a.jpg", b"no picture")})
    assert bad.status_code == 422
    client.force_login(other)
    assert client.get(f"{address}{kept.pk}.jpg").status_code == 404


def test_a_time_is_corrected_in_the_log(client, ready):
    tick(client, ready, card=to_saw(ready)[0], minutes=7 * 24 * 60.0)
    event = ready.events.get()
    assert 'aria-label="Minutes it took"' in laid(client.get(f"/picture/{ready.uid}/log/"))
    address = f"/picture/{ready.uid}/took/"
    for wrong in ("", "soon", "-1", "0", "721", "1e9"):
        assert said(client.post(address, {"event": event.pk, "minutes": wrong}, follow=True)).endswith(".")
        assert ready.events.get().minutes is None
    client.post(address, {"event": event.pk, "minutes": "6.5 min"})
    assert ready.events.get().minutes == 6.5
    assert "no longer in the log" in said(client.post(address, {"event": 4711, "minutes": "5"}, follow=True))


def test_cost_and_price(client, ready, person):
    address = f"/picture/{ready.uid}/price/"
    text = laid(client.get(address))
    assert "Without a price, and not in the sum" in text
    client.post(address, {"wage": "30", "fee_share": "0.1", "margin_share": "0.3", "wood-walnut": "14"})
    assert rack_of(person).shelf["walnut"].price == 14
    assert practice_of(person).wage == 30
    text = laid(client.get(address + "?next=6"))
    assert "selling takes 10%" in text
    assert "left over, 30%" in text
    assert "Walnut" not in text.partition("Without a price")[2].partition("</p>")[0]
    assert "of hands" in text.partition('class="nextprice"')[2]
    for wrong in (
        {"wage": "much"},
        {"wood-walnut": "-3"},
        {"margin_share": "1"},
        {"wage": "40", "wood-walnut": "soon"},
    ):
        said(client.post(address, wrong, follow=True)).endswith(".")
        assert (practice_of(person).wage, rack_of(person).shelf["walnut"].price) == (30, 14)
    assert client.get(address + "?next=900").status_code == 422


def test_the_page_that_goes_with_a_work(client, ready, person):
    """Its story is shown as it was written, the same on the page, as one file, on paper and on a label."""
    address = f"/picture/{ready.uid}/keepsake/"
    card = to_saw(ready)[0]
    tick(client, ready, card=card, minutes=240)
    assert "no furniture spray" in client.get(address).content.decode()
    outline = plan_of(ready).job.pieces[1].outline
    photo = SimpleUploadedFile("a.jpg", photo_of(outline, (150, 95, 60), 5))
    client.post(f"/picture/{ready.uid}/bench/photo/", {"id": "phone1-7", "photo": photo})
    told = {"story": "For <the> canal.\r\nIn two winters.", "maker": "Tinder Lane", "care": "Dust it.\n\nNo sun."}
    client.post(address, told | {"shot": str(ready.snapshots.get().pk)})
    text = laid(client.get(address))
    assert "For &lt;the&gt; canal.<br>In two winters." in text
    assert "as it was made" in text
    one = client.get(address + "html").content.decode()
    assert "For &lt;the&gt; canal.\nIn two winters." in one
    assert one.count("data:image/jpeg;base64,") == 3
    assert not re.search(r"(src|href)=.(?!data:)", one)
    assert "Walnut<br>100 %" in one
    words = {}
    for kind in ("pdf", "label"):
        document = pypdfium2.PdfDocument(client.get(address + kind).content)
        words[kind] = " ".join(" ".join(page.get_textpage().get_text_bounded() for page in document).split())
        assert "Tinder Lane" in words[kind]
        assert "Walnut" in words[kind]
    assert "In two winters." in words["pdf"]
    for wrong in ({"shot": "x"}, {"shot": "99999999999999999999999"}):
        assert client.post(address, told | wrong).status_code == 422
    assert client.post(address, {"shot": "4711"}).status_code == 302
    assert client.get(address + "exe").status_code == 404


def test_the_year_is_drawn_from_the_log(client, ready, person):
    assert "Nothing was ticked" in client.get("/year/").content.decode()
    for card in cards_of(ready):
        tick(client, ready, card=card, minutes=30)
    text = laid(client.get("/year/"))
    assert "1 work, 1 finished" in text
    assert "Woods sawn: Walnut" in text
    took = format_minutes(30 * len(cards_of(ready)))
    assert re.search(rf"A test</a><span>.*?, took {took}</span>", text)
    hours = 30 * len(cards_of(ready)) / 60
    assert f">{hours:.0f} h</text>" in text
    assert "Nothing was ticked" in client.get("/year/?year=1999").content.decode()
    for wrong in ("x", "12345", "-1"):
        assert client.get(f"/year/?year={wrong}").status_code == 422


# fitting, finding and mending


def test_a_seam_is_told_with_a_thumb(client, ready):
    page = client.get(f"/picture/{ready.uid}/bench/fit/").content.decode()
    assert "It fits" in page
    order = fit_order(plan_of(ready).job, plan_of(ready).glue)
    first = order[0]

    def say(what: str, **more):
        ready.refresh_from_db()
        values = {"what": what, "seam": str(first.order), "revision": str(ready.revision)} | more
        return client.post(f"/picture/{ready.uid}/bench/fit/", values, follow=True)

    page = say("tight", mm="0.4 mm").content.decode()
    assert "Sand" in page
    ready.refresh_from_db()
    (fit,) = plan_of(ready).composition.decisions.assembly.fits
    assert (fit.found, fit.mm) == ("tight", 0.4)
    # a page that is out of date changes nothing, and says so
    stale = client.post(
        f"/picture/{ready.uid}/bench/fit/", {"what": "ok", "seam": str(first.order), "revision": "0"}, follow=True
    )
    assert "another window" in stale.content.decode()
    sand = re.search(r'name="sand" value="(\d+)"', page)[1]
    page = say("sanded", sand=sand, mm="0.4 mm").content.decode()
    assert f'name="seam" value="{first.order + 1}"' in page
    ready.refresh_from_db()
    (fit,) = plan_of(ready).composition.decisions.assembly.fits
    assert (fit.found, fit.sanded, fit.off_mm) == ("ok", int(sand), 0.4)
    assert client.get(f"/picture/{ready.uid}/bench/fit/?seam=9999").status_code == 422
    assert client.get(f"/picture/{ready.uid}/bench/fit/?copy=7").status_code == 422


def test_a_part_is_found_by_its_photo_and_by_its_number(client, ready):
    job = plan_of(ready).job
    part = next(iter(job.pieces.values()))
    photo = SimpleUploadedFile("part.jpg", photo_of(part.outline, (150, 95, 60), 1), "image/jpeg")
    page = client.post(f"/picture/{ready.uid}/bench/which/", {"photo": photo})
    assert page.status_code == 200
    assert f"Piece {part.number} as it lies" in page.content.decode()
    assert "has the number" in client.get(f"/picture/{ready.uid}/bench/which/?number=4711").content.decode()
    nothing = SimpleUploadedFile("part.jpg", photo_of(part.outline, None, 1), "image/jpeg")
    page = client.post(f"/picture/{ready.uid}/bench/which/", {"photo": nothing})
    assert (page.status_code, "No part stands out" in page.content.decode()) == (422, True)
    assert client.post(f"/picture/{ready.uid}/bench/which/", {}).status_code == 422


def test_what_broke_is_mended_or_made_again_and_the_log_says_why(client, ready):
    card = next(c for c in cards_of(ready) if c.step.verb == "shape")
    pocket = pocket_in(client.get(f"/picture/{ready.uid}/bench/"))
    mends = {how: (what, sentence(pocket, why)) for how, what, why, _ in pocket["mends"][pocket["pieces"]["1"][3]]}
    assert mends["along"][0] == "glue"
    assert mends["crumbled"] == ("remake", "splinters do not close")
    tick(client, ready, "mended", card, why="along")
    assert Event.objects.get().what == "mended"
    # what is mended is not sawn again
    assert due(ready).step.verb == "paste"
    tick(client, ready, "broke", card, why="wrong")
    assert client.get(f"/picture/{ready.uid}/print/?pack=ready&parts={card.key[1]}").status_code == 200
    assert "the wrong wood, way or face" in client.get(f"/picture/{ready.uid}/log/").content.decode()
    # it travels with the project file
    assert [entry.get("why") for entry in log_of(ready)] == ["along", "wrong"]
