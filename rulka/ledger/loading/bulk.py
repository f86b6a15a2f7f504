"""Many rows at once: what makes them quick, and what keeps them sound all the same."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import Any

from django.apps import apps
from django.db import IntegrityError, connection

from rulka.ledger.models import Balance, JournalEntry, JournalLine

LARGE = (JournalEntry._meta.db_table, JournalLine._meta.db_table, Balance._meta.db_table)
"""Tables of which a load's own rows are looked at, rather than all of them."""


NOTHING = {None: "NULL", "": "''"}
"""What stands in a statement for a column that says nothing."""
ROWS = 60
"""Rows in one statement: four tenths of the time of one a statement."""


def put_columns(table: str, columns: Mapping[str, list[Any] | str | None], tail: str = "") -> None:
    """Put rows in that are given by column: a list with a value for each row, or what none of them says. `tail` is what
    follows the values."""
    told = [column for column in columns.values() if isinstance(column, list)]
    rows, width = len(told[0]), len(told)
    flat: list[Any] = [None] * (rows * width)
    for at, column in enumerate(told):
        flat[at::width] = column
    held = ", ".join("?" if isinstance(column, list) else NOTHING[column] for column in columns.values())
    whole = rows - rows % ROWS

    def statement(count: int) -> str:
        return f"INSERT INTO {table} ({', '.join(columns)}) VALUES {', '.join([f'({held})'] * count)}{tail}"

    connection.ensure_connection()
    with connection.wrap_database_errors:
        connection.connection.executemany(
            statement(ROWS),
            (flat[at : at + ROWS * width] for at in range(0, whole * width, ROWS * width)),
        )
        if whole < rows:
            connection.connection.execute(statement(rows - whole), flat[whole * width :])


@contextmanager
def references_unchecked(many: bool) -> Iterator[None]:
    """Leave it to `check_references` whether rows refer to others, which is quicker for many rows; SQLite ignores this
    within a transaction, where it goes on to look at each row."""
    if not many or connection.in_atomic_block:
        yield
        return
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA foreign_keys = OFF")
    try:
        yield
    finally:
        with connection.cursor() as cursor:
            cursor.execute("PRAGMA foreign_keys = ON")


def last_ids() -> dict[str, int]:
    """The last id of each large table."""
    with connection.cursor() as cursor:
        found = {}
        for table in LARGE:
            cursor.execute(f"SELECT COALESCE(MAX(id), 0) FROM {table}")
            found[table] = cursor.fetchone()[0]
        return found


def check_references(last: dict[str, int]) -> None:
    """Where rows were not looked at one by one: refuse a row that refers to nothing. Of large tables those after the
    last ids."""
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA foreign_keys")
        if cursor.fetchone()[0]:
            return
        for model in apps.get_app_config("ledger").get_models(include_auto_created=True):
            table = model._meta.db_table
            if last.get(table):
                broken = _without_target(cursor, table, last[table])
            else:
                cursor.execute(f"PRAGMA foreign_key_check({table})")
                broken = [row[2] for row in cursor.fetchmany(1)]
            if broken:
                raise IntegrityError(f"A row of {table} refers to nothing in {', '.join(broken)}.")


def _without_target(cursor: Any, table: str, after: int) -> list[str]:
    """The tables to which a row after an id refers where there is nothing."""
    cursor.execute(f"PRAGMA foreign_key_list({table})")
    broken = []
    for _, _, target, own, theirs, *_ in cursor.fetchall():
        cursor.execute(
            f'SELECT EXISTS(SELECT 1 FROM {table} own WHERE own.id > %s AND own."{own}" IS NOT NULL AND NOT EXISTS '
            f'(SELECT 1 FROM {target} target WHERE target."{theirs}" = own."{own}"))',
            [after],
        )
        if cursor.fetchone()[0]:
            broken.append(target)
    return broken
