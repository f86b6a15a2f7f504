"""Spine x span x node to figures: select, sum, present, total, calculate, compare, suppress, in this order."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from fractions import Fraction

import numpy as np

from rulka.core.book import Balances, Node, View, find_node
from rulka.core.calendar import Period, Window
from rulka.core.chart import BoolArray, IntArray
from rulka.core.definitions import ColumnDef, LineDef, SpineDef, StatementDef
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.expressions import direction_of, evaluate, names_in, parse_formula, unit_of
from rulka.core.money import QUANTITY_DIGITS
from rulka.core.selection import SelectionError, select

Value = Fraction | None
Values = tuple[Value, ...]

FLIPPED_BY_CONVENTION = {
    "both positive": ("liability", "equity", "revenue"),
    "effect on the result": ("liability", "equity", "revenue", "expense"),
}


@dataclass(frozen=True)
class Column:
    """One computed column; `window` is None for comparisons and where the shift leaves the calendar."""

    asked: ColumnDef
    heading: str
    group: str
    window: Window | None
    scenario_kind: str
    hidden: bool

    @property
    def key(self) -> str:
        return self.asked.key

    @property
    def kind(self) -> str:
        return self.asked.kind


@dataclass(frozen=True)
class Row:
    """One computed row.

    `values` are in major units and presented sign, exact, None where a figure has no meaning; `unit` is money,
    quantity, ratio, rate or plain; `direction` 1 where more is better, -1 where less is; `line` the key of the
    spine's line it came from, `account` the code of an expanded account.
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
    direction: int = 0
    line: str = ""
    account: str = ""
    detail: str = ""
    parts: tuple[str, ...] = ()

    @property
    def has_figures(self) -> bool:
        return self.kind not in ("section", "heading", "check")


@dataclass
class Computed:
    """A statement's figures with what is needed to explain them."""

    statement: StatementDef
    view: View
    period: Period
    node: Node
    columns: tuple[Column, ...]
    rows: tuple[Row, ...] = ()
    masks: dict[str, BoolArray] = field(default_factory=dict)
    signs: dict[str, int] = field(default_factory=dict)
    warnings: list[str] = field(default_factory=list)

    def row(self, key: str) -> Row:
        for row in self.rows:
            if row.key == key:
                return row
        raise NotFound(f"Line '{key}' does not exist.", hint=one_of(key, [row.key for row in self.rows]), subject="line")

    def column(self, key: str) -> Column:
        return self.columns[self.place(key)]

    def place(self, key: str) -> int:
        """Where a column stands, from 0."""
        keys = [column.key for column in self.columns]
        if key not in keys:
            raise NotFound(f"Column '{key}' does not exist.", hint=one_of(key, keys), subject="column")
        return keys.index(key)

    def balances(self, column: Column) -> Balances:
        return self.view.book.balances(column.asked.scenario, pending=column.asked.pending)

    def measure_of(self, line: LineDef, column: Column) -> str:
        return line.measure or column.asked.measure

    def account_totals(self, column: Column, measure: str) -> IntArray:
        """Amount by account, debit positive, minor units, of the visible keys of the node."""
        cached = self._totals.get((column.key, measure))
        if cached is None:
            assert column.window is not None
            amounts = self.balances(column).measure(measure, column.window)
            cached = self.view.by_account(amounts, self.view.node_keys(self.node.entities))
            self._totals[column.key, measure] = cached
        return cached

    def booked_accounts(self) -> BoolArray:
        """Accounts with anything booked in a shown column, judged by posting key before summing."""
        if self._booked is None:
            booked = np.zeros(len(self.view.frame.accounts), dtype=bool)
            keys = self.view.node_keys(self.node.entities)
            for column in self.columns:
                if column.window is not None and not column.hidden:
                    touched = self.balances(column).booked(column.window) & keys
                    booked[self.view.book.keys.account[touched]] = True
            self._booked = booked
        return self._booked

    def line(self, key: str) -> LineDef:
        return next(line for line in self.statement.spine.walk() if line.key == key)

    _totals: dict[tuple[str, str], IntArray] = field(default_factory=dict)
    _booked: BoolArray | None = None


def run_statement(statement: StatementDef, view: View, period: Period, node_code: str = "") -> Computed:
    """Compute all figures of a statement for a node at a period; raises RulkaError on what can't be read."""
    node = find_node(view, node_code)
    computed = Computed(statement, view, period, node, _columns(statement, view, period))
    _select(computed)
    check_names(statement.spine)
    rows = _Rows(computed).build()
    rows = [_compare(row, computed) for row in rows]
    computed.rows = tuple(_suppress(rows, computed))
    return computed


