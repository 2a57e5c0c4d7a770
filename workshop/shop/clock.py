"""The shop's own clock: its time zone, asked of the browser once."""

import datetime as dt
from functools import cache
from zoneinfo import ZoneInfo, available_timezones

from django.conf import settings
from django.utils import timezone

from emberquilt.errors import BadChoice

from .models import Shop


@cache
def zones() -> tuple[str, ...]:
    return tuple(sorted(available_timezones()))


def zone_named(name: str) -> ZoneInfo:
    """Raises `BadChoice` for a name that is no time zone."""
    if name not in zones():
        raise BadChoice(f"“{name[:40]}” is no time zone. Write it like Europe/Paris or America/Denver.")
    return ZoneInfo(name)


def zone_of(shop: Shop | None) -> ZoneInfo:
    """The shop's zone, or the one this computer was told, as long as nobody said."""
    return ZoneInfo(shop.time_zone if shop is not None and shop.time_zone in zones() else settings.TIME_ZONE)


def now_in(shop: Shop) -> dt.datetime:
    """What the clock on the shop's wall says, without a zone."""
    return timezone.now().astimezone(zone_of(shop)).replace(tzinfo=None)


class ShopClock:
    """Dates on every page are the shop's."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        shop = Shop.objects.filter(owner=request.user).first() if request.user.is_authenticated else None
        request.shop = shop
        with timezone.override(zone_of(shop)):
            return self.get_response(request)
