"""The live places of a folio: what a source names, filled for one reader behind their fence, at the folio's period,
node and revision.

A source says its kind, the thing's name, and what of it: `statement:income-statement|fares|actual` is a figure,
`statement:income-statement` the whole table, `overview:group|bridge` a tile, `worksheet:month-pack|Six months!B4:H9`
cells, `extract:open-items` a table of rows.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from decimal import Decimal
from fractions import Fraction
from functools import cached_property
from typing import Any
from urllib.parse import urlencode

from django.urls import reverse

from rulka.core.books.book import View
from rulka.core.books.fence import Fence
from rulka.core.books.few import Few
from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.nodes import find_node, first_node
from rulka.core.compute.rows import Row
from rulka.core.definitions.looks import NumberStyle
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.extracting.query import plain
from rulka.core.folios.filled import Filled, FilledFigure, FilledProblem, Piece, Unit
from rulka.core.folios.writing import FigureLook, FigurePlace
from rulka.core.money import QUANTITY_DIGITS, as_usual, exact_text
from rulka.extracts.library.opening import open_extract
from rulka.extracts.library.storing import definition_of
from rulka.extracts.running.asked import AskedExtract as AskedRows
from rulka.extracts.running.asked import ExtractReader as RowsReader
from rulka.extracts.running.asked import opened as opened_rows
from rulka.folios.running import tables
from rulka.formats.figures import style_of, written
from rulka.ledger.models import Ledger
from rulka.ledger.reading.history import view_at
from rulka.ledger.reading.queries import view_of
from rulka.overviews.library.opening import open_overview
from rulka.overviews.library.storing import checked as overview_checked
from rulka.overviews.output.making import UNITS
from rulka.overviews.output.shown import Ways
from rulka.overviews.running.readings import OverviewReader as OverviewReader
from rulka.overviews.running.readings import StatementReadings
from rulka.overviews.running.tiles import filled_page
from rulka.people.models import Person
from rulka.statements.library.assemble import Definitions
from rulka.statements.library.opening import definitions_for
from rulka.statements.library.shelves import depth_on
from rulka.statements.running.runs import has_own_nodes, page_nodes, read_by, run_at, view_by
from rulka.worksheets.library.opening import open_worksheet
from rulka.worksheets.running.live import WorksheetReader as SheetReader
from rulka.worksheets.running.live import opened as opened_sheet

MOST_KEPT = 32
"""Computed statements that are kept of each fence."""

MOST_ROWS = 400
"""Rows of a table that a folio shows; an extract with more says so."""


@dataclass(frozen=True)
class LiveSource:
    """A source in its parts: kind, name, and what of it."""

    kind: str
    name: str
    parts: tuple[str, ...] = ()

    @property
    def text(self) -> str:
        return "|".join((f"{self.kind}:{self.name}", *self.parts))


def source_from(text: str) -> LiveSource:
    """A source as it is written; raises RulkaError for what is none."""
    kind, mark, rest = text.partition(":")
    name, *parts = rest.split("|")
    if not mark or kind not in KINDS or not name:
        raise RulkaError(
            f"'{text[:60]}' names no figure.", hint=f"Begin with {', '.join(KINDS)}, a colon and a name.",
            subject="figure",
        )  # fmt: skip
    return LiveSource(kind, name, tuple(part.strip() for part in parts))


KINDS = ("statement", "overview", "worksheet", "extract")


@dataclass(eq=False)
class FolioSources:
    """All that a folio reads, for one reader; each thing is opened by their own rights, once."""

    ledger: Ledger
    fence: Fence
    person: Person | None
    period: str
    node: str
    revision: int | None = None
    _statements: dict[str, tuple[Definitions, Computed]] = field(default_factory=dict)
    _overviews: dict[str, tuple[StatementReadings, Ways]] = field(default_factory=dict)

    @cached_property
    def view(self) -> View:
        """What the reader sees of the ledger."""
        if self.revision is None:
            return view_of(self.ledger, self.fence)
        return view_at(self.ledger, self.revision, self.fence)

    # filling ----------------------------------------------------------------------------------------------------------

    @as_usual()
    def filled(self, figures: Iterable[FigurePlace], sources: Iterable[str]) -> Filled:
        """Figures and tables as they are now; one that can't be shown says why, the others stand."""
        found: dict[str, FilledFigure] = {}
        for figure in figures:
            if figure.key not in found:
                found[figure.key] = self.figure(figure)
        return Filled(found, {source: self.table(source) for source in dict.fromkeys(sources)})

    def figure(self, figure: FigurePlace) -> FilledFigure:
        """One figure in words, or why it shows nothing."""
        try:
            source = source_from(figure.source)
            return getattr(self, f"_{source.kind}_figure")(source, figure.look)  # type: ignore[no-any-return]
        except RulkaError as error:
            return FilledFigure("", problem=str(error))

    def table(self, text: str) -> tuple[Piece, ...]:
        """What a place shows, or why it shows nothing."""
        try:
            source = source_from(text)
            return tuple(getattr(self, f"_{source.kind}_table")(source))
        except RulkaError as error:
            return (FilledProblem(error.message, error.hint),)

    def opens(self, text: str) -> bool:
        """Whether the reader may still open what a source names."""
        try:
            source = source_from(text)
            match source.kind:
                case "statement":
                    definitions_for(self.ledger, source.name, self.person)
                case "overview":
                    open_overview(self.ledger, source.name, person=self.person)
                case "worksheet":
                    open_worksheet(self.ledger, source.name, person=self.person)
                case _:
                    open_extract(self.ledger, source.name, person=self.person)
        except RulkaError:
            return False
        return True

    # statements -------------------------------------------------------------------------------------------------------

    def computed(self, name: str) -> tuple[Definitions, Computed]:
        """A statement at the folio's period and node; at its own first node where the folio's isn't one of its."""
        if name not in self._statements:
            definitions = definitions_for(self.ledger, name, self.person)
            view = view_by(definitions, self.fence, self.person, self.revision)
            statement = read_by(definitions, self.person)
            node = self.node
            if has_own_nodes(statement):
                codes = [one.code for one in page_nodes(statement, view)]
                if node not in codes and codes and node in ("", codes[0], first_node(view).code):
                    node = codes[0]
            few: Few[Computed] = view.kept("folios", lambda: Few(MOST_KEPT))
            computed = few.get(
                (statement, self.period, node), lambda: run_at(definitions, view, self.period, node, self.person)
            )
            self._statements[name] = definitions, computed
        return self._statements[name]

    def _statement_figure(self, source: LiveSource, look: FigureLook) -> FilledFigure:
        if len(source.parts) != 2:
            raise RulkaError(f"'{source.text[:80]}' names no figure.", hint="Name its line and its column.")
        definitions, computed = self.computed(source.name)
        row, column = row_named(computed, source.parts[0]), column_named(computed, source.parts[1])
        value = row.values[computed.place(column.key)]
        title = ", ".join(filter(None, (column.group, column.heading)))
        address = self._statement_address(definitions, computed, row.key, column.key)
        unit = unit_of(row, column)
        if value is None:
            return FilledFigure(row.word_at(computed.place(column.key)) or "none", "", row.label, title, unit, address)
        style = style_of(row, column, computed)
        return FilledFigure(
            looked(value, look, digits=style.decimals, style=style, percent=style.style == "percent"),
            exact(value, unit), row.label, title, unit, address,
        )  # fmt: skip

    def _statement_address(self, definitions: Definitions, computed: Computed, row: str, column: str) -> str:
        if not self.fence.opens_figures:
            return ""
        name = "of" if has_own_nodes(computed.statement) else "node"
        asked = {"ledger": self.ledger.code, "period": self.period, name: computed.node.code, "panel": "trace",
                 "row": row, "column": column}  # fmt: skip
        return f"{reverse('statement', args=[definitions['statement'].name])}?{urlencode(asked)}"

    def _statement_table(self, source: LiveSource) -> list[Piece]:
        definitions, computed = self.computed(source.name)
        rows = [row_named(computed, name) for name in _listed(source.parts, 0)]
        columns = [column_named(computed, name) for name in _listed(source.parts, 1)]

        def address(row: str, column: str) -> str:
            return self._statement_address(definitions, computed, row, column)

        return [tables.of_statement(computed, rows, columns, address, source.text)]

    # overviews --------------------------------------------------------------------------------------------------------

    def overview(self, name: str) -> tuple[StatementReadings, Ways]:
        """An overview's readings at the folio's period and node, and where its figures lead."""
        if name not in self._overviews:
            overview = open_overview(self.ledger, name, person=self.person)
            fence = self.fence.down_to(depth_on(self.person, overview.shelf_id)) if self.person else self.fence
            definition = overview_checked(overview.body)
            reader = OverviewReader(self.ledger, fence, self.person, self.period, self.node, self.node, self.revision)
            readings = StatementReadings(definition, reader)
            codes = [one.code for one in readings.nodes]
            if self.node not in codes:
                reader = OverviewReader(self.ledger, fence, self.person, self.period, "", "", self.revision)
                readings = StatementReadings(definition, reader)
            trace = reverse("overview-trace", args=[overview.name])
            node = "of" if readings.has_own_nodes else "node"
            asked = urlencode({"ledger": self.ledger.code, "period": self.period, node: readings.node.code,
                               "window": "date"})  # fmt: skip

            def traced(statement: str, query: str) -> str:
                return f"{trace}?{asked}&{urlencode({'statement': statement})}&{query}" if fence.opens_figures else ""

            self._overviews[name] = readings, Ways(traced, lambda code: "")
        return self._overviews[name]

    def _overview_figure(self, source: LiveSource, look: FigureLook) -> FilledFigure:
        """A line of an overview: in a column such as `date-actual`, `month-gap` or `year-budget`."""
        if len(source.parts) != 2:
            raise RulkaError(f"'{source.text[:80]}' names no figure.", hint="Name its line and a column.")
        readings, ways = self.overview(source.name)
        label, column = source.parts
        definition = readings.definition
        lines = [line for tile in definition.tiles for line in (tile.line, *tile.lines) if line]
        known = {line.title.casefold(): line for line in [*definition.choices, *lines]}
        line = known.get(label.casefold())
        if line is None:
            raise NotFound(
                f"The overview has no line '{label[:60]}'.", hint=one_of(label, [one.title for one in known.values()]),
                subject="figure",
            )  # fmt: skip
        reading = readings.whole(line.statement)
        row = reading.row(line)
        found = reading.column(column)
        if found is None:
            names = [one.key for one in reading.computed.columns]
            raise NotFound(f"It has no column '{column[:40]}'.", hint=one_of(column, names), subject="figure")
        shown = reading.shown(row, column)
        unit = unit_of(row, found)
        address = ways.trace(line.statement, urlencode({"source": "", "row": shown.row, "column": column}))
        if shown.value is None:
            return FilledFigure(shown.text or "none", "", line.title, column, unit, address)
        style = style_of(row, found, reading.computed)
        text = looked(shown.value, look, digits=style.decimals, style=style, percent=style.style == "percent")
        return FilledFigure(text, exact(shown.value, unit), line.title, _said(column), unit, address)

    def _overview_table(self, source: LiveSource) -> list[Piece]:
        readings, ways = self.overview(source.name)
        definition, wanted = readings.definition, set(_listed(source.parts, 0))
        known = [tile.key for tile in definition.tiles]
        for key in wanted - set(known):
            raise NotFound(f"The overview has no tile '{key[:40]}'.", hint=one_of(key, known), subject="table")
        found: list[Piece] = []
        unit = f"{UNITS[definition.unit]}{readings.node.currency}"
        for page in definition.pages:
            chosen = replace(page, tiles=tuple(tile for tile in page.tiles if not wanted or tile.key in wanted))
            for tile in filled_page(definition, chosen, readings, "date", definition.chosen("")):
                found += tables.of_tile(tile, ways, unit)
        return found

    # worksheets -------------------------------------------------------------------------------------------------------

    def _sheet_reader(self, name: str) -> tuple[Any, SheetReader]:
        worksheet = open_worksheet(self.ledger, name, person=self.person)
        fence = self.fence.down_to(depth_on(self.person, worksheet.shelf_id)) if self.person else self.fence
        view = view_of(self.ledger, fence) if self.revision is None else view_at(self.ledger, self.revision, fence)
        try:
            node = find_node(view, self.node).code if self.node else first_node(view).code
        except RulkaError:
            node = first_node(view).code
        return worksheet, SheetReader(self.ledger, view, view.frame.calendar.period(self.period), node, self.person)

    def _worksheet_figure(self, source: LiveSource, look: FigureLook) -> FilledFigure:
        worksheet, reader = self._sheet_reader(source.name)
        with opened_sheet(worksheet, reader, {}) as live:
            sheet, box = tables.cells_named(live, source.parts)
            if box.size != 1:
                raise RulkaError(f"'{box.text()}' is no single cell.", hint="Name one, such as Sheet!B4.")
            key = (sheet.number, box.top, box.left)
            shown, value = live.shower().shown(key), live.calculation.shown_at(key)
        name = f"{worksheet.title}, {sheet.name} {box.text()}"
        address = self._sheet_address(worksheet.name, sheet.number)
        if not isinstance(value, Decimal):
            return FilledFigure(shown.text or "none", "", name, "", "other", address)
        percent = shown.text.endswith("%")
        unit: Unit = "percent" if percent else "other"
        written_so = shown.text if look == FigureLook() else looked(Fraction(value), look, digits=0, percent=percent)
        return FilledFigure(written_so, exact(Fraction(value), unit), name, "", unit, address)

    def _sheet_address(self, name: str, sheet: int) -> str:
        asked = urlencode({"ledger": self.ledger.code, "period": self.period, "node": self.node, "sheet": sheet})
        return f"{reverse('worksheet', args=[name])}?{asked}"

    def _worksheet_table(self, source: LiveSource) -> list[Piece]:
        worksheet, reader = self._sheet_reader(source.name)
        with opened_sheet(worksheet, reader, {}) as live:
            return [tables.of_cells(live, source.parts, source.text)]

    # extracts ---------------------------------------------------------------------------------------------------------

    def _rows_reader(self, name: str) -> tuple[Any, RowsReader]:
        extract = open_extract(self.ledger, name, person=self.person)
        fence = self.fence.down_to(depth_on(self.person, extract.shelf_id)) if self.person else self.fence
        return extract, RowsReader(self.ledger, fence, self.period, self.node, self.person, self.revision)

    def _extract_figure(self, source: LiveSource, look: FigureLook) -> FilledFigure:
        """How many rows an extract has (`rows`), or what a column comes to."""
        extract, reader = self._rows_reader(source.name)
        with opened_rows(definition_of(extract, self.person), reader, {}) as asked:
            asked.rows.check_currencies(asked.query)
            return self._extract_sum(extract, asked, (source.parts or ("rows",))[0], look)

    def _extract_sum(self, extract: Any, asked: AskedRows, name: str, look: FigureLook) -> FilledFigure:
        address = f"{reverse('extract', args=[extract.name])}?{urlencode(self._asked())}"
        sums = asked.rows.sums(asked.query)
        if name == "rows":
            count = Fraction(sums.count)
            return FilledFigure(looked(count, look, digits=0), str(sums.count), extract.title, "rows", "quantity",
                                address)  # fmt: skip
        known = {asked.query.columns[at].key: at for at in sums.sums}
        titled = {asked.query.columns[at].title: at for at in sums.sums}
        place = known.get(name, titled.get(name))
        if place is None:
            raise NotFound(f"No column '{name[:40]}' is added up.", hint=one_of(name, known), subject="figure")
        found = sums.sums[place]
        if len(found) != 1:
            raise RulkaError("It comes to several currencies.", hint="Bound the extract to one.", subject="figure")
        value = Fraction(plain(next(iter(found.values())), asked.query.columns[place].shows))
        return FilledFigure(looked(value, look, digits=0), exact(value, "money"), extract.title,
                            asked.query.columns[place].title, "money", address)  # fmt: skip

    def _asked(self) -> dict[str, str]:
        return {"ledger": self.ledger.code, "period": self.period, "node": self.node}

    def _extract_table(self, source: LiveSource) -> list[Piece]:
        extract, reader = self._rows_reader(source.name)
        with opened_rows(definition_of(extract, self.person), reader, {}) as asked:
            asked.rows.check_currencies(asked.query)
            return [tables.of_rows(extract.title, asked, _listed(source.parts, 0), MOST_ROWS, source.text)]


