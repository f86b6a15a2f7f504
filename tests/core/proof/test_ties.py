"""Ties to the ledger and totals made again, where a ledger has openings, quantities and columns of other kinds."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from decimal import Decimal
from fractions import Fraction

import pytest

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.proof.checks import FAILS, HOLDS, NOT_JUDGED, WARNS
from rulka.core.proof.footing import footing
from rulka.core.proof.totals import totals as made_again
from tests.books import Line
from tests.core.compute.test_brute import ACCOUNTS
from tests.core.proof.small import small

RESULTS = [
    {"section": "Results", "total": "All results", "lines": [
        {"line": "Sales", "accounts": "40"}, {"line": "Wages", "accounts": "50"},
        {"line": "Trips", "accounts": "90"}]},
    {"section": "Counted", "total": "All counted", "lines": [{"line": "Hours", "accounts": "91"}]},
    {"line": "Again", "accounts": "42"},
]  # fmt: skip
WHOLE = [*RESULTS, {"line": "Other", "accounts": "41"}]
PARTLY = [*RESULTS[:2], {"section": "Sales alone", "total": "Sales so far", "lines": [
    {"line": "Now only", "accounts": "41", "columns": ["now"]}, RESULTS[2]]}]  # fmt: skip
COLUMNS = [{"column": "now"}, {"column": "closing", "measure": "closing"}]


def lines(*more):
    booked = [("40", 2, -100), ("50", 2, 30), ("41", 2, -5), ("42", 2, -3), ("90", 2, 9), ("91", 2, "2.25"),
              ("40", 1, -50)]  # fmt: skip
    found = []
    for account, month, amount in booked:
        found.append(Line("A", account, Decimal(amount), date(2026, month, 5)))
        if account[0] != "9":
            found.append(Line("A", "10", -Decimal(amount), date(2026, month, 5)))
    return [*found, *more]


def checks(computed):
    return {check.code: check for check in footing(computed)}


def test_results_that_were_opened_this_year_are_its_result():
    """A ledger taken over in the middle of a year opens with what was earned before."""
    opened = []
    for month, amount in ((2, -400), (1, -70)):
        opened += [Line("A", "40", Decimal(amount), date(2026, month, 1), kind="opening"),
                   Line("A", "10", Decimal(-amount), date(2026, month, 1), kind="opening")]  # fmt: skip
    opened += [Line("A", "40", Decimal(-9), date(2025, 12, 1), kind="opening"),
               Line("A", "10", Decimal(9), date(2025, 12, 1), kind="opening"),
               Line("A", "40", Decimal(-9), date(2026, 3, 1), kind="opening"),
               Line("A", "10", Decimal(9), date(2026, 3, 1), kind="opening")]  # fmt: skip
    computed = small(lines(*opened), WHOLE, COLUMNS, "2026-P02")
    assert computed.row("sales").values == (100, 620)
    assert checks(computed)["result"].state == HOLDS and checks(computed)["ledger-tie"].state == HOLDS


@pytest.mark.parametrize(("count", "named"), [
    (5, "c0, c1, c2, c3, c4"), (6, "c0, c1, c2, c3, c4, c5"), (7, "c0, c1, c2, c3, c4, c5 and 1 more"),
    (9, "c0, c1, c2, c3, c4, c5 and 3 more"),
])  # fmt: skip
def test_the_tie_names_six_columns_that_it_did_not_judge(count, named):
    columns = [*COLUMNS, *({"column": f"c{at}", "measure": "debits"} for at in range(count))]
    tie = checks(small(lines(), WHOLE, columns, "2026-P02"))["ledger-tie"]
    assert (tie.state, tie.detail) == (HOLDS, f"Judged in columns of the ledger's net figures, not in {named}.")


def totals(computed, row, column, value):
    """The check of totals, where one of them shows another figure."""
    place = computed.place(column)
    rows = [
        replace(one, values=tuple(value if at == place else was for at, was in enumerate(one.values)))
        if one.key == row else one for one in computed.rows
    ]  # fmt: skip
    return checks(replace(computed, rows=tuple(rows)))["totals"]


OTHERS = [*COLUMNS, {"column": "mean", "measure": "average"}]


@pytest.mark.parametrize(
    ("row", "column", "value"),
    [
        ("results.total", "now", 130), ("counted.total", "now", Fraction(9, 4)), ("sales-alone.total", "now", 8),
        ("sales-alone.total", "closing", 3), ("results.total", "mean", Fraction(115)),
    ],
)  # fmt: skip
def test_each_total_is_made_again_in_each_column(row, column, value):
    computed = small(lines(), PARTLY, OTHERS, "2026-P02")
    assert computed.row(row).values[computed.place(column)] == value
    assert checks(computed)["totals"].state == HOLDS
    for wrong in (value + Fraction(1, 100), value * 100, None, Fraction(0), -value):
        found = totals(computed, row, column, wrong)
        assert (found.state, found.lines) == (FAILS, (row,)), wrong


def tie(rows, booked, *, covers="", columns=COLUMNS, fence=NO_FENCE, less=None):
    """The tie of lines of (name, what they select, columns), where one of them shows some minor units less."""
    spine = [{"line": name, "accounts": text, **({"columns": only} if only else {})} for name, text, only in rows]
    each = [Line("A", code, Decimal(amount), date(2026, 2, 5), {"department": department})
            for code, department, amount in booked]  # fmt: skip
    computed = small(each, spine, columns, "2026-P02", fence, covers=covers)
    for at, leaf in enumerate(computed.plan.leaves.walk()):
        if leaf.line.label == less:
            computed.amounts[at, :] -= 100
    return checks(computed)["ledger-tie"]


def test_what_a_line_places_is_counted_though_nothing_owes_it_a_place():
    booked = [("40", "d", 5), ("41", "d", 7)]
    rows = [("Sales", "40", None), ("Other", "41", None)]
    assert tie(rows, booked, covers="40").state == HOLDS
    assert tie(rows, booked, covers="40", less="Other").state == FAILS


def test_of_a_line_that_holds_a_part_of_an_account_the_rest_is_counted():
    """40 stands on o as well, which no line shows: it has no place, and of the line 41 counts alone."""
    booked = [("40", "d", 5), ("40", "o", 9), ("41", "d", 7)]
    rows = [("Both", "40, 41; department: d", None)]
    assert tie(rows, booked, covers="41").state == HOLDS
    assert tie([*rows, ("Other", "42", None)], [*booked, ("42", "d", 3)], covers="41, 42").state == HOLDS


def test_lines_of_some_columns_count_in_these():
    booked = [("41", "d", 5), ("42", "d", 7), ("40", "d", 1)]
    rows = [("Now", "41", ["now"]), ("Then", "42", ["closing"]), ("Both", "40", None)]
    assert tie(rows, booked, covers="4*").detail == (
        "now (February 2026): 7.00 EUR of the ledger is not on it; "
        "closing (February 2026): 5.00 EUR of the ledger is not on it"
    )


def test_a_seal_leaves_judged_what_it_does_not_touch():
    booked = [("40", "d", 5), ("50", "d", 9), ("10", "d", -14)]
    sealed = Fence.of(sealed="50", grain=())
    assert tie([("Sales", "40", None)], booked, covers="40", fence=sealed).state == HOLDS
    assert tie([("Wages", "50", None)], booked, covers="50", fence=sealed).state == HOLDS
    by_member = tie([("D", "50; department: d", None)], booked, covers="50", fence=sealed)
    assert by_member.state == NOT_JUDGED


def test_a_total_of_means_over_different_times_is_made_again():
    """Half of what a month began and ended with, and a third of three months' balances."""
    spine = [{"section": "All", "total": "Sum", "lines": [
        {"line": "Month", "accounts": "40", "measure": "average"},
        {"line": "Year", "accounts": "41", "measure": "average", "window": "year to date"}]}]  # fmt: skip
    each = [Line("A", code, Decimal(amount), date(2026, month, 5)) for code, month, amount in
            (("40", 1, -7), ("40", 2, -10), ("41", 1, -4), ("41", 2, -9))]  # fmt: skip
    computed = small(each, spine, COLUMNS[:1], "2026-P02")
    value = Fraction(7 + 17, 2) + Fraction(0 + 4 + 13, 3)
    assert computed.row("all.total").values == (value,) and checks(computed)["totals"].state == HOLDS
    for wrong in (value + Fraction(1, 300), value + 1, -value, None):
        assert totals(computed, "all.total", "now", wrong).state == FAILS


