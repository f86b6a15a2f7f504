"""Leaves to the values of every line in every column: present, total, calculate, compare, judge."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from fractions import Fraction
from functools import lru_cache, partial

from rulka.core.books.frame import QUANTITIES
from rulka.core.compute import comparing
from rulka.core.compute.columns import Column
from rulka.core.compute.detail_rows import DetailRow, detail_rows
from rulka.core.compute.figures import Figures, shows, summed, total
from rulka.core.compute.judging import JudgedCheck
from rulka.core.compute.leaves import Leaf
from rulka.core.compute.readings import Readings
from rulka.core.compute.summing import Sums
from rulka.core.definitions.expressions import (
    COMPARISONS,
    Number,
    Operation,
    Tree,
    Value,
    evaluate,
    unit_of,
)
from rulka.core.definitions.naming import tree_of
from rulka.core.definitions.spines import LineDef
from rulka.core.errors import RulkaError
from rulka.core.money import QUANTITY_DIGITS


@lru_cache(maxsize=8192)
def _presented(
    amounts: tuple[int, ...], scales: tuple[tuple[int, bool], ...], signs: tuple[int, ...]
) -> tuple[tuple[Value, ...], tuple[int | None, ...]]:
    """By column the value in major units, and signed minor units where nothing is divided; most lines of a statement
    that is edited are as they were."""
    values: list[Value] = []
    minor: list[int | None] = []
    for amount, (scale, is_whole), sign in zip(amounts, scales, signs, strict=True):
        values.append(Fraction(amount * sign, scale) if scale else None)
        minor.append(amount * sign if scale and is_whole else None)
    return tuple(values), tuple(minor)


class Cells:
    """The values of every line in every column: leaves first, then what is made of them, column by column."""

    def __init__(self, readings: Readings) -> None:
        self.readings, self.plan = readings, readings.plan
        self.columns, self.names = self.plan.columns, self.plan.names
        self.spine = self.plan.statement.spine
        self.lines = self.names.lines
        self.comparer = comparing.Comparer(self.columns)
        self.values: dict[str, list[Value]] = {}
        self.booked: dict[str, list[bool]] = {}
        self.details: dict[str, list[DetailRow]] = {}
        self.leaf_of: dict[str, Leaf] = dict(self.plan.leaves.by_key)
        self.minor: dict[str, list[int | None]] = {}
        self.scales: dict[tuple[Hashable, bool], tuple[tuple[int, bool], ...]] = {}
        self.units: dict[str, str] = {}
        self.path: list[str] = []
        self.sealed: dict[str, set[int]] = {}
        self._met_sealed = False
        self.share_lines = {
            place: self.names.find(column.asked.line).key
            for place, column in enumerate(self.columns)
            if column.kind == "share"
        }

    def figures(self) -> Figures:
        """All that was calculated."""
        sealed = {key: frozenset(places) for key, places in self.sealed.items()}
        return Figures(
            self.plan, self.readings, self.comparer, self.values, self.booked, self.units, self.details, sealed
        )

    # sealed ---------------------------------------------------------------------------------------------------------

    def _at(self, key: str, place: int) -> Value:
        """A value that another one is made of; remembered where it is sealed."""
        if place in self.sealed.get(key, ()):
            self._met_sealed = True
        return self.values[key][place]

    def _made(self, key: str, place: int, make: Callable[[], Value]) -> Value:
        """A value made of others: none, and sealed, where one of them is."""
        before, self._met_sealed = self._met_sealed, False
        value = make()
        if self._met_sealed:
            self._seal(key, place)
            value = None
        self._met_sealed = before
        return value

    def _seal(self, key: str, place: int) -> None:
        self.sealed.setdefault(key, set()).add(place)

    # present --------------------------------------------------------------------------------------------------------

    def present(self, sums: Sums) -> None:
        """Leaves in presented sign and major units."""
        works_on_others = any(column.of for column in self.columns)
        for at, leaf in enumerate(self.plan.leaves.walk()):
            self._present_leaf(leaf, sums.amounts[at].tolist())
            hidden = self.sealed.get(leaf.key, ())
            self.booked[leaf.key] = [
                booked or place in hidden for place, booked in enumerate((sums.booked[at] > 0).tolist())
            ]
            if leaf.detail:
                self._details(leaf)
            if works_on_others:
                self.compare_leaf(leaf.key, leaf)

    def _present_leaf(self, leaf: Leaf, amounts: list[int]) -> None:
        """One leaf: signed minor units where nothing is divided, and the value in major units."""
        may_seal = self.plan.view.seal is not None
        if not may_seal and not leaf.line.columns:
            told = _presented(tuple(amounts), self._scales(leaf), self.readings.signs(leaf))
            self.values[leaf.key], self.minor[leaf.key] = list(told[0]), list(told[1])
            return
        values: list[Value] = []
        minor: list[int | None] = []
        for place, (amount, (scale, is_whole), sign) in enumerate(
            zip(amounts, self._scales(leaf), self.readings.signs(leaf), strict=True)
        ):
            if may_seal and scale:
                column = self.columns[place]
                if shows(leaf.line, column) and self.readings.is_sealed(leaf, column):
                    self._seal(leaf.key, place)
                    scale = 0
            if not scale or (leaf.line.columns and not shows(leaf.line, self.columns[place])):
                values.append(None)
                minor.append(None)
                continue
            values.append(Fraction(amount * sign, scale))
            minor.append(amount * sign if is_whole else None)
        self.values[leaf.key], self.minor[leaf.key] = values, minor

    def _scales(self, leaf: Leaf) -> tuple[tuple[int, bool], ...]:
        """By column: what a leaf's amount is divided by (0 where nothing can be read), and whether that is the minor
        unit alone."""
        name = (leaf.group, leaf.is_quantity)
        if name not in self.scales:
            found = []
            for column in self.columns:
                vector = self.readings.vector(leaf, column) if column.has_figures else None
                if vector is None:
                    found.append((0, False))
                    continue
                found.append((vector.divisor * 10 ** self.readings.digits(leaf, column), vector.divisor == 1))
            self.scales[name] = tuple(found)
        return self.scales[name]

    def _details(self, leaf: Leaf) -> None:
        self.details[leaf.key] = found = detail_rows(self.readings, leaf, self.columns)
        for row in found:
            self.values[row.key] = [
                None if amount is None else self._presented(leaf, column, amount)
                for amount, column in zip(row.amounts, self.columns, strict=True)
            ]
            self.booked[row.key] = row.booked
            for place in row.withheld:
                self._seal(row.key, place)
            self.leaf_of[row.key] = leaf
            self.compare_leaf(row.key, leaf)

    def _presented(self, leaf: Leaf, column: Column, amount: int) -> Value:
        vector = self.readings.vector(leaf, column) if column.has_figures else None
        if vector is None:
            return None
        divisor = vector.divisor * 10 ** self.readings.digits(leaf, column)
        return Fraction(amount * self.readings.sign(leaf, column), divisor)

    def compare_leaf(self, key: str, leaf: Leaf) -> None:
        """Columns that work on others, for one leaf; shares wait until all lines are known."""
        values = self.values[key]
        for place, column in enumerate(self.columns):
            if column.kind in ("figures", "text", "share") or not shows(leaf.line, column):
                continue
            sign = self.readings.line_sign(leaf, column)
            values[place] = self._made(key, place, partial(self._comparison, key, column, sign))

    def _comparison(self, key: str, column: Column, sign: int = 1) -> Value:
        return self.comparer.value(column, partial(self._at, key), sign)

    # total, calculate -----------------------------------------------------------------------------------------------

    def calculate(self) -> None:
        """Totals and calculations in the columns that show or aggregate figures, then the comparisons of their
        results."""
        walk = [line for line in self.spine.walk() if line.kind in ("section", "line", "calculation")]
        for line in walk:
            self.values.setdefault(line.key, [None] * len(self.columns))
            self.units[line.key] = ""
        for line in walk:
            self._unit(line)
        made = [line for line in walk if line.kind != "line" or line.expand]
        for place, column in enumerate(self.columns):
            if column.kind == "text":
                continue
            if self.comparer.is_base[place]:
                done: set[str] = set()
                for line in made:
                    self._value(line, place, done)
                continue
            for line in walk:
                if line.kind != "line" or line.expand:
                    self.values[line.key][place] = self._compared(line, place, column)
            if column.kind == "share":
                self._share(place, column)

    def _compared(self, line: LineDef, place: int, column: Column) -> Value:
        if not shows(line, column) or column.kind == "share":
            return None
        if column.kind == "check" and self.units[line.key] not in ("money", "quantity"):
            return None  # a ratio in one column is not the sum of those in others
        return self._made(line.key, place, partial(self._comparison, line.key, column))

    def _share(self, place: int, column: Column) -> None:
        whole = self.share_lines[place]
        for key, values in self.values.items():
            line = self.lines.get(key) or self.leaf_of[key].line
            if shows(line, column):
                share = partial(self.comparer.share, column, partial(self._at, key), partial(self._at, whole))
                values[place] = self._made(key, place, share)

    def _unit(self, line: LineDef) -> str:
        """money, quantity, ratio, rate or plain; a circle is told when values are computed."""
        if self.units[line.key]:
            return self.units[line.key]
        self.units[line.key] = "money"
        if line.kind == "line":
            leaves = self.plan.leaves.by_line[line.key]
            own = line.override.measure in QUANTITIES
            self.units[line.key] = (
                "quantity" if own or (leaves and all(leaf.is_quantity for leaf in leaves)) else "money"
            )
        elif line.kind == "section":
            inner = [self._unit(part) for part in summed(line)]
            self.units[line.key] = inner[0] if inner and "money" not in inner else "money"
        else:
            self.units[line.key] = unit_of(tree_of(line), lambda name: self._unit(self.names.find(name)))
        return self.units[line.key]

    def _value(self, line: LineDef, place: int, done: set[str]) -> Value:
        if line.key in done or (line.kind == "line" and not line.expand):  # a plain line is as it was presented
            return self._at(line.key, place)
        if line.key in self.path:
            labels = [self.lines[key].label for key in [*self.path[self.path.index(line.key) :], line.key]]
            raise RulkaError(
                f"Calculations go in a circle: {' > '.join(labels)}.",
                hint="Change one of these formulas.",
                subject=f"line {line.label}",
                code="circular",
            )
        self.path.append(line.key)
        compute: Callable[[LineDef, int, set[str]], Value] = {
            "line": self._of_leaves,
            "section": self._section,
            "calculation": self._calculation,
        }[line.kind]
        shown = shows(line, self.columns[place])
        value = self._made(line.key, place, partial(compute, line, place, done)) if shown else None
        self.values[line.key][place] = value
        self.path.pop()
        done.add(line.key)
        return self._at(line.key, place)

    def _of_leaves(self, line: LineDef, place: int, done: set[str]) -> Value:
        leaves = self.plan.leaves.by_line[line.key]
        quantity = self.units[line.key] == "quantity"
        if not line.expand:
            return self._at(line.key, place)
        shown = [
            self._at(leaf.key, place) for leaf in leaves if leaf.is_quantity == quantity or self._is_quantity(place)
        ]
        return total(shown, self.columns[place])

    def _is_quantity(self, place: int) -> bool:
        return self.columns[place].shows_quantities

    def _section(self, line: LineDef, place: int, done: set[str]) -> Value:
        """Account lines and inner sections add up; calculations don't, money never adds to quantities, and a line that
        is limited to other columns counts as nothing."""
        column, unit = self.columns[place], self.units[line.key]
        parts = [part for part in summed(line) if shows(part, column)]
        chosen = [part for part in parts if self.units[part.key] == unit or self._is_quantity(place)]
        values = [self._value(part, place, done) for part in chosen]
        minor = [self.minor[part.key][place] if part.key in self.minor else None for part in chosen]
        if None in minor or not chosen or column.kind != "figures" or self._is_quantity(place):
            return total(values, self.columns[place])
        added = sum(
            amount for amount in minor if amount is not None
        )  # whole minor units: added as integers, divided once
        self.minor.setdefault(line.key, [None] * len(self.columns))[place] = added
        return Fraction(added, 10 ** (QUANTITY_DIGITS if unit == "quantity" else self.plan.node_of(column).digits))

    def _calculation(self, line: LineDef, place: int, done: set[str]) -> Value:
        if self.columns[place].is_empty:
            return None
        return self._evaluated(tree_of(line), place, done)

    def _evaluated(self, tree: Tree, place: int, done: set[str] | None = None) -> Value:
        def of(line: LineDef) -> Value:
            return self._at(line.key, place) if done is None else self._value(line, place, done)

        return evaluate(
            tree,
            lambda name: of(self.names.find(name)),
            lambda first, last: [of(line) for line in self.names.between(first, last)],
        )

    # check ----------------------------------------------------------------------------------------------------------

    def judge(self) -> list[JudgedCheck]:
        """Every check, by the columns it is limited to, else by all that show or aggregate figures."""
        return [self._judged(line) for line in self.spine.walk() if line.kind == "check"]

    def _judged(self, line: LineDef) -> JudgedCheck:
        apart: list[tuple[Column, Fraction]] = []
        judged = 0
        values: list[Value] = [None] * len(self.columns)
        for place, column in enumerate(self.columns):
            if not self.comparer.is_base[place] or column.is_empty or not shows(line, column):
                continue
            values[place] = difference = self._made(line.key, place, partial(self._difference, line, place))
            if difference is not None:
                judged += 1
                if abs(difference) > line.tolerance:
                    apart.append((column, difference))
        self.values[line.key], self.units[line.key] = values, "money"
        return JudgedCheck(line, tuple(apart), judged)

    def _difference(self, line: LineDef, place: int) -> Value:
        """How far a check is from holding: 0 where it does."""
        if line.agree:
            first, *others = [self._at(self.names.find(label).key, place) for label in line.agree]
            gaps = [first - other for other in others if first is not None and other is not None]
            return max(gaps, key=abs, default=None)
        tree = tree_of(line)
        if isinstance(tree, Operation) and tree.sign in COMPARISONS:
            left, right = self._evaluated(tree.left, place), self._evaluated(tree.right, place)
            if left is None or right is None:
                return None
            holds = evaluate(Operation(tree.sign, Number(left), Number(right)), lambda name: None)
            return Fraction(0) if holds else (left - right) or Fraction(1)
        value = self._evaluated(tree, place)
        return None if value is None else Fraction(0 if value else 1)
