"""The values of every line in every column of a plan, as they were calculated."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction

from rulka.core.compute.columns import Column
from rulka.core.compute.comparing import Comparer
from rulka.core.compute.detail_rows import DetailRow
from rulka.core.compute.plan import Plan
from rulka.core.compute.readings import Readings
from rulka.core.definitions.expressions import Value
from rulka.core.definitions.spines import LineDef

Values = tuple[Value, ...]


@dataclass(frozen=True, eq=False)
class Figures:
    """Values in major units and presented sign by the key of a line, leaf or detail row, each by column; what was
    booked there; units of lines: money, quantity, ratio, rate or plain; the detail rows of leaves that journal lines
    expand."""

    plan: Plan
    readings: Readings
    comparer: Comparer
    values: Mapping[str, Sequence[Value]]
    booked: Mapping[str, Sequence[bool]]
    units: Mapping[str, str]
    details: Mapping[str, Sequence[DetailRow]]
    sealed: Mapping[str, frozenset[int]]
    """By key the columns whose value is sealed: it would tell apart what a seal keeps together."""


def total(values: Sequence[Value], column: Column) -> Value:
    """Values added up in a column; None where one has no meaning, or the column no time."""
    if column.is_empty or any(value is None for value in values):
        return None
    return sum((value for value in values if value is not None), Fraction(0))


def summed(section: LineDef) -> list[LineDef]:
    """The lines a section adds up."""
    return [line for line in section.lines if line.kind in ("line", "section")]


def shows(line: LineDef, column: Column) -> bool:
    """Whether a line is shown in a column: one that is limited to some, only in these, by their keys or their
    series'."""
    return (
        not line.columns
        or column.key in line.columns
        or column.asked.key in line.columns
        or column.series in line.columns
    )
