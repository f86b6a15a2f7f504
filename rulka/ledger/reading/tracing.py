"""The last steps of a trace: the journal lines and budget rows behind a component."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any

from django.core.paginator import Page, Paginator
from django.db.models import F, QuerySet

from rulka.core.books.calendar import period_code, period_number
from rulka.core.books.chart import IntArray
from rulka.core.books.frame import ACTIVITY, OPENING, STATUSES
from rulka.core.books.own_calendar import first_day, last_day, periods_of_group
from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.leaves import Leaf
from rulka.core.errors import NotFound, RulkaError
from rulka.core.money import QUANTITY_DIGITS
from rulka.core.proof.trace import Part, account_keys, trace_account, trace_rolled
from rulka.core.values import is_whole, quoted
from rulka.ledger.models import BudgetLine, JournalLine, Ledger
from rulka.ledger.reading.line_reader import texts_of
from rulka.ledger.reading.queries import LineFilter, budget_rows, lines_behind, totals

PAGE = 20
SORTS = {
    "newest": ("-date", "-entry__number", "line"),
    "oldest": ("date", "entry__number", "line"),
    "largest": ("-size", "-date", "line"),
    "document": ("document", "date", "line"),
}


@dataclass(frozen=True)
class ShownLine:
    """One journal line or budget row of a trace."""

    day: str
    text: str
    document: str
    entity: str
    entry: str
    debit: Fraction
    credit: Fraction
    status: str


@dataclass(frozen=True)
class LinesPage:
    """A page of lines with the totals over all of them; `agrees` says that they give the figure they came from."""

    title: str
    value: Fraction
    lines: tuple[ShownLine, ...]
    page: Page[Any]
    count: int
    debit: Fraction
    credit: Fraction
    total: Fraction
    agrees: bool
    filtered: bool
    digits: int
    kind: str
    money: bool
    note: str = ""


def _part(computed: Computed, row: str, column: str, account: str, address: str, rolled: str) -> Part:
    if rolled:
        if not is_whole(rolled):
            raise NotFound(f"{quoted(rolled)} is not a fiscal year.", subject="trace")
        parts = trace_rolled(computed, row, column, computed.view.frame.retained_earnings, int(rolled)).parts
        found = [part for part in parts if part.account == account]
    else:
        found = [part for part in trace_account(computed, row, column, account).parts if part.component == address]
    if not found:
        raise NotFound(f"'{address}' is no part of account {account} here.", subject="trace")
    return found[0]


def lines_page(
    ledger: Ledger,
    computed: Computed,
    row: str,
    column: str,
    account: str,
    address: str,
    *,
    rolled: str = "",
    sort: str = "newest",
    search: str = "",
    number: int = 1,
) -> LinesPage:
    """The lines behind one component of an account, sorted, filtered and paged; refused where the account is sealed."""
    part = _part(computed, row, column, account, address, rolled)
    view, frame = computed.view, computed.view.frame
    place = frame.accounts.index[account]
    if view.sealed[place]:
        raise RulkaError(
            f"The detail of {account} {frame.accounts[account].name} is sealed.",
            hint="Its total counts; its lines show only to those who may open the seal.",
            subject="trace",
            code="sealed",
        )
    leaf, shown_column = computed.leaf(row), computed.column(column)
    chosen = (
        _rolling_keys(computed, leaf, shown_column, place)
        if rolled
        else account_keys(computed, leaf, shown_column, place)
    )
    keys = [int(view.keys.ids[key]) for key in chosen if view.keys.ids[key]]
    kind, _, code = part.component.partition(":")
    reading = computed.readings.reading(leaf, shown_column)
    source, measure = reading.source, reading.measure
    days = reading.window if kind == "days" else None
    calendar = computed.plan.calendar_of(shown_column)
    if days is not None:
        wanted = [period for period in calendar.periods[days.first : days.last + 1] if not period.adjusting]
    else:
        wanted = [
            period
            for period in calendar.periods
            if (period.code == code if kind != "year" else str(period.year) == code)
        ]
    start, end = (days.start, days.end) if days else (None, None)
    stored = wanted
    if shown_column.calendar:
        start, end = start or first_day(calendar, wanted), end or last_day(calendar, wanted)
        stored = periods_of_group(frame.calendar, calendar, wanted, whole=kind != "days")
    periods = [period_number(period.code) for period in stored]
    quantity = frame.accounts.items[place].type == "statistical"
    digits = QUANTITY_DIGITS if quantity else computed.readings.digits(leaf, shown_column)
    title = f"{account} {frame.accounts[account].name}, {part.label}"
    side = measure if measure in ("debits", "credits") else ""
    sign = computed.readings.sign(leaf, shown_column) * computed.readings.part_sign(leaf, shown_column)
    scenario = source.then if source.then and wanted and wanted[0].index > source.until else source.scenario
    if scenario != "actual":
        if shown_column.calendar and start and end and days is None:  # a budget's period falls where its last day does
            periods = [period_number(period.code) for period in stored if start <= period.end <= end]
        rows = budget_rows(scenario, ledger, keys, periods).order_by("period", "pk")
        return _budget_page(rows, part, title, digits, measure, sign, number, money=not quantity)
    effect = {"period": ACTIVITY, "opening": OPENING}.get(kind)
    if days is not None:
        effect = ACTIVITY
    whole = LineFilter(
        keys, periods, effect, STATUSES[source.status], side, "", start, end, texts_of(view, source.lines)
    )
    lines = lines_behind(replace(whole, search=search))
    count, debit, credit = totals(lines)
    _, all_debit, all_credit = totals(lines_behind(whole)) if search else (count, debit, credit)
    net = sign * {"debits": all_debit, "credits": all_credit}.get(measure, all_debit - all_credit)
    shown_net = sign * {"debits": debit, "credits": credit}.get(measure, debit - credit)
    if sort == "largest":
        lines = lines.annotate(size=F("debit") + F("credit"))
    ordered = lines.order_by(*SORTS.get(sort, SORTS["newest"])).select_related("entry__entity")
    page = Paginator(ordered, PAGE).get_page(number)
    return LinesPage(
        title,
        part.value or Fraction(0),
        tuple(_shown(line, digits) for line in page.object_list),
        page,
        count,
        Fraction(debit, 10**digits),
        Fraction(credit, 10**digits),
        Fraction(shown_net, 10**digits),
        Fraction(net, 10**digits) == part.value,
        bool(search),
        digits,
        "lines",
        not quantity,
        _local_note(computed, chosen),
    )


def _rolling_keys(computed: Computed, leaf: Leaf, column: Column, account: int) -> IntArray:
    """Places of the keys of a result account that roll into the retained earnings behind a cell."""
    view = computed.view
    into = account_keys(computed, leaf, column, view.frame.accounts.index[view.frame.retained_earnings])
    rolling = view.rolling_into(into)
    chosen: IntArray = rolling[view.keys.account[rolling] == account]
    return chosen


def _local_note(computed: Computed, keys: IntArray) -> str:
    """What to say where lines stand in another currency than the translated figure; empty where they don't."""
    frame = computed.view.frame
    currencies = {frame.currencies[place] for place in computed.view.keys.entity[keys]} - {frame.group_currency}
    if not computed.plan.translated or not currencies:
        return ""
    return f"Lines are in {', '.join(sorted(currencies))}; the figure is translated into {frame.group_currency}."


