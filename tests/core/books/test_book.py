"""Fences over posting keys, and random books against sums by definition."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rulka.core.books.calendar import Window
from rulka.core.books.fence import Fence
from rulka.core.books.frame import ACTIVITY, CLOSING, OPENING, PENDING, POSTED
from rulka.core.books.trial_balance import trial_balance
from rulka.core.errors import RulkaError
from tests.core.compute.test_statement import CALENDAR, LINES, book
from tests.lengths import several

CODES = ["10", "20", "30", "40", "41", "50", "51"]
MOVES = st.lists(
    st.tuples(
        st.just("A"),
        st.sampled_from(CODES),
        st.sampled_from(["-", "x", "y"]),
        st.sampled_from([p.code for p in CALENDAR.periods][::3]),
        st.integers(-(2**55), 2**55),
        st.sampled_from([ACTIVITY, ACTIVITY, OPENING, CLOSING]),
        st.sampled_from([POSTED, POSTED, PENDING]),
    ),
    min_size=1,
    max_size=25,
)


def by_definition(moves, account, dept, at, whole, pending):
    """The balance of one key straight from LEDGER_FORMAT.md: no running sums, Python integers."""
    year = CALENDAR.periods[at].year
    total = 0
    for _, code, member, period, amount, effect, status in moves:
        where = CALENDAR.by_code[period]
        if member != dept or (status == PENDING and not pending):
            continue
        is_result = code in ("40", "41", "50", "51")
        former = where.year < year
        counts = (
            former
            or (effect == OPENING and where.index <= at)
            or (effect == ACTIVITY and (where.index < at or (whole and where.index == at)))
        )
        if not counts or (effect == CLOSING and not former):
            continue
        lands = "30" if is_result and former else code
        total += amount if lands == account else 0
    return total


@settings(max_examples=several(60))
@given(MOVES, st.booleans())
def test_every_balance_equals_its_definition(moves, pending):
    found = book(moves)
    balances = found.balances("actual", pending=pending)
    accounts, members = found.frame.accounts.items, found.frame.dimensions["dept"].items
    for key in range(len(found.keys)):
        account, dept = accounts[found.keys.account[key]].code, members[found.keys.members[key, 0]].code
        for at in range(0, len(CALENDAR.periods), 2):
            assert int(balances.opening[key, at]) == by_definition(moves, account, dept, at, False, pending)
            assert int(balances.closing[key, at]) == by_definition(moves, account, dept, at, True, pending)


@given(MOVES)
def test_activity_of_a_window_is_the_sum_of_its_periods(moves):
    balances = book(moves).balances("actual")
    whole = balances.measure("activity", Window(3, 20, ""))
    single = [balances.measure("activity", Window(at, at, "")) for at in range(3, 21)]
    assert (whole == np.sum(single, axis=0)).all()
    assert (
        whole == balances.measure("debits", Window(3, 20, "")) - balances.measure("credits", Window(3, 20, ""))
    ).all()


def test_fence_narrows_entities_accounts_and_members_together():
    found = book(LINES)

    def seen(**bounds):
        return [
            (row.entity, row.account)
            for row in trial_balance(found.within(Fence.of(**bounds)), CALENDAR.periods[0], CALENDAR.periods[-1]).rows()
        ]

    assert seen(entities="C") == [("C", "10"), ("C", "40")]
    assert seen(accounts="4*") == [("A", "40"), ("A", "41"), ("C", "40")]
    assert seen(members={"dept": "y"}) == [("A", "41"), ("A", "51")]
    assert seen(entities="A", accounts="4*", members={"dept": "x"}) == [("A", "40")]
    assert seen(accounts="nothing") == []
    # what rolled carries its members: wages and sales of x left -60 in 30, which x sees and y does not
    assert ("A", "30") in seen(members={"dept": "x"}) and ("A", "30") not in seen(members={"dept": "y"})


def test_fence_on_an_unknown_dimension_is_refused_not_ignored():
    with pytest.raises(RulkaError, match="The fence names site, which is no dimension"):
        book(LINES).within(Fence.of(members={"site": "1"}))
