"""Calculations of a statement: text such as `"Fare income" - Fuel` to a tree, and its value."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

from rulka.core.errors import RulkaError

TOKEN = re.compile(r'\s*(?:(?P<number>[0-9]+(?:\.[0-9]+)?)|(?P<name>[^\W\d]\w*)|"(?P<quoted>(?:[^"]|"")+)"|(?P<sign>[-+*/()]))')
NESTING = 50


class FormulaError(RulkaError):
    """A formula that cannot be read; points at the character."""

    code = "formula"

    def __init__(self, text: str, position: int, expected: str) -> None:
        found = f"'{text[position]}'" if position < len(text) else "the end"
        super().__init__(f"At character {position + 1} of the formula: expected {expected}, found {found}.", hint=f"It reads: {text}")


@dataclass(frozen=True)
class Number:
    value: Fraction


@dataclass(frozen=True)
class Name:
    """Another line, by its label as the reader sees it; `start` and `end` bound it in the text."""

    text: str
    start: int
    end: int


@dataclass(frozen=True)
class Operation:
    sign: str
    left: Tree
    right: Tree


Tree = Number | Name | Operation


class _Parser:
    def __init__(self, text: str) -> None:
        self.text = text
        self.place = 0
        self.depth = 0

    def parse(self) -> Tree:
        tree = self._sum()
        if self._peek() is not None or self.text[self.place :].strip():
            raise FormulaError(self.text, self._start(), "an operator (+ - * /)")
        return tree

    def _start(self) -> int:
        return self.place + len(self.text[self.place :]) - len(self.text[self.place :].lstrip())

    def _peek(self) -> re.Match[str] | None:
        return TOKEN.match(self.text, self.place)

    def _sign(self, signs: str) -> str:
        match = self._peek()
        if match and match["sign"] and match["sign"] in signs:
            self.place = match.end()
            return match["sign"]
        return ""

    def _sum(self) -> Tree:
        tree = self._product()
        while sign := self._sign("+-"):
            tree = Operation(sign, tree, self._product())
        return tree

    def _product(self) -> Tree:
        tree = self._factor()
        while sign := self._sign("*/"):
            tree = Operation(sign, tree, self._factor())
        return tree

    def _factor(self) -> Tree:
        self.depth += 1
        if self.depth > NESTING:
            raise FormulaError(self.text, self._start(), f"at most {NESTING} levels of brackets and signs")
        try:
            return self._atom()
        finally:
            self.depth -= 1

    def _atom(self) -> Tree:
        if self._sign("-"):
            return Operation("-", Number(Fraction(0)), self._factor())
        if self._sign("("):
            tree = self._sum()
            if not self._sign(")"):
                raise FormulaError(self.text, self._start(), "a closing bracket")
            return tree
        match = self._peek()
        if match is None or match["sign"]:
            raise FormulaError(self.text, self._start(), "a line's name or a number")
        start, self.place = self._start(), match.end()
        if match["number"]:
            return Number(Fraction(match["number"]))
        return Name(match["name"] or match["quoted"].replace('""', '"'), start, self.place)


@lru_cache(maxsize=4096)
def parse_formula(text: str) -> Tree:
    """Read a formula; raises FormulaError that points at the character."""
    return _Parser(text).parse()


def names_in(tree: Tree) -> Iterator[Name]:
    """The lines a formula refers to, in the order written."""
    if isinstance(tree, Name):
        yield tree
    elif isinstance(tree, Operation):
        yield from names_in(tree.left)
        yield from names_in(tree.right)


def evaluate(tree: Tree, value_of: Callable[[str], Fraction | None]) -> Fraction | None:
    """The value in major units; None (n/m) when a part has none or something is divided by zero."""
    if isinstance(tree, Number):
        return tree.value
    if isinstance(tree, Name):
        return value_of(tree.text)
    left, right = evaluate(tree.left, value_of), evaluate(tree.right, value_of)
    if left is None or right is None:
        return None
    if tree.sign == "+":
        return left + right
    if tree.sign == "-":
        return left - right
    if tree.sign == "*":
        return left * right
    return left / right if right else None


def unit_of(tree: Tree, unit_of_line: Callable[[str], str]) -> str:
    """What a formula's value is: money, quantity, plain (a bare number), ratio or rate (money per something)."""
    if isinstance(tree, Number):
        return "plain"
    if isinstance(tree, Name):
        return unit_of_line(tree.text)
    left, right = unit_of(tree.left, unit_of_line), unit_of(tree.right, unit_of_line)
    if tree.sign in "+-":
        if left == "plain" or left == right:
            return right
        return left if right == "plain" else "rate"
    if right == "plain":
        return left
    if tree.sign == "*":
        return right if left == "plain" else "rate"
    return "ratio" if left == right else "rate"


def direction_of(tree: Tree, direction_of_line: Callable[[str], int]) -> int:
    """Whether more of it is better (1), worse (-1), or can't be said (0); only sums and differences can."""
    if isinstance(tree, Name):
        return direction_of_line(tree.text)
    if isinstance(tree, Operation) and tree.sign in "+-":
        right = direction_of(tree.right, direction_of_line) * (1 if tree.sign == "+" else -1)
        if tree.left == Number(Fraction(0)):
            return right
        left = direction_of(tree.left, direction_of_line)
        return left if left == right else 0
    return 0


def quoted_name(label: str) -> str:
    """Write a label as a formula names it: plain when it is one word, otherwise in double quotes."""
    return label if re.fullmatch(r"[^\W\d]\w*", label) else '"' + label.replace('"', '""') + '"'


def renamed(text: str, old: str, new: str) -> str:
    """The formula with every reference to `old` written as `new`."""
    for name in sorted(names_in(parse_formula(text)), key=lambda found: -found.start):
        if name.text.casefold() == old.casefold():
            text = text[: name.start] + quoted_name(new) + text[name.end :]
    return text