def _listed(parts: tuple[str, ...], place: int) -> list[str]:
    """The names of a part, with commas between them."""
    return [name.strip() for name in parts[place].split(",") if name.strip()] if place < len(parts) else []


def row_named(computed: Computed, name: str) -> Row:
    """A row by its key or its label; NotFound otherwise."""
    found = computed.rows_by_key.get(name)
    if found is not None:
        return found
    labelled = [row for row in computed.rows if row.label.casefold() == name.casefold() and row.has_figures]
    if labelled:
        return labelled[0]
    labels = [row.label for row in computed.rows if row.has_figures]
    raise NotFound(f"The statement has no line '{name[:60]}'.", hint=one_of(name, labels), subject="figure")


def column_named(computed: Computed, name: str) -> Column:
    """A column by its key or its heading; NotFound otherwise."""
    known = [column for column in computed.columns if column.kind != "text"]
    for column in known:
        if column.key == name:
            return column
    titled = [column for column in known if name.casefold() in (column.heading.casefold(), _titled(column).casefold())]
    if titled:
        return titled[0]
    raise NotFound(
        f"The statement has no column '{name[:60]}'.", hint=one_of(name, [_titled(column) for column in known]),
        subject="figure",
    )  # fmt: skip


def _titled(column: Column) -> str:
    return ", ".join(filter(None, (column.group, column.heading)))


