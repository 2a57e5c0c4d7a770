"""The workshop on one's phone: its address to be photographed, with a key that opens it once; and the first account of
a workshop that is opened to its network."""

import ipaddress

import segno
from django.conf import settings
from django.contrib import messages
from django.contrib.auth import get_user_model, login
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.hashers import UNUSABLE_PASSWORD_PREFIX
from django.contrib.auth.password_validation import validate_password
from django.contrib.auth.validators import UnicodeUsernameValidator
from django.core.exceptions import ValidationError
from django.db import transaction
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils.safestring import mark_safe

from emberquilt.errors import BadChoice
from workshop.serving.addresses import own_addresses

from . import throttle
from .keys import FIVE_MINUTES, new_key, used, whose
from .person import LOCAL_NAME, local_person

BACKEND = "django.contrib.auth.backends.ModelBackend"
QUIET = 4
"""Modules that stay white round a code (ISO/IEC 18004)."""


def phone(request):
    """At the computer alone: how to let the phone in. Where people sign in: the code, anew at each look."""
    if settings.LOCAL_PERSON:
        return _alone(request)
    key = new_key(request.user)
    address = f"{_base(request)}{reverse('come-in', args=(key,))}"
    code = segno.make(address, error="m", micro=False)
    drawn = code.svg_inline(border=QUIET, dark="#2a2521", light="#fff", omitsize=True)
    context = {
        "address": _base(request),
        "code": mark_safe(drawn),  # noqa: S308  drawn by the library from an address of ours
        "minutes": int(FIVE_MINUTES.total_seconds() // 60),
        "secure": request.is_secure(),
    }
    return render(request, "entry/phone.html", context)


def _base(request) -> str:
    """Where a phone reaches this workshop: as it is reached now, unless that is this computer's word for itself."""
    if settings.ORIGINS:
        return settings.ORIGINS[0]
    host, _, port = request.get_host().partition(":")
    if host == "localhost" or (_is_address(host) and ipaddress.ip_address(host).is_loopback):
        bound = settings.BIND if _is_address(settings.BIND) and settings.BIND != "0.0.0.0" else ""  # noqa: S104
        host = bound or next(iter(own_addresses()), host)
    return f"{request.scheme}://{host}{':' + port if port else ''}"


def _is_address(text: str) -> bool:
    try:
        ipaddress.ip_address(text)
    except ValueError:
        return False
    return True


def _alone(request):
    person = request.user
    context = {"alone": True, "port": request.get_port(), "made": person.has_usable_password()}
    if request.method == "POST" and not context["made"]:
        try:
            name = _make_account(person, request.POST)
        except BadChoice as problem:
            return render(request, "entry/phone.html", context | {"problem": str(problem)}, status=422)
        messages.success(request, f"“{name}” can enter, once the workshop is opened to your network.")
        return redirect("phone")
    return render(request, "entry/phone.html", context)


def _make_account(person, values) -> str:
    """A name and a password for whoever works at this computer; all that is theirs stays theirs. Raises `BadChoice`."""
    name, password = values.get("name", "").strip()[:150], values.get("password", "")
    try:
        UnicodeUsernameValidator()(name)
    except ValidationError:
        raise BadChoice("A name is letters, digits and @ . + - _ only.") from None
    users = get_user_model().objects
    if name.casefold() == LOCAL_NAME or users.filter(username__iexact=name).exclude(pk=person.pk).exists():
        raise BadChoice("That name is taken; choose another.")
    if password != values.get("again", ""):
        raise BadChoice("The two passwords are not the same.")
    person.username = name
    try:
        validate_password(password, person)
    except ValidationError as problem:
        raise BadChoice(" ".join(problem.messages)) from None
    person.set_password(password)
    person.save(update_fields=["username", "password"])
    return name


@login_not_required
def come_in(request, key: str):
    """What the code opens: asks once more, since a browser may look at an address before anybody wants to go there."""
    keys = throttle.keys_of(request, "")[1:]
    wait = throttle.wait_seconds(keys)
    found = None if wait else whose(key)
    if found is None or found.person is None or not found.person.is_active:
        if not wait:
            throttle.wrong(keys)
        return render(request, "entry/come_in.html", {"wait": wait}, status=410)
    if request.method != "POST":
        return render(request, "entry/come_in.html", {"person": found.person, "key": key})
    if not used(found):
        return render(request, "entry/come_in.html", {}, status=410)
    login(request, found.person, backend=BACKEND)
    return redirect("shelf")


@login_not_required
def first(request, key: str):
    """The first account of a workshop that was just opened to its network, by the key that the terminal told."""
    keys = throttle.keys_of(request, "")[1:]
    wait = throttle.wait_seconds(keys)
    found = None if wait else whose(key)
    if found is None or found.person is not None or somebody_can_enter():
        if not wait:
            throttle.wrong(keys)
        return render(request, "entry/first.html", {"over": True, "wait": wait}, status=410)
    if request.method != "POST":
        return render(request, "entry/first.html", {"key": key})
    try:
        with transaction.atomic():
            person = local_person()
            _make_account(person, request.POST)
            if not used(found):
                raise BadChoice("This was opened a second time meanwhile.")
    except BadChoice as problem:
        context = {"key": key, "problem": str(problem), "name": request.POST.get("name", "")[:150]}
        return render(request, "entry/first.html", context, status=422)
    login(request, person, backend=BACKEND)
    return redirect("shelf")


def somebody_can_enter() -> bool:
    """There is an account with a password."""
    people = get_user_model().objects.filter(is_active=True)
    return people.exclude(password__startswith=UNUSABLE_PASSWORD_PREFIX).exists()
