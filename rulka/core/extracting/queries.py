"""A query text as it is written: SQL over views, what its columns hold, what it asks; and the values that answers give
to its parameters."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any, Final

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.extracting.asking import AskedAnswers, Known, answers_of, default_of
from rulka.core.extracting.conditions import Clock, days_of, periods_of
from rulka.core.extracting.definitions import AskDef, ExtractDef, ask_from
from rulka.core.extracting.fields import Field, FieldKind, RowKind
from rulka.core.money import LIMIT

SET: Final = "query"
"""What the rows of query texts are called in extracts."""
DIGITS: Final = 6
"""Decimals of a number that a query gives."""
TYPES: Final[Mapping[str, FieldKind]] = {
    "text": "text", "number": "number", "amount": "amount", "date": "date", "moment": "moment", "period": "period",
    "yes or no": "flag",
}  # fmt: skip
"""What a column may hold besides codes."""
STRING = re.compile(r"'(?:[^']|'')*'|\"(?:[^\"]|\"\")*\"|--[^\n]*|/\*.*?(?:\*/|\Z)", re.DOTALL)
PARAMETER = re.compile(r"(?<![:\w]):([A-Za-z_][A-Za-z0-9_]*)")
ENDS: Final = ("_from", "_to")


@dataclass(frozen=True)
class QueryColumn:
    """A column of what a query gives: its name there, its title, what it holds: one of TYPES, or the codes of
    something."""

    name: str
    title: str
    holds: str


@dataclass(frozen=True)
class QueryDef:
    """A query text with its columns in order and its questions, which are its parameters."""

    name: str
    title: str
    text: str
    about: str = ""
    columns: tuple[QueryColumn, ...] = ()
    asks: tuple[AskDef, ...] = ()


def query_from(raw: Mapping[str, Any]) -> QueryDef:
    """A query text from its mapping; raises RulkaError for parameters that are not asked."""
    found = QueryDef(
        str(raw.get("query", "")),
        " ".join(str(raw.get("title", raw.get("query", ""))).split()),
        str(raw.get("sql", "")).strip(),
        str(raw.get("about", "")),
        tuple(_column(one) for one in raw.get("columns", ())),
        tuple(ask_from(one) for one in raw.get("ask", ())),
    )
    if not found.text:
        raise RulkaError("A query needs its SQL.", hint="Begin with SELECT.", subject="sql")
    asked = {name for ask in found.asks for name in parameter_names(ask)}
    for name in parameters_of(found.text):
        if name not in asked:
            hint = "Ask for it: a question of that name, or of what it is called without _from or _to."
            raise NotFound(f"It takes :{name}, which is not asked.", hint=hint, subject="ask")
    names = [one.name.casefold() for one in found.columns]
    if len(set(names)) < len(names):
        raise RulkaError("Two of its columns have one name.", hint="Name one otherwise: AS.", subject="columns")
    return found


def _column(raw: Any) -> QueryColumn:
    one = {"column": raw} if isinstance(raw, str) else dict(raw)
    name = str(one.get("column", ""))
    title = " ".join(str(one.get("title", "")).split()) or name.replace("_", " ").capitalize()
    return QueryColumn(name, title, str(one.get("holds", "text")))


def parameters_of(text: str) -> list[str]:
    """The parameters that a query takes, in order: `:name` outside of strings and comments."""
    return list(dict.fromkeys(PARAMETER.findall(STRING.sub(" ", text))))


def parameter_names(ask: AskDef) -> tuple[str, ...]:
    """What a question is called in a query: periods and days also by their ends."""
    if ask.type in ("period", "date"):
        return (ask.name, *(f"{ask.name}{end}" for end in ENDS))
    return (ask.name,)


def asked_names(text: str) -> list[str]:
    """The questions that a query needs, by what its parameters are called."""
    return list(dict.fromkeys(name.removesuffix(ENDS[0]).removesuffix(ENDS[1]).lower() for name in parameters_of(text)))


Codes = Callable[[str, str], Sequence[str]]
"""The codes of something that a selection means."""


def values_of(query: QueryDef, given: Mapping[str, str], clock: Clock, known: Known, codes: Codes) -> dict[str, Any]:
    """The parameters' values by name. Periods and days have ends, their stored numbers and ISO days; several values and
    selections are a JSON array; an unanswered one is None. Raises for answers that can't be read or are missing."""
    names = {ask.name for ask in query.asks}
    wanted = ExtractDef(query.name, query.title, SET, asks=query.asks)
    answers = answers_of(wanted, {name: text for name, text in given.items() if name in names}, clock, known)
    found: dict[str, Any] = {}
    for ask in query.asks:
        found |= _values(ask, answers, clock, codes)
    return found


