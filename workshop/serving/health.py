"""Whether the server is well: for whoever, or whatever, looks after it. Says nothing of anybody's works."""

import datetime as dt
import shutil

from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.db import DatabaseError, connection
from django.http import JsonResponse
from django.utils import timezone
from django.views.decorators.http import require_safe

from workshop.longwork.models import Turn, Worker
from workshop.longwork.queue import LEASE

from .backup import newest

LEAST_FREE_BYTES = 300_000_000
LONGEST_WAIT = dt.timedelta(minutes=15)
OLDEST_BACKUP = dt.timedelta(hours=50)
WELL = "well"


@login_not_required
@require_safe
def health(request):
    """200 while all is well, else 503; each thing that was looked at is “well” or a sentence."""
    told = {"database": _database()}
    if told["database"] == WELL:
        told |= {"worker": _worker(), "waiting": _waiting()}
    told |= {"disk": _disk(), "backup": _backup()}
    ill = [words for words in told.values() if words != WELL]
    return JsonResponse({"state": "ill" if ill else WELL} | told, status=503 if ill else 200)


def _database() -> str:
    try:
        with connection.cursor() as cursor:
            cursor.execute("select count(*) from django_migrations")
            cursor.fetchone()
    except DatabaseError:
        return "The database does not answer."
    return WELL


def _worker() -> str:
    seen = Worker.objects.order_by("-seen").values_list("seen", flat=True).first()
    if seen is None or timezone.now() - seen > 2 * LEASE:
        return "No worker for long work was heard of for a while."
    return WELL


def _waiting() -> str:
    asked = Turn.objects.filter(begun=None).order_by("asked").values_list("asked", flat=True).first()
    if asked is not None and timezone.now() - asked > LONGEST_WAIT:
        return "Long work waits for longer than a quarter of an hour."
    return WELL


def _disk() -> str:
    free = shutil.disk_usage(settings.HOME).free
    return WELL if free > LEAST_FREE_BYTES else f"{free / 1e6:.0f} MB are free where the works lie."


def _backup() -> str:
    """A server that has been running for days has made one."""
    if not settings.NIGHTLY_DAYS:
        return WELL
    made = newest()
    if made is not None and timezone.now() - made > OLDEST_BACKUP:
        return "The newest backup is older than two days."
    return WELL
