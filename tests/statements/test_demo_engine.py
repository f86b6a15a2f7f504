"""The shipped statements of the engine: they foot, or fail where the demo plants a fault; figures against loops over
its CSV files."""

from __future__ import annotations

import json
from datetime import date, timedelta
from decimal import ROUND_HALF_UP, Decimal

import pytest

from rulka.formats.definition_file import read_definitions
from tests.conftest import ROOT
from tests.oracle import ZERO, Oracle

SHIPPED = sorted(
    body["statement"]
    for path in (ROOT / "demo" / "definitions").glob("*.yaml")
    for body in read_definitions(path.read_text())
    if "statement" in body
)
PLACEMENT = {"Every account is placed", "Ties to the ledger"}
BY_RANGE = {
    "annual-income",
    "income-statement",
    "income-by-month",
    "income-by-department",
    "income-by-entity",
    "outlook",
    "department-results",
}
"""Statements whose lines name accounts by range: 6815, new in September 2026, stands on none of them."""


@pytest.fixture(scope="module")
def oracle(demo_folder):
    return Oracle(demo_folder / "ledger", demo_folder / "news")


def run(command, name, period="2027-P07", **options):
    return json.loads(command("run_statement", name, ledger="ternwick", period=period, **options))


def lines_of(result):
    keys = [column["key"] for column in result["columns"]]
    return {line["key"]: dict(zip(keys, line["values"], strict=True)) for line in result["lines"]}


@pytest.mark.parametrize("period", ["2025-P01", "2026-P11", "2027-P05", "2027-P06", "2027-P07"])
@pytest.mark.parametrize("name", SHIPPED)
def test_shipped_statement_foots_or_fails_where_a_fault_is_planted(name, period, ternwick, command):
    result = run(command, name, period)
    failing = {check["check"] for check in result["footing"] if not check["ok"]}
    assert {check["state"] for check in result["footing"]} <= {"holds", "fails"}
    first = "2027-P01" if name == "annual-income" else "2027-P06"  # the whole year, whatever its month
    wanted = set(PLACEMENT) if name in BY_RANGE and period >= first else set()
    if name == "income-by-entity" and period == "2027-P07":
        wanted.add("Intercompany agrees")
    assert failing == wanted, [check for check in result["footing"] if not check["ok"]]


def test_planted_difference_between_companies_is_told_with_both_sides(ternwick, command):
    result = run(command, "income-by-entity")
    (check,) = [check for check in result["footing"] if check["check"] == "Intercompany agrees"]
    assert "12 400.00 apart" in check["detail"] and "TF has" in check["detail"] and "TQ" in check["detail"]
    assert lines_of(result)["difference-between-companies"]["group"] == "12400.00"


def test_income_by_month_equals_loops_for_each_month(ternwick, command, oracle):
    result = run(command, "income-by-month", node="TF")
    lines = lines_of(result)
    fuel, total = oracle.between("6110", "6199"), ZERO
    for month in range(12):
        at = (2026, 8 + month) if month < 5 else (2027, month - 4)
        amount = -oracle.activity("TF", fuel, at, at)
        assert Decimal(lines["fuel"][f"months-{at[0]}-p{at[1]:02d}"]) == amount, at
        total += amount
    assert Decimal(lines["fuel"]["months-total"]) == total
    assert Decimal(lines["fuel"]["before"]) == -oracle.activity("TF", fuel, (2025, 8), (2026, 7))


def test_income_by_department_equals_loops_and_adds_up(ternwick, command, oracle):
    result = run(command, "income-by-department", node="TF")
    lines, wages = lines_of(result), oracle.between("5010", "5199")
    shown = {column["key"].removeprefix("departments-") for column in result["columns"]} - {"none", "total"}
    for member in shown:
        own = [
            line
            for line in oracle.counted("TF", False, {"department": {member}})
            if line["account"] in wages and (2027, 1) <= line["p"] <= (2027, 7)
        ]
        assert Decimal(lines["wages-and-social-costs"][f"departments-{member}"]) == -sum(
            (line["amount"] for line in own), ZERO
        ), member
    assert Decimal(lines["wages-and-social-costs"]["departments-total"]) == -oracle.activity(
        "TF", wages, (2027, 1), (2027, 7)
    )


def test_group_income_is_translated_account_by_account_and_month_by_month(ternwick, command, oracle, demo_folder):
    import csv

    lines = lines_of(run(command, "income-by-entity"))
    with (demo_folder / "ledger" / "rates.csv").open() as file:
        rates = {row["period"]: Decimal(row["average"]) for row in csv.DictReader(file) if row["from"] == "SEK"}
    for key, bounds in {"fares": ("4010", "4399"), "fuel": ("6110", "6199"), "tax": ("8110", "8199")}.items():
        total = ZERO
        for account in oracle.between(*bounds):
            for number in range(1, 8):
                amount = (
                    -oracle.activity("NF", {account}, (2027, number), (2027, number)) * rates[f"2027-P{number:02d}"]
                )
                total += amount.quantize(Decimal("0.01"), ROUND_HALF_UP)
        assert Decimal(lines[key]["companies-nf"]) == total, key
        own = {name: Decimal(lines[key][f"companies-{name}"]) for name in ("tf", "tq", "nf", "total")}
        assert own["total"] == own["tf"] + own["tq"] + own["nf"]


