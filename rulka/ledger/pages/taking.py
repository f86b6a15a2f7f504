"""Rows of a trace as files."""

from __future__ import annotations

from collections.abc import Mapping

from django.http import HttpResponse
from django.utils.http import content_disposition_header

from rulka.core.books.book import View
from rulka.core.compute.computed import Computed
from rulka.core.errors import NotFound
from rulka.formats.figures import plain_text
from rulka.ledger.leaving import left_rows, rows_as_csv, rows_as_workbook
from rulka.ledger.models import Ledger
from rulka.ledger.reading.trace_address import Address
from rulka.ledger.reading.trace_taking import TakenRows, rows_of
from rulka.people.models import Person

XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


def taken_file(
    ledger: Ledger, view: View, computed: Computed, said: Mapping[str, str], form: str, *, person: Person,
    of: tuple[str, str, int, int | None],
) -> HttpResponse:  # fmt: skip
    """What a trace shows, as a CSV file or a workbook; `of` is the kind, name and key of what is traced, and its
    shelf."""
    if form not in ("csv", "xlsx"):
        raise NotFound(f"There is no file as '{form[:20]}'.", hint="Ask for csv or xlsx.", subject="file")
    taken = rows_of(ledger, view, computed, Address.of(said))
    rows = [[*_safe(taken, row)] for row in taken.rows]
    headings = [plain_text(heading) for heading in taken.headings]
    kind, name, key, shelf = of
    run = {"lines": [[len(rows), str(taken.total)]]}
    page = {"name": name, "of": key, "shelf": shelf, "said": dict(said), "run": run}
    kind = "trace" if kind == "statement" else f"{kind} trace"
    left = left_rows(ledger, view, person, kind, name, computed.period.code, page, node=computed.node.code)
    if form == "csv":
        content: str | bytes = "".join(rows_as_csv(left, headings, rows))
        response = HttpResponse(content, content_type="text/csv; charset=utf-8")
    else:
        content = rows_as_workbook(left, "Trace", headings, rows, set(taken.amounts))
        response = HttpResponse(content, content_type=XLSX)
    response["Content-Disposition"] = content_disposition_header(True, f"trace.{form}") or "attachment"
    return response


def _safe(taken: TakenRows, row: tuple[str, ...]) -> list[str]:
    return [cell if at in taken.amounts else plain_text(cell) for at, cell in enumerate(row)]
