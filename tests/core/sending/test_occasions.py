"""When something goes by itself, against days counted one by one."""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from itertools import islice
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rulka.core.errors import RulkaError
from rulka.core.sending.occasions import (
    HOW,
    WEEKDAYS,
    WorkDays,
    days_of,
    due,
    due_by_clock,
    load_is_large,
    moment_after_close,
    next_moment,
    rule_from,
)

HELSINKI = ZoneInfo("Europe/Helsinki")
HOLIDAYS = frozenset({date(2026, 12, 24), date(2026, 12, 25), date(2027, 1, 1), date(2027, 1, 6), date(2027, 3, 26),
                      date(2027, 3, 29)})  # fmt: skip
WORK = WorkDays(HELSINKI, HOLIDAYS)
DAYS = st.dates(date(2026, 1, 1), date(2027, 12, 31))


def local(*parts):
    return datetime(*parts, tzinfo=HELSINKI).astimezone(UTC)


def first_days(text, first, count=3, work=WORK):
    return list(islice(days_of(rule_from(text), work, first), count))


# words --------------------------------------------------------------------------------------------------------------


def test_every_kind_reads_as_it_is_written():
    for text in HOW:
        assert rule_from(text).text == text
    assert rule_from("  Each  WEEK on Friday at 7:05 ").text == "each week on friday at 07:05"
    assert rule_from("1 working day after close at 08:00").text == "1 working day after close at 08:00"


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("sometime", "says no occasion"),
        ("", "says no occasion"),
        ("each month on day 32 at 08:00", "Write 1 to 31"),
        ("each month on day 0 at 08:00", "Write 1 to 31"),
        ("each month on working day 16 at 08:00", "Write 1 to 15"),
        ("0 working days after close at 08:00", "Write 1 to 15"),
        ("each week on mondey at 08:00", "monday"),
        ("each week on monday at 24:00", "no time 24:00"),
        ("each week on monday at 08:60", "no time 8:60"),
        ("once 2026-02-29 at 08:00", "no day 2026-02-29"),
        ("each week on monday at ٠٨:00", "says no occasion"),
        ("when a load changes more than -5", "says no occasion"),
        ("x" * 5_000, "says no occasion"),
    ],
)
def test_what_says_no_occasion_is_told_how_to_write_it(text, told):
    with pytest.raises(RulkaError, match=told):
        rule_from(text)


# days ---------------------------------------------------------------------------------------------------------------


@given(DAYS, st.integers(0, 15))
def test_working_days_are_counted_one_by_one(day, count):
    found = WORK.after(day, count)
    between = [day + timedelta(days=n) for n in range(1, (found - day).days + 1)]
    assert WORK.works(found)
    if count:
        assert sum(WORK.works(one) for one in between) == count
    else:
        assert not any(WORK.works(day + timedelta(days=n)) for n in range((found - day).days))


@given(DAYS, st.integers(1, 15))
def test_the_working_day_of_a_month(day, number):
    every = [date(day.year, day.month, n) for n in range(1, 32) if _is_day(day.year, day.month, n)]
    working = [one for one in every if one.weekday() < 5 and one not in HOLIDAYS]
    found = WORK.of_month(day.year, day.month, number)
    assert found == (working[number - 1] if len(working) >= number else None)


def _is_day(year, month, day):
    try:
        date(year, month, day)
    except ValueError:
        return False
    return True


def test_a_day_that_a_month_has_not_and_one_without_work():
    # the 31st: Saturday, 31 October, goes on Monday; November ends on the 30th; 31 December is a Thursday
    assert first_days("each month on day 31 at 08:00", date(2026, 10, 1)) == [
        date(2026, 11, 2), date(2026, 11, 30), date(2026, 12, 31)
    ]  # fmt: skip
    assert first_days("each month on day 30 at 08:00", date(2027, 2, 2), 1) == [date(2027, 3, 1)], "28 Feb is a Sunday"
    # Christmas: the 25th is a Friday, a holiday; 1 January too
    assert first_days("each month on day 25 at 08:00", date(2026, 12, 1), 1) == [date(2026, 12, 28)]
    assert first_days("each month on day 1 at 08:00", date(2027, 1, 1), 1) == [date(2027, 1, 4)]
    assert first_days("each month on working day 3 at 08:00", date(2027, 1, 1), 2) == [
        date(2027, 1, 7), date(2027, 2, 3)
    ]  # fmt: skip
    # Friday, 26 March 2027 and the Monday after it are holidays
    assert first_days("each week on friday at 08:00", date(2027, 3, 20), 2) == [date(2027, 3, 30), date(2027, 4, 2)]


@given(st.sampled_from(["each week on monday at 08:00", "each month on day 31 at 08:00", "each month on day 5 at 08:00",
                        "each month on working day 3 at 08:00"]), DAYS)  # fmt: skip
