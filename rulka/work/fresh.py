"""A database that holds nothing yet is made from the models as they are now, which is a hundred times quicker than
going through every step that they took; all steps are written down as taken.

`makemigrations --check` says that models and steps agree, a test that both ways give the same tables.
"""

from __future__ import annotations

from typing import Any

from django.apps import apps
from django.core.management.sql import emit_post_migrate_signal, emit_pre_migrate_signal
from django.db import connections, router
from django.db.migrations.loader import MigrationLoader
from django.db.migrations.operations import RunSQL
from django.db.migrations.recorder import MigrationRecorder


def is_fresh(database: str) -> bool:
    """Whether a database holds no table at all."""
    return not connections[database].introspection.table_names()


def is_current(database: str) -> bool:
    """Whether every step was taken already."""
    loader = MigrationLoader(connections[database])
    return set(loader.graph.nodes) <= set(loader.applied_migrations)


def make_tables(database: str, verbosity: int = 1) -> None:
    """All tables of a fresh database, with the steps that led to them as taken."""
    connection = connections[database]
    loader = MigrationLoader(connection)
    emit_pre_migrate_signal(verbosity, False, database, apps=apps, plan=[])
    with connection.schema_editor() as editor:
        for model in apps.get_models():
            meta = model._meta
            if meta.managed and not meta.proxy and not meta.swapped and router.allow_migrate_model(database, model):
                editor.create_model(model)
        for statement in _statements(loader, database):
            editor.execute(statement)
    recorder = MigrationRecorder(connection)
    recorder.ensure_schema()
    recorder.migration_qs.bulk_create([recorder.Migration(app=app, name=name) for app, name in _in_order(loader)])
    emit_post_migrate_signal(verbosity, False, database, apps=apps, plan=[])


def _in_order(loader: MigrationLoader) -> list[tuple[str, str]]:
    """Every step, after those that it needs."""
    order: dict[tuple[str, str], None] = {}
    for leaf in loader.graph.leaf_nodes():
        order |= dict.fromkeys(loader.graph.forwards_plan(leaf))
    return list(order)


def _statements(loader: MigrationLoader, database: str) -> list[Any]:
    """What steps say to the database beside tables, such as triggers."""
    return [
        operation.sql
        for app, name in _in_order(loader)
        for operation in loader.graph.nodes[app, name].operations
        if isinstance(operation, RunSQL) and router.allow_migrate(database, app, **operation.hints)
    ]
