"""Which database a model lives in: queue, progress and web sessions have a file of their own, which no load ever
locks."""

from __future__ import annotations

from typing import Any

WORK = "work"
WORK_APPS = {"work", "django_tasks_database", "sessions"}
WORK_MODELS = (
    {("people", name) for name in ("signinfailures", "visit", "recorded", "usedcode")}
    | {("dispatch", name) for name in ("sending", "delivery", "looked")}
    | {("extracts", "extractrun"), ("folios", "foliojob"), ("filings", "filingjob"), ("rebuilds", "rebuild")}
)
"""Models of other apps that stand there too: what is written while somebody signs in, the record, and what was sent."""


def is_work(app_label: str, model_name: str | None) -> bool:
    """Whether a model stands in the second database."""
    return app_label in WORK_APPS or (app_label, (model_name or "").lower()) in WORK_MODELS


class WorkRouter:
    def db_for_read(self, model: Any, **hints: Any) -> str | None:
        return WORK if is_work(model._meta.app_label, model._meta.model_name) else None

    db_for_write = db_for_read

    def allow_relation(self, one: Any, other: Any, **hints: Any) -> bool | None:
        return self.db_for_read(one) == self.db_for_read(other)

    def allow_migrate(self, db: str, app_label: str, model_name: str | None = None, **hints: Any) -> bool:
        return (db == WORK) == is_work(app_label, model_name)
