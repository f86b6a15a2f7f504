"""Figures opened step by step over a ledger written out here: every part with its words, counts and reasons."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from decimal import Decimal
from fractions import Fraction

import pytest

from rulka.core.books.fence import DEPTHS, Fence
from rulka.core.errors import NotFound, RulkaError
from rulka.core.proof.splits import SplitPart, directions, next_direction, open_figure, split, step_into
from rulka.core.proof.terms import terms_of
from tests.books import Line
from tests.core.proof.small import small

MORE_THAN_A_FLOAT_HOLDS = Decimal("90071992547409.93")
BOOKED = [  # account, department, day, amount, document, counterparty, source
    ("40", "d", "02-03", "-100", "D1", "C1", "shop"),
    ("40", "d", "02-04", "-50", "D2", "C1", "shop"),
    ("40", "e", "02-10", "-30", "D3", "C2", "web"),
    ("40", "s", "02-11", "-7", "", "", ""),
    ("40", "o", "01-20", "-20", "D0", "C2", "web"),
    ("41", "-", "02-12", "-4", "D4", "C1", "shop"),
    ("50", "d", "02-15", str(MORE_THAN_A_FLOAT_HOLDS), "D5", "C1", "shop"),
    ("50", "o", "02-16", "5", "D6", "C9", ""),
]
SPINE = [
    {"line": "Sales", "accounts": "40"},
    {"line": "Other", "accounts": "41"},
    {"line": "Costs", "accounts": "50"},
    {"line": "By shop", "accounts": "40, 50; source: shop"},
    {"line": "Shut", "accounts": "40", "detail": "closed"},
    {"calculation": "Together", "formula": "Sales + Shut"},
    {"line": "Cash", "accounts": "10", "sign": "as booked"},
    {"line": "Nothing", "accounts": "42", "detail": "closed"},
    {"calculation": "With nothing", "formula": "Sales + Nothing"},
]
COLUMNS = [
    {"column": "now"},
    {"column": "ytd", "window": "year to date", "heading": "So far"},
    {"column": "before", "shift": "-1 period"},
    {"column": "plan", "scenario": "budget"},
    {"column": "gap", "difference": ["now", "before"]},
    {"column": "half", "formula": "now * now"},
    {"column": "debits", "measure": "debits"},
    {"column": "credits", "measure": "credits"},
]
CALLED = {"C1": "Ternwick Stores", "C2": "Harbour Café"}


def lines():
    found = []
    for account, department, day, amount, document, counterparty, source in BOOKED:
        at = date.fromisoformat(f"2026-{day}")
        own = {"document": document, "counterparty": counterparty, "source": source}
        found += [
            Line("A", account, Decimal(amount), at, {"department": department}, **own),
            Line("A", "10", -Decimal(amount), at, **own),
        ]
    return [*found, Line("A", "40", Decimal(-90), date(2026, 2, 1), {"department": "d"}, scenario="budget")]


def opened(row, column="now", way=(), fence=Fence(), **more):  # noqa: B008
    more = {"works": {"called": CALLED}, **more}
    return open_figure(small(lines(), SPINE, COLUMNS, "2026-P02", fence, **more), row, column, way)


def part(code, label, value, lines=0, *, before=0, below=False, reason=""):
    first, second = Fraction(value), Fraction(before)
    return SplitPart(code, label, first + second, (first, second), reason, below, lines)


def parts(figure, by, **more):
    told = split(figure, by, **more)
    assert told.agrees and told.by == by and told.value == figure.value
    return list(told.parts)


def refusal(asked, *args):
    """What an error says: its words, what to do, and what it is about."""
    with pytest.raises(NotFound) as told:
        asked(*args)
    return told.value.message, told.value.hint, told.value.subject


D, E, S_ITSELF = part("d", "d D", 150, 2), part("e", "e E", 30, 1), part("=s", "s S, itself", 7, 1)


# hierarchies --------------------------------------------------------------------------------------------------------


def test_a_hierarchy_opens_below_the_last_head_that_all_stands_under():
    """All of February's sales stand under s; what s holds itself is a part of its own."""
    assert parts(opened("sales"), "department") == [D, E, S_ITSELF]
    so_far = opened("sales", "ytd")
    assert parts(so_far, "department") == [part("o", "o O", 20, 1), part("s", "s S", 187, 4, below=True)]
    assert parts(so_far, "department", lowest=True) == [D, E, part("o", "o O", 20, 1), S_ITSELF]


