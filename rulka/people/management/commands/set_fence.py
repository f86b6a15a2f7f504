"""Says what a person or a group sees of a ledger: all of it where nothing is said."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.core.books.fence import DEPTHS
from rulka.people.commanding import PeopleCommand
from rulka.people.library import record
from rulka.people.library.keeping import named, who_named
from rulka.people.library.rights import grant, revoke


class Command(PeopleCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("name", help="a person or a group")
        parser.add_argument("--ledger", required=True)
        parser.add_argument("--entities", default="", help="only these entities, as a selection")
        parser.add_argument("--accounts", default="", help="only these accounts, as a selection")
        parser.add_argument(
            "--members", action="append", default=[], metavar="DIM=SELECTION", help="only these; may be repeated"
        )
        parser.add_argument("--node", default="", help="only this node: an entity with all below it, or SCOPE/NODE")
        parser.add_argument("--depth", default="", choices=DEPTHS, help="how deep they get; entries without")
        parser.add_argument("--opens-seals", action="store_true")
        parser.add_argument("--drop", action="store_true", help="they see it no longer by themselves")

    def run(self, **options: Any) -> str:
        who = who_named(options["name"])
        if options["drop"]:
            revoke(who, options["ledger"])
            told = "no longer sees it by themselves"
        else:
            members = dict(pair.partition("=")[::2] for pair in options["members"])
            grant(who, options["ledger"], options["entities"], options["accounts"], members,
                  opens_seals=options["opens_seals"], node=options["node"], depth=options["depth"])  # fmt: skip
            bounds = [
                options["node"] and f"node {options['node']}",
                options["entities"],
                options["accounts"],
                *options["members"],
            ]
            told = f"sees {', '.join(filter(None, bounds)) or 'all of it'}"
            told += f", down to {options['depth']}" if options["depth"] else ""
        record.note(None, "people", ledger=options["ledger"], thing=named(who), detail=told, name="command")
        return f"{options['name']}: {told}"
