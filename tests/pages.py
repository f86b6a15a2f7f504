"""Pages as one reads them: templates may break their lines where whitespace is one space, or nothing."""

from __future__ import annotations

import re


def flat(page: str) -> str:
    """A page's HTML with all whitespace as one space, as a browser reads it."""
    return re.sub(r"[ \t\r\n]+", " ", page).strip(" ")


def tight(page: str) -> str:
    """... and none beside tags."""
    return re.sub(r"\s*(<[^>]*>)\s*", r"\1", flat(page))
