"""A query or a headed list from elsewhere as a draft extract: its tables, columns and parameters found among the sets
of rows that there are here, and listed where they are not."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Final, Literal

from rulka.core.books.selection import SelectionPart
from rulka.core.errors import RulkaError, one_of
from rulka.core.extracting.definitions import MOST_COLUMNS, Total
from rulka.core.extracting.fields import Field, RowKind

Sign = Literal["=", "<>", "<", "<=", ">", ">=", "in", "between", "begins", "contains", "empty"]

SETS: Final[Mapping[str, tuple[str, ...]]] = {
    "journal lines": ("lines", "journal", "journal line", "gl", "gl line", "gl lines", "general ledger", "ledger lines",
                      "postings", "posting", "transactions", "journal entry lines", "entry lines", "gl details",
                      "buchungen", "bookings"),
    "entries": ("entry", "journal entries", "journal headers", "vouchers", "documents headers", "entry headers"),
    "balances": ("balance", "gl balances", "account balances", "trial balance", "salden"),
    "budgets": ("budget", "budget lines", "plan", "plans", "budget rows"),
    "accounts": ("account", "chart of accounts", "coa", "gl accounts", "konten"),
    "members": ("member", "dimensions", "departments", "cost centres", "cost centers"),
    "counterparties": ("counterparty", "vendors", "suppliers", "customers", "partners", "business partners"),
    "rates": ("rate", "exchange rates", "fx rates", "currency rates"),
}  # fmt: skip
"""What sets of rows may be called elsewhere."""
OWN: Final = {"accounts": "account", "counterparties": "counterparty", "members": "member"}
"""Of master data what `code`, `name` and the like are of."""
NAMES: Final = {"counterparty_name": "counterparty name", "partner_entity": "partner", "modified_at": "modified",
                "transaction_currency": "currency", "code": "code"}  # fmt: skip
PERIOD = re.compile(r"([0-9]{4})[-/ ]?(?:P|p|M)?([0-9]{2})")


@dataclass(frozen=True)
class WantedField:
    """A column elsewhere: its name there, its title, what becomes of it where rows are put together."""

    name: str
    title: str = ""
    total: Total = ""


@dataclass(frozen=True)
class Limit:
    """A condition elsewhere: a column, how it is compared, with which values; a parameter is written `{name}`."""

    name: str
    sign: Sign
    values: tuple[str, ...] = ()
    negated: bool = False

    @property
    def asks(self) -> list[str]:
        """The parameters among its values."""
        return [value[1:-1] for value in self.values if value.startswith("{") and value.endswith("}")]

    @property
    def words(self) -> str:
        """It as people read it."""
        return f"{self.name} {'not ' if self.negated else ''}{self.sign} {', '.join(self.values)}".strip()


@dataclass(frozen=True)
class Foreign:
    """What stands elsewhere: tables, columns, conditions, order, how many rows; `left` is what can't be said here."""

    tables: tuple[str, ...] = ()
    columns: tuple[WantedField, ...] = ()
    limits: tuple[Limit, ...] = ()
    order: tuple[tuple[str, bool], ...] = ()
    top: int = 0
    parameters: tuple[str, ...] = ()
    left: tuple[str, ...] = ()


@dataclass(frozen=True)
class Draft:
    """A draft extract and where it comes from: each column elsewhere with the field it became, and what is unknown."""

    body: Mapping[str, Any]
    rows: str
    found: tuple[tuple[str, str], ...]
    tables: tuple[tuple[str, str], ...] = ()
    columns: tuple[tuple[str, str], ...] = ()
    parameters: tuple[tuple[str, str], ...] = ()
    left: tuple[str, ...] = ()

    @property
    def is_whole(self) -> bool:
        """Whether all of it was brought over."""
        return not (self.tables or self.columns or self.parameters or self.left)


Words = Mapping[str, tuple[str, ...]]
"""By what a field is called here, what it may be called elsewhere."""


def plain(text: str) -> str:
    """A name elsewhere as words: `PostingDate`, `POSTING_DATE` and `posting date` are the same."""
    spaced = re.sub(r"(?<=[a-z0-9])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])", " ", text.strip())
    return " ".join(re.sub(r"[^0-9a-zA-Z\u00c0-\uffff]+", " ", spaced).lower().split())


