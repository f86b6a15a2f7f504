"""Statements: what joins a spine, a span and a scope, as a definition file writes it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from rulka.core.definitions.looks import (
    ANY_STYLE,
    PLAIN_TOTALS,
    NumberStyle,
    TotalLook,
    number_from,
    total_look_from,
)
from rulka.core.definitions.pages import DEPTHS, PageDef, page_from
from rulka.core.definitions.scopes import ScopeDef
from rulka.core.definitions.spans import SpanDef
from rulka.core.definitions.spines import LineDef, SpineDef
from rulka.core.definitions.thresholds import ExplainDef, explain_from
from rulka.core.errors import RulkaError

NOTHING_ASKED = ExplainDef()
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
    grouping: str = "space"
    decimal_mark: str = "point"
    currency_as: str = "code"
    """Whether figures name their currency by its code or by its symbol."""
    totals: TotalLook = PLAIN_TOTALS
    depth: str = DEPTHS[0]
    page: PageDef = field(default_factory=PageDef)
    calendar: str = ""
    """`own` where columns read the calendar that the node's entity keeps, unless they say otherwise."""
    explain: ExplainDef = NOTHING_ASKED

    def in_depth(self) -> StatementDef:
        """The statement as output shows it: below each account line what its depth asks for."""
        below = {"accounts": ("accounts",), "entries": ("accounts", "entries")}.get(self.depth, ())
        return (
            replace(self, spine=replace(self.spine, lines=tuple(_deepened(line, below) for line in self.spine.lines)))
            if below
            else self
        )

    def for_readers(self) -> StatementDef:
        """The statement as those see it who may not edit it: lines whose detail its author closed stand as one row that
        opens no further."""
        if not any(line.detail == "closed" for line in self.spine.walk()):
            return self
        return replace(self, spine=replace(self.spine, lines=tuple(_closed(line) for line in self.spine.lines)))


def _closed(line: LineDef) -> LineDef:
    if line.detail == "closed":
        return replace(line, is_closed=True, expand=(), below=())
    return replace(line, lines=tuple(_closed(inner) for inner in line.lines)) if line.lines else line


def _deepened(line: LineDef, below: tuple[str, ...]) -> LineDef:
    if line.kind == "line" and not (line.expand or line.has_periods or line.intercompany or line.is_closed):
        own = line.below
        return replace(
            line,
            below=own
            if set(own) & {"counterparties", "entries"}
            else (*own, *(kind for kind in below if kind not in own)),
        )
    return replace(line, lines=tuple(_deepened(inner, below) for inner in line.lines)) if line.lines else line


def statement_from(
    body: Mapping[str, Any], spine: SpineDef, span: SpanDef, scope: ScopeDef | None = None
) -> StatementDef:
    """Join a statement's own mapping with its spine, span and scope."""
    figures = body.get("figures", {})
    if figures.get("grouping", "") == figures.get("decimal mark", "point"):
        raise RulkaError(
            f"Figures can't be grouped by the same {figures['grouping']} that marks their decimals.",
            hint="Choose another one.",
            subject="figures",
        )
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
        grouping=figures.get("grouping", "space"),
        decimal_mark=figures.get("decimal mark", "point"),
        currency_as=figures.get("currency as", "code"),
        totals=total_look_from(figures),
        depth=body.get("depth", DEPTHS[0]),
        page=page_from(body.get("page", {})),
        calendar=body.get("calendar", ""),
        explain=explain_from(body.get("explain", {})),
        number=number_from(
            {name: value for name, value in figures.items() if name in ("negative", "zero", "currency")}
        ),
    )
