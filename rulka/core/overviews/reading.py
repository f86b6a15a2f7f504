"""One statement as an overview reads it: the figure of a line in a column, what it is made of, its members."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property

from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.figures import summed
from rulka.core.compute.rows import Row
from rulka.core.definitions.expressions import Value
from rulka.core.definitions.spines import LineDef
from rulka.core.errors import NotFound, one_of
from rulka.core.overviews.columns import MEMBER, MONTHS, RUN
from rulka.core.overviews.definitions import LineRef
from rulka.core.proof.terms import lines_of

Write = Callable[[Row, Column, Fraction], str]
"""A figure as the page writes it."""


@dataclass(frozen=True)
class ShownFigure:
    """A figure with its text: "" where there is none, `n/m` or `sealed` where it has no value. `good` judges
    differences and percents by the line's direction. `source`, `row` and `column` are where it is traced: in which of a
    statement's readings, and where there."""

    value: Value
    text: str
    row: str
    column: str
    good: bool | None = None
    source: str = ""

    @property
    def key(self) -> str:
        """What a mark that stands for it is called."""
        return mark_key(self.source, self.row, self.column)


def mark_key(source: str, row: str, column: str) -> str:
    """What a mark is called: the reading, row and column that its figure stands in."""
    return f"{source}|{row}|{column}"


def place_of(key: str) -> tuple[str, str, str]:
    """Reading, row and column of a mark; empty for one that stands for no figure of a statement."""
    source, _, rest = key.partition("|")
    row, _, column = rest.rpartition("|")
    return source, row, column


NOTHING = ShownFigure(None, "", "", "")


@dataclass(frozen=True)
class OverviewMember:
    """One piece of a series of members; `code` is empty for what belongs to none of them."""

    code: str
    name: str
    columns: tuple[Column, ...]

    def key(self, of: str) -> str:
        """The key of one of its columns, by what it holds."""
        return next((column.key for column in self.columns if column.asked.key == of), "")


@dataclass(frozen=True, eq=False)
class OverviewReading:
    """A statement computed in an overview's columns; `write` gives the text of a figure, `source` is what addresses
    call this reading."""

    computed: Computed
    write: Write
    source: str = ""

    def row(self, line: LineRef) -> Row:
        """The row of a line; NotFound where the statement has none that shows figures."""
        found = self.computed.plan.names.find(line.label)
        row = self.computed.rows_by_key.get(self.row_key(found))
        if row is None or not row.has_figures:
            raise NotFound(
                f"'{line.label}' shows no figure of its own.",
                hint=one_of(line.label, [one.label for one in self.computed.rows if one.has_figures]),
                subject="line",
            )
        return row

    @staticmethod
    def row_key(line: LineDef) -> str:
        return f"{line.key}.total" if line.kind == "section" and line.total else line.key

    def column(self, key: str) -> Column | None:
        """A column by its key; None where this overview has none of that kind."""
        return self._columns.get(key)

    @cached_property
    def _columns(self) -> dict[str, Column]:
        return {column.key: column for column in self.computed.columns}

    def shown(self, row: Row, key: str) -> ShownFigure:
        """The figure of a row in a column; of the row with its key here, wherever it comes from."""
        column = self.column(key)
        if column is None or row.key not in self.computed.rows_by_key:
            return NOTHING
        row, place = self.computed.rows_by_key[row.key], self.computed.place(key)
        value = row.values[place]
        if value is None:
            return ShownFigure(None, row.word_at(place), row.key, key, source=self.source)
        good = None
        if column.kind in ("difference", "percent") and value and row.directions and row.directions[place]:
            good = value * row.directions[place] > 0
        return ShownFigure(value, self.write(row, column, value), row.key, key, good, self.source)

    def value(self, row: Row, key: str) -> Value:
        return self.shown(row, key).value

    def texts(self, row: Row, key: str) -> Callable[[Fraction], str]:
        """How figures of a row are written in a column."""
        column = self.column(key)
        if column is None:
            raise NotFound(f"Column '{key}' does not exist.", subject="column")
        return lambda value: self.write(row, column, value)

    # time -------------------------------------------------------------------------------------------------------------

    def months(self) -> list[tuple[str, Column]]:
        """(what its columns' keys begin with, column) of each month of the year, adjusting periods only where they hold
        something."""
        return [(column.key.removesuffix("-actual"), column) for column in self._pieces(MONTHS)]

    def run(self) -> list[Column]:
        """The columns of the last twelve months that the calendar has."""
        return list(self._pieces(RUN))

    def member_months(self, series: str) -> list[tuple[str, str]]:
        """(what its columns' keys begin with, its name) of each of a member's last months that the calendar has."""
        return [(column.key.removesuffix("actual"), column.groups[0]) for column in self._pieces(series)]

    def _pieces(self, series: str) -> Iterator[Column]:
        for column in self.computed.columns:
            if column.series != series or column.window is None:
                continue
            if column.asked.key != RUN and column.asked.key.rpartition("-")[2] != "actual":
                continue
            period = self.computed.view.frame.calendar.periods[column.window.first]
            if not period.adjusting or period.index in self._adjusted:
                yield column

    @cached_property
    def _adjusted(self) -> frozenset[int]:
        """The periods of which any column of one period shows something: adjusting ones are left out otherwise."""
        return frozenset(
            column.window.first
            for place, column in enumerate(self.computed.columns)
            if column.window is not None
            and column.window.first == column.window.last
            and any(row.values[place] for row in self.computed.rows)
        )

    def is_ahead(self, column: Column) -> bool:
        """Whether a column's month lies after the reporting period."""
        return column.window is not None and column.window.first > self.computed.period.index

    # members ----------------------------------------------------------------------------------------------------------

    def members(self) -> list[OverviewMember]:
        """The members of the series, in the order of the ledger."""
        found: dict[str, list[Column]] = {}
        for column in self.computed.columns:
            if column.series == MEMBER and not column.is_total:
                found.setdefault(column.key.removesuffix(f"-{column.asked.key}"), []).append(column)
        return [self._member(columns) for columns in found.values()]

    @staticmethod
    def _member(columns: Sequence[Column]) -> OverviewMember:
        first = columns[0]
        code = "" if first.is_rest else next(one.heading for one in columns if one.asked.key == "actual")
        return OverviewMember(code, first.groups[0] if first.groups else code, tuple(columns))

    # lines ------------------------------------------------------------------------------------------------------------

    def made_of(self, row: Row, column: str) -> dict[str, Fraction] | None:
        """The lines of accounts that a row adds up, by key, each with how often it counts; None where it does more than
        add and subtract."""
        found: dict[str, Fraction] = {}
        return found if self._add(self.computed.line(row.line), column, Fraction(1), found) else None

    def _add(self, line: LineDef, column: str, factor: Fraction, found: dict[str, Fraction]) -> bool:
        if line.kind == "line":
            found[line.key] = found.get(line.key, Fraction(0)) + factor
            return True
        parts = (
            [(part, Fraction(1)) for part in summed(line) if self.computed.units[part.key] == self._unit(line)]
            if line.kind == "section"
            else lines_of(self.computed, self.row_key(line), column)
        )
        return parts is not None and all(self._add(part, column, factor * times, found) for part, times in parts)

    def _unit(self, line: LineDef) -> str:
        return self.computed.units[line.key]