# select -------------------------------------------------------------------------------------------------------------


def _columns(statement: StatementDef, view: View, period: Period) -> tuple[Column, ...]:
    frame, columns = view.frame, []
    titles: dict[str, str] = {}
    for asked in statement.span.columns:
        window, kind = None, ""
        if asked.kind == "figures":
            if asked.scenario not in frame.scenarios:
                raise NotFound(
                    f"Scenario '{asked.scenario}' does not exist in this ledger.",
                    hint=one_of(asked.scenario, frame.scenarios),
                    subject=f"column {asked.key}",
                )
            moved = frame.calendar.moved(period, years=asked.shift_years, periods=asked.shift_periods)
            window = frame.calendar.window(asked.window, moved) if moved else None
            kind = "prior" if asked.shift_years < 0 else frame.scenarios[asked.scenario]
        titles[asked.key] = title = window.title if window else titles[asked.of[0]] if asked.of else "no period"
        heading, group = (text.replace("{window}", title).replace("{scenario}", asked.scenario) for text in (asked.heading, asked.group))
        columns.append(Column(asked, heading, group, window, kind, asked.hide == "always"))
    return tuple(columns)


def _select(computed: Computed) -> None:
    accounts = computed.view.frame.accounts
    for line in computed.statement.spine.walk():
        if line.kind != "line":
            continue
        try:
            matched = select(line.accounts, accounts)
        except SelectionError as error:
            error.subject = f"line {line.label}"
            raise
        computed.warnings.extend(f"{line.label}: {warning}" for warning in matched.warnings)
        mask = matched.mask & computed.view.visible_accounts()
        statistical = accounts.of_type("statistical") & mask
        if not line.expand and statistical.any() and not statistical[mask].all():
            computed.warnings.append(f"{line.label}: statistical accounts are left out of a money line")
            mask = mask & ~statistical
        computed.masks[line.key] = mask
        computed.signs[line.key] = {"flipped": -1, "as booked": 1}.get(line.sign) or default_sign(mask, computed)


def default_sign(mask: BoolArray, computed: Computed) -> int:
    """1 (as booked) or -1 (flipped), as the spine's convention has it for the types of these accounts."""
    types = {computed.view.frame.accounts.items[place].type for place in np.flatnonzero(mask)}
    flipped = set(FLIPPED_BY_CONVENTION[computed.statement.spine.signs])
    if types <= flipped and types:
        return -1
    return -1 if types & flipped and not types & {"asset", "statistical"} else 1


def check_names(spine: SpineDef) -> None:
    """Refuse formulas and checks that name a line which does not exist, or a label that several lines have."""
    labels = _labels(spine)
    for line in spine.walk():
        if line.kind == "calculation":
            try:
                wanted = [name.text for name in names_in(parse_formula(line.formula))]
            except RulkaError as error:
                error.subject = f"line {line.label}"
                raise
        else:
            wanted = list(line.agree)
        for name in wanted:
            found = labels.get(name.casefold(), [])
            if len(found) != 1:
                raise RulkaError(
                    f"No line is called '{name}'." if not found else f"{len(found)} lines are called '{name}'.",
                    hint=one_of(name, [label for _, label in _named(spine)]) if not found else "Rename one of them.",
                    subject=f"line {line.label}",
                    code="unknown-line",
                )


def _named(spine: SpineDef) -> Iterator[tuple[str, str]]:
    for line in spine.walk():
        if line.kind in ("line", "calculation", "section"):
            yield line.key, line.label
        if line.kind == "section" and line.total and line.total.casefold() != line.label.casefold():
            yield line.key, line.total


def _labels(spine: SpineDef) -> dict[str, list[str]]:
    labels: dict[str, list[str]] = {}
    for key, label in _named(spine):
        labels.setdefault(label.casefold(), []).append(key)
    return labels


# sum, present, total, calculate -------------------------------------------------------------------------------------


