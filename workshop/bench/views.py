"""Bench cards, one at a time, for a phone with dusty fingers."""

from django.contrib import messages
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from emberquilt.bench.cards import Card, cards, other_board, remake_of
from emberquilt.drawing.panel import dress_json, shapes_json
from emberquilt.drawing.readings import dress_of
from emberquilt.errors import BadChoice
from emberquilt.plan import Plan
from emberquilt.work.scene import Mark, scene_of
from workshop.compositions.plans import plan_of
from workshop.compositions.views import own
from workshop.stations.faces import wood_table

from . import actions

MOST_TICKS = 60


def _asked(request) -> tuple[str, int] | None:
    values = request.GET if request.method == "GET" else request.POST
    step, piece = values.get("step", ""), values.get("piece", "")
    return (step, int(piece)) if step and piece.isdigit() and len(piece) < 9 else None


@require_GET
def card(request, uid):
    row = own(request, uid)
    plan = plan_of(row)
    table = cards(plan)
    now = actions.next_card(row, table, _asked(request))
    timer = actions.timer_of(row, now)
    done = actions.done_keys(row) & {c.key for c in table}
    context = {
        "row": row,
        "plan": plan,
        "practice": plan.composition.practice,
        "shelf": plan.composition.rack.shelf,
        "card": now,
        "done": len(done),
        "total": len(table),
        "ticks": _ticks(len(done), len(table)),
        "seconds": actions.seconds_of(timer) if timer else 0,
        "running": bool(timer and timer.running_since),
        "asks_after": 60 * actions.DOUBTFUL * now.estimate_minutes if now else 0,
        "asks": bool(timer and now and actions.doubtful(now, actions.seconds_of(timer))),
        "can_untick": row.events.exists(),
        "wood_table": wood_table(plan.composition),
    }
    if now is not None:
        context |= _about(row, plan, table, now)
    return render(request, "bench/card.html", context)


def _about(row, plan: Plan, table: tuple[Card, ...], now: Card) -> dict:
    layer = plan.composition.in_hand
    piece, place = layer.by_key[now.piece], table.index(now)
    following = table[place + 1] if place + 1 < len(table) else None
    scene = _scene(plan, now)
    return {
        "piece": piece,
        "place": place + 1,
        "same_step": sum(1 for c in table if c.step == now.step),
        "step_place": sum(1 for c in table[: place + 1] if c.step == now.step),
        "cut": plan.saw.by_piece.get(now.piece),
        "next": following,
        "next_piece": layer.by_key[following.piece] if following else None,
        "before": table[place - 1] if place else None,
        "remade": actions.remakes(row)[now.piece],
        "remake": remake_of(plan, now.piece) if actions.remakes(row)[now.piece] else None,
        "is_done": now.key in actions.done_keys(row),
        "scene": shapes_json(scene) | {"dress": dress_json(scene)},
    }


def _scene(plan: Plan, now: Card):
    """The piece lit among its neighbours, its arrow on it, start and pilot holes where it is sawn."""
    dress = {
        p.key: dress_of(plan.composition, p, "full" if p.key == now.piece else "dark", arrow=p.key == now.piece)
        for p in plan.composition.in_hand.pieces
    }
    marks: list[Mark] = []
    cut = plan.saw.by_piece.get(now.piece)
    if cut is not None and now.step == "saw":
        marks.append(Mark("start", *cut.start_mm, piece=now.piece))
        marks += [Mark("hole", h.x_mm, h.y_mm, piece=now.piece) for h in cut.holes]
    return scene_of(plan.composition, dress, tuple(marks))


def _ticks(done: int, total: int) -> list[tuple[float, float, bool]]:
    count = min(total, MOST_TICKS) or 1
    here = done * count / max(total, 1)
    return [
        (round(3 + i * 348 / count, 1), 15 if i % 10 == 0 else 11 if i % 5 == 0 else 7, i < here)
        for i in range(count + 1)
    ]


def _card_now(request, row) -> Card:
    now = actions.next_card(row, cards(plan_of(row)), _asked(request))
    if now is None:
        raise BadChoice("Every card is done.")
    return now


@require_POST
def tick(request, uid):
    row = own(request, uid)
    plan, now, values = plan_of(row), _card_now(request, row), request.POST
    board = values.get("board", "")
    board = "" if board == plan.composition.in_hand.by_key[now.piece].board else board
    warning = other_board(plan, now.piece, board)
    told = values.get("took", ""), values.get("minutes", "")
    try:
        event = actions.tick_from_board(row, now, values.get("what", "done"), board, *told)
    except actions.ClockAsks as problem:
        messages.warning(request, str(problem))
        return redirect(f"{reverse('bench', args=(row.uid,))}?step={now.step}&piece={now.piece}")
    if warning and event.what == "done":
        messages.warning(request, warning)
    return redirect("bench", row.uid)


@require_POST
def clock(request, uid):
    row = own(request, uid)
    now = _card_now(request, row)
    if request.POST.get("what") == "pause":
        actions.pause(row)
    else:
        actions.start(row, now)
    return redirect(f"{reverse('bench', args=(row.uid,))}?step={now.step}&piece={now.piece}")


@require_POST
def untick(request, uid):
    row = own(request, uid)
    event = actions.untick(row)
    if event is None:
        return redirect("bench", row.uid)
    return redirect(f"{reverse('bench', args=(row.uid,))}?step={event.step}&piece={event.piece}")
