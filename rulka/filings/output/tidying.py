"""Files of filings go when they are as old as set."""

from __future__ import annotations

from datetime import timedelta

from django.conf import settings
from django.utils import timezone

from rulka.filings.models import FilingJob
from rulka.work.services import files


def forget_old() -> int:
    """Take away files that are old, with what is known of them."""
    old = FilingJob.objects.filter(ended__lt=timezone.now() - timedelta(days=settings.OUTPUT_DAYS))
    for job in old:
        if where := files.find(job.file):
            where.unlink(missing_ok=True)
    return old.delete()[0]
