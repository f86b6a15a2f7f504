"""Keeping people: inviting, groups, rights and bounds given, passwords, sessions ended, leaving. The one gate to such
changes; every one is recorded."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from hashlib import sha256
from typing import Any

from django.contrib.auth.models import Group
from django.contrib.auth.password_validation import validate_password
from django.contrib.auth.validators import UnicodeUsernameValidator
from django.contrib.sessions.models import Session
from django.core.exceptions import ValidationError
from django.db import transaction
from django.utils import timezone

from rulka.core.books.fence import DEPTHS
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.values import key_in
from rulka.people.duties import GIVE, RIGHTS, ROLES
from rulka.people.library import record, steps
from rulka.people.library.rights import access_of, grant, revoke
from rulka.people.library.sessions import kept_as
from rulka.people.models import GivenRight, Invitation, Person, Visit

LINK_LASTS = timedelta(days=3)
Inherits = Callable[[Person, Person], str]
_INHERIT: list[Inherits] = []


def inherits(pass_on: Inherits) -> None:
    """Register what an app passes on when somebody leaves: it gets who leaves and who takes over, and says what that
    was, in words."""
    _INHERIT.append(pass_on)


@dataclass(frozen=True)
class Keeper:
    """Somebody who keeps people, made by `keeper_of` alone; nobody is whoever runs commands, who may do all."""

    person: Person | None

    def administers(self) -> None:
        """Refuse whoever is no administrator."""
        if self.person is not None and not self.person.administers:
            raise RulkaError("Only an administrator does this.", hint="Ask one.", subject="rights", code="rights")

    def not_oneself(self, other: Person) -> None:
        """Refuse changes of one's own rights."""
        if self.person is not None and other.pk == self.person.pk:
            raise RulkaError("Nobody changes their own rights.", hint="Ask somebody else who may.", subject="rights",
                             code="rights")  # fmt: skip

    def note(self, thing: str, detail: str, ledger: str = "") -> None:
        name = "command" if self.person is None else ""
        record.note(self.person, "people", ledger=ledger, thing=thing, detail=detail, name=name)


BY_COMMAND = Keeper(None)
"""Whoever runs commands on the machine."""


def keeper_of(person: Person) -> Keeper:
    """The gate: people are kept by those who may set rights."""
    if not person.may(GIVE):
        raise RulkaError("You may not set rights.", hint="Ask an administrator.", subject="rights", code="rights")
    return Keeper(person)


# people and groups --------------------------------------------------------------------------------------------------


def find(username: str) -> Person:
    """A person by the name they sign in with."""
    found = Person.objects.filter(username=username).first()
    if found is None:
        raise NotFound(f"There is no person '{username[:40]}'.", subject="person")
    return found


def find_group(name: str) -> Group:
    """A group by its name."""
    found = Group.objects.filter(name=name).first()
    if found is None:
        raise NotFound(f"There is no group '{name[:40]}'.", subject="group")
    return found


def who_named(name: str) -> Person | Group:
    """A person, else a group, by name."""
    found = Person.objects.filter(username=name).first() or Group.objects.filter(name=name).first()
    if found is None:
        raise NotFound(f"'{name[:40]}' is neither a person nor a group.", subject="person")
    return found


def _digest(key: str) -> str:
    return sha256(key.encode()).hexdigest()


def _link(keeper: Keeper, person: Person, *, again: bool) -> str:
    """A new key for somebody; former ones that nobody used end."""
    Invitation.objects.filter(person=person, used__isnull=True).delete()
    key = secrets.token_urlsafe(32)
    Invitation.objects.create(
        digest=_digest(key),
        person=person,
        maker=keeper.person,
        expires=timezone.now() + LINK_LASTS,
        again=again,
    )
    return key


@transaction.atomic
def invite(keeper: Keeper, username: str, title: str, role: str, groups: list[str]) -> tuple[Person, str]:
    """Make a place for somebody new, and the key of the link by which they take it."""
    keeper.administers()
    username = username.strip()
    try:
        UnicodeUsernameValidator()(username)
    except ValidationError:
        raise RulkaError(
            f"'{username[:40]}' is no name to sign in with.",
            hint="Letters, digits and @ . + - _ only.",
            subject="name",
        ) from None
    if len(username) > 150 or not username:
        raise RulkaError("A name has 1 to 150 characters.", subject="name")
    if Person.objects.filter(username__iexact=username).exists():
        raise RulkaError(f"Somebody is called '{username}' already.", hint="Choose another name.", subject="name")
    if role not in ROLES:
        raise NotFound(f"There is no role '{role[:40]}'.", hint=one_of(role, ROLES), subject="role")
    person = Person(username=username, title=title.strip()[:80], role=role)
    person.set_unusable_password()
    person.save()
    person.groups.set([find_group(name) for name in groups])
    key = _link(keeper, person, again=False)
    keeper.note(f"person {username}", f"invited as {role}" + (f", into {', '.join(groups)}" if groups else ""))
    return person, key