class _Rows:
    """Builds the rows of a spine; each line's values are computed once, in the order that formulas need."""

    def __init__(self, computed: Computed) -> None:
        self.computed = computed
        self.by_key = {line.key: line for line in computed.statement.spine.walk()}
        self.key_by_label = {label: keys[0] for label, keys in _labels(computed.statement.spine).items()}
        self.values: dict[str, Values] = {}
        self.units: dict[str, str] = {}
        self.directions: dict[str, int] = {}
        self.path: list[str] = []

    def build(self) -> list[Row]:
        rows: list[Row] = []
        for line in self.computed.statement.spine.lines:
            self._emit(line, 0, rows)
        return rows

    def _emit(self, line: LineDef, depth: int, rows: list[Row]) -> None:
        if line.kind == "section":
            self._emit_section(line, depth, rows)
        elif line.kind == "line" and line.expand:
            rows.extend(self._expanded(line, depth))
        elif line.kind in ("heading", "check"):
            rows.append(Row(line.key, line.label, line.kind, depth, (), self._blank(), line=line.key))
        else:
            values, unit = self._of(line)
            rows.append(
                Row(
                    line.key,
                    line.label,
                    line.kind,
                    depth,
                    self._codes(line),
                    values,
                    unit,
                    ruling=line.ruling,
                    direction=self._direction(line),
                    line=line.key,
                    detail=line.formula or line.accounts,
                    parts=self._operands(line),
                )
            )

    def _emit_section(self, line: LineDef, depth: int, rows: list[Row]) -> None:
        rows.append(Row(line.key, line.label, "section", depth, (), self._blank(), line=line.key))
        for inner in line.lines:
            self._emit(inner, depth + 1, rows)
        if line.total:
            values, unit = self._of(line)
            parts = tuple(self._total_parts(line))
            rows.append(
                Row(
                    f"{line.key}.total",
                    line.total,
                    "total",
                    depth,
                    self._codes(line),
                    values,
                    unit,
                    ruling=line.ruling or "single",
                    direction=self._direction(line),
                    line=line.key,
                    parts=parts,
                )
            )

    def _blank(self) -> Values:
        return (None,) * len(self.computed.columns)

    def _of(self, line: LineDef) -> tuple[Values, str]:
        """Values and unit of a line, by columns that show figures; comparisons are filled in later."""
        if line.key not in self.values:
            if line.key in self.path:
                names = [self.by_key[key].label for key in [*self.path[self.path.index(line.key) :], line.key]]
                raise RulkaError(
                    f"Calculations go in a circle: {' > '.join(names)}.",
                    hint="Change one of these formulas.",
                    subject=f"line {line.label}",
                    code="circular",
                )
            self.path.append(line.key)
            compute: Callable[[LineDef], tuple[Values, str]] = {
                "line": self._accounts,
                "section": self._section,
                "calculation": self._calculation,
            }[line.kind]
            self.values[line.key], self.units[line.key] = compute(line)
            self.path.pop()
        return self.values[line.key], self.units[line.key]

    def _accounts(self, line: LineDef) -> tuple[Values, str]:
        mask = self.computed.masks[line.key]
        quantities = self.computed.view.frame.accounts.of_type("statistical") & mask
        if line.expand and not quantities[mask].all():
            mask = mask & ~quantities
        elif quantities.any():
            return self._summed(line, mask, QUANTITY_DIGITS), "quantity"
        return self._summed(line, mask, self.computed.node.digits), "money"

    def _summed(self, line: LineDef, mask: BoolArray, digits: int) -> Values:
        values: list[Value] = []
        for column in self.computed.columns:
            if column.window is None:
                values.append(None)
                continue
            measure = self.computed.measure_of(line, column)
            total = int(self.computed.account_totals(column, measure)[mask].sum())
            gross = measure in ("debits", "credits")
            values.append(Fraction(total if gross else total * self.computed.signs[line.key], 10**digits))
        return tuple(values)

    def _section(self, line: LineDef) -> tuple[Values, str]:
        """Account lines and inner sections add up; calculations don't, and money never adds to quantities."""
        parts = [self._of(inner) for inner in line.lines if inner.kind in ("line", "section")]
        money = [values for values, unit in parts if unit == "money"]
        chosen, unit = (money, "money") if money or not parts else ([values for values, _ in parts], parts[0][1])
        totals = [self._total(column) for column in zip(*chosen, strict=True)] if chosen else self._nothing()
        return tuple(totals), unit

    def _nothing(self) -> list[Value]:
        return [None if column.window is None else Fraction(0) for column in self.computed.columns]

    @staticmethod
    def _total(column: tuple[Value, ...]) -> Value:
        return None if any(value is None for value in column) else sum((v for v in column if v is not None), Fraction(0))

    def _calculation(self, line: LineDef) -> tuple[Values, str]:
        tree = parse_formula(line.formula)
        needed = {name.text: self._of(self._named(name.text)) for name in names_in(tree)}
        values: list[Value] = []
        for place in range(len(self.computed.columns)):
            figures = self.computed.columns[place].window is not None
            values.append(evaluate(tree, {name: found[place] for name, (found, _) in needed.items()}.__getitem__) if figures else None)
        return tuple(values), unit_of(tree, lambda name: needed[name][1])

    def _named(self, label: str) -> LineDef:
        return self.by_key[self.key_by_label[label.casefold()]]

    def _operands(self, line: LineDef) -> tuple[str, ...]:
        if line.kind != "calculation":
            return ()
        named = [self._named(name.text) for name in names_in(parse_formula(line.formula))]
        return tuple(dict.fromkeys(f"{n.key}.total" if n.kind == "section" and n.total else n.key for n in named))

    def _total_parts(self, line: LineDef) -> Iterator[str]:
        money = self._of(line)[1]
        for inner in line.lines:
            if inner.kind == "section" and not inner.total:
                yield from self._total_parts(inner)
            elif inner.kind in ("line", "section") and self._of(inner)[1] == money:
                yield f"{inner.key}.total" if inner.kind == "section" else inner.key

    def _codes(self, line: LineDef) -> tuple[str, ...]:
        accounts = self.computed.view.frame.accounts
        mask = np.zeros(len(accounts), dtype=bool)
        todo = [line]
        while todo:
            current = todo.pop()
            if current.kind == "line":
                mask |= self.computed.masks[current.key]
            todo.extend(current.lines)
        return tuple(accounts.items[place].code for place in np.flatnonzero(mask))

    def _direction(self, line: LineDef) -> int:
        if line.favourable:
            return {"higher": 1, "lower": -1}.get(line.favourable, 0)
        if line.kind == "line":
            items = self.computed.view.frame.accounts.items
            types = {items[place].type for place in np.flatnonzero(self.computed.masks[line.key])}
            return -self.computed.signs[line.key] if types and types <= {"revenue", "expense"} else 0
        if line.kind == "section":
            inner = {self._direction(part) for part in line.lines if part.kind in ("line", "section")}
            return inner.pop() if len(inner) == 1 else 0
        return direction_of(parse_formula(line.formula), lambda name: self._direction(self._named(name)))

    def _expanded(self, line: LineDef, depth: int) -> Iterator[Row]:
        """One row per account of the selection, so that a new account appears by itself."""
        accounts = self.computed.view.frame.accounts
        for place in np.flatnonzero(self.computed.masks[line.key]):
            item = accounts.items[place]
            single = np.zeros(len(accounts), dtype=bool)
            single[place] = True
            quantity = item.type == "statistical"
            values = self._summed(line, single, QUANTITY_DIGITS if quantity else self.computed.node.digits)
            yield Row(
                f"{line.key}:{item.code}",
                f"{item.code} {item.name}",
                "account",
                depth,
                (item.code,),
                values,
                "quantity" if quantity else "money",
                direction=0 if item.type not in ("revenue", "expense") else -self.computed.signs[line.key],
                line=line.key,
                account=item.code,
            )


