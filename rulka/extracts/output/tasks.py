"""What the background worker does for extracts."""

from __future__ import annotations

import logging
import secrets

from django.utils import timezone
from django_tasks import task

from rulka.extracts.models import ExtractRun
from rulka.extracts.output import making
from rulka.extracts.running import runs
from rulka.work.services.recovery import PAUSE
from rulka.work.services.waiting import as_refusal

logger = logging.getLogger("rulka.extracts")


@task()
def make_run(number: int) -> None:
    """Make a queued run; what nobody expected ends it with an incident number."""
    try:
        making.make(number)
    except Exception as error:
        if as_refusal(error) is not None:  # no room, or no turn to write: it goes on by itself
            runs.wait_again(number)
            make_run.using(run_after=timezone.now() + PAUSE).enqueue(number)
            logger.warning("Run %s waits: %s", number, error)
            return
        incident = secrets.token_hex(4)
        logger.exception("Incident %s in run %s", incident, number)
        told = f"Something went wrong that we did not expect; incident {incident} is in the log."
        runs.end(number, ExtractRun.State.FAILED, problem=told)
        raise
