"""Whose a feed is, with its sign-in: one person's, shared with groups, or everybody's who may load."""

from __future__ import annotations

from collections.abc import Sequence

from django.contrib.auth.models import Group
from django.db import transaction
from django.db.models import Q, QuerySet

from rulka.core.errors import NotFound, RulkaError
from rulka.ledger.models import Feed, Ledger
from rulka.people.library import record
from rulka.people.library.persons import people_of, person_named
from rulka.people.models import Person


def _theirs(person: Person) -> Q:
    if person.administers:
        return Q()
    return Q(owner=person) | Q(groups__in=person.groups.all()) | Q(owner=None, groups=None)


def feeds_for(ledger: Ledger, person: Person) -> QuerySet[Feed]:
    """The feeds of a ledger that somebody may use, by name; administrators all."""
    return Feed.objects.filter(_theirs(person), ledger=ledger).distinct()


def find_feed(ledger: Ledger, number: int, person: Person) -> Feed:
    """A feed by its number, for somebody who may use it; for others there is none."""
    found = feeds_for(ledger, person).filter(pk=number).first()
    if found is None:
        raise NotFound("This feed does not exist.", hint="Choose one from the list.", subject="feed")
    return found


def may_use(feed: Feed, person: Person) -> bool:
    """Whether somebody may pull through a feed and change it."""
    return feeds_for(feed.ledger, person).filter(pk=feed.pk).exists()


def may_hand_on(feed: Feed, person: Person) -> bool:
    """Whether somebody may say whose a feed is: its owner, administrators, and where it is everybody's who may give
    rights."""
    if person.administers or feed.owner_id == person.pk:
        return True
    return feed.owner_id is None and person.may_give


def take(made: Feed, person: Person) -> None:
    """Let a feed that was just made belong to who made it."""
    Feed.objects.filter(pk=made.pk).update(owner=person)


@transaction.atomic
def hand_on(feed: Feed, owner: str, groups: Sequence[str], *, person: Person) -> None:
    """Say whose a feed is: a person's by name, or nobody's own, and with which groups it is shared."""
    if not may_hand_on(feed, person):
        raise RulkaError("Whose a feed is, its owner says.", hint="Ask them or an administrator.", code="rights")
    mine = person_named(owner) if owner else None
    if owner and (mine is None or mine.pk not in {one.pk for one in people_of(feed.ledger.code)}):
        raise NotFound(f"Nobody who sees the ledger is called '{owner[:40]}'.", subject="owner")
    shared = list(Group.objects.filter(name__in=groups))
    if len(shared) != len(set(groups)):
        raise NotFound("There is no such group.", hint="Choose from the list.", subject="groups")
    Feed.objects.filter(pk=feed.pk).update(owner=mine)
    feed.groups.set(shared)
    feed.refresh_from_db()
    record.note(person, "people", ledger=feed.ledger.code, thing=f"feed {feed.name}", detail=whose(feed))


def whose(feed: Feed) -> str:
    """Whose a feed is, in words."""
    shared = [f"group {name}" for name in feed.groups.order_by("name").values_list("name", flat=True)]
    own = [feed.owner.called] if feed.owner else []
    return ", ".join([*own, *shared]) or "everybody who may load"


def who_reaches(feed: Feed) -> list[tuple[str, str]]:
    """Everybody who sees the ledger and may use a feed: what they are called, and why."""
    groups = set(feed.groups.values_list("pk", flat=True))
    found = []
    for one in people_of(feed.ledger.code):
        if not one.may_load:
            continue
        through = [group.name for group in one.groups.all() if group.pk in groups]
        if feed.owner_id == one.pk:
            why = "it is theirs"
        elif through:
            why = f"group {', '.join(through)}"
        elif feed.owner_id is None and not groups:
            why = "they may load"
        elif one.administers:
            why = "administrators may all"
        else:
            continue
        found.append((one.called, why))
    return found


def passed_on(leaves: Person, heir: Person) -> str:
    """The feeds of somebody who leaves go to somebody else."""
    count = Feed.objects.filter(owner=leaves).update(owner=heir)
    return f"{count} feeds" if count else ""
