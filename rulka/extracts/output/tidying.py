"""Files of runs go when they are as old as set; the history of runs stays as long as the record of work does."""

from __future__ import annotations

from datetime import timedelta

from django.conf import settings
from django.utils import timezone

from rulka.extracts.models import ExtractRun
from rulka.work.services import files


def forget_old() -> int:
    """Take away files of runs that are old, then what is known of runs that are older still."""
    now = timezone.now()
    gone = 0
    for run in ExtractRun.objects.exclude(file="").filter(ended__lt=now - timedelta(days=settings.OUTPUT_DAYS)):
        if where := files.find(run.file):
            where.unlink(missing_ok=True)
        ExtractRun.objects.filter(pk=run.pk).update(file="")
        gone += 1
    ExtractRun.objects.filter(ended__lt=now - timedelta(days=settings.RUN_DAYS)).delete()
    return gone
