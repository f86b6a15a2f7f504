"""What a tile shows, whatever it is drawn with: a table of figures, drawings of them, words about both."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from rulka.core.overviews.definitions import LineRef
from rulka.core.overviews.reading import ShownFigure
from rulka.core.picturing.drawings import Drawing


@dataclass(frozen=True)
class TableRow:
    """One row: its name, its figures, and the code of the node that it leads to; `strong` for totals."""

    name: str
    figures: tuple[ShownFigure, ...]
    code: str = ""
    depth: int = 0
    strong: bool = False


@dataclass(frozen=True)
class TileTable:
    """The figures of a tile as a table: what is drawn, for whoever reads or copies it."""

    corner: str
    heads: tuple[str, ...]
    rows: tuple[TableRow, ...]


@dataclass(frozen=True)
class TilePicture:
    """One drawing; `title` stands above it where a tile has several, `code` is the node that it leads to."""

    drawing: Drawing
    title: str = ""
    code: str = ""


@dataclass(frozen=True)
class TileContent:
    """A tile filled: `about` says in a few words which time it shows; `notes` what must be said besides, scales first;
    `headline` names figures that stand above the drawing; `statement` is the one in whose lines marks are traced."""

    title: str
    about: str
    tables: Sequence[TileTable]
    pictures: Sequence[TilePicture] = ()
    notes: Sequence[str] = ()
    statement: str = ""
    headline: Sequence[tuple[str, ShownFigure]] = ()
    ends: tuple[Fraction, Fraction] | None = None
    """The ends of its scale, where others may share it."""

    unit: str = ""
    """Its unit, where that is not the overview's."""


@dataclass(frozen=True)
class StripWindow:
    """One window of a key figure, and a bar that measures it by its own plan."""

    window: str
    actual: ShownFigure
    bar: Drawing | None
    budget: ShownFigure
    gap: ShownFigure
    gap_part: ShownFigure
    prior: ShownFigure
    change: ShownFigure
    change_part: ShownFigure


@dataclass(frozen=True)
class StripRow:
    """One key figure. `trend` are the points of its last twelve months; `reached` is how much of the year's target has
    been reached, `left` what the remaining months must bring."""

    line: LineRef
    trend: str
    windows: tuple[StripWindow, ...]
    outlook: ShownFigure
    reached: ShownFigure
    left: ShownFigure


@dataclass(frozen=True)
class Strip:
    """Key figures as a ruled strip; `titles` name its windows."""

    rows: tuple[StripRow, ...]
    titles: tuple[str, ...]
    has_budget: bool
    has_outlook: bool


@dataclass(frozen=True)
class TextPiece:
    """A piece of a text: words, or a figure of a statement."""

    text: str
    figure: ShownFigure | None = None
    statement: str = ""


@dataclass(frozen=True)
class TileWords:
    """A text with figures in it, paragraph by paragraph."""

    title: str
    paragraphs: tuple[tuple[TextPiece, ...], ...]


@dataclass(frozen=True)
class Point:
    """One line of a short list: what, how much, what is said of it, and where it leads."""

    title: str
    amount: str = ""
    detail: str = ""
    address: str = ""
    tone: str = ""


@dataclass(frozen=True)
class Points:
    """A short list; `more` says that there is more, `empty` what to read where there is nothing."""

    title: str
    points: tuple[Point, ...]
    more: int = 0
    empty: str = ""
