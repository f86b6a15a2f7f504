"""Pages and files that are made in the background: found, their progress and end, cancelling."""

from __future__ import annotations

from typing import Any

from django.utils import timezone

from rulka.core.errors import NotFound
from rulka.folios.models import Folio, FolioJob
from rulka.people.models import Person
from rulka.work.services.loads import is_left, this_worker
from rulka.work.services.outputs import Cancelled


def find_job(folio: Folio, number: int, person: Person) -> FolioJob:
    """What somebody asked for; nobody else's."""
    found = FolioJob.objects.filter(
        pk=number, ledger=folio.ledger.code, folio=folio.pk, person=person.pk
    ).first()  # fmt: skip
    if found is None:
        raise NotFound("There are no such pages.", hint="Ask for them again.", subject="pages")
    return found


def claim(number: int) -> FolioJob | None:
    """Take a waiting job to do it; None when it is not waiting any more."""
    waiting = FolioJob.objects.filter(pk=number, state=FolioJob.State.WAITING)
    if not waiting.update(state=FolioJob.State.RUNNING, worker=this_worker()):
        return None
    return FolioJob.objects.get(pk=number)


def wait_again(number: int) -> None:
    """Let a running job wait: the process that did it is gone, or found no room."""
    FolioJob.objects.filter(pk=number, state=FolioJob.State.RUNNING).update(state=FolioJob.State.WAITING, done=0)


def orphans(*, own: bool = False) -> list[FolioJob]:
    """Jobs whose process is gone; with `own` those of this process too."""
    return [one for one in FolioJob.objects.filter(state=FolioJob.State.RUNNING) if is_left(one.worker, own=own)]


def tell(number: int, done: int, of: int) -> None:
    """Write progress down; raises Cancelled once somebody asked for that."""
    FolioJob.objects.filter(pk=number).update(done=done, of=of)
    if FolioJob.objects.filter(pk=number, cancel=True).exists():
        raise Cancelled("Cancelled.")


def end(number: int, state: str, **values: Any) -> None:
    """Set a job's end."""
    FolioJob.objects.filter(pk=number).update(state=state, ended=timezone.now(), **values)


def cancel(number: int) -> None:
    """Stop a job: at once while it waits, at its next section while it runs."""
    waiting = FolioJob.objects.filter(pk=number, state=FolioJob.State.WAITING)
    if not waiting.update(state=FolioJob.State.CANCELLED, ended=timezone.now()):
        FolioJob.objects.filter(pk=number, state=FolioJob.State.RUNNING).update(cancel=True)
