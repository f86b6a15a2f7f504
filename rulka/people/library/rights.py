"""Rights: who may see which ledger, within which bounds, and giving them. Bounds of a person and those of their groups
are alternatives: what lies inside of any of them shows."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.apps import apps
from django.contrib.auth.models import Group
from django.db.models import Q

from rulka.core.books.fence import DEPTHS, LETS_NOTHING_THROUGH, Bounds, Fence
from rulka.core.books.inside import bounds_inside
from rulka.core.books.narrowing import Narrowing, parse_narrowing
from rulka.core.books.selection import parse_selection
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.people.models import Access, GivenRight, GroupAccess, LedgerBounds, Person

NodesOf = Callable[[Any, str, str], tuple[Narrowing, ...] | None]
_NODES: list[NodesOf] = []


def knows_nodes(find: NodesOf) -> None:
    """Register how a node of a scope is found: it gets a ledger, the scope's name and the node's code, and says by what
    the node is told, from the outermost on; None where there is no such node now."""
    _NODES.append(find)


def inside_node(ledger: Any, node: str) -> tuple[Narrowing, ...] | None:
    """By what a node is told as things are now: an entity with all below it, or SCOPE/NODE; None where it is gone."""
    scope, mark, code = node.partition("/")
    if mark:
        found = (find(ledger, scope, code) for find in _NODES)
        return next((one for one in found if one is not None), None)
    if not apps.get_model("ledger", "Entity").objects.filter(ledger=ledger, code=node).exists():
        return None
    return (parse_narrowing(f'entity: under:"{node}"'),)


@dataclass(frozen=True, eq=False)
class LedgerAccess:
    """A ledger that a person may see: through what (their own access, groups), within which bounds."""

    person: Person
    ledger: Any
    through: tuple[LedgerBounds, ...]

    @property
    def ledger_id(self) -> int:
        return int(self.ledger.pk)

    @property
    def opens_seals(self) -> bool:
        """Whether sealed detail shows; to whoever looks through somebody's eyes only where it would to themselves."""
        looker = self.person.looked_by
        if looker is not None:
            own = access_of(looker, self.ledger.code)
            if own is None or not own.opens_seals:
                return False
        return any(one.opens_seals for one in self.through)

    @property
    def depth(self) -> str:
        """How deep they get: as deep as what gives most, and no deeper than whoever looks through their eyes."""
        deepest = max((one.depth or DEPTHS[-1] for one in self.through), key=_depth_at, default=DEPTHS[0])
        looker = self.person.looked_by
        if looker is not None:
            own = access_of(looker, self.ledger.code)
            deepest = min(deepest, own.depth if own else DEPTHS[0], key=_depth_at)
        return deepest

    def own_fence(self) -> Fence:
        """The fence with the seal of its ledger. Bounds that can't be read, and nodes that are gone, let nothing
        through."""
        sealed = "" if self.opens_seals else self.ledger.sealed
        fence = Fence.around((bounds_now(one) for one in self.through), sealed, self.ledger.seal_grain)
        return fence.down_to(self.depth)


def _depth_at(depth: str) -> int:
    return DEPTHS.index(depth) if depth in DEPTHS else 0


def bounds_now(reach: LedgerBounds) -> Bounds:
    """The bounds that somebody has, as things are now."""
    try:
        if not reach.node:
            return reach.bounds
        narrowings = inside_node(reach.ledger, reach.node)
        if narrowings is None:
            return LETS_NOTHING_THROUGH
        return bounds_inside(reach.entities, reach.accounts, reach.members, narrowings)
    except RulkaError:
        return LETS_NOTHING_THROUGH


def accesses_of(person: Person) -> list[LedgerAccess]:
    """The ledgers a person may see, each with its bounds, by ledger code; none for whoever was deactivated."""
    if not person.is_active:
        return []
    own: list[LedgerBounds] = list(Access.objects.filter(person=person).select_related("ledger"))
    of_groups = GroupAccess.objects.filter(group__in=person.groups.all()).select_related("ledger", "group")
    return _joined(person, [*own, *of_groups.order_by("group__name")])


def _joined(person: Person, reaches: Iterable[LedgerBounds]) -> list[LedgerAccess]:
    by_ledger: dict[str, list[LedgerBounds]] = {}
    for one in reaches:
        by_ledger.setdefault(one.ledger.code, []).append(one)
    return [LedgerAccess(person, found[0].ledger, tuple(found)) for _, found in sorted(by_ledger.items())]


def access_of(person: Person, ledger_code: str) -> LedgerAccess | None:
    """What a person may see of one ledger; None where nothing."""
    return next((one for one in accesses_of(person) if one.ledger.code == ledger_code), None)


def accesses_to(people: Sequence[Person], ledger_code: str) -> list[tuple[Person, LedgerAccess]]:
    """What several people may see of one ledger, of those who see anything; their rights are known afterwards."""
    groups = {person.pk: {group.pk for group in person.groups.all()} for person in people}
    own: dict[int, list[LedgerBounds]] = {}
    for one in Access.objects.filter(person__in=people, ledger__code=ledger_code).select_related("ledger"):
        own.setdefault(one.person_id, []).append(one)
    every = set().union(*groups.values())
    shared = list(
        GroupAccess.objects.filter(group__in=every, ledger__code=ledger_code)
        .select_related("ledger", "group")
        .order_by("group__name")
    )
    given = list(GivenRight.objects.filter(Q(person__in=people) | Q(group__in=every)))
    found = []
    for person in people:
        mine = groups[person.pk]
        person.knows_rights(one.right for one in given if one.person_id == person.pk or one.group_id in mine)
        reaches = [*own.get(person.pk, ()), *(one for one in shared if one.group_id in mine)]
        found += [(person, access) for access in _joined(person, reaches) if person.is_active]
    return found


