"""Figures as a person reads them: scaled, rounded once half away from zero, grouped, with a real minus."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from fractions import Fraction
from itertools import groupby

from rulka.core.definitions import UNITS
from rulka.core.money import minor_text, round_half_away
from rulka.core.statement import Column, Computed, Row, Value

MINUS, GAP = "\u2212", "\u00a0"
DASH = "\u2013"


def grouped(value: int, digits: int) -> str:
    """Minor units as text with grouping and a true minus: 1234567 with 2 digits is `12 345.67`."""
    text = minor_text(abs(value), digits)
    whole, _, decimals = text.partition(".")
    parts: list[str] = []
    while len(whole) > 3:
        whole, parts = whole[:-3], [whole[-3:], *parts]
    text = GAP.join([whole, *parts]) + (f".{decimals}" if decimals else "")
    return MINUS + text if value < 0 else text


def figure_text(value: Value, *, digits: int, scale: int = 0) -> str:
    """A value rounded to `digits` decimals of 10**scale units; a dash where it is exactly zero, n/m without meaning."""
    if value is None:
        return "n/m"
    if value == 0:
        return DASH
    return grouped(round_half_away(value / 10**scale, digits), digits)


@dataclass(frozen=True)
class ShownCell:
    """One cell of a page: its text and what surrounds it."""

    text: str
    column: str
    negative: bool
    verdict: str  # good, bad or nothing: a difference judged by whether it is favourable
    quiet: bool
    opens_group: bool
    lead: bool


@dataclass(frozen=True)
class ShownRow:
    key: str
    label: str
    kind: str
    depth: int
    ruling: str
    unit: str
    cells: tuple[ShownCell, ...]
    line: str


@dataclass(frozen=True)
class ShownGroup:
    """A heading over some columns."""

    title: str
    width: int


@dataclass(frozen=True)
class ShownColumn:
    key: str
    heading: str
    mark: str
    opens_group: bool


@dataclass(frozen=True)
class ShownStatement:
    """A statement ready for a page: all texts made, hidden lines and columns gone."""

    title: str
    subtitle: str
    node: str
    unit: str
    period: str
    groups: tuple[ShownGroup, ...]
    columns: tuple[ShownColumn, ...]
    rows: tuple[ShownRow, ...]

    @property
    def has_groups(self) -> bool:
        return any(group.title for group in self.groups)


def unit_title(computed: Computed) -> str:
    """`EUR thousands`, or only the currency."""
    unit = computed.statement.unit
    return computed.node.currency + ("" if unit == "units" else f" {unit}")


def digits_of(row: Row, column: Column, computed: Computed) -> tuple[int, int]:
    """(decimals, power of ten) that a cell is shown with."""
    if column.kind == "percent":
        return 1, -2
    if row.unit == "money":
        return computed.statement.decimals, UNITS[computed.statement.unit]
    return {"quantity": 0, "ratio": 2, "rate": 2, "plain": 2}[row.unit], 0


def verdict_of(row: Row, column: Column, value: Value) -> str:
    """Whether a difference or percent is favourable, by the line's direction and never by its sign alone."""
    if column.kind == "figures" or not value or not row.direction:
        return ""
    return "good" if value * row.direction > 0 else "bad"


def show(computed: Computed) -> ShownStatement:
    """Turn figures into texts, once, for every page and paper."""
    shown = [(place, column) for place, column in enumerate(computed.columns) if not column.hidden]
    titles = [column.group for _, column in shown]
    opens = [bool(place) and titles[place] != titles[place - 1] for place in range(len(titles))]
    return ShownStatement(
        title=computed.statement.title,
        subtitle=computed.statement.subtitle,
        node=computed.node.name,
        unit=unit_title(computed),
        period=computed.period.title,
        groups=tuple(ShownGroup(title, len(list(run))) for title, run in groupby(titles)),
        columns=tuple(
            ShownColumn(column.key, column.heading, column.scenario_kind, opening) for (_, column), opening in zip(shown, opens, strict=True)
        ),
        rows=tuple(
            ShownRow(row.key, row.label, row.kind, row.depth, row.ruling, row.unit, _cells(row, shown, opens, computed), row.line)
            for row in computed.rows
            if not row.hidden
        ),
    )


def _cells(row: Row, shown: list[tuple[int, Column]], opens: list[bool], computed: Computed) -> tuple[ShownCell, ...]:
    cells = []
    for (place, column), opening in zip(shown, opens, strict=True):
        value = row.values[place] if row.has_figures else None
        digits, scale = digits_of(row, column, computed)
        text = _cell_text(value, digits, scale) if row.has_figures else ""
        verdict = verdict_of(row, column, value) if text.strip("0." + MINUS) else ""
        lead = column.scenario_kind == "actual" and row.unit == "money"
        cells.append(ShownCell(text, column.key, bool(value and value < 0), verdict, text in (DASH, "n/m"), opening, lead))
    return tuple(cells)


def _cell_text(value: Value, digits: int, scale: int) -> str:
    if scale < 0:
        return figure_text(None if value is None else value * Fraction(10) ** -scale, digits=digits)
    return figure_text(value, digits=digits, scale=scale)


def moment_text(moment: datetime) -> str:
    """`23 November 2026, 14:05 UTC`."""
    return f"{moment.day} {moment:%B %Y, %H:%M %Z}"
