"""Every example of docs/definition-format.md runs on the demo, and gives the figures that the page says."""

from __future__ import annotations

import re

import pytest

from rulka.core.books.fence import NO_FENCE
from rulka.core.compute.nodes import nodes_of
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.scopes import scope_from
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import statement_from
from rulka.core.proof.footing import footing
from rulka.formats.definition_file import kind_of, read_definitions
from rulka.formats.output.page import show
from rulka.ledger.reading.queries import view_of
from tests.conftest import ROOT
from tests.core.compute.test_cases import figures

PAGE = (ROOT / "docs" / "definition-format.md").read_text()
FENCE = re.compile(r"^```(yaml|text)\n(.*?)^```$", re.MULTILINE | re.DOTALL)
HEADINGS = re.compile(r"^#+ (.*)$", re.MULTILINE)


def examples():
    found = []
    for match in FENCE.finditer(PAGE):
        heading = [one[1] for one in HEADINGS.finditer(PAGE[: match.start()]) if not one[1].startswith("its name")][-1]
        if match[1] == "yaml":
            found.append([heading, match[2], None])
        else:
            found[-1][2] = match[2]
    return found


@pytest.fixture
def library():
    shipped = [
        body
        for path in sorted((ROOT / "demo" / "definitions").glob("*.yaml"))
        for body in read_definitions(path.read_text())
    ]
    return {(kind_of(body), body[kind_of(body)]): body for body in shipped}


@pytest.mark.parametrize("example", examples(), ids=lambda example: example[0])
def test_example_runs_and_gives_what_the_page_says(example, library, ternwick):
    _, text, wanted = example
    given = {kind_of(body): body for body in read_definitions(text)}
    statement = given.get("statement", {"statement": "example", "spine": "example", "span": "example"})
    spine = given.get("spine") or library["spine", statement["spine"] if "statement" in given else "income-statement"]
    single = {"span": "one", "columns": [{"column": "now"}]}
    span = given.get("span") or (library["span", statement["span"]] if "statement" in given else single)
    scope = scope_from(given["scope"]) if "scope" in given else None
    view = view_of(ternwick, NO_FENCE)
    node = "group" if statement.get("currency") == "group" else "company" if scope else "TF"
    definition = statement_from(statement, spine_from(spine), span_from(span), scope)
    computed = run_statement(definition, view, view.frame.calendar.period("2027-P07"), node)
    assert any(value is not None for row in computed.rows for value in row.values)
    assert show(computed).rows and footing(computed)
    if scope:
        codes = [found.code for found in nodes_of(view, scope)]
        if scope.name == "departments":
            assert codes == ["company", "sold", "I", "N", "S", "company.rest"]
        else:
            assert codes[:4] == ["company", "100", "110", "110-I"] and "110-N" in codes
    if wanted is not None:
        assert figures(computed) == [line.rstrip() for line in wanted.rstrip("\n").split("\n")] + (
            [""] if wanted.endswith("\n\n") else []
        )


def test_page_has_a_part_with_an_example_for_each_item():
    numbered = {int(match[1]) for heading, *_ in examples() if (match := re.match(r"([0-9]+)\. ", heading))}
    assert numbered == set(range(1, 23))
