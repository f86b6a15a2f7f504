"""The sets of rows that can be asked of a ledger: their fields, and where each stands in the tables.

Every set that says an account, entity, member, counterparty, period or scenario can say what these are called and what
stands above them; tables beside the ledger join along the columns that they share with a set.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Final

from rulka.core.books.book import View
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.extracting.fields import Field, FieldKind, RowKind
from rulka.core.money import LIMIT, QUANTITY_DIGITS
from rulka.ledger.models import Ledger

Rows = Callable[[], Iterable[Sequence[Any]]]
RATE_DIGITS: Final = 12
BY_LINE: Final = ("journal lines", "entries", "documents", "budgets")
"""Sets that show what is finer than balances: closed to whoever gets no deeper than accounts."""

TITLES: Final = {
    "journal lines": "Journal lines", "entries": "Entries", "balances": "Balances", "budgets": "Budget rows",
    "accounts": "Accounts", "members": "Members", "counterparties": "Counterparties", "rates": "Rates",
    "documents": "Document numbers", "revisions": "Revisions",
}  # fmt: skip


@dataclass(frozen=True)
class RowSource:
    """Where a set's rows are: what it selects from, each field's expression, and the tables to join for it, in order.

    `{lines}` in `base` is the table of journal lines at the revision asked for, `{inner}` a condition on it. `inner`
    says by field the expression that such a condition can use. `keyed` are fields that tell posting keys, so that a
    condition on them chooses keys; `table` are rows to be written into a table of their own first.
    """

    rows: RowKind
    base: str
    sql: Mapping[str, str]
    needs: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    inner: Mapping[str, str] = field(default_factory=dict)
    keyed: frozenset[str] = frozenset()
    table: Rows | None = None
    by_line: bool = False
    raw: Mapping[str, str] = field(default_factory=dict)
    """Expressions that conditions use where they differ from what is shown: those that an index knows."""


def scale_of(view: View, ledger: Ledger) -> int:
    """The decimals that all amounts of a ledger's rows are brought to; refused where they would leave 64 bits."""
    digits = {QUANTITY_DIGITS, *view.frame.digits.tolist()}
    most = int(max(digits))
    if int(ledger.absolute_total) * 10 ** (most - min(digits)) >= LIMIT:
        raise RulkaError(
            "The amounts of this ledger are too large for rows in several currencies.",
            hint="Ask for one entity at a time in the journal.", code="too-much",
        )  # fmt: skip
    return most


def key_fields(view: View, group: str = "Account") -> list[Field]:
    """What a posting key says: account, entity, partner, members."""
    return [
        Field("account", "Account", group, "code", "account"),
        Field("entity", "Entity", "Entity", "code", "entity"),
        Field("partner", "Partner entity", "Entity", "code", "partner"),
        Field("currency", "Currency", "Entity", "text", note="or the unit of a quantity"),
        *(Field(name, name.capitalize(), "Members", "code", name) for name in view.frame.dimensions),
    ]


def key_sql(view: View) -> dict[str, str]:
    own = {"account": "k.account", "entity": "k.entity", "partner": "k.partner", "currency": "k.currency"}
    return own | {name: f"k.d{at}" for at, name in enumerate(view.frame.dimensions)}


# what codes are called ----------------------------------------------------------------------------------------------

ATTRIBUTES: Final[Mapping[str, tuple[tuple[str, str, FieldKind], ...]]] = {
    "account": (
        ("name", "name", "text"), ("type", "type", "text"), ("category", "category", "text"),
        ("parent", "parent", "code"), ("parent name", "parent_name", "text"), ("unit", "unit", "text"),
        ("intercompany", "intercompany", "flag"), ("active", "active", "flag"), ("rate", "rate", "text"),
    ),
    "entity": (("name", "name", "text"), ("parent", "parent", "code")),
    "partner": (("name", "name", "text"),),
    "counterparty": (("name", "name", "text"), ("kind", "kind", "text"), ("address", "address", "text")),
    "scenario": (("name", "name", "text"), ("kind", "kind", "text")),
    "period": (
        ("title", "title", "text"), ("year", "year", "number"), ("quarter", "quarter", "number"),
        ("start", "start", "date"), ("end", "end", "date"), ("adjusting", "adjusting", "flag"),
    ),
    "": (("name", "name", "text"), ("parent", "parent", "code"), ("parent name", "parent_name", "text")),
}  # fmt: skip
"""By what a code is of, what it can say besides: the field's ending, the column of its table, its kind. The last one is
every dimension's."""

GROUPS: Final = {
    "account": "Account", "entity": "Entity", "partner": "Entity", "counterparty": "Counterparty",
    "scenario": "Scenario", "period": "Time",
}  # fmt: skip


