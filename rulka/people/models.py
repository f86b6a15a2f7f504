"""People, what they may do, and the fence each has on a ledger."""

from __future__ import annotations

from typing import ClassVar

from django.contrib.auth.models import AbstractUser
from django.db import models

from rulka.core.books.fence import Fence


class Person(AbstractUser):
    """Someone who signs in."""

    class Role(models.TextChoices):
        ACCOUNTANT = "accountant", "Accountant"
        CONTROLLER = "controller", "Controller"
        LEAD = "lead", "Department lead"
        DIRECTOR = "director", "Director"
        ADMINISTRATOR = "administrator", "Administrator"

    role = models.CharField(max_length=20, choices=Role.choices, default=Role.DIRECTOR)
    title = models.CharField(max_length=80, blank=True)

    @property
    def may_edit(self) -> bool:
        """Whether this person may change definitions."""
        return self.role in (self.Role.ACCOUNTANT, self.Role.CONTROLLER, self.Role.ADMINISTRATOR)

    @property
    def initials(self) -> str:
        words = (self.title or self.username).split()
        return "".join(word[0] for word in words[:2]).upper() if len(words) > 1 else words[0][:2].upper()


class Access(models.Model):
    """That a person may see a ledger, and within which bounds; empty bounds mean all of it."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="accesses")
    ledger = models.ForeignKey("ledger.Ledger", on_delete=models.CASCADE, related_name="accesses")
    entities = models.TextField(blank=True)
    accounts = models.TextField(blank=True)
    members = models.JSONField(default=dict, blank=True)
    opens_seals = models.BooleanField(default=False)

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(fields=["person", "ledger"], name="one_access_a_ledger")]

    def fence(self, sealed: str, grain: list[str] | None = None) -> Fence:
        """The fence as the core knows it; `sealed` is the ledger's selection of sealed accounts, `grain` what may be
        told apart of them."""
        return Fence.of(self.entities, self.accounts, self.members, "" if self.opens_seals else sealed, grain)

    def own_fence(self) -> Fence:
        """The fence with the seal of its ledger."""
        return self.fence(self.ledger.sealed, self.ledger.seal_grain)


class SignInFailures(models.Model):
    """How often signing in failed of late, by name or address; stands in the second database (see `work.routing`)."""

    key = models.CharField(max_length=80, unique=True)
    count = models.IntegerField(default=0)
    last = models.DateTimeField()
