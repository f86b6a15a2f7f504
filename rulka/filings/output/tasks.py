"""What the background worker does for filings."""

from __future__ import annotations

from django.utils import timezone
from django_tasks import task

from rulka.filings.models import FilingJob
from rulka.filings.output import background, jobs
from rulka.work.services.guarding import guarded
from rulka.work.services.recovery import PAUSE


@task()
def make_filing(number: int) -> None:
    """Do a queued job; what nobody expected ends it with an incident number."""

    def again() -> None:
        jobs.wait_again(number)
        make_filing.using(run_after=timezone.now() + PAUSE).enqueue(number)

    def fail(told: str) -> None:
        jobs.end(number, FilingJob.State.FAILED, problem=told)

    guarded("filing", number, background.make, again=again, fail=fail)
