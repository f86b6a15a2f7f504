"""Rows and columns of the rarer kinds over a few lines, worked by hand."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from fractions import Fraction

import pytest

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.compute.nodes import nodes_of
from rulka.core.compute.statement import run_nodes, run_statement
from rulka.core.definitions.scopes import scope_from
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import statement_from
from rulka.core.errors import NotFound
from tests.books import Line, Works, book_of
from tests.core.compute.test_brute import ACCOUNTS, ENTITIES, MEMBERS
from tests.core.proof.small import CALENDAR, small


def line(account, amount, day, **more):
    return Line("A", account, Decimal(amount), date.fromisoformat(f"2026-{day}"), **more)


def shown(computed):
    return {row.key: row.values for row in computed.rows if row.has_figures}


def test_rows_of_counterparties_show_every_measure_but_means():
    """C1 sold for ten and gave two back; what it was before counts in its balance."""
    lines = [line("41", -10, "02-03", counterparty="C1"), line("41", 2, "02-04", counterparty="C1"),
             line("41", -5, "01-04", counterparty="C1"), line("41", -7, "02-04", counterparty="C2")]  # fmt: skip
    columns = [{"column": measure, "measure": measure} for measure in ("debits", "credits", "closing", "average")]
    computed = small(lines, [{"line": "Whom", "accounts": "41", "expand": ["counterparties"]}], columns, "2026-P02")
    assert shown(computed) == {"whom:c1": (2, 10, 13, None), "whom:c2": (0, 7, 7, None)}


def test_weeks_end_with_their_month_and_are_booked_once_anything_was():
    """From Monday on: the week that January ends in is two; what came and went in one is nothing, and booked."""
    lines = [line("40", -3, "01-31"), line("40", -5, "02-01"), line("40", -9, "02-09"), line("40", 9, "02-10"),
             line("41", -3, "02-03", scenario="budget")]  # fmt: skip
    inner = [{"line": "Sales", "accounts": "40"}, {"line": "None", "accounts": "41"}]
    columns = [{"series": "w", "each": "week", "within": "year", "weeks": "monday"}]
    computed = small(lines, inner, columns, "2026-P02")
    told = [
        (f"{column.window.start:%m-%d}", f"{column.window.end:%m-%d}", computed.row("sales").values[at],
         computed.booked["sales"][at])
        for at, column in enumerate(computed.columns) if date(2026, 1, 19) <= column.window.start <= date(2026, 2, 9)
    ]  # fmt: skip
    assert told == [
        ("01-19", "01-25", 0, False), ("01-26", "01-31", 3, True), ("02-01", "02-01", 5, True),
        ("02-02", "02-08", 0, True), ("02-09", "02-15", 0, True),
    ]  # fmt: skip
    assert not any(computed.booked["none"])


def test_others_are_one_row_called_as_the_line_says():
    lines = [line(code, amount, "02-03") for code, amount in (("40", -9), ("41", -5), ("42", -2))]
    inner = [{"line": "Best", "accounts": "40, 41, 42", "expand": ["accounts"], "top": 1, "others": "All the rest"}]
    computed = small(lines, inner, [{"column": "now"}], "2026-P02")
    assert [(row.label, row.codes, row.values) for row in computed.rows] == [
        ("40 40", ("40",), (9,)), ("All the rest", ("41", "42"), (7,))
    ]  # fmt: skip


def test_a_member_series_names_no_window_in_its_headings():
    lines = [line("40", -9, "02-03", members={"department": "d"})]
    columns = [{"series": "m", "each": "department", "heading": "{member} ({member.code}){window}"}]
    computed = small(lines, [{"line": "Sales", "accounts": "40"}], columns, "2026-P02")
    assert [column.heading for column in computed.columns] == ["D (d)"]


def test_totals_of_quarters_and_years_have_keys_of_their_own():
    columns = [{"series": "m", "each": "period", "within": "year", "totals": ["quarter"], "total": "Year"}]
    computed = small([line("40", -9, "02-03")], [{"line": "Sales", "accounts": "40"}], columns, "2026-P02")
    keys = [column.key for column in computed.columns]
    assert len(set(keys)) == len(keys) == 17
    assert [key for key in keys if "total" in key or "q" in key] == [
        "m-2026-q1", "m-2026-q2", "m-2026-q3", "m-2026-q4", "m-total"
    ]  # fmt: skip


def test_a_node_that_is_not_there_is_named_with_the_scope():
    columns = [{"column": "now", "inside": "deck"}]
    with pytest.raises(NotFound) as told:
        small([line("40", -9, "02-03")], [{"line": "Sales", "accounts": "40"}], columns, "2026-P02")
    assert told.value.message == "Node 'deck' does not exist in scope n."


NODES = [{"node": "all", "of": "entity: A, B", "nodes": [{"node": "a", "of": "entity: A"},
                                                      {"node": "b", "of": "entity: B"}]}]  # fmt: skip


def test_nodes_with_other_columns_are_computed_apart():
    """The whole has a column for each company, these have one."""
    spine = spine_from({"spine": "s", "lines": [{"line": "Sales", "accounts": "40"}]})
    span = span_from({"span": "p", "columns": [{"column": "now"}, {"series": "each", "each": "child", "total": "All"}]})
    scope = scope_from({"scope": "n", "nodes": NODES})
    statement = statement_from({"statement": "t", "spine": "s", "span": "p", "scope": "n"}, spine, span, scope)
    lines = [line("40", -9, "02-03"), Line("B", "40", Decimal(-4), date(2026, 2, 3))]
    view = book_of(Works(CALENDAR, ENTITIES, ACCOUNTS, MEMBERS, lines)).within(NO_FENCE)
    period = view.frame.calendar.period("2026-P02")
    nodes = nodes_of(view, scope)
    together = run_nodes(statement, view, period, nodes)
    alone = [run_statement(statement, view, period, node.code) for node in nodes]
    assert [shown(one) for one in together] == [shown(one) for one in alone]
    assert shown(together[0])["sales"][-1] == 13 and len({len(one.columns) for one in together}) > 1


def test_what_was_booked_on_sealed_accounts_alone_is_there_behind_a_fine_column():
    """A column by department can't show it; that anything was booked at all isn't finer than the seal."""
    lines = [line("50", 9, "02-03", members={"department": "d"})]
    inner = [{"line": "Sales", "accounts": "40"}]
    fine = [{"column": "now", "narrow": "department: d"}]
    sealed = Fence.of(sealed="50", grain=())
    assert small(lines, inner, fine, "2026-P02", sealed).has_anything is False
    assert small(
        [*lines, line("20", 5, "02-03", members={"department": "d"})], inner, fine, "2026-P02", sealed
    ).has_anything
    assert small(lines, inner, fine, "2026-P02").has_anything


def test_what_gave_way_says_upwards_or_downwards():
    """Thirds of a total that is rounded to whole units."""
    lines = [line("40", "-0.40", "02-03"), line("41", "-0.40", "02-03"), line("42", "-0.40", "02-03"),
             line("50", "0.60", "02-03"), line("51", "0.60", "02-03")]  # fmt: skip
    inner = [
        {
            "section": "Income",
            "total": "Sum",
            "lines": [{"line": code, "accounts": code} for code in ("40", "41", "42")],
        },
        {"section": "Costs", "total": "Spent", "lines": [{"line": code, "accounts": code} for code in ("50", "51")]},
    ]
    computed = small(lines, inner, [{"column": "now"}], "2026-P02", figures={"decimals": "0", "rounding": "foot"})
    assert computed.roundings and any(": +" in told for told in computed.roundings)
    assert all((": +" in told) != (": \u2212" in told or ": -" in told) for told in computed.roundings)


def test_a_node_without_members_has_a_column_of_the_series_all_the_same():
    spine = spine_from({"spine": "s", "lines": [{"line": "Sales", "accounts": "40"}]})
    span = span_from({"span": "p", "columns": [{"column": "now"}, {"series": "m", "each": "department"}]})
    scope = scope_from({"scope": "n", "nodes": NODES})
    statement = statement_from({"statement": "t", "spine": "s", "span": "p", "scope": "n"}, spine, span, scope)
    lines = [line("40", -9, "02-03", members={"department": "d"}), Line("B", "40", Decimal(-4), date(2026, 2, 3))]
    view = book_of(Works(CALENDAR, ENTITIES, ACCOUNTS, MEMBERS, lines)).within(NO_FENCE)
    nodes = {node.code: node for node in nodes_of(view, scope)}
    found = run_nodes(statement, view, view.frame.calendar.period("2026-P02"), [nodes["a"], nodes["b"]])
    assert [[column.key for column in one.columns] for one in found] == [["now", "m-d"], ["now", "m-line"]]
    assert [shown(one)["sales"] for one in found] == [(9, 9), (4, 4)]


FOOTS = {"decimals": "0", "rounding": "so that it foots"}


def test_differences_and_sums_of_columns_are_made_from_what_these_show():
    """10.40 less 3.60 are 6.80, and of 10 less 4 there are 6; twice 10.40 shows as twice 10."""
    lines = [line("40", "-10.40", "02-03"), line("40", "-3.60", "01-03")]
    made = [{"column": "gap", "difference": ["now", "before"]}, {"column": "twice", "sum": ["now", "now"]}]
    columns = [{"column": "now"}, {"column": "before", "shift": "-1 period"}, *made]
    computed = small(lines, [{"line": "Sales", "accounts": "40"}], columns, "2026-P02", figures=FOOTS)
    assert computed.row("sales").shown == (10, 4, 6, 20)
    assert computed.row("sales").values[2:] == (Fraction(68, 10), Fraction(208, 10))


def test_money_is_told_in_its_currencys_digits_and_quantities_in_theirs():
    works = {"digits": {"EUR": 3, "SEK": 2}}
    inner = [{"line": "Sales", "accounts": "40"}, {"line": "Trips", "accounts": "90"}]
    columns = [{"column": "now"}, {"column": "counted", "measure": "quantity"}]
    computed = small([line("40", "-9", "02-03"), line("90", "2", "02-03")], inner, columns, "2026-P02", works=works)
    now, counted = computed.columns
    sales, trips = computed.row("sales"), computed.row("trips")
    assert [computed.digits_of(sales, now), computed.digits_of(trips, now), computed.digits_of(sales, counted)] == [
        3,
        2,
        2,
    ]
    assert (
        computed.exact_figure(Fraction(1, 3), 2) == "0.3333333333"
        and computed.exact_figure(Fraction(5, 4), 1) == "1.25"
    )


def test_a_window_of_days_with_nothing_booked_in_its_months_is_nothing():
    columns = [{"column": "days", "window": "2026-03-03 to 2026-04-04"}]
    computed = small([line("40", "-9", "02-03")], [{"line": "Sales", "accounts": "40"}], columns, "2026-P02")
    assert computed.row("sales").values == (0,)


def test_a_head_has_a_row_of_its_own_where_something_is_posted_on_it():
    inner = [{"line": "Sales", "accounts": "4*", "expand": ["children"]}]
    heads = {}
    for codes in (("40", "42"), ("4", "40", "42")):
        booked = [line(code, -9, "02-03") for code in codes]
        heads[codes] = [row.key for row in small(booked, inner, [{"column": "now"}], "2026-P02").rows]
    (without, having) = heads.values()
    assert [key for key in having if key not in without] == ["sales:4:itself"], heads


def test_grown_companies_are_each_of_their_own_currency():
    lines = [Line(code, "40", Decimal(-5), date(2026, 2, 3), {"department": "d"}) for code in ("A", "C")]
    view = book_of(Works(CALENDAR, ENTITIES, ACCOUNTS, MEMBERS, lines)).within(NO_FENCE)
    scope = scope_from({"scope": "n", "nodes": [{"node": "all", "of": "entity: A, C", "nodes": [{"grow": "entity"}]}]})
    part = scope_from({"scope": "n", "nodes": [{"node": "all", "of": "", "nodes": [{"node": "a", "of": "entity: A"}]}]})
    assert [(node.code, node.depth) for node in nodes_of(view, part)] == [("all", 0), ("a", 1), ("all.rest", 1)]
    assert [(node.code, node.is_mixed) for node in nodes_of(view, scope)] == [("all", True), ("A", False), ("C", False)]
    by_department = {"scope": "n", "nodes": [{"grow": "department"}]}
    first = nodes_of(view, scope_from(by_department))[0]
    assert (first.code, first.is_mixed) == ("s", True)


def test_the_others_have_a_key_of_their_own():
    lines = [line(code, amount, "02-03") for code, amount in (("40", -9), ("41", -5), ("42", -2))]
    inner = [{"line": "Best", "accounts": "40, 41, 42", "expand": ["accounts"], "top": 1, "others": "All the rest"}]
    computed = small(lines, inner, [{"column": "now"}], "2026-P02")
    assert [row.key for row in computed.rows] == ["best:40", "best:others:best:41"]


def test_series_are_headed_by_what_they_are_cut_by():
    lines = [line("40", -9, "02-03", members={"department": "d"})]

    def headings(**said):
        computed = small(lines, [{"line": "Sales", "accounts": "40"}], [{"series": "m", **said}], "2026-P02")
        return [(column.group, column.heading) for column in computed.columns]

    assert headings(each="period") == [("", "January 2026"), ("", "February 2026")]
    assert headings(each="year", within="year") == [("", "2026")]
    assert [heading for _, heading in headings(each="week", weeks="monday")][:2] == [
        "1 February 2026",
        "2 to 8 February 2026",
    ]
    inner = [{"column": "now"}, {"column": "told", "heading": "Of {member}"}]
    assert headings(each="department", columns=inner) == [("D", "now"), ("D", "Of D")]


def test_a_series_is_not_cut_from_days():
    """Its pieces would be whole periods, or all weeks of one."""
    for each, within in (("week", "week 2"), ("period", "2026-02-03 to 2026-02-09")):
        columns = [{"series": "m", "each": each, "within": within}, {"column": "now"}]
        computed = small([line("40", -9, "02-03")], [{"line": "Sales", "accounts": "40"}], columns, "2026-P02")
        blank, _ = computed.columns
        assert blank.note == f"a series is cut from whole periods, and '{within}' is days"
        assert computed.row("sales").values == (None, 9)


def test_lines_of_an_opening_balance_are_those_before_its_window():
    before = Line("A", "10", Decimal(10), date(2025, 12, 5), counterparty="C1")
    lines = [before, line("10", 3, "01-05", counterparty="C1"), line("10", 4, "02-05", counterparty="C1")]
    columns = [
        {"column": "opening", "measure": "opening", "window": "year to date"},
        {"column": "end", "measure": "closing"},
    ]
    computed = small(lines, [{"line": "Whom", "accounts": "10", "expand": ["counterparties"]}], columns, "2026-P02")
    assert shown(computed) == {"whom:c1": (10, 17)}


def test_entries_of_quantities_are_told_in_these():
    inner = [
        {"line": "Trips", "accounts": "90", "expand": ["entries"]},
        {"line": "Sales", "accounts": "40", "expand": ["entries"]},
    ]
    computed = small([line("90", "2.5", "02-03"), line("40", -9, "02-03")], inner, [{"column": "now"}], "2026-P02")
    assert [(row.kind, row.unit, row.values) for row in computed.rows if row.values] == [
        ("entry", "quantity", (Fraction(5, 2),)), ("entry", "money", (9,))]  # fmt: skip


def test_members_behind_a_seal_are_one_row_beside_those_of_open_accounts():
    """In the order of codes, or by name."""
    lines = [line("50", amount, "02-03", members={"department": code}) for code, amount in (("d", 5), ("e", 3))]
    lines += [line("51", 2, "02-03", members={"department": "d"})]
    inner = [{"line": "Costs", "accounts": "50, 51", "expand": ["department"]}]
    open_, sealed = (
        [(row.kind, row.label, row.values) for row in small(lines, inner, [{"column": "now"}], "2026-P02", fence).rows]
        for fence in (NO_FENCE, Fence.of(sealed="50", grain=()))
    )
    assert [label for _, label, _ in open_] == ["d D", "e E"]
    assert sealed == [("member", "d D", (2,)), ("others", "Sealed detail", (8,))]
    fine = small(lines, inner, [{"column": "now"}], "2026-P02", Fence.of(sealed="50", grain=("department",)))
    assert [row.values for row in fine.rows] == [(7,), (3,)]


def test_members_by_name_go_by_all_its_words():
    members = [{"dimension": "department", "code": code, "name": name} for code, name in
               (("1", "Berth Aft"), ("2", "Anchor Zone"), ("3", "anchor Yard"))]  # fmt: skip
    lines = [line("50", 5, "02-03", members={"department": code}) for code in "123"]
    inner = [{"line": "Costs", "accounts": "50", "expand": ["department"], "sort": "name"}]
    computed = small(lines, inner, [{"column": "now"}], "2026-P02", works={"members": members})
    assert [row.label for row in computed.rows] == ["3 anchor Yard", "2 Anchor Zone", "1 Berth Aft"]


def test_a_total_adds_up_the_outermost_rows_of_lines_that_expand():
    """Departments and what stands below them, and of the other unit none."""
    lines = [line("50", 5, "02-03", members={"department": "d"}), line("51", 2, "02-03", members={"department": "e"}),
             line("90", 4, "02-03"), line("52", 1, "02-03")]  # fmt: skip
    accounts = [*ACCOUNTS, {"code": "52", "type": "expense"}]
    inner = [{"section": "All", "total": "Sum", "lines": [
        {"line": "Costs", "accounts": "50, 51", "expand": ["department", "accounts"]},
        {"line": "Rent", "accounts": "52"},
        {"line": "Counted", "accounts": "90, 52", "expand": ["accounts"]}]}]  # fmt: skip
    computed = small(lines, inner, [{"column": "now"}], "2026-P02", works={"accounts": accounts})
    rows = computed.rows_of_total(computed.row("all.total"))
    assert [row.key for row in rows] == ["costs:department=d", "costs:department=e", "rent", "counted:52"]


def test_a_column_of_columns_of_one_node_shows_in_the_currency_of_that():
    each = [Line("C", "40", Decimal(-5), date(2026, 2, 3)), line("40", -9, "02-03")]
    columns = [{"column": "a", "node": "c"}, {"column": "b", "node": "c", "shift": "-1 period"},
               {"column": "gap", "difference": ["a", "b"]}, {"column": "own"},
               {"column": "other", "difference": ["own", "own"]}]  # fmt: skip
    inner = [{"line": "Sales", "accounts": "40"}]
    computed = small(
        each, inner, columns, "2026-P02", others={"c": "entity: C"}, works={"digits": {"EUR": 2, "SEK": 3}}
    )
    assert [computed.plan.node_of(column).code for column in computed.columns] == ["c", "c", "c", "n", "n"]
    assert [computed.digits_of(computed.row("sales"), column) for column in computed.columns] == [3, 3, 3, 2, 2]


def test_rows_say_which_panel_they_stand_in_and_which_way_is_better():
    """Of sales and costs together neither; a section begins the second panel."""
    left = [{"line": "Sales", "accounts": "40"}, {"line": "Wages", "accounts": "50"}]
    inner = [{"section": "Left", "total": "Sum", "lines": left},
             {"section": "Right", "panel": "second", "lines": [{"line": "Costs", "accounts": "51"}]}]  # fmt: skip
    lines = [line(code, amount, "02-03") for code, amount in (("40", -9), ("50", 2), ("51", 3))]
    computed = small(lines, inner, [{"column": "now"}], "2026-P02")
    assert [(row.key, row.panel, row.direction) for row in computed.rows if row.has_figures] == [
        ("sales", 1, 1), ("wages", 1, -1), ("left.total", 1, 0), ("costs", 2, -1)]  # fmt: skip


def test_what_is_sealed_for_a_reader_sums_to_nothing():
    lines = [line("50", 7, "02-03", members={"department": "d"}), line("51", 2, "02-03", members={"department": "d"})]
    inner = [{"line": "Costs", "accounts": "50"}, {"line": "Fuel", "accounts": "51"}]
    columns = [{"column": "now"}, {"column": "part", "narrow": "department: d"}]
    computed = small(lines, inner, columns, "2026-P02", Fence.of(sealed="50", grain=()))
    assert abs(computed.amounts).tolist() == [[700, 0], [200, 200]]
