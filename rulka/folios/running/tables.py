"""Statements, tiles, cells and rows as pieces of a folio: finished tables and drawings."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from decimal import Decimal
from fractions import Fraction
from typing import Any

from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.rows import Row
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.extracting.query import plain
from rulka.core.folios.filled import (
    FilledCell,
    FilledDrawing,
    FilledProblem,
    FilledRow,
    FilledTable,
    FilledWords,
    Piece,
    Unit,
)
from rulka.core.money import GAP, QUANTITY_DIGITS, exact_text, grouped
from rulka.core.sheet.addresses import Box, cell_text, read_box
from rulka.core.sheet.workbook import Sheet
from rulka.extracts.running.asked import AskedExtract
from rulka.formats.output.page import show
from rulka.overviews.output.shown import Ways, show_tile
from rulka.overviews.running.tiles import Tile
from rulka.worksheets.running.live import Live

MOST_CELLS = 4_000
Address = Callable[[str, str], str]


def of_statement(
    computed: Computed, rows: Sequence[Row], columns: Sequence[Column], address: Address, source: str
) -> FilledTable:
    """A statement as it shows, or some of its rows and columns."""
    shown = show(computed)
    keys = {row.key for row in rows} or {row.key for row in shown.rows}
    wanted = [column.key for column in columns] or [column.key for column in shown.columns]
    by_key = {column.key: column for column in computed.columns}
    places = {column.key: at for at, column in enumerate(shown.columns)}
    missing = [key for key in wanted if key not in places]
    if missing:
        raise RulkaError(f"The column '{missing[0]}' is hidden.", hint="Show it, or name another.", subject="table")
    chosen = [places[key] for key in wanted]
    stepped = max((column.span for column in shown.columns), default=1)
    made = []
    for row in shown.rows:
        if row.key not in keys or row.kind in ("spacer", "page break", "filler"):
            continue
        own = computed.rows_by_key.get(row.key)
        cells = []
        for at in chosen if row.cells else ():
            cell = _cell_at(row.cells, shown.columns, at, stepped)
            column = by_key[shown.columns[at].key]
            value, unit = _value(own, computed, column)
            leads = address(row.key, column.key) if value and own is not None else ""
            named = f"statement:{computed.statement.name}|{row.key}|{column.key}" if value else ""
            cells.append(FilledCell(cell.text, value, unit, cell.words, cell.verdict, leads, named))
        looks = row.kind.replace(" ", "-")
        strong = row.kind in ("total", "calculation", "subtotal") or row.look.bold == "yes"
        is_heading = row.kind in ("section", "heading", "text")
        made.append(FilledRow(row.label, () if is_heading else tuple(cells), row.depth, looks, strong, row.above,
                              row.below))  # fmt: skip
    levels = () if columns else shown.heads
    heads = tuple(tuple((group.title, group.width) for group in level) for level in levels)
    notes = tuple(shown.notes)
    heading = tuple(shown.columns[at].heading for at in chosen)
    if columns and shown.heads:
        heading = tuple(", ".join(filter(None, (by_key[key].group, by_key[key].heading))) for key in wanted)
    return FilledTable(shown.title if not rows else "", f"{shown.unit}, {shown.node}" if not rows else shown.unit,
                       heading, tuple(made), heads, notes, source)  # fmt: skip


def _cell_at(cells: Sequence[Any], columns: Sequence[Any], at: int, stepped: int) -> Any:
    """The cell of a column: with stepped totals each column of figures has two, one of which is empty."""
    place = sum(column.span for column in columns[:at])
    own = cells[place : place + columns[at].span]
    return next((cell for cell in own if cell.text), own[0]) if stepped > 1 else own[0]


def _value(row: Row | None, computed: Computed, column: Column) -> tuple[str, Unit]:
    """A cell's exact value and what it is counted in; nothing for words and for what has no value."""
    if row is None or not row.has_figures or column.kind == "text":
        return "", "other"
    value = row.values[computed.place(column.key)]
    if value is None:
        return "", "other"
    if column.kind in ("percent", "share"):
        return exact_text(value * 100, QUANTITY_DIGITS), "percent"
    if column.shows_quantities or row.unit == "quantity":
        return exact_text(value, QUANTITY_DIGITS), "quantity"
    if row.look.number.style == "percent":
        return exact_text(value * 100, QUANTITY_DIGITS), "percent"
    return exact_text(value, QUANTITY_DIGITS), "money" if row.unit == "money" else "other"


