"""A company with books of its own and companies below it: beside them in a series, alone as a node, in a column."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from decimal import Decimal

import pytest

from rulka.core.books.fence import Fence
from rulka.core.compute.nodes import find_node, nodes_of
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import statement_from
from rulka.core.errors import RulkaError
from rulka.core.proof.checks import verdict_on
from rulka.core.proof.footing import footing
from tests.books import Line, Works, book_of

CALENDAR = {"first_month": 1, "year_label": "end", "first_year": 2026, "last_year": 2026}
ENTITIES = [
    {"code": "T", "name": "Top", "currency": "EUR"},
    {"code": "A", "name": "Alpha", "currency": "EUR", "parent": "T"},
    {"code": "B", "name": "Beta", "currency": "SEK", "parent": "T"},
    {"code": "X", "name": "Bare", "currency": "EUR"},
    {"code": "Y", "name": "Below", "currency": "EUR", "parent": "X"},
]
ACCOUNTS = [
    {"code": "10", "type": "asset"},
    {"code": "30", "type": "equity"},
    {"code": "39", "type": "equity"},
    {"code": "40", "type": "revenue"},
]
SALES = {"T": 7, "A": 20, "B": 300, "Y": 5}
LINES = [
    line
    for entity, amount in SALES.items()
    for line in (
        Line(entity, "40", Decimal(-amount), date(2026, 3, 1)),
        Line(entity, "10", Decimal(amount), date(2026, 3, 1)),
    )
]
RATES = [(f"2026-P{number:02d}", "SEK", "EUR", "0.1", "0.1") for number in range(1, 13)]
VIEW = book_of(Works(CALENDAR, ENTITIES, ACCOUNTS, [], LINES, RATES)).within(Fence())


def run(columns, node, *, currency="own"):
    spine = {
        "spine": "s",
        "lines": [{"section": "All", "lines": [{"line": "Sales", "accounts": "40"}], "total": "Sum"}],
    }
    statement = {"statement": "t", "spine": "s", "span": "p", "currency": currency}
    definition = statement_from(statement, spine_from(spine), span_from({"span": "p", "columns": columns}), None)
    return run_statement(definition, VIEW, VIEW.frame.calendar.period("2026-P03"), node)


def shown(computed):
    return {column.heading: computed.row("sales").values[place] for place, column in enumerate(computed.columns)}


@pytest.mark.parametrize(("given", "heading"), [({}, "Top alone"), ({"none": "Itself"}, "Itself")])
def test_own_books_stand_beside_the_companies_below(given, heading):
    computed = run(
        [{"series": "m", "each": "child", "total": "Together", **given}, {"column": "whole"}], "T", currency="group"
    )
    assert shown(computed) == {"Alpha": 20, "Beta": 30, heading: 7, "Together": 57, "whole": 57}
    check = next(check for check in footing(computed) if check.code == "columns")
    assert (check.state, check.detail) == ("holds", "3 columns add up to the whole")


def test_a_company_without_own_books_has_no_column_for_them():
    computed = run([{"series": "m", "each": "child", "total": "Together"}], "X")
    assert shown(computed) == {"Below": 5, "Together": 5}
    assert "X.rest" not in {node.code for node in nodes_of(VIEW)}


def test_a_series_that_leaves_a_company_out_is_not_complete(monkeypatch):
    computed = run([{"series": "m", "each": "child"}], "T", currency="group")
    computed = replace(computed, columns=tuple(column for column in computed.columns if not column.is_rest))
    check = next(check for check in footing(computed) if check.code == "columns")
    # sales and the bank stand against each other: what is missing is told by the ledger's own sum
    assert check.state == "fails" and verdict_on(footing(computed)).exit_code == 3


def test_the_company_alone_is_a_node_without_a_scope():
    assert shown(run([{"column": "c"}], "T.rest")) == {"c": 7}
    assert find_node(VIEW, "T.rest").name == "Top alone"
    assert find_node(VIEW, "T", translated=True).children == ("A", "B", "T.rest")
    with pytest.raises(RulkaError, match=r"Top mixes currencies: EUR, SEK.*Its own books are node T\.rest\."):
        run([{"column": "c"}], "T")


def test_columns_of_companies_in_their_own_currencies_say_them_and_are_never_set_against_each_other():
    columns = [
        {"column": "top", "node": "T.rest", "heading": "Top"},
        {"column": "beta", "node": "B", "heading": "Beta"},
        {"column": "gap", "difference": ["top", "beta"]},
        {"column": "sum", "sum": ["top", "beta"]},
        {"column": "part", "percent": ["top", "beta"]},
        {"column": "calculated", "formula": "top + beta"},
    ]
    computed = run(columns, "A")
    assert shown(computed) == {"Top": 7, "Beta, SEK": 300, "gap": None, "sum": None, "part": None, "calculated": None}
    check = next(check for check in footing(computed) if check.code == "columns")
    assert (
        check.state == "warns"
        and "Column gap has no meaning: it works on columns in different currencies: EUR, SEK" in check.detail
    )
    translated = run(
        [{"column": "beta", "node": "B", "heading": "Beta"}, {"column": "all", "node": "group"}], "A", currency="group"
    )
    assert shown(translated) == {"Beta": 30, "all": 62}


def test_what_a_company_booked_with_itself_is_not_eliminated():
    accounts = [*ACCOUNTS, {"code": "11", "type": "asset", "intercompany": "1"}]
    lines = [
        Line("T", "11", Decimal(9), date(2026, 3, 1), partner="T"),
        Line("T", "10", Decimal(-9), date(2026, 3, 1)),
        Line("T", "11", Decimal(50), date(2026, 3, 1), partner="A"),
        Line("T", "10", Decimal(-50), date(2026, 3, 1)),
        Line("A", "11", Decimal(-50), date(2026, 3, 1), partner="T"),
        Line("A", "10", Decimal(50), date(2026, 3, 1)),
    ]
    view = book_of(Works(CALENDAR, ENTITIES, accounts, [], lines, RATES)).within(Fence())
    spine = spine_from({"spine": "s", "lines": [{"line": "Between", "accounts": "11"}]})
    parts = ["before elimination", "eliminations", "after elimination"]
    span = span_from({"span": "p", "columns": [{"column": f"c{at}", "part": part} for at, part in enumerate(parts)]})
    definition = statement_from({"statement": "t", "spine": "s", "span": "p", "currency": "group"}, spine, span, None)
    computed = run_statement(definition, view, view.frame.calendar.period("2026-P03"), "T")
    # 9 with itself stays; 50 against -50 goes
    assert computed.rows[0].values == (9, 0, 9)
    check = next(check for check in footing(computed) if check.code == "intercompany")
    assert check.state == "holds"


def test_the_translation_reserve_of_a_company_makes_no_column_for_none_until_it_holds_something():
    members = [{"dimension": "department", "code": "d", "name": "Deck"}]
    lines = [
        Line("B", "40", Decimal(-5), date(2026, 3, 1), {"department": "d"}),
        Line("B", "10", Decimal(5), date(2026, 3, 1), {"department": "d"}),
    ]
    spine = spine_from({"spine": "s", "lines": [{"line": "All", "accounts": "*", "sign": "as booked"}]})
    span = span_from({"span": "p", "columns": [{"series": "m", "each": "department", "measure": "closing"}]})

    def headings(rates, currency):
        view = book_of(Works(CALENDAR, ENTITIES, ACCOUNTS, members, lines, rates)).within(Fence())
        definition = statement_from(
            {"statement": "t", "spine": "s", "span": "p", "currency": currency}, spine, span, None
        )
        computed = run_statement(definition, view, view.frame.calendar.period("2026-P03"), "B")
        return [column.heading for column in computed.columns], computed.rows[0].values

    assert headings(RATES, "own") == (["Deck"], (0,))
    assert headings(RATES, "group")[0] == ["Deck"]
    moved = [
        (period, a, b, average, "0.2" if period == "2026-P03" else closing) for period, a, b, average, closing in RATES
    ]
    # the bank closes at 0.2: 1.00; sales stand at 0.5: what is left, -0.5, is in no department
    assert headings(moved, "group") == (["none", "Deck"], (-0.5, 0.5))
