"""What a sheet misses of the accounts, put in: as rows like those it has, else below everything."""

from __future__ import annotations

from collections.abc import Sequence

from rulka.core.sheet.addresses import Key, cell_text
from rulka.core.sheet.amounts import Amount
from rulka.core.sheet.blocks import LaidBlock, quoted
from rulka.core.sheet.calculating import Calculation
from rulka.core.sheet.covering import Coverage, Odd
from rulka.core.sheet.edits import formula_at
from rulka.core.sheet.inputs import literal
from rulka.core.sheet.remap import Remap
from rulka.core.sheet.remapping import remap_steps
from rulka.core.sheet.steps import apply
from rulka.core.sheet.values import as_text
from rulka.core.sheet.workbook import Cell, Sheet, Step, Workbook, cells_step, copied


def add_missing(workbook: Workbook, sheet: Sheet, coverage: Coverage, calculation: Calculation) -> LaidBlock:
    """Rows for all accounts that are missing, in the order of the chart: above the last row that names an account for
    its formula, so that sums over these rows take them in; where there is no such row, below all that the sheet
    holds."""
    missing = sorted(coverage.missing, key=lambda odd: odd.code)
    if not missing:
        return LaidBlock(told=["Nothing is missing"])
    model = _model(coverage, calculation)
    told = [
        f"{len(missing)} account{'s' if len(missing) != 1 else ''} put in: {', '.join(o.code for o in missing[:8])}"
    ]
    if model is None:
        return LaidBlock([_below(sheet, coverage, missing, calculation)], told)
    return LaidBlock(_above(workbook, sheet, model, missing), told)


def _model(coverage: Coverage, calculation: Calculation) -> Key | None:
    """The cell that holds the code of the last account asked for by the row it stands in."""
    found: Key | None = None
    for place, keys in coverage.group.askers.items():
        for key in keys:
            formula = calculation.formulas.get(key)
            for cell in formula.cells if formula else ():
                own = calculation.sheets[cell[0]].cells.get((cell[1], cell[2]), "")
                beside = cell[0] == key[0] and cell[1] == key[1] and bool(own) and not own.startswith("=")
                if beside and _is_code(calculation, cell, place, coverage) and (found is None or cell > found):
                    found = cell
    return found


def _is_code(calculation: Calculation, cell: Key, place: int, coverage: Coverage) -> bool:
    value = calculation.shown_at(cell)
    codes = coverage.group.codes
    return value is not None and as_text(value).strip() == codes[place]


def _above(workbook: Workbook, sheet: Sheet, model: Key, missing: Sequence[Odd]) -> list[Step]:
    count, row, column = len(missing), model[1], model[2]
    steps = remap_steps(workbook, sheet, Remap("insert", "rows", row, count))
    trial = copied(workbook)
    for step in steps:
        apply(trial, step)
    own = trial.sheet(sheet.number)
    cells: dict[tuple[int, int], Cell] = {}
    former = {on: cell for (at, on), cell in own.cells.items() if at == row + count}
    for at, odd in enumerate(missing):
        for on, cell in former.items():
            if on == column:
                text = literal(odd.code)
            elif cell.input.startswith("="):
                text = formula_at(cell.input, at - count, 0)
            else:
                text = literal(odd.name) if on == column + 1 and cell.input else ""
            cells[row + at, on] = Cell(text, cell.look)
    return [*steps, cells_step(own, cells)]


def _below(sheet: Sheet, coverage: Coverage, missing: Sequence[Odd], calculation: Calculation) -> Step:
    question = coverage.group.asked
    row = calculation.used_rows(sheet.number) + 1
    column = max(coverage.group.first[2], 2)
    cells: dict[tuple[int, int], Cell] = {}
    for at, odd in enumerate(missing, row):
        cells[at, 0] = Cell(literal(odd.code))
        cells[at, 1] = Cell(f"=RULKA.NAME({cell_text(at, 0)})")
        cells[at, column] = Cell(formula_of(question, cell_text(at, 0)))
    return cells_step(sheet, cells)


def formula_of(question: Amount, accounts: str) -> str:
    """A question as a formula whose accounts stand in a cell; defaults are left to the worksheet where the question
    was made of them."""
    fields = [question.period, question.scenario, question.node, question.narrow, question.entries, question.currency,
              question.sign, question.ledger]  # fmt: skip
    defaults = ["", "actual", "", "", "posted", "own", "", ""]
    written = ["" if text == plain else quoted(text) for text, plain in zip(fields, defaults, strict=True)]
    while written and not written[-1]:
        written.pop()
    return f"=RULKA.{question.measure.upper()}({','.join([accounts, *written])})"