def test_a_step_into_a_head_shows_what_stands_below_it():
    head = opened("sales", "ytd", [("department", "s")])
    assert (head.value, head.steps) == (187, ((("department", "s"), "s S"),))
    assert parts(head, "department") == [D, E, S_ITSELF] and "department" in directions(head)
    itself = step_into(head, "department", "=s")
    assert (itself.value, itself.steps[-1]) == (7, (("department", "=s"), "s S, itself"))
    assert parts(itself, "department") == [S_ITSELF] and "department" not in directions(itself)
    lowest = step_into(head, "department", "d")
    assert parts(lowest, "department") == [D] and "department" not in directions(lowest)


def test_what_has_no_member_is_called_so():
    assert parts(opened("other"), "department") == [part("-", "No department", 4, 1)]
    assert opened("other", "now", [("department", "-")]).steps[0][1] == "No department"


# accounts, periods --------------------------------------------------------------------------------------------------


def test_accounts_and_companies_are_told_by_themselves():
    assert parts(opened("sales"), "account") == [part("40", "40 40", 187, 4)]
    assert parts(opened("sales"), "entity") == [part("A", "A A", 187, 4)]
    assert parts(opened("sales"), "partner") == [part("", "No partner", 187, 4, reason="none")]
    head = opened("sales", "now", [("account", "40")])
    assert head.value == 187 and directions(head) == ["period", "department", "counterparty", "source", "document",
                                                      "line"]  # fmt: skip
    assert directions(opened("sales")) == ["account", *directions(head)]
    assert directions(opened("sales", "plan")) == ["account", "period", "department", "line"]


def test_a_parent_account_is_no_hierarchy_of_the_trace():
    """What is booked at an account stands there, whatever stands below it."""
    assert refusal(opened, "sales", "now", [("account", "4")]) == (
        "Nothing of account '4' stands here.", "Go back a step.", "trace")  # fmt: skip


def test_both_sides_of_a_difference_are_told_by_period():
    assert parts(opened("sales", "gap"), "period") == [
        part("2026-P01", "January 2026", 0, 1, before=-20), part("2026-P02", "February 2026", 187, 4),
    ]  # fmt: skip
    assert opened("sales", "gap", [("period", "2026-P01")]).value == -20


# texts --------------------------------------------------------------------------------------------------------------


def test_texts_are_told_the_largest_first_with_both_sides():
    assert parts(opened("sales", "gap"), "counterparty") == [
        part("C1", "C1 Ternwick Stores", 150, 2), part("C2", "C2 Harbour Café", 30, 2, before=-20),
        part("", "No counterparty", 7, 1),
    ]  # fmt: skip
    assert parts(opened("sales", "ytd"), "source") == [
        part("shop", "shop", 150, 2), part("web", "web", 50, 2), part("", "No source", 7, 1),
    ]  # fmt: skip
    assert parts(opened("sales"), "document") == [
        part("D1", "D1", 100, 1), part("D2", "D2", 50, 1), part("D3", "D3", 30, 1), part("", "No document", 7, 1),
    ]  # fmt: skip