def test_a_total_of_what_no_budget_holds_is_nothing():
    """Sources stand on journal lines alone."""
    spine = [{"section": "All", "total": "Sum", "lines": [
        {"line": "Web", "accounts": "40; source: web"},
        {"line": "Other", "accounts": "41; source: shop"}]}]  # fmt: skip
    each = [Line("A", "40", Decimal(-7), date(2026, 2, 5), source="web"),
            Line("A", "40", Decimal(-9), date(2026, 2, 5), scenario="budget")]  # fmt: skip
    computed = small(each, spine, [{"column": "now"}, {"column": "plan", "scenario": "budget"}], "2026-P02")
    assert computed.row("all.total").values == (7, None) and checks(computed)["totals"].state == HOLDS
    assert totals(computed, "all.total", "plan", Fraction(0)).state == FAILS


def test_a_total_of_one_line_without_a_figure_is_nothing():
    spine = [{"section": "All", "total": "Sum", "lines": [{"line": "Web", "accounts": "40; source: web"}]}]
    each = [Line("A", "40", Decimal(-7), date(2026, 2, 5), source="web")]
    computed = small(each, spine, [{"column": "now"}, {"column": "plan", "scenario": "budget"}], "2026-P02")
    assert computed.row("all.total").values == (7, None) and checks(computed)["totals"].state == HOLDS
    for wrong in (Fraction(0), Fraction(7)):
        assert totals(computed, "all.total", "plan", wrong).state == FAILS
    assert totals(computed, "all.total", "now", None).state == FAILS


