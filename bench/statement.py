"""Times the statement engine beside a general-purpose engine, in one run: `make bench` or `python -m bench.statement
--lines N`.

A made-up wide ledger (about 15,000 posting keys, 60 periods, 3 scenarios) of N journal lines. Prints milliseconds and
ratios; these machines are shared and noisy, so only the ratios mean something. What both engines computed is compared.
"""

from __future__ import annotations

import argparse
import time
from collections.abc import Callable
from typing import Any

import duckdb
import numpy as np

from rulka.core.books.book import Book
from rulka.core.books.calendar import monthly_calendar
from rulka.core.books.chart import Item, code_list
from rulka.core.books.fence import NO_FENCE
from rulka.core.books.frame import ACTIVITY, POSTED, Frame, Keys, Movements
from rulka.core.compute.nodes import nodes_of
from rulka.core.compute.plan import plan_for
from rulka.core.compute.readings import Readings
from rulka.core.compute.statement import run_statement
from rulka.core.compute.summing import Sums, sum_up
from rulka.core.definitions.scopes import scope_from
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import StatementDef, statement_from
from rulka.core.proof.footing import footing

KEYS, ACCOUNTS, ENTITIES, DEPARTMENTS, SCENARIOS = 15_000, 180, 13, 26, ("actual", "budget", "forecast")
LINES = 60


def best(work: Callable[[], Any], times: int = 7) -> float:
    """The shortest of several runs, in milliseconds."""
    taken = []
    for _ in range(times):
        before = time.perf_counter()
        work()
        taken.append((time.perf_counter() - before) * 1000)
    return min(taken)


def frame() -> Frame:
    types = ["asset"] * 40 + ["liability"] * 30 + ["equity"] * 10 + ["revenue"] * 30 + ["expense"] * 70
    accounts = code_list("account", [Item(f"{1000 + at}", f"Account {at}", type=kind) for at, kind in enumerate(types)])
    entities = code_list("entity", [Item(f"E{at:02d}", f"Entity {at}") for at in range(ENTITIES)])
    departments = code_list(
        "department", [Item("-", "none"), *(Item(f"D{at:02d}", f"Department {at}") for at in range(1, DEPARTMENTS))]
    )
    calendar = monthly_calendar(first_month=1, year_label="start", first_year=2022, last_year=2026)
    return Frame(
        "Bench",
        "EUR",
        calendar,
        entities,
        accounts,
        {"department": departments},
        "1070",
        dict.fromkeys(SCENARIOS, "actual"),
        ("EUR",) * ENTITIES,
        np.full(ENTITIES, 2, dtype=np.int64),
        "E00",
    )


