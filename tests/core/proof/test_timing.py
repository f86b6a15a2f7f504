"""When a variance came: both sides month by month, and hints that it is a matter of time."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from fractions import Fraction

import pytest

from rulka.core.proof.splits import open_figure
from rulka.core.proof.timing import Hint, TimedMonth, Timing, _alike, _usual, timing_of, turn_of
from tests.books import Line
from tests.core.proof.small import small

COLUMNS = [
    {"column": "now"},
    {"column": "plan", "scenario": "budget"},
    {"column": "gap", "difference": ["now", "plan"]},
    {"column": "year-now", "window": "year to date"},
    {"column": "year-plan", "window": "year to date", "scenario": "budget"},
    {"column": "year-gap", "difference": ["year-now", "year-plan"]},
    {"column": "prior", "shift": "-1 year"},
    {"column": "on-prior", "difference": ["now", "prior"]},
    {"column": "former", "shift": "-1 period"},
    {"column": "on-former", "difference": ["now", "former"]},
    {"column": "stands", "measure": "closing"},
    {"column": "stood", "measure": "opening"},
    {"column": "moved", "difference": ["stands", "stood"]},
]


def timed(column, *booked, line="50", period="2026-P03"):
    """Of (account, scenario, year, month, amount), costs positive."""
    lines = []
    for account, scenario, year, month, amount in booked:
        day = date(year, month, 5)
        period_of = f"{year}-P{month:02d}"
        lines.append(Line("A", account, Decimal(amount), day, scenario=scenario, period=period_of))
        if scenario == "actual":
            lines.append(Line("A", "10", -Decimal(amount), day, period=period_of))
    computed = small(lines, [{"line": "Costs", "accounts": line, "sign": "as booked"}], COLUMNS, period)
    return timing_of(open_figure(computed, "costs", column))


def months(*rows):
    names = ("January", "February", "March", "April")
    return tuple(
        TimedMonth(f"2026-P{number:02d}", f"{names[number - 1]} 2026", names[number - 1][:3], Fraction(shown),
                   Fraction(compared), inside)
        for number, shown, compared, inside in rows
    )  # fmt: skip


ACTUAL = [("50", "actual", 2026, 1, 10), ("50", "actual", 2026, 2, 12), ("50", "actual", 2026, 3, 30)]
PLAN = [("50", "budget", 2026, month, amount) for month, amount in ((1, 10), (2, 11), (3, 9), (4, 8))]


def test_a_months_variance_shows_the_months_of_its_year_so_far():
    found = timed("gap", *ACTUAL, *PLAN)
    assert found.months == months((1, 10, 10, False), (2, 12, 11, False), (3, 30, 9, True))
    assert [month.difference for month in found.months] == [0, 1, 21]
    assert found.turn == ""


def test_of_several_months_all_lie_inside():
    found = timed("year-gap", *ACTUAL, *PLAN)
    assert found.months == months((1, 10, 10, True), (2, 12, 11, True), (3, 30, 9, True))


def test_the_compared_side_stands_in_the_month_it_is_compared_with():
    found = timed("on-former", *ACTUAL)
    assert found.months == months((1, 10, 0, False), (2, 12, 10, False), (3, 30, 12, True))
    prior = timed("on-prior", *ACTUAL, ("50", "actual", 2025, 3, 7), ("50", "actual", 2025, 1, 4))
    assert prior.months == months((1, 10, 4, False), (2, 12, 0, False), (3, 30, 7, True))


def test_what_stands_or_is_no_difference_has_no_months():
    assert timed("moved", *ACTUAL, line="10") == Timing()
    assert timed("now", *ACTUAL) == Timing()


def test_the_month_that_has_it_the_other_way_round_is_named():
    """It was planned for May and came in March."""
    usual = [("50", "actual", 2026, month, 5) for month in (1, 2)] + [
        ("50", "budget", 2026, month, 5) for month in range(1, 7)
    ]
    found = timed("gap", *usual, ("50", "actual", 2026, 3, 105), ("50", "budget", 2026, 5, 100))
    (hint,) = found.hints
    assert hint == Hint("ahead", "50", "50", Fraction(100), "2026-P05", "May 2026", Fraction(105))


def test_the_month_in_which_it_came_instead_is_named():
    """Planned for March, booked in January."""
    usual = [("50", scenario, 2026, month, 5) for scenario in ("actual", "budget") for month in (1, 2, 3)]
    found = timed("gap", *usual, ("50", "budget", 2026, 3, 100), ("50", "actual", 2026, 1, 100))
    (hint,) = found.hints
    assert hint == Hint("elsewhere", "50", "50", Fraction(-100), "2026-P01", "January 2026", Fraction(5))


def test_what_last_year_had_too_is_named():
    found = timed("gap", ("50", "actual", 2026, 3, 100), ("50", "budget", 2026, 3, 10), ("50", "actual", 2025, 3, 95))
    (hint,) = found.hints
    assert hint == Hint("last year", "50", "50", Fraction(90), "2025-P03", "March 2025", Fraction(95))


def test_an_account_that_makes_little_of_it_is_no_hint():
    small_one = [("51", "actual", 2026, 3, 10), ("51", "budget", 2026, 1, 10)]
    found = timed("gap", *small_one, ("50", "actual", 2026, 3, 100), line="50, 51")
    assert [hint.account for hint in found.hints if hint.account == "51"] == []


@pytest.mark.parametrize(
    ("one", "other", "same"),
    [(100, 100, True), (100, 85, True), (85, 100, True), (100, 84, False), (100, -100, False), (0, 0, False),
     (0, 5, False), (-100, -90, True)],
)  # fmt: skip
def test_amounts_that_differ_by_little_are_the_same_thing(one, other, same):
    assert _alike(Fraction(one), Fraction(other)) is same


def test_the_usual_size_is_the_middle_one():
    assert _usual([Fraction(value) for value in (-9, 1, 4)]) == 4
    assert _usual([Fraction(value) for value in (-9, 1, 4, 2)]) == 4
    assert _usual([]) == 0


# turns --------------------------------------------------------------------------------------------------------------


def turn(*pairs):
    return turn_of([
        TimedMonth(f"2026-P{at:02d}", "", "", Fraction(str(shown)), Fraction(str(compared)), True)
        for at, (shown, compared) in enumerate(pairs, 1)
    ])  # fmt: skip


def test_a_turn_is_a_step_of_the_parts_not_of_the_amounts():
    steady = [(10, 20), (20, 40)]
    assert turn(*steady, (30, 40), (60, 80)) == ("2026-P03", True)
    assert turn(*steady, (4, 40), (8, 80)) == ("2026-P03", False)
    assert turn(*steady, (200, 400), (400, 800)) == ("", False)


def test_the_least_step_is_one_and_of_steps_alike_the_last():
    assert turn((100, 100), (100, 100), (104, 100), (104, 100)) == ("2026-P03", True)
    assert turn((100, 100), (100, 100), ("103.9", 100), (104, 100)) == ("", False)
    assert turn((100, 100), (100, 100), (104, 100), (108, 100), (108, 100)) == ("2026-P04", True)


def test_there_is_no_turn_where_a_side_is_nothing_or_against_the_other():
    ends = [(200, 100), (200, 100)]
    for odd in ((100, 0), (0, 100), (-100, 100), (0, 0)):
        assert turn(odd, (100, 100), *ends) == ("", False), odd


# what is read -------------------------------------------------------------------------------------------------------


def test_debits_and_credits_are_timed_by_themselves():
    """Fifty and three came in, four went out; the month before ten came in."""
    day, before = date(2026, 3, 5), date(2026, 2, 5)
    lines = [Line("A", "50", Decimal(amount), at) for at, amount in ((day, 50), (day, 3), (day, -4), (before, 10))]
    lines += [Line("A", "50", Decimal(-1), date(2026, 1, 5), {"department": "d"})]
    columns = []
    for measure in ("debits", "credits"):
        columns += [{"column": measure, "measure": measure},
                    {"column": f"{measure}-before", "measure": measure, "shift": "-1 period"},
                    {"column": f"{measure}-gap", "difference": [measure, f"{measure}-before"]}]  # fmt: skip
    whole = small(lines, [{"line": "Costs", "accounts": "50", "sign": "as booked"}], columns, "2026-P03")
    found = {key: timing_of(open_figure(whole, "costs", f"{key}-gap")).months for key in ("debits", "credits")}
    assert found == {
        "debits": months((1, 0, 0, False), (2, 10, 0, False), (3, 53, 10, True)),
        "credits": months((1, 1, 0, False), (2, 0, 1, False), (3, 4, 0, True)),
    }


def totalled(*inner, columns=COLUMNS, column="gap"):
    lines = [Line("A", "50", Decimal(9), date(2026, 3, 5), {"department": department}) for department in "de"]
    spine = [{"section": "All", "total": "Sum", "lines": [{"sign": "as booked", **line} for line in inner]}]
    return timing_of(open_figure(small(lines, spine, columns, "2026-P03"), "all.total", column))


def test_lines_of_one_account_are_added_up():
    found = totalled({"line": "D", "accounts": "50; department: d"}, {"line": "E", "accounts": "50; department: e"})
    assert found.months == months((1, 0, 0, False), (2, 0, 0, False), (3, 18, 0, True))


def test_lines_of_different_times_have_no_months():
    assert (
        totalled({"line": "D", "accounts": "50"}, {"line": "Y", "accounts": "50", "window": "year to date"}) == Timing()
    )


def test_a_way_into_a_part_has_no_months():
    lines = [Line("A", "50", Decimal(9), date(2026, 3, 5), {"department": "d"})]
    whole = small(lines, [{"line": "Costs", "accounts": "50"}], COLUMNS, "2026-P03")
    assert timing_of(open_figure(whole, "costs", "gap")).months
    assert timing_of(open_figure(whole, "costs", "gap", [("department", "d")])) == Timing()


def test_adjusting_periods_show_where_anything_was_booked_in_them():
    works = {"calendar": {"first_month": 1, "year_label": "start", "first_year": 2025, "last_year": 2027,
                          "adjusting_periods": 2}}  # fmt: skip
    spine = [{"line": "Costs", "accounts": "50", "sign": "as booked"}]
    columns = [{"column": "now", "window": "year"}, {"column": "plan", "scenario": "budget", "window": "year"},
               {"column": "gap", "difference": ["now", "plan"]}]  # fmt: skip

    def shorts(*booked):
        lines = [Line("A", "50", Decimal(amount), date(2025, 12, 31), period=period, scenario=scenario)
                 for period, scenario, amount in booked]  # fmt: skip
        found = timing_of(open_figure(small(lines, spine, columns, "2025-P12", works=works), "costs", "gap")).months
        return [(month.short, month.shown, month.compared) for month in found][11:]

    last = ("2025-P12", "actual", 5)
    assert shorts(last) == [("Dec", 5, 0)]
    assert shorts(last, ("2025-P13", "actual", 7)) == [("Dec", 5, 0), ("P13", 7, 0)]
    assert shorts(last, ("2025-P14", "budget", 7)) == [("Dec", 5, 0), ("P14", 0, 7)]
    assert shorts(last, ("2025-P14", "actual", 7), ("2025-P14", "budget", 2)) == [("Dec", 5, 0), ("P14", 7, 2)]


# hints --------------------------------------------------------------------------------------------------------------


def even(year, until, amount=5, scenarios=("actual", "budget"), account="50"):
    """The same each month on both sides."""
    return [(account, scenario, year, month, amount) for scenario in scenarios for month in range(1, until + 1)]


def hinted(*booked, column="gap", period="2026-P03", line="50"):
    return [(hint.kind, hint.account, hint.value, hint.period, hint.other) for hint in
            timed(column, *booked, period=period, line=line).hints]  # fmt: skip


@pytest.mark.parametrize(
    ("where", "named"),
    [((2026, 2), True), ((2026, 1), True), ((2025, 3), True), ((2025, 2), False)],
)
def test_a_year_around_is_looked_at(where, named):
    """What March lacks was booked there; further away nobody looks."""
    year, month = where
    late = [("50", "budget", 2026, 3, 100), ("50", "actual", year, month, 100)]
    found = [hint for hint in hinted(*even(2025, 12), *even(2026, 3), *late) if hint[0] != "last year"]
    assert found == ([("elsewhere", "50", -100, f"{year}-P{month:02d}", 5)] if named else [])


def test_the_nearest_month_is_named_and_before_what_came_after():
    both = [("50", "actual", 2026, 1, 100), ("50", "actual", 2026, 4, 100), ("50", "budget", 2026, 3, 100)]
    assert [hint[3] for hint in hinted(*even(2026, 6), *both)] == ["2026-P04"]
    alike = [("50", "actual", 2026, 2, 100), ("50", "actual", 2026, 4, 100), ("50", "budget", 2026, 3, 100)]
    assert [hint[3] for hint in hinted(*even(2026, 6), *alike)] == ["2026-P02"]


def test_the_first_period_of_the_calendar_is_looked_at():
    late = [("50", "budget", 2025, 3, 100), ("50", "actual", 2025, 1, 100)]
    assert [hint[3] for hint in hinted(*even(2025, 6), *late, period="2025-P03")] == ["2025-P01"]


@pytest.mark.parametrize(("usual", "named"), [(30, True), (35, False), (34, False), (33, True), ("33.34", False)])
def test_only_what_stands_out_of_the_months_around_is_one(usual, named):
    """Each other month is apart by so much; the one that has it by more than three times that."""
    around = [("50", "actual", 2026, month, usual) for month in range(4, 13)]
    around += [("50", "budget", 2025, month, usual) for month in range(3, 13)]
    found = hinted(*around, ("50", "budget", 2026, 3, 100), ("50", "actual", 2026, 2, 100))
    assert bool(found) is named


def test_months_to_come_are_held_against_their_plan():
    """Booked until March; April's plan has what came early, and stands out of the plan."""
    plan = [("50", "budget", 2026, month, 5) for month in range(1, 9)]
    booked = [("50", "actual", 2026, month, 5) for month in (1, 2)]
    early = ("50", "actual", 2026, 3, 105)
    assert hinted(*plan, *booked, early, ("50", "budget", 2026, 4, 95)) == [("ahead", "50", 100, "2026-P04", 100)]
    # the last month that was booked is none to come
    assert hinted(*plan, *booked, early, ("50", "budget", 2026, 2, 100))[0][0] == "elsewhere"


