#!/usr/bin/env python3
import os
import sys

if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "workshop.settings")
    from django.core.exceptions import ImproperlyConfigured
    from django.core.management import execute_from_command_line
    from django.db import OperationalError

    try:
        execute_from_command_line(sys.argv)
    except ImproperlyConfigured as problem:
        sys.exit(str(problem))
    except OperationalError as problem:
        # on the command line nobody else says it; pages have their own sentences
        sys.exit(f"The database does not answer: {' '.join(str(problem).split())}")
