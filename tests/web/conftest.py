import itertools
import json
import re
import time

import pytest
from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile

from tests.conftest import composition, grid
from workshop.compositions import actions
from workshop.entry.person import local_person


@pytest.fixture
def person(db):
    """The person at this computer."""
    return local_person()


@pytest.fixture
def other(db):
    return get_user_model().objects.create_user("somebody", password="a long enough word")


@pytest.fixture
def work(person):
    """Six squares without woods."""
    bare = composition(grid(3, 2), {}, grain_deg=None, thickness_mm=None)
    return actions.create(person, bare, "drawing.svg", b"<svg/>")


@pytest.fixture
def page(client):
    """Asks for pages as htmx does."""

    class Page:
        def do(self, row, station, verb, pieces="", **values):
            row.refresh_from_db()
            data = {"verb": verb, "pieces": pieces, "revision": row.revision} | values
            return client.post(f"/picture/{row.uid}/{station}/do/", data, headers={"HX-Request": "true"})

        def post(self, url, **data):
            return client.post(url, data, headers={"HX-Request": "true"})

    return Page()


def upload(data: bytes, name: str = "drawing.svg") -> SimpleUploadedFile:
    return SimpleUploadedFile(name, data)


def laid(response) -> str:
    """A page as a browser lays it out: how its source is broken into lines does not count."""
    return re.sub(r"\s*([<>])\s*", r"\1", re.sub(r"\s+", " ", response.content.decode()))


def said(response) -> str:
    """The sentence that a page shows."""
    text = laid(response)
    found = re.search(r'<div id="said"[^>]*><p>(.*?)<button', text) or re.search(
        r"did not work</h[12]><p>(.*?)</p>", text
    )
    return found[1] if found else ""


_counts = itertools.count(1)


def entry(card=None, what="done", phone="testing0", **more) -> dict:
    """What a phone writes down about a card."""
    told = {"id": f"{phone}-{next(_counts)}", "what": what, "at": time.time() * 1000}
    if card is not None:
        told |= {"step": card.key[0], "parts": [part for _, part in card.marks]}
    return told | more


def sync(client, row, *entries, cursor=None, ahead_s: float = 0.0):
    """Send what a phone wrote down; its clock is `ahead_s` ahead."""
    told = {"entries": list(entries), "cursor": cursor, "now": (time.time() + ahead_s) * 1000}
    return client.post(f"/picture/{row.uid}/bench/sync/", json.dumps(told), content_type="application/json")


def pocket_in(response) -> dict:
    """What a bench page carries."""
    text = response.content.decode()
    return json.loads(re.search(r'<script type="application/json" id="pocket">(.*?)</script>', text, re.S)[1])


def sentence(pocket: dict, number: int) -> str:
    """A sentence of a pocket, as the phone puts it together."""
    row = pocket["texts"][number]
    mould, *figures = row if isinstance(row, list) else [row]
    left = iter(figures)
    return re.sub("\ue000", lambda _: next(left), pocket["moulds"][mould])