@pytest.mark.parametrize(("planned", "named"), [(50, False), (49, True), (40, True), (60, False)])
def test_a_plan_stands_out_where_it_is_more_than_twice_the_window(planned, named):
    booked = [("50", "actual", 2026, 3, 100 + planned), ("50", "budget", 2026, 3, planned)]
    assert bool(hinted(*booked, ("50", "budget", 2026, 5, 100))) is named


def test_the_plan_of_a_window_of_months_is_taken_by_month():
    """Three months planned at 30 each: 61 stands out, 60 doesn't."""
    for ahead, named in ((61, True), (60, False)):
        plan = [("50", "budget", 2026, month, 30) for month in (1, 2, 3)] + [("50", "budget", 2026, 4, ahead)]
        actual = [("50", "actual", 2026, month, 30) for month in (1, 2)] + [("50", "actual", 2026, 3, 90)]
        assert bool(hinted(*plan, *actual, column="year-gap")) is named


@pytest.mark.parametrize(
    ("last", "named"),
    [(100, True), (85, True), (84, False), (-100, False)],
)
def test_last_year_had_it_where_that_is_alike(last, named):
    both = [("50", scenario, 2025, 3, last) for scenario in ("actual", "budget")]
    found = hinted(("50", "actual", 2026, 3, 100), ("50", "budget", 2026, 3, 1), *both)
    assert found == ([("last year", "50", 99, "2025-P03", last)] if named else [])


