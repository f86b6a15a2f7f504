"""An asked extract in one of the forms that leave: a workbook by its layout, CSV, JSON, Parquet; written piece by piece
to a place."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import cached_property
from itertools import groupby
from pathlib import Path
from typing import Any

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.extracting.fields import Field
from rulka.core.extracting.pivots import AskedPivot, asked_pivot
from rulka.core.extracting.query import QuerySums, plain, summable
from rulka.core.money import as_usual
from rulka.extracts.output.templates import template_of
from rulka.extracts.running.asked import AskedExtract
from rulka.extracts.running.news import ComparedRows
from rulka.formats.figures import moment_text
from rulka.formats.output.native_pivot import NativePivot
from rulka.formats.output.row_workbook import MOST_SHEETS, Facts, RowSheet, RowWorkbook, sheet_names
from rulka.formats.output.rows import Row, RowColumn, csv_lines, json_parts, write_parquet
from rulka.formats.output.stamp import Stamp
from rulka.statements.models import Template
from rulka.statements.output.templates import fill, said

FORMS = ("xlsx", "csv", "json", "parquet")
Tell = Callable[[int], None]
MOST_PIVOT_VALUES = 60_000
"""How many values of a field a pivot of the workbook's own lists."""


@dataclass(frozen=True)
class Written:
    """What was written: how many rows, and what its columns came to, in words."""

    rows: int
    sums: tuple[tuple[str, str, str], ...]
    notes: tuple[str, ...] = ()


def columns_of(asked: AskedExtract) -> list[RowColumn]:
    """The columns that the layout shows, in its order."""
    layout = asked.layout
    found = []
    for at in asked.order():
        column = asked.query.columns[at]
        title = _by_key(layout.titles, column.key) or column.title
        width = _by_key(layout.widths, column.key) or 0
        found.append(RowColumn(title, column.shows, width, _by_key(layout.formats, column.key) or ""))
    return found


def _by_key(told: Mapping[str, Any], key: str) -> Any:
    return next((value for name, value in told.items() if name.casefold() == key.casefold()), None)


def told_sums(asked: AskedExtract, sums: QuerySums) -> tuple[tuple[str, str, str], ...]:
    """What columns came to: title, currency, exact text."""
    found = []
    for at, by_unit in sorted(sums.sums.items()):
        column = asked.query.columns[at]
        for unit, value in sorted(by_unit.items()):
            found.append((column.title, unit, plain(value, column.shows)))
    return tuple(found)


def facts_of(
    asked: AskedExtract, at: datetime, sums: QuerySums, person: str, template: Template | None = None
) -> Facts:
    """What the sheet that says what was asked holds."""
    extract, view = asked.extract, asked.view
    pairs = [("Ledger", view.frame.name), ("Rows of", asked.query.rows.title)]
    pairs += [(ask.label, asked.answers.said(ask.name) or "any") for ask in extract.asks]
    pairs += [(f"Condition on {one.field}", one.words) for one in extract.where if one.field and not one.asks]
    pairs += [
        ("Seen", view.part or "the whole ledger"), ("Revision", str(view.revision)), ("Rows", f"{sums.count:,}"),
        *_sum_pairs(asked, sums), *([("Template", said(template))] if template else ()), ("Made", moment_text(at)),
        ("By", person or "a command"), *(("Note", note) for note in asked.notes),
    ]  # fmt: skip
    return Facts(extract.title, tuple(pairs))


def _sum_pairs(asked: AskedExtract, sums: QuerySums) -> list[tuple[str, str]]:
    return [(f"Sum of {name}", f"{text} {unit}".strip()) for name, unit, text in told_sums(asked, sums)]


def write(
    asked: AskedExtract, form: str, path: Path, at: datetime, *, stamp: Stamp | None = None, person: str = "",
    tell: Tell | None = None,
) -> Written:  # fmt: skip
    """Write an extract's rows; raises RulkaError for what the form can't hold."""
    if form not in FORMS:
        raise NotFound(f"There is no form '{form[:20]}'.", hint=one_of(form, FORMS), subject="form")
    asked.rows.check_currencies(asked.query)
    notes: list[str] = []
    with as_usual():
        sums = asked.rows.sums(asked.query)
        if form == "xlsx":
            notes = _filled(asked, path, at, sums, stamp, person, tell)
        else:
            _plain(asked, form, path, sums, stamp, tell)
    return Written(sums.count, told_sums(asked, sums), tuple(notes))


def _shown(rows: Iterator[Row], order: Sequence[int]) -> Iterator[Row]:
    if list(order) == list(range(len(order))):
        yield from rows
        return
    for row in rows:
        yield tuple(row[at] for at in order)


def _counted(rows: Iterator[Row], tell: Tell | None) -> Iterator[Row]:
    for at, row in enumerate(rows, 1):
        if tell is not None and at % 1_000 == 0:
            tell(at)
        yield row


