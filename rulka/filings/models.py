"""Filings as stored: taxonomies as they were loaded, what is tagged as what with every change, files that were made."""

from __future__ import annotations

from typing import ClassVar

from django.conf import settings
from django.db import models

from rulka.ledger.models import Ledger
from rulka.statements.models import TextOnShelf, TextStep
from rulka.work.models import FileJob


class Taxonomy(models.Model):
    """A taxonomy package and what was read of it. It is never replaced by another one."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="taxonomies")
    name = models.CharField(max_length=80)
    title = models.CharField(max_length=200)
    version = models.CharField(max_length=40, blank=True)
    entry = models.CharField(max_length=400)
    digest = models.CharField(max_length=64)
    data = models.BinaryField()
    told = models.JSONField(help_text="What was read of the package, plain")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering: ClassVar = ["name"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "name"], name="one_taxonomy_a_name")]


class Filing(TextOnShelf):
    """A filing: its text on a shelf, which names folio and taxonomy and holds the tags."""

    class Meta(TextOnShelf.Meta):
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "name"], name="one_filing_a_name")]


class FilingStep(TextStep):
    """One change of a filing."""

    filing = models.ForeignKey(Filing, on_delete=models.CASCADE, related_name="steps")

    class Meta(TextStep.Meta):
        constraints: ClassVar = [
            models.UniqueConstraint(fields=["filing", "version"], name="one_filing_change_a_version")
        ]


class FilingJob(FileJob):
    """A file that is made and validated in the background, as whoever asked may see it; names filing and person without
    pointing at their tables."""

    filing = models.IntegerField()
    person = models.IntegerField()
    form = models.CharField(max_length=5)
    period = models.CharField(max_length=20)
    told: models.JSONField[dict[str, object], dict[str, object]] = models.JSONField(default=dict)

    class Meta:
        ordering: ClassVar = ["-pk"]
        indexes: ClassVar = [models.Index(fields=["ledger", "filing", "-id"], name="jobs_of_filing")]
