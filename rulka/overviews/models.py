"""Overviews as stored, what changed them, and whose own they are."""

from __future__ import annotations

from typing import ClassVar

from django.conf import settings
from django.db import models

from rulka.statements.models import TextOnShelf, TextStep


class Overview(TextOnShelf):
    """Pages of tiles over lines of statements, as a text on a shelf."""

    class Meta(TextOnShelf.Meta):
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "name"], name="one_overview_a_name")]


class OverviewStep(TextStep):
    """One change of an overview."""

    overview = models.ForeignKey(Overview, on_delete=models.CASCADE, related_name="steps")

    class Meta(TextStep.Meta):
        constraints: ClassVar = [
            models.UniqueConstraint(fields=["overview", "version"], name="one_overview_change_a_version")
        ]


class OwnOverview(models.Model):
    """The overview that somebody chose as their own: the one their month shows."""

    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    overview = models.ForeignKey(Overview, on_delete=models.CASCADE, related_name="chosen_by")

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(fields=["person", "overview"], name="one_choice_an_overview"),
        ]


class OverviewVisit(models.Model):
    """When somebody last opened an overview."""

    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    overview = models.ForeignKey(Overview, on_delete=models.CASCADE, related_name="visits")
    at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(fields=["person", "overview"], name="one_visit_an_overview")]
