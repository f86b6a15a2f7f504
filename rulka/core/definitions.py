"""Statements: what joins a spine, a span and a scope, as a definition file writes it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from rulka.core.looks import ANY_STYLE, NumberStyle, number_from
from rulka.core.scopes import ScopeDef
from rulka.core.spans import SpanDef
from rulka.core.spines import SpineDef

ROUNDINGS = ("exact", "so that it foots")


@dataclass(frozen=True)
class StatementDef:
    """A statement: `currency` is empty for the node's own or `group` for translated figures.

    `rounding` is exact (each figure rounded by itself) or `so that it foots`, where `rest` names the line that takes
    differences, empty for the largest-remainder rule.
    """

    name: str
    title: str
    spine: SpineDef
    span: SpanDef
    scope: ScopeDef | None = None
    subtitle: str = ""
    currency: str = ""
    unit: str = "units"
    decimals: int = 2
    rounding: str = ROUNDINGS[0]
    rest: str = ""
    number: NumberStyle = ANY_STYLE


def statement_from(body: Mapping[str, Any], spine: SpineDef, span: SpanDef, scope: ScopeDef | None = None) -> StatementDef:
    """Join a statement's own mapping with its spine, span and scope."""
    figures = body.get("figures", {})
    return StatementDef(
        name=body["statement"],
        title=body.get("title", body["statement"]),
        spine=spine,
        span=span,
        scope=scope,
        subtitle=body.get("subtitle", ""),
        currency="group" if body.get("currency", "") == "group" else "",
        unit=figures.get("unit", "units"),
        decimals=int(figures.get("decimals", "2")),
        rounding=figures.get("rounding", ROUNDINGS[0]),
        rest=figures.get("rest", ""),
        number=number_from({name: value for name, value in figures.items() if name in ("negative", "zero", "currency")}),
    )
