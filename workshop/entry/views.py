import sys

from workshop.serving.away import is_away

from .middleware import BROKE, away, sentence


def not_found(request, exception=None):
    return sentence(request, "There is no such page, or it belongs to somebody else.", 404)


def refused(request, exception=None):
    return sentence(request, "This is not allowed here.", 403)


def bad_request(request, exception=None):
    return sentence(request, "This request makes no sense to the workshop.", 400)


def broken(request):
    # also from where nothing is said of exceptions yet: the session itself is in the database
    return away(request) if is_away(sys.exc_info()[1]) else sentence(request, BROKE, 500)


def stale_form(request, reason=""):
    return sentence(request, "This page was open for too long. Load it again and repeat the last step.", 403)
