"""A tiny taxonomy and a tiny statement, written down by hand, for the tests of filings."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from decimal import Decimal
from typing import Any

from rulka.core.filings.definitions import filing_from
from rulka.core.filings.facts import Material
from rulka.core.filings.reported import (
    Reported,
    ReportedCell,
    ReportedColumn,
    ReportedLine,
    ReportedTime,
    ReportedWords,
)
from rulka.core.filings.taxonomy import Concept, Concepts, Cube, Sum

YEAR = ReportedTime(date(2025, 4, 1), date(2026, 3, 31))
END = ReportedTime(None, date(2026, 3, 31))

CONCEPTS = (
    Concept("x:Income", "Income", "money", "duration", "credit"),
    Concept("x:Fares", "Fares", "money", "duration", "credit"),
    Concept("x:ShopIncome", "Income of the shop", "money", "duration", "credit"),
    Concept("x:Fuel", "Fuel", "money", "duration", "debit", labels=("Bunker oil",)),
    Concept("x:Cash", "Cash", "money", "instant", "debit"),
    Concept("x:Trips", "Trips", "number", "duration"),
    Concept("x:Words", "Words", "block", "duration"),
    Concept("x:Heading", "Everything", "text", "duration", abstract=True),
)
TAXONOMY = Concepts(
    "Tiny",
    "2026",
    "http://tiny.example/tiny.xsd",
    {"x": "http://tiny.example/tiny"},
    {one.name: one for one in CONCEPTS},
    sums=(Sum("income", "x:Income", (("x:Fares", Decimal(1)), ("x:ShopIncome", Decimal(1)))),),
    cubes=(
        Cube(
            "by route", frozenset({"x:Fares"}), {"x:RouteAxis": ("x:All", "x:North")}, {"x:RouteAxis": "x:All"},
        ),
    ),
    axes={"x:RouteAxis": ("x:All", "x:North")},
)  # fmt: skip

# line: (label, shown, exact, what, side)
LINES: dict[str, tuple[str, str, str, Any, int]] = {
    "fares": ("Fares", "700.00", "700", "money", -1),
    "shop": ("Income of the shop", "300.00", "300", "money", -1),
    "income": ("Total income", "1 000.00", "1000", "money", -1),
    "fuel": ("Fuel", "\u2212250.00", "-250", "money", -1),
    "trips": ("Trips", "12", "12", "quantity", 0),
}


def cell(line: str, column: str = "year", **changed: Any) -> ReportedCell:
    _, text, exact, what, side = LINES[line]
    made = ReportedCell(
        "result", line, column, text.replace(" ", "\u00a0"), Decimal(exact), 0, 0 if what == "quantity" else 2, ".",
        what, "EUR", YEAR, side,
    )  # fmt: skip
    return replace(made, **changed)


def reported(**cells: ReportedCell) -> Reported:
    """The statement `result` with one column; cells by their line, changed ones given."""
    lines = tuple(ReportedLine(key, one[0], strong=key == "income") for key, one in LINES.items())
    every = {(key, "year"): cells.get(key, cell(key)) for key in LINES}
    return Reported(
        "result", "Result", ("result",), lines, (ReportedColumn("year", "2026"),), every,
        known_lines=frozenset({*LINES, "hidden"}), known_columns=frozenset({"year", "hidden-column"}),
    )  # fmt: skip


TAGS: dict[str, dict[str, Any]] = {
    "fares": {"concept": "x:Fares"}, "shop": {"concept": "x:ShopIncome"}, "income": {"concept": "x:Income"},
    "fuel": {"concept": "x:Fuel", "sign": "turned"}, "trips": {"concept": "x:Trips"},
}  # fmt: skip


def body(**changed: Any) -> dict[str, Any]:
    """A filing whose checks all hold; `lines` replaces tags by line, None takes one away."""
    tags = {**TAGS, **changed.pop("lines", {})}
    statement = {
        "statement": "result",
        "lines": [{"line": key, "label": LINES.get(key, (key,))[0], **one} for key, one in tags.items() if one],
        "columns": changed.pop("columns", [{"column": "year", "reported": "yes"}]),
    }
    statement["lines"] += changed.pop("more", [])
    return {
        "filing": "tiny", "folio": "pack", "taxonomy": "tiny", "scheme": "http://tiny.example", "identifier": "7",
        "statements": [statement], "texts": [{"concept": "x:Words", "sections": ["words"]}], **changed,
    }  # fmt: skip


def material(raw: dict[str, Any] | None = None, statement: Reported | None = None, **changed: Any) -> Material:
    words = (
        ReportedWords("result", "Result", "text", False, True, is_written=False),
        ReportedWords("words", "In words", "text", False, True),
    )
    given: dict[str, Any] = {"words": words, "time": YEAR, "period": "2026-P12", **changed}
    return Material(filing_from(raw or body()), TAXONOMY, (statement or reported(),), **given)
