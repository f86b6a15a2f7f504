"""Files of filings leave by the gate of all files: known by their bytes, and held against the filing as it is now."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from rulka.core.books.fence import Fence
from rulka.core.errors import RulkaError
from rulka.core.proof.origin import figures_altered
from rulka.filings.library.opening import open_filing
from rulka.filings.models import Filing
from rulka.filings.output.making import Filed, Tell, filed, quiet
from rulka.filings.running.reading import FilingReading
from rulka.formats.output.stamp import Stamp
from rulka.ledger.leaving import leave_as
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.shelves import RUN
from rulka.statements.output.origins import OriginKind, Page, Since, shelf_by_name
from rulka.work.models import LeftFile
from rulka.work.services.leaving import Left


def leave(reading: FilingReading, form: str, *, at: datetime, tell: Tell | None = None) -> Filed:
    """A filing as somebody reads it, checked and validated, with its origin in its foot."""
    made: list[Filed] = []

    def write(stamp: Stamp) -> bytes:
        made.append(filed(reading, form, tell or quiet, stamp.line))
        return made[0].data

    leave_as(_left(reading), form, write, by_digest=True)
    return made[0]


def _left(reading: FilingReading) -> Left:
    folio, person = reading.reading, reading.person
    view = folio.places().view
    page = {
        "filing": reading.filing.name, "shelf": reading.filing.shelf_id, "period": folio.period.code,
        "node": folio.outline.node, "lines": view.fence.shows_lines, "bodies": reading.filing.body,
        "run": {"lines": [list(pair) for pair in _figures(reading)]},
    }  # fmt: skip
    return Left(
        reading.filing.ledger.code, "filing", reading.filing.name, folio.period.code, folio.outline.node,
        view.revision, view.fence.all_the_way_down.digest, [page], person.pk if person else None,
        person.called if person else "",
    )  # fmt: skip


def _figures(reading: FilingReading) -> Iterator[tuple[str, str]]:
    """Every fact, by what it is of."""
    for fact in reading.facts:
        members = " ".join(member for _, member in fact.members)
        yield " ".join(filter(None, (fact.concept, fact.time.told, members, fact.cell.source))), f"{fact.value:f}"


def _since(left: LeftFile, page: Page, ledger: Ledger, fence: Fence, person: Person | None) -> Since:
    """What of its facts is another one now."""
    named = page["filing"], page["node"]
    try:
        filing = open_filing(ledger, page["filing"], person=person)
        now = dict(_figures(FilingReading(filing, fence, person, page["period"], page["node"])))
    except RulkaError as error:
        return Since(*named, why=str(error))
    return Since(*named, cells=figures_altered(dict(page["run"]["lines"]), now))


KIND = OriginKind(shelf_by_name(Filing, "filing"), lambda page: RUN, lambda page: bool(page["lines"]), _since)
