"""What Ternwick planned: amounts by month from seasons, growth and known dates, in whole cents; budgets are made of
it."""

from __future__ import annotations

import calendar
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date

from demo.chart import CREW, REGISTER

SEASON = dict(enumerate((0.50, 0.50, 0.65, 0.90, 1.10, 1.40, 1.62, 1.53, 1.15, 0.88, 0.60, 0.52), start=1))
"""Share of an average month; June to August carries three times December to February."""

CROSSING_SHARE = {"N": 0.24, "I": 0.45, "S": 0.31}
SAILINGS_A_DAY = {"N": 4, "I": 10, "S": 8}
START, LAST = date(2023, 4, 1), date(2026, 10, 31)
PLANNED_TO = date(2027, 3, 31)

# average euro a month over a year, before growth and season: account -> amount
FARES = {
    "4010": 390_000,
    "4020": 62_000,
    "4030": 41_000,
    "4040": 14_500,
    "4110": 545_000,
    "4120": 131_000,
    "4130": 58_000,
    "4140": 12_500,
}
ONBOARD = {"4410": 78_000, "4420": 66_000, "4430": 4_800}
FREIGHT_SEK = {"4210": 2_650_000, "4220": 1_240_000, "4230": 118_000, "4240": 305_000}
FUEL_PER_SAILING = {"N": 640.0, "I": 355.0, "S": 410.0}
SEASON_CARDS = {"4310": 43_000, "4320": 21_000}
SOCIAL, PENSION = 0.235, 0.06
BERTH_FEE = 93_000


@dataclass(frozen=True)
class Month:
    """One calendar month with its fiscal period."""

    year: int
    month: int

    @property
    def fiscal_year(self) -> int:
        return self.year + 1 if self.month >= 4 else self.year

    @property
    def number(self) -> int:
        return (self.month - 4) % 12 + 1

    @property
    def code(self) -> str:
        return f"{self.fiscal_year}-P{self.number:02d}"

    @property
    def days(self) -> list[date]:
        return [date(self.year, self.month, day) for day in range(1, calendar.monthrange(self.year, self.month)[1] + 1)]

    @property
    def last(self) -> date:
        return self.days[-1]

    @property
    def growth(self) -> float:
        """Three per cent a year on volumes and prices together."""
        return 1.03 ** (self.fiscal_year - 2024)

    @property
    def season(self) -> float:
        return SEASON[self.month]


def months(first: date, last: date) -> Iterator[Month]:
    year, month = first.year, first.month
    while (year, month) <= (last.year, last.month):
        yield Month(year, month)
        year, month = (year + 1, 1) if month == 12 else (year, month + 1)


def sailings(month: Month, crossing: str) -> int:
    """Sailings planned on an average day of the month; volume hardly moves between years."""
    return max(2, round(SAILINGS_A_DAY[crossing] * (0.72 + 0.28 * month.season)))


def crew_pay(month: Month) -> Iterator[tuple[str, str, str, int, bool]]:
    """(person, entity, department, cents, seasonal) on the payroll of a month."""
    for person, entity, department, wage, seasonal in CREW:
        if not seasonal or 5 <= month.month <= 9:
            yield person, entity, department, round(wage * 100 * 1.028 ** (month.fiscal_year - 2024)), seasonal


def depreciation(month: Month) -> Iterator[tuple[str, str, str, str, int]]:
    """(entity, cost account, accumulated account, department, cents) while an asset of the register lives."""
    passed = (month.year - START.year) * 12 + month.month - START.month
    for entity, _, cost, life, expense, accumulated, department, used in REGISTER:
        if used + passed < life:
            yield entity, expense, accumulated, department, cost * 100 // life


