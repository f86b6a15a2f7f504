"""Gives a person or a group a right besides those of the role, or one on a shelf (see, run, edit), or takes it
back."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.core.books.fence import DEPTHS
from rulka.core.errors import RulkaError
from rulka.people.commanding import PeopleCommand
from rulka.people.duties import RIGHTS
from rulka.people.library.keeping import BY_COMMAND, set_given, set_on_shelf, who_named


class Command(PeopleCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("name", help="a person or a group")
        parser.add_argument("right", help=f"{', '.join(RIGHTS)}; on a shelf see, run or edit")
        parser.add_argument("--shelf", default="", help="a shelf, by its name")
        parser.add_argument("--ledger", default="", help="the shelf's ledger, where several have one of that name")
        parser.add_argument("--depth", default="", choices=DEPTHS, help="how deep they get from what is on the shelf")
        parser.add_argument("--drop", action="store_true", help="take it back")

    def run(self, **options: Any) -> str:
        if options["shelf"]:
            who, right = who_named(options["name"]), "" if options["drop"] else options["right"]
            return set_on_shelf(who, options["ledger"], options["shelf"], right, options["depth"])
        if options["depth"] or options["ledger"]:
            raise RulkaError("A depth and a ledger belong to a right on a shelf.", hint="Name the shelf with --shelf.")
        set_given(BY_COMMAND, who_named(options["name"]), options["right"], given=not options["drop"])
        return f"{options['name']}: {options['right']} {'taken back' if options['drop'] else 'given'}"
