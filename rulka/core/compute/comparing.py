"""Columns that work on other columns: difference, percent, share, sum, formula; which aggregate and which compare."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from fractions import Fraction

from rulka.core.compute.columns import Column
from rulka.core.definitions.expressions import Value, evaluate

Figure = Callable[[int], Value]
"""The value of one line in the column at a place."""


def percent(a: Value, b: Value, base: Value = None, *, other_base: bool = False) -> Value:
    """(a - b) / |base|, the base being b; None (n/m) when the base is zero or a and b have different signs.

    With another base the signs of a and b don't matter.
    """
    if a is None or b is None:
        return None
    if other_base:
        return None if not base else (a - b) / abs(base)
    if b == 0 or a * b < 0:
        return None
    return (a - b) / abs(b)


def _added(values: Sequence[Value]) -> Value:
    return None if None in values or not values else sum((value for value in values if value is not None), Fraction(0))


class Comparer:
    """Computes the columns that work on others, from what stands to their left."""

    def __init__(self, columns: Sequence[Column]) -> None:
        self.columns = columns
        self.place: Mapping[str, int] = {column.key: place for place, column in enumerate(columns)}
        self.is_base = [self._aggregates(column) for column in columns]

    def _aggregates(self, column: Column) -> bool:
        return column.kind == "figures" or (
            column.kind not in ("text", "figures") and (column.asked.does_aggregate or self.is_gross(column))
        )

    def is_gross(self, column: Column) -> bool:
        """Whether it is debits less credits: then it is the net movement, in the line's presented sign."""
        if column.kind != "difference":
            return False
        a, b = (self.columns[self.place[key]].asked for key in column.of)
        return (a.measure, b.measure) == ("debits", "credits")

    def sets_sides_apart(self, column: Column) -> bool:
        """Whether it takes debits and credits from each other, in whatever order or as a percent: neither better nor
        worse."""
        if column.kind not in ("difference", "percent"):
            return False
        return {self.columns[self.place[key]].asked.measure for key in column.of} == {"debits", "credits"}

    def value(self, column: Column, figure: Figure, line_sign: int = 1) -> Value:
        """The value of a line from its figures in other columns, None where these differ in currency; a share needs
        `share` instead."""
        if column.is_mixed:
            return None
        values = [figure(self.place[key]) for key in column.of]
        if column.kind == "difference":
            a, b = values
            if a is None or b is None:
                return None
            if self.is_gross(column):
                shown_negative = self.columns[self.place[column.of[1]]].asked.credits == "negative"
                return (a + b if shown_negative else a - b) * line_sign
            return a - b
        if column.kind == "percent":
            base = figure(self.place[column.base]) if column.base else None
            a, b = values
            return percent(a, b, base, other_base=bool(column.base))
        if column.kind == "check":
            added, whole = _added(self._with_time(column.of[:-1], values[:-1])), values[-1]
            return None if added is None or whole is None else added - whole
        if column.kind == "sum":
            return _added(self._with_time(column.of, values))
        assert column.asked.formula is not None  # it is no other kind
        by_name = dict(zip(column.asked.of, values, strict=True))
        return evaluate(column.asked.formula.tree, by_name.__getitem__)

    def _with_time(self, keys: Sequence[str], values: Sequence[Value]) -> list[Value]:
        """The values of the columns that the calendar has."""
        return [value for key, value in zip(keys, values, strict=True) if not self.columns[self.place[key]].is_empty]

    def share(self, column: Column, figure: Figure, of_line: Figure) -> Value:
        """A line's figure as a part of another line's in the same column; n/m where that is zero."""
        place = self.place[column.of[0]]
        own, whole = figure(place), of_line(place)
        return None if own is None or not whole else own / whole
