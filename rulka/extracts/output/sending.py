"""Extracts that are sent: run for each recipient, behind their fence, at one revision."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from rulka.core.books.fence import DEPTHS
from rulka.core.errors import RulkaError
from rulka.extracts.library.opening import open_extract, runnable
from rulka.extracts.models import Extract
from rulka.extracts.output.making import left_of, open_named
from rulka.extracts.output.writing import FORMS, write
from rulka.extracts.running.asked import AskedExtract, ExtractReader, check_bounds, opened
from rulka.ledger.leaving import leave_rows
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.shelves import depth_on, level_on
from rulka.statements.output.sendable import SendRequest as Sent
from rulka.statements.output.sendable import SentFile


class Extracts:
    """Extracts as a kind of thing that can be sent: their questions answered as they are without an answer."""

    def pieces(self, asked: Sent) -> list[SentFile]:
        extract, definition = open_named(asked.ledger, asked.name, asked.person)
        fence = asked.fence.down_to(depth_on(asked.person, extract.shelf_id))
        reader = ExtractReader(asked.ledger, fence, asked.period, asked.node, asked.person, asked.revision)
        with opened(definition, reader, {}) as found:
            check_bounds(found, whole=False)
            names = {
                "statement": definition.title, "node": found.view.part or asked.ledger.name, "node.code": "rows",
                "period": found.period.title, "period.code": found.period.code, "currency": "",
                "ledger": asked.ledger.name, "revision": str(found.view.revision),
                "date": f"{asked.at.day} {asked.at:%B %Y}", "time": f"{asked.at:%H:%M %Z}".strip(),
            }  # fmt: skip

        def content(form: str) -> bytes:
            if form not in FORMS:
                raise RulkaError(
                    f"'{definition.title}' is rows: it goes as a workbook, CSV, JSON or Parquet.",
                    hint="Choose one of these.", subject="sends",
                )  # fmt: skip
            with tempfile.TemporaryDirectory() as folder, opened(definition, reader, {}) as found:
                return _written(extract, found, reader, form, Path(folder) / f"rows.{form}", asked)

        return [SentFile(names, content)]

    def edition(self, ledger: Ledger, name: str, period: str) -> int | None:
        return None

    def check(self, ledger: Ledger, name: str, person: Person | None) -> None:
        open_extract(ledger, name, person=person)

    def level(self, ledger: Ledger, name: str, person: Person) -> tuple[int, int]:
        shelf = open_extract(ledger, name, person=None).shelf_id
        return level_on(person, shelf), DEPTHS.index(depth_on(person, shelf))

    def names(self, ledger: Ledger, person: Person) -> list[tuple[str, str]]:
        return sorted(((one.name, one.title) for one in runnable(ledger, person)), key=lambda pair: pair[1])


def _written(extract: Extract, found: AskedExtract, reader: ExtractReader, form: str, path: Path, asked: Sent) -> bytes:
    def made(stamp: Any) -> int:
        return write(found, form, path, asked.at, stamp=stamp, person=asked.sender).rows

    if asked.leaves:
        leave_rows(left_of(found, extract, reader, {}), form, path, made)
    else:
        made(None)
    return path.read_bytes()
