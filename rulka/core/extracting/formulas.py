"""Computed columns: a formula of the sheet over what a row says, compiled once, called row by row."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import ROUND_HALF_UP, Decimal
from typing import Any

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.extracting.fields import Field, FieldKind
from rulka.core.sheet.environment import Environment
from rulka.core.sheet.evaluating import Shape, compiled
from rulka.core.sheet.parsing import Binary, Constant, NamedReference, Node, SheetCall, Unary, parse_tokens
from rulka.core.sheet.registry import FUNCTIONS
from rulka.core.sheet.tokens import FormulaFault, tokens_of
from rulka.core.sheet.values import Array, Fault, SheetError, as_text, day_of, serial, single

DIGITS = 8
"""Decimals that a computed number is rounded to, half away from zero."""
MOST = 2**63 - 1
TEXTS = ("&",)
COMPARISONS = ("=", "<>", "<", ">", "<=", ">=")
RESULTS: Mapping[str, FieldKind] = {
    "YEAR": "number", "MONTH": "number", "DAY": "number", "LEN": "number", "DATE": "date", "EDATE": "date",
    "EOMONTH": "date", "AND": "flag", "OR": "flag", "NOT": "flag",
}  # fmt: skip


def formula_name(name: str) -> str:
    """What a formula calls a field or column: `Account name` is `account_name`."""
    return "_".join("".join(part if part.isalnum() else " " for part in name).split()).upper()


@dataclass(frozen=True, eq=False)
class ColumnFormula:
    """A compiled formula: the fields or columns it reads, in order; what kind it gives, and with how many decimals."""

    text: str
    reads: tuple[str, ...]
    kind: FieldKind
    digits: int
    run: Callable[[Sequence[Any]], Any]
    """Stored values in the order of `reads` to a stored value; None where it gives an error."""


def read_formula(text: str, known: Mapping[str, Field], *, kind: str = "", where: str = "") -> ColumnFormula:
    """Compile a formula over some fields by name; raises RulkaError for what it can't be."""
    try:
        shape = compiled(parse_tokens(tokens_of(text), 0, 0))
    except FormulaFault as fault:
        raise RulkaError(f"The formula can't be read: {fault}", hint="See the guide's list.", subject=where) from None
    _check(shape, where)
    by_name = {formula_name(name): name for name in known}
    reads = []
    for name in shape.names:
        if name.upper() not in by_name:
            told = one_of(name.lower(), [one.lower() for one in by_name])
            raise NotFound(f"Nothing is called '{name.lower()}' here.", hint=told, subject=where)
        reads.append(by_name[name.upper()])
    fields = [known[name] for name in reads]
    found, digits = _kind_of(shape.node, {formula_name(name): known[name] for name in reads}, kind)
    names = [formula_name(name) for name in reads]
    return ColumnFormula(text, tuple(reads), found, digits, _runner(shape, names, fields, found, digits))


def _check(shape: Shape, where: str) -> None:
    if shape.references or shape.spills:
        raise RulkaError("A formula here knows no cells.", hint="Name columns, such as amount.", subject=where)
    if shape.is_volatile or shape.ledger_calls():
        raise RulkaError(
            "A formula here reads its own row only: no ledger functions, no today.", hint="Use a column.", subject=where
        )


def _kind_of(node: Node, fields: Mapping[str, Field], said: str) -> tuple[FieldKind, int]:
    kind, digits = _inferred(node, fields)
    if said in ("amount", "number"):
        return (
            ("number", digits if kind in ("amount", "number") else DIGITS)
            if said == "number"
            else (("amount", digits if kind == "amount" else 2))
        )
    if said in ("text", "date"):
        return ("text", 0) if said == "text" else ("date", 0)
    if said in ("yes or no", "flag"):
        return "flag", 0
    return kind, digits


def _inferred(node: Node, fields: Mapping[str, Field]) -> tuple[FieldKind, int]:
    """What a tree gives: sums of amounts are amounts, all else with numbers is a number."""
    match node:
        case Constant(value):
            if isinstance(value, bool):
                return "flag", 0
            if isinstance(value, Decimal):
                exponent = value.normalize().as_tuple().exponent
                return "number", min(DIGITS, max(0, -exponent)) if isinstance(exponent, int) else DIGITS
            return "text", 0
        case NamedReference(name):
            field = fields.get(name.upper())
            if field is None:
                return "number", DIGITS
            return ("text", 0) if field.kind in ("code", "period", "moment") else (field.kind, field.digits)
        case Unary("%", _):
            return "number", DIGITS
        case Unary(_, inner):
            return _inferred(inner, fields)
        case Binary(operator, _, _) if operator in TEXTS:
            return "text", 0
        case Binary(operator, _, _) if operator in COMPARISONS:
            return "flag", 0
        case Binary(operator, left, right) if operator in "+-":
            return _added(_inferred(left, fields), _inferred(right, fields))
        case SheetCall("IF" | "IFS" | "SWITCH" | "IFERROR", arguments) if arguments:
            return _chosen(arguments[1:] if node.name != "IFERROR" else arguments, fields)
        case SheetCall("ABS" | "MAX" | "MIN" | "SUM", arguments) if arguments:
            every = [_inferred(one, fields) for one in arguments]
            return every[0] if len({one[0] for one in every}) == 1 else ("number", DIGITS)
        case SheetCall(name, _):
            return _called(name)
        case _:
            return "number", DIGITS


