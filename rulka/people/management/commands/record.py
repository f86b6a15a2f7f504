"""Writes the record: who did what, when, to what; the newest first."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from rulka.people.commanding import PeopleCommand
from rulka.people.library import record
from rulka.people.models import Recorded


class Command(PeopleCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--person", default="", help="only what this person did")
        parser.add_argument("--what", default="", choices=["", *record.KINDS], help="only this")
        parser.add_argument("--since", default="", help="only from this day on, such as 2026-11-06")
        parser.add_argument("--format", choices=("csv", "json"), default="csv")
        parser.add_argument("--out", type=Path, help="write to this file instead of standard output")

    def run(self, **options: Any) -> str:
        given = {name: options[name] for name in ("person", "what", "since")}
        record.check_day(given["since"])
        pieces = record.lines_of(record.searched(Recorded.objects.all(), given), options["format"])
        if options["out"]:
            with options["out"].open("w") as file:
                file.writelines(pieces)
            return f"{options['out']}: written"
        self.stdout.writelines(pieces)
        return ""
