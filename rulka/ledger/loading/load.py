"""Loads a ledger: read and check everything first, find what a person should know, then write it in one transaction."""

from __future__ import annotations

import contextlib
import fcntl
import gc
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import connection, transaction

from rulka.core.errors import RulkaError, RulkaErrors
from rulka.core.intake.entries import Budget, check_budgets, check_total, code_problem
from rulka.formats.intake.ledger_folder import LedgerFolder, in_file
from rulka.formats.intake.ledger_source import ledger_folder
from rulka.ledger.loading.bulk import references_unchecked
from rulka.ledger.loading.checking import find, preview, vanished_ids
from rulka.ledger.loading.master_data import MasterData
from rulka.ledger.loading.report import ACCEPT, COMMAND_RULES, REFUSE, LoadReport
from rulka.ledger.loading.staging import Stage, stage
from rulka.ledger.loading.writing import MANY_LINES, LoadWriter
from rulka.ledger.models import Feed, Ledger
from rulka.ledger.reading.queries import snapshot

MANY_ENTRIES = 5_000
MOST_ANALYSED = 1_000
"""Rows of each index that are looked at to learn how selective it is."""


class _DryRun(Exception):
    pass


@dataclass
class Loading:
    """How one load is to be done.

    `full` says that the source told all it has, so that what it left out is asked about; `withdraw` takes that out.
    `hold` stops before writing whatever the rules say; `watch` is told (what is being done, rows, of how many bytes or
    rows).
    """

    code: str
    path: Path
    person: Any = None
    source: str = ""
    feed: Feed | None = None
    rules: dict[str, str] = field(default_factory=lambda: dict(COMMAND_RULES))
    dry_run: bool = False
    hold: bool = False
    full: bool = False
    withdraw: bool = False
    keep: bool = False
    watch: Callable[[str, int, int], None] | None = None
    rows: dict[str, list[int]] = field(default_factory=dict)  # the source's own rows behind a file's, for errors


@dataclass
class LoadOutcome:
    """What became of a load: `state` is accepted, held or refused."""

    state: str
    report: LoadReport
    error: RulkaError | None = None


@contextmanager
def _without_collector() -> Iterator[None]:
    """A load makes millions of objects; looking for cycles among them takes a third of its time."""
    enabled = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if enabled:
            gc.enable()


def load_folder(code: str, path: Path, *, person: Any = None, dry_run: bool = False) -> LoadReport:
    """Load a folder, .zip or .xlsx into a ledger, made when new; all or nothing, accepted at once.

    Raises RulkaErrors with every refused row, or with what stands against closed periods or stated totals; then nothing
    was changed.
    """
    outcome = load(Loading(code, path, person=person, dry_run=dry_run))
    if outcome.error is not None:
        raise outcome.error
    return outcome.report


def load(loading: Loading) -> LoadOutcome:
    """Check a load and, where the rules allow it, write it. Nothing is locked while files are read and checked.

    Raises RulkaError only for what makes the load as a whole impossible; refused rows are in the report.
    """
    if problem := code_problem(loading.code):
        raise RulkaError(f"The ledger code {problem}.", subject="ledger")
    report = LoadReport(loading.code, dry_run=loading.dry_run)
    with ledger_folder(loading.path) as readable, _without_collector(), stage() as staged:
        folder = LedgerFolder.open(readable, name=loading.source or str(loading.path))
        folder.keep = loading.keep
        if loading.watch:
            _watch_reading(folder, loading.watch)
        try:
            ledger, master, budgets = _check(loading, folder, staged, report)
        except RulkaErrors as error:
            for one in error.errors:
                _name_source_row(one, loading.rows)
            report.refuse(error.errors)
            return LoadOutcome("refused", report, error)
        finally:
            report.notes += folder.notes
        verdict = report.judge(loading.rules)
        if verdict == REFUSE:
            refusal = _refusal(report)
            report.refuse(refusal.errors)
            return LoadOutcome("refused", report, refusal)
        asks = loading.hold and _has_news(report, ledger, master)
        if asks or (verdict != ACCEPT and not loading.dry_run):
            report.revision = ledger.revision if ledger else 0
            return LoadOutcome("held", report)
        return _write(loading, ledger, master, staged, budgets, report)


