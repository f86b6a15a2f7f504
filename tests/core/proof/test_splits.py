"""Figures split in every direction, over random ledgers, statements, fences and seals."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from rulka.core.books.fence import Fence
from rulka.core.compute.computed import Computed
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.scopes import scope_from
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import statement_from
from rulka.core.errors import RulkaError
from rulka.core.proof.splits import OpenedFigure, directions, open_figure, split, step_into
from tests.books import Line, Works, book_of
from tests.core.compute.test_brute import ACCOUNTS, ENTITIES, MEMBERS, ledgers, spans, spines
from tests.core.compute.test_non_interference import SEALED, asked, statement_of, with_finer
from tests.lengths import several

MORE = [
    {"column": "gap", "difference": ["c0", "c1"]},
    {"column": "both", "sum": ["c0", "c1"]},
    {"column": "half", "formula": "c0 / 2 - c1 * 3"},
]


def figures(computed: Computed) -> list[tuple[str, str]]:
    return [
        (row.key, column.key)
        for row in computed.rows
        for at, column in enumerate(computed.columns)
        if row.has_figures and column.kind != "text" and row.values[at] is not None
    ]


def walk(data: Any, opened: OpenedFigure, depth: int) -> int:
    """Split a figure in every direction, hold the sums against it, and go on into one part of one direction; how many
    splits that were."""
    count = 0
    inside = []
    for by in directions(opened):
        if by == "line":
            continue
        found = split(opened, by)
        assert found.total == opened.value, (by, opened.way, found)
        assert all(part.value == part.sides[0] + part.sides[1] for part in found.parts)
        reasons = {part.reason for part in found.parts}
        assert "rest" not in reasons, (by, opened.way, found)
        assert "translation" not in reasons or opened.computed.plan.translated
        inside += [(by, part) for part in found.parts if not part.reason]
        count += 1
    if depth and inside:
        by, part = data.draw(st.sampled_from(inside))
        below = step_into(opened, by, part.code)
        assert below.value == part.value, (opened.way, by, part)
        count += walk(data, below, depth - 1)
    return count


def run(data: Any, works: Any, spine: Any, span: Any, fence: Fence) -> Computed | None:
    keys = [column["column"] for column in span["columns"]]
    for extra in data.draw(st.lists(st.sampled_from(MORE), max_size=2, unique_by=str)) if "c1" in keys else ():
        span = {**span, "columns": [*span["columns"], extra]}
    # accounts that carry their balances over and such that don't, behind one figure
    spine = {**spine, "lines": [*spine["lines"], {"line": "Each and every", "accounts": "*", "sign": "as booked"}]}
    span = {**span, "columns": [*span["columns"], {"column": "carried", "measure": "closing"}]}
    statement, at = statement_of(data.draw, spine, span), asked(data.draw, works)
    view = book_of(works).within(fence)
    try:
        return run_statement(statement, view, view.frame.calendar.period(at), "n")
    except RulkaError:
        return None


@settings(max_examples=several(120), deadline=None)
@given(st.data(), ledgers(), spines(), spans())
def test_every_split_on_every_way_gives_the_figure_again(data, works, spine, span):
    fence = data.draw(
        st.sampled_from(
            [
                Fence(),
                Fence(),
                Fence.of(members={"department": "d"}),
                Fence.of(entities="A"),
                Fence.of(sealed=SEALED),
                Fence.of(accounts="10, 30, 40", members={"route": "x"}),
                Fence.of(members={"department": "d"}, sealed=SEALED),
            ]
        )
    )
    works = with_finer(data.draw, works)
    computed = run(data, works, spine, span, fence)
    if computed is None:
        return
    every = [open_figure(computed, *at) for at in figures(computed)]
    sums = [opened for opened in every if opened.pools is not None]
    for opened in sums:
        assert opened.total == opened.value, (opened.row.key, opened.column_key)
    for opened in sums:
        if (opened.row.key, opened.column_key) == ("each-and-every", "carried"):
            walk(data, opened, 0)
    told = [opened for opened in sums if len(split(opened, "account").parts) > 0]
    for opened in data.draw(st.lists(st.sampled_from(told), max_size=5, unique_by=id)) if told else ():
        walk(data, opened, 4)


def test_a_result_that_rolled_in_shows_no_account_that_holds_nothing():
    """A line of zero beside a booked one makes its account no part of the result, whatever members it has."""
    calendar = {"first_month": 1, "year_label": "start", "first_year": 2025, "last_year": 2027, "adjusting_periods": 0}
    on_d = {"department": "d"}
    lines = [
        Line("A", "5", Decimal("630.60"), date(2025, 1, 1), on_d, entry="n1"),
        Line("A", "10", Decimal("-630.60"), date(2025, 1, 1), on_d, entry="n1", source="x"),
        Line("A", "40", Decimal(0), date(2027, 4, 1), on_d, entry="n2"),
    ]
    spine = {"spine": "s", "lines": [{"line": "Kept", "accounts": "30", "sign": "as booked"}]}
    span = {"span": "p", "columns": [{"column": "opened", "measure": "opening"}]}
    scope = scope_from({"scope": "n", "nodes": [{"node": "n", "of": "entity: A"}]})
    body = {"statement": "t", "spine": "s", "span": "p", "scope": "n"}
    statement = statement_from(body, spine_from(spine), span_from(span), scope)
    view = book_of(Works(calendar, ENTITIES, ACCOUNTS, MEMBERS, lines)).within(Fence())
    opened = open_figure(run_statement(statement, view, view.frame.calendar.period("2026-P01"), "n"), "kept", "opened")
    rolled = step_into(opened, "period", "FY2025 result")
    assert [(part.code, part.value) for part in split(rolled, "account").parts] == [("5", Decimal("630.60"))]
