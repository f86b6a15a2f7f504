"""What is done in the background: pages to look at, files to take away, as whoever asked may see them then."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.utils import timezone

from rulka.core.errors import NotFound, RulkaError
from rulka.folios.library.opening import folio_numbered
from rulka.folios.models import Folio, FolioJob
from rulka.folios.output import jobs
from rulka.folios.output.leaving import leave
from rulka.folios.output.making import Making, as_whole_pdf
from rulka.folios.running.sections import FolioReading
from rulka.ledger.reading.queries import find_ledger
from rulka.people.library.persons import find_person
from rulka.people.library.rights import fence_of
from rulka.people.models import Person
from rulka.work.services import files
from rulka.work.services.jobs import JobCancelled

LIVE = "https://rulka.invalid"
"""What stands before the address of a figure in pages that are looked at here."""

GONE = "The folio was deleted, or is no longer yours to read."


def make(number: int) -> None:
    """Do a queued job."""
    job = jobs.claim(number)
    if job is None:
        return
    try:
        values = _made(job)
    except JobCancelled:
        jobs.end(number, FolioJob.State.CANCELLED)
    except RulkaError as error:
        jobs.end(number, FolioJob.State.FAILED, problem=str(error))
    else:
        jobs.end(number, FolioJob.State.READY, **values)


def reading_for(folio: Folio, person: Person, *, drafts: bool = False) -> FolioReading:
    """A folio as somebody reads it."""
    return FolioReading(folio, fence_of(person, folio.ledger.code), person, drafts)


def leading(address: str) -> str:
    """Where a figure of a file leads, from wherever it is read; nowhere as long as this Rulka's own address isn't
    known."""
    return settings.ADDRESS.rstrip("/") + address if settings.ADDRESS else ""


def _made(job: FolioJob) -> dict[str, Any]:
    ledger, person = find_ledger(job.ledger), find_person(job.person)
    if person is None or not person.is_active:
        raise NotFound(GONE, hint="Ask for it again.", subject=job.name)
    folio = folio_numbered(ledger, job.folio, person)
    reading = reading_for(folio, person, drafts=job.draft)

    def tell(done: int, of: int) -> None:
        jobs.tell(job.pk, done, of)

    making = Making(reading, job.keys, timezone.localtime(), address=lambda address: LIVE + address, tell=tell)
    told: dict[str, Any] = {"sources": sorted({one for read in making.sections for one in read.sources})}
    if job.preview:
        whole = as_whole_pdf(making)
        data = whole.data
        keys = [one.section.key for one in making.sections]
        told |= {"pages": whole.pages, "begins": dict(zip(keys, whole.begins, strict=True)), "says": making.says}
    else:
        data = leave(reading, job.form, job.keys, at=timezone.localtime(), address=leading, tell=tell)
    path = files.keep(f"folio-{job.pk}.{job.form}", data)
    name = f"{folio.name}-{reading.period.code}.{job.form}"
    return {"file": path, "file_name": name, "told": told, "fence": reading.deep.digest}


def may_take(folio: Folio, job: FolioJob, person: Person) -> bool:
    """Whether somebody still may have what they asked for: within the bounds that it was made within, and of what they
    may still open."""
    reading, sources = reading_for(folio, person), job.told.get("sources")
    if reading.deep.digest != job.fence or not isinstance(sources, list):
        return False
    return all(reading.places().opens(str(source)) for source in sources)