def with_attributes(source: RowSource, own: Mapping[str, str] | None = None) -> RowSource:
    """A set with what its codes are called; `own` are names of fields that the set has itself already."""
    fields, sql, needs = list(source.rows.fields), dict(source.sql), dict(source.needs)
    known = {one.name for one in fields}
    for one in source.rows.fields:
        of = "period" if one.kind == "period" else one.of
        if one.kind not in ("code", "period") or not of or (own and one.name in own):
            continue
        group = GROUPS.get(of, one.group)
        alias = _alias(one.name)
        for ending, column, kind in ATTRIBUTES.get(of, ATTRIBUTES[""]):
            name = f"{one.name} {ending}"
            if name in known:
                continue
            known.add(name)
            title = f"{one.title} {ending}"
            fields.append(Field(name, title, group, kind, of if kind == "code" else ""))
            sql[name] = f"{alias}.{column}"
            needs[name] = (*source.needs.get(one.name, ()), alias)
    return RowSource(
        RowKind(source.rows.name, source.rows.title, _in_order(fields), source.rows.identity, source.rows.bounds,
               source.rows.note),
        source.base, sql, needs, source.inner, source.keyed, source.table, source.by_line, source.raw,
    )  # fmt: skip


def with_rates(source: RowSource, group_currency: str) -> RowSource:
    """A set that says periods and currencies, with their rates into the group's."""
    names = {one.name for one in source.rows.fields}
    if not {"period", "currency"} <= names or source.rows.name == "rates":
        return source
    note = f"one unit in {group_currency}"
    fields = [
        Field(f"rate {kind}", f"Rate, {kind}", "Rates", "number", digits=RATE_DIGITS, note=note)
        for kind in ("average", "closing")
    ]
    sql = {**source.sql, "rate average": "x_rates.average", "rate closing": "x_rates.closing"}
    shared = (*source.needs.get("period", ()), *source.needs.get("currency", ()))
    needs = {**source.needs, **{one.name: (*shared, "x_rates") for one in fields}}
    return replace(source, rows=source.rows.with_fields(fields), sql=sql, needs=needs)


def _alias(name: str) -> str:
    return "x_" + "".join(part if part.isalnum() else "_" for part in name)


def _in_order(fields: Sequence[Field]) -> tuple[Field, ...]:
    """The fields with those of one group beside each other, groups in the order in which they first come."""
    groups = list(dict.fromkeys(one.group for one in fields))
    return tuple(sorted(fields, key=lambda one: groups.index(one.group)))


def attribute_join(source: RowSource, alias: str) -> tuple[str, str] | None:
    """The field whose codes an alias says more of, and what they are of."""
    for one in source.rows.fields:
        if _alias(one.name) == alias:
            return one.name, "period" if one.kind == "period" else one.of
    return None


# the sets -----------------------------------------------------------------------------------------------------------


PLAIN_NAME = re.compile(r"[\w .\-/()]{1,60}")
"""Names of kept columns that can stand in an expression: no quotes and no percent signs."""


def kept_field(name: str) -> tuple[Field, str]:
    """A further column that a source kept with its lines, and its expression; its name is plain."""
    if not PLAIN_NAME.fullmatch(name):
        raise ValueError(f"'{name}' is no plain name")
    text = f"CASE l.attributes WHEN '' THEN '' ELSE COALESCE(json_extract(l.attributes, '$.\"{name}\"'), '') END"
    return Field(f"kept {name}".casefold(), name, "Kept columns", "text", note="as its source has it"), text


KIND = (
    "CASE WHEN l.effect = 1 THEN 'opening' WHEN l.effect = 2 THEN 'closing' WHEN e.kind = 'adjusting' THEN 'adjusting' "
    "ELSE 'normal' END"
)


def moment(column: str) -> str:
    """A stored moment to the minute, in UTC: `2026-10-05 14:03`."""
    return f"COALESCE(substr({column}, 1, 16), '')"


STATUS_SQL: Final = "CASE l.status WHEN 0 THEN 'posted' ELSE 'pending' END"
AFTER_CLOSE_SQL: Final = "CASE WHEN c.at IS NULL THEN 0 ELSE r.at > c.at END"
ENTRY_NEEDS: Final[Mapping[str, tuple[str, ...]]] = {
    "entry": ("e",), "kind": ("e",), "modified": ("e",), "arrived": ("r",), "after close": ("e", "r", "c"),
}  # fmt: skip
"""Tables that columns of lines and entries need besides."""
LINE_SQL: Final[Mapping[str, str]] = {
    "date": "l.date || ''", "period": "l.period", "line": "l.line", "debit": "l.debit * k.factor",
    "credit": "l.credit * k.factor", "amount": "(l.debit - l.credit) * k.factor", "description": "l.description",
    "status": STATUS_SQL, "transaction currency": "l.transaction_currency",
    "transaction amount": "l.transaction_amount", "batch": "l.batch", "entry": "e.number", "kind": KIND,
    "document": "l.document", "source": "l.source", "user": 'l."user"', "modified": moment("e.modified_at"),
    "revision": "l.revision", "arrived": moment("r.at"), "after close": AFTER_CLOSE_SQL,
    "counterparty": "l.counterparty", "counterparty said": "l.counterparty_name",
}  # fmt: skip