def _plain(asked: AskedExtract, form: str, path: Path, sums: QuerySums, stamp: Stamp | None, tell: Tell | None) -> None:
    columns, order = columns_of(asked), asked.order()
    rows = _counted(_shown(_every(asked, order), order), tell)
    if form == "parquet":
        write_parquet(path, columns, rows, stamp)
        return
    if form == "csv":
        parts = csv_lines(columns, rows, stamp.line if stamp else "")
    else:
        head = {
            "extract": asked.extract.name, "ledger": asked.rows.ledger.code, "revision": asked.view.revision,
            "period": asked.period.code, "answers": {name: list(texts) for name, texts in asked.answers.texts.items()},
            "count": sums.count,
            "sums": [
                {"column": title, "currency": unit, "sum": text}
                for title, unit, text in told_sums(asked, sums)
            ],
            "notes": asked.notes,
        }  # fmt: skip
        parts = json_parts(head, columns, rows, {"origin": stamp.as_mapping} if stamp else {"origin": None})
    with path.open("w", encoding="utf-8", newline="") as file:
        for part in parts:
            file.write(part)


def _every(asked: AskedExtract, order: Sequence[int], first: int | None = None) -> Iterator[Row]:
    return asked.rows.rows(asked.query, first=first)


def workbook_order(asked: AskedExtract) -> list[int]:
    """The places of the columns that a workbook of the layout shows: those of the layout, then those that its pivot
    reads besides."""
    order, query, layout = asked.order(), asked.query, asked.layout
    if not layout.pivot:
        return order
    pivot = asked_pivot(layout.pivot, query)
    return list(dict.fromkeys([*order, *pivot.down, *pivot.across, *pivot.filters, pivot.value]))


def _filled(
    asked: AskedExtract, path: Path, at: datetime, sums: QuerySums, stamp: Stamp | None, person: str, tell: Tell | None
) -> list[str]:
    """The workbook of a layout, filled into its template where it has one; what somebody should know of that."""
    template = template_of(asked)
    if template is None:
        _workbook(asked, path, at, sums, stamp, person, tell)
        return []
    plain_rows = path.with_name(f"{path.stem}-rows.xlsx")
    try:
        _workbook(asked, plain_rows, at, sums, stamp, person, tell, template)
        return fill(template, plain_rows, path)
    finally:
        plain_rows.unlink(missing_ok=True)


@dataclass(frozen=True)
class _Laid:
    """A layout as a workbook shows it. `order` has the places in the query's rows that its columns show, `each` the one
    that has a sheet for each value, `by` the one that subtotals are by."""

    asked: AskedExtract
    order: Sequence[int]
    columns: Sequence[RowColumn]
    each: int | None
    by: int | None
    pivot: AskedPivot | None

    @cached_property
    def place_of(self) -> dict[int, int]:
        """Where a place of the query's rows shows."""
        return {place: shown for shown, place in enumerate(self.order)}


def _laid(asked: AskedExtract) -> _Laid:
    layout, query, order = asked.layout, asked.query, workbook_order(asked)
    columns = columns_of(asked)
    each = query.place(layout.each) if layout.each else None
    by = query.place(layout.by) if layout.by else None
    if each is not None and by is not None:
        raise RulkaError(
            "A sheet for each value and subtotals go not together.", hint="Choose one of them.", subject="layout"
        )
    if by is not None and by not in order:
        raise RulkaError("What subtotals are by isn't shown.", hint="Show that column.", subject="layout")
    pivot = asked_pivot(layout.pivot, query) if layout.pivot else None
    if pivot is not None:
        # a pivot of the workbook's own reads its rows
        keys = tuple(query.columns[place].key for place in order)
        columns = columns_of(replace(asked, layout=replace(layout, columns=keys)))
        asked.rows.check_pivot(query, pivot)
    return _Laid(asked, order, columns, each, by, pivot)


def _workbook(
    asked: AskedExtract, path: Path, at: datetime, sums: QuerySums, stamp: Stamp | None, person: str, tell: Tell | None,
    template: Template | None = None,
) -> None:  # fmt: skip
    laid = _laid(asked)
    book = RowWorkbook(path, laid.columns, stamp, tell)
    try:
        _write_rows(book, laid, sums)
        native = _write_pivot(book, laid, laid.pivot) if laid.pivot is not None and sums.count else None
        book.facts(facts_of(asked, at, sums, person, template))
        book.close(native)
    except BaseException:
        book.drop()
        raise


def _write_rows(book: RowWorkbook, laid: _Laid, sums: QuerySums) -> None:
    """The sheets with the rows."""
    asked, order, place_of = laid.asked, laid.order, laid.place_of
    if laid.each is not None:
        book.write_each(_sheets(asked, laid.each, order, asked.layout.sums))
        return
    shown = {place_of[place]: by_unit for place, by_unit in sums.sums.items() if place in place_of}
    groups = _groups(asked, laid.by, place_of) if laid.by is not None else {}
    rows = _shown(_every(asked, order, laid.by), order)
    shown_by = place_of[laid.by] if laid.by is not None else None
    name = sheet_names([asked.extract.title])[0]
    book.write([RowSheet(name, sums.count, rows, shown if asked.layout.sums else {}, shown_by, groups)])


