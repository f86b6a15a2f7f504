"""A worksheet calculated and written: JSON with exact values, CSV of a sheet, a workbook of values."""

from __future__ import annotations

import csv
import io
import json
from decimal import Decimal

import xlsxwriter

from rulka.core.sheet.addresses import Key, cell_text
from rulka.core.sheet.calculating import Calculation
from rulka.core.sheet.showing import Shower, plain_value
from rulka.core.sheet.values import SheetError
from rulka.core.sheet.workbook import Look, Sheet
from rulka.formats.figures import plain_text
from rulka.worksheets.models import Worksheet
from rulka.worksheets.running.live import Live

FORMATS = ("json", "csv", "xlsx")


def keys_of(calculation: Calculation, sheet: Sheet) -> list[Key]:
    """The cells of a sheet that hold anything, spilled ones too, row by row."""
    return sorted(key for key, value in calculation.values.items() if key[0] == sheet.number and value is not None)


def as_json(worksheet: Worksheet, live: Live) -> str:
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
    body = {
        "worksheet": worksheet.name,
        "ledger": live.reader.ledger.code,
        "revision": live.reader.view.revision,
        "sheets": sheets,
    }
    return json.dumps(body, ensure_ascii=False, indent=1) + "\n"


def _input(shower: Shower, key: Key) -> str:
    sheet = shower.calculation.sheets[key[0]]
    return sheet.cells.get((key[1], key[2]), "")


def as_csv(live: Live) -> str:
    """The first sheet as text, row by row from A1, numbers exact; what begins like a formula is shown, never run."""
    sheet = live.workbook.sheets[0]
    keys = keys_of(live.calculation, sheet)
    target, shower = io.StringIO(), live.shower()
    writer = csv.writer(target, lineterminator="\r\n")
    bottom, right = max((key[1] for key in keys), default=-1), max((key[2] for key in keys), default=-1)
    for row in range(bottom + 1):
        writer.writerow([_csv_cell(shower, (sheet.number, row, column)) for column in range(right + 1)])
    return target.getvalue()


def _csv_cell(shower: Shower, key: Key) -> str:
    value = shower.calculation.shown_at(key)
    if isinstance(value, str):
        return plain_text(value)
    if isinstance(value, Decimal) and shower.number(key).startswith("yyyy"):
        return shower.shown(key).text
    plain = plain_value(value)
    return "" if plain is None else "TRUE" if plain is True else "FALSE" if plain is False else str(plain)


def as_xlsx(live: Live) -> bytes:
    """All sheets as a workbook of values, with their looks, widths, frozen panes and spans."""
    target = io.BytesIO()
    options = {"strings_to_formulas": False, "strings_to_urls": False, "strings_to_numbers": False}
    book = xlsxwriter.Workbook(target, {"in_memory": True, **options})
    formats: dict[str, object] = {}
    for sheet in live.workbook.sheets:
        _write_sheet(book, sheet, live, formats)
    book.close()
    return target.getvalue()


def _write_sheet(book: xlsxwriter.Workbook, sheet: Sheet, live: Live, formats: dict[str, object]) -> None:
    page, shower = book.add_worksheet(sheet.name), live.shower()
    settings = sheet.settings
    hidden = set(settings.get("hidden columns", ()))
    for column, width in settings.get("widths", {}).items():
        page.set_column(int(column), int(column), max(int(width) - 5, 10) / 7, None, {"hidden": int(column) in hidden})
    for column in hidden - {int(column) for column in settings.get("widths", {})}:
        page.set_column(column, column, None, None, {"hidden": True})
    for row in settings.get("hidden rows", ()):
        page.set_row(row, None, None, {"hidden": True})
    if settings.get("frozen"):
        page.freeze_panes(*settings["frozen"])
    keys = set(keys_of(live.calculation, sheet)) | {(sheet.number, *place) for place in sheet.cells}
    for key in sorted(keys):
        look = {**shower.look(key), "number": shower.number(key)}
        style = _style(book, look, formats)
        value = live.calculation.shown_at(key)
        if value is None:
            page.write_blank(key[1], key[2], None, style)
        elif isinstance(value, bool):
            page.write_boolean(key[1], key[2], value, style)
        elif isinstance(value, Decimal):
            page.write_number(key[1], key[2], float(value) if abs(value) > 10**15 else value, style)
        else:
            page.write_string(key[1], key[2], value.code if isinstance(value, SheetError) else value, style)
    for span in settings.get("spans", ()):
        top, left, bottom, right = span["box"]
        key = (sheet.number, top, left)
        text = shower.shown(key).text
        page.merge_range(top, left, bottom, right, text, _style(book, shower.look(key), formats))


FILLS = {"wash": "#E8F0EA", "note": "#FDF2DD", "alarm": "#FBEEEB", "head": "#F0EBDD", "input": "#FDF2DD"}
RULED = {"single": 1, "double": 6}


def _style(book: xlsxwriter.Workbook, look: Look, formats: dict[str, object]) -> object:
    name = json.dumps(look, sort_keys=True)
    if name not in formats:
        wanted: dict[str, object] = {"font_name": "Calibri"}
        if look.get("number"):
            wanted["num_format"] = look["number"]
        for key, own in (("bold", "bold"), ("italic", "italic"), ("wrap", "text_wrap")):
            if look.get(key):
                wanted[own] = True
        if look.get("fill"):
            wanted["bg_color"] = FILLS[look["fill"]]
        if look.get("align"):
            wanted["align"] = look["align"]
        for side in ("top", "bottom", "left", "right"):
            if look.get(side):
                wanted[side] = RULED[look[side]]
        if look.get("indent"):
            wanted["indent"] = look["indent"]
        formats[name] = book.add_format(wanted)
    return formats[name]
