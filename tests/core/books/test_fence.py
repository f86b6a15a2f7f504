"""Fences: bounds and seals that are put on one, and how deep it lets somebody get."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

import pytest

from rulka.core.books.fence import DEPTHS, LETS_NOTHING_THROUGH, NO_FENCE, Bounds, Fence
from rulka.core.errors import RulkaError
from tests.books import Line, Works, book_of
from tests.core.compute.test_brute import ACCOUNTS, ENTITIES, MEMBERS
from tests.core.proof.small import CALENDAR


def test_another_seal_leaves_bounds_and_depth():
    fence = Fence.of("A", members={"department": "d"}, sealed="50").down_to("accounts")
    other = fence.with_seal("11, 40", ["route", "partner", "route"])
    assert (other.bounds, other.depth) == (fence.bounds, "accounts")
    assert (other.sealed, other.grain) == ("11, 40", ("partner", "route"))
    assert other.with_seal("", ["route"]) == Fence(fence.bounds, depth="accounts")
    assert NO_FENCE.with_seal("50", None) == Fence(sealed="50")


def test_a_seal_is_one_however_it_is_written():
    assert Fence.of(sealed=" 50,40 ") == Fence.of(sealed="50, 40")
    assert Fence.of(sealed="50", grain=None).grain is None and Fence.of(sealed="50", grain=[]).grain == ()
    assert Fence.of(sealed=" ", grain=["route"]) == NO_FENCE


@pytest.mark.parametrize("had", DEPTHS)
@pytest.mark.parametrize("depth", DEPTHS)
def test_a_fence_gets_no_deeper_than_told_and_never_deeper_than_it_was(had, depth):
    fence = Fence(depth=had).down_to(depth)
    assert fence == Fence(depth=DEPTHS[min(DEPTHS.index(had), DEPTHS.index(depth))])
    assert fence.shows_lines == (had == depth == "entries")
    assert fence.opens_figures == ("figures" not in (had, depth))
    assert fence.is_open == fence.shows_lines
    assert fence.all_the_way_down == NO_FENCE


def test_bounds_that_let_all_or_nothing_through():
    one, other, nothing = Bounds.written("A"), Bounds.written("B"), LETS_NOTHING_THROUGH
    assert Fence.around([one, Bounds()]) == NO_FENCE
    assert Fence.around([other, one, one]).bounds == (one, other)
    assert Fence.around([one]).hides_nothing is False and NO_FENCE.hides_nothing
    assert Fence.around([nothing]).bounds == Fence.around([nothing, nothing]).bounds == (nothing,)
    assert Fence.around([nothing, one]).bounds == (one,)
    assert Fence.of("A", sealed="50").unbounded == Fence(sealed="50")


def test_names_and_what_is_left_open():
    fence = Fence.around([Bounds.written("A", "4*"), Bounds.written(members={"department": "d"})])
    assert fence.names == {"entity", "account", "department"}
    assert [fence.leaves_open(name) for name in ("entity", "account", "department", "route")] == [True] * 4
    bound = Fence.of("A", members={"department": "d"})
    assert [bound.leaves_open(name) for name in ("entity", "account", "department")] == [False, True, False]
    assert NO_FENCE.leaves_open("entity") and NO_FENCE.names == frozenset()


def test_a_digest_tells_fences_apart_and_stays():
    made = [
        NO_FENCE, Fence.of("A"), Fence.of(accounts="A"), Fence.of(sealed="50"), Fence.of(sealed="50", grain=[]),
        Fence.of(sealed="50", grain=["route"]), Fence.of(members={"d": "A"}), Fence.of(members={"e": "A"}),
        Fence.around([Bounds.written("A"), Bounds.written("B")]), Fence.of("A, B"), NO_FENCE.down_to("accounts"),
        NO_FENCE.down_to("figures"),
    ]  # fmt: skip
    assert len({fence.digest for fence in made}) == len(made)
    # they stand in records that are kept
    assert NO_FENCE.digest == "fddc45f3d22b20bc99664397feb4bce1"
    assert Fence.of("A", sealed="50").digest == "5ef3b3dbb002955f2addf5e19358ed66"


def test_what_lets_nothing_through_alone_is_no_open_fence():
    """Dropped beside others, it stays where there is nothing else."""
    nothing, some = LETS_NOTHING_THROUGH, Bounds.written("A")
    assert Fence.around([nothing]).bounds == (nothing,) == Fence.around([nothing, nothing]).bounds
    assert Fence.around([nothing, some]).bounds == (some,)
    assert Fence.around([nothing, Bounds()]).bounds == () == Fence.around([]).bounds


def test_names_outside_of_a_fence_are_kept_back_but_for_those_above():
    """42 stands below 41, that below 4: whoever sees it sees where it stands."""
    view = book_of(Works(CALENDAR, ENTITIES, ACCOUNTS, MEMBERS, [])).within(
        Fence.of(accounts="42", members={"department": "d"})
    )
    assert {item.code for item in view.frame.accounts.items if item.name} == {"4", "41", "42"}
    assert {item.code for item in view.frame.dimensions["department"].items if item.name} == {"s", "d"}
    assert all(item.name for item in view.frame.entities.items)


def test_bounds_of_several_kinds_all_have_to_be_inside():
    lines = [Line(entity, account, Decimal(1), date(2026, 2, 5), {"department": member})
             for entity in "AB" for account in ("40", "41") for member in "de"]  # fmt: skip
    book = book_of(Works(CALENDAR, ENTITIES, ACCOUNTS, MEMBERS, lines))

    def seen(**bounds):
        view = book.within(Fence.of(**bounds))
        own = view.keys.account == view.frame.accounts.index["40"]
        other = view.keys.account == view.frame.accounts.index["41"]
        return int(own.sum()), int(other.sum())

    assert seen() == (4, 4) and seen(entities="A") == (2, 2) and seen(accounts="40") == (4, 0)
    assert seen(entities="A", accounts="40") == (2, 0)
    assert seen(entities="A", accounts="40", members={"department": "d"}) == (1, 0)
    assert seen(entities="A", members={"department": "d"}) == (1, 1)


def test_a_fence_of_a_dimension_that_is_not_there_is_refused():
    with pytest.raises(RulkaError, match="which is no dimension of this ledger") as told:
        book_of(Works(CALENDAR, ENTITIES, ACCOUNTS, MEMBERS, [])).within(Fence.of(members={"colour": "red"}))
    assert told.value.code == "fence" and "colour" in told.value.message
