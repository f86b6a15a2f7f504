"""Rows of a trace as a worksheet of their own: plain values, as whoever took them may see them, with their sum."""

from __future__ import annotations

from rulka.core.errors import RulkaError
from rulka.core.sheet.addresses import MOST_COLUMNS, MOST_ROWS, letters
from rulka.core.sheet.inputs import literal
from rulka.core.sheet.workbook import Cell, Look, Sheet, Workbook
from rulka.ledger.models import Ledger
from rulka.ledger.reading.trace_taking import TakenRows
from rulka.people.models import Person
from rulka.worksheets.library.opening import required_editor
from rulka.worksheets.library.storing import store_workbook
from rulka.worksheets.models import Worksheet

TOP = 4
"""Rows above the first one of a trace: where it is from, what it is, an empty one, the headings."""
WIDTHS = {"amount": 116, "text": 150}


def worksheet_of_rows(ledger: Ledger, taken: TakenRows, address: str, *, person: Person) -> Worksheet:
    """A new worksheet with the rows of a trace; `address` leads back to it."""
    required_editor(person)
    if TOP + len(taken.rows) + 1 > MOST_ROWS or len(taken.headings) > MOST_COLUMNS or taken.left_out:
        count = len(taken.rows) + taken.left_out
        raise RulkaError(
            f"{count:,} rows don't fit into a worksheet.",
            hint=f"Filter them, or take them as a file; a sheet has {MOST_ROWS:,}.",
            subject="trace",
        )
    workbook = Workbook([Sheet(1, "Trace")])
    sheet = workbook.sheets[0]
    bold, soft = workbook.look_number({"bold": True}), workbook.look_number({"italic": True})
    head = workbook.look_number({"bold": True, "bottom": "single"})
    right: Look = {"bold": True, "bottom": "single", "align": "right"}
    total: Look = {"bold": True, "top": "single", "number": "#,##0.00"}
    figure = workbook.look_number({"number": "#,##0.00"})
    sheet.cells[0, 0] = Cell(literal(taken.title), bold)
    sheet.cells[1, 0] = Cell(literal(f"Values as they were taken from {address}"), soft)
    for column, heading in enumerate(taken.headings):
        look = workbook.look_number(right) if column in taken.amounts else head
        sheet.cells[TOP - 1, column] = Cell(literal(heading), look)
    for at, row in enumerate(taken.rows):
        for column, text in enumerate(row):
            if text:
                is_amount = column in taken.amounts
                sheet.cells[TOP + at, column] = Cell(text if is_amount else literal(text), figure if is_amount else 0)
    last = TOP + len(taken.rows)
    for column in sorted(taken.amounts) if taken.rows else ():
        if taken.headings[column] != "so far":
            name = letters(column)
            sheet.cells[last, column] = Cell(f"=SUM({name}{TOP + 1}:{name}{last})", workbook.look_number(total))
    sheet.settings["widths"] = {
        str(column): WIDTHS["amount" if column in taken.amounts else "text"] for column in range(len(taken.headings))
    }
    sheet.settings["frozen"] = [TOP, 0]
    return store_workbook(ledger, taken.title, workbook, person=person)
