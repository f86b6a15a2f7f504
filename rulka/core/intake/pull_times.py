"""When a feed pulls by itself, in words: `each weekday at 06:30` is the schedule `30 6 * * 1-5` that is stored.

A schedule is stored as five fields (minute, hour, day, month, weekday), as schedulers read it; people read and choose
words. A schedule that no words say keeps its fields and is shown as they are.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from rulka.core.errors import RulkaError

WEEKDAYS = ("sunday", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday")
MINUTES = (5, 10, 15, 20, 30)
KINDS = {
    "": "never",
    "minutes": "every few minutes",
    "hour": "each hour",
    "day": "each day",
    "weekday": "each weekday",
    "week": "each week",
    "month": "each month",
    "fields": "at times of its own",
}
"""Every way to say when, with its words."""

NUMBER = r"([0-9]{1,2})"
PATTERNS = (
    ("minutes", re.compile(rf"\*/{NUMBER} \* \* \* \*")),
    ("hour", re.compile(rf"{NUMBER} \* \* \* \*")),
    ("day", re.compile(rf"{NUMBER} {NUMBER} \* \* \*")),
    ("weekday", re.compile(rf"{NUMBER} {NUMBER} \* \* 1-5")),
    ("week", re.compile(rf"{NUMBER} {NUMBER} \* \* ([0-7])")),
    ("month", re.compile(rf"{NUMBER} {NUMBER} {NUMBER} \* \*")),
)


@dataclass(frozen=True)
class PullTimes:
    """What a schedule says: its kind, and of minutes, clock, weekday and day what the kind has; `fields` where no words
    say it."""

    kind: str = ""
    minutes: int = 15
    clock: str = "06:30"
    weekday: str = "monday"
    day: int = 1
    fields: str = ""

    @property
    def words(self) -> str:
        """`each week on monday at 06:30`; `never` without a schedule."""
        return {
            "": "never",
            "minutes": f"every {self.minutes} minutes",
            "hour": f"each hour, {self.minutes} minutes past",
            "day": f"each day at {self.clock}",
            "weekday": f"each weekday at {self.clock}",
            "week": f"each week on {self.weekday.capitalize()} at {self.clock}",
            "month": f"each month on day {self.day} at {self.clock}",
            "fields": f"at {self.fields}",
        }[self.kind]


def read_schedule(stored: str) -> PullTimes:
    """A stored schedule in words; empty is never."""
    text = " ".join(stored.split())
    if not text:
        return PullTimes()
    for kind, pattern in PATTERNS:
        if found := pattern.fullmatch(text):
            numbers = [int(number) for number in found.groups()]
            if kind in ("minutes", "hour"):
                if numbers[0] < 60 and (kind == "hour" or numbers[0] in MINUTES):
                    return PullTimes(kind, minutes=numbers[0])
            elif numbers[0] < 60 and numbers[1] < 24:
                clock = f"{numbers[1]:02d}:{numbers[0]:02d}"
                if kind == "week":
                    return PullTimes(kind, clock=clock, weekday=WEEKDAYS[numbers[2] % 7])
                if kind != "month" or 1 <= numbers[2] <= 31:
                    return PullTimes(kind, clock=clock, day=numbers[2] if kind == "month" else 1)
    return PullTimes("fields", fields=text)


def schedule_of(times: PullTimes) -> str:
    """The schedule that is stored for what was chosen; raises RulkaError for what no clock, day or weekday is."""
    if times.kind in ("", "fields"):
        return times.fields if times.kind else ""
    if times.kind not in KINDS:
        raise _refused(f"'{times.kind[:20]}' is no way to say when.", f"There are: {', '.join(KINDS.values())}.")
    if times.kind in ("minutes", "hour"):
        return _of_minutes(times)
    found = re.fullmatch(r"([0-9]{1,2}):([0-9]{2})", times.clock.strip())
    if not found or int(found[1]) > 23 or int(found[2]) > 59:
        raise _refused(f"'{times.clock[:20]}' is no time of the day.", "Write it as 06:30.")
    if times.weekday not in WEEKDAYS:
        raise _refused(f"'{times.weekday[:20]}' is no day of the week.", f"There are: {', '.join(WEEKDAYS)}.")
    if not 1 <= times.day <= 31:
        raise _refused(f"No month has a day {times.day}.", "Write 1 to 31.")
    at = f"{int(found[2])} {int(found[1])}"
    return {
        "day": f"{at} * * *",
        "weekday": f"{at} * * 1-5",
        "week": f"{at} * * {WEEKDAYS.index(times.weekday)}",
        "month": f"{at} {times.day} * *",
    }[times.kind]


def _of_minutes(times: PullTimes) -> str:
    if times.kind == "hour":
        if not 0 <= times.minutes <= 59:
            raise _refused(f"No hour has a minute {times.minutes}.", "Write 0 to 59.")
        return f"{times.minutes} * * * *"
    if times.minutes not in MINUTES:
        raise _refused(f"Every {times.minutes} minutes is not offered.", f"Choose {', '.join(map(str, MINUTES))}.")
    return f"*/{times.minutes} * * * *"


def _refused(message: str, hint: str) -> RulkaError:
    return RulkaError(message, hint=hint, subject="schedule")
