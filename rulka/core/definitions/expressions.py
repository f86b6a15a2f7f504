"""Calculations of a statement: text such as `"Fare income" - Fuel` to a tree, and its value."""

from __future__ import annotations

import operator
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property, lru_cache

from rulka.core.errors import RulkaError
from rulka.core.money import round_half_away

TOKEN = re.compile(
    r'\s*(?:(?P<number>[0-9]+(?:\.[0-9]+)?)|(?P<name>[^\W\d]\w*)|"(?P<quoted>(?:[^"]|"")+)"|(?P<sign><=|>=|<>|[-+*/(),<>=]))'
)
NESTING = 50


class FormulaError(RulkaError):
    """A formula that cannot be read; points at the character."""

    code = "formula"

    def __init__(self, text: str, position: int, expected: str) -> None:
        found = f"'{text[position]}'" if position < len(text) else "the end"
        super().__init__(
            f"At character {position + 1} of the formula: expected {expected}, found {found}.", hint=f"It reads: {text}"
        )


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


@dataclass(frozen=True)
class Range:
    """All lines from one to another, both included, as an argument of a function."""

    first: Name
    last: Name


@dataclass(frozen=True)
class Call:
    """A function with its arguments; see FUNCTIONS."""

    name: str
    arguments: tuple[Tree, ...]


Tree = Number | Name | Operation | Range | Call

FUNCTIONS = {
    "SUM": (1, None),
    "IF": (3, 3),
    "AND": (1, None),
    "OR": (1, None),
    "NOT": (1, 1),
    "ABS": (1, 1),
    "MIN": (1, None),
    "MAX": (1, None),
    "ROUND": (1, 2),
    "AVERAGE": (1, None),
}
"""Fewest and most arguments of each function; None is any number."""

TAKES_RANGES = ("SUM", "MIN", "MAX", "AVERAGE", "AND", "OR")
COMPARISONS = ("=", "<>", "<", ">", "<=", ">=")


class _Parser:
    def __init__(self, text: str) -> None:
        self.text = text
        self.place = 0
        self.depth = 0

    def parse(self) -> Tree:
        tree = self._comparison()
        if self._peek() is not None or self.text[self.place :].strip():
            raise FormulaError(self.text, self._start(), "an operator (+ - * / = <> < > <= >=)")
        return tree

    def _comparison(self) -> Tree:
        tree = self._sum()
        if sign := self._sign(COMPARISONS):
            return Operation(sign, tree, self._sum())
        return tree

    def _start(self) -> int:
        return self.place + len(self.text[self.place :]) - len(self.text[self.place :].lstrip())

    def _peek(self) -> re.Match[str] | None:
        return TOKEN.match(self.text, self.place)

    def _sign(self, signs: str | tuple[str, ...]) -> str:
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
            tree = self._comparison()
            if not self._sign(")"):
                raise FormulaError(self.text, self._start(), "a closing bracket")
            return tree
        match = self._peek()
        if match is None or match["sign"]:
            raise FormulaError(self.text, self._start(), "a line's name or a number")
        start, self.place = self._start(), match.end()
        if match["number"]:
            return Number(Fraction(match["number"]))
        if match["name"] and match["name"].upper() in FUNCTIONS and self._sign("("):
            return self._call(match["name"].upper(), start)
        return Name(match["name"] or match["quoted"].replace('""', '"'), start, self.place)

    def _call(self, name: str, start: int) -> Tree:
        arguments: list[Tree] = [self._argument(name)]
        while self._sign(","):
            arguments.append(self._argument(name))
        if not self._sign(")"):
            raise FormulaError(self.text, self._start(), "a comma or a closing bracket")
        fewest, most = FUNCTIONS[name]
        if len(arguments) < fewest or (most is not None and len(arguments) > most):
            count = f"{fewest}" if most == fewest else f"{fewest} to {most}" if most else f"at least {fewest}"
            raise FormulaError(self.text, start, f"{count} argument{'' if count == '1' else 's'} for {name}")
        return Call(name, tuple(arguments))

    def _argument(self, name: str) -> Tree:
        start = self._start()
        tree = self._comparison()
        match = self._peek()
        if match and match["name"] and match["name"].lower() == "to" and isinstance(tree, Name):
            self.place = match.end()
            last = self._factor()
            if not isinstance(last, Name):
                raise FormulaError(self.text, start, "a line's name at both ends of a range")
            if name not in TAKES_RANGES:
                raise FormulaError(self.text, start, f"single values for {name}, not a range")
            return Range(tree, last)
        return tree


@lru_cache(maxsize=4096)
def parse_formula(text: str) -> Tree:
    """Read a formula; raises FormulaError that points at the character."""
    return _Parser(text).parse()


@dataclass(frozen=True)
class Formula:
    """A calculation as it was written, and what it means."""

    written: str
    tree: Tree

    @cached_property
    def names(self) -> tuple[str, ...]:
        """The lines or columns it refers to, each once; a range by its ends."""
        return tuple(dict.fromkeys(name.text for name in names_in(self.tree)))

    @cached_property
    def operators(self) -> frozenset[str]:
        """Its operators and functions, a sum by function as its plus."""
        return frozenset(operators_in(self.tree))


def read_formula(text: str) -> Formula:
    """A calculation from its text; raises FormulaError that points at the character."""
    return Formula(text, parse_formula(text))


def parts_in(tree: Tree) -> Iterator[Tree]:
    """A formula and every part of it, in the order written; a range is one part."""
    yield tree
    inner: tuple[Tree, ...] = (
        (tree.left, tree.right) if isinstance(tree, Operation) else tree.arguments if isinstance(tree, Call) else ()
    )
    for part in inner:
        yield from parts_in(part)