# (entity, account, department, crossing, supplier, cents on average, months it falls in, follows the season)
ALL = tuple(range(1, 13))
PURCHASES = [
    ("TF", "6120", "120", "-", "K002", 980_000, ALL, True),
    ("TF", "6210", "110", "N", "K003", 2_150_000, ALL, True),
    ("TF", "6210", "110", "I", "K003", 2_640_000, ALL, True),
    ("TF", "6210", "110", "S", "K003", 1_980_000, ALL, True),
    ("TF", "6220", "110", "N", "K003", 610_000, ALL, False),
    ("TF", "6230", "110", "-", "K003", 540_000, ALL, True),
    ("TF", "6310", "310", "-", "K012", 4_900_000, ALL, False),
    ("TF", "6340", "310", "-", "K012", 1_450_000, ALL, False),
    ("TF", "6350", "310", "-", "K004", 2_800_000, (2, 9), False),
    ("TF", "6510", "430", "-", "K006", 2_350_000, ALL, True),
    ("TF", "6520", "210", "-", "K006", 1_650_000, ALL, True),
    ("TF", "6530", "430", "-", "K006", 900_000, (5, 6, 7, 8), False),
    ("TF", "5050", "420", "-", "K010", 620_000, (1, 2, 3, 11), False),
    ("TF", "5130", "420", "-", "K008", 310_000, ALL, False),
    ("TF", "5210", "130", "-", "K008", 3_900_000, ALL, True),
    ("TF", "5220", "130", "-", "K008", 2_500_000, ALL, True),
    ("TF", "6610", "430", "-", "K011", 1_150_000, ALL, False),
    ("TF", "6620", "430", "-", "K009", 640_000, ALL, False),
    ("TF", "6630", "110", "-", "K011", 830_000, ALL, True),
    ("TF", "6640", "430", "-", "K006", 270_000, ALL, False),
    ("TF", "6650", "410", "-", "K010", 1_900_000, (4, 10), False),
    ("TF", "6670", "430", "-", "K006", 190_000, ALL, False),
    ("TF", "6710", "210", "-", "K007", 1_480_000, ALL, False),
    ("TF", "6720", "410", "-", "K007", 520_000, ALL, False),
    ("TF", "6730", "410", "-", "K007", 430_000, ALL, False),
    ("TF", "6740", "110", "-", "K007", 360_000, ALL, False),
    ("TQ", "6320", "320", "-", "K012", 2_150_000, ALL, False),
    ("TQ", "6620", "220", "-", "K009", 920_000, ALL, False),
    ("TQ", "6630", "220", "-", "K011", 610_000, ALL, True),
    ("TQ", "6650", "410", "-", "K010", 700_000, (4, 10), False),
    ("TQ", "6720", "410", "-", "K007", 210_000, ALL, False),
    ("NF", "6110", "120", "N", "K001", 92_000_000, ALL, False),
    ("NF", "6210", "110", "N", "K003", 31_000_000, ALL, False),
    ("NF", "6310", "310", "N", "K012", 24_000_000, ALL, False),
    ("NF", "6510", "430", "-", "K006", 3_200_000, ALL, False),
    ("NF", "6650", "410", "-", "K010", 9_000_000, (4, 10), False),
    ("NF", "6720", "410", "-", "K007", 3_900_000, ALL, False),
]

# yearly premiums, prepaid in April and released by twelfths: (entity, account, department, cents a year)
PREMIUMS = [
    ("TF", "6410", "110", 33_600_000),
    ("TF", "6420", "430", 14_400_000),
    ("TQ", "6430", "320", 9_600_000),
    ("NF", "6410", "110", 84_000_000),
]

# dry-docks as budgeted: (year, month, ship, cents)
DRY_DOCKS = [
    (2024, 2, "Tern", 41_000_000),
    (2025, 2, "Petrel", 44_500_000),
    (2026, 2, "Guillemot", 48_000_000),
    (2026, 3, "Eider", 36_000_000),
    (2027, 2, "Sandpiper", 39_000_000),
]
INTEREST = {("TF", "2010"): 0.041, ("TF", "2020"): 0.044, ("TQ", "2030"): 0.039, ("NF", "2040"): 0.047}


