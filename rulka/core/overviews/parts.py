"""Tiles in a statement's own columns: a part of it as a table, lines and columns of it as a chart; and texts whose
figures stay live."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction

from rulka.core.compute.columns import Column
from rulka.core.compute.rows import Row
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.overviews.definitions import FIGURE, TileDef, Window, figures_in
from rulka.core.overviews.filling import TileReadings, pixels
from rulka.core.overviews.reading import OverviewReading, mark_key
from rulka.core.overviews.tiles import TableRow, TextPiece, TileContent, TilePicture, TileTable, TileWords
from rulka.core.picturing.column_drawing import DrawnMonth, column_drawing, month_scale
from rulka.core.picturing.drawings import MarkKind
from rulka.core.picturing.ranked_drawing import Contributor, ranked_drawing

CHART_HIGH, NARROWEST, EACH, GAP = 170, 140, 34, 20
KIND: dict[str, MarkKind] = {"budget": "budget", "prior": "prior", "forecast": "forecast"}


def part(tile: TileDef, reading: OverviewReading) -> TileContent:
    """The rows of a statement that a tile names, all of them where it names none, in the statement's own columns."""
    columns = _columns(tile, reading)
    rows = _rows(tile, reading)
    computed = reading.computed
    made = tuple(
        TableRow(
            row.label,
            tuple(reading.shown(row, column.key) for column in columns) if row.has_figures else (),
            depth=row.depth,
            strong=row.is_total or not row.has_figures,
        )
        for row in rows
    )
    table = TileTable("Line", tuple(column.heading for column in columns), made)
    return TileContent(tile.title or computed.statement.title, "", [table], statement=tile.of)


def chart(tile: TileDef, reading: OverviewReading) -> TileContent:
    """Lines in columns: of one column a row for each line, else a drawing for each line on one scale."""
    columns, rows = _columns(tile, reading), [row for row in _rows(tile, reading) if row.has_figures]
    if not rows or not columns:
        raise RulkaError("The chart shows nothing.", hint="Choose lines and columns with figures.", subject="chart")
    units = {(row.unit, column.shows_quantities) for row in rows for column in columns}
    if len(units) > 1 or (any(column.kind in ("percent", "share") for column in columns) and len(columns) > 1):
        raise RulkaError(
            "It would draw amounts, quantities or percents on one scale.", hint="Choose figures of one kind.",
            subject="chart",
        )  # fmt: skip
    write = reading.texts(rows[0], columns[0].key)
    heads = tuple(named(column) for column in columns)
    unit = unit_of(reading)
    table = TileTable(
        "Line", heads, tuple(TableRow(row.label, tuple(reading.shown(row, one.key) for one in columns)) for row in rows)
    )
    title = tile.title or reading.computed.statement.title
    if len(columns) == 1:
        return TileContent(title, heads[0], [table], [_one_column(tile, reading, rows, columns[0], write)],
                       ("one scale for all",) if len(rows) > 1 else (), tile.of, unit=unit)  # fmt: skip
    runs = [(row, [_month(reading, row, column) for column in columns]) for row in rows]
    scale = month_scale([months for _, months in runs], CHART_HIGH)
    wide = min(max(EACH * len(columns), NARROWEST), pixels(tile)) if len(runs) > 1 else pixels(tile)
    pictures = [
        TilePicture(column_drawing(months, (wide, CHART_HIGH), write, scale), row.label if len(runs) > 1 else "")
        for row, months in runs
    ]
    notes = (f"one scale for all {len(runs)}",) if len(runs) > 1 else ()
    named_by = title if len(runs) > 1 or tile.title else rows[0].label
    return TileContent(named_by, "", [table], pictures, notes, tile.of, unit=unit)


def unit_of(reading: OverviewReading) -> str:
    """`EUR thousands`: the unit of a statement's own page."""
    unit = reading.computed.statement.unit
    return reading.computed.node.currency + ("" if unit == "units" else f" {unit}")


