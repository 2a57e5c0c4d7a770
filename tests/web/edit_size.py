"""Prints, as JSON, how many bytes single edits of a composition of 5,000 pieces, or as many as are named, add to the
write-ahead log."""

import json
import os
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[2]))
os.environ["DJANGO_SETTINGS_MODULE"] = "workshop.settings"

import django

django.setup()

from django.conf import settings
from django.core.management import call_command
from django.db import connection

from tests.conftest import cells, composition
from workshop.compositions import actions, store
from workshop.entry.person import local_person


def written(act) -> int:
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    act()
    return Path(f"{settings.DATABASES['default']['NAME']}-wal").stat().st_size


if __name__ == "__main__":
    call_command("migrate", verbosity=0)
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 5000
    row = actions.create(local_person(), composition(cells(count, 1, 3000, 2000), "cherry"))

    def give(count: int) -> None:
        global row
        row = actions.perform(
            row, row.revision, "wood", list(range(100, 100 + count)), {"wood": "walnut" if count == 1 else "holly"}
        )

    def split() -> None:
        global row
        spot = store.load(row).usual_layer.coverage.spots[count // 2]
        points = json.dumps([[spot.x_mm - 1, spot.y_mm], [spot.x_mm + 1, spot.y_mm + 0.3]])
        row = actions.perform(row, row.revision, "split", [count // 2], {"points": points})

    sizes = {"pieces": row.pieces.count(), "1": written(lambda: give(1)), "40": written(lambda: give(40))}
    sizes["undo"] = written(lambda: actions.undo(row, row.revision))
    row.refresh_from_db()
    print(json.dumps(sizes | {"split": written(split)}))
