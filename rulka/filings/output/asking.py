"""Asking for filings that are made in the background."""

from __future__ import annotations

from rulka.core.errors import NotFound, one_of
from rulka.filings.models import Filing, FilingJob
from rulka.filings.output import jobs
from rulka.filings.output.background import reading_for
from rulka.filings.output.making import FORMS, required_checks
from rulka.filings.output.tasks import make_filing
from rulka.people.models import Person


def recover(own: bool) -> int:
    """Queue again what a dead worker left."""
    left = jobs.orphans(own=own)
    for job in left:
        jobs.wait_again(job.pk)
        make_filing.enqueue(job.pk)
    return len(left)


def ask(filing: Filing, person: Person, form: str, period: str) -> FilingJob:
    """Queue a filing whose checks hold now; they are judged again when it is made."""
    if form not in FORMS:
        raise NotFound(f"There is no filing as '{form[:20]}'.", hint=one_of(form, FORMS), subject="format")
    reading = reading_for(filing, person, period)
    required_checks(reading)
    job = FilingJob.objects.create(
        ledger=filing.ledger.code, filing=filing.pk, name=filing.name, person=person.pk, person_name=person.called,
        form=form, period=reading.reading.period.code, fence=reading.reading.deep.digest,
    )  # fmt: skip
    make_filing.enqueue(job.pk)
    return job
