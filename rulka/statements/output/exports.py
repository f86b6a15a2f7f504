"""Runs of a statement as a file; screen, commands and downloads use the same computed objects."""

from __future__ import annotations

import base64
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from urllib.parse import urlencode

from django.utils import timezone

from rulka.core.money import as_usual
from rulka.formats.figures import plain_text
from rulka.formats.output.html import as_html_pages, as_pdf_pages
from rulka.formats.output.old_workbook import as_old
from rulka.formats.output.page import HtmlPage
from rulka.formats.output.stamp import Stamp
from rulka.formats.output.text import as_csv, as_json, pages_json
from rulka.formats.output.workbook import CoverTexts, as_xlsx_pages
from rulka.ledger.leaving import leave_as
from rulka.ledger.models import Ledger
from rulka.people.library.persons import Readers
from rulka.statements.models import Picture, Template
from rulka.statements.output.origins import left_of
from rulka.statements.output.templates import filled, with_template
from rulka.statements.running.explained import explained_of, notes_of
from rulka.statements.running.runs import RunOutcome, has_own_nodes

TYPES = {
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "xls": "application/vnd.ms-excel",
    "pdf": "application/pdf",
    "html": "text/html; charset=utf-8",
    "csv": "text/csv; charset=utf-8",
    "json": "application/json",
}


TITLES = {
    "xlsx": "Workbook (.xlsx)",
    "xls": "Old workbook (.xls)",
    "pdf": "PDF",
    "html": "HTML page",
    "csv": "CSV",
    "json": "JSON",
}


@dataclass(frozen=True)
class Maker:
    """Who makes a file, and where this Rulka answers: `address` is that of a statement's page, empty for commands."""

    person: str = ""
    address: Callable[[str], str] | None = None
    number: int | None = None
    """The person's key, where somebody makes it."""


def leave(
    outcomes: Sequence[RunOutcome], ledger: Ledger, form: str, maker: Maker = Maker(), template: Template | None = None
) -> bytes:
    """The same as a file that leaves: it names its origin, by which it is verified when it comes back. A workbook is
    filled into a template where one is given."""
    left = left_of(outcomes, ledger, person=maker.number, person_name=maker.person)

    def made(stamp: Stamp) -> str | bytes:
        content = export(outcomes, ledger, form, maker, stamp=stamp)
        return content if template is None or isinstance(content, str) else filled(template, content)

    return leave_as(with_template(left, template), form, made)


@as_usual()
def export(
    outcomes: Sequence[RunOutcome],
    ledger: Ledger,
    form: str,
    maker: Maker = Maker(),
    *,
    most_rows: int = 0,
    stamp: Stamp | None = None,
) -> str | bytes:
    """A statement for one or several nodes, or several statements, in one of the forms of TYPES; the whole first.

    `most_rows` cuts what is printed after so many rows of a page, and says so there; `stamp` is what it says of its
    origin.
    """
    if form == "json":
        if len(outcomes) == 1:
            return as_json(outcomes[0].computed, outcomes[0].checks, ledger.code, stamp)
        return pages_json([as_json(one.computed, one.checks, ledger.code) for one in outcomes], stamp)
    if form == "csv":
        if len(outcomes) == 1:
            return as_csv(outcomes[0].computed, stamp)
        *others, last = outcomes
        pages = [(one, as_csv(one.computed)) for one in others] + [(last, as_csv(last.computed, stamp))]
        return "".join(f"{plain_text(one.computed.node.name)}\r\n{page}\r\n" for one, page in pages)
    at = timezone.localtime()
    readers = Readers(ledger.code)
    given = [
        HtmlPage(one.computed, one.checks, notes_of(explained_of(ledger, one.computed, readers))) for one in outcomes
    ]
    link, page = _links(outcomes[0], ledger, maker), outcomes[0].computed.statement.page
    if form in ("xlsx", "xls"):
        picture = _picture_of(ledger, page.logo)
        data = bytes(picture.data) if picture else b""
        book = as_xlsx_pages(given, CoverTexts(ledger.name, at, maker.person, link, stamp, data))
        return book if form == "xlsx" else as_old(book)
    logo = logo_of(ledger, page.logo)
    if form == "html":
        return as_html_pages(given, ledger=ledger.name, at=at, logo=logo, link=link, stamp=stamp)
    return as_pdf_pages(given, ledger=ledger.name, at=at, logo=logo, most_rows=most_rows, link=link, stamp=stamp)


def _links(outcome: RunOutcome, ledger: Ledger, maker: Maker) -> Callable[[str, str, str], str] | None:
    """Where a figure of a file is traced in Rulka."""
    if maker.address is None:
        return None
    computed, page = outcome.computed, maker.address(outcome.computed.statement.name)
    field = "of" if has_own_nodes(computed.statement) else "node"

    def link(node: str, row: str, column: str) -> str:
        traced = {"panel": "trace", "row": row, "column": column} if row else {}
        return f"{page}?{urlencode({'ledger': ledger.code, 'period': computed.period.code, field: node, **traced})}"

    return link


def _picture_of(ledger: Ledger, name: str) -> Picture | None:
    return Picture.objects.filter(ledger=ledger, name=name).first() if name else None


def logo_of(ledger: Ledger, name: str) -> str:
    """A stored picture as a data address; nothing where there is none of that name."""
    picture = _picture_of(ledger, name)
    return f"data:{picture.type};base64,{base64.b64encode(bytes(picture.data)).decode()}" if picture else ""


def file_name(outcome: RunOutcome, form: str, *, several: bool = False) -> str:
    """`income-statement-TF-2027-P07.xlsx`."""
    computed = outcome.computed
    return (
        f"{computed.statement.name}-{computed.node.code}{'-and-below' if several else ''}-{computed.period.code}.{form}"
    )
