"""Worksheets as stored: inputs and looks by blocks of rows, and the steps that changed them. Values aren't stored."""

from __future__ import annotations

from typing import ClassVar

from django.conf import settings
from django.db import models

from rulka.ledger.models import Ledger


class Worksheet(models.Model):
    """A workbook of a ledger; `looks` are the looks its cells name by place, `version` counts its changes. What stands
    on a shelf is seen, run and edited by whom the shelf's rights say; `opening` says whether who opens it sees the
    newest revision at once or the one they last took."""

    class Opening(models.TextChoices):
        NEWEST = "newest", "the newest revision on opening"
        ASKED = "asked", "the revision last taken, until the newest is asked for"
        STAYS = "stays", "always the revision it was put at"

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="worksheets")
    name = models.CharField(max_length=80)
    title = models.CharField(max_length=120)
    shelf = models.ForeignKey("statements.Shelf", null=True, on_delete=models.RESTRICT, related_name="worksheets")
    version = models.IntegerField(default=1)
    revision = models.IntegerField(null=True, help_text="The revision that it stays at; none for the newest")
    opening = models.CharField(max_length=8, choices=Opening.choices, default=Opening.NEWEST)
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


class SavedState(models.Model):
    """A worksheet as it was, by its text, to be looked at or brought back."""

    worksheet = models.ForeignKey(Worksheet, on_delete=models.CASCADE, related_name="saved")
    number = models.IntegerField()
    name = models.CharField(max_length=120)
    text = models.TextField()
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering: ClassVar = ["-number"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["worksheet", "number"], name="one_state_a_number")]


class ReaderMarks(models.Model):
    """The revision that a reader last took on a worksheet, and by cell what it showed before, where that changed."""

    worksheet = models.ForeignKey(Worksheet, on_delete=models.CASCADE, related_name="marks")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    revision = models.IntegerField()
    former = models.IntegerField(default=0)
    changed = models.JSONField(default=dict)

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(fields=["worksheet", "person"], name="one_mark_a_person")]


class BoundedTable(models.Model):
    """A bounded table of a ledger: its definition as plain data; a shared part, with rights by its shelf."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="bounded_tables")
    name = models.CharField(max_length=80)
    shelf = models.ForeignKey("statements.Shelf", null=True, on_delete=models.RESTRICT, related_name="bounded_tables")
    body = models.JSONField()
    version = models.IntegerField(default=1)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering: ClassVar = ["name"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "name"], name="one_bounded_a_name")]

    @property
    def title(self) -> str:
        """What people read of it."""
        return str(self.body.get("title") or self.name)


class LiveLink(models.Model):
    """A read-only key to the figures of one worksheet, behind its owner's fence as that is whenever it is asked. The
    key itself is not kept, only its digest."""

    worksheet = models.ForeignKey(Worksheet, on_delete=models.CASCADE, related_name="links")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="live_links")
    digest = models.CharField(max_length=64, unique=True)
    period = models.CharField(max_length=10)
    follows = models.BooleanField(default=False, help_text="Whether it shows the latest period instead of its own")
    node = models.CharField(max_length=80)
    values = models.JSONField(default=dict, help_text="What its owner had chosen for parameters")
    version = models.IntegerField(default=0, help_text="The worksheet's version whose cells its addresses mean")
    made = models.DateTimeField(auto_now_add=True)
    expires = models.DateTimeField()
    revoked = models.DateTimeField(null=True)
    used = models.DateTimeField(null=True)

    class Meta:
        ordering: ClassVar = ["-made"]


class SheetPicture(models.Model):
    """A picture that lies on a sheet of a worksheet; its bytes are kept with it, checked when it came."""

    worksheet = models.ForeignKey(Worksheet, on_delete=models.CASCADE, related_name="pictures")
    name = models.CharField(max_length=120)
    kind = models.CharField(max_length=20)
    content = models.BinaryField()
    added = models.DateTimeField(auto_now_add=True)


class ChosenValues(models.Model):
    """What a reader last chose for the parameters of a worksheet."""

    worksheet = models.ForeignKey(Worksheet, on_delete=models.CASCADE, related_name="chosen")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    values = models.JSONField(default=dict)

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(fields=["worksheet", "person"], name="one_choice_a_person")]
