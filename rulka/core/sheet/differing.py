"""From one state of a workbook to another, as steps that can be taken back."""

from __future__ import annotations

from collections.abc import Mapping

from rulka.core.sheet.addresses import Key
from rulka.core.sheet.steps import apply
from rulka.core.sheet.workbook import Cell, Step, Workbook, cells_step, copied, settings_step


def steps_between(before: Workbook, after: Workbook) -> list[Step]:
    """Steps that make a workbook as another one is: looks are put among those it has, sheets go by their number."""
    trial = copied(before)
    looks = [before.look_number(look) for look in after.looks]
    trial.looks = before.looks
    steps: list[Step] = []

    def do(step: Step) -> None:
        steps.append(step)
        apply(trial, step)

    kept = {sheet.number for sheet in after.sheets}
    for sheet in list(trial.sheets):
        if sheet.number not in kept:
            if sheet.cells:
                do(cells_step(sheet, dict.fromkeys(sheet.cells, Cell())))
            if sheet.settings:
                do(settings_step(sheet, {}))
    names = [[sheet.number, sheet.name] for sheet in after.sheets]
    own = [[sheet.number, sheet.name] for sheet in trial.sheets]
    parameters = [dict(one) for one in after.parameters]
    if own != names:
        if trial.parameters != parameters:
            do({"kind": "parameters", "before": trial.parameters, "after": []})
        do({"kind": "sheets", "before": own, "after": names})
    for sheet in after.sheets:
        mine = trial.sheet(sheet.number)
        wanted = {place: Cell(cell.input, looks[cell.look]) for place, cell in sheet.cells.items()}
        step = cells_step(mine, {**dict.fromkeys(mine.cells, Cell()), **wanted})
        if step["cells"]:
            do(step)
        if mine.settings != sheet.settings:
            do(settings_step(mine, sheet.settings))
    if trial.names != after.names:
        do({"kind": "names", "before": dict(trial.names), "after": dict(after.names)})
    if trial.parameters != parameters:
        do({"kind": "parameters", "before": trial.parameters, "after": parameters})
    return steps


def changed_texts(before: Mapping[Key, str], after: Mapping[Key, str]) -> dict[Key, str]:
    """Cells that show something else now, with what they showed before."""
    return {key: before.get(key, "") for key in {**before, **after} if before.get(key, "") != after.get(key, "")}