def test_a_total_is_made_again_where_a_seal_leaves_it():
    """By department it is sealed, as a whole it isn't."""
    spine = [{"section": "All", "total": "Sum", "lines": [{"line": "Sales", "accounts": "40"}]}]
    each = [Line("A", "40", Decimal(-7), date(2026, 2, 5), {"department": "d"})]
    columns = [{"column": "part", "narrow": "department: d"}, {"column": "now"}]
    computed = small(each, spine, columns, "2026-P02", Fence.of(sealed="40", grain=()))
    assert computed.row("all.total").sealed_at == {0} and checks(computed)["totals"].state == HOLDS
    assert totals(computed, "all.total", "now", Fraction(8)).state == FAILS


def test_totals_of_quantities_are_made_again_beside_those_of_money():
    """A column of quantities adds up what lines of money count as well."""
    spine = [{"section": "All", "total": "Sum", "lines": [{"line": "Sales", "accounts": "40"},
                                                         {"line": "Trips", "accounts": "90"}]}]  # fmt: skip
    each = [Line("A", code, Decimal(amount), date(2026, 2, 5)) for code, amount in (("40", -9), ("90", "2.50"))]
    computed = small(each, spine, [{"column": "now"}, {"column": "counted", "measure": "quantity"}], "2026-P02")
    assert computed.row("all.total").values == (9, Fraction(5, 2)) and checks(computed)["totals"].state == HOLDS
    assert totals(computed, "all.total", "now", Fraction(23, 2)).state == FAILS
    assert totals(computed, "all.total", "counted", Fraction(0)).state == FAILS
    assert totals(computed, "all.total", "counted", Fraction(23, 2)).state == FAILS


