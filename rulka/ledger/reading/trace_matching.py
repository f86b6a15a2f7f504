"""Both sides of a difference next to each other, row by row."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from rulka.core.errors import RulkaError
from rulka.core.proof.matching import Match, MatchedEntries, SideRow, match
from rulka.core.proof.splits import REASONS, OpenedFigure
from rulka.ledger.models import Ledger
from rulka.ledger.reading.trace_budgets import every_budget_row
from rulka.ledger.reading.trace_lines import PLANNED, LineQuery, ShownLine, TraceLines

MOST_ROWS = 5_000
"""Rows of a side that are matched; more are to be narrowed first."""
SHOWN = 60


@dataclass(frozen=True)
class ShownMatch:
    """Rows that belong together, written out: what they share, their own texts where there are few, and their sums."""

    label: str
    first: tuple[ShownLine, ...]
    second: tuple[ShownLine, ...]
    of_first: Fraction
    of_second: Fraction
    apart: Fraction


@dataclass(frozen=True)
class MatchedGroup:
    """A kind of matches with its sums; `left_out` says how many aren't listed."""

    title: str
    matches: tuple[ShownMatch, ...]
    count: int
    of_first: Fraction
    of_second: Fraction

    @property
    def apart(self) -> Fraction:
        return self.of_first - self.of_second

    @property
    def left_out(self) -> int:
        return self.count - len(self.matches)


@dataclass(frozen=True)
class MatchedLines:
    """Both sides in groups, and what has no rows by why; `agrees` says that all of it is the difference."""

    groups: tuple[MatchedGroup, ...]
    untold: tuple[tuple[str, Fraction, Fraction], ...]
    of_first: Fraction
    of_second: Fraction
    agrees: bool


def matched_lines(ledger: Ledger, opened: OpenedFigure, named: tuple[str, str]) -> MatchedLines:
    """The rows of both sides, matched; refused where there are too many to be told apart."""
    told, rows, untold = _matched(ledger, opened, named)
    groups = tuple(_group(title, matches, rows) for title, matches in told)
    of_first = sum((group.of_first for group in groups), Fraction(0)) + sum((u[1] for u in untold), Fraction(0))
    of_second = sum((group.of_second for group in groups), Fraction(0)) + sum((u[2] for u in untold), Fraction(0))
    return MatchedLines(groups, untold, of_first, of_second, of_first - of_second == opened.value)


def _matched(
    ledger: Ledger, opened: OpenedFigure, named: tuple[str, str]
) -> tuple[list[tuple[str, tuple[Match, ...]]], Any, tuple[tuple[str, Fraction, Fraction], ...]]:
    sides = [_Side(ledger, opened, side) for side in (0, 1)]
    for side, name in zip(sides, named, strict=True):
        if side.count > MOST_ROWS:
            raise RulkaError(
                f"{side.count:,} lines stand behind {name}.",
                hint=f"Go into an account or a period first: up to {MOST_ROWS:,} lines are set next to each other.",
                subject="both sides",
                code="too-much",
            )
    planned = any(side.has_plan for side in sides)
    first, second = (side.rows(by_time=planned) for side in sides)
    rows = ({row.number: line for row, line in first}, {row.number: line for row, line in second})
    found: MatchedEntries = match((row for row, _ in first), (row for row, _ in second))
    told = [
        ("In both, the same amount", found.same),
        ("In both, another amount", found.other),
        (f"Only in {named[0]}", found.first_only),
        (f"Only in {named[1]}", found.second_only),
    ]
    return [(title, matches) for title, matches in told if matches], rows, _untold(sides)


def _label_of(one: Match) -> str:
    return str(one.alike[0]) if isinstance(one.alike, tuple) else ""


def every_match(
    ledger: Ledger, opened: OpenedFigure, named: tuple[str, str]
) -> Iterator[tuple[str, str, Fraction, Fraction]]:
    """All matches and what has no rows: how they match, what they share, and the sum of each side."""
    groups, _, untold = _matched(ledger, opened, named)
    for title, matches in groups:
        for one in matches:
            yield title, _label_of(one), one.of_first, one.of_second
    for reason, first, second in untold:
        yield reason, "", first, second


