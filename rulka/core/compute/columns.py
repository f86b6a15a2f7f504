"""A span at a period and node to the columns that stand on the page: series cut into pieces, windows found, headings
filled."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from copy import copy
from dataclasses import dataclass, field, replace

import numpy as np

from rulka.core.books.balances import Source
from rulka.core.books.book import View
from rulka.core.books.calendar import FiscalCalendar, Period, Window
from rulka.core.books.chart import BoolArray
from rulka.core.books.frame import QUANTITIES
from rulka.core.books.narrowing import EVERYTHING, Clause, Narrowing, codes_of
from rulka.core.books.own_calendar import own_period
from rulka.core.compute.nodes import REST, Node, find_node, keys_of_node, nodes_of
from rulka.core.definitions.headings import fill_heading
from rulka.core.definitions.keys import slug
from rulka.core.definitions.scopes import ScopeDef
from rulka.core.definitions.spans import COMPARED, TIME, ColumnDef, ColumnKind, SpanDef
from rulka.core.definitions.spines import Override
from rulka.core.definitions.windows import PIECE, Shift, WindowDef, pieces_of, read_window, shifted, weeks_of, window_at
from rulka.core.errors import NotFound, RulkaError, one_of

MOST_COLUMNS = 400


@dataclass(frozen=True)
class NoTime:
    """A piece of a series that the calendar doesn't have, and why."""

    label: str
    note: str


@dataclass(frozen=True)
class Column:
    """One column of a page.

    `window` is None for columns that work on others (`of`), for text, and where time leaves the calendar; `keys`
    `(keys,)` is what the column itself narrows to, None for nothing; `accounts` only where it names accounts. `at` is
    the period it is seen from, `node` whose figures it shows instead of the page's, `warnings` what its narrowing
    means nothing by. `is_mixed` says that it works on columns in different currencies.
    """

    asked: ColumnDef
    key: str
    heading: str
    groups: tuple[str, ...]
    kind: ColumnKind
    window: Window | None = None
    at: Period | None = None
    of: tuple[str, ...] = ()
    base: str = ""
    scenario_kind: str = ""
    hidden: bool = False
    keys: BoolArray | None = field(default=None, compare=False)
    accounts: BoolArray | None = field(default=None, compare=False)
    lines: tuple[Clause, ...] = ()
    series: str = ""
    is_cut: bool = False
    is_rest: bool = False
    is_total: bool = False
    note: str = ""
    node: Node | None = field(default=None, compare=False)
    is_statistical: bool = False
    is_mixed: bool = False
    calendar: str = ""
    """The name of the calendar it reads instead of the group's."""
    warnings: tuple[str, ...] = ()

    @property
    def names_accounts(self) -> Narrowing | None:
        """What it narrows by where that names accounts: lines take their signs from these then."""
        return None if self.accounts is None else self.asked.narrow

    @property
    def group(self) -> str:
        """The nearest heading above it."""
        return self.groups[-1] if self.groups else ""

    @property
    def has_figures(self) -> bool:
        """Whether it shows ledger figures of its own, at a time that the calendar has."""
        return self.kind == "figures" and self.window is not None

    @property
    def shows_quantities(self) -> bool:
        """Whether it shows quantities: by its measure, because it names none but statistical accounts, or works on such
        columns."""
        return self.asked.measure in QUANTITIES or self.is_statistical

    @property
    def is_empty(self) -> bool:
        """Whether it would show ledger figures, had the calendar its time."""
        return self.kind == "figures" and self.window is None


@dataclass(frozen=True)
class Reading:
    """What is read for a line in a column: which movements, over which window, by which measure; no window means
    nothing.

    `quantities` says that the measure is one of statistical accounts only; `measure` is then what it is of them.
    """

    source: Source
    window: Window | None
    measure: str
    quantities: bool = False


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
    return _Builder(span, scope, view, period, node, translated, calendar).build()


def period_in(view: View, calendar: str, period: Period) -> Period:
    """The period of a named calendar that is current where a period of the group's calendar ends; the same for the
    group's own."""
    if not calendar:
        return period
    return own_period(view.frame.calendars[calendar], period, period.end)


