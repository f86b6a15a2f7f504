"""The columns that stand on a page, and what is read for a line in one of them."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from rulka.core.books.balances import MovementSource
from rulka.core.books.book import View
from rulka.core.books.calendar import FiscalCalendar, Period, Window
from rulka.core.books.chart import BoolArray
from rulka.core.books.frame import QUANTITIES
from rulka.core.books.narrowing import Clause, Narrowing
from rulka.core.books.own_calendar import own_period
from rulka.core.compute.nodes import Node
from rulka.core.definitions.spans import ColumnDef, ColumnKind
from rulka.core.definitions.spines import Override
from rulka.core.definitions.windows import Shift, Stretch, shifted, weeks_of, window_at


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
    by: frozenset[str] = frozenset()
    """What tells the keys that it narrows to from others: entity, partner, dimensions."""

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
class ColumnReading:
    """What is read for a line in a column: which movements, over which window, by which measure; no window means
    nothing.

    `quantities` says that the measure is one of statistical accounts only; `measure` is then what it is of them.
    """

    source: MovementSource
    window: Window | None
    measure: str
    quantities: bool = False


def period_in(view: View, calendar: str, period: Period) -> Period:
    """The period of a named calendar that is current where a period of the group's calendar ends; the same for the
    group's own."""
    if not calendar:
        return period
    return own_period(view.frame.calendars[calendar], period, period.end)


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


def stretch_in(stretch: Stretch, column: Column, view: View, run_period: Period) -> Window | None:
    """The periods that a stretch is in a column: moved as the column is, in its calendar, of a piece of a series those
    of the piece's year that lie within it. None where there are none, where the calendar lacks one of them, since less
    than all would be no whole, and in the total of a series through time, whose pieces lie apart.

    A period that the column's calendar has and the run's doesn't, such as an adjusting one, belongs to the row before,
    so that the rows add up to the whole.
    """
    calendar = view.frame.calendars[column.calendar] if column.calendar else view.frame.calendar
    moved = [_moved(period, column, view, calendar, run_period) for period in stretch.periods]
    own = [period.index for period in moved if period is not None]
    lacks = any(one is None and not asked.adjusting for one, asked in zip(moved, stretch.periods, strict=True))
    if not own or (lacks and not (column.is_cut or stretch.of_all)) or (column.is_cut and column.is_total):
        return None
    first, last = own[0], own[-1]
    following = _moved(stretch.following, column, view, calendar, run_period) if stretch.following else None
    if following is not None:
        last = following.index - 1
    if column.is_cut and column.window is not None:
        first, last = max(first, column.window.first), min(last, column.window.last)
    if last < first:
        return None
    return Window(first, last, calendar.range_title(calendar.periods[first], calendar.periods[last]))


def _moved(period: Period, column: Column, view: View, calendar: FiscalCalendar, run_period: Period) -> Period | None:
    """What a period of the run is in a column: shifted as it is, in a piece of a series of the piece's year."""
    if column.at is None:
        return None
    own, run = (period_in(view, column.calendar, one) for one in (period, run_period))
    if column.at == shifted(calendar, run, column.asked.shift):
        return shifted(calendar, own, column.asked.shift)
    year = column.at.year + own.year - run.year
    return next((one for one in calendar.of_year(year) if one.number == own.number), None)


def reading_of(
    column: Column,
    override: Override,
    view: View,
    run_period: Period,
    *,
    translated: bool,
    lines: tuple[Clause, ...] = (),
) -> ColumnReading:
    """What a line with an override reads in a column; a line's shift comes on top of the column's."""
    asked, calendar = column.asked, view.frame.calendars[column.calendar] if column.calendar else view.frame.calendar
    window, at = column.window, column.at
    if override.stretch is not None:
        window = stretch_in(override.stretch, column, view, run_period)
    elif override.window or override.shift:
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
    source = MovementSource(
        scenario, override.entries or asked.entries, then, until, every, translated, column.calendar
    )
    measure = override.measure or asked.measure
    return ColumnReading(source, window, QUANTITIES.get(measure, measure), measure in QUANTITIES)
