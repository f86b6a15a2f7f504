"""Variances of a statement: every difference of its money lines, held against the threshold that is its own."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction

from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.leaves import types_of
from rulka.core.compute.rows import Row
from rulka.core.definitions.expressions import Value
from rulka.core.definitions.spines import LineDef
from rulka.core.definitions.thresholds import Threshold
from rulka.core.proof.terms import sides_of


@dataclass(frozen=True, eq=False)
class Variance:
    """A difference of a row in a column, in presented sign and major units: `shown` less `compared`.

    `percent` is its part of the compared figure, None where that is zero. `threshold` is what applies, `by` says whose
    it is (line, type or statement); None where nothing was asked.
    """

    row: Row
    column: Column
    value: Fraction
    shown: Fraction
    compared: Fraction
    threshold: Threshold | None
    by: str = ""

    @property
    def percent(self) -> Value:
        return self.value / abs(self.compared) if self.compared else None

    @property
    def exceeds(self) -> bool:
        """Whether it is to be explained; what has no threshold isn't."""
        return self.threshold is not None and self.threshold.exceeded(self.value, self.compared)

    @property
    def key(self) -> tuple[str, str]:
        return self.row.key, self.column.key


def variances(computed: Computed, columns: Sequence[str] = ()) -> list[Variance]:
    """The variances of a statement that aren't nothing, line by line: in the columns that it names, in all its
    differences otherwise, or in some `columns`. Sealed figures are none."""
    judged = compared_columns(computed, columns)
    found = []
    for row in _rows(computed):
        for column, (first, second) in judged:
            values = [row.values[computed.place(one.key)] for one in (column, first, second)]
            value, shown, compared = values
            if not value or shown is None or compared is None or computed.place(column.key) in row.blank:
                continue
            threshold, by = threshold_of(computed, row)
            found.append(Variance(row, column, value, shown, compared, threshold, by))
    return found


def exceeding(computed: Computed, columns: Sequence[str] = ()) -> list[Variance]:
    """Those that are to be explained, line by line."""
    return [variance for variance in variances(computed, columns) if variance.exceeds]


def by_size(found: Sequence[Variance]) -> list[Variance]:
    """The largest first."""
    return sorted(found, key=lambda variance: abs(variance.value), reverse=True)


ALIKE = Fraction(15, 100)


def opposite_of(computed: Computed, variance: Variance, among: Sequence[Variance]) -> Variance | None:
    """The variance of another line of the same account types in the same column that is about as much the other way
    round: what one line misses may stand in the other. The nearest where several are; None where none is."""
    own = _types(computed, computed.line(variance.row.line))
    found = [
        other
        for other in among
        if other.column.key == variance.column.key
        and other.row.key != variance.row.key
        and _types(computed, computed.line(other.row.line)) == own
        and abs(other.value + variance.value) <= ALIKE * max(abs(other.value), abs(variance.value))
    ]
    return min(found, key=lambda other: abs(other.value + variance.value), default=None)


def compared_columns(computed: Computed, columns: Sequence[str] = ()) -> list[tuple[Column, tuple[Column, Column]]]:
    """The columns whose variances are judged, each with its two sides."""
    named = columns or computed.statement.explain.columns
    found = []
    for column in computed.columns:
        sides = None if column.hidden and not named else sides_of(computed, column.key)
        wanted = not named or {column.key, column.asked.key, column.series} & set(named)
        if sides is not None and wanted and not column.is_mixed and not column.shows_quantities:
            found.append((column, sides))
    return found


def _rows(computed: Computed) -> Iterator[Row]:
    """The rows whose variances are judged: lines of money, each of an expanding one; totals and whatever doesn't count
    money only where a threshold is said there."""
    lines = {line.key: line for line in computed.statement.spine.walk()}
    outermost: dict[str, int] = {}
    for row in computed.rows:
        if row.has_figures:
            outermost[row.line] = min(outermost.get(row.line, row.depth), row.depth)
    for row in computed.rows:
        line = lines.get(row.line)
        if line is None or row.hidden or row.depth != outermost.get(row.line):
            continue
        plain = line.kind == "line" and row.unit == "money" and row.kind != "subtotal"
        if plain or line.explain is not None:
            yield row


def threshold_of(computed: Computed, row: Row) -> tuple[Threshold | None, str]:
    """What applies to a row, and whose it is: its line's, that of its accounts' type, the statement's."""
    line, asked = computed.line(row.line), computed.statement.explain
    if line.explain is not None:
        return line.explain, "line"
    own = _types(computed, line) if asked.types else frozenset()
    if len(own) == 1 and (found := asked.types.get(next(iter(own)))) is not None:
        return found, "type"
    return (asked.beyond, "statement") if asked.beyond.written else (None, "")


def _types(computed: Computed, line: LineDef) -> frozenset[str]:
    leaves = computed.plan.leaves.by_line.get(line.key, ())
    found: frozenset[str] = frozenset()
    for leaf in leaves:
        found |= types_of(leaf.accounts, computed.view)
    return found
