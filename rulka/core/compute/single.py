"""One column of a span at a period and node: its time, its keys, whose figures it shows, its heading."""

from __future__ import annotations

from copy import copy
from dataclasses import replace

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.calendar import Period, Window
from rulka.core.books.chart import BoolArray
from rulka.core.compute.columns import Column, NoTime, period_in, shifted_window
from rulka.core.compute.nodes import Node, find_node, node_inside, own_calendar_of
from rulka.core.definitions.headings import fill_heading, time_values
from rulka.core.definitions.scopes import ScopeDef
from rulka.core.definitions.spans import COMPARED, ColumnDef, SpanDef
from rulka.core.definitions.windows import PIECE, shifted, window_at
from rulka.core.errors import NotFound, RulkaError, one_of

MOST_COLUMNS = 400


class Builder:
    """Makes the columns of one page, one after the other."""

    def __init__(
        self,
        span: SpanDef,
        scope: ScopeDef | None,
        view: View,
        period: Period,
        node: Node,
        translated: bool,
        calendar: str,
    ) -> None:
        self.span, self.scope, self.view, self.period, self.node = span, scope, view, period, node
        self.frame, self.calendar = view.frame, view.frame.calendar
        self.translated, self.by_default = translated, calendar
        self.calendar_name = ""
        self.columns: list[Column] = []
        self.made: dict[str, list[str]] = {}  # key as written to the keys of what was made of it

    def by_its_calendar(self, asked: ColumnDef) -> Builder:
        """What builds a column of figures or a series in the calendar that it reads, beside the same columns."""
        if asked.kind not in ("figures", "series") or (asked.calendar or self.by_default) != "own":
            return self
        try:
            name = own_calendar_of(self.node_of(asked), self.frame, translated=self.translated)
        except RulkaError as error:
            error.subject = f"column {asked.key}"
            raise
        if not name:
            return self
        found = copy(self)
        found.calendar_name, found.calendar = name, self.frame.calendars[name]
        found.period = period_in(self.view, name, self.period)
        return found

    def add(self, column: Column, written: str) -> None:
        if any(former.key == column.key for former in self.columns):
            column = replace(column, key=f"{column.key}-{len(self.columns)}")
        self.columns.append(column)
        self.made.setdefault(column.key if column.is_total else written, []).append(column.key)
        if len(self.columns) > MOST_COLUMNS:
            raise RulkaError(
                f"The span {self.span.name} makes more than {MOST_COLUMNS} columns.",
                hint="Narrow its series.",
                code="too-much",
            )

    def single(self, asked: ColumnDef, key: str, made: dict[str, list[str]], **piece: object) -> Column:
        """A column that isn't a series; `piece` is what a series puts in its place (window, keys, member)."""
        where = f"column {asked.key}"
        of = tuple(found for name in asked.of for found in made.get(name, ()))
        column = Column(
            asked, key, "", (), asked.kind, of=of, base=(made.get(asked.base) or [""])[0], hidden=asked.hide == "always"
        )
        window: Window | None = None
        if asked.kind == "figures":
            self._check_scenarios(asked, where)
            try:
                column = self._with_time(column, piece.get("window"))
                column = self._with_keys(column, piece.get("keys"), piece.get("by"))
            except RulkaError as error:
                error.subject = where if error.subject.startswith("node") else error.subject or where
                raise
            window = column.window
        elif column.of:
            column = self._of_one_currency(column)
        return self._with_heading(column, window, piece)

    def _of_one_currency(self, column: Column) -> Column:
        """A column that works on others: of their node where they share one, of quantities where they all are, without
        a meaning where their currencies differ."""
        wanted = {*column.of, column.base}
        operands = [former for former in self.columns if former.key in wanted]
        currencies = sorted({(former.node or self.node).currency for former in operands})
        if len(currencies) > 1 or any(former.is_mixed for former in operands):
            return replace(
                column, is_mixed=True, note=f"it works on columns in different currencies: {', '.join(currencies)}"
            )
        nodes = {former.node.code if former.node else "": former.node for former in operands}
        quantities = bool(operands) and all(former.shows_quantities for former in operands)
        return replace(column, node=next(iter(nodes.values())) if len(nodes) == 1 else None, is_statistical=quantities)

    def _check_scenarios(self, asked: ColumnDef, where: str) -> None:
        for scenario in filter(None, (asked.scenario, asked.then)):
            if scenario not in self.frame.scenarios:
                raise NotFound(
                    f"Scenario '{scenario}' does not exist in this ledger.",
                    hint=one_of(scenario, self.frame.scenarios),
                    subject=where,
                )

    def _with_time(self, column: Column, piece: object) -> Column:
        asked, shift = column.asked, column.asked.shift
        kind = "prior" if shift.years < 0 else self.frame.scenarios[asked.scenario]
        if isinstance(piece, NoTime):
            return replace(column, scenario_kind=kind, note=piece.note)
        if isinstance(piece, Window):
            moved = shifted_window(self.calendar, piece, asked.shift, asked.weeks)
            at = self.calendar.periods[moved.last] if moved else None
        else:
            moved, at = None, shifted(self.calendar, self.period, shift)
        is_cut = isinstance(piece, Window) and asked.window == PIECE
        window = moved if is_cut else window_at(self.calendar, asked.window, at, asked.weeks) if at else None
        note = ""
        if window is None:
            told = f" moved by {asked.shift.written}" if asked.shift.written else ""
            note = f"the calendar has no {asked.window.written or 'such time'}{told}, seen from {self.period.code}"
        return replace(
            column, window=window, at=at, scenario_kind=kind, note=note, is_cut=is_cut, calendar=self.calendar_name
        )

    def _with_keys(self, column: Column, piece: object, cut_by: object) -> Column:
        asked = column.asked
        narrowing = asked.narrow
        by = narrowing.names | (cut_by if isinstance(cut_by, frozenset) else frozenset())
        keys: BoolArray | None = piece if isinstance(piece, np.ndarray) else None
        accounts: BoolArray | None = None
        warnings: tuple[str, ...] = ()
        if narrowing.by_key:
            mask = self.view.mask(narrowing)
            keys = mask.keys if keys is None else keys & mask.keys
            accounts = mask.accounts if mask.names_accounts else None
            warnings = mask.warnings
        node = self.node_of(asked) if asked.node else None
        if asked.inside:
            own = node_inside(self.view, self.scope, asked.inside)
            keys, by = own.keys if keys is None else keys & own.keys, by | own.by
        statistical = self.frame.accounts.of_type("statistical")
        only_statistical = accounts is not None and bool(accounts.any()) and not (accounts & ~statistical).any()
        return replace(
            column,
            keys=keys,
            accounts=accounts,
            lines=narrowing.by_line,
            node=node,
            is_statistical=only_statistical,
            warnings=warnings,
            by=by,
        )

    def node_of(self, asked: ColumnDef) -> Node:
        """The node a column shows: the one it names instead of the page's."""
        return find_node(self.view, asked.node, self.scope, translated=self.translated) if asked.node else self.node

    def _with_heading(self, column: Column, window: Window | None, piece: dict[str, object]) -> Column:
        asked = column.asked
        values = self.values(window, asked)
        if column.kind in COMPARED and column.of:
            compared = [former for key in column.of for former in self.columns if former.key == key]
            if compared:
                values = {**self.values(compared[0].window, compared[0].asked), "base": compared[-1].heading}
        if "member" in piece:
            values |= {"member": piece["member"], "member.code": piece.get("member_code", "")}
        heading = asked.heading
        if "member" in piece and not heading:
            heading = "{member}"
        text, groups = fill_heading(heading, values), tuple(fill_heading(group, values) for group in asked.groups)
        currency = (column.node or self.node).currency
        if currency != self.node.currency and not any(currency in words for words in (text, *groups)):
            text = f"{text}, {currency}" if text else currency
        if column.calendar and not any(column.calendar in words for words in (text, *groups)):
            text = f"{text}, calendar {column.calendar}" if text else column.calendar
        return replace(column, heading=text, groups=groups)

    def values(self, window: Window | None, asked: ColumnDef) -> dict[str, object]:
        """What the tokens of a heading stand for."""
        node = self.node_of(asked)
        values: dict[str, object] = {
            "scenario": asked.scenario,
            "then": asked.then,
            "node": node.name,
            "node.code": node.code,
            "currency": node.currency,
            "calendar": self.calendar_name or "the group's",
            "window": "no period",
        }
        if window is not None:
            values |= time_values(self.calendar, window)
        return values
