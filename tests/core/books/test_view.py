"""The one gate: what lies outside of a fence isn't there, and a fence is one however it is written."""

from collections import Counter
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rulka.core.books.balances import MovementSource
from rulka.core.books.fence import LETS_NOTHING_THROUGH, NO_FENCE, Bounds, Fence
from rulka.core.books.narrowing import read_narrowing
from rulka.core.books.selection import SelectionError
from tests.books import book_of
from tests.core.compute.test_brute import ledgers
from tests.lengths import several

ENTITIES = {"": {"A", "B", "C"}, "A": {"A"}, "B, C": {"B", "C"}}
ACCOUNTS = {"": None, "4*": ("4",), "10 to 21": ("1", "20", "21")}
DEPARTMENTS = {"": None, "under:s": {"s", "d", "e"}, "o": {"o"}, "-, d": {"-", "d"}}


def inside(line, entities, accounts, departments):
    """By the texts of a line alone, without the code under test."""
    return (
        line.entity in ENTITIES[entities]
        and (ACCOUNTS[accounts] is None or line.account.startswith(ACCOUNTS[accounts]))
        and (DEPARTMENTS[departments] is None or line.members.get("department", "-") in DEPARTMENTS[departments])
    )


@settings(max_examples=several(80))
@given(
    ledgers(),
    st.sampled_from(list(ENTITIES)),
    st.sampled_from(["", "4*", "10 to 21"]),
    st.sampled_from(list(DEPARTMENTS)),
    st.sampled_from(["", "4*", "50"]),
)
def test_view_holds_what_lies_inside_and_nothing_else(works, entities, accounts, departments, sealed):
    view = book_of(works).within(Fence.of(entities, accounts, {"department": departments}, sealed))
    mine = [line for line in works.lines if inside(line, entities, accounts, departments)]
    actual = [line for line in mine if line.scenario == "actual"]
    frame, keys = view.frame, view.keys

    def named(key):
        member = frame.dimensions["department"].items[keys.members[key, 0]].code
        return frame.entities.items[keys.entity[key]].code, frame.accounts.items[keys.account[key]].code, member

    hidden = {"": (), "4*": ("4",), "50": ("50",)}[sealed]
    shown = [line for line in actual if not (hidden and line.account.startswith(hidden))]
    at_grain = [line for line in actual if line not in shown and line.status == "posted"]
    moved: Counter = Counter()
    found = view.movements("actual")
    for at in range(len(found.key)):
        moved[named(found.key[at])] += int(found.count[at])
    assert {key: n for key, n in moved.items() if not key[1].startswith(hidden or ("none",))} == Counter(
        (line.entity, line.account, line.members.get("department", "-")) for line in shown
    )
    sealed_keys = {key for key in moved if hidden and key[1].startswith(hidden)}
    assert sealed_keys == {(line.entity, line.account, line.members.get("department", "-")) for line in at_grain}

    grouped = view.grouped(("source", "day"))
    assert int(grouped.movements.count.sum()) == len(shown)
    assert {named(key)[:2] for key in grouped.movements.key} == {(line.entity, line.account) for line in shown}
    assert set(grouped.labels["source"]) == {line.source for line in shown}

    lines = view.lines(np.arange(len(keys)), 0, len(frame.calendar.periods) - 1, 1_000)
    assert Counter((named(line.key)[:2], line.number) for line in lines) == Counter(
        ((line.entity, line.account), line.entry) for line in shown
    )


@settings(max_examples=several(40))
@given(ledgers(), st.sampled_from(list(ENTITIES)), st.sampled_from(list(DEPARTMENTS)))
def test_balances_inside_are_those_of_a_ledger_that_has_no_more(works, entities, departments):
    """Fences on entities and members cut where results roll too, so the part is a ledger of its own."""
    view = book_of(works).within(Fence.of(entities, "", {"department": departments}))
    alone = book_of(replace(works, lines=[one for one in works.lines if inside(one, entities, "", departments)]))
    whole = alone.within(NO_FENCE)
    periods = range(0, len(view.frame.calendar.periods), 5)
    for scenario in ("actual", "budget"):
        for pending in ("posted", "with pending"):
            for at in periods:
                assert by_account(view, scenario, pending, at) == by_account(whole, scenario, pending, at)


def by_account(view, scenario, pending, at):
    balances = view.balances_of(MovementSource(scenario, pending))
    assert len(balances.closing) == len(view.keys)
    every = np.ones(len(view.keys), dtype=bool)
    return view.by_account(balances.opening[:, at], every).tolist(), view.by_account(
        balances.closing[:, at], every
    ).tolist()


