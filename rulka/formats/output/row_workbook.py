"""Typed rows as a workbook: heads that stay, a filter, widths that fit, sums above the rows, subtotals, a sheet for
each value, a sheet that says what was asked, and a real pivot with its chart. Rows are written as they come."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

from rulka.core.errors import RulkaError
from rulka.core.extracting.definitions import FORMATS, TOTAL_WORDS
from rulka.core.extracting.fields import Field
from rulka.core.extracting.pivots import Pivot
from rulka.core.extracting.query import plain
from rulka.core.later import later
from rulka.core.money import as_usual
from rulka.formats.output.native_pivot import HOW, NativePivot, PivotColumn, add_pivot
from rulka.formats.output.rows import Row, RowColumn, value_of
from rulka.formats.output.stamp import Stamp, set_origin

if TYPE_CHECKING:
    import xlsxwriter
    import xlsxwriter.utility as utility
else:
    xlsxwriter = later("xlsxwriter")
    utility = later("xlsxwriter.utility")

MOST_ROWS: Final = 1_048_576 - 10
MOST_SHEETS: Final = 200
MOST_TEXT: Final = 32_767
MOST_EXACT: Final = 10**15
"""Whole numbers beyond which a workbook's cells are not exact: such ones are written as text."""
FITTED: Final = (6, 48)
EPOCH: Final = date(1899, 12, 30).toordinal()
"""The day that workbooks count from."""
FORBIDDEN = re.compile(r"[\[\]:*?/\\\x00-\x1f]")
DEFAULT_FORMATS: Final = {"date": "yyyy-mm-dd", "moment": "yyyy-mm-dd hh:mm"}


@dataclass(frozen=True)
class RowSheet:
    """The rows of one sheet in order, how many there are, and the sums of its columns by place and currency. With `by`
    rows come in the order of that column, and `groups` hold the count and sums of each of its values."""

    name: str
    count: int
    rows: Iterable[Row]
    sums: Mapping[int, Mapping[str, int]] = field(default_factory=dict)
    by: int | None = None
    groups: Mapping[Any, tuple[int, Mapping[int, int]]] = field(default_factory=dict)


@dataclass(frozen=True)
class Facts:
    """What the sheet that says what was asked holds: pairs of words."""

    title: str
    pairs: tuple[tuple[str, str], ...]


def sheet_names(wanted: Iterable[str]) -> list[str]:
    """Names that sheets may bear: no forbidden signs, at most 31 characters, each once whatever its capitals."""
    taken: set[str] = {"asked", "pivot", "history"}
    found = []
    for text in wanted:
        base = " ".join(FORBIDDEN.sub(" ", text).split()).strip("'")[:31].strip() or "none"
        name, number = base, 2
        while name.casefold() in taken:
            ending = f" ({number})"
            name, number = base[: 31 - len(ending)].rstrip() + ending, number + 1
        taken.add(name.casefold())
        found.append(name)
    return found


PIVOT_TOP = 3
"""The row of a pivot's sheet where it begins."""
MOST_BARS = 30
"""Rows of a pivot that its chart shows."""


@dataclass(frozen=True)
class _PivotPlace:
    """Where a pivot stands on its sheet; rows and columns from zero."""

    start: int
    first_row: int
    total_row: int
    width: int
    """Columns of labels."""
    across: Sequence[tuple[Any, ...]]

    @property
    def last_column(self) -> int:
        return self.width + len(self.across)

    @classmethod
    def of(cls, pivot: Pivot) -> _PivotPlace:
        asked = pivot.asked
        start = PIVOT_TOP + (len(asked.filters) + 1 if asked.filters else 0)
        first_row = start + 1 + len(asked.across)
        across = pivot.across if asked.across else ()
        return cls(start, first_row, first_row + len(pivot.down), len(asked.down), across)