def draft(foreign: Foreign, sets: Mapping[str, RowKind], words: Words, title: str) -> Draft:
    """A query or list as an extract over one of some sets of rows. Raises RulkaError where no column of it is known."""
    rows, unknown_tables = _rows_for(foreign, sets, words)
    kind = sets[rows]
    columns, found, unknown = _columns(foreign, kind, words)
    if not columns:
        names = ", ".join(one.name for one in foreign.columns[:8])
        raise RulkaError(
            f"None of its columns is known here: {names}.", hint=f"Rows of {kind.title} say "
            f"{', '.join(one.title.lower() for one in kind.fields[:8])} and more.", subject="columns",
        )  # fmt: skip
    builder = _Builder(kind, words)
    for limit in foreign.limits:
        builder.add(limit)
    parameters = [
        (name, "nothing here is compared with it") for name in foreign.parameters if name not in builder.asked
    ]
    body: dict[str, Any] = {"title": title, "rows": _said(rows), "columns": columns}
    if builder.where:
        body["where"] = builder.where
    if builder.asks:
        body["ask"] = builder.asks
    sort = _sort(foreign, columns, kind, words)
    if sort:
        body["sort"] = sort
    if foreign.top:
        body["top"] = str(foreign.top)
    columns_unknown = tuple(dict.fromkeys([*unknown, *builder.unknown]))
    return Draft(body, kind.title, tuple(found), tuple(unknown_tables), columns_unknown,
                 tuple(parameters), (*foreign.left, *builder.left))  # fmt: skip


def _said(rows: str) -> Any:
    return {"table": rows.removeprefix("table ")} if rows.startswith("table ") else rows


def _rows_for(
    foreign: Foreign, sets: Mapping[str, RowKind], words: Words
) -> tuple[str, list[tuple[str, str]]]:  # fmt: skip
    """The set that a query or list is of: the one that its tables are called like, else the one that knows most of its
    columns, and which tables are unknown."""
    named: list[str] = []
    unknown: list[tuple[str, str]] = []
    for table in foreign.tables:
        found = _set_named(table, sets)
        if found:
            named.append(found)
        else:
            unknown.append((table, one_of(table, [one.title for one in sets.values()])))
    candidates = list(dict.fromkeys(named)) or list(sets)
    best = max(candidates, key=lambda name: (_known(foreign, sets[name], words), -list(sets).index(name)))
    return best, unknown


def _set_named(table: str, sets: Mapping[str, RowKind]) -> str:
    name = plain(table.rpartition(".")[2])
    for own, kind in sets.items():
        called = {own, plain(kind.title), own.removeprefix("table "), *SETS.get(own, ())}
        if name in called or name.removesuffix("s") in called:
            return own
    return ""


def _known(foreign: Foreign, rows: RowKind, words: Words) -> int:
    names = [one.name for one in foreign.columns] + [one.name for one in foreign.limits]
    return sum(field_named(name, rows, words) is not None for name in names)


def field_named(name: str, rows: RowKind, words: Words) -> Field | None:
    """The field of a set that a name elsewhere means; None where nothing is surely meant."""
    wanted = plain(name.rpartition(".")[2])
    own = OWN.get(rows.name, "")
    by_name = {plain(one.name): one for one in rows.fields}
    by_title = {plain(one.title): one for one in rows.fields}
    for known in (wanted, f"{own} {wanted}".strip(), own if wanted in ("code", "id", "number", "no") else ""):
        found = by_name.get(known) or by_title.get(known)
        if known and found is not None:
            return found
    for key, called in words.items():
        if wanted in called:
            here = NAMES.get(key, key.replace("_", " "))
            for known in (here, f"{own} {here}".strip(), own if here == "code" else ""):
                if known and known in by_name:
                    return by_name[known]
    return None


def _columns(
    foreign: Foreign, rows: RowKind, words: Words
) -> tuple[list[Any], list[tuple[str, str]], list[tuple[str, str]]]:  # fmt: skip
    columns: list[Any] = []
    found: list[tuple[str, str]] = []
    unknown: list[tuple[str, str]] = []
    keys: set[str] = set()
    for one in foreign.columns[:MOST_COLUMNS]:
        field = field_named(one.name, rows, words)
        if field is None:
            unknown.append((one.name, one_of(plain(one.name), [each.name for each in rows.fields])))
            continue
        raw: dict[str, Any] = {"column": field.name}
        if one.total:
            raw["total"] = one.total
        title = " ".join((one.title or ("" if plain(one.name) == plain(field.title) else one.name)).split())[:80]
        if one.total and not title:
            title = one.name
        key = (title or field.name).casefold()
        if key in keys:
            title = f"{title or field.title} {sum(each.startswith(key) for each in keys) + 1}"
        keys.add((title or field.name).casefold())
        if title and title.casefold() != field.name.casefold():
            raw["as"] = title
        columns.append(raw if len(raw) > 1 else field.name)
        found.append((one.title or one.name, field.title))
    return columns, found, unknown


def _sort(foreign: Foreign, columns: Sequence[Any], rows: RowKind, words: Words) -> list[str]:
    keys = [one if isinstance(one, str) else one.get("as", one["column"]) for one in columns]
    by_field = {one if isinstance(one, str) else one["column"]: key for one, key in zip(columns, keys, strict=True)}
    found = []
    for name, falling in foreign.order:
        field = field_named(name, rows, words)
        key = next(
            (key for key in keys if key.casefold() == name.casefold()), by_field.get(field.name) if field else None
        )
        if key:
            found.append(f"{key} falling" if falling else key)
    return list(dict.fromkeys(found))


