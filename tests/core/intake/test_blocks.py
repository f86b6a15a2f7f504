"""Blocks of rows: the quick way and the way entry by entry agree, on sound rows and on every kind of broken one."""

from __future__ import annotations

import random
from typing import NamedTuple

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rulka.core.books.calendar import monthly_calendar
from rulka.core.intake import columns
from rulka.core.intake.blocks import FIELDS, BlockChecker, EntryBlock, Scattered
from rulka.core.intake.entries import BookSoFar, EntryChecker, EntryRow, group_rows
from rulka.formats.intake import arrow_columns
from tests.lengths import several

BOOKS = BookSoFar(
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
    return EntryBlock.of(as_rows(rows))


def as_rows(rows: list[dict[str, str]]) -> list[EntryRow]:
    return [
        EntryRow._make((number, *(row.get(name, "") for name in FIELDS), (row.get("department", ""),)))
        for number, row in enumerate(rows, 2)
    ]


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


class Told(NamedTuple):
    """What became of rows: sound entries with their lines, errors, sums."""

    entries: list[tuple]
    errors: list[str]
    sums: dict[tuple[str, str, int], list[int]]
    absolute: int


def quickly(blocks: list[list[dict[str, str]]], join=columns.join) -> Told:
    """By arrays."""
    checker, entries = BlockChecker(BOOKS, join), []
    for checked in checker.check([EntryBlock.of(rows) for rows in blocks]):
        lines, at = checked.lines, 0
        optional = [column or [None] * len(lines.place) for column in (lines.historical, lines.transaction)]
        told = list(
            zip(
                lines.line.texts(),
                [checker.places[place][:4] for place in lines.place.tolist()],
                lines.debit.tolist(),
                lines.credit.tolist(),
                *optional,
                zip(*(column.texts() for column in lines.texts), strict=True),
                strict=True,
            )
        )
        heads = zip(
            checked.entity.texts(), checked.number.texts(), checked.head.tolist(), checked.moment.texts(),
            checked.digest, checked.row.tolist(), checked.count.tolist(), strict=True,
        )  # fmt: skip
        for entity, number, head, moment, digest, row, count in heads:
            own = checker.heads[head]
            when = (own.date, own.period_code, own.status, own.effect, own.kind)
            entries.append((entity, number, when, moment, digest, row, told[at : at + count]))
            at += count
    return Told(entries, [str(error) for error in checker.errors], checker.sums, checker.absolute)


def slowly(rows: list[EntryRow]) -> Told:
    """Entry by entry, added up here."""
    checker, entries, sums, absolute = EntryChecker(BOOKS), [], {}, 0
    for group in group_rows(rows).values():
        entry = checker.check(group)
        if entry is None:
            continue
        lines, total = [], sums.setdefault((entry.entity, entry.period.code, entry.status), [0, 0, 0])
        for line in entry.lines:
            place = (entry.entity, line.account, line.partner, line.members)
            amounts = (line.debit, line.credit, line.historical_amount, line.transaction_amount)
            lines.append((line.line, place, *amounts, line.text))
            absolute += line.debit + line.credit
            total[2] += 1
            if BOOKS.accounts[line.account] != "statistical":
                total[0] += line.debit
                total[1] += line.credit
        when = (entry.date.isoformat(), entry.period.code, entry.status, entry.effect, entry.kind)
        moment = entry.modified_at.isoformat() if entry.modified_at else ""
        entries.append((entry.entity, entry.number, when, moment, entry.digest(), entry.row, lines))
    return Told(entries, [str(error) for error in checker.errors], sums, absolute)


def both(rows: list[dict[str, str]]) -> tuple[Told, Told]:
    """What the two ways make of the same rows."""
    given = as_rows(rows)
    return quickly([given]), slowly(given)


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
    assert quick.errors and [entry[1] for entry in quick.entries] == ["E7", "E9"]


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
    assert quick == slow and not quick.errors and len(quick.entries) == 2


def test_lines_come_in_the_order_of_their_codes():
    rows = [
        SOUND | {"line": "10", "debit": "3.00"},
        SOUND | {"line": "9", "debit": "", "credit": "5.00"},
        SOUND | {"line": "1", "debit": "2.00"},
    ]
    quick, slow = both(rows)
    assert quick == slow and [line[0] for line in quick.entries[0][-1]] == ["1", "10", "9"]
    assert quick.sums == {("A", "2027-P02", 0): [500, 500, 3]} and quick.absolute == 1_000


def test_statistics_stand_outside_of_debit_equals_credit():
    quick, slow = both([SOUND | {"account": "9000", "debit": "7.25"}])
    assert quick == slow and quick.sums == {("A", "2027-P02", 0): [0, 0, 1]} and quick.absolute == 725


@pytest.mark.parametrize("account", ["1000", "9000"])
def test_a_line_with_both_sides_filled_is_refused_by_itself_too(account):
    # alone in its entry it would balance: 5 debit, 5 credit
    quick, slow = both([SOUND | {"account": account, "debit": "5.00", "credit": "5.00"}, *pair(2)])
    assert quick == slow and len(quick.entries) == 1
    assert any("Debit and credit are both filled" in error for error in quick.errors)


def test_rows_that_come_back_later_are_noticed():
    for blocks in ([block([*pair(1), *pair(2), *pair(1)])], [block(pair(1)), block(pair(2)), block(pair(1))]):
        with pytest.raises(Scattered):
            list(BlockChecker(BOOKS).check(blocks))


def random_rows(dice: random.Random, most: int = 12) -> list[dict[str, str]]:
    """Entries sound and spoilt, their lines in any order."""
    rows = []
    for number in range(dice.randrange(1, most)):
        changes = dice.choice(list(FINE.values())) if dice.random() < 0.8 else dice.choice(list(BROKEN.values()))
        entry = pair(number, **{name: value for name, value in changes.items() if name != "entry"})
        dice.shuffle(entry)
        rows += entry
    return rows


@settings(max_examples=several(120), deadline=None)
@given(seed=st.integers(0, 10**9))
def test_random_mixtures_agree_whatever_blocks_they_come_in(seed):
    dice = random.Random(seed)
    rows = random_rows(dice)
    quick, slow = both(rows)
    assert quick == slow
    given, blocks = as_rows(rows), []
    while given:
        cut = 2 * dice.randrange(1, 4)  # no entry is cut: each has two lines
        blocks.append(given[:cut])
        given = given[cut:]
    assert quickly(blocks, arrow_columns.join) == slow


@settings(max_examples=several(120), deadline=None)
@given(
    parts=st.lists(st.one_of(st.text(max_size=3), st.lists(st.text(max_size=3), min_size=4, max_size=4)), min_size=1)
)
def test_texts_are_joined_alike_by_arrow_and_by_python(parts):
    held = [part if isinstance(part, str) else columns.GivenColumn.of(part) for part in parts]
    wanted = ["".join(part if isinstance(part, str) else part[row] for part in parts).encode() for row in range(4)]
    for way in (columns.join, arrow_columns.join):
        data, offsets = way(held, 4)
        assert [bytes(data[offsets[row] : offsets[row + 1]]) for row in range(4)] == wanted


def test_numbers_are_joined_as_text():
    for way in (columns.join, arrow_columns.join):
        data, offsets = way([np.array([7, -12]), "/"], 2)
        assert bytes(data) == b"7/-12/" and offsets.tolist() == [0, 2, 6]


@pytest.mark.parametrize("debit", ["4611686018427387903", "46116860184273879.00", "99999999999999.99"])
def test_amounts_too_large_to_be_added_in_arrays_are_added_all_the_same(debit):
    rows = [[*pair(number, debit=debit, entity="J" if "." not in debit else "A")] for number in range(4)]
    for one in rows:
        one[1]["credit"] = debit
    quick, slow = both([row for one in rows for row in one])
    assert quick == slow and quick.absolute == 8 * int(debit.replace(".", ""))


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
    plain, changed = (both(pair(1, **values))[0].entries[0] for values in ({}, {name: OTHERS[name]}))
    assert plain[4] != changed[4]


def test_digest_does_not_follow_modified_at():
    plain, changed = (
        both(pair(1, **values))[0].entries[0] for values in ({}, {"modified_at": "2026-05-04T10:00:00+00:00"})
    )
    assert plain[4] == changed[4] and plain[3] != changed[3]
