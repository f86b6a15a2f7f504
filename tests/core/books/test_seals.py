"""What a seal puts together, and what rolls into what, key by key."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

import numpy as np
import pytest

from rulka.core.books.balances import MovementSource
from rulka.core.books.fence import Bounds, Fence
from rulka.core.books.narrowing import entities_of, read_narrowing
from rulka.core.books.sight import seal_of
from tests.books import Line, Works, book_of
from tests.core.compute.test_brute import ACCOUNTS, ENTITIES, MEMBERS
from tests.core.proof.small import CALENDAR


def book(*booked, **more):
    """(account, department, year, what else a line says) of the book of company A."""
    lines = [
        Line("A", account, Decimal(10), date(year, 2, 5), {"department": department}, **dict(said))
        for account, department, year, *said in booked
    ]
    return book_of(Works(CALENDAR, ENTITIES, ACCOUNTS, MEMBERS, lines, **{"reserve": "", **more}))


@pytest.mark.parametrize(
    ("sealed", "reserve", "derived"),
    [("50", "39", ["30", "39"]), ("50", "", ["30"]), ("10", "39", ["39"]), ("10", "", []), ("30, 50", "", [])],
)
def test_balances_of_accounts_that_hold_sealed_results_are_coarse(sealed, reserve, derived):
    frame = book(reserve=reserve).frame
    seal = seal_of(Fence.of(sealed=sealed, grain=()), frame)
    named = [frame.accounts.items[place].code for place in np.flatnonzero(seal.derived)]
    assert named == derived and seal.derived.dtype == bool
    assert [frame.accounts.items[place].code for place in np.flatnonzero(seal.accounts)] == sealed.split(", ")


def test_a_seal_tells_companies_and_the_first_dimension_apart_where_it_says_nothing():
    two = book(dimensions=("department", "crossing")).frame
    assert seal_of(Fence.of(sealed="50"), two).grain == {"entity", "department"}
    assert seal_of(Fence.of(sealed="50", grain=("crossing",)), two).grain == {"entity", "crossing"}
    assert seal_of(Fence(), two) is None


@pytest.mark.parametrize(
    ("bounds", "grain", "whole"),
    [
        ({}, (), True), ({"entities": "A"}, (), True), ({"accounts": "4*, 50"}, (), True),
        ({"members": {"department": "d"}}, (), False), ({"members": {"department": "d"}}, ("department",), True),
    ],
)  # fmt: skip
def test_a_fence_finer_than_the_grain_leaves_nothing_of_what_is_sealed(bounds, grain, whole):
    one = book(("50", "d", 2026))
    fence = Fence.of(sealed="50", grain=grain, **bounds)
    assert seal_of(fence, one.frame).is_whole is whole
    sealed = one.frame.accounts.index["50"]
    assert (sealed in one.within(fence).keys.account.tolist()) is whole


def test_partners_are_told_apart_where_the_grain_names_them():
    booked = [("50", "d", 2026, ("partner", partner)) for partner in ("", "B", "C")]
    for grain, partners in (((), 1), (("partner",), 3)):
        keys = book(*booked).within(Fence.of(sealed="50", grain=grain)).keys
        of_costs = keys.account == book().frame.accounts.index["50"]
        assert of_costs.sum() == partners and len(set(keys.partner[of_costs].tolist())) == partners
        assert grain or keys.partner[of_costs].tolist() == [-1]


def test_what_only_waits_is_not_there_behind_a_seal():
    """Neither it nor what its result would roll into."""
    assert len(book(("50", "d", 2025, ("status", "pending"))).within(Fence.of(sealed="50", grain=())).keys) == 0


def test_results_roll_into_the_first_key_as_into_any():
    one = book(("30", "d", 2025), ("40", "d", 2025), ("41", "d", 2025))
    for fence in (Fence(), Fence.of(accounts="30, 40, 50"), Fence.of(sealed="10", grain=())):
        view = one.within(fence)
        codes = [view.frame.accounts.items[place].code for place in view.keys.account.tolist()]
        rolling = view.rolling_into(np.array([codes.index("30")]))
        assert [codes[key] for key in rolling] == [code for code in codes if code != "30"], fence


@pytest.mark.parametrize(
    ("text", "codes"),
    [
        ("", "ABC"), ("40", "ABC"), ("entity: A", "A"), ("entity: A, B; entity: not B", "A"), ("entity: not A", "BC"),
        ("entity: not A; entity: not C", "B"), ("entity: A; entity: B", ""), ("partner: A", "ABC"),
    ],
)  # fmt: skip
def test_companies_that_all_clauses_let_through(text, codes):
    frame = book().frame
    mask = entities_of(read_narrowing(text), frame)
    assert [frame.entities.items[place].code for place in np.flatnonzero(mask)] == list(codes)


def test_what_rolls_in_from_outside_counts_whichever_key_it_rolls_into():
    """Retained earnings are the first key of the book, two accounts outside roll into it."""
    lines = [
        Line("A", code, Decimal(amount), date(2025, 2, 5)) for code, amount in (("30", 1), ("40", 20), ("41", 300))
    ]
    one = book_of(Works(CALENDAR, ENTITIES, ACCOUNTS, MEMBERS, lines, reserve=""))
    year = one.frame.calendar.years.index(2025)
    for fence in (Fence.of(accounts="30"), Fence.of(accounts="30, 42"), Fence.of(accounts="30, 41")):
        view = one.within(fence)
        kept = [one.frame.accounts.items[place].code for place in view.keys.account.tolist()].index("30")
        assert view.rolled_by_key(np.array([kept]), MovementSource(), year).tolist() == [32_000], fence
        assert view.balances("actual").closing[kept, -1] == 32_100


def test_a_sum_of_sealed_results_has_no_lines():
    """It stands for no one key of the book, whose lines it would show."""
    view = book(("50", "d", 2025), ("51", "e", 2025)).within(Fence.of(sealed="50", grain=()))
    codes = [view.frame.accounts.items[place].code for place in view.keys.account.tolist()]
    summed = np.array([at for at, code in enumerate(codes) if code in ("30", "50")])
    assert len(summed) > 1 and view.lines(summed, 0, 40, 99) == [] and len(view.own_lines(summed)) == 0
    assert len(view.own_lines(np.array([codes.index("51")]))) == 1


def test_names_of_companies_outside_are_kept_back():
    frame = book(("50", "d", 2025)).within(Fence.of("A")).frame
    assert [item.name for item in frame.entities.items] == ["A", "", ""]
    assert all(item.name for item in frame.accounts.items)


def test_inside_of_any_bound_is_inside():
    one = book(("40", "d", 2026), ("50", "e", 2026))
    for order in (1, -1):
        fence = Fence((Bounds(accounts="40"), Bounds(members=(("department", "e"),)))[::order])
        assert fence.mask(one.keys, one.frame)[:2].tolist() == [True, True]
        either = Fence((Bounds(accounts="40"), Bounds(accounts="50"))[::order])
        inside = either.codes_inside("account", one.frame.accounts)
        assert [one.frame.accounts.items[at].code for at in np.flatnonzero(inside)] == ["40", "50"]


@pytest.mark.parametrize(
    ("text", "codes", "warned"),
    [
        ("4*; 40, 50", ["40"], False), ("not 4*", ["10", "50"], False), ("not *", [], True), ("40; 50", [], False),
    ],
)  # fmt: skip
def test_clauses_on_accounts_all_hold(text, codes, warned):
    one = book(("40", "d", 2026), ("50", "e", 2026), ("10", "e", 2026))
    mask = one.within(Fence()).mask(read_narrowing(text))
    booked = {"40", "50", "10"}
    assert sorted({one.frame.accounts.items[at].code for at in np.flatnonzero(mask.accounts)} & booked) == codes
    assert any("leaves no account" in warning for warning in mask.warnings) is warned
