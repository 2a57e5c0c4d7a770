"""What stations do at length."""

from .calendar.dates import DATES
from .stock.search import LAYOUT

__all__ = ("DATES", "LAYOUT")