def journal_lines(view: View, scale: int, kept: Sequence[str] = ()) -> RowSource:
    """One row a journal line; `kept` names further columns that their source kept with some."""
    fields = (
        Field("date", "Date", "Line", "date"),
        Field("period", "Period", "Time", "period"),
        Field("line", "Line", "Line", "text"),
        Field("debit", "Debit", "Line", "amount", digits=scale),
        Field("credit", "Credit", "Line", "amount", digits=scale),
        Field("amount", "Amount", "Line", "amount", digits=scale, note="debit less credit"),
        Field("description", "Text", "Line", "text"),
        Field("status", "Status", "Line", "text"),
        Field("transaction currency", "Transaction currency", "Line", "text"),
        Field("transaction amount", "Transaction amount", "Line", "number", digits=2),
        Field("batch", "Batch", "Line", "text"),
        Field("entry", "Entry", "Entry", "text"),
        Field("kind", "Kind", "Entry", "text"),
        Field("document", "Document", "Entry", "text"),
        Field("source", "Source", "Entry", "text"),
        Field("user", "User", "Entry", "text"),
        Field("modified", "Modified", "Entry", "moment", note="in its source"),
        Field("revision", "Revision", "Entry", "number", note="that brought the line"),
        Field("arrived", "Arrived", "Entry", "moment", note="when it was loaded"),
        Field("after close", "After close", "Entry", "flag", note="came once its period was closed"),
        Field("counterparty", "Counterparty", "Counterparty", "code", "counterparty"),
        Field("counterparty said", "Counterparty as posted", "Counterparty", "text"),
        *key_fields(view),
        *(kept_field(name)[0] for name in kept),
    )
    sql = {**LINE_SQL, **key_sql(view), **{field.name: text for field, text in map(kept_field, kept)}}
    rows = RowKind(
        "journal lines", TITLES["journal lines"], fields, ("entity", "entry", "line"),
        ("date", "period", "entry", "document", "counterparty", "batch", "revision", "arrived"),
    )  # fmt: skip
    base = "{keys_and_lines}"
    keyed = frozenset({"account", "entity", "partner", *view.frame.dimensions})
    raw = {"date": "l.date"}
    return with_attributes(RowSource(rows, base, sql, ENTRY_NEEDS, keyed=keyed, by_line=True, raw=raw))


LINE_JOINS: Final = {
    "e": "CROSS JOIN ledger_journalentry e ON e.id = l.entry_id",
    "r": "LEFT JOIN ledger_revision r ON r.ledger_id = {ledger} AND r.number = l.revision",
    "c": (
        "LEFT JOIN ledger_closedperiod c ON c.entity_id = e.entity_id AND c.period = l.period AND c.opened IS NULL"
    ),
}  # fmt: skip
"""What lines join to besides what their codes are called, in this order."""


ENTRY_BASE: Final = (
    "(SELECT l.entry_id, k.entity, MAX(k.money) AS currency, l.period, l.date, l.status, l.effect, COUNT(*) AS "
    "lines, SUM(CASE k.money WHEN '' THEN 0 ELSE l.debit * k.factor END) AS debits, SUM(CASE k.money WHEN '' THEN "
    "0 ELSE l.credit * k.factor END) AS credits, COUNT(DISTINCT k.account) AS accounts, MAX(l.document) AS "
    'document, MAX(l.source) AS source, MAX(l."user") AS user, MAX(l.description) AS description, MAX(l.revision) '
    "AS revision FROM {keys_and_lines} WHERE {inner} GROUP BY l.entry_id, k.entity, l.period, l.date, l.status, "
    "l.effect) l"
)
ENTRY_SQL: Final[Mapping[str, str]] = {
    "date": "l.date || ''", "entity": "l.entity", "currency": "l.currency", "entry": "e.number",
    "period": "l.period", "kind": KIND, "status": STATUS_SQL, "lines": "l.lines", "debits": "l.debits",
    "credits": "l.credits", "accounts": "l.accounts", "document": "l.document", "source": "l.source",
    "user": "l.user", "description": "l.description", "modified": moment("e.modified_at"),
    "revision": "l.revision", "arrived": moment("r.at"), "after close": AFTER_CLOSE_SQL,
}  # fmt: skip


