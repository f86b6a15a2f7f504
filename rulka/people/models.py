"""People, what they may do, and the fence each has on a ledger."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar

from django.contrib.auth.models import AbstractUser, Group
from django.db import models
from django.utils.functional import cached_property

from rulka.core.books.fence import Bounds
from rulka.people.duties import ACCEPT, CHANGE, CLOSE, EDIT, EXPLAIN, GIVE, LOAD, ROLES


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
    dates = models.CharField(max_length=10, blank=True, help_text="How days are written; empty for 26 Nov 2026")
    numbers = models.CharField(max_length=10, blank=True, help_text="How figures are grouped; empty for 1 234.56")
    time_zone = models.CharField(max_length=60, blank=True, help_text="Of moments; empty for the server's")
    first_page = models.CharField(max_length=40, blank=True, help_text="What opens after signing in")
    letters = models.BooleanField(default=True, help_text="Whether single letters are keys")
    hints_seen = models.JSONField(default=list, blank=True, help_text="Hints for newcomers that they need no more")
    looked_by: Person | None = None
    """The administrator who looks through this person's eyes in the request at hand."""

    @cached_property
    def rights(self) -> frozenset[str]:
        """What this person may do: what comes with the role, what was given to them, or to a group of theirs."""
        given = GivenRight.objects.filter(models.Q(person=self) | models.Q(group__in=self.groups.all()))
        return self._with_role(given.values_list("right", flat=True))

    def _with_role(self, given: Iterable[str]) -> frozenset[str]:
        return frozenset(ROLES.get(self.role, ())) | frozenset(given)

    def knows_rights(self, given: Iterable[str]) -> None:
        """Take what was given to this person as read, where it is read for many people at once."""
        self.__dict__["rights"] = self._with_role(given)

    def may(self, right: str) -> bool:
        """Whether this person has one of RIGHTS; nobody has who was deactivated."""
        return self.is_active and right in self.rights

    @property
    def may_edit(self) -> bool:
        """Whether this person may change definitions."""
        return self.may(EDIT)

    @property
    def may_close(self) -> bool:
        """Whether this person may close periods and open them again."""
        return self.may(CLOSE)

    @property
    def may_change(self) -> bool:
        """Whether this person may change a ledger by hand."""
        return self.may(CHANGE)

    @property
    def may_load(self) -> bool:
        """Whether this person may pull, accept and drop loads."""
        return self.may(LOAD)

    @property
    def may_explain(self) -> bool:
        """Whether this person may say what a variance is about."""
        return self.may(EXPLAIN)

    @property
    def may_accept(self) -> bool:
        """Whether this person may accept what others said, send it back, and keep an edition without it."""
        return self.may(ACCEPT)

    @property
    def may_give(self) -> bool:
        """Whether this person may give rights and bounds to others."""
        return self.may(GIVE)

    @property
    def administers(self) -> bool:
        """Whether this person keeps people and rights, and may do all with every shelf."""
        return self.is_active and self.role == self.Role.ADMINISTRATOR

    @property
    def called(self) -> str:
        """What others know them as."""
        return self.title or self.username

    @property
    def initials(self) -> str:
        words = self.called.split()
        return "".join(word[0] for word in words[:2]).upper() if len(words) > 1 else words[0][:2].upper()


class LedgerBounds(models.Model):
    """That somebody may see a ledger, and within which bounds; empty bounds mean all of it."""

    ledger = models.ForeignKey("ledger.Ledger", on_delete=models.CASCADE, related_name="%(class)ses")
    entities = models.TextField(blank=True)
    accounts = models.TextField(blank=True)
    members = models.JSONField(default=dict, blank=True)
    node = models.CharField(
        max_length=250, blank=True, help_text="An entity with all below it, or a node of a scope as SCOPE/NODE"
    )
    depth = models.CharField(max_length=10, blank=True, help_text="figures or accounts; empty down to the entries")
    opens_seals = models.BooleanField(default=False)

    class Meta:
        abstract = True

    @property
    def bounds(self) -> Bounds:
        """The bounds as the core knows them, but for those of a node; raises SelectionError on what can't be read."""
        return Bounds.written(self.entities, self.accounts, self.members)


