"""A table looked for in the ledger in the background, as whoever gave it may see it."""

from __future__ import annotations

from django.utils import timezone
from django_tasks import task

from rulka.core.books.book import View
from rulka.core.books.fence import Fence
from rulka.core.errors import NotFound, RulkaError
from rulka.core.rebuild.books import TableReading
from rulka.core.rebuild.plain import proposal_plain
from rulka.core.rebuild.proposing import RebuildTerms, proposed
from rulka.ledger.reading.queries import find_ledger, view_of
from rulka.people.library.persons import find_person
from rulka.people.library.rights import fence_of
from rulka.rebuilds.library.keeping import JOBS, given_in
from rulka.rebuilds.models import Rebuild
from rulka.work.services.guarding import guarded
from rulka.work.services.jobs import JobCancelled
from rulka.work.services.recovery import PAUSE


def ask(rebuild: Rebuild) -> None:
    """Queue it."""
    find_table.enqueue(rebuild.pk)


def recover(own: bool) -> int:
    """Queue again what a dead worker left."""
    left = JOBS.orphans(own=own)
    for job in left:
        JOBS.wait_again(job.pk)
        find_table.enqueue(job.pk)
    return len(left)


def find(number: int) -> None:
    """Do a queued search."""
    job = JOBS.claim(number)
    if job is None:
        return
    try:
        view, fence = _seen(job)
        given = given_in(job)

        def tell(done: int, of: int, what: str) -> None:
            Rebuild.objects.filter(pk=number).update(doing=what)
            JOBS.tell(number, done, of)

        found = proposed(given, view, _asked(job, view), tell)
    except JobCancelled:
        JOBS.end(number, Rebuild.State.CANCELLED)
    except RulkaError as error:
        JOBS.end(number, Rebuild.State.FAILED, problem=str(error))
    else:
        JOBS.end(
            number, Rebuild.State.READY, found=proposal_plain(found), fence=fence.digest, revision=view.revision,
            problem="",
        )  # fmt: skip


def _seen(job: Rebuild) -> tuple[View, Fence]:
    person = find_person(job.person)
    if person is None or not person.is_active:
        raise NotFound("Whoever gave it is gone.", hint="Give it again.", subject=job.title)
    fence = fence_of(person, job.ledger)
    return view_of(find_ledger(job.ledger), fence), fence


def _asked(job: Rebuild, view: View) -> RebuildTerms:
    kept = job.asked
    period = view.frame.calendar.period(kept["period"]) if kept.get("period") else None
    columns = {int(at): TableReading(**one) for at, one in kept.get("columns", {}).items()}
    return RebuildTerms(kept.get("node", ""), period, kept.get("scale"), columns)


@task()
def find_table(number: int) -> None:
    """Do a queued search; what nobody expected ends it with an incident number."""

    def again() -> None:
        JOBS.wait_again(number)
        find_table.using(run_after=timezone.now() + PAUSE).enqueue(number)

    def fail(told: str) -> None:
        JOBS.end(number, Rebuild.State.FAILED, problem=told)

    guarded("rebuild", number, find, again=again, fail=fail)
