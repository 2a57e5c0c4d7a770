"""Ways to begin that are no drawing of a flat picture: parts that stand in slots, a body in slices, a block."""

from django.contrib import messages
from django.http import Http404
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from emberquilt.errors import BadChoice, EmberError
from workshop.shop.actions import practice_of

from . import tasks
from .models import Draft
from .titles import title_of
from .uploads import MOST_TYPED, MOST_UPLOAD
from .ways import FILES, measured, needed

ASKED = ("slots", "slices", "block")


@require_GET
def beginnings(request):
    """The ways side by side, each with its own few questions."""
    return render(request, "compositions/begin.html", {"practice": practice_of(request.user)})


@require_POST
def begin(request, way: str):
    """A work begun one of these ways: made outside the request, as a drawing is read; a sentence where it cannot be."""
    if way not in ASKED:
        raise Http404
    if way == "slices" and FILES["blown"].keys() & request.FILES.keys():
        way = "blown"
    try:
        draft = _asked(request, way)
        measured(draft, practice_of(request.user))
    except EmberError as problem:
        messages.error(request, str(problem))
        return redirect("begin")
    tasks.begin(draft)
    draft.refresh_from_db(fields=["state", "result", "problem"])
    return led_on(request, draft) or redirect("draft", draft.uid)


def _asked(request, way: str) -> Draft:
    fields = needed(way, request.FILES)
    for field in fields:
        if (size := request.FILES[field].size) > MOST_UPLOAD:
            raise BadChoice(f"This file is {size / 1e6:.0f} MB; up to {MOST_UPLOAD / 1e6:.0f} MB can be read.")
    data = [request.FILES[field].read() for field in fields]
    # the side is what one looks at in a block's name
    named = request.FILES[fields[-1] if way == "block" else fields[0]].name
    knobs = {name: text[:MOST_TYPED] for name, text in request.POST.items() if name != "csrfmiddlewaretoken"}
    return Draft(
        owner=request.user,
        name=title_of(named),
        file_name=request.FILES[fields[0]].name[:200],
        data=data[0],
        over=data[1] if len(data) > 1 else b"",
        knobs=knobs,
        way=way,
    )


def led_on(request, draft: Draft):
    """Where a draft of one of these ways leads when it has ended: to the work, or back with what kept it from being
    made. None while it is under way."""
    if draft.live:
        return None
    if draft.state == Draft.State.READY:
        draft.delete()
        return redirect("station", draft.result["work"], "relief")
    messages.error(request, draft.problem or "You stopped it. Nothing was kept.")
    draft.delete()
    return redirect("begin")
