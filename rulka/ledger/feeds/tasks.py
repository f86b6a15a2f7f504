"""What the background worker does for ledgers."""

from __future__ import annotations

from django.utils import timezone
from django_tasks import task

from rulka.ledger.feeds import pulling
from rulka.ledger.loading.report import LoadReport
from rulka.work.models import Load
from rulka.work.services import loads as work
from rulka.work.services.guarding import guarded
from rulka.work.services.recovery import PAUSE


@task()
def run_load(load_id: int) -> None:
    """Do a queued load; what nobody expected ends it with an incident number, and nothing changed."""

    def again() -> None:
        work.wait_again(load_id, doing="waits for room")
        run_load.using(run_after=timezone.now() + PAUSE).enqueue(load_id)

    def fail(told: str) -> None:
        report = LoadReport("", refused_count=1)
        hint = "Nothing was changed. Try again, and tell your administrator this number."
        report.refused = [{"where": f"load {load_id}", "what": told, "hint": hint}]
        work.finish(load_id, Load.State.FAILED, report=report.as_data())

    guarded("load", load_id, pulling.run, again=again, fail=fail)
