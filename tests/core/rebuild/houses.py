"""Whole ledgers made for rebuilding: companies with balance sheets and income statements, charts of three habits (tidy
ranges, codes without order, accounts below others), no categories, depreciation mirrored by what it accumulates; and
their statements, made by plain sums."""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import ROUND_HALF_UP, Decimal

from rulka.core.books.book import View
from rulka.core.books.fence import NO_FENCE
from rulka.core.rebuild.given import Given, given_from
from tests.books import Line, Works, book_of

MONTHS = [(2025, month) for month in range(1, 13)] + [(2026, month) for month in range(1, 13)]
Row = tuple[str, tuple[str, ...], int]
"""A row of a statement: caption, the accounts that it adds up (none: a heading), their sign."""

INCOME = (
    ("Revenue", -1, ("Berth fees", "Crane hire", "Storage", "Ice and water")),
    ("Staff", 1, ("Wages", "Social charges", "Training")),
    ("Running costs", 1, ("Power and fuel", "Repairs", "Insurance", "Offices", "Marketing")),
    ("Depreciation", 1, ("Depreciation of quays", "Depreciation of cranes")),
    ("Financing", 1, ("Interest paid", "Bank charges")),
)
BALANCE = (
    ("Fixed assets", 1, ("Quays", "Cranes", "Accumulated depreciation")),
    ("Current assets", 1, ("Receivables", "Stores", "Cash and bank")),
    ("Liabilities", -1, ("Payables", "Taxes owed", "Loans")),
    ("Equity", -1, ("Share capital", "Retained")),
)


@dataclass(frozen=True)
class House:
    """A ledger and what its statements' lines add up."""

    works: Works
    lines: dict[str, tuple[str, ...]]
    booked: dict[tuple[str, str, str], dict[tuple[int, int], Decimal]] = field(default_factory=dict)

    def view(self) -> View:
        return book_of(self.works).within(NO_FENCE)

    def used(self, entity: str) -> set[str]:
        return {account for one, account, _ in self.booked if one == entity}


def _house_of(
    chance: random.Random, accounts: list[dict[str, str]], lines: dict[str, tuple[str, ...]], mirrors: dict[str, str]
) -> House:
    """The ledger of drawn accounts, with what is booked on them."""
    quays, cranes = lines["Depreciation of quays"], lines["Depreciation of cranes"]
    for expense, accumulated in zip((*quays, *cranes), lines["Accumulated depreciation"] * 4, strict=False):
        mirrors[expense] = accumulated
    accounts.append({"code": "Z9", "type": "statistical", "name": "Heads", "parent": ""})
    booked = _booked(chance, lines, mirrors)
    every = [
        Line(entity, account, amount, date(year, month, 15), scenario=scenario)
        for (entity, account, scenario), months in booked.items() for (year, month), amount in months.items() if amount
    ]  # fmt: skip
    works = Works(
        {"first_month": 1, "year_label": "start", "first_year": 2025, "last_year": 2026, "adjusting_periods": 0},
        [{"code": code, "currency": "EUR"} for code in "ABC"], accounts, [], every,
        kept=lines["Retained"][0], reserve="",
    )  # fmt: skip
    return House(works, lines, booked)


def house(seed: int, habit: str = "tidy") -> House:
    """A ledger; `habit` is tidy, untidy (codes say nothing) or below (lines are accounts with others below them)."""
    chance = random.Random(f"{seed} {habit}")
    accounts: list[dict[str, str]] = []
    lines: dict[str, tuple[str, ...]] = {}
    mirrors: dict[str, str] = {}
    taken: set[str] = set()
    base = 1000
    for layout, kinds in (
        (BALANCE, ("asset", "asset", "liability", "equity")),
        (INCOME, ("revenue", *["expense"] * 4)),
    ):
        for (_, _, captions), kind in zip(layout, kinds, strict=True):
            base += 1000 - base % 1000
            for caption in captions:
                base += 100 - base % 100
                count = chance.randrange(1, 7)
                if caption == "Accumulated depreciation":
                    count = 4
                codes = []
                for place in range(count):
                    base += chance.choice((1, 5, 10))
                    code = str(base) if habit != "untidy" else _untidy(chance, taken)
                    codes.append(code)
                    name = (
                        caption
                        if count == 1
                        else f"{caption} {chance.choice(['north', 'south', 'east', 'west', 'pier'])} {place + 1}"
                    )
                    accounts.append({"code": code, "type": kind, "name": name, "parent": ""})
                if habit == "below" and count > 1:
                    own = f"{codes[0][:2]}{caption[:3].upper()}"
                    accounts.append({"code": own, "type": kind, "name": caption, "parent": ""})
                    for row in accounts:
                        row["parent"] = own if row["code"] in codes else row["parent"]
                lines[caption] = tuple(codes)
    return _house_of(chance, accounts, lines, mirrors)


