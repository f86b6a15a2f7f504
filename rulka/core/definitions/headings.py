"""Headings with tokens: `Actual to {period.end:5 October 2026}` to the text that a column shows."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import date

from rulka.core.books.calendar import FiscalCalendar, Window
from rulka.core.errors import RulkaError, one_of

TOKEN = re.compile(r"\{(?P<name>[^{}:]*)(?::(?P<form>[^{}]*))?\}")
YEAR = re.compile(r"year ?([+-]) ?([0-9]{1,2})")
DATES = ("period.start", "period.end", "window.start", "window.end")
TOKENS = (
    "window",
    "period.name",
    "period.code",
    "period.number",
    *DATES,
    "year",
    "year-1",
    "scenario",
    "then",
    "node",
    "node.code",
    "member",
    "member.code",
    "from",
    "to",
    "base",
    "currency",
    "calendar",
)
DIRECTIVES = re.compile(r"(?:[^%]|%-?[dmyYbBaAjUVW%])*")
EXAMPLE = {
    "Monday": "%A",
    "Mon": "%a",
    "October": "%B",
    "Oct": "%b",
    "2026": "%Y",
    "26": "%y",
    "05": "%d",
    "5": "%-d",
    "10": "%m",
}
"""A date's form is written as Monday, 5 October 2026 would be: which part says what."""

EXAMPLES = re.compile(rf"(?<![A-Za-z0-9])(?:{'|'.join(EXAMPLE)})(?![A-Za-z0-9])")
CODES = re.compile("|".join(sorted(map(re.escape, EXAMPLE.values()), key=len, reverse=True)))
BY_CODE = {code: part for part, code in EXAMPLE.items()}
DEFAULT_DATE = "%-d %B %Y"


def check_heading(text: str) -> None:
    """Refuse a token that doesn't exist, with the list of those that do."""
    for match in TOKEN.finditer(text):
        name, form = match["name"], match["form"]
        if name not in TOKENS and not YEAR.fullmatch(name):
            near = one_of(name, TOKENS, most=0) if one_of(name, TOKENS).startswith("Did you mean") else ""
            raise RulkaError(
                f"'{{{name}}}' is no token of a heading.",
                hint=f"{near} There are: {', '.join(TOKENS)}.".strip(),
                code="token",
            )
        if form is not None and (name not in DATES or not _is_form(form)):
            raise RulkaError(
                f"'{{{name}:{form}}}' is not written as it must be.",
                hint="Only dates take a form: write it as 5 October 2026 shall be, such as {period.end:Oct 26} or "
                "{period.end:05.10.2026}.",
                code="token",
            )
    rest = TOKEN.sub("", text)
    if "{" in rest or "}" in rest:
        raise RulkaError(
            f"A brace in '{text}' belongs to no token.", hint="Write tokens as {period.name}.", code="token"
        )


def fill_heading(text: str, values: Mapping[str, object]) -> str:
    """The heading with its tokens filled in; a token without a value here becomes nothing."""

    def one(match: re.Match[str]) -> str:
        name, form = match["name"], match["form"]
        if shifted := YEAR.fullmatch(name):
            year = values.get("year")
            return str(year + int(shifted[1] + shifted[2])) if isinstance(year, int) else ""
        value = values.get(name)
        if isinstance(value, date):
            return _date(value, form or DEFAULT_DATE)
        return "" if value is None else str(value)

    return TOKEN.sub(one, text).strip()


def time_values(calendar: FiscalCalendar, window: Window) -> dict[str, object]:
    """What the tokens about time stand for where a window is looked through."""
    looked = calendar.periods[window.first : window.last + 1]
    ordinary = [period for period in looked if not period.adjusting] or looked
    first, last = ordinary[0], ordinary[-1]
    return {
        "window": window.title,
        "period.name": last.title,
        "period.code": last.code,
        "period.number": last.number,
        "period.start": last.start,
        "period.end": last.end,
        "window.start": window.start or first.start,
        "window.end": window.end or last.end,
        "year": last.year,
        "from": first.title,
        "to": last.title,
    }


def by_example(text: str) -> str:
    """A heading with the forms of its dates by example: `To {period.end:%b %y}` is `To {period.end:Oct 26}`. A form
    that no example says stays as it is."""

    def one(match: re.Match[str]) -> str:
        form = match["form"]
        shown = CODES.sub(lambda code: BY_CODE[code[0]], form or "")
        return match[0] if form is None or "%" in shown else f"{{{match['name']}:{shown}}}"

    return TOKEN.sub(one, text)


def _is_form(form: str) -> bool:
    return bool(DIRECTIVES.fullmatch(form) if "%" in form else EXAMPLES.search(form))


def _date(day: date, form: str) -> str:
    return day.strftime(form if "%" in form else EXAMPLES.sub(lambda part: EXAMPLE[part[0]], form))
