"""Spine x span x node to figures: select, sum, present, total, calculate, compare, suppress, round, in this order."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any

import numpy as np

from rulka.core import comparing, elimination, rounding
from rulka.core.amounts import Vector, classes_of, read_vector, sums
from rulka.core.book import Balances, View
from rulka.core.calendar import Period
from rulka.core.chart import BoolArray, IntArray
from rulka.core.columns import Column, Reading, build_columns, reading_of
from rulka.core.definitions import StatementDef
from rulka.core.detail_rows import DetailRow, detail_rows
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.expressions import COMPARISONS, Number, Operation, Tree, Value, direction_of, evaluate, names_in, parse_formula, unit_of
from rulka.core.leaves import Leaf, Planned, direction_of_leaf, plan, sign_of
from rulka.core.looks import PLAIN, Look, NumberStyle
from rulka.core.money import QUANTITY_DIGITS
from rulka.core.naming import Names, check_names
from rulka.core.nodes import Node, find_node
from rulka.core.spines import LineDef, Override

Values = tuple[Value, ...]
GROSS = ("debits", "credits")
FIGURELESS = ("section", "heading", "text", "spacer", "page break")


@dataclass(frozen=True)
class Row:
    """One computed row.

    `values` are in major units and presented sign, exact, None where a figure has no meaning; `blank` are the columns
    where the row shows nothing at all. `unit` is money, quantity, ratio, rate or plain; `directions` by column: 1
    where more is better, -1 where less is. `line` is the key of the spine's line it came from, `account` and `member`
    the codes of an expanded row, `texts` what journal lines say. `parts` are the rows it is made of.
    """

    key: str
    label: str
    kind: str
    depth: int
    codes: tuple[str, ...]
    values: Values
    unit: str = "money"
    hidden: bool = False
    ruling: str = ""
    directions: tuple[int, ...] = ()
    line: str = ""
    account: str = ""
    member: str = ""
    detail: str = ""
    parts: tuple[str, ...] = ()
    blank: frozenset[int] = frozenset()
    look: Look = PLAIN
    panel: int = 1
    texts: dict[str, str] = field(default_factory=dict)
    shown: tuple[Value, ...] | None = None
    """Rounded values, where the statement rounds so that it foots."""

    @property
    def has_figures(self) -> bool:
        return self.kind not in FIGURELESS and (self.kind != "check" or not self.hidden)

    @property
    def is_total(self) -> bool:
        return self.kind in ("total", "calculation", "subtotal")

    @property
    def direction(self) -> int:
        """The direction in the first column."""
        return self.directions[0] if self.directions else 0

    @property
    def above(self) -> str:
        """The ruling above its figures: its own, else single over totals."""
        return self.look.above or ("single" if self.ruling else "none")

    @property
    def below(self) -> str:
        """The ruling below its figures."""
        return self.look.below or ("double" if self.ruling == "double" else "none")


@dataclass(frozen=True)
class Judged:
    """What a check found: how far apart it is in each column that was judged, and whether that is within its tolerance."""

    line: LineDef
    apart: tuple[tuple[Column, Fraction], ...]
    judged: int

    @property
    def holds(self) -> bool:
        return not self.apart


@dataclass
class Computed:
    """A statement's figures for one node, with what is needed to explain them."""

    statement: StatementDef
    view: View
    period: Period
    node: Node
    columns: tuple[Column, ...]
    planned: Planned
    rows: tuple[Row, ...] = ()
    checks: list[Judged] = field(default_factory=list)
    warnings: list[str] = field(default_factory=list)
    roundings: list[str] = field(default_factory=list)
    cells: dict[str, list[Value]] = field(default_factory=dict)
    booked: dict[str, list[bool]] = field(default_factory=dict)
    translated: bool = False

    def row(self, key: str) -> Row:
        found = self.rows_by_key.get(key)
        if found is None:
            raise NotFound(f"Line '{key}' does not exist.", hint=one_of(key, self.rows_by_key), subject="line")
        return found

    @property
    def rows_by_key(self) -> dict[str, Row]:
        if self._rows_by_key is None or len(self._rows_by_key) != len(self.rows):
            self._rows_by_key = {row.key: row for row in self.rows}
        return self._rows_by_key

    def column(self, key: str) -> Column:
        return self.columns[self.place(key)]

    def place(self, key: str) -> int:
        """Where a column stands, from 0."""
        found = self._places.get(key)
        if found is None:
            raise NotFound(f"Column '{key}' does not exist.", hint=one_of(key, self._places), subject="column")
        return found

    def __post_init__(self) -> None:
        self._places = {column.key: place for place, column in enumerate(self.columns)}
        self._lines = {line.key: line for line in self.statement.spine.walk()}
        self._leaves = {leaf.key: leaf for leaf in self.planned.walk()}
        self._signs: dict[tuple[str, int], int] = {}

    def line(self, key: str) -> LineDef:
        return self._lines[key]

    @property
    def leaf_keys(self) -> Mapping[str, Leaf]:
        """The rows that sum posting keys."""
        return self._leaves

    def leaf(self, row_key: str) -> Leaf:
        """The leaf behind a row; NotFound for totals and calculations."""
        found = self._leaves.get(row_key)
        if found is None:
            raise NotFound(f"'{row_key}' is no line of accounts.", subject="line")
        return found

    def rows_of_total(self, total: Row) -> list[Row]:
        """The rows a total adds up; an expanding line stands as its outermost rows."""
        rows: list[Row] = []
        for key in total.parts:
            if key in self.rows_by_key:
                rows.append(self.rows_by_key[key])
                continue
            depth = min((row.depth for row in self.rows if row.line == key), default=0)
            rows += [row for row in self.rows if row.line == key and row.depth == depth and row.unit == total.unit]
        return rows

    def add_leaf(self, leaf: Leaf) -> None:
        """Make a leaf known that stands for several."""
        self._leaves[leaf.key] = leaf

    def reading(self, leaf: Leaf, column: Column) -> Reading:
        """What a leaf reads in a column."""
        name = (leaf.line.key, column.key)
        if name not in self._readings:
            self._readings[name] = reading_of(
                column, leaf.line.override, self.view, self.period, translated=self.translated, lines=leaf.clauses
            )
        return self._readings[name]

    def balances(self, leaf: Leaf, column: Column) -> Balances:
        return self.view.book.balances_of(self.reading(leaf, column).source)

    def vector(self, leaf: Leaf, column: Column) -> Vector | None:
        """Amounts by posting key of what a leaf's line reads in a column, narrowed by the column, not yet by node or leaf."""
        name = (leaf.line.override, leaf.clauses, leaf.line.intercompany, column.key)
        if name not in self._vectors:
            vector = read_vector(self.view.book, self.reading(leaf, column), column.asked.by_day)
            self._vectors[name] = None if vector is None else self._narrowed(vector, leaf, column)
        return self._vectors[name]

    def _narrowed(self, vector: Vector, leaf: Leaf, column: Column) -> Vector:
        if column.keys is not None:
            vector = Vector(np.where(column.keys, vector.amounts, 0), vector.booked & column.keys, vector.divisor)
        if leaf.line.intercompany or column.asked.part:
            return elimination.part_of(vector, self.view, self.node, column, difference=bool(leaf.line.intercompany))
        return vector

    def mask_of(self, leaf: Leaf, column: Column) -> BoolArray:
        """The posting keys a leaf sums in a column: those of its statistical accounts where the column shows quantities."""
        return leaf.quantities if self.reading(leaf, column).measure == "quantity" else leaf.mask

    def keys_behind(self, leaf: Leaf, column: Column) -> BoolArray:
        """Mask of the visible posting keys behind a cell."""
        keys = self.mask_of(leaf, column) & self.node.keys
        return keys if column.keys is None else keys & column.keys

    def by_account(self, leaf: Leaf, column: Column) -> IntArray:
        """The amounts behind a cell by account, debit positive, to be divided by its vector's divisor."""
        vector = self.vector(leaf, column)
        return self.view.by_account(vector.amounts, self.keys_behind(leaf, column)) if vector else np.zeros(len(self.view.frame.accounts), np.int64)

    def sign(self, leaf: Leaf, column: Column) -> int:
        """What turns a debit positive amount of a leaf into what the reader sees in a column."""
        measure = self.reading(leaf, column).measure
        if measure in GROSS:
            return -1 if measure == "credits" and column.asked.credits == "negative" else 1
        return self.line_sign(leaf, column)

    def line_sign(self, leaf: Leaf, column: Column) -> int:
        """The presented sign of a leaf's line in a column, whatever the measure."""
        name = (leaf.line.key, id(column.accounts))
        if name not in self._signs:
            self._signs[name] = sign_of(leaf, column.accounts, self.statement.spine.signs, self.view)
        return self._signs[name]

    def digits(self, leaf: Leaf, column: Column) -> int:
        """Decimals of the minor unit of a cell."""
        return QUANTITY_DIGITS if leaf.is_quantity or self.reading(leaf, column).measure == "quantity" else self.node.digits

    def booked_accounts(self) -> BoolArray:
        """Accounts of the node with anything booked in a shown column, judged by posting key before summing."""
        if self._booked_accounts is None:
            booked = np.zeros(len(self.view.book.keys), dtype=bool)
            for column in self.columns:
                if column.has_figures and not column.hidden:
                    balances = self.view.book.balances_of(reading_of(column, NO_OVERRIDE, self.view, self.period, translated=False).source)
                    assert column.window is not None
                    booked |= balances.booked(column.window)
            self._booked_accounts = np.zeros(len(self.view.frame.accounts), dtype=bool)
            self._booked_accounts[self.view.book.keys.account[booked & self.node.keys]] = True
        return self._booked_accounts

    _rows_by_key: dict[str, Row] | None = None
    _readings: dict[tuple[str, str], Reading] = field(default_factory=dict)
    _vectors: dict[object, Vector | None] = field(default_factory=dict)
    _booked_accounts: BoolArray | None = None


