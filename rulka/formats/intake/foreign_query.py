"""A query from elsewhere, of any dialect, as its tables, columns, conditions and order; nothing of it is run."""

from __future__ import annotations

import csv
import io
import re
from typing import Any, Final

import sqlglot
from sqlglot import expressions as exp
from sqlglot.errors import SqlglotError

from rulka.core.errors import RulkaError
from rulka.core.extracting.bringing import Foreign, Limit, Sign, WantedField, of_list
from rulka.core.extracting.definitions import Total
from rulka.core.values import is_whole
from rulka.formats.intake.table_file import find_delimiter

MOST_TEXT: Final = 200_000
MOST_ROWS: Final = 2_000
DIALECTS: Final = ("", "tsql", "postgres", "oracle", "mysql", "sqlite", "bigquery", "snowflake")
TOTALS: Final[dict[type[Any], Total]] = {
    exp.Sum: "sum", exp.Count: "count", exp.Avg: "average", exp.Min: "least", exp.Max: "most",
}  # fmt: skip
SIGNS: Final[dict[type[Any], Sign]] = {
    exp.EQ: "=", exp.NEQ: "<>", exp.LT: "<", exp.LTE: "<=", exp.GT: ">", exp.GTE: ">=",
}  # fmt: skip
TURNED: Final[dict[str, Sign]] = {"<": ">", "<=": ">=", ">": "<", ">=": "<=", "=": "=", "<>": "<>"}
NAMED = re.compile(
    r"(?<![:\w@{]):([A-Za-z_]\w*)|@([A-Za-z_]\w*)|\{([A-Za-z_]\w*)\}|&([A-Za-z_]\w*)|\$\{([A-Za-z_]\w*)\}"
)
PARAMETER = re.compile(r"__asked_([A-Za-z_0-9]+)")
QUERY = re.compile(r"\s*(?:--[^\n]*\n|/\*.*?\*/|\s)*(select|with)\b", re.IGNORECASE | re.DOTALL)


def is_query(text: str) -> bool:
    """Whether a text is a query rather than a list."""
    return QUERY.match(text) is not None


def read_foreign(text: str) -> Foreign:
    """A query text or a headed list; raises RulkaError where it is neither."""
    if len(text) > MOST_TEXT:
        raise RulkaError(f"It is longer than {MOST_TEXT:,} signs.", hint="Give the head and some rows.", subject="list")
    if not text.strip():
        raise RulkaError("Nothing was given.", hint="Paste a query, or a list with its headings.", subject="list")
    return read_query(text) if is_query(text) else read_list(text)


def read_list(text: str) -> Foreign:
    """A headed list as text, with whatever mark between its cells."""
    lines = text.strip().splitlines()
    delimiter = "\t" if "\t" in lines[0] else find_delimiter("\n".join(lines[:50]))
    rows = [row for row in csv.reader(io.StringIO("\n".join(lines[: MOST_ROWS + 1])), delimiter=delimiter) if any(row)]
    if not rows or len(rows[0]) < 1 or all(re.fullmatch(r"-?[0-9.,]*", cell.strip()) for cell in rows[0]):
        raise RulkaError("It has no headings.", hint="Let the first line say what the columns are.", subject="list")
    return of_list(rows[0], rows[1:])


def read_query(text: str) -> Foreign:
    """A query text of any dialect; raises RulkaError where none reads it."""
    parameters: list[str] = []
    tree = _parsed(_with_parameters(text, parameters))
    select = tree.find(exp.Select) if not isinstance(tree, exp.Select) else tree
    if select is None:
        raise RulkaError("It selects nothing.", hint="Paste a query that begins with SELECT.", subject="list")
    left: list[str] = []
    if isinstance(tree, exp.SetOperation):
        left.append("the second half of a UNION")
    left += [f"WITH {one.alias}" for one in tree.find_all(exp.CTE)]
    aliases = {one.alias: _sql(one.this) for one in select.expressions if isinstance(one, exp.Alias)}
    columns = [found for one in select.expressions if (found := _column(one, left)) is not None]
    limits = _limits(select.args.get("where"), left) + _limits(select.args.get("having"), left)
    ctes = {one.alias for one in tree.find_all(exp.CTE)}
    tables = [one.name for one in select.find_all(exp.Table) if one.name not in ctes]
    order = [(_name(one.this, aliases), bool(one.args.get("desc"))) for one in _ordered(select)]
    limit = select.args.get("limit") or select.args.get("top")
    top = limit.expression if limit is not None else None
    return Foreign(
        tuple(dict.fromkeys(tables)), tuple(columns), tuple(limits), tuple(one for one in order if one[0]),
        int(top.this) if isinstance(top, exp.Literal) and is_whole(str(top.this)) else 0,
        tuple(dict.fromkeys(parameters)), tuple(dict.fromkeys(left)),
    )  # fmt: skip


def _with_parameters(text: str, parameters: list[str]) -> str:
    """Parameters of all dialects as plain names that can be told; those without a name by their number."""

    def named(match: re.Match[str]) -> str:
        name = next(part for part in match.groups() if part)
        parameters.append(name)
        return f"__asked_{name}"

    def numbered(match: re.Match[str]) -> str:
        if match[0] != "?":
            return match[0]
        parameters.append(f"p{len(parameters) + 1}")
        return f"__asked_{parameters[-1]}"

    outside = re.split(r"('(?:[^']|'')*'|\"[^\"]*\")", text)
    for at in range(0, len(outside), 2):
        outside[at] = re.sub(r"\?", numbered, NAMED.sub(named, outside[at]))
    return "".join(outside)


