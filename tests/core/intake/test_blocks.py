"""Blocks of rows: the quick way and the way entry by entry agree, on sound rows and on every kind of broken one."""

from __future__ import annotations

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rulka.core.books.calendar import monthly_calendar
from rulka.core.intake.blocks import FIELDS, BlockChecker, EntryBlock, Scattered
from rulka.core.intake.entries import Books

BOOKS = Books(
    calendar=monthly_calendar(first_month=4, year_label="end", first_year=2026, last_year=2027, adjusting_periods=1),
    digits={"A": 2, "J": 0},
    accounts={"1000": "asset", "4000": "revenue", "9000": "statistical"},
    members={"department": frozenset({"-", "10"})},
    scenarios={"actual": "actual"},
    group_digits=2,
    currencies={"EUR": 2, "JPY": 0},
)
SOUND = {"entity": "A", "entry": "E1", "line": "1", "date": "2026-05-04", "account": "1000", "debit": "10.00"}


def block(rows: list[dict[str, str]]) -> EntryBlock:
    columns = tuple([row.get(name, "") for row in rows] for name in FIELDS)
    return EntryBlock(list(range(2, len(rows) + 2)), columns, ([row.get("department", "") for row in rows],))


def pair(number: int, **first: str) -> list[dict[str, str]]:
    one = SOUND | {"entry": f"E{number}"} | first
    head = {
        name: one[name]
        for name in ("entity", "entry", "date", "status", "kind", "period", "modified_at")
        if name in one
    }
    return [
        one,
        head
        | {"line": "2", "account": "4000", "department": "10", "credit": "10.00" if one["entity"] == "A" else "10"},
    ]


def both(rows: list[dict[str, str]]):
    """What the two ways make of the same rows."""
    found = []
    for way in ("quick", "slow"):
        checker = BlockChecker(BOOKS)
        if way == "quick":
            parts = list(checker.check([block(rows)]))
            heads = [head for part, _ in parts for head in part]
            lines = [line for _, columns in parts for line in zip(*columns, strict=True)]
        else:
            heads, columns = checker.check_scattered([block(rows)])
            lines = list(zip(*columns, strict=True))
        placed = [(line[0], checker.places[line[1]], *line[2:]) for line in lines]
        found.append((heads, placed, [str(error) for error in checker.errors], checker.sums, checker.absolute))
    return found


BROKEN = {
    "negative amount": {"debit": "-10.00"},
    "grouped amount": {"debit": "1,0.00"},
    "three decimals": {"debit": "10.001"},
    "no amount": {"debit": ""},
    "both sides": {"credit": "1.00"},
    "huge amount": {"debit": "99999999999999999999.00"},
    "unknown account": {"account": "1001"},
    "unknown entity": {"entity": "Z"},
    "unknown member": {"department": "99"},
    "unknown partner": {"partner_entity": "Q"},
    "no line": {"line": ""},
    "line twice": {"line": "2"},
    "long number": {"entry": "E" * 41},
    "space": {"entry": " E1"},
    "no number": {"entry": ""},
    "bad date": {"date": "2026-02-30"},
    "foreign date": {"date": "04.05.2026"},
    "date outside": {"date": "2031-01-01"},
    "wrong period": {"period": "2027-P03"},
    "adjusting of another year": {"period": "2026-P13"},
    "bad status": {"status": "x"},
    "bad kind": {"kind": "x"},
    "bad moment": {"modified_at": "yesterday"},
    "moment without offset": {"modified_at": "2026-05-04T10:00:00"},
    "bad historical amount": {"historical_amount": "x"},
    "unknown currency": {"transaction_currency": "EUX", "transaction_amount": "1"},
    "currency alone": {"transaction_currency": "EUR"},
    "too fine for the currency": {"transaction_currency": "JPY", "transaction_amount": "1.5"},
}


@pytest.mark.parametrize("case", BROKEN)
def test_broken_rows_are_told_alike_and_the_others_kept(case):
    quick, slow = both([*pair(7), *pair(1, **BROKEN[case]), *pair(9)])
    assert quick == slow
    assert quick[2] and [head.number for head in quick[0]] == ["E7", "E9"]


