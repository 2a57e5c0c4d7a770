"""Cost and price of a work, the page that goes with it, and the year of the shop."""

import base64
import datetime as dt
import logging
import re
from dataclasses import replace

import cv2
from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from emberquilt.drawing.keepsake import (
    Keepsake,
    finish_words,
    keepsake_html,
    keepsake_pdf,
    label_pdf,
    usual_care,
    woods_seen,
)
from emberquilt.drawing.year import skill_line, stations_in, truth_rules, wood_plank, year_disc
from emberquilt.errors import EmberError
from emberquilt.log.hours import hours_of, spent_on_each
from emberquilt.log.price import Bill, bill_of
from emberquilt.log.year import Year, work_in
from emberquilt.picture.render import draft
from emberquilt.plan import Plan
from emberquilt.practice import MONEY, Practice
from emberquilt.work.setting import whole_number
from workshop.bench import entries
from workshop.bench.actions import happened
from workshop.bench.models import Snapshot, Story
from workshop.compositions.access import own
from workshop.compositions.models import Composition
from workshop.compositions.plans import plan_of
from workshop.pictures.light import light_of
from workshop.shop import actions as shop_actions
from workshop.shop.actions import photos_of, practice_of, shop_of
from workshop.shop.clock import now_in, zone_of
from workshop.shop.words import fields_of

log = logging.getLogger(__name__)

PRICES = ("money", *MONEY, "fee_share", "margin_share")
MOST_NEXT = 60
USUAL_NEXT = 6


@require_http_methods(["GET", "POST"])
def price(request, uid):
    """The bill of a work; by POST what things cost here."""
    row = own(request, uid)
    if request.method == "POST":
        return _say(request, row)
    plan = plan_of(row)
    prices = practice_of(row.owner)
    asked = request.GET.get("next", "")
    count = whole_number(asked, 1, MOST_NEXT) if asked else USUAL_NEXT
    bill = this_bill(row, plan, prices)
    context = {
        "row": row,
        "plan": plan,
        "practice": plan.composition.practice,
        "prices": prices,
        "fields": fields_of(prices, PRICES),
        "bill": bill,
        "lines": _lines(plan, bill),
        "count": count,
        "next": next_bill(plan, prices, count) if asked else None,
    }
    return render(request, "log/price.html", context)


def _lines(plan: Plan, bill: Bill) -> list[tuple]:
    """Each item with the code of its wood, whose price can be said here."""
    codes = {wood.name: code for code, wood in plan.composition.rack.shelf.items()}
    return [(item, codes.get(item.name, "") if item.kind == "wood" else "") for item in bill.items]


def _say(request, row: Composition):
    values = {name: request.POST[name] for name in PRICES if name in request.POST}
    woods = {key.removeprefix("wood-"): text for key, text in request.POST.items() if key.startswith("wood-")}
    try:
        shop_actions.change_prices(row.owner, values, woods)
    except EmberError as bad:
        messages.error(request, str(bad))
    return redirect("price", row.uid)


def this_bill(row: Composition, plan: Plan, prices: Practice) -> Bill:
    """What this work costs, with what the bench counted."""
    events = [happened(event) for event in row.events.all()]
    hours = hours_of(plan.cards, events, plan.marks_left)
    return bill_of(plan.job, plan.needs, plan.saw, plan.glue, hours, prices, events)


def next_bill(plan: Plan, prices: Practice, count: int) -> Bill:
    """What so many more would cost, made together from nothing: set-up is paid once, and hands know the way."""
    composition = plan.composition
    whole = replace(composition.decisions.whole, copies=count)
    again = Plan(replace(composition, decisions=replace(composition.decisions, whole=whole), placements={}))
    hours = hours_of(again.cards, (), again.marks_left)
    return bill_of(again.job, again.needs, again.saw, again.glue, hours, prices)


PLAN_PX = 1100
MOST_WORKS = 60
MOST_STORY, MOST_CARE, MOST_MAKER = 4000, 1500, 80


@require_http_methods(["GET", "POST"])
def keepsake(request, uid):
    """What goes with the piece when it is given away; by POST what is told on it."""
    row = own(request, uid)
    if request.method == "POST":
        shot = row.snapshots.filter(pk=whole_number(request.POST.get("shot") or 0, 0, 2**62)).first()
        told = {
            "text": _lines_of(request.POST.get("story", ""), MOST_STORY),
            "care": _lines_of(request.POST.get("care", ""), MOST_CARE),
            "maker": request.POST.get("maker", "").strip()[:MOST_MAKER],
            "shot": shot,
        }
        Story.objects.update_or_create(composition=row, defaults=told)
        return redirect("keepsake", row.uid)
    plan = plan_of(row)
    one = keepsake_of(row, plan)
    context = {
        "row": row,
        "one": one,
        "story": Story.objects.filter(composition=row).first(),
        "care": "\n".join(one.care),
        "shots": row.snapshots.defer("jpeg"),
        "swatches": [(name, share, base64.b64encode(data).decode()) for name, share, data in one.woods],
    }
    return render(request, "log/keepsake.html", context)