# overviews ------------------------------------------------------------------------------------------------------------


def of_tile(tile: Tile, ways: Ways, unit: str) -> Iterator[Piece]:
    """A tile of an overview: its drawings, or its table, or its words."""
    shown = show_tile(tile, ways, unit)
    if shown.problem:
        yield FilledProblem(f"{shown.title}: {shown.problem}" if shown.title else shown.problem, shown.hint)
        return
    if shown.strip is not None:
        yield _strip(shown.strip, unit)
        return
    if shown.paragraphs:
        lines = ("".join(piece.cell.text if piece.cell else piece.text for piece in one) for one in shown.paragraphs)
        yield FilledWords(shown.title, tuple(lines))
    elif shown.points is not None:
        lines = (f"{one.title} {one.amount}: {one.detail}".replace(" :", ":") for one in shown.points.points)
        yield FilledWords(shown.title, tuple(lines) or (shown.points.empty,))
    elif shown.drawings:
        for place, drawing in enumerate(shown.drawings):
            title = ", ".join(filter(None, (shown.title if place == 0 else "", drawing.title)))
            high = int(drawing.svg.partition('height="')[2].partition('"')[0] or 0)
            about = ", ".join(filter(None, (shown.about, *shown.notes))) if place == 0 else ""
            yield FilledDrawing(title, drawing.svg, drawing.wide, high, about)
    else:
        for table in shown.tables:
            rows = tuple(
                FilledRow(row.name, tuple(FilledCell(cell.text, "", "other", False, cell.tone, cell.address)
                                          for cell in row.cells), row.depth, "", row.strong)
                for row in table.rows
            )  # fmt: skip
            yield FilledTable(shown.title, table.corner, tuple(table.heads), rows)


def _strip(strip: Any, unit: str) -> FilledTable:
    """Key figures: actual, budget, gap and the year before, window by window."""
    heads, columns = [], []
    for title in strip.titles:
        own = ["Actual", *(["Budget", "Gap", "Gap %"] if strip.has_budget else []), "Year before", "Change %"]
        heads.append((title, len(own)))
        columns += own
    rows = []
    for line in strip.lines:
        cells = []
        for one in line.windows:
            chosen = [one.actual, *((one.budget, one.gap, one.gap_part) if strip.has_budget else ()), one.prior,
                      one.change_part]  # fmt: skip
            cells += [FilledCell(cell.text, "", "other", False, cell.tone, cell.address) for cell in chosen]
        rows.append(FilledRow(line.name, tuple(cells)))
    return FilledTable("", unit[:1].upper() + unit[1:], tuple(columns), tuple(rows), (tuple(heads),))


# worksheets -----------------------------------------------------------------------------------------------------------


def cells_named(live: Live, parts: Sequence[str]) -> tuple[Sheet, Box]:
    """The cells that `Sheet!A1:D9` names, or of a block by its table's name: `Sheet!income-of-departments`."""
    text = parts[0] if parts else ""
    name, mark, cells = text.rpartition("!")
    sheet = live.workbook.sheet_named(name) if mark else live.workbook.sheets[0]
    box = read_box(cells)
    if box is None:
        blocks = {str(one["name"]): Box(*one["box"]) for one in sheet.settings.get("blocks", ())}
        if cells not in blocks:
            raise NotFound(
                f"The sheet '{sheet.name}' has no cells '{cells[:40]}'.",
                hint=one_of(cells, blocks) if blocks else "Write 'Sheet!A1:D9'.", subject="table",
            )  # fmt: skip
        box = blocks[cells]
    return sheet, box


