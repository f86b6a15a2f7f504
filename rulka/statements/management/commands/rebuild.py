"""Rebuilds a finished statement (.csv or .xlsx with captions and figures) from the ledger. Ends with 3 when a line or
column is doubtful or was not found, or a figure is another one in the ledger."""

from __future__ import annotations

import json
import sys
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from rulka.core.rebuild.proposing import Asked, proposed
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
        parser.add_argument("file", type=Path)
        parser.add_argument("--node", default="", help="the node, where it is known")
        parser.add_argument("--title", default="", help="what the statement is called; the file's name without it")
        parser.add_argument("--format", choices=("json", "yaml"), default="json", help="what was found, or its texts")

    def run(self, **options: Any) -> None:
        ledger, file = find_ledger(options["ledger"]), options["file"]
        view = view_of(ledger, fence_asked(options["person"], ledger))
        given = read_finished(file)
        proposal = proposed(given, view, Asked(options["node"]))
        bodies = bodies_of(given, proposal, view, options["title"] or file.stem)
        odd = odd_cells(given, proposal, bodies, view)
        if options["format"] == "yaml":
            self.deliver(write_definitions([bodies.statement, bodies.spine, bodies.span]), options)
        else:
            told = as_mapping(given, proposal, bodies, odd)
            self.deliver(json.dumps(told, ensure_ascii=False, indent=2) + "\n", options)
        sure = all(line.state in ("sure", "total", "words") for line in proposal.lines)
        if odd or not sure or any(one.reading < 0 and not one.compares for one in proposal.found.columns):
            sys.exit(DOUBTFUL)
