"""Worksheets that are sent: calculated for each recipient, behind their fence."""

from __future__ import annotations

from rulka.core.books.fence import DEPTHS
from rulka.core.compute.nodes import find_node, first_node
from rulka.core.errors import RulkaError
from rulka.ledger.models import Ledger
from rulka.ledger.reading.history import view_at
from rulka.people.models import Person
from rulka.statements.library.shelves import RUN, Rights, depth_on, level_on
from rulka.statements.output.sendable import SendRequest, SentFile
from rulka.worksheets.library.opening import open_worksheet, seen_worksheets
from rulka.worksheets.models import Worksheet
from rulka.worksheets.output.files import as_file
from rulka.worksheets.output.leaving import leave, with_sheets
from rulka.worksheets.running.live import WorksheetReader, opened


def reader_of(worksheet: Worksheet, asked: SendRequest, *, any_node: bool = False) -> WorksheetReader:
    """For whom a worksheet that is sent is calculated. Its node is the first one where none is asked for; with
    `any_node` also where the one that is asked for is a statement's own, which worksheets don't have."""
    view = view_at(asked.ledger, asked.revision, asked.fence.down_to(depth_on(asked.person, worksheet.shelf_id)))
    try:
        node = find_node(view, asked.node).code if asked.node else first_node(view).code
    except RulkaError:
        if not any_node:
            raise
        node = first_node(view).code
    return WorksheetReader(asked.ledger, view, view.frame.calendar.period(asked.period), node, asked.person)


class Worksheets:
    """Worksheets as a kind of thing that can be sent."""

    def pieces(self, asked: SendRequest) -> list[SentFile]:
        worksheet = open_worksheet(asked.ledger, asked.name, person=asked.person)
        reader = reader_of(worksheet, asked)
        with opened(worksheet, reader, {}) as live:
            chosen = [sheet.name for sheet in with_sheets(live, asked.sheets).workbook.sheets]
        groups = [[name] for name in chosen] if asked.each else [chosen]
        return [self._piece(worksheet, reader, group, asked) for group in groups]

    def _piece(self, worksheet: Worksheet, reader: WorksheetReader, sheets: list[str], asked: SendRequest) -> SentFile:
        def content(form: str) -> bytes:
            if form in ("docx", "pptx"):
                raise RulkaError(f"'{worksheet.title}' is a worksheet: it doesn't go as .{form}.",
                                 hint="Put a part of it into a folio for that.", subject="sends")  # fmt: skip
            if form == "csv" and len(sheets) > 1:
                raise RulkaError(
                    f"'{worksheet.title}' has {len(sheets)} sheets, and a CSV file holds one.",
                    hint="Send one file each, or choose a sheet.", subject="sends",
                )  # fmt: skip
            with opened(worksheet, reader, {}) as whole:
                live = with_sheets(whole, sheets)
                if asked.leaves:
                    return leave(live, form, lambda stamp: as_file(live, form, asked.at, "values", stamp))
                made = as_file(live, form, asked.at)
                return made if isinstance(made, bytes) else made.encode()

        node = find_node(reader.view, reader.node)
        return SentFile(
            {
                "statement": worksheet.title, "sheet": sheets[0] if len(sheets) == 1 else worksheet.title,
                "node": node.name, "node.code": node.code, "period": reader.period.title,
                "period.code": reader.period.code, "currency": node.currency, "ledger": asked.ledger.name,
                "revision": str(reader.view.revision), "date": f"{asked.at.day} {asked.at:%B %Y}",
                "time": f"{asked.at:%H:%M %Z}".strip(),
            },
            content,
        )  # fmt: skip

    def edition(self, ledger: Ledger, name: str, period: str) -> int | None:
        return None

    def check(self, ledger: Ledger, name: str, person: Person | None) -> None:
        open_worksheet(ledger, name, person=person)

    def level(self, ledger: Ledger, name: str, person: Person) -> tuple[int, int]:
        shelf = open_worksheet(ledger, name, person=None).shelf_id
        return level_on(person, shelf), DEPTHS.index(depth_on(person, shelf))

    def names(self, ledger: Ledger, person: Person) -> list[tuple[str, str]]:
        every = seen_worksheets(ledger, person)
        rights = Rights(person, {one.shelf_id for one in every if one.shelf_id})
        return sorted(((one.name, one.title) for one in every if rights.on_shelf(one.shelf_id) >= RUN),
                      key=lambda pair: pair[1])  # fmt: skip
