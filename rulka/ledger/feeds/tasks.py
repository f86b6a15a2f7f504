"""What the background worker does for ledgers."""

from __future__ import annotations

import logging
import secrets

from django.utils import timezone
from django_tasks import task

from rulka.ledger.feeds import pulling
from rulka.ledger.loading.report import LoadReport
from rulka.work.models import Load
from rulka.work.services import loads as work
from rulka.work.services.recovery import PAUSE
from rulka.work.services.waiting import as_refusal

logger = logging.getLogger("rulka.ledger")


@task()
def run_load(load_id: int) -> None:
    """Do a queued load; what nobody expected ends it with an incident number, and nothing changed."""
    try:
        pulling.run(load_id)
    except Exception as error:
        if as_refusal(error) is not None:  # no room, or no turn to write: it goes on by itself
            work.wait_again(load_id, doing="waits for room")
            run_load.using(run_after=timezone.now() + PAUSE).enqueue(load_id)
            logger.warning("Load %s waits: %s", load_id, error)
            return
        incident = secrets.token_hex(4)
        logger.exception("Incident %s in load %s", incident, load_id)
        report = LoadReport("", refused_count=1)
        told = f"Something went wrong that we did not expect; incident {incident} is in the log."
        report.refused = [
            {
                "where": f"load {load_id}",
                "what": told,
                "hint": "Nothing was changed. Try again, and tell your administrator this number.",
            }
        ]
        work.finish(load_id, Load.State.FAILED, report=report.as_data())
        raise