def _lines_of(text: str, most: int) -> str:
    return text.replace("\r\n", "\n").replace("\0", "").strip()[:most]


def keepsake_of(row: Composition, plan: Plan) -> Keepsake:
    """The page as it stands now; hours are those spent so far, or planned where none are."""
    composition, story = plan.composition, Story.objects.filter(composition=row).select_related("shot").first()
    hours = hours_of(plan.cards, [happened(event) for event in row.events.all()], plan.marks_left)
    rgb = draft(composition, PLAN_PX, light_of(composition), photos=photos_of(row.owner))
    _, jpeg = cv2.imencode(".jpg", cv2.cvtColor(rgb, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, 86])
    say = composition.practice.say
    shot: Snapshot | None = story.shot if story else None
    last = row.events.order_by("-at").values_list("at", flat=True).first()
    return Keepsake(
        row.name,
        f"{say(composition.width_mm)} by {say(composition.height_mm)}",
        len(composition.made),
        woods_seen(plan.job),
        finish_words(plan.job),
        spent_on_each(hours, plan.job.copies),
        story.maker if story else "",
        (timezone.localtime(last) if last else now_in(shop_of(row.owner))).date(),
        story.text if story else "",
        tuple(line for line in story.care.splitlines() if line.strip())
        if story and story.care
        else usual_care(plan.job),
        jpeg.tobytes(),
        bytes(shot.jpeg) if shot else None,
    )


def _care(story: Story | None) -> tuple[str, ...]:
    return tuple(line for line in story.care.splitlines() if line.strip()) if story else ()


@require_POST
def correct(request, uid):
    """What an entry of the log really took."""
    row = own(request, uid)
    try:
        entries.correct(row, whole_number(request.POST.get("event", ""), 0, 2**62), request.POST.get("minutes", ""))
    except EmberError as bad:
        messages.error(request, str(bad))
    return redirect("station", row.uid, "log")


@require_GET
def keepsake_file(request, uid, kind):
    """The page as one HTML file or as a PDF, or labels for the back."""
    row = own(request, uid)
    plan = plan_of(row)
    one, paper = keepsake_of(row, plan), plan.composition.practice.paper
    data, content_type = {
        "html": lambda: (keepsake_html(one), "text/html; charset=utf-8"),
        "pdf": lambda: (keepsake_pdf(one, paper), "application/pdf"),
        "label": lambda: (label_pdf(one, plan.job.copies, paper), "application/pdf"),
    }[kind]()
    name = re.sub(r"[^A-Za-z0-9]+", "-", row.name).strip("-").lower() or "picture"
    name += {"html": ".html", "pdf": ".pdf", "label": "-labels.pdf"}[kind]
    headers = {"Content-Disposition": f'attachment; filename="{name}"', "X-Content-Type-Options": "nosniff"}
    return HttpResponse(data, content_type=content_type, headers=headers)


@require_GET
def year(request):
    """What a year brought, over all works of the shop."""
    shop = shop_of(request.user)
    today = now_in(shop).date()
    asked = request.GET.get("year", "")
    which = whole_number(asked, 1970, today.year + 1) if asked else today.year
    zone = zone_of(shop)
    begin, end = (dt.datetime(which + more, 1, 1, tzinfo=zone) for more in (0, 1))
    worked = []
    rows = request.user.compositions.filter(events__at__gte=begin, events__at__lt=end).distinct()
    for row in rows.order_by("created")[:MOST_WORKS]:
        events = [happened(event) for event in row.events.filter(at__gte=begin, at__lt=end)]
        local = [replace(event, at=event.at.astimezone(zone)) for event in events]
        try:
            plan = plan_of(row)
            is_done = bool(plan.steps) and not plan.left
            worked.append(work_in(row.name, plan.job, plan.cards, local, is_done, str(row.uid)))
        except Exception:
            # the year is told without a work that cannot be shown; the shelf says that there is one
            log.warning("The work %s is left out of the year.", row.uid, exc_info=True)
    drift = tuple((one.at.astimezone(zone).date(), one.drift_mm) for one in _skills(shop, begin, end))
    told = Year(which, tuple(worked), drift)
    context = {
        "told": told,
        "before": which - 1,
        "after": which + 1 if which < today.year else None,
        "disc": year_disc(told),
        "stations": stations_in(told),
        "plank": wood_plank(told, shop_actions.rack_of(request.user).shelf),
        "rules": truth_rules(told),
        "skill": skill_line(told),
    }
    return render(request, "log/year.html", context)


def _skills(shop, begin: dt.datetime, end: dt.datetime):
    return shop.skills.filter(at__gte=begin, at__lt=end).order_by("at")
