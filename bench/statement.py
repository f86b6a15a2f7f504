"""Times computing beside SQLite's own ways, in one run: `make bench` or `python -m bench.statement --lines N`.

Prints milliseconds and ratios; these machines are shared and noisy, so only the ratios mean something.
"""

from __future__ import annotations

import argparse
import os
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any


def best(work: Callable[[], Any], times: int = 5) -> float:
    """The shortest of several runs, in milliseconds."""
    taken = []
    for _ in range(times):
        before = time.perf_counter()
        work()
        taken.append((time.perf_counter() - before) * 1000)
    return min(taken)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--lines", type=int, default=1_000_000)
    lines = parser.parse_args().lines
    with tempfile.TemporaryDirectory() as folder:
        os.environ.update(RULKA_VAR=folder, DATABASE_URL="", DJANGO_SETTINGS_MODULE="rulka.web.settings")
        import django

        django.setup()
        run(Path(folder), lines)


def run(folder: Path, lines: int) -> None:
    from django.core.management import call_command
    from django.db import connection

    from demo.generate import generate
    from rulka.core.book import NO_FENCE
    from rulka.core.statement import run_statement
    from rulka.formats.definition_file import read_definitions
    from rulka.ledger import queries
    from rulka.ledger.intake import load_folder
    from rulka.ledger.models import Balance, Ledger
    from rulka.statements.assemble import assemble, find_definition
    from rulka.statements.services import load_definitions

    call_command("migrate", verbosity=0)
    count = generate(folder / "demo", lines)
    load_folder("bench", folder / "demo" / "ledger")
    print(f"{count} lines")

    ledger = Ledger.objects.get(code="bench")

    def read_book() -> None:
        queries._BOOKS.clear()
        queries.book_of(ledger).balances("actual")

    chunks = best(read_book)
    rows = best(lambda: list(Balance.objects.values_list("scenario_id", "key_id", "period", "status", "effect", "debit", "credit", "count")), 3)
    print(f"balances into memory, accumulated: {chunks:.1f} ms; fetching their rows alone: {rows:.1f} ms; ratio 1/{rows / chunks:.1f}")

    definitions = Path(__file__).parent.parent / "demo" / "definitions"
    load_definitions(ledger, [body for path in sorted(definitions.glob("*.yaml")) for body in read_definitions(path.read_text())])
    view = queries.book_of(ledger).within(NO_FENCE)
    period = view.frame.calendar.period("2027-P07")
    statement = assemble(find_definition(ledger, "statement", "income-statement"))
    run_statement(statement, view, period)
    kernel = best(lambda: run_statement(statement, view, period), 10)

    def grouped() -> None:
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT k.account_id, l.period, SUM(l.debit), SUM(l.credit) FROM ledger_journalline l JOIN ledger_postingkey k ON k.id = l.key_id "
                "JOIN ledger_entity e ON e.id = k.entity_id WHERE e.code = 'TF' AND l.status = 0 AND l.effect = 0 AND l.period >= 202601 "
                "GROUP BY k.account_id, l.period"
            )
            cursor.fetchall()

    once = best(grouped, 3)
    print(f"income statement, 9 columns: {kernel:.1f} ms; one GROUP BY of SQLite for its actuals: {once:.1f} ms; ratio 1/{once / kernel:.1f}")


if __name__ == "__main__":
    main()
