"""Guessing passwords is made slow, for each name and for each address, and nobody is locked out for long.

After a few wrong tries each further one has to wait, twice as long as the one before: up to a minute for a name,
whoever tries it; up to a quarter of an hour for an address, whatever names are tried from there. While it waits no
password is looked at. A browser in which somebody has signed in before is known by a cookie and counts by itself, so
that strangers' tries keep no owner out. Common practice; see OWASP's authentication cheat sheet on device cookies.
"""

import datetime as dt
import ipaddress
import math

from django.core.signing import BadSignature, Signer
from django.db import transaction
from django.utils import timezone
from django.utils.crypto import get_random_string

from .models import Knock

KNOWN = "known-here"
KNOWN_SECONDS = 365 * 24 * 3600
FREE = {"name": 4, "device": 4, "address": 12}
"""Wrong tries before the first wait."""
MOST_SECONDS = {"name": 60, "device": 60, "address": 900}
FORGOTTEN = {"name": dt.timedelta(hours=1), "device": dt.timedelta(hours=1), "address": dt.timedelta(hours=24)}
_signer = Signer(salt="workshop.entry.known")


def keys_of(request, name: str) -> list[str]:
    """What a try counts for."""
    plain = name.strip().casefold()[:150]
    device = device_of(request, plain)
    return [f"device:{device}" if device else f"name:{plain}", f"address:{_address(request)}"]


def _address(request) -> str:
    """The asker's address; of the newer kind the network it is in, for that is what one household has."""
    text = request.META.get("REMOTE_ADDR", "")
    try:
        address = ipaddress.ip_address(text)
    except ValueError:
        return text[:60]
    return str(ipaddress.ip_network(f"{address}/64", strict=False)) if address.version == 6 else str(address)


def device_of(request, name: str) -> str:
    """The mark of a browser in which this name has signed in before; empty for another."""
    try:
        whose, _, mark = _signer.unsign(request.COOKIES.get(KNOWN, "")).rpartition(" ")
    except BadSignature:
        return ""
    return mark if whose == name else ""


def know(response, request, name: str) -> None:
    """Remember that this name has signed in in this browser."""
    plain = name.strip().casefold()[:150]
    mark = device_of(request, plain) or get_random_string(24)
    response.set_cookie(
        KNOWN,
        _signer.sign(f"{plain} {mark}"),
        max_age=KNOWN_SECONDS,
        httponly=True,
        samesite="Strict",
        secure=request.is_secure(),
        path="/enter/",
    )


def wait_seconds(keys: list[str]) -> int:
    """For how long no try is looked at."""
    now = timezone.now()
    until = Knock.objects.filter(key__in=keys, until__gt=now).order_by("-until").values_list("until", flat=True).first()
    return math.ceil((until - now).total_seconds()) if until else 0


def wrong(keys: list[str]) -> None:
    """A try was wrong."""
    now = timezone.now()
    with transaction.atomic():
        Knock.objects.filter(last__lt=now - max(FORGOTTEN.values())).delete()
        for key in keys:
            kind = key.partition(":")[0]
            knock, _ = Knock.objects.select_for_update().get_or_create(key=key, defaults={"last": now, "until": now})
            knock.wrong = 1 if knock.last < now - FORGOTTEN[kind] else knock.wrong + 1
            late = knock.wrong - FREE[kind]
            seconds = min(2 ** min(late - 1, 20), MOST_SECONDS[kind]) if late > 0 else 0
            knock.last, knock.until = now, now + dt.timedelta(seconds=seconds)
            knock.save()


def right(keys: list[str]) -> None:
    """A try was right: what was counted for the name is forgotten. For the address it is not: whoever has an account
    could else go on guessing others' for ever."""
    Knock.objects.filter(key__in=[key for key in keys if not key.startswith("address:")]).delete()