def test_a_step_into_a_text_leaves_its_lines():
    figure = opened("sales", "gap", [("counterparty", "C2")])
    assert (figure.value, figure.steps[0][1]) == (10, "C2 Harbour Café")
    assert parts(figure, "source") == [part("web", "web", 30, 2, before=-20)]
    assert parts(figure, "department") == [
        part("o", "o O", 0, 1, before=-20), part("s", "s S", 30, 1, below=True)
    ]  # fmt: skip
    without = opened("sales", "now", [("source", "")])
    assert (without.value, without.steps[0][1]) == (7, "No source")
    assert parts(without, "department") == [S_ITSELF]
    assert refusal(opened, "sales", "now", [("source", "x" * 50)]) == (
        f"Nothing of source '{'x' * 40}' stands here.", "Go back a step.", "trace")  # fmt: skip


def test_a_counterparty_without_a_name_is_called_by_its_code():
    assert parts(opened("costs"), "counterparty")[1] == part("C9", "C9", 5, 1)
    assert opened("costs", "now", [("counterparty", "C9")]).steps[0][1] == "C9"


def test_a_text_of_a_text_keeps_both():
    figure = opened("sales", "ytd", [("source", "shop"), ("counterparty", "C1"), ("document", "D2")])
    assert figure.value == 50 and parts(figure, "counterparty") == [part("C1", "C1 Ternwick Stores", 50, 1)]
    with pytest.raises(NotFound, match="Nothing of counterparty 'C2' stands here"):
        step_into(opened("sales", "ytd", [("source", "shop")]), "counterparty", "C2")


def test_a_line_of_a_source_shows_that_source_only():
    figure = opened("by-shop")
    assert parts(figure, "counterparty") == [
        part("C1", "C1 Ternwick Stores", 150 - Fraction(MORE_THAN_A_FLOAT_HOLDS), 3)
    ]  # fmt: skip
    assert step_into(figure, "counterparty", "C1").value == figure.value
    assert step_into(figure, "document", "D5").value == -Fraction(MORE_THAN_A_FLOAT_HOLDS)


def test_amounts_that_no_float_holds_are_exact_by_text():
    for column in ("now", "debits"):
        figure = opened("costs", column, [("counterparty", "C1")])
        assert figure.value == Fraction(MORE_THAN_A_FLOAT_HOLDS)
        assert parts(figure, "department") == [part("d", "d D", MORE_THAN_A_FLOAT_HOLDS, 1)]
    assert parts(opened("sales", "credits"), "source")[0] == part("shop", "shop", 150, 2)


def test_debits_and_credits_of_an_account_are_told_by_themselves():
    """Cash took in what was sold and paid what was spent."""
    took = [part("shop", "shop", 154, 3), part("web", "web", 30, 1), part("", "No source", 7, 1)]
    found = [replace(one, lines=0) for one in parts(opened("cash", "debits"), "source")]
    assert [one for one in found if one.value] == [replace(one, lines=0) for one in took]
    assert opened("cash", "debits", [("source", "shop")]).value == 154
    assert opened("cash", "credits", [("source", "")]).value == 5
    assert opened("cash", "credits", [("source", "shop")]).value == Fraction(MORE_THAN_A_FLOAT_HOLDS)


# what can't be told apart -------------------------------------------------------------------------------------------


def test_a_plan_has_no_lines():
    figure = opened("sales", "plan")
    reason = part("", "A plan: held by account and period only", 90, reason="planned")
    assert parts(figure, "counterparty") == [reason] == parts(figure, "document")
    assert parts(opened("sales", "plan"), "department") == [part("d", "d D", 90, 1)]


def test_a_sealed_account_is_one_part_in_every_finer_direction():
    sealed = Fence.of(sealed="40", grain=())
    figure = opened("sales", "gap", fence=sealed)
    reason = part("", "Sealed detail", 187, before=-20, reason="sealed")
    assert parts(figure, "counterparty") == [reason] == parts(figure, "department")
    assert parts(figure, "account") == [part("40", "40 40", 187, 2, before=-20)]  # months, not lines
    with pytest.raises(NotFound, match="Nothing of counterparty 'C1'"):
        step_into(figure, "counterparty", "C1")


