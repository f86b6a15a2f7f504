"""Tags a line or a column of a statement, leaves it out, takes its tag away, or takes all proposals."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.core.errors import RulkaError
from rulka.filings.editing.tagging import change
from rulka.filings.library.opening import open_filing
from rulka.filings.running.reading import FilingReading
from rulka.ledger.commanding import RulkaCommand, fence_asked, person_asked
from rulka.ledger.reading.queries import find_ledger


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("filing", help="the filing that holds the tags")
        parser.add_argument("statement", help="a statement of its folio")
        parser.add_argument("--line", default="", help="a line, by its key or label")
        parser.add_argument("--column", default="", help="a column, by its key")
        parser.add_argument("--concept", default="", help="prefix:Name, as the taxonomy has it")
        parser.add_argument("--sign", choices=("as shown", "turned"), help="without it, as accounts and concept say")
        parser.add_argument("--sure", action="store_true", help="the sign is right whatever the accounts say")
        parser.add_argument("--scale", default="", help="a power of ten; without it, as the statement shows")
        parser.add_argument("--unit", default="", help="such as iso4217:EUR; without it, as the statement shows")
        parser.add_argument("--member", action="append", default=[], metavar="AXIS=MEMBER")
        parser.add_argument("--leave-out", action="store_true")
        parser.add_argument("--untag", action="store_true")
        parser.add_argument("--proposals", action="store_true", help="take what is proposed for all that isn't tagged")

    def run(self, **options: Any) -> None:
        ledger, person = find_ledger(options["ledger"]), person_asked(options["person"])
        filing = open_filing(ledger, options["filing"], person=person, edit=True)
        reading = FilingReading(filing, fence_asked(options["person"], ledger), person)
        sent = {
            "statement": options["statement"], "line": options["line"], "column": options["column"],
            "concept": options["concept"], "scale": options["scale"], "unit": options["unit"],
            "members": ";".join(options["member"]), "sign": options["sign"] or "",
            "sure": "yes" if options["sure"] else "", "reported": "no" if options["leave_out"] else "yes",
        }  # fmt: skip
        told = change(reading, _action(options), sent)
        self.deliver(f"{filing.name}, version {filing.version}: {told}\n", options)


def _action(options: dict[str, Any]) -> str:
    """What is asked for, by what was given."""
    if options["proposals"]:
        return "proposals"
    if bool(options["line"]) == bool(options["column"]):
        raise RulkaError("It names no line or column, or both.", hint="Give --line or --column.", subject="tag")
    if options["untag"]:
        return "untag"
    if options["column"]:
        return "column"
    return "leave out" if options["leave_out"] else "tag"