@pytest.mark.parametrize(("plan", "named"), [(81, False), (80, False), (79, True)])
def test_last_year_explains_a_variance_that_is_more_than_twice_what_it_was_apart(plan, named):
    found = hinted(("50", "actual", 2026, 3, 100), ("50", "budget", 2026, 3, plan), ("50", "actual", 2025, 3, 90))
    assert bool(found) is named


def test_a_month_that_is_compared_with_the_window_itself_is_no_hint():
    """Against the month before: March stood out, and April will be compared with it."""
    rows = [("50", "actual", 2026, month, 5) for month in (1, 2)] + [("50", "actual", 2026, 3, 105)]
    assert hinted(*rows, column="on-former") == []
    assert hinted(*rows, ("50", "actual", 2026, 4, 5), column="on-former") == []
    # February fell out: March is not apart by what January has it
    fell = [("50", "actual", 2026, 1, 5), ("50", "actual", 2026, 2, -95), ("50", "actual", 2026, 3, 5)]
    assert hinted(*fell, column="on-former") == []
    # what came in a month further away is one
    twice = [*rows, ("50", "actual", 2026, 5, 100), ("50", "actual", 2026, 4, 105)]
    assert [hint[:4] for hint in hinted(*twice, ("50", "actual", 2026, 6, 5), column="on-former")] == [
        ("elsewhere", "50", 100, "2026-P06")
    ]  # fmt: skip