def _write_pivot(book: RowWorkbook, laid: _Laid, pivot: AskedPivot) -> NativePivot | None:
    """The sheet with the pivot; what makes it one of the workbook's own, see RowWorkbook.pivot."""
    asked, place_of = laid.asked, laid.place_of
    made = asked.rows.pivot(asked.query, pivot)
    shown = replace(
        made,
        asked=replace(
            made.asked,
            down=tuple(place_of[place] for place in made.asked.down),
            across=tuple(place_of[place] for place in made.asked.across),
            filters=tuple(place_of[place] for place in made.asked.filters),
            value=place_of[made.asked.value],
        ),
    )
    axes = (*pivot.down, *pivot.across, *pivot.filters)
    values = {
        place_of[place]: [value for value, _ in asked.rows.values(asked.query, place, MOST_PIVOT_VALUES)]
        for place in axes
    }
    return book.pivot(shown, values, asked.extract.title)


def _sheets(asked: AskedExtract, each: int, order: Sequence[int], with_sums: bool) -> Iterator[RowSheet]:
    """A sheet for each value of a column, its rows read in one go."""
    query = asked.query
    values = asked.rows.values(query, each, MOST_SHEETS)
    shows = query.columns[each].shows
    if len(values) > MOST_SHEETS:
        every = asked.rows.different(query, each)
        raise RulkaError(
            f"'{query.columns[each].title}' has {every:,} values: a workbook takes at most {MOST_SHEETS} sheets.",
            hint="Choose a column with fewer, or put rows together in a pivot.", subject="sheets", code="too-much",
        )  # fmt: skip
    names = sheet_names(plain(value, shows) or "none" for value, _ in values)
    sums = _sums_by(asked, each) if with_sums else {}
    shown = {place: at for at, place in enumerate(order)}
    rows = groupby(asked.rows.rows(query, first=each), key=lambda row: row[each])
    counts = dict(values)
    by_value = dict(zip((value for value, _ in values), names, strict=True))
    for value, own in rows:
        told = {shown[place]: units for place, units in sums.get(value, {}).items() if place in shown}
        yield RowSheet(by_value[value], counts[value], _shown(own, order), told)
    if not values:
        yield RowSheet(sheet_names([asked.extract.title])[0], 0, ())


def _sums_by(asked: AskedExtract, place: int) -> dict[Any, dict[int, dict[str, int]]]:
    """What columns come to by the values of one of them and by currency."""
    query = asked.query
    places = [at for at, column in enumerate(query.columns) if summable(column)]
    found: dict[Any, dict[int, dict[str, int]]] = {}
    for value, unit, *sums in asked.rows.sums_by(query, place, places):
        for at, number in zip(places, sums, strict=True):
            by_unit = found.setdefault(value, {}).setdefault(at, {})
            key = unit if query.columns[at].shows.kind == "amount" else ""
            by_unit[key] = by_unit.get(key, 0) + int(number or 0)
    return found


def _groups(asked: AskedExtract, by: int, shown: Mapping[int, int]) -> dict[Any, tuple[int, dict[int, int]]]:
    """The count of rows and the sums of columns for each value of one; sums of several currencies are none."""
    counts = dict(asked.rows.values(asked.query, by, 1_000_000))
    sums = _sums_by(asked, by)
    return {
        value: (count, {shown[at]: next(iter(units.values())) for at, units in sums.get(value, {}).items()
                        if len(units) == 1 and at in shown and at != by})
        for value, count in counts.items()
    }  # fmt: skip


# news ---------------------------------------------------------------------------------------------------------------


def write_news(found: ComparedRows, form: str, path: Path, title: str, stamp: Stamp | None = None) -> Written:
    """What is new, changed and withdrawn as a file: each row with what became of it, and what it said before."""
    words = {"new": "new", "changed": "changed", "gone": "withdrawn"}
    text = Field("news", "News", "", "text")
    columns = [RowColumn("News", text), *(RowColumn(one.title, one.shows) for one in found.columns),
               RowColumn("Was", replace(text, name="was"))]  # fmt: skip
    rows = [(words[one.what], *one.row, found.was(at)) for at, one in enumerate(found.found.rows)]
    with as_usual():
        if form == "parquet":
            write_parquet(path, columns, rows, stamp)
        elif form == "xlsx":
            book = RowWorkbook(path, columns, stamp)
            book.write([RowSheet(sheet_names([title])[0], len(rows), rows)])
            book.facts(Facts(title, (
                ("Since revision", str(found.first)), ("Revision", str(found.last)), ("New", f"{found.found.new:,}"),
                ("Changed", f"{found.found.changed:,}"), ("Withdrawn", f"{found.found.gone:,}"),
                *(("Note", note) for note in found.notes),
            )))  # fmt: skip
            book.close()
        else:
            head = {"news of": title, "since": found.first, "revision": found.last}
            parts = (
                csv_lines(columns, rows, stamp.line if stamp else "") if form == "csv"
                else json_parts(head, columns, rows, {"origin": stamp.as_mapping if stamp else None})
            )  # fmt: skip
            with path.open("w", encoding="utf-8", newline="") as file:
                for part in parts:
                    file.write(part)
    return Written(len(rows), ())
