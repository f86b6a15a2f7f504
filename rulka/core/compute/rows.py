"""The rows of a page: sections, lines, totals and expanded lines in order, with what each shows and is made of."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from fractions import Fraction
from typing import Any

import numpy as np

from rulka.core.compute.cells import Cells, summed
from rulka.core.compute.computed import FIGURELESS, Row, Values
from rulka.core.compute.detail_rows import DetailRow
from rulka.core.compute.leaves import Leaf, direction_of_leaf
from rulka.core.definitions.expressions import direction_of
from rulka.core.definitions.looks import NumberStyle
from rulka.core.definitions.naming import tree_of
from rulka.core.definitions.spines import LineDef


class Rows:
    """Writes the rows that show some cells, hidden ones too."""

    def __init__(self, cells: Cells) -> None:
        self.cells, self.computed, self.names = cells, cells.computed, cells.names
        self.columns, self.spine, self.values, self.booked, self.units = (
            cells.columns,
            cells.spine,
            cells.values,
            cells.booked,
            cells.units,
        )
        self.comparer = cells.comparer
        self.panel = 1
        self.known_directions: dict[tuple[str, int], int] = {}

    def build(self) -> list[Row]:
        """The rows of the page in order, hidden ones too."""
        rows: list[Row] = []
        for line in self.spine.lines:
            self._emit(line, 0, rows)
        return rows

    def _emit(self, line: LineDef, depth: int, rows: list[Row]) -> None:
        if line.panel == "second":
            self.panel = 2
        if line.kind == "section":
            self._emit_section(line, depth, rows)
        elif line.kind == "line" and line.expand:
            self._emit_leaves(line, self.computed.planned.by_line[line.key], depth, rows)
        elif line.kind in FIGURELESS:
            rows.append(self._row(line, line.kind, depth, values=self._blank(), blank=self._all()))
        else:
            values = tuple(self.values[line.key])
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
            for leaf in self.computed.planned.by_line[line.key] if line.below else ():
                self._emit_leaves(line, leaf.inner, depth + 1, rows)

    def _row(self, line: LineDef, kind: str, depth: int, **given: Any) -> Row:
        given.setdefault("blank", self._blanks(line))
        directions = self._directions(line) if kind in ("line", "calculation", "total") else ()
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
            look=given.pop("look", line.look),
            panel=self.panel,
            **given,
        )

    def _blank(self) -> Values:
        return (None,) * len(self.columns)

    def _all(self) -> frozenset[int]:
        return frozenset(range(len(self.columns)))

    def _blanks(self, line: LineDef) -> frozenset[int]:
        """Columns in which a line shows nothing: those it isn't limited to, those without a time, and text."""
        judged_only = line.kind == "check"
        return frozenset(
            place
            for place, column in enumerate(self.columns)
            if not self.cells.shows(line, column)
            or column.is_empty
            or column.kind == "text"
            or (judged_only and not self.comparer.is_base[place])
            or (column.kind == "check" and self._is_missing(line, place))
            or (
                column.of
                and any(self.columns[self.computed.place(key)].is_empty for key in column.of)
                and self._is_missing(line, place)
            )
        )

    def _is_missing(self, line: LineDef, place: int) -> bool:
        return line.key in self.values and self.values[line.key][place] is None

    def _emit_section(self, line: LineDef, depth: int, rows: list[Row]) -> None:
        if line.show != "total only":
            rows.append(
                self._row(
                    line,
                    "section",
                    depth,
                    values=self._blank(),
                    blank=self._all(),
                    ruling="",
                    look=replace(line.look, above="", below="", number=NumberStyle()),
                )
            )
        for inner in line.lines:
            self._emit(inner, depth + 1, rows)
        if line.total:
            values = tuple(self.values[line.key])
            codes, parts = self._codes(line), tuple(self._total_parts(line))
            rows.append(
                self._row(
                    line,
                    "total",
                    depth,
                    key=f"{line.key}.total",
                    label=line.total,
                    codes=codes,
                    values=values,
                    parts=parts,
                    ruling=line.ruling or "single",
                )
            )

    def _emit_leaves(self, line: LineDef, leaves: Sequence[Leaf], depth: int, rows: list[Row]) -> None:
        chosen, others = list(leaves), []
        if line.sort == "amount":
            chosen.sort(key=lambda leaf: -self._size(leaf.key))
        if line.top and len(chosen) > line.top:
            kept = {leaf.key for leaf in sorted(chosen, key=lambda leaf: -self._size(leaf.key))[: line.top]}
            chosen, others = (
                [leaf for leaf in chosen if leaf.key in kept],
                [leaf for leaf in chosen if leaf.key not in kept],
            )
        for leaf in chosen:
            self._emit_leaf(line, leaf, depth, rows)
        if others:
            self._emit_others(line, others, depth, rows)

    def _emit_leaf(self, line: LineDef, leaf: Leaf, depth: int, rows: list[Row]) -> None:
        if leaf.detail:
            rows += [self._detail(line, leaf, detail, depth) for detail in self._sorted_details(line, leaf)]
            return
        codes = tuple(self.computed.view.frame.accounts.items[place].code for place in np.flatnonzero(leaf.accounts))
        row = self._row(
            line,
            leaf.kind,
            depth,
            key=leaf.key,
            label=leaf.label,
            codes=codes,
            values=tuple(self.values[leaf.key]),
            unit="quantity" if leaf.is_quantity else "money",
            account=leaf.account,
            member=leaf.member,
            ruling="",
        )
        rows.append(replace(row, directions=self._leaf_directions(leaf)))
        if leaf.inner:
            self._emit_leaves(line, leaf.inner, depth + 1, rows)

    def _detail(self, line: LineDef, leaf: Leaf, detail: DetailRow, depth: int) -> Row:
        """A row from journal lines; columns that work on one it leaves out are left out too."""
        blank = set(self._blanks(line))
        for place, (column, amount) in enumerate(zip(self.columns, detail.amounts, strict=True)):
            if (column.kind == "figures" and amount is None) or any(
                self.computed.place(key) in blank for key in column.of
            ):
                blank.add(place)
        return self._row(
            line,
            detail.kind,
            depth,
            key=detail.key,
            label=detail.label,
            values=tuple(self.values[detail.key]),
            blank=frozenset(blank),
            unit="quantity" if leaf.is_quantity else "money",
            texts=detail.texts,
            ruling="",
        )

    def _size(self, key: str) -> Fraction:
        """By what rows are ranked: the amount in the first shown column of figures, whatever its sign."""
        first = next(
            (place for place, column in enumerate(self.columns) if column.has_figures and not column.hidden), None
        )
        return abs(self.values[key][first] or Fraction(0)) if first is not None else Fraction(0)

    def _sorted_details(self, line: LineDef, leaf: Leaf) -> list[DetailRow]:
        rows = self.cells.details[leaf.key]
        return (
            sorted(rows, key=lambda row: (row.kind == "others", -self._size(row.key)))
            if line.sort == "amount"
            else rows
        )

    def _emit_others(self, line: LineDef, others: Sequence[Leaf], depth: int, rows: list[Row]) -> None:
        """What the top rows leave, in one row."""
        key, first = f"{line.key}:others:{others[0].key}", others[0]
        values = [
            self.cells.total([self.values[leaf.key][place] for leaf in others], place)
            for place in range(len(self.columns))
        ]
        self.values[key] = values
        self.booked[key] = [any(self.booked[leaf.key][place] for leaf in others) for place in range(len(self.columns))]
        merged = replace(
            first,
            key=key,
            label=line.others,
            kind="others",
            account="",
            member="",
            inner=[],
            mask=np.any([leaf.mask for leaf in others], axis=0),
            quantities=np.any([leaf.quantities for leaf in others], axis=0),
            accounts=np.any([leaf.accounts for leaf in others], axis=0),
        )
        self.computed.add_leaf(merged)
        self.cells.compare_leaf(key, merged)
        codes = tuple(self.computed.view.frame.accounts.items[place].code for place in np.flatnonzero(merged.accounts))
        rows.append(
            self._row(line, "others", depth, key=key, label=line.others, codes=codes, values=tuple(values), ruling="")
        )

    def _operands(self, line: LineDef) -> tuple[str, ...]:
        if line.kind != "calculation":
            return ()
        named = self.names.operands(tree_of(line))
        return tuple(
            dict.fromkeys(f"{part.key}.total" if part.kind == "section" and part.total else part.key for part in named)
        )

    def _total_parts(self, line: LineDef) -> Iterator[str]:
        unit = self.units[line.key]
        for inner in summed(line):
            if inner.kind == "section" and not inner.total:
                yield from self._total_parts(inner)
            elif self.units[inner.key] == unit:
                yield f"{inner.key}.total" if inner.kind == "section" else inner.key

    def _codes(self, line: LineDef) -> tuple[str, ...]:
        accounts = self.computed.view.frame.accounts
        mask = np.zeros(len(accounts), dtype=bool)
        todo = [line]
        while todo:
            current = todo.pop()
            for leaf in self.computed.planned.by_line.get(current.key, ()):
                mask |= leaf.accounts & (
                    accounts.of_type("statistical") if leaf.is_quantity else ~accounts.of_type("statistical")
                )
            todo.extend(current.lines)
        return tuple(accounts.items[place].code for place in np.flatnonzero(mask))

    def _directions(self, line: LineDef) -> tuple[int, ...]:
        return tuple(self._direction(line, self._judging(place)) for place in range(len(self.columns)))

    def _judging(self, place: int) -> int:
        """The column whose figures a comparison is about: the first it works on."""
        while self.columns[place].of:
            place = self.computed.place(self.columns[place].of[0])
        return place

    def _leaf_directions(self, leaf: Leaf) -> tuple[int, ...]:
        return tuple(self._direction_of_leaf(leaf, self._judging(place)) for place in range(len(self.columns)))

    def _direction_of_leaf(self, leaf: Leaf, place: int) -> int:
        column = self.columns[place]
        return direction_of_leaf(leaf, column.accounts, self.computed.line_sign(leaf, column), self.computed.view)

    def _direction(self, line: LineDef, place: int) -> int:
        name = (line.key, id(self.columns[place].accounts))
        if name not in self.known_directions:
            self.known_directions[name] = self._find_direction(line, place)
        return self.known_directions[name]

    def _find_direction(self, line: LineDef, place: int) -> int:
        if line.favourable:
            return {"higher": 1, "lower": -1}.get(line.favourable, 0)
        if line.kind == "line":
            found = {self._direction_of_leaf(leaf, place) for leaf in self.computed.planned.by_line[line.key]}
        elif line.kind == "section":
            found = {self._direction(part, place) for part in summed(line)}
        else:
            return direction_of(tree_of(line), lambda name: self._direction(self.names.find(name), place))
        return found.pop() if len(found) == 1 else 0
