"""The budget rows behind a figure."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction

from rulka.core.books.calendar import period_code, period_number
from rulka.core.books.own_calendar import first_day, last_day
from rulka.core.proof.pools import Pool, Slice
from rulka.core.proof.splits import OpenedFigure
from rulka.ledger.models import BudgetLine, Ledger
from rulka.ledger.reading.queries import within
from rulka.ledger.reading.trace_columns import places
from rulka.ledger.reading.trace_lines import PAGE, ShownLine, plain

# budget rows --------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class BudgetPage:
    """The budget rows behind a figure; `spread` says that days take only parts of them."""

    rows: tuple[ShownLine, ...]
    count: int
    total: Fraction
    number: int
    pages: int
    figure: Fraction
    spread: bool

    @property
    def agrees(self) -> bool:
        return self.total == self.figure


def budget_page(ledger: Ledger, opened: OpenedFigure, side: int | None, number: int = 1) -> BudgetPage | None:
    """A page of the budget rows behind a figure, of one of its sides or of all; None where no plan is read."""
    rows, planned, spread = _rows(ledger, opened, side)
    if not planned and not rows:
        return None
    pages = max(-(-len(rows) // PAGE), 1)
    number = min(max(number, 1), pages)
    start = (number - 1) * PAGE
    shown = tuple(_shown(pool, row, value) for pool, row, value in rows[start : start + PAGE])
    total = sum((value for _, _, value in rows), Fraction(0))
    return BudgetPage(shown, len(rows), total, number, pages, planned, spread)


def every_budget_row(ledger: Ledger, opened: OpenedFigure, side: int | None) -> list[ShownLine]:
    """All budget rows behind a figure, of one of its sides or of all."""
    return [_shown(pool, row, value) for pool, row, value in _rows(ledger, opened, side)[0]]


def _rows(
    ledger: Ledger, opened: OpenedFigure, side: int | None
) -> tuple[list[tuple[Pool, BudgetLine, Fraction]], Fraction, bool]:
    """The rows with what each counts, what plans come to in the figure, and whether days take only parts of them."""
    rows: list[tuple[Pool, BudgetLine, Fraction]] = []
    spread, planned = False, Fraction(0)
    for pool in opened.pools or ():
        if side is not None and pool.side != side:
            continue
        by_scenario: dict[str, set[int]] = {}
        for at, one in enumerate(pool.slices):
            if one.scenario != "actual" and one.kind in ("period", "days"):
                by_scenario.setdefault(one.scenario, set()).update(_stored_periods(pool, one))
                planned += pool.factor * plain(pool.amounts[at].sum())
                spread |= one.kind == "days"
        for scenario, periods in by_scenario.items():
            found = _stored_rows(ledger, pool, scenario, sorted(periods))
            rows += [(pool, row, pool.factor * _budgeted(pool, row.amount)) for row in found]
    return rows, planned, spread


def _stored_periods(pool: Pool, one: Slice) -> list[int]:
    calendar = pool.calendar
    wanted = [calendar.periods[place] for place in one.places]
    if not pool.reading.source.calendar:
        return [period_number(period.code) for period in wanted]
    start, end = (
        first_day(calendar, wanted),
        last_day(calendar, wanted),
    )  # a budget's period falls where its last day does
    group = pool.computed.view.frame.calendar
    return [period_number(period.code) for period in group.periods if start <= period.end <= end]


def _budgeted(pool: Pool, amount: int) -> int:
    if pool.measure == "debits":
        return max(amount, 0)
    return max(-amount, 0) if pool.measure == "credits" else amount


def _stored_rows(ledger: Ledger, pool: Pool, scenario: str, periods: list[int]) -> Iterable[BudgetLine]:
    ids = pool.computed.view.line_ids(pool.keys).tolist()
    return (
        BudgetLine.objects.filter(
            scenario__ledger=ledger, scenario__code=scenario, **within("key", ids), period__in=periods
        )
        .select_related("key__entity", "key__account", "scenario")
        .order_by("period", "key__account__code", "pk")
    )


def _shown(pool: Pool, row: BudgetLine, value: Fraction) -> ShownLine:
    view = pool.computed.view
    key = places(view)[row.key_id]
    members, names = {}, []
    for at, (dimension, codes) in enumerate(view.frame.dimensions.items()):
        item = codes.items[view.keys.members[key, at]]
        members[dimension] = item.code
        names += [item.name] if item.code != "-" else []
    account, partner = row.key.account, view.keys.partner[key]
    cells = {
        "period": period_code(row.period),
        "scenario": row.scenario.name,
        "account": account.code,
        "name": account.name,
        "members": ", ".join(names),
        "entity": row.key.entity.code,
        "partner": view.frame.entities.items[partner].code if partner >= 0 else "",
        "note": row.note,
        "amount": value,
        **members,
    }
    return ShownLine(cells, value, view.digits_of(key))
