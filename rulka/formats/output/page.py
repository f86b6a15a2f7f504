"""Figures as a person reads them: scaled, rounded once half away from zero, grouped, with a real minus."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import cached_property
from itertools import groupby
from typing import NamedTuple, Protocol, TypeVar

from rulka.core.books.overview import spark_points
from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.rows import Row
from rulka.core.definitions.looks import PLAIN, Look, NumberStyle
from rulka.core.money import GAP, MINUS, READ_AS, round_half_away
from rulka.core.proof.checks import Check
from rulka.core.proof.explaining import NO_NOTES, Notes
from rulka.formats.figures import (
    DASH,
    EXPANDED,
    cell_words,
    currency_word,
    first_rows,
    names_currency,
    separators,
    style_of,
    unit_title,
    verdict_of,
    with_word,
    written,
)


@dataclass(frozen=True)
class ShownCell:
    """One cell of a page: its text and what surrounds it; `words` for text columns, `trend` the points of a drawing."""

    text: str
    column: str
    negative: bool
    verdict: str  # good, bad or nothing: a difference judged by whether it is favourable
    quiet: bool
    opens_group: bool
    lead: bool
    red: bool = False
    words: bool = False
    align: str = ""
    trend: str = ""
    outer: bool = False
    is_label: bool = False
    node: str = ""
    keep: str = ""
    """How it is kept in sight while others scroll by."""
    link: str = ""
    """Where its trace is, in files that lead back."""
    room: bool = False
    """Whether it keeps the room of a closing bracket, so that its digits stand under those of figures in brackets."""


@dataclass(frozen=True)
class ShownRow:
    key: str
    label: str
    kind: str
    depth: int
    above: str
    below: str
    unit: str
    cells: tuple[ShownCell, ...]
    line: str
    look: Look = PLAIN
    holds: bool = False
    """Whether the rows below belong to it."""
    ghost: bool = False
    """Whether it is a hidden row, shown to somebody who edits."""
    note: str = ""
    """The numbers of the notes that explain its variances."""

    @property
    def classes(self) -> str:
        """What the row looks like, in words that style sheets know."""
        look = self.look
        kind = "of-period" if self.kind == "period" else self.kind.replace(" ", "-")
        words = [kind, f"above-{self.above}", f"below-{self.below}", self.unit]
        words += ["holds"] if self.holds else []
        words += ["ghost"] if self.ghost else []
        words += [f"shade-{look.shade}"] if look.shade else []
        words += ["bold"] if look.bold == "yes" else ["plain"] if look.bold == "no" else []
        words += ["italic"] if look.italic == "yes" else []
        words += ["box"] if look.box else []
        words += [f"break-{look.page_break}"] if look.page_break else []
        words += ["keep"] if look.keep else []
        words += [f"align-{look.align}"] if look.align else []
        return " ".join(words)


class HtmlPage(NamedTuple):
    """A computed statement with its checks and explanations, as a file shows it."""

    computed: Computed
    checks: list[Check]
    notes: Notes = NO_NOTES


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
    words: bool = False
    width: int = 0
    span: int = 1
    written: str = ""
    ghost: bool = False
    node: str = ""
    keep: str = ""


@dataclass(frozen=True)
class ShownStatement:
    """A statement ready for a page: all texts made, hidden lines and columns gone.

    `heads` are the levels of spanning headings, the widest first; `has_label` says that the first column is the
    line's label, as long as no column says where labels stand. `panels` are the rows again, in one or two halves
    that stand side by side, lined up row by row. With stepped totals each column of figures has two cells.
    """

    title: str
    subtitle: str
    node: str
    unit: str
    period: str
    heads: tuple[tuple[ShownGroup, ...], ...]
    columns: tuple[ShownColumn, ...]
    rows: tuple[ShownRow, ...]
    panels: tuple[tuple[ShownRow, ...], ...]
    has_label: bool = True
    notes: tuple[str, ...] = ()
    cut: str = ""
    """What to say where the last rows were left out."""

    @property
    def has_groups(self) -> bool:
        return bool(self.heads)


_Kept = tuple[tuple[Row, bool, bool], ShownRow]


class ShownBefore:
    """The rows that were shown last, with all that they were shown by: those that are as they were aren't written
    anew."""

    def __init__(self) -> None:
        self._held: tuple[object, dict[str, _Kept]] = (None, {})

    def by(self, means: object) -> dict[str, _Kept]:
        """What was shown by the same means."""
        former, rows = self._held
        return rows if former == means else {}

    def hold(self, means: object, rows: dict[str, _Kept]) -> None:
        """Keep what is shown now instead."""
        self._held = means, rows


def _rows_written(
    writer: _Writer, visible: Sequence[Row], within: Callable[[int], bool] | None, before: ShownBefore | None
) -> tuple[ShownRow, ...]:
    """The rows as texts; one that was shown before and is written by the same is taken from there."""
    known = before.by(writer.means) if before else {}
    written_rows = []
    for place, (row, below) in enumerate(zip(visible, [*visible[1:], *visible[-1:]], strict=True)):
        opens = row.kind in EXPANDED and below.line == row.line and below.depth > row.depth
        one = (row, within is not None and not within(place), opens)
        told = known.get(row.key)
        written_rows.append(told if told is not None and told[0] == one else (one, writer.row(*one)))
    if before:
        before.hold(writer.means, {one[0].key: (one, row) for one, row in written_rows})
    return tuple(row for _, row in written_rows)


def _column_shown(column: Column, opening: bool, width: int, keep: str) -> ShownColumn:
    return ShownColumn(
        column.key,
        column.heading,
        column.scenario_kind if column.has_figures else "",
        opening,
        column.kind == "text",
        column.asked.width,
        width,
        column.series if column.is_total else column.asked.key,
        column.hidden,
        keep=keep,
    )


def show(
    computed: Computed,
    *,
    hidden: bool = False,
    within: Callable[[int], bool] | None = None,
    before: ShownBefore | None = None,
) -> ShownStatement:
    """Turn figures into texts, once, for every page and paper; `hidden` shows hidden lines and columns too, for
    somebody who edits.

    `within` says by its place which rows get their cells; the others stand there without any. `before` holds what was
    shown of the statement before.
    """
    shown = [(place, column) for place, column in enumerate(computed.columns) if hidden or not column.hidden]
    steps = 2 if computed.statement.spine.totals == "stepped" else 1
    levels = max((len(column.groups) for _, column in shown), default=0)
    titles = [(*("",) * (levels - len(column.groups)), *column.groups) for _, column in shown]
    opens = [bool(place) and titles[place] != titles[place - 1] for place in range(len(titles))]
    separated = separators(computed.statement)
    writer = _Writer(computed, shown, opens, stepped=steps == 2, separated=separated)
    visible = [row for row in computed.rows if hidden or not row.hidden]
    rows = _rows_written(writer, visible, within, before)
    second = {row.key for row in computed.rows if row.panel == 2}
    widths = [1 if column.kind == "text" else steps for _, column in shown]
    return ShownStatement(
        title=computed.statement.title,
        subtitle=computed.statement.subtitle,
        node=computed.node.name,
        unit=unit_title(computed),
        period=computed.period.title,
        heads=tuple(_head(titles, level, widths) for level in range(levels)),
        columns=tuple(
            _column_shown(column, opening, width, writer.keep.get(column.key, ""))
            for (_, column), opening, width in zip(shown, opens, widths, strict=True)
        ),
        rows=rows,
        panels=_panels(rows, second),
        has_label=not any(column.kind == "text" and column.asked.text == "label" for _, column in shown),
        notes=computed.statement.page.notes,
    )


def noted(shown: ShownStatement, notes: Notes) -> ShownStatement:
    """A statement whose rows carry the numbers of their notes."""
    marks = notes.marks()
    if not marks:
        return shown

    def row(one: ShownRow) -> ShownRow:
        return replace(one, note=marks[one.key]) if one.key in marks else one

    rows = tuple(row(one) for one in shown.rows)
    return replace(shown, rows=rows, panels=tuple(tuple(row(one) for one in panel) for panel in shown.panels))


def note_lines(notes: Notes) -> list[str]:
    """The explanations as they are printed, one a line, and what is not explained yet."""
    found = [f"{one.number}  {one.label}, {one.heading}: {one.figure}. {one.text}" for one in notes.notes]
    return [*found, *([f"Not explained yet: {', '.join(notes.missing)}."] if notes.missing else [])]


def side_by_side(pages: Sequence[ShownStatement], codes: Sequence[str]) -> ShownStatement:
    """Several nodes of one statement as one page: the first one's rows and columns, those of the others to the right of
    them."""
    first = pages[0]
    levels = max(len(page.heads) for page in pages)
    widths = [sum(column.span for column in page.columns) for page in pages]
    mixed = len({page.unit for page in pages}) > 1
    names = [f"{page.node}, {page.unit}" if mixed else page.node for page in pages]
    heads = [tuple(ShownGroup(name, width) for name, width in zip(names, widths, strict=True))]
    for level in range(levels):
        of_page = [
            page.heads[level - (levels - len(page.heads))]
            if level >= levels - len(page.heads)
            else (ShownGroup("", width),)
            for page, width in zip(pages, widths, strict=True)
        ]
        heads.append(tuple(group for groups in of_page for group in groups))
    columns = [
        replace(column, node=code if at else "", opens_group=column.opens_group or (bool(at) and not place))
        for at, (page, code) in enumerate(zip(pages, codes, strict=True))
        for place, column in enumerate(page.columns)
    ]
    by_key = [{row.key: row for row in page.rows} for page in pages]
    order = list(first.rows)
    for page in pages[1:]:
        order = joined(order, page.rows)
    rows = tuple(_row_beside(row, by_key, pages, codes) for row in order)
    unit = " | ".join(dict.fromkeys(page.unit for page in pages))
    node = " | ".join(page.node for page in pages)
    return replace(first, node=node, unit=unit, heads=tuple(heads), columns=tuple(columns), rows=rows, panels=(rows,))


def named_nodes(pages: Sequence[Computed]) -> list[str]:
    """What nodes side by side are called: with their currencies where these differ."""
    mixed = len({page.node.currency for page in pages}) > 1
    return [f"{page.node.name}, {unit_title(page)}" if mixed else page.node.name for page in pages]


class Keyed(Protocol):
    """A row of whatever kind that has a key."""

    @property
    def key(self) -> str: ...


AnyRow = TypeVar("AnyRow", bound=Keyed)


def joined(rows: list[AnyRow], others: Sequence[AnyRow]) -> list[AnyRow]:
    """Rows with those that only another page has, each after the one it stands below there."""
    every, known = list(rows), {row.key for row in rows}
    below = 0
    for row in others:
        if row.key in known:
            below = next(number for number, same in enumerate(every) if same.key == row.key) + 1
        else:
            every.insert(below, row)
            known.add(row.key)
            below += 1
    return every


def _row_beside(
    row: ShownRow, by_key: Sequence[Mapping[str, ShownRow]], pages: Sequence[ShownStatement], codes: Sequence[str]
) -> ShownRow:
    cells: list[ShownCell] = []
    for at, (rows, page, code) in enumerate(zip(by_key, pages, codes, strict=True)):
        own = rows.get(row.key)
        empty = [
            ShownCell("", column.key, False, "", False, column.opens_group, False)
            for column in page.columns
            for _ in range(column.span)
        ]
        given = list(own.cells) if own else empty
        if at:
            given = [
                replace(cell, node=code, opens_group=cell.opens_group or not place) for place, cell in enumerate(given)
            ]
        cells += given
    return replace(row, cells=tuple(cells))


def _head(titles: list[tuple[str, ...]], level: int, widths: list[int]) -> tuple[ShownGroup, ...]:
    """Neighbours with the same headings down to a level share one cell."""
    runs = groupby(zip(titles, widths, strict=True), key=lambda pair: pair[0][: level + 1])
    return tuple(ShownGroup(key[-1], sum(width for _, width in run)) for key, run in runs)


def _panels(rows: tuple[ShownRow, ...], second: set[str]) -> tuple[tuple[ShownRow, ...], ...]:
    """The rows in one or two halves; the shorter half is filled up before its last total, so that both end on one
    line."""
    left, right = [row for row in rows if row.key not in second], [row for row in rows if row.key in second]
    if not right:
        return (rows,)
    for half, other in ((left, right), (right, left)):
        missing = len(other) - len(half)
        if missing > 0 and half:
            at = max((place for place, row in enumerate(half) if row.kind == "total"), default=len(half))
            half[at:at] = [
                ShownRow(f"filler-{place}", "", "filler", 0, "none", "none", "money", (), "")
                for place in range(missing)
            ]
    return tuple(left), tuple(right)


MOST_KEPT = 6
"""Totals of series that can be kept in sight, the last ones."""


class _Writer:
    def __init__(
        self,
        computed: Computed,
        shown: list[tuple[int, Column]],
        opens: list[bool],
        *,
        stepped: bool,
        separated: Callable[[str], str] | None,
    ) -> None:
        self.computed, self.shown, self.opens, self.stepped, self.separated = computed, shown, opens, stepped, separated
        self.styles: dict[tuple[str, NumberStyle, int], NumberStyle] = {}
        # actual figures lead where others stand beside them
        self.has_lead = len({column.scenario_kind for _, column in shown if column.has_figures}) > 1 or any(
            c.of for _, c in shown
        )
        self.firsts = first_rows(computed)
        totals = [column.key for _, column in reversed(shown) if column.is_total][:MOST_KEPT] if not stepped else []
        self.keep = {key: f"tot-{at}" + (" tot-last" if at == len(totals) - 1 else "") for at, key in enumerate(totals)}

    @cached_property
    def means(self) -> object:
        """All that a row is written by besides itself."""
        statement, nodes = self.computed.statement, [self.computed.plan.node_of(column) for _, column in self.shown]
        settings = replace(statement, spine=replace(statement.spine, lines=()))
        of_nodes = [(node.code, node.currency, node.digits) for node in nodes]
        columns = [(place, column, opening) for (place, column), opening in zip(self.shown, self.opens, strict=True)]
        every = [(column.key, column.series, column.kind) for column in self.computed.columns]
        own = (self.stepped, self.has_lead, self.firsts, self.keep, READ_AS.get())
        return settings, of_nodes, columns, every, own

    def row(self, row: Row, bare: bool, holds: bool) -> ShownRow:
        cells: list[ShownCell] = []
        for (place, column), opening in () if bare else zip(self.shown, self.opens, strict=True):
            cell = self._cell(row, place, column, opening)
            if self.stepped and column.kind != "text":
                empty = ShownCell("", "", False, "", False, opening, False)
                outer = row.is_total
                cells += (
                    [empty, replace(cell, opens_group=False, outer=True)]
                    if outer
                    else [cell, replace(empty, opens_group=False, outer=True)]
                )
            else:
                cells.append(cell)
        return ShownRow(
            row.key,
            row.label,
            row.kind,
            row.depth,
            row.above,
            row.below,
            row.unit,
            tuple(cells),
            row.line,
            row.look,
            holds=holds,
            ghost=row.hidden,
        )

    def _trend(self, row: Row) -> str:
        """The row's own figures from left to right as points of a small drawing; totals of series are left out."""
        places = [place for place, column in self.shown if column.has_figures and not column.is_total]
        series = {self.computed.columns[place].series for place in places} - {""}
        if series:  # a trend is one run through time, not what stands beside it
            places = [place for place in places if self.computed.columns[place].series in series]
        values = [row.values[place] for place in places]
        if not row.has_figures or any(value is None for value in values):
            return ""
        return spark_points(tuple(round_half_away(value, 2) for value in values if value is not None))

    def _cell(self, row: Row, place: int, column: Column, opening: bool) -> ShownCell:
        if column.kind == "text" and column.asked.text == "trend":
            return ShownCell("", column.key, False, "", False, opening, False, words=True, trend=self._trend(row))
        if column.kind == "text":
            words = cell_words(row, column, self.computed)
            return ShownCell(
                words, column.key, False, "", False, opening, False, words=True, is_label=column.asked.text == "label"
            )
        if not row.has_figures or place in row.blank:
            return ShownCell("", column.key, False, "", False, opening, False, keep=self.keep.get(column.key, ""))
        rounded = row.shown is not None and column.kind not in ("percent", "share")
        value = row.shown[place] if rounded and row.shown is not None else row.values[place]
        named = (row.unit, row.look.number, place)
        style = self.styles.get(named) or self.styles.setdefault(named, style_of(row, column, self.computed))
        text = row.word_at(place) if value is None else written(value, style)
        if self.separated and value is not None:
            text = self.separated(text)
        if style.style == "percent" and column.kind not in ("percent", "share") and value:
            text = f"{text}{GAP}%"
        if value is not None:
            text = with_word(text, style)
        if value and names_currency(row, style, self.firsts.get(style.currency, ())):
            text = f"{currency_word(self.computed, column)}{GAP}{text}"
        verdict = verdict_of(row, place, column, value) if text.strip("0.,()\u2019" + GAP + MINUS) else ""
        lead = self.has_lead and column.scenario_kind == "actual" and row.unit == "money" and not column.series
        negative = bool(value and value < 0)
        return ShownCell(
            text,
            column.key,
            negative,
            verdict,
            text in (DASH, "n/m", "sealed"),
            opening,
            lead,
            red=negative and style.negative == "red",
            align=row.look.align,
            keep=self.keep.get(column.key, ""),
            room=style.negative == "brackets" and bool(text) and not text.endswith(")"),
        )


def page_values(computed: Computed, ledger: str, at: datetime) -> dict[str, str]:
    """What the tokens of a page stand for; page numbers are the paper's own."""
    frame, node = computed.view.frame, computed.node
    entities = [item for item, inside in zip(frame.entities.items, node.entities, strict=True) if inside]
    entity = entities[0] if len(entities) == 1 else None
    return {
        "statement": computed.statement.title,
        "subtitle": computed.statement.subtitle,
        "entity": entity.name if entity else frame.name,
        "entity.code": entity.code if entity else node.code,
        "node": node.name,
        "node.code": node.code,
        "period": computed.period.title,
        "period.code": computed.period.code,
        "currency": node.currency,
        "ledger": ledger,
        "revision": str(computed.view.revision),
        "date": f"{at.day} {at:%B %Y}",
        "time": f"{at:%H:%M %Z}".strip(),
    }
