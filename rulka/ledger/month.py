"""What somebody sees of a month when they begin: apps register what waits, what holds, how the books stand, what was
used last. Each thing leads to where it is dealt with."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Literal

from rulka.core.money import grouped

Tone = Literal["", "good", "bad", "open"]


@dataclass(frozen=True)
class Waits:
    """Something that waits for whoever looks: what to do, with what, by when; `rank` puts the most pressing first."""

    verb: str
    title: str
    address: str
    when: str = ""
    tone: Tone = ""
    rank: int = 5


@dataclass(frozen=True)
class MonthHolds:
    """A statement and whether it holds: holds, fails, warns or not judged, and why."""

    title: str
    state: str
    detail: str
    address: str


@dataclass(frozen=True)
class MonthBooks:
    """How one entity's month stands."""

    code: str
    name: str
    currency: str
    lines: int
    pending: int
    state: str
    address: str
    pending_address: str = ""

    @property
    def lines_text(self) -> str:
        return grouped(self.lines, 0)


@dataclass(frozen=True)
class Glanced:
    """A key figure of the month: actual, how far it is from budget, and that in percent."""

    name: str
    actual: str
    gap: str
    percent: str
    tone: Tone
    address: str


@dataclass(frozen=True)
class Glance:
    """Key figures of the overview that somebody chose."""

    title: str
    address: str
    unit: str
    rows: tuple[Glanced, ...]
    has_budget: bool = True


@dataclass(frozen=True)
class Used:
    """Something that somebody used, and when."""

    title: str
    kind: str
    address: str
    at: datetime


Item = Waits | MonthHolds | MonthBooks | Glance | Used
Source = Callable[[Any], Iterable[Item]]
_SOURCES: list[Source] = []
MOST_USED = 8


def shows_in_month(source: Source) -> None:
    """Register who shows something; it gets the seat."""
    _SOURCES.append(source)


@dataclass
class Month:
    """All that is shown of a month, by kind."""

    waits: list[Waits] = field(default_factory=list)
    holds: list[MonthHolds] = field(default_factory=list)
    books: list[MonthBooks] = field(default_factory=list)
    glances: list[Glance] = field(default_factory=list)
    used: list[Used] = field(default_factory=list)


def month_of(seat: Any) -> Month:
    """What all apps show to whoever sits there: the most pressing first, the last used first."""
    found = Month()
    for source in _SOURCES:
        for item in source(seat):
            match item:
                case Waits():
                    found.waits.append(item)
                case MonthHolds():
                    found.holds.append(item)
                case MonthBooks():
                    found.books.append(item)
                case Glance():
                    found.glances.append(item)
                case Used():
                    found.used.append(item)
    found.waits.sort(key=lambda one: one.rank)
    order = ("fails", "warns", "not judged", "holds")
    found.holds.sort(key=lambda one: (order.index(one.state), one.title.casefold()))
    found.used = sorted(found.used, key=lambda one: one.at, reverse=True)[:MOST_USED]
    return found
