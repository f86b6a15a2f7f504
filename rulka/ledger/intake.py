"""Loads a ledger: read and check everything first, then write it in one transaction."""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from django.db import connection, transaction

from rulka.core.errors import RulkaError
from rulka.core.intake import Books, Budget, Entry, EntryChecker, check_budgets, code_problem, group_rows
from rulka.formats.ledger_folder import LedgerFolder, in_file
from rulka.formats.ledger_source import ledger_folder
from rulka.ledger.master_data import MasterData
from rulka.ledger.models import Ledger
from rulka.ledger.queries import snapshot
from rulka.ledger.report import LoadReport
from rulka.ledger.writing import LoadWriter

MANY_ENTRIES = 5_000


@contextmanager
def _without_collector() -> Iterator[None]:
    """A load makes millions of objects that all live to its end; looking for cycles among them takes a third of its time."""
    enabled = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if enabled:
            gc.enable()


class _DryRun(Exception):
    pass


def load_folder(code: str, path: Path, *, person: Any = None, dry_run: bool = False) -> LoadReport:
    """Load a folder, .zip or .xlsx into a ledger, made when new; all or nothing.

    Nothing is locked while files are read and checked. Raises RulkaErrors with every refused row; then nothing was changed.
    """
    if problem := code_problem(code):
        raise RulkaError(f"The ledger code {problem}.", subject="ledger")
    report = LoadReport(code, dry_run=dry_run)
    with ledger_folder(path) as readable, _without_collector():
        folder = LedgerFolder.open(readable, name=str(path))
        settings = folder.settings()
        with snapshot():
            ledger = Ledger.objects.filter(code=code).first()
            master = MasterData(ledger, folder, settings)
            books = master.read()
        entries, budgets = _check(folder, settings.dimensions, books)
        report.notes += folder.notes
        try:
            with transaction.atomic():
                writer = LoadWriter(_unmoved(code, ledger), master, person, report)
                writer.write(entries, budgets)
                if dry_run:
                    raise _DryRun
        except _DryRun:
            pass
    if not dry_run and report.tally("entries").new > MANY_ENTRIES:
        with connection.cursor() as cursor:
            cursor.execute("ANALYZE")
    return report


def _check(folder: LedgerFolder, dimensions: tuple[str, ...], books: Books) -> tuple[list[Entry], list[Budget]]:
    checker = EntryChecker(books)
    checked = [checker.check(rows) for rows in group_rows(folder.entries(dimensions)).values()]
    folder.errors += [in_file("entries.csv", error) for error in checker.errors]
    budgets, errors = check_budgets(folder.budgets(dimensions), books)
    folder.errors += [in_file("budgets.csv", error) for error in errors]
    folder.refuse_if_errors()
    return [entry for entry in checked if entry is not None], budgets


def _unmoved(code: str, read: Ledger | None) -> Ledger:
    """The ledger to write to; refused when another load came in since it was read."""
    now = Ledger.objects.filter(code=code).first()
    if (now.revision if now else None) != (read.revision if read else None):
        raise RulkaError("Another load came in while this one was checked.", hint="Load again.", subject=f"ledger {code}", code="moved")
    return now or Ledger(code=code)
