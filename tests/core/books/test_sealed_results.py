"""Retained earnings that hold nothing but results of sealed accounts show at the seal's grain, as these do."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

import numpy as np
import pytest

from rulka.core.books.balances import MovementSource
from rulka.core.books.calendar import Window
from rulka.core.books.fence import Fence
from rulka.core.errors import NotFound
from tests.books import Line, Works, book_of
from tests.core.compute.test_brute import ACCOUNTS, ENTITIES, MEMBERS
from tests.core.proof.small import CALENDAR


def keys(*booked, sealed="50", reserve="", entity="A"):
    """(account, department) of the keys that show behind a seal without a grain, '' for all departments together."""
    lines = [
        Line(entity, account, Decimal(10), date(year, 3, 5), {"department": department}, scenario=scenario)
        for account, department, year, scenario in booked
    ]
    view = book_of(Works(CALENDAR, ENTITIES, ACCOUNTS, MEMBERS, lines, reserve=reserve)).within(
        Fence.of(sealed=sealed, grain=[])
    )
    codes, accounts = view.frame.dimensions["department"].items, view.frame.accounts.items
    members = [codes[place].code if place >= 0 else "" for place in view.keys.members[:, 0].tolist()]
    return sorted(zip((accounts[place].code for place in view.keys.account.tolist()), members, strict=True))


SEALED = ("50", "d", 2025, "actual")


@pytest.mark.parametrize(
    ("booked", "shown"),
    [
        # nothing but a sealed result rolls into it: told apart by no department, as the sealed account itself
        ([SEALED], [("30", ""), ("50", "")]),
        ([SEALED, ("40", "e", 2025, "actual")], [("30", ""), ("30", "e"), ("40", "e"), ("50", "")]),
        # an open account's result rolls into it too, or something stands on it by itself: it shows as it is
        ([SEALED, ("40", "d", 2025, "actual")], [("30", "d"), ("40", "d"), ("50", "")]),
        ([SEALED, ("40", "d", 2025, "budget")], [("30", "d"), ("40", "d"), ("50", "")]),
        ([SEALED, ("30", "d", 2026, "actual")], [("30", "d"), ("50", "")]),
        ([("40", "d", 2025, "actual")], [("30", "d"), ("40", "d")]),
    ],
)
def test_results_of_sealed_accounts_show_at_their_grain(booked, shown):
    assert keys(*booked) == shown


def test_without_a_seal_all_show_by_department():
    assert keys(SEALED, ("40", "e", 2025, "actual"), sealed="") == [("30", "d"), ("30", "e"), ("40", "e"), ("50", "d")]


def test_the_translation_reserve_of_what_rolls_nowhere_shows_as_it_is():
    """Behind a sealed balance: no result is in it that could be told from it."""
    shown = keys(("10", "d", 2025, "actual"), ("20", "e", 2025, "actual"), sealed="10", reserve="39", entity="C")
    assert shown == [("10", ""), ("20", "e"), ("39", "-")]


def test_movements_behind_a_seal_are_what_was_posted_in_sums():
    """Five and four less one of a month are eight, as one; what waits isn't there, and all else is as it was."""
    booked = [("50", "d", 1, 5, "posted"), ("50", "e", 1, 4, "posted"), ("50", "e", 1, -1, "posted"),
              ("50", "d", 1, 100, "pending"), ("50", "d", 2, 7, "posted"), ("40", "d", 1, -3, "posted"),
              ("40", "d", 1, -2, "pending"), ("20", "d", 1, 6, "posted")]  # fmt: skip
    lines = [Line("A", code, Decimal(amount), date(2026, month, 5), {"department": member}, status=status)
             for code, member, month, amount, status in booked]  # fmt: skip
    book = book_of(Works(CALENDAR, ENTITIES, ACCOUNTS, MEMBERS, lines, reserve=""))
    for fence in (Fence.of(sealed="50", grain=[]), Fence.of(accounts="40, 50", sealed="50", grain=[])):
        view = book.within(fence)
        moved = view.movements("actual")
        accounts, periods = view.frame.accounts.items, view.frame.calendar.periods
        found = sorted(
            (accounts[view.keys.account[key]].code, periods[period].code[-3:], debit, credit, count)
            for key, period, debit, credit, count in zip(
                *(getattr(moved, name).tolist() for name in ("key", "period", "debit", "credit", "count")), strict=True
            )
        )
        seen = [
            ("40", "P01", 0, 200, 1),
            ("40", "P01", 0, 300, 1),
            ("50", "P01", 900, 100, 1),
            ("50", "P02", 700, 0, 1),
        ]
        assert found == ([("20", "P01", 600, 0, 1)] if not fence.bounds else []) + seen


