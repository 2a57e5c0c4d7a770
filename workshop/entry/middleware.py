"""Who may enter, and what they are told when something goes wrong."""

import ipaddress
import logging

from django.conf import settings
from django.core.exceptions import PermissionDenied, RequestDataTooBig, SuspiciousOperation, TooManyFieldsSent
from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.template.loader import render_to_string

from emberquilt.errors import EmberError
from emberquilt.limits import is_out_of_memory
from workshop.serving.away import AWAY, is_away
from workshop.serving.folder import sentence_for
from workshop.shop.actions import shop_of
from workshop.stations.told import tell_afresh

from .person import local_person

log = logging.getLogger(__name__)


FORWARDED = (
    "Forwarded",
    "X-Forwarded-For",
    "X-Forwarded-Host",
    "X-Forwarded-Proto",
    "X-Forwarded-Server",
    "X-Real-IP",
    "Via",
)
"""What a server that passes requests on adds to them (RFC 7239, RFC 9110, and common practice)."""
BEHIND_A_PROXY = (
    "This workshop is open to whoever sits at its computer, without signing in, and this request was passed on by "
    "another server. To let others in, make an account with “python3 run.py account NAME” and start the workshop with "
    "EMBERQUILT_ORIGIN=https://the.address.people.use set: then everybody signs in."
)


class NoProxyOnLoopback:
    """Where nobody signs in, nothing may come through a server before this one: whoever that lets in would be the
    owner."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        if settings.LOCAL_PERSON and any(name in request.headers for name in FORWARDED):
            return HttpResponse(BEHIND_A_PROXY, status=403, content_type="text/plain; charset=utf-8")
        return self.get_response(request)


class NotKept:
    """Pages with somebody's works are kept nowhere on their way, nor in the browser once it is left; pictures and
    outlines, whose address tells their state, say for themselves how long they hold."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        response = self.get_response(request)
        if not response.has_header("Cache-Control"):
            response["Cache-Control"] = "private, no-store"
        return response


class OwnPagesOnly:
    """Refuses requests that another site's page makes. The host check has already refused foreign names.

    Browsers say where a request comes from (Fetch Metadata); a plain link from elsewhere may open a page,
    but nothing else from another site gets in.
    """

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        site = request.headers.get("Sec-Fetch-Site", "none")
        opens_a_page = request.method == "GET" and request.headers.get("Sec-Fetch-Mode") == "navigate"
        if site in ("cross-site", "same-site") and not opens_a_page:
            return HttpResponse("Another site's page may not use this workshop.", status=403, content_type="text/plain")
        return self.get_response(request)


class LocalPerson:
    """Bound to loopback, the person at this computer is the owner of everything and need not sign in."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        if settings.LOCAL_PERSON and not request.user.is_authenticated and _from_here(request):
            request.user = local_person()
        return self.get_response(request)


def _from_here(request) -> bool:
    try:
        return ipaddress.ip_address(request.META.get("REMOTE_ADDR", "")).is_loopback
    except ValueError:
        return False


class SentenceForErrors:
    """What the core raises on purpose becomes its own sentence on a page, or in the corner of one."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        return self.get_response(request)

    def process_exception(self, request, exception):
        if isinstance(exception, RequestDataTooBig | TooManyFieldsSent):
            return sentence(request, "What was sent is larger than anything this page asks for.", 413)
        if isinstance(exception, EmberError):
            return sentence(request, str(exception), 422)
        if isinstance(exception, Http404 | PermissionDenied | SuspiciousOperation):
            return None
        if is_away(exception):
            return away(request)
        if words := sentence_for(exception, settings.HOME):
            log.error("%s %s: %s", request.method, request.path, words)
            return sentence(request, words, 507)
        if is_out_of_memory(exception):
            return sentence(request, NO_MEMORY, 500)
        log.error("%s %s broke", request.method, request.path, exc_info=exception)
        return sentence(request, BROKE, 500)


NO_MEMORY = (
    "This asks for more memory than is given to one page. What was there before is still there; ask for less at once, "
    "or for a smaller picture."
)
BROKE = (
    "Something broke in the workshop, and this could not be done or shown. Each change is written whole or not at all, "
    "so what was there before is still there."
)


def work_of(request):
    """The work that a page speaks of, where it is the asker's own; None elsewhere."""
    match = getattr(request, "resolver_match", None)
    uid = match.kwargs.get("uid") if match else None
    person = getattr(request, "user", None)
    if uid is None or person is None or not person.is_authenticated:
        return None
    return person.compositions.filter(uid=uid).first()


def away(request):
    """Nothing of the asker can be known; programs may try again by themselves."""
    htmx = "HX-Request" in request.headers
    page = render_to_string("entry/said.html" if htmx else "entry/sentence.html", {"words": AWAY})
    headers = {"Retry-After": "5", "Cache-Control": "private, no-store"}
    return HttpResponse(page, status=503, headers=headers | (IN_THE_CORNER if htmx else {}))


IN_THE_CORNER = {"HX-Retarget": "#said", "HX-Reswap": "outerHTML"}


def sentence(request, words: str, status: int):
    """The words as an answer: only the words for htmx, a page of their own otherwise, with the ways out of a work that
    cannot be shown."""
    htmx = getattr(request, "htmx", False)
    row = None if htmx or request.method != "GET" or status not in (422, 500) else work_of(request)
    if row is not None and status == 422 and "broken" not in tell_afresh(row, shop_of(row.owner)):
        row = None
    response = render(
        request, "entry/said.html" if htmx else "entry/sentence.html", {"words": words, "row": row}, status=status
    )
    for name, value in IN_THE_CORNER.items() if htmx else ():
        response[name] = value
    return response
