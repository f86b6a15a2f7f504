"""A pivot from rows that were put together: values down and across, sums of both, the largest and the others."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from rulka.core.errors import RulkaError
from rulka.core.extracting.definitions import PivotDef
from rulka.core.extracting.query import Query

MOST_ACROSS = 200
MOST_DOWN = 50_000
Labels = tuple[Any, ...]


@dataclass(frozen=True)
class AskedPivot:
    """A pivot's columns by their places in the query."""

    down: tuple[int, ...]
    across: tuple[int, ...]
    value: int
    how: str
    filters: tuple[int, ...] = ()
    top: int = 0
    chart: bool = False

    @property
    def counts(self) -> bool:
        return self.how in ("count", "distinct")


def asked_pivot(pivot: PivotDef, query: Query) -> AskedPivot:
    """A pivot over a query's columns; refuses what has no sum."""
    value = query.place(pivot.value)
    column = query.columns[value]
    if pivot.how in ("sum", "average") and not column.is_numeric:
        raise RulkaError(
            f"'{column.title}' has no {pivot.how}: it is no number.", hint="Count it, or choose another value.",
            subject="pivot",
        )  # fmt: skip
    return AskedPivot(
        tuple(map(query.place, pivot.down)), tuple(map(query.place, pivot.across)), value, pivot.how,
        tuple(map(query.place, pivot.filters)), pivot.top, pivot.chart,
    )  # fmt: skip


@dataclass(frozen=True)
class Pivot:
    """What a pivot came to. Labels are stored values; cells are scaled whole numbers, or whatever least and most are
    of. `others` says how many labels down the last row stands for, 0 without such a row."""

    asked: AskedPivot
    down: tuple[Labels, ...]
    across: tuple[Labels, ...]
    cells: Mapping[tuple[Labels, Labels], Any]
    row_totals: Mapping[Labels, Any]
    column_totals: Mapping[Labels, Any]
    total: Any
    others: int = 0
    other_cells: Mapping[Labels, Any] | None = None
    other_total: Any = None


Groups = Sequence[tuple[Labels, Any]]
"""Values by labels, as a reader gives them."""


def pivot_from(
    asked: AskedPivot,
    cells: Groups,
    rows: Groups,
    columns: Groups,
    total: Any,
    rest: Groups = (),
    rest_total: Any = None,
) -> Pivot:
    """A pivot from sums by both axes, by each and altogether; `rest` are those of the labels beyond the top, by what
    goes across."""
    width = len(asked.down)
    by_cell = {(labels[:width], labels[width:]): value for labels, value in cells}
    row_totals, column_totals = dict(rows), dict(columns)
    across = tuple(sorted(column_totals, key=_order))
    if len(across) > MOST_ACROSS:
        raise RulkaError(
            f"{len(across):,} values would stand across.", hint=f"Put down what has more than {MOST_ACROSS}.",
            subject="pivot",
        )  # fmt: skip
    down = ordered_down(asked, row_totals)
    if len(down) > MOST_DOWN and not asked.top:
        raise RulkaError(
            f"{len(down):,} values would go down.", hint=f"Keep the largest, at most {MOST_DOWN:,}.", subject="pivot"
        )
    shown = down[: asked.top] if asked.top and len(down) > asked.top else down
    others = len(down) - len(shown)
    return Pivot(
        asked, tuple(shown), across, by_cell, row_totals, column_totals, total, others,
        dict(rest) if others else None, rest_total if others else None,
    )  # fmt: skip


def ordered_down(asked: AskedPivot, row_totals: Mapping[Labels, Any]) -> list[Labels]:
    """The labels that go down: by size where only the largest stay, else by themselves."""
    if not asked.top:
        return sorted(row_totals, key=_order)

    def size(labels: Labels) -> tuple[int, Any]:
        value = row_totals[labels]
        return (0, -abs(value)) if isinstance(value, (int, float)) else (1, 0)

    return sorted(sorted(row_totals, key=_order), key=size)


def _order(labels: Labels) -> list[tuple[int, Any]]:
    """Empty values last, numbers before texts."""
    return [(2, "") if label is None else (0, label) if isinstance(label, (int, float)) else (1, label)
            for label in labels]  # fmt: skip
