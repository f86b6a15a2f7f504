"""Tokens to a tree, written relative to its cell, so that formulas of one shape share it."""

from __future__ import annotations

from collections.abc import Container, Sequence
from dataclasses import dataclass
from decimal import Decimal

from rulka.core.sheet.tokens import (
    FormulaFault,
    Token,
    is_inside,
    plain_name,
    read_area,
    split_sheet,
    tokens_of,
)
from rulka.core.sheet.values import EXACT, NUM, REF, VALUE, Scalar, SheetError

MOST_DEPTH = 64
MOST_ARGUMENTS = 255


@dataclass(frozen=True)
class Constant:
    value: Scalar


@dataclass(frozen=True)
class Reference:
    """An area: each end a number and whether it is fixed; one that isn't counts from the formula's own cell. None for
    the ends of whole rows and columns."""

    sheet: str
    top: int | None
    left: int | None
    bottom: int | None
    right: int | None
    fixed: tuple[bool, bool, bool, bool]
    is_cell: bool


@dataclass(frozen=True)
class Spilled:
    """What a formula spilled from a cell: `A2#`."""

    anchor: Reference


@dataclass(frozen=True)
class NamedReference:
    """A named cell, range or value, or a variable of LET."""

    name: str


@dataclass(frozen=True)
class Unary:
    operator: str
    operand: Node


@dataclass(frozen=True)
class Binary:
    operator: str
    left: Node
    right: Node


@dataclass(frozen=True)
class SheetCall:
    name: str
    arguments: tuple[Node, ...]


@dataclass(frozen=True)
class ListedValues:
    """Constants in braces, row by row."""

    rows: tuple[tuple[Scalar, ...], ...]


@dataclass(frozen=True)
class Missing:
    """An argument that was left out."""


Node = Constant | Reference | Spilled | NamedReference | Unary | Binary | SheetCall | ListedValues | Missing
MISSING = Missing()
BINDING = {"=": 0, "<>": 0, "<": 0, ">": 0, "<=": 0, ">=": 0, "&": 1, "+": 2, "-": 2, "*": 3, "/": 3, "^": 4}
"""How tightly operators bind; those that bind alike go from left to right."""


def shape_of(tokens: Sequence[Token], row: int, column: int) -> str:
    """What formulas have in common that are copies of each other: their text with references relative to the cell."""
    pieces = []
    for token in tokens:
        if token.kind == "area":
            pieces.append(_relative_text(token.text, row, column))
        elif token.kind == "call":
            pieces.append(plain_name(token.text) + "(")
        elif token.kind == "name":
            pieces.append(token.text.upper())
        else:
            pieces.append(token.text)
    return "".join(pieces)


def _relative_text(text: str, row: int, column: int) -> str:
    area = read_area(text)
    if not is_inside(area):
        return "#REF!"
    fixed = area.fixed
    first = _end_text(area.top, fixed[0], row) + _end_text(area.left, fixed[1], column)
    if area.is_cell:
        return f"[{area.sheet.casefold()!r}{first}]"
    last = _end_text(area.bottom, fixed[2], row) + _end_text(area.right, fixed[3], column)
    return f"[{area.sheet.casefold()!r}{first}:{last}]"


def _end_text(end: int | None, is_fixed: bool, base: int) -> str:
    return ",*" if end is None else f",${end}" if is_fixed else f",{end - base}"


def _reference(text: str, row: int, column: int) -> Reference | Constant:
    area = read_area(text)
    if not is_inside(area):
        return Constant(SheetError(REF.code, f"{text} lies outside of a sheet."))
    fixed = area.fixed

    def seen(end: int | None, is_fixed: bool, base: int) -> int | None:
        return end if end is None or is_fixed else end - base

    return Reference(
        area.sheet.casefold(),
        seen(area.top, fixed[0], row),
        seen(area.left, fixed[1], column),
        seen(area.bottom, fixed[2], row),
        seen(area.right, fixed[3], column),
        fixed,
        area.is_cell,
    )


def parse(formula: str, row: int = 0, column: int = 0) -> Node:
    """The tree of a formula without its `=`, at a cell; raises FormulaFault in words."""
    return parse_tokens(tokens_of(formula), row, column)


def parse_tokens(tokens: Sequence[Token], row: int, column: int) -> Node:
    """The tree of a formula cut into tokens."""
    return _Parser(tokens, row, column).parse()


