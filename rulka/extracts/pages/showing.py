"""Rows, sums and pivots as pages write them: texts with a person's own way of writing numbers and days."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from fractions import Fraction
from typing import Any

from rulka.core.books.calendar import FiscalCalendar, period_code
from rulka.core.extracting.fields import Field
from rulka.core.extracting.pivots import Pivot
from rulka.core.extracting.query import QuerySums, ResultColumn
from rulka.core.money import grouped, round_half_away
from rulka.people.library.preferences import day_text

MOST_SHOWN = 60
MOST_UNITS = 3
"""Currencies and units whose sums show on the page; a file has all of them."""
MOST_PIVOT = 9
MOST_ACROSS = 3


@dataclass(frozen=True)
class ShownText:
    text: str
    number: bool = False
    negative: bool = False


@dataclass(frozen=True)
class ShownHeading:
    """A heading: the column's key, title, whether it holds numbers, how it is ordered, whether it is chosen."""

    key: str
    title: str
    number: bool
    order: str
    chosen: bool
    computed: bool
    hint: str = ""

    @property
    def sorted(self) -> str:
        """How the column is ordered, in the words of accessibility."""
        return {"falling": "descending", "rising": "ascending"}.get(self.order, "none")


def cell(value: Any, shows: Field, calendar: FiscalCalendar) -> ShownText:
    """A stored value as somebody reads it."""
    if value is None:
        return ShownText("", shows.is_numeric)
    if shows.is_numeric:
        return ShownText(number_text(int(value), shows), True, int(value) < 0)
    if shows.kind == "period":
        found = calendar.by_code.get(period_code(int(value)))
        return ShownText(found.title if found else period_code(int(value)))
    if shows.kind == "flag":
        return ShownText("yes" if value else "no")
    if shows.kind == "date" and value:
        return ShownText(day_text(date.fromisoformat(str(value)[:10])))
    return ShownText(str(value))


def number_text(value: int, shows: Field) -> str:
    """A scaled number; of numbers that aren't amounts without zeros behind."""
    if shows.kind == "amount":
        return grouped(value, shows.digits)
    if not shows.digits:
        return str(value) if shows.name in ("year", "number", "revision") else grouped(value, 0)
    text = str(value).lstrip("-").rjust(shows.digits + 1, "0")
    digits = len(text[-shows.digits :].rstrip("0"))
    return grouped(value // 10 ** (shows.digits - digits) if value >= 0 else -(-value // 10 ** (shows.digits - digits)),
                   digits)  # fmt: skip


def heads(columns: Sequence[ResultColumn], sort: Mapping[str, str], chosen: str) -> list[ShownHeading]:
    """The headings of columns."""
    return [
        ShownHeading(
            one.key, one.title, one.is_numeric, sort.get(one.key.casefold(), ""), one.key.casefold() == chosen,
            one.formula is not None, f"={one.formula.text}" if one.formula else one.field.note if one.field else "",
        )
        for one in columns
    ]  # fmt: skip


@dataclass(frozen=True)
class SumRow:
    """One row of sums, in one currency: a cell for each column, its own words in the first."""

    cells: list[ShownText]


def sum_rows(sums: QuerySums, columns: Sequence[ResultColumn]) -> list[SumRow]:
    """The sums above the rows: one row for each currency, texts say how many different ones there are."""
    every = {unit for by_unit in sums.sums.values() for unit in by_unit} or {""}
    units = sorted(every, key=lambda unit: (not (len(unit) == 3 and unit.isupper()), unit))  # money first
    found = []
    for at_unit, unit in enumerate(units[:MOST_UNITS]):
        cells = []
        for at, column in enumerate(columns):
            value = sums.sums.get(at, {}).get(unit)
            if value is not None:
                cells.append(ShownText(number_text(value, column.shows), True, value < 0))
            elif at == 0:
                said = f"Sum of {sums.count:,} {'row' if sums.count == 1 else 'rows'}" if not at_unit else ""
                cells.append(ShownText(f"{said}{', ' if said and unit else ''}{unit}"))
            else:
                different = sums.different.get(at) if not at_unit else None
                cells.append(ShownText(f"{different:,} different" if different and different > 1 else ""))
        found.append(SumRow(cells))
    if len(units) > MOST_UNITS:
        rest = f"and {', '.join(units[MOST_UNITS:])}: in the file"
        found.append(SumRow([ShownText(rest), *(ShownText("") for _ in columns[1:])]))
    return found


@dataclass(frozen=True)
class SmallPivot:
    """A pivot as the panel shows it: a few rows and columns, what was left out in words."""

    heads: list[str]
    rows: list[tuple[str, list[ShownText]]]
    total: list[ShownText]
    more: str
    title: str


def _label(value: Any, shows: Field, calendar: FiscalCalendar) -> str:
    """A label of a narrow table: months by three letters."""
    if shows.kind == "period" and value is not None:
        found = calendar.by_code.get(period_code(int(value)))
        if found is not None and found.title == f"{found.start:%B} {found.start.year}":
            return f"{found.start:%b} {found.start:%y}"
    return cell(value, shows, calendar).text


def small_pivot(pivot: Pivot, columns: Sequence[ResultColumn], calendar: FiscalCalendar) -> SmallPivot:
    """The largest rows and the last columns of a pivot."""
    asked = pivot.asked
    value = columns[asked.value]
    shows = Field("", "", "", "number") if asked.counts else value.shows

    def figure(stored: Any) -> ShownText:
        if stored is None or not shows.is_numeric:
            return cell(stored, shows, calendar)
        whole = round_half_away(Fraction(int(stored), 10**shows.digits), 0)  # a narrow table has no room for decimals
        return ShownText(grouped(whole, 0), True, whole < 0)

    across = list(pivot.across) if asked.across else []
    shown = across[-MOST_ACROSS:]
    with_all = len(shown) < MOST_ACROSS  # there is room for three columns

    def label(labels: Sequence[Any], places: Sequence[int]) -> str:
        pairs = zip(labels, places, strict=True)
        return ", ".join(_label(one, columns[at].shows, calendar) or "none" for one, at in pairs)

    rows = [
        (label(labels, asked.down), [
            *(figure(pivot.cells.get((labels, one))) for one in shown),
            *([figure(pivot.row_totals[labels])] if with_all else []),
        ]) for labels in pivot.down[:MOST_PIVOT]
    ]  # fmt: skip
    total = [*(figure(pivot.column_totals[one]) for one in shown), *([figure(pivot.total)] if with_all else [])]
    left = len(pivot.down) - MOST_PIVOT
    more = [f"{left + pivot.others:,} more" if left + pivot.others > 0 else "",
            f"{len(across) - len(shown)} more across" if len(across) > len(shown) else ""]  # fmt: skip
    return SmallPivot(
        [*(label(one, asked.across) for one in shown), *(["All"] if with_all else [])],
        rows,
        total,
        ", ".join(filter(None, more)),
        value.title,
    )
