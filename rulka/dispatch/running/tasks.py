"""What the background worker does for dispatches."""

from __future__ import annotations

import logging

from django.utils import timezone
from django_tasks import task
from django_tasks_db.models import DBTaskResult

from rulka.dispatch.models import Sending
from rulka.dispatch.running import delivering
from rulka.work.services.guarding import incident
from rulka.work.services.recovery import PAUSE
from rulka.work.services.waiting import as_refusal

logger = logging.getLogger("rulka.dispatch")


@task()
def run_waiting() -> None:
    """Make what was asked for and deliver what waits; what nobody expected ends one occasion with an incident number,
    and nothing of it went."""
    try:
        for number in delivering.asked_for():
            _make(number)
        delivering.deliver_waiting()
    except Exception as error:
        if as_refusal(error) is None:
            raise
        logger.warning("Sending waits: %s", error)
        run_waiting.using(run_after=timezone.now() + PAUSE).enqueue()


def _make(number: int) -> None:
    try:
        delivering.make(number)
    except Exception as error:
        states = Sending.State
        unmade = Sending.objects.filter(pk=number, state=states.MADE)
        if as_refusal(error) is not None:
            unmade.update(state=states.ASKED)
            raise
        delivering.fail(Sending.objects.get(pk=number), f"{incident(f'sending {number}')} Nothing was sent.")


def call() -> None:
    """Have the worker look at what waits, unless it is told to already."""
    if not DBTaskResult.objects.ready().filter(task_path=run_waiting.module_path).exists():
        run_waiting.enqueue()
