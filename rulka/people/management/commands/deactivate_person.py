"""Lets somebody in no longer; what they own passes to somebody else."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.people.commanding import PeopleCommand
from rulka.people.library.keeping import BY_COMMAND, deactivate, find


class Command(PeopleCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("name")
        parser.add_argument("--to", required=True, help="who takes over what they own")

    def run(self, **options: Any) -> str:
        passed = deactivate(BY_COMMAND, find(options["name"]), find(options["to"]))
        return f"{options['name']}: deactivated; {', '.join(passed) or 'nothing'} passed to {options['to']}"
