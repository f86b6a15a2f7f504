"""Every check in every state it can have: what no sound computation leaves wrong is made wrong here."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from decimal import Decimal
from fractions import Fraction

import pytest
import yaml

from rulka.core.books.fence import Fence
from rulka.core.compute.nodes import nodes_of
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import statement_from
from rulka.core.proof.checks import CORE, FAILS, HOLDS, NOT_JUDGED, TITLES, WARNS, Check, verdict_on
from rulka.core.proof.footing import footing
from rulka.core.proof.totals import _Again
from rulka.formats.output.text import read_checks
from tests.books import Line, Works, book_of
from tests.core.compute.test_cases import CASES

CALENDAR = {"first_month": 1, "year_label": "end", "first_year": 2026, "last_year": 2026}
ENTITIES = [{"code": "A", "name": "Alpha", "currency": "EUR"}, {"code": "B", "name": "Beta", "currency": "EUR"}]
ACCOUNTS = [
    {"code": "10", "type": "asset"},
    {"code": "11", "type": "asset", "intercompany": "1"},
    {"code": "30", "type": "equity"},
    {"code": "39", "type": "equity"},
    {"code": "40", "type": "revenue"},
    {"code": "50", "type": "expense"},
]
DAY = date(2026, 3, 1)
LINES = [
    Line("A", "10", Decimal("75.4"), DAY),
    Line("A", "40", Decimal("-100.4"), DAY),
    Line("A", "50", Decimal(25), DAY),
]
SPINE = {
    "spine": "s",
    "lines": [
        {
            "section": "Result",
            "lines": [{"line": "Income", "accounts": "40"}, {"line": "Costs", "accounts": "50", "sign": "flipped"}],
            "total": "Sum",
        }
    ],
}


def run(lines=LINES, *, spine=SPINE, columns=None, figures=None, node="A"):
    span = span_from({"span": "p", "columns": columns or [{"column": "now"}]})
    definition = statement_from(
        {"statement": "t", "spine": "s", "span": "p", "figures": figures or {}}, spine_from(spine), span
    )
    view = book_of(Works(CALENDAR, ENTITIES, ACCOUNTS, [], lines, dimensions=())).within(Fence())
    return run_statement(definition, view, view.frame.calendar.period("2026-P03"), node)


def states(computed):
    return {check.code: (check.state, check.detail) for check in footing(computed)}


def with_row(computed, key, **changed):
    """The same statement with a row that isn't what was computed."""
    return replace(computed, rows=tuple(replace(row, **changed) if row.key == key else row for row in computed.rows))


def test_a_total_that_is_not_the_sum_of_its_accounts_fails():
    assert states(run())["totals"] == (HOLDS, "")
    wrong = with_row(run(), "result.total", values=(Fraction(76),))
    assert states(wrong)["totals"] == (FAILS, "Does not foot: Sum")
    assert (
        verdict_on(footing(wrong)) == verdict_on([Check("totals", FAILS)]) and verdict_on(footing(wrong)).exit_code == 3
    )


def test_a_total_that_agreed_before_is_looked_at_again():
    """What agreed is remembered with all that was compared: another figure, or another sum, is judged anew."""
    computed = run()
    wrong = with_row(computed, "result.total", values=(Fraction(76),))
    for _ in range(2):
        assert states(computed)["totals"] == (HOLDS, "")
        assert states(wrong)["totals"] == (FAILS, "Does not foot: Sum")
    assert states(computed)["totals"] == (HOLDS, "")
    agreed = _Again(computed)
    row = computed.row("result.total")
    assert agreed.before["result.total"][0] == row.values
    agreed.of_leaf = {leaf.key: [700] for leaf in computed.plan.leaves.walk()}
    assert not agreed.agrees(row, [0])


def test_a_line_that_is_not_the_sum_of_its_accounts_fails_where_there_are_no_totals():
    lines = {"spine": "s", "covers": "nothing", "lines": [{"line": "Income", "accounts": "40"}]}
    assert states(run(spine=lines))["totals"] == (HOLDS, "")
    assert states(with_row(run(spine=lines), "income", values=(Fraction(1),)))["totals"] == (
        FAILS,
        "Does not foot: Income",
    )