NO_OVERRIDE = Override()


def run_statement(statement: StatementDef, view: View, period: Period, node_code: str = "") -> Computed:
    """Compute all figures of a statement for a node at a period; raises RulkaError on what can't be read."""
    node = find_node(view, node_code, statement.scope, translated=statement.currency == "group")
    return run_nodes(statement, view, period, [node])[0]


def run_nodes(statement: StatementDef, view: View, period: Period, nodes: Sequence[Node]) -> list[Computed]:
    """Compute a statement for several nodes; where their columns read the same, all their cells are summed together."""
    names = check_names(statement.spine)
    translated = statement.currency == "group"
    has_quantities = any(column.measure == "quantity" for column in statement.span.walk())
    planned = plan(statement.spine, view, has_quantities=has_quantities)
    found = []
    for node in nodes:
        columns = build_columns(statement.span, statement.scope, view, period, node, translated=translated)
        found.append(Computed(statement, view, period, node, columns, planned, translated=translated))
    for computed, (amounts, booked) in zip(found, _sum(found, has_quantities), strict=True):
        cells = _Cells(computed, names)
        cells.present(amounts, booked)
        cells.calculate()
        computed.checks = cells.judge()
        rows = cells.rows()
        rows = _suppress(rows, computed, cells)
        computed.rows = tuple(rows)
        computed.warnings += [*planned.warnings, *_column_notes(computed.columns)]
        if statement.rounding != "exact":
            rounding.round_to_foot(computed)
    return found


