"""Times traces, drivers, rules and search beside a general-purpose engine, in one run:
`python -m bench.analysis --lines N`.

The demo's ledger with N journal lines in a database file of its own. A small and a heavy figure (about 20,000 lines):
the first page with count and sum in several orders and filters, and a deep page; both engines' counts and sums are
compared. Prints milliseconds and ratios; these machines are shared and noisy, so only the ratios mean something.
"""

from __future__ import annotations

import argparse
import csv
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from bench.statement import best

ROOT = Path(__file__).parent.parent
PAGE = ("date", "entry", "account", "document", "counterparty name", "text", "amount", "so far")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--lines", type=int, default=1_000_000)
    parser.add_argument("--var", type=Path, help="keep the ledger here, and use it where it is already")
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        var = asked.var or Path(scratch)
        var.mkdir(parents=True, exist_ok=True)
        os.environ |= {"RULKA_VAR": str(var), "DJANGO_SETTINGS_MODULE": "rulka.web.settings", "DATABASE_URL": ""}
        if not (var / "rulka.sqlite3").exists():
            manage = [sys.executable, "manage.py"]
            subprocess.run([sys.executable, "-m", "demo.generate", str(var / "demo"), "--lines", str(asked.lines)],
                           cwd=ROOT, check=True)  # fmt: skip
            subprocess.run([*manage, "migrate", "--verbosity", "0"], cwd=ROOT, check=True)
            before = time.perf_counter()
            subprocess.run([*manage, "load_ledger", "--ledger", "bench", str(var / "demo" / "ledger")], cwd=ROOT,
                           check=True, stdout=subprocess.DEVNULL)  # fmt: skip
            print(f"loaded in {time.perf_counter() - before:.1f} s")
            definitions = sorted((ROOT / "demo" / "definitions").glob("*.yaml"))
            subprocess.run([*manage, "load_statement", "--ledger", "bench", *map(str, definitions)], cwd=ROOT,
                           check=True, stdout=subprocess.DEVNULL)  # fmt: skip
        import django

        django.setup()
        measure()


WAYS: list[tuple[str, dict[str, Any]]] = [
    ("newest", {}),
    ("largest", {"sort": "-amount"}),
    ("by document", {"sort": "document"}),
    ("by text", {"sort": "text"}),
    ("text filter", {"search": "ma"}),
    ("one source", {"ticks": (("source", ("tickets",)),)}),
]
"""How the lines of a figure are asked for."""


def listed(name: str, opened: Any, ledger: Any, view: Any, engine: Any) -> None:
    """The lines of a traced figure, asked for in each way, beside the other engine."""
    from rulka.ledger.reading.trace_lines import LineQuery, TraceLines

    def lines(**query: Any) -> TraceLines:
        return TraceLines.of(ledger, opened, LineQuery(**query))

    print(f"\n{name}: {len(lines().found()):,} lines")
    forget = view.kept(("line lists",), lambda: None)
    for words, query in WAYS:

        def ours(query: dict[str, Any] = query) -> Any:
            forget.kept.clear()
            return lines(**query).page(1, PAGE)

        def theirs(query: dict[str, Any] = query) -> Any:
            return asked_of(engine, opened, query)

        page, (count, total, _) = ours(), theirs()
        assert (page.count, page.total) == (count, total), (name, words, page.count, count, page.total, total)
        mine, other = best(ours), best(theirs)
        print(f"  {words:12} {mine:8.2f} ms   other {other:8.2f} ms   ratio 1/{other / mine:.1f}")
    ready = lines()
    pages = ready.page(1, PAGE).pages
    first, deep = best(lambda: ready.page(1, PAGE)), best(lambda: ready.page(pages, PAGE))
    print(f"  again {first:.2f} ms, the last of {pages} pages {deep:.2f} ms")


