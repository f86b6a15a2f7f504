"""What moved: from an edition to now, between two editions, two revisions of the ledger, or two periods. The entries
that arrived come first, then the lines they changed, one row a line."""

from __future__ import annotations

import json
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from rulka.core.books.book import View
from rulka.core.books.chart import BoolArray
from rulka.core.compute.computed import Computed
from rulka.core.errors import RulkaError
from rulka.core.proof.checks import Check
from rulka.core.proof.footing import footing
from rulka.core.proof.moved import Moved, MovedLine, by_line, moved_since
from rulka.core.proof.splits import open_figure
from rulka.core.proof.terms import terms_of
from rulka.formats.output.text import as_json
from rulka.ledger.models import Ledger
from rulka.ledger.reading.history import ChangedEntry, ChangedSum, EntrySum, changes_between, view_at
from rulka.ledger.reading.trace_lines import LineQuery, ShownLine, TraceLines
from rulka.people.models import Person
from rulka.statements.library.assemble import Definitions
from rulka.statements.models import Edition
from rulka.statements.output.editions import recompute
from rulka.statements.running.runs import run_at

SUMS = frozenset({"total", "calculation", "subtotal"})
MOST_LINES = 300
WITH_ENTRIES = 12
"""Lines whose largest entries are shown between two periods."""


@dataclass(frozen=True)
class Arrived:
    """An entry under a line that it changed, with what it added there, debit positive."""

    entry: ChangedEntry
    sums: tuple[EntrySum, ...]


@dataclass(frozen=True)
class MovedRow:
    """A line that moved; `entries` are those that changed it, `through` sums where these are too many, `largest` the
    largest journal lines of the later of two periods."""

    line: MovedLine
    entries: tuple[Arrived, ...] = ()
    through: tuple[ChangedSum, ...] = ()
    largest: tuple[ShownLine, ...] = ()


@dataclass(frozen=True)
class WhatMoved:
    """What moved from one state to another: `before` and `after` say which, `revision` is that of the later one."""

    before: str
    after: str
    revision: int
    lines: tuple[MovedRow, ...]
    sums: tuple[MovedRow, ...]
    entries: tuple[ChangedEntry, ...]
    count: int
    by_time: bool = False

    @property
    def figures(self) -> int:
        """How many figures moved."""
        return sum(1 + len(row.line.others) for row in (*self.lines, *self.sums))


Run = dict[str, Any]


def _run(computed: Computed, checks: list[Check], ledger: Ledger) -> Run:
    found: Run = json.loads(as_json(computed, checks, ledger.code))
    return found


def since_edition(edition: Edition, view: View, person: Person) -> WhatMoved:
    """From an edition to the ledger as it is now."""
    computed = recompute(edition, view, person)
    return since_run(edition.ledger, edition.run, edition.revision, edition.name, computed)


def since_run(ledger: Ledger, run: Run, revision: int, name: str, computed: Computed) -> WhatMoved:
    """From a run that was kept at a revision to the same computed now."""
    now = _run(computed, footing(computed), ledger)
    moved = moved_since(run, now, computed)
    return _moved(ledger, computed, moved, (revision, ledger.revision), (name, f"now, revision {ledger.revision}"))


def between_editions(before: Edition, after: Edition, view: View, person: Person) -> WhatMoved:
    """From one edition to another; accounts are those of the later one's definitions."""
    computed = recompute(after, view, person)
    revisions = (before.revision, after.revision) if before.period == after.period else (after.revision,) * 2
    return _moved(
        after.ledger, computed, moved_since(before.run, after.run, computed), revisions, (before.name, after.name)
    )


def between_revisions(
    definitions: Definitions, first: int, last: int, period: str, node: str, view: View, person: Person
) -> WhatMoved:
    """A statement as it is defined now, over two revisions of the ledger."""
    ledger = definitions["statement"].ledger
    if first >= last:
        raise RulkaError("The former revision has to be the smaller one.", subject="revisions")
    views = [view_at(ledger, number, view.fence) for number in (first, last)]
    runs = [run_at(definitions, one, period, node, person) for one in views]
    before, after = (_run(one, footing(one), ledger) for one in runs)
    moved = moved_since(before, after, runs[1])
    return _moved(ledger, runs[1], moved, (first, last), (f"revision {first}", f"revision {last}"))