def make(lines: int) -> tuple[Book, dict[str, np.ndarray]]:
    """A book, and the lines it sums as plain arrays for the other engine."""
    random = np.random.default_rng(7)
    shape = frame()
    codes = np.unique(random.integers(0, ENTITIES * ACCOUNTS * DEPARTMENTS, KEYS * 5 // 4))[:KEYS]
    entity, rest = np.divmod(codes, ACCOUNTS * DEPARTMENTS)
    account, department = np.divmod(rest, DEPARTMENTS)
    keys = Keys(np.arange(1, len(codes) + 1), entity, account, np.full(len(codes), -1), department.reshape(-1, 1))
    table = {
        "key": random.integers(0, len(codes), lines),
        "period": random.integers(0, 60, lines),
        "scenario": random.choice(3, lines, p=[0.8, 0.1, 0.1]),
        "debit": random.integers(0, 10**7, lines),
    }
    credit = random.random(lines) < 0.5
    table["credit"], table["debit"] = np.where(credit, table["debit"], 0), np.where(credit, 0, table["debit"])
    movements = {}
    for place, name in enumerate(SCENARIOS):
        own = np.flatnonzero(table["scenario"] == place)
        cell, at = np.unique(table["key"][own] * 60 + table["period"][own], return_inverse=True)
        sums = [np.zeros(len(cell), dtype=np.int64) for _ in range(3)]
        for total, amount in zip(
            sums, (table["debit"][own], table["credit"][own], np.ones(len(own), dtype=np.int64)), strict=True
        ):
            np.add.at(total, at, amount)
        fixed = [np.full(len(cell), value, dtype=np.int64) for value in (POSTED, ACTIVITY)]
        movements[name] = Movements(cell // 60, cell % 60, *fixed, *sums)
    return Book(shape, keys, movements, 1), table | {"entity": entity, "account": account, "department": department}


WINDOWS = [("period", 0), ("year to date", 0), ("period", -1), ("year to date", -1), ("last 12 periods", 0)]


def statement() -> StatementDef:
    """60 lines of three accounts each in ten sections, 14 columns, 40 nodes: the whole, 13 entities, 26 departments."""
    lines = [
        {"line": f"Line {at}", "accounts": f"{1000 + 3 * at} to {1002 + 3 * at}", "sign": "as booked"}
        for at in range(LINES)
    ]
    sections = [
        {"section": f"Section {at}", "lines": lines[at * 6 : at * 6 + 6], "total": f"Total {at}"} for at in range(10)
    ]
    columns = [
        {
            "column": f"c{scenario}-{at}",
            "scenario": scenario,
            "window": window,
            **({"shift": f"{years} years"} if years else {}),
        }
        for scenario in SCENARIOS
        for at, (window, years) in enumerate(WINDOWS)
    ][:14]
    nodes = [{"node": "whole", "of": "entity: *"}]
    nodes += [{"node": f"E{at:02d}", "of": f"entity: E{at:02d}"} for at in range(ENTITIES)]
    nodes += [{"node": "none", "of": "department: -"}]
    nodes += [{"node": f"D{at:02d}", "of": f"department: D{at:02d}"} for at in range(1, DEPARTMENTS)]
    body = {"statement": "bench", "spine": "bench", "span": "bench", "scope": "bench"}
    return statement_from(
        body,
        spine_from({"spine": "bench", "lines": sections}),
        span_from({"span": "bench", "columns": columns}),
        scope_from({"scope": "bench", "nodes": nodes}),
    )


def duck(table: dict[str, np.ndarray], windows: list[tuple[int, int, int]]) -> tuple[Any, str, str]:
    """The lines in duckdb, and two ways to the same cells: one GROUP BY, and grouped by key first."""
    database = duckdb.connect()
    lines = {name: table[name] for name in ("key", "period", "scenario", "debit", "credit")}
    size = len(table["entity"])
    keys = {
        "key": np.arange(size),
        "entity": table["entity"],
        "department": table["department"],
        "line": table["account"] // 3,
    }
    node = np.concatenate([np.zeros(size), 1 + table["entity"], 14 + table["department"]]).astype(np.int64)
    nodes = {"node": node, "key": np.tile(np.arange(size), 3)}
    for name, columns in (("lines", lines), ("keys", keys), ("nodes", nodes)):
        database.register("given", {column: np.ascontiguousarray(values) for column, values in columns.items()})
        database.execute(f"CREATE TABLE {name} AS SELECT * FROM given")
    cells = ", ".join(
        f"SUM(CASE WHEN scenario = {scenario} AND period BETWEEN {first} AND {last} THEN debit - credit ELSE 0 "
        f"END)::BIGINT AS c{at}"
        for at, (scenario, first, last) in enumerate(windows)
    )
    again = ", ".join(f"SUM(c{at})::BIGINT" for at in range(len(windows)))
    whole = f"SELECT node, line, {cells} FROM lines JOIN keys USING (key) JOIN nodes USING (key) GROUP BY node, line"
    staged = (
        f"WITH s AS (SELECT key, {cells} FROM lines GROUP BY key) SELECT node, line, {again} FROM s JOIN keys "
        f"USING (key) JOIN nodes USING (key) GROUP BY node, line"
    )
    return database, whole, staged


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--lines", type=int, default=1_000_000)
    count = parser.parse_args().lines
    book, table = make(count)
    view, definition = book.within(NO_FENCE), statement()
    period = view.frame.calendar.period("2026-P07")
    nodes = nodes_of(view, definition.scope)
    plans = plan_for(definition, view, period, nodes)
    columns = plans[0].columns
    sum_up([Readings(plan) for plan in plans])
    shape = f"{LINES} lines x {len(columns)} columns x {len(nodes)} nodes = {LINES * len(columns) * len(nodes)} cells"
    print(f"{count} lines, {len(book.keys)} posting keys, 60 periods: {shape}")

    def kernel() -> list[Sums]:
        return sum_up([Readings(plan) for plan in plans])

    windows = [
        (SCENARIOS.index(column.asked.scenario), column.window.first, column.window.last)
        for column in columns
        if column.window
    ]
    database, whole, staged = duck(table, windows)
    cells = np.array([found.amounts for found in kernel()])
    for row in database.execute(staged).fetchall():
        assert cells[row[0], row[1]].tolist() == list(row[2:]), "the engines differ"
    ours = best(kernel)
    theirs = {
        name: best(lambda query=query: database.execute(query).fetchall(), 5)
        for name, query in (("one GROUP BY", whole), ("staged", staged))
    }
    quickest = min(theirs.values())
    told = ", ".join(f"{name} {taken:.0f} ms" for name, taken in theirs.items())
    print(f"all cells of all nodes: {ours:.1f} ms; duckdb {told}; ratio 1/{quickest / ours:.1f}")
    run_statement(definition, view, period, "E03")
    one = best(lambda: run_statement(definition, view, period, "E03"))
    fresh = iter([run_statement(definition, view, period, "E03") for _ in range(20)])  # each is footed once
    foot = best(lambda: footing(next(fresh)))
    print(f"one node, presented and totalled: {one:.1f} ms; footing it: {foot:.1f} ms")


if __name__ == "__main__":
    main()
