"""A run of a statement as a file; screen, commands and downloads use the same computed object."""

from __future__ import annotations

from django.utils import timezone

from rulka.core.errors import RulkaError
from rulka.formats.statement_html import as_html, as_html_pages, as_pdf, as_pdf_pages
from rulka.formats.statement_text import as_csv, as_json, pages_json, plain_text
from rulka.formats.statement_xlsx import as_xlsx
from rulka.ledger.models import Ledger
from rulka.statements.services import Outcome

TYPES = {
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "pdf": "application/pdf",
    "html": "text/html; charset=utf-8",
    "csv": "text/csv; charset=utf-8",
    "json": "application/json",
}


def export(outcome: Outcome, ledger: Ledger, form: str) -> str | bytes:
    """The statement in one of the forms of TYPES."""
    computed, checks = outcome.computed, outcome.checks
    revision, at = f"{ledger.name}, revision {computed.view.book.revision}", timezone.localtime()
    if form == "json":
        return as_json(computed, checks, ledger.code)
    if form == "csv":
        return as_csv(computed)
    if form == "html":
        return as_html(computed, checks, revision=revision, at=at)
    if form == "pdf":
        return as_pdf(computed, checks, revision=revision, at=at)
    return as_xlsx(computed, revision=revision, at=at)


PAGED = ("json", "html", "pdf", "csv")
"""Forms that hold several pages; a workbook of several sheets isn't one of them yet."""


def export_pages(outcomes: list[Outcome], ledger: Ledger, form: str) -> str | bytes:
    """The statement for several nodes as one file, the whole first."""
    if form not in PAGED:
        raise RulkaError(f"A file of several nodes can't be written as {form}.", hint=f"Use {', '.join(PAGED)}.", subject="format")
    if form == "json":
        return pages_json([as_json(outcome.computed, outcome.checks, ledger.code) for outcome in outcomes])
    if form == "csv":
        return "".join(f"{plain_text(outcome.computed.node.name)}\r\n{as_csv(outcome.computed)}\r\n" for outcome in outcomes)
    at = timezone.localtime()
    pages = [(outcome.computed, outcome.checks) for outcome in outcomes]
    revision = f"{ledger.name}, revision {outcomes[0].computed.view.book.revision}"
    return as_html_pages(pages, revision=revision, at=at) if form == "html" else as_pdf_pages(pages, revision=revision, at=at)


def file_name(outcome: Outcome, form: str) -> str:
    """`income-statement-TF-2027-P07.xlsx`."""
    computed = outcome.computed
    return f"{computed.statement.name}-{computed.node.code}-{computed.period.code}.{form}"
