"""Asking for filings that are made in the background."""

from __future__ import annotations

from rulka.core.errors import NotFound, one_of
from rulka.filings.library.taxonomies import required_loader
from rulka.filings.models import Filing, FilingJob
from rulka.filings.output import jobs
from rulka.filings.output.background import LOAD, reading_for
from rulka.filings.output.making import FORMS, required_checks
from rulka.filings.output.tasks import make_filing
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.work.services import files


def recover(own: bool) -> int:
    """Queue again what a dead worker left."""
    left = jobs.orphans(own=own)
    for job in left:
        jobs.wait_again(job.pk)
        make_filing.enqueue(job.pk)
    return len(left)


def ask_load(ledger: Ledger, data: bytes, file: str, person: Person, *, entry: str = "", name: str = "") -> FilingJob:
    """Queue the reading of a taxonomy package: a large one takes minutes."""
    required_loader(person)
    job = FilingJob.objects.create(
        ledger=ledger.code, filing=0, name=file[:80], person=person.pk, person_name=person.called, form=LOAD, period="",
        told={"entry": entry, "name": name},
    )  # fmt: skip
    FilingJob.objects.filter(pk=job.pk).update(file=files.keep(f"taxonomy-{job.pk}.zip", data))
    make_filing.enqueue(job.pk)
    return job


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
