"""The rows of a page: sections, lines, totals and expanded lines in order, with what each shows and is made of."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np

from rulka.core.books.narrowing import Narrowing
from rulka.core.compute.detail_rows import DetailRow
from rulka.core.compute.figures import Figures, Values, shows, summed
from rulka.core.compute.leaves import Leaf, direction_of_leaf
from rulka.core.compute.ranking import Ranked
from rulka.core.definitions.expressions import Value, direction_of
from rulka.core.definitions.looks import PLAIN, PLAIN_TOTALS, Look, NumberStyle
from rulka.core.definitions.naming import tree_of
from rulka.core.definitions.spines import LineDef

RowKind = Literal[
    "section",
    "line",
    "calculation",
    "heading",
    "text",
    "spacer",
    "page break",
    "check",
    "total",
    "period",
    "account",
    "subtotal",
    "member",
    "detail",
    "others",
    "counterparty",
    "entry",
]

FIGURELESS: tuple[RowKind, ...] = ("section", "heading", "text", "spacer", "page break")


@dataclass(frozen=True)
class Row:
    """One computed row.

    `values` are in major units and presented sign, exact, None where a figure has no meaning; `blank` are the columns
    where the row shows nothing at all. `unit` is money, quantity, ratio, rate or plain; `directions` by column: 1
    where more is better, -1 where less is. `line` is the key of the spine's line it came from, `account` and `member`
    the codes of an expanded row, `texts` what journal lines say. `parts` are the rows it is made of.
    """

    key: str
    label: str
    kind: RowKind
    depth: int
    codes: tuple[str, ...]
    values: Values
    unit: str = "money"
    hidden: bool = False
    ruling: str = ""
    directions: tuple[int, ...] = ()
    line: str = ""
    account: str = ""
    member: str = ""
    detail: str = ""
    parts: tuple[str, ...] = ()
    blank: frozenset[int] = frozenset()
    look: Look = PLAIN
    panel: int = 1
    texts: dict[str, str] = field(default_factory=dict)
    sealed: bool = False
    """Whether it stands for what is sealed, or its author closed its detail: its parts aren't shown."""
    sealed_at: frozenset[int] = frozenset()
    """The columns whose figure is sealed: it would tell apart what a seal keeps together."""
    shown: tuple[Value, ...] | None = None
    """Rounded values, where the statement rounds so that it foots."""

    @property
    def has_figures(self) -> bool:
        return self.kind not in FIGURELESS

    def word_at(self, place: int) -> str:
        """What stands in a column where a figure would, were there one."""
        if not self.has_figures or place in self.blank:
            return ""
        return "sealed" if place in self.sealed_at else "n/m"

    @property
    def is_whole(self) -> bool:
        """Whether it is a line that stands below the rows of its periods."""
        return self.kind == "line" and bool(self.parts)

    @property
    def is_total(self) -> bool:
        return self.kind in ("total", "calculation", "subtotal") or self.is_whole

    @property
    def direction(self) -> int:
        """The direction in the first column."""
        return self.directions[0] if self.directions else 0

    @property
    def above(self) -> str:
        """The ruling above its figures: its own, else single over totals."""
        return self.look.above or ("single" if self.ruling else "none")

    @property
    def below(self) -> str:
        """The ruling below its figures."""
        return self.look.below or ("double" if self.ruling == "double" else "none")


def write_rows(figures: Figures, ranked: Ranked) -> list[Row]:
    """The rows of the page in order, hidden ones too."""
    writer = _Rows(figures, ranked)
    rows: list[Row] = []
    for line in figures.plan.statement.spine.lines:
        writer.emit(line, 0, rows)
    return rows


