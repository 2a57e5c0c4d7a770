"""The dates that people go by: kept with the work, polished outside the request, taken or made afresh."""

import logging
import secrets
import uuid
from typing import Any

from django.db import transaction
from django.db.models import F
from django.utils import timezone

from emberquilt.calendar.ical import calendar_of, called_off, icalendar_of, ids_of
from emberquilt.calendar.schedule import Kept, Schedule, due_in, kept_of, schedule_of
from emberquilt.calendar.together import MOST_WORKS
from emberquilt.errors import BadChoice, EmberError
from emberquilt.limits import Limits
from workshop.compositions.models import Composition, DatePlan
from workshop.compositions.plans import plan_of
from workshop.compositions.told import forget
from workshop.longwork.kinds import Kind, enter
from workshop.longwork.queue import ask
from workshop.shop.actions import shop_of
from workshop.shop.models import Shop

log = logging.getLogger(__name__)

SECONDS = (10, 60)
MOST_OFFERED = 12


def agree(row: Composition) -> None:
    """Go by these dates from now on: what changes later moves as few steps as can be. Works that are planned at once
    are kept at once."""
    _keep(row, told_of(kept_of(plan_of(row).schedule)))


def _keep(row: Composition, sittings: dict[str, Any]) -> None:
    """Each work's part of a plan is kept with it."""
    by_work: dict[str, dict[str, Any]] = {}
    for key, rows in sittings.items():
        work, colon, step = key.rpartition(":")
        by_work.setdefault(work if colon else "", {})[step] = rows
    with transaction.atomic():
        for work, own in by_work.items():
            one = row if work in ("", str(row.uid)) else row.owner.compositions.filter(uid=work).first()
            if one is not None:
                _row(one)
                DatePlan.objects.filter(composition=one).update(sittings=own, version=F("version") + 1)
                forget(one)


def afresh(row: Composition) -> None:
    """Forget the dates that were kept, of all works that are planned at once; pins stay."""
    uids = [str(uid) for uid in shop_of(row.owner).together]
    rows = row.owner.compositions.filter(uid__in=uids if str(row.uid) in uids else [row.uid])
    DatePlan.objects.filter(composition__in=rows).update(sittings={}, found={}, told={}, version=F("version") + 1)
    for one in rows:
        forget(one)


def keep_before(row: Composition) -> None:
    """Before something is moved by hand the dates as they are shown become those that are kept."""
    if not _row(row).sittings:
        try:
            agree(row)
        except BadChoice:
            return


def try_pin(row: Composition, step: str, at: str) -> None:
    """Raises `BadChoice` with the reason where a step cannot be pinned there, before anything is changed."""
    plan = plan_of(row)
    if step not in {one.key for one in plan.left}:
        raise BadChoice("That step is done, or is none.")
    plan.with_pin(step, at)


def _row(row: Composition) -> DatePlan:
    return DatePlan.objects.get_or_create(composition=row)[0]


def told_of(kept: Kept) -> dict[str, Any]:
    return {
        key: [[begin.isoformat(), end.isoformat(), list(people), setup] for begin, end, people, setup in rows]
        for key, rows in kept.sittings.items()
    }


def gives(before: Schedule | None, after: Schedule) -> str:
    """What a move by hand came to, in a sentence."""
    if before is None or before.finish is None or after.finish is None:
        return ""
    was = {slot.key: slot.begin for slot in before.slots}
    moved = len({slot.step.key for slot in after.slots if was.get(slot.key) != slot.begin})
    days = (after.finish.date() - before.finish.date()).days
    steps = f"{moved} step{'' if moved == 1 else 's'} moved"
    if not days:
        return f"{steps}; it ends {after.finish:%a %d %b} as before."
    apart = f"{abs(days)} day{'' if abs(days) == 1 else 's'} {'later' if days > 0 else 'sooner'}"
    return f"{steps}; it ends {after.finish:%a %d %b}, {apart}."


def begin(row: Composition, seconds: int) -> None:
    """Look for a better plan of the work as it stands; an earlier search ends."""
    ask(DATES, _row(row), revision=row.revision, seconds=seconds, found={}, told={})


def polish(search: DatePlan, progress) -> dict[str, Any]:
    from emberquilt.calendar.polish import polished

    plan = plan_of(search.composition).schedule
    quick = plan.planned
    if quick is None:
        return {}
    due = due_in(quick.problem, quick.wishes.ready_by)
    made = polished(
        quick.problem, quick.passes, quick.made, due, search.seconds, lambda share, _made, _low: progress(share)
    )
    better = schedule_of(quick.problem, quick.passes, made.made, "polished", quick.wishes, bound=made.bound)
    return _found(plan, better, made.proven)


