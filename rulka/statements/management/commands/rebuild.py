"""Rebuilds a finished statement (.csv, .xlsx or .pdf with captions and figures; several months of it as several files)
from the ledger. Ends with 3 when anything is doubtful or was not found, or a figure is another one in the ledger."""

from __future__ import annotations

import json
import sys
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from rulka.core.rebuild.answering import RebuildAnswers, questions
from rulka.core.rebuild.given import joined
from rulka.core.rebuild.proposing import RebuildTerms, proposed
from rulka.core.rebuild.statement import as_mapping, bodies_of, odd_cells
from rulka.formats.definition_file import write_definitions
from rulka.formats.intake.finished_table import read_finished
from rulka.ledger.commanding import RulkaCommand, fence_asked
from rulka.ledger.reading.queries import find_ledger, view_of

DOUBTFUL = 3


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("files", type=Path, nargs="+")
        parser.add_argument("--node", default="", help="the node, where it is known")
        parser.add_argument("--period", default="", help="the period that the first file is of, where it is known")
        parser.add_argument("--title", default="", help="what the statement is called; the file's name without it")
        parser.add_argument("--format", choices=("json", "yaml"), default="json", help="what was found, or its texts")

    def run(self, **options: Any) -> None:
        ledger, files = find_ledger(options["ledger"]), options["files"]
        view = view_of(ledger, fence_asked(options["person"], ledger))
        given = joined([read_finished(file) for file in files])
        period = view.frame.calendar.period(options["period"]) if options["period"] else None
        proposal = proposed(given, view, RebuildTerms(options["node"], period))
        bodies = bodies_of(given, proposal, view, options["title"] or files[0].stem)
        odd = odd_cells(given, proposal, bodies, view)
        if options["format"] == "yaml":
            self.deliver(write_definitions([bodies.statement, bodies.spine, bodies.span]), options)
        else:
            told = as_mapping(given, proposal, bodies, odd)
            self.deliver(json.dumps(told, ensure_ascii=False, indent=2) + "\n", options)
        doubtful = [one for one in questions(given, proposal, RebuildAnswers(), odd, view) if one.about != "account"]
        if odd or doubtful:
            sys.exit(DOUBTFUL)