def test_totals_of_members_are_made_again():
    spine = [{"section": "All", "total": "Sum", "lines": [
        {"line": "Sales", "accounts": "40, 41", "expand": ["department"]},
        {"line": "Wages", "accounts": "50"}]}]  # fmt: skip
    each = [Line("A", code, Decimal(amount), date(2026, 2, 5), {"department": member})
            for code, amount, member in (("40", -9, "d"), ("41", -3, "e"), ("50", 2, "-"))]  # fmt: skip
    computed = small(each, spine, COLUMNS[:1], "2026-P02")
    assert computed.row("all.total").values == (14,) and checks(computed)["totals"].state == HOLDS
    assert totals(computed, "all.total", "now", Fraction(13)).state == FAILS


def test_totals_say_why_they_were_not_judged():
    each = [Line("A", code, Decimal(-7), date(2026, 2, 5), {"department": "d"}) for code in ("40", "20")]
    columns = [{"column": "part", "narrow": "department: d"}]
    inner = [{"section": "All", "total": "Sum", "lines": [{"line": "Sales", "accounts": "40"}]}]
    sealed = checks(small(each, inner, columns, "2026-P02", Fence.of(sealed="40", grain=())))["totals"]
    assert (sealed.code, sealed.state, sealed.detail) == ("totals", NOT_JUDGED, "Its figures are sealed for you.")
    words = made_again(small(each, inner, [{"column": "word", "text": "so far"}], "2026-P02"), "")
    assert (words.state, words.detail) == (NOT_JUDGED, "No column shows figures of its own.")
    none = made_again(small(each, [{"calculation": "One", "formula": "1"}], COLUMNS, "2026-P02"), "")
    assert (none.state, none.detail) == (NOT_JUDGED, "It has no totals and no lines.")


def test_checks_of_the_spine_are_each_told_with_their_line():
    inner = [*WHOLE, {"check": "Even", "agree": ["Sales", "Wages"]}, {"check": "Alike", "agree": ["Sales", "Sales"]}]
    found = [check for check in footing(small(lines(), inner, COLUMNS[:1], "2026-P02")) if check.code == "own-check"]
    assert [(check.title, check.state, check.detail, check.lines) for check in found] == [
        ("Even", FAILS, "now (February 2026): 70.00 apart", ("even",)), ("Alike", HOLDS, "", ("alike",))
    ]  # fmt: skip
    words = footing(small(lines(), inner, [{"column": "word", "text": "so far"}], "2026-P02"))
    told = [(check.title, check.state, check.lines) for check in words if check.code == "own-check"]
    assert told == [("Even", NOT_JUDGED, ("even",)), ("Alike", NOT_JUDGED, ("alike",))]


def eliminating(sealed="", grain=(), part="after elimination"):
    each = [Line(entity, "11", Decimal(amount), date(2026, 2, 5), partner=partner)
            for entity, partner, amount in (("A", "B", 5), ("B", "A", -4), ("A", "", 3))]  # fmt: skip
    inner = [{"line": "Between", "accounts": "11", "sign": "as booked"}]
    columns = [{"column": "now", "part": part}]
    fence = Fence.of(sealed=sealed, grain=grain) if sealed else NO_FENCE
    found = footing(small(each, inner, columns, "2026-P02", fence, of="entity: A, B"))
    return [(check.code, check.state, check.detail, check.title) for check in found if check.code == "intercompany"]


def test_pairs_that_differ_and_lines_without_a_partner_are_told_where_a_column_eliminates():
    for part in ("after elimination", "eliminations"):
        pairs, lonely = eliminating(part=part)
        assert pairs[:2] == ("intercompany", FAILS) and "1.00" in pairs[2]
        assert lonely == ("intercompany", WARNS, "Not eliminated, no partner is named: A 11",
                          "Intercompany names its partners")  # fmt: skip
    assert eliminating(part="before elimination") == []


def test_pairs_are_not_judged_where_a_seal_sums_partners():
    ((code, state, detail, _),) = eliminating(sealed="11")
    assert (code, state, detail) == ("intercompany", NOT_JUDGED, "What it would judge is sealed for you.")
    assert eliminating(sealed="11", grain=("partner",))[0][1] == FAILS
    assert eliminating(sealed="50")[0][1] == FAILS