def measure() -> None:
    """The figures traced, and what is searched for."""
    from django.db import connection

    from rulka.core.books.fence import NO_FENCE
    from rulka.core.proof.splits import open_figure
    from rulka.ledger.reading.queries import find_ledger, view_of
    from rulka.statements.library.opening import definitions_for
    from rulka.statements.running.runs import run

    ledger = find_ledger("bench")
    view = view_of(ledger, NO_FENCE)
    computed = run(definitions_for(ledger, "income-statement", None), "2027-P07", "TF", NO_FENCE).computed
    engine = other_engine(connection)

    figures = {
        "small": open_figure(computed, "insurance", "actual"),
        "fuel": open_figure(computed, "fuel", "ytd-actual"),
        "heavy": heaviest(computed, ledger),
    }
    for name, opened in figures.items():
        listed(name, opened, ledger, view, engine)
    driven(computed, engine)
    suspected(ledger, view, engine)
    searched(ledger, view)


def driven(computed: Any, engine: Any) -> None:
    """What drives a variance; the other engine groups the lines of its window by posting key and by counterparty."""
    from rulka.core.books.calendar import period_number
    from rulka.core.proof.drivers import drivers_of
    from rulka.core.proof.price_volume import price_volume
    from rulka.core.proof.splits import open_figure
    from rulka.core.proof.timing import timing_of

    print("\ndrivers")
    for row, column in (
        ("fuel", "ytd-difference"),
        ("foot-passengers", "ytd-difference"),
        ("income.total", "ytd-difference"),
        ("running-costs.total", "ytd-difference"),
    ):

        def ours(row: str = row, column: str = column) -> Any:
            opened = open_figure(computed, row, column)
            return drivers_of(opened), timing_of(opened), price_volume(opened)

        opened = open_figure(computed, row, column)
        pools = [pool for pool in opened.pools or () if pool.asked.pieces]
        keys = [key for pool in pools for key in computed.view.line_ids(pool.keys).tolist()]
        periods = sorted({period_number(pool.calendar.periods[place].code) for pool in pools
                          for _, places in pool.asked.pieces for place in places})  # fmt: skip

        def theirs(keys: list[int] = keys, periods: list[int] = periods) -> Any:
            for by in ("key_id", "counterparty_name", "key_id, period"):
                engine.execute(
                    f"SELECT {by}, SUM(debit - credit) FROM lines WHERE key_id IN (SELECT UNNEST(?)) "
                    f"AND period IN (SELECT UNNEST(?)) AND status = 0 GROUP BY {by}",
                    [keys, periods],
                ).fetchall()

        assert ours()[0].agrees
        mine, other = best(ours), best(theirs)
        print(f"  {row:22} {mine:8.2f} ms   other {other:8.2f} ms   ratio 1/{other / mine:.1f}")


def suspected(ledger: Any, view: Any, engine: Any) -> None:
    """All rules over a month; the other engine reads the same sums: of each key and period, of days and sources, of
    documents, and the month's lines."""
    from rulka.core.findings.evidence import Arrivals, Evidence
    from rulka.core.findings.judging import JUDGES, findings_of

    period = view.frame.calendar.period("2027-P07")

    def ours() -> Any:
        return findings_of(Evidence(view, period, arrivals=Arrivals()))

    def theirs() -> Any:
        for sql in (
            "SELECT key_id, period, SUM(debit), SUM(credit), COUNT(*) FROM lines GROUP BY 1, 2",
            "SELECT source, date, COUNT(*) FROM lines WHERE period >= 202608 GROUP BY 1, 2",
            "SELECT key_id, document, SUM(debit - credit), MIN(period) FROM lines WHERE document <> '' "
            "AND counterparty_name <> '' AND period >= 202607 GROUP BY 1, 2",
            "SELECT * FROM lines WHERE period = 202707",
        ):
            engine.execute(sql).fetchall()

    found = ours()
    mine, other = best(ours), best(theirs)
    print(f"\nall rules over a month with {len(Evidence(view, period).lines):,} lines, {len(found)} findings")
    print(f"  together {mine:8.2f} ms   other {other:8.2f} ms   ratio 1/{other / mine:.1f}")
    evidence = Evidence(view, period)
    print(f"  lines    {best(lambda: Evidence(view, period).lines):8.2f} ms")
    evidence.lines  # noqa: B018
    for name, judge in JUDGES.items():
        print(f"  {name:8} {best(lambda judge=judge: list(judge(evidence))):8.2f} ms")