def test_lines_that_sum_to_something_else_than_the_ledger_fail():
    computed = run()
    computed.amounts[0, 0] += 300
    assert states(computed)["ledger-tie"] == (FAILS, "now (March 2026): −3.00 EUR of the ledger is not on it")


def test_the_tie_says_which_columns_it_did_not_judge():
    columns = [
        {"column": "now"},
        {"column": "in", "measure": "debits"},
        {"column": "only", "narrow": "10"},
        {"column": "less", "difference": ["now", "in"]},
    ]
    assert states(run(columns=columns))["ledger-tie"] == (
        HOLDS,
        "Judged in columns of the ledger's net figures, not in in.",
    )
    assert states(run())["ledger-tie"] == (HOLDS, "")
    assert states(run(columns=columns[1:2]))["ledger-tie"][0] == NOT_JUDGED


def test_a_ledger_out_of_balance_fails():
    assert states(run())["ledger-balance"] == (HOLDS, "")
    assert states(run([*LINES, Line("A", "10", Decimal("1234.5"), DAY)]))["ledger-balance"] == (
        FAILS,
        "A, now: 1\u00a0234.50",
    )
    assert "ledger-balance" not in states(
        run(columns=[{"column": "plan", "scenario": "budget"}])
    )  # a plan owes no balance


def test_a_result_that_was_not_booked_this_year_fails():
    computed = run()
    assert states(computed)["result"] == (HOLDS, "")
    balances = computed.view.balances("actual")
    balances.closing[balances.closing == -10_040] = -9_040
    assert states(computed)["result"] == (FAILS, "now (March 2026): 10.00")


def test_a_partner_that_is_missing_warns_and_a_pair_that_differs_fails():
    between = [Line("A", "11", Decimal(5), DAY), Line("A", "10", Decimal(-5), DAY)]
    columns = [{"column": "group", "part": "after elimination", "measure": "closing"}]
    spine = {"spine": "s", "covers": "nothing", "lines": [{"line": "All", "accounts": "1*"}]}
    told = {
        check.check: (check.state, check.detail)
        for check in footing(run([*LINES, *between], spine=spine, columns=columns, node="group"))
    }
    assert told["Intercompany agrees"] == (HOLDS, "")
    assert told["Intercompany names its partners"] == (WARNS, "Not eliminated, no partner is named: A 11")
    apart = [replace(between[0], partner="B"), between[1]]
    assert states(run([*LINES, *apart], spine=spine, columns=columns, node="group"))["intercompany"] == (
        FAILS,
        "March 2026, balances: A has 5.00, B 0.00, 5.00 apart",
    )


def test_shown_figures_that_do_not_add_up_fail():
    figures = {"decimals": "0", "rounding": "so that it foots"}
    computed = run(figures=figures)
    assert states(computed)["rounding"][0] == HOLDS
    assert states(with_row(computed, "income", shown=(Fraction(101),)))["rounding"] == (
        FAILS,
        "What is shown doesn't add up to Sum",
    )


def test_messages_write_amounts_as_the_page_does():
    figures = {"grouping": "point", "decimal mark": "comma"}
    computed = run([*LINES, Line("A", "10", Decimal("1234.5"), DAY)], figures=figures)
    assert states(computed)["ledger-balance"] == (FAILS, "A, now: 1.234,50")


# the three sentences -------------------------------------------------------------------------------------------------

SOUND = [Check(code, HOLDS) for code in CORE]


@pytest.mark.parametrize(
    ("checks", "text", "code"),
    [
        (SOUND, "Foots: every check holds", 0),
        ([*SOUND, Check("rounding", HOLDS, "told")], "Foots: every check holds", 0),
        ([Check("totals", HOLDS), Check("own-check", HOLDS, title="Cash")], "Adds up; places no accounts by design", 0),
        (SOUND[1:], "Not judged: nothing", 4),  # the others hold, and nobody said that it places nothing
        ([], "Not judged: nothing", 4),
        ([Check("ledger-balance", HOLDS)], "Not judged: nothing", 4),
        ([*SOUND, Check("selections", WARNS)], "Warns: Every selection means something", 4),
        ([*SOUND, Check("own-check", NOT_JUDGED, title="Cash")], "Not judged: Cash", 4),
        ([Check("totals", NOT_JUDGED)], "Not judged: Totals foot", 4),
        (
            [*SOUND, Check("result", FAILS), Check("columns", WARNS), Check("fence", NOT_JUDGED)],
            "Fails: The result ties. Warns: The columns are complete. Not judged: The whole is seen",
            3,
        ),
    ],
)
def test_the_sentence_says_what_was_judged(checks, text, code):
    assert (verdict_on(checks).text, verdict_on(checks).exit_code) == (text, code)