def test_what_its_author_closed_counts_as_one_part():
    """To who may not edit the statement; the open line beside it is told apart all the same."""
    figure = opened("together", "gap", by_reader=True)
    shut = part("", "Closed by the statement's author", 187, before=-20, reason="closed")
    assert figure.value == 334 and figure.total == 334
    assert parts(figure, "account") == [part("40", "40 40", 187, 5, before=-20), shut]
    assert parts(figure, "counterparty")[-1] == shut and len(parts(figure, "counterparty")) == 4
    nothing = opened("with-nothing", by_reader=True)
    assert (nothing.value, nothing.total, parts(nothing, "account")) == (187, 187, [part("40", "40 40", 187, 4)])
    alone = opened("shut", by_reader=True)
    assert alone.pools is None and alone.closed == () and directions(alone) == [] and next_direction(alone) == ""
    assert opened("shut", "before", by_reader=True).value == 20
    assert parts(opened("together", "gap"), "account") == [part("40", "40 40", 374, 10, before=-40)]


# ways ---------------------------------------------------------------------------------------------------------------


def test_a_way_goes_on_to_other_figures_and_keeps_what_narrowed_it():
    line = opened("together", "gap", [("row", "sales")])
    assert (line.row.key, line.column_key, line.value, line.steps[0][1]) == ("sales", "gap", 167, "Sales")
    side = step_into(line, "column", "before")
    assert (side.row.key, side.column_key, side.value, side.steps[1][1]) == ("sales", "before", 20, "before")
    assert [step for step, _ in side.steps] == [("row", "sales"), ("column", "before")] and not side.is_narrowed
    narrowed = opened("sales", "gap", [("department", "o"), ("column", "before"), ("source", "web")])
    assert (narrowed.column_key, narrowed.value, narrowed.is_narrowed) == ("before", 20, True)
    assert opened("sales", "gap", [("column", "now"), ("department", "o")][:1]).value == 187
    so_far = opened("sales", "gap", [("column", "now"), ("department", "d"), ("column", "ytd")])
    assert so_far.value == 150 and so_far.steps[2][1] == "So far"
    assert refusal(step_into, narrowed, "row", "costs") == (
        "A line can't be chosen behind an account.", "Go back a step.", "trace")  # fmt: skip


def test_a_figure_that_is_no_sum_says_so():
    figure = opened("sales", "half")
    told = ("Sales can't be split by account here.", "Open one of the figures that it is made of.", "trace")
    assert figure.pools is None and refusal(split, figure, "account") == told
    assert refusal(step_into, figure, "account", "40") == told
    assert directions(figure) == [] and next_direction(figure) == ""


@pytest.mark.parametrize(
    ("row", "column", "asked", "hint", "subject", "code"),
    [
        ("sales", "now", Fence(depth=DEPTHS[0]), "Ask an administrator if you need to get deeper.", "", "depth"),
        ("sales", "word", Fence(), "Open a figure in another column.", "column", "not-found"),
        ("head", "now", Fence(), "Open a line below it.", "line", "not-found"),
        ("sales", "part", Fence.of(sealed="40", grain=()),
         "Whoever may open the seal sees it; a column that is cut less finely shows it to all.", "trace", "sealed"),
    ],
)  # fmt: skip
def test_what_cant_be_opened_says_what_to_do(row, column, asked, hint, subject, code):
    inner = [{"section": "Head", "lines": SPINE[:1]}]
    columns = [{"column": "now"}, {"column": "word", "text": "so far"}, {"column": "part", "narrow": "department: d"}]
    computed = small(lines(), inner, columns, "2026-P02", asked)
    with pytest.raises(RulkaError) as told:
        open_figure(computed, row, column)
    assert (told.value.hint, told.value.subject, told.value.code) == (hint, subject, code)


