"""Takes a workbook that was made around an output as a template of it, or its next version; says what is linked and
what grows with the rows."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from rulka.ledger.commanding import RulkaCommand, person_asked
from rulka.ledger.reading.queries import find_ledger
from rulka.statements.output import templates


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("kind", choices=("extract", "statement", "worksheet"), help="what it is of")
        parser.add_argument("name", help="the extract, statement or worksheet")
        parser.add_argument("file", type=Path, help="the workbook, made around what was run of it")
        parser.add_argument("--name", dest="called", required=True, help="what the template is called")
        parser.add_argument("--still", action="append", default=[], metavar="WHERE",
                            help="what doesn't grow, such as Summary!B4; may be given several times")  # fmt: skip

    def run(self, **options: Any) -> None:
        ledger, person = find_ledger(options["ledger"]), person_asked(options["person"])
        subject = templates.subject_of(ledger, options["kind"], options["name"], person)
        path: Path = options["file"]
        draft = templates.begin(subject, path.read_bytes(), path.name, person)
        try:
            still = templates.named_still(draft, options["still"])
            shared = person is None or subject.may_change
            kept = templates.keep(subject, draft, options["called"], still, shared=shared, person=person)
        except BaseException:
            draft.delete()
            raise
        lines = [templates.said(kept), *(f"  {one}" for one in kept.told["linked"])]
        for one in kept.told["ranges"]:
            moves = one["on"] and one["id"] not in kept.still
            lines.append(f"  {'grows' if moves else 'stays'}: {one['where']} {one['was']}")
        self.deliver("".join(f"{line}\n" for line in lines), options)
