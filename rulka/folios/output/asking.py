"""Asking for pages and files that are made in the background."""

from __future__ import annotations

from django.utils import timezone

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.folios.models import Folio, FolioJob
from rulka.folios.output import jobs
from rulka.folios.output.background import reading_for
from rulka.folios.output.making import FORMS, Making
from rulka.folios.output.tasks import make_job
from rulka.people.models import Person


def recover(own: bool) -> int:
    """Queue again what a dead worker left."""
    left = jobs.orphans(own=own)
    for job in left:
        jobs.wait_again(job.pk)
        make_job.enqueue(job.pk)
    return len(left)


def ask(
    folio: Folio, person: Person, form: str, keys: list[str], *, preview: bool = False, draft: bool = False
) -> FolioJob:
    """Queue pages or a file."""
    if form not in FORMS:
        raise NotFound(f"There is no file as '{form[:20]}'.", hint=one_of(form, FORMS), subject="file")
    reading = reading_for(folio, person, drafts=draft)
    if not Making(reading, keys, timezone.localtime()).sections:
        raise RulkaError("The folio has no section yet.", hint="Add one.", subject="folio")
    job = FolioJob.objects.create(
        ledger=folio.ledger.code, folio=folio.pk, name=folio.name, person=person.pk, person_name=person.called,
        form=form, keys=keys, preview=preview, draft=draft, fence=reading.deep.digest,
    )  # fmt: skip
    make_job.enqueue(job.pk)
    return job