def reset(keeper: Keeper, person: Person) -> str:
    """The key of a link by which somebody chooses another password; their sessions end."""
    keeper.administers()
    if keeper.person is not None and keeper.person.pk == person.pk:
        raise RulkaError("This is you.", hint="Choose another password under My settings.", subject="password")
    if not person.is_active:
        raise RulkaError(f"{person.called} was deactivated.", hint="Let them in again first.", subject="person")
    key = _link(keeper, person, again=True)
    end_sessions(person)
    keeper.note(f"person {person.username}", "password reset; sessions ended")
    return key


def invitation(key: str) -> Invitation:
    """The invitation of a key that can still be used."""
    found = Invitation.objects.filter(digest=_digest(key)).select_related("person").first()
    if found is None or not found.person.is_active:
        raise NotFound("This link opens nothing.", hint="Ask for a new one.", subject="link")
    if found.used is not None:
        raise RulkaError("This link was used already.", hint="Sign in, or ask for a new one.", subject="link")
    if found.expires <= timezone.now():
        raise RulkaError("This link has ended.", hint="Ask for a new one.", subject="link")
    return found


def take_place(key: str, password: str, again: str) -> Person:
    """Choose the password by a link; it works once."""
    if password != again:
        raise RulkaError("The two passwords differ.", hint="Type the same one twice.", subject="password")
    with transaction.atomic():
        found = invitation(key)
        try:
            validate_password(password, found.person)
        except ValidationError as error:
            raise RulkaError(" ".join(error.messages), subject="password") from None
        if not Invitation.objects.filter(pk=found.pk, used__isnull=True).update(used=timezone.now()):
            raise RulkaError("This link was used already.", hint="Sign in, or ask for a new one.", subject="link")
        person = found.person
        person.set_password(password)
        person.save(update_fields=["password"])
    end_sessions(person)
    record.note(person, "people", thing=f"person {person.username}", detail="chose a password by a link")
    return person


def drop_steps(keeper: Keeper, person: Person) -> None:
    """Let somebody sign in with the password alone, who lost what makes their codes; their sessions end."""
    keeper.administers()
    keeper.not_oneself(person)
    if not steps.drop(person):
        raise RulkaError(f"{person.called} signs in with one step.", subject="person")
    end_sessions(person)
    keeper.note(f"person {person.username}", "second step switched off; sessions ended")


@transaction.atomic
def change(keeper: Keeper, person: Person, *, title: str, role: str, groups: list[str]) -> None:
    """What somebody is called, their role and groups."""
    keeper.administers()
    if role not in ROLES:
        raise NotFound(f"There is no role '{role[:40]}'.", hint=one_of(role, ROLES), subject="role")
    if role != person.role:
        keeper.not_oneself(person)
        if person.administers:
            _not_the_last(person)
    wanted = [find_group(name) for name in groups]
    if {group.pk for group in wanted} != set(person.groups.values_list("pk", flat=True)):
        keeper.not_oneself(person)
    said = f"called {title.strip()[:80]}, {role}, in {', '.join(groups) or 'no group'}"
    person.title, person.role = title.strip()[:80], role
    person.save(update_fields=["title", "role"])
    person.groups.set(wanted)
    keeper.note(f"person {person.username}", said)


def _not_the_last(person: Person) -> None:
    others = Person.objects.filter(role=Person.Role.ADMINISTRATOR, is_active=True).exclude(pk=person.pk)
    if not others.exists():
        raise RulkaError(
            f"{person.called} is the last administrator.", hint="Make somebody else one first.", subject="person"
        )


