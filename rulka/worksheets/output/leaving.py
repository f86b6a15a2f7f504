"""Files of worksheets: they name their origin as those of statements do, and are held against the worksheet as it is
now."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable
from dataclasses import replace
from typing import Any

from rulka.core.books.fence import Fence
from rulka.core.errors import RulkaError
from rulka.core.proof.origin import ReadCell, ReadPart, altered
from rulka.formats.output.stamp import Stamp
from rulka.ledger.leaving import leave_as
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import view_of
from rulka.people.models import Person
from rulka.statements.library.shelves import RUN
from rulka.statements.models import Template
from rulka.statements.output.origins import OriginKind, Page, Since, shelf_by_name
from rulka.statements.output.row_origins import TRACE
from rulka.statements.output.templates import filled, with_template
from rulka.work.models import LeftFile
from rulka.work.services.leaving import Left, digest_of
from rulka.worksheets.models import Worksheet
from rulka.worksheets.output.runs import as_json
from rulka.worksheets.running.drawn import is_drawn
from rulka.worksheets.running.live import Live, WorksheetReader, opened


def _is_drawn(live: Live) -> bool:
    """Whether a sheet holds a picture drawn of cells, whose figures are none of a statement."""
    pictures = (one for sheet in live.workbook.sheets for one in sheet.settings.get("pictures", ()))
    return any(is_drawn(one) and "of" not in one for one in pictures)


def leave(
    live: Live, form: str, write: Callable[[Stamp], str | bytes], *, mode: str = "values",
    template: Template | None = None,
) -> bytes:  # fmt: skip
    """A file of a worksheet as somebody sees it, with its origin; a workbook is filled into a template where one is
    given."""
    worksheet, reader = live.worksheet, live.reader
    person = reader.person
    told = json.loads(as_json(worksheet, live))["sheets"]
    page = {
        "worksheet": worksheet.name,
        "shelf": worksheet.shelf_id,
        "period": reader.period.code,
        "node": reader.node,
        "values": dict(live.values),
        "sheets": [sheet.name for sheet in live.workbook.sheets],
        "lines": reader.view.fence.shows_lines,
        "bodies": digest_of(_inputs(told)),
        "run": {"lines": [[sheet["name"], _values(sheet)] for sheet in told]},
        "mode": mode,
        "drawn": _is_drawn(live),
    }
    left = Left(
        reader.ledger.code,
        "worksheet",
        worksheet.name,
        reader.period.code,
        reader.node,
        reader.view.revision,
        reader.view.fence.all_the_way_down.digest,
        [page],
        person.pk if person else None,
        person.called if person else "",
    )

    def made(stamp: Stamp) -> str | bytes:
        content = write(stamp)
        return content if template is None or isinstance(content, str) else filled(template, content)

    return leave_as(with_template(left, template), form, made)


def with_sheets(live: Live, names: Iterable[str]) -> Live:
    """The same worksheet with some of its sheets only, in its own order; with all where none is named. Raises NotFound
    for one that it hasn't."""
    wanted = {live.workbook.sheet_named(name).number for name in names}
    if not wanted or len(wanted) == len(live.workbook.sheets):
        return live
    sheets = [sheet for sheet in live.workbook.sheets if sheet.number in wanted]
    return replace(live, workbook=replace(live.workbook, sheets=sheets))


def _inputs(sheets: list[dict[str, Any]]) -> list[Any]:
    """What was typed into a worksheet, but for what spilled into it."""
    return [
        [sheet["name"], {cell["at"]: cell["input"] for cell in sheet["cells"] if cell["input"]}] for sheet in sheets
    ]


def _values(sheet: dict[str, Any]) -> dict[str, str]:
    return {cell["at"]: str(cell["value"]) for cell in sheet["cells"] if cell["value"] not in (None, "")}


def _parts(lines: list[Any]) -> list[ReadPart]:
    return [ReadPart(name, {at: ReadCell(value) for at, value in cells.items()}) for name, cells in lines]


def _since(left: LeftFile, page: Page, ledger: Ledger, fence: Fence, person: Person | None) -> Since:
    """What of its cells is another value now, as long as what is typed into it is the same."""
    named = page["worksheet"], page["node"]
    worksheet = Worksheet.objects.filter(ledger=ledger, name=page["worksheet"]).first()
    if worksheet is None:
        return Since(*named, why="The worksheet was deleted.")
    try:
        view = view_of(ledger, fence)
        reader = WorksheetReader(ledger, view, view.frame.calendar.period(page["period"]), page["node"], person)
        with opened(worksheet, reader, page["values"]) as live:
            told = json.loads(as_json(worksheet, with_sheets(live, page.get("sheets", ()))))["sheets"]
    except RulkaError as error:
        return Since(*named, why=str(error))
    if digest_of(_inputs(told)) != page["bodies"]:
        return Since(*named, why="What is typed into it was changed since.")
    now = [[sheet["name"], _values(sheet)] for sheet in told]
    return Since(*named, cells=altered(_parts(page["run"]["lines"]), _parts(now)))


OF_TRACE = replace(TRACE, shelf=shelf_by_name(Worksheet, "name"))
"""Rows of a trace of a worksheet's cell."""

KIND = OriginKind(shelf_by_name(Worksheet, "worksheet"), lambda page: RUN, lambda page: bool(page["lines"]), _since)
