"""The demo's three statements against Decimal loops over its CSV files, on both sides of year ends."""

from __future__ import annotations

import json
from decimal import ROUND_HALF_UP, Decimal

import pytest

from tests.lengths import few_of
from tests.oracle import Oracle

ENTITIES = ("TF", "TQ", "NF")
PERIODS = ["2024-P12", "2025-P01", "2025-P12", "2026-P01", "2026-P11", "2027-P01", "2027-P07"]
MONTHS = [(period, entity) for period in PERIODS for entity in ENTITIES]


@pytest.fixture(scope="module")
def oracle(demo_folder):
    return Oracle(demo_folder / "ledger", demo_folder / "news")


def run(command, name, period, entity):
    return json.loads(command("run_statement", name, ledger="ternwick", period=period, node=entity))


def by_key(result):
    keys = [column["key"] for column in result["columns"]]
    return {line["key"]: dict(zip(keys, line["values"], strict=True)) for line in result["lines"]}


INCOME = {
    "foot-passengers": ("4010", "4099"),
    "vehicles": ("4110", "4199"),
    "freight": ("4210", "4299"),
    "season-cards": ("4310", "4399"),
    "shop-and-galley": ("4410", "4499"),
    "berth-fees-from-others": ("4510", "4599"),
    "other-income": ("4610", "4699"),
}
COSTS = {
    "wages-and-social-costs": ("5010", "5199"),
    "goods-for-shop-and-galley": ("5210", "5299"),
    "fuel": ("6110", "6199"),
    "port-dues-and-berths": ("6210", "6299"),
    "upkeep-and-dry-dock": ("6310", "6399"),
    "insurance": ("6410", "6499"),
    "marketing": ("6510", "6599"),
    "office-and-systems": ("6610", "6799"),
    "depreciation": ("7010", "7099"),
}
OTHER = {"interest": ("8010", "8099"), "tax": ("8110", "8199")}


def percent(a: Decimal, b: Decimal) -> str | None:
    if b == 0 or a * b < 0:
        return None
    exact = (a - b) / abs(b)
    return f"{exact.quantize(Decimal(1).scaleb(-10), rounding=ROUND_HALF_UP):f}"


@pytest.mark.parametrize(("period", "entity"), few_of(MONTHS, each=4))
def test_income_statement_equals_decimal_loops(entity, period, ternwick, command, oracle):
    lines = by_key(run(command, "income-statement", period, entity))
    year, number = int(period[:4]), int(period[-2:])
    now, start = (year, number), (year, 1)
    windows = {
        "actual": lambda codes: oracle.activity(entity, codes, now, now),
        "budget": lambda codes: oracle.budget("budget", entity, codes, now, now),
        "ytd-actual": lambda codes: oracle.activity(entity, codes, start, now),
        "ytd-budget": lambda codes: oracle.budget("budget", entity, codes, start, now),
        "prior-year": lambda codes: oracle.activity(entity, codes, (year - 1, 1), (year - 1, number)),
    }
    for column, amount in windows.items():
        if column == "prior-year" and year == 2024:
            assert all(values[column] is None for values in lines.values())
            continue
        wanted = {key: -amount(oracle.between(*bounds)) for key, bounds in {**INCOME, **COSTS, **OTHER}.items()}
        income, costs = sum(wanted[key] for key in INCOME), sum(wanted[key] for key in COSTS)
        wanted |= {"income.total": income, "running-costs.total": costs, "operating-result": income + costs}
        wanted["result-for-the-period"] = income + costs + wanted["interest"] + wanted["tax"]
        wanted["sailings"] = amount({"9030"})
        for key, value in wanted.items():
            assert Decimal(lines[key][column]) == value, (key, column)
    for key, values in lines.items():
        if values["actual"] is None:
            continue
        a, b = Decimal(values["ytd-actual"]), Decimal(values["ytd-budget"])
        assert Decimal(values["ytd-difference"]) == a - b, key
        assert values["ytd-percent"] == percent(a, b), key


@pytest.mark.parametrize(("period", "entity"), few_of(MONTHS, each=4))
def test_balance_sheet_equals_decimal_loops(entity, period, ternwick, command, oracle):
    result = run(command, "balance-sheet", period, entity)
    lines = by_key(result)
    year, number = int(period[:4]), int(period[-2:])
    for column, at in (("now", (year, number)), ("prior-year-end", (year - 1, 12))):
        if at[0] < 2024:
            assert lines["ships"][column] is None
            continue
        closing = {account: values[3] for account, values in oracle.trial_balance(entity, at, at).items()}

        def total(codes, closing=closing):
            return sum((closing.get(code, Decimal(0)) for code in codes), Decimal(0))

        assets = total(oracle.of_type("asset"))
        assert Decimal(lines["assets.total"][column]) == assets
        assert Decimal(lines["equity-and-liabilities.total"][column]) == assets
        assert Decimal(lines["cash-and-bank"][column]) == total(oracle.between("1810", "1899"))
        assert Decimal(lines["accumulated-depreciation"][column]) == total(oracle.between("1310", "1399"))
        assert Decimal(lines["retained-earnings"][column]) == -total({"3210", "3220"})
        assert Decimal(lines["result-for-the-year"][column]) == -total(oracle.of_type("revenue", "expense"))
        assert Decimal(lines["liabilities.total"][column]) == -total(oracle.of_type("liability"))
    assert all(check["ok"] for check in result["footing"]), result["footing"]


@pytest.mark.parametrize(("period", "entity"), few_of(MONTHS, each=4))
def test_trial_balance_statement_equals_decimal_loops(entity, period, ternwick, command, oracle):
    result = run(command, "trial-balance", period, entity)
    at = (int(period[:4]), int(period[-2:]))
    wanted = oracle.trial_balance(entity, (at[0], 1), at)
    got = {line["codes"][0]: line for line in result["lines"] if line["kind"] == "account"}
    shown = {code: [Decimal(value) for value in line["values"]] for code, line in got.items() if not line.get("hidden")}
    assert {code: values for code, values in shown.items() if any(values)} == wanted
    total = next(line for line in result["lines"] if line["key"] == "accounts.total")
    opening, debits, credits, closing = (Decimal(value) for value in total["values"])
    assert opening == closing == 0
    assert debits == credits == sum(v[1] for c, v in wanted.items() if not c.startswith("9"))


def test_closing_entries_change_no_statement(demo_folder, tmp_path, ternwick, command):
    """The same books without the year-end close of FY2024 give the same three statements."""
    import shutil

    folder = tmp_path / "unclosed"
    shutil.copytree(demo_folder / "ledger", folder)
    lines = (folder / "entries.csv").read_text().splitlines(keepends=True)
    kept = [line for line in lines if ",closing," not in line]
    assert len(kept) < len(lines)
    (folder / "entries.csv").write_text("".join(kept))
    command("load_ledger", folder, ledger="unclosed")
    command("load_ledger", demo_folder / "news", ledger="unclosed")
    from tests.conftest import ROOT

    command("load_statement", *sorted((ROOT / "demo" / "definitions").glob("*.yaml")), ledger="unclosed")
    for name in ("income-statement", "balance-sheet", "trial-balance"):
        for period in ("2024-P12", "2025-P01", "2026-P12"):
            results = [
                json.loads(command("run_statement", name, ledger=ledger, period=period))
                for ledger in ("ternwick", "unclosed")
            ]
            assert results[0]["lines"] == results[1]["lines"], (name, period)
