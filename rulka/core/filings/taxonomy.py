"""A taxonomy as it is read from a package: concepts, their labels, what adds up to what, what is reported by member."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from functools import cached_property, lru_cache
from typing import Any, Final, Literal

from rulka.core.errors import NotFound, RulkaError, one_of

Kind = Literal["money", "number", "pure", "shares", "per share", "text", "block", "date", "other"]
Time = Literal["instant", "duration"]
KINDS: Final[Mapping[Kind, str]] = {
    "money": "an amount of money", "number": "a number", "pure": "a ratio", "shares": "a number of shares",
    "per share": "an amount per share", "text": "words", "block": "a section of text", "date": "a date",
    "other": "something else",
}  # fmt: skip
NUMERIC: Final = ("money", "number", "pure", "shares", "per share")
TIMES: Final[Mapping[Time, str]] = {"instant": "at a day", "duration": "over a time"}


SMALL: Final = frozenset({"and", "of", "the", "for", "to", "in", "a", "on", "from", "total"})


@lru_cache(maxsize=100_000)
def words_of(text: str) -> frozenset[str]:
    """A label in its words: small letters, plurals as one, what only joins left out."""
    split = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", text)
    found = re.findall(r"[^\W_]+", split.casefold())
    return frozenset(one[:-1] if len(one) > 3 and one.endswith("s") else one for one in found if one not in SMALL)


@dataclass(frozen=True)
class Concept:
    """Something that can be reported. `name` is its prefixed name, `balance` debit, credit or empty, `labels` what else
    it is called."""

    name: str
    label: str
    kind: Kind
    period: Time
    balance: str = ""
    abstract: bool = False
    labels: tuple[str, ...] = ()
    about: str = ""
    role: str = ""
    """Which part of the taxonomy shows it first."""

    @property
    def is_numeric(self) -> bool:
        return self.kind in NUMERIC

    @property
    def told(self) -> str:
        """`an amount of money at a day, debit`."""
        return ", ".join(filter(None, (f"{KINDS[self.kind]} {TIMES[self.period]}", self.balance)))


@dataclass(frozen=True)
class Sum:
    """A total and what adds up to it, within one part of the taxonomy."""

    role: str
    total: str
    parts: tuple[tuple[str, Decimal], ...]
    """(concept, weight)"""


@dataclass(frozen=True)
class Cube:
    """Concepts that are reported by member: for each axis the members that may stand there, and the one that is meant
    where none is said. `closed` takes no other axis."""

    role: str
    concepts: frozenset[str]
    axes: Mapping[str, tuple[str, ...]]
    defaults: Mapping[str, str]
    closed: bool = True

    def takes(self, members: Mapping[str, str]) -> bool:
        """Whether a fact with these members fits."""
        if self.closed and set(members) - set(self.axes):
            return False
        for axis, known in self.axes.items():
            if axis not in members:
                if axis not in self.defaults:
                    return False
            elif members[axis] not in known or members[axis] == self.defaults.get(axis):
                return False
        return True


@dataclass(frozen=True)
class Concepts:
    """One entry point of a package: `entry` is where reports say they follow it, `namespaces` are by prefix, `tree` the
    parts that show concepts, as (title, ((above, below) ...)), `within` says where members stand in a context."""

    title: str
    version: str
    entry: str
    namespaces: Mapping[str, str]
    concepts: Mapping[str, Concept]
    tree: tuple[tuple[str, tuple[tuple[str, str], ...]], ...] = ()
    sums: tuple[Sum, ...] = ()
    cubes: tuple[Cube, ...] = ()
    axes: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    within: str = "scenario"

    def concept(self, name: str) -> Concept:
        """A concept by its prefixed name; NotFound with the ones nearest to it."""
        found = self.concepts.get(name)
        if found is None:
            raise NotFound(
                f"The taxonomy has no concept '{name[:80]}'.", hint=one_of(name, self.concepts), subject="concept"
            )
        return found

    def check_member(self, axis: str, member: str) -> None:
        """Refuse an axis or member that isn't there."""
        if axis not in self.axes:
            raise NotFound(f"The taxonomy has no axis '{axis[:80]}'.", hint=one_of(axis, self.axes), subject="members")
        if member not in self.axes[axis]:
            raise NotFound(
                f"The axis {axis} has no member '{member[:80]}'.", hint=one_of(member, self.axes[axis]),
                subject="members",
            )  # fmt: skip

    def takes(self, concept: str, members: Mapping[str, str]) -> bool:
        """Whether a concept may be reported with these members: by one of its cubes; without any, whatever is said."""
        own = [cube for cube in self.cubes if concept in cube.concepts]
        return not own or any(cube.takes(members) for cube in own)

    @cached_property
    def _by_word(self) -> Mapping[str, list[tuple[Concept, int]]]:
        """The concepts that bear a word in some name, and how many words that name has."""
        found: dict[str, list[tuple[Concept, int]]] = {}
        for concept in self.reportable:
            for name in (concept.label, *concept.labels, concept.name.partition(":")[2]):
                words = words_of(name)
                for word in words:
                    found.setdefault(word, []).append((concept, len(words)))
        return found

    def near(self, label: str, most: int) -> list[Concept]:
        """The concepts that share most words with a label, most of them first."""
        words = words_of(label)
        shared: dict[str, float] = {}
        for word in words:
            for concept, count in self._by_word.get(word, ()):
                shared[concept.name] = shared.get(concept.name, 0.0) + 1 / max(count, len(words))
        return [self.concepts[name] for name in sorted(shared, key=lambda name: -shared[name])[:most]]

    @property
    def reportable(self) -> Iterator[Concept]:
        return (one for one in self.concepts.values() if not one.abstract)