def between_periods(
    definitions: Definitions, first: str, last: str, node: str, view: View, person: Person
) -> WhatMoved:
    """A statement at two periods, with the largest journal lines of the later one under each line."""
    ledger = definitions["statement"].ledger
    if first == last:
        raise RulkaError("Both periods are the same.", hint="Choose another one.", subject="periods")
    runs = [run_at(definitions, view, period, node, person) for period in (first, last)]
    before, after = (_run(one, footing(one), ledger) for one in runs)
    titles = [one.period.title for one in runs]
    moved, named = moved_since(before, after, runs[1]), (titles[0], titles[1])
    column = next((one.key for one in runs[1].columns if one.has_figures and not one.hidden), "")
    found = _moved(ledger, runs[1], moved, (view.revision,) * 2, named, column)
    rows = [
        MovedRow(row.line, largest=_largest(ledger, runs[1], row.line)) if at < WITH_ENTRIES else row
        for at, row in enumerate(found.lines)
    ]
    return WhatMoved(found.before, found.after, found.revision, tuple(rows), found.sums, (), 0, by_time=True)


def _largest(ledger: Ledger, computed: Computed, line: MovedLine) -> tuple[ShownLine, ...]:
    """The largest journal lines behind the first of a line's figures that has any; none where nothing of it shows."""
    for figure in (line.figure, *line.others):
        try:
            opened = open_figure(computed, line.row, figure.column)
            lines = TraceLines.of(ledger, opened, LineQuery(sort="-amount"), 0)
        except RulkaError:
            continue  # sealed for the reader, or no row any more: nothing of it shows
        if found := lines.page(1, ("date", "document", "text", "counterparty name"), size=3).lines:
            return found
    return ()


def _reach(computed: Computed) -> BoolArray:
    """The posting keys that a statement reads for its node, and those of nodes that its columns name."""
    reached = computed.node.keys.copy()
    for column in computed.columns:
        if column.node is not None:
            reached |= column.node.keys
    return reached


def _moved(
    ledger: Ledger,
    computed: Computed,
    moved: list[Moved],
    revisions: tuple[int, ...],
    named: tuple[str, str],
    column: str = "",
) -> WhatMoved:
    entries: tuple[ChangedEntry, ...] = ()
    sums: tuple[ChangedSum, ...] = ()
    count = 0
    if revisions[0] != revisions[1]:
        changes = changes_between(computed.view, ledger, *sorted(revisions), only=_reach(computed))
        entries, sums, count = changes.entries, changes.sums, changes.count
    rows = []
    for line in by_line(moved, SUMS, column)[:MOST_LINES]:
        under = _under(line, entries, _keys(computed, line)) if entries else ()
        few = count <= len(entries)
        through = () if few else tuple(one for one in sums if _behind(line, one.account, one.period))
        rows.append(MovedRow(line, under, through))
    entries = tuple(sorted(entries, key=_size, reverse=True))
    return WhatMoved(
        *named,
        max(revisions),
        tuple(row for row in rows if not row.line.is_sum),
        tuple(row for row in rows if row.line.is_sum),
        entries,
        count,
    )


def _size(entry: ChangedEntry) -> tuple[Fraction, str]:
    return max((abs(Fraction(one.net)) for one in entry.sums), default=Fraction(0)), entry.number


def _behind(line: MovedLine, account: str, period: str) -> bool:
    return any(account in one.codes and period in one.periods for one in (line.figure, *line.others))


def _keys(computed: Computed, line: MovedLine) -> BoolArray | None:
    """Mask of the posting keys behind a line's figures that moved; None where they are no sums of such."""
    found = None
    for figure in (line.figure, *line.others):
        known = line.row in computed.rows_by_key and any(column.key == figure.column for column in computed.columns)
        for term in (terms_of(computed, line.row, figure.column) or ()) if known else ():
            own = computed.readings.keys_behind(term.leaf, term.column)
            found = own.copy() if found is None else found | own
    return found


def _under(line: MovedLine, entries: tuple[ChangedEntry, ...], keys: BoolArray | None) -> tuple[Arrived, ...]:
    """The entries that changed a line, with what they added to its posting keys in the periods it reads."""
    found = []
    for entry in entries:
        own = tuple(
            one for one in entry.sums if _behind(line, one.account, one.period) and (keys is None or keys[one.key])
        )
        if own:
            found.append(Arrived(entry, own))
    return tuple(found)
