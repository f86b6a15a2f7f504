"""Shelves: where statements and their parts stand, who may see, run or edit what is on them, what people come back
to."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.contrib.auth.models import Group
from django.db import transaction
from django.utils import timezone

from rulka.core.books.fence import DEPTHS
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.values import key_in
from rulka.ledger.models import Ledger
from rulka.people.library import record
from rulka.people.library.persons import people_of
from rulka.people.library.rights import sees_in_words
from rulka.people.models import Person
from rulka.statements.models import Definition, Explanation, Shelf, ShelfRight, Visit
from rulka.work.services.waiting import aside

SEE, RUN, EDIT = ShelfRight.Level.values
LEVELS = {int(level): str(level.label) for level in ShelfRight.Level}
RECENT = 6


class Rights:
    """What one person may do with the definitions of a ledger; read once, then asked for each.

    Administrators may do all, and who made a shelf what their role gives; others what the shelf's rights give to them
    or to one of their groups. A shelf without rights, and what stands on none, is run by everybody who may see the
    ledger and edited by those whose role edits.
    """

    def __init__(self, person: Person, shelves: Iterable[int]) -> None:
        self.person = person
        wanted = set(shelves)
        self.by_shelf: dict[int, list[ShelfRight]] = {}
        for right in ShelfRight.objects.filter(shelf__in=wanted):
            self.by_shelf.setdefault(right.shelf_id, []).append(right)
        self.groups = set(person.groups.values_list("pk", flat=True)) if self.by_shelf else set()
        made = Shelf.objects.filter(pk__in=self.by_shelf, maker=person) if self.by_shelf else ()
        self.made = {shelf.pk for shelf in made}

    def level(self, definition: Definition) -> int:
        """0 nothing, SEE that it is there, RUN it, EDIT it too."""
        return self.on_shelf(definition.shelf_id)

    def on_shelf(self, shelf: int | None) -> int:
        """What somebody may do with what stands on a shelf, by its number; on none without one."""
        own: int = EDIT if self.person.may_edit else RUN
        given = self.by_shelf.get(shelf or 0, [])
        if not given or self.person.administers or shelf in self.made:
            return own
        return min(
            own,
            max(
                (right.level for right in given if right.person_id == self.person.pk or right.group_id in self.groups),
                default=0,
            ),
        )

    def depth_on(self, shelf: int | None) -> str:
        """How deep somebody gets from figures of what stands on a shelf, by its number."""
        given = self.by_shelf.get(shelf or 0, [])
        if not given or self.person.administers or shelf in self.made:
            return DEPTHS[-1]
        own = [right for right in given if right.person_id == self.person.pk or right.group_id in self.groups]
        return max((right.depth or DEPTHS[-1] for right in own), key=DEPTHS.index, default=DEPTHS[-1])


def depth_at(ledger: Ledger, person: Person, route: str, arguments: Mapping[str, Any]) -> str:
    """How deep somebody gets at the address of a statement, by the shelf on which it stands."""
    name = arguments.get("name")
    if name is None or not (route.startswith("statements/<str:name>/") or arguments.get("of") == "statement"):
        return DEPTHS[-1]
    shelf = Definition.objects.filter(ledger=ledger, kind="statement", name=name).values_list("shelf", flat=True)
    return depth_on(person, shelf.first())


def depth_on(person: Person, shelf: int | None) -> str:
    """How deep somebody gets from figures of what stands on a shelf, by its number; on none as deep as they do."""
    return Rights(person, [shelf]).depth_on(shelf) if shelf else DEPTHS[-1]


def level_on(person: Person, shelf: int | None) -> int:
    """What somebody may do with what stands on a shelf, by its number."""
    return Rights(person, [shelf] if shelf else []).on_shelf(shelf)


def level_of(person: Person, definition: Definition) -> int:
    """What somebody may do with one definition, see Rights."""
    return Rights(person, [definition.shelf_id] if definition.shelf_id else []).level(definition)


def rights_among(person: Person, definitions: Iterable[Definition]) -> Rights:
    """What somebody may do with several definitions."""
    return Rights(person, {definition.shelf_id for definition in definitions if definition.shelf_id})


def required_editor(person: Person) -> None:
    """Refuse people who may only read."""
    if not person.may_edit:
        raise RulkaError("You may read this statement, not change it.", hint="Ask an accountant.", code="rights")


def required(person: Person, definition: Definition, level: int) -> None:
    """Refuse what role and shelf don't give; what somebody may not even see does not exist for them."""
    if level == EDIT:
        required_editor(person)
    has = level_of(person, definition)
    if has == 0:
        raise NotFound(f"The {definition.kind} does not exist.", subject=definition.kind)
    if has < level:
        where = f"on the shelf '{definition.shelf.name}'" if definition.shelf else "here"
        raise RulkaError(
            f"You may {LEVELS[has]} what is {where}, not {LEVELS[level]} it.",
            hint="Ask an administrator.",
            code="rights",
        )


