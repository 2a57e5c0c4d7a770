"""Bench cards, one at a time, for a phone with dusty fingers."""

import re
from urllib.parse import urlencode

from django.contrib import messages
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from emberquilt.bench.cards import Card
from emberquilt.bench.mending import HOWS, mends_of
from emberquilt.bench.remake import other_board, remake_of
from emberquilt.drawing.panel import dress_json, shapes_json
from emberquilt.drawing.shaped import shaped_drawing
from emberquilt.errors import BadChoice
from emberquilt.layers.stacked import scene_in
from emberquilt.plan import Plan
from emberquilt.saw.steps import SAW_VERBS
from emberquilt.work.copies import any_copy
from emberquilt.work.readings import dress_of
from emberquilt.work.scene import Mark, Scene, scene_of
from emberquilt.work.view import view_of
from workshop.compositions.plans import plan_of
from workshop.compositions.views import own
from workshop.stations.faces import wood_table

from . import actions

MOST_TICKS = 60
MARK = re.compile(r"^[a-z0-9./-]{0,40}$")


def _asked(request) -> tuple[str, str] | None:
    values = request.GET if request.method == "GET" else request.POST
    step, part = values.get("step", ""), values.get("part", "")
    return (step, part) if step and MARK.match(step) and MARK.match(part) else None


def _address(row, step: str, part: str) -> str:
    """The page of one card."""
    return f"{reverse('bench', args=(row.uid,))}?{urlencode({'step': step, 'part': part})}"


@require_GET
def card(request, uid):
    row = own(request, uid)
    plan = plan_of(row)
    table = plan.cards
    now = actions.next_card(row, table, plan.left, _asked(request))
    timer = actions.timer_of(row, now)
    waiting = actions.marks_left(plan.left)
    done = sum(1 for c in table if not waiting & set(c.marks))
    context = {
        "row": row,
        "plan": plan,
        "practice": plan.composition.practice,
        "shelf": plan.composition.rack.shelf,
        "card": now,
        "done": done,
        "total": len(table),
        "ticks": _ticks(done, len(table)),
        "seconds": actions.seconds_of(timer) if timer else 0,
        "running": bool(timer and timer.running_since),
        "asks_after": 60 * actions.DOUBTFUL * now.estimate_minutes if now else 0,
        "asks": bool(timer and now and actions.doubtful(now, actions.seconds_of(timer))),
        "can_untick": row.events.exists(),
        "wood_table": wood_table(plan.composition),
    }
    if now is not None:
        context |= _about(row, plan, table, now, waiting)
    return render(request, "bench/card.html", context)


def _about(row, plan: Plan, table: tuple[Card, ...], now: Card, waiting: set) -> dict:
    place = table.index(now)
    following, before = (table[i] if 0 <= i < len(table) else None for i in (place + 1, place - 1))
    alike = [c for c in table if c.step.key == now.step.key]
    scene = _scene(plan, now)
    part = plan.job.by_key.get(any_copy(now.parts[0])) if now.piece else None
    remade = actions.remakes(row)[now.parts[0]] if now.piece else 0
    return {
        "part": part,
        "piece": plan.composition.by_key.get(now.piece),
        "several": plan.job.copies > 1,
        "layer": plan.composition.home[now.piece].name if now.piece and len(plan.composition.layers) > 1 else "",
        "height_mm": plan.job.lifted_mm(plan.composition.by_key[now.piece]) if now.piece else None,
        "same_step": len(alike),
        "step_place": alike.index(now) + 1,
        "cut": plan.saw.cut_at(now.step.key, any_copy(now.parts[0])) if now.step.verb in SAW_VERBS else None,
        "shaped": shaped_drawing(plan.job, now.piece) if part and now.step.verb == "shape" else None,
        "next": following,
        "next_address": _address(row, *following.key) if following else "",
        "before_address": _address(row, *before.key) if before else "",
        "remake": remake_of(plan.job, now.parts[0]) if remade else None,
        "why_remade": actions.why_remade(row, now.parts[0]) if remade else "",
        "board": plan.composition.placements[now.parts[0]].board
        if remade and now.parts[0] in plan.composition.placements
        else "",
        "is_done": not waiting & set(now.marks),
        "mark": now.key,
        "scene": shapes_json(scene) | {"dress": dress_json(scene)},
    }


