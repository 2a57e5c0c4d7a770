"""Fills a data folder with a club: so many people, each with so many works, the demo's over and over.

python tools/figures/fill_home.py HOME PEOPLE WORKS
"""

import os
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[2]))

from tests.served import PASSWORD


def fill(people: int, works: int) -> None:
    from django.contrib.auth import get_user_model
    from django.core.management import call_command
    from django.utils import timezone

    from emberquilt.formats.project import write_project
    from workshop.compositions import actions
    from workshop.compositions.told import keep, state_of
    from workshop.shop.actions import shop_of
    from workshop.stations.told import on_this_day

    call_command("migrate", verbosity=0)
    users = get_user_model().objects
    first = users.create_user("person-0", password=PASSWORD)
    call_command("load_demo", owner="person-0")
    rows = list(first.compositions.all())
    files = [(write_project(actions.project_of(row, timezone.now())), row.told) for row in rows]
    for number in range(people):
        person = first if number == 0 else users.create_user(f"person-{number}", password=PASSWORD)
        brought = [(row, row.told) for row in person.compositions.all()]
        for i in range(len(brought), works):
            data, told = files[i % len(files)]
            row = actions.bring_project(person, data)
            row.name = f"{row.name} {i}"
            row.save(update_fields=["name"])
            brought.append((row, told))
        shop = shop_of(person)
        for row, told in brought:
            # as its pages would have told it
            keep(row, told | {"state": state_of(row, shop), "on": on_this_day(row, shop)})


if __name__ == "__main__":
    home, people, works = sys.argv[1:]
    os.environ |= {"EMBERQUILT_HOME": home, "DJANGO_SETTINGS_MODULE": "workshop.settings"}
    import django

    django.setup()
    fill(int(people), int(works))