@dataclass(frozen=True)
class Shelved:
    """A statement in the library as somebody sees it."""

    name: str
    title: str
    subtitle: str
    tags: tuple[str, ...]
    shelf: str
    shelf_id: int | None
    level: int
    favourite: bool
    begun: bool
    lines: str
    columns: str

    @property
    def may_run(self) -> bool:
        return self.level >= RUN


@dataclass(frozen=True)
class Library:
    """What a library page shows: shelves with their statements, favourites, what was used last, and what one can filter
    by."""

    shelves: tuple[tuple[str, int | None, tuple[Shelved, ...]], ...]
    favourites: tuple[Shelved, ...]
    recent: tuple[Shelved, ...]
    tags: tuple[str, ...]
    count: int


def library_of(ledger: Ledger, person: Person, *, search: str = "", tag: str = "") -> Library:
    """The statements that somebody may at least see, by shelf; all words of a search have to be in title, subtitle,
    tags or names of parts."""
    stored = list(Definition.objects.filter(ledger=ledger).select_related("shelf"))
    titles = {one.pk: one.title for one in stored}
    rights = rights_among(person, stored)
    visits = {visit.definition_id: visit for visit in Visit.objects.filter(person=person, definition__ledger=ledger)}
    seen = []
    for definition in stored:
        if definition.kind != "statement":
            continue
        level = rights.level(definition)
        visit = visits.get(definition.pk)
        if level:
            seen.append((_shelved(definition, titles, level, bool(visit and visit.favourite)), visit))
    fitting = [shelved for shelved, _ in seen if _fits(shelved, search) and (not tag or tag in shelved.tags)]
    fitting.sort(key=lambda shelved: shelved.title.casefold())
    names = [(shelf.name, shelf.pk) for shelf in shelves_seen(ledger, person)]
    places: list[tuple[str, int | None]] = [*names, ("", None)]
    by_shelf = [(name, pk, tuple(shelved for shelved in fitting if shelved.shelf_id == pk)) for name, pk in places]
    last = sorted(((visit.at, shelved) for shelved, visit in seen if visit), key=lambda pair: pair[0], reverse=True)
    return Library(
        tuple(
            (name, pk, inside) for name, pk, inside in by_shelf if inside or (pk is not None and not search and not tag)
        ),
        tuple(shelved for shelved, _ in seen if shelved.favourite),
        tuple(shelved for _, shelved in last[:RECENT]),
        tuple(sorted({tag for shelved, _ in seen for tag in shelved.tags}, key=str.casefold)),
        len(fitting),
    )


def _shelved(definition: Definition, titles: Mapping[int, str], level: int, favourite: bool) -> Shelved:
    body = definition.body
    return Shelved(
        definition.name,
        titles[definition.pk],
        body.get("subtitle", ""),
        tuple(definition.tags),
        definition.shelf.name if definition.shelf else "",
        definition.shelf_id,
        level,
        favourite,
        "begun" in body,
        titles.get(definition.spine_id or 0, ""),
        titles.get(definition.span_id or 0, ""),
    )


def _fits(shelved: Shelved, search: str) -> bool:
    text = " ".join(
        (shelved.title, shelved.subtitle, shelved.name, *shelved.tags, shelved.lines, shelved.columns)
    ).casefold()
    return all(word in text for word in search.casefold().split())


def remember_visit(person: Person, definition: Definition) -> None:
    """Note that somebody looks at a statement now; not whoever looks through their eyes."""
    if person.looked_by is not None:
        return
    with aside():
        changed = Visit.objects.filter(person=person, definition=definition).update(at=timezone.now())
        if not changed:
            Visit.objects.get_or_create(person=person, definition=definition)


def set_favourite(person: Person, definition: Definition, *, favourite: bool) -> None:
    """Mark a statement as one to come back to, or not any more."""
    Visit.objects.update_or_create(person=person, definition=definition, defaults={"favourite": favourite})


