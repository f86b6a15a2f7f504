"""Rows and columns that hide: because all that was chosen in them is exactly zero, or because a cell of theirs says so.

A rule is plain data: `{"kind": "empty" | "condition", "axis": "rows" | "columns", "box": [top, left, bottom, right]}`.
It is decided at each calculation, by exact values.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from decimal import Decimal
from typing import Any

from rulka.core.sheet.addresses import Box
from rulka.core.sheet.calculating import Calculation
from rulka.core.sheet.values import Scalar, SheetError, as_text

KINDS = ("empty", "condition")
AXES = ("rows", "columns")


def hidden_by(rules: Iterable[Mapping[str, Any]], sheet: int, calculation: Calculation) -> tuple[set[int], set[int]]:
    """The rows and the columns of a sheet that its rules hide now."""
    hidden: dict[str, set[int]] = {"rows": set(), "columns": set()}
    for rule in rules:
        box = Box(*rule["box"])
        if rule["axis"] == "rows":
            bottom = min(box.bottom, calculation.used_rows(sheet) - 1)
            lines = [(row, [(row, at) for at in range(box.left, box.right + 1)]) for row in range(box.top, bottom + 1)]
        else:
            down = range(box.top, min(box.bottom, calculation.used_rows(sheet) - 1) + 1)
            lines = [(at, [(row, at) for row in down]) for at in range(box.left, box.right + 1)]
        says = is_empty if rule["kind"] == "empty" else says_so
        for line, cells in lines:
            if says([calculation.shown_at((sheet, *cell)) for cell in cells]):
                hidden[rule["axis"]].add(line)
    return hidden["rows"], hidden["columns"]


def is_empty(values: Iterable[Scalar]) -> bool:
    """Whether all numbers are exactly zero, and there is one: a hundred beside less a hundred stays, and so do texts,
    errors, and lines that hold nothing at all."""
    numbers = [value for value in values if value is not None and value != ""]
    return bool(numbers) and all(isinstance(number, Decimal) and number == 0 for number in numbers)


def says_so(values: Iterable[Scalar]) -> bool:
    """Whether a cell says TRUE; an error hides nothing."""
    return any(value is True for value in values)


def filtered_out(own: Mapping[str, Any], sheet: int, calculation: Calculation) -> set[int]:
    """Rows that a filter hides: those whose cell shows none of its values; the first row of its box is the head."""
    top, _, bottom, _ = own["box"]
    wanted = set(own["values"])
    hidden = set()
    for row in range(top + 1, bottom + 1):
        value = calculation.shown_at((sheet, row, own["column"]))
        text = value.code if isinstance(value, SheetError) else as_text(value)
        if text not in wanted:
            hidden.add(row)
    return hidden