def _values(ask: AskDef, answers: AskedAnswers, clock: Clock, codes: Codes) -> dict[str, Any]:
    texts = answers.texts.get(ask.name, ())
    if ask.type == "yes or no":
        return {ask.name: 1 if texts else 0}
    if not texts:
        return dict.fromkeys(parameter_names(ask))
    match ask.type:
        case "period":
            ends = [periods_of(text, clock) for text in texts]
            return _ends(ask.name, min(first for first, _ in ends), max(last for _, last in ends))
        case "date":
            days = [days_of(text, clock) for text in texts]
            first, last = min(one for one, _ in days), max(one for _, one in days)
            return _ends(ask.name, first.isoformat(), last.isoformat())
        case "number":
            numbers = [_number(text) for text in texts]
            return {ask.name: json.dumps(numbers) if ask.several else numbers[0]}
        case "selection":
            return {ask.name: json.dumps(list(codes(ask.of, texts[0])))}
        case _:
            return {ask.name: json.dumps(list(texts)) if ask.several else texts[0]}


def _ends(name: str, first: Any, last: Any) -> dict[str, Any]:
    return {name: last, f"{name}_from": first, f"{name}_to": last}


def _number(text: str) -> int | float:
    value = Decimal(text)
    return int(value) if value == value.to_integral_value() else float(value)


# rows -----------------------------------------------------------------------------------------------------------------


def rows_of(query: QueryDef, scale: int, known: Sequence[str]) -> RowKind:
    """The set of rows that a query gives; amounts have `scale` decimals, `known` are what codes there are of."""
    fields = []
    for one in query.columns:
        if one.holds in TYPES:
            kind = TYPES[one.holds]
            digits = scale if kind == "amount" else DIGITS if kind == "number" else 0
            fields.append(Field(one.name.replace("_", " "), one.title, query.title, kind, digits=digits))
        elif one.holds in known:
            fields.append(Field(one.name.replace("_", " "), one.title, query.title, "code", one.holds))
        else:
            raise NotFound(f"A column can't hold '{one.holds[:30]}'.", hint=one_of(one.holds, [*TYPES, *known]),
                           subject=one.name)  # fmt: skip
    if not fields:
        raise RulkaError(
            "It is not known what its columns hold.", hint="Try it once, and keep it.", subject=query.title
        )
    return RowKind(SET, query.title, tuple(fields), ())


def stored(value: Any, field: Field) -> Any:
    """A value of a query as rows hold it; raises RulkaError for one that its column can't hold."""
    if value is None:
        return None
    number = Decimal(value["number"]) if isinstance(value, Mapping) else value if isinstance(value, int) else None
    match field.kind:
        case "amount":
            if not isinstance(value, int):
                raise RulkaError(
                    f"It gives {_shown(value)}, no whole number of the smallest unit.",
                    hint="Amounts are whole numbers here: add and subtract them, round with CAST(ROUND(x) AS INTEGER).",
                    subject=field.title,
                )  # fmt: skip
            return _within(value, field)
        case "number":
            if number is None:
                raise RulkaError(f"It gives {_shown(value)}, no number.", hint="Say that it holds text.",
                                 subject=field.title)  # fmt: skip
            return _within(int((Decimal(number).scaleb(field.digits)).to_integral_value()), field)
        case "period" | "flag":
            if not isinstance(value, int):
                raise RulkaError(f"It gives {_shown(value)}.", hint="Periods are numbers such as 202707, yes is 1.",
                                 subject=field.title)  # fmt: skip
            return value
        case _:
            return f"{number:f}" if isinstance(number, Decimal) else str(value)


def _within(value: int, field: Field) -> int:
    if not -LIMIT < value < LIMIT:
        raise RulkaError("A number is too large for its column.", hint="Ask for smaller ones.", subject=field.title)
    return value


def _shown(value: Any) -> str:
    return str(value["number"]) if isinstance(value, Mapping) else repr(value)[:60]


def guessed(names: Sequence[str], rows: Sequence[Sequence[Any]], views: Mapping[str, Field]) -> list[QueryColumn]:
    """What columns seem to hold: what views hold under that name where the values agree, else what the values are."""
    found = []
    for at, name in enumerate(names):
        values = [row[at] for row in rows if row[at] is not None]
        field = views.get(name.lower())
        whole = all(isinstance(value, int) for value in values)
        numeric = all(isinstance(value, int | Mapping) for value in values)
        if field is not None and (whole or not field.is_numeric):
            holds = field.of if field.kind == "code" and field.of else _word(field.kind)
        else:
            holds = "number" if values and numeric else "text"
        found.append(QueryColumn(name, name.replace("_", " ").capitalize(), holds))
    return found


def _word(kind: FieldKind) -> str:
    return next(word for word, known in TYPES.items() if known == kind) if kind != "code" else "text"


def unanswered(query: QueryDef) -> list[str]:
    """The questions that a query needs answers to and that nothing answers by itself."""
    return [ask.name for ask in query.asks if ask.required and not default_of(ask)]
