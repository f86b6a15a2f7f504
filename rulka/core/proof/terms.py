"""A figure as a sum: the lines of accounts in columns of figures that add up to it, each with a factor.

Totals, calculations and columns that only add and subtract are such sums, so that a difference or a total can be split
by account, period or any other direction at once. What divides, multiplies or compares figures is none.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction

from rulka.core.compute.columns import Column
from rulka.core.compute.comparing import Comparer
from rulka.core.compute.computed import Computed
from rulka.core.compute.figures import shows, summed
from rulka.core.compute.leaves import Leaf
from rulka.core.definitions.expressions import Call, Name, Number, Range, Tree
from rulka.core.definitions.naming import Names, tree_of
from rulka.core.definitions.spines import LineDef

Linear = tuple[Fraction, dict[str, Fraction]]
"""A constant, and by the key of a line or column how often it counts."""


@dataclass(frozen=True, eq=False)
class Term:
    """A line of accounts in a column of figures: `factor` times its presented figure counts in the whole.

    `side` says which of the two columns of a difference it belongs to, 0 where there are none. `is_closed` terms count,
    but nothing of their detail shows: their author closed it, or a seal did.
    """

    leaf: Leaf
    column: Column
    factor: Fraction
    side: int = 0
    is_closed: bool = False


Terms = tuple[Term, ...]


def terms_of(computed: Computed, row_key: str, column_key: str) -> Terms | None:
    """What a figure is the sum of; None where it is no sum of ledger figures, or has no value."""
    row, column = computed.row(row_key), computed.column(column_key)
    if not row.has_figures or row.values[computed.place(column.key)] is None:
        return None
    finder = _Terms(computed)
    if row.key in computed.leaves:
        return finder.of_leaf(computed.leaf(row.key), column)
    if row.kind not in ("total", "calculation"):
        return None
    return finder.of_line(computed.line(row.line), column)


def sides_of(computed: Computed, column_key: str) -> tuple[Column, Column] | None:
    """The two columns that a difference compares; None for columns of other kinds."""
    column = computed.column(column_key)
    if column.kind != "difference" or Comparer(computed.columns).is_gross(column):
        return None
    first, second = (computed.column(key) for key in column.of)
    return first, second


def lines_of(computed: Computed, row_key: str, column_key: str) -> list[tuple[LineDef, Fraction]] | None:
    """The lines of the statement that a total or calculation adds up in a column, each with its factor. None for
    others, for formulas that do more than that, and in columns whose figures don't add up, as percents."""
    row, column = computed.row(row_key), computed.column(column_key)
    if not _Terms(computed).adds_up(column):
        return None
    if row.kind == "total":
        return [(line, Fraction(1)) for line in _Terms(computed).summed(computed.line(row.line), column)]
    if row.kind != "calculation":
        return None
    linear = _linear(tree_of(computed.line(row.line)), computed.plan.names)
    if linear is None or linear[0]:
        return None
    return [(computed.plan.names.lines[key], factor) for key, factor in linear[1].items()]


