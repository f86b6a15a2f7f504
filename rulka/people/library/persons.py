"""People: made and changed, the demo's ones too."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cache, cached_property

from django.apps import apps
from django.conf import settings
from django.contrib.auth.models import Group
from django.contrib.auth.password_validation import validate_password
from django.db import models, transaction

from rulka.core.errors import RulkaError
from rulka.core.sending.letters import addresses_in
from rulka.people.library.rights import LedgerAccess, accesses_to
from rulka.people.models import Access, Person


def find_person(number: int | None) -> Person | None:
    """A person by number; None where there is none, or nobody was named."""
    return Person.objects.filter(pk=number).first() if number is not None else None


def person_named(username: str) -> Person | None:
    """A person by the name they sign in with."""
    return Person.objects.filter(username=username).first()


def people_with(numbers: Iterable[int]) -> dict[int, Person]:
    """People by their keys."""
    return {person.pk: person for person in Person.objects.filter(pk__in=set(numbers))}


def people_named(usernames: Iterable[str]) -> dict[str, Person]:
    """People by the names they sign in with."""
    return {person.username: person for person in Person.objects.filter(username__in=set(usernames))}


def people_at(address: str) -> list[Person]:
    """The people whom mail to an address reaches."""
    return list(Person.objects.filter(email__iexact=address))


def people_in(group: str) -> list[Person]:
    """The active people of a group, by name; nobody where there is none of that name."""
    return list(Person.objects.filter(groups__name=group, is_active=True).order_by("username"))


def group_names() -> list[str]:
    """All groups, by name."""
    return list(Group.objects.order_by("name").values_list("name", flat=True))


def an_administrator_can_sign_in() -> bool:
    """Whether there is an active administrator with a password."""
    there = Person.objects.filter(role=Person.Role.ADMINISTRATOR, is_active=True)
    return any(one.has_usable_password() for one in there)


def people_of(ledger_code: str) -> list[Person]:
    """The people who may see a ledger, by name."""
    own = models.Q(accesses__ledger__code=ledger_code) | models.Q(groups__accesses__ledger__code=ledger_code)
    return list(Person.objects.filter(own, is_active=True).distinct().order_by("username").prefetch_related("groups"))


class Readers:
    """The people who may see a ledger, each with what they may see of it, by name; read once, when somebody asks."""

    def __init__(self, ledger_code: str) -> None:
        self.ledger_code = ledger_code

    def __iter__(self) -> Iterator[tuple[Person, LedgerAccess]]:
        return iter(self._found)

    @cached_property
    def _found(self) -> list[tuple[Person, LedgerAccess]]:
        return accesses_to(people_of(self.ledger_code), self.ledger_code)


@dataclass(frozen=True)
class DemoPerson:
    """One of the demo's people, see `demo/people.json`: what they do in words, and their rights on its ledger."""

    username: str
    title: str
    role: str
    does: str
    members: Mapping[str, str] = field(default_factory=dict)
    opens_seals: bool = False


@cache
def demo_people() -> tuple[str, tuple[DemoPerson, ...]]:
    """Which accounts the demo seals (payroll lines name people), and its people, from the demo's file."""
    told = json.loads(settings.DEMO_PEOPLE.read_text(encoding="utf-8"))
    return told["sealed"], tuple(DemoPerson(username, **about) for username, about in told["people"].items())


@transaction.atomic
def make_demo_people(ledger_code: str) -> list[Person]:
    """Make the demo's people without passwords; they sign in by one click under the demo settings only."""
    sealed, demo = demo_people()
    ledger = apps.get_model("ledger", "Ledger").objects.get(code=ledger_code)
    ledger.sealed = sealed
    ledger.save(update_fields=["sealed"])
    people = []
    for one in demo:
        person, new = Person.objects.get_or_create(username=one.username)
        person.title, person.role = one.title, one.role
        if new:
            person.set_unusable_password()
        person.save()
        rights = {"members": dict(one.members), "opens_seals": one.opens_seals}
        Access.objects.update_or_create(person=person, ledger=ledger, defaults=rights)
        people.append(person)
    return people


def set_mail(person: Person, address: str) -> None:
    """Set the address by which mail reaches somebody; raises RulkaError on what is none."""
    found = addresses_in(address, where="mail")
    if len(found) != 1:
        raise RulkaError("Write one address.", hint="Such as name@example.org.", subject="mail")
    person.email = found[0]
    person.save(update_fields=["email"])


@transaction.atomic
def make_person(
    username: str,
    *,
    title: str = "",
    role: str = Person.Role.DIRECTOR,
    password: str | None = None,
    groups: Iterable[str] = (),
) -> Person:
    """Make or change a person, and put them into groups; without a password a new one can't sign in yet.
    ValidationError on a weak password."""
    person, new = Person.objects.get_or_create(username=username)
    person.role = role
    person.title = title or person.title
    if password is not None:
        validate_password(password, person)
        person.set_password(password)
    elif new:
        person.set_unusable_password()
    person.save()
    person.groups.add(*(Group.objects.get_or_create(name=name)[0] for name in groups))
    return person
