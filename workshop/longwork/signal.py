"""Telling workers that something waits for them. Through Redis, where the settings name one, at once and to workers on
any machine; without it they look every moment. What is asked for is kept in the database either way, so nothing is lost
with a signal."""

import logging
import time
from functools import cache

from django.conf import settings

LOOK_SECONDS = 0.2
WAITING = "emberquilt:waiting"
log = logging.getLogger(__name__)


@cache
def _redis():
    from redis import Redis

    return Redis.from_url(settings.REDIS, socket_timeout=10, socket_connect_timeout=3)


def wake() -> None:
    if not settings.REDIS:
        return
    from redis import RedisError

    try:
        _redis().rpush(WAITING, "")
        _redis().ltrim(WAITING, -64, -1)
    except RedisError as problem:
        log.warning("Redis does not answer (%s); workers look for work by themselves.", problem)


def wait(busy: bool) -> None:
    """Until something may have been asked for, or for a moment; a short one where work is under way."""
    if not settings.REDIS or busy:
        time.sleep(LOOK_SECONDS)
        return
    from redis import RedisError

    try:
        _redis().blpop([WAITING], timeout=2)
    except RedisError:
        time.sleep(1)
