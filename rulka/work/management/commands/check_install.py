"""Says what is missing for Rulka to run for real people, and how it is mended; fails where anything is."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandError

from rulka.work.services import installed


class Command(BaseCommand):
    help = __doc__
    requires_system_checks: Any = ("rulka",)

    def handle(self, *args: Any, **options: Any) -> None:
        found = installed.look()
        for one in found:
            word = "there" if one.is_there else "advised" if one.advised else "missing"
            self.stdout.write(f"{word:8} {one.what}" + ("" if one.is_there else f": {one.mend}"))
        missing = sum(not one.is_there and not one.advised for one in found)
        if missing:
            raise CommandError(f"{missing} things are missing.")
        self.stdout.write("Nothing is missing.")
