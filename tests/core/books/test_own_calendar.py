"""Columns by the calendar that an entity keeps for itself, against loops over its lines."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from fractions import Fraction

import pytest

from rulka.core.books.fence import Fence
from rulka.core.compute.nodes import find_node
from rulka.core.compute.statement import run_nodes, run_statement
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import statement_from
from rulka.core.errors import RulkaError
from rulka.core.proof.footing import footing
from rulka.core.proof.splits import open_figure, split
from rulka.core.proof.trace import trace_cell
from tests.books import Line, Works, book_of

GROUP = {"first_month": 4, "year_label": "end", "first_year": 2026, "last_year": 2027, "adjusting_periods": 1}
OWN = {"first_month": 1, "year_label": "end", "first_year": 2025, "last_year": 2027, "adjusting_periods": 1}
ENTITIES = [
    {"code": "A", "name": "Alpha", "currency": "EUR", "calendar": "calendar year"},
    {"code": "B", "name": "Beta", "currency": "EUR"},
    {"code": "C", "name": "Ceta", "currency": "EUR", "calendar": "calendar year"},
]
ACCOUNTS = [
    {"code": "10", "type": "asset"},
    {"code": "30", "type": "equity"},
    {"code": "39", "type": "equity"},
    {"code": "40", "type": "revenue"},
]
AMOUNTS = [
    (date(2025, 5, 4), 1, "", "normal"),
    (date(2025, 12, 30), 20, "", "normal"),
    (date(2026, 1, 8), 300, "", "normal"),
    (date(2026, 3, 31), 4000, "2026-P13", "adjusting"),
    (date(2026, 4, 2), 50_000, "", "normal"),
    (date(2026, 6, 20), 600_000, "", "normal"),
]
SALES = [
    Line(entity, "40", Decimal(-amount), day, {}, period, f"e{amount}", kind=kind, source="till", counterparty="K1")
    for entity in "ABC"
    for day, amount, period, kind in AMOUNTS
]
BANK = [Line(line.entity, "10", -line.amount, line.day, {}, line.period, line.entry, kind=line.kind) for line in SALES]
PLAN = [
    Line("A", "40", Decimal(-7), date(2026, 4, 1), {}, f"2027-P{number:02d}", scenario="forecast")
    for number in range(4, 13)
]
VIEW = book_of(
    Works(GROUP, ENTITIES, ACCOUNTS, [], [*SALES, *BANK, *PLAN], dimensions=(), calendars={"calendar year": OWN})
).within(Fence())


def run(columns, node="A", period="2027-P03", *, spine=None, statement=None):
    lines = spine or [{"line": "Sales", "accounts": "40"}, {"line": "Bank", "accounts": "10"}]
    body = {"statement": "t", "spine": "s", "span": "p", **(statement or {})}
    definition = statement_from(
        body, spine_from({"spine": "s", "lines": lines}), span_from({"span": "p", "columns": columns}), None
    )
    return run_statement(definition, VIEW, VIEW.frame.calendar.period(period), node)


def shown(computed, key="sales"):
    return {column.heading: computed.row(key).values[place] for place, column in enumerate(computed.columns)}


YTD = {"window": "year to date"}


def test_year_to_date_begins_where_the_own_year_does_and_headings_say_so():
    # seen from June 2026: by the group from April, by the entity from January, what the group adjusted on 31 March in
    # its adjusting period
    computed = run(
        [
            {"column": "group", **YTD},
            {"column": "own", **YTD, "calendar": "own"},
            {"column": "before", "window": "year", "shift": "-1 year", "calendar": "own"},
        ]
    )
    assert shown(computed) == {
        "group": 650_000,
        "own, calendar calendar year": 650_300,
        "before, calendar calendar year": 21,
    }
    assert shown(run([{"column": "own", "heading": "{calendar} {from}", **YTD, "calendar": "own"}])) == {
        "calendar year January 2026": 650_300
    }
    whole = run([{"column": "year", "window": "year", "calendar": "own"}])
    assert list(shown(whole).values()) == [654_300]


def test_balances_series_weeks_and_outlook_read_the_own_calendar():
    own = {"calendar": "own"}
    computed = run(
        [{"column": "opening", "measure": "opening", **YTD, **own}, {"column": "closing", "measure": "closing", **own}]
    )
    assert list(shown(computed, "bank").values()) == [21, 650_321]
    assert list(shown(computed).values()) == [0, 650_300]
    series = run([{"series": "quarters", "each": "quarter", "within": "year", "total": "All", **own}])
    assert list(shown(series).values()) == [300, 650_000, 0, 4000, 654_300]
    weeks = run([{"series": "weeks", "each": "week", **own}])
    assert list(shown(weeks).values()) == [0, 0, 600_000, 0, 0]
    outlook = run([{"column": "outlook", "window": "year", "then": "forecast", **own}])
    assert list(shown(outlook).values()) == [654_300 - 4000 + 6 * 7]


def test_statement_reads_the_own_calendar_unless_a_column_says_otherwise():
    computed = run(
        [{"column": "own", **YTD}, {"column": "group", **YTD, "calendar": "group"}], statement={"calendar": "own"}
    )
    assert shown(computed) == {"own, calendar calendar year": 650_300, "group": 650_000}
    assert shown(run([{"column": "c", **YTD}], "B", statement={"calendar": "own"})) == {"c": 650_000}


def test_rows_of_entries_and_counterparties_read_it_too():
    spine = [
        {"line": "Each", "accounts": "40", "expand": "entries"},
        {"line": "Whom", "accounts": "40; source: till", "expand": "counterparties"},
    ]
    computed = run([{"column": "group", **YTD}, {"column": "own", **YTD, "calendar": "own"}], spine=spine)
    assert {row.label: row.values for row in computed.rows} == {
        "2026-01-08 e300": (0, 300),
        "2026-04-02 e50000": (50_000, 50_000),
        "2026-06-20 e600000": (600_000, 600_000),
        "K1": (650_000, 650_300),
    }


def test_entries_of_the_own_adjusting_period_are_found_wherever_the_group_adjusts():
    spine = [{"line": "Each", "accounts": "40", "expand": "entries"}]
    computed = run([{"column": "own", "window": "periods 13 to 13", "calendar": "own"}], spine=spine)
    assert {row.label: row.values for row in computed.rows} == {"2026-03-31 e4000": (4000,)}


def test_every_figure_agrees_with_its_trace_and_the_footing_holds():
    columns = [
        {"column": f"c{at}", "measure": measure, "window": window, "calendar": "own"}
        for at, (measure, window) in enumerate(
            [("activity", "year to date"), ("closing", "period"), ("opening", "year"), ("average", "year to date")]
        )
    ]
    computed = run(columns)
    for row in computed.rows:
        for column in computed.columns:
            assert trace_cell(computed, row.key, column.key).agrees
            (code,) = row.codes
            if not split(open_figure(computed, row.key, column.key), "account").parts:
                assert row.values[computed.place(column.key)] == 0
                continue
            opened = open_figure(computed, row.key, column.key, [("account", code)])
            for by in ("period", "source", "counterparty", "document"):
                found = split(opened, by)
                assert found.agrees and not {part.reason for part in found.parts} & {"rest", "planned"}, (by, found)
            if opened.pools and len(opened.pools[0].slices) > 1:
                part = split(opened, "period").parts[0]
                assert open_figure(computed, row.key, column.key, [("period", part.code)]).value == part.value
    states = {check.code: check.state for check in footing(computed)}
    assert (states["totals"], states["ledger-tie"], states["ledger-balance"], states["result"]) == ("holds",) * 4


@pytest.mark.parametrize(
    ("node", "currency", "message"),
    [
        ("group", "own", "column c: The companies of Works keep different calendars: calendar year, the group's."),
        ("A", "group", "column c: Books by a calendar of their own aren't translated."),
    ],
)
def test_what_has_no_one_calendar_is_refused(node, currency, message):
    with pytest.raises(RulkaError) as caught:
        run([{"column": "c", "calendar": "own"}], node, statement={"currency": currency})
    assert message in str(caught.value)


def test_a_line_outside_of_the_own_calendar_is_named():
    short = {**OWN, "first_year": 2026}
    view = book_of(
        Works(GROUP, ENTITIES, ACCOUNTS, [], [*SALES, *BANK], dimensions=(), calendars={"calendar year": short})
    ).within(Fence())
    spine, span = (
        spine_from({"spine": "s", "lines": [{"line": "S", "accounts": "40"}]}),
        span_from({"span": "p", "columns": [{"column": "c", "calendar": "own"}]}),
    )
    with pytest.raises(
        RulkaError, match="2025-05-04 lies outside the entity's own calendar. Make that calendar longer."
    ):
        run_statement(
            statement_from({"statement": "t", "spine": "s", "span": "p"}, spine, span),
            view,
            view.frame.calendar.period("2027-P03"),
            "A",
        )


def test_sums_by_own_periods_are_those_of_the_days():
    wanted: dict[tuple[int, int], Fraction] = {}
    for line in SALES:
        if line.entity == "A":
            at = (line.day.year, 13 if line.kind == "adjusting" else line.day.month)
            wanted[at] = wanted.get(at, Fraction(0)) - Fraction(line.amount)
    computed = run([{"series": "m", "each": "period", "within": "year", "calendar": "own", "heading": "{period.code}"}])
    found = {column.heading: computed.row("sales").values[place] for place, column in enumerate(computed.columns)}
    assert {heading.split(",")[0]: value for heading, value in found.items() if value} == {
        f"2026-P{month:02d}": value for (year, month), value in wanted.items() if year == 2026
    }


def test_companies_of_other_calendars_are_computed_together_as_each_alone():
    definition = statement_from(
        {"statement": "t", "spine": "s", "span": "p"},
        spine_from({"spine": "s", "lines": [{"line": "Sales", "accounts": "40"}]}),
        span_from({"span": "p", "columns": [{"column": "own", **YTD, "calendar": "own"}]}),
        None,
    )
    period, nodes = VIEW.frame.calendar.period("2027-P03"), [find_node(VIEW, code) for code in "AB"]
    together = [computed.row("sales").values for computed in run_nodes(definition, VIEW, period, nodes)]
    assert together == [(650_300,), (650_000,)]