def _parsed(text: str) -> Any:
    for dialect in DIALECTS:
        try:
            found = sqlglot.parse(text, read=dialect or None)
        except (SqlglotError, RecursionError):
            continue
        trees = [one for one in found if one is not None]
        if len(trees) > 1:
            raise RulkaError("It holds several queries.", hint="Bring one at a time.", subject="list")
        if trees:
            return trees[0]
    raise RulkaError("The query can't be read.", hint="Paste it as it is run elsewhere, beginning with SELECT.",
                     subject="list")  # fmt: skip


def _ordered(select: exp.Select) -> list[Any]:
    order = select.args.get("order")
    return list(order.expressions) if order is not None else []


def _sql(node: Any) -> str:
    return str(node.sql())[:120].replace("__asked_", ":")


def _name(node: Any, aliases: dict[str, str]) -> str:
    return (
        node.name
        if isinstance(node, exp.Column)
        else next((key for key, text in aliases.items() if text == _sql(node)), "")
    )


def _column(node: Any, left: list[str]) -> WantedField | None:
    title = node.alias if isinstance(node, exp.Alias) else ""
    inner = node.this if isinstance(node, exp.Alias) else node
    while isinstance(inner, exp.Cast | exp.Paren):
        inner = inner.this
    if isinstance(inner, exp.Star) or (isinstance(inner, exp.Column) and isinstance(inner.this, exp.Star)):
        left.append("* for all columns: name those that are wanted")
        return None
    if isinstance(inner, exp.Column):
        return WantedField(inner.name, title)
    total = TOTALS.get(type(inner))
    if total and isinstance(inner.this, exp.Column | exp.Distinct):
        if isinstance(inner.this, exp.Distinct):
            of = inner.this.expressions[0] if inner.this.expressions else None
            if isinstance(of, exp.Column) and total == "count":
                return WantedField(of.name, title, "distinct")
        elif isinstance(inner.this, exp.Column):
            return WantedField(inner.this.name, title, total)
    if isinstance(inner, exp.Count) and isinstance(inner.this, exp.Star):
        return WantedField("line", title or "Lines", "count")
    left.append(_sql(node))
    return None


def _limits(node: Any, left: list[str]) -> list[Limit]:
    """The conditions that hold together, one by one; those that can't be told are left."""
    if node is None:
        return []
    inner = node.this if isinstance(node, exp.Where | exp.Having | exp.Paren) else node
    if isinstance(inner, exp.Paren):
        return _limits(inner, left)
    if isinstance(inner, exp.And):
        return _limits(inner.left, left) + _limits(inner.right, left)
    found = _limit(inner)
    if found is None:
        left.append(_sql(inner))
        return []
    return [found]


def _limit(node: Any) -> Limit | None:
    if isinstance(node, exp.Not):
        found = _limit(node.this.this if isinstance(node.this, exp.Paren) else node.this)
        return Limit(found.name, found.sign, found.values, not found.negated) if found else None
    if isinstance(node, exp.Is) and isinstance(node.this, exp.Column) and isinstance(node.expression, exp.Null):
        return Limit(node.this.name, "empty")
    if isinstance(node, exp.In) and isinstance(node.this, exp.Column) and node.expressions:
        values = [_value(one) for one in node.expressions]
        return Limit(node.this.name, "in", tuple(one for one in values if one)) if all(values) else None
    if isinstance(node, exp.Between) and isinstance(node.this, exp.Column):
        low, high = _value(node.args["low"]), _value(node.args["high"])
        return Limit(node.this.name, "between", (low, high)) if low and high else None
    if isinstance(node, exp.Like) and isinstance(node.this, exp.Column):
        return _like(node.this.name, _value(node.expression))
    sign = SIGNS.get(type(node))
    if sign is None:
        return None
    left, right = node.left, node.right
    if not isinstance(left, exp.Column) or _value(left):
        left, right, sign = right, left, TURNED[sign]
    value = _value(right)
    return Limit(left.name, sign, (value,)) if isinstance(left, exp.Column) and value is not None else None


def _like(name: str, value: str | None) -> Limit | None:
    if value is None or "_" in value.strip("%{}"):
        return None
    if value.startswith("%") and value.endswith("%") and "%" not in value[1:-1]:
        return Limit(name, "contains", (value[1:-1],))
    if value.endswith("%") and "%" not in value[:-1]:
        return Limit(name, "begins", (value[:-1],))
    return None if "%" in value else Limit(name, "=", (value,))


def _value(node: Any) -> str | None:
    """A plain value, or a parameter as `{name}`; None for anything that is computed."""
    while isinstance(node, exp.Cast | exp.Paren):
        node = node.this
    if isinstance(node, exp.Literal):
        return str(node.this)
    if isinstance(node, exp.Boolean):
        return "true" if node.this else "false"
    if isinstance(node, exp.Neg) and isinstance(node.this, exp.Literal):
        return f"-{node.this.this}"
    if isinstance(node, exp.Column):
        match = PARAMETER.fullmatch(node.name)
        return f"{{{match[1]}}}" if match else None
    return None
