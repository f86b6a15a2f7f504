"""A split figure as JSON or CSV, with exact decimals."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator, Sequence
from fractions import Fraction
from typing import Any

from rulka.core.compute.computed import Computed
from rulka.core.definitions.expressions import Value
from rulka.core.money import exact_text
from rulka.core.proof.splits import REASONS, OpenedFigure, Step, open_figure, split
from rulka.formats.figures import plain_text
from rulka.ledger.models import Ledger
from rulka.ledger.reading.trace_budgets import every_budget_row
from rulka.ledger.reading.trace_lines import PLANNED, LineQuery, TraceLines, quantity_digits
from rulka.ledger.reading.trace_panel import LINE

MOST_LINES = 1_000_000


def told(ledger: Ledger, computed: Computed, row: str, column: str, way: Sequence[Step], by: str) -> dict[str, Any]:
    """The parts of a figure along a way, in a direction: codes, labels and values, and whether these give it again."""
    opened = open_figure(computed, row, column, way)
    digits = quantity_digits(opened)
    if by == LINE:
        parts = list(_lines(ledger, opened))
    else:
        parts = [(part.code, part.label, part.value) for part in split(opened, by).parts]
    total = sum((value for _, _, value in parts), Fraction(0))
    return {
        "figure": _text(opened.value, digits),
        "by": by,
        "parts": [{"code": code, "label": label, "value": _text(value, digits)} for code, label, value in parts],
        "total": _text(total, digits),
        "agrees": total == opened.value,
    }


def _text(value: Value, digits: int) -> str | None:
    return None if value is None else exact_text(value, digits)


def _lines(ledger: Ledger, opened: OpenedFigure) -> Iterator[tuple[str, str, Fraction]]:
    """Journal lines by entity, entry and line, the oldest first; then budget rows, and what has none by why."""
    lines = TraceLines.of(ledger, opened, LineQuery(sort="date"))
    for line in lines.every(["date", "entry", "line", "document", "text"], MOST_LINES)[0]:
        cells = line.cells
        label = " ".join(str(cells[name]) for name in ("date", "document", "text") if cells[name])
        yield f"{line.entity}/{line.entry}/{cells['line']}", label, line.value
    for row in every_budget_row(ledger, opened, None):
        cells = row.cells
        code = "/".join(
            str(cells[name]) for name in ("scenario", "period", "entity", "account", "members") if cells[name]
        )
        yield code, str(cells["note"] or cells["name"]), row.value
    for reason, value in lines.untold():
        if reason != PLANNED:
            yield "", REASONS[reason], value


def told_as(found: dict[str, Any], form: str) -> str:
    """As JSON, or the parts as CSV."""
    if form == "json":
        return json.dumps(found, ensure_ascii=False, indent=1) + "\n"
    target = io.StringIO()
    writer = csv.writer(target, lineterminator="\n")
    writer.writerow(["code", "label", "value"])
    for part in found["parts"]:
        writer.writerow([plain_text(part["code"]), plain_text(part["label"]), part["value"]])
    return target.getvalue()
