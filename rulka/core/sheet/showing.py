"""What a cell shows: its text by its own number format, or the one that follows from its formula."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

from rulka.core.money import GAP, MINUS
from rulka.core.sheet.addresses import Key
from rulka.core.sheet.calculating import Calculation
from rulka.core.sheet.evaluating import box_of
from rulka.core.sheet.inputs import DAY_LOOK, read_input
from rulka.core.sheet.listing import AMOUNT_LOOK
from rulka.core.sheet.number_format import FormatFault, write
from rulka.core.sheet.parsing import Binary, Node, Reference, SheetCall, Spilled, Unary
from rulka.core.sheet.values import Array, Fault, Scalar, SheetError, as_text, general
from rulka.core.sheet.workbook import Cell, Look, Workbook

AMOUNTS = (
    "RULKA.BOUNDED",
    "RULKA.ACTIVITY",
    "RULKA.OPENING",
    "RULKA.CLOSING",
    "RULKA.DEBITS",
    "RULKA.CREDITS",
    "RULKA.FIGURE",
)
DAYS = ("DATE", "TODAY", "EDATE", "EOMONTH", "WORKDAY", "DATEVALUE", "RULKA.FIRSTDAY", "RULKA.LASTDAY")
PASSING = (
    "SUM",
    "ROUND",
    "ROUNDUP",
    "ROUNDDOWN",
    "ABS",
    "MAX",
    "MIN",
    "AVERAGE",
    "SUBTOTAL",
    "SUMIF",
    "SUMIFS",
    "FILTER",
    "SORT",
    "TAKE",
    "DROP",
    "UNIQUE",
    "INDEX",
    "IFERROR",
    "IFNA",
    "XLOOKUP",
    "VLOOKUP",
    "MEDIAN",
    "TRUNC",
    "N",
)
"""Functions whose result is written like their first argument that says how."""

DEEP = 24


@dataclass(frozen=True)
class ShownValue:
    """A cell on the screen: its text, what kind of value it is, what a hover says, and whether a formula or a spill
    gave it."""

    text: str
    kind: str = ""
    note: str = ""
    formula: bool = False
    spilled: bool = False


class Shower:
    """Writes the cells of one calculated workbook."""

    def __init__(self, workbook: Workbook, calculation: Calculation) -> None:
        self.workbook, self.calculation = workbook, calculation
        self.sheets = {sheet.number: sheet for sheet in workbook.sheets}
        self._numbers: dict[Key, str] = {}

    def cell(self, key: Key) -> Cell:
        return self.sheets[key[0]].cell(key[1], key[2])

    def look(self, key: Key) -> Look:
        """How a cell is written: its own look, on top of its column's."""
        own = self.workbook.look(self.cell(key).look)
        columns = self.sheets[key[0]].settings.get("column looks")
        of_column = columns.get(str(key[2])) if columns else None
        return {**of_column, **own} if of_column else own

    def shown(self, key: Key) -> ShownValue:
        """What stands in a cell."""
        value = self.calculation.shown_at(key)
        anchor = self.calculation.anchor_of(key)
        formula = key in self.calculation.formulas
        spilled = anchor != key
        if value is None:
            return ShownValue("", formula=formula, spilled=spilled)
        if isinstance(value, SheetError):
            return ShownValue(value.code, "error", value.note, formula, spilled)
        text = self.text(key, value)
        kind = "text" if isinstance(value, str) else "flag" if isinstance(value, bool) else "number"
        if kind == "number" and isinstance(value, Decimal) and value < 0:
            kind = "negative"
        return ShownValue(text, kind, "", formula, spilled)

    def text(self, key: Key, value: Scalar) -> str:
        """A value as its cell writes it."""
        number = self.number(key)
        if isinstance(value, Decimal) and not number:
            return general(value).replace("-", MINUS, 1) if value < 0 else general(value)
        if number and number.lower() != "general":
            try:
                return write(value, number, gap=GAP, minus=MINUS)
            except (FormatFault, Fault):
                pass  # a value that a format can't write is shown as it is
        return as_text(value)

    def number(self, key: Key) -> str:
        """The number format of a cell: its own, else the one that follows from where its value comes from."""
        own = self.look(key).get("number")
        if own:
            return str(own)
        if key not in self._numbers:
            self._numbers[key] = self._inferred(key, 0)
        return self._numbers[key]

    def _inferred(self, key: Key, depth: int) -> str:
        own = self.look(key).get("number")
        if own:
            return str(own)
        if depth > DEEP:
            return ""
        if key in self._numbers:
            return self._numbers[key]
        anchor = self.calculation.anchor_of(key)
        spilled = self.calculation.spills.get(anchor)
        if spilled is not None and spilled.looks:
            look = spilled.looks[key[2] - anchor[2]]
            if look:
                return look if isinstance(self.calculation.shown_at(key), Decimal) else ""
        formula = self.calculation.formulas.get(anchor)
        if formula is None:
            text = self.cell(key).input
            return read_input(text).look if text and not text.startswith("=") else ""
        return self._of_node(formula.shape.node, anchor, depth)

    def _of_node(self, node: Node, at: Key, depth: int) -> str:
        if depth > DEEP:
            return ""
        match node:
            case SheetCall(name, arguments):
                if name in AMOUNTS:
                    return AMOUNT_LOOK
                if name in DAYS:
                    return DAY_LOOK
                if name in ("IF", "IFS", "CHOOSE", "SWITCH", "LET"):
                    arguments = arguments[1:]
                elif name not in PASSING:
                    return ""
                return next((look for one in arguments if (look := self._of_node(one, at, depth + 1))), "")
            case Binary(operator, left, right):
                if operator in ("+", "-"):
                    return self._of_node(left, at, depth + 1) or self._of_node(right, at, depth + 1)
                if operator == "*":
                    one, other = self._of_node(left, at, depth + 1), self._of_node(right, at, depth + 1)
                    return one if not other or "%" in other else other if not one or "%" in one else one
                if operator == "/":
                    one, other = self._of_node(left, at, depth + 1), self._of_node(right, at, depth + 1)
                    return one if one and not other else ""
                return ""
            case Unary("%", _):
                return ""
            case Unary(_, operand):
                return self._of_node(operand, at, depth + 1)
            case Reference() | Spilled():
                reference = node.anchor if isinstance(node, Spilled) else node
                number = self.calculation.sheet_number(reference.sheet) if reference.sheet else at[0]
                box = box_of(reference, at[1], at[2])
                if number is None or box is None or number not in self.sheets:
                    return ""
                return self._inferred((number, box.top, box.left), depth + 1)
        return ""


def plain_value(value: object) -> object:
    """A value for JSON: numbers as exact decimals in text, errors as their codes, empty as null."""
    if isinstance(value, Array):
        value = value.rows[0][0]
    if value is None or isinstance(value, bool):
        return value
    if isinstance(value, SheetError):
        return value.code
    if isinstance(value, Decimal):
        text = f"{value:f}"
        return "0" if value == 0 and "." not in text else text
    return value