def test_last_year_is_no_matter_where_it_is_what_is_compared_or_before_the_calendar():
    rows = [("50", "actual", 2026, 3, 100), ("50", "actual", 2025, 3, 95), ("50", "actual", 2026, 2, 1)]
    assert "last year" not in [hint[0] for hint in hinted(*rows, column="on-former")]
    assert hinted(("50", "actual", 2025, 3, 100), ("50", "budget", 2025, 3, 10), period="2025-P03") == []
    first = [("50", "actual", 2026, 1, 100), ("50", "budget", 2026, 1, 10), ("50", "actual", 2025, 1, 95)]
    assert hinted(*first, period="2026-P01") == [("last year", "50", 90, "2025-P01", 95)]


def test_accounts_of_a_quarter_or_more_are_named_the_largest_first():
    booked = []
    for account, amount in (("5", 25), ("50", 30), ("51", 45)):
        booked += [(account, "actual", 2026, 3, amount), (account, "actual", 2025, 3, amount)]
    assert [(hint[1], hint[2]) for hint in hinted(*booked, line="5*")] == [("51", 45), ("50", 30), ("5", 25)]
    fewer = [row if row[0] != "5" else (*row[:4], 24) for row in booked]
    more = [*fewer, ("42", "actual", 2026, 3, 1)]
    assert [hint[1] for hint in hinted(*more, line="5*, 42")] == ["51", "50"]