def _shown(line: JournalLine, digits: int) -> ShownLine:
    return ShownLine(
        line.date.isoformat(),
        line.description,
        line.document,
        line.entry.entity.code,
        line.entry.number,
        Fraction(line.debit, 10**digits),
        Fraction(line.credit, 10**digits),
        "pending" if line.status else "",
    )


def _budget_page(
    rows: QuerySet[BudgetLine],
    part: Part,
    title: str,
    digits: int,
    measure: str,
    sign: int,
    number: int,
    *,
    money: bool,
) -> LinesPage:
    amounts = list(rows.values_list("amount", flat=True))
    debit, credit = sum(a for a in amounts if a > 0), -sum(a for a in amounts if a < 0)
    value = part.value or Fraction(0)
    total = Fraction(sign * {"debits": debit, "credits": credit}.get(measure, debit - credit), 10**digits)
    page = Paginator(rows, PAGE).get_page(number)
    lines = tuple(
        ShownLine(
            period_code(row.period),
            row.note or f"{row.scenario.name}, {row.key.entity.code}",
            "",
            "",
            "",
            Fraction(max(row.amount, 0), 10**digits),
            Fraction(max(-row.amount, 0), 10**digits),
            "",
        )
        for row in page.object_list
    )
    return LinesPage(
        title,
        value,
        lines,
        page,
        len(amounts),
        Fraction(debit, 10**digits),
        Fraction(credit, 10**digits),
        total,
        total == value,
        False,
        digits,
        "budget rows",
        money,
    )
