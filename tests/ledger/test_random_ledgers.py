"""Whole ledgers made at random, loaded in one or two parts, against Decimal loops over their files."""

from __future__ import annotations

import json
import random
from collections import Counter
from decimal import Decimal
from fractions import Fraction

import pytest

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import statement_from
from rulka.core.errors import RulkaError
from rulka.core.proof.splits import directions, open_figure, sides, split
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import view_of
from rulka.ledger.reading.trace_lines import LineQuery, TraceLines
from rulka.ledger.reading.trace_matching import matched_lines
from tests.conftest import table
from tests.core.proof.test_splits import figures
from tests.ledger.test_trial_balance import weeks_445, write
from tests.oracle import Oracle

pytestmark = pytest.mark.django_db
TYPES = ["asset", "liability", "equity", "revenue", "expense", "statistical"]


def make(folder, rng, entries, calendar):
    folder.mkdir()
    settings = {
        "name": "Random",
        "group_currency": "EUR",
        "retained_earnings": "a2",
        "dimensions": ["p", "q"],
        "calendar": calendar,
    }
    (folder / "ledger.json").write_text(json.dumps(settings))
    if calendar["first_year"] == 2025 and calendar["first_month"] == 4:
        write(folder, "periods.csv", ["year", "number", "start", "end", "name", "adjusting"], weeks_445())
    write(folder, "entities.csv", ["code", "name", "currency"], [["X", "X", "EUR"], ["Y", "Y", "JPY"]])
    write(
        folder, "accounts.csv", ["code", "name", "type"], [[f"a{n}", f"Account {n}", TYPES[n % 6]] for n in range(12)]
    )
    write(folder, "members.csv", ["dimension", "code", "name"], [["p", "1", "One"], ["p", "2", "Two"], ["q", "z", "Z"]])
    columns = [
        "line",
        "entity",
        "entry",
        "account",
        "date",
        "p",
        "q",
        "credit",
        "debit",
        "kind",
        "status",
        "partner_entity",
        "period",
    ]
    write(folder, "entries.csv", columns, entries)
    return folder


def entry(rng, number, entity):
    """A balanced entry of two to five money lines, some statistical ones, in any kind and state."""
    day = f"{rng.choice((2024, 2025, 2026))}-{rng.randint(4, 12):02d}-{rng.randint(1, 28):02d}"
    kind, status = (
        rng.choice(("", "normal", "opening", "closing", "adjusting")),
        rng.choice(("", "", "posted", "pending")),
    )
    minor = 0 if entity == "Y" else 2
    amounts = [rng.randint(-(10**9), 10**9) for _ in range(rng.randint(1, 4))]
    amounts.append(-sum(amounts))
    money = [code for code in range(12) if TYPES[code % 6] != "statistical"]
    lines = []
    for place, amount in enumerate(amounts):
        text = str(abs(Decimal(amount)).scaleb(-minor))
        sides = ("", text) if amount > 0 else (text, "")
        where = [rng.choice(("", "-", "1", "2")), rng.choice(("", "z"))]
        lines.append(
            [
                place,
                entity,
                number,
                f"a{rng.choice(money)}",
                day,
                *where,
                *sides,
                kind,
                status,
                rng.choice(("", "X", "Y")),
                "",
            ]
        )
    if rng.random() < 0.2:
        lines.append([99, entity, number, rng.choice(("a5", "a11")), day, "1", "", "", "3.25", kind, status, "", ""])
    return lines


@pytest.mark.parametrize("seed", range(6))
def test_random_ledger_loaded_in_parts_equals_decimal_loops(seed, tmp_path, command):
    rng = random.Random(seed)
    calendar = {
        "first_month": rng.choice((4, 7, 1)),
        "year_label": rng.choice(("start", "end")),
        "first_year": 2023,
        "last_year": 2028,
    }
    if seed % 3 == 0:
        calendar |= {"first_year": 2025, "first_month": 4}
    numbers = [(f"n{n}", rng.choice("XY")) for n in range(60)]
    first = [line for number, entity in numbers for line in entry(rng, number, entity)]
    second = [line for number, entity in rng.sample(numbers, 20) for line in entry(rng, number, entity)]
    rng.shuffle(first)
    folders = [make(tmp_path / "one", rng, first, calendar), make(tmp_path / "two", rng, second, calendar)]
    for folder in folders:
        command("load_ledger", folder, ledger="random")
    oracle = Oracle(*folders)
    periods = sorted({line["p"] for line in oracle.lines})
    for _ in range(6):
        begin, end = sorted(rng.choices(periods, k=2))
        pending = rng.random() < 0.5
        codes = [f"{year}-P{number:02d}" for year, number in (begin, end)]
        got = table(command("trial_balance", ledger="random", first=codes[0], last=codes[1], with_pending=pending))
        for entity in "XY":
            rows = {
                row["account"]: [Decimal(row[name]) for name in ("opening", "debits", "credits", "closing")]
                for row in got
                if row["entity"] == entity
            }
            assert rows == oracle.trial_balance(entity, begin, end, pending=pending), (seed, entity, codes)