# sum ----------------------------------------------------------------------------------------------------------------


def _sum(found: Sequence[Computed], has_quantities: bool) -> list[tuple[IntArray, IntArray]]:
    """(amounts, counts of booked keys) by `(leaf, column)` of each statement, leaves in the order of the plan."""
    first = found[0]
    shared = all(_same_reading(first, other) for other in found[1:])
    groups = [found] if shared else [[computed] for computed in found]
    results = []
    for group in groups:
        amounts, booked = _sum_together(group, has_quantities)
        results += [(amounts[place], booked[place]) for place in range(len(group))]
    return results


def _same_reading(one: Computed, other: Computed) -> bool:
    """Whether the same arrays serve two nodes: same columns, none that narrows or eliminates by the node."""
    if len(one.columns) != len(other.columns) or any(line.intercompany for line in one.statement.spine.walk()):
        return False
    return all(a == b and not a.asked.part and not a.series and a.keys is b.keys for a, b in zip(one.columns, other.columns, strict=True))


def _sum_together(group: Sequence[Computed], has_quantities: bool) -> tuple[IntArray, IntArray]:
    first = group[0]
    leaves = list(first.planned.walk())
    nodes = [computed.node.keys for computed in group]
    places = [place for place, column in enumerate(first.columns) if column.has_figures]
    shape = (len(group), len(leaves), len(first.columns))
    amounts, booked = np.zeros(shape, dtype=np.int64), np.zeros(shape, dtype=np.int64)
    by_reading: dict[object, list[int]] = {}
    for at, leaf in enumerate(leaves):
        by_reading.setdefault((leaf.line.override, leaf.clauses, leaf.line.intercompany), []).append(at)
    for name, ats in by_reading.items():
        for quantity in (False, True) if has_quantities else (False,):
            sample = leaves[ats[0]]
            wanted = [p for p in places if (first.reading(sample, first.columns[p]).measure == "quantity") == quantity]
            vectors = [first.vector(sample, first.columns[place]) for place in wanted]
            given = [(place, vector) for place, vector in zip(wanted, vectors, strict=True) if vector is not None]
            if not given:
                continue
            masks = [leaves[at].quantities if quantity else leaves[at].mask for at in ats]
            classes = first.view.book.kept(
                ("classes", first.statement.spine, repr(first.view.fence), name, quantity), lambda masks=masks: classes_of(masks, len(nodes[0]))
            )
            table = np.column_stack([vector.amounts for _, vector in given] + [vector.booked.astype(np.int64) for _, vector in given])
            cells = sums(classes, nodes, table)
            columns = [place for place, _ in given]
            amounts[np.ix_(range(len(group)), ats, columns)] = cells[:, :, : len(given)]
            booked[np.ix_(range(len(group)), ats, columns)] = cells[:, :, len(given) :]
    return amounts, booked


