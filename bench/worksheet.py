"""Worksheets beside duckdb in one run: 24,000 formulas of which 12,000 ask the ledger. `python -m bench.worksheet`

Prints milliseconds against the aims, and the batch of questions as a ratio to duckdb's join over the same lines. What
both computed is compared.
"""

from __future__ import annotations

import argparse
import time

import duckdb
import numpy as np

import rulka.core.sheet.functions  # noqa: F401
from bench.statement import best, make
from rulka.core.books.fence import NO_FENCE
from rulka.core.sheet.addresses import letters
from rulka.core.sheet.amounts import Amount, Amounts
from rulka.core.sheet.calculating import Calculation, SheetCells
from rulka.core.sheet.covering import coverage_of, groups_of
from rulka.core.sheet.ledger_functions import LedgerSource
from rulka.core.sheet.surroundings import Surroundings

ROWS, PERIODS = 200, 60


def inputs(frame) -> dict[int, SheetCells]:
    """A sheet of questions, by account, entity and period, and one of ordinary formulas on them."""
    calls = {(0, 0): "actual", (1, 0): "Account", (1, 1): "Entity"}
    plain: dict[tuple[int, int], str] = {(0, 0): "1.5"}
    for at, period in enumerate(frame.calendar.periods[:PERIODS]):
        calls[1, 2 + at] = period.code
    for row in range(ROWS):
        calls[2 + row, 0] = frame.accounts.items[row % len(frame.accounts)].code
        calls[2 + row, 1] = f"E{row % 13:02d}"
        for at in range(PERIODS):
            column = letters(2 + at)
            calls[2 + row, 2 + at] = f"=RULKA.ACTIVITY($A{row + 3},{column}$2,$A$1,$B{row + 3})"
            former = letters(1 + at) if at else ""
            own = f"Calls!{column}{row + 3}"
            plain[2 + row, 2 + at] = (
                f"=IF({own}>0,{own}*$A$1,0)" if at % 2 else f"={own}-SUM(Calls!{column}$3:{column}$9)"
            )
            if former and at % 7 == 0:
                plain[2 + row, 2 + at] = f"=ROUND({own}/3,2)+{former}{row + 3}"
    return {1: SheetCells(1, "Calls", calls), 2: SheetCells(2, "Plain", plain)}


def main() -> None:
    arguments = argparse.ArgumentParser()
    arguments.add_argument("--lines", type=int, default=1_000_000)
    lines = arguments.parse_args().lines
    book, table = make(lines)
    view = book.within(NO_FENCE)
    view.balances("actual"), view.balances("budget")
    around = Surroundings(view, view.frame.calendar.periods[-1], "E00", "bench")

    def opened() -> Calculation:
        return Calculation(inputs(view.frame).values(), source=LedgerSource(around), context=around)

    calculation = opened()
    print(f"{calculation.told.formulas:,} formulas calculated, {calculation.told.questions:,} questions")
    print(f"full calculation       {best(opened, 3):8.0f} ms   aim 1500")
    source = calculation.source
    assert isinstance(source, LedgerSource)  # given just before

    def covered() -> None:
        for group in groups_of(calculation, 1, source)[:12]:
            coverage_of(group, "", source.amounts)

    print(f"held against accounts  {best(covered, 5):8.0f} ms")
    edited(calculation)
    batch(view, around, table)


def edited(calculation: Calculation) -> None:
    """Edits that touch all, little and half of a worksheet."""
    scenario = ["budget", "actual"]

    def all_of_it() -> None:
        scenario.reverse()
        calculation.change({(1, 0, 0): scenario[0]})

    all_of_it()
    print(f"an edit that touches all {best(all_of_it, 4):6.0f} ms   aim 700")
    numbers = iter(range(10_000))
    ordinary = best(lambda: calculation.change({(1, 5, 99): str(next(numbers))}), 20)
    print(f"an ordinary edit       {ordinary:8.2f} ms   aim 50")
    used = [1.5, 2.5]

    def half() -> None:
        used.reverse()
        calculation.change({(2, 0, 0): str(used[0])})

    print(f"one that 6,000 follow  {best(half, 5):8.0f} ms")


def batch(view, around: Surroundings, table: dict[str, np.ndarray]) -> None:
    """12,000 questions in one go, beside a join of duckdb."""
    periods = view.frame.calendar.periods[:PERIODS]
    questions = [
        Amount("activity", view.frame.accounts.items[row % 180].code, periods[at].code, "actual", f"E{row % 13:02d}")
        for row in range(ROWS)
        for at in range(PERIODS)
    ]
    ours = best(lambda: Amounts(around).answers(questions), 5)
    database = duckdb.connect()
    keys = {name: table[name] for name in ("entity", "account")} | {"key": np.arange(len(table["entity"]))}
    of_lines = {name: table[name] for name in ("key", "period", "scenario", "debit", "credit")}
    asked = {
        "number": np.arange(len(questions)),
        "entity": np.array([row % 13 for row in range(ROWS) for _ in range(PERIODS)]),
        "account": np.array([row % 180 for row in range(ROWS) for _ in range(PERIODS)]),
        "period": np.array([at for _ in range(ROWS) for at in range(PERIODS)]),
    }
    for name, columns in (("keys", keys), ("lines", of_lines), ("asked", asked)):
        database.register(f"{name}_given", columns)
        database.execute(f"CREATE TABLE {name} AS SELECT * FROM {name}_given")
    sql = (
        "SELECT a.number, CAST(COALESCE(SUM(l.debit - l.credit), 0) AS BIGINT) FROM asked a "
        "LEFT JOIN keys k ON k.entity = a.entity AND k.account = a.account "
        "LEFT JOIN lines l ON l.key = k.key AND l.period = a.period AND l.scenario = 0 GROUP BY a.number ORDER BY 1"
    )
    theirs = best(lambda: database.execute(sql).fetchall(), 5)
    answers = Amounts(around).answers(questions)
    sums = [row[1] for row in database.execute(sql).fetchall()]
    assert [int(answers[question] * 100) for question in questions] == sums, "the engines disagree"
    ratio = f"ratio 1/{theirs / ours:.2f}   aim 1/100"
    print(f"12,000 questions       {ours:8.1f} ms   duckdb's join {theirs:.1f} ms   {ratio}")


if __name__ == "__main__":
    before = time.perf_counter()
    main()
    print(f"{time.perf_counter() - before:.0f} s in all")