def make_shelf(ledger: Ledger, name: str, *, person: Person) -> Shelf:
    """A new shelf; refuses a name that another one has."""
    required_editor(person)
    name = name.strip()
    if not name or len(name) > 80:
        raise RulkaError("A shelf needs a name of at most 80 characters.", hint="Such as 'Month end'.", subject="shelf")
    if any(shelf.name.casefold() == name.casefold() for shelf in shelves_seen(ledger, person)):
        raise RulkaError(f"There is a shelf '{name}' already.", hint="Choose another name.", subject="shelf")
    return Shelf.objects.create(ledger=ledger, name=name, maker=person)


def shelves_seen(ledger: Ledger, person: Person) -> list[Shelf]:
    """The shelves that somebody may at least see."""
    every = list(Shelf.objects.filter(ledger=ledger))
    rights = Rights(person, [shelf.pk for shelf in every])
    return [shelf for shelf in every if rights.on_shelf(shelf.pk)]


def put_on_shelf(definition: Definition, shelf: str, *, person: Person) -> None:
    """Put a definition on a shelf by the shelf's number, or on none; one has to be allowed to edit it, before and
    after."""
    required(person, definition, EDIT)
    definition.shelf = find_shelf(definition.ledger, shelf, person=person) if shelf else None
    required(person, definition, EDIT)
    definition.save(update_fields=["shelf"])


def set_tags(definition: Definition, text: str, *, person: Person) -> list[str]:
    """Give a definition its tags, written with commas between them."""
    required(person, definition, EDIT)
    definition.tags = list(dict.fromkeys(tag.strip()[:40] for tag in text.split(",") if tag.strip()))[:20]
    definition.save(update_fields=["tags"])
    return list(definition.tags)


def find_shelf(ledger: Ledger, number: str, *, person: Person) -> Shelf:
    """A shelf by its number, for somebody who may at least see it."""
    found = Shelf.objects.filter(ledger=ledger, pk=key_in(number)).first()
    if found is None or not level_on(person, found.pk):
        raise NotFound("This shelf does not exist.", hint="Choose one of the list.", subject="shelf")
    return found


class FirstRestriction(RulkaError):
    """A shelf that was open to all would be so no longer; `losers` are those who would lose what, in words."""

    code = "restricts"

    def __init__(self, losers: Sequence[str]) -> None:
        self.losers = losers
        super().__init__(
            f"So far this shelf is open to all who may see the ledger. With a first right it is closed to others: "
            f"{', '.join(losers) or 'nobody loses anything'}.",
            hint="Give the right all the same, or leave the shelf open.",
            subject="rights",
        )


def set_right(
    shelf: Shelf, who: str, level: str, *, person: Person | None, knows: bool = True, depth: str = ""
) -> None:
    """Give a person (`person:NAME`) or a group (`group:NAME`) a right on a shelf, down to a depth, or take it back with
    an empty level; no `person` means whoever runs commands.

    Raises FirstRestriction where it would close a shelf that is open, unless somebody `knows` that.
    """
    if person is not None and not person.may_give:
        raise RulkaError("You may not give rights.", hint="Ask a controller or an administrator.", code="rights")
    kind, _, name = who.partition(":")
    model: Any = {"person": Person, "group": Group}.get(kind)
    found = model.objects.filter(**{"username" if kind == "person" else "name": name}).first() if model else None
    if found is None:
        raise NotFound(
            f"'{name or who}' is neither a person nor a group.", hint="Choose one of the list.", subject="rights"
        )
    number = next((number for number, word in LEVELS.items() if word == level), 0)
    if level and not number:
        raise NotFound(f"'{level}' is no right.", hint=f"There are {', '.join(LEVELS.values())}.", subject="rights")
    if depth and depth not in DEPTHS:
        raise NotFound(f"'{depth[:20]}' is no depth.", hint=one_of(depth, DEPTHS), subject="depth")
    deep = "" if depth == DEPTHS[-1] else depth
    with transaction.atomic():
        if number and not knows and not shelf.rights.exists():
            ShelfRight.objects.create(shelf=shelf, level=number, **{kind: found})
            losers = _losers(shelf)
            transaction.set_rollback(True)
            raise FirstRestriction(losers)
        ShelfRight.objects.filter(shelf=shelf, **{kind: found}).delete()
        if number:
            ShelfRight.objects.create(shelf=shelf, level=number, depth=deep, **{kind: found})
        told = f"{level}{f' down to {deep}' if deep else ''} given to" if number else "right taken back from"
        record.note(person, "people", ledger=shelf.ledger.code, thing=f"shelf {shelf.name}",
                    detail=f"{told} {kind} {name}", name="" if person else "command")  # fmt: skip


