"""A work of 12,000 pieces in 40 layers with 10,000 entries in its journal: how long its pages take, first and again.

python tools/figures/large.py [--pieces 12000] [--layers 40] [--entries 10000] [--one-layer]
"""

import argparse
import os
import re
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

HERE = Path(__file__).resolve().parents[2]
sys.path.insert(0, str(HERE))

from tests.served import Server, Visitor  # noqa: E402
from tools.figures.load import family, memory_mb  # noqa: E402

STATIONS = ("pattern", "wood", "relief", "stock", "saw", "assembly", "calendar", "log")


def fill(pieces: int, layers: int, entries: int) -> None:
    """One work for the person at this computer; its journal is renames, so that undo goes back through all of them."""
    import math

    from django.core.management import call_command

    from emberquilt.outline.coverage import Coverage
    from emberquilt.work.composition import Composition, Layer, Piece
    from tests.conftest import grid
    from workshop.compositions import actions, models
    from workshop.entry.person import local_person

    call_command("migrate", verbosity=0)
    each = pieces // layers
    columns = round(math.sqrt(each * 1.5))
    rows = -(-each // columns)
    made, first = [], 1
    for number in range(layers):
        plain = grid(columns, rows, 20.0)
        coverage = Coverage([key + first - 1 for key in plain.keys], plain.outlines)
        own = tuple(
            Piece(key, key, ("walnut", "maple", "cherry")[key % 3], grain_deg=0.0, thickness_mm=3.0)
            for key in coverage.keys
        )
        kind = "mosaic" if number == layers - 1 else "sheet"
        made.append(Layer(number + 1, f"Layer {number + 1}", kind, coverage, own, 3.0))
        first += len(own)
    row = actions.create(local_person(), Composition("Large", columns * 20.0, rows * 20.0, tuple(made)))
    told = [
        models.Entry(
            composition=row,
            seq=seq,
            label=f"name Large {seq}",
            before={"label": "name", "pieces": {}, "composition": {"name": f"Large {seq - 1}" if seq > 1 else "Large"}},
            after={"label": "name", "pieces": {}, "composition": {"name": f"Large {seq}"}},
        )
        for seq in range(1, entries + 1)
    ]
    models.Entry.objects.bulk_create(told, batch_size=500)
    models.Composition.objects.filter(pk=row.pk).update(cursor=entries, name=f"Large {entries}")


def measured(home: Path) -> list[tuple[str, int, float]]:
    """What was asked for, how it was answered, and how long that took."""
    server, told = Server(home), []
    process = server.start()
    threading.Thread(target=lambda: [print(line, end="") for line in process.stdout], daemon=True).start()
    try:
        server.wait_until_up()
        person = Visitor(server.base)

        def asked(what: str, path: str, form=None, htmx: bool = False) -> str:
            begun = time.perf_counter()
            status, words, _ = person.ask(path, form, htmx=htmx)
            told.append((what, status, time.perf_counter() - begun))
            print(f"{what:20} {status} {told[-1][2]:7.2f} s  {len(words) // 1000} kB", flush=True)
            return words

        uid = re.search(r"/picture/([0-9a-f-]{36})/", asked("shelf", "/"))[1]
        for again in ("first", "again"):
            asked(f"tag, {again}", f"/picture/{uid}/tag/")
            for station in STATIONS:
                asked(f"{station}, {again}", f"/picture/{uid}/{station}/")
                asked(f"{station}, rule", f"/picture/{uid}/{station}/rule")
            asked(f"shapes, {again}", f"/picture/{uid}/shapes.json")
            asked(f"bench, {again}", f"/picture/{uid}/bench/")
        page = asked("pattern", f"/picture/{uid}/pattern/")
        for what, verb in (("undo", ""), ("edit", "wood"), ("undo", ""), ("redo", "")):
            revision = re.search(r'name="revision"[^>]*value="(\d+)"', page)
            form = {"verb": verb, "pieces": "7", "wood": "walnut", "revision": revision[1]}
            path = f"/picture/{uid}/wood/do/" if verb else f"/picture/{uid}/{what}/wood/"
            page = asked(what, path, form, htmx=True) or page
        asked("project", f"/picture/{uid}/out/project?with=journal")
        asked("shelf", "/")
        print(f"memory of the server: {memory_mb(family(process.pid)):.0f} MB")
    finally:
        server.end()
    return told


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("--pieces", type=int, default=12_000)
    asked.add_argument("--layers", type=int, default=40)
    asked.add_argument("--entries", type=int, default=10_000)
    asked.add_argument("--fill", default="", help=argparse.SUPPRESS)
    how = asked.parse_args()
    if how.fill:
        os.environ |= {"EMBERQUILT_HOME": how.fill, "DJANGO_SETTINGS_MODULE": "workshop.settings"}
        import django

        django.setup()
        return fill(how.pieces, how.layers, how.entries)
    with tempfile.TemporaryDirectory(prefix="emberquilt-large-") as folder:
        home = Path(folder) / "home"
        given = [f"--{name}={getattr(how, name)}" for name in ("pieces", "layers", "entries")]
        subprocess.run([sys.executable, __file__, f"--fill={home}", *given], check=True)
        measured(home)


if __name__ == "__main__":
    main()