class _Builder:
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

    def build(self) -> tuple[Column, ...]:
        for asked in self.span.columns:
            builder = self._by_its_calendar(asked)
            if asked.kind == "series":
                builder._series(asked)
            else:
                builder._add(builder._single(asked, asked.key, self.made), asked.key)
        return tuple(self.columns)

    def _by_its_calendar(self, asked: ColumnDef) -> _Builder:
        """What builds a column of figures or a series in the calendar that it reads, beside the same columns."""
        if asked.kind not in ("figures", "series") or (asked.calendar or self.by_default) != "own":
            return self
        try:
            name = self._own_calendar(self._node_of(asked))
        except RulkaError as error:
            error.subject = f"column {asked.key}"
            raise
        if not name:
            return self
        found = copy(self)
        found.calendar_name, found.calendar = name, self.frame.calendars[name]
        found.period = period_in(self.view, name, self.period)
        return found

    def _own_calendar(self, node: Node) -> str:
        """The calendar that all entities of a node keep; empty for the group's."""
        if not self.frame.entity_calendars:
            return ""
        names = {self.frame.entity_calendars[place] for place in np.flatnonzero(node.entities)}
        if len(names) > 1:
            told = ", ".join(sorted(name or "the group's" for name in names))
            raise RulkaError(
                f"The companies of {node.name} keep different calendars: {told}.",
                hint="Choose one of them, or the group's calendar.",
            )
        if names and self.translated and names != {""}:
            raise RulkaError(
                "Books by a calendar of their own aren't translated.", hint="Show the entity in its own currency."
            )
        return names.pop() if names else ""

    def _add(self, column: Column, written: str) -> None:
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

    def _single(self, asked: ColumnDef, key: str, made: dict[str, list[str]], **piece: object) -> Column:
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
                column = self._with_keys(column, piece.get("keys"))
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

    def _with_keys(self, column: Column, piece: object) -> Column:
        asked = column.asked
        narrowing = asked.narrow
        keys: BoolArray | None = piece if isinstance(piece, np.ndarray) else None
        accounts: BoolArray | None = None
        warnings: tuple[str, ...] = ()
        if narrowing.by_key:
            mask = self.view.mask(narrowing)
            keys = mask.keys if keys is None else keys & mask.keys
            accounts = mask.accounts if mask.names_accounts else None
            warnings = mask.warnings
        node = self._node_of(asked) if asked.node else None
        if asked.inside:
            own = keys_of_node(self.view, self.scope, asked.inside)
            keys = own if keys is None else keys & own
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
        )

    def _node_of(self, asked: ColumnDef) -> Node:
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
        node = self._node_of(asked)
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
            looked = self.calendar.periods[window.first : window.last + 1]
            ordinary = [period for period in looked if not period.adjusting] or looked
            first, last = ordinary[0], ordinary[-1]
            values |= {
                "window": window.title,
                "period.name": last.title,
                "period.code": last.code,
                "period.number": last.number,
                "period.start": last.start,
                "period.end": last.end,
                "window.start": window.start or first.start,
                "window.end": window.end or last.end,
                "year": last.year,
                "from": first.title,
                "to": last.title,
            }
        return values

    # series ---------------------------------------------------------------------------------------------------------

    def _series(self, asked: ColumnDef) -> None:
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
            built = self._single(wanted, key, made, **piece)
            built = replace(built, series=asked.key, is_total=is_total, is_rest=is_rest)
            made.setdefault(column.key, []).append(built.key)
            self._add(built, asked.key if not asked.columns else f"{asked.key}/{column.key}")

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
                label=fill_heading(heading, self.values(piece, asked)),
            )
            following = pieces[place + 1] if place + 1 < len(pieces) else None
            for level in asked.totals:
                if following is None or self._level(piece, level) != self._level(following, level):
                    parts = [p for p in pieces[: place + 1] if self._level(p, level) == self._level(piece, level)]
                    self._time_total(asked, inner, parts, level)
        if asked.total and before:
            label = fill_heading(asked.total, self.values(None, asked))
            self._piece(asked, inner, "total", is_total=True, window=NoTime(label, before[0].note), label=label)
        elif asked.total:
            self._time_total(asked, inner, pieces, "")

    def _within(self, within: WindowDef, at: Period, asked: ColumnDef) -> tuple[Window | None, list[NoTime]]:
        """The window that a series cuts, and blank pieces for what of it lies before the calendar."""
        whole = window_at(self.calendar, within, at, asked.weeks)
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
        label = fill_heading(asked.total, self.values(window, asked)) if not level else window.title
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
        for code, name, mask, narrow in self._members(asked):
            covered |= mask
            label = fill_heading(
                heading, {**self.values(None, asked), "member": name, "member.code": code, "window": ""}
            )
            self._piece(asked, inner, slug(code), keys=mask, member=name, label=label, narrow=narrow, member_code=code)
        own = asked.none
        if not own and asked.each == "child" and (self._present(asked, EVERYTHING) & ~covered).any():
            own = self._alone(asked)
        if own:
            self._piece(asked, inner, "none", is_rest=True, keys=~covered, label=own, member=own, narrow=rest)
        if asked.total:
            for column in inner:
                written = f"{asked.key}/{column.key}" if asked.columns else asked.key
                parts = tuple(self.made.get(written, ()))
                key = f"{asked.key}-total" + (f"-{column.key}" if asked.columns else "")
                groups = (asked.total, *column.groups) if asked.columns else column.groups
                summed = replace(
                    column,
                    key=key,
                    kind="sum",
                    heading=column.heading if asked.columns else asked.total,
                    groups=groups,
                    of=(written,),
                    columns=(),
                )
                if column.kind != "figures":
                    summed = replace(column, groups=groups)
                    made = {name: [f"{asked.key}-total-{name}"] for name in column.of}
                    built = self._single(summed, key, made)
                else:
                    built = self._single(summed, key, {written: list(parts)})
                self._add(replace(built, series=asked.key, is_total=True), written)

    def _present(self, asked: ColumnDef, narrow: Narrowing) -> BoolArray:
        """Mask of the visible posting keys of a series' node that something was ever booked on, as far as they are
        narrowed."""
        booked = self.view.ever_booked(asked.scenario, translated=self.translated)
        present = self._node_of(asked).keys & booked
        return present & self.view.mask(narrow).keys if narrow else present

    def _alone(self, asked: ColumnDef) -> str:
        """What a node is called where it stands beside its children."""
        node = self._node_of(asked)
        found = {one.code: one.name for one in nodes_of(self.view, self.scope, translated=self.translated)}
        return found.get(node.code + REST, f"{node.name} alone")

    def _members(self, asked: ColumnDef) -> Iterator[tuple[str, str, BoolArray, Narrowing]]:
        """(code, name, keys, what still narrows) of each child, entity or member that the series shows."""
        keys = self.view.keys
        if asked.each == "child":
            node = self._node_of(asked)
            known = {one.code: one for one in nodes_of(self.view, self.scope, translated=self.translated)}
            present = self._present(asked, EVERYTHING)
            for code in known[node.code].children if node.code in known else ():
                if code in known and code != node.code + REST and (known[code].keys & present).any():
                    yield code, known[code].name, known[code].keys, asked.narrow
            return
        codes = codes_of(asked.each, self.frame)
        others = asked.narrow.without(asked.each)
        of_key = (
            keys.entity if asked.each == "entity" else keys.members[:, list(self.frame.dimensions).index(asked.each)]
        )
        shown = set(np.unique(of_key[self._present(asked, asked.narrow.only(asked.each))]).tolist())
        for place, item in enumerate(codes.items):
            if place in shown and not (item.code == "-" and asked.none):
                yield item.code, item.name if item.code != "-" else "none", of_key == place, others


