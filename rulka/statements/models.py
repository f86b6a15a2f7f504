"""Definitions of statements, spines, spans and scopes as plain mappings, with every change kept."""

from __future__ import annotations

from typing import ClassVar

from django.conf import settings
from django.db import models

from rulka.ledger.models import Ledger


class Definition(models.Model):
    """One spine, span, scope or statement: `body` is what its YAML document says, every scalar as text."""

    class Kind(models.TextChoices):
        SPINE = "spine"
        SPAN = "span"
        SCOPE = "scope"
        STATEMENT = "statement"

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="definitions")
    kind = models.CharField(max_length=9, choices=Kind.choices)
    name = models.CharField(max_length=80)
    body = models.JSONField()
    version = models.IntegerField(default=1, help_text="Counts the changes of the body")

    class Meta:
        ordering: ClassVar = ["pk"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "kind", "name"], name="one_definition_a_name")]


class Edit(models.Model):
    """One thing that somebody did to a statement: what, in words, and all it changed, so that it can be taken back and done again.

    `statement` is the name of the statement it was done on. `told` edits are entries of the history that can't be undone by
    themselves: undoing, redoing, loading from a file.
    """

    class State(models.TextChoices):
        DONE = "done", "done"
        UNDONE = "undone", "undone"
        DROPPED = "dropped", "dropped"
        TOLD = "told", "told"

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="edits")
    statement = models.CharField(max_length=80)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    what = models.TextField()
    state = models.CharField(max_length=7, choices=State.choices, default=State.DONE)

    class Meta:
        ordering: ClassVar = ["-pk"]
        indexes: ClassVar = [models.Index(fields=["ledger", "statement", "-id"], name="edits_of_statement")]


class Change(models.Model):
    """What an edit did to one definition: both states, none where it was made or deleted; `version` is the one it led to."""

    edit = models.ForeignKey(Edit, on_delete=models.CASCADE, related_name="changes")
    kind = models.CharField(max_length=9, choices=Definition.Kind.choices)
    name = models.CharField(max_length=80)
    version = models.IntegerField(default=0)
    before = models.JSONField(null=True)
    after = models.JSONField(null=True)

    class Meta:
        ordering: ClassVar = ["pk"]
        indexes: ClassVar = [models.Index(fields=["kind", "name", "-id"], name="changes_of_definition")]


class SavedVersion(models.Model):
    """A statement with its parts as somebody saved it under a name."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="saved_versions")
    statement = models.CharField(max_length=80)
    name = models.CharField(max_length=120)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    bodies = models.JSONField()

    class Meta:
        ordering: ClassVar = ["-pk"]
