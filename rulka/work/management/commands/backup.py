"""Writes one file that holds both databases and the files that Rulka keeps; while people work, if need be."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from rulka.core.errors import RulkaError
from rulka.work.services import backups


class Command(BaseCommand):
    help = __doc__
    requires_system_checks: Any = ("rulka",)

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("file", type=Path, help="where to; it must not exist yet")

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            made = backups.make(options["file"].resolve())
        except RulkaError as error:
            raise CommandError(str(error)) from error
        self.stdout.write(
            f"{options['file']}: {made.members} parts, {made.size:,} bytes, read again and found whole. "
            "Passwords and tokens of feeds, and the secret key, are not in it: keep the folder 'secrets' and the file "
            "'secret-key' apart."
        )