def shifted_window(calendar: FiscalCalendar, window: Window, shift: Shift, week_start: str) -> Window | None:
    """A window moved as a whole: both its ends by so much; None where an end leaves the calendar."""
    if not shift:
        return window
    if window.by_day:
        number = next(
            (
                place
                for place, week in enumerate(weeks_of(calendar.periods[window.first], week_start))
                if week.start == window.start
            ),
            None,
        )
        period = shifted(calendar, calendar.periods[window.first], shift)
        weeks = list(weeks_of(period, week_start)) if period else []
        return weeks[number] if number is not None and number < len(weeks) else None
    first, last = (shifted(calendar, calendar.periods[place], shift) for place in (window.first, window.last))
    if first is None or last is None:
        return None
    found = Window(first.index, last.index, calendar.range_title(first, last))
    year = calendar.of_year(first.year)
    return (
        replace(found, title=f"FY{first.year}")
        if (year[0].index, year[-1].index) == (found.first, found.last) and len(year) > 1
        else found
    )


def reading_of(
    column: Column,
    override: Override,
    view: View,
    run_period: Period,
    *,
    translated: bool,
    lines: tuple[Clause, ...] = (),
) -> Reading:
    """What a line with an override reads in a column; a line's shift comes on top of the column's."""
    asked, calendar = column.asked, view.frame.calendars[column.calendar] if column.calendar else view.frame.calendar
    window, at = column.window, column.at
    if override.window or override.shift:
        moved = shifted(calendar, at, override.shift) if at else None
        if override.window:
            window = window_at(calendar, override.window, moved, asked.weeks) if moved else None
        elif column.is_cut:
            window = shifted_window(calendar, window, override.shift, asked.weeks) if window else None
        else:
            window = window_at(calendar, asked.window, moved, asked.weeks) if moved else None
    scenario = override.scenario or asked.scenario
    then = "" if override.scenario else asked.then
    until = period_in(view, column.calendar, run_period).index if then else -1
    every = tuple(dict.fromkeys((*column.lines, *lines)))
    source = Source(scenario, override.entries or asked.entries, then, until, every, translated, column.calendar)
    measure = override.measure or asked.measure
    return Reading(source, window, QUANTITIES.get(measure, measure), measure in QUANTITIES)