FINE = {
    "plain": {},
    "whole units": {"debit": "10"},
    "one decimal": {"debit": "10.0"},
    "leading zeros": {"debit": "0010.00"},
    "a member": {"department": "10"},
    "no member written out": {"department": "-"},
    "pending": {"status": "pending"},
    "opening": {"kind": "opening"},
    "adjusting period": {"period": "2027-P13", "kind": "adjusting"},
    "moment": {"modified_at": "2026-05-04T10:00:00+02:00"},
    "historical amount": {"historical_amount": "0"},
    "transaction": {"transaction_currency": "JPY", "transaction_amount": "-1200"},
    "partner": {"partner_entity": "J"},
    "yen": {"entity": "J", "debit": "10"},
    "statistics beside": {"account": "1000", "description": "x", "batch": "B", "attributes": '{"a":"b"}'},
}


@pytest.mark.parametrize("case", FINE)
def test_sound_rows_give_the_same_entries_either_way(case):
    quick, slow = both([*pair(1, **FINE[case]), *pair(2)])
    assert quick == slow and not quick[2] and len(quick[0]) == 2


def test_lines_come_in_the_order_of_their_codes():
    rows = [
        SOUND | {"line": "10", "debit": "3.00"},
        SOUND | {"line": "9", "debit": "", "credit": "5.00"},
        SOUND | {"line": "1", "debit": "2.00"},
    ]
    quick, slow = both(rows)
    assert quick == slow and [line[0] for line in quick[1]] == ["1", "10", "9"]
    assert quick[3] == {("A", "2027-P02", 0): [500, 500, 3]} and quick[4] == 1_000


def test_statistics_stand_outside_of_debit_equals_credit():
    quick, slow = both([SOUND | {"account": "9000", "debit": "7.25"}])
    assert quick == slow and quick[3] == {("A", "2027-P02", 0): [0, 0, 1]} and quick[4] == 725


@pytest.mark.parametrize("account", ["1000", "9000"])
def test_a_line_with_both_sides_filled_is_refused_by_itself_too(account):
    # alone in its entry it would balance: 5 debit, 5 credit
    quick, slow = both([SOUND | {"account": account, "debit": "5.00", "credit": "5.00"}, *pair(2)])
    assert quick == slow and len(quick[0]) == 1
    assert any("Debit and credit are both filled" in error for error in quick[2])


def test_rows_that_come_back_later_are_noticed():
    for blocks in ([block([*pair(1), *pair(2), *pair(1)])], [block(pair(1)), block(pair(2)), block(pair(1))]):
        with pytest.raises(Scattered):
            list(BlockChecker(BOOKS).check(blocks))


@settings(max_examples=60, deadline=None)
@given(seed=st.integers(0, 10**9))
def test_random_mixtures_agree(seed):
    dice = random.Random(seed)
    rows = []
    for number in range(dice.randrange(1, 12)):
        changes = dice.choice(list(FINE.values())) if dice.random() < 0.8 else dice.choice(list(BROKEN.values()))
        rows += pair(number, **{name: value for name, value in changes.items() if name != "entry"})
    quick, slow = both(rows)
    assert quick == slow


OTHERS = {
    "line": "0",
    "date": "2026-05-05",
    "partner_entity": "J",
    "status": "pending",
    "kind": "opening",
    "period": "2027-P13",
    "historical_amount": "5",
    "description": "other",
    "source": "other",
    "document": "other",
    "counterparty": "other",
    "counterparty_name": "other",
    "user": "other",
    "batch": "other",
    "attributes": '{"a":"b"}',
    "department": "10",
}


@pytest.mark.parametrize("name", OTHERS)
def test_digest_follows_every_field(name):
    (plain, *_), (changed, *_) = (both(pair(1, **values))[0][0] for values in ({}, {name: OTHERS[name]}))
    assert plain.digest != changed.digest


def test_digest_does_not_follow_modified_at():
    (plain, *_), (changed, *_) = (
        both(pair(1, **values))[0][0] for values in ({}, {"modified_at": "2026-05-04T10:00:00+00:00"})
    )
    assert plain.digest == changed.digest and plain.moment != changed.moment