# compare, suppress --------------------------------------------------------------------------------------------------


def percent(a: Value, b: Value) -> Value:
    """(a - b) / |b|; None (n/m) when b is zero or the signs differ."""
    if a is None or b is None or b == 0 or a * b < 0:
        return None
    return (a - b) / abs(b)


def _compare(row: Row, computed: Computed) -> Row:
    if not row.has_figures:
        return row
    values = list(row.values)
    for place, column in enumerate(computed.columns):
        if column.kind == "figures":
            continue
        a, b = (values[computed.place(key)] for key in column.asked.of)
        if column.kind == "percent":
            values[place] = percent(a, b)
        else:
            values[place] = None if a is None or b is None else a - b
    return replace(row, values=tuple(values))


def _suppress(rows: list[Row], computed: Computed) -> list[Row]:
    by_key = {row.key: row for row in rows}
    return [replace(row, hidden=_is_hidden(row, computed, by_key)) for row in rows]


def _is_hidden(row: Row, computed: Computed, by_key: dict[str, Row]) -> bool:
    line = computed.line(row.line)
    hide = line.hide or ("when nothing was booked" if row.kind == "account" else "never")
    if hide in ("never", "always") or not row.has_figures:
        return hide == "always" or row.kind == "check"
    if hide == "when zero":
        shown = [v for v, c in zip(row.values, computed.columns, strict=True) if c.kind == "figures" and not c.hidden]
        return not any(shown)
    booked = computed.booked_accounts()
    index = computed.view.frame.accounts.index
    codes = row.codes or tuple(code for part in row.parts for code in by_key[part].codes if part in by_key)
    return not any(booked[index[code]] for code in codes)
