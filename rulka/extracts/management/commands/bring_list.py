"""Makes a draft extract of a query or a headed list from elsewhere, and lists what of it is unknown here."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from rulka.core.extracting.bringing import Draft
from rulka.extracts.editing.bringing import bring, drafted
from rulka.formats.intake.table_file import find_encoding
from rulka.ledger.commanding import RulkaCommand, fence_asked, person_asked
from rulka.ledger.reading.queries import find_ledger


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("file", type=Path, help="the query (.sql) or list (.csv)")
        parser.add_argument("--title", default="", help="what the extract is called")
        parser.add_argument("--dry-run", action="store_true", help="only say what it would become")

    def run(self, **options: Any) -> None:
        ledger, person = find_ledger(options["ledger"]), person_asked(options["person"])
        data = options["file"].read_bytes()
        text, title = data.decode(find_encoding(data[:200_000])), options["title"] or options["file"].stem
        fence = fence_asked(options["person"], ledger)
        if options["dry_run"]:
            self.deliver(said(drafted(ledger, fence, text, title)), options)
            return
        made, found = bring(ledger, fence, text, title, person=person)
        self.deliver(f"{made.name}: version {made.version}\n{said(found)}", options)


def said(draft: Draft) -> str:
    """What a query or list became, and what of it is unknown."""
    lines = [f"rows of {draft.rows}", *(f"  {name} is {here}" for name, here in draft.found)]
    for word, unknown in (("table", draft.tables), ("column", draft.columns), ("parameter", draft.parameters)):
        lines += [f"  unknown {word} {name}: {hint}" for name, hint in unknown]
    lines += [f"  left out: {text}" for text in draft.left]
    return "".join(f"{line}\n" for line in lines)