LINES = [
    {"line": "Every", "accounts": "*", "sign": "as booked"},
    {"line": "Kept", "accounts": "a2", "sign": "as booked"},
    {"line": "Some", "accounts": "a0, a3 to a4, a10", "sign": "flipped"},
    {"line": "Hours", "accounts": "a5, a11"},
]
COLUMNS = [
    {"column": "activity", "window": "year to date"},
    {"column": "closing", "measure": "closing"},
    {"column": "opening", "measure": "opening", "entries": "with pending"},
    {"column": "debits", "measure": "debits"},
    {"column": "before", "measure": "closing", "shift": "-1 year"},
    {"column": "gap", "difference": ["closing", "before"]},
    {"column": "tills", "narrow": "p: 1; kind: normal"},
]


@pytest.mark.parametrize("seed", range(4))
def test_lines_behind_every_figure_of_a_random_ledger_give_it_again(seed, tmp_path, command):
    """By every direction, with and without a fence, in any order and filter: the store's lines add up to the engine's
    figures, and both sides of a difference to it."""
    rng = random.Random(100 + seed)
    calendar = {"first_month": rng.choice((4, 7, 1)), "year_label": "end", "first_year": 2023, "last_year": 2028}
    if seed % 2 == 0:
        calendar |= {"first_year": 2025, "first_month": 4}
    numbers = [(f"n{n}", rng.choice("XY")) for n in range(50)]
    lines = [line for number, entity in numbers for line in entry(rng, number, entity)]
    command("load_ledger", make(tmp_path / "one", rng, lines, calendar), ledger="random")
    ledger = Ledger.objects.get(code="random")
    spine, span = spine_from({"spine": "s", "lines": LINES}), span_from({"span": "p", "columns": COLUMNS})
    statement = statement_from({"statement": "t", "spine": "s", "span": "p"}, spine, span)
    listed = 0
    for fence in (NO_FENCE, Fence.of(members={"p": "1, -"}), Fence.of(sealed="a3", grain=["p"])):
        view = view_of(ledger, fence)
        for entity, period in (("X", "2026-P05"), ("Y", rng.choice(view.frame.calendar.periods[10:]).code)):
            computed = run_statement(statement, view, view.frame.calendar.period(period), entity)
            listed += sum(behind(ledger, computed, row, column, rng) for row, column in figures(computed))
    assert listed > 200


def behind(ledger, computed, row, column, rng):
    """Hold the lines behind a figure against it; how many lines that were."""
    opened = open_figure(computed, row, column)
    if opened.pools is None:
        return 0
    for by in directions(opened):
        if by != "line":
            found = split(opened, by)
            assert found.agrees and "rest" not in {part.reason for part in found.parts}, (row, column, by)
    keys = [key for pool in opened.pools for key in pool.keys]
    if keys and computed.view.sealed_keys[keys].all():
        with pytest.raises(RulkaError, match="is sealed"):
            TraceLines.of(ledger, opened, LineQuery())
        return 0
    page = TraceLines.of(ledger, opened, LineQuery()).page()
    assert page.agrees, (row, column, page)
    every = TraceLines.of(ledger, opened, LineQuery()).every(["document", "period", "account"], 10_000)[0]
    assert sum((line.value for line in every), Fraction(0)) == page.total and len(every) == page.count
    sort = rng.choice(["date", "-amount", "account", "-p", "entry", "period", "debit"])
    some = rng.choice(every).cells["account"] if every else "a0"
    query = LineQuery(ticks=(("account", (some,)),), sort=sort, least=Fraction(rng.choice((0, 1, 1000))))
    wanted = [one for one in every if one.cells["account"] == some and abs(one.value) >= query.least]
    got = TraceLines.of(ledger, opened, query).page()
    assert (got.count, got.total) == (len(wanted), sum((one.value for one in wanted), Fraction(0))), (
        row,
        column,
        query,
    )
    ticks = TraceLines.of(ledger, opened, LineQuery()).ticks("account")[0]
    assert {tick.value: tick.count for tick in ticks} == Counter(one.cells["account"] for one in every)
    if (named := sides(opened)) is not None:
        matched = matched_lines(ledger, opened, named)
        assert matched.agrees and matched.of_first - matched.of_second == opened.value
    return len(every)


def test_reader_goes_on_while_a_load_writes(tmp_path, small):
    """In a database file, as it is used: another connection holds the write lock, a command reads all the same."""
    import os
    import sqlite3
    import subprocess
    import sys

    from tests.conftest import ROOT

    file = tmp_path / "file.sqlite3"
    environment = {**os.environ, "DATABASE_URL": f"sqlite:///{file}", "RULKA_VAR": str(tmp_path / "var")}

    def manage(*arguments):
        return subprocess.run(
            [sys.executable, str(ROOT / "manage.py"), *arguments],
            env=environment,
            capture_output=True,
            text=True,
            timeout=60,
        )

    assert manage("migrate", "--verbosity", "0").returncode == 0
    assert manage("load_ledger", "--ledger", "s", str(small())).returncode == 0
    writer = sqlite3.connect(file, isolation_level=None)
    writer.execute("BEGIN IMMEDIATE")
    writer.execute("UPDATE ledger_ledger SET revision = 99")
    read = manage("trial_balance", "--from", "2025-P01", "--to", "2025-P01")
    writer.execute("ROLLBACK")
    writer.close()
    assert read.returncode == 0, read.stderr
    assert "A,1000,Bank,0.00,100.00,0.00,100.00" in read.stdout
    bad = manage("trial_balance", "--from", "2025-P01", "--to", "2031-P01")
    assert (bad.returncode, bad.stdout) == (1, "")
    assert "'2031-P01' is not a period" in bad.stderr and "Traceback" not in bad.stderr
