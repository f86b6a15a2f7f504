"""Files of rows, of the journal and of traces: whether somebody may see one, and what moved of it since."""

from __future__ import annotations

from rulka.core.books.fence import Fence
from rulka.core.errors import RulkaError
from rulka.core.proof.origin import Altered
from rulka.ledger.models import Ledger
from rulka.ledger.reading.journal import Journal, JournalFilter, came_to
from rulka.ledger.reading.queries import view_of
from rulka.people.models import Person
from rulka.statements.library.shelves import RUN
from rulka.statements.output.origins import OriginKind, Page, Since, shelf_of
from rulka.work.models import LeftFile


def _since_journal(left: LeftFile, page: Page, ledger: Ledger, fence: Fence, person: Person | None) -> Since:
    """What the same filter comes to now: how many lines, and their sums by currency."""
    try:
        wanted = JournalFilter.from_query(page["asked"], list(ledger.dimensions))
        now = {name: sums for name, *sums in came_to(Journal(view_of(ledger, fence), ledger, wanted))}
    except RulkaError as error:
        return Since("journal", "", why=str(error))
    was = {name: sums for name, *sums in page["run"]["lines"]}
    moved = []
    for name in sorted(was.keys() | now.keys()):
        said = ("how many",) if name == "lines" else ("debit", "credit")
        for at, word in enumerate(said):
            before, after = (sums[at] if sums else "0" for sums in (was.get(name), now.get(name)))
            if before != after:
                moved.append(Altered(name, word, "figure", before, after))
    return Since("journal", "", cells=moved)


def _since_trace(left: LeftFile, page: Page, ledger: Ledger, fence: Fence, person: Person | None) -> Since:
    return Since(page["name"], page["node"], why="Rows of a trace are not taken again; open the trace as it is now.")


def _since_balances(left: LeftFile, page: Page, ledger: Ledger, fence: Fence, person: Person | None) -> Since:
    return Since("trial balance", "", why="A trial balance is not computed again here; open it as it is now.")


def _shelf_of_trace(ledger: Ledger, page: Page) -> int | None:
    return shelf_of(ledger, page, "name")


JOURNAL = OriginKind(lambda ledger, page: None, lambda page: RUN, lambda page: True, _since_journal)
TRACE = OriginKind(_shelf_of_trace, lambda page: RUN, lambda page: True, _since_trace)
BALANCES = OriginKind(lambda ledger, page: None, lambda page: RUN, lambda page: False, _since_balances)