def names_in(tree: Tree) -> Iterator[Name]:
    """The lines a formula refers to, in the order written; a range by its ends."""
    for part in parts_in(tree):
        if isinstance(part, Name):
            yield part
        elif isinstance(part, Range):
            yield from (part.first, part.last)


def operators_in(tree: Tree) -> Iterator[str]:
    """Every operator and function of a formula, a sum by function as its plus."""
    for part in parts_in(tree):
        if isinstance(part, Operation):
            yield part.sign
        elif isinstance(part, Call):
            yield "+" if part.name == "SUM" else part.name


Value = Fraction | None
Lookup = Callable[[str], Value]
Between = Callable[[str, str], Sequence[Value]]


def no_ranges(first: str, last: str) -> Sequence[Value]:
    """For formulas over things that have no order."""
    raise RulkaError(
        f"A range from {first} to {last} has no meaning here.", hint="Name them one by one.", code="formula"
    )


def evaluate(tree: Tree, value_of: Lookup, between: Between = no_ranges) -> Value:
    """The value in major units; None (n/m) when a part has none or something is divided by zero.

    A comparison is 1 or 0. IF looks only at the branch it takes.
    """
    if isinstance(tree, Number):
        return tree.value
    if isinstance(tree, Name):
        return value_of(tree.text)
    if isinstance(tree, Call):
        return _call(tree, value_of, between)
    if isinstance(tree, Range):
        raise AssertionError(tree)  # only ever an argument, see _values
    left, right = evaluate(tree.left, value_of, between), evaluate(tree.right, value_of, between)
    if left is None or right is None:
        return None
    if tree.sign == "+":
        return left + right
    if tree.sign == "-":
        return left - right
    if tree.sign == "*":
        return left * right
    if tree.sign == "/":
        return left / right if right else None
    return Fraction(COMPARE[tree.sign](left, right))


COMPARE: dict[str, Callable[[Fraction, Fraction], bool]] = {
    "=": operator.eq,
    "<>": operator.ne,
    "<": operator.lt,
    ">": operator.gt,
    "<=": operator.le,
    ">=": operator.ge,
}


def _call(tree: Call, value_of: Lookup, between: Between) -> Value:
    if tree.name == "IF":
        condition = evaluate(tree.arguments[0], value_of, between)
        return None if condition is None else evaluate(tree.arguments[1 if condition else 2], value_of, between)
    values: list[Fraction] = []
    for argument in tree.arguments:
        for value in (
            between(argument.first.text, argument.last.text)
            if isinstance(argument, Range)
            else (evaluate(argument, value_of, between),)
        ):
            if value is None:
                return None
            values.append(value)
    if tree.name == "ROUND":
        digits = int(values[1]) if len(values) > 1 else 0
        if digits < 0:
            step = Fraction(10**-digits)
            return round_half_away(values[0] / step, 0) * step
        return Fraction(round_half_away(values[0], min(digits, 12)), 10 ** min(digits, 12))
    return CALLED[tree.name](values)


CALLED: dict[str, Callable[[list[Fraction]], Fraction | None]] = {
    "SUM": lambda values: sum(values, Fraction(0)),
    "ABS": lambda values: abs(values[0]),
    "MIN": lambda values: min(values, default=None),
    "MAX": lambda values: max(values, default=None),
    "AND": lambda values: Fraction(all(values)),
    "OR": lambda values: Fraction(any(values)),
    "NOT": lambda values: Fraction(not values[0]),
    "AVERAGE": lambda values: sum(values, Fraction(0)) / Fraction(len(values)) if values else None,
}


def unit_of(tree: Tree, unit_of_line: Callable[[str], str]) -> str:
    """What a formula's value is: money, quantity, plain (a bare number), ratio or rate (money per something)."""
    if isinstance(tree, Number):
        return "plain"
    if isinstance(tree, Name):
        return unit_of_line(tree.text)
    if isinstance(tree, Range):
        return unit_of_line(tree.first.text)
    if isinstance(tree, Call):
        if tree.name in ("AND", "OR", "NOT"):
            return "plain"
        units = [unit_of(argument, unit_of_line) for argument in tree.arguments[1 if tree.name == "IF" else 0 :]]
        if tree.name == "ROUND":
            return units[0]
        return next((unit for unit in units if unit != "plain"), "plain")
    if tree.sign in COMPARISONS:
        return "plain"
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
    if isinstance(tree, Call) and tree.name == "SUM":
        found = {direction_of(argument, direction_of_line) for argument in tree.arguments}
        return found.pop() if len(found) == 1 else 0
    if isinstance(tree, Range):
        first, last = direction_of_line(tree.first.text), direction_of_line(tree.last.text)
        return first if first == last else 0
    if isinstance(tree, Operation) and tree.sign in "+-":
        right = direction_of(tree.right, direction_of_line) * (1 if tree.sign == "+" else -1)
        if tree.left == Number(Fraction(0)):
            return right
        left = direction_of(tree.left, direction_of_line)
        return left if left == right else 0
    return 0


def quoted_name(label: str) -> str:
    """Write a label as a formula names it: plain when it is one word, otherwise in double quotes."""
    plain = re.fullmatch(r"[^\W\d]\w*", label) and label.lower() != "to"
    return label if plain else '"' + label.replace('"', '""') + '"'


def renamed(text: str, old: str, new: str) -> str:
    """The formula with every reference to `old` written as `new`."""
    for name in sorted(names_in(parse_formula(text)), key=lambda found: -found.start):
        if name.text.casefold() == old.casefold():
            text = text[: name.start] + quoted_name(new) + text[name.end :]
    return text
