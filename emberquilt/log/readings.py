"""How the Log station reads the panel."""

from ..work.readings import numbered_woods
from ..work.register import reading

reading("log", "numbers")(numbered_woods)
