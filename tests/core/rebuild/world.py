"""Ledgers made for rebuilding, with other charts than the demo's: codes in no order, no categories, accounts that stand
below others or don't; tables made of them by plain sums."""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import ROUND_HALF_UP, Decimal

from rulka.core.books.book import View
from rulka.core.books.fence import NO_FENCE
from rulka.core.rebuild.given import Given, given_from
from tests.books import Line, Works, book_of

MONTHS = [(2025, month) for month in range(1, 13)] + [(2026, month) for month in range(1, 13)]
WORDS = ("Tolls", "Ropes", "Wages", "Rent", "Repairs", "Ice", "Nets", "Fees", "Grants", "Insurance", "Power", "Travel",
         "Audit", "Paint", "Freight", "Salt", "Bait", "Crates", "Water", "Phones")  # fmt: skip


@dataclass(frozen=True)
class Yard:
    """A ledger of revenue and expense accounts in untidy codes, every month booked; `groups` are what a statement's
    lines add up."""

    works: Works
    groups: tuple[tuple[str, ...], ...]

    def view(self) -> View:
        return book_of(self.works).within(NO_FENCE)

    def sum(self, entity: str, accounts: Sequence[str], months: Sequence[tuple[int, int]], scenario: str) -> Decimal:
        """Debit positive, by plain addition."""
        return sum(
            (
                one.amount for one in self.works.lines
                if one.entity == entity and one.account in accounts and one.scenario == scenario
                and (one.day.year, one.day.month) in months
            ),
            Decimal(0),
        )  # fmt: skip


def yard(seed: int, *, accounts: int = 40, ordered: bool = True) -> Yard:
    """A ledger of two companies; lines take accounts that follow each other, or any where not `ordered`."""
    chance = random.Random(seed)
    codes = sorted({f"{chance.choice('ABK')}{chance.randrange(10, 99)}{chance.choice(['', '.1', '-X'])}"
                    for _ in range(accounts * 3)})  # fmt: skip
    codes = sorted(chance.sample(codes, min(accounts, len(codes))))
    rows = [{"code": "30", "type": "equity", "name": "Kept"}, {"code": "10", "type": "asset", "name": "Bank"}]
    rows += [
        {"code": code, "type": chance.choice(("expense", "expense", "revenue")),
         "name": f"{chance.choice(WORDS)} {place}", "parent": ""}
        for place, code in enumerate(codes)
    ]  # fmt: skip
    lines = []
    for entity, used in (("A", codes), ("B", chance.sample(codes, len(codes) * 2 // 3))):
        for year, month in MONTHS:
            for scenario in ("actual", "budget"):
                for code in used:
                    amount = Decimal(chance.randrange(100, 9_000_000)) / 100 * chance.choice((1, 1, 1, -1))
                    lines.append(Line(entity, code, amount, date(year, month, 15), scenario=scenario))
    works = Works(
        {"first_month": 1, "year_label": "start", "first_year": 2025, "last_year": 2026, "adjusting_periods": 0},
        [{"code": "A", "currency": "EUR"}, {"code": "B", "currency": "EUR"}], rows, [], lines, reserve="",
    )  # fmt: skip
    order = list(codes)
    if not ordered:
        chance.shuffle(order)
    groups, place = [], 0
    while place < len(order):
        count = chance.randrange(1, 6)
        groups.append(tuple(order[place : place + count]))
        place += count
    return Yard(works, tuple(groups))


COLUMNS = {
    "month": (("actual", [(2026, 5)])), "budget": ("budget", [(2026, 5)]),
    "year": ("actual", [(2026, month) for month in range(1, 6)]), "before": ("actual", [(2025, 5)]),
    "year before": ("actual", [(2025, month) for month in range(1, 6)]),
}  # fmt: skip


def table_of(made: Yard, entity: str, columns: Sequence[str], *, scale: int = 0, decimals: int = 2) -> Given:
    """The statement of its groups, a total below; costs positive."""
    rows = []
    total = [Decimal(0)] * len(columns)
    for place, group in enumerate(made.groups):
        values = [made.sum(entity, group, *reversed(COLUMNS[name])) for name in columns]
        total = [one + other for one, other in zip(total, values, strict=True)]
        rows.append((f"Line {place}", [_shown(value, scale, decimals) for value in values]))
    rows.append(("In all", [_shown(value, scale, decimals) for value in total]))
    return given_from(list(columns), rows)


def _shown(value: Decimal, scale: int, decimals: int) -> Decimal:
    return (value / 10**scale).quantize(Decimal(1).scaleb(-decimals), ROUND_HALF_UP)
