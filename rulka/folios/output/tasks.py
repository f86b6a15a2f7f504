"""What the background worker does for folios."""

from __future__ import annotations

from django.utils import timezone
from django_tasks import task

from rulka.folios.models import FolioJob
from rulka.folios.output import background, jobs
from rulka.work.services.guarding import guarded
from rulka.work.services.recovery import PAUSE


@task()
def make_job(number: int) -> None:
    """Do a queued job; what nobody expected ends it with an incident number."""

    def again() -> None:
        jobs.wait_again(number)
        make_job.using(run_after=timezone.now() + PAUSE).enqueue(number)

    def fail(told: str) -> None:
        jobs.end(number, FolioJob.State.FAILED, problem=told)

    guarded("pages", number, background.make, again=again, fail=fail)
