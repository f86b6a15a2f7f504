"""What the background worker does for statements."""

from __future__ import annotations

from django.utils import timezone
from django_tasks import task

from rulka.statements.output import making
from rulka.work.services.guarding import guarded
from rulka.work.services.outputs import OUTPUTS
from rulka.work.services.recovery import PAUSE


@task()
def make_output(number: int) -> None:
    """Make a queued file; what nobody expected ends it with an incident number."""

    def again() -> None:
        OUTPUTS.wait_again(number)
        make_output.using(run_after=timezone.now() + PAUSE).enqueue(number)

    guarded("output", number, making.make, again=again, fail=lambda told: OUTPUTS.fail(number, told))
