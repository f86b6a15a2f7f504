"""What the background worker does for extracts."""

from __future__ import annotations

from django.utils import timezone
from django_tasks import task

from rulka.extracts.models import ExtractRun
from rulka.extracts.output import making
from rulka.extracts.running import runs
from rulka.work.services.guarding import guarded
from rulka.work.services.recovery import PAUSE


@task()
def make_run(number: int) -> None:
    """Make a queued run; what nobody expected ends it with an incident number."""

    def again() -> None:
        runs.wait_again(number)
        make_run.using(run_after=timezone.now() + PAUSE).enqueue(number)

    def fail(told: str) -> None:
        runs.end(number, ExtractRun.State.FAILED, problem=told)

    guarded("run", number, making.make, again=again, fail=fail)
