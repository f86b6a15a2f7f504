"""Workbooks in and out of the database: rows of cells to the core's workbook, steps to the blocks they touch."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.db import transaction

from rulka.core.errors import RulkaError
from rulka.core.sheet.workbook import Cell, Sheet, Step, Workbook
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.shelves import EDIT
from rulka.worksheets.library.opening import RESERVED, free_name, required
from rulka.worksheets.models import CellBlock, StoredSheet, Worksheet

ROWS = CellBlock.ROWS


def read_workbook(worksheet: Worksheet) -> Workbook:
    """All of a worksheet."""
    sheets = []
    for stored in worksheet.sheets.prefetch_related("blocks"):
        cells: dict[tuple[int, int], Cell] = {}
        for block in stored.blocks.all():
            for place, (text, look) in block.cells.items():
                row, _, column = place.partition(",")
                cells[int(row), int(column)] = Cell(text, look)
        sheets.append(Sheet(stored.number, stored.name, cells, dict(stored.settings)))
    return Workbook(
        sheets, dict(worksheet.names), [dict(look) for look in worksheet.looks] or [{}], worksheet.parameters
    )


def write_steps(worksheet: Worksheet, workbook: Workbook, steps: Iterable[Step]) -> None:
    """Write what some steps changed; `workbook` is the state after them. Only blocks that were touched are written."""
    touched: dict[int, set[int] | None] = {}
    sheets = False
    for step in steps:
        match step["kind"]:
            case "cells":
                numbers = touched.setdefault(step["sheet"], set())
                if numbers is not None:
                    numbers.update(row // ROWS for row, *_ in step["cells"])
            case "remap":
                touched[step["sheet"]] = None
            case "settings" | "sheets":
                sheets = True
    if sheets:
        _write_sheets(worksheet, workbook)
    known = {stored.number: stored for stored in worksheet.sheets.all()}
    for sheet in workbook.sheets:
        if sheet.number in touched:
            _write_blocks(known[sheet.number], sheet, touched[sheet.number])
    worksheet.names, worksheet.looks, worksheet.parameters = workbook.names, workbook.looks, workbook.parameters


def _write_sheets(worksheet: Worksheet, workbook: Workbook) -> None:
    known = {stored.number: stored for stored in worksheet.sheets.all()}
    for place, sheet in enumerate(workbook.sheets):
        stored = known.pop(sheet.number, None) or StoredSheet(worksheet=worksheet, number=sheet.number)
        if (stored.pk, stored.place, stored.name, stored.settings) != (
            stored.pk,
            place,
            sheet.name,
            sheet.settings,
        ) or not stored.pk:
            stored.place, stored.name, stored.settings = place, sheet.name, sheet.settings
            stored.save()
    for stored in known.values():
        stored.delete()


def _write_blocks(stored: StoredSheet, sheet: Sheet, numbers: set[int] | None) -> None:
    """Write the blocks of these numbers, all of them for None."""
    cells: dict[int, dict[str, Any]] = {}
    for (row, column), cell in sheet.cells.items():
        number = row // ROWS
        if numbers is None or number in numbers:
            cells.setdefault(number, {})[f"{row},{column}"] = [cell.input, cell.look]
    blocks = CellBlock.objects.filter(sheet=stored)
    if numbers is not None:
        blocks = blocks.filter(number__in=numbers)
    kept = {block.number: block for block in blocks}
    for number, own in cells.items():
        block = kept.pop(number, None) or CellBlock(sheet=stored, number=number)
        if block.pk is None or block.cells != own:
            block.cells = own
            block.save()
    CellBlock.objects.filter(pk__in=[block.pk for block in kept.values()]).delete()


@transaction.atomic
def store_workbook(
    ledger: Ledger, title: str, workbook: Workbook, *, name: str = "", person: Person | None = None
) -> Worksheet:
    """A worksheet from a whole workbook; one that bears the name is replaced, with a new version."""
    title = " ".join(title.split())[:120]
    if not title:
        raise RulkaError("A worksheet needs a title.", hint="Such as 'Month pack'.", subject="title")
    if name in RESERVED:
        raise RulkaError(f"A worksheet can't be named '{name}'.", hint="Choose another name.", subject="name")
    found = Worksheet.objects.filter(ledger=ledger, name=name).first() if name else None
    if found is not None:
        required(person, found, EDIT)
    if found is None:
        found = Worksheet(ledger=ledger, name=name or free_name(ledger, title), person=person, version=0)
    else:
        found.sheets.all().delete()
        found.steps.all().delete()
    found.title, found.version = title, found.version + 1
    found.names, found.looks, found.parameters = workbook.names, workbook.looks, workbook.parameters
    found.save()
    for place, sheet in enumerate(workbook.sheets):
        stored = StoredSheet.objects.create(
            worksheet=found, number=sheet.number, place=place, name=sheet.name, settings=sheet.settings
        )
        _write_blocks(stored, sheet, None)
    return found