def test_balances_behind_a_seal_count_periods_and_leave_out_what_waits():
    """Three lines of January and one of March are two; what waits shows nowhere, of an open account it does."""
    booked = [("50", "d", 1, 5, "posted"), ("50", "e", 1, 4, "posted"), ("50", "e", 1, 1, "posted"),
              ("50", "d", 3, 7, "posted"), ("50", "d", 2, 100, "pending"), ("20", "d", 2, 9, "pending")]  # fmt: skip
    lines = [Line("A", code, Decimal(amount), date(2026, month, 5), {"department": member}, status=status)
             for code, member, month, amount, status in booked]  # fmt: skip
    book = book_of(Works(CALENDAR, ENTITIES, ACCOUNTS, MEMBERS, lines, reserve=""))
    view = book.within(Fence.of(sealed="50", grain=[]))
    codes = [view.frame.accounts.items[place].code for place in view.keys.account.tolist()]
    at = view.frame.calendar.period("2026-P01").index

    def told(status):
        balances = view.balances_of(MovementSource("actual", status))
        counts = np.diff(balances.counts, axis=1)[:, at : at + 3].tolist()
        debits = np.diff(balances.debits, axis=1)[:, at : at + 3].tolist()
        return {code: (debits[key], counts[key]) for key, code in enumerate(codes) if code in ("20", "50")}

    assert told("posted") == {"50": ([1000, 0, 700], [1, 0, 1]), "20": ([0, 0, 0], [0, 0, 0])}
    assert told("with pending") == {"50": ([0, 0, 0], [0, 0, 0]), "20": ([0, 900, 0], [0, 1, 0])}


def test_a_rate_that_is_missing_is_told_behind_a_seal_too():
    """Nothing is shown as nought where it couldn't be translated."""
    lines = [Line("C", "50", Decimal(amount), date(2026, month, 5)) for month, amount in ((1, 5), (2, 4))]
    works = Works(CALENDAR, ENTITIES, ACCOUNTS, MEMBERS, lines, rates=[("2026-P01", "SEK", "EUR", "0.1", "0.1")])
    view = book_of(works).within(Fence.of(sealed="50", grain=[]))
    balances = view.balances_of(MovementSource(translated=True))
    january, february = (view.frame.calendar.period(f"2026-P{month}").index for month in ("01", "02"))
    assert balances.measure("activity", Window(january, january, "January")).tolist() == [-50, 0, 50]
    with pytest.raises(NotFound, match="SEK"):
        balances.measure("activity", Window(february, february, "February"))


def test_movements_beyond_a_fence_are_none_of_a_view():
    """Though what they come to rolls into retained earnings, which are inside."""
    booked = [("40", 5), ("50", 7), ("51", 9)]
    lines = [Line("A", code, Decimal(amount), date(2025, 2, 5)) for code, amount in booked]
    view = book_of(Works(CALENDAR, ENTITIES, ACCOUNTS, MEMBERS, lines, reserve="")).within(Fence.of(accounts="30, 40"))
    moved = view.movements("actual")
    assert moved.debit.tolist() == [500] and moved.key.max() < len(view.keys)
    assert [view.frame.accounts.items[view.keys.account[key]].code for key in moved.key] == ["40"]
