"""The demo is the same every time, believable, and holds what docs/demo-data.md says, summed from its CSV files."""

from __future__ import annotations

import filecmp
from collections import defaultdict
from decimal import Decimal

import pytest

from demo.generate import generate
from tests.oracle import rows


@pytest.fixture(scope="module")
def lines(demo_folder):
    found = rows(demo_folder / "ledger", "entries.csv")
    for line in found:
        line["amount"] = Decimal(line["debit"] or 0) - Decimal(line["credit"] or 0)
    return found


def total(lines, *accounts, first="2023-04-01", last="2027-03-31", **where):
    return sum(
        (
            line["amount"]
            for line in lines
            if line["account"] in accounts
            and first <= line["date"] <= last
            and all(line[k] == v for k, v in where.items())
        ),
        Decimal(0),
    )


def test_same_arguments_give_the_same_bytes(demo_folder, tmp_path):
    generate(tmp_path)
    for part in ("ledger", "news"):
        names = sorted(path.name for path in (demo_folder / part).iterdir())
        same, _, _ = filecmp.cmpfiles(demo_folder / part, tmp_path / part, names, shallow=False)
        assert same == names


def test_more_lines_keep_the_same_shape(tmp_path):
    count = generate(tmp_path, 120_000)
    assert abs(count - 120_000) < 12_000
    assert len(rows(tmp_path / "ledger", "entries.csv")) == count


def test_size_codes_and_dimensions_are_as_described(demo_folder, lines):
    assert 55_000 < len(lines) < 70_000
    accounts = rows(demo_folder / "ledger", "accounts.csv")
    assert 150 <= len(accounts) <= 180
    members = rows(demo_folder / "ledger", "members.csv")
    departments = [member for member in members if member["dimension"] == "department"]
    assert (len([d for d in departments if d["parent"]]), len([d for d in departments if not d["parent"]])) == (11, 4)
    assert {line["source"] for line in lines} >= {"tickets", "payables", "payroll", "fixed assets", "bank", "general"}
    assert {line["kind"] for line in lines if line["date"] > "2024-04-01"} == {""}


def test_banks_never_go_absurd(lines):
    balance = defaultdict(Decimal)
    lowest, highest = Decimal(0), Decimal(0)
    for line in lines:
        if line["account"] == "1810" and line["entity"] != "NF":
            balance[line["entity"]] += line["amount"]
            if not line["kind"]:
                lowest, highest = min(lowest, balance[line["entity"]]), max(highest, balance[line["entity"]])
    assert lowest > -500_000 and highest < 8_000_000


def test_summer_carries_three_times_winter(lines):
    fares = ("4010", "4020", "4030", "4110", "4120", "4130")
    summer = total(lines, *fares, first="2024-06-01", last="2024-08-31")
    winter = total(lines, *fares, first="2024-12-01", last="2025-02-28")
    assert 2.6 < summer / winter < 3.4


def test_tax_follows_profit(lines):
    for year in (2024, 2025, 2026):
        window = {"first": f"{year - 1}-04-01", "last": f"{year}-03-31", "entity": "TF", "kind": ""}
        before = -sum(
            total(lines, code, **window)
            for code in {line["account"] for line in lines if "4000" < line["account"] < "8100"}
        )
        assert total(lines, "8110", **window) == pytest.approx(before * Decimal("0.22"), abs=1)


def _the_news(demo_folder, lines):
    """8 and the corrections come with the news."""
    news = {line["entry"]: line for line in rows(demo_folder / "news", "entries.csv") if line["debit"]}
    assert {entry: line["debit"] for entry, line in news.items()} == {
        "TF-PA2607-L001": "27480.00",
        "TF-GE2610-P001": "18600.00",
        "TF-PA2610-N001": "1184.00",
    }
    first = {line["entry"]: line for line in lines if line["entry"] in news and line["debit"]}
    assert {entry: (line["debit"], line["crossing"]) for entry, line in first.items()} == {
        "TF-GE2610-P001": ("18600.00", "I"),
        "TF-PA2610-N001": ("11184.00", "-"),
    }


