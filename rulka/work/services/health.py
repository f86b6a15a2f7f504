"""Whether Rulka works: its databases answer, its folder takes files, its worker is awake."""

from __future__ import annotations

import time
from pathlib import Path

from django.conf import settings
from django.db import DatabaseError, connections

BEAT = "worker-beat"
"""A file below VAR that the worker touches while it is awake."""

AWAKE = 150
"""Seconds after which a worker that gave no sign counts as silent."""


def beat() -> None:
    """Say that the worker is awake."""
    (Path(settings.VAR) / BEAT).touch()


def worker_is_awake() -> bool:
    """Whether the worker gave a sign of late."""
    path = Path(settings.VAR) / BEAT
    return path.exists() and time.time() - path.stat().st_mtime < AWAKE


def failing() -> list[str]:
    """What doesn't work of what every page needs; empty where all does."""
    found = []
    for name in ("default", "work"):
        try:
            with connections[name].cursor() as cursor:
                cursor.execute("SELECT 1 FROM sqlite_master")
                cursor.fetchone()
        except DatabaseError:
            found.append(f"database {name}")
    if not _takes_files():
        found.append("folder")
    return found


def _takes_files() -> bool:
    path = Path(settings.VAR) / ".probe"
    try:
        path.write_text("")
        path.unlink()
    except OSError:
        return False
    return True
