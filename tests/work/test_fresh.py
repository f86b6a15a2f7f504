"""A fresh database is made at once; going through every step gives the same tables."""

from __future__ import annotations

import os
import re
import sqlite3
import subprocess
import sys
from contextlib import closing
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent.parent
BY_STEPS = """
import django; django.setup()
from django.core.management.commands.migrate import Command
from django.core.management import call_command
for database in ("default", "work"):
    call_command(Command(), database=database, verbosity=0)
"""


def made(var: Path, *arguments: str) -> dict[str, dict[str, object]]:
    """What each database holds after a command."""
    var.mkdir()
    environment = {
        **os.environ, "RULKA_VAR": str(var), "DATABASE_URL": "", "DJANGO_SETTINGS_MODULE": "rulka.web.settings",
    }  # fmt: skip
    subprocess.run([sys.executable, *arguments], env=environment, cwd=ROOT, check=True, capture_output=True)
    return {name: held(var / f"{name}.sqlite3") for name in ("rulka", "work")}


def held(file: Path) -> dict[str, object]:
    """Tables with columns, indices, what refers to what, triggers, steps taken, and rows that were put in."""
    with closing(sqlite3.connect(file)) as database:

        def rows(sql: str) -> list[tuple[object, ...]]:
            return sorted(database.execute(sql).fetchall(), key=repr)

        tables = [name for (name,) in rows("SELECT name FROM sqlite_master WHERE type = 'table'")]
        tables.remove("sqlite_sequence")
        found: dict[str, object] = {"tables": tables, "steps": rows("SELECT app, name FROM django_migrations")}
        for table in tables:
            found[f"{table} columns"] = rows(
                f"SELECT name, type, [notnull], dflt_value, pk FROM pragma_table_info('{table}')"
            )
            found[f"{table} refers"] = rows(
                f"SELECT [table], [from], [to], on_delete FROM pragma_foreign_key_list('{table}')"
            )
            indices = []
            for _, name, unique, origin, _ in database.execute(f"PRAGMA index_list('{table}')").fetchall():
                columns = database.execute(f"SELECT name FROM pragma_index_info('{name}')").fetchall()
                statement = database.execute("SELECT sql FROM sqlite_master WHERE name = ?", [name]).fetchone()[0]
                indices.append((unique, origin, columns, plain(statement)))
            found[f"{table} indices"] = sorted(indices, key=repr)
            checks = database.execute("SELECT sql FROM sqlite_master WHERE name = ?", [table]).fetchone()[0]
            found[f"{table} checks"] = sorted(re.findall(r"CHECK \(.*?\)+", checks))
            if table != "django_migrations":
                found[f"{table} rows"] = database.execute(f"SELECT COUNT(*) FROM {table}").fetchone()
        found["triggers"] = rows("SELECT name, tbl_name, sql FROM sqlite_master WHERE type = 'trigger'")
        return found


def plain(sql: str | None) -> str:
    """An index's statement without the part of its name that follows from a hash."""
    return re.sub(r'"\w+_[0-9a-f]{8}(_\w+)?" ON', "ON", sql or "")


@pytest.mark.slow
def test_a_fresh_database_is_as_its_steps_make_it(tmp_path):
    at_once = made(tmp_path / "once", "manage.py", "migrate", "--verbosity", "0")
    by_steps = made(tmp_path / "steps", "-c", BY_STEPS)
    for name, tables in by_steps.items():
        for what, wanted in tables.items():
            assert at_once[name].get(what) == wanted, (name, what)
        assert at_once[name].keys() == tables.keys()
