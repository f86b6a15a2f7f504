"""Spines, spans and statements: the plain mapping a definition file holds, to frozen types and back."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from rulka.core.book import MEASURES
from rulka.core.calendar import WINDOWS
from rulka.core.errors import RulkaError, one_of

SIGNS = ("as booked", "flipped")
CONVENTIONS = ("both positive", "effect on the result")
HIDING = ("never", "when zero", "when nothing was booked", "always")
UNITS = {"units": 0, "thousands": 3, "millions": 6}
LINE_KINDS = ("section", "line", "calculation", "heading", "check")
SHIFT = re.compile(r"(?P<count>[+-]?[0-9]{1,3}) (?P<unit>year|period)s?", re.ASCII)


def slug(label: str) -> str:
    """`Total income (net)` to `total-income-net`: how a key is made from a label."""
    return re.sub(r"[^a-z0-9]+", "-", label.lower()).strip("-") or "line"


@dataclass(frozen=True)
class LineDef:
    """One line of a spine. Which fields matter follows from `kind`; see docs/definition-format.md."""

    kind: str
    label: str
    key: str
    accounts: str = ""
    expand: str = ""
    formula: str = ""
    agree: tuple[str, ...] = ()
    sign: str = ""
    measure: str = ""
    hide: str = ""
    ruling: str = ""
    favourable: str = ""
    total: str = ""
    lines: tuple[LineDef, ...] = ()


@dataclass(frozen=True)
class SpineDef:
    name: str
    title: str
    signs: str
    covers: str
    lines: tuple[LineDef, ...]

    def walk(self) -> Iterator[LineDef]:
        """Every line, sections before what they hold."""
        todo = list(reversed(self.lines))
        while todo:
            line = todo.pop()
            yield line
            todo.extend(reversed(line.lines))


@dataclass(frozen=True)
class ColumnDef:
    """One column of a span: ledger figures, or a difference or percent of two others (`of`)."""

    key: str
    kind: str  # figures, difference, percent
    heading: str
    group: str = ""
    scenario: str = "actual"
    window: str = "period"
    shift_years: int = 0
    shift_periods: int = 0
    measure: str = "activity"
    pending: bool = False
    of: tuple[str, ...] = ()
    hide: str = ""


@dataclass(frozen=True)
class SpanDef:
    name: str
    title: str
    columns: tuple[ColumnDef, ...]


@dataclass(frozen=True)
class StatementDef:
    name: str
    title: str
    spine: SpineDef
    span: SpanDef
    subtitle: str = ""
    unit: str = "units"
    decimals: int = 2


@dataclass
class _Keys:
    taken: set[str] = field(default_factory=set)

    def give(self, wanted: str, label: str, where: str) -> str:
        if wanted:
            if wanted in self.taken:
                raise RulkaError(f"The key '{wanted}' is used twice.", hint="Give each its own key.", subject=where)
            self.taken.add(wanted)
            return wanted
        base = key = slug(label)
        number = 2
        while key in self.taken:
            key, number = f"{base}-{number}", number + 1
        self.taken.add(key)
        return key


def spine_from(body: Mapping[str, Any]) -> SpineDef:
    """Build a spine from a checked mapping (see the JSON Schema); raises on what a schema can't say."""
    keys = _Keys({str(line["key"]) for line in raw_lines(body["lines"]) if line.get("key")})
    explicit: set[str] = set()
    lines = tuple(_line(raw, keys, explicit, f"spine {body['spine']}") for raw in body["lines"])
    return SpineDef(body["spine"], body.get("title", body["spine"]), body.get("signs", CONVENTIONS[0]), body.get("covers", ""), lines)


def raw_lines(lines: Iterable[Any]) -> Iterator[Any]:
    """The mappings of all lines of a body, in the order that `SpineDef.walk` has them."""
    for line in lines:
        yield line
        yield from raw_lines(line.get("lines", ()))


def _line(raw: Mapping[str, Any], keys: _Keys, explicit: set[str], where: str) -> LineDef:
    kind = next(kind for kind in LINE_KINDS if kind in raw)
    label = raw[kind]
    key = raw.get("key", "")
    if key:
        if key in explicit:
            raise RulkaError(f"The key '{key}' is used twice.", hint="Give each line its own key.", subject=where)
        explicit.add(key)
    else:
        key = keys.give("", label, where)
    return LineDef(
        kind=kind,
        label=label,
        key=key,
        accounts=raw.get("accounts", ""),
        expand=raw.get("expand", ""),
        formula=raw.get("formula", ""),
        agree=tuple(raw.get("agree", ())),
        sign=raw.get("sign", ""),
        measure=raw.get("measure", ""),
        hide=raw.get("hide", ""),
        ruling=raw.get("ruling", ""),
        favourable=raw.get("favourable", ""),
        total=raw.get("total", ""),
        lines=tuple(_line(inner, keys, explicit, where) for inner in raw.get("lines", ())),
    )


def span_from(body: Mapping[str, Any]) -> SpanDef:
    """Build a span from a checked mapping; a compared column must stand to the left of its difference."""
    where = f"span {body['span']}"
    keys = _Keys()
    columns: list[ColumnDef] = []
    for raw in body["columns"]:
        column = _column(raw, keys.give(raw["column"], "", where), where)
        known = {former.key: former for former in columns}
        for wanted in column.of:
            if wanted not in known:
                raise RulkaError(
                    f"Column {column.key} compares '{wanted}', which is no column to the left of it.",
                    hint=one_of(wanted, known),
                    subject=where,
                )
            if known[wanted].kind == "percent":
                raise RulkaError(f"Column {column.key} compares the percent column {wanted}.", hint="Compare amounts.", subject=where)
        columns.append(column)
    return SpanDef(body["span"], body.get("title", body["span"]), tuple(columns))


def _column(raw: Mapping[str, Any], key: str, where: str) -> ColumnDef:
    kind = "difference" if "difference" in raw else "percent" if "percent" in raw else "figures"
    years = periods = 0
    if raw.get("shift"):
        match = SHIFT.fullmatch(raw["shift"])
        if match is None:
            raise RulkaError(f"'{raw['shift']}' is not a shift.", hint="Write -1 year or -3 periods.", subject=f"{where}, column {key}")
        years, periods = (int(match["count"]), 0) if match["unit"] == "year" else (0, int(match["count"]))
    return ColumnDef(
        key=key,
        kind=kind,
        heading=raw.get("heading", key),
        group=raw.get("group", ""),
        scenario=raw.get("scenario", "actual"),
        window=raw.get("window", WINDOWS[0]),
        shift_years=years,
        shift_periods=periods,
        measure=raw.get("measure", MEASURES[0]),
        pending=raw.get("entries", "") == "with pending",
        of=tuple(raw.get("difference", ()) or raw.get("percent", ())),
        hide=raw.get("hide", ""),
    )


def statement_from(body: Mapping[str, Any], spine: SpineDef, span: SpanDef) -> StatementDef:
    """Join a statement's own mapping with its spine and span."""
    figures = body.get("figures", {})
    return StatementDef(
        name=body["statement"],
        title=body.get("title", body["statement"]),
        spine=spine,
        span=span,
        subtitle=body.get("subtitle", ""),
        unit=figures.get("unit", "units"),
        decimals=int(figures.get("decimals", "2")),
    )