class RowWorkbook:
    """Writes one workbook to a file; `tell` is called with the rows that were written and may stop it."""

    def __init__(self, path: Path, columns: Sequence[RowColumn], stamp: Stamp | None, tell: Any = None) -> None:
        self.path, self.columns, self.stamp = path, list(columns), stamp
        self.tell = tell or (lambda done: None)
        self.done = 0
        self.with_subtotals = False
        self.book = xlsxwriter.Workbook(
            str(path),
            {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False,
             "strings_to_numbers": False, "tmpdir": str(path.parent)},
        )  # fmt: skip
        self._formats: dict[tuple[Any, ...], Any] = {}
        self.head = self._format(bold=True, bottom=1, text_wrap=False, valign="vcenter")
        self.head_right = self._format(bold=True, bottom=1, align="right", valign="vcenter")
        self.bold = self._format(bold=True)
        self.sheets: list[tuple[str, str]] = []

    def _format(self, **settings: Any) -> Any:
        key = tuple(sorted(settings.items()))
        if key not in self._formats:
            self._formats[key] = self.book.add_format(settings)
        return self._formats[key]

    def number_format(self, column: RowColumn) -> str:
        """How a column's cells are written."""
        if column.written:
            return FORMATS[column.written]
        shows = column.shows
        if shows.kind == "amount":
            decimals = "." + "0" * shows.digits if shows.digits else ""
            return f"#,##0{decimals};-#,##0{decimals}"
        if shows.kind == "number":
            return f"#,##0.{'#' * shows.digits}" if shows.digits else "0"
        return DEFAULT_FORMATS.get(shows.kind, "General")

    def write(self, sheets: Sequence[RowSheet]) -> None:
        """The sheets of rows, one after the other."""
        for sheet in sheets:
            self.with_subtotals |= sheet.by is not None
            self._sheet(sheet)

    def write_each(self, sheets: Iterable[RowSheet]) -> None:
        """Sheets whose rows come one sheet after the other out of one reading."""
        for sheet in sheets:
            self._sheet(sheet)

    def drop(self) -> None:
        """Let go of a workbook that isn't finished, with the files that its sheets were kept in."""
        for page in self.book.worksheets():
            page.row_data_fh.close()
            Path(page.row_data_filename).unlink(missing_ok=True)
        self.book.fileclosed = True
        self.path.unlink(missing_ok=True)

    def _sheet(self, sheet: RowSheet) -> None:
        if sheet.count > MOST_ROWS:
            raise RulkaError(
                f"{sheet.count:,} rows don't fit on a sheet.", hint="Take CSV or Parquet, or a sheet for each value.",
                code="too-much",
            )  # fmt: skip
        page = self.book.add_worksheet(sheet.name)
        widths = [len(column.title) + 3 for column in self.columns]
        units = sorted({unit for own in sheet.sums.values() for unit in own})
        above = max(len(units), 1) if sheet.sums else 0
        first = above + 1
        extra = len(sheet.groups)
        last = first + max(sheet.count, 1) + extra - 1
        self._sums(page, sheet, units, first, last, widths)
        for at, column in enumerate(self.columns):
            page.write_string(above, at, column.title, self.head_right if column.shows.is_numeric else self.head)
        page.freeze_panes(above + 1, 0)
        at = first
        if sheet.count == 0:
            page.write_string(first, 0, "No rows.")
            widths[0] = max(widths[0], 10)
            at += 1
        else:
            at = self._rows(page, sheet, first, widths)
        width = len(self.columns) - 1
        page.autofilter(above, 0, max(at - 1, above), width)
        for place, column in enumerate(self.columns):
            page.set_column(place, place, column.width or min(max(widths[place], FITTED[0]), FITTED[1]))
        if self.stamp is not None:
            page.set_footer(f"&L{self.stamp.line[:200].replace('&', '&&')}&R&P")
        page.repeat_rows(above)
        _on_paper(page)
        self.sheets.append((sheet.name, utility.xl_range(above, 0, max(at - 1, above), width)))

    def _sums(self, page: Any, sheet: RowSheet, units: Sequence[str], first: int, last: int, widths: list[int]) -> None:
        """The sums above the headings: as formulas that follow a filter where all is in one currency."""
        for row, unit in enumerate(units):
            page.write_string(row, 0, _sum_words(sheet.count, unit, len(units)), self.bold)
            for at, by_unit in sheet.sums.items():
                if at == 0 or unit not in by_unit:
                    continue
                column = self.columns[at]
                style = self._format(bold=True, num_format=self.number_format(column), top=1)
                value = value_of(by_unit[unit], column.shows)
                widths[at] = max(widths[at], len(f"{value:,}") + 2)
                if len(units) == 1 and sheet.count:
                    name = utility.xl_col_to_name(at)
                    page.write_formula(row, at, f"=SUBTOTAL(109,{name}{first + 1}:{name}{last + 1})", style, value)
                else:
                    page.write_number(row, at, value, style)

    def _rows(self, page: Any, sheet: RowSheet, first: int, widths: list[int]) -> int:
        at = first
        writers = [self._writer(page, column, place, widths) for place, column in enumerate(self.columns)]
        group: Any = _NOTHING
        for row in sheet.rows:
            if sheet.by is not None and row[sheet.by] != group:
                group = row[sheet.by]
                self._subtotal(page, sheet, group, at)
                at += 1
            if sheet.by is not None:
                page.set_row(at, None, None, {"level": 1})
            for write, value in zip(writers, row, strict=True):
                if value is not None and value != "":
                    write(at, value)
            at += 1
            self.done += 1
            if self.done % 1_000 == 0:
                self.tell(self.done)
        return at

    def _subtotal(self, page: Any, sheet: RowSheet, group: Any, at: int) -> None:
        """The sums of the rows that follow with one value of a column."""
        assert sheet.by is not None  # asked with subtotals only
        count, sums = sheet.groups.get(group, (0, {}))
        label = plain(group, self.columns[sheet.by].shows) or "none"
        page.set_row(at, None, None, {})
        for place, column in enumerate(self.columns):
            style = self._format(bold=True, bg_color="#F3F0E6", num_format=self.number_format(column))
            if place in sums:
                name, last = utility.xl_col_to_name(place), at + count
                formula = f"=SUBTOTAL(109,{name}{at + 2}:{name}{last + 1})"
                page.write_formula(at, place, formula, style, value_of(sums[place], column.shows))
            elif place == sheet.by:
                page.write_string(at, place, f"{label}, {count:,} row{'' if count == 1 else 's'}", style)
            else:
                page.write_blank(at, place, None, style)

    def _writer(self, page: Any, column: RowColumn, place: int, widths: list[int]) -> Any:
        """What writes one value of a column into a row."""
        shows, style = column.shows, self._format(num_format=self.number_format(column))

        def fit(length: int) -> None:
            if length > widths[place]:
                widths[place] = length

        if shows.is_numeric:
            return _number_writer(page, shows, place, style, fit)
        if shows.kind == "date":
            fit(12)
            return lambda at, value: page.write_number(at, place, _day_number(value), style)
        if shows.kind == "moment":
            fit(18)
            return lambda at, value: page.write_datetime(at, place, value_of(value, shows), style)
        if shows.kind in ("period", "flag"):
            fit(10)
            return lambda at, value: page.write_string(at, place, plain(value, shows))

        def text(at: int, value: str) -> None:
            said = str(value)
            page.write_string(at, place, said if len(said) <= MOST_TEXT else said[:MOST_TEXT])
            fit(len(said) + 2)

        return text

    def facts(self, facts: Facts) -> None:
        """A sheet that says what was asked."""
        page = self.book.add_worksheet("Asked")
        page.set_column(0, 0, 24)
        page.set_column(1, 1, 80)
        _on_paper(page)
        page.write_string(0, 0, facts.title, self._format(bold=True, font_size=14))
        for at, (name, text) in enumerate(facts.pairs, 2):
            page.write_string(at, 0, name, self._format(font_color="#69706C"))
            page.write_string(at, 1, text[:MOST_TEXT])
        if self.stamp is not None:
            page.write_string(len(facts.pairs) + 3, 0, self.stamp.line)

    # pivot ----------------------------------------------------------------------------------------------------------

    def pivot(self, pivot: Pivot, all_values: Mapping[int, Sequence[Any]], title: str) -> NativePivot | None:
        """A sheet with a pivot of the first sheet's rows, what it came to already in its cells, and its chart. What
        makes it a real one is given back, for `add_pivot`; nothing where no real one can say it."""
        page = self.book.add_worksheet("Pivot")
        asked, place = pivot.asked, _PivotPlace.of(pivot)
        caption = f"{TOTAL_WORDS[asked.how].capitalize()} {self.columns[asked.value].title}"
        why = self._not_real(asked.how)
        page.write_string(0, 0, title, self._format(bold=True, font_size=14))
        page.write_string(1, 0, self._told(pivot, why), self._format(font_color="#69706C"))
        self._pivot_heads(page, pivot, place, caption)
        self._pivot_cells(page, pivot, place)
        self._pivot_totals(page, pivot, place)
        page.set_column(0, max(place.width - 1, 0), 28)
        page.set_column(place.width, place.last_column, 16)
        page.freeze_panes(place.first_row, place.width)
        _on_paper(page)
        if asked.chart and pivot.down:
            last = min(place.total_row - 1, place.first_row + MOST_BARS - 1)
            self._chart(page, place.first_row, last, place.width, place.last_column, place.total_row + 2, caption)
        if why:
            return None
        location = utility.xl_range(place.start, 0, place.total_row, place.last_column)
        return self._native(pivot, all_values, location, (place.first_row - place.start, place.width), caption)

    def _pivot_heads(self, page: Any, pivot: Pivot, place: _PivotPlace, caption: str) -> None:
        """What a pivot is limited to, and its headings."""
        asked = pivot.asked
        for at, column in enumerate(asked.filters):
            page.write_string(PIVOT_TOP + at, 0, self.columns[column].title)
            page.write_string(PIVOT_TOP + at, 1, "(all)")
        page.write_string(place.start, 0 if place.across else place.width, caption, self.head)
        for at, column in enumerate(asked.down):
            page.write_string(place.first_row - 1, at, self.columns[column].title, self.head)
        if not asked.across:
            return
        for at, labels in enumerate(place.across):
            for level, (column, label) in enumerate(zip(asked.across, labels, strict=True)):
                text = self._label(label, column)
                page.write_string(place.start + 1 + level, place.width + at, text, self.head_right)
        for level, column in enumerate(asked.across):
            page.write_string(place.start, place.width + level, self.columns[column].title, self.head)
        page.write_string(place.first_row - 1, place.last_column, "Total", self.head_right)

    def _pivot_cells(self, page: Any, pivot: Pivot, place: _PivotPlace) -> None:
        asked, value = pivot.asked, self.columns[pivot.asked.value]
        style = self._format(num_format=self._pivot_format(value, asked.how))
        for row, labels in enumerate(pivot.down, place.first_row):
            for level, (column, label) in enumerate(zip(asked.down, labels, strict=True)):
                page.write_string(row, level, self._label(label, column))
            for at, across in enumerate(place.across, place.width):
                self._cell(page, row, at, pivot.cells.get((labels, across)), value, asked.how, style)
            self._cell(page, row, place.last_column, pivot.row_totals[labels], value, asked.how, style)

    def _pivot_totals(self, page: Any, pivot: Pivot, place: _PivotPlace) -> None:
        """Totals of what the sheet shows: without the others, where there are any."""
        how, value, row = pivot.asked.how, self.columns[pivot.asked.value], place.total_row
        style = self._format(num_format=self._pivot_format(value, how), bold=True, top=1)
        page.write_string(row, 0, "Total", self._format(bold=True, top=1))
        for at, across in enumerate(place.across, place.width):
            total = _without(pivot, across) if pivot.others else pivot.column_totals[across]
            self._cell(page, row, at, total, value, how, style)
        total = _without(pivot, None) if pivot.others else pivot.total
        self._cell(page, row, place.last_column, total, value, how, style)

    def _not_real(self, how: str) -> str:
        """Why no pivot of the workbook's own could come to the same; empty where one can."""
        if how not in HOW:
            return "Numbers of different values are computed here; they can't be rearranged."
        if len(self.sheets) > 1 or self.with_subtotals:
            return "Its rows stand on several sheets or with subtotals: it is computed here, not to be rearranged."
        return ""

    def _told(self, pivot: Pivot, why: str) -> str:
        told = []
        if pivot.others:
            value = self.columns[pivot.asked.value]
            with as_usual():
                rest = (
                    plain(pivot.other_total, value.shows)
                    if pivot.asked.how in HOW and pivot.other_total is not None
                    else ""
                )
            told.append(
                f"The largest {len(pivot.down):,} of {len(pivot.down) + pivot.others:,}; the others come to {rest}."
            )
        if why:
            told.append(why)
        return " ".join(told)

    def _pivot_format(self, column: RowColumn, how: str) -> str:
        return "#,##0" if how in ("count", "distinct") else self.number_format(column)

    def _label(self, label: Any, place: int) -> str:
        return plain(label, self.columns[place].shows) or "(none)"

    def _cell(self, page: Any, row: int, at: int, value: Any, column: RowColumn, how: str, style: Any) -> None:
        if value is None:
            return
        if how in ("count", "distinct"):
            page.write_number(row, at, int(value), style)
        elif column.shows.is_numeric:
            page.write_number(row, at, value_of(value, column.shows), style)
        else:
            page.write_string(row, at, plain(value, column.shows), style)

    def _chart(self, page: Any, first: int, last: int, width: int, column: int, below: int, caption: str) -> None:
        chart = self.book.add_chart({"type": "bar"})
        chart.add_series({
            "name": caption, "categories": ["Pivot", first, 0, last, width - 1],
            "values": ["Pivot", first, column, last, column], "fill": {"color": "#74807C"}, "gap": 40,
        })  # fmt: skip
        chart.set_legend({"none": True})
        chart.set_y_axis({"reverse": True})
        chart.set_x_axis({"num_format": "#,##0", "major_gridlines": {"visible": True, "line": {"color": "#E6E0D1"}}})
        chart.set_size({"width": 720, "height": 80 + 22 * (last - first + 1)})
        page.insert_chart(below, 0, chart)

    def _native(
        self, pivot: Pivot, all_values: Mapping[int, Sequence[Any]], location: str, data: tuple[int, int], caption: str
    ) -> NativePivot:
        asked = pivot.asked
        columns = []
        places: dict[int, dict[Any, int]] = {}
        for at, column in enumerate(self.columns):
            items: tuple[str | float, ...] | None = None
            if at in all_values:
                values = list(all_values[at])
                places[at] = {value: place for place, value in enumerate(values)}
                items = tuple(self._item(value, at) for value in values)
            kind = "number" if column.shows.is_numeric or column.shows.kind in ("date", "moment") else "text"
            columns.append(PivotColumn(column.title, kind, items))
        rows = tuple(tuple(places[at][label] for at, label in zip(asked.down, labels, strict=True))
                     for labels in pivot.down)  # fmt: skip
        across = tuple(tuple(places[at][label] for at, label in zip(asked.across, labels, strict=True))
                       for labels in pivot.across) if asked.across else ()  # fmt: skip
        sheet, source = self.sheets[0]
        number = 3 if asked.counts else 4
        return NativePivot(
            sheet, source, len(self.book.worksheets()), location, data, tuple(columns), asked.down, asked.across,
            asked.filters, asked.value, asked.how, caption, rows, across, asked.top, number,
        )  # fmt: skip

    def _item(self, value: Any, at: int) -> str | float:
        shows = self.columns[at].shows
        if value is None:
            return ""
        if shows.is_numeric:
            return float(value_of(value, shows))
        if shows.kind == "date":
            return float(_day_number(str(value)))
        return plain(value, shows)

    def close(self, native: NativePivot | None = None) -> None:
        """Write the file."""
        if self.stamp is not None:
            set_origin(self.book, self.stamp)
        self.book.close()
        if native is not None:
            add_pivot(self.path, native)


