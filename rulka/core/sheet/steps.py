"""Steps that change a workbook: plain data that says both states, so that each can be taken back and done again."""

from __future__ import annotations

from collections.abc import Iterable

from rulka.core.sheet.remap import Remap, move_cells
from rulka.core.sheet.workbook import Cell, Sheet, Step, Workbook


def apply(workbook: Workbook, step: Step) -> None:
    """Do a step."""
    match step["kind"]:
        case "cells":
            sheet = workbook.sheet(step["sheet"])
            for row, column, _, (text, look) in step["cells"]:
                cell = Cell(text, look)
                if cell.is_nothing:
                    sheet.cells.pop((row, column), None)
                else:
                    sheet.cells[row, column] = cell
        case "remap":
            move_cells(workbook.sheet(step["sheet"]), Remap(*step["remap"]))
        case "settings":
            workbook.sheet(step["sheet"]).settings = dict(step["after"])
        case "names":
            workbook.names = dict(step["after"])
        case "parameters":
            workbook.parameters = [dict(one) for one in step["after"]]
        case "sheets":
            kept = {sheet.number: sheet for sheet in workbook.sheets}
            workbook.sheets = []
            for number, name in step["after"]:
                sheet = kept.get(number) or Sheet(number, name)
                sheet.name = name
                workbook.sheets.append(sheet)


def inverse(step: Step) -> Step:
    """The step that takes another one back."""
    match step["kind"]:
        case "cells":
            turned = [[row, column, after, before] for row, column, before, after in step["cells"]]
            return {**step, "cells": turned}
        case "remap":
            return {**step, "remap": Remap(*step["remap"]).inverse().plain()}
    return {**step, "before": step["after"], "after": step["before"]}


def inverses(steps: Iterable[Step]) -> list[Step]:
    """Steps that take several back, the last one first."""
    return [inverse(step) for step in reversed(list(steps))]
