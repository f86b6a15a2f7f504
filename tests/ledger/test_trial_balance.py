"""The trial balance command against the independent computation."""

from __future__ import annotations

import csv
import json
from datetime import date, timedelta
from decimal import Decimal
from pathlib import Path

import pytest
from django.core.management.base import CommandError

from tests.conftest import table
from tests.oracle import Oracle

BIG = 45_000_000_000_000_000  # minor units of the three-digit currency, each line; together beyond 2^53


class OddEntries:
    """The entries of the odd ledger, gathered line by line."""

    def __init__(self) -> None:
        self.lines: list[list[str]] = []

    def entry(
        self, entity: str, number: str, day: str, pairs: list[tuple[str, str, str]], kind: str = "", status: str = "",
        period: str = "",
    ) -> None:  # fmt: skip
        for place, (account, site, amount) in enumerate(pairs, 1):
            debit, credit = (amount, "") if not amount.startswith("-") else ("", amount[1:])
            self.lines.append([entity, number, str(place), day, account, site, debit, credit, kind, status, period])

    def of_entity(self, entity: str, digits: int) -> None:
        """Three years of sales and costs, opened, adjusted, closed in part, with entries that wait and quantities."""

        def money(units: int) -> str:
            return str(Decimal(units).scaleb(-digits).quantize(Decimal(1).scaleb(-digits)))

        opened = [("0100", "", money(500_001)), ("RE 1", "", money(-500_001))]
        self.entry(entity, "open", "2024-04-02", opened, kind="opening")
        months = ((5, 70_003), (9, 81_007), (12, 64_001))
        for year in (2024, 2025, 2026):
            for month, amount in months:
                sold, spent = [("0100", "", money(amount)), ("04", "n", money(-amount))], amount // 3
                self.entry(entity, f"s{year}{month}", f"{year}-{month:02d}-17", sold)
                paid = [("05", "n", money(spent)), ("0100", "", money(-spent))]
                self.entry(entity, f"c{year}{month}", f"{year}-{month:02d}-28", paid)
        late = [("0200", "", money(-333)), ("05", "", money(333))]
        self.entry(entity, "late-open", "2025-08-11", late, kind="opening")
        adjusted = [("05", "n", money(1_111)), ("0200", "", money(-1_111))]
        self.entry(entity, "adj", "2026-03-20", adjusted, kind="adjusting", period="2026-P13")
        # the first year is closed by entries, partly and key by key, the second is not
        residual = sum(amount - amount // 3 for _, amount in months)
        closed = [("04", "n", money(residual - 17)), ("RE 1", "n", money(-(residual - 17)))]
        self.entry(entity, "close", "2025-03-25", closed, kind="closing")
        waiting = [("05", "n", money(9_999)), ("0200", "n", money(-9_999))]
        self.entry(entity, "wait", "2026-09-03", waiting, status="pending")
        self.entry(entity, "heads", "2025-06-01", [("S", "n", "12.50")])
        self.entry(entity, "heads2", "2026-06-01", [("S", "n", "-2.25")])


def odd_ledger(folder: Path, calendar: str) -> Path:
    """A made-up ledger with everything LEDGER_FORMAT.md knows: three currencies, all kinds, all states."""
    folder.mkdir()
    year = {"first_month": 4, "year_label": "end", "first_year": 2025, "last_year": 2027, "adjusting_periods": 1}
    settings = {
        "name": "Odd Works", "group_currency": "EUR", "calendar": year, "retained_earnings": "RE 1",
        "dimensions": ["site"],
    }  # fmt: skip
    (folder / "ledger.json").write_text(json.dumps(settings))
    entities = [["E0", "Yen works", "JPY"], ["E2", "Euro works", "EUR"], ["E3", "Dinar works", "KWD"]]
    write(folder, "entities.csv", ["code", "name", "currency"], entities)
    accounts = [
        ["0100", "Bank", "asset"],
        ["0200", "Debts", "liability"],
        ["RE 1", "Kept, so far", "equity"],
        ["04", "Sales", "revenue"],
        ["05", "Costs", "expense"],
        ["S", "Heads", "statistical"],
    ]
    write(folder, "accounts.csv", ["code", "name", "type"], accounts)
    write(folder, "members.csv", ["dimension", "code", "name"], [["site", "n", "North"], ["site", "-", "none"]])
    if calendar == "4-4-5":
        write(folder, "periods.csv", ["year", "number", "start", "end", "name", "adjusting"], weeks_445())
    booked = OddEntries()
    for entity, digits in {"E0": 0, "E2": 2, "E3": 3}.items():
        booked.of_entity(entity, digits)
    for number in range(3):
        big = str(Decimal(BIG).scaleb(-3))
        booked.entry("E3", f"big{number}", f"2026-0{4 + number}-29", [("0100", "", big), ("04", "n", f"-{big}")])
    columns = ["entity", "entry", "line", "date", "account", "site", "debit", "credit", "kind", "status", "period"]
    write(folder, "entries.csv", columns, booked.lines)
    return folder


def weeks_445() -> list[list[object]]:
    """Three years of 4-4-5 weeks that begin at the end of March, each with an adjusting period."""
    found: list[list[object]] = []
    start = date(2024, 4, 1)
    for year in (2025, 2026, 2027):
        for number, weeks in enumerate([4, 4, 5] * 4, 1):
            end = start + timedelta(weeks=weeks) - timedelta(days=1)
            found.append([year, number, start, end, f"Weeks {number}", 0])
            start = end + timedelta(days=1)
        found.append([year, 13, end - timedelta(days=6), end, "", 1])
    return found


def write(folder: Path, name: str, header: list[str], rows: list[list]) -> None:  # type: ignore[type-arg]
    with (folder / name).open("w", newline="", encoding="utf-8") as file:
        csv.writer(file).writerows([header, *rows])


RANGES = [
    "2025-P01 2025-P12",
    "2025-P12 2026-P01",
    "2026-P01 2026-P13",
    "2026-P05 2026-P05",
    "2026-P04 2027-P06",
    "2027-P01 2027-P01",
    "2025-P03 2027-P13",
]


@pytest.mark.django_db
@pytest.mark.parametrize("calendar", ["monthly", "4-4-5"])
def test_trial_balance_of_the_odd_ledger_equals_decimal_loops(calendar, tmp_path, command):
    folder = odd_ledger(tmp_path / "odd", calendar)
    oracle = Oracle(folder)
    command("load_ledger", folder, ledger="odd")
    compared = 0
    for window in RANGES:
        first, last = window.split()
        for pending in (False, True):
            got = table(command("trial_balance", ledger="odd", first=first, last=last, with_pending=pending))
            assert [(row["entity"], row["account"]) for row in got] == sorted(
                (row["entity"], row["account"]) for row in got
            )
            for entity in ("E0", "E2", "E3"):
                wanted = oracle.trial_balance(
                    entity, (int(first[:4]), int(first[-2:])), (int(last[:4]), int(last[-2:])), pending=pending
                )
                rows = {row["account"]: row for row in got if row["entity"] == entity}
                assert set(rows) == set(wanted), (window, entity)
                for account, values in wanted.items():
                    texts = [rows[account][name] for name in ("opening", "debits", "credits", "closing")]
                    assert [Decimal(text) for text in texts] == values, (window, entity, account)
                    digits = 2 if account == "S" else {"E0": 0, "E2": 2, "E3": 3}[entity]
                    assert all(len(text.partition(".")[2]) == digits for text in texts)
                    compared += 4
    assert compared > 800
    assert any(Decimal(row["closing"]).scaleb(3) > 2**53 for row in got if row["entity"] == "E3")


@pytest.mark.django_db
def test_trial_balance_as_json_has_the_same_rows_as_csv(small, command):
    command("load_ledger", small(), ledger="s")
    options = {"ledger": "s", "first": "2025-P01", "last": "2026-P01"}
    assert json.loads(command("trial_balance", format="json", **options)) == table(command("trial_balance", **options))


@pytest.mark.django_db
def test_trial_balance_of_the_small_ledger_rolls_the_result(small, command):
    command("load_ledger", small(), ledger="s")
    rows = command("trial_balance", ledger="s", first="2026-P01", last="2026-P01").splitlines()
    # FY2025 left -100 + 30 = -70 in sales and wages; it stands in 3200 from the first day of 2026
    assert rows == [
        "entity,account,name,opening,debits,credits,closing",
        "A,1000,Bank,70.00,50.00,0.00,120.00",
        "A,3200,Earnings kept,-70.00,0.00,0.00,-70.00",
        "A,4100,Other sales,0.00,0.00,50.00,-50.00",
        "A,9000,Hours,0.00,7.50,0.00,7.50",
    ]


@pytest.mark.django_db
@pytest.mark.parametrize(
    ("options", "message"),
    [
        ({"ledger": "nowhere"}, "Ledger 'nowhere' does not exist"),
        (
            {"first": "2031-P01"},
            (
                "'2031-P01' is not a period of this ledger. Its calendar runs from 2025-P01, January 2025, to "
                "2026-P13, Adjusting period 13, FY2026"
            ),
        ),
        ({"first": "2026-P02"}, "2026-P02 comes after 2026-P01"),
        ({"entity": "Q"}, "Entity 'Q' does not exist. There are: A, B."),
        ({"scenario": "bugdet"}, "Scenario 'bugdet' does not exist. Did you mean budget?"),
        ({"person": "nobody"}, "'nobody' has no access to ledger s"),
    ],
)
def test_trial_balance_with_bad_input_says_what_and_what_to_do(options, message, small, command):
    command("load_ledger", small(), ledger="s")
    with pytest.raises(CommandError, match=message.replace("(", r"\(").replace(".", r"\.")):
        command("trial_balance", **{"ledger": "s", "first": "2025-P01", "last": "2026-P01", **options})


@pytest.mark.django_db
def test_ledger_without_dimensions_and_without_entries_works(small, command):
    from tests.conftest import SMALL

    bare = {**SMALL["ledger.json"], "dimensions": []}
    header = "entity,entry,line,date,account,debit,credit\n"
    folder = small(ledger__json=bare, entries__csv=header, budgets__csv=None, members__csv=None)
    command("load_ledger", folder, ledger="s")
    options = {"ledger": "s", "first": "2025-P01", "last": "2026-P13"}
    assert command("trial_balance", **options) == "entity,account,name,opening,debits,credits,closing\n"
    (folder / "entries.csv").write_text(header + "B,1,a,2025-12-31,4000,,2.5\nB,1,b,2025-12-31,1000,2.50,\n")
    command("load_ledger", folder, ledger="s")
    assert command("trial_balance", **{**options, "first": "2026-P01"}).splitlines()[1:] == [
        "B,1000,Bank,2.50,0.00,0.00,2.50",
        "B,3200,Earnings kept,-2.50,0.00,0.00,-2.50",
    ]


@pytest.mark.django_db
def test_name_from_data_is_no_formula_in_the_file(small, command):
    from tests.conftest import SMALL

    command("load_ledger", small(accounts__csv=SMALL["accounts.csv"].replace("1000,Bank", "1000,=1+1")), ledger="s")
    assert "A,1000,'=1+1,0.00," in command("trial_balance", ledger="s", first="2025-P01", last="2025-P01")
