"""Extracts as stored: their text as plain data, what changed them, people's own layouts, and their runs."""

from __future__ import annotations

from typing import Any, ClassVar

from django.conf import settings
from django.db import models

from rulka.statements.models import TextOnShelf, TextStep
from rulka.work.models import FileJob


class Extract(TextOnShelf):
    """A stored pull of rows, as a text on a shelf."""

    class Meta(TextOnShelf.Meta):
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "name"], name="one_extract_a_name")]

    @property
    def of_rows(self) -> str:
        """What rows it is of."""
        rows = self.body["rows"]
        if isinstance(rows, str):
            return rows
        ((kind, of),) = rows.items()
        return {"figures": f"figures of {of}", "query": f"the query {of}"}.get(kind, str(of))


class ExtractStep(TextStep):
    """One change of an extract."""

    extract = models.ForeignKey(Extract, on_delete=models.CASCADE, related_name="steps")

    class Meta(TextStep.Meta):
        constraints: ClassVar = [models.UniqueConstraint(fields=["extract", "version"], name="one_change_a_version")]


class QueryText(TextOnShelf):
    """SQL over views, published as rows that extracts may be of."""

    class Meta(TextOnShelf.Meta):
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "name"], name="one_query_a_name")]

    # extracts already bear the usual name of the way back
    ledger = models.ForeignKey("ledger.Ledger", on_delete=models.CASCADE, related_name="query_texts")
    shelf = models.ForeignKey("statements.Shelf", null=True, on_delete=models.RESTRICT, related_name="query_texts")


class QueryStep(TextStep):
    """One change of a query text."""

    query = models.ForeignKey(QueryText, on_delete=models.CASCADE, related_name="steps")

    class Meta(TextStep.Meta):
        constraints: ClassVar = [
            models.UniqueConstraint(fields=["query", "version"], name="one_query_change_a_version")
        ]


class OwnLayout(models.Model):
    """A layout that somebody keeps for themselves."""

    extract = models.ForeignKey(Extract, on_delete=models.CASCADE, related_name="own_layouts")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    name = models.CharField(max_length=80)
    body = models.JSONField()

    class Meta:
        ordering: ClassVar = ["name"]
        constraints: ClassVar = [
            models.UniqueConstraint(fields=["extract", "person", "name"], name="one_own_layout_a_name")
        ]


class ExtractRun(FileJob):
    """One run of an extract, from being asked for to its end. It names ledger, extract and person without pointing at
    their tables."""

    extract = models.IntegerField()
    version = models.IntegerField()
    person = models.IntegerField(null=True)
    period = models.CharField(max_length=20)
    node = models.CharField(max_length=80)
    given: models.JSONField[dict[str, Any], dict[str, Any]] = models.JSONField(
        default=dict, help_text="What was answered"
    )
    layout = models.CharField(max_length=80, blank=True)
    form = models.CharField(max_length=8)
    since = models.IntegerField(null=True, help_text="News only: since this revision")
    whole = models.BooleanField(default=False, help_text="Run without bounds all the same")
    revision = models.IntegerField(null=True)
    rows = models.IntegerField(null=True)
    sums = models.JSONField(default=list, help_text="What its columns came to, as texts")
    notes = models.JSONField(default=list)
    size = models.BigIntegerField(null=True)
    fence = models.CharField(max_length=64, blank=True, help_text="What names the bounds that its rows lie within")
    kept = models.BinaryField(null=True, help_text="Its rows, packed, where what they are of keeps no former state")

    class Meta:
        ordering: ClassVar = ["-pk"]
        indexes: ClassVar = [models.Index(fields=["ledger", "extract", "-id"], name="runs_of_extract")]
