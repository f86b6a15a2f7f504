"""What the background worker does for statements."""

from __future__ import annotations

import logging
import secrets

from django_tasks import task

from rulka.statements.output import making
from rulka.work.services import outputs

logger = logging.getLogger("rulka.statements")


@task()
def make_output(number: int) -> None:
    """Make a queued file; what nobody expected ends it with an incident number."""
    try:
        making.make(number)
    except Exception:
        incident = secrets.token_hex(4)
        logger.exception("Incident %s in output %s", incident, number)
        told = f"Something went wrong that we did not expect; incident {incident} is in the log."
        outputs.fail(number, told)
        raise
