"""A filing made in the background: its checks, the file, the validator, in that order, as whoever asked may see it
then."""

from __future__ import annotations

from typing import Any

from django.utils import timezone

from rulka.core.errors import NotFound, RulkaError
from rulka.filings.library.opening import filing_numbered
from rulka.filings.library.taxonomies import load
from rulka.filings.models import Filing, FilingJob
from rulka.filings.output import jobs
from rulka.filings.output.leaving import leave
from rulka.filings.output.making import ENDINGS
from rulka.filings.running.reading import FilingReading
from rulka.ledger.reading.queries import find_ledger
from rulka.people.library.persons import find_person
from rulka.people.library.rights import fence_of
from rulka.people.models import Person
from rulka.work.services import files
from rulka.work.services.jobs import JobCancelled

LOAD = "load"
"""What a job does that reads a taxonomy package, rather than that it makes a file."""


def make(number: int) -> None:
    """Do a queued job."""
    job = jobs.claim(number)
    if job is None:
        return
    try:
        values = _loaded(job) if job.form == LOAD else _made(job)
    except JobCancelled:
        jobs.end(number, FilingJob.State.CANCELLED)
    except RulkaError as error:
        jobs.end(number, FilingJob.State.FAILED, problem=str(error))
    else:
        jobs.end(number, FilingJob.State.READY, **values)


def reading_for(filing: Filing, person: Person, period: str = "") -> FilingReading:
    """A filing as somebody reads it."""
    return FilingReading(filing, fence_of(person, filing.ledger.code), person, period)


def _whoever_asked(job: FilingJob) -> Person:
    person = find_person(job.person)
    if person is None or not person.is_active:
        raise NotFound("Whoever asked for it is gone.", hint="Ask for it again.", subject=job.name)
    return person


def _loaded(job: FilingJob) -> dict[str, Any]:
    """A package read and kept as a taxonomy; its file is needed no longer once that is decided."""
    ledger, person, where = find_ledger(job.ledger), _whoever_asked(job), files.find(job.file)
    if where is None:
        raise NotFound("The package is gone.", hint="Load it again.", subject=job.name)
    asked = {name: str(job.told.get(name, "")) for name in ("entry", "name")}
    try:
        made, is_new = load(ledger, where.read_bytes(), job.name, person, **asked)
    except RulkaError:
        where.unlink(missing_ok=True)
        raise
    where.unlink(missing_ok=True)
    return {"file": "", "told": {"taxonomy": made.name, "new": is_new}}


def _made(job: FilingJob) -> dict[str, Any]:
    ledger, person = find_ledger(job.ledger), _whoever_asked(job)
    filing = filing_numbered(ledger, job.filing, person)
    reading = reading_for(filing, person, job.period)

    def tell(done: int, of: int) -> None:
        jobs.tell(job.pk, done, of)

    made = leave(reading, job.form, at=timezone.localtime(), tell=tell)
    path = files.keep(f"filing-{job.pk}.{ENDINGS[job.form]}", made.data)
    told = {"says": made.says, "facts": made.facts, "version": filing.version}
    name = f"{filing.name}-{reading.reading.period.code}.{ENDINGS[job.form]}"
    return {"file": path, "file_name": name, "told": told, "fence": reading.reading.deep.digest}


def may_take(filing: Filing, job: FilingJob, person: Person) -> bool:
    """Whether somebody still may have what they asked for: within the bounds that it was made within, and as long as
    they may open the folio and its statements."""
    reading = reading_for(filing, person, job.period)
    try:
        if reading.reading.deep.digest != job.fence:
            return False
        sources = {source for read in reading.sections for source in read.sources}
    except RulkaError:
        return False
    return all(reading.reading.places().opens(source) for source in sources)
