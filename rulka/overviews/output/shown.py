"""Filled tiles ready to be written: texts with their addresses, drawings as SVG. Page, paper, letter and worksheet show
the same."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from urllib.parse import urlencode

from rulka.core.overviews.reading import ShownFigure, place_of
from rulka.core.overviews.tiles import Points, Strip, TileContent, TilePicture, TileTable, TileWords
from rulka.formats.output.drawn import svg_of
from rulka.overviews.running.tiles import Tile

Trace = Callable[[str, str], str]
"""A statement and the query of a figure in it to the address of its trace; nothing where nobody gets there."""

Node = Callable[[str], str]
"""The code of a node to the address that shows the overview for it."""


@dataclass(frozen=True)
class Ways:
    """Where figures and nodes of an overview lead."""

    trace: Trace
    node: Node


NOWHERE = Ways(lambda statement, query: "", lambda code: "")
"""What leads nowhere: files without addresses."""


@dataclass(frozen=True)
class TileFigure:
    """A figure: its text, where it is traced, and whether it is favourable."""

    text: str
    address: str = ""
    tone: str = ""
    negative: bool = False


@dataclass(frozen=True)
class TileRow:
    name: str
    cells: tuple[TileFigure, ...]
    address: str = ""
    depth: int = 0
    strong: bool = False


@dataclass(frozen=True)
class TileRows:
    corner: str
    heads: tuple[str, ...]
    rows: tuple[TileRow, ...]


@dataclass(frozen=True)
class Drawn:
    """A drawing as SVG, with what stands above it."""

    svg: str
    title: str
    address: str
    wide: int


@dataclass(frozen=True)
class StripCells:
    """One window of a key figure."""

    actual: TileFigure
    bar: str
    budget: TileFigure
    gap: TileFigure
    gap_part: TileFigure
    prior: TileFigure
    change: TileFigure
    change_part: TileFigure


@dataclass(frozen=True)
class StripLine:
    name: str
    trend: str
    windows: tuple[StripCells, ...]
    outlook: TileFigure
    reached: TileFigure
    left: TileFigure


@dataclass(frozen=True)
class ShownStrip:
    lines: tuple[StripLine, ...]
    titles: tuple[str, ...]
    has_budget: bool
    has_outlook: bool
    is_year: bool


@dataclass(frozen=True)
class ShownPiece:
    text: str
    cell: TileFigure | None


@dataclass(frozen=True)
class ShownTile:
    """A tile as a template writes it; `shows` names the partial that does."""

    key: str
    kind: str
    shows: str
    title: str
    wide: int
    about: str = ""
    notes: tuple[str, ...] = ()
    headline: tuple[tuple[str, TileFigure], ...] = ()
    drawings: tuple[Drawn, ...] = ()
    tables: tuple[TileRows, ...] = ()
    strip: ShownStrip | None = None
    paragraphs: tuple[tuple[ShownPiece, ...], ...] = ()
    points: Points | None = None
    problem: str = ""
    hint: str = ""


def show_tiles(tiles: Sequence[Tile], ways: Ways, unit: str) -> list[ShownTile]:
    """All tiles of a page."""
    return [show_tile(tile, ways, unit) for tile in tiles]


def show_tile(tile: Tile, ways: Ways, unit: str) -> ShownTile:
    """One tile, or why it shows nothing."""
    asked, filled = tile.asked, tile.filled
    given = (asked.key, asked.kind, tile.shows, tile.title, asked.wide)
    match filled:
        case Strip():
            return ShownTile(*given, strip=_strip(filled, ways))
        case TileWords():
            paragraphs = tuple(
                tuple(
                    ShownPiece(piece.text, _cell(piece.figure, piece.statement, ways) if piece.figure else None)
                    for piece in paragraph
                )
                for paragraph in filled.paragraphs
            )
            return ShownTile(*given, paragraphs=paragraphs)
        case Points():
            return ShownTile(*given, points=filled)
        case TileContent():
            return _content(filled, given, ways, unit)
    refused = tile.refused
    return ShownTile(*given, problem=str(refused.message) if refused else "", hint=refused.hint if refused else "")


def _content(filled: TileContent, given: tuple[str, str, str, str, int], ways: Ways, unit: str) -> ShownTile:
    statement = filled.statement
    tables = tuple(_rows(table, statement, ways) for table in filled.tables)
    drawings = tuple(_drawn(picture, filled, ways) for picture in filled.pictures)
    headline = tuple((name, _cell(shown, statement, ways)) for name, shown in filled.headline)
    about = ", ".join(filter(None, ((filled.unit or unit) if filled.pictures else "", filled.about)))
    return ShownTile(
        *given, about=about, notes=tuple(filled.notes), headline=headline, drawings=drawings, tables=tables
    )


def query_of(source: str, row: str, column: str) -> str:
    """What an address of a trace says of a figure."""
    return urlencode({"source": source, "row": row, "column": column})


def _cell(shown: ShownFigure, statement: str, ways: Ways) -> TileFigure:
    tone = {True: "good", False: "bad", None: ""}[shown.good]
    address = ways.trace(statement, query_of(shown.source, shown.row, shown.column)) if shown.row else ""
    return TileFigure(shown.text, address if shown.text else "", tone, bool(shown.value and shown.value < 0))


def _rows(table: TileTable, statement: str, ways: Ways) -> TileRows:
    rows = tuple(
        TileRow(
            row.name,
            tuple(_cell(shown, statement, ways) for shown in row.figures),
            ways.node(row.code) if row.code else "",
            row.depth,
            row.strong,
        )
        for row in table.rows
    )
    return TileRows(table.corner, table.heads, rows)


def _drawn(picture: TilePicture, filled: TileContent, ways: Ways) -> Drawn:
    def address(key: str) -> str:
        source, row, column = place_of(key)
        return ways.trace(filled.statement, query_of(source, row, column)) if row else ""

    title = ", ".join(filter(None, (filled.title, picture.title)))
    svg = svg_of(picture.drawing, title, address, ways.node)
    return Drawn(svg, picture.title, ways.node(picture.code) if picture.code else "", picture.drawing.width)


def _strip(strip: Strip, ways: Ways) -> ShownStrip:
    lines = []
    for row in strip.rows:
        statement = row.line.statement

        def cell(shown: ShownFigure, statement: str = statement) -> TileFigure:
            return _cell(shown, statement, ways)

        windows = tuple(
            StripCells(
                cell(one.actual),
                svg_of(one.bar, f"{row.line.title} beside its plan", lambda key: "") if one.bar else "",
                *(cell(shown) for shown in (one.budget, one.gap, one.gap_part, one.prior, one.change, one.change_part)),
            )
            for one in row.windows
        )
        lines.append(
            StripLine(row.line.title, row.trend, windows, cell(row.outlook), cell(row.reached), cell(row.left))
        )
    is_year = any(one.window == "year" for row in strip.rows for one in row.windows)
    return ShownStrip(tuple(lines), strip.titles, strip.has_budget, strip.has_outlook, is_year)
