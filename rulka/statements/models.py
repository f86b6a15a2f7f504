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

    class Meta:
        ordering: ClassVar = ["pk"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "kind", "name"], name="one_definition_a_name")]


class DefinitionChange(models.Model):
    """One change of a definition: who, when, what in words, and both states, so that it can be undone."""

    definition = models.ForeignKey(Definition, on_delete=models.CASCADE, related_name="changes")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    what = models.TextField()
    before = models.JSONField()
    after = models.JSONField()
    undone = models.BooleanField(default=False)

    class Meta:
        ordering: ClassVar = ["-pk"]