def _untidy(chance: random.Random, taken: set[str]) -> str:
    while True:
        code = f"{chance.choice('ABKX')}{chance.randrange(10, 99)}{chance.choice(['', '.1', '-X', '/2'])}"
        if code not in taken:
            taken.add(code)
            return code


class _Books:
    """What is booked, drawn entity by entity."""

    def __init__(self, chance: random.Random, lines: dict[str, tuple[str, ...]], mirrors: dict[str, str]) -> None:
        self.chance, self.lines, self.mirrors = chance, lines, mirrors
        self.cash = lines["Cash and bank"][0]
        self.found: dict[tuple[str, str, str], dict[tuple[int, int], Decimal]] = {}

    def book(self, entity: str, account: str, scenario: str, month: tuple[int, int], amount: Decimal) -> None:
        own = self.found.setdefault((entity, account, scenario), {})
        own[month] = own.get(month, Decimal(0)) + amount

    def entity(self, entity: str) -> None:
        """An entity that uses most of the accounts, at a size of its own."""
        chance, lines = self.chance, self.lines
        size = chance.choice((1, 3, 10))
        used = {
            code for caption in lines for code in lines[caption] if chance.random() < 0.85 or code == lines[caption][0]
        }  # fmt: skip
        level = {code: chance.randrange(2_000_00, 90_000_00) * size for code in sorted(used)}
        for month in MONTHS:
            for scenario in ("actual", "budget"):
                self._income(entity, scenario, month, level)
            self._balances(entity, month, level)
        for code in lines["Share capital"]:
            if code in used:
                amount = Decimal(chance.randrange(1, 40) * 10_000)
                self.book(entity, code, "actual", MONTHS[0], -amount)
                self.book(entity, self.cash, "actual", MONTHS[0], amount)

    def _income(self, entity: str, scenario: str, month: tuple[int, int], level: dict[str, int]) -> None:
        for code, sign in ((code, sign) for _, sign, names in INCOME for name in names for code in self.lines[name]):
            if code not in level:
                continue
            swing = Decimal(self.chance.randrange(80, 121)) / 100
            amount = (Decimal(level[code]) * swing / 100).quantize(Decimal("0.01")) * sign
            if scenario == "budget":
                amount = amount.quantize(Decimal(100))
            elif code in self.mirrors:
                amount = Decimal(level[code]) / 100
            self.book(entity, code, scenario, month, amount)
            if scenario == "actual":
                self.book(entity, self.mirrors.get(code, self.cash), scenario, month, -amount)

    def _balances(self, entity: str, month: tuple[int, int], level: dict[str, int]) -> None:
        for caption in (name for _, _, names in BALANCE for name in names):
            if caption in ("Accumulated depreciation", "Share capital", "Retained"):
                continue
            sign, first = -1 if caption in BALANCE[2][2] else 1, 20 if month == MONTHS[0] else 1
            for code in self.lines[caption]:
                if code in level and code != self.cash:
                    drawn = self.chance.randrange(-level[code] // 4, level[code] // 2) * first
                    amount = Decimal(drawn) / 100 * sign
                    self.book(entity, code, "actual", month, amount)
                    self.book(entity, self.cash, "actual", month, -amount)


def _booked(
    chance: random.Random, lines: dict[str, tuple[str, ...]], mirrors: dict[str, str]
) -> dict[tuple[str, str, str], dict[tuple[int, int], Decimal]]:
    books = _Books(chance, lines, mirrors)
    for entity in "ABC":
        books.entity(entity)
    return books.found


# statements -----------------------------------------------------------------------------------------------------------

Column = tuple[str, str, tuple[tuple[int, int], ...]]


def columns_of(year: int, month: int) -> dict[str, Column]:
    """The columns that statements have, as (scenario, months)."""
    own, before = (year, month), (year - 1, month)
    to_date = tuple((year, one) for one in range(1, month + 1))
    last = tuple((year - 1, one) for one in range(1, month + 1))
    return {
        "month": ("Actual", "actual", (own,)), "budget": ("Budget", "budget", (own,)),
        "year": ("Year to date", "actual", to_date), "year budget": ("Budget to date", "budget", to_date),
        "before": ("Last year", "actual", (before,)), "year before": ("Last year to date", "actual", last),
    }  # fmt: skip


def sum_of(
    made: House, entity: str, accounts: Sequence[str], scenario: str, months: Sequence[tuple[int, int]]
) -> Decimal:
    """Debit positive, by plain addition."""
    found = Decimal(0)
    for code in accounts:
        own = made.booked.get((entity, code, scenario), {})
        found += sum((own.get(month, Decimal(0)) for month in months), Decimal(0))
    return found


def income_table(
    made: House, entity: str, year: int, month: int, names: Sequence[str], *, scale: int = 0, decimals: int = 2
) -> tuple[Given, list[Row]]:
    """An income statement: sections with totals, the result last; with what its rows add up."""
    columns = [columns_of(year, month)[name] for name in names]
    rows: list[tuple[str, list[Decimal | None]]] = []
    truth: list[Row] = []
    result = [Decimal(0)] * len(columns)
    for title, sign, captions in INCOME:
        rows.append((title, [None] * len(columns)))
        truth.append((title, (), sign))
        total = [Decimal(0)] * len(columns)
        for caption in captions:
            values = [sign * sum_of(made, entity, made.lines[caption], kind, months) for _, kind, months in columns]
            rows.append((caption, [_shown(value, scale, decimals) for value in values]))
            truth.append((caption, made.lines[caption], sign))
            total = [one + value for one, value in zip(total, values, strict=True)]
        rows.append((f"Total {title.lower()}", [_shown(value, scale, decimals) for value in total]))
        truth.append((f"Total {title.lower()}", (), sign))
        result = [one - sign * value for one, value in zip(result, total, strict=True)]
    rows.append(("Result", [_shown(value, scale, decimals) for value in result]))
    truth.append(("Result", (), 1))
    return given_from([heading for heading, _, _ in columns], rows), truth


def balance_table(
    made: House, entity: str, ends: Sequence[tuple[int, int]], *, scale: int = 0, decimals: int = 2
) -> tuple[Given, list[Row]]:
    """A balance sheet with the result of the year in equity."""
    rows: list[tuple[str, list[Decimal | None]]] = []
    truth: list[Row] = []
    income = [code for _, _, captions in INCOME for caption in captions for code in made.lines[caption]]
    spans = [tuple(month for month in MONTHS if month <= end) for end in ends]
    years = [tuple(month for month in span if month[0] == end[0]) for span, end in zip(spans, ends, strict=True)]
    for title, sign, captions in BALANCE:
        rows.append((title, [None] * len(ends)))
        truth.append((title, (), sign))
        total = [Decimal(0)] * len(ends)
        own = [(caption, made.lines[caption]) for caption in captions]
        if title == "Equity":
            own.append(("Result of the year", tuple(income)))
        for caption, codes in own:
            values = []
            for span, year in zip(spans, years, strict=True):
                value = sum_of(made, entity, codes, "actual", year if caption == "Result of the year" else span)
                if caption == "Retained":
                    value += sum_of(made, entity, income, "actual", [one for one in span if one not in year])
                values.append(sign * value)
            rows.append((caption, [_shown(value, scale, decimals) for value in values]))
            truth.append((caption, codes, sign))
            total = [one + value for one, value in zip(total, values, strict=True)]
        rows.append((f"Total {title.lower()}", [_shown(value, scale, decimals) for value in total]))
        truth.append((f"Total {title.lower()}", (), sign))
    return given_from([f"{year}-{month:02}" for year, month in ends], rows), truth


def _shown(value: Decimal, scale: int, decimals: int) -> Decimal:
    return (value / 10**scale).quantize(Decimal(1).scaleb(-decimals), ROUND_HALF_UP)


def regrouped(made: House, seed: int, entity: str) -> House:
    """The same ledger, its income accounts dealt to the same number of lines at random."""
    chance = random.Random(seed)
    groups = dict(made.lines)
    for _, _, captions in INCOME:
        every = [code for caption in captions for code in made.lines[caption]]
        used = [code for code in every if code in made.used(entity)]
        chance.shuffle(used)
        cuts = sorted(chance.sample(range(1, len(used)), min(len(captions) - 1, len(used) - 1)))
        parts = [used[first:last] for first, last in zip([0, *cuts], [*cuts, len(used)], strict=True)]
        for caption, part in zip(captions, [*parts, *([[]] * len(captions))], strict=False):
            groups[caption] = tuple(part)
    return House(made.works, groups, made.booked)