def heaviest(computed: Any, ledger: Any) -> Any:
    """The figure of the statement whose lines come nearest to 20,000."""
    from rulka.core.proof.splits import open_figure

    found = []
    for row in computed.rows:
        for at, column in enumerate(computed.columns):
            if (
                row.has_figures
                and column.has_figures
                and row.values[at] is not None
                and column.scenario_kind == "actual"
            ):
                opened = open_figure(computed, row.key, column.key)
                count = sum(int(pool.counts.sum()) for pool in opened.pools or ())
                found.append((abs(count - 20_000), count, row.key, column.key))
    _, _, row, column = min(found)
    return open_figure(computed, row, column)


def other_engine(connection: Any) -> Any:
    """The same journal lines in the other engine's own table."""
    import duckdb

    names = "id, key_id, period, date, status, effect, debit, credit, document, counterparty_name, description, source"
    engine = duckdb.connect()
    cursor = connection.cursor()
    cursor.execute(f"SELECT {names} FROM ledger_journalline")
    with tempfile.NamedTemporaryFile("w", suffix=".csv", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(names.split(", "))
        while rows := cursor.fetchmany(100_000):
            writer.writerows(rows)
        file.flush()
        engine.execute("CREATE TABLE lines AS SELECT * FROM read_csv(?, header = true)", [file.name])
    return engine


ORDERS = {"-amount": "debit + credit DESC", "document": "document", "text": "description"}


def asked_of(engine: Any, opened: Any, query: dict[str, Any]) -> tuple[int, Any, Any]:
    """Count, sum and first page of the other engine."""
    from rulka.core.books.calendar import period_number

    count, total, rows = 0, 0, []
    for pool in opened.pools:
        periods = [period_number(p.code) for p in pool.calendar.periods]
        asked = pool.asked
        wanted = [periods[place] for _, places in asked.pieces for place in places]
        keys = opened.computed.view.line_ids(pool.keys).tolist()
        if not keys or not wanted:
            continue
        where = "key_id IN (SELECT UNNEST(?)) AND period IN (SELECT UNNEST(?)) AND status = 0 AND effect = 0"
        given: list[Any] = [keys, wanted]
        if query.get("search"):
            fields = ("description", "document", "counterparty_name", "source")
            where += " AND (" + " OR ".join(f"{name} ILIKE ?" for name in fields) + ")"
            given += [f"%{query['search']}%"] * len(fields)
        for _, values in query.get("ticks", ()):
            where += " AND source IN (SELECT UNNEST(?))"
            given.append(list(values))
        found = engine.execute(
            f"SELECT COUNT(*), SUM(debit - credit)::BIGINT FROM lines WHERE {where}", given
        ).fetchone()
        count += found[0]
        total += pool.factor * (found[1] or 0)
        order = ORDERS.get(query.get("sort", ""), "date DESC")
        rows += engine.execute(f"SELECT * FROM lines WHERE {where} ORDER BY {order}, id LIMIT 40", given).fetchall()
    return count, total, rows


def searched(ledger: Any, view: Any) -> None:
    """How long each kind of search takes."""
    from fractions import Fraction

    from rulka.ledger.models import JournalLine
    from rulka.ledger.reading import found

    line = JournalLine.objects.exclude(document="").select_related("entry").order_by("-pk").first()
    assert line is not None
    amount = Fraction(line.debit + line.credit, 100)
    print("\nsearch")
    for words, work in (
        ("document", lambda: found.documents(ledger, view, line.document[:4], 9)),
        ("entry", lambda: found.entries(ledger, view, line.entry.number[:6], 9)),
        ("counterparty", lambda: found.counterparties(ledger, view, "oil")),
        ("amount", lambda: found.amounts(ledger, view, amount, near=False)),
        ("amount about", lambda: found.amounts(ledger, view, amount, near=True)),
    ):
        print(f"  {words:12} {best(work):8.2f} ms")


if __name__ == "__main__":
    main()
