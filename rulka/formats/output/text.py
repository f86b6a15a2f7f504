"""A computed statement as JSON and CSV: exact values, nothing rounded for display."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Mapping, Sequence
from typing import Any

from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.rows import Row
from rulka.core.money import exact_text
from rulka.core.proof.checks import FAILS, HOLDS, NOT_JUDGED, TITLES, WARNS, Check
from rulka.formats.figures import cell_words, plain_text, value_text
from rulka.formats.output.stamp import Stamp


def as_json(computed: Computed, checks: Sequence[Check], ledger: str, stamp: Stamp | None = None) -> str:
    """The JSON of a run: what it is of, columns, lines with exact values, checks, and its origin where it leaves."""
    node = computed.node
    content = {
        "statement": computed.statement.name,
        "ledger": ledger,
        "revision": computed.view.revision,
        "period": computed.period.code,
        "node": node.code,
        "currency": node.currency,
        "columns": [_column(column) for column in computed.columns],
        "lines": [_line(row, computed) for row in computed.rows],
        "footing": [
            {"check": check.check, "code": check.code, "state": check.state, "ok": check.ok, "detail": check.detail}
            for check in checks
        ],
    }
    if computed.view.is_part:
        content["part"] = computed.view.part
    if stamp is not None:
        content["origin"] = stamp.as_mapping
    return json.dumps(content, ensure_ascii=False, indent=1) + "\n"


CODES = {
    **{title: code for code, title in TITLES.items() if title},
    "Intercompany without a partner": "intercompany",
    "Intercompany names its partners": "intercompany",
    "Not elsewhere": "selections",
    "Selections": "selections",
    "Fence": "fence",
}
"""What checks were called when runs were kept that said no codes."""

FORMER_STATES = {"Intercompany without a partner": WARNS, "Selections": WARNS, "Fence": NOT_JUDGED}
"""Checks that only told something then, and said ok whatever it was."""


def read_checks(run: Mapping[str, Any]) -> list[Check]:
    """The checks of a run that was kept, with codes and states also where it was kept before there were any."""
    found = []
    for told in run["footing"]:
        title, detail = told["check"], told["detail"]
        code = (
            told.get("code") or CODES.get(title) or ("columns" if title.startswith("The columns of ") else "own-check")
        )
        state = told.get("state") or FORMER_STATES.get(title) or (HOLDS if told["ok"] else FAILS)
        if "state" not in told and detail.startswith("Judged in no column"):
            state = NOT_JUDGED
        found.append(Check(code, state, detail, title=title))
    return found


def pages_json(pages: Sequence[str], stamp: Stamp | None = None) -> str:
    """Several runs as one JSON document: `{"pages": [...]}`."""
    content: dict[str, Any] = {"pages": [json.loads(page) for page in pages]}
    if stamp is not None:
        content["origin"] = stamp.as_mapping
    return json.dumps(content, ensure_ascii=False, indent=1) + "\n"


def _column(column: Column) -> dict[str, Any]:
    content: dict[str, Any] = {"key": column.key, "heading": column.heading}
    if column.groups:
        content["groups"] = list(column.groups)
    if column.note:
        content["note"] = column.note
    return _hidden(content, column.hidden)


def _hidden(content: dict[str, Any], hidden: bool) -> dict[str, Any]:
    return {**content, "hidden": True} if hidden else content


def _line(row: Row, computed: Computed) -> dict[str, Any]:
    values = [
        value_text(row, column, value, computed.plan.node_of(column).digits)
        for column, value in zip(computed.columns, row.values, strict=True)
    ]
    line: dict[str, Any] = {
        "key": row.key,
        "label": row.label,
        "kind": row.kind,
        "depth": row.depth,
        "codes": list(row.codes),
        "values": values,
    }
    if row.texts:
        line["texts"] = row.texts
    if row.shown is not None:
        line["rounded"] = [None if value is None else exact_text(value, 0) for value in row.shown]
    notes = {
        column.key: word
        for place, column in enumerate(computed.columns)
        if values[place] is None and column.kind != "text" and (word := row.word_at(place))
    }
    if notes:
        line["notes"] = notes
    return _hidden(line, row.hidden)


def as_csv(computed: Computed, stamp: Stamp | None = None) -> str:
    """Shown lines and columns with exact values; n/m where a figure has no meaning, sealed where it may not be told;
    its origin in the last row where it leaves.

    Text that a spreadsheet would take for a formula is led by an apostrophe.
    """
    shown = [place for place, column in enumerate(computed.columns) if not column.hidden]
    file = io.StringIO()
    writer = csv.writer(file, lineterminator="\r\n")
    heads = [computed.columns[place] for place in shown]
    writer.writerow(
        ["line", *(plain_text(f"{head.group}, {head.heading}" if head.group else head.heading) for head in heads)]
    )
    for row in computed.rows:
        if row.hidden:
            continue
        writer.writerow([plain_text(row.label), *(_csv_cell(row, computed, place) for place in shown)])
    if computed.view.is_part:
        writer.writerow([f"Part of the whole: {computed.view.part}", *("" for _ in shown)])
    if stamp is not None:
        writer.writerow([plain_text(stamp.line), *("" for _ in shown)])
    return file.getvalue()


def _csv_cell(row: Row, computed: Computed, place: int) -> str:
    column = computed.columns[place]
    if column.kind == "text":
        return plain_text(cell_words(row, column, computed))
    text = value_text(row, column, row.values[place], computed.plan.node_of(column).digits)
    if text is not None:
        return text
    return row.word_at(place)
