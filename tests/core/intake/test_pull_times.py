"""Schedules in words: what a scheduler makes of their fields is what the words say."""

from __future__ import annotations

from datetime import datetime

import pytest
from croniter import croniter

from rulka.core.errors import RulkaError
from rulka.core.intake.pull_times import PullTimes, read_schedule, schedule_of

FRIDAY = datetime(2026, 10, 30, 7, 2)
CHOSEN = [
    (PullTimes("minutes", minutes=20), "every 20 minutes", datetime(2026, 10, 30, 7, 20)),
    (PullTimes("hour", minutes=5), "each hour, 5 minutes past", datetime(2026, 10, 30, 7, 5)),
    (PullTimes("day", clock="6:30"), "each day at 06:30", datetime(2026, 10, 31, 6, 30)),
    (PullTimes("weekday", clock="06:30"), "each weekday at 06:30", datetime(2026, 11, 2, 6, 30)),
    (PullTimes("week", weekday="sunday", clock="00:00"), "each week on Sunday at 00:00", datetime(2026, 11, 1)),
    (PullTimes("week", weekday="thursday", clock="23:59"), "each week on Thursday at 23:59",
     datetime(2026, 11, 5, 23, 59)),
    (PullTimes("month", day=3, clock="08:00"), "each month on day 3 at 08:00", datetime(2026, 11, 3, 8)),
    (PullTimes("fields", fields="7,37 8-17 * * *"), "at 7,37 8-17 * * *", datetime(2026, 10, 30, 8, 7)),
]  # fmt: skip


@pytest.mark.parametrize(("times", "words", "comes"), CHOSEN)
def test_what_is_chosen_comes_when_its_words_say(times, words, comes):
    stored = schedule_of(times)
    assert croniter(stored, FRIDAY).get_next(datetime) == comes
    assert read_schedule(stored).words == words
    assert schedule_of(read_schedule(stored)) == stored


def test_never_is_nothing():
    assert schedule_of(PullTimes()) == "" and read_schedule(" ").words == "never"


@pytest.mark.parametrize("stored", ["61 * * * *", "*/7 * * * *", "0 24 * * *", "0 8 0 * *", "0 8 1 2 *", "0 8 * * 1,3"])
def test_what_no_words_say_is_shown_as_it_is_written(stored):
    assert read_schedule(stored) == PullTimes("fields", fields=stored)


@pytest.mark.parametrize(
    ("times", "said"),
    [
        (PullTimes("often"), "'often' is no way to say when."),
        (PullTimes("day", clock="24:00"), "'24:00' is no time of the day."),
        (PullTimes("day", clock="8"), "'8' is no time of the day."),
        (PullTimes("week", weekday="noday"), "'noday' is no day of the week."),
        (PullTimes("month", day=32), "No month has a day 32."),
        (PullTimes("minutes", minutes=7), "Every 7 minutes is not offered."),
        (PullTimes("hour", minutes=60), "No hour has a minute 60."),
    ],
)
def test_what_is_no_time_is_refused(times, said):
    with pytest.raises(RulkaError) as refused:
        schedule_of(times)
    assert refused.value.message == said and refused.value.hint