class _Terms:
    def __init__(self, computed: Computed) -> None:
        self.computed, self.names = computed, computed.plan.names
        self.comparer = Comparer(computed.columns)

    def of_line(self, line: LineDef, column: Column) -> Terms | None:
        if not shows(line, column):
            return None
        if not self.comparer.is_base[self.computed.place(column.key)]:
            return self._of_columns(column, lambda part: self.of_line(line, part))
        if line.kind == "line":
            return self._of_leaves(line, column)
        if line.kind == "section":
            return self._section(line, column)
        return self._calculation(line, column)

    def of_leaf(self, leaf: Leaf, column: Column) -> Terms | None:
        if column.kind == "figures":
            vector = self.computed.readings.vector(leaf, column) if column.has_figures else None
            if vector is None or not shows(leaf.line, column):
                return None
            closed = leaf.line.is_closed or leaf.kind == "sealed"
            return (Term(leaf, column, Fraction(1), is_closed=closed),)
        sign = self.computed.readings.line_sign(leaf, column) if self.comparer.is_gross(column) else 1
        return self._of_columns(column, lambda part: self.of_leaf(leaf, part), sign)

    def _of_columns(self, column: Column, of: Callable[[Column], Terms | None], sign: int = 1) -> Terms | None:
        """A column that works on others, as a sum of these."""
        factors = self._columns(column)
        if column.is_mixed or factors is None:
            return None
        found: list[Term] = []
        for side, (key, factor) in enumerate(factors):
            part = self.computed.column(key)
            if part.is_empty and column.kind in ("sum", "check"):
                continue
            terms = of(part)
            if terms is None:
                return None
            apart = column.kind == "difference" and not self.comparer.is_gross(column)
            found += _times(terms, factor * sign, side if apart else None)
        return tuple(found)

    def adds_up(self, column: Column) -> bool:
        """Whether the figures of lines give that of their total: what a column works on is added up as well."""
        if self.comparer.is_base[self.computed.place(column.key)]:
            return True
        if column.kind != "share" and self._columns(column) is None:
            return False
        return all(self.adds_up(self.computed.column(key)) for key in column.of)

    def _columns(self, column: Column) -> list[tuple[str, Fraction]] | None:
        """The columns that a column adds up, each with its factor; None where it does something else."""
        one = Fraction(1)
        if column.kind == "difference":
            first, second = column.of
            negative = self.comparer.is_gross(column) and self.computed.column(second).asked.credits == "negative"
            return [(first, one), (second, one if negative else -one)]
        if column.kind == "sum":
            return [(key, one) for key in column.of]
        if column.kind == "check":
            return [*((key, one) for key in column.of[:-1]), (column.of[-1], -one)]
        if column.kind == "formula" and column.asked.formula is not None:
            linear = _linear(column.asked.formula.tree, None)
            if linear is None or linear[0]:
                return None
            by_name = dict(zip(column.asked.of, column.of, strict=True))
            return [(by_name[name], factor) for name, factor in linear[1].items()]
        return None

    def _of_leaves(self, line: LineDef, column: Column) -> Terms | None:
        leaves = self.computed.plan.leaves.by_line[line.key]
        if line.expand and not column.shows_quantities:
            quantity = self.computed.units[line.key] == "quantity"
            leaves = tuple(leaf for leaf in leaves if leaf.is_quantity == quantity)
        return self._all(self.of_leaf(leaf, column) for leaf in leaves)

    def _section(self, line: LineDef, column: Column) -> Terms | None:
        return self._all(self.of_line(part, column) for part in self.summed(line, column))

    def summed(self, line: LineDef, column: Column) -> list[LineDef]:
        """The lines that a section adds up in a column."""
        units = self.computed.units
        return [
            part
            for part in summed(line)
            if shows(part, column) and (units[part.key] == units[line.key] or column.shows_quantities)
        ]

    def _calculation(self, line: LineDef, column: Column) -> Terms | None:
        linear = _linear(tree_of(line), self.names)
        if linear is None or linear[0]:
            return None
        found: list[Term] = []
        for key, factor in linear[1].items():
            terms = self.of_line(self.names.lines[key], column)
            if terms is None:
                return None
            found += _times(terms, factor)
        return tuple(found)

    @staticmethod
    def _all(parts: Iterable[Terms | None]) -> Terms | None:
        found: list[Term] = []
        for terms in parts:
            if terms is None:
                return None
            found += terms
        return tuple(found)


def _times(terms: Sequence[Term], factor: Fraction, side: int | None = None) -> list[Term]:
    return [
        Term(term.leaf, term.column, term.factor * factor, term.side if side is None else side, term.is_closed)
        for term in terms
    ]


def _linear(tree: Tree, names: Names | None) -> Linear | None:
    """A formula as a sum of multiples of what it names, by key of a line where `names` finds them, else as written;
    None where it is none."""
    if isinstance(tree, Number):
        return tree.value, {}
    if isinstance(tree, Name):
        return Fraction(0), {names.find(tree.text).key if names else tree.text: Fraction(1)}
    if isinstance(tree, Range):
        return None
    if isinstance(tree, Call):
        return _added(tree, names) if tree.name == "SUM" else None
    left, right = _linear(tree.left, names), _linear(tree.right, names)
    if left is None or right is None:
        return None
    if tree.sign in ("+", "-"):
        return _plus(left, right, 1 if tree.sign == "+" else -1)
    if tree.sign == "*" and not (left[1] and right[1]):
        number, other = (left[0], right) if not left[1] else (right[0], left)
        return other[0] * number, {key: factor * number for key, factor in other[1].items()}
    if tree.sign == "/" and not right[1] and right[0]:
        return left[0] / right[0], {key: factor / right[0] for key, factor in left[1].items()}
    return None


def _added(tree: Call, names: Names | None) -> Linear | None:
    found: Linear = Fraction(0), {}
    for argument in tree.arguments:
        if isinstance(argument, Range):
            if names is None:
                return None
            between = names.between(argument.first.text, argument.last.text)
            part: Linear | None = Fraction(0), {line.key: Fraction(1) for line in between}
        else:
            part = _linear(argument, names)
        if part is None:
            return None
        found = _plus(found, part, 1)
    return found


def _plus(left: Linear, right: Linear, sign: int) -> Linear:
    found = dict(left[1])
    for key, factor in right[1].items():
        found[key] = found.get(key, Fraction(0)) + sign * factor
    return left[0] + sign * right[0], found