def test_days_come_in_order_once_and_only_on_days_with_work(text, first):
    days = first_days(text, first, 8)
    assert days == sorted(set(days)) and all(WORK.works(day) and day >= first for day in days)
    # whoever looks from a later day sees the same days
    assert first_days(text, days[2], 6) == days[2:]


def test_once_comes_once():
    rule = rule_from("once 2026-11-06 at 08:00")
    assert next_moment(rule, WORK, local(2026, 11, 6, 7, 59)) == local(2026, 11, 6, 8, 0)
    assert next_moment(rule, WORK, local(2026, 11, 6, 8, 0)) is None


def test_a_holiday_run_of_weeks_and_one_without_end():
    long = WorkDays(HELSINKI, frozenset(date(2026, 7, 1) + timedelta(days=n) for n in range(31)))
    assert first_days("each week on monday at 08:00", date(2026, 7, 1), 2, long) == [
        date(2026, 8, 3), date(2026, 8, 10)
    ]  # fmt: skip


# clocks -------------------------------------------------------------------------------------------------------------


def test_the_hour_that_a_clock_skips_or_repeats():
    skipped, repeated = date(2026, 3, 29), date(2026, 10, 25)  # both Sundays: at 3 it is 4, at 4 it is 3 again
    assert WORK.moment(skipped, time(3, 30)) == datetime(2026, 3, 29, 1, 30, tzinfo=UTC)  # shown as 4:30
    assert WORK.moment(skipped, time(3, 30)).astimezone(HELSINKI).time() == time(4, 30)
    assert WORK.moment(repeated, time(3, 30)) == datetime(2026, 10, 25, 0, 30, tzinfo=UTC)  # the first of two
    once = rule_from("once 2026-10-25 at 03:30")
    first = next_moment(once, WORK, local(2026, 10, 24, 0, 0))
    assert first == datetime(2026, 10, 25, 0, 30, tzinfo=UTC)
    assert next_moment(once, WORK, first) is None, "it does not come in the second of the two hours"
    weekly = rule_from("each week on monday at 08:00")
    before = next_moment(weekly, WORK, local(2026, 10, 18, 12, 0))
    after = next_moment(weekly, WORK, before)
    assert after - before == timedelta(days=7, hours=1), "the clock on the wall counts, not the hours between"


@given(DAYS, st.times().map(lambda one: one.replace(second=0, microsecond=0)), st.sampled_from(WEEKDAYS))
def test_the_next_moment_is_the_first_one_after(day, clock, weekday):
    rule = rule_from(f"each week on {weekday} at {clock:%H:%M}")
    after = WORK.moment(day, time(12, 0))
    found = next_moment(rule, WORK, after)
    assert found > after
    every = [WORK.moment(one, clock) for one in first_days(rule.text, day - timedelta(days=20), 8)]
    assert found == min(moment for moment in every if moment > after)


def test_after_the_close_never_before_it():
    rule = rule_from("3 working days after close at 08:00")
    assert moment_after_close(rule, WORK, local(2026, 12, 23, 18, 0)) == local(2026, 12, 30, 8, 0)
    assert moment_after_close(rule, WORK, local(2026, 11, 6, 23, 59)) == local(2026, 11, 11, 8, 0)
    # late in the evening where the ledger is it may be the next day elsewhere: its own day counts
    assert WORK.today(datetime(2026, 11, 6, 22, 30, tzinfo=UTC)) == date(2026, 11, 7)
    for days in range(1, 16):
        one = rule_from(f"{days} working days after close at 00:00")
        assert moment_after_close(one, WORK, local(2026, 11, 6, 12, 0)) > local(2026, 11, 6, 12, 0)


# after a while without anybody --------------------------------------------------------------------------------------


def test_one_missed_goes_late_and_says_so_several_wait():
    rule = rule_from("each week on monday at 08:00")
    since, monday = local(2026, 11, 1, 0, 0), local(2026, 11, 2, 8, 0)
    assert due_by_clock(rule, WORK, since, monday - timedelta(minutes=1)) == due([], monday)
    found = due_by_clock(rule, WORK, since, monday + timedelta(minutes=2))
    assert (found.goes, found.late, found.waits) == (monday, False, ())
    found = due_by_clock(rule, WORK, since, monday + timedelta(days=3))
    assert (found.goes, found.late) == (monday, True)
    found = due_by_clock(rule, WORK, since, monday + timedelta(days=7))
    assert found.goes is None and found.waits == (monday, local(2026, 11, 9, 8, 0))
    assert due_by_clock(rule, WORK, monday, monday + timedelta(days=3)) == due([], monday), "it went already"
    years = due_by_clock(rule, WORK, since, local(2099, 1, 1, 0, 0))
    assert len(years.waits) == 100


def test_a_large_load_is_larger_than_the_rule_says():
    rule = rule_from("when a load changes more than 10000.50")
    assert not load_is_large(rule, Decimal("10000.50")) and load_is_large(rule, Decimal("-10000.51"))
    assert load_is_large(rule, Decimal(10_001)) and not load_is_large(rule, Decimal(10_000))