def _shore_power_berths_and_pending(lines):
    """5 to 7: shore power, berth fees, what is pending."""
    assert [(line["date"][:7], line["amount"]) for line in lines if line["account"] == "6815"] == [
        ("2026-09", Decimal("13160.00")),
        ("2026-10", Decimal("14025.00")),
    ]
    october = {"first": "2026-10-01", "last": "2026-10-31"}
    assert -total(lines, "4590", **october) - total(lines, "6250", **october) == Decimal("12400.00")
    assert total(lines, "4590", last="2026-09-30", kind="") == -total(lines, "6250", last="2026-09-30", kind="")
    pending = [
        (line["entry"], line["account"], line["amount"])
        for line in lines
        if line["status"] == "pending" and line["amount"] > 0
    ]
    assert pending == [("TF-GE2610-P001", "6210", Decimal("18600.00")), ("TF-GE2610-P002", "6410", Decimal("9250.00"))]


def _an_outage_and_a_wrong_pay_run(lines):
    """3 and 4: an outage, a pay run in the wrong department."""
    vehicles = ("4110", "4120", "4130", "4140")
    assert total(lines, *vehicles, first="2026-05-04", last="2026-05-24") == Decimal("-388998.73")
    assert total(lines, *vehicles, first="2025-05-05", last="2025-05-25") == Decimal("-592337.03")
    assert total(lines, "4440") == Decimal("-401395.41")
    # 4 a pay run in the wrong department
    wrong = [line for line in lines if line["entry"] == "TF-PA2608-0016" and line["account"].startswith("5")]
    assert {line["department"] for line in wrong} == {"410"} and sum(line["amount"] for line in wrong) == Decimal(
        "80920.16"
    )
    moved = [line for line in lines if line["document"] == "GJ-2026-117"]
    assert sum(line["amount"] for line in moved if line["department"] == "410") == Decimal("-80920.16")


def _fuel_a_sailing(lines):
    """2: fuel a sailing."""

    def fuel(first, last):
        return (
            total(lines, "6110", first=first, last=last, entity="TF") / total(lines, "9030", first=first, last=last)
        ).quantize(Decimal("0.01"))

    rates = [
        fuel("2026-04-01", "2026-04-30"),
        fuel("2026-05-01", "2026-05-31"),
        fuel("2026-06-01", "2026-06-30"),
        fuel("2026-10-01", "2026-10-31"),
    ]
    assert rates == [Decimal("471.72"), Decimal("466.12"), Decimal("543.21"), Decimal("550.45")]
    flat = total(lines, "9030", first="2026-06-01", last="2026-10-31") / total(
        lines, "9030", first="2025-06-01", last="2025-10-31"
    )
    assert Decimal("0.97") < flat < Decimal("1.03")


def _dry_docks(lines, budget):
    """1: dry-docks."""
    assert (
        total(lines, "6330", first="2026-02-01", last="2026-02-28")
        == Decimal("672000.00")
        == budget("2026-P11", "6330") * Decimal("1.4")
    )
    assert (total(lines, "6330", first="2026-03-01", last="2026-08-31"), budget("2026-P12", "6330")) == (0, 360_000)
    assert total(lines, "6330", first="2026-09-01", last="2026-09-30") == Decimal("357374.11")


def test_planted_matters_have_the_amounts_of_the_documentation(demo_folder, lines):
    budgets = rows(demo_folder / "ledger", "budgets.csv")

    def budget(period, account):
        return sum(
            Decimal(row["amount"])
            for row in budgets
            if (row["scenario"], row["period"], row["account"]) == ("budget", period, account)
        )

    _dry_docks(lines, budget)
    _fuel_a_sailing(lines)
    _an_outage_and_a_wrong_pay_run(lines)
    _shore_power_berths_and_pending(lines)
    _the_news(demo_folder, lines)


def test_second_load_is_a_second_revision_that_keeps_what_it_changed(ternwick):
    from rulka.ledger.models import JournalLineFormer

    assert ternwick.revision == 2
    news = ternwick.revisions.get(number=2)
    assert (news.counts["entries"]["new"], news.counts["entries"]["changed"]) == (1, 2)
    former = JournalLineFormer.objects.filter(entry__ledger=ternwick).order_by("entry__number", "line")
    assert [
        (line.entry.number, line.line, line.debit + line.credit, line.since_revision, line.until_revision)
        for line in former
    ] == [
        ("TF-GE2610-P001", "1", 1_860_000, 1, 1),
        ("TF-PA2610-N001", "1", 1_118_400, 1, 1),
        ("TF-PA2610-N001", "2", 1_118_400, 1, 1),
    ]