def _check(
    loading: Loading, folder: LedgerFolder, staged: Stage, report: LoadReport
) -> tuple[Ledger | None, MasterData, list[Budget]]:
    settings = folder.settings()
    with snapshot():
        ledger = Ledger.objects.filter(code=loading.code).first()
        master = MasterData(ledger, folder, settings)
        books = master.read()
        errors = staged.fill(books, lambda together: folder.entry_blocks(settings.dimensions, together=together))
        folder.errors += [in_file("entries.csv", error) for error in errors]
        budgets, errors = check_budgets(folder.budgets(settings.dimensions), books)
        folder.errors += [in_file("budgets.csv", error) for error in errors]
        controls = list(folder.table("controls.csv"))
        folder.refuse_if_errors()
        check_total(staged.absolute)
        staged.compare(ledger.pk if ledger else None)
        digits = dict(books.digits)
        find(
            report,
            ledger,
            staged,
            master.wanted,
            settings.calendar,
            controls=controls,
            digits=digits,
            group_digits=books.group_digits,
            feed=loading.feed,
            full=loading.full,
        )
        if loading.hold or report.judge(loading.rules) != ACCEPT:
            preview(report, ledger, staged, master.wanted, budgets)
    return ledger, master, budgets


def _write(
    loading: Loading,
    ledger: Ledger | None,
    master: MasterData,
    staged: Stage,
    budgets: list[Budget],
    report: LoadReport,
) -> LoadOutcome:
    report.tallies.clear()
    if loading.watch:
        loading.watch("writing", staged.lines, staged.lines)
    try:
        with references_unchecked(staged.lines >= MANY_LINES), transaction.atomic():
            target = _unmoved(loading.code, ledger)
            writer = LoadWriter(
                target, source=master.folder.name, person=loading.person, report=report, feed=loading.feed
            )
            withdraw = vanished_ids(loading.feed) if loading.withdraw and loading.full and loading.feed else []
            writer.write(staged, budgets, values=master.values, wanted=master.wanted, withdraw=withdraw)
            if loading.dry_run:
                raise _DryRun
    except _DryRun:
        pass
    if not loading.dry_run and report.tally("entries").new > MANY_ENTRIES:
        with connection.cursor() as cursor:
            cursor.execute(f"PRAGMA analysis_limit = {MOST_ANALYSED}")
            cursor.execute("ANALYZE")
    return LoadOutcome("accepted", report)


def _watch_reading(folder: LedgerFolder, watch: Callable[[str, int, int], None]) -> None:
    whole = (folder.path / "entries.csv").stat().st_size

    def told(rows: int, read: int) -> None:
        watch("checking", rows, max(rows, rows * whole // max(read, 1)))

    folder.watch = told


def _has_news(report: LoadReport, ledger: Ledger | None, master: MasterData) -> bool:
    """Whether a load would change anything, or found something that a person should know; where not, nobody is
    asked."""
    settings = ledger is None or any(getattr(ledger, name) != value for name, value in master.values.items())
    return report.moved or bool(report.findings) or settings


def _refusal(report: LoadReport) -> RulkaErrors:
    """Findings that a rule refuses, as errors."""
    errors = []
    for finding in report.findings:
        if finding.action == REFUSE:
            errors += [
                RulkaError(
                    f"{finding.title}: "
                    + ", ".join(f"{name} {cell}" for name, cell in zip(finding.columns, row, strict=True))
                    + "."
                )
                for row in finding.rows
            ]
    count = sum(finding.count for finding in report.findings if finding.action == REFUSE)
    return RulkaErrors(errors, message=f"Refused, nothing was loaded: {count} error{'s' if count > 1 else ''}.")


def _name_source_row(error: RulkaError, rows: dict[str, list[int]]) -> None:
    """Turn `entries.csv, row 4` into the row of the file that it was made from."""
    for file, numbers in rows.items():
        start = f"{file}, row "
        if error.subject.startswith(start):
            number, comma, rest = error.subject[len(start) :].partition(",")
            at = int(number) - 2
            if 0 <= at < len(numbers):
                error.subject = f"row {numbers[at]}{comma}{rest}"


def _unmoved(code: str, read: Ledger | None) -> Ledger:
    """The ledger to write to; refused when another load came in since it was read."""
    now = Ledger.objects.filter(code=code).first()
    if (now.revision if now else None) != (read.revision if read else None):
        raise RulkaError(
            "Another load came in while this one was checked.",
            hint="Load again.",
            subject=f"ledger {code}",
            code="moved",
        )
    return now or Ledger(code=code)


@contextlib.contextmanager
def alone(code: str, *, wait: bool = True) -> Iterator[None]:
    """One load a ledger at a time, whichever process does it; the lock goes with the process that holds it."""
    folder = Path(settings.VAR) / "locks"
    folder.mkdir(parents=True, exist_ok=True)
    with (folder / f"{code}.lock".replace("/", "_")).open("w") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | (0 if wait else fcntl.LOCK_NB))
        except BlockingIOError:
            raise RulkaError(
                "Another load of this ledger runs.",
                hint="Wait until it is done, then load again.",
                subject=f"ledger {code}",
            ) from None
        yield
