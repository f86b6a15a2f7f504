"""Rounding so that it foots: shown figures are whole units, totals the sum of the shown figures below them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from fractions import Fraction

from rulka.core.compute.comparing import Comparer
from rulka.core.compute.readings import FLOWS, Readings
from rulka.core.compute.rows import Row
from rulka.core.definitions.expressions import evaluate
from rulka.core.definitions.looks import UNITS
from rulka.core.definitions.naming import Names, tree_of
from rulka.core.definitions.spines import LineDef
from rulka.core.money import exact_text, round_half_away


def round_to_foot(rows: Sequence[Row], readings: Readings) -> tuple[list[Row], list[str]]:
    """The rows with rounded values, and in words each figure that shows another value than its own rounding.

    A total that stands in no other section is rounded first. Its parts are rounded, too, and may then miss a unit:
    1.4 and 1.4 are 2.8, which shows as 3, while they show as 1 and 1. The unit goes to the part with the largest
    remainder, or to the line that the statement names. Exempt lines, and figures outside of sections, keep their own
    rounding.
    """
    footer = _Footer(rows, readings)
    return footer.run(), footer.told


class _Footer:
    def __init__(self, rows: Sequence[Row], readings: Readings) -> None:
        self.readings, self.plan, self.every = readings, readings.plan, rows
        plan = self.plan
        self.unit = Fraction(10 ** UNITS[plan.statement.unit], 10**plan.statement.decimals)
        self.rows = {row.key: row for row in rows}
        self.told: list[str] = []
        self.shown: dict[str, list[Fraction | None]] = {}
        self.rest = plan.statement.rest
        self.comparer = Comparer(plan.columns)
        self.figures = [place for place, column in enumerate(plan.columns) if column.kind == "figures"]

    def run(self) -> list[Row]:
        for line in self.plan.statement.spine.lines:
            self._top(line)
        money = [row for row in self.every if row.unit == "money" and row.has_figures]
        for row in money:
            self._figures(row)
        for row in money:
            self._periods(row)
        for row in money:
            self._across(row)
        return [replace(row, shown=tuple(self.shown[row.key])) if row.key in self.shown else row for row in self.every]

    def _figures(self, row: Row) -> list[Fraction | None]:
        """A row outside of totals: a sum or difference of lines from what these show, anything else rounded by
        itself."""
        if row.key in self.shown:
            return self.shown[row.key]
        own = [self._rounded(value) for value in row.values]
        line = self.plan.line(row.line)
        self.shown[row.key] = own
        if (
            row.kind == "calculation"
            and not line.exempt
            and line.formula is not None
            and line.formula.operators <= {"+", "-"}
        ):
            names = self.plan.names
            parts = {
                part.key: self._figures(self._row_of(part))
                for part in names.operands(tree_of(line))
                if self._row_of(part)
            }
            for place in self.figures:
                again = self._again(line, names, parts, place)
                former = own[place]
                if again is not None and former is not None and again != former:
                    self._tell(row, place, again - former)
                    own[place] = again
        return own

    def _periods(self, row: Row) -> None:
        """The rows of a line's periods so that they sum to its whole, where that is what they add up to."""
        if not row.is_whole:
            return
        parts, leaf = [self.rows[key] for key in row.parts], self.plan.leaves.by_key[row.key]
        for place in self.figures:
            if self.readings.reading(leaf, self.plan.columns[place]).measure in FLOWS:
                self._share_column(row, parts, place)

    def _row_of(self, line: LineDef) -> Row:
        return self.rows[f"{line.key}.total" if f"{line.key}.total" in self.rows else line.key]

    def _again(
        self, line: LineDef, names: Names, parts: dict[str, list[Fraction | None]], place: int
    ) -> Fraction | None:
        def between(first: str, last: str) -> list[Fraction | None]:
            return [parts[part.key][place] for part in names.between(first, last)]

        return evaluate(tree_of(line), lambda name: parts[names.find(name).key][place], between)

    def _across(self, row: Row) -> None:
        """Differences and sums of columns from the figures shown in them."""
        values = self.shown[row.key]
        for place, column in enumerate(self.plan.columns):
            if (
                column.kind in ("difference", "sum")
                and not self.comparer.is_gross(column)
                and values[place] is not None
            ):
                values[place] = self.comparer.value(column, values.__getitem__)

    def _rounded(self, value: Fraction | None) -> Fraction | None:
        return None if value is None else round_half_away(value / self.unit, 0) * self.unit

    def _top(self, line: LineDef) -> None:
        """A section with a total that no other total holds."""
        if line.kind != "section":
            return
        if not line.total:
            for inner in line.lines:
                self._top(inner)
            return
        total = self.rows[f"{line.key}.total"]
        if total.unit == "money":
            self.shown[total.key] = [self._rounded(value) for value in total.values]
            self._share(line, total)

    def _share(self, line: LineDef, total: Row) -> None:
        """Round a total's parts so that they sum to what it shows, then the parts of these."""
        parts = list(self._parts(line))
        for part in parts:
            self.shown[part.key] = [self._rounded(value) for value in part.values]
        for place in self.figures:
            self._share_column(total, parts, place)
        for inner in self._inner(line):
            self._share(inner, self.rows[f"{inner.key}.total"])

    def _share_column(self, total: Row, parts: list[Row], place: int) -> None:
        wanted = self.shown[total.key][place]
        given = [part for part in parts if part.values[place] is not None and not self.plan.line(part.line).exempt]
        if wanted is None or not given:
            return
        fixed = sum(
            (self.shown[part.key][place] or Fraction(0) for part in parts if self.plan.line(part.line).exempt),
            Fraction(0),
        )
        missing = wanted - fixed - sum((self.shown[part.key][place] or Fraction(0) for part in given), Fraction(0))
        if not missing:
            return
        named = [
            part
            for part in given
            if self.rest and self.rest.casefold() in (part.label.casefold(), self.plan.line(part.line).label.casefold())
        ]
        if named:
            self._shift(named[0], place, missing)
            return
        step = self.unit if missing > 0 else -self.unit
        order = sorted(given, key=lambda part: -((part.values[place] or 0) - (self.shown[part.key][place] or 0)) / step)
        for at in range(int(missing / step)):
            self._shift(order[at % len(order)], place, step)

    def _shift(self, part: Row, place: int, by: Fraction) -> None:
        self.shown[part.key][place] = (self.shown[part.key][place] or Fraction(0)) + by
        self._tell(part, place, by)

    def _tell(self, part: Row, place: int, by: Fraction) -> None:
        column = self.plan.columns[place]
        amount = exact_text(by, self.plan.node.digits)
        self.told.append(f"{part.label}, {column.heading or column.key}: {'+' if by > 0 else ''}{amount}")

    def _parts(self, line: LineDef) -> Iterator[Row]:
        for inner in line.lines:
            if inner.kind == "section" and not inner.total:
                yield from self._parts(inner)
            elif inner.kind == "section":
                yield self.rows[f"{inner.key}.total"]
            elif inner.kind == "line":
                tops = {leaf.key for leaf in self.plan.leaves.by_line[inner.key]}
                yield from (
                    row
                    for row in self.every
                    if row.line == inner.key and row.unit == "money" and (row.key in tops or row.kind in WHOLE_OTHERS)
                )

    def _inner(self, line: LineDef) -> Iterator[LineDef]:
        for inner in line.lines:
            if inner.kind == "section" and inner.total:
                yield inner
            elif inner.kind == "section":
                yield from self._inner(inner)


WHOLE_OTHERS = ("others", "entry", "counterparty")
"""Rows of journal lines and remainders, which no leaf of the plan stands for; nested ones are left to round by
themselves."""
