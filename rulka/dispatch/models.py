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


class Sending(models.Model):
    """One occasion on which a dispatch went: of which period, at which revision of the ledger. It names ledger,
    dispatch and person without pointing at their tables."""

    ledger = models.CharField(max_length=40)
    dispatch = models.CharField(max_length=80)
    occasion = models.CharField(max_length=80)
    period = models.CharField(max_length=20)
    revision = models.IntegerField()
    body = models.JSONField(help_text="The dispatch as it was")
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

    sending = models.ForeignKey(Sending, on_delete=models.CASCADE, related_name="deliveries")
    identity = models.CharField(max_length=24, unique=True)
    person = models.IntegerField()
    person_name = models.CharField(max_length=150)
    node = models.CharField(max_length=80, blank=True)
    way = models.CharField(max_length=80)
    target = models.TextField(blank=True, help_text="Address or folder")
    letter = models.JSONField(default=dict, help_text="Subject and text as they went")
    files = models.JSONField(default=list, help_text="Name, bytes, digest and place of each file, kept as sent")
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITS)
    answer = models.TextField(blank=True)
    attempts = models.IntegerField(default=0)
    worker = models.CharField(max_length=80, blank=True)
    ended = models.DateTimeField(null=True)

    class Meta:
        ordering: ClassVar = ["pk"]
        indexes: ClassVar = [models.Index(fields=["state"], name="deliveries_by_state")]
