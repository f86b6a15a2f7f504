"""Fiscal calendars, periods and windows."""

from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rulka.core.books.calendar import Period, listed_calendar, monthly_calendar
from rulka.core.definitions.windows import read_window, window_at
from rulka.core.errors import RulkaError

APRIL = monthly_calendar(first_month=4, year_label="end", first_year=2024, last_year=2027)
ADJUSTED = monthly_calendar(first_month=7, year_label="start", first_year=2025, last_year=2026, adjusting_periods=2)


@pytest.mark.parametrize(
    ("calendar", "code", "start", "end"),
    [
        (APRIL, "2027-P01", "2026-04-01", "2026-04-30"),
        (APRIL, "2027-P12", "2027-03-01", "2027-03-31"),
        (APRIL, "2024-P11", "2024-02-01", "2024-02-29"),
        (ADJUSTED, "2025-P01", "2025-07-01", "2025-07-31"),
        (ADJUSTED, "2025-P13", "2026-06-30", "2026-06-30"),
        (ADJUSTED, "2026-P14", "2027-06-30", "2027-06-30"),
        (
            monthly_calendar(first_month=1, year_label="end", first_year=2026, last_year=2026),
            "2026-P01",
            "2026-01-01",
            "2026-01-31",
        ),
    ],
)
def test_monthly_period_has_its_days(calendar, code, start, end):
    period = calendar.period(code)
    assert (period.start.isoformat(), period.end.isoformat()) == (start, end)


@pytest.mark.parametrize(
    ("calendar", "kind", "code", "first", "last", "title"),
    [
        (APRIL, "period", "2027-P07", "2027-P07", "2027-P07", "October 2026"),
        (APRIL, "year to date", "2027-P07", "2027-P01", "2027-P07", "April to October 2026"),
        (APRIL, "year to date", "2027-P11", "2027-P01", "2027-P11", "April 2026 to February 2027"),
        (APRIL, "quarter", "2027-P08", "2027-P07", "2027-P09", "Quarter 3, FY2027"),
        (APRIL, "quarter to date", "2027-P08", "2027-P07", "2027-P08", "October to November 2026"),
        (APRIL, "year", "2027-P02", "2027-P01", "2027-P12", "FY2027"),
        (ADJUSTED, "year", "2025-P01", "2025-P01", "2025-P14", "FY2025"),
        (ADJUSTED, "quarter", "2025-P13", "2025-P10", "2025-P14", "Quarter 4, FY2025"),
        (ADJUSTED, "year to date", "2025-P12", "2025-P01", "2025-P12", "July 2025 to June 2026"),
    ],
)
def test_window_covers_its_periods(calendar, kind, code, first, last, title):
    window = window_at(calendar, read_window(kind), calendar.period(code))
    assert (calendar.periods[window.first].code, calendar.periods[window.last].code, window.title) == (
        first,
        last,
        title,
    )


def test_calendar_month_finds_its_period():
    assert APRIL.period("2026-10").code == "2027-P07"


def test_unknown_period_names_the_bounds_of_the_calendar():
    with pytest.raises(
        RulkaError, match=r"'2028-P01' is not a period .* runs from 2024-P01, April 2023, to 2027-P12, March 2027"
    ):
        APRIL.period("2028-P01")


@pytest.mark.parametrize(
    ("code", "by", "to"),
    [
        ("2027-P07", {"years": -1}, "2026-P07"),
        ("2024-P07", {"years": -1}, None),
        ("2027-P01", {"periods": -1}, "2026-P12"),
        ("2024-P01", {"periods": -1}, None),
    ],
)
def test_shift_moves_or_leaves_the_calendar(code, by, to):
    moved = APRIL.moved(APRIL.period(code), **by)
    assert (moved.code if moved else None) == to


def test_shift_by_periods_steps_over_adjusting_ones():
    assert ADJUSTED.moved(ADJUSTED.period("2026-P01"), periods=-1).code == "2025-P12"


@given(st.integers(1, 12), st.sampled_from(["start", "end"]), st.integers(0, 3), st.integers(0, 364))
def test_every_day_falls_into_exactly_one_ordinary_period(first_month, label, adjusting, offset):
    calendar = monthly_calendar(
        first_month=first_month, year_label=label, first_year=2024, last_year=2026, adjusting_periods=adjusting
    )
    day = calendar.periods[0].start + timedelta(days=offset * 3)
    holding = [p for p in calendar.periods if not p.adjusting and p.start <= day <= p.end]
    assert [calendar.on(day)] == (holding or [None])
    assert len(holding) == (1 if day <= calendar.periods[-1].end else 0)


def thirteen(year: int = 2026) -> list[Period]:
    start = date(2026, 1, 5)
    return [
        Period(year, n, start + timedelta(weeks=4 * (n - 1)), start + timedelta(weeks=4 * n, days=-1))
        for n in range(1, 14)
    ]


def test_thirteen_periods_have_a_long_last_quarter():
    calendar = listed_calendar(thirteen())
    assert [calendar.quarter_of(p) for p in calendar.periods] == [1, 1, 1, 2, 2, 2, 3, 3, 3, 4, 4, 4, 4]


@pytest.mark.parametrize(
    ("broken", "message"),
    [
        (lambda p: p[:4] + p[5:], "leaves a gap after 2026-P04"),
        (lambda p: [*p[:3], Period(2026, 4, p[3].start - timedelta(days=1), p[3].end), *p[4:]], "overlaps 2026-P03"),
        (lambda p: [*p, p[-1]], "2026-P13 is listed twice"),
        (
            lambda p: [*p, Period(2026, 14, date(2028, 1, 1), date(2028, 1, 1), "", True)],
            "2026-P14 lies outside FY2026",
        ),
        (lambda p: [], "lists no period"),
    ],
)
def test_broken_period_list_is_refused(broken, message):
    with pytest.raises(RulkaError, match=message):
        listed_calendar(broken(thirteen()))
