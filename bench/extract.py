"""Times extracts beside general-purpose writers, in one run: `python -m bench.extract --lines N`.

The demo's ledger with N journal lines in a database file of its own. 150,000 lines of 20 columns go from a query to a
workbook that keeps formats: through an extract, through polars and through openpyxl, each in a process of its own whose
peak of memory is told; and the first rows of an extract are fetched. These machines are shared and noisy, so only the
ratios mean something.
"""

from __future__ import annotations

import argparse
import os
import sqlite3
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from bench.statement import best

ROOT = Path(__file__).parent.parent
SINCE, UNTIL = "2026-09-21", "2026-10-31"
"""Days that hold about 150,000 of 5 million lines."""
COLUMNS = [
    "date", "period", "entity", "entry", "line", "account", "account name", "account type", "department", "crossing",
    "debit", "credit", "amount", "currency", "description", "source", "document", "counterparty", "user", "status",
]  # fmt: skip
PLAIN = f"""
SELECT l.date || '' AS date, l.period, y.code AS entity, e.number AS entry, l.line, a.code AS account,
 a.name AS account_name, a.type, k.members AS department, k.members AS crossing, l.debit / 100.0 AS debit,
 l.credit / 100.0 AS credit, (l.debit - l.credit) / 100.0 AS amount, y.currency, l.description, l.source, l.document,
 l.counterparty, l."user" AS who, l.status FROM ledger_journalline l JOIN ledger_journalentry e ON e.id = l.entry_id
 JOIN ledger_postingkey k ON k.id = l.key_id JOIN ledger_account a ON a.id = k.account_id JOIN ledger_entity y ON
 y.id = k.entity_id WHERE l.period IN (202706, 202707) AND l.date BETWEEN '{SINCE}' AND '{UNTIL}' ORDER BY l.date
"""
BODY: dict[str, Any] = {
    "extract": "x", "title": "Lines", "rows": "journal lines", "columns": COLUMNS,
    "where": [{"date": f"{SINCE} to {UNTIL}"}],
}  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--lines", type=int, default=1_000_000)
    parser.add_argument("--var", type=Path, help="keep the ledger here, and use it where it is already")
    parser.add_argument("--writer", choices=WRITERS, help=argparse.SUPPRESS)
    parser.add_argument("--file", type=Path, help=argparse.SUPPRESS)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        var = asked.var or Path(scratch)
        var.mkdir(parents=True, exist_ok=True)
        os.environ |= {"RULKA_VAR": str(var), "DJANGO_SETTINGS_MODULE": "rulka.web.settings", "DATABASE_URL": ""}
        if asked.writer:
            write_by(asked.writer, var, asked.file)
            return
        if not (var / "rulka.sqlite3").exists():
            manage = [sys.executable, "manage.py"]
            subprocess.run([sys.executable, "-m", "demo.generate", str(var / "demo"), "--lines", str(asked.lines)],
                           cwd=ROOT, check=True)  # fmt: skip
            subprocess.run([*manage, "migrate", "--verbosity", "0"], cwd=ROOT, check=True)
            subprocess.run([*manage, "load_ledger", "--ledger", "bench", str(var / "demo" / "ledger")], cwd=ROOT,
                           check=True, stdout=subprocess.DEVNULL)  # fmt: skip
        import django

        django.setup()
        previews()
        writers(var)


def writers(var: Path) -> None:
    """Each way from a query to a file, in a process of its own."""
    told: dict[str, tuple[float, int, int]] = {}
    with tempfile.TemporaryDirectory() as folder:
        for name in WRITERS:
            file = Path(folder) / f"{name}.{'csv' if name.endswith('csv') else 'xlsx'}"
            answer = subprocess.run(
                [sys.executable, "-m", "bench.extract", "--var", str(var), "--writer", name, "--file", str(file)],
                cwd=ROOT, check=True, capture_output=True, text=True,
            )  # fmt: skip
            seconds, memory = answer.stdout.split()
            told[name] = (float(seconds), int(memory), file.stat().st_size)
    for name, (seconds, memory, size) in told.items():
        beside = "polars csv" if name.endswith("csv") else "polars"
        ratio = seconds / told[beside][0]
        print(
            f"{name:14} {seconds:6.1f} s  {memory / 1024:6.0f} MB more  {size / 1e6:5.1f} MB  {ratio:5.2f} of {beside}"
        )