def deactivate(keeper: Keeper, person: Person, heir: Person) -> list[str]:
    """Let somebody in no longer; what they own passes to somebody else. Says what that was."""
    keeper.administers()
    if person.pk == heir.pk or not heir.is_active:
        raise RulkaError("What they own must pass to somebody else.", hint="Choose somebody active.", subject="heir")
    if person.administers:
        _not_the_last(person)
    keeper.not_oneself(person)
    with transaction.atomic():
        passed = [words for pass_on in _INHERIT if (words := pass_on(person, heir))]
        Person.objects.filter(pk=person.pk).update(is_active=False)
        Invitation.objects.filter(person=person, used__isnull=True).delete()
    end_sessions(person)
    told = f"deactivated; {', '.join(passed) or 'nothing'} passed to {heir.username}"
    keeper.note(f"person {person.username}", told)
    return passed


def let_in_again(keeper: Keeper, person: Person) -> None:
    """Let somebody in again who was deactivated."""
    keeper.administers()
    Person.objects.filter(pk=person.pk).update(is_active=True)
    keeper.note(f"person {person.username}", "let in again")


def make_group(keeper: Keeper, name: str) -> Group:
    """A new group."""
    name = name.strip()
    if not 0 < len(name) <= 150:
        raise RulkaError("A group needs a name of at most 150 characters.", subject="group")
    if Group.objects.filter(name__iexact=name).exists() or Person.objects.filter(username__iexact=name).exists():
        raise RulkaError(f"'{name}' is taken by a group or a person.", hint="Choose another name.", subject="group")
    group = Group.objects.create(name=name)
    keeper.note(f"group {name}", "made")
    return group


def delete_group(keeper: Keeper, group: Group) -> None:
    """Take a group away, with what it gave."""
    _not_to_oneself(keeper, group)
    name = group.name
    group.delete()
    keeper.note(f"group {name}", "deleted")


def set_member(keeper: Keeper, group: Group, person: Person, *, belongs: bool) -> None:
    """Put somebody into a group, or take them out."""
    keeper.not_oneself(person)
    (person.groups.add if belongs else person.groups.remove)(group)
    keeper.note(f"group {group.name}", f"{person.username} {'put in' if belongs else 'taken out'}")


# rights and bounds --------------------------------------------------------------------------------------------------


def set_given(keeper: Keeper, who: Person | Group, right: str, *, given: bool) -> None:
    """Give a right besides those of the role, or take it back; nobody gives what they don't have themselves."""
    if right not in RIGHTS:
        raise NotFound(f"'{right[:40]}' is no right.", hint=one_of(right, RIGHTS), subject="right")
    _not_to_oneself(keeper, who)
    giver = keeper.person
    if given and giver is not None and not giver.administers and not giver.may(right):
        raise RulkaError("Nobody gives a right that they don't have.", hint="Ask an administrator.", subject="right",
                         code="rights")  # fmt: skip
    key: dict[str, Any] = {"person" if isinstance(who, Person) else "group": who, "right": right}
    if given:
        GivenRight.objects.get_or_create(**key)
    else:
        gone, _ = GivenRight.objects.filter(**key).delete()
        if not gone and isinstance(who, Person) and right in ROLES.get(who.role, ()):
            raise RulkaError(
                f"'{right}' comes with the role of {who.get_role_display().lower()}.",
                hint="Give them another role.",
                subject="right",
            )
    keeper.note(named(who), f"{right} {'given' if given else 'taken back'}")


OnShelf = Callable[[Person | Group, str, str, str, str], str]
_ON_SHELF: list[OnShelf] = []


def gives_on_shelves(give: OnShelf) -> None:
    """Register how a right on a shelf is given by command: it gets who, ledger, shelf, level (empty to take it back)
    and depth, and says in words what was done."""
    _ON_SHELF.append(give)


def set_on_shelf(who: Person | Group, ledger: str, shelf: str, level: str, depth: str) -> str:
    """Give a right on a shelf, or take it back with an empty level."""
    return _ON_SHELF[0](who, ledger, shelf, level, depth)


def _not_to_oneself(keeper: Keeper, who: Person | Group) -> None:
    if isinstance(who, Person):
        keeper.not_oneself(who)
    elif keeper.person is not None and who.user_set.filter(pk=keeper.person.pk).exists():
        keeper.not_oneself(keeper.person)


def named(who: Person | Group) -> str:
    """What the record calls somebody."""
    return f"person {who.username}" if isinstance(who, Person) else f"group {who.name}"


