"""What live figures, tables and drawings of a folio show: finished texts with their exact values, so that page, paper,
word file and what is frozen are made of the same."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass, field, replace
from decimal import Decimal
from fractions import Fraction
from typing import Any, Literal

from rulka.core.money import grouped, round_half_away

Unit = Literal["money", "quantity", "percent", "other"]


@dataclass(frozen=True)
class FilledFigure:
    """A figure in words: its text, its exact value as a decimal text (empty where it has none), what it is of, where it
    is traced; `problem` says why it shows nothing."""

    text: str
    value: str = ""
    name: str = ""
    heading: str = ""
    unit: Unit = "money"
    address: str = ""
    problem: str = ""


@dataclass(frozen=True)
class FilledCell:
    """A cell of a table: `value` its exact value in whole units, empty for words and for what has none."""

    text: str
    value: str = ""
    unit: Unit = "money"
    words: bool = False
    tone: str = ""
    address: str = ""
    source: str = ""
    """What names this figure alone, where something does."""


@dataclass(frozen=True)
class FilledRow:
    """A row: `looks` in words that style sheets know, `above` and `below` its rulings."""

    label: str
    cells: tuple[FilledCell, ...] = ()
    depth: int = 0
    looks: str = ""
    strong: bool = False
    above: str = "none"
    below: str = "none"


@dataclass(frozen=True)
class FilledTable:
    """A table: `heads` are levels of headings over columns as (title, columns), `columns` the headings themselves."""

    title: str
    corner: str
    columns: tuple[str, ...]
    rows: tuple[FilledRow, ...]
    heads: tuple[tuple[tuple[str, int], ...], ...] = ()
    notes: tuple[str, ...] = ()
    source: str = ""


@dataclass(frozen=True)
class FilledDrawing:
    """A drawing as SVG, `wide` and `high` in pixels."""

    title: str
    svg: str
    wide: int
    high: int
    about: str = ""


@dataclass(frozen=True)
class FilledWords:
    """Paragraphs of words that came with figures."""

    title: str
    paragraphs: tuple[str, ...]


@dataclass(frozen=True)
class FilledProblem:
    """Why a place shows nothing."""

    message: str
    hint: str = ""


Piece = FilledTable | FilledDrawing | FilledWords | FilledProblem


@dataclass(frozen=True)
class Filled:
    """All that a section's places show: figures by their key, tables and drawings by their source."""

    figures: Mapping[str, FilledFigure] = field(default_factory=dict)
    tables: Mapping[str, tuple[Piece, ...]] = field(default_factory=dict)

    def pieces(self, source: str) -> tuple[Piece, ...]:
        """What a place shows; a problem where it wasn't filled."""
        return self.tables.get(source, (FilledProblem("This was not filled in.", "Load the page again."),))

    def untitled(self, title: str) -> Filled:
        """The same without titles that say what stands above them anyway."""

        def bare(piece: Piece) -> Piece:
            says = not isinstance(piece, FilledProblem) and piece.title.casefold() == title.casefold()
            return replace(piece, title="") if says and not isinstance(piece, FilledProblem) else piece

        return Filled(self.figures, {key: tuple(bare(one) for one in pieces) for key, pieces in self.tables.items()})

    def figure(self, key: str) -> FilledFigure:
        """A figure by its key."""
        return self.figures.get(key, FilledFigure("?", problem="This was not filled in."))

    @property
    def sources(self) -> set[str]:
        """What its figures and tables come from."""
        return {key.partition("#")[0] for key in (*self.figures, *self.tables)}

    @property
    def problems(self) -> int:
        """How many places show nothing."""
        of_tables = sum(isinstance(piece, FilledProblem) for pieces in self.tables.values() for piece in pieces)
        return of_tables + sum(bool(one.problem) for one in self.figures.values())


@dataclass(frozen=True)
class FolioFact:
    """A figure of the folio that words may speak of: what it is of, in which column, its exact value."""

    name: str
    heading: str
    value: str
    unit: Unit
    source: str = ""
    where: str = ""

    @property
    def shown(self) -> str:
        """Its value as it is told beside a typed number: grouped, with one decimal below a thousand or in percent."""
        value = Decimal(self.value)
        digits = 1 if self.unit == "percent" or abs(value) < 1000 else 0
        text = grouped(round_half_away(Fraction(value), digits), digits)
        return f"{text}\u00a0%" if self.unit == "percent" else text

    @property
    def title(self) -> str:
        """What it is of, and in which column."""
        return ", ".join(filter(None, (self.name, self.heading)))


def facts_of(filled: Filled, where: str) -> Iterator[FolioFact]:
    """Every figure that some places show; `where` says in which section."""
    for key, figure in filled.figures.items():
        if figure.value:
            yield FolioFact(figure.name, figure.heading, figure.value, figure.unit, key.partition("#")[0], where)
    for pieces in filled.tables.values():
        for piece in pieces:
            if isinstance(piece, FilledTable):
                yield from _facts_in(piece, where)


def _facts_in(table: FilledTable, where: str) -> Iterator[FolioFact]:
    for row in table.rows:
        for place, cell in enumerate(row.cells):
            if cell.value:
                yield FolioFact(row.label, _heading(table, place), cell.value, cell.unit, cell.source, where)


def _heading(table: FilledTable, place: int) -> str:
    """A column's heading with those above it."""
    found = []
    for level in table.heads:
        first = 0
        for title, wide in level:
            if first <= place < first + wide and title:
                found.append(title)
            first += wide
    own = table.columns[place] if place < len(table.columns) else ""
    return ", ".join(filter(None, (*found, own)))


# kept, and read again -------------------------------------------------------------------------------------------------

PIECES: Mapping[str, Any] = {
    "table": FilledTable, "drawing": FilledDrawing, "words": FilledWords, "problem": FilledProblem,
}  # fmt: skip


def filled_to(filled: Filled) -> dict[str, Any]:
    """What is kept of it: plain mappings."""
    names = {kind: name for name, kind in PIECES.items()}
    return {
        "figures": {key: asdict(one) for key, one in filled.figures.items()},
        "tables": {
            source: [{"piece": names[type(piece)], **asdict(piece)} for piece in pieces]
            for source, pieces in filled.tables.items()
        },
    }


def filled_from(raw: Mapping[str, Any]) -> Filled:
    """The same, read again."""
    return Filled(
        {key: FilledFigure(**one) for key, one in raw["figures"].items()},
        {source: tuple(_piece(one) for one in pieces) for source, pieces in raw["tables"].items()},
    )


def _piece(raw: Mapping[str, Any]) -> Piece:
    given = {name: value for name, value in raw.items() if name != "piece"}
    if raw["piece"] == "table":
        return FilledTable(
            given["title"],
            given["corner"],
            tuple(given["columns"]),
            tuple(FilledRow(**{**row, "cells": tuple(FilledCell(**one) for one in row["cells"])})
                  for row in given["rows"]),
            tuple(tuple((title, wide) for title, wide in level) for level in given["heads"]),
            tuple(given["notes"]),
            given["source"],
        )  # fmt: skip
    if raw["piece"] == "words":
        return FilledWords(given["title"], tuple(given["paragraphs"]))
    made: Piece = PIECES[raw["piece"]](**given)
    return made


def moved(before: Filled, now: Filled) -> list[str]:
    """The places whose figures are other ones than before, by what they are of."""
    found = [key for key, one in now.figures.items() if key in before.figures and before.figures[key].text != one.text]
    for source, pieces in now.tables.items():
        if source in before.tables and before.tables[source] != pieces:
            found.append(source)
    return found