@dataclass
class _Builder:
    """Conditions and questions, one condition elsewhere after the other."""

    rows: RowKind
    words: Words
    where: list[dict[str, str]] = field(default_factory=list)
    asks: list[dict[str, str]] = field(default_factory=list)
    asked: set[str] = field(default_factory=set)
    unknown: list[tuple[str, str]] = field(default_factory=list)
    left: list[str] = field(default_factory=list)

    def add(self, limit: Limit) -> None:
        """A condition; listed where its column is unknown, or it can't be said here."""
        found = field_named(limit.name, self.rows, self.words)
        if found is None:
            self.unknown.append((limit.name, one_of(plain(limit.name), [one.name for one in self.rows.fields])))
            return
        said = _words(limit, found)
        if not said:
            self.left.append(limit.words)
            return
        names = {name: _asked(name) for name in limit.asks}
        for name, own in names.items():
            said = said.replace(f"{{{name}}}", f"{{{own}}}")
            if name not in self.asked:
                self.asks.append(_ask(own, found, limit))
            self.asked.add(name)
        self.where.append({found.name: f"not {said}" if limit.negated else said})


def _asked(name: str) -> str:
    """What a parameter is called here."""
    own = re.sub(r"[^a-z0-9_]+", "_", plain(name).replace(" ", "_")).strip("_")[:40]
    return own if own and own[0].isalpha() else f"p_{own}"[:40]


def _ask(name: str, of: Field, limit: Limit) -> dict[str, str]:
    kinds = {"date": "date", "moment": "date", "period": "period", "amount": "number", "number": "number",
             "flag": "yes or no"}  # fmt: skip
    if of.kind in kinds:
        return {"ask": name, "type": kinds[of.kind], "title": f"{of.title}, {name.replace('_', ' ')}"}
    if of.kind == "code":
        kind = "list" if limit.sign == "=" else "selection"
        return {"ask": name, "type": kind, "of": of.of, "title": of.title}
    return {"ask": name, "type": "text", "title": of.title}


def _words(limit: Limit, of: Field) -> str:
    """What a condition says here; empty where it can't be said."""
    values = [_value(value, of) for value in limit.values]
    if limit.sign == "empty":
        return "empty"
    if not values or any(value is None for value in values):
        return ""
    told = [value or "" for value in values]
    numeric = of.kind in ("amount", "number", "date", "moment", "period")
    bounds = {">=": "at least", ">": "more than", "<=": "at most", "<": "less than"}
    if of.kind in ("date", "moment", "period"):
        bounds = {">=": "from", ">": "after", "<=": "until", "<": "before"}
    match limit.sign:
        case "=" | "in":
            return ", ".join(told)
        case "<>":
            return f"not {', '.join(told)}"
        case "between":
            return f"{told[0]} to {told[1]}" if len(told) == 2 else ""
        case "begins":
            return (
                f"{told[0].strip(chr(34))}*" if of.kind == "code" else f"begins with {told[0]}" if not numeric else ""
            )
        case "contains":
            return "" if numeric else f"contains {told[0]}"
        case _:
            return f"{bounds[limit.sign]} {told[0]}" if numeric else ""


def _value(value: str, of: Field) -> str | None:
    """A value as conditions write it; None for one that the field can't have."""
    if value.startswith("{") and value.endswith("}"):
        return value
    text = value.strip()
    if of.kind == "period":
        match = PERIOD.fullmatch(text)
        return f"{match[1]}-P{match[2]}" if match else None
    if of.kind in ("date", "moment"):
        return text[:10] if re.fullmatch(r"[0-9]{4}-[0-9]{2}-[0-9]{2}.*", text) else None
    if of.kind in ("amount", "number"):
        return text if re.fullmatch(r"-?[0-9]+(\.[0-9]+)?", text) else None
    if of.kind == "flag":
        return {"1": "yes", "0": "no", "true": "yes", "false": "no", "y": "yes", "n": "no"}.get(text.lower())
    return SelectionPart("code", text).text()


def of_list(headings: Iterable[str], rows: Sequence[Sequence[str]]) -> Foreign:
    """A headed list: its columns; a column that says the same in every row is a condition too."""
    names = [" ".join(str(one).split()) for one in headings]
    limits = []
    for at, name in enumerate(names):
        values = {row[at].strip() for row in rows if at < len(row)}
        if name and len(rows) > 2 and len(values) == 1 and next(iter(values)):
            limits.append(Limit(name, "=", (next(iter(values)),)))
    return Foreign(columns=tuple(WantedField(name) for name in names if name), limits=tuple(limits))