def bounded_by(ledger: Any, scope: str = "", node: str = "") -> list[tuple[Person, str]]:
    """Who owns nodes of a ledger: the people bounded by one, by themselves or through a group, each with its code. Of a
    scope all of its nodes, or one of them; without a scope an entity."""
    wanted = f"{scope}/{node}" if scope and node else node
    found: dict[tuple[int, str], tuple[Person, str]] = {}
    own = Access.objects.filter(ledger=ledger, person__is_active=True).exclude(node="").select_related("person")
    reaches: list[tuple[Person, str]] = [(one.person, one.node) for one in own]
    for given in GroupAccess.objects.filter(ledger=ledger).exclude(node="").select_related("group"):
        reaches += [(person, given.node) for person in Person.objects.filter(groups=given.group, is_active=True)]
    for person, said in reaches:
        its_scope, mark, code = said.rpartition("/")
        if said == wanted or (mark and not node and its_scope == scope):
            found.setdefault((person.pk, code), (person, code))
    return sorted(found.values(), key=lambda pair: (pair[1], pair[0].username))


def through(reach: LedgerBounds) -> str:
    """Through what somebody sees a ledger."""
    return f"group {reach.group.name}" if isinstance(reach, GroupAccess) else "their own"


def bounds_in_words(reach: LedgerBounds) -> str:
    """What somebody sees of a ledger, and how deep."""
    told = [
        f"node {reach.node}" + ("" if inside_node(reach.ledger, reach.node) is not None else ", which is gone")
        if reach.node
        else "",
        f"entities {reach.entities}" if reach.entities else "",
        f"accounts {reach.accounts}" if reach.accounts else "",
        *(f"{name} {text}" for name, text in reach.members.items()),
    ]
    deep = f", {reach.depth} only" if reach.depth else ""
    return ("; ".join(filter(None, told)) or "all of it") + deep


def sees_in_words(person: Person, ledger_code: str) -> str:
    """What somebody sees of a ledger, and through what."""
    access = access_of(person, ledger_code)
    if access is None:
        return "nothing of the ledger"
    return " or ".join(f"{bounds_in_words(one)} ({through(one)})" for one in access.through)


def fence_of(who: Person | str, ledger_code: str) -> Fence:
    """The fence of a person, by their name where a command has it, on a ledger; NotFound without access. Whoever looks
    through their eyes sees no more by it."""
    person = who if isinstance(who, Person) else Person.objects.filter(username=who).first()
    found = access_of(person, ledger_code) if person else None
    if found is None:
        raise NotFound(
            f"'{person.username if person else who}' has no access to ledger {ledger_code}.", subject="person"
        )
    return found.own_fence()


def checked_bounds(
    ledger: Any, entities: str, accounts: str, members: Mapping[str, str], node: str = "", depth: str = ""
) -> None:
    """Refuse bounds that can't be read or name no dimension or node of a ledger."""
    if depth and depth not in DEPTHS:
        raise NotFound(f"'{depth[:20]}' is no depth.", hint=one_of(depth, DEPTHS), subject="depth")
    unknown = set(members) - set(ledger.dimensions)
    if unknown:
        raise NotFound(
            f"'{sorted(unknown)[0]}' is no dimension of {ledger.code}.",
            hint=f"It has {', '.join(ledger.dimensions) or 'none'}.",
            subject="members",
        )
    for text in filter(None, (entities, accounts, *members.values())):
        parse_selection(text)
    if node:
        narrowings = inside_node(ledger, node)
        if narrowings is None:
            raise NotFound(
                f"There is no node '{node[:60]}'.", hint="Write an entity's code, or SCOPE/NODE.", subject="node"
            )
        bounds_inside(entities, accounts, members, narrowings)


def grant(
    who: Person | Group,
    ledger_code: str,
    entities: str,
    accounts: str,
    members: dict[str, str],
    *,
    opens_seals: bool,
    node: str = "",
    depth: str = "",
) -> LedgerBounds:
    """Let a person or a group see a ledger within bounds; refuses bounds that can't be read or name no dimension."""
    ledger = apps.get_model("ledger", "Ledger").objects.filter(code=ledger_code).first()
    if ledger is None:
        raise NotFound(f"Ledger '{ledger_code}' does not exist.", subject="ledger")
    checked_bounds(ledger, entities, accounts, members, node, depth)
    bounds: dict[str, Any] = {
        "entities": entities, "accounts": accounts, "members": members, "opens_seals": opens_seals,
        "node": node, "depth": "" if depth == DEPTHS[-1] else depth,
    }  # fmt: skip
    if isinstance(who, Person):
        return Access.objects.update_or_create(person=who, ledger=ledger, defaults=bounds)[0]
    return GroupAccess.objects.update_or_create(group=who, ledger=ledger, defaults=bounds)[0]


def revoke(who: Person | Group, ledger_code: str) -> None:
    """Let a person or a group see a ledger no longer; NotFound where they didn't."""
    model: Any = Access if isinstance(who, Person) else GroupAccess
    key = "person" if isinstance(who, Person) else "group"
    gone, _ = model.objects.filter(**{key: who, "ledger__code": ledger_code}).delete()
    if not gone:
        raise NotFound(f"They don't see ledger {ledger_code} by themselves.", subject="ledger")
