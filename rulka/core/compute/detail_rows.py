"""Expanding into journal lines: a row for each counterparty or entry behind a line."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.books.frame import ACTIVITY, STATUS_CHOICES
from rulka.core.books.journal import EntryLine
from rulka.core.books.narrowing import passes
from rulka.core.compute.amounts import sums_by_group
from rulka.core.compute.columns import Column, ColumnReading
from rulka.core.compute.leaves import SEALED, Leaf
from rulka.core.compute.readings import FLOWS, Readings
from rulka.core.definitions.keys import slug

DetailKind = Literal["counterparty", "entry", "others"]
MOST_LINES = 20_000
NO_COUNTERPARTY = "No counterparty"


@dataclass
class DetailRow:
    """One row from journal lines; `amounts` by column are debit positive minor units times the divisor of what its leaf
    reads there, None where the row shows nothing."""

    key: str
    label: str
    kind: DetailKind
    amounts: list[int | None]
    booked: list[bool]
    texts: dict[str, str] = field(default_factory=dict)
    sealed: bool = False
    withheld: frozenset[int] = frozenset()
    """The columns whose amount is sealed as a whole."""


def detail_rows(readings: Readings, leaf: Leaf, columns: Sequence[Column]) -> list[DetailRow]:
    """The rows that a leaf expands into; what is sealed for the reader stands together in one row without detail."""
    sealed = readings.plan.view.sealed_keys
    make = _counterparties if leaf.detail == "counterparties" else _entries
    rows = make(readings, leaf, columns, ~sealed)
    if any(
        readings.is_sealed(leaf, column) or (readings.keys_behind(leaf, column) & sealed).any()
        for column in columns
        if column.has_figures
    ):
        rest = _sealed(readings, leaf, columns, sealed)
        if any(rest.booked):
            rows.append(rest)
    return rows


def _sealed(readings: Readings, leaf: Leaf, columns: Sequence[Column], sealed: BoolArray) -> DetailRow:
    amounts: list[int | None] = []
    booked = []
    withheld = {place for place, column in enumerate(columns) if readings.is_sealed(leaf, column)}
    for place, column in enumerate(columns):
        if place in withheld:
            amounts.append(None)
            booked.append(True)
            continue
        vector = readings.vector(leaf, column) if column.has_figures and _shows(readings, leaf, column) else None
        keys = readings.keys_behind(leaf, column) & sealed if vector else sealed
        amounts.append(int(vector.amounts[keys].sum()) if vector else None)
        booked.append(bool(vector.booked[keys].any()) if vector else False)
    return DetailRow(f"{leaf.key}:sealed", SEALED, "others", amounts, booked, sealed=True, withheld=frozenset(withheld))


def _shows(readings: Readings, leaf: Leaf, column: Column) -> bool:
    """Whether a detail row shows this column: counterparties every measure but means, entries and days only
    activity."""
    reading = readings.reading(leaf, column)
    by_day = reading.window is not None and reading.window.by_day
    return reading.measure in FLOWS or (leaf.detail == "counterparties" and reading.measure != "average" and not by_day)


def _counterparties(readings: Readings, leaf: Leaf, columns: Sequence[Column], open_keys: BoolArray) -> list[DetailRow]:
    rows: dict[str, DetailRow] = {}
    for place, column in enumerate(columns):
        if not column.has_figures or not _shows(readings, leaf, column):
            continue
        reading = readings.reading(leaf, column)
        keys = readings.keys_behind(leaf, column) & open_keys
        labels, amounts, touched = sums_by_group(readings.plan.view, reading, "counterparty", keys)
        for at in np.flatnonzero(touched):
            label = labels[at] or NO_COUNTERPARTY
            row = rows.setdefault(label, _empty(leaf, slug(label), label, "counterparty", columns, readings))
            row.amounts[place], row.booked[place] = int(amounts[at]) * _divisor(readings, leaf, column), True
    return sorted(rows.values(), key=lambda row: (row.label == NO_COUNTERPARTY, row.label.casefold()))


def _empty(
    leaf: Leaf, code: str, label: str, kind: DetailKind, columns: Sequence[Column], readings: Readings
) -> DetailRow:
    shown: list[int | None] = [
        0 if column.has_figures and _shows(readings, leaf, column) else None for column in columns
    ]
    return DetailRow(f"{leaf.key}:{code}", label, kind, shown, [False] * len(columns))


def _entries(readings: Readings, leaf: Leaf, columns: Sequence[Column], open_keys: BoolArray) -> list[DetailRow]:
    """A row for each entry that touches the leaf, by day and number, with its activity in each column."""
    read = {
        place: readings.reading(leaf, column)
        for place, column in enumerate(columns)
        if column.has_figures and _shows(readings, leaf, column)
    }
    read = {place: reading for place, reading in read.items() if reading.source.scenario == "actual"}
    windows = [reading.window for reading in read.values() if reading.window is not None]
    if not windows:
        return []
    asked = np.zeros(len(open_keys), dtype=bool)
    for place in read:
        asked |= readings.keys_behind(leaf, columns[place]) & open_keys
    rows: dict[tuple[int, str], DetailRow] = {}
    for calendar in dict.fromkeys(columns[place].calendar for place in read):
        own = {place: reading for place, reading in read.items() if columns[place].calendar == calendar}
        _add_entries(readings, leaf, columns, own, np.flatnonzero(asked), rows)
    return list(rows.values())


def _entry_row(line: EntryLine, entity: str, leaf: Leaf, columns: Sequence[Column], readings: Readings) -> DetailRow:
    """The row of an entry, without amounts yet; its label says the day where no column does."""
    day = "" if any(column.asked.text == "date" for column in columns) else f"{line.day.isoformat()} "
    label = f"{day}{line.number} {line.description}".strip()
    row = _empty(leaf, f"{entity}/{line.number}", label, "entry", columns, readings)
    row.texts = {
        "number": line.number,
        "date": line.day.isoformat(),
        "description": line.description,
        "document": line.document,
        "counterparty": line.counterparty,
        "source": line.source,
        "entity": entity,
    }
    return row


def _add_entries(
    readings: Readings,
    leaf: Leaf,
    columns: Sequence[Column],
    read: Mapping[int, ColumnReading],
    asked: IntArray,
    rows: dict[tuple[int, str], DetailRow],
) -> None:
    """The entries of some columns that read one calendar."""
    windows = [reading.window for reading in read.values() if reading.window is not None]
    if not windows:
        return
    view = readings.plan.view.in_calendar(columns[next(iter(read))].calendar)
    for line in view.lines(asked, min(w.first for w in windows), max(w.last for w in windows), MOST_LINES):
        for place, reading in read.items():
            if not _counts(line, reading, readings.keys_behind(leaf, columns[place])):
                continue
            entity = readings.plan.view.frame.entities.items[line.entity].code
            row = rows.get((line.entity, line.number))
            if row is None:
                row = rows[line.entity, line.number] = _entry_row(line, entity, leaf, columns, readings)
            amount = {"debits": line.debit, "credits": line.credit}.get(reading.measure, line.debit - line.credit)
            row.amounts[place] = (row.amounts[place] or 0) + amount * _divisor(readings, leaf, columns[place])
            row.booked[place] = True


def _divisor(readings: Readings, leaf: Leaf, column: Column) -> int:
    vector = readings.vector(leaf, column)
    return vector.divisor if vector else 1


def _counts(line: EntryLine, reading: ColumnReading, keys: BoolArray) -> bool:
    window, source = reading.window, reading.source
    if (
        window is None
        or line.effect != ACTIVITY
        or line.status not in STATUS_CHOICES[source.status]
        or not keys[line.key]
    ):
        return False
    if source.then and line.period > source.until:
        return False
    if window.start and window.end and not window.start <= line.day <= window.end:
        return False
    if not window.first <= line.period <= window.last:
        return False
    return all(passes(source.lines, name, getattr(line, name)) for name in {clause.name for clause in source.lines})
