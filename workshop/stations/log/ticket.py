"""What the Log station says beside what the bench wrote down."""

from workshop.stations.desk import Desk

PRACTICE = ()


def context(desk: Desk) -> dict:
    return {}
