"""Where an account without a place most likely belongs, and what speaks for it."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from types import SimpleNamespace

import pytest

from rulka.core.books.chart import Item
from rulka.core.proof.placing import _likeliest, _score, suggestions
from tests.books import Line
from tests.core.compute.test_statement import LINES, SPAN, run
from tests.core.proof.small import small


def chart(*rows):
    """Accounts by code: type, category, parent."""
    return tuple(Item(code, code, parent, kind, category) for code, kind, category, parent in rows)


PLAIN = chart(*((str(code), "expense", "", "") for code in range(10, 20)))


def score(accounts, place, held, label="", alike=None):
    return _score(accounts, place, label, held, sorted(held if alike is None else alike))


@pytest.mark.parametrize(
    ("held", "alike", "share", "told"),
    [
        ([4], [4], 1.0, "beside 14"),
        ([4], [4, 6], 0.5, "beside 14"),
        ([4], [4, 7], 1 / (1 + 1 / 2), "beside 14"),
        ([4, 6], [4, 6, 7], 2 / (2 + 1 / 2), "beside 14"),
        ([9], [3, 4, 6, 7, 9], 0, ""),  # four others are nearer
        ([0], [0], 1.0, "beside 10"),
    ],
)
def test_neighbours_in_code_order_speak_by_their_share_of_the_nearest(held, alike, share, told):
    found, why = score(PLAIN, 5, held, alike=alike)
    assert (found, why) == (pytest.approx(share), told)


def test_category_speaks_by_the_share_of_it_that_stands_there():
    accounts = chart(
        ("10", "expense", "fuel", ""), ("11", "expense", "fuel", ""), ("12", "expense", "port", ""),
        ("13", "expense", "fuel", ""), ("14", "expense", "", ""),
    )  # fmt: skip
    alike = [0, 2, 3, 4]
    near = {0: 1, 2: 1, 3: 1 / 2, 4: 1 / 3}
    for held, share, told in (
        ([0], 1 / 2, "category fuel, beside 10"), ([0, 3], 1, "category fuel, beside 10"), ([2], 0, "beside 12"),
    ):  # fmt: skip
        expected = 4 * share + sum(near[one] for one in held) / sum(near.values())
        assert score(accounts, 1, held, alike=alike) == (pytest.approx(expected), told)
    assert score(accounts, 4, [0, 3], alike=alike[:3])[1] == "beside 13", "without a category none speaks"


def test_the_name_speaks_by_the_words_that_a_label_or_an_account_has():
    accounts = tuple(
        Item(code, name, "", "expense", "")
        for code, name in (("10", "Shore power"), ("11", "Power of the Quay"), ("12", "Ship's fuel"), ("13", "Ink"))
    )
    assert score(accounts, 0, [2], label="Shore and power", alike=[2])[1] == "name like 'Shore and power', beside 12"
    assert score(accounts, 0, [2], label="Shore and power", alike=[2])[0] == pytest.approx(3 + 1)
    assert score(accounts, 0, [1], label="Quay", alike=[1]) == (pytest.approx(3 / 2 + 1), "name like 11, beside 11")
    assert score(accounts, 0, [2], label="Fuel", alike=[2]) == (1, "beside 12")
    assert score(accounts, 3, [2], label="Inks", alike=[2]) == (1, "beside 12"), "words of three letters say nothing"
    tickets = tuple(Item(code, name, "", "revenue", "") for code, name in (("40", "Ticketing fees"), ("41", "Berths")))
    assert score(tickets, 0, [1], label="Tickets", alike=[1])[1] == "name like 'Tickets', beside 41"


def test_the_head_speaks_by_the_share_below_it_that_stands_there():
    accounts = chart(*((str(code), "expense", "", "1" if code < 13 else "") for code in range(10, 15)))
    assert score(accounts, 0, [1], alike=[1, 2]) == (pytest.approx(1.5 / 2 + 1 / (1 + 1 / 2)), "below 1, beside 11")
    assert score(accounts, 0, [1, 2], alike=[1, 2]) == (pytest.approx(1.5 + 1), "below 1, beside 11")
    assert score(accounts, 0, [3], alike=[3])[1] == "beside 13"
    many = chart(*((str(code), "expense", "", "1") for code in range(10, 16)))
    assert score(many, 0, [1, 2], alike=[1, 2, 3, 4])[1] == "below 1, beside 11"
    assert score(many, 0, [1, 2], alike=[1, 2, 3, 4, 5])[1] == "beside 11", (
        "a head that most share is no reason to name"
    )


def test_category_and_name_go_before_the_neighbours_code():
    """61 is beside Rent, but is fuel by its category; 63 is beside it too and is fuel by its name."""
    rows = (("40", "Diesel", "fuel"), ("60", "Rent", "space"), ("61", "Shore power", "fuel"), ("63", "Diesel tax", ""))
    accounts = tuple(Item(code, name, "", "expense", category) for code, name, category in rows)
    lines = [(SimpleNamespace(key="fuel", label="Fuel"), [0]), (SimpleNamespace(key="rent", label="Rent"), [1])]
    for place, why in ((2, "category fuel, beside 40"), (3, "name like 40, beside 40")):
        line, told = _likeliest(accounts, place, lines)
        assert (line.key, told) == ("fuel", why)


def test_one_wrong_placement_does_not_draw_the_next_ones():
    """65 of category office was put into Marketing by mistake; 66 and 67 still go where their category is."""
    rows = [("60", "office"), ("61", "office"), ("62", "office"), ("65", "office"), ("66", "office"), ("67", "office"),
            ("70", "ads"), ("71", "ads")]  # fmt: skip
    accounts = tuple(Item(code, f"Account {code}", "", "expense", category) for code, category in rows)
    office, marketing = SimpleNamespace(key="office", label="O"), SimpleNamespace(key="marketing", label="M")
    lines = [(office, [0, 1, 2]), (marketing, [3, 6, 7])]
    assert _likeliest(accounts, 4, lines)[0] is office and _likeliest(accounts, 5, lines)[0] is office


def test_another_type_speaks_against_it_and_counts_for_nothing():
    accounts = chart(("10", "revenue", "", ""), ("11", "expense", "", ""), ("12", "asset", "", ""))
    lines = [(SimpleNamespace(key="a", label="11"), [0, 2])]
    assert _likeliest(accounts, 1, lines) == (None, "") and _likeliest(accounts, 1, []) == (None, "")
    assert _score(accounts, 1, "11", [], []) == (0.0, "")


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


def suggested(inner, *codes, covers="4*"):
    lines = [Line("A", code, Decimal(-1), date(2026, 2, 5), {"department": "d"}) for code in codes]
    computed = small(lines, inner, [{"column": "now"}], "2026-P02", covers=covers)
    return [(one.code, one.line, one.why) for one in suggestions(computed)]


def test_two_places_away_is_beside_where_nothing_is_nearer():
    assert suggested([{"line": "Fees", "accounts": "4"}], "4", "42") == [("42", "fees", "beside 4")]


def test_a_line_that_names_no_accounts_is_nobodys_place():
    inner = [{"line": "D", "accounts": "department: e"}, {"line": "Fees", "accounts": "40"}]
    assert suggested(inner, "40", "41") == [("41", "fees", "below 4, beside 40")]