# present, total, calculate, compare -----------------------------------------------------------------------------------


class _Cells:
    """The values of every line in every column: leaves first, then what is made of them, column by column."""

    def __init__(self, computed: Computed, names: Names) -> None:
        self.computed, self.names = computed, names
        self.columns = computed.columns
        self.spine = computed.statement.spine
        self.lines = names.lines
        self.comparer = comparing.Comparer(self.columns)
        self.values: dict[str, list[Value]] = computed.cells
        self.booked: dict[str, list[bool]] = computed.booked
        self.details: dict[str, list[DetailRow]] = {}
        self.units: dict[str, str] = {}
        self.path: list[str] = []
        self.share_lines = {place: names.find(column.asked.line).key for place, column in enumerate(self.columns) if column.kind == "share"}

    # present --------------------------------------------------------------------------------------------------------

    def present(self, amounts: IntArray, booked: IntArray) -> None:
        """Leaves in presented sign and major units."""
        for at, leaf in enumerate(self.computed.planned.walk()):
            self.values[leaf.key] = [
                self._presented(leaf, column, int(amounts[at, place])) if self._shows(leaf.line, column) else None
                for place, column in enumerate(self.columns)
            ]
            self.booked[leaf.key] = (booked[at] > 0).tolist()
            if leaf.detail:
                self._details(leaf)
            self._compare_leaf(leaf.key, leaf)

    def _details(self, leaf: Leaf) -> None:
        self.details[leaf.key] = found = detail_rows(self.computed, leaf, self.columns)
        for row in found:
            self.values[row.key] = [
                None if amount is None else self._presented(leaf, column, amount) for amount, column in zip(row.amounts, self.columns, strict=True)
            ]
            self.booked[row.key] = row.booked
            self._compare_leaf(row.key, leaf)

    def _presented(self, leaf: Leaf, column: Column, amount: int) -> Value:
        vector = self.computed.vector(leaf, column) if column.has_figures else None
        if vector is None:
            return None
        divisor = vector.divisor * 10 ** self.computed.digits(leaf, column)
        return Fraction(amount * self.computed.sign(leaf, column), divisor)

    def _shows(self, line: LineDef, column: Column) -> bool:
        return not line.columns or column.key in line.columns or column.asked.key in line.columns or column.series in line.columns

    def _compare_leaf(self, key: str, leaf: Leaf) -> None:
        """Columns that work on others, for one leaf; shares wait until all lines are known."""
        values = self.values[key]
        for place, column in enumerate(self.columns):
            if column.kind in ("figures", "text", "share") or not self._shows(leaf.line, column):
                continue
            values[place] = self.comparer.value(column, values.__getitem__, self.computed.line_sign(leaf, column))

    # total, calculate -----------------------------------------------------------------------------------------------

    def calculate(self) -> None:
        """Totals and calculations in the columns that show or aggregate figures, then the comparisons of their results."""
        walk = [line for line in self.spine.walk() if line.kind in ("section", "line", "calculation")]
        for line in walk:
            self.values.setdefault(line.key, [None] * len(self.columns))
            self.units[line.key] = ""
        for line in walk:
            self._unit(line)
        for place, column in enumerate(self.columns):
            if column.kind == "text":
                continue
            if self.comparer.is_base[place]:
                done: set[str] = set()
                for line in walk:
                    self._value(line, place, done)
                continue
            for line in walk:
                if line.kind != "line" or line.expand:
                    self.values[line.key][place] = self._compared(line, place, column)
            if column.kind == "share":
                self._share(place, column)

    def _compared(self, line: LineDef, place: int, column: Column) -> Value:
        if not self._shows(line, column) or column.kind == "share":
            return None
        return self.comparer.value(column, self.values[line.key].__getitem__)

    def _share(self, place: int, column: Column) -> None:
        whole = self.values[self.share_lines[place]]
        for key, values in self.values.items():
            line = self.lines.get(key) or self.computed.line(key.split(":")[0])
            if self._shows(line, column):
                values[place] = self.comparer.share(column, values.__getitem__, whole.__getitem__)

    def _unit(self, line: LineDef) -> str:
        """money, quantity, ratio, rate or plain; a circle is told when values are computed."""
        if self.units[line.key]:
            return self.units[line.key]
        self.units[line.key] = "money"
        if line.kind == "line":
            leaves = self.computed.planned.by_line[line.key]
            self.units[line.key] = "quantity" if leaves and all(leaf.is_quantity for leaf in leaves) else "money"
        elif line.kind == "section":
            inner = [self._unit(part) for part in _summed(line)]
            self.units[line.key] = inner[0] if inner and "money" not in inner else "money"
        else:
            self.units[line.key] = unit_of(parse_formula(line.formula), lambda name: self._unit(self.names.find(name)))
        return self.units[line.key]

    def _value(self, line: LineDef, place: int, done: set[str]) -> Value:
        if line.key in done:
            return self.values[line.key][place]
        if line.key in self.path:
            labels = [self.lines[key].label for key in [*self.path[self.path.index(line.key) :], line.key]]
            raise RulkaError(
                f"Calculations go in a circle: {' > '.join(labels)}.", hint="Change one of these formulas.", subject=f"line {line.label}", code="circular"
            )
        self.path.append(line.key)
        compute: Callable[[LineDef, int, set[str]], Value] = {"line": self._of_leaves, "section": self._section, "calculation": self._calculation}[line.kind]
        value = compute(line, place, done) if self._shows(line, self.columns[place]) else None
        self.values[line.key][place] = value
        self.path.pop()
        done.add(line.key)
        return value

    def _of_leaves(self, line: LineDef, place: int, done: set[str]) -> Value:
        leaves = self.computed.planned.by_line[line.key]
        quantity = self.units[line.key] == "quantity"
        shown = [self.values[leaf.key][place] for leaf in leaves if leaf.is_quantity == quantity or self._is_quantity(place)]
        return self._total(shown, place)

    def _is_quantity(self, place: int) -> bool:
        return self.columns[place].asked.measure == "quantity"

    def _total(self, values: Sequence[Value], place: int) -> Value:
        if self.columns[place].is_empty or any(value is None for value in values):
            return None
        return sum((value for value in values if value is not None), Fraction(0))

    def _section(self, line: LineDef, place: int, done: set[str]) -> Value:
        """Account lines and inner sections add up; calculations don't, money never adds to quantities, and a line that is
        limited to other columns counts as nothing."""
        column, unit = self.columns[place], self.units[line.key]
        parts = [part for part in _summed(line) if self._shows(part, column)]
        values = [self._value(part, place, done) for part in parts if self.units[part.key] == unit or self._is_quantity(place)]
        return self._total(values, place)

    def _calculation(self, line: LineDef, place: int, done: set[str]) -> Value:
        if self.columns[place].is_empty:
            return None
        return self._evaluated(parse_formula(line.formula), place, done)

    def _evaluated(self, tree: Tree, place: int, done: set[str] | None = None) -> Value:
        def of(line: LineDef) -> Value:
            return self.values[line.key][place] if done is None else self._value(line, place, done)

        return evaluate(
            tree, lambda name: of(self.names.find(name)), lambda first, last: [of(line) for line in self.names.between(first, last)]
        )

    # check ----------------------------------------------------------------------------------------------------------

    def judge(self) -> list[Judged]:
        """Every check, by the columns it is limited to, else by all that show or aggregate figures."""
        return [self._judged(line) for line in self.spine.walk() if line.kind == "check"]

    def _judged(self, line: LineDef) -> Judged:
        apart: list[tuple[Column, Fraction]] = []
        judged = 0
        values: list[Value] = [None] * len(self.columns)
        for place, column in enumerate(self.columns):
            if not self.comparer.is_base[place] or column.is_empty or not self._shows(line, column):
                continue
            difference = self._difference(line, place)
            values[place] = difference
            if difference is not None:
                judged += 1
                if abs(difference) > line.tolerance:
                    apart.append((column, difference))
        self.values[line.key], self.units[line.key] = values, "money"
        return Judged(line, tuple(apart), judged)

    def _difference(self, line: LineDef, place: int) -> Value:
        """How far a check is from holding: 0 where it does."""
        if line.agree:
            first, *others = [self.values[self.names.find(label).key][place] for label in line.agree]
            gaps = [first - other for other in others if first is not None and other is not None]
            return max(gaps, key=abs, default=None)
        tree = parse_formula(line.formula)
        if isinstance(tree, Operation) and tree.sign in COMPARISONS:
            left, right = self._evaluated(tree.left, place), self._evaluated(tree.right, place)
            if left is None or right is None:
                return None
            holds = evaluate(Operation(tree.sign, Number(left), Number(right)), lambda name: None)
            return Fraction(0) if holds else (left - right) or Fraction(1)
        value = self._evaluated(tree, place)
        return None if value is None else Fraction(0 if value else 1)

    # rows -----------------------------------------------------------------------------------------------------------

    def rows(self) -> list[Row]:
        """The rows of the page in order, hidden ones too."""
        rows: list[Row] = []
        self.panel = 1
        for line in self.spine.lines:
            self._emit(line, 0, rows)
        return rows

    def _emit(self, line: LineDef, depth: int, rows: list[Row]) -> None:
        if line.panel == "second":
            self.panel = 2
        if line.kind == "section":
            self._emit_section(line, depth, rows)
        elif line.kind == "line" and line.expand:
            self._emit_leaves(line, self.computed.planned.by_line[line.key], depth, rows)
        elif line.kind in FIGURELESS:
            rows.append(self._row(line, line.kind, depth, values=self._blank(), blank=self._all()))
        else:
            values = tuple(self.values[line.key])
            codes = self._codes(line)
            rows.append(self._row(line, line.kind, depth, codes=codes, values=values, parts=self._operands(line), detail=line.formula or line.accounts))

    def _row(self, line: LineDef, kind: str, depth: int, **given: Any) -> Row:
        given.setdefault("blank", self._blanks(line))
        directions = self._directions(line) if kind in ("line", "calculation", "total") else ()
        return Row(
            given.pop("key", line.key), given.pop("label", line.label), kind, depth + line.look.indent, given.pop("codes", ()), given.pop("values"),
            given.pop("unit", self.units.get(line.key, "money")), ruling=given.pop("ruling", line.ruling), directions=directions, line=line.key,
            look=given.pop("look", line.look), panel=self.panel, **given,
        )  # fmt: skip

    def _blank(self) -> Values:
        return (None,) * len(self.columns)

    def _all(self) -> frozenset[int]:
        return frozenset(range(len(self.columns)))

    def _blanks(self, line: LineDef) -> frozenset[int]:
        """Columns in which a line shows nothing: those it isn't limited to, those without a time, and text."""
        judged_only = line.kind == "check"
        return frozenset(
            place
            for place, column in enumerate(self.columns)
            if not self._shows(line, column)
            or column.is_empty
            or column.kind == "text"
            or (judged_only and not self.comparer.is_base[place])
            or (column.of and any(self.columns[self.computed.place(key)].is_empty for key in column.of) and self.values_missing(line, place))
        )

    def values_missing(self, line: LineDef, place: int) -> bool:
        return line.key in self.values and self.values[line.key][place] is None

    def _emit_section(self, line: LineDef, depth: int, rows: list[Row]) -> None:
        if line.show != "total only":
            rows.append(self._row(line, "section", depth, values=self._blank(), blank=self._all(), ruling="", look=replace(line.look, above="", below="", number=NumberStyle())))
        for inner in line.lines:
            self._emit(inner, depth + 1, rows)
        if line.total:
            values = tuple(self.values[line.key])
            codes, parts = self._codes(line), tuple(self._total_parts(line))
            rows.append(
                self._row(line, "total", depth, key=f"{line.key}.total", label=line.total, codes=codes, values=values, parts=parts, ruling=line.ruling or "single")
            )

    def _emit_leaves(self, line: LineDef, leaves: Sequence[Leaf], depth: int, rows: list[Row]) -> None:
        first = next((place for place, column in enumerate(self.columns) if column.has_figures and not column.hidden), None)
        chosen = list(leaves)
        others: list[Leaf] = []
        if first is not None and line.sort == "amount":
            chosen.sort(key=lambda leaf: -abs(self.values[leaf.key][first] or 0))
        if line.top and len(chosen) > line.top:
            ranked = sorted(chosen, key=lambda leaf: -abs((self.values[leaf.key][first] if first is not None else 0) or 0))[: line.top]
            kept = {leaf.key for leaf in ranked}
            others = [leaf for leaf in chosen if leaf.key not in kept]
            chosen = [leaf for leaf in chosen if leaf.key in kept]
        for leaf in chosen:
            self._emit_leaf(line, leaf, depth, rows)
        if others:
            self._emit_others(line, others, depth, rows)

    def _emit_leaf(self, line: LineDef, leaf: Leaf, depth: int, rows: list[Row]) -> None:
        if leaf.detail:
            for row in self._sorted_details(line, leaf):
                blank = self._blanks(line) | {place for place, amount in enumerate(row.amounts) if amount is None and self.columns[place].kind == "figures"}
                blank |= {place for place, column in enumerate(self.columns) if column.of and any(self.computed.place(key) in blank for key in column.of)}
                rows.append(
                    self._row(
                        line, row.kind, depth, key=row.key, label=row.label, values=tuple(self.values[row.key]), blank=frozenset(blank),
                        unit="quantity" if leaf.is_quantity else "money", texts=row.texts, ruling="",
                    )
                )  # fmt: skip
            return
        codes = tuple(self.computed.view.frame.accounts.items[place].code for place in np.flatnonzero(leaf.accounts))
        row = self._row(
            line, leaf.kind, depth, key=leaf.key, label=leaf.label, codes=codes, values=tuple(self.values[leaf.key]),
            unit="quantity" if leaf.is_quantity else "money", account=leaf.account, member=leaf.member, ruling="",
        )  # fmt: skip
        rows.append(replace(row, directions=self._leaf_directions(leaf)))
        self._emit_leaves(line, leaf.inner, depth + 1, rows) if leaf.inner else None

    def _sorted_details(self, line: LineDef, leaf: Leaf) -> list[DetailRow]:
        rows = self.details[leaf.key]
        first = next((place for place, column in enumerate(self.columns) if column.has_figures and not column.hidden), None)
        if line.sort == "amount" and first is not None:
            return sorted(rows, key=lambda row: (row.kind == "others", -abs(self.values[row.key][first] or 0)))
        return rows

    def _emit_others(self, line: LineDef, others: Sequence[Leaf], depth: int, rows: list[Row]) -> None:
        """What the top rows leave, in one row."""
        key, first = f"{line.key}:others:{others[0].key}", others[0]
        values = [self._total([self.values[leaf.key][place] for leaf in others], place) for place in range(len(self.columns))]
        self.values[key] = values
        self.booked[key] = [any(self.booked[leaf.key][place] for leaf in others) for place in range(len(self.columns))]
        merged = replace(first, key=key, label=line.others, kind="others", account="", member="", inner=[], mask=np.any([l.mask for l in others], axis=0),
                         quantities=np.any([l.quantities for l in others], axis=0), accounts=np.any([l.accounts for l in others], axis=0))  # fmt: skip
        self.computed.add_leaf(merged)
        self._compare_leaf(key, merged)
        codes = tuple(self.computed.view.frame.accounts.items[place].code for place in np.flatnonzero(merged.accounts))
        rows.append(self._row(line, "others", depth, key=key, label=line.others, codes=codes, values=tuple(values), ruling=""))

    def _operands(self, line: LineDef) -> tuple[str, ...]:
        if line.kind != "calculation":
            return ()
        named = self.names.operands(parse_formula(line.formula))
        return tuple(dict.fromkeys(f"{part.key}.total" if part.kind == "section" and part.total else part.key for part in named))

    def _total_parts(self, line: LineDef) -> Iterator[str]:
        unit = self.units[line.key]
        for inner in _summed(line):
            if inner.kind == "section" and not inner.total:
                yield from self._total_parts(inner)
            elif self.units[inner.key] == unit:
                yield f"{inner.key}.total" if inner.kind == "section" else inner.key

    def _codes(self, line: LineDef) -> tuple[str, ...]:
        accounts = self.computed.view.frame.accounts
        mask = np.zeros(len(accounts), dtype=bool)
        todo = [line]
        while todo:
            current = todo.pop()
            for leaf in self.computed.planned.by_line.get(current.key, ()):
                mask |= leaf.accounts & (accounts.of_type("statistical") if leaf.is_quantity else ~accounts.of_type("statistical"))
            todo.extend(current.lines)
        return tuple(accounts.items[place].code for place in np.flatnonzero(mask))

    def _directions(self, line: LineDef) -> tuple[int, ...]:
        return tuple(self._direction(line, self._judging(place)) for place in range(len(self.columns)))

    def _judging(self, place: int) -> int:
        """The column whose figures a comparison is about: the first it works on."""
        while self.columns[place].of:
            place = self.computed.place(self.columns[place].of[0])
        return place

    def _leaf_directions(self, leaf: Leaf) -> tuple[int, ...]:
        return tuple(self._direction_of_leaf(leaf, self._judging(place)) for place in range(len(self.columns)))

    def _direction_of_leaf(self, leaf: Leaf, place: int) -> int:
        column = self.columns[place]
        return direction_of_leaf(leaf, column.accounts, self.computed.line_sign(leaf, column), self.computed.view)

    def _direction(self, line: LineDef, place: int) -> int:
        name = (line.key, id(self.columns[place].accounts))
        if name not in self._known_directions:
            self._known_directions[name] = self._find_direction(line, place)
        return self._known_directions[name]

    def _find_direction(self, line: LineDef, place: int) -> int:
        if line.favourable:
            return {"higher": 1, "lower": -1}.get(line.favourable, 0)
        if line.kind == "line":
            found = {self._direction_of_leaf(leaf, place) for leaf in self.computed.planned.by_line[line.key]}
        elif line.kind == "section":
            found = {self._direction(part, place) for part in _summed(line)}
        else:
            return direction_of(parse_formula(line.formula), lambda name: self._direction(self.names.find(name), place))
        return found.pop() if len(found) == 1 else 0

    @property
    def _known_directions(self) -> dict[tuple[str, int], int]:
        return self.__dict__.setdefault("_directions_kept", {})


