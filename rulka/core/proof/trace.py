"""What a figure is made of on the statement: lines, columns, or accounts where these stand behind it at once."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from rulka.core.compute.columns import Column
from rulka.core.compute.comparing import Comparer
from rulka.core.compute.computed import Computed
from rulka.core.compute.rows import Row
from rulka.core.definitions.expressions import Value, evaluate
from rulka.core.definitions.naming import tree_of
from rulka.core.proof.splits import open_figure, openable, split

PartKind = Literal["row", "column", "account", "rest"]


@dataclass(frozen=True)
class TracePart:
    """One part of a figure, in presented sign and major units: a row, a column or an account, by the address that opens
    it further."""

    kind: PartKind
    label: str
    value: Value
    row: str = ""
    column: str = ""
    account: str = ""
    adds: int = 1


@dataclass(frozen=True)
class Trace:
    """A figure and what it is made of; `agrees` says that the parts give the figure again."""

    title: str
    value: Value
    parts: tuple[TracePart, ...]
    total: Value
    unit: str
    how: str = ""
    adds_up: bool = True

    @property
    def agrees(self) -> bool:
        return self.total == self.value


def trace_cell(computed: Computed, row_key: str, column_key: str) -> Trace:
    """Open a cell: a column that works on others into these, a total or calculation into lines, a line into
    accounts."""
    row, column = openable(computed, row_key, column_key)
    place = computed.place(column.key)
    value = row.values[place]
    comparer = Comparer(computed.columns)
    if column.is_empty:
        return Trace(row.label, value, (), None, row.unit, "The column lies outside the calendar.")
    if column.kind == "figures" or (comparer.is_base[place] and row.kind in ("calculation", "total", "check")):
        return _down(computed, row, column, value)
    return _comparison(computed, row, column, value, comparer)


def _down(computed: Computed, row: Row, column: Column, value: Value) -> Trace:
    """What a row's figure is made of in its own column: other rows, or accounts."""
    place = computed.place(column.key)
    if row.kind == "calculation":
        return _calculation(computed, row, column, value)
    if row.kind == "total":
        parts = tuple(
            TracePart("row", part.label, part.values[place], row=part.key, column=column.key)
            for part in computed.rows_of_total(row, column)
            if part.values[place] is not None or place not in part.blank
        )
        total = _sum(parts) if parts or value is not None else None  # where nothing has a meaning, nothing is added up
        return Trace(row.label, value, parts, total, row.unit, "lines of the section added up")
    if row.kind == "check":
        return Trace(row.label, value, (), value, row.unit, "how far apart the two sides are")
    if row.kind in ("entry", "counterparty") or row.sealed:
        told = "; ".join(f"{name} {text}" for name, text in row.texts.items() if text)
        closed = "its author closed its detail" if computed.line(row.line).is_closed else "its detail is sealed"
        return Trace(row.label, value, (), value, row.unit, closed if row.sealed else told)
    return _accounts(computed, row, column, value)


def _sum(parts: tuple[TracePart, ...]) -> Value:
    values = [part.value for part in parts]
    return (
        None
        if None in values
        else sum((v * p.adds for v, p in zip(values, parts, strict=True) if v is not None), Fraction(0))
    )


def _comparison(computed: Computed, row: Row, column: Column, value: Value, comparer: Comparer) -> Trace:
    operands = [computed.column(key) for key in column.of]
    taken = {"difference": range(1, len(operands)), "check": [len(operands) - 1]}.get(column.kind, ())
    parts = tuple(
        TracePart(
            "column",
            _column_label(part),
            row.values[computed.place(part.key)],
            row=row.key,
            column=part.key,
            adds=-1 if at in taken else 1,
        )
        for at, part in enumerate(operands)
    )
    if column.kind == "share":
        return _share(computed, row, column, value, comparer, parts)
    sign = computed.readings.line_sign(computed.leaf(row.key), column) if row.key in computed.leaves else 1
    again = comparer.value(column, row.values.__getitem__, sign)
    if column.kind == "difference":
        a, b = operands
        adds_up = _sum(parts) == again
        return Trace(row.label, value, parts, again, row.unit, f"{a.heading} less {b.heading}", adds_up)
    if column.kind == "check":
        adds_up, told = _sum(parts) == again, f"columns added up, less {operands[-1].heading}"
        return Trace(row.label, value, parts, again, row.unit, told, adds_up)
    if column.kind == "sum":
        return Trace(row.label, value, parts, again, row.unit, "columns added up")
    if column.kind == "formula":
        assert column.asked.formula is not None
        return Trace(row.label, value, parts, again, row.unit, column.asked.formula.written, False)
    a, b = operands
    base = computed.column(column.base).heading if column.base else b.heading
    told = f"{a.heading} less {b.heading}, per {base} taken positive"
    return Trace(row.label, value, parts, again, "percent", told, False)


def _share(
    computed: Computed, row: Row, column: Column, value: Value, comparer: Comparer, parts: tuple[TracePart, ...]
) -> Trace:
    """A share of a line: the figure itself, and the line's in the same column."""
    whole, own = computed.plan.names.find(column.asked.line), parts[0].column
    of_line = computed.cells[whole.key]
    again = comparer.share(column, row.values.__getitem__, of_line.__getitem__)
    key = f"{whole.key}.total" if f"{whole.key}.total" in computed.rows_by_key else whole.key
    parts = (*parts, TracePart("row", whole.label, of_line[computed.place(own)], row=key, column=own))
    return Trace(row.label, value, parts, again, "percent", f"{row.label} as a part of {column.asked.line}", False)


def _column_label(column: Column) -> str:
    if column.window is None or column.window.title in column.heading:
        return column.heading
    return f"{column.heading}, {column.window.title}"


def _calculation(computed: Computed, row: Row, column: Column, value: Value) -> Trace:
    place, names = computed.place(column.key), computed.plan.names
    line = computed.line(row.line)
    tree = tree_of(line)
    parts = []
    for named in names.operands(tree):
        key = f"{named.key}.total" if named.kind == "section" and named.total else named.key
        opens = key if key in computed.rows_by_key and computed.rows_by_key[key].kind != "section" else ""
        parts.append(
            TracePart(
                "row" if opens else "rest",
                named.total or named.label,
                computed.cells[named.key][place],
                row=opens,
                column=column.key,
            )
        )
    again = evaluate(
        tree,
        lambda name: computed.cells[names.find(name).key][place],
        lambda first, last: [computed.cells[between.key][place] for between in names.between(first, last)],
    )
    return Trace(row.label, value, tuple(parts), again, row.unit, row.detail, False)


def _accounts(computed: Computed, row: Row, column: Column, value: Value) -> Trace:
    opened = open_figure(computed, row.key, column.key)
    if opened.pools is None:
        return Trace(row.label, value, (), None, row.unit, "Nothing can be read here.")
    parts = tuple(
        TracePart("account", part.label, part.value, row=row.key, column=column.key, account=part.code)
        for part in split(opened, "account").parts
    )
    how = (
        f"accounts behind {_column_label(column)}, {computed.readings.reading(computed.leaf(row.key), column).measure}"
    )
    return Trace(row.label, value, parts, _sum(parts), row.unit, how)


def sealed_rows(computed: Computed) -> set[str]:
    """Keys of the rows of account lines with any account whose detail is sealed for the reader, or closed by the
    author."""
    view = computed.view
    codes = {item.code for item, sealed in zip(view.frame.accounts.items, view.sealed, strict=True) if sealed}
    return {row.key for row in computed.rows if row.key in computed.leaves and (row.sealed or codes & set(row.codes))}
