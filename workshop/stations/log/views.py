"""Cost and price of a work."""

from dataclasses import replace

from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from emberquilt.errors import EmberError
from emberquilt.log.hours import hours_of
from emberquilt.log.price import Bill, bill_of
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.work.setting import whole_number
from workshop.bench.actions import happened
from workshop.compositions.models import Composition
from workshop.compositions.plans import plan_of
from workshop.compositions.views import own
from workshop.shop import actions as shop_actions
from workshop.shop.actions import practice_of
from workshop.shop.words import fields_of

PRICES = (
    "money",
    "wage",
    "overhead_hour",
    "blade_price",
    "sheet_price",
    "glue_price",
    "finish_price",
    "extras_price",
    "fee_share",
    "margin_share",
)
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