def named(column: Column) -> str:
    """A column by its headings."""
    return ", ".join(filter(None, (column.group, column.heading)))


def _one_column(
    tile: TileDef, reading: OverviewReading, rows: Sequence[Row], column: Column, write: Callable[[Fraction], str]
) -> TilePicture:
    made = [
        Contributor(mark_key(reading.source, row.key, column.key), row.label, reading.value(row, column.key))
        for row in rows
    ]
    return TilePicture(ranked_drawing(made, pixels(tile), write))


def _month(reading: OverviewReading, row: Row, column: Column) -> DrawnMonth:
    """A figure as a block of a chart, drawn as what it is: actual, budget, the year before or a forecast."""
    value = reading.value(row, column.key)
    key = mark_key(reading.source, row.key, column.key)
    kind = KIND.get(column.scenario_kind, "actual")
    if kind == "budget":
        return DrawnMonth(key, column.heading, budget=value)
    if kind == "prior":
        return DrawnMonth(key, column.heading, prior=value)
    return (
        DrawnMonth(key, column.heading, forecast=value)
        if kind == "forecast"
        else DrawnMonth(key, column.heading, value)
    )


def _columns(tile: TileDef, reading: OverviewReading) -> list[Column]:
    """The columns that a tile names, by key or heading; all that show figures where it names none."""
    known = [column for column in reading.computed.columns if column.kind != "text"]
    if not tile.columns:
        return [column for column in known if not column.hidden]
    found = []
    for name in tile.columns:
        own = [column for column in known if name == column.key] or pieces_of(name, known)
        own = own or [column for column in known if column.heading == name][:1]
        if not own:
            raise NotFound(
                f"The statement has no column '{name}'.", hint=one_of(name, [column.key for column in known]),
                subject="columns",
            )  # fmt: skip
        found += own
    return found


def pieces_of(series: str, columns: Sequence[Column]) -> list[Column]:
    """The pieces of a series without its totals, as far as they are shown."""
    return [column for column in columns if column.series == series and not column.is_total and not column.hidden]


def lasting(keys: Sequence[str], columns: Sequence[Column]) -> list[str]:
    """Columns by names that mean the same next month: a series whose pieces are all there by its own."""
    found: dict[str, None] = {}
    for key in keys:
        series = next((column.series for column in columns if column.key == key), "")
        own = {column.key for column in pieces_of(series, columns)} if series else set()
        found[series if len(own) > 1 and own <= set(keys) and key in own else key] = None
    return list(found)


def _rows(tile: TileDef, reading: OverviewReading) -> list[Row]:
    """The rows that a tile names, by key or label, each with what stands below it."""
    computed = reading.computed
    if not tile.rows:
        return [row for row in computed.rows if not row.hidden]
    found = []
    for name in tile.rows:
        row = computed.rows_by_key.get(name)
        if row is None:
            line = computed.plan.names.find(name)
            row = computed.rows_by_key.get(reading.row_key(line)) or computed.row(line.key)
        found.append(row)
    return found


def words(tile: TileDef, readings: TileReadings, window: Window) -> TileWords:
    """A text with its figures as they are now."""
    lines = iter(figures_in(tile.text, tile.of, f"tile {tile.key}"))
    paragraphs = []
    for paragraph in tile.text.strip().split("\n"):
        pieces: list[TextPiece] = []
        for place, text in enumerate(FIGURE.split(paragraph)):
            if place % 2 == 0:
                pieces += [TextPiece(text)] if text else []
                continue
            line, word = next(lines)
            reading = readings.whole(line.statement)
            shown = reading.shown(reading.row(line), _column_of(word, window))
            pieces.append(TextPiece(shown.text or "none", shown, line.statement))
        paragraphs.append(tuple(pieces))
    return TileWords(tile.title, tuple(paragraphs))


def _column_of(word: str, window: Window) -> str:
    """The column that a word of a text means."""
    if word in ("outlook", "target"):
        return {"outlook": "year-actual", "target": "year-budget"}[word]
    return f"{window}-{word.replace(' %', '-part')}"
