"""Headings of a finished table as those of a living one: months and years that are the column's own become tokens."""

from __future__ import annotations

import re
from datetime import date

from rulka.core.definitions.headings import by_example

FORMS = ("%-d %B %Y", "%d %B %Y", "%-d %b %Y", "%d.%m.%Y", "%Y-%m-%d", "%B %Y", "%b %Y", "%b %y", "%Y-%m", "%B", "%b")
"""How dates are written in headings, the long ones first."""

SHORT = ("%B", "%b")


def living_heading(text: str, first: date, last: date) -> str:
    """A heading with what names the column's window replaced by tokens, so that it follows the period: of a window
    from April to October 2026 `April to October 2026` becomes `{window.start:October} to {window.end:October 2026}`.
    Braces that the table has are brackets then."""
    found = text.replace("{", "(").replace("}", ")")
    found = _with_token(found, last, "window.end", FORMS)
    if (first.year, first.month) != (last.year, last.month):
        found = _with_token(found, first, "window.start", FORMS)
    return by_example(re.sub(rf"(?<![\d{{%.-]){last.year}(?![\d.-])", "{window.end:%Y}", found))


def _with_token(text: str, day: date, name: str, forms: tuple[str, ...]) -> str:
    for form in forms:
        said = day.strftime(form)
        if form in SHORT and len(said) < 3:
            continue
        pattern = re.compile(rf"(?<![\w{{%]){re.escape(said)}(?!\w)", re.IGNORECASE)
        if pattern.search(text):
            return pattern.sub("{" + f"{name}:{form}" + "}", text, count=1)
    return text
