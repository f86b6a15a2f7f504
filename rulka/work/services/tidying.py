"""Taking away what nobody needs any more, each kind once it is as old as set."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path

from django.conf import settings
from django.utils import timezone
from django_tasks_db.models import DBTaskResult

from rulka.people.library import record
from rulka.people.library.sessions import forget_ended
from rulka.work.models import Load, Output
from rulka.work.services import files, leaving

LOAD_ENDS = (Load.State.REFUSED, Load.State.FAILED, Load.State.CANCELLED, Load.State.DROPPED)


def tidy() -> dict[str, int]:
    """Take away what is as old as set; how much of each that was."""
    return {what: take() for what, take in KINDS.items()}


def tidies(what: str, take: Callable[[], int]) -> None:
    """Register something else that goes when it is old; it says how much of it that was."""
    KINDS[what] = take


def _before(days: int) -> datetime:
    return timezone.now() - timedelta(days=max(1, int(days)))


def _outputs() -> int:
    """Files that were made for somebody, and what is known of them; also files that belong to none."""
    old = Output.objects.filter(ended__lt=_before(settings.OUTPUT_DAYS))
    for one in old:
        if where := files.find(one.file):
            where.unlink(missing_ok=True)
    gone, _ = old.delete()
    known = {Path(file).name for file in Output.objects.exclude(file="").values_list("file", flat=True)}
    before = _before(settings.OUTPUT_DAYS).timestamp()
    for path in (Path(settings.VAR) / files.FOLDER).glob("*"):
        if path.name not in known and path.stat().st_mtime < before:
            path.unlink(missing_ok=True)
    return gone


def _jobs() -> int:
    """What is known of finished work, and loads that brought nothing."""
    before = _before(settings.JOB_DAYS)
    old = Load.objects.filter(state__in=LOAD_ENDS, ended__lt=before)
    for number in old.values_list("pk", flat=True):
        shutil.rmtree(Path(settings.VAR) / "loads" / str(number), ignore_errors=True)
    return old.delete()[0] + DBTaskResult.objects.finished().filter(finished_at__lt=before).delete()[0]


def _samples() -> int:
    """Files that were handed in to build a mapping by."""
    before, gone = _before(settings.SAMPLE_DAYS).timestamp(), 0
    for path in (Path(settings.VAR) / "samples").glob("*/*"):
        if path.is_file() and path.stat().st_mtime < before:
            path.unlink(missing_ok=True)
            gone += 1
    return gone


KINDS: dict[str, Callable[[], int]] = {
    "outputs": _outputs,
    "jobs": _jobs,
    "sessions": forget_ended,
    "samples": _samples,
    "record": record.forget_old,
    "left files": lambda: leaving.forget_old(_before(settings.LEFT_DAYS)),
}
