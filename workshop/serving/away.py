"""A database server that does not answer just now: it is begun anew, or cannot be reached."""

from django.db import InterfaceError, OperationalError

AWAY = "The database does not answer just now. Nothing that was kept is lost: wait a moment, and do it again."
ENDING = {"57P01", "57P02", "57P03", "53300"}
"""It ends, broke, begins, or has no place left (PostgreSQL's manual, appendix A)."""


def is_away(problem: BaseException | None) -> bool:
    """Whether a database server says this, or nobody does in its place: words of a server have a number."""
    cause = problem.__cause__ if isinstance(problem, OperationalError | InterfaceError) else None
    if cause is None or not type(cause).__module__.startswith("psycopg"):
        return False
    number = getattr(cause, "sqlstate", None) or ""
    return not number or number.startswith("08") or number in ENDING