def set_bounds(
    keeper: Keeper,
    who: Person | Group,
    ledger: str,
    *,
    entities: str,
    accounts: str,
    members: Mapping[str, str],
    opens_seals: bool,
    node: str = "",
    depth: str = "",
) -> None:
    """Let somebody see a ledger within bounds, down to a depth; by those who see all of it as deep as that, seals by
    those for whom they are open."""
    _not_to_oneself(keeper, who)
    _sees_whole(keeper, ledger, opens_seals=opens_seals, depth=depth or DEPTHS[-1])
    wanted = {name: text.strip() for name, text in members.items() if text.strip()}
    node = node.strip()
    grant(
        who, ledger, entities.strip(), accounts.strip(), wanted, opens_seals=opens_seals, node=node, depth=depth
    )  # fmt: skip
    bounds = [
        f"{name} {text}" for name, text in (("node", node), ("entities", entities), ("accounts", accounts)) if text
    ]
    bounds += [f"{name} {text}" for name, text in wanted.items()]
    told = ", ".join(filter(None, bounds)) or "all of it"
    deep = f", down to {depth}" if depth else ""
    keeper.note(named(who), f"sees {told}{deep}{', opens seals' if opens_seals else ''}", ledger)


def drop_bounds(keeper: Keeper, who: Person | Group, ledger: str) -> None:
    """Let somebody see a ledger no longer."""
    _not_to_oneself(keeper, who)
    _sees_whole(keeper, ledger, opens_seals=False, depth=DEPTHS[0])
    revoke(who, ledger)
    keeper.note(named(who), "no longer sees it", ledger)


def _sees_whole(keeper: Keeper, ledger: str, *, opens_seals: bool, depth: str) -> None:
    if keeper.person is None:
        return
    access = access_of(keeper.person, ledger)
    if access is None or not access.own_fence().hides_nothing:
        raise RulkaError("Only who sees all of a ledger gives others a part of it.", hint="Ask somebody who does.",
                         subject="ledger", code="rights")  # fmt: skip
    if DEPTHS.index(access.depth) < (DEPTHS.index(depth) if depth in DEPTHS else 0):
        raise RulkaError("Nobody lets others get deeper than they get themselves.", hint="Ask somebody who does.",
                         subject="depth", code="rights")  # fmt: skip
    if opens_seals and not access.opens_seals:
        raise RulkaError("Seals are opened by those for whom they are open.", hint="Ask one of them.",
                         subject="seals", code="rights")  # fmt: skip


# sessions -----------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class OpenSession:
    """A session of a person that has not ended."""

    pk: int
    began: datetime
    address: str
    agent: str
    is_this: bool

    @property
    def device(self) -> str:
        """What of the browser's own words tells the machine."""
        return self.agent.partition("(")[2].partition(")")[0] or self.agent[:40]


def sessions_of(person: Person, this: str = "") -> list[OpenSession]:
    """The sessions of a person that have not ended, the newest first; `this` is the key of the one at hand."""
    visits = list(Visit.objects.filter(person=person.pk)[:100])
    keys = [visit.session for visit in visits]
    there = set(
        Session.objects.filter(session_key__in=keys, expire_date__gt=timezone.now()).values_list(
            "session_key", flat=True
        )
    )
    return [
        OpenSession(visit.pk, visit.began, visit.address, visit.agent, visit.session == kept_as(this))
        for visit in visits
        if visit.session in there
    ]


def end_session(person: Person, number: str, this: str = "") -> None:
    """End one of a person's sessions, but not the one at hand (`this`)."""
    visit = Visit.objects.filter(person=person.pk, pk=key_in(number)).first()
    if visit is None:
        raise NotFound("This session isn't there.", hint="Load the page again.", subject="session")
    if visit.session == kept_as(this):
        raise RulkaError("This is the session at hand.", hint="Sign out instead.", subject="session")
    Session.objects.filter(session_key=visit.session).delete()
    visit.delete()


def end_session_of(keeper: Keeper, person: Person, number: str) -> None:
    """End a session of somebody else."""
    keeper.administers()
    if keeper.person is not None and keeper.person.pk == person.pk:
        raise RulkaError("These are your own.", hint="End them under My settings.", subject="session")
    end_session(person, number)
    keeper.note(f"person {person.username}", "a session ended")


def end_sessions(person: Person, but: str = "") -> None:
    """End all sessions of a person, but for one."""
    visits = Visit.objects.filter(person=person.pk).exclude(session=kept_as(but))
    Session.objects.filter(session_key__in=list(visits.values_list("session", flat=True))).delete()
    visits.delete()
