"""Which accounts have a place on a statement, one or two, and which booked ones have none."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

import numpy as np

from rulka.core.books.fence import Fence
from rulka.core.proof.checks import FAILS, HOLDS, NOT_JUDGED
from rulka.core.proof.footing import footing
from rulka.core.proof.placed import names_of, placed_of, places_accounts, plain_columns, unplaced
from tests.books import Line
from tests.core.proof.small import small

COLUMNS = [
    {"column": "before", "shift": "-1 period"},
    {"column": "average", "measure": "average"},
    {"column": "debits", "measure": "debits"},
    {"column": "shop", "narrow": "source: shop"},
    {"column": "now"},
]


def booked(*rows):
    """(account, department, amount) of February."""
    return [
        Line("A", account, Decimal(amount), date(2026, 2, 5), {"department": department})
        for account, department, amount in rows
    ]


def lines(*rows):
    """Lines of a spine by what they select, with what else is said of them."""
    return [{"line": f"L{at}", "accounts": text, **dict(more)} for at, (text, *more) in enumerate(rows)]


def placed(rows, *inner):
    computed = small(booked(*rows), lines(*inner), COLUMNS, "2026-P02")
    items = computed.view.frame.accounts.items
    return {item.code: int(count) for item, count in zip(items, placed_of(computed), strict=True) if count}


def test_lines_of_whole_accounts_are_counted():
    assert placed([("40", "d", 1)], ("40, 41",), ("41, 20",)) == {"40": 1, "41": 2, "20": 1}


def test_lines_of_members_share_an_account_that_they_hold_together():
    """d and e are all that anything was booked on; on o nobody was looked for."""
    halves = ("40; department: d",), ("40; department: e",)
    assert placed([("40", "d", 1), ("40", "e", 1)], *halves) == {"40": 1}
    assert placed([("40", "d", 1), ("40", "e", 1), ("40", "o", 1)], *halves) == {}
    assert placed([("40", "d", 1), ("40", "e", 1)], *halves, ("40; department: under:s",)) == {"40": 2}
    assert placed([("40", "d", 1), ("40", "e", 1)], halves[0], ("40; department: under:s",)) == {"40": 2}
    assert placed([("40", "d", 1), ("40", "e", 1)], halves[0], ("41",)) == {"41": 1}


def test_each_account_is_judged_by_its_own_members():
    rows = [("40", "o", 1), ("40", "d", 1), ("41", "d", 1)]
    assert placed(rows, ("41; department: d",), ("40; department: d",)) == {"41": 1}
    assert placed(rows, ("40; department: d",), ("41; department: d",)) == {"41": 1}


def test_differences_between_companies_place_nothing():
    assert placed([("11", "d", 1), ("40", "d", 1)], ("11", ("intercompany", "difference")), ("40",)) == {"40": 1}


def test_a_whole_line_beside_one_of_members_holds_their_keys_too():
    assert placed([("40", "d", 1), ("41", "d", 1)], ("40, 41",), ("40; department: d",)) == {"40": 2, "41": 1}


def test_nothing_booked_stands_nowhere_twice():
    halves = ("51; department: d",), ("51; department: e",)
    assert placed([("40", "d", 1)], *halves, ("40",)) == {"51": 1, "40": 1}


def test_rows_of_an_expanding_line_are_one_place():
    expanding = ("40, 41; department: under:s", ("expand", ["accounts", "department"]))
    assert placed([("40", "d", 1), ("40", "e", 1), ("41", "e", 1)], expanding) == {"40": 1, "41": 1}


def test_what_reads_something_else_than_the_column_places_nothing():
    other = ("40", ("window", "year to date"))
    assert placed([("40", "d", 1)], other, ("41",)) == {"41": 1}
    assert placed([("40", "d", 1), ("41", "d", 1)], other, ("40; department: d",), ("41",)) == {"40": 1, "41": 1}


def unplaced_of(rows, *inner, fence=Fence(), **more):  # noqa: B008
    computed = small(booked(*rows), lines(*inner), COLUMNS, "2026-P02", fence, **more)
    items = computed.view.frame.accounts.items
    return {items[place].code: amount for place, amount in unplaced(computed).items()}


def test_booked_accounts_without_a_place_are_told_with_their_amounts():
    rows = [("40", "d", "-2.50"), ("41", "d", -7), ("50", "d", 3)]
    assert unplaced_of(rows, ("40",)) == {"41": -700}
    assert unplaced_of(rows, ("40; department: d",)) == {}  # owes no account a place
    assert unplaced_of(rows, ("40",), ("51",)) == {"41": -700, "50": 300}
    nothing = [*rows, ("42", "d", 1), ("42", "d", -1)]
    assert unplaced_of(nothing, ("40",)) == {"41": -700, "42": 0}


def test_a_fence_of_some_members_tells_nothing_of_places():
    rows = [("40", "d", -2), ("41", "d", -7)]
    assert unplaced_of(rows, ("40",), fence=Fence.of(members={"department": "d"})) == {}
    assert unplaced_of(rows, ("40",), fence=Fence.of(accounts="40")) == {}


def test_accounts_are_named_with_the_first_amount_that_stands_on_them():
    codes = ("40", "41", "42", "50", "51", "90")
    computed = small(booked(*((code, "d", f"{code}.50") for code in codes[:-1]), ("90", "d", "1.25")), lines(("40",)),
                     COLUMNS, "2026-P02")  # fmt: skip
    accounts = computed.view.frame.accounts
    mask = np.isin([item.code for item in accounts.items], codes)
    text, told = names_of(computed, mask)
    assert told == codes
    assert text == "40 40 (40.50), 41 41 (41.50), 42 42 (42.50), 50 50 (50.50), 51 51 (51.50) and 1 more"
    only = mask & accounts.of_type("statistical")
    assert names_of(computed, only) == ("90 90 (1.25)", ("90",))
    assert names_of(computed, mask & ~accounts.of_type("expense", "statistical"), most=3)[0].count("more") == 0
    assert [column.key for column, _ in plain_columns(computed)] == ["before", "now"]


def test_quantities_and_money_of_other_digits_are_named_in_their_own():
    """Company J counts yen, which have no cents; hours have two decimals all the same."""
    works = {"entities": [{"code": "A", "currency": "JPY"}]}
    computed = small(booked(("41", "d", 410), ("90", "d", "1.25")), lines(("40",)), COLUMNS, "2026-P02", works=works)
    accounts = computed.view.frame.accounts
    both = np.isin([item.code for item in accounts.items], ["41", "90"])
    assert names_of(computed, both)[0] == "41 41 (410), 90 90 (1.25)"


def test_a_spine_that_says_what_it_covers_places_that():
    for covers, places in (("all", True), ("4*", True), ("nothing", False)):
        computed = small(booked(("40", "d", 1)), lines(("40; department: d",)), COLUMNS, "2026-P02", covers=covers)
        assert places_accounts(computed) == places, covers


def checked(rows, *inner, **more):
    found = {check.code: check for check in footing(small(booked(*rows), lines(*inner), COLUMNS, "2026-P02", **more))}
    return found["placed"], found["placed-once"]


def test_what_has_no_place_fails_where_it_was_booked():
    rows = [("40", "d", "-2.50"), ("41", "d", -7), ("42", "d", 1)]
    placed_check, once = checked(rows, ("40, 42",))
    assert (placed_check.state, placed_check.accounts) == (FAILS, ("41",))
    assert placed_check.detail == "2 of 3 accounts placed: 41 41 (−7.00) is not"
    assert (once.state, once.detail, once.accounts, once.lines) == (HOLDS, "", (), ())
    quiet, _ = checked([("40", "d", 1)], ("40",))
    assert (quiet.state, quiet.accounts) == (HOLDS, ("42",))
    assert quiet.detail == "1 of 2 accounts placed: 42 42 is not, nothing booked on them in the columns shown"
    two, _ = checked([("40", "d", 1)], ("40",), covers="4*, 51")
    assert two.detail == "1 of 3 accounts placed: 42 42, 51 51 are not, nothing booked on them in the columns shown"


def test_what_covers_no_account_is_not_judged():
    none, once = checked([("40", "d", 1)], ("40",), covers="7*")
    assert (none.state, none.detail, none.accounts) == (NOT_JUDGED, "It covers no account.", ())
    assert once.state == HOLDS


def test_what_stands_twice_is_told_with_its_lines():
    _, once = checked([("40", "d", 1)], ("40, 41",), ("40, 42",), ("50",))
    assert (once.state, once.detail) == (FAILS, "Placed more than once: 40 40 (1.00), by L0, L1")
    assert (once.accounts, once.lines) == (("40",), ("l0", "l1"))


def test_heads_with_nothing_booked_are_owed_no_place():
    """4 heads 40, 41 and 42, 41 heads 42: they are no accounts to book on until somebody does."""
    assert checked([("40", "d", 1)], ("40, 42",), covers="4*")[0].detail == "2 of 2 accounts placed"
    assert checked([("40", "d", 1), ("41", "d", 1)], ("40, 42",), covers="4*")[0].accounts == ("41",)
    assert checked([("40", "d", 1), ("4", "d", 1)], ("40, 42",), covers="4*")[0].accounts == ("4",)


def test_statistical_accounts_are_owed_no_place_by_others_of_their_type():
    assert checked([("90", "d", 1), ("91", "d", 1), ("40", "d", 1)], ("90",), ("40, 41, 42",))[0].accounts == ()


def test_a_column_of_what_is_eliminated_is_no_plain_one():
    lines = [Line(entity, "11", Decimal(amount), date(2026, 2, 5), partner=partner)
             for entity, partner, amount in (("A", "B", 5), ("B", "A", -5))]  # fmt: skip
    columns = [
        {"column": part, "part": text} for part, text in (("out", "eliminations"), ("all", "before elimination"))
    ]
    inner = [{"line": "Between", "accounts": "11", "sign": "as booked"}]
    computed = small(lines, inner, [*columns, {"column": "now"}], "2026-P02", of="entity: A, B")
    assert [column.key for column, _ in plain_columns(computed)] == ["now"]


def test_what_reads_something_else_says_nothing_of_whether_accounts_are_owed_a_place():
    """Beside a line of whole accounts stand one of balances and one of differences, both of some members."""
    some = "10; department: d"
    for more in ({"measure": "closing"}, {"intercompany": "difference"}):
        assert places_accounts(
            small(booked(("40", "d", -5)), lines(("40",), (some, *more.items())), COLUMNS, "2026-P02")
        )
    assert not places_accounts(small(booked(("40", "d", -5)), lines(("40",), (some,)), COLUMNS, "2026-P02"))
