"""What the background worker does for ledgers."""

from __future__ import annotations

import logging
import secrets

from django_tasks import task

from rulka.ledger.feeds import pulling
from rulka.ledger.loading.report import LoadReport
from rulka.work.models import Load
from rulka.work.services import loads as work

logger = logging.getLogger("rulka.ledger")


@task()
def run_load(load_id: int) -> None:
    """Do a queued load; what nobody expected ends it with an incident number, and nothing changed."""
    try:
        pulling.run(load_id)
    except Exception:
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
