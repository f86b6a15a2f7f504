"""Filings that are made in the background: found, their progress and end, cancelling."""

from __future__ import annotations

from rulka.core.errors import NotFound
from rulka.filings.models import Filing, FilingJob
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.work.services.jobs import Jobs

SHOWN = 12


def find_job(filing: Filing, number: int, person: Person) -> FilingJob:
    """What somebody asked for; nobody else's."""
    found = FilingJob.objects.filter(
        pk=number, ledger=filing.ledger.code, filing=filing.pk, person=person.pk
    ).first()  # fmt: skip
    if found is None:
        raise NotFound("There is no such file.", hint="Make it again.", subject="file")
    return found


def jobs_of(filing: Filing, person: Person) -> list[FilingJob]:
    """What somebody asked for of a filing, the newest first."""
    found = FilingJob.objects.filter(ledger=filing.ledger.code, filing=filing.pk, person=person.pk)
    return list(found[:SHOWN])


def loads_of(ledger: Ledger, person: Person) -> list[FilingJob]:
    """The packages that somebody had loaded, the newest first."""
    return list(FilingJob.objects.filter(ledger=ledger.code, filing=0, person=person.pk)[:SHOWN])


JOBS = Jobs(FilingJob)
claim, wait_again, orphans = JOBS.claim, JOBS.wait_again, JOBS.orphans
tell, end, cancel = JOBS.tell, JOBS.end, JOBS.cancel