# every code and state ------------------------------------------------------------------------------------------------

CANNOT_FAIL = {"fence", "selections"}
"""A fence and a word without a meaning are nobody's error of arithmetic: they are not judged, or warn."""


def test_every_check_has_a_case_for_each_of_its_states():
    """Those of the case files, and those above for what no definition can bring about."""
    titled = {"own-check"} | set(TITLES)
    seen = {
        ("totals", FAILS),
        ("ledger-tie", FAILS),
        ("ledger-balance", FAILS),
        ("ledger-balance", HOLDS),
        ("result", FAILS),
        ("result", HOLDS),
        ("intercompany", WARNS),
        ("rounding", FAILS),
        ("rounding", HOLDS),
        ("own-check", FAILS),
    }
    by_title = {title: code for code, title in TITLES.items() if title}
    for path in CASES.glob("[0-9]*.yaml"):
        for case in yaml.safe_load(path.read_text())["cases"]:
            for name, wanted in (case.get("checks") or {}).items():
                code = (
                    name
                    if name in titled
                    else by_title.get(name, "columns" if name.startswith("The columns of") else "own-check")
                )
                seen.add((code, wanted.partition(":")[0]))
    for code in TITLES:
        assert code in CANNOT_FAIL or (code, FAILS) in seen, code
        assert (code, HOLDS) in seen, code
        assert (code, WARNS) in seen or (code, NOT_JUDGED) in seen, code


def test_runs_kept_before_there_were_codes_are_read_by_their_titles():
    old = [
        ("Every account is placed", True, "4 of 4 accounts placed"),
        ("Ties to the ledger", False, "Now: 1.00 EUR"),
        ("The columns of months are complete", True, ""),
        ("Fence", True, "You see a part of this ledger; checks that need the whole are not made."),
        ("Selections", True, "X: '5' matches no account"),
        ("Cash agrees", False, "now: 1.00 apart"),
        ("Ratio", True, "Judged in no column: none of them has figures for it."),
        ("Not elsewhere", True, "Node n"),
        ("Intercompany without a partner", True, "A 11"),
    ]
    found = read_checks({"footing": [{"check": title, "ok": ok, "detail": detail} for title, ok, detail in old]})
    assert [(check.code, check.state) for check in found] == [
        ("placed", HOLDS),
        ("ledger-tie", FAILS),
        ("columns", HOLDS),
        ("fence", NOT_JUDGED),
        ("selections", WARNS),
        ("own-check", FAILS),
        ("own-check", NOT_JUDGED),
        ("selections", HOLDS),
        ("intercompany", WARNS),
    ]
    assert [check.check for check in found] == [title for title, _, _ in old]
    new = [{"check": "Totals foot", "code": "totals", "state": "not judged", "ok": False, "detail": "why"}]
    assert [(check.code, check.state, check.detail) for check in read_checks({"footing": new})] == [
        ("totals", NOT_JUDGED, "why")
    ]


def test_the_books_of_a_company_above_others_need_no_telling():
    """Without a scope they follow it as a node of its own by rule; of a drawn scope it is told."""
    entities = [{"code": "A", "currency": "EUR"}, {"code": "B", "currency": "EUR", "parent": "A"}]
    lines = [*LINES, Line("B", "40", Decimal(-3), DAY), Line("B", "10", Decimal(3), DAY)]
    view = book_of(Works(CALENDAR, entities, ACCOUNTS, [], lines, dimensions=())).within(Fence())
    body, span = {"statement": "t", "spine": "s", "span": "p"}, span_from({"span": "p", "columns": [{"column": "now"}]})
    statement = statement_from(body, spine_from(SPINE), span)
    computed = run_statement(statement, view, view.frame.calendar.period("2026-P03"), "A")
    assert computed.node.children and "A.rest" in [node.code for node in nodes_of(view)]
    assert [check.title for check in footing(computed) if check.code == "selections"] == [""]
