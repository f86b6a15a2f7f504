"""A finished statement that is being rebuilt: its tables, what was found, what was answered."""

from __future__ import annotations

from typing import Any, ClassVar

from django.db import models

from rulka.work.models import Progress


class Rebuild(Progress):
    """A table on its way to a statement; only whoever gave it sees it. It names ledger and person without pointing at
    their tables."""

    class State(models.TextChoices):
        WAITING = "waiting", "waits its turn"
        RUNNING = "running", "runs"
        READY = "ready", "was found"
        FAILED = "failed", "failed"
        CANCELLED = "cancelled", "was cancelled"

    ledger = models.CharField(max_length=40)
    person = models.IntegerField()
    title = models.CharField(max_length=120)
    files = models.JSONField(default=list, help_text="What the tables came from, by name")
    tables: models.JSONField[list[dict[str, Any]], list[dict[str, Any]]] = models.JSONField(default=list)
    asked: models.JSONField[dict[str, Any], dict[str, Any]] = models.JSONField(default=dict)
    found: models.JSONField[dict[str, Any] | None, dict[str, Any] | None] = models.JSONField(null=True)
    answers: models.JSONField[dict[str, Any], dict[str, Any]] = models.JSONField(default=dict)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    doing = models.CharField(max_length=60, blank=True)
    problem = models.TextField(blank=True)
    worker = models.CharField(max_length=80, blank=True)
    fence = models.CharField(max_length=64, blank=True, help_text="What names the bounds that it was found within")
    revision = models.IntegerField(default=0, help_text="The ledger's revision that it was found in")
    made = models.IntegerField(null=True, help_text="The key of the statement that became of it")

    class Meta:
        ordering: ClassVar = ["-pk"]
        indexes: ClassVar = [models.Index(fields=["ledger", "person", "-id"], name="rebuilds_of_person")]
