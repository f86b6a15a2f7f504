"""Rights: who may see which ledger, within which bounds, and giving them."""

from __future__ import annotations

from django.apps import apps

from rulka.core.books.fence import Fence
from rulka.core.books.selection import parse_selection
from rulka.core.errors import NotFound
from rulka.people.models import Access, Person


def accesses_of(person: Person) -> list[Access]:
    """The ledgers a person may see, each with its bounds, by ledger code."""
    return list(Access.objects.filter(person=person).select_related("ledger").order_by("ledger__code"))


def fence_of(username: str, ledger_code: str) -> Fence:
    """The fence of a person on a ledger, outside of a request; NotFound without access."""
    found = Access.objects.filter(person__username=username, ledger__code=ledger_code).select_related("ledger").first()
    if found is None:
        raise NotFound(f"'{username}' has no access to ledger {ledger_code}.", subject="person")
    return found.own_fence()


def grant(
    person: Person, ledger_code: str, entities: str, accounts: str, members: dict[str, str], *, opens_seals: bool
) -> Access:
    """Let a person see a ledger within bounds; refuses bounds that can't be read or name no dimension."""
    ledger = apps.get_model("ledger", "Ledger").objects.filter(code=ledger_code).first()
    if ledger is None:
        raise NotFound(f"Ledger '{ledger_code}' does not exist.", subject="ledger")
    unknown = set(members) - set(ledger.dimensions)
    if unknown:
        raise NotFound(
            f"'{sorted(unknown)[0]}' is no dimension of {ledger.code}.",
            hint=f"It has {', '.join(ledger.dimensions) or 'none'}.",
            subject="members",
        )
    for text in filter(None, (entities, accounts, *members.values())):
        parse_selection(text)
    bounds = {"entities": entities, "accounts": accounts, "members": members, "opens_seals": opens_seals}
    access, _ = Access.objects.update_or_create(person=person, ledger=ledger, defaults=bounds)
    return access
