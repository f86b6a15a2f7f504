"""Where an account without a place most likely belongs, and what speaks for it."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

import pytest

from rulka.core.books.chart import Item
from rulka.core.proof.placing import _score, suggestions
from tests.books import Line
from tests.core.compute.test_statement import LINES, SPAN, run
from tests.core.proof.small import small


def chart(*rows):
    """Accounts by code: type, category, parent."""
    return tuple(Item(code, code, parent, kind, category) for code, kind, category, parent in rows)


PLAIN = chart(*((str(code), "expense", "", "") for code in range(10, 20)))


@pytest.mark.parametrize(
    ("held", "told"),
    [
        ([4], (2.0, "beside 14")), ([6], (2.0, "beside 16")), ([1], (0.5, "beside 11")), ([9], (0.5, "beside 19")),
        ([4, 6], (3.0, "between 14 and 16")), ([4, 9], (3.0, "between 14 and 19")),
        ([3, 9], (2.0, "between 13 and 19")),
        ([1, 3], (1.0, "beside 13")), ([7, 9], (1.0, "beside 17")), ([0], (0.4, "beside 10")),
    ],
)  # fmt: skip
def test_neighbours_in_code_order_speak_for_a_line(held, told):
    assert _score(PLAIN, 5, held) == told


def test_another_type_speaks_against_it_and_counts_for_nothing():
    accounts = chart(
        ("10", "revenue", "", ""), ("11", "expense", "", ""), ("12", "asset", "", ""), ("13", "expense", "", "")
    )
    assert _score(accounts, 1, [0, 2]) == (0.0, "")
    assert _score(accounts, 1, []) == (0.0, "")
    assert _score(accounts, 1, [0, 2, 3]) == (1.0, "beside 13")


def test_category_and_parent_speak_for_it_by_the_share_that_has_them():
    accounts = chart(
        ("10", "expense", "fuel", "1"), ("11", "expense", "fuel", "1"), ("12", "expense", "port", "1"),
        ("13", "expense", "", ""), ("14", "revenue", "fuel", "1"),
    )  # fmt: skip
    assert _score(accounts, 1, [0]) == (2.0 + 3.0 + 0.5, "beside 10, category fuel")
    assert _score(accounts, 1, [0, 2]) == (2.0 + 1.0 + 1.5 + 0.5, "between 10 and 12, category fuel")
    assert _score(accounts, 1, [0, 4]) == (2.0 + 1.5 + 0.25, "beside 10, category fuel")
    assert _score(accounts, 1, [3]) == (1.0, "beside 13")
    assert _score(accounts, 3, [0, 2]) == (2.0, "beside 12")


def test_every_account_without_a_place_is_told_with_its_amount():
    """Rent stands nowhere: it goes beside wages; where no line holds its type, nothing speaks for one."""
    spine = {"spine": "s", "lines": [{"line": "Sales", "accounts": "40, 41"}, {"line": "Wages", "accounts": "50"}]}
    (rent,) = suggestions(run(spine, SPAN, "2026-P02", lines=LINES))
    assert (rent.code, rent.name, rent.amount) == ("51", "Rent", "15.00")
    assert (rent.line, rent.label, rent.why) == ("wages", "Wages", "beside 50")
    alone = {"spine": "s", "covers": "4*, 51", "lines": [{"line": "Sales", "accounts": "40, 41"}]}
    told = suggestions(run(alone, SPAN, "2026-P02", lines=LINES))
    assert [(one.code, one.line, one.label, one.why) for one in told] == [("51", "", "", "")]


def test_little_that_speaks_for_a_line_is_enough_where_nothing_else_does():
    """Far away in code order: a quarter of a point, and named all the same."""
    spine = {"spine": "s", "covers": "4*, 5*", "lines": [{"line": "Sales", "accounts": "40"},
                                                        {"line": "Hours", "accounts": "90"}]}  # fmt: skip
    found = {one.code: one for one in suggestions(run(spine, SPAN, "2026-P02", lines=LINES))}
    assert (found["41"].line, found["41"].why) == ("sales", "beside 40")
    assert (found["50"].line, found["50"].why) == ("", "")


def test_the_more_accounts_of_its_category_a_line_has_the_more_speaks_for_it():
    accounts = chart(*((str(code), "expense", "fuel", "") for code in range(10, 14)), ("14", "expense", "", ""))
    assert _score(accounts, 0, [1, 2, 4])[0] == 2.0 + 3.0 * 2 / 3
    assert _score(accounts, 0, [1, 2, 3])[0] == 2.0 + 3.0


def suggested(inner, *codes, covers="4*"):
    lines = [Line("A", code, Decimal(-1), date(2026, 2, 5), {"department": "d"}) for code in codes]
    computed = small(lines, inner, [{"column": "now"}], "2026-P02", covers=covers)
    return [(one.code, one.line, one.why) for one in suggestions(computed)]


def test_two_places_away_is_beside_where_nothing_is_nearer():
    assert suggested([{"line": "Fees", "accounts": "4"}], "4", "42") == [("42", "fees", "beside 4")]


def test_a_line_that_names_no_accounts_is_nobodys_place():
    inner = [{"line": "D", "accounts": "department: e"}, {"line": "Fees", "accounts": "40"}]
    assert suggested(inner, "40", "41") == [("41", "fees", "beside 40")]