def test_a_source_is_called_by_its_code_alone():
    """Though a counterparty bears the same."""
    each = [Line("A", "40", Decimal(-3), date(2026, 2, 5), source="C1", counterparty="C1")]
    figure = open_figure(small(each, SPINE, COLUMNS, "2026-P02", works={"called": CALLED}), "sales", "now")
    assert step_into(figure, "source", "C1").steps[0][1] == "C1"
    assert step_into(figure, "counterparty", "C1").steps[0][1] == "C1 Ternwick Stores"


def test_documents_stand_the_largest_first():
    assert [one.code for one in parts(opened("sales", "ytd"), "document")] == ["D1", "D2", "D3", "D0", ""]


def test_what_a_calculation_counts_twice_has_its_lines_twice():
    """A third line that holds what the second does, and not what the first does."""
    inner = [*SPINE[:3], {"line": "Again", "accounts": "41"},
             {"calculation": "Added", "formula": "Sales + Other + Again"},
             {"calculation": "Twice", "formula": "Sales + Sales + Other"}]  # fmt: skip
    computed = small(lines(), inner, COLUMNS[:1], "2026-P02", works={"called": CALLED})
    added = open_figure(computed, "added", "now")
    assert parts(added, "source") == [part("shop", "shop", 158, 4), part("web", "web", 30, 1),
                                      part("", "No source", 7, 1)]  # fmt: skip
    twice = open_figure(computed, "twice", "now")
    assert parts(twice, "source")[0] == part("shop", "shop", 304, 3)


def test_what_has_no_member_stands_beside_the_head_of_all_others():
    booked = [Line("A", "40", Decimal(-amount), date(2026, 2, 5), {"department": code})
              for code, amount in (("d", 5), ("e", 3), ("-", 1))]  # fmt: skip
    figure = open_figure(small(booked, SPINE, COLUMNS, "2026-P02"), "sales", "now")
    assert parts(figure, "department") == [part("-", "No department", 1, 1), part("s", "s S", 8, 2, below=True)]


def test_directions_and_codes_that_dont_exist_are_named():
    figure = opened("sales")
    assert refusal(split, figure, "departmnt") == (
        "'departmnt' is no direction of a trace.", "Did you mean department or partner?", "trace")  # fmt: skip
    assert refusal(step_into, figure, "departmnt", "d") == refusal(split, figure, "departmnt")
    assert refusal(step_into, figure, "department", "y" * 50) == (
        f"Department '{'y' * 40}' does not exist.", "", "trace")  # fmt: skip


def test_the_company_is_shown_first_where_there_are_several():
    two = [*lines(), Line("B", "40", Decimal(-3), date(2026, 2, 3)), Line("B", "10", Decimal(3), date(2026, 2, 3))]
    figure = open_figure(small(two, SPINE, COLUMNS, "2026-P02", of="entity: A, B"), "sales", "now")
    assert next_direction(figure) == "entity" == directions(figure)[0]
    assert parts(figure, "entity") == [part("A", "A A", 187, 4), part("B", "B B", 3, 1)]
    assert next_direction(step_into(figure, "entity", "B")) == "line"


def test_a_hierarchy_opens_through_heads_of_one_member():
    """All of it stands below the deck, and there below the crew: what the crew's parts are is shown at once."""
    members = [{"dimension": "department", "code": code, "name": code.upper(), "parent": parent}
               for code, parent in (("deck", ""), ("crew", "deck"), ("mate", "crew"), ("cook", "crew"),
                                    ("shop", ""))]  # fmt: skip
    booked = [Line("A", "40", Decimal(-amount), date(2026, 2, 5), {"department": member})
              for member, amount in (("mate", 5), ("cook", 3))]  # fmt: skip

    def split_of(lines, *way):
        whole = small(lines, SPINE, COLUMNS, "2026-P02", works={"members": members})
        return [one.code for one in parts(open_figure(whole, "sales", "now", way), "department")]

    assert split_of(booked) == split_of(booked, ("department", "deck")) == ["cook", "mate"]
    more = [*booked, Line("A", "40", Decimal(-2), date(2026, 2, 5), {"department": "shop"})]
    assert split_of(more) == ["deck", "shop"] and split_of(more, ("department", "deck")) == ["cook", "mate"]
    itself = [*booked, Line("A", "40", Decimal(-2), date(2026, 2, 5), {"department": "deck"})]
    assert split_of(itself) == ["crew", "=deck"]


