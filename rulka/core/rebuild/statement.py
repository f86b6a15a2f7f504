"""A proposal as a statement like any other: its texts, and what the engine makes of it, cell by cell."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from typing import Any

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.calendar import FiscalCalendar, Period
from rulka.core.books.selection import select
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.keys import slug
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import statement_from
from rulka.core.errors import NotFound
from rulka.core.rebuild.books import TableReading
from rulka.core.rebuild.given import Given
from rulka.core.rebuild.headings import living_heading
from rulka.core.rebuild.proposing import ProposedLine, TableProposal

Body = dict[str, Any]
LONGEST_LABEL = 150
UNITS = {0: "units", 3: "thousands", 6: "millions"}


@dataclass(frozen=True)
class Bodies:
    """The texts of a statement and its parts, the period that it is seen from, and which of its lines and columns are
    those of the table (by place; None for a row without a line)."""

    statement: Body
    spine: Body
    span: Body
    period: Period
    labels: tuple[str | None, ...]


@dataclass(frozen=True)
class OddCell:
    """A figure of the table that the statement shows otherwise."""

    row: int
    column: int
    given: Decimal
    computed: Decimal | None


def bodies_of(
    given: Given, proposal: TableProposal, view: View, title: str, accounts: Mapping[str, int | None] | None = None
) -> Bodies:
    """A proposal's texts. Rows that weren't found are headings, so that nothing is made up for them. Where it was said
    of `accounts` which lines have them and which none, the statement owes a place to all others of their types."""
    calendar = view.frame.calendar
    period = period_of(given, proposal, calendar, 0)
    labels = _unlike([row.caption or f"Row {at + 1}" for at, row in enumerate(given.rows)])
    name = slug(title)[:70] or "rebuilt"
    spine = {
        "spine": name,
        "title": title,
        "covers": _covers(proposal, view, accounts),
        "lines": _lines(proposal, labels),
    }
    span = {"span": name, "title": title, "columns": list(_columns(given, proposal, period, calendar))}
    statement = {
        "statement": name, "title": title, "spine": name, "span": name,
        "figures": {"unit": UNITS[proposal.found.scale], "decimals": str(min(2, max(given.decimals)))},
    }  # fmt: skip
    lost = lost_rows(proposal)
    shown = tuple(
        label if line.state not in ("words", "not found") and at not in lost else None
        for at, (label, line) in enumerate(zip(labels, proposal.lines, strict=True))
    )
    return Bodies(statement, spine, span, period, shown)


def _covers(proposal: TableProposal, view: View, accounts: Mapping[str, int | None] | None) -> str:
    """All accounts of the types that its lines select from, but those that are left out on purpose; none where rows are
    open, or nobody was asked."""
    if accounts is None or any(is_open(line) for line in proposal.lines):
        return "nothing"
    chart = view.frame.accounts
    taken = np.zeros(len(chart), dtype=bool)
    for line in proposal.lines:
        if line.selection:
            taken |= select(line.selection, chart).mask
    types = dict.fromkeys(item.type for place, item in enumerate(chart.items) if taken[place])
    left = ['"' + code.replace('"', '""') + '"' for code, taker in accounts.items() if taker is None]
    text = ", ".join(f"type:{one}" for one in types if one != "statistical")
    return (text + (" except " + ", ".join(left) if left else "")) or "nothing"


def _unlike(captions: Sequence[str]) -> list[str]:
    """Captions that formulas can tell apart."""
    seen: dict[str, int] = {}
    found = []
    for caption in captions:
        plain = " ".join(caption.replace('"', "'").split())[:LONGEST_LABEL]
        seen[plain.casefold()] = seen.get(plain.casefold(), 0) + 1
        count = seen[plain.casefold()]
        found.append(plain if count == 1 else f"{plain} {count}")
    return found


def period_of(given: Given, proposal: TableProposal, calendar: FiscalCalendar, table: int) -> Period:
    """The period that one of the tables is seen from: the last one with actuals that a column ends at."""
    readings = [proposal.readings[at] for at in given.of_table(table)]
    actual = [one.last for one in readings if one is not None and one.scenario == "actual"]
    every = actual or [one.last for one in readings if one is not None]
    if not every:
        raise NotFound(
            "No column of the table is found in the ledger.", hint="Name node and period, if you know them.",
            subject=f"table {table + 1}",
        )  # fmt: skip
    return calendar.periods[max(every)]


# lines ----------------------------------------------------------------------------------------------------------------


def _lines(proposal: TableProposal, labels: Sequence[str]) -> list[Body]:
    """Lines in the table's order: a total's rows become a section, a row of words before them its heading."""
    items: list[tuple[int, Body]] = []
    calculated: set[int] = set()
    lost = lost_rows(proposal)
    unseen = lost | {at for at, line in enumerate(proposal.lines) if line.state == "not found"}
    for at, line in enumerate(proposal.lines):
        label = labels[at]
        if line.zeros and line.state == "not found":
            continue
        if line.kind == "words" or line.state == "not found" or at in lost:
            items.append((at, {"heading": label}))
        elif line.kind == "line":
            items.append((at, {"line": label, "accounts": line.selection, "sign": _sign(line.sign)}))
        elif (
            line.kind == "total"
            and not calculated & {place for place, _ in line.of}
            and _is_section(proposal, items, at)
        ):
            items = _sectioned(items, at, label, {place for place, _ in line.of}, labels)
        else:
            calculated.add(at)
            items.append((at, {"calculation": label, "formula": _formula(line.of, labels, unseen)}))
    return [body for _, body in items]


def _is_section(proposal: TableProposal, items: list[tuple[int, Body]], at: int) -> bool:
    """Whether a total ends a section: it adds up lines, or words stand before what it adds up. Others are worked out of
    the totals before them."""
    parts = {row for row, _ in proposal.lines[at].of}
    first = next(place for place, (row, _) in enumerate(items) if row in parts)
    headed = first > 0 and "heading" in items[first - 1][1] and items[first - 1][0] not in parts
    return headed or all(proposal.lines[row].kind == "line" for row in parts)


def is_open(line: ProposedLine) -> bool:
    """Whether a line's figures are missing: it was not found, and shows other than zeros."""
    return line.state == "not found" and not line.zeros