def entries(view: View, scale: int) -> RowSource:
    """One row an entry, of the lines that show."""
    fields = (
        Field("date", "Date", "Entry", "date"),
        Field("entity", "Entity", "Entity", "code", "entity"),
        Field("currency", "Currency", "Entity", "text"),
        Field("entry", "Entry", "Entry", "text"),
        Field("period", "Period", "Time", "period"),
        Field("kind", "Kind", "Entry", "text"),
        Field("status", "Status", "Entry", "text"),
        Field("lines", "Lines", "Entry", "number", adds=True),
        Field("debits", "Debits", "Entry", "amount", digits=scale, note="without quantities"),
        Field("credits", "Credits", "Entry", "amount", digits=scale),
        Field("accounts", "Accounts", "Entry", "number", note="how many"),
        Field("document", "Document", "Entry", "text"),
        Field("source", "Source", "Entry", "text"),
        Field("user", "User", "Entry", "text"),
        Field("description", "Text", "Entry", "text"),
        Field("modified", "Modified", "Entry", "moment", note="in its source"),
        Field("revision", "Revision", "Entry", "number", note="that brought its newest line"),
        Field("arrived", "Arrived", "Entry", "moment"),
        Field("after close", "After close", "Entry", "flag", note="came once its period was closed"),
    )
    rows = RowKind(
        "entries", TITLES["entries"], fields, ("entity", "entry"),
        ("date", "period", "entry", "document", "revision", "arrived"),
    )  # fmt: skip
    return with_attributes(
        RowSource(
            rows,
            ENTRY_BASE,
            ENTRY_SQL,
            ENTRY_NEEDS,
            {"date": "l.date", "period": "l.period"},
            frozenset({"entity"}),
            by_line=True,
            raw={"date": "l.date"},
        )
    )


def budgets(view: View, scale: int) -> RowSource:
    """One row a budget row, as it was loaded."""
    fields = (
        Field("scenario", "Scenario", "Scenario", "code", "scenario"),
        Field("period", "Period", "Time", "period"),
        Field("amount", "Amount", "Row", "amount", digits=scale, note="debit positive"),
        Field("note", "Note", "Row", "text"),
        Field("revision", "Revision", "Row", "number", note="that brought the row"),
        Field("arrived", "Arrived", "Row", "moment"),
        *key_fields(view),
    )
    sql = {
        "scenario": "s.code", "period": "b.period", "amount": "b.amount * k.factor", "note": "b.note",
        "revision": "b.revision", "arrived": moment("r.at"), **key_sql(view),
    }  # fmt: skip
    identity = ("scenario", "entity", "account", "partner", *view.frame.dimensions, "period")
    rows = RowKind("budgets", TITLES["budgets"], fields, identity)
    base = "{budget} b CROSS JOIN {keys} k ON k.id = b.key_id JOIN ledger_scenario s ON s.id = b.scenario_id"
    keyed = frozenset({"account", "entity", "partner", *view.frame.dimensions})
    return with_attributes(RowSource(rows, base, sql, {"arrived": ("br",)}, keyed=keyed, by_line=True))


BUDGET_JOINS: Final = {"br": "LEFT JOIN ledger_revision r ON r.ledger_id = {ledger} AND r.number = b.revision"}


def of_table(rows: RowKind, made: Rows) -> RowSource:
    """A set whose rows are written into a table of their own: a column each, in the order of its fields."""
    sql = {one.name: f"t.c{at}" for at, one in enumerate(rows.fields)}
    return with_attributes(RowSource(rows, "{table} t", sql, table=made))


def with_side(
    source: RowSource, name: str, columns: Sequence[Field], shared: Sequence[str], position: int
) -> RowSource:
    """A set with the columns of a table beside the ledger, found by the fields that both have."""
    alias = f"y_{position}"
    more, sql, needs = [], dict(source.sql), dict(source.needs)
    known = {one.name for one in source.rows.fields}
    for one in columns:
        field_name = f"{name} {one.name}".casefold()
        if one.name in shared or field_name in known:
            continue
        by = ", ".join(shared)
        more.append(Field(field_name, f"{name}: {one.title}", name, one.kind, one.of, one.digits, note=f"by {by}"))
        at = next(place for place, column in enumerate(columns) if column is one)
        sql[field_name] = f"{alias}.c{at}"
        needs[field_name] = (*dict.fromkeys(part for key in shared for part in source.needs.get(key, ())), alias)
    if not more:
        return source
    return RowSource(
        source.rows.with_fields(more), source.base, sql, needs, source.inner, source.keyed, source.table,
        source.by_line, source.raw,
    )  # fmt: skip


def unknown_set(name: str, known: Iterable[str]) -> NotFound:
    """What to raise for rows that there are none of."""
    return NotFound(f"There are no rows called '{name[:60]}'.", hint=one_of(name, list(known)), subject="rows")