def unit_of(row: Row, column: Column) -> Unit:
    """What a figure is counted in."""
    if column.kind in ("percent", "share") or row.unit in ("ratio", "rate"):
        return "percent" if column.kind in ("percent", "share") or row.look.number.style == "percent" else "other"
    if column.shows_quantities or row.unit == "quantity":
        return "quantity"
    return "money" if row.unit == "money" else "other"


def _said(column: str) -> str:
    """`month-gap` as people say it."""
    window, _, what = column.partition("-")
    windows = {"month": "month", "date": "year to date", "year": "whole year"}
    return f"{what.replace('-part', ' %')}, {windows.get(window, window)}".strip(", ")


def exact(value: Fraction, unit: Unit) -> str:
    """A value as an exact decimal; a percent in hundredths."""
    return exact_text(value * 100 if unit == "percent" else value, QUANTITY_DIGITS)


def looked(value: Fraction, look: FigureLook, *, digits: int, style: Any = None, percent: bool = False) -> str:
    """A figure as it is written in words: in its own unit and decimals, else as its statement writes it."""
    value = abs(value) if look.unsigned else value
    base = style or NumberStyle("percent" if percent else "amount", digits, "units", "minus", "0", "never")
    base = replace(base, negative="minus", zero="0", currency="never")
    if look.unit:
        base = replace(base, unit=look.unit, decimals=1)
    elif style is not None and base.style == "amount" and not look.decimals:
        base = replace(base, decimals=style.decimals)
    if look.decimals:
        base = replace(base, decimals=int(look.decimals))
    text = written(value, base)
    return f"{text}\u00a0%" if base.style == "percent" else text