def circle_in(arcs: Sequence[tuple[str, str]]) -> list[str]:
    """A circle among (above, below), from its first name to itself again; empty where there is none."""
    below: dict[str, list[str]] = {}
    for above, under in arcs:
        below.setdefault(above, []).append(under)
    done: set[str] = set()
    for start in below:
        way: list[tuple[str, Iterator[str]]] = [(start, iter(below[start]))] if start not in done else []
        on_way = [start] if way else []
        while way:
            name, rest = way[-1]
            step = next(rest, None)
            if step is None:
                done.add(name)
                way.pop()
                on_way.pop()
            elif step in on_way:
                return [*on_way[on_way.index(step) :], step]
            elif step not in done:
                way.append((step, iter(below.get(step, ()))))
                on_way.append(step)
    return []


def check_circles(told: Mapping[str, Any]) -> None:
    """Refuse a taxonomy in which something is, part by part, a part of itself."""
    for kind, what in (("presentation", "shows"), ("calculation", "adds up"), ("definition", "divides")):
        for role, arcs in told["arcs"].get(kind, {}).items():
            circle = circle_in([(one[0], one[1]) for one in arcs])
            if circle:
                raise RulkaError(
                    f"It {what} something as a part of itself: {' → '.join(circle[:8])}.",
                    hint="Ask for a mended package; nothing was kept.", subject=f"{kind} of '{role[:80]}'",
                )  # fmt: skip


def taxonomy_from(told: Mapping[str, Any]) -> Concepts:
    """A taxonomy of what its reader told, plain as it is stored."""
    shown: dict[str, str] = {}
    tree = []
    for role, arcs in told["arcs"].get("presentation", {}).items():
        title = told["roles"].get(role, role)
        tree.append((title, tuple((one[0], one[1]) for one in arcs)))
        for _, below, *_ in arcs:
            shown.setdefault(below, title)
    sums: dict[tuple[str, str], list[tuple[str, Decimal]]] = {}
    for role, arcs in told["arcs"].get("calculation", {}).items():
        for total, part, weight in arcs:
            sums.setdefault((told["roles"].get(role, role), total), []).append((part, Decimal(weight)))
    cubes = tuple(
        Cube(
            one["role"], frozenset(one["concepts"]), {axis: tuple(found) for axis, found in one["axes"].items()},
            one["defaults"], one["closed"],
        )
        for one in told["cubes"]
    )  # fmt: skip
    axes: dict[str, tuple[str, ...]] = {}
    for cube in cubes:
        for axis, members in cube.axes.items():
            axes[axis] = tuple(dict.fromkeys((*axes.get(axis, ()), *members)))
    return Concepts(
        title=told["title"], version=told["version"], entry=told["entry"], namespaces=told["namespaces"],
        concepts={
            one["name"]: Concept(
                one["name"], one["label"], one["kind"], one["period"], one["balance"], one["abstract"],
                tuple(one["labels"]), one["about"], shown.get(one["name"], ""),
            )
            for one in told["concepts"]
        },
        tree=tuple(tree), sums=tuple(Sum(role, total, tuple(parts)) for (role, total), parts in sums.items()),
        cubes=cubes, axes=axes, within=told.get("within", "scenario"),
    )  # fmt: skip
