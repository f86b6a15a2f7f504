"""A run of a statement as a file; screen, commands and downloads use the same computed object."""

from __future__ import annotations

from django.utils import timezone

from rulka.formats.statement_html import as_html, as_pdf
from rulka.formats.statement_text import as_csv, as_json
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


def file_name(outcome: Outcome, form: str) -> str:
    """`income-statement-TF-2027-P07.xlsx`."""
    computed = outcome.computed
    return f"{computed.statement.name}-{computed.node.code}-{computed.period.code}.{form}"
