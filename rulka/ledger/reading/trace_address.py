"""Where a trace stands, as text: the figure it began at, the way taken into it, and how what is there is shown.

A way is written `account=6110/period=2027-P03`, its names and codes quoted as in addresses.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from fractions import Fraction
from typing import Protocol
from urllib.parse import quote, unquote, urlencode

from rulka.core.errors import NotFound, RulkaError
from rulka.core.proof.splits import Step
from rulka.core.values import key_in, typed_amount
from rulka.ledger.reading.trace_lines import LineQuery

NAMES = ("row", "column", "in", "by", "sort", "search", "least", "most", "first", "last", "ticks", "cols", "values",
         "page", "other", "entity", "entry", "document", "room")  # fmt: skip
"""What an address of a trace may say."""

LISTING = ("sort", "search", "least", "most", "first", "last", "ticks", "values", "page", "other")
"""What of it is about the list that is shown, and ends with it."""


class AskedFilter(Protocol):
    """What an address or a form asks for: several values may have one name."""

    def getlist(self, name: str) -> list[str]: ...


def said_in(asked: AskedFilter) -> dict[str, str]:
    """What of an address is about a trace; columns that were ticked one by one are one list."""
    found = {name: ",".join(asked.getlist(name)) for name in NAMES}
    return {name: text for name, text in found.items() if text}


def way_of(text: str) -> tuple[Step, ...]:
    """The steps that a way says; raises NotFound for what is none."""
    steps = []
    for part in text.split("/") if text else ():
        direction, mark, code = part.partition("=")
        if not mark or not direction:
            raise NotFound(f"'{part[:40]}' is no step of a trace.", hint="Write account=6110.", subject="in")
        steps.append((unquote(direction), unquote(code)))
    return tuple(steps)


def way_text(way: tuple[Step, ...]) -> str:
    """A way as its address says it."""
    return "/".join(f"{quote(direction, safe='')}={quote(code, safe='')}" for direction, code in way)


@dataclass(frozen=True)
class Address:
    """Where a trace stands; `said` is all that was given, by name."""

    row: str = ""
    column: str = ""
    way: tuple[Step, ...] = ()
    by: str = ""
    said: Mapping[str, str] = field(default_factory=dict)

    @classmethod
    def of(cls, state: Mapping[str, str]) -> Address:
        said = {name: state[name] for name in NAMES if state.get(name)}
        way = way_of(said.get("in", ""))
        return cls(said.get("row", ""), said.get("column", ""), way, said.get("by", ""), said)

    def get(self, name: str) -> str:
        return self.said.get(name, "")

    @property
    def page(self) -> int:
        return key_in(self.get("page")) or 1

    @property
    def other_page(self) -> int:
        return key_in(self.get("other")) or 1

    def at(self, way: tuple[Step, ...], by: str = "") -> str:
        """The address of the same figure along another way, its list as it begins."""
        kept = {name: self.said[name] for name in ("row", "column", "cols", "room") if name in self.said}
        own = {**kept, **({"in": way_text(way)} if way else {}), **({"by": by} if by else {})}
        return urlencode({"panel": "trace", **own})

    def into(self, direction: str, code: str, by: str = "") -> str:
        """The address one step further."""
        return self.at((*self.way, (direction, code)), by)

    def with_(self, **changes: str) -> str:
        """The same address with some of it said otherwise, an empty text unsaid."""
        said = {name: value for name, value in {**self.said, **changes}.items() if value}
        return urlencode({"panel": "trace", **said})

    def hidden(self, *left_out: str) -> dict[str, str]:
        """What a form sends to stay here, but for some names."""
        return {name: value for name, value in self.said.items() if name not in left_out}

    @property
    def query(self) -> LineQuery:
        """How lines are filtered and ordered; raises RulkaError on amounts and days that can't be read."""
        ticks: dict[str, list[str]] = {}
        for name, value in way_of(self.get("ticks")):
            ticks.setdefault(name, []).append(value)
        return LineQuery(
            self.get("search"),
            _amount(self.get("least")),
            _amount(self.get("most")),
            _day(self.get("first")),
            _day(self.get("last")),
            tuple((name, tuple(values)) for name, values in sorted(ticks.items())),
            self.get("sort") or "-date",
        )

    def ticked(self, column: str, value: str) -> str:
        """The address with a value ticked, or no longer."""
        former = way_of(self.get("ticks"))
        tick = (column, value)
        ticks = tuple(one for one in former if one != tick) if tick in former else (*former, tick)
        return self.with_(ticks=way_text(ticks), page="", other="")

    def sorted_by(self, column: str) -> str:
        """The address ordered by a column; by the other end where it is already."""
        now = self.get("sort")
        return self.with_(sort=f"-{column}" if now == column else column, page="", other="")


def _amount(text: str) -> Fraction | None:
    return abs(Fraction(typed_amount(text, "amount"))) if text.strip() else None


def _day(text: str) -> date | None:
    if not text.strip():
        return None
    try:
        return date.fromisoformat(text.strip())
    except ValueError:
        raise RulkaError(f"'{text[:20]}' is no day.", hint="Write 2026-10-26.", subject="day") from None
