"""Figures that take real processes, sockets and minutes: run by hand, and once shortened by the tests."""
