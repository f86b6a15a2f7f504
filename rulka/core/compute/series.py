"""A span at a period and node to the columns that stand on the page, series cut into pieces."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.calendar import Period, Window
from rulka.core.books.chart import BoolArray
from rulka.core.books.narrowing import EVERYTHING, Narrowing, codes_of
from rulka.core.compute.columns import Column, NoTime
from rulka.core.compute.nodes import REST, Node, nodes_of
from rulka.core.compute.single import Builder
from rulka.core.definitions.headings import fill_heading
from rulka.core.definitions.keys import slug
from rulka.core.definitions.scopes import ScopeDef
from rulka.core.definitions.spans import TIME, ColumnDef, SpanDef
from rulka.core.definitions.windows import BY_DAY, PIECE, Shift, WindowDef, pieces_of, read_window, shifted, window_at


def build_columns(
    span: SpanDef,
    scope: ScopeDef | None,
    view: View,
    period: Period,
    node: Node,
    *,
    translated: bool = False,
    calendar: str = "",
) -> tuple[Column, ...]:
    """The columns of a page from left to right; raises RulkaError on scenarios, members or nodes that don't exist.

    `calendar` is `own` where columns read the calendar that their node's entity keeps, unless they say otherwise.
    """
    first = Builder(span, scope, view, period, node, translated, calendar)
    for asked in span.columns:
        builder = first.by_its_calendar(asked)
        if asked.kind == "series":
            _Series(builder).spread(asked)
        else:
            builder.add(builder.single(asked, asked.key, builder.made), asked.key)
    return tuple(first.columns)


class _Series:
    """Makes the columns of a series: a piece for each stretch of time, child, entity or member, and their totals."""

    def __init__(self, builder: Builder) -> None:
        self.builder, self.view, self.frame, self.scope = builder, builder.view, builder.frame, builder.scope
        self.period, self.calendar, self.translated = builder.period, builder.calendar, builder.translated

    def spread(self, asked: ColumnDef) -> None:
        if asked.each in TIME:  # what is cut into pieces is shifted, the pieces are not once more
            self._time_series(
                asked, asked.columns or (replace(asked, kind="figures", columns=(), shift=Shift(), window=PIECE),)
            )
        else:
            self._member_series(asked, asked.columns or (replace(asked, kind="figures", columns=()),))

    def _piece(
        self,
        asked: ColumnDef,
        inner: Sequence[ColumnDef],
        code: str,
        *,
        is_total: bool = False,
        is_rest: bool = False,
        **piece: object,
    ) -> None:
        """One piece of a series: its own column, or each of its inner ones."""
        made: dict[str, list[str]] = {}
        for column in inner:
            key = f"{asked.key}-{code}" + (f"-{column.key}" if asked.columns else "")
            groups = column.groups
            if asked.columns and asked.heading:
                groups = (str(piece.get("label") or asked.heading), *groups)
            wanted, narrow = replace(column, groups=groups, hide=column.hide or asked.hide), piece.get("narrow")
            if not asked.columns:
                wanted = replace(
                    wanted,
                    narrow=narrow if isinstance(narrow, Narrowing) else asked.narrow,
                    heading=str(piece.get("label") or asked.heading),
                )
            built = self.builder.single(wanted, key, made, **piece)
            built = replace(built, series=asked.key, is_total=is_total, is_rest=is_rest)
            made.setdefault(column.key, []).append(built.key)
            self.builder.add(built, asked.key if not asked.columns else f"{asked.key}/{column.key}")

    def _time_series(self, asked: ColumnDef, inner: Sequence[ColumnDef]) -> None:
        at = shifted(self.calendar, self.period, asked.shift)
        within = asked.within or read_window("period" if asked.each == "week" else "year to date")
        whole, before = self._within(within, at, asked) if at else (None, [NoTime("no period", self._no_time(within))])
        pieces = pieces_of(self.calendar, whole, asked.each, asked.weeks) if whole else []
        if whole and not pieces:  # only weeks leave something out
            title = self.calendar.range_title(self.calendar.periods[whole.first], self.calendar.periods[whole.last])
            before = [
                NoTime(
                    title, f"weeks are cut from ordinary periods, and {title} is none: its entries belong to no week"
                )
            ]
        heading = asked.heading or {"period": "{period.name}", "year": "{year}"}.get(asked.each, "{window}")
        asked = replace(asked, heading=heading)
        for number, blank in enumerate(before):
            self._piece(asked, inner, f"before-{len(before) - number}", window=blank, label=blank.label)
        for place, piece in enumerate(pieces):
            self._piece(
                asked,
                inner,
                self._time_code(piece, asked.each),
                window=piece,
                label=fill_heading(heading, self.builder.values(piece, asked)),
            )
            following = pieces[place + 1] if place + 1 < len(pieces) else None
            for level in asked.totals:
                if following is None or self._level(piece, level) != self._level(following, level):
                    parts = [p for p in pieces[: place + 1] if self._level(p, level) == self._level(piece, level)]
                    self._time_total(asked, inner, parts, level)
        if asked.total and before:
            label = fill_heading(asked.total, self.builder.values(None, asked))
            self._piece(asked, inner, "total", is_total=True, window=NoTime(label, before[0].note), label=label)
        elif asked.total:
            self._time_total(asked, inner, pieces, "")

    def _within(self, within: WindowDef, at: Period, asked: ColumnDef) -> tuple[Window | None, list[NoTime]]:
        """The window that a series cuts, and blank pieces for what of it lies before the calendar, or that say why it
        can't be cut."""
        if within.kind in BY_DAY:
            return None, [NoTime("no period", f"a series is cut from whole periods, and '{within.written}' is days")]
        whole = window_at(self.calendar, within, at)
        if whole is not None:
            return whole, []
        if within.kind != "last":
            return None, [NoTime("no period", self._no_time(within))]
        known = window_at(self.calendar, read_window("from the beginning"), at)
        assert known is not None
        has = sum(not period.adjusting for period in self.calendar.periods[: known.last + 1])
        blank = NoTime(f"before {self.calendar.periods[0].title}", self._no_time(within))
        return known, [blank] * (within.first - has if asked.each == "period" else 1)

    def _no_time(self, within: WindowDef) -> str:
        return f"the calendar has no {within.written}, seen from {self.period.code}"

    def _time_total(self, asked: ColumnDef, inner: Sequence[ColumnDef], parts: list[Window], level: str) -> None:
        first, last = parts[0], parts[-1]
        title = self.calendar.range_title(self.calendar.periods[first.first], self.calendar.periods[last.last])
        window = Window(first.first, last.last, title)
        cut = pieces_of(self.calendar, window, level) if level else []
        if len(cut) == 1:
            window = replace(window, title=cut[0].title)
        label = fill_heading(asked.total, self.builder.values(window, asked)) if not level else window.title
        code = "total" if not level else self._time_code(window, level)
        self._piece(asked, inner, code, is_total=True, window=window, label=label)

    def _level(self, window: Window, level: str) -> object:
        period = self.calendar.periods[window.first]
        return {
            "quarter": (period.year, self.calendar.quarter_of(period)),
            "year": period.year,
            "period": period.index,
        }[level]

    def _time_code(self, window: Window, each: str) -> str:
        if each == "week" and window.start:
            return f"week-{window.start.isoformat()}"
        period = self.calendar.periods[window.first]
        return {
            "period": period.code.lower(),
            "quarter": f"{period.year}-q{self.calendar.quarter_of(period)}",
            "year": str(period.year),
        }[each]

    def _member_series(self, asked: ColumnDef, inner: Sequence[ColumnDef]) -> None:
        heading = asked.heading or "{member}"
        covered = np.zeros(len(self.view.keys), dtype=bool)
        rest = asked.narrow.without(asked.each)  # also where no member has anything
        asked = replace(asked, heading=heading)
        cut_by: frozenset[str] = frozenset()
        for code, name, mask, narrow, by in self._members(asked):
            covered |= mask
            cut_by |= by
            label = fill_heading(
                heading, {**self.builder.values(None, asked), "member": name, "member.code": code, "window": ""}
            )
            self._piece(
                asked, inner, slug(code), keys=mask, by=by, member=name, label=label, narrow=narrow, member_code=code
            )
        own = asked.none
        if not own and asked.each == "child" and (self._present(asked, EVERYTHING) & ~covered).any():
            own = self._alone(asked)
        if own:
            self._piece(
                asked,
                inner,
                "none",
                is_rest=True,
                keys=~covered,
                by=cut_by or frozenset({asked.each}),
                label=own,
                member=own,
                narrow=rest,
            )
        if asked.total:
            for column in inner:
                self._total(asked, column)

    def _total(self, asked: ColumnDef, column: ColumnDef) -> None:
        """The total of a series over one of its columns: the sum of figures, what compares of the totals it is of."""
        written = f"{asked.key}/{column.key}" if asked.columns else asked.key
        key = f"{asked.key}-total" + (f"-{column.key}" if asked.columns else "")
        groups = (asked.total, *column.groups) if asked.columns else column.groups
        if column.kind != "figures":
            made = {name: [f"{asked.key}-total-{name}"] for name in column.of}
            built = self.builder.single(replace(column, groups=groups), key, made)
        else:
            heading = column.heading if asked.columns else asked.total
            summed = replace(column, key=key, kind="sum", heading=heading, groups=groups, of=(written,), columns=())
            built = self.builder.single(summed, key, {written: list(self.builder.made.get(written, ()))})
        self.builder.add(replace(built, series=asked.key, is_total=True), written)

    def _present(self, asked: ColumnDef, narrow: Narrowing) -> BoolArray:
        """Mask of the visible posting keys of a series' node that something was ever booked on, as far as they are
        narrowed."""
        booked = self.view.ever_booked(asked.scenario, translated=self.translated)
        present = self.builder.node_of(asked).keys & booked
        return present & self.view.mask(narrow).keys if narrow else present

    def _alone(self, asked: ColumnDef) -> str:
        """What a node is called where it stands beside its children."""
        node = self.builder.node_of(asked)
        found = {one.code: one.name for one in nodes_of(self.view, self.scope, translated=self.translated)}
        return found.get(node.code + REST, f"{node.name} alone")

    def _members(self, asked: ColumnDef) -> Iterator[tuple[str, str, BoolArray, Narrowing, frozenset[str]]]:
        """(code, name, keys, what still narrows, by what they are told apart) of each child, entity or member that the
        series shows."""
        keys = self.view.keys
        if asked.each == "child":
            node = self.builder.node_of(asked)
            known = {one.code: one for one in nodes_of(self.view, self.scope, translated=self.translated)}
            present = self._present(asked, EVERYTHING)
            for code in known[node.code].children if node.code in known else ():
                if code in known and code != node.code + REST and (known[code].keys & present).any():
                    yield code, known[code].name, known[code].keys, asked.narrow, known[code].by
            return
        codes = codes_of(asked.each, self.frame)
        others = asked.narrow.without(asked.each)
        of_key = (
            keys.entity if asked.each == "entity" else keys.members[:, list(self.frame.dimensions).index(asked.each)]
        )
        shown = set(np.unique(of_key[self._present(asked, asked.narrow.only(asked.each))]).tolist())
        for place, item in enumerate(codes.items):
            if place in shown and not (item.code == "-" and asked.none):
                yield (
                    item.code,
                    item.name if item.code != "-" else "none",
                    of_key == place,
                    others,
                    frozenset({asked.each}),
                )