def _summed(section: LineDef) -> list[LineDef]:
    """The lines a section adds up."""
    return [line for line in section.lines if line.kind in ("line", "section")]


# suppress -----------------------------------------------------------------------------------------------------------


def _suppress(rows: list[Row], computed: Computed, cells: _Cells) -> list[Row]:
    """Mark hidden columns, then hidden rows, then sections of which nothing is left."""
    computed.columns = tuple(replace(column, hidden=column.hidden or _column_hides(column, place, computed)) for place, column in enumerate(computed.columns))
    hider = _Hider(computed, cells)
    rows = [replace(row, hidden=hider.hides(row)) for row in rows]
    shown = {row.line for row in rows if not row.hidden and row.kind not in FIGURELESS and row.kind not in ("total", "check")}
    empty = {line.key for line in computed.statement.spine.walk() if line.kind == "section" and line.hide != "never" and _is_empty(line, shown)}
    return [replace(row, hidden=True) if row.line in empty and row.kind in ("section", "total") else row for row in rows]


def _is_empty(section: LineDef, shown: set[str]) -> bool:
    """Whether a section has lines of figures and all of them are hidden."""
    lines = [line for line in section.lines if line.kind in ("line", "calculation", "section")]
    return bool(lines) and all(line.key not in shown and (line.kind != "section" or _is_empty(line, shown)) for line in lines)