def test_a_turn_says_which_way_it_went():
    """The price went up in March and stayed."""
    plan = [("50", "budget", 2026, month, 100) for month in range(1, 7)]
    shown = [("50", "actual", 2026, month, amount) for month, amount in enumerate((100, 100, 120, 121, 122), 1)]
    found = timed("year-gap", *plan, *shown, period="2026-P05")
    assert (found.turn, found.is_up) == ("2026-P03", True)
    down = [("50", "actual", 2026, month, amount) for month, amount in enumerate((100, 100, 80, 81, 82), 1)]
    assert timed("year-gap", *plan, *down, period="2026-P05").is_up is False


def test_accounts_of_a_variance_of_nothing_are_named_however_small():
    booked = [("50", "actual", 2026, 3, "0.20"), ("51", "budget", 2026, 3, "0.20"), ("50", "actual", 2025, 3, "0.20")]
    assert [(hint[0], hint[1]) for hint in hinted(*booked, line="50, 51")] == [("last year", "50")]


def test_a_later_month_is_compared_from_the_first_period_on():
    """January against February: what February has stands in January."""
    columns = [
        {"column": "now"},
        {"column": "next", "shift": "+1 period"},
        {"column": "gap", "difference": ["now", "next"]},
    ]
    lines = [Line("A", "50", Decimal(amount), date(2025, month, 5)) for month, amount in ((1, 5), (2, 9), (3, 2))]
    whole = small(lines, [{"line": "Costs", "accounts": "50", "sign": "as booked"}], columns, "2025-P01")
    (month,) = timing_of(open_figure(whole, "costs", "gap")).months
    assert (month.period, month.shown, month.compared) == ("2025-P01", 5, 9)


def test_what_is_the_same_on_both_sides_is_nothing_unusual():
    late = [("50", "budget", 2026, 3, 100), ("50", "actual", 2026, 2, 100)]
    rows = [*even(2025, 12, 40), *even(2026, 8, 40), *late]
    assert [hint[0] for hint in hinted(*rows)] == ["elsewhere"]


def test_the_last_month_that_was_booked_is_one_of_those_around():
    """Nothing else was: what it has is as usual there."""
    rows = [("50", "budget", 2025, 1, 100), ("50", "actual", 2025, 2, 100)]
    assert hinted(*rows, period="2025-P01") == []


def test_three_times_the_usual_is_as_usual():
    around = [("50", "actual", 2026, month, 30) for month in range(4, 13)]
    around += [("50", "budget", 2025, month, 30) for month in range(3, 13)]
    for amount, named in ((90, False), (91, True)):
        rows = [*around, ("50", "budget", 2026, 3, amount), ("50", "actual", 2026, 2, amount)]
        assert bool(hinted(*rows)) is named


def test_small_amounts_are_alike_as_large_ones():
    assert _alike(Fraction(1, 2), Fraction(1, 2)) and not _alike(Fraction(1, 2), Fraction(-1, 2))
