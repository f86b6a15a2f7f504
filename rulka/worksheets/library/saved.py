"""Saved states of a worksheet: all of it but its pictures' bytes, under a name, to be brought back."""

from __future__ import annotations

import json
from typing import Any

from django.db import transaction

from rulka.core.errors import NotFound, RulkaError
from rulka.core.sheet.workbook import Cell, Sheet, Workbook
from rulka.people.models import Person
from rulka.statements.library.shelves import EDIT
from rulka.worksheets.library.opening import required
from rulka.worksheets.library.storing import read_workbook
from rulka.worksheets.models import SavedState, Worksheet

MOST_STATES = 200


def plain_workbook(workbook: Workbook) -> dict[str, Any]:
    """A workbook as plain data that `workbook_in` reads back the same."""
    return {
        "sheets": [
            {
                "number": sheet.number,
                "name": sheet.name,
                "settings": sheet.settings,
                "cells": [[row, column, cell.input, cell.look] for (row, column), cell in sorted(sheet.cells.items())],
            }
            for sheet in workbook.sheets
        ],
        "names": workbook.names,
        "looks": workbook.looks,
        "parameters": workbook.parameters,
    }


def workbook_in(plain: dict[str, Any]) -> Workbook:
    """The workbook of plain data."""
    sheets = [
        Sheet(
            one["number"],
            one["name"],
            {(row, column): Cell(text, look) for row, column, text, look in one["cells"]},
            one["settings"],
        )
        for one in plain["sheets"]
    ]
    return Workbook(sheets, plain["names"], plain["looks"], plain["parameters"])


@transaction.atomic
def save_state(worksheet: Worksheet, name: str, *, person: Person) -> SavedState:
    """Keep the worksheet as it is now under a name."""
    required(person, worksheet, EDIT)
    name = " ".join(name.split())[:120]
    if not name:
        raise RulkaError("A state needs a name.", hint="Such as 'October, as sent'.", subject="name")
    stored = Worksheet.objects.select_for_update().get(pk=worksheet.pk)
    if stored.saved.count() >= MOST_STATES:
        raise RulkaError(f"{MOST_STATES} states are kept already.", hint="Delete some of them.", subject="name")
    last = stored.saved.first()
    text = json.dumps(plain_workbook(read_workbook(stored)))
    return SavedState.objects.create(
        worksheet=stored, number=last.number + 1 if last else 1, name=name, text=text, person=person
    )


def find_state(worksheet: Worksheet, number: int) -> SavedState:
    """A saved state by its number."""
    found = worksheet.saved.filter(number=number).first()
    if found is None:
        raise NotFound(f"There is no state {number}.", hint="Choose one of the list.", subject="state")
    return found


def saved_workbook(worksheet: Worksheet, number: int) -> Workbook:
    """The workbook of a saved state."""
    return workbook_in(json.loads(find_state(worksheet, number).text))


def delete_state(worksheet: Worksheet, number: int, *, person: Person) -> None:
    """Let a saved state go."""
    required(person, worksheet, EDIT)
    find_state(worksheet, number).delete()
