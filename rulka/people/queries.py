"""Reads of people: who may see which ledger, within which bounds."""

from __future__ import annotations

from rulka.people.models import Access, Person


def accesses_of(person: Person) -> list[Access]:
    """The ledgers a person may see, each with its bounds, by ledger code."""
    return list(Access.objects.filter(person=person).select_related("ledger").order_by("ledger__code"))


def access_by_name(username: str, ledger_id: int) -> Access | None:
    """The access of a person named on one ledger."""
    return Access.objects.filter(person__username=username, ledger_id=ledger_id).first()