class _Parser:
    def __init__(self, tokens: Sequence[Token], row: int, column: int) -> None:
        self.tokens = [token for token in tokens if token.kind != "space"]
        self.row, self.column = row, column
        self.place = 0
        self.depth = 0

    def parse(self) -> Node:
        if not self.tokens:
            raise FormulaFault("The formula is empty.")
        node = self._whole()
        if self.place < len(self.tokens):
            token = self.tokens[self.place]
            raise FormulaFault(f"'{token.text}' at character {token.start + 1} is not expected there.")
        return node

    def _kind(self) -> str:
        return self.tokens[self.place].kind if self.place < len(self.tokens) else "end"

    def _operator(self, among: Container[str]) -> str:
        """The operator that stands here, if it is one of these."""
        if self._kind() == "operator" and self.tokens[self.place].text in among:
            return self.tokens[self.place].text
        return ""

    def _whole(self) -> Node:
        """An expression as deep as brackets and arguments may nest."""
        self.depth += 1
        if self.depth > MOST_DEPTH:
            raise FormulaFault(f"It is nested more than {MOST_DEPTH} deep.", NUM)
        node = self._binary(0)
        self.depth -= 1
        return node

    def _binary(self, least: int) -> Node:
        """Operators that bind at least so tightly."""
        node = self._unary()
        while (operator := self._operator(BINDING)) and BINDING[operator] >= least:
            self.place += 1
            node = Binary(operator, node, self._binary(BINDING[operator] + 1))
        return node

    def _unary(self) -> Node:
        signs = []
        while operator := self._operator(("-", "+", "@")):
            self.place += 1
            signs.append(operator)
        if len(signs) > MOST_DEPTH:
            raise FormulaFault("It has too many signs in a row.", NUM)
        node = self._postfix()
        for sign in reversed(signs):
            node = node if sign == "+" else Unary(sign, node)
        return node

    def _postfix(self) -> Node:
        node = self._primary()
        count = 0
        while operator := self._operator(("%", "#")):
            self.place += 1
            count += 1
            if operator == "%" and count <= MOST_DEPTH:
                node = Unary("%", node)
            elif operator == "#" and isinstance(node, Reference) and node.is_cell:
                node = Spilled(node)
            elif operator == "#" and isinstance(node, NamedReference):
                node = SheetCall("ANCHORARRAY", (node,))
            else:
                raise FormulaFault(f"'{operator}' doesn't fit here; # follows the cell that a formula spills from.")
        return node

    def _primary(self) -> Node:
        if self.place >= len(self.tokens):
            raise FormulaFault("Something is missing at the end.")
        token = self.tokens[self.place]
        self.place += 1
        match token.kind:
            case "number":
                return Constant(_number(token.text))
            case "text":
                return Constant(token.text[1:-1].replace('""', '"'))
            case "error":
                return Constant(SheetError(token.text, "The formula holds this error."))
            case "area":
                return _reference(token.text, self.row, self.column)
            case "name":
                return self._name(token)
            case "call":
                return self._call(token)
            case "open":
                node = self._whole()
                self._close(token)
                return node
            case "open array":
                return self._array(token)
        raise FormulaFault(f"'{token.text}' at character {token.start + 1} is not expected there.")

    def _name(self, token: Token) -> Node:
        name = plain_name(split_sheet(token.text)[1])
        if name in ("TRUE", "FALSE"):
            return Constant(name == "TRUE")
        return NamedReference(name)

    def _close(self, opened: Token) -> None:
        if self._kind() != "close":
            raise FormulaFault(f"A bracket opened at character {opened.start + 1} is not closed.")
        self.place += 1

    def _call(self, token: Token) -> Node:
        name = plain_name(token.text)
        arguments: list[Node] = []
        if self._kind() == "close":
            self.place += 1
            return SheetCall(name, ())
        while True:
            arguments.append(MISSING if self._kind() in ("comma", "close") else self._whole())
            if len(arguments) > MOST_ARGUMENTS:
                raise FormulaFault(f"{name} has more than {MOST_ARGUMENTS} arguments.", VALUE)
            if self._kind() != "comma":
                break
            self.place += 1
        self._close(token)
        if name == "ANCHORARRAY" and isinstance(arguments[0], Reference) and arguments[0].is_cell:
            return Spilled(arguments[0])
        if name == "SINGLE" and len(arguments) == 1:
            return Unary("@", arguments[0])
        return SheetCall(name, tuple(arguments))

    def _array(self, opened: Token) -> Node:
        rows: list[list[Scalar]] = [[]]
        while True:
            rows[-1].append(self._constant())
            kind = self._kind()
            self.place += 1
            if kind == "close array":
                break
            if kind == "semicolon":
                rows.append([])
            elif kind != "comma":
                raise FormulaFault(f"A brace opened at character {opened.start + 1} is not closed.")
        if len({len(row) for row in rows}) > 1:
            raise FormulaFault("The rows in braces are of different lengths.", VALUE)
        return ListedValues(tuple(tuple(row) for row in rows))

    def _constant(self) -> Scalar:
        negative = bool(self._operator(("-",)))
        self.place += negative
        node = self._primary()
        if not isinstance(node, Constant) or (negative and not isinstance(node.value, Decimal)):
            raise FormulaFault("Only constants stand in braces.", VALUE)
        return -node.value if negative and isinstance(node.value, Decimal) else node.value


def _number(text: str) -> Decimal:
    if len(text) > 330:
        raise FormulaFault("A number has too many digits.", NUM)
    found = Decimal(text)
    if found and found.adjusted() > 307:
        raise FormulaFault("A number is too large.", NUM)
    return EXACT.plus(found) if found.adjusted() >= -323 else Decimal(0)