def write_by(name: str, var: Path, file: Path) -> None:
    """One way; prints seconds, and by how much the peak of memory rose."""
    if name.startswith("extract"):
        import django

        django.setup()
    import openpyxl  # noqa: F401
    import polars  # noqa: F401

    before, start = peak(), time.perf_counter()
    WRITERS[name](var, file)
    print(f"{time.perf_counter() - start:.2f} {peak() - before}")


def peak() -> int:
    """The most memory that this process had at once, in kB; what it was before it became this program isn't counted."""
    told = Path("/proc/self/status").read_text()
    return int(next(line.split()[1] for line in told.splitlines() if line.startswith("VmHWM")))


def by_extract(var: Path, file: Path) -> None:
    from django.utils import timezone

    from rulka.core.books.fence import NO_FENCE
    from rulka.core.extracting.definitions import extract_from
    from rulka.extracts.output.writing import write
    from rulka.extracts.running.asked import ExtractReader, opened
    from rulka.ledger.reading.queries import find_ledger

    reader = ExtractReader(find_ledger("bench"), NO_FENCE, "2027-P07")
    with opened(extract_from(BODY), reader, {}) as asked:
        write(asked, file.suffix[1:], file, timezone.localtime())


def _fetched(var: Path) -> tuple[list[str], list[tuple[Any, ...]]]:
    with sqlite3.connect(var / "rulka.sqlite3") as database:
        found = database.execute(PLAIN)
        return [column[0] for column in found.description], found.fetchall()


def by_polars(var: Path, file: Path) -> None:
    import polars

    names, rows = _fetched(var)
    table = polars.DataFrame(rows, schema=names, orient="row", infer_schema_length=None)
    table = table.with_columns(polars.col("date").str.to_date())
    if file.suffix == ".csv":
        table.write_csv(file)
    else:
        table.write_excel(file, worksheet="Lines", freeze_panes=(1, 0), autofilter=True, autofit=True)


def by_openpyxl(var: Path, file: Path) -> None:
    from datetime import date

    from openpyxl import Workbook
    from openpyxl.cell import WriteOnlyCell

    names, rows = _fetched(var)
    book = Workbook(write_only=True)
    sheet = book.create_sheet("Lines")
    sheet.freeze_panes = "A2"
    sheet.append(names)
    for row in rows:
        cells = [date.fromisoformat(row[0]), *row[1:10]]
        for value in row[10:13]:
            cell = WriteOnlyCell(sheet, value)
            cell.number_format = "#,##0.00"
            cells.append(cell)
        sheet.append([*cells, *row[13:]])
    book.save(file)


WRITERS = {
    "extract": by_extract, "polars": by_polars, "openpyxl": by_openpyxl, "extract csv": by_extract,
    "polars csv": by_polars,
}  # fmt: skip


def previews() -> None:
    """The first rows of extracts, as their page fetches them."""
    from rulka.core.books.fence import NO_FENCE, Fence
    from rulka.core.extracting.definitions import extract_from
    from rulka.extracts.running.asked import ExtractReader, opened
    from rulka.ledger.reading.queries import find_ledger, view_of

    ledger = find_ledger("bench")
    view = view_of(ledger, NO_FENCE)
    print(f"{int(view.movements('actual').count.sum()):,} lines, {len(view.keys):,} posting keys")
    bodies = {
        "a month": {"where": [{"period": "this"}]},
        "a month, largest first": {"where": [{"period": "this"}], "sort": ["amount falling"]},
        "all, by date": {},
        "all, newest first": {"sort": ["date falling"]},
        "one account, all time": {"where": [{"account": "6110"}]},
        "a supplier, all time": {"where": [{"counterparty": "K001"}]},
        "by account, a year": {"where": [{"period": "year of this"}, {"currency": "EUR"}],
                               "columns": ["account", {"column": "amount", "total": "sum"}]},
    }  # fmt: skip
    for fence, called in ((NO_FENCE, ""), (Fence.of("TF", "", {"department": "under:100"}), ", behind a fence")):
        reader = ExtractReader(ledger, fence, "2027-P07")
        view_of(ledger, fence).movements("actual")
        for name, more in bodies.items():
            extract = extract_from({**BODY, "where": [], **more})

            def first(extract: Any = extract, reader: Any = reader) -> None:
                with opened(extract, reader, {}) as asked:
                    list(asked.rows.rows(asked.query, 60))

            print(f"first rows, {name}{called}: {best(first, 3):.0f} ms")


if __name__ == "__main__":
    main()