def test_partners_are_told_apart_and_no_further_behind_one():
    """The first company of all is a partner like any other."""
    lines = [
        Line("B", "11", Decimal(amount), date(2026, 2, 5), partner=partner) for amount, partner in ((5, "A"), (3, ""))
    ]
    inner = [{"line": "Between", "accounts": "11", "sign": "as booked"}]
    figure = open_figure(small(lines, inner, COLUMNS, "2026-P02", of="entity: B"), "between", "now")
    assert "partner" in directions(figure)
    assert parts(figure, "partner") == [part("A", "A A", 5, 1), part("", "No partner", 3, 1, reason="none")]
    behind = step_into(figure, "partner", "A")
    assert behind.value == 5 and "partner" not in directions(behind) and behind.steps[-1][1] == "A A"
    only = open_figure(small(lines[:1], inner, COLUMNS, "2026-P02", of="entity: B"), "between", "now")
    assert "partner" in directions(only)


def test_an_account_is_offered_again_behind_a_result_only():
    assert "account" not in directions(opened("sales", "now", [("account", "40"), ("period", "2026-P02")]))
    assert "account" not in directions(opened("sales", "now", [("account", "40"), ("source", "shop")]))


def test_what_is_told_flat_has_nothing_below():
    """Companies and partners stand by themselves, whatever stands below them; the first of all as any other."""
    entities = [{"code": "A", "currency": "EUR"}, {"code": "B", "currency": "EUR", "parent": "A"}]
    lines = [Line(entity, "11", Decimal(amount), date(2026, 2, 5), partner=partner)
             for entity, partner, amount in (("A", "B", 5), ("B", "A", 3), ("B", "B", 2))]  # fmt: skip
    inner = [{"line": "Between", "accounts": "11", "sign": "as booked"}]
    figure = open_figure(small(lines, inner, COLUMNS, "2026-P02", of="entity: A, B", works={"entities": entities}),
                         "between", "now")  # fmt: skip
    assert parts(figure, "entity") == [part("A", "A A", 5, 1), part("B", "B B", 5, 2)]
    assert parts(figure, "partner") == [part("A", "A A", 3, 1), part("B", "B B", 7, 2)]
    assert parts(figure, "account") == [part("11", "11 11", 10, 3)]
    assert refusal(split, figure, "perod")[1] == "Did you mean period?"
    assert refusal(step_into, figure, "perod", "x")[1] == "Did you mean period?"


def test_what_has_one_below_it_says_so():
    """Two stand in the list of what is below the head of one: it and that."""
    members = [{"dimension": "department", "code": code, "name": code.upper(), "parent": parent}
               for code, parent in (("deck", ""), ("mate", "deck"), ("shop", ""))]  # fmt: skip
    booked = [Line("A", "40", Decimal(-amount), date(2026, 2, 5), {"department": member})
              for member, amount in (("mate", 5), ("deck", 1), ("shop", 3), ("-", 2))]  # fmt: skip
    figure = open_figure(small(booked, SPINE, COLUMNS, "2026-P02", works={"members": members}), "sales", "now")
    assert parts(figure, "department") == [
        part("-", "No department", 2, 1), part("deck", "deck DECK", 6, 2, below=True), part("shop", "shop SHOP", 3, 1),
    ]  # fmt: skip
    assert [one.code for one in parts(figure, "department", lowest=True)] == ["-", "=deck", "mate", "shop"]