def _group(title: str, matches: tuple[Match, ...], rows: Any) -> MatchedGroup:
    shown = tuple(
        ShownMatch(
            _label_of(one),
            tuple(rows[0][row.number] for row in one.first[:5]),
            tuple(rows[1][row.number] for row in one.second[:5]),
            one.of_first,
            one.of_second,
            one.apart,
        )
        for one in matches[:SHOWN]
    )
    sums = [sum((value(one) for one in matches), Fraction(0)) for value in (_first, _second)]
    return MatchedGroup(title, shown, len(matches), sums[0], sums[1])


def _first(one: Match) -> Fraction:
    return one.of_first


def _second(one: Match) -> Fraction:
    return one.of_second


def _untold(sides: Iterable[_Side]) -> tuple[tuple[str, Fraction, Fraction], ...]:
    found: dict[str, list[Fraction]] = {}
    for at, side in enumerate(sides):
        for reason, value in side.untold():
            found.setdefault(reason, [Fraction(0), Fraction(0)])[at] += value
    return tuple((REASONS[reason], first, second) for reason, (first, second) in found.items() if first or second)


class _Side:
    """The rows of one side; what they count there, whichever way the difference takes it."""

    def __init__(self, ledger: Ledger, opened: OpenedFigure, side: int) -> None:
        self.ledger, self.opened, self.side = ledger, opened, side
        self.sign = -1 if side else 1
        self.lines = TraceLines.of(ledger, opened, LineQuery(sort="-amount"), side)
        self.budget = every_budget_row(ledger, opened, side)

    @property
    def count(self) -> int:
        return len(self.lines.found()) + len(self.budget)

    @property
    def has_plan(self) -> bool:
        return any(one.scenario != "actual" for pool in self.lines.pools for one in pool.slices)

    @property
    def same_window(self) -> bool:
        """Whether both sides read the same time."""
        windows = {pool.reading.window for pool in self.opened.pools or ()}
        return len(windows) == 1

    def rows(self, *, by_time: bool) -> list[tuple[SideRow, ShownLine]]:
        """Lines are alike by entity, account, members and, unless a plan is set against them, counterparty; beside a
        plan by their period's place in the window."""
        names = ["account", "entity", "partner", *self.opened.computed.view.frame.dimensions]
        shown, _ = self.lines.every([*names, "period", "date", "document", "text", "counterparty"], MOST_ROWS)
        found = []
        for number, line in enumerate([*shown, *self.budget]):
            key = tuple(str(line.cells.get(name, "")) for name in names)
            label = self._label(line)
            alike: tuple[Hashable, ...] = (label, key)
            if by_time:
                period = self.opened.computed.view.frame.calendar.period(str(line.cells["period"]))
                at = self._place(period.code)
                # where both windows are the same, the period tells more than its place
                alike = (f"{label}, {period.title}" if self.same_window else label, key, at)
            else:
                alike = (*alike, line.cells.get("counterparty", "") or line.cells.get("counterparty name", ""))
            found.append((SideRow(number, alike, line.value * self.sign), line))
        return found

    def _label(self, line: ShownLine) -> str:
        view = self.opened.computed.view
        code = str(line.cells["account"])
        item = view.frame.accounts[code]
        members = [
            view.frame.dimensions[name][str(line.cells[name])].name
            for name in view.frame.dimensions
            if line.cells.get(name) and line.cells[name] != "-"
        ]
        return ", ".join([f"{item.code} {item.name}", *members])

    def _place(self, period: str) -> int:
        """Where a period stands in the window of its side."""
        periods = self.opened.computed.view.frame.calendar
        window = self.lines.pools[0].reading.window if self.lines.pools else None
        return periods.period(period).index - (window.first if window else 0)

    def untold(self) -> list[tuple[str, Fraction]]:
        """What of the side stands in no row, by why."""
        found = [(reason, value) for reason, value in self.lines.untold() if reason != PLANNED]
        rows = self.lines.found().sum_to() + sum((line.value for line in self.budget), Fraction(0))
        rest = self.lines.figure - rows - sum((value for _, value in found), Fraction(0))
        found += [("rest", rest)] if rest else []
        return [(reason, value * self.sign) for reason, value in found]
