"""Work that goes on in the background: loads, with their progress, their report and how they ended."""

from __future__ import annotations

from typing import ClassVar

from django.db import models


class Progress(models.Model):
    """How far background work is, and that somebody asked to stop it; `state` is waiting, running, or one of its
    ends."""

    done = models.IntegerField(default=0)
    of = models.IntegerField(default=0)
    cancel = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)
    ended = models.DateTimeField(null=True)
    state: models.CharField[str, str]

    class Meta:
        abstract = True

    @property
    def is_open(self) -> bool:
        """Whether it still runs or waits for its turn."""
        return self.state in ("waiting", "running")

    @property
    def percent(self) -> int:
        return min(100, self.done * 100 // self.of) if self.of else 0


class FileJob(Progress):
    """A file that is made in the background, as whoever asked may see it; it names ledger and person without pointing
    at their tables. `told` is what making it said, `fence` what names the bounds that its figures lie within."""

    class State(models.TextChoices):
        WAITING = "waiting", "waits its turn"
        RUNNING = "running", "runs"
        READY = "ready", "is ready"
        FAILED = "failed", "failed"
        CANCELLED = "cancelled", "was cancelled"

    ledger = models.CharField(max_length=40)
    name = models.CharField(max_length=80)
    person_name = models.CharField(max_length=80, blank=True)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    problem = models.TextField(blank=True)
    file = models.TextField(blank=True)
    file_name = models.TextField(blank=True)
    worker = models.CharField(max_length=80, blank=True)
    fence = models.CharField(max_length=64, blank=True, help_text="What names the bounds that its figures lie within")

    class Meta:
        abstract = True


class Load(Progress):
    """One load, from being asked for to its end. It names ledger, feed and person without pointing at their tables."""

    class State(models.TextChoices):
        WAITING = "waiting", "waits its turn"
        RUNNING = "running", "runs"
        HELD = "held", "waits for a decision"
        ACCEPTED = "accepted", "accepted"
        REFUSED = "refused", "refused"
        FAILED = "failed", "failed"
        CANCELLED = "cancelled", "cancelled"
        DROPPED = "dropped", "dropped"

    ledger = models.CharField(max_length=40)
    feed = models.IntegerField(null=True)
    feed_name = models.CharField(max_length=80)
    person = models.IntegerField(null=True)
    person_name = models.CharField(max_length=80, blank=True)
    source = models.TextField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    unattended = models.BooleanField(default=False)
    full = models.BooleanField(default=False, help_text="Asks the source for all it has, not for news only")
    accepting = models.BooleanField(
        default=False, help_text="A person accepted it; it is checked once more and written"
    )
    withdraw = models.BooleanField(default=False, help_text="Entries that the source no longer has are taken out")
    folder = models.TextField(blank=True, help_text="Where what was pulled is kept until it is decided")
    mark = models.CharField(max_length=40, blank=True)
    doing = models.CharField(max_length=20, blank=True)
    worker = models.CharField(max_length=80, blank=True)
    started = models.DateTimeField(null=True)
    report = models.JSONField(default=dict)
    revision = models.IntegerField(null=True)

    class Meta:
        ordering: ClassVar = ["-pk"]
        indexes: ClassVar = [
            models.Index(fields=["ledger", "-id"], name="loads_of_ledger"),
            models.Index(fields=["state"], name="loads_by_state"),
        ]


class Output(Progress):
    """A file of many pages that is made in the background, from being asked for to its end."""

    class State(models.TextChoices):
        WAITING = "waiting", "waits its turn"
        RUNNING = "running", "runs"
        READY = "ready", "is ready"
        FAILED = "failed", "failed"
        CANCELLED = "cancelled", "was cancelled"

    ledger = models.CharField(max_length=40)
    person = models.IntegerField()
    person_name = models.CharField(max_length=80, blank=True)
    statement = models.CharField(max_length=80, help_text="What its statement was called when it was asked for")
    of_definition = models.IntegerField(default=0, help_text="The key of its statement")
    form = models.CharField(max_length=5)
    period = models.CharField(max_length=20)
    node = models.CharField(max_length=80)
    pages = models.CharField(max_length=10, default="all", help_text="The node alone, its children, or all below it")
    address = models.TextField(blank=True, help_text="Where this Rulka answers, for links in the file")
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    problem = models.TextField(blank=True)
    file = models.TextField(blank=True)
    name = models.TextField(blank=True)
    worker = models.CharField(max_length=80, blank=True)
    fence = models.CharField(max_length=64, blank=True, help_text="What names the bounds that its figures lie within")

    class Meta:
        ordering: ClassVar = ["-pk"]


class LeftFile(models.Model):
    """A file with figures that left: what it is of, and how it stood, so that one that comes back is held against it.
    It names ledger, thing and person without pointing at their tables."""

    code = models.CharField(max_length=13, unique=True)
    ledger = models.CharField(max_length=40)
    kind = models.CharField(max_length=20, help_text="What it is of: statement, and whatever else leaves")
    name = models.CharField(max_length=80)
    form = models.CharField(max_length=8)
    period = models.CharField(max_length=20)
    node = models.CharField(max_length=80)
    revision = models.IntegerField()
    figures = models.CharField(max_length=16, help_text="A digest of its figures")
    definitions = models.CharField(max_length=16, help_text="A digest of what they were computed from")
    person = models.IntegerField(null=True)
    person_name = models.CharField(max_length=80, blank=True)
    at = models.DateTimeField(auto_now_add=True, db_index=True)
    fence = models.CharField(max_length=64, help_text="What names the bounds that its figures lie within")
    digest = models.CharField(max_length=64, db_index=True, help_text="SHA-256 of its bytes")
    kept = models.BinaryField(help_text="Its pages and what stood in it, packed")

    class Meta:
        ordering: ClassVar = ["-pk"]
