"""Files of folios: they name their origin as those of statements do, and are held against the folio as it is now."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from datetime import datetime
from typing import Any

from rulka.core.books.fence import Fence
from rulka.core.errors import RulkaError
from rulka.core.proof.origin import figures_altered
from rulka.folios.models import Folio
from rulka.folios.output.making import Address, Making, Tell, made
from rulka.folios.running.sections import FolioReading
from rulka.ledger.leaving import leave_as
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.shelves import RUN
from rulka.statements.output.origins import OriginKind, Page, Since, shelf_by_name
from rulka.work.models import LeftFile
from rulka.work.services.leaving import Left


def leave(
    reading: FolioReading, form: str, keys: list[str], *, at: datetime, address: Address | None = None,
    tell: Tell | None = None,
) -> bytes:  # fmt: skip
    """A file of a folio as somebody reads it, with its origin."""
    given: dict[str, Any] = {name: one for name, one in (("address", address), ("tell", tell)) if one is not None}
    making = Making(reading, keys, at, **given)

    def write(stamp: Any) -> bytes:
        return made(replace(making, stamp=stamp), form)

    return leave_as(_left(making), form, write, by_digest=form in ("docx", "pptx"))


def _left(making: Making) -> Left:
    reading = making.reading
    view, person = reading.places().view, reading.person
    page = {
        "folio": reading.folio.name, "shelf": reading.folio.shelf_id, "period": reading.period.code,
        "node": reading.outline.node, "keys": list(making.keys), "lines": view.fence.shows_lines,
        "bodies": reading.folio.body, "run": {"lines": [list(pair) for pair in _figures(making)]},
    }  # fmt: skip
    return Left(
        reading.folio.ledger.code, "folio", reading.folio.name, reading.period.code, reading.outline.node,
        view.revision, view.fence.all_the_way_down.digest, [page], person.pk if person else None,
        person.called if person else "",
    )  # fmt: skip


def _figures(making: Making) -> Iterator[tuple[str, str]]:
    """Every figure of a folio, by where it stands."""
    for read in making.sections:
        for place, fact in enumerate(read.facts):
            yield f"{read.section.title}, {fact.name}, {fact.heading}, {place}", fact.value


def _since(left: LeftFile, page: Page, ledger: Ledger, fence: Fence, person: Person | None) -> Since:
    """What of its figures is another one now."""
    named = page["folio"], page["node"]
    folio = Folio.objects.select_related("ledger", "shelf", "owner").filter(ledger=ledger, name=page["folio"]).first()
    if folio is None:
        return Since(*named, why="The folio was deleted.")
    try:
        making = Making(FolioReading(folio, fence, person), page["keys"], left.at)
        now = dict(_figures(making))
    except RulkaError as error:
        return Since(*named, why=str(error))
    return Since(*named, cells=figures_altered(dict(page["run"]["lines"]), now))


KIND = OriginKind(shelf_by_name(Folio, "folio"), lambda page: RUN, lambda page: bool(page["lines"]), _since)
