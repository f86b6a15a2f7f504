"""Rows of a trace as files."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping

from django.http import HttpResponse
from django.utils.http import content_disposition_header

from rulka.core.books.book import View
from rulka.core.compute.computed import Computed
from rulka.core.errors import NotFound
from rulka.formats.figures import plain_text
from rulka.formats.output.row_sheet import rows_workbook
from rulka.ledger.models import Ledger
from rulka.ledger.reading.trace_address import Address
from rulka.ledger.reading.trace_taking import TakenRows, rows_of

XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


def taken_file(ledger: Ledger, view: View, computed: Computed, said: Mapping[str, str], form: str) -> HttpResponse:
    """What a trace shows, as a CSV file or a workbook."""
    if form not in ("csv", "xlsx"):
        raise NotFound(f"There is no file as '{form[:20]}'.", hint="Ask for csv or xlsx.", subject="file")
    taken = rows_of(ledger, view, computed, Address.of(said))
    rows = [[*_safe(taken, row)] for row in taken.rows]
    if form == "csv":
        target = io.StringIO()
        writer = csv.writer(target)
        writer.writerow([plain_text(heading) for heading in taken.headings])
        writer.writerows(rows)
        response = HttpResponse(target.getvalue(), content_type="text/csv; charset=utf-8")
    else:
        headings = [plain_text(heading) for heading in taken.headings]
        response = HttpResponse(rows_workbook("Trace", headings, rows, amounts=set(taken.amounts)), content_type=XLSX)
    response["Content-Disposition"] = content_disposition_header(True, f"trace.{form}") or "attachment"
    return response


def _safe(taken: TakenRows, row: tuple[str, ...]) -> list[str]:
    return [cell if at in taken.amounts else plain_text(cell) for at, cell in enumerate(row)]