def test_the_result_is_judged_where_its_accounts_are_placed():
    """Revenue or expense alone will do; of columns that read a part of the lines, and translated, it is none."""
    inner = {code: [{"line": "One", "accounts": code, "sign": "as booked"}] for code in ("40", "50", "10")}
    inner["4"] = [{"line": "One", "accounts": "40", "measure": "closing"}]  # it reads something else: it places none
    for code, judged in (("40", True), ("50", True), ("10", False), ("4", False)):
        assert ("result" in checks(small(lines(), inner[code], COLUMNS, "2026-P02"))) is judged, code
    for narrower in ({"narrow": "source: shop"}, {"window": "2026-02-03 to 2026-02-20"}, {"then": "budget"}):
        several = [{"column": "now", **narrower}, {"column": "gap", "difference": ["now", "now"]},
                   {"column": "word", "text": "so far"}]  # fmt: skip
        assert "result" not in checks(small(lines(), inner["50"], several, "2026-P02")), narrower
    rates = [(f"2026-P{month:02d}", "SEK", "EUR", "0.1", "0.1") for month in (1, 2)]
    each = [Line("C", code, Decimal(amount), date(2026, 2, 5)) for code, amount in (("50", 30), ("10", -30))]
    for currency, judged in (("", True), ("group", False)):
        more = {"currency": currency} if currency else {}
        found = checks(small(each, inner["50"], COLUMNS, "2026-P02", of="entity: C", works={"rates": rates}, **more))
        assert ("result" in found) is judged


RATES = [(f"2026-P{month:02d}", "SEK", "EUR", "0.1", "0.1") for month in (1, 2)]


def told_of(code, inner=(), columns=(), **more):
    """A check as it is told, of a statement over two companies of which the second books in another currency."""
    each = [Line(entity, account, Decimal(amount), date(2026, 2, 5)) for entity, account, amount in (
        ("A", "40", -9), ("A", "10", 9), ("B", "40", -7), ("B", "10", 7), ("C", "40", -5), ("C", "50", 5))]  # fmt: skip
    inner, columns = inner or [{"line": "Sales", "accounts": "40"}], columns or COLUMNS[:1]
    computed = small(each, inner, columns, "2026-P02", works={"rates": RATES}, **more)
    return [(check.state, check.detail, check.title, check.lines) for check in footing(computed) if check.code == code]


def test_who_sees_a_part_is_told_so_and_what_translation_does_to_it():
    part = Fence.of(accounts="40")
    said = "You see a part of the whole: accounts 40."
    assert told_of("fence", fence=part) == [(NOT_JUDGED, said, "", ())]
    apart = " Translated by itself, it may differ by a minor unit from what it adds to the whole."
    assert told_of("fence", fence=part, currency="group") == [(NOT_JUDGED, said + apart, "", ())]
    assert told_of("fence") == [(HOLDS, "", "", ())]


def test_rounding_is_judged_where_it_is_asked_for():
    assert told_of("rounding") == []
    foots = {"figures": {"decimals": "0", "rounding": "so that it foots"}}
    assert told_of("rounding", **foots) == [(HOLDS, "No figure had to give way.", "", ())]


def test_columns_that_seem_to_tell_something_else_are_one_check():
    ((state, detail, title, _),) = told_of("columns", [{"line": "Cash", "accounts": "10"}])
    assert (state, title) == (WARNS, "The columns show what they seem to") and "only what moved" in detail


def test_lines_whose_selections_mean_nothing_are_named():
    ((state, detail, _, keys),) = told_of("selections", [{"line": "Sales", "accounts": "7*"}])
    assert (state, detail, keys) == (WARNS, "Sales: '7*' matches no account", ("sales",))


