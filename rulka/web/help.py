"""Help that ships with the application: what each screen is for, the guides as pages, and where something is told.

Guides are the files of `docs/`; a guide's name is its file's. They are read once for each process.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from django.conf import settings
from django.urls import reverse
from markdown_it import MarkdownIt
from markdown_it.token import Token

from rulka.core.errors import NotFound, one_of

DOCS = Path(settings.BASE_DIR) / "docs"
PICTURES = DOCS / "screenshots"
GUIDES = (
    "first-statement", "tracing", "variances", "worksheets", "extracts", "queries", "overviews", "folios", "filings",
    "dispatch", "feeds", "rebuild", "people", "origin", "selection-language", "worksheet-functions",
    "definition-format", "ledger-format", "loading", "glossary",
)  # fmt: skip
"""The guides in the order that they are listed."""

ABOUT = {
    "month": ("What waits for you this month, what doesn't hold, and how the month stands.", "first-statement"),
    "ledger": ("How many lines each company booked in each period; periods are closed here.", "loading"),
    "find": ("Finds accounts, entries, documents, counterparties and statements by a word or a code.", "tracing"),
    "periods": ("Sets the reporting period, which every page follows.", "glossary"),
    "entity-calendar": ("The calendar that a company keeps beside the group's.", "loading"),
    "ledger-accounts": ("The chart of accounts: heads, types, categories, and what stands on each.", "ledger-format"),
    "ledger-members": ("The members of each dimension, such as departments.", "ledger-format"),
    "ledger-scenarios": ("Actual, budgets and forecasts that the ledger holds.", "ledger-format"),
    "ledger-rates": ("The rates that currencies are translated with.", "ledger-format"),
    "ledger-journal": ("Every journal line; narrow them, then take them along as a file.", "selection-language"),
    "ledger-entry": ("One entry with all its lines and where it came from.", "tracing"),
    "ledger-trial-balance": ("Opening, debits, credits and closing by account; each leads to its lines.", "tracing"),
    "ledger-wrong": ("What looks wrong in the month, each with a reason; dismiss what is right.", "variances"),
    "finding-rules": ("What looks wrong, and from which amount on.", "variances"),
    "feeds": ("Where the ledger's data comes from, how old it is, and loads that wait.", "feeds"),
    "feed": ("One source: where it is, when it is pulled, and what is refused or held.", "feeds"),
    "feed-map": ("Says which column of a file is what.", "feeds"),
    "load": ("What a load brings, before it counts: accept it or drop it.", "feeds"),
    "revisions": ("Every change of the ledger, and what it changed.", "feeds"),
    "statements": ("Every statement: open one, begin one, choose several for one workbook.", "first-statement"),
    "statement": ("The statement is its own editor: choose a line, a heading or a figure.", "first-statement"),
    "statement-trace": ("What a figure is made of, split step by step down to journal lines.", "tracing"),
    "statement-variances": ("Every variance that is worth an explanation, and its state.", "variances"),
    "statement-moved": ("What moved since an edition was kept or a revision came, and why.", "tracing"),
    "edition": ("A run that was kept: these figures stay as they were.", "origin"),
    "output": ("A file in the making, or one that is ready.", "first-statement"),
    "workbook": ("One workbook of several statements.", "first-statement"),
    "parts": ("Lines, columns and nodes that statements share, and which statements use them.", "definition-format"),
    "shelf": ("Who may see, run and edit what stands on a shelf.", "people"),
    "reach": ("Who reaches this, and why.", "people"),
    "upload-template": ("A workbook of your own that is filled with the figures each month.", "first-statement"),
    "template": ("A workbook of your own that is filled with the figures each month.", "first-statement"),
    "verify": ("Tells whether a file is still what left Rulka, and what moved since.", "origin"),
    "worksheets": ("Spreadsheet pages whose formulas ask the ledger.", "worksheets"),
    "worksheet": ("Cells whose formulas ask the ledger; every figure opens down to its lines.", "worksheets"),
    "worksheet-trace": ("What a cell's figure is made of.", "tracing"),
    "worksheet-bring": ("Brings a list of rows from a spreadsheet over into a sheet.", "worksheets"),
    "bounded-table": ("A piece of the ledger that worksheets may hold, and what it permits.", "worksheets"),
    "new-bounded-table": ("A piece of the ledger that worksheets may hold, and what it permits.", "worksheets"),
    "extracts": ("Rows out of the ledger in a layout of your own.", "extracts"),
    "extract": ("Fields, conditions and a layout; a run writes all rows into a file.", "extracts"),
    "compare-runs": ("What differs between two runs of an extract.", "extracts"),
    "bring-list": ("Brings a list of rows over as an extract.", "extracts"),
    "queries": ("Rows that an administrator wrote as a query.", "queries"),
    "query": ("A query: what it asks, and the rows it gives.", "queries"),
    "overviews": ("How it stands, in one minute: strips, bridges, key figures.", "overviews"),
    "overview": ("Figures of statements against plan and the year before; each opens.", "overviews"),
    "overview-trace": ("What a figure is made of.", "tracing"),
    "chart-of-statement": ("A drawing of chosen lines and columns of a statement.", "overviews"),
    "folios": ("Figures and words as one document, written by several people.", "folios"),
    "folio": ("The sections of a report: whose turn it is, what they say, what changed.", "folios"),
    "folio-pages": ("The pages as they are printed.", "folios"),
    "section-versions": ("What a section said before, and what changed.", "folios"),
    "filings": ("Accounts as a registry takes them: every figure with its name.", "filings"),
    "begin-filing": ("Begins a filing of what a folio shows.", "filings"),
    "filing": ("Which figure is reported as what; what was left out; the file.", "filings"),
    "filing-file": ("A file for the registry, in the making or ready.", "filings"),
    "rebuilds": ("A finished statement from elsewhere becomes a living one.", "rebuild"),
    "rebuild": ("What each figure is made of; answer one question at a time.", "rebuild"),
    "rebuild-difference": ("Where a figure differs from the ledger, and by what.", "rebuild"),
    "dispatches": ("What goes to whom, by which way, and when.", "dispatch"),
    "dispatch": ("To each their own: rehearse it, then send it.", "dispatch"),
    "sending": ("What went to whom, and whether it arrived.", "dispatch"),
    "delivery-file": ("A file as it was sent.", "dispatch"),
    "sent-to-me": ("What was sent to you.", "dispatch"),
    "dispatch-rehearsed": ("What each would get, before anything is sent.", "dispatch"),
    "send-statement": ("Sends this to somebody.", "dispatch"),
    "send-worksheet": ("Sends this to somebody.", "dispatch"),
    "send-extract": ("Sends this to somebody.", "dispatch"),
    "send-overview": ("Sends this to somebody.", "dispatch"),
    "send-folio": ("Sends this to somebody.", "dispatch"),
    "address-book": ("Addresses outside that dispatches may go to.", "dispatch"),
    "sending-days": ("The ledger's time zone and holidays, which schedules follow.", "dispatch"),
    "file-servers": ("Servers that files are left on.", "dispatch"),
    "mail-account": ("Who letters are sent from.", "dispatch"),
    "people": ("Who works here, and in which groups.", "people"),
    "person": ("What somebody may see and do, and why.", "people"),
    "group": ("What a group may see and do.", "people"),
    "mine": ("How days and figures are written for you, your password and sessions.", "people"),
    "record": ("Who did what, and when.", "people"),
    "help": ("The guides, and where something is told.", "first-statement"),
    "guide": ("One guide.", "first-statement"),
}
"""What a screen is for and the guide that tells more, by the name of its address."""

HINTS = {
    "statement": "Arrow keys walk the figures, Enter shows what one is made of, ? lists all keys.",
    "worksheet": "A formula begins with = and can ask the ledger. Enter traces a figure, Alt+? lists all keys.",
    "extract": "Tick fields on the left, narrow with + condition, then Run: the file holds all rows.",
    "overview": "Every figure opens: press Enter on it. m, y and l change between month, year to date and whole year.",
    "folio": "The sections that are yours now stand first. Figures in the words are read from the ledger each time.",
    "ledger-journal": "Accounts take 6110, 6* or 6000 to 6999. What you narrow to can be taken along as a workbook.",
    "month": "This list is yours: what is done leaves it. The period above is one setting that every page follows.",
}
"""What a newcomer is told once on a screen, by the name of its address."""


@dataclass(frozen=True)
class Guide:
    """A guide by its name, with its title and its text as its file has it."""

    name: str
    title: str
    text: str


@dataclass(frozen=True)
class Section:
    """A part of a guide below one heading: its anchor, its title and its plain words."""

    guide: Guide
    anchor: str
    title: str
    words: str


@cache
def guides() -> dict[str, Guide]:
    """Every guide by name."""
    found = {}
    for name in GUIDES:
        path = DOCS / "guides" / f"{name}.md"
        text = (path if path.exists() else DOCS / f"{name}.md").read_text(encoding="utf-8")
        found[name] = Guide(name, text.partition("\n")[0].lstrip("# "), text)
    return found


def guide_named(name: str) -> Guide:
    """A guide; NotFound where none is called so."""
    if name not in guides():
        raise NotFound(f"There is no guide '{name[:40]}'.", hint=one_of(name, guides()), subject="guide")
    return guides()[name]


@cache
def page_of(name: str) -> str:
    """A guide as HTML: headings have anchors, links lead to the other guides and pictures, nothing else leads out."""
    reader, found = _reader(), guide_named(name)
    tokens = reader.parse(found.text)
    for at, token in enumerate(tokens):
        if token.tag == "h1" and at > 2:  # a page has one title: its first three tokens
            token.tag = "h2"
        if token.type == "heading_open":
            token.attrSet("id", anchor_of(tokens[at + 1].content))
        elif token.type == "fence" or token.type == "code_block":
            token.attrSet("tabindex", "0")
        elif token.children:
            token.children = list(_led(token.children))
    rendered: str = reader.renderer.render(tokens, reader.options, {})
    return rendered.replace("<table>", '<div class="tablewrap"><table class="list">').replace(
        "</table>", "</table></div>"
    )


def _led(tokens: Sequence[Token]) -> Iterator[Token]:
    """The tokens of a line with links that lead somewhere here; others are words only."""
    dropped = 0
    for token in tokens:
        if token.type == "link_open":
            address = _address(str(token.attrGet("href") or ""))
            if not address:
                dropped += 1
                continue
            token.attrSet("href", address)
        elif token.type == "link_close" and dropped:
            dropped -= 1
            continue
        elif token.type == "image":
            token.attrSet("src", reverse("help-picture", args=[Path(str(token.attrGet("src"))).name]))
            token.attrSet("loading", "lazy")
        yield token


def _address(target: str) -> str:
    path, _, part = target.partition("#")
    name = Path(path).stem
    if not path:
        return f"#{part}"
    return (
        reverse("guide", args=[name]) + (f"#{part}" if part else "") if path.endswith(".md") and name in GUIDES else ""
    )


def anchor_of(title: str) -> str:
    """The anchor of a heading: its words in small letters with dashes."""
    return re.sub(r"[^\w]+", "-", title.casefold()).strip("-")


@cache
def sections() -> tuple[Section, ...]:
    """Every section of every guide, in order."""
    found = []
    for guide in guides().values():
        title, anchor, words = guide.title, "", list[str]()
        tokens = _reader().parse(guide.text)
        for at, token in enumerate(tokens):
            if token.type == "heading_open":
                found.append(Section(guide, anchor, title, " ".join(words)))
                title, words = tokens[at + 1].content, []
                anchor = anchor_of(title)
            elif token.type in ("inline", "fence") and tokens[at - 1].type != "heading_open":
                words.append(re.sub(r"[*`\[\]]|\([^)]*\.md\)", "", token.content))
        found.append(Section(guide, anchor, title, " ".join(words)))
    return tuple(section for section in found if section.words)


def told_in(wanted: str, most: int = 30) -> list[tuple[Section, str]]:
    """The sections that say all words of a search, with a piece of each; those whose title says one come first."""
    words = wanted.casefold().split()
    if not words:
        return []
    fitting = [one for one in sections() if all(word in f"{one.title} {one.words}".casefold() for word in words)]
    fitting.sort(key=lambda one: -sum(word in one.title.casefold() for word in words))
    return [(one, _piece(one.words, words)) for one in fitting[:most]]


def _piece(text: str, words: Sequence[str]) -> str:
    at = min((place for place in (text.casefold().find(word) for word in words) if place >= 0), default=0)
    start = text.rfind(" ", 0, max(at - 50, 0)) + 1
    piece = " ".join(text[start : start + 180].split())
    return ("… " if start else "") + piece + (" …" if start + 180 < len(text) else "")


def _reader() -> MarkdownIt:
    return MarkdownIt("commonmark", {"html": False}).enable("table").disable(["html_inline", "html_block"])
