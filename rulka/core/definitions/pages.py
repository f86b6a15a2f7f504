"""The furniture of a page: title block, headers and footers with tokens, paper, breaks and notes, as a definition
writes it."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from rulka.core.errors import RulkaError, one_of

TOKENS = (
    "statement",
    "subtitle",
    "entity",
    "entity.code",
    "node",
    "node.code",
    "period",
    "period.code",
    "currency",
    "ledger",
    "revision",
    "date",
    "time",
    "page",
    "pages",
)
"""What stands for something in headers, footers and notes; `entity` and `node` are names, `.code` their codes."""

COUNTED = ("page", "pages")
"""Tokens that only the paper knows."""

PLACES = ("left", "centre", "right")
PAPERS = ("A4", "A3", "A5", "letter", "legal")
ORIENTATIONS = ("portrait", "landscape")
DEPTHS = ("figures", "accounts", "entries")
"""How far output goes below each line: its figures alone, with its accounts, with their entries too."""

TOKEN = re.compile(r"\{([^{}]*)\}")


@dataclass(frozen=True)
class Boxes:
    """A header's or footer's three texts."""

    left: str = ""
    centre: str = ""
    right: str = ""

    def __iter__(self) -> Iterator[tuple[str, str]]:
        return iter((("left", self.left), ("centre", self.centre), ("right", self.right)))


FOOTER = Boxes(
    "{statement}, {node}, {period.code} \u00b7 {ledger}, revision {revision} \u00b7 printed {date}, {time}",
    "",
    "Page {page} of {pages}",
)
"""What stands at the foot of a page unless the statement says otherwise."""


@dataclass(frozen=True)
class PageDef:
    """How a statement stands on paper; empty settings are decided by what is printed."""

    paper: str = "A4"
    orientation: str = ""
    fit: bool = False
    repeat_heads: bool = True
    break_before_sections: bool = False
    title_block: bool = True
    checks: bool = True
    logo: str = ""
    logo_place: str = "right"
    logo_height: int = 16
    """In millimetres, on paper; a screen shows it as large."""
    header: Boxes = Boxes()
    footer: Boxes = field(default=FOOTER)
    notes: tuple[str, ...] = ()


def page_from(raw: Mapping[str, Any]) -> PageDef:
    """The furniture from a checked mapping; raises on a token that doesn't exist."""
    page = PageDef(
        paper=raw.get("paper", "A4"),
        orientation=raw.get("orientation", ""),
        fit=raw.get("fit", "") == "width",
        repeat_heads=raw.get("heads", "repeat") == "repeat",
        break_before_sections=raw.get("breaks", "") == "before sections",
        title_block=raw.get("title", "") != "left out",
        checks=raw.get("checks", "") != "left out",
        logo=raw.get("logo", ""),
        logo_place=raw.get("logo place", "right"),
        logo_height=int(raw.get("logo height", "16")),
        header=Boxes(**raw.get("header", {})),
        footer=Boxes(**raw["footer"]) if "footer" in raw else FOOTER,
        notes=tuple(raw.get("notes", ())),
    )
    for text in (*(text for boxes in (page.header, page.footer) for _, text in boxes), *page.notes):
        check_tokens(text)
    return page


def check_tokens(text: str) -> None:
    """Refuse a token that doesn't exist, with the list of those that do."""
    for name in TOKEN.findall(text):
        if name not in TOKENS:
            near = one_of(name, TOKENS) if one_of(name, TOKENS).startswith("Did you mean") else ""
            raise RulkaError(
                f"'{{{name}}}' is no token of a page.",
                hint=f"{near} There are: {', '.join(TOKENS)}.".strip(),
                code="token",
            )
    if "{" in TOKEN.sub("", text) or "}" in TOKEN.sub("", text):
        raise RulkaError(f"A brace in '{text}' belongs to no token.", hint="Write tokens as {page}.", code="token")


def pieces(text: str, values: Mapping[str, str]) -> list[tuple[str, str]]:
    """A text as (kind, text) pieces: `text` with its tokens filled in, or one of the tokens that the paper counts."""
    found: list[tuple[str, str]] = []
    for at, part in enumerate(TOKEN.split(text)):
        if at % 2 and part in COUNTED:
            found.append((part, ""))
        elif part:
            filled = values.get(part, "") if at % 2 else part
            if found and found[-1][0] == "text":
                found[-1] = ("text", found[-1][1] + filled)
            else:
                found.append(("text", filled))
    return found


def filled(text: str, values: Mapping[str, str]) -> str:
    """A text with all its tokens filled in; the page numbers, which no text knows, become nothing."""
    return "".join(piece for _, piece in pieces(text, values)).strip()
