"""A calculated worksheet in one of the forms that leave."""

from __future__ import annotations

from datetime import datetime

from rulka.formats.output.old_workbook import as_old
from rulka.formats.output.stamp import Stamp
from rulka.worksheets.output.paper import as_html, as_pdf
from rulka.worksheets.output.runs import as_csv, as_json
from rulka.worksheets.output.workbook import as_xlsx
from rulka.worksheets.running.live import Live


def as_file(live: Live, form: str, at: datetime, mode: str = "values", stamp: Stamp | None = None) -> bytes | str:
    """The worksheet as JSON, CSV of its first sheet, HTML, PDF, or a workbook of values or formulas."""
    if form == "xlsx":
        return as_xlsx(live, mode, stamp=stamp)
    if form == "xls":
        return as_old(as_xlsx(live, mode, stamp=stamp))
    if form == "pdf":
        return as_pdf(live, at, stamp)
    if form == "html":
        return as_html(live, at, stamp=stamp)
    return as_csv(live, stamp) if form == "csv" else as_json(live.worksheet, live, stamp)
