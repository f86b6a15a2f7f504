"""Pages and files that are made in the background: found, their progress and end, cancelling."""

from __future__ import annotations

from rulka.core.errors import NotFound
from rulka.folios.models import Folio, FolioJob
from rulka.people.models import Person
from rulka.work.services.jobs import Jobs


def find_job(folio: Folio, number: int, person: Person) -> FolioJob:
    """What somebody asked for; nobody else's."""
    found = FolioJob.objects.filter(
        pk=number, ledger=folio.ledger.code, folio=folio.pk, person=person.pk
    ).first()  # fmt: skip
    if found is None:
        raise NotFound("There are no such pages.", hint="Ask for them again.", subject="pages")
    return found


JOBS = Jobs(FolioJob)
claim, wait_again, orphans = JOBS.claim, JOBS.wait_again, JOBS.orphans
tell, end, cancel = JOBS.tell, JOBS.end, JOBS.cancel
