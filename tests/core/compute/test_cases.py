"""Runs the worked cases of tests/cases/statement: definitions as their files write them, figures worked out beside."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from fractions import Fraction
from functools import cache
from pathlib import Path
from typing import Any

import pytest
import yaml

from rulka.core.books.book import Book
from rulka.core.books.fence import Fence
from rulka.core.compute.computed import Computed
from rulka.core.compute.nodes import nodes_of
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.scopes import scope_from
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import statement_from
from rulka.core.errors import RulkaError
from rulka.core.proof.checks import verdict_on
from rulka.core.proof.footing import footing
from rulka.core.proof.meaning import of_columns, of_selections
from rulka.formats.definition_file import check_body
from rulka.formats.output.page import show
from tests.books import Line, Works, book_of

CASES = Path(__file__).parent.parent.parent / "cases" / "statement"


class TextLoader(yaml.SafeLoader):
    """Every scalar stays text, as in a definition file; aliases are allowed here."""


TextLoader.yaml_implicit_resolvers = {}


def read(path: Path) -> Any:
    return yaml.load(path.read_text(), Loader=TextLoader)


@cache
def works() -> Works:
    raw = read(CASES / "works.yaml")
    calendar = {name: value if name == "year_label" else int(value) for name, value in raw["calendar"].items()}
    lines = []
    for text in raw["lines"].splitlines():
        day, entity, account, department, amount, more = (part.strip() for part in text.split("|"))
        said: dict[str, Any] = dict(part.split("=") for part in more.split())
        if "historical" in said:
            said["historical"] = Decimal(said["historical"])
        lines.append(
            Line(entity, account, Decimal(amount), date.fromisoformat(day), {"department": department}, **said)
        )
    for row in raw["monthly"]:
        for number in range(int(row["first"]), int(row["last"]) + 1):
            period, day = f"2027-P{number:02d}", date(2026 + (number > 9), (number + 2) % 12 + 1, 1)
            department = {"department": row["department"]}
            lines.append(
                Line("A", row["account"], Decimal(row["amount"]), day, department, period, scenario=row["scenario"])
            )
    rates = [tuple(rate) for rate in raw["rates"]]
    return Works(calendar, raw["entities"], raw["accounts"], raw["members"], lines, rates)


@cache
def book() -> Book:
    return book_of(works())


def all_cases() -> list[Any]:
    found = []
    for path in sorted(CASES.glob("*.yaml")):
        if path.name != "works.yaml":
            raw = read(path)
            shared = {
                name: raw[name] for name in ("spine", "span", "scope", "statement", "period", "node") if name in raw
            }
            found += [pytest.param({**shared, **case}, id=f"{path.stem}: {case['title']}") for case in raw["cases"]]
    return found


def body(kind: str, given: Any) -> dict[str, Any]:
    """A definition from what a case gives of it: only its lines, columns or nodes, or all of it."""
    if isinstance(given, list):
        given = {{"spine": "lines", "span": "columns", "scope": "nodes"}[kind]: given}
    return {kind: "case", **given}


def compute(case: dict[str, Any]) -> Computed:
    spine, span = body("spine", case["spine"]), body("span", case["span"])
    scope = body("scope", case["scope"]) if "scope" in case else None
    statement = {
        "statement": "case",
        "spine": "case",
        "span": "case",
        **case.get("statement", {}),
        **({"scope": "case"} if scope else {}),
    }
    for one in filter(None, (spine, span, scope, statement)):
        errors = check_body(one)
        if errors:
            raise errors[0]
    view = book().within(Fence.of(**case.get("fence", {})))
    definition = statement_from(statement, spine_from(spine), span_from(span), scope_from(scope) if scope else None)
    definition = definition.for_readers() if case.get("closed") else definition
    return run_statement(
        definition, view, view.frame.calendar.period(case.get("period", "2027-P03")), case.get("node", "")
    )


def written(value: Fraction | None, blank: bool) -> str:
    if value is None:
        return "" if blank else "n/m"
    decimal = Decimal(value.numerator) / Decimal(value.denominator)
    exact = Fraction(decimal) == value
    return f"{decimal.normalize():f}" if exact else f"{value.numerator}/{value.denominator}"


def figures(computed: Computed) -> list[str]:
    """Each shown row as `label: value | value`; a row without figures as its label alone."""
    shown = [place for place, column in enumerate(computed.columns) if not column.hidden and column.kind != "text"]
    rows = []
    for row in computed.rows:
        if row.hidden:
            continue
        values = row.shown if row.shown is not None else row.values
        texts = [written(values[place], place in row.blank) for place in shown]
        rows.append(f"{'  ' * row.depth}{row.label}" + (": " + " | ".join(texts) if row.has_figures else ""))
    return [row.rstrip() for row in rows]


def _judged_as_it_says(case, computed):
    """Checks, the verdict and notes."""
    checks = footing(computed)
    found = {
        name: f"{check.state}: {check.detail}".removesuffix(": ")
        for check in checks
        for name in (check.check, check.code)
    }
    for name, wanted in case.get("checks", {}).items():
        assert (found[name] if wanted != "absent" else name in found) == (wanted if wanted != "absent" else False), (
            found
        )
    if "verdict" in case:
        assert verdict_on(checks).text == case["verdict"]
    if "notes" in case:
        told = [*of_selections(computed).warnings, *of_selections(computed).notes, *of_columns(computed).warnings]
        assert case["notes"] in "; ".join(told), told


def _shows_what_it_says(case, computed):
    """Rows, headings, directions, codes and cells as they show."""
    if "rows" in case:
        assert figures(computed) == [row.rstrip() for row in case["rows"].rstrip("\n").split("\n")]
    if "headings" in case:
        assert [
            " / ".join((*column.groups, column.heading)) for column in computed.columns if not column.hidden
        ] == case["headings"]
    if "directions" in case:
        assert {
            row.label: " ".join(map(str, row.directions)) for row in computed.rows if row.label in case["directions"]
        } == case["directions"]
    if "codes" in case:
        assert {row.label: " ".join(row.codes) for row in computed.rows if row.label in case["codes"]} == case["codes"]
    if "shown" in case:
        texts = [
            f"{row.label}: " + " | ".join(cell.text.replace("\u00a0", " ") for cell in row.cells)
            for row in show(computed).rows
        ]
        assert [text.rstrip(": ").rstrip() for text in texts] == [
            text.rstrip() for text in case["shown"].rstrip("\n").split("\n")
        ]


@pytest.mark.parametrize("case", all_cases())
def test_case(case):
    if "refused" in case:
        with pytest.raises(RulkaError) as caught:
            compute(case)
        assert case["refused"] in str(caught.value)
        return
    computed = compute(case)
    asked = {"rows", "headings", "checks", "notes", "shown", "nodes", "directions", "codes", "verdict"} & set(case)
    assert asked, "a case expects something"
    _shows_what_it_says(case, computed)
    if "nodes" in case:
        scope = scope_from(body("scope", case["scope"])) if "scope" in case else None
        found = nodes_of(book().within(Fence.of(**case.get("fence", {}))), scope)
        assert [f"{'  ' * node.depth}{node.code}: {node.name}" for node in found] == case["nodes"]
    _judged_as_it_says(case, computed)


def test_every_item_of_the_engine_has_its_case_file():
    """Lines 1 to 10, columns 11 to 16, nodes 17 and 18, numbers 19 and 20."""
    numbers = sorted(int(path.stem.split("-")[0]) for path in CASES.glob("[0-9]*.yaml"))
    assert numbers == list(range(1, 21))
