"""Errors that end in a sentence for the person at the page.

::

    EmberError
    ├── BadLength        what was typed is no usable length
    ├── BadDrawing       the file is no drawing that can become pieces
    │   └── Tangled      its lines cross more often than can become pieces
    ├── BadProject       the project file cannot be read
    ├── BadChoice        a wood, angle, height or practice that makes no sense
    └── Cancelled        the person stopped a long computation

The message of each is complete: shop words, the number and the unit. Pages and the command line print it as it is.
"""


class EmberError(Exception):
    """Base of everything the core raises on purpose."""


class BadLength(EmberError, ValueError):
    pass


class BadDrawing(EmberError, ValueError):
    pass


class Tangled(BadDrawing):
    pass


class BadProject(EmberError, ValueError):
    pass


class BadChoice(EmberError, ValueError):
    pass


class Cancelled(EmberError):
    pass
