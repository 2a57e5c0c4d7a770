"""All rows of one database in another, of whatever kind, at any state of migrations: by the models of that state."""

import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path

from django.core.management import call_command
from django.core.management.color import no_style
from django.db import connection, connections, transaction
from django.db.migrations import Migration, RunPython
from django.db.migrations.executor import MigrationExecutor
from django.db.models import Model

SOME = 500


@contextmanager
def beside(path: Path) -> Iterator[str]:
    """A SQLite file as one more database; its alias."""
    alias = "beside"
    connections.databases[alias] = connections["default"].settings_dict | {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": path,
        "OPTIONS": {},
    }
    try:
        yield alias
    finally:
        connections[alias].close()
        del connections[alias]
        del connections.databases[alias]


def _migrated(alias: str, done: set[tuple[str, str]]) -> None:
    """An empty database in the state in which just these migrations are done."""
    executor = MigrationExecutor(connections[alias])
    if not done >= set(executor.loader.graph.nodes):
        # an earlier state: step by step, not by those that stand for many
        executor.loader.replace_migrations = False
        executor.loader.build_graph()
    plan = [
        (_without_code(m), False)
        for m, _ in executor.migration_plan(executor.loader.graph.leaf_nodes())
        if (m.app_label, m.name) in done
    ]
    executor.migrate([(m.app_label, m.name) for m, _ in plan], plan=plan)


def _without_code(migration: Migration) -> Migration:
    """There are no rows that its code could bring up, and it would look for them elsewhere."""
    migration.operations = [one for one in migration.operations if not isinstance(one, RunPython)]
    return migration


def _models(alias: str) -> list[type[Model]]:
    """The models of the state a database is in, those that others point to first."""
    loader = MigrationExecutor(connections[alias]).loader
    done = [key for key in loader.applied_migrations if key in loader.graph.nodes]
    apps = loader.project_state(done).apps
    left, order = list(apps.get_models(include_auto_created=True)), []
    while left:
        known = set(order)
        ready = [
            m for m in left if all(f.related_model in (*known, m) for f in m._meta.concrete_fields if f.related_model)
        ]
        order += ready or left
        left = [m for m in left if m not in order]
    for model in order:
        for field in model._meta.concrete_fields:
            # a row that is copied was neither made nor changed now
            for name in ("auto_now", "auto_now_add"):
                if getattr(field, name, False):
                    setattr(field, name, False)
    return order


def _rows(model: type[Model], alias: str) -> Iterator[list[Model]]:
    some: list[Model] = []
    for row in model._base_manager.using(alias).order_by("pk").iterator(SOME):
        some.append(row)
        if len(some) == SOME:
            yield some
            some = []
    if some:
        yield some


def _put(alias_from: str, alias_to: str) -> None:
    for model in _models(alias_from):
        target = model._base_manager.using(alias_to)
        target.all().delete()
        for some in _rows(model, alias_from):
            target.bulk_create(some, batch_size=SOME)


def to_sqlite(path: Path) -> None:
    """All rows as they stand at one moment, in a new SQLite file of the same state."""
    done = set(MigrationExecutor(connection).loader.applied_migrations)
    with beside(path) as alias:
        _migrated(alias, done)
        with transaction.atomic():
            with connection.cursor() as cursor:
                cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY")
            _put("default", alias)


def from_sqlite(path: Path, done: list[list[str]]) -> None:
    """All rows of a SQLite file in the place of those that are kept, at its state of migrations."""
    with closing(sqlite3.connect(path)) as rows:
        rows.execute("PRAGMA quick_check")
    with transaction.atomic(), connection.cursor() as cursor:
        tables = [f'"{name}"' for name in connection.introspection.table_names(cursor)]
        if tables:
            cursor.execute(f"DROP TABLE {', '.join(tables)} CASCADE")
        _migrated("default", {(app, name) for app, name in done})
        with beside(path) as alias:
            _put(alias, "default")
            models = _models(alias)
        for statement in connection.ops.sequence_reset_sql(no_style(), models):
            cursor.execute(statement)
    call_command("migrate", verbosity=0)
