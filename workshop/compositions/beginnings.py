"""Ways to begin that are no drawing of a flat picture: parts that stand in slots, a body in slices, a block."""

from django.contrib import messages
from django.http import Http404
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from emberquilt.errors import BadChoice, EmberError
from emberquilt.formats.make import Wishes, block_from, body_from, made_from
from emberquilt.intake.apart import body_apart, propose_apart
from emberquilt.intake.body_source import blown_body
from emberquilt.intake.knobs import knobs_of, size_of
from emberquilt.practice import Practice
from emberquilt.space.slices import Cutting
from emberquilt.units import Length
from workshop.shop.actions import practice_of

from . import actions
from .titles import title_of
from .uploads import MOST_UPLOAD


@require_GET
def beginnings(request):
    """The ways side by side, each with its own few questions."""
    return render(request, "compositions/begin.html", {"practice": practice_of(request.user)})


@require_POST
def begin(request, way: str):
    """A work begun one of these ways; a sentence where it cannot be."""
    practice = practice_of(request.user)
    if way not in WAYS:
        raise Http404
    try:
        composition, name, data = WAYS[way](request, practice)
        row = actions.create(request.user, composition, name, data)
    except EmberError as problem:
        messages.error(request, str(problem))
        return redirect("begin")
    return redirect("station", row.uid, "relief")


def _file(request, field: str, what: str) -> tuple[bytes, str]:
    upload = request.FILES.get(field)
    if upload is None:
        raise BadChoice(f"Choose a file first: {what}.")
    if upload.size > MOST_UPLOAD:
        raise BadChoice(f"This file is {upload.size / 1e6:.0f} MB; up to {MOST_UPLOAD / 1e6:.0f} MB can be read.")
    return upload.read(), upload.name[:200]


def _mm(request, name: str, practice: Practice, usual: str = "") -> float:
    return Length.parse(request.POST.get(name) or usual, practice.unit).mm


def _sliced(request, practice: Practice):
    high = request.POST.get("body_height", "")
    if request.FILES.get("front") or request.FILES.get("side"):
        size, knobs = size_of({"how": "percent", "size": "100"}, practice.unit), knobs_of({}, practice.unit)
        drawings = [_file(request, field, words) for field, words in (("front", FRONT), ("side", SIDE))]
        front, side = (propose_apart(drawing, size, knobs, say=practice.say) for drawing, _ in drawings)
        data, name = drawings[0]
        body = blown_body(front, side, high, practice.unit, request.POST.get("stretch") == "yes")
    else:
        data, name = _file(request, "body", "an STL, OBJ or 3MF of a closed body, or drawings of its front and side")
        body = body_apart(data, high, practice.unit)
    pin = request.POST.get("pin", "").strip()
    how = Cutting(
        _mm(request, "slice_thickness", practice),
        body.height_mm,
        request.POST.get("along", "best"),
        Length.parse(pin, practice.unit).mm if pin not in ("", "0") else 0.0,
        2 if request.POST.get("pins") == "2" else 1,
    )
    return body_from(body, title_of(name), how, Wishes(), practice), name, data


def _compound(request, practice: Practice):
    size, knobs = size_of({"how": "percent", "size": "100"}, practice.unit), knobs_of({}, practice.unit)
    drawings = [_file(request, name, words) for name, words in (("front", FRONT), ("side", SIDE))]
    found = [propose_apart(data, size, knobs, say=practice.say) for data, _ in drawings]
    height = request.POST.get("block_height", "").strip()
    composition = block_from(
        found[0],
        found[1],
        title_of(drawings[0][1]),
        _mm(request, "block", practice),
        Wishes(),
        practice,
        Length.parse(height, practice.unit).mm if height else None,
        request.POST.get("stretch") == "yes",
    )
    return composition, drawings[0][1], drawings[0][0]


def _slotted(request, practice: Practice):
    data, name = _file(request, "plan", "a drawing with the parts side by side")
    width = request.POST.get("width", "").strip()
    how = {"how": "width", "size": width} if width else {"how": "percent", "size": "100"}
    found = propose_apart(data, size_of(how, practice.unit), knobs_of({}, practice.unit), say=practice.say)
    wishes = Wishes(thickness=request.POST.get("thickness", "").strip(), slots=True)
    return made_from(found, title_of(name), wishes, practice), name, data


FRONT, SIDE = "a drawing of the front", "a drawing of the right side"
WAYS = {"slots": _slotted, "slices": _sliced, "block": _compound}
