"""Which database a model lives in: queue, progress and web sessions have a file of their own, which no load ever
locks."""

from __future__ import annotations

from typing import Any

WORK = "work"
WORK_APPS = {"work", "django_tasks_database", "sessions"}


class WorkRouter:
    def db_for_read(self, model: Any, **hints: Any) -> str | None:
        return WORK if model._meta.app_label in WORK_APPS else None

    db_for_write = db_for_read

    def allow_relation(self, one: Any, other: Any, **hints: Any) -> bool | None:
        return (one._meta.app_label in WORK_APPS) == (other._meta.app_label in WORK_APPS)

    def allow_migrate(self, db: str, app_label: str, **hints: Any) -> bool:
        return (db == WORK) == (app_label in WORK_APPS)