def _added(one: tuple[FieldKind, int], other: tuple[FieldKind, int]) -> tuple[FieldKind, int]:
    """What two added up, or taken from each other, give: dates apart are days, a date and days are a date."""
    kinds = {one[0], other[0]}
    if kinds == {"amount"}:
        return "amount", max(one[1], other[1])
    if "date" in kinds and len(kinds) > 1:
        return "date", 0
    numeric = kinds <= {"number", "amount"}
    return "number", max(one[1], other[1]) if numeric else 0 if kinds == {"date"} else DIGITS


def _called(name: str) -> tuple[FieldKind, int]:
    """What a function gives whose result doesn't follow what it is given."""
    if name in RESULTS:
        return RESULTS[name], 0
    function = FUNCTIONS.get(name)
    if function is not None and function.group.casefold().startswith("text"):
        return "text", 0
    if function is not None and name.startswith("IS"):
        return "flag", 0
    return "number", DIGITS


def _chosen(choices: Sequence[Node], fields: Mapping[str, Field]) -> tuple[FieldKind, int]:
    """What one of some choices is, where they are of one kind; nothing is an amount too."""
    found = [_inferred(one, fields) for one in choices[:2]]
    kinds = {one[0] for one in found}
    nothing = any(isinstance(one, Constant) and one.value == 0 for one in choices)
    if kinds == {"amount", "number"} and nothing:
        return next(one for one in found if one[0] == "amount")
    return found[0] if len(kinds) == 1 else ("text", 0) if "text" in kinds else ("number", DIGITS)


class _NoCells:
    """What a formula over a row finds of a worksheet: nothing."""

    def value_at(self, key: Any) -> None:
        return None

    def array_in(self, sheet: int, box: Any) -> Array:
        return Array([[None]])

    def spilled_at(self, key: Any) -> None:
        return None

    def sheet_number(self, name: str) -> None:
        return None

    def name_meaning(self, name: str) -> None:
        return None

    def used_rows(self, sheet: int) -> int:
        return 0


def _runner(
    shape: Shape, names: Sequence[str], fields: Sequence[Field], kind: FieldKind, digits: int
) -> Callable[[Sequence[Any]], Any]:
    environment = Environment(_NoCells(), 0, 0, 0)
    readers = [_reader(field) for field in fields]
    step = Decimal(1).scaleb(-digits)

    def run(values: Sequence[Any]) -> Any:
        environment.locals = {name: read(value) for name, read, value in zip(names, readers, values, strict=True)}
        try:
            value = single(shape.run(environment))
            if isinstance(value, (SheetError, Array)):
                return None
            return _stored(value, kind, step, digits)
        except Fault:
            return None

    return run


def _reader(field: Field) -> Callable[[Any], Any]:
    """A stored value as formulas take it."""
    if field.kind in ("amount", "number"):
        digits = field.digits
        return lambda value: None if value is None else Decimal(value).scaleb(-digits)
    if field.kind == "date":
        return lambda value: None if not value else serial(date.fromisoformat(str(value)[:10]))
    if field.kind == "flag":
        return lambda value: None if value is None else bool(value)
    if field.kind == "period":
        from rulka.core.books.calendar import period_code

        return lambda value: None if value is None else period_code(int(value))
    return lambda value: value


def _stored(value: Any, kind: FieldKind, step: Decimal, digits: int) -> Any:
    """A formula's value as rows hold it; None where it is none of the kind or too large."""
    if value is None or value == "":
        return None if kind in ("amount", "number", "date", "flag") else ""
    if kind in ("amount", "number"):
        if isinstance(value, bool):
            value = Decimal(int(value))
        if not isinstance(value, Decimal):
            return None
        number = int(value.quantize(step, rounding=ROUND_HALF_UP).scaleb(digits)) if abs(value) < 10**18 else MOST + 1
        return number if abs(number) <= MOST else None
    if kind == "date":
        return day_of(value).isoformat() if isinstance(value, Decimal) else None
    if kind == "flag":
        return int(value != 0) if isinstance(value, (bool, Decimal)) else None
    if isinstance(value, datetime):
        return value.isoformat()
    return as_text(value)
