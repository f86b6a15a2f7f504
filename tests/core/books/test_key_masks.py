"""Which posting keys a narrowing takes, against what its clauses say of each key in turn."""

from __future__ import annotations

import itertools
from datetime import date
from decimal import Decimal

import pytest

from rulka.core.books.fence import Fence
from rulka.core.books.narrowing import read_narrowing
from rulka.core.errors import NotFound
from tests.books import Line, Works, book_of
from tests.core.compute.test_brute import ACCOUNTS, ENTITIES, MEMBERS
from tests.core.proof.small import CALENDAR

KEYS = list(itertools.product("AB", ("40", "41", "50"), ("", "A", "B"), ("-", "d", "o")))
VIEW = [
    Line(entity, account, Decimal(1), date(2026, 2, 5), {"department": member}, partner=partner)
    for entity, account, partner, member in KEYS
]


def taken(text):
    """The keys that a narrowing takes, as they were booked."""
    view = book_of(Works(CALENDAR, ENTITIES, ACCOUNTS, MEMBERS, VIEW, reserve="")).within(Fence())
    return [key for key, inside in zip(KEYS, view.mask(read_narrowing(text)).keys.tolist(), strict=False) if inside]


@pytest.mark.parametrize(
    ("text", "passes"),
    [
        ("", lambda e, a, p, d: True),
        ("40", lambda e, a, p, d: a == "40"),
        ("40, 50; not 50", lambda e, a, p, d: a == "40"),
        ("not 50; 40, 50", lambda e, a, p, d: a == "40"),
        ("entity: A; 4*", lambda e, a, p, d: e == "A" and a != "50"),
        ("4*; entity: A", lambda e, a, p, d: e == "A" and a != "50"),
        ("department: d; entity: B", lambda e, a, p, d: e == "B" and d == "d"),
        ("partner: A", lambda e, a, p, d: p == "A"),
        ("partner: B", lambda e, a, p, d: p == "B"),
        ("partner: not A", lambda e, a, p, d: p != "A"),
        ("partner: not B", lambda e, a, p, d: p != "B"),
        ("50; partner: A, B", lambda e, a, p, d: a == "50" and p != ""),
        ("partner: A, B; 50", lambda e, a, p, d: a == "50" and p != ""),
        ("department: under:s, o; partner: not A; entity: A", lambda e, a, p, d: e == "A" and d != "-" and p != "A"),
        ("department: -", lambda e, a, p, d: d == "-"),
        ("department: not d; department: not o", lambda e, a, p, d: d == "-"),
    ],
)
def test_a_key_is_taken_where_every_clause_lets_it_through(text, passes):
    assert taken(text) == [key for key in KEYS if passes(*key)]


@pytest.mark.parametrize(
    ("text", "warned"),
    [
        ("entity: A; department: e", True), ("department: e", True), ("entity: C", True), ("42", False),
        ("department: not d; department: e", False), ("entity: A; department: d", False),
        ("not 4*; department: e", False),
    ],
)  # fmt: skip
def test_who_is_nobody_is_told_so_unless_what_is_left_is_meant(text, warned):
    view = book_of(Works(CALENDAR, ENTITIES, ACCOUNTS, MEMBERS, VIEW, reserve="")).within(Fence())
    assert any("is nobody" in warning for warning in view.mask(read_narrowing(text)).warnings) is warned


def test_what_no_ledger_can_narrow_by_is_refused_as_a_selection():
    with pytest.raises(NotFound, match="'crossing' is nothing that a selection can narrow") as told:
        taken("crossing: N1")
    assert told.value.subject == "selection"
