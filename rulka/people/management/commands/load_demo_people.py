"""Makes the demo's people, one for each kind of user, with their fences on the demo ledger."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand

from rulka.people.library.persons import make_demo_people


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--ledger", required=True)

    def handle(self, *args: Any, **options: Any) -> None:
        for person in make_demo_people(options["ledger"]):
            self.stdout.write(f"{person.username}: {person.title}")
