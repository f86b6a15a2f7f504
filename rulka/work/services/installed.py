"""What is missing for Rulka to run, and how it is mended."""

from __future__ import annotations

import os
import shutil
import sqlite3
import stat
import sys
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

from django.conf import settings
from django.db import DatabaseError, connections
from django.db.migrations.executor import MigrationExecutor

from rulka.people.library.persons import an_administrator_can_sign_in
from rulka.work.services import health

LEAST_SQLITE = (3, 38, 0)
LEAST_ROOM = 2_000_000_000


@dataclass(frozen=True)
class InstallFinding:
    """One thing that was looked at: whether it is there, and if not how it is mended. What is `advised` only doesn't
    count as missing."""

    what: str
    is_there: bool
    mend: str = ""
    advised: bool = False


def look() -> list[InstallFinding]:
    """Everything that Rulka needs to run for real people."""
    return [finding for look_at in LOOKS for finding in look_at()]


def _machine() -> Iterator[InstallFinding]:
    yield InstallFinding("Python 3.11 or newer", sys.version_info >= (3, 11), f"This is {sys.version.split()[0]}.")
    there = sqlite3.sqlite_version_info >= LEAST_SQLITE
    yield InstallFinding(
        "SQLite 3.38 or newer", there, f"This is {sqlite3.sqlite_version}: upgrade Debian's libsqlite3-0."
    )
    try:
        import weasyprint

        drawn = bool(weasyprint.VERSION)
    except OSError:
        drawn = False
    yield InstallFinding("Pango, for PDF", drawn, "Install libpango-1.0-0, libpangoft2-1.0-0 and libharfbuzz-subset0.")


def _folder() -> Iterator[InstallFinding]:
    var = Path(settings.VAR)
    mode = stat.S_IMODE(var.stat().st_mode)
    yield InstallFinding(f"{var} is for its own user only", not mode & 0o077, f"chmod 700 {var}")
    yield InstallFinding(
        f"{var} takes files", "folder" not in health.failing(), f"Let the service's user write to {var}."
    )
    free = shutil.disk_usage(var).free
    held = sum(path.stat().st_size for path in var.glob("*.sqlite3"))
    wanted = max(LEAST_ROOM, 2 * held)
    yield InstallFinding(
        f"{wanted / 1e9:.1f} GB of room", free >= wanted, f"There are {free / 1e9:.1f} GB: loads and backups need it."
    )
    key = var / "secret-key"
    given = "RULKA_SECRET_KEY" in os.environ
    safe = given or (key.exists() and not stat.S_IMODE(key.stat().st_mode) & 0o077)
    yield InstallFinding("a secret key that only the service reads", safe, f"chmod 600 {key}")


def _databases() -> Iterator[InstallFinding]:
    for name in ("default", "work"):
        try:
            executor = MigrationExecutor(connections[name])
            left = executor.migration_plan(executor.loader.graph.leaf_nodes())
            mend = f"{len(left)} changes of tables are left: python manage.py migrate" if left else ""
            yield InstallFinding(f"database {name} is of this version", not left, mend)
        except DatabaseError as error:
            yield InstallFinding(
                f"database {name} answers", False, f"{error}. Look at DATABASE_URL and RULKA_WORK_URL."
            )


def _people() -> Iterator[InstallFinding]:
    try:
        can = an_administrator_can_sign_in()
    except DatabaseError:
        return
    mend = "python manage.py make_person NAME --role administrator --password"
    yield InstallFinding("an administrator who can sign in", can, mend)


def _settings() -> Iterator[InstallFinding]:
    yield InstallFinding("no demo sign-in", not settings.DEMO, "Leave RULKA_DEMO out: it lets anybody in.")
    yield InstallFinding("no error pages for development", not settings.DEBUG, "Leave RULKA_DEBUG out.")
    named = set(settings.ALLOWED_HOSTS) - {"localhost", "127.0.0.1", "[::1]"}
    yield InstallFinding(
        "a name that it answers to", bool(named), "Set RULKA_HOSTS to the name people type.", advised=True
    )
    yield InstallFinding(
        "HTTPS only",
        settings.SESSION_COOKIE_SECURE,
        "Put a proxy with TLS before it and set RULKA_HTTPS=1.",
        advised=True,
    )
    styles = Path(settings.BASE_DIR) / "rulka" / "web" / "static" / "rulka.css"
    yield InstallFinding("styles", styles.exists(), "The checkout is not whole: rulka/web/static/rulka.css is missing.")


def _worker() -> Iterator[InstallFinding]:
    yield InstallFinding(
        "a worker that is awake", health.worker_is_awake(), "Start python manage.py work.", advised=True
    )


LOOKS: tuple[Callable[[], Iterator[InstallFinding]], ...] = (_machine, _folder, _databases, _people, _settings, _worker)