def lost_rows(proposal: TableProposal) -> set[int]:
    """Calculations that can't be written: what they start from was not found."""
    lost: set[int] = set()
    for at, line in enumerate(proposal.lines):
        parts = [is_open(proposal.lines[row]) or row in lost for row, _ in line.of]
        if any(parts) and (line.kind == "calculation" or all(parts)):
            lost.add(at)
    return lost


def incomplete_rows(proposal: TableProposal) -> set[int]:
    """Totals and calculations that something is missing from."""
    found: set[int] = set()
    for at, line in enumerate(proposal.lines):
        if any(is_open(proposal.lines[row]) or row in found for row, _ in line.of):
            found.add(at)
    return found


def _sign(sign: int) -> str:
    return "as booked" if sign > 0 else "flipped"


def _sectioned(
    items: list[tuple[int, Body]], at: int, label: str, parts: set[int], labels: Sequence[str]
) -> list[tuple[int, Body]]:
    first = next(place for place, (row, _) in enumerate(items) if row in parts)
    title, inner = f"{label}, in parts", items[first:]
    if first and "heading" in items[first - 1][1] and items[first - 1][0] not in parts:
        title, first = items[first - 1][1]["heading"], first - 1
    if title in labels and title == label:
        title = f"{label}, in parts"
    section = {"section": title, "lines": [body for _, body in inner], "total": label}
    return [*items[:first], (at, section)]


def _formula(of: Sequence[tuple[int, int]], labels: Sequence[str], without: Collection[int]) -> str:
    terms = [f'{"-" if sign < 0 else "+"} "{labels[place]}"' for place, sign in of if place not in without]
    return " ".join(terms).removeprefix("+ ")


# columns --------------------------------------------------------------------------------------------------------------


def _columns(given: Given, proposal: TableProposal, period: Period, calendar: FiscalCalendar) -> Any:
    first = given.of_table(0)
    for at in first:
        heading, reading, found = given.headings[at], proposal.readings[at], proposal.found.columns[at]
        if not set(found.of) - {-1} <= set(first):
            continue
        heading = _heading(heading or f"Column {at + 1}", proposal, at, calendar)
        own: Body = {"column": f"c{at + 1}", "heading": heading}
        if reading is not None:
            yield {**own, **_read(reading, period, calendar)}
        elif found.compares in ("difference", "percent"):
            yield {**own, found.compares: [f"c{one + 1}" for one in found.of]}
        elif found.compares == "sum":
            yield {**own, "sum": [f"c{one + 1}" for one in found.of]}


def _heading(text: str, proposal: TableProposal, column: int, calendar: FiscalCalendar) -> str:
    """A heading that follows the period; of a comparison that of what is compared."""
    while proposal.readings[column] is None and proposal.found.columns[column].of[0] >= 0:
        column = proposal.found.columns[column].of[0]
    reading = proposal.readings[column]
    if reading is None:
        return text.replace("{", "(").replace("}", ")")
    first, last = calendar.periods[reading.first], calendar.periods[reading.last]
    return living_heading(text, first.start, last.end)


def _read(reading: TableReading, period: Period, calendar: FiscalCalendar) -> Body:
    """A reading as it is asked for from the period: its measure, window and shift."""
    last = calendar.periods[reading.last]
    found: Body = {} if reading.measure == "activity" else {"measure": reading.measure}
    found |= {} if reading.scenario == "actual" else {"scenario": reading.scenario}
    if reading.first != reading.last:
        found["window"] = "year to date"
    if last.index != period.index:
        years = last.year - period.year
        steps = last.index - period.index
        found["shift"] = _told(years, "year") if last.number == period.number else _told(steps, "period")
    return found


