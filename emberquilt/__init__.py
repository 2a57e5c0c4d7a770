"""Ember Quilt's core: pieces, woods, heights, sawing, assembly and time. Millimetres and degrees; no web framework."""

__version__ = "0.1.0"
