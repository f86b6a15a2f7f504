"""Worksheets as stored: inputs and looks by blocks of rows, and the steps that changed them. Values aren't stored."""

from __future__ import annotations

from typing import ClassVar

from django.conf import settings
from django.db import models

from rulka.ledger.models import Ledger


class Worksheet(models.Model):
    """A workbook of a ledger; `looks` are the looks its cells name by place, `version` counts its changes."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="worksheets")
    name = models.CharField(max_length=80)
    title = models.CharField(max_length=120)
    version = models.IntegerField(default=1)
    names = models.JSONField(default=dict)
    looks = models.JSONField(default=list)
    parameters = models.JSONField(default=list)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering: ClassVar = ["title", "pk"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "name"], name="one_worksheet_a_name")]


class StoredSheet(models.Model):
    """One sheet of a worksheet; formulas know it by its name, everything else by its number."""

    worksheet = models.ForeignKey(Worksheet, on_delete=models.CASCADE, related_name="sheets")
    number = models.IntegerField()
    place = models.IntegerField()
    name = models.CharField(max_length=31)
    settings = models.JSONField(default=dict)

    class Meta:
        ordering: ClassVar = ["place"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["worksheet", "number"], name="one_sheet_a_number")]


class CellBlock(models.Model):
    """The filled cells of a hundred rows: by `row,column` the input and the place of the look."""

    ROWS: ClassVar = 100

    sheet = models.ForeignKey(StoredSheet, on_delete=models.CASCADE, related_name="blocks")
    number = models.IntegerField()
    cells = models.JSONField(default=dict)

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(fields=["sheet", "number"], name="one_block_a_number")]


class SheetStep(models.Model):
    """One change of a worksheet: what was done, by steps that say both states. `of` is the edit that an undo or redo is
    about."""

    class Kind(models.TextChoices):
        EDIT = "edit", "edit"
        UNDO = "undo", "undo"
        REDO = "redo", "redo"

    worksheet = models.ForeignKey(Worksheet, on_delete=models.CASCADE, related_name="steps")
    version = models.IntegerField()
    kind = models.CharField(max_length=4, choices=Kind.choices, default=Kind.EDIT)
    of = models.ForeignKey("self", null=True, on_delete=models.CASCADE, related_name="turns")
    undone = models.BooleanField(default=False)
    dropped = models.BooleanField(default=False, help_text="Undone, and something else done since: not to be redone")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    what = models.CharField(max_length=200)
    steps = models.JSONField()

    class Meta:
        ordering: ClassVar = ["-version"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["worksheet", "version"], name="one_step_a_version")]


class ChosenValues(models.Model):
    """What a reader last chose for the parameters of a worksheet."""

    worksheet = models.ForeignKey(Worksheet, on_delete=models.CASCADE, related_name="chosen")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    values = models.JSONField(default=dict)

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(fields=["worksheet", "person"], name="one_choice_a_person")]


class BesideTable(models.Model):
    """A table loaded beside the ledger: named columns and rows of text and numbers, every value as text."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="beside_tables")
    name = models.CharField(max_length=80)
    columns = models.JSONField()
    rows = models.JSONField()
    loaded = models.DateTimeField(auto_now=True)

    class Meta:
        ordering: ClassVar = ["name"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "name"], name="one_table_a_name")]