def test_what_stands_in_no_child_of_a_node_is_told_with_its_accounts():
    def rest(**more):
        return [told for told in told_of("selections", **more) if told[2]]

    title = "What is in no node below has its own"  # B's sales, cash, and what its results roll into
    both = {"of": "entity: A, B", "inside": {"a": "entity: A"}}
    assert rest(**both) == [
        (HOLDS, "n, not elsewhere (n.rest) shows what no node below does, on 3 accounts", title, ())
    ]
    assert rest(**{**both, "inside": {"a": "entity: A", "b": "entity: B; account: 30, 40"}}) == [
        (HOLDS, "n, not elsewhere (n.rest) shows what no node below does, on 1 account", title, ())
    ]
    assert rest(of="entity: A, B", inside={"a": "entity: A", "b": "entity: B"}) == [] == rest()
    three = {"of": "entity: A, C", "inside": {"a": "entity: A"}, "currency": "group"}
    assert rest(**three) == [
        (HOLDS, "n, not elsewhere (n.rest) shows what no node below does, on 4 accounts", title, ())
    ]


@pytest.mark.parametrize(("count", "more"), [(8, ""), (9, " and 1 more")])
def test_eight_lines_without_a_partner_are_named_and_the_others_counted(count, more):
    codes = [f"6{at}" for at in range(count)]
    accounts = [*ACCOUNTS, *({"code": code, "type": "asset", "intercompany": "1"} for code in codes)]
    each = [Line("A", code, Decimal(3), date(2026, 2, 5)) for code in codes]
    inner, columns = [{"line": "Between", "accounts": "6*"}], [{"column": "now", "part": "after elimination"}]
    computed = small(each, inner, columns, "2026-P02", of="entity: A, B", works={"accounts": accounts})
    (told,) = [check.detail for check in footing(computed) if check.title == "Intercompany names its partners"]
    assert told == f"Not eliminated, no partner is named: {', '.join(f'A {code}' for code in codes[:8])}{more}"


def out_of_balance(codes, currencies, **more):
    """What is told of companies with a line too many each."""
    entities = [{"code": code, "currency": currency} for code, currency in zip(codes, currencies, strict=True)]
    each = [Line(code, "10", Decimal("1.234"), date(2026, 2, 5)) for code in codes]
    works = {"entities": entities, "digits": {"EUR": 2, "SEK": 3}, "rates": RATES}
    inner = [{"line": "Cash", "accounts": "10"}]
    computed = small(each, inner, COLUMNS[:1], "2026-P02", of=f"entity: {', '.join(codes)}", works=works, **more)
    return checks(computed)["ledger-balance"].detail


def test_what_is_out_of_balance_is_told_in_the_companys_currency_and_digits():
    """Translated as well: there it would vanish into the reserve."""
    assert out_of_balance(["C"], ["SEK"]) == "C, now: 1.234"
    codes = [f"E{at:02d}" for at in range(14)]
    assert out_of_balance(codes, ["SEK"] * 14) == "; ".join(
        [*(f"{code}, now: 1.234" for code in codes[:12]), "and 2 more"]
    )
    assert out_of_balance(["C"], ["SEK"], currency="group") == "C, now: 1.234 SEK"


def test_what_translation_leaves_stands_in_no_child_that_leaves_the_reserve_out():
    rates = [("2026-P02", "SEK", "EUR", "0.1", "0.2")]
    each = [Line("C", code, Decimal(amount), date(2026, 2, 5)) for code, amount in (("40", -5), ("10", 5))]
    drawn = {"of": "entity: A, C", "inside": {"a": "entity: A", "c": "entity: C; account: not 39"}}
    for currency, told in (({"currency": "group"}, True), ({}, False)):
        computed = small(each, [{"line": "Sales", "accounts": "40"}], COLUMNS[:1], "2026-P02", works={"rates": rates},
                         **drawn, **currency)  # fmt: skip
        found = [check.detail for check in footing(computed) if check.title.startswith("What is in no node below")]
        assert found == (["n, not elsewhere (n.rest) shows what no node below does, on 1 account"] if told else [])