def test_a_code_that_begins_like_a_mark_is_a_code():
    members = [
        {"dimension": "department", "code": "=d", "name": "Odd"},
        {"dimension": "department", "code": "d", "name": "D"},
    ]
    booked = [
        Line("A", "40", Decimal(-amount), date(2026, 2, 5), {"department": code})
        for code, amount in (("=d", 5), ("d", 3))
    ]
    figure = open_figure(small(booked, SPINE, COLUMNS, "2026-P02", works={"members": members}), "sales", "now")
    assert {one.label: one.value for one in parts(figure, "department")} == {"=d Odd": 5, "d D": 3}
    odd = step_into(figure, "department", "=d")
    assert (odd.value, odd.steps[0][1]) == (5, "=d Odd")


def test_a_sum_opens_into_what_its_columns_show():
    """A column that the calendar doesn't have adds nothing."""
    inner = [{"line": "Sales", "accounts": "40", "columns": ["now"]}, {"line": "Costs", "accounts": "50"}]
    made = [{"column": "both", "sum": ["now", "before"]}, {"column": "some", "sum": ["now", "early"]}]
    shifted = [{"column": name, "shift": f"-{by} periods"} for name, by in (("before", 1), ("early", 40))]
    columns = [{"column": "now"}, *shifted, *made]
    booked = [Line("A", code, Decimal(amount), date(2026, month, 5))
              for code, amount, month in (("40", -5, 2), ("40", -3, 1), ("50", 7, 2), ("50", 2, 1))]  # fmt: skip
    computed = small(booked, inner, columns, "2026-P02")
    told = {(row, column): (computed.row(row).values[computed.place(column)], trace_terms(computed, row, column))
            for row in ("sales", "costs") for column in ("both", "some")}  # fmt: skip
    assert told["costs", "both"] == (9, [("costs", "now"), ("costs", "before")])
    assert told["costs", "some"] == (7, [("costs", "now")])
    assert told["sales", "some"] == (None, None) == told["sales", "both"]  # blank in one of them


def trace_terms(computed, row, column):
    terms = terms_of(computed, row, column)
    return None if terms is None else [(term.leaf.line.key, term.column.key) for term in terms]


def test_what_eliminates_opens_into_the_keys_it_leaves():
    each = [Line(entity, "11", Decimal(amount), date(2026, 2, 5), partner=partner)
            for entity, partner, amount in (("A", "B", 5), ("B", "A", -4), ("A", "", 3))]  # fmt: skip
    columns = [{"column": part, "part": part} for part in ("eliminations", "after elimination", "before elimination")]
    inner = [{"line": "Between", "accounts": "11", "sign": "as booked"}]
    computed = small(each, inner, columns, "2026-P02", of="entity: A, B")
    found = {column["column"]: open_figure(computed, "between", column["column"]) for column in columns}
    assert parts(found["after elimination"], "entity") == [part("A", "A A", 3, 1)]
    assert parts(found["eliminations"], "entity") == [part("A", "A A", -5, 1), part("B", "B B", 4, 1)]
    assert parts(found["before elimination"], "entity") == [part("A", "A A", 8, 2), part("B", "B B", -4, 1)]


def test_a_total_opens_into_the_lines_that_its_column_shows():
    inner = [{"section": "All", "total": "Sum", "lines": [
        {"line": "Sales", "accounts": "40", "columns": ["now"]}, {"line": "Other", "accounts": "41"}]}]  # fmt: skip
    booked = [Line("A", code, Decimal(amount), date(2026, month, 5))
              for code, amount, month in (("40", -5, 2), ("40", -3, 1), ("41", -7, 2), ("41", -2, 1))]  # fmt: skip
    computed = small(booked, inner, COLUMNS[:3], "2026-P02")
    assert trace_terms(computed, "all.total", "now") == [("sales", "now"), ("other", "now")]
    assert trace_terms(computed, "all.total", "before") == [("other", "before")]
    assert parts(open_figure(computed, "all.total", "before"), "account") == [part("41", "41 41", 2, 1)]