STAYS = "The plan stays as it was."
DATES = enter(
    Kind(
        "dates",
        DatePlan,
        polish,
        lambda search: search.composition.owner,
        broke="The search broke off; the plan stays as it was.",
        no_time=f"The search did not end in time, after {{:.0f}} minutes. {STAYS}",
        no_memory=f"The search asks for more memory than is given to one: up to {{:.1f}} GB. {STAYS}",
        cut_off="The search was cut off: its worker ended. What it had found so far is kept; begin again to go on.",
        limits=lambda search: Limits(search.seconds + OPENING_SECONDS),
        again=False,
    )
)
OPENING_SECONDS = 120
"""What a search may take beside the time that it was given."""


def _found(plan: Schedule, better: Schedule, proven: bool) -> dict[str, Any]:
    assert better.finish is not None
    assert better.bound is not None
    return {
        "found": told_of(kept_of(better)),
        "told": {
            "finish": better.finish.isoformat(),
            "bound": better.bound.isoformat(),
            "gap": better.gap,
            "proven": proven,
            "gives": gives(plan, better),
            "better": bool(plan.finish and better.finish < plan.finish),
        },
    }


def take(row: Composition) -> None:
    """Go by the plan that the search found. Raises `BadChoice` where it holds no longer."""
    search = DatePlan.objects.filter(composition=row).first()
    if search is None or not search.found:
        raise BadChoice("No search has found a plan yet.")
    if search.revision != row.revision:
        raise BadChoice("The work has changed since that plan was looked for. Look again.")
    found = search.found
    DatePlan.objects.filter(pk=search.pk).update(found={})
    _keep(row, found)


def calendar_file(row: Composition) -> bytes:
    """The dates of one work for a calendar program; what an earlier file told and is none any more is called off.
    Raises `BadChoice` where no dates can be given."""
    plan = plan_of(row)
    made, work = plan.schedule, str(row.uid)
    kept = _row(row)
    now = ids_of(made, work)
    gone = called_off(kept.exported, now, (s.key for s in plan.left), (s.key for s in plan.steps))
    DatePlan.objects.filter(pk=kept.pk).update(exported={**kept.exported, **now})
    return icalendar_of(made, row.name, work, timezone.now(), gone)


def new_secret(shop: Shop) -> str:
    """An address for calendar programs; an earlier one holds no longer."""
    shop.calendar_secret = secrets.token_urlsafe(24)
    Shop.objects.filter(pk=shop.pk).update(calendar_secret=shop.calendar_secret)
    return shop.calendar_secret


def shop_calendar(shop: Shop) -> bytes:
    """All works of a shop whose dates are kept."""
    rows = shop.owner.compositions.filter(dates__isnull=False).exclude(dates__sittings={})[:MOST_WORKS]
    works = []
    for row in rows:
        try:
            works.append((plan_of(row).schedule, row.name, str(row.uid), ()))
        except EmberError:
            continue  # a work without dates keeps no other from its own
        except Exception:
            log.warning("The work %s cannot be planned.", row.uid, exc_info=True)
    return calendar_of(works, "Workshop", timezone.now())


def plan_with(row: Composition, other: str, with_it: bool) -> None:
    """Plan another work at once with this one, or no longer. Raises `BadChoice`."""
    shop = shop_of(row.owner)
    uids = [str(uid) for uid in shop.together]
    if other == str(row.uid) or not row.owner.compositions.filter(uid=uid_of(other)).exists():
        raise BadChoice("Choose another work of this shop.")
    wanted = [*uids, *(uid for uid in (str(row.uid), other) if uid not in uids)] if with_it else uids
    wanted = [uid for uid in wanted if with_it or uid != other]
    if len(wanted) > MOST_WORKS:
        raise BadChoice(f"{MOST_WORKS} works can be planned at once.")
    Shop.objects.filter(pk=shop.pk).update(together=wanted if len(wanted) > 1 else [])


def uid_of(text: str) -> uuid.UUID:
    try:
        return uuid.UUID(text)
    except ValueError:
        raise BadChoice("Choose another work of this shop.") from None


def works_beside(row: Composition) -> list[dict[str, Any]]:
    """Other works of the shop, and whether they are planned at once with this one."""
    uids = {str(uid) for uid in shop_of(row.owner).together}
    here = str(row.uid) in uids
    others = row.owner.compositions.exclude(pk=row.pk).values_list("uid", "name")[:MOST_OFFERED]
    return [{"uid": str(uid), "name": name, "on": here and str(uid) in uids} for uid, name in others]