def test_weekly_takings_equal_loops_over_the_days(ternwick, command, oracle):
    result = run(command, "weekly-takings", node="TF")
    lines, codes = lines_of(result), oracle.between("4110", "4199")
    start = date(2026, 10, 1)
    while start <= date(2026, 10, 31):
        end = min(start + timedelta(days=6 - start.weekday()), date(2026, 10, 31))
        days = {(start + timedelta(days=n)).isoformat() for n in range((end - start).days + 1)}
        amount = -sum(
            (
                line["amount"]
                for line in oracle.counted("TF", False)
                if line["account"] in codes and line["date"] in days
            ),
            ZERO,
        )
        assert Decimal(lines["vehicles"][f"weeks-week-{start.isoformat()}"]) == amount, start
        start = end + timedelta(days=1)
    assert Decimal(lines["vehicles"]["weeks-total"]) == -oracle.activity("TF", codes, (2027, 7), (2027, 7))


@pytest.mark.parametrize("entity", ["TF", "TQ", "NF"])
def test_cash_by_source_and_the_cash_flow_statement_end_at_the_same_cash(entity, ternwick, command, oracle):
    cash = {code for code, row in oracle.accounts.items() if row["category"] == "cash and bank"}
    closing = sum(
        (values[3] for code, values in oracle.trial_balance(entity, (2027, 7), (2027, 7)).items() if code in cash), ZERO
    )
    forward, flow = (lines_of(run(command, name, node=entity)) for name in ("cash-roll-forward", "cash-flow"))
    assert (
        Decimal(forward["cash-at-the-end"]["ytd"]) == Decimal(flow["cash-at-the-end-of-the-period"]["ytd"]) == closing
    )
    results = {code for code, row in oracle.accounts.items() if row["type"] in ("revenue", "expense")}
    assert Decimal(flow["result-for-the-period"]["ytd"]) == -oracle.activity(entity, results, (2027, 1), (2027, 7))
    tickets = [
        line for line in oracle.counted(entity, False) if line["source"] == "tickets" and line["account"] in cash
    ]
    in_october = sum((line["amount"] for line in tickets if line["p"] == (2027, 7)), ZERO)
    assert Decimal(forward["tickets"]["now"]) == in_october


def test_outlook_takes_actuals_to_october_and_the_forecast_after(ternwick, command, oracle):
    lines, fuel = lines_of(run(command, "outlook", node="TF")), oracle.between("6110", "6199")
    actual = oracle.activity("TF", fuel, (2027, 1), (2027, 7))
    assert Decimal(lines["fuel"]["quarters-total"]) == -(
        actual + oracle.budget("forecast", "TF", fuel, (2027, 8), (2027, 12))
    )


def test_journal_listing_has_a_row_for_each_entry(ternwick, command, oracle):
    result = run(command, "journal-listing", node="TF")
    got = {line["key"]: Decimal(line["values"][4]) for line in result["lines"] if line["kind"] == "entry"}
    wanted = {}
    for line in oracle.counted("TF", False):
        if ("6610" <= line["account"] <= "6799" or line["account"] == "6815") and line["p"] == (2027, 7):
            key = f"accounts-and-entries:{line['account']}:TF/{line['entry']}"
            wanted[key] = wanted.get(key, ZERO) + line["amount"]
    assert got == wanted


def test_rows_of_departments_appear_by_themselves(ternwick, command, oracle):
    result = run(command, "overhead-by-department", node="TF")
    codes = oracle.between("6610", "6799")
    got = {
        line["key"].split("=")[1]: Decimal(line["values"][0])
        for line in result["lines"]
        if line["key"].startswith("by-department:") and not line.get("hidden")
    }
    wanted = {}
    for line in oracle.counted("TF", False):
        if line["account"] in codes and line["p"] == (2027, 7):
            wanted[line["department"]] = wanted.get(line["department"], ZERO) + line["amount"]
    assert {code: value for code, value in got.items() if value} == wanted
    assert [abs(value) for value in got.values()] == sorted((abs(value) for value in got.values()), reverse=True)


def test_pages_of_a_scope_come_with_the_whole_first(ternwick, command):
    pages = json.loads(
        command("run_statement", "department-results", ledger="ternwick", period="2027-P07", pages="all")
    )["pages"]
    codes = [page["node"] for page in pages]
    assert codes[0] == "TF" and {"100", "110", "400", "TF.rest"} <= set(codes)
    totals = {page["node"]: lines_of(page)["result-for-the-period"]["ytd-actual"] for page in pages}
    children = ["100", "200", "300", "400", "TF.rest"]
    assert sum((Decimal(totals[code]) for code in children if code in totals), ZERO) == Decimal(totals["TF"])
