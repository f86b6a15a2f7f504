"""Headings with tokens: `Actual to {period.end:%d %B %Y}` to the text that a column shows."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import date

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
        if form is not None and (name not in DATES or not DIRECTIVES.fullmatch(form)):
            raise RulkaError(
                f"'{{{name}:{form}}}' is not written as it must be.",
                hint="Only dates take a form, such as {period.end:%d %B %Y}, of the letters d m y Y b B a A j.",
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


def _date(day: date, form: str) -> str:
    return day.strftime(form)