def _told(count: int, unit: str) -> str:
    return f"{'-' if count < 0 else '+'}{abs(count)} {unit}{'' if abs(count) == 1 else 's'}"


# held against the table -----------------------------------------------------------------------------------------------


def odd_cells(given: Given, proposal: TableProposal, bodies: Bodies, view: View) -> list[OddCell]:
    """The figures of the table that the engine shows otherwise, each rounded as the table is; of rows that were found
    whole, in columns that were. Other months are run as well, at their own periods."""
    return of_whole_rows(proposal, differences(given, proposal, bodies, view))


def of_whole_rows(proposal: TableProposal, cells: Sequence[OddCell]) -> list[OddCell]:
    """Those of rows that nothing is missing from."""
    incomplete = incomplete_rows(proposal)
    return [cell for cell in cells if cell.row not in incomplete]


def differences(given: Given, proposal: TableProposal, bodies: Bodies, view: View) -> list[OddCell]:
    """All figures that the engine shows otherwise, also of totals that something is missing from."""
    statement = statement_from(bodies.statement, spine_from(bodies.spine), span_from(bodies.span))
    calendar = view.frame.calendar
    asked = {told_column["column"]: {key: told_column[key] for key in told_column if key not in ("column", "heading")}
             for told_column in bodies.span["columns"]}  # fmt: skip
    first, odd = given.of_table(0), []
    for table in sorted(set(given.tables or (0,))):
        columns = given.of_table(table)
        try:
            period = bodies.period if table == 0 else period_of(given, proposal, calendar, table)
        except NotFound:
            continue  # the other month's columns are not found: they are told as such
        computed = run_statement(statement, view, period, proposal.found.node)
        values = {row.label: row for row in computed.rows if row.has_figures}
        keys = {column.key: place_in_row for place_in_row, column in enumerate(computed.columns)}
        for number, column in enumerate(columns):
            key = f"c{first[number] + 1}" if number < len(first) else ""
            reading = proposal.readings[column]
            if table and (reading is None or asked.get(key) != _read(reading, period, calendar)):
                continue  # another column than the first table's
            for row, (line, label) in enumerate(zip(given.rows, bodies.labels, strict=True)):
                value, place_in_row = line.values[column], keys.get(key)
                if label is None or value is None or place_in_row is None:
                    continue
                shown = values[label].values[place_in_row] if label in values else None
                rounded = _rounded(shown, proposal, row, column, given)
                if rounded is None and value == 0:
                    continue  # a percent of nothing is written as zero by many
                if rounded is None or abs(rounded - value) > _loose(given, column, proposal):
                    odd.append(OddCell(row, column, value, rounded))
    return odd


def _loose(given: Given, column: int, proposal: TableProposal) -> Decimal:
    """How far a comparison of rounded columns may be off."""
    compares = proposal.found.columns[column].compares
    if compares is None:
        return Decimal(0)
    rounded = proposal.found.scale or compares == "percent"
    return Decimal(1).scaleb(-given.decimals[column]) if rounded else Decimal(0)


def _rounded(value: Fraction | None, proposal: TableProposal, row: int, column: int, given: Given) -> Decimal | None:
    if value is None:
        return None
    found = proposal.found.columns[column]
    scale = 0 if proposal.lines[row].quantity else proposal.found.scale
    scaled = value * found.times if found.compares == "percent" else value / 10**scale
    steps = scaled * 10 ** given.decimals[column]
    whole = int(abs(steps) + Fraction(1, 2))
    return (Decimal(whole) if steps >= 0 else -Decimal(whole)).scaleb(-given.decimals[column])


def as_mapping(given: Given, proposal: TableProposal, bodies: Bodies, odd: Sequence[OddCell]) -> Mapping[str, Any]:
    """A proposal as plain data."""
    return {
        "found": {"node": proposal.found.node, "period": bodies.period.code, "scale": proposal.found.scale},
        "columns": [
            {
                "heading": heading, "state": "found" if reading or found.compares else "not found",
                **(vars(reading) if reading is not None else {}), "compares": found.compares,
                "others": len(found.ties),
            }
            for heading, reading, found in zip(
                given.headings, proposal.readings, proposal.found.columns, strict=True
            )
        ],
        "lines": [
            {"label": line.caption, "state": line.state, "selection": line.selection,
             "candidates": [one.selection for one in line.others]}
            for line in proposal.lines
        ],
        "cells": [
            {"line": given.rows[one.row].caption, "column": given.headings[one.column], "given": str(one.given),
             "computed": None if one.computed is None else str(one.computed)}
            for one in odd
        ],
    }  # fmt: skip