class _Rows:
    """Writes the rows that show some figures."""

    def __init__(self, figures: Figures, ranked: Ranked) -> None:
        self.figures, self.ranked, self.plan, self.readings = figures, ranked, figures.plan, figures.readings
        self.columns, self.names = self.plan.columns, self.plan.names
        self.units = figures.units
        self.comparer = figures.comparer
        self.panel = 1
        self.judging = [self._judging(place) for place in range(len(self.columns))]
        self.gross = [self.comparer.sets_sides_apart(column) for column in self.columns]
        self.plain_blanks: dict[tuple[tuple[str, ...], bool], frozenset[int]] = {}
        self.may_miss = [
            place
            for place, column in enumerate(self.columns)
            if column.kind == "check" or any(self.columns[self.plan.place(key)].is_empty for key in column.of)
        ]
        self.known_directions: dict[tuple[str, Narrowing | None], int] = {}

    def _values(self, key: str) -> Values:
        """A line's or leaf's values; what stands for several has its own."""
        return tuple(self.ranked.values[key] if key in self.ranked.values else self.figures.values[key])

    def emit(self, line: LineDef, depth: int, rows: list[Row]) -> None:
        if line.panel == "second":
            self.panel = 2
        if line.kind == "section":
            self._emit_section(line, depth, rows)
        elif line.kind == "line" and line.expand:
            self._emit_leaves(line, line.key, depth, rows)
        elif line.has_periods:
            self._emit_periods(line, depth, rows)
        elif line.kind in FIGURELESS:
            rows.append(self._row(line, line.kind, depth, values=self._blank(), blank=self._all()))
        else:
            values = self._values(line.key)
            codes = self._codes(line)
            rows.append(
                self._row(
                    line,
                    line.kind,
                    depth,
                    codes=codes,
                    values=values,
                    parts=self._operands(line),
                    detail=line.formula.written if line.formula else line.accounts.written,
                )
            )
            for leaf in self.plan.leaves.by_line[line.key] if line.below else ():
                self._emit_leaves(line, leaf.key, depth + 1, rows)

    def _row(self, line: LineDef, kind: RowKind, depth: int, **given: Any) -> Row:
        given.setdefault("blank", self._blanks(line))
        directions = self._directions(line) if kind in ("line", "calculation", "total") else ()
        of = given.pop("of", given.get("key", line.key))
        return Row(
            given.pop("key", line.key),
            given.pop("label", line.label),
            kind,
            depth + line.look.indent,
            given.pop("codes", ()),
            given.pop("values"),
            given.pop("unit", self.units.get(line.key, "money")),
            ruling=given.pop("ruling", line.ruling),
            directions=directions,
            line=line.key,
            look=self._look(
                line, "total" if kind == "line" and given.get("parts") else kind, given.pop("look", line.look)
            ),
            panel=self.panel,
            sealed=given.pop("sealed", line.is_closed),
            sealed_at=self._sealed_at(of),
            **given,
        )

    def _look(self, line: LineDef, kind: RowKind, look: Look) -> Look:
        """A row's look; what all totals look like counts where the line says nothing of its own."""
        totals = self.figures.plan.statement.totals
        if kind not in ("total", "calculation", "subtotal") or totals == PLAIN_TOTALS:
            return look
        rules = ("", "") if line.ruling else (totals.above, totals.below)
        return replace(
            look,
            shade=look.shade or totals.shade,
            above=look.above or rules[0],
            below=look.below or rules[1],
        )

    def _sealed_at(self, key: str) -> frozenset[int]:
        return self.ranked.sealed.get(key) or self.figures.sealed.get(key, frozenset())

    def _blank(self) -> Values:
        return (None,) * len(self.columns)

    def _all(self) -> frozenset[int]:
        return frozenset(range(len(self.columns)))

    def _blanks(self, line: LineDef) -> frozenset[int]:
        """Columns in which a line shows nothing: those it isn't limited to, those without a time, and text."""
        name = (line.columns, line.kind == "check")
        if name not in self.plain_blanks:
            self.plain_blanks[name] = frozenset(
                place
                for place, column in enumerate(self.columns)
                if not shows(line, column)
                or column.is_empty
                or column.kind == "text"
                or (line.kind == "check" and not self.comparer.is_base[place])
            )
        missing = frozenset(place for place in self.may_miss if self._is_missing(line, place))
        return self.plain_blanks[name] | missing if missing else self.plain_blanks[name]

    def _is_missing(self, line: LineDef, place: int) -> bool:
        values = self.figures.values.get(line.key)
        return values is not None and values[place] is None

    def _emit_section(self, line: LineDef, depth: int, rows: list[Row]) -> None:
        if line.show != "total only":
            rows.append(
                self._row(
                    line,
                    "section",
                    depth,
                    values=self._blank(),
                    blank=self._all(),
                    of="",
                    ruling="",
                    look=replace(line.look, above="", below="", number=NumberStyle()),
                )
            )
        for inner in line.lines:
            self.emit(inner, depth + 1, rows)
        if line.total:
            values = self._values(line.key)
            codes, parts = self._codes(line), tuple(self._total_parts(line, self.units[line.key]))
            rows.append(
                self._row(
                    line,
                    "total",
                    depth,
                    key=f"{line.key}.total",
                    of=line.key,
                    label=line.total,
                    codes=codes,
                    values=values,
                    parts=parts,
                    ruling=line.ruling or "single",
                )
            )

    def _emit_leaves(self, line: LineDef, above: str, depth: int, rows: list[Row]) -> None:
        for leaf in self.ranked.shown.get(above, ()):
            self._emit_leaf(line, leaf, depth, rows)
        if above in self.ranked.others:
            rows.append(self._others(line, self.ranked.others[above], depth))

    def _emit_periods(self, line: LineDef, depth: int, rows: list[Row]) -> None:
        """A row for each period, then the whole."""
        before = len(rows)
        leaf = self.plan.leaves.by_line[line.key][0]
        self._emit_leaves(line, leaf.key, depth, rows)
        parts = tuple(row.key for row in rows[before:])
        look = replace(line.look, bold=line.look.bold or "yes") if parts else line.look
        rows.append(
            self._row(
                line,
                "line",
                depth,
                label=leaf.label,
                codes=self._codes(line),
                values=self._values(line.key),
                parts=parts,
                blank=self._blanks(line) | self._without_time(leaf),
                detail=line.accounts.written,
                look=look,
                ruling=line.ruling or ("single" if parts else ""),
            )
        )

    def _without_time(self, leaf: Leaf) -> frozenset[int]:
        """The columns in which a leaf has no time to read, and those that work on them."""
        blank: set[int] = set()
        for place, column in enumerate(self.columns):
            if column.has_figures:
                missing = self.readings.reading(leaf, column).window is None
            else:
                gone = [self.plan.place(key) in blank for key in column.of]
                missing = any(gone) if column.kind in ("difference", "percent", "share") else bool(gone) and all(gone)
            if missing:
                blank.add(place)
        return frozenset(blank)

    def _emit_leaf(self, line: LineDef, leaf: Leaf, depth: int, rows: list[Row]) -> None:
        if leaf.detail:
            rows += [self._detail(line, leaf, detail, depth) for detail in self.ranked.details[leaf.key]]
            return
        codes = tuple(self.plan.view.frame.accounts.items[place].code for place in leaf.places)
        row = self._row(
            line,
            "others" if leaf.kind == "sealed" else leaf.kind,
            depth,
            key=leaf.key,
            label=leaf.label,
            codes=codes,
            values=self._values(leaf.key),
            unit="quantity" if leaf.is_quantity else "money",
            account=leaf.account,
            member=leaf.member,
            sealed=leaf.kind == "sealed",
            ruling="",
            blank=self._blanks(line) | (self._without_time(leaf) if leaf.kind == "period" else frozenset()),
        )
        rows.append(replace(row, directions=self._leaf_directions(leaf)))
        if leaf.inner:
            self._emit_leaves(line, leaf.key, depth + 1, rows)

    def _detail(self, line: LineDef, leaf: Leaf, detail: DetailRow, depth: int) -> Row:
        """A row from journal lines; columns that work on one it leaves out are left out too."""
        blank = set(self._blanks(line))
        for place, (column, amount) in enumerate(zip(self.columns, detail.amounts, strict=True)):
            if place in detail.withheld:
                continue
            if (column.kind == "figures" and amount is None) or any(self.plan.place(key) in blank for key in column.of):
                blank.add(place)
        return self._row(
            line,
            detail.kind,
            depth,
            key=detail.key,
            label=detail.label,
            values=self._values(detail.key),
            blank=frozenset(blank),
            unit="quantity" if leaf.is_quantity else "money",
            texts=detail.texts,
            sealed=detail.sealed,
            ruling="",
        )

    def _others(self, line: LineDef, leaf: Leaf, depth: int) -> Row:
        """What the top rows leave, in one row."""
        codes = tuple(self.plan.view.frame.accounts.items[place].code for place in leaf.places)
        values = self._values(leaf.key)
        return self._row(line, "others", depth, key=leaf.key, label=line.others, codes=codes, values=values, ruling="")

    def _operands(self, line: LineDef) -> tuple[str, ...]:
        if line.kind != "calculation":
            return ()
        named = self.names.operands(tree_of(line))
        return tuple(
            dict.fromkeys(f"{part.key}.total" if part.kind == "section" and part.total else part.key for part in named)
        )

    def _total_parts(self, section: LineDef, unit: str) -> Iterator[str]:
        """What a total adds up, through sections without a total of their own; other units aren't in it."""
        for inner in summed(section):
            if self.units[inner.key] != unit:
                continue
            if inner.kind == "section" and not inner.total:
                yield from self._total_parts(inner, unit)
            else:
                yield f"{inner.key}.total" if inner.kind == "section" else inner.key

    def _codes(self, line: LineDef) -> tuple[str, ...]:
        accounts = self.plan.view.frame.accounts
        statistical = accounts.of_type("statistical")
        held = []
        todo = [line]
        while todo:
            current = todo.pop()
            for leaf in self.plan.leaves.by_line.get(current.key, ()) if not current.is_closed else ():
                held.append(leaf.places[statistical[leaf.places] == leaf.is_quantity])
            todo.extend(current.lines)
        places = held[0] if len(held) == 1 else np.unique(np.concatenate(held)) if held else ()
        return tuple([accounts.items[place].code for place in places])

    def _directions(self, line: LineDef) -> tuple[int, ...]:
        found: dict[int, int] = {}
        alike = self.readings.narrowed_alike
        for place in self.judging:
            if alike[place] not in found:
                found[alike[place]] = self._direction(line, place)
        return tuple(0 if self.gross[at] else found[alike[place]] for at, place in enumerate(self.judging))

    def _judging(self, place: int) -> int:
        """The column whose figures a comparison is about: the first it works on."""
        while self.columns[place].of:
            place = self.plan.place(self.columns[place].of[0])
        return place

    def _leaf_directions(self, leaf: Leaf) -> tuple[int, ...]:
        judged = (self._direction_of_leaf(leaf, self._judging(place)) for place in range(len(self.columns)))
        return tuple(0 if gross else direction for gross, direction in zip(self.gross, judged, strict=True))

    def _direction_of_leaf(self, leaf: Leaf, place: int) -> int:
        column = self.columns[place]
        return direction_of_leaf(leaf, column.accounts, self.readings.line_sign(leaf, column), self.plan.view)

    def _direction(self, line: LineDef, place: int) -> int:
        name = (line.key, self.columns[place].names_accounts)
        if name not in self.known_directions:
            self.known_directions[name] = self._find_direction(line, place)
        return self.known_directions[name]

    def _find_direction(self, line: LineDef, place: int) -> int:
        if line.favourable:
            return {"higher": 1, "lower": -1}.get(line.favourable, 0)
        if line.kind == "line":
            found = {self._direction_of_leaf(leaf, place) for leaf in self.plan.leaves.by_line[line.key]}
        elif line.kind == "section":
            found = {self._direction(part, place) for part in summed(line)}
        else:
            return direction_of(tree_of(line), lambda name: self._direction(self.names.find(name), place))
        return found.pop() if len(found) == 1 else 0