def _scene(plan: Plan, now: Card) -> Scene:
    """The part lit among its neighbours, its arrow on it, start and pilot holes where it is sawn; where the card is
    about more, all that it is about is lit on the whole work."""
    composition = plan.composition
    lit = {int(name) for key in now.parts if (name := any_copy(key)).isdecimal()}
    if not now.piece:
        dress = {
            p.key: dress_of(composition, p, "full" if not lit or p.key in lit else "dark") for p in composition.made
        }
        return scene_in(plan.job, view_of(composition), dress)
    layer = composition.home[now.piece]
    dress = {
        p.key: dress_of(composition, p, "full" if p.key in lit else "dark", arrow=p.key == now.piece)
        for p in layer.without_openings.pieces
    }
    marks: list[Mark] = []
    if now.step.verb in SAW_VERBS:
        cut = plan.saw.cut_at(now.step.key, any_copy(now.parts[0]))
        marks.append(Mark("start", *cut.start_mm, piece=now.piece))
        marks += [Mark("hole", h.x_mm, h.y_mm, piece=now.piece) for h in cut.holes]
    return scene_of(layer, composition, dress, tuple(marks))


def _ticks(done: int, total: int) -> list[tuple[float, float, bool]]:
    count = min(total, MOST_TICKS) or 1
    here = done * count / max(total, 1)
    return [
        (round(3 + i * 348 / count, 1), 15 if i % 10 == 0 else 11 if i % 5 == 0 else 7, i < here)
        for i in range(count + 1)
    ]


def _card_now(request, row) -> Card:
    plan = plan_of(row)
    now = actions.next_card(row, plan.cards, plan.left, _asked(request))
    if now is None:
        raise BadChoice("Every card is done.")
    return now


@require_POST
def tick(request, uid):
    row = own(request, uid)
    plan, now, values = plan_of(row), _card_now(request, row), request.POST
    part = now.parts[0] if now.piece else ""
    placed = plan.composition.placements.get(part)
    board = values.get("board", "") if now.piece else ""
    board = "" if placed is not None and board == placed.board else board
    warning = other_board(plan.job, part, board) if board else ""
    told = values.get("took", ""), values.get("minutes", "")
    try:
        event = actions.tick_from_board(row, now, values.get("what", "done"), board, *told)
    except actions.ClockAsks as problem:
        messages.warning(request, str(problem))
        return redirect(_address(row, *now.key))
    if warning and event.what == "done":
        messages.warning(request, warning)
    return redirect("bench", row.uid)


@require_http_methods(["GET", "POST"])
def broke(request, uid):
    """A part that broke, or is not as it should be: how, and what to do about it. By POST one of the two ways."""
    row = own(request, uid)
    plan, now = plan_of(row), _card_now(request, row)
    if not now.piece:
        raise BadChoice("This card is about the work as a whole: choose the card of the part that broke.")
    part = now.parts[0]
    if request.method == "POST":
        how, what = request.POST.get("how", ""), request.POST.get("what", "")
        if what not in ("broke", "mended"):
            raise BadChoice("Say whether it is made again or mended.")
        actions.tick(row, now, what, took="none", why=how)
        return redirect("bench", row.uid)
    context = {
        "row": row,
        "card": now,
        "piece": plan.composition.by_key.get(now.piece),
        "mark": now.key,
        "back": _address(row, *now.key),
        "ways": [(how, HOWS[how], mend) for how, mend in mends_of(plan.job, plan.saw, part).items()],
    }
    return render(request, "bench/broke.html", context)


@require_POST
def clock(request, uid):
    row = own(request, uid)
    now = _card_now(request, row)
    if request.POST.get("what") == "pause":
        actions.pause(row)
    else:
        actions.start(row, now)
    return redirect(_address(row, *now.key))


@require_POST
def untick(request, uid):
    row = own(request, uid)
    event = actions.untick(row)
    if event is None:
        return redirect("bench", row.uid)
    return redirect(_address(row, event.step, event.part))