def of_cells(live: Live, parts: Sequence[str], source: str) -> FilledTable:
    """Cells of a worksheet as a table of its own: the first row are headings, the first column labels; what is hidden
    is left out."""
    sheet, box = cells_named(live, parts)
    if box.size > MOST_CELLS:
        raise RulkaError(f"A folio shows {MOST_CELLS:,} cells at most.", hint="Name fewer.", subject="table")
    rows, columns = live.hidden(sheet)
    downs = [row for row in range(box.top, box.bottom + 1) if row not in rows]
    across = [column for column in range(box.left, box.right + 1) if column not in columns]
    shower = live.shower()
    made: list[FilledRow] = []
    heads: list[str] = []
    for row in downs:
        shown = [shower.shown((sheet.number, row, column)) for column in across]
        values = [live.calculation.shown_at((sheet.number, row, column)) for column in across]
        looks = [shower.look((sheet.number, row, column)) for column in across]
        if not heads and sum(bool(one.text) for one in shown) > 1 and not any(
            isinstance(value, Decimal) and look.get("number") is None for value, look in
            zip(values[1:], looks[1:], strict=True)
        ):  # fmt: skip
            heads = [one.text for one in shown]
            continue
        if not heads and sum(bool(one.text) for one in shown) <= 1:
            continue
        cells = tuple(
            FilledCell(
                one.text,
                *_exact(value, one.text),
                one.kind == "text",
                source=f"worksheet:{live.worksheet.name}|{sheet.name}!{cell_text(row, column)}",
            )
            for column, one, value in zip(across[1:], shown[1:], values[1:], strict=True)
        )
        strong = bool(looks[0].get("bold")) or any(look.get("bold") for look in looks)
        above = "single" if any(look.get("top") for look in looks) else "none"
        below = "double" if any(look.get("bottom") == "double" for look in looks) else "none"
        made.append(FilledRow(shown[0].text, cells, 0, "", strong, above, below))
    heads = heads or [""] * len(across)
    return FilledTable("", heads[0], tuple(heads[1:]), tuple(made), source=source)


def _exact(value: Any, text: str) -> tuple[str, Unit]:
    if not isinstance(value, Decimal):
        return "", "other"
    if text.endswith("%"):
        return exact_text(Fraction(value) * 100, QUANTITY_DIGITS), "percent"
    return exact_text(Fraction(value), QUANTITY_DIGITS), "other"


# extracts -------------------------------------------------------------------------------------------------------------


def of_rows(title: str, asked: AskedExtract, names: Sequence[str], most: int, source: str) -> FilledTable:
    """The rows of an extract, as many as a folio shows; it says where there are more. Some columns where they are
    named, by key or title."""
    order = [_place(asked, name) for name in names] or asked.order()
    columns = [asked.query.columns[at] for at in order]
    rows, count = [], asked.rows.count(asked.query)
    for at, row in enumerate(asked.rows.rows(asked.query)):
        if at >= most:
            break
        cells = [_row_cell(row[place], asked.query.columns[place].shows) for place in order]
        rows.append(FilledRow(cells[0].text if cells else "", tuple(cells[1:])))
    notes = (f"The first {most:,} of {count:,} rows.",) if count > most else ()
    return FilledTable(
        title, columns[0].title if columns else "", tuple(one.title for one in columns[1:]), tuple(rows),
        notes=(*notes, *asked.notes), source=source,
    )  # fmt: skip


def _place(asked: AskedExtract, name: str) -> int:
    """The place of a column by its key or title; NotFound otherwise."""
    for at, column in enumerate(asked.query.columns):
        if name in (column.key, column.title):
            return at
    raise NotFound(
        f"The extract has no column '{name[:40]}'.", hint=one_of(name, [one.key for one in asked.query.columns]),
        subject="table",
    )  # fmt: skip


def _row_cell(value: object, shows: Any) -> FilledCell:
    if value is None:
        return FilledCell("", words=not shows.is_numeric)
    text = plain(value, shows)
    if not shows.is_numeric:
        return FilledCell(text, words=True)
    digits = len(text.partition(".")[2])
    number = Decimal(text)
    return FilledCell(
        grouped(int(number.scaleb(digits)), digits).replace(" ", GAP), text, "money" if shows.kind == "amount" else
        "other",
    )  # fmt: skip