def purchase(month: Month, cents: int, falls: tuple[int, ...], seasonal: bool) -> int:
    """A purchase of the plan in a month, in cents; 0 when it does not fall into it."""
    if month.month not in falls:
        return 0
    return round(cents * month.growth * (month.season if seasonal else 1.0))


def planned(month: Month) -> Iterator[tuple[str, str, str, str, int]]:
    """The budget of a month: (entity, account, department, crossing, cents debit positive), rounded to whole tens."""
    for row in _planned(month):
        *key, cents = row
        if cents:
            yield (*key, round(cents / 1000) * 1000)  # type: ignore[misc]
    for crossing in SAILINGS_A_DAY:
        count = sailings(month, crossing) * len(month.days)
        yield "TF", "9030", "110", crossing, count * 100
        yield (
            "TF",
            "9010",
            "110",
            crossing,
            round(1_250 * month.season * CROSSING_SHARE[crossing] * len(month.days)) * 100,
        )
        yield (
            "TF",
            "9020",
            "110",
            crossing,
            round(330 * month.season * CROSSING_SHARE[crossing] * len(month.days)) * 100,
        )


Planned = tuple[str, str, str, str, float]
"""Entity, account, department, crossing and cents."""


def _planned(month: Month) -> Iterator[Planned]:
    yield from _planned_income(month)
    yield from _planned_wages(month)
    for entity, account, department, crossing, _, cents, falls, seasonal in PURCHASES:
        yield entity, account, department, crossing, purchase(month, cents, falls, seasonal)
    for entity, account, department, cents in PREMIUMS:
        yield entity, account, department, "-", cents // 12
    for year, falls_in, _, cents in DRY_DOCKS:
        if (year, falls_in) == (month.year, month.month):
            yield "TF", "6330", "310", "-", cents
    for entity, expense, _, department, cents in depreciation(month):
        yield entity, expense, department, "-", cents
    yield "TF", "8010", "410", "-", 4_300_000
    yield "TQ", "8010", "410", "-", 1_150_000
    yield "NF", "8010", "410", "-", 7_000_000
    yield "TF", "8110", "410", "-", 30_000_000 * max(month.season - 0.55, 0)


def _planned_income(month: Month) -> Iterator[Planned]:
    """Income, and the fuel and berths that go with it."""
    for account, amount in FARES.items():
        for crossing, share in CROSSING_SHARE.items():
            yield "TF", account, "210", crossing, -amount * 100 * share * month.season * month.growth
    for account, amount in ONBOARD.items():
        yield "TF", account, "130", "-", -amount * 100 * month.season * month.growth
    for account, amount in SEASON_CARDS.items():
        yield "TF", account, "210", "-", -amount * 100 * month.growth
    for account, amount in FREIGHT_SEK.items():
        yield "NF", account, "230", "N", -amount * 100 * month.growth
    for crossing, price in FUEL_PER_SAILING.items():
        yield "TF", "6110", "120", crossing, price * 100 * sailings(month, crossing) * len(month.days) * month.growth
    yield "TF", "6250", "110", "-", BERTH_FEE * 100 * month.growth
    yield "TQ", "4590", "220", "-", -BERTH_FEE * 100 * month.growth
    yield "TQ", "4510", "220", "-", -41_000 * 100 * month.season * month.growth
    yield "TQ", "4520", "230", "-", -8_500 * 100 * month.growth
    yield "TQ", "4610", "220", "-", -9_200 * 100
    yield "TQ", "4620", "220", "-", -21_000 * 100 * month.season * month.growth


def _planned_wages(month: Month) -> Iterator[Planned]:
    wages: dict[tuple[str, str, str], int] = {}
    for _, entity, department, cents, seasonal in crew_pay(month):
        for account, amount in (
            ("5020" if seasonal else "5010", cents),
            ("5110", round(cents * SOCIAL)),
            ("5120", round(cents * PENSION)),
        ):
            place = (entity, account, department)
            wages[place] = wages.get(place, 0) + amount
    for (entity, account, department), cents in wages.items():
        yield entity, account, department, "-", cents
