"""The browsers in which somebody is signed in."""

import datetime as dt

from django.contrib.auth.signals import user_logged_in
from django.contrib.sessions.models import Session
from django.utils import timezone

from workshop.kept import Kept

from .models import SignedIn

SEEN_EVERY = dt.timedelta(minutes=5)
_noted = Kept(2000)
"""When each browser was noted last: asking the database to write, even nothing, waits for whoever is writing."""
BROWSERS = (("Firefox/", "Firefox"), ("Edg/", "Edge"), ("OPR/", "Opera"), ("Chrome/", "Chrome"), ("Safari/", "Safari"))
SYSTEMS = (
    ("iPhone", "an iPhone"),
    ("iPad", "an iPad"),
    ("Android", "an Android phone"),
    ("Windows", "Windows"),
    ("Mac OS X", "a Mac"),
    ("Linux", "Linux"),
)


def browser_of(agent: str) -> str:
    """What a browser calls itself, in words."""
    name = next((words for mark, words in BROWSERS if mark in agent), "A browser")
    system = next((words for mark, words in SYSTEMS if mark in agent), "")
    return f"{name} on {system}" if system else name


def note(request, user) -> None:
    """Somebody signed in here."""
    if request.session.session_key is None:
        request.session.save()
    SignedIn.objects.exclude(session__in=Session.objects.values("session_key")).delete()
    SignedIn.objects.update_or_create(
        session=request.session.session_key,
        defaults={
            "person": user,
            "browser": browser_of(request.headers.get("User-Agent", ""))[:200],
            "address": request.META.get("REMOTE_ADDR", "")[:60],
            "seen": timezone.now(),
        },
    )


def _came_in(sender, request, user, **more) -> None:
    note(request, user)


user_logged_in.connect(_came_in, dispatch_uid="workshop.entry.sessions")


class Seen:
    """Middleware: when each browser was here last, to some minutes."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        key = request.session.session_key
        if key and request.user.is_authenticated:
            now, before = timezone.now(), _noted.known(key)
            if before is None or before <= now - SEEN_EVERY:
                SignedIn.objects.filter(session=key, seen__lt=now - SEEN_EVERY).update(
                    seen=now, address=request.META.get("REMOTE_ADDR", "")[:60]
                )
                _noted.keep(key, now)
        return self.get_response(request)


def end(one: SignedIn) -> None:
    Session.objects.filter(session_key=one.session).delete()
    one.delete()


def end_others(request) -> None:
    for one in request.user.signed_in.exclude(session=request.session.session_key):
        end(one)


def end_all(person) -> None:
    for one in person.signed_in.all():
        end(one)
