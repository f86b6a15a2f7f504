"""Folios as stored: outlines with every change, where sections stand, what was written, said and done about them."""

from __future__ import annotations

from typing import ClassVar

from django.conf import settings
from django.db import models

from rulka.statements.models import TextOnShelf, TextStep
from rulka.work.models import FileJob


class Folio(TextOnShelf):
    """A folio: its outline as a text on a shelf, and whether it is open for writing. `word_master` and
    `slide_master` are files whose looks its sections follow; empty for Rulka's own. `sources` says for the tags in
    word files which live places they are."""

    class State(models.TextChoices):
        OUTLINE = "outline", "being outlined"
        WRITING = "writing", "open for writing"
        CLOSED = "closed", "closed"

    state = models.CharField(max_length=8, choices=State.choices, default=State.OUTLINE)
    opened = models.DateTimeField(null=True)
    closed = models.DateTimeField(null=True)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    word_master = models.BinaryField(null=True)
    slide_master = models.BinaryField(null=True)
    master_names = models.JSONField(default=dict, help_text="What the masters' files were called, by form")
    sources = models.JSONField(default=dict)

    class Meta(TextOnShelf.Meta):
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "name"], name="one_folio_a_name")]


class FolioStep(TextStep):
    """One change of an outline."""

    folio = models.ForeignKey(Folio, on_delete=models.CASCADE, related_name="steps")

    class Meta(TextStep.Meta):
        constraints: ClassVar = [
            models.UniqueConstraint(fields=["folio", "version"], name="one_folio_change_a_version")
        ]


class Section(models.Model):
    """Where one section of an outline stands, by its key. `turn` counts through writers, then reviewers; `released` is
    what others read; `frozen` are the figures it was finished with, as each of its readers saw them, at which period,
    node and revision."""

    class State(models.TextChoices):
        TO_WRITE = "to write"
        IN_REVIEW = "in review"
        SENT_BACK = "sent back"
        DONE = "done"

    folio = models.ForeignKey(Folio, on_delete=models.CASCADE, related_name="sections")
    key = models.CharField(max_length=80)
    state = models.CharField(max_length=9, choices=State.choices, default=State.TO_WRITE)
    turn = models.SmallIntegerField(default=0)
    since = models.DateTimeField(auto_now_add=True, help_text="Since when it is somebody's turn")
    holder = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    held = models.DateTimeField(null=True)
    released = models.ForeignKey("Content", null=True, on_delete=models.SET_NULL, related_name="+")
    frozen = models.JSONField(null=True)
    period = models.CharField(max_length=20, blank=True)
    node = models.CharField(max_length=80, blank=True)
    revision = models.IntegerField(null=True)
    reason = models.TextField(blank=True, help_text="Why it was sent back, or taken back")
    left = models.JSONField(default=list, help_text="Typed numbers that somebody leaves as they are")
    version = models.IntegerField(default=0, help_text="Counts what was done, so that nobody overwrites another one")

    class Meta:
        ordering: ClassVar = ["pk"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["folio", "key"], name="one_section_a_key")]


class Content(models.Model):
    """What somebody wrote of a section, here (`body`) or elsewhere (`data`): a draft is seen by them alone until it is
    released; nothing is rewritten once it was."""

    class State(models.TextChoices):
        DRAFT = "draft"
        RELEASED = "released"
        DROPPED = "dropped"

    section = models.ForeignKey(Section, on_delete=models.CASCADE, related_name="contents")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now=True)
    state = models.CharField(max_length=8, choices=State.choices, default=State.DRAFT)
    form = models.CharField(max_length=4, help_text="text, docx, pptx or pdf")
    body = models.JSONField(null=True)
    data = models.BinaryField(null=True)
    file_name = models.CharField(max_length=120, blank=True)
    chosen = models.JSONField(default=dict, help_text="What was chosen for its differences from the master")
    version = models.IntegerField(default=1, help_text="Counts its savings")
    revision = models.IntegerField(null=True, help_text="The ledger's revision that its writer saw")

    class Meta:
        ordering: ClassVar = ["-pk"]
        indexes: ClassVar = [models.Index(fields=["section", "state", "-id"], name="contents_of_section")]
        constraints: ClassVar = [
            models.UniqueConstraint(
                fields=["section", "person"], condition=models.Q(state="draft"), name="one_draft_a_person"
            )
        ]


class SectionStep(models.Model):
    """What somebody did about a section, or the whole (no section); never rewritten."""

    folio = models.ForeignKey(Folio, on_delete=models.CASCADE, related_name="done")
    section = models.ForeignKey(Section, null=True, on_delete=models.CASCADE, related_name="steps")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    what = models.CharField(max_length=40)
    detail = models.TextField(blank=True)
    content = models.ForeignKey(Content, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering: ClassVar = ["-pk"]


class Remark(models.Model):
    """What somebody says about a place of a section: the words that it is about, and itself."""

    section = models.ForeignKey(Section, on_delete=models.CASCADE, related_name="remarks")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    quote = models.CharField(max_length=300, blank=True)
    text = models.TextField()
    settled = models.BooleanField(default=False)

    class Meta:
        ordering: ClassVar = ["pk"]


class Notice(models.Model):
    """Something that somebody has to know about a folio, until they saw it."""

    folio = models.ForeignKey(Folio, on_delete=models.CASCADE, related_name="notices")
    section = models.CharField(max_length=80, blank=True)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    text = models.TextField()
    at = models.DateTimeField(auto_now_add=True)
    seen = models.BooleanField(default=False)

    class Meta:
        ordering: ClassVar = ["-pk"]


class DeskKey(models.Model):
    """A short-lived right to open and save one held section from a desktop program; only a digest of its key is
    kept."""

    digest = models.CharField(max_length=64, unique=True)
    section = models.ForeignKey(Section, on_delete=models.CASCADE, related_name="desk_keys")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    made = models.DateTimeField(auto_now_add=True)
    until = models.DateTimeField()


class FolioJob(FileJob):
    """Pages or a file that are made in the background, as whoever asked may see them; names folio and person without
    pointing at their tables."""

    folio = models.IntegerField()
    person = models.IntegerField()
    form = models.CharField(max_length=4)
    keys = models.JSONField(default=list, help_text="The sections, all of them where it is empty")
    draft = models.BooleanField(default=False, help_text="With what only they see")
    preview = models.BooleanField(default=False, help_text="To be looked at as pages, not taken away")
    told: models.JSONField[dict[str, object], dict[str, object]] = models.JSONField(default=dict)

    class Meta:
        ordering: ClassVar = ["-pk"]
        indexes: ClassVar = [models.Index(fields=["ledger", "folio", "-id"], name="jobs_of_folio")]
