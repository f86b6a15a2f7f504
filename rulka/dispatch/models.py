"""Dispatches, and in the database of work what was sent: sendings and their deliveries."""

from __future__ import annotations

from typing import ClassVar

from django.db import models

from rulka.ledger.models import Ledger
from rulka.people.models import Person


class Dispatch(models.Model):
    """What goes to whom, by which ways; `body` is what its YAML document says."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="dispatches")
    name = models.CharField(max_length=80)
    title = models.CharField(max_length=400)
    body = models.JSONField()
    version = models.IntegerField(default=1, help_text="Counts the changes of the body")
    owner = models.ForeignKey(Person, null=True, on_delete=models.SET_NULL, related_name="dispatches")

    class Meta:
        ordering: ClassVar = ["name"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "name"], name="one_dispatch_a_name")]


class Use(models.Model):
    """That a statement, worksheet or the like goes with a dispatch, chosen where one works on it; `body` says as what:
    forms, nodes, sheets."""

    dispatch = models.ForeignKey(Dispatch, on_delete=models.CASCADE, related_name="uses")
    kind = models.CharField(max_length=20)
    thing = models.CharField(max_length=80)
    body = models.JSONField(default=dict)

    class Meta:
        ordering: ClassVar = ["pk"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["dispatch", "kind", "thing"], name="one_use_a_thing")]


class Server(models.Model):
    """A file server that may be sent to, named by an administrator; its secret is encrypted, its key pinned."""

    class Kind(models.TextChoices):
        SFTP = "sftp", "SFTP"
        FTPS = "ftps", "FTPS"
        FTP = "ftp", "plain FTP"

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="file_servers")
    name = models.CharField(max_length=80)
    kind = models.CharField(max_length=4, choices=Kind.choices, default=Kind.SFTP)
    host = models.CharField(max_length=250)
    port = models.IntegerField(default=22)
    user = models.CharField(max_length=150, blank=True)
    sealed = models.TextField(blank=True, help_text="The secret, encrypted")
    folder = models.CharField(max_length=400, blank=True)
    pinned = models.TextField(blank=True, help_text="The key of the host, or the digest of its certificate")

    class Meta:
        ordering: ClassVar = ["name"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "name"], name="one_file_server_a_name")]


class Contact(models.Model):
    """Somebody of the address book: a name for a mail address."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="contacts")
    name = models.CharField(max_length=80)
    address = models.CharField(max_length=250)

    class Meta:
        ordering: ClassVar = ["name"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "name"], name="one_contact_a_name")]


class Days(models.Model):
    """In which time zone a ledger's days are, and which of them are holidays (`{"2026-12-25": "Christmas Day"}`)."""

    ledger = models.OneToOneField(Ledger, on_delete=models.CASCADE, related_name="days")
    zone = models.CharField(max_length=60, blank=True, help_text="Empty for the server's")
    holidays = models.JSONField(default=dict)


class MailAccount(models.Model):
    """A mail account of somebody's own; its secret is encrypted."""

    person = models.OneToOneField(Person, on_delete=models.CASCADE, related_name="mail_account")
    host = models.CharField(max_length=250)
    port = models.IntegerField(default=587)
    tls = models.BooleanField(default=True)
    user = models.CharField(max_length=250, blank=True)
    sealed = models.TextField(blank=True)
    sender = models.CharField(max_length=250)


class Looked(models.Model):
    """Until when it was looked whether a rule of a dispatch came."""

    ledger = models.CharField(max_length=40)
    dispatch = models.CharField(max_length=80)
    rule = models.CharField(max_length=120)
    until = models.DateTimeField()

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "dispatch", "rule"], name="one_look_a_rule")]


class Sending(models.Model):
    """One occasion on which a dispatch went: of which period, at which revision of the ledger. It names ledger,
    dispatch and person without pointing at their tables."""

    class State(models.TextChoices):
        ASKED = "asked", "waits for its turn"
        MADE = "is made", "is made ready"
        WAITS = "waits", "waits for its owner"
        HELD = "held", "waits for release"
        GOES = "goes", "goes"
        DECLINED = "declined", "was not released"
        DROPPED = "dropped", "was let go"
        FAILED = "failed", "could not be made"
        REHEARSED = "rehearsed", "was rehearsed"

    ledger = models.CharField(max_length=40)
    dispatch = models.CharField(max_length=80)
    occasion = models.CharField(max_length=80)
    period = models.CharField(max_length=20)
    revision = models.IntegerField(default=0)
    body = models.JSONField(help_text="The dispatch as it was")
    only = models.CharField(max_length=150, blank=True, help_text="The one person it goes to")
    state = models.CharField(max_length=10, choices=State.choices, default=State.GOES)
    due = models.DateTimeField(null=True, help_text="When it came by a rule")
    late = models.BooleanField(default=False)
    rehearsal = models.BooleanField(default=False, help_text="Nothing of it goes")
    answer = models.TextField(blank=True, help_text="Why it could not be made, or was not released")
    judge = models.CharField(max_length=150, blank=True, help_text="Who released it, or did not")
    worker = models.CharField(max_length=80, blank=True)
    person = models.IntegerField(null=True)
    person_name = models.CharField(max_length=150, blank=True)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering: ClassVar = ["-pk"]
        constraints: ClassVar = [
            models.UniqueConstraint(fields=["ledger", "dispatch", "occasion"], name="one_sending_an_occasion")
        ]


class Delivery(models.Model):
    """What goes to one recipient by one way: its files, kept as sent, and what the other side answered."""

    class State(models.TextChoices):
        WAITS = "waits", "waits its turn"
        UNDER_WAY = "under way", "is under way"
        DELIVERED = "delivered", "was delivered"
        REFUSED = "refused", "was refused"
        NOT_SENT = "not sent", "was not sent"
        NOT_KNOWN = "not known", "is not known: no answer came"
        RECALLED = "recalled", "was called back"

    sending = models.ForeignKey(Sending, on_delete=models.CASCADE, related_name="deliveries")
    identity = models.CharField(max_length=24, unique=True)
    person = models.IntegerField()
    person_name = models.CharField(max_length=150)
    node = models.CharField(max_length=80, blank=True)
    way = models.CharField(max_length=80)
    target = models.TextField(blank=True, help_text="Address or folder")
    letter = models.JSONField(default=dict, help_text="Subject and text as they went")
    fence = models.CharField(
        max_length=64, blank=True, help_text="What names the bounds that all of it was made behind"
    )
    files = models.JSONField(default=list, help_text="Name, bytes, digest and place of each file, kept as sent")
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITS)
    answer = models.TextField(blank=True)
    attempts = models.IntegerField(default=0)
    worker = models.CharField(max_length=80, blank=True)
    again = models.DateTimeField(null=True, help_text="When it is tried again")
    noted = models.BooleanField(default=False, help_text="The owner read that it didn't arrive")
    ended = models.DateTimeField(null=True)

    class Meta:
        ordering: ClassVar = ["pk"]
        indexes: ClassVar = [models.Index(fields=["state"], name="deliveries_by_state")]
