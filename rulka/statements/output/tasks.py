"""What the background worker does for statements."""

from __future__ import annotations

import logging
import secrets

from django.utils import timezone
from django_tasks import task

from rulka.statements.output import making
from rulka.work.services import outputs
from rulka.work.services.recovery import PAUSE
from rulka.work.services.waiting import as_refusal

logger = logging.getLogger("rulka.statements")


@task()
def make_output(number: int) -> None:
    """Make a queued file; what nobody expected ends it with an incident number."""
    try:
        making.make(number)
    except Exception as error:
        if as_refusal(error) is not None:  # no room, or no turn to write: it goes on by itself
            outputs.wait_again(number)
            make_output.using(run_after=timezone.now() + PAUSE).enqueue(number)
            logger.warning("Output %s waits: %s", number, error)
            return
        incident = secrets.token_hex(4)
        logger.exception("Incident %s in output %s", incident, number)
        told = f"Something went wrong that we did not expect; incident {incident} is in the log."
        outputs.fail(number, told)
        raise
