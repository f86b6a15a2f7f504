"""Pages of people and groups: who there is, what each may see and do and why, and what is changed of it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from django.contrib.auth.models import Group
from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.people.duties import RIGHTS, ROLES
from rulka.people.library import keeping, record, steps
from rulka.people.library.keeping import Keeper, OpenSession, keeper_of
from rulka.people.library.rights import accesses_of, bounds_in_words, through
from rulka.people.models import Access, GivenRight, GroupAccess, LedgerBounds, Person, Recorded
from rulka.people.pages.mine import me
from rulka.screen import Page


def _administers(keeper: Keeper) -> bool:
    return keeper.person is not None and keeper.person.administers


BOUNDS = ("node", "entities", "accounts", "depth", "opens_seals")
ROLE_NAMES = [(role.value, role.label) for role in Person.Role]


@require_GET
def people(request: HttpRequest) -> HttpResponse:
    """Everybody there is, and the groups."""
    return _people(request, keeper_of(me(request)))


@dataclass(frozen=True, kw_only=True)
class PeoplePage(Page):
    """Everybody and the groups; the `link` of somebody who was invited just now."""

    html = "people/people.html"
    everybody: Sequence[Person]
    groups: Sequence[Group]
    entered: QueryDict
    link: str
    invited: str
    administers: bool
    roles: Sequence[tuple[str, str]] = tuple(ROLE_NAMES)


def _people(
    request: HttpRequest, keeper: Keeper, *, problem: RulkaError | None = None, link: str = "", invited: str = ""
) -> HttpResponse:
    everybody = Person.objects.prefetch_related("groups", "accesses__ledger").order_by("-is_active", "username")
    return PeoplePage(
        problem=problem,
        everybody=list(everybody),
        groups=list(Group.objects.prefetch_related("user_set").order_by("name")),
        entered=request.POST,
        link=link,
        invited=invited,
        administers=_administers(keeper),
    ).answer(request)


@require_POST
def invite(request: HttpRequest) -> HttpResponse:
    """Invite somebody new; the link shows once."""
    keeper = keeper_of(me(request))
    given = request.POST
    try:
        person, key = keeping.invite(
            keeper, given.get("name", ""), given.get("title", ""), given.get("role", ""), given.getlist("group")
        )
    except RulkaError as error:
        return _people(request, keeper, problem=error)
    link = request.build_absolute_uri(reverse("join", args=[key]))
    return _people(request, keeper, link=link, invited=person.called)


@require_POST
def make_group(request: HttpRequest) -> HttpResponse:
    """Make a group."""
    keeper = keeper_of(me(request))
    try:
        made = keeping.make_group(keeper, request.POST.get("name", ""))
    except RulkaError as error:
        return _people(request, keeper, problem=error)
    return redirect("group", made.name)


# a person -----------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class ShownRight:
    """A right: whether somebody has it, and why."""

    name: str
    words: str
    has: bool
    own: bool
    why: str


def rights_of_person(person: Person) -> list[ShownRight]:
    """Every right, with why a person has it."""
    own = set(GivenRight.objects.filter(person=person).values_list("right", flat=True))
    groups: dict[str, list[str]] = {}
    for given in GivenRight.objects.filter(group__in=person.groups.all()).select_related("group"):
        if given.group is not None:
            groups.setdefault(given.right, []).append(given.group.name)
    found = []
    for name, words in RIGHTS.items():
        why = [f"as {person.get_role_display().lower()}"] if name in ROLES.get(person.role, ()) else []
        why += ["given to them"] if name in own else []
        why += [f"group {group}" for group in groups.get(name, ())]
        found.append(ShownRight(name, words, bool(why), name in own, ", ".join(why)))
    return found


@dataclass(frozen=True)
class SeenLedger:
    """A ledger that somebody sees: through what, within which bounds, and whether that opens seals."""

    name: str
    reaches: Sequence[tuple[str, str, bool]]


def _seen(person: Person, keeper: Keeper) -> list[SeenLedger]:
    """What somebody sees, as far as who keeps them may know: administrators all of it, others of their own ledgers."""
    known = None if _administers(keeper) else {code for code, *_ in _ledgers(keeper)}
    return [
        SeenLedger(
            access.ledger.name, [(through(one), bounds_in_words(one), one.opens_seals) for one in access.through]
        )
        for access in accesses_of(person)
        if known is None or access.ledger.code in known
    ]


def _ledgers(keeper: Keeper) -> list[tuple[str, str, str]]:
    """(code, name, dimensions) of every ledger that who keeps people sees."""
    every = [access.ledger for access in accesses_of(keeper.person)] if keeper.person else []
    return [(one.code, one.name, ", ".join(one.dimensions)) for one in every]


@dataclass(frozen=True)
class BoundForm:
    """The form for somebody's bounds in a ledger they see (`had`), or in another one of `ledgers`; `entered` where it
    holds what was refused."""

    ledger: str = ""
    name: str = ""
    had: bool = False
    entered: bool = False
    node: str = ""
    entities: str = ""
    accounts: str = ""
    depth: str = ""
    opens_seals: bool | str = False
    members: str = ""
    ledgers: Sequence[tuple[str, str, str]] = ()


def _bound_forms(keeper: Keeper, given: Iterable[LedgerBounds], entered: Any, *, refused: bool) -> list[BoundForm]:
    """A form for the bounds of each ledger that somebody or a group sees, with what they are, and one for another
    ledger; what was typed and refused stands in its form."""
    ledgers = {ledger[0]: ledger for ledger in _ledgers(keeper)}
    forms = [_bound_form(bounds) for bounds in given if bounds.ledger.code in ledgers]
    had = {form.ledger for form in forms}
    if others := [ledger for code, ledger in ledgers.items() if code not in had]:
        forms.append(BoundForm(ledgers=others))
    if refused and entered.get("do") == "bounds" and forms:
        code = entered.get("ledger", "")
        refused_form = next((number for number, form in enumerate(forms) if form.ledger == code), len(forms) - 1)
        typed = {name: entered.get(name, "") for name in ("ledger", *BOUNDS, "members")}
        forms[refused_form] = replace(forms[refused_form], entered=True, **typed)
    return forms


def _bound_form(reach: LedgerBounds) -> BoundForm:
    return BoundForm(
        ledger=reach.ledger.code,
        name=reach.ledger.name,
        had=True,
        members="\n".join(f"{name}: {selection}" for name, selection in reach.members.items()),
        **{name: getattr(reach, name) for name in BOUNDS},
    )


def _history(keeper: Keeper, thing: str) -> list[Recorded]:
    """What was done to somebody, as far as who keeps them may read the record."""
    if keeper.person is None:
        return []
    whole = [one.ledger.code for one in accesses_of(keeper.person) if one.own_fence().hides_nothing]
    return list(record.record_for(keeper.person, whole).filter(thing=thing)[:30])


@require_GET
def person(request: HttpRequest, username: str) -> HttpResponse:
    """What somebody may see and do, and why; what is changed of it."""
    return _person(request, keeper_of(me(request)), keeping.find(username))


@dataclass(frozen=True, kw_only=True)
class PersonPage(Page):
    """What somebody may see and do, and why; the `link` by which they choose a password, once. `acts` is where the
    forms of their bounds go."""

    html = "people/person.html"
    who: Person
    acts: str
    rights: Sequence[ShownRight]
    seen: Sequence[SeenLedger]
    own: Sequence[Access]
    forms: Sequence[BoundForm]
    groups: Sequence[tuple[str, bool]]
    sessions: Sequence[OpenSession]
    heirs: Sequence[Person]
    history: Sequence[Recorded]
    administers: bool
    has_steps: bool
    is_me: bool
    link: str
    roles: Sequence[tuple[str, str]] = tuple(ROLE_NAMES)


def _person(
    request: HttpRequest, keeper: Keeper, who: Person, *, problem: RulkaError | None = None, link: str = ""
) -> HttpResponse:
    mine = set(who.groups.values_list("name", flat=True))
    known = {code for code, *_ in _ledgers(keeper)}
    own = list(Access.objects.filter(person=who).select_related("ledger").order_by("ledger__code"))
    others = Person.objects.filter(is_active=True).exclude(pk=who.pk)
    return PersonPage(
        problem=problem,
        who=who,
        acts=reverse("act-on-person", args=[who.username]),
        rights=rights_of_person(who),
        seen=_seen(who, keeper),
        own=[one for one in own if one.ledger.code in known],
        forms=_bound_forms(keeper, own, request.POST, refused=problem is not None),
        groups=[(name, name in mine) for name in Group.objects.order_by("name").values_list("name", flat=True)],
        sessions=keeping.sessions_of(who) if _administers(keeper) else [],
        heirs=list(others.order_by("username")),
        history=_history(keeper, f"person {who.username}"),
        administers=_administers(keeper),
        has_steps=steps.has_steps(who),
        is_me=keeper.person is not None and who.pk == keeper.person.pk,
        link=link,
    ).answer(request)


def _members(text: str) -> dict[str, str]:
    """Members as they are written: a dimension a line, its selection behind a colon."""
    found = {}
    for line in filter(None, (line.strip() for line in text.splitlines())):
        name, mark, selection = line.partition(":")
        if not mark:
            raise RulkaError(f"'{line[:40]}' names no dimension.", hint="Write department: under:100.",
                             subject="members")  # fmt: skip
        found[name.strip()] = selection.strip()
    return found


def _bounds(keeper: Keeper, who: Person | Group, given: Any) -> None:
    keeping.set_bounds(
        keeper,
        who,
        given.get("ledger", ""),
        entities=given.get("entities", ""),
        accounts=given.get("accounts", ""),
        members=_members(given.get("members", "")),
        opens_seals=bool(given.get("opens_seals")),
        node=given.get("node", ""),
        depth=given.get("depth", ""),
    )


Doing = Callable[[Keeper, Any, Any], Any]
SHARED: dict[str, Doing] = {
    "right": lambda keeper, who, given: keeping.set_given(
        keeper, who, given.get("right", ""), given=given.get("given") == "yes"
    ),
    "bounds": _bounds,
    "drop-bounds": lambda keeper, who, given: keeping.drop_bounds(keeper, who, given.get("ledger", "")),
}
OF_PERSON: dict[str, Doing] = {
    **SHARED,
    "change": lambda keeper, who, given: keeping.change(
        keeper, who, title=given.get("title", ""), role=given.get("role", ""), groups=given.getlist("group")
    ),
    "deactivate": lambda keeper, who, given: keeping.deactivate(keeper, who, keeping.find(given.get("heir", ""))),
    "let-in": lambda keeper, who, given: keeping.let_in_again(keeper, who),
    "end": lambda keeper, who, given: keeping.end_session_of(keeper, who, given.get("session", "")),
    "one-step": lambda keeper, who, given: keeping.drop_steps(keeper, who),
    "reset": lambda keeper, who, given: keeping.reset(keeper, who),
}
OF_GROUP: dict[str, Doing] = {
    **SHARED,
    "member": lambda keeper, who, given: keeping.set_member(
        keeper, who, keeping.find(given.get("person", "")), belongs=given.get("belongs") == "yes"
    ),
    "delete": lambda keeper, who, given: keeping.delete_group(keeper, who),
}


def _act(acts: dict[str, Doing], keeper: Keeper, who: Any, given: Any) -> Any:
    do = given.get("do", "")
    if do not in acts:
        raise NotFound(f"Nothing is called '{do[:40]}'.", hint=one_of(do, acts), subject="people")
    return acts[do](keeper, who, given)


@require_POST
def act_on_person(request: HttpRequest, username: str) -> HttpResponse:
    """Change something of a person."""
    keeper, who = keeper_of(me(request)), keeping.find(username)
    try:
        found = _act(OF_PERSON, keeper, who, request.POST)
    except RulkaError as error:
        return _person(request, keeper, keeping.find(username), problem=error)
    if request.POST.get("do") == "reset":
        link = request.build_absolute_uri(reverse("join", args=[found]))
        return _person(request, keeper, who, link=link)
    return redirect("person", username)


# a group ------------------------------------------------------------------------------------------------------------


@require_GET
def group(request: HttpRequest, name: str) -> HttpResponse:
    """A group: its people, what it gives."""
    return _group(request, keeper_of(me(request)), keeping.find_group(name))


@dataclass(frozen=True, kw_only=True)
class GroupPage(Page):
    """A group: who is inside and could be, its rights as (name, words, given), and how far it reaches."""

    html = "people/group.html"
    who: Group
    acts: str
    rights: Sequence[tuple[str, str, bool]]
    reaches: Sequence[tuple[GroupAccess, str]]
    forms: Sequence[BoundForm]
    inside: Sequence[Person]
    outside: Sequence[Person]
    history: Sequence[Recorded]


def _group(request: HttpRequest, keeper: Keeper, who: Group, *, problem: RulkaError | None = None) -> HttpResponse:
    given = set(GivenRight.objects.filter(group=who).values_list("right", flat=True))
    known = {code for code, *_ in _ledgers(keeper)}
    given_ledgers = GroupAccess.objects.filter(group=who).select_related("ledger")
    reaches = [one for one in given_ledgers if _administers(keeper) or one.ledger.code in known]
    return GroupPage(
        problem=problem,
        who=who,
        acts=reverse("act-on-group", args=[who.name]),
        rights=[(name, words, name in given) for name, words in RIGHTS.items()],
        reaches=[(one, bounds_in_words(one)) for one in reaches],
        forms=_bound_forms(keeper, reaches, request.POST, refused=problem is not None),
        inside=list(who.user_set.order_by("username")),
        outside=list(Person.objects.filter(is_active=True).exclude(groups=who).order_by("username")),
        history=_history(keeper, f"group {who.name}"),
    ).answer(request)


@require_POST
def act_on_group(request: HttpRequest, name: str) -> HttpResponse:
    """Change something of a group."""
    keeper, who = keeper_of(me(request)), keeping.find_group(name)
    try:
        _act(OF_GROUP, keeper, who, request.POST)
    except RulkaError as error:
        return _group(request, keeper, keeping.find_group(name), problem=error)
    return redirect("people") if request.POST.get("do") == "delete" else redirect("group", name)


# through somebody's eyes --------------------------------------------------------------------------------------------


@require_POST
def look(request: HttpRequest, username: str) -> HttpResponse:
    """Look through somebody's eyes from now on; read only, recorded."""
    looker = me(request)
    keeper_of(looker).administers()
    person = keeping.find(username)
    if person.pk == looker.pk or not person.is_active:
        raise RulkaError("There is nothing to look through.", hint="Choose somebody active.", subject="person")
    record.note(looker, "looked", thing=f"person {person.username}", detail="began")
    request.session["eyes"] = person.username
    return redirect("home")


@require_POST
def stop_looking(request: HttpRequest) -> HttpResponse:
    """See with one's own eyes again."""
    eyes = request.session.pop("eyes", "")
    looker = me(request).looked_by
    if looker is not None:
        record.note(looker, "looked", thing=f"person {eyes}", detail="ended")
    return redirect("person", eyes) if eyes else redirect("home")
