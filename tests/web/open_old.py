"""Opens a database of an earlier version in a process of its own: migrated, every page asked for, all edits taken back
and made again. Prints what was found as JSON. Run with EMBERQUILT_HOME at the folder that holds it."""

import json
import os
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[2]))
os.environ["DJANGO_SETTINGS_MODULE"] = "workshop.settings"

import django

django.setup()

from django.conf import settings

settings.STORAGES["staticfiles"] = {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"}

from django.core.management import call_command
from django.test import Client

from emberquilt.work.parts import job_of
from tests.walks import open_everything, state
from workshop.compositions import actions, store
from workshop.compositions.models import Composition
from workshop.stations.rule import NAMES


def main() -> None:
    call_command("migrate", verbosity=0)
    client = Client(SERVER_NAME="localhost")
    found = []
    for row in Composition.objects.order_by("created"):
        before = state(store.as_kept(row))
        pages = [client.get(f"/picture/{row.uid}/{name}/").status_code for name in NAMES]
        open_everything(store.load(row))
        told = {
            "name": row.name,
            "decisions": row.decisions,
            "placements": {p.part: p.board for p in row.placements.all()},
            "events": sorted(row.events.values_list("part", flat=True)),
            "parts": sum(1 for _ in job_of(store.load(row)).parts()),
        }
        undone = 0
        while row.cursor:
            row = actions.undo(row, row.revision)
            undone += 1
        bare = store.as_kept(row)
        told |= {
            "undone": undone,
            "pieces": len(bare.made),
            "bare": [bare.decisions.as_dict(), dict(bare.placements), [p.wood for p in bare.made]],
        }
        pages += [client.get(f"/picture/{row.uid}/{name}/").status_code for name in NAMES]
        for _ in range(told["undone"]):
            row = actions.redo(row, row.revision)
        # the caches are emptied, so that what is compared is what stands in the rows
        store._compositions._values.clear()
        store._coverages._values.clear()
        again = state(store.as_kept(Composition.objects.get(pk=row.pk)))
        found.append(told | {"same": again == before, "pages": sorted(set(pages))})
    print(json.dumps(found))


main()
