"""Brings a backup back. The restored copy does nothing by itself until a person lets it go on."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError

from rulka.core.errors import RulkaError
from rulka.work.services import backups


class Command(BaseCommand):
    help = __doc__
    requires_system_checks: Any = ("rulka",)

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("file", type=Path, nargs="?", help="the backup")
        parser.add_argument("--over", action="store_true", help="in the place of what is here; stop Rulka first")
        parser.add_argument("--let-go-on", action="store_true", help="let a restored copy do its work by itself again")

    def handle(self, *args: Any, **options: Any) -> None:
        if options["let_go_on"]:
            backups.let_go_on()
            self.stdout.write("Queued work and schedules go on.")
            return
        if options["file"] is None:
            raise CommandError("Name the backup.")
        try:
            found = backups.restore(options["file"], over=options["over"])
            call_command("migrate", verbosity=0)
            told = backups.finish_restore()
        except RulkaError as error:
            raise CommandError(str(error)) from error
        except OSError as error:
            raise CommandError(f"{error.filename or options['file']}: {error.strerror}.") from error
        self.stdout.write(f"Restored as of {found.made}: {found.members} parts, each found whole.")
        for words in told:
            self.stdout.write(f"  {words}")
        self.stdout.write(
            "  Queued work and schedules are held: let them go on under People, or by restore --let-go-on."
        )