def _column_hides(column: Column, place: int, computed: Computed) -> bool:
    if column.asked.hide not in ("when empty", "when zero"):
        return False
    if column.of and column.kind != "text":
        return all(computed.columns[computed.place(key)].hidden or _column_hides(computed.columns[computed.place(key)], computed.place(key), computed) for key in column.of)
    if column.asked.hide == "when empty":
        return not any(booked[place] for booked in computed.booked.values())
    return not any(values[place] for values in computed.cells.values())


class _Hider:
    def __init__(self, computed: Computed, cells: _Cells) -> None:
        self.computed, self.cells = computed, cells
        self.shown = [place for place, column in enumerate(computed.columns) if column.has_figures and not column.hidden]
        self.holds = {judged.line.key: judged.holds for judged in computed.checks}

    def hides(self, row: Row) -> bool:
        line = self.computed.line(row.line)
        if row.kind == "check":
            return line.prints == "never" or (line.prints == "when it fails" and self.holds[line.key])
        if row.kind == "page break":
            return False
        expanded = row.key != line.key and row.kind not in ("total", "section")
        hide = line.hide or ("when nothing was booked" if expanded else "never")
        if hide in ("never", "always") or row.kind in FIGURELESS:
            return hide == "always"
        if hide == "when zero":
            return not any(row.values[place] for place in self.shown)
        return not (self._booked(row.key) if expanded else self._line_booked(line))

    def _booked(self, key: str) -> bool:
        booked = self.computed.booked.get(key, [])
        return any(booked[place] for place in self.shown) if booked else False

    def _line_booked(self, line: LineDef) -> bool:
        """Whether anything was booked behind a line; a calculation asks its inputs, a section its lines."""
        if line.kind == "line":
            return any(self._booked(leaf.key) for leaf in self.computed.planned.by_line[line.key])
        if line.kind == "section":
            return any(self._line_booked(part) for part in line.lines if part.kind in ("line", "section", "calculation"))
        return any(self._line_booked(part) for part in self.cells.names.operands(parse_formula(line.formula)))


def _column_notes(columns: Sequence[Column]) -> Iterator[str]:
    for column in columns:
        if column.note:
            yield f"Column {column.heading or column.key} is empty: {column.note}"
        if column.asked.by_day == "spread" and column.window is not None and column.window.by_day:
            yield f"Column {column.heading or column.key}: '{column.asked.scenario}' is held by period and spread evenly over its days"