class Access(LedgerBounds):
    """What a person may see of a ledger; what their groups may is added, see `library/rights`."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="accesses")

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(fields=["person", "ledger"], name="one_access_a_ledger")]


class GroupAccess(LedgerBounds):
    """What the people of a group may see of a ledger."""

    group = models.ForeignKey(Group, on_delete=models.CASCADE, related_name="accesses")

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(fields=["group", "ledger"], name="one_group_access_a_ledger")]


class GivenRight(models.Model):
    """A right that a person or a group has besides those of the role."""

    person = models.ForeignKey(Person, null=True, on_delete=models.CASCADE, related_name="given_rights")
    group = models.ForeignKey(Group, null=True, on_delete=models.CASCADE, related_name="given_rights")
    right = models.CharField(max_length=40)

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(fields=["person", "right"], name="one_given_right_a_person"),
            models.UniqueConstraint(fields=["group", "right"], name="one_given_right_a_group"),
            models.CheckConstraint(
                condition=models.Q(person__isnull=True) ^ models.Q(group__isnull=True),
                name="given_to_person_or_group",
            ),
        ]


class SignInFailures(models.Model):
    """How often signing in failed of late, by name or address; stands in the second database (see `work.routing`)."""

    key = models.CharField(max_length=80, unique=True)
    count = models.IntegerField(default=0)
    last = models.DateTimeField()


class TimeCode(models.Model):
    """The key from which somebody's codes for the second step are made, encrypted; it counts once confirmed by a
    code."""

    person = models.OneToOneField(Person, on_delete=models.CASCADE, related_name="time_code")
    sealed = models.TextField()
    confirmed = models.DateTimeField(null=True)


class UsedCode(models.Model):
    """The last code that somebody used, by its place in time, so that none works twice; stands in the second database:
    signing in waits for no load."""

    person = models.IntegerField(unique=True)
    place = models.BigIntegerField()


class Invitation(models.Model):
    """A link by which somebody new takes their place, or somebody known chooses another password; once, and not for
    long. Only a digest of its key is kept."""

    digest = models.CharField(max_length=64, unique=True)
    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="invitations")
    maker = models.ForeignKey(Person, null=True, on_delete=models.SET_NULL, related_name="+")
    made = models.DateTimeField(auto_now_add=True)
    expires = models.DateTimeField()
    used = models.DateTimeField(null=True)
    again = models.BooleanField(default=False, help_text="For another password, not for the first one")

    class Meta:
        ordering: ClassVar = ["-pk"]


class Visit(models.Model):
    """A session of a person, so that it can be listed and ended; stands in the second database, as sessions do."""

    session = models.CharField(max_length=40, unique=True)
    person = models.IntegerField(db_index=True)
    began = models.DateTimeField(auto_now_add=True)
    address = models.CharField(max_length=60, blank=True)
    agent = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering: ClassVar = ["-pk"]


class Recorded(models.Model):
    """One thing that somebody did, kept as it was written: the record. Stands in the second database, whose triggers
    refuse to change it."""

    at = models.DateTimeField(auto_now_add=True, db_index=True)
    person = models.IntegerField(null=True, db_index=True)
    person_name = models.CharField(max_length=150, blank=True)
    looked_by = models.CharField(max_length=150, blank=True, help_text="Who looked through their eyes")
    what = models.CharField(max_length=40, db_index=True)
    ledger = models.CharField(max_length=40, blank=True)
    thing = models.CharField(max_length=250, blank=True)
    detail = models.TextField(blank=True)
    address = models.CharField(max_length=60, blank=True)

    class Meta:
        ordering: ClassVar = ["-pk"]
        indexes: ClassVar = [models.Index(fields=["ledger", "thing", "-id"], name="record_of_thing")]
