"""Loads a CSV file as a table beside the ledger, which worksheets read with RULKA.TABLE and extracts by its name; one
that bears the name is replaced."""

from __future__ import annotations

import csv
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from rulka.core.errors import RulkaError
from rulka.ledger.commanding import RulkaCommand
from rulka.ledger.reading.beside import keep_table
from rulka.ledger.reading.queries import find_ledger

MOST_BYTES, MOST_ROWS, MOST_COLUMNS = 20_000_000, 100_000, 100


class Command(RulkaCommand):
    help = __doc__
    writes_output = False

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("file", type=Path)
        parser.add_argument("--name", default="", help="what it is called; the file's own name without it")

    def run(self, **options: Any) -> None:
        ledger, file = find_ledger(options["ledger"]), options["file"]
        data = file.read_bytes()
        if len(data) > MOST_BYTES:
            raise RulkaError(
                f"The file is larger than {MOST_BYTES:,} bytes.", hint="Take some of it.", subject=file.name
            )
        try:
            rows = list(csv.reader(data.decode("utf-8-sig").splitlines(keepends=True), strict=True))
        except (UnicodeDecodeError, csv.Error) as error:
            raise RulkaError(
                f"It is no CSV in UTF-8: {error}.", hint="Save it as CSV UTF-8.", subject=file.name
            ) from None
        heads = [" ".join(name.split()) for name in rows[0]] if rows else []
        folded = [name.casefold() for name in heads]
        if not heads or not all(heads) or len(set(folded)) < len(folded) or len(heads) > MOST_COLUMNS:
            raise RulkaError(
                "Its first row has to name each column once.",
                hint="Add or change the names.",
                subject=f"{file.name}, row 1",
            )
        for number, row in enumerate(rows[1:], 2):
            if len(row) != len(heads):
                raise RulkaError(
                    f"It has {len(row)} cells where {len(heads)} are named.", hint="Mend the row.",
                    subject=f"{file.name}, row {number}",
                )  # fmt: skip
        if len(rows) - 1 > MOST_ROWS:
            raise RulkaError(f"It has more than {MOST_ROWS:,} rows.", hint="Take some of them.", subject=file.name)
        name = options["name"] or file.stem
        keep_table(ledger, name, heads, rows[1:])
        self.stdout.write(f"{name}: {len(heads)} columns, {len(rows) - 1} rows")
