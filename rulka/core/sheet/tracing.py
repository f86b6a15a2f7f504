"""From a cell down: the questions its formula asks, each opened as every figure of a statement is: as a statement of
one line and one column."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

from rulka.core.books.narrowing import Clause, Narrowing
from rulka.core.books.selection import Selection, SelectionPart, parse_selection
from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.leaves import leaves_of
from rulka.core.compute.nodes import in_group_currency
from rulka.core.compute.plan import Plan
from rulka.core.compute.statement import run_plans
from rulka.core.definitions.naming import check_names
from rulka.core.definitions.spans import ColumnDef, SpanDef
from rulka.core.definitions.spines import CONVENTIONS, LineDef, SpineDef
from rulka.core.definitions.statements import StatementDef
from rulka.core.errors import RulkaError
from rulka.core.sheet.addresses import Box, Key
from rulka.core.sheet.amounts import SIGNS, Amount, Amounts, Read
from rulka.core.sheet.bounded import Bounded
from rulka.core.sheet.calculating import Calculation
from rulka.core.sheet.evaluating import box_of
from rulka.core.sheet.ledger_functions import LedgerSource
from rulka.core.sheet.values import Array, Scalar, SheetError, Value

FIGURE = "figure"
"""The key of the one line and the one column."""

MOST_PARTS = 200


def accounts_clause(text: str, read: Read) -> Narrowing:
    """The accounts of a question as a narrowing: one code as it is, else the selection."""
    codes = read.view.frame.accounts.index
    selection = Selection((SelectionPart("code", text),)) if text in codes else parse_selection(text)
    return Narrowing((Clause("account", selection),), selection.text())


def computed_for(question: Amount, amounts: Amounts) -> Computed:
    """A question as a statement that was run; raises RulkaError in the words of its error value."""
    read = amounts.read(question)
    if isinstance(read, SheetError):
        raise RulkaError(read.note, subject="trace")
    accounts = amounts.accounts(question, read.view)
    if isinstance(accounts, SheetError):
        raise RulkaError(accounts.note, subject="trace")
    measure = "activity" if question.measure == "count" else question.measure
    narrow, source = read.narrow, read.reading.source
    sign = "as booked" if question.sign in ("", SIGNS[0]) else ""
    clause = accounts_clause(question.accounts, read)
    line = LineDef("line", question.accounts, FIGURE, accounts=clause, sign=sign)
    spine = SpineDef(FIGURE, "", question.sign if question.sign in CONVENTIONS else CONVENTIONS[0], None, (line,))
    asked = ColumnDef(
        FIGURE,
        "figures",
        measure,
        scenario=source.scenario,
        measure=measure,
        entries=source.status,
        narrow=narrow,
    )
    span = SpanDef(FIGURE, "", (asked,))
    translated = source.translated
    statement = StatementDef(FIGURE, "", spine, span, currency="group" if translated else "")
    node = in_group_currency(read.node, read.view) if translated else read.node
    leaves, names = leaves_of(spine, read.view, amounts.around.period), check_names(spine)
    plan = Plan(statement, read.view, amounts.around.period, node, (_column_of(read, asked),), leaves, names)
    return run_plans([plan])[0]


def _column_of(read: Read, asked: ColumnDef) -> Column:
    """The only column of a question's statement: the time, calendar and narrowing its figure was read with."""
    narrow, source = read.narrow, read.reading.source
    mask = read.view.mask(narrow)
    return Column(
        asked,
        FIGURE,
        f"{asked.scenario}, {asked.measure}",
        (),
        "figures",
        window=read.time.window,
        at=read.time.period,
        scenario_kind=read.view.frame.scenarios[asked.scenario],
        keys=mask.keys if narrow.by_key else None,
        accounts=mask.accounts if mask.names_accounts else None,
        lines=narrow.by_line,
        calendar=source.calendar,
        by=narrow.names,
    )


@dataclass(frozen=True)
class CellPart:
    """One thing a cell's value is made of: a question and its answer, or another cell and what it holds."""

    label: str
    value: Scalar
    question: Amount | None = None
    cell: Key | None = None


