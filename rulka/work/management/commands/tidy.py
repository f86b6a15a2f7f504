"""Takes away outputs, finished jobs, ended sessions, samples and old entries of the record, as the settings say; the
worker does so once a day."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand

from rulka.work.services.tidying import tidy


class Command(BaseCommand):
    help = __doc__
    requires_system_checks: Any = ("rulka",)

    def handle(self, *args: Any, **options: Any) -> None:
        self.stdout.write(", ".join(f"{what}: {count}" for what, count in tidy().items()))
