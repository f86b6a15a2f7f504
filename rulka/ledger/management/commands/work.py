"""Runs the background worker: takes up what a dead one left, pulls feeds when their time has come, and does queued
loads."""

from __future__ import annotations

import logging
import secrets
import threading
from argparse import ArgumentParser
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand
from django.db import connections
from django.utils import timezone
from django_tasks import TaskResultStatus
from django_tasks_db.models import DBTaskResult

from rulka.ledger.feeds import asking
from rulka.work.services import loads as work

logger = logging.getLogger("rulka.ledger")

EVERY = 30
"""Seconds between two looks at the schedules."""


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--once", action="store_true", help="do what is queued and due, then end")

    def handle(self, *args: Any, **options: Any) -> None:
        end_orphans()
        asking.recover()
        look()
        done = threading.Event()
        clock = threading.Thread(target=_clock, args=(done,), daemon=True)
        if not options["once"]:
            clock.start()
        try:
            call_command(
                "db_worker",
                worker_id=work.this_worker(),
                interval=0.5,
                batch=options["once"],
                startup_delay=False,
                verbosity=options["verbosity"],
                reload=False,
            )
        finally:
            done.set()


def end_orphans() -> None:
    """Mark tasks as failed whose worker is gone; the loads behind them are taken up again by themselves."""
    for task in DBTaskResult.objects.running():
        if not any(work.is_alive(worker) for worker in task.worker_ids):
            DBTaskResult.objects.filter(pk=task.pk).update(status=TaskResultStatus.FAILED, finished_at=timezone.now())


def look() -> None:
    """Look at the schedules once; what goes wrong is logged and ends neither the worker nor its clock."""
    try:
        asking.pull_due()
    except Exception:  # the next look comes all the same
        logger.exception("Incident %s: the schedules could not be looked at", secrets.token_hex(4))


def _clock(done: threading.Event) -> None:
    while not done.wait(EVERY):
        try:
            look()
        finally:
            connections.close_all()