@dataclass(frozen=True)
class CellTrace:
    """What stands behind a cell: its address and input, its value, and what it is made of, in order."""

    at: str
    input: str
    value: Value
    parts: tuple[CellPart, ...]
    left_out: int = 0


def question_text(question: Amount) -> str:
    """A question in words: what, of which accounts, when, whose."""
    said = [f"{question.measure} of {question.accounts}", question.period or "the reporting period"]
    said += [question.scenario] if question.scenario not in ("", "actual") else []
    said += [f"node {question.node}"] if question.node else []
    said += [part for part in (question.narrow, question.entries, question.sign) if part]
    said += [f"in {question.currency} currency"] if question.currency == "group" else []
    return ", ".join(said)


def trace_cell_value(calculation: Calculation, key: Key) -> CellTrace:
    """Open a cell: the questions its formula asks of the ledger, and the cells it reads that hold figures."""
    anchor = calculation.anchor_of(key)
    formula = calculation.formulas.get(anchor)
    text = calculation.sheets[anchor[0]].cells.get((anchor[1], anchor[2]), "")
    value = calculation.shown_at(key)
    at = calculation.address(key, -1 if len(calculation.sheets) > 1 else key[0])
    if formula is None:
        return CellTrace(at, text, value, ())
    parts: list[CellPart] = []
    left_out = 0
    for question in _amounts_behind(calculation, key):
        if len(parts) >= MOST_PARTS:
            left_out += 1
            continue
        parts.append(CellPart(question_text(question), _answer(calculation, question), question=question))
    for cell in _read_by(calculation, key):
        held = calculation.shown_at(cell)
        if not isinstance(held, (Decimal, SheetError)) or cell == key:
            continue
        if len(parts) >= MOST_PARTS:
            left_out += 1
            continue
        parts.append(CellPart(calculation.address(cell, key[0]), held, cell=cell))
    return CellTrace(at, text, value, tuple(parts), left_out)


def _amounts_behind(calculation: Calculation, key: Key) -> list[Amount]:
    """The amounts that were asked for a cell; of a bounded table's piece those of the figure in the cell."""
    anchor = calculation.anchor_of(key)
    found: list[Amount] = []
    for question in calculation.asked_by(key):
        if isinstance(question, Amount):
            found.append(question)
        elif isinstance(question, Bounded) and isinstance(calculation.source, LedgerSource):
            place = (key[1] - anchor[1], key[2] - anchor[2]) if not question.row and not question.column else None
            found += calculation.source.pieces.questions(question, place)
    return found


def _answer(calculation: Calculation, question: Amount) -> Scalar:
    answer = calculation.source.answers([question])[question]
    return answer.rows[0][0] if isinstance(answer, Array) else answer


def _read_by(calculation: Calculation, key: Key) -> list[Key]:
    """The cells that a formula refers to, areas cell by cell as far as anything stands there; for a cell it spilled
    into only those of the same row and column, where an area is as large as what it spilled."""
    anchor = calculation.anchor_of(key)
    shape = calculation.formulas[anchor].shape
    own = calculation.spills.get(anchor)
    found: dict[Key, None] = {}
    for reference in (*shape.references, *shape.spills):
        number = calculation.sheet_number(reference.sheet) if reference.sheet else anchor[0]
        box = box_of(reference, anchor[1], anchor[2])
        if number is None or box is None:
            continue
        if reference in shape.spills and (spilled := calculation.spills.get((number, box.top, box.left))):
            box = Box(box.top, box.left, box.top + spilled.height - 1, box.left + spilled.width - 1)
        if own is not None:
            row, column = box.top + key[1] - anchor[1], box.left + key[2] - anchor[2]
            top, bottom = (row, row) if box.rows == own.height else (box.top, box.bottom)
            left, right = (column, column) if box.columns == own.width else (box.left, box.right)
            box = Box(top, left, bottom, right)
        box = Box(box.top, box.left, max(min(box.bottom, calculation.used_rows(number) - 1), box.top), box.right)
        found.update(((number, *cell), None) for cell in box.cells() if (number, *cell) in calculation.values)
    return list(found)
