"""Before serving: migrations, hashed static files and, when asked for, the demo; in one process, so that starting is quick."""

import os
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "workshop.settings")

import django
from django.core.management import call_command

if __name__ == "__main__":
    django.setup()
    call_command("migrate", verbosity=0)
    call_command("collectstatic", interactive=False, verbosity=0, clear=False)
    if "--demo" in sys.argv:
        call_command("load_demo")