@settings(max_examples=several(40))
@given(ledgers(), st.sampled_from(["entity: A", "department: under:s", "40; entity: not C", "department: not d"]))
def test_masks_of_a_part_are_the_whole_ones_cut(works, text):
    book, narrowing = book_of(works), read_narrowing(text)
    whole, part = book.within(NO_FENCE), book.within(Fence.of("A, B"))
    cut = whole.mask(narrowing).keys[np.flatnonzero(np.isin(whole.keys.entity, [0, 1]))]
    assert part.mask(narrowing).keys.tolist() == cut.tolist()
    assert part.mask(narrowing) is part.mask(narrowing) and part.mask(narrowing) is not whole.mask(narrowing)


def test_fences_that_say_the_same_are_one():
    written = Fence.of(" TF ,SV", "4*,5000  to 5999", {"ship": "", "department": " under:100 "}, "5010 to 5040")
    again = Fence.of("TF, SV", "4*, 5000 to 5999", {"department": "under:100"}, " 5010 to 5040")
    assert written == again and hash(written) == hash(again) and written.digest == again.digest
    assert written.bounds[0].members == (("department", "under:100"),)
    two = [Fence.of(members={"b": "1", "a": "2"}), Fence.of(members={"a": "2", "b": "1"})]
    assert two[0] == two[1] and len({one.digest for one in two}) == 1


def test_several_bounds_are_alternatives_and_one_that_is_open_opens_all():
    ships, quays = Bounds.written(members={"department": "10"}), Bounds.written("TQ")
    both = Fence.around([ships, quays])
    assert both == Fence.around([quays, ships, ships]) and both.digest == Fence.around([quays, ships]).digest
    assert both.digest not in (Fence.around([ships]).digest, Fence.around([quays]).digest)
    assert both.names == {"entity", "department"} and both.leaves_open("entity") and both.leaves_open("department")
    assert Fence.around([ships, Bounds()]).hides_nothing and not both.hides_nothing
    # what lets nothing through adds nothing to others, and shows nothing alone
    assert Fence.around([ships, LETS_NOTHING_THROUGH]) == Fence.around([ships])
    assert not Fence.around([LETS_NOTHING_THROUGH]).hides_nothing
    assert both.with_seal("50", None).unbounded == Fence.of(sealed="50")


@settings(max_examples=several(60))
@given(
    ledgers(),
    st.lists(st.tuples(st.sampled_from(list(ENTITIES)), st.sampled_from(list(DEPARTMENTS))), min_size=1, max_size=3),
)
def test_a_view_through_several_bounds_is_a_ledger_of_what_lies_in_any(works, given_bounds):
    fence = Fence.around(Bounds.written(entities, "", {"department": one}) for entities, one in given_bounds)
    view = book_of(works).within(fence)
    mine = [line for line in works.lines if any(inside(line, entities, "", one) for entities, one in given_bounds)]
    whole = book_of(replace(works, lines=mine)).within(NO_FENCE)
    for scenario in ("actual", "budget"):
        for at in range(0, len(view.frame.calendar.periods), 7):
            assert by_account(view, scenario, "posted", at) == by_account(whole, scenario, "posted", at)
    lines = view.lines(np.arange(len(view.keys)), 0, len(view.frame.calendar.periods) - 1, 1_000)
    assert Counter(line.number for line in lines) == Counter(one.entry for one in mine if one.scenario == "actual")


@settings(max_examples=several(5))
@given(ledgers())
def test_nothing_shows_where_no_bound_lets_anything_through(works):
    view = book_of(works).within(Fence.around([LETS_NOTHING_THROUGH]))
    assert not len(view.keys) and view.part == "nothing" and view.is_part
    assert not view.visible_entities().any() and not view.lines(np.arange(0), 0, 5, 10)


def test_digest_tells_fences_apart_and_stays_what_it_was():
    fences = [
        NO_FENCE,
        Fence.of("A"),
        Fence.of("", "A"),
        Fence.of(members={"a": "A"}),
        Fence.of(members={"b": "A"}),
        Fence.of(sealed="A"),
    ]
    assert len({fence.digest for fence in fences}) == len(fences)
    # editions keep it: another way to make it needs a migration
    assert Fence.of(members={"department": "under:20"}, sealed="5000").digest == "0479496c897bf39bf7b2a1bb47771e0b"


def test_a_bound_that_cannot_be_read_is_refused_not_ignored():
    with pytest.raises(SelectionError, match="At character 4"):
        Fence.of("A, ")
