"""Thresholds, variances, drivers, price and volume, timing: against sums made by hand and random ledgers."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from fractions import Fraction
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.compute.computed import Computed
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import statement_from
from rulka.core.definitions.thresholds import read_threshold
from rulka.core.errors import RulkaError
from rulka.core.proof.drivers import ENOUGH, drivers_of, taken
from rulka.core.proof.explaining import SaidBefore, items_of, proposed_owners, unexplained
from rulka.core.proof.price_volume import parted, price_volume
from rulka.core.proof.splits import SplitPart, open_figure
from rulka.core.proof.terms import sides_of
from rulka.core.proof.timing import TimedMonth, timing_of, turn_of
from rulka.core.proof.variances import by_size, exceeding, opposite_of, variances
from tests.books import Line, Works, book_of
from tests.core.compute.test_brute import ledgers, spans, spines
from tests.core.compute.test_non_interference import SEALED
from tests.core.proof.test_splits import figures, run
from tests.lengths import several

CALENDAR = {"first_month": 1, "year_label": "start", "first_year": 2025, "last_year": 2026, "adjusting_periods": 0}
ACCOUNTS = [
    {"code": "30", "name": "Kept", "type": "equity"},
    {"code": "40", "name": "Fares", "type": "revenue"},
    {"code": "50", "name": "Diesel", "type": "expense"},
    {"code": "51", "name": "Oil", "type": "expense"},
    {"code": "52", "name": "Upkeep", "type": "expense"},
    {"code": "90", "name": "Trips", "type": "statistical"},
]
MEMBERS = [{"dimension": "route", "code": code, "name": code.upper()} for code in "xyz"]
SPINE = {
    "spine": "s",
    "lines": [
        {"line": "Fares", "accounts": "40"},
        {
            "section": "Costs",
            "lines": [
                {"line": "Fuel", "accounts": "50 to 51", "volume": "90"},
                {"line": "Upkeep", "accounts": "52", "explain": "10"},
            ],
            "total": "Total costs",
        },
        {"line": "Trips", "accounts": "90"},
    ],
}
SPAN = {
    "span": "p",
    "columns": [
        {"column": "actual", "window": "year to date"},
        {"column": "budget", "scenario": "budget", "window": "year to date"},
        {"column": "gap", "difference": ["actual", "budget"]},
        {"column": "month"},
        {"column": "planned", "scenario": "budget"},
        {"column": "month-gap", "difference": ["month", "planned"]},
    ],
}


def booked(account: str, month: int, amount: str, route: str = "x", *, plan: bool = False, year: int = 2026) -> Line:
    members = {"route": route}
    scenario = "budget" if plan else "actual"
    return Line("A", account, Decimal(amount), date(year, month, 15), members, entry=f"e{month}", scenario=scenario)


def computed_of(lines: list[Line], at: str = "2026-P06", fence: Fence = NO_FENCE, **body: Any) -> Computed:
    works = Works(CALENDAR, [{"code": "A", "currency": "EUR"}], ACCOUNTS, MEMBERS, lines, dimensions=("route",),
                  reserve="")  # fmt: skip
    statement = statement_from({"statement": "t", **body}, spine_from(SPINE), span_from(SPAN))
    view = book_of(works).within(fence)
    return run_statement(statement, view, view.frame.calendar.period(at), "A")


def test_thresholds_are_read_as_people_write_them():
    hundred = Fraction(100)
    for text, value, compared, more in [
        ("100", 100, 0, False), ("100", -101, 0, True), ("5 %", 5, hundred, False), ("5%", -6, -hundred, True),
        ("100 and 5 %", 101, 10_000, False), ("100 and 5 %", 501, 10_000, True), ("100 or 5%", 101, 10_000, True),
        ("100 or 5%", 6, hundred, True), ("100 or 5%", 4, hundred, False), ("1 000 and 5 %", 999, 1, False),
        ("5 %", 1, 0, True), ("100 and 5 %", 50, 0, False), ("never", 10**9, 0, False), ("0", 1, 0, True),
    ]:  # fmt: skip
        assert read_threshold(text).exceeded(Fraction(value), Fraction(compared)) is more, (text, value)
    for wrong in ("", "much", "5 % and 6 %", "1 and 2", "-5", "-1 %", "1 and 2 % and 3", "1 but 2 %", "5 %%", "٥"):
        with pytest.raises(RulkaError, match="is no threshold"):
            read_threshold(wrong)


def test_a_line_goes_before_its_type_and_that_before_the_statement():
    lines = [
        booked("40", 6, "-100"), booked("40", 6, "-150", plan=True), booked("50", 6, "130"),
        booked("50", 6, "100", plan=True), booked("52", 6, "15"),
    ]  # fmt: skip
    asked = {"beyond": "40", "types": {"expense": "20"}, "columns": ["gap"]}
    computed = computed_of(lines, explain=asked)
    found = {one.row.label: one for one in variances(computed)}
    assert {name: (one.by, one.value, one.exceeds) for name, one in found.items()} == {
        "Fares": ("statement", -50, True), "Fuel": ("type", 30, True), "Upkeep": ("line", 15, True),
    }  # fmt: skip
    assert found["Upkeep"].percent is None and found["Fuel"].percent == Fraction(3, 10)
    assert [one.row.label for one in by_size(exceeding(computed))] == ["Fares", "Fuel", "Upkeep"]
    # only what is named is judged; without names all differences of money are
    assert {one.column.key for one in variances(computed_of(lines, explain={"beyond": "40"}))} == {"gap", "month-gap"}
    # a statement that asks for nothing has nothing to explain but what a line asks for
    assert [one.row.label for one in exceeding(computed_of(lines))] == ["Upkeep", "Upkeep"]


def test_what_one_line_misses_may_stand_in_another():
    lines = [booked("50", 6, "40"), booked("50", 6, "100", plan=True), booked("52", 6, "62")]
    computed = computed_of([*lines, booked("40", 6, "-61")])
    found = [one for one in variances(computed) if one.column.key == "gap"]
    fares, fuel, upkeep = found
    assert opposite_of(computed, fuel, found) is upkeep and opposite_of(computed, upkeep, found) is fuel
    # fares are as much, but of another kind: what costs miss doesn't stand there
    assert fares.value == 61 and opposite_of(computed, fares, found) is None
    assert opposite_of(computed, fuel, [fuel]) is None


# drivers ------------------------------------------------------------------------------------------------------------

AMOUNTS = st.lists(st.integers(-50, 50), min_size=0, max_size=12)


@given(AMOUNTS)
def test_the_taken_parts_leave_no_fifth_of_either_side(amounts):
    parts = [SplitPart(str(at), "", Fraction(value)) for at, value in enumerate(amounts) if value]
    whole = sum((part.value for part in parts), Fraction(0))
    few = taken(parts, whole)
    size = abs(whole) or sum(abs(part.value) for part in parts)
    left = [part for part in parts if part not in few]
    for sign in (1, -1):
        side = [part.value for part in left if part.value * sign > 0]
        assert sum(map(abs, side)) <= size * (1 - ENOUGH)
        if side:  # the largest are taken first
            smallest = min((abs(part.value) for part in few if part.value * sign > 0), default=None)
            assert smallest is None or smallest >= max(map(abs, side))
    assert [abs(part.value) for part in few] == sorted((abs(part.value) for part in few), reverse=True)


FENCES = [Fence(), Fence.of(members={"department": "d"}), Fence.of(sealed=SEALED), Fence.of(entities="A")]


@settings(max_examples=several(120), deadline=None)
@given(st.data(), ledgers(), spines(), spans())
def test_drivers_with_the_rest_are_the_figure(data, works, spine, span):
    computed = run(data, works, spine, span, data.draw(st.sampled_from(FENCES)))
    if computed is None:
        return
    for row, column in figures(computed):
        opened = open_figure(computed, row, column)
        if opened.pools is None:
            continue
        found = drivers_of(opened)
        assert found.agrees and found.variance == opened.value and found.others >= 0
        for driver in found.drivers:
            assert not driver.parts or sum(part.value for part in driver.parts) == driver.value
            assert driver.value == sum(driver.sides)
        timed = timing_of(opened)
        sides = sides_of(computed, column)
        if timed.months and sides:
            inside = [month for month in timed.months if month.inside]
            for side, name in zip(sides, ("shown", "compared"), strict=True):
                shown = computed.row(row).values[computed.place(side.key)]
                assert sum(getattr(month, name) for month in inside) == shown, (row, column, name)


def test_one_account_of_much_is_told_further_and_what_works_against_shows():
    lines = [
        *(booked("50", 6, amount, route) for amount, route in (("100", "x"), ("60", "y"), ("5", "z"))),
        booked("51", 6, "-50", "x"), booked("52", 6, "1"),
    ]  # fmt: skip
    found = drivers_of(open_figure(computed_of(lines), "costs.total", "gap"))
    assert (found.by, found.variance, found.rest, found.count) == ("account", 116, 1, 3)
    assert [(driver.code, driver.value, driver.works_against) for driver in found.drivers] == [
        ("50", 165, False), ("51", -50, True),
    ]  # fmt: skip
    assert [(part.by, part.code, part.value) for part in found.drivers[0].parts] == [
        ("route", "x", 100), ("route", "y", 60), ("route", "", 5),
    ]  # fmt: skip
    by_route = drivers_of(open_figure(computed_of(lines), "costs.total", "gap"), "route")
    assert [(driver.code, driver.value) for driver in by_route.drivers] == [("y", 60), ("x", 51)]
    assert by_route.rest == 5


# price and volume ---------------------------------------------------------------------------------------------------

SIDE = st.dictionaries(st.integers(-1, 4), st.fractions(-1000, 1000, max_denominator=100), max_size=6)


@given(SIDE, SIDE, SIDE, SIDE)
def test_price_volume_mix_and_the_unmeasured_are_the_variance(shown, compared, counted, planned):
    value = sum(shown.values(), Fraction(0)) - sum(compared.values(), Fraction(0))
    found = parted(value, "Trips", "route", (shown, compared), (counted, planned), {})
    measured = {place for side in (counted, planned) for place, quantity in side.items() if quantity}
    if not sum((planned.get(place, 0) for place in measured), Fraction(0)):
        assert found.why and not found.agrees  # nothing is judged where there is no volume to compare with
        return
    assert found.agrees
    apart = sum((shown.get(p, Fraction(0)) - compared.get(p, Fraction(0)) for p in {*shown, *compared} - measured),
                Fraction(0))  # fmt: skip
    assert found.unmeasured == apart
    if len(measured) == 1:
        assert found.mix == 0


def test_price_and_volume_by_hand():
    """x: 4 trips of 30 for 5 of 20; y: 3 of 10 for 2 of 10; a cost without trips."""
    lines = [
        booked("50", 6, "120", "x"), booked("50", 6, "30", "y"), booked("51", 6, "7", "z"),
        booked("90", 6, "4", "x"), booked("90", 6, "3", "y"),
        booked("50", 6, "100", "x", plan=True), booked("50", 6, "20", "y", plan=True),
        booked("90", 6, "5", "x", plan=True), booked("90", 6, "2", "y", plan=True),
    ]  # fmt: skip
    found = price_volume(open_figure(computed_of(lines), "fuel", "gap"))
    assert found is not None and found.agrees and found.by == "route" and found.unit == "Trips"
    mean = Fraction(120, 7)
    assert found.price == (30 - 20) * 4 + 0
    assert found.volume == 0
    assert found.mix == 20 * 4 + 10 * 3 - 7 * mean
    assert found.unmeasured == 7
    assert found.total is not None and found.total.price == Fraction(150, 7) and found.total.compared_price == mean
    # nothing counted in the plan: it says so, and claims nothing
    bare = [line for line in lines if not (line.account == "90" and line.scenario == "budget")]
    none = price_volume(open_figure(computed_of(bare), "fuel", "gap"))
    assert none is not None and "no trips" in none.why and not none.agrees
    # a line that counts nothing, and a column that compares nothing
    assert price_volume(open_figure(computed_of(lines), "upkeep", "gap")) is None
    assert price_volume(open_figure(computed_of(lines), "fuel", "actual")) is None


# timing -------------------------------------------------------------------------------------------------------------


def test_a_cost_that_came_in_another_month_than_planned_is_a_matter_of_time():
    lines = [booked("50", month, "10") for month in range(1, 7)]
    lines += [booked("50", month, "10", plan=True) for month in range(1, 13)]
    lines += [booked("52", 6, "360"), booked("52", 3, "350", plan=True)]
    computed = computed_of(lines)
    (hint,) = timing_of(open_figure(computed, "upkeep", "month-gap")).hints
    assert (hint.kind, hint.account, hint.value, hint.period, hint.other) == ("elsewhere", "52", 360, "2026-P03", 350)
    # over the year so far both months stand inside: nothing is a matter of time then
    assert not timing_of(open_figure(computed, "upkeep", "gap")).hints
    # planned for a month to come
    later = [line for line in lines if line.scenario == "actual" or line.account == "50"]
    (ahead,) = timing_of(
        open_figure(computed_of([*later, booked("52", 9, "355", plan=True)]), "upkeep", "month-gap")
    ).hints
    assert (ahead.kind, ahead.period, ahead.other) == ("ahead", "2026-P09", 355)
    # not planned at all, but the year before had it
    (before,) = timing_of(
        open_figure(computed_of([*later, booked("52", 6, "340", year=2025)]), "upkeep", "month-gap")
    ).hints
    assert (before.kind, before.period, before.other) == ("last year", "2025-P06", 340)
    # what is spent each month as planned is no hint, nor is a difference that stands nowhere else
    assert not timing_of(open_figure(computed_of(later), "upkeep", "month-gap")).hints


def test_the_turn_is_the_step_between_periods_before_and_after():
    def months(*parts: float) -> tuple[TimedMonth, ...]:
        return tuple(
            TimedMonth(f"2026-P{at:02d}", "", "", Fraction(part).limit_denominator(100), Fraction(1), True)
            for at, part in enumerate(parts, 1)
        )

    assert turn_of(months(1, 0.98, 1.12, 1.13, 1.11)) == ("2026-P03", True)
    assert turn_of(months(1, 1.02, 0.9, 0.8)) == ("2026-P03", False)
    assert turn_of(months(1, 1.1, 1, 1.1, 1)) == ("", False)
    assert turn_of(months(1, 1, 1, 1.2)) == ("", False)  # one period alone is no turn


# what is said -------------------------------------------------------------------------------------------------------


def test_an_item_opens_again_with_another_figure_and_closes_with_its_line():
    lines = [booked("50", 6, "130"), booked("50", 6, "100", plan=True), booked("52", 6, "15")]
    asked = {"beyond": "20", "columns": ["gap"]}
    computed = computed_of(lines, explain=asked)
    fuel, upkeep = ("fuel", "gap"), ("upkeep", "gap")
    items = items_of(computed, {})
    assert [(item.number, item.key, item.state) for item in items] == [(1, fuel, "open"), (2, upkeep, "open")]
    said = {
        fuel: SaidBefore("accepted", Fraction(30)),
        upkeep: SaidBefore("explained", Fraction(12)),
        ("gone", "gap"): SaidBefore("explained", Fraction(1), "Hull", "gap"),
        ("fuel", "gone"): SaidBefore("explained", Fraction(1), "Fuel", "old"),
        ("fares", "gap"): SaidBefore("explained", Fraction(90), "Fares", "gap"),
    }
    items = {item.key: item for item in items_of(computed, said)}
    assert items[fuel].state == "accepted" and items[fuel].former is None
    assert (items[upkeep].state, items[upkeep].former, items[upkeep].value) == ("open", 12, 15)
    assert (items[("gone", "gap")].state, items[("gone", "gap")].why) == ("closed", "Its line is gone.")
    assert items[("fuel", "gone")].why == "Its column is gone."
    assert "no longer more" in items[("fares", "gap")].why
    assert [item.key for item in unexplained(list(items.values()))] == [upkeep]
    # what was sent back stays so while its figure moves, and tells the former one
    back = items_of(computed, {fuel: SaidBefore("sent back", Fraction(29))})[0]
    assert (back.state, back.former) == ("sent back", 29)


def test_owners_are_proposed_by_line_then_node_then_by_who_did_it_last():
    lines = [booked("50", 6, "130"), booked("52", 6, "15")]
    computed = computed_of(lines, explain={"beyond": "1", "owners": {"A": "node-owner"}})
    fuel = exceeding(computed)[0]
    assert proposed_owners(computed, fuel, "last") == ["node-owner", "last"]
    assert proposed_owners(computed_of(lines, explain={"beyond": "1"}), fuel) == []
