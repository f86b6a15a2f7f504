"""An extract with its answers, over a set of rows, as a query: typed columns, conditions, what is put together, order.
Whoever reads rows answers it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from rulka.core.errors import RulkaError
from rulka.core.extracting.asking import AskedAnswers, with_answers
from rulka.core.extracting.conditions import Clock, Condition, Either, bounded_by, read_condition
from rulka.core.extracting.definitions import (
    TOTAL_WORDS,
    ConditionDef,
    ExtractColumnDef,
    ExtractDef,
    SortDef,
    Total,
    matched,
)
from rulka.core.extracting.fields import Field, RowKind
from rulka.core.extracting.formulas import ColumnFormula, read_formula

COUNTED = ("count", "distinct")


@dataclass(frozen=True, eq=False)
class ResultColumn:
    """One column of the result: what it is made of (a field, a formula over fields, or with `after` over columns) and
    what it holds. `total` says what becomes of it where rows are put together."""

    key: str
    title: str
    shows: Field
    """What a cell of it holds, with its kind, codes and decimals."""
    field: Field | None = None
    formula: ColumnFormula | None = None
    total: Total = ""
    after: bool = False

    @property
    def is_numeric(self) -> bool:
        return self.shows.is_numeric


@dataclass(frozen=True, eq=False)
class Query:
    """What is asked of a set of rows. `keep` is judged over columns (their places as fields' names), after rows were
    put together; `sort` are places of columns, each falling or not."""

    rows: RowKind
    columns: tuple[ResultColumn, ...]
    where: tuple[Condition, ...]
    keep: tuple[Condition, ...] = ()
    sort: tuple[tuple[int, bool], ...] = ()
    top: int = 0

    @property
    def is_grouped(self) -> bool:
        return any(column.total for column in self.columns)

    @property
    def is_bounded(self) -> bool:
        """Whether something that bounds how many rows there are is held to certain values."""
        return not self.rows.bounds or bool(bounded_by(self.where) & set(self.rows.bounds))

    def place(self, key: str) -> int:
        """A column's place by what it is called."""
        keys = [column.key for column in self.columns]
        return keys.index(matched(key, keys))

    @property
    def identity(self) -> tuple[int, ...]:
        """The places of the columns that tell a row from every other one; all where nothing less does."""
        if self.is_grouped:
            return tuple(at for at, column in enumerate(self.columns) if not column.total and not column.after)
        by_field = {column.field.name: at for at, column in enumerate(self.columns) if column.field}
        if all(name in by_field for name in self.rows.identity):
            return tuple(by_field[name] for name in self.rows.identity)
        return tuple(range(len(self.columns)))


def query_of(extract: ExtractDef, rows: RowKind, answers: AskedAnswers, clock: Clock) -> Query:
    """An extract as a query; raises RulkaError that says which column or condition is wrong."""
    columns = _columns(extract, rows)
    where = tuple(_condition(one, rows, clock) for one in with_answers(extract.where, answers))
    results = _as_rows(extract.title, columns)
    keep = tuple(_condition(one, results, clock, named=True) for one in with_answers(extract.keep, answers))
    keys = [column.key for column in columns]
    sort = tuple((keys.index(matched(one.column, keys)), one.falling) for one in extract.sort)
    return Query(rows, columns, where, keep, sort, extract.top)


def _as_rows(title: str, columns: Sequence[ResultColumn]) -> RowKind:
    """The columns as fields that conditions may be about; a field's name is its column's place."""
    fields = tuple(replace(column.shows, name=str(at), title=column.key) for at, column in enumerate(columns))
    return RowKind(title, title, fields, ())


def _condition(one: ConditionDef, rows: RowKind, clock: Clock, *, named: bool = False) -> Condition:
    if one.any_of:
        return Either(tuple(_condition(inner, rows, clock, named=named) for inner in one.any_of))
    if named:
        keys = [field.title for field in rows.fields]
        field = rows.fields[keys.index(matched(one.field, keys))]
    else:
        field = rows.field(one.field)
    return read_condition(field, one.words, clock)


def _columns(extract: ExtractDef, rows: RowKind) -> tuple[ResultColumn, ...]:
    plain: dict[int, ResultColumn] = {}
    for number, column in enumerate(extract.columns):
        if column.field:
            plain[number] = _of_field(column, rows)
    totals = any(column.total for column in plain.values())
    made: dict[int, ResultColumn] = dict(plain)
    for number, column in enumerate(extract.columns):
        if column.formula:
            before = [made[earlier] for earlier in sorted(made) if earlier < number]
            made[number] = _of_formula(column, rows, before, totals)
    return tuple(made[number] for number in range(len(extract.columns)))


def _of_field(one: ExtractColumnDef, rows: RowKind) -> ResultColumn:
    field = rows.field(one.field)
    if one.total in ("sum", "average") and not field.is_numeric:
        raise RulkaError(
            f"'{field.title}' has no {one.total}: it is no number.", hint="Count it, or take the least or most.",
            subject=one.key,
        )  # fmt: skip
    shows = (
        Field(one.key, one.title or field.title, "", "number", adds=one.total == "count")
        if one.total in COUNTED
        else field
    )
    title = one.title or (f"{TOTAL_WORDS[one.total].capitalize()} {field.title}" if one.total else field.title)
    key = one.title or (one.key if one.total else field.name)
    return ResultColumn(key, title, shows, field=field, total=one.total)


def _of_formula(one: ExtractColumnDef, rows: RowKind, before: Sequence[ResultColumn], grouped: bool) -> ResultColumn:
    """A formula reads fields; where rows are put together and it names such a column, it is made of columns after
    that."""
    columns = {column.key: replace(column.shows, name=column.key) for column in before}
    fields = {field.name: field for field in rows.fields}
    formula = read_formula(one.formula, {**fields, **columns}, kind=one.kind, where=one.key)
    after = grouped and any(name in columns for name in formula.reads)
    if not after:
        own = {column.key: column for column in before if column.key in formula.reads and column.key not in fields}
        if any(column.formula for column in own.values()):
            after = True  # a formula over a formula reads its result
        elif own:
            # a renamed column is its field
            renamed = {key: column.field for key, column in own.items() if column.field}
            formula = read_formula(one.formula, {**fields, **renamed}, kind=one.kind, where=one.key)
            reads = (renamed[name].name if name in renamed else name for name in formula.reads)
            formula = replace(formula, reads=tuple(reads))
    if after:
        stray = [name for name in formula.reads if name not in columns]
        if stray:
            raise RulkaError(
                f"'{stray[0]}' is no column, and the formula reads columns.", hint="Add it as a column.",
                subject=one.key,
            )  # fmt: skip
    shows = Field(one.key, one.title, "", formula.kind, digits=formula.digits)
    return ResultColumn(one.key, one.title, shows, formula=formula, after=after)


# results ------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class QuerySums:
    """How many rows there are, what the columns that can be added come to (by place and currency, scaled), and of codes
    and texts how many different ones."""

    count: int
    sums: Mapping[int, Mapping[str, int]]
    different: Mapping[int, int]


def summable(column: ResultColumn) -> bool:
    """Whether the cells of a column may be added up: amounts, and numbers that count something."""
    if column.total in ("distinct", "average", "least", "most"):
        return False
    return column.shows.kind == "amount" or (column.shows.kind == "number" and column.shows.adds)


def adds_money(query: Query) -> bool:
    """Whether rows are put together so that amounts are added up or compared."""
    return any(column.total not in ("", *COUNTED) and column.shows.kind == "amount" for column in query.columns)


CURRENCY = "currency"
"""The field that says what a row's amounts are in: a currency, or the unit of a quantity."""
OF_ONE_CURRENCY = ("currency", "entity", "entity currency", "entity name")
"""Fields of which rows put together are in one currency, but for quantities."""


def sort_words(query: Query) -> list[SortDef]:
    """By what rows are ordered, in words."""
    return [SortDef(query.columns[at].key, falling) for at, falling in query.sort]


def plain(value: Any, field: Field) -> str:
    """A stored value as plain text: exact, with a point and all its decimals."""
    from rulka.core.books.calendar import period_code
    from rulka.core.money import minor_text

    if value is None:
        return ""
    if field.is_numeric:
        return minor_text(int(value), field.digits)
    if field.kind == "period":
        return period_code(int(value))
    if field.kind == "flag":
        return "yes" if value else "no"
    return str(value)