_NOTHING = object()


def _number_writer(page: Any, shows: Field, place: int, style: Any, fit: Callable[[int], None]) -> Any:
    """What writes a number of a column; as text where a workbook's number wouldn't hold it exactly."""
    scale = Decimal(1).scaleb(-shows.digits)
    numbers, strings = page.write_number, page.write_string

    def number(at: int, value: int) -> None:
        if -MOST_EXACT < value < MOST_EXACT:
            numbers(at, place, value * scale if shows.digits > 0 else value, style)
        else:
            strings(at, place, plain(value, shows))
        size = len(str(value))
        fit(size + size // 3 + 2)

    return number


def _day_number(value: str) -> int:
    """A day as workbooks count it."""
    return date.fromisoformat(value[:10]).toordinal() - EPOCH


def _on_paper(page: Any) -> None:
    """A4 across, as wide as the page, however long."""
    page.set_paper(9)
    page.set_landscape()
    page.fit_to_pages(1, 0)


def _sum_words(count: int, unit: str, units: int) -> str:
    rows = f"{count:,} row{'' if count == 1 else 's'}"
    return f"Sum of {rows}" if units == 1 else f"Sum in {unit or 'no currency'}"


def _without(pivot: Pivot, across: Any) -> Any:
    """A total of what is shown, without the others; nothing where totals don't add up."""
    if pivot.asked.how not in ("sum", "count"):
        return None
    if across is None:
        return (pivot.total or 0) - (pivot.other_total or 0)
    others = pivot.other_cells or {}
    return (pivot.column_totals[across] or 0) - (others.get(across) or 0)