def set_by_command(who: Person | Group, ledger: str, shelf: str, level: str, depth: str) -> str:
    """Give a right on a shelf that is named, for whoever runs commands; says what was done."""
    named = Shelf.objects.filter(name=shelf, **({"ledger__code": ledger} if ledger else {}))
    found = list(named[:2])
    if not found:
        raise NotFound(f"There is no shelf '{shelf[:80]}'.", subject="shelf")
    if len(found) > 1:
        raise RulkaError(
            f"Several shelves are called '{shelf}'.", hint="Name the ledger with --ledger.", subject="shelf"
        )
    key = f"person:{who.username}" if isinstance(who, Person) else f"group:{who.name}"
    set_right(found[0], key, level, person=None, depth=depth)
    return f"{key.partition(':')[2]}: {f'{level} given' if level else 'right taken back'} on {shelf}"


def _losers(shelf: Shelf) -> list[str]:
    """Who of those that see the ledger may do less on a shelf with its rights than without them, and what."""
    told = []
    for one in people_of(shelf.ledger.code):
        had, has = EDIT if one.may_edit else RUN, level_on(one, shelf.pk)
        if has < had:
            left = f"may only {LEVELS[has]}" if has else "doesn't see it any more"
            told.append(f"{one.title or one.username} {left}")
    return told


def passed_on(leaves: Person, heir: Person) -> str:
    """Shelves and open explanations of somebody who leaves go to somebody else."""
    shelves = Shelf.objects.filter(maker=leaves).update(maker=heir)
    items = Explanation.objects.filter(owner=leaves).exclude(state=Explanation.State.ACCEPTED).update(owner=heir)
    told = [f"{shelves} shelves" if shelves else "", f"{items} explanations" if items else ""]
    return " and ".join(filter(None, told))


@dataclass(frozen=True)
class ShelfReader:
    """One who may see the ledger: what they may do with an item (empty for nothing), and why."""

    name: str
    level: str
    why: str
    sees: str
    """Through what they see the ledger, within which bounds, how deep."""


def reach_of(ledger: Ledger, shelf: Shelf | None) -> list[ShelfReader]:
    """Everybody who may see a ledger, with what they may do with what stands on a shelf, or on none, and why."""
    found = []
    rights = list(shelf.rights.select_related("person", "group")) if shelf else []
    for one in people_of(ledger.code):
        groups = set(one.groups.values_list("pk", flat=True))
        level = level_on(one, shelf.pk if shelf else None)
        role = one.get_role_display().lower()
        if not rights:
            why = "the shelf has no rights of its own" if shelf else "it stands on no shelf"
            why = f"{why}; as {role} they {'edit' if one.may_edit else 'read'}"
        elif one.administers:
            why = "administrators may do all"
        elif shelf and shelf.maker_id == one.pk:
            why = "they made the shelf"
        else:
            given = [right for right in rights if right.person_id == one.pk or right.group_id in groups]
            through = [f"group {right.group.name}" if right.group else "their own right" for right in given]
            why = ", ".join(through) or "the shelf gives them nothing"
            if given and max(right.level for right in given) > level:
                why += f"; as {role} they only read"
        found.append(
            ShelfReader(one.title or one.username, LEVELS.get(level, ""), why, sees_in_words(one, ledger.code))
        )
    return found


def rights_of(shelf: Shelf) -> list[tuple[str, str, str]]:
    """(who, shown name, right) of all who have one on a shelf."""
    people = shelf.rights.filter(person__isnull=False).values_list(
        "person__username", "person__title", "level", "depth"
    )
    groups = shelf.rights.filter(group__isnull=False).values_list("group__name", "level", "depth")
    return [(f"person:{name}", title or name, _right(level, depth)) for name, title, level, depth in people] + [
        (f"group:{name}", f"group {name}", _right(level, depth)) for name, level, depth in groups
    ]


def _right(level: int, depth: str) -> str:
    return LEVELS[level] + (f", {depth} only" if depth else "")


def who_may_be_given(ledger: Ledger) -> Sequence[tuple[str, str]]:
    """The people who may see a ledger, and all groups."""
    people = people_of(ledger.code)
    groups = Group.objects.order_by("name")
    return [(f"person:{person.username}", person.title or person.username) for person in people] + [
        (f"group:{group.name}", f"group {group.name}") for group in groups
    ]
