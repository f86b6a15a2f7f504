"""Runs the background worker: takes up what a dead one left, pulls feeds when their time has come, and does queued
loads."""

from __future__ import annotations

import logging
import secrets
import threading
import time
from argparse import ArgumentParser
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand
from django.db import OperationalError, connections
from django.utils import timezone
from django_tasks import TaskResultStatus
from django_tasks_db.models import DBTaskResult

from rulka.ledger.feeds import asking
from rulka.work.services import health, tidying
from rulka.work.services import loads as work
from rulka.work.services.backups import held_since
from rulka.work.services.looking import look_around
from rulka.work.services.recovery import take_up
from rulka.work.services.waiting import as_refusal

logger = logging.getLogger("rulka.ledger")

TRY_AGAIN = 5
"""Seconds after which a worker that found no room looks again."""
A_DAY = 86_400
EVERY = 30
"""Seconds between two looks at the schedules."""


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--once", action="store_true", help="do what is queued and due, then end")

    def handle(self, *args: Any, **options: Any) -> None:
        if not _waits_for_a_person(once=options["once"]):
            return
        end_orphans()
        take_up()
        health.beat()
        tidying.tidy()
        look()
        done = threading.Event()
        clock = threading.Thread(target=_clock, args=(done,), daemon=True)
        if not options["once"]:
            clock.start()
        try:
            while not _worked(once=options["once"], verbosity=options["verbosity"]):
                pass
        finally:
            done.set()


def _waits_for_a_person(*, once: bool) -> bool:
    """Wait while this is a restored copy that nobody let go on; whether there is anything to do then."""
    told = False
    while held_since():
        if not told:
            logger.warning(
                "This is a restored copy: queued work and schedules are held until a person lets them go on."
            )
            told = True
        if once:
            return False
        health.beat()
        time.sleep(TRY_AGAIN)
    return True


def _worked(*, once: bool, verbosity: int) -> bool:
    """Whether the queue was worked on to its end; False where there was no room to write in, after a pause."""
    try:
        call_command(
            "db_worker",
            worker_id=work.this_worker(),
            interval=0.5,
            batch=once,
            startup_delay=False,
            verbosity=verbosity,
            reload=False,
        )
    except (OperationalError, OSError) as error:
        if as_refusal(error) is None:
            raise
        logger.warning("The worker waits: %s", error)
    else:
        return True
    while True:
        time.sleep(TRY_AGAIN)
        try:
            end_orphans(own=True)
            take_up(own=True)
            return False
        except (OperationalError, OSError) as error:
            if as_refusal(error) is None:
                raise


def end_orphans(*, own: bool = False) -> None:
    """Mark tasks as failed whose worker is gone; the loads behind them are taken up again by themselves."""
    for task in DBTaskResult.objects.running():
        if all(work.is_left(worker, own=own) for worker in task.worker_ids):
            DBTaskResult.objects.filter(pk=task.pk).update(status=TaskResultStatus.FAILED, finished_at=timezone.now())


def look() -> None:
    """Look at the schedules once; what goes wrong is logged and ends neither the worker nor its clock."""
    try:
        asking.pull_due()
    except Exception:  # the next look comes all the same
        logger.exception("Incident %s: the schedules could not be looked at", secrets.token_hex(4))
    look_around()


def _tidy() -> None:
    try:
        tidying.tidy()
    except Exception:  # tomorrow comes all the same
        logger.exception("Incident %s: what is old could not be taken away", secrets.token_hex(4))


def _clock(done: threading.Event) -> None:
    tidied = time.monotonic()
    while not done.wait(EVERY):
        try:
            health.beat()
            look()
            if time.monotonic() - tidied > A_DAY:
                tidied = time.monotonic()
                _tidy()
        finally:
            connections.close_all()
