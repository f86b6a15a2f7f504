"""A worksheet calculated and written: JSON with exact values, CSV of a sheet."""

from __future__ import annotations

import csv
import io
import json
from decimal import Decimal
from typing import Any

from rulka.core.sheet.addresses import Key, cell_text
from rulka.core.sheet.calculating import Calculation
from rulka.core.sheet.showing import Shower, plain_value
from rulka.core.sheet.workbook import Sheet
from rulka.formats.figures import plain_text
from rulka.formats.output.stamp import Stamp
from rulka.worksheets.models import Worksheet
from rulka.worksheets.running.live import Live

FORMATS = ("json", "csv", "xlsx", "html", "pdf")


def keys_of(calculation: Calculation, sheet: Sheet) -> list[Key]:
    """The cells of a sheet that hold anything, spilled ones too, row by row."""
    return sorted(key for key, value in calculation.values.items() if key[0] == sheet.number and value is not None)


def as_json(worksheet: Worksheet, live: Live, stamp: Stamp | None = None) -> str:
    """`{"worksheet", "ledger", "revision", "sheets": [{"name", "cells": [{"at", "input", "value", "text"}]}]}`."""
    shower = live.shower()
    sheets = []
    for sheet in live.workbook.sheets:
        cells = []
        for key in keys_of(live.calculation, sheet):
            value = plain_value(live.calculation.shown_at(key))
            at = cell_text(key[1], key[2])
            cells.append({"at": at, "input": _input(shower, key), "value": value, "text": shower.shown(key).text})
        sheets.append({"name": sheet.name, "cells": cells})
    body: dict[str, Any] = {
        "worksheet": worksheet.name,
        "ledger": live.reader.ledger.code,
        "revision": live.reader.view.revision,
        "sheets": sheets,
    }
    if stamp is not None:
        body["origin"] = stamp.as_mapping
    return json.dumps(body, ensure_ascii=False, indent=1) + "\n"


def _input(shower: Shower, key: Key) -> str:
    sheet = shower.calculation.sheets[key[0]]
    return sheet.cells.get((key[1], key[2]), "")


def as_csv(live: Live, stamp: Stamp | None = None) -> str:
    """The first sheet as text, row by row from A1, numbers exact; what begins like a formula is shown, never run. Its
    origin stands in the last row where it leaves."""
    sheet = live.workbook.sheets[0]
    keys = keys_of(live.calculation, sheet)
    target, shower = io.StringIO(), live.shower()
    writer = csv.writer(target, lineterminator="\r\n")
    bottom, right = max((key[1] for key in keys), default=-1), max((key[2] for key in keys), default=-1)
    for row in range(bottom + 1):
        writer.writerow([_csv_cell(shower, (sheet.number, row, column)) for column in range(right + 1)])
    if stamp is not None:
        writer.writerow([plain_text(stamp.line), *("" for _ in range(right))])
    return target.getvalue()


def _csv_cell(shower: Shower, key: Key) -> str:
    value = shower.calculation.shown_at(key)
    if isinstance(value, str):
        return plain_text(value)
    if isinstance(value, Decimal) and shower.number(key).startswith("yyyy"):
        return shower.shown(key).text
    plain = plain_value(value)
    return "" if plain is None else "TRUE" if plain is True else "FALSE" if plain is False else str(plain)
