"""The side panel of a worksheet: the chosen cell, what is behind it, the parameters, the sheet."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse, QueryDict
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET

from rulka.core.books.book import View
from rulka.core.compute.computed import Computed
from rulka.core.errors import NotFound, RulkaError, first_of
from rulka.core.money import GAP, MINUS
from rulka.core.sheet.addresses import Box, Key, cell_text, read_cell
from rulka.core.sheet.number_format import write
from rulka.core.sheet.parameters import KINDS, Parameter, choices_of, parameter_from
from rulka.core.sheet.showing import Shower, ShownValue
from rulka.core.sheet.tracing import FIGURE, CellTrace, computed_for, trace_cell_value
from rulka.core.sheet.values import Array, SheetError
from rulka.core.sheet.workbook import LOOK_KEYS, Sheet
from rulka.core.values import is_whole, key_in
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import find_ledger
from rulka.ledger.reading.trace_address import said_in
from rulka.ledger.reading.trace_levels import Crumb, Level, TraceAddresses, TracePanel
from rulka.ledger.reading.trace_panel import leading, trace_panel
from rulka.ledger.seat import Seat
from rulka.screen import PanelBody, Screen
from rulka.statements.library.shelves import shelves_seen
from rulka.statements.models import Shelf
from rulka.worksheets.editing.actions import PAPERS
from rulka.worksheets.library.links import links_of
from rulka.worksheets.models import LiveLink, SavedState, SheetStep, Worksheet
from rulka.worksheets.pages.blocks import blocks_panel
from rulka.worksheets.pages.check import check_panel
from rulka.worksheets.pages.formula import formula_panel
from rulka.worksheets.pages.readers import WorksheetRequest, asked_for
from rulka.worksheets.running.drawn import drawings_to_place, is_drawn
from rulka.worksheets.running.live import Live, opened
from rulka.worksheets.running.options import listed_for
from rulka.worksheets.running.revisions import marks_of

TABS = (
    ("cell", "Cell"),
    ("formula", "Formula"),
    ("trace", "Trace"),
    ("check", "Check"),
    ("parameters", "Parameters"),
    ("blocks", "Blocks"),
    ("sheet", "Sheet"),
)
NUMBERS = (
    ("", "as it comes"),
    ("#,##0.00", "amount, 1 234.50"),
    ("#,##0", "whole, 1 235"),
    ("#,##0,", "thousands, 1"),
    ("0.0%", "percent, 12.5 %"),
    ("0.00", "plain, 1234.50"),
    ("yyyy-mm-dd", "day, 2026-10-31"),
    ("d mmmm yyyy", "day in words, 31 October 2026"),
    ("mmmm yyyy", "month, October 2026"),
    ("@", "text"),
)


FILLS = (("wash", "green wash"), ("note", "ochre"), ("alarm", "madder"), ("head", "head"), ("input", "input"))


SETUP = {"paper": "A4", "way": "landscape", "fit": True, "lines": False, "head": "", "foot": "", "cells": ""}
"""How a sheet is printed where nobody said."""

Builder = Callable[[WorksheetRequest, Live, Key, QueryDict], PanelBody]


@dataclass(frozen=True)
class ShownParameter:
    """A parameter in the panel: its value, what may be chosen, its steps."""

    parameter: Parameter
    value: str
    choices: tuple[tuple[str, str], ...]
    former: str = ""
    following: str = ""
    said: str = ""


@require_GET
def panel(request: HttpRequest, name: str) -> HttpResponse:
    """Only the side panel."""
    asked = asked_for(request, name)
    with opened(asked.worksheet, asked.reader) as live:
        number = key_in(request.GET.get("sheet", ""))
        sheet = live.workbook.sheet(number) if number else live.workbook.sheets[0]
        return worksheet_panel(asked, live, sheet, request.GET).response(request)


@dataclass(frozen=True, kw_only=True)
class WorksheetPanel(Screen):
    """The side panel: its tabs (name, title, address) and below them the `body` of one, or why there is none with the
    way back. `panel` is what it shows, `cell` the chosen one."""

    html = "worksheets/_panel.html"
    seat: Seat
    worksheet: Worksheet
    may_change: bool
    panel: str
    sheet: Sheet
    cell: str
    tabs: Sequence[tuple[str, str, str]]
    panel_url: str
    trace_base: str
    parameters: Sequence[ShownParameter]
    body: PanelBody | None
    refused: RulkaError | None
    crumbs: Sequence[Crumb]
    wide: bool


def worksheet_panel(page: WorksheetRequest, live: Live, sheet: Sheet, asked: QueryDict) -> WorksheetPanel:
    """The panel for an address, which `asked` holds."""
    seat, worksheet = page.seat, page.worksheet
    at = read_cell(asked.get("cell", "A1")) or (0, 0)
    kind, cell = asked.get("panel", ""), cell_text(*at)
    if kind not in dict(TABS):
        kind = "parameters" if live.workbook.parameters else "cell"
    where = {"sheet": sheet.number, "cell": cell}
    body, refused = None, None
    try:
        body = BODIES[kind](page, live, (sheet.number, *at), asked)
    except RulkaError as error:
        refused = error
    return WorksheetPanel(
        seat=seat,
        worksheet=worksheet,
        may_change=page.may_change,
        panel=kind,
        sheet=sheet,
        cell=cell,
        tabs=[(tab, title, urlencode({**where, "panel": tab})) for tab, title in TABS],
        panel_url=reverse("worksheet-panel", args=[worksheet.name]),
        trace_base=_trace_base(seat, where, asked.get("ask", "") if kind == "trace" else ""),
        parameters=shown_parameters(live, seat),
        body=body,
        refused=refused,
        crumbs=[Crumb(cell, "ask="), Crumb("", "")] if refused else (),
        wide=body.wide if body else False,
    )


def _trace_base(seat: Seat, where: Mapping[str, Any], ask: str) -> str:
    """What an address of a trace has to carry: the cell, and which of its questions is traced."""
    asks = {"ask": ask} if is_whole(ask) else {}
    return f"{seat.query}&{urlencode({**where, 'panel': 'trace', **asks})}"


@dataclass(frozen=True, kw_only=True)
class CellPanel(PanelBody):
    """A cell: what it shows and holds, how it looks, the formula it belongs to (`anchor`, how far it `spilled`), its
    comment, the parameter it is (`own`), what it showed before the last step to newer figures (`former`)."""

    html = "worksheets/_panel_cell.html"
    shown: ShownValue
    look: Mapping[str, Any]
    numbers: Sequence[tuple[str, str]]
    number: str
    inferred: str
    anchor: str
    spilled: Array | None
    is_parameter: bool
    own: Parameter
    own_choices: str
    comment: Mapping[str, str] | None
    former: str
    fills: Sequence[tuple[str, str]] = FILLS
    kinds: Sequence[str] = KINDS


def _cell(page: WorksheetRequest, live: Live, key: Key, asked: QueryDict) -> CellPanel:
    shower = live.shower()
    look = shower.look(key)
    own = next((one for one in live.parameters if (one.sheet, *one.cell) == key), None)
    anchor = live.calculation.anchor_of(key)
    number, place = str(look.get("number", "")), f"{key[1]},{key[2]}"
    return CellPanel(
        shown=shower.shown(key),
        look=dict.fromkeys(LOOK_KEYS, "") | look,
        numbers=[*NUMBERS, *([(number, number)] if number and number not in dict(NUMBERS) else [])],
        number=number,
        inferred="" if number else shower.number(key),
        anchor=cell_text(anchor[1], anchor[2]) if anchor != key else "",
        spilled=live.calculation.spills.get(key),
        is_parameter=own is not None,
        own=own or Parameter("", "", key[0], (key[1], key[2])),
        own_choices=_written_choices(own) if own else "",
        comment=live.workbook.sheet(key[0]).settings.get("comments", {}).get(place),
        former=marks_of(page.worksheet, page.seat.person, key[0]).get(place, ""),
    )


def _written_choices(own: Parameter) -> str:
    """Choices as they are typed: `TF=Ferries; TQ=Quays`, or the cells that hold them."""
    return own.listed or "; ".join(f"{code}={title}" if title else code for code, title in own.choices)


@dataclass(frozen=True)
class ShownRule:
    """A rule that hides rows or columns where cells say so."""

    number: int
    axis: str
    kind: str
    cells: str


@dataclass(frozen=True)
class ShownPicture:
    """A picture or drawing on the sheet: where it lies (`at`), of which cells it is drawn, if of cells."""

    picture: str
    at: str
    width: int
    height: int
    drawn: bool
    cells: str
    title: str


@dataclass(frozen=True, kw_only=True)
class SheetPanel(PanelBody):
    """The sheet's settings, what lies on it, names, saved states and steps of the worksheet, and links to it."""

    html = "worksheets/_panel_sheet.html"
    frozen: Sequence[int]
    names: Sequence[tuple[str, str]]
    states: Sequence[SavedState]
    steps: Sequence[SheetStep]
    shelves: Sequence[Shelf]
    setup: Mapping[str, Any]
    gridlines: bool
    rules: Sequence[ShownRule]
    pictures: Sequence[ShownPicture]
    to_place: Sequence[tuple[str, str]]
    links: Sequence[LiveLink]
    now: datetime
    openings: Sequence[tuple[str, str]] = tuple(Worksheet.Opening.choices)
    papers: Sequence[str] = PAPERS


def _sheet(page: WorksheetRequest, live: Live, key: Key, asked: QueryDict) -> SheetPanel:
    settings, worksheet = live.workbook.sheet(key[0]).settings, page.worksheet
    ledger, person = page.seat.ledger, page.seat.person
    return SheetPanel(
        frozen=settings.get("frozen", [0, 0]),
        names=sorted(live.workbook.names.items()),
        states=list(worksheet.saved.select_related("person")[:30]),
        steps=list(worksheet.steps.select_related("person")[:20]),
        shelves=shelves_seen(ledger, person),
        setup={**SETUP, **settings.get("print", {})},
        gridlines=settings.get("gridlines") != "off",
        rules=[
            ShownRule(number, rule["axis"], rule["kind"], Box(*rule["box"]).text())
            for number, rule in enumerate(settings.get("hiding", ()))
        ],
        pictures=[_picture(one) for one in settings.get("pictures", ())],
        to_place=drawings_to_place(ledger, person),
        links=list(links_of(worksheet, person)[:30]),
        now=timezone.now(),
    )


def _picture(raw: Mapping[str, Any]) -> ShownPicture:
    return ShownPicture(
        raw["picture"],
        cell_text(raw["box"][0], raw["box"][1]),
        raw["width"],
        raw["height"],
        is_drawn(raw),
        Box(*raw["of"]).text() if "of" in raw else "",
        raw.get("title") or raw.get("name", ""),
    )


# parameters -----------------------------------------------------------------------------------------------------------


def shown_parameters(live: Live, seat: Seat) -> list[ShownParameter]:
    """The parameters as a reader may choose them."""
    found = []
    for raw in live.workbook.parameters:
        parameter = parameter_from(raw)
        choices = tuple(choices_of(parameter, seat.view, listed_for(live, parameter)))
        value = live.values.get(parameter.name, "")
        codes = [code for code, _ in choices]
        place = codes.index(value) if value in codes else -1
        found.append(
            ShownParameter(
                parameter,
                value,
                choices,
                codes[place - 1] if place > 0 else "",
                codes[place + 1] if 0 <= place < len(codes) - 1 else "",
                dict(choices).get(value, ""),
            )
        )
    return found


@dataclass(frozen=True, kw_only=True)
class ParametersPanel(PanelBody):
    """The parameters with their values; `asks` where some are asked for on opening."""

    html = "worksheets/_panel_parameters.html"
    asks: bool


def _parameters(page: WorksheetRequest, live: Live, key: Key, asked: QueryDict) -> ParametersPanel:
    return ParametersPanel(asks=not asked.get("panel") and any(parameter.ask for parameter in live.parameters))


def covers_text(live: Live, sheet: Sheet) -> dict[str, Any] | None:
    """What the status line says of a sheet and the accounts: judged, or not at all."""
    found = live.coverage(sheet)
    if not found:
        return None
    first = found[0]
    told = []
    if first.problem:
        told.append(first.problem)
    for odd, word in ((first.missing, "missing"), (first.twice, "twice")):
        if odd:
            codes = first_of([one.code for one in odd], 3)
            told.append(f"{codes} {'' if word == 'twice' else 'are ' if len(odd) > 1 else 'is '}{word}")
    text = f"{first.covered} of {first.wanted} {first.words}" + (f": {'; '.join(told)}" if told else "")
    return {"text": text, "whole": first.is_whole}


# trace ----------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class ShownCellPart:
    """One thing behind a cell, written out; `query` opens it."""

    label: str
    text: str
    query: str


@dataclass(frozen=True, kw_only=True)
class CellTracePanel(PanelBody):
    """What is behind a cell: the cells that it reads and the questions that it asks."""

    html = "worksheets/_panel_trace.html"
    cell_trace: CellTrace
    shown: ShownValue
    parts: Sequence[ShownCellPart]


def _trace(page: WorksheetRequest, live: Live, key: Key, asked: QueryDict) -> CellTracePanel | TracePanel:
    seat, calculation, shower = page.seat, live.calculation, live.shower()
    trace = trace_cell_value(calculation, key)
    questions = [part for part in trace.parts if part.question is not None]
    if is_whole(asked.get("ask", "")):
        number = key_in(str(asked["ask"]))
        ledger, view, computed = traced_question(seat, live, key, number)
        return _question(page, key, number, trace_panel(ledger, view, computed, figure_state(asked)), asked)
    parts = [_part(shower, part, key, questions) for part in trace.parts]
    return CellTracePanel(cell_trace=trace, shown=shower.shown(key), parts=parts)


BODIES: Mapping[str, Builder] = {
    "cell": _cell,
    "formula": formula_panel,
    "trace": _trace,
    "check": check_panel,
    "parameters": _parameters,
    "blocks": blocks_panel,
    "sheet": _sheet,
}
"""What the panel can show, by its name."""


def figure_state(asked: QueryDict) -> dict[str, str]:
    """What an address says of a trace of a question, which has one line and one column."""
    return {"row": FIGURE, "column": FIGURE, **said_in(asked)}


def traced_question(seat: Seat, live: Live, key: Key, number: int) -> tuple[Ledger, View, Computed]:
    """A question of a cell's formula as a statement that was run; raises NotFound where the cell asks no such."""
    questions = [part.question for part in trace_cell_value(live.calculation, key).parts if part.question is not None]
    if number >= len(questions):
        raise NotFound("The cell asks something else now.", hint="Open its trace again.", subject="trace")
    question = questions[number]
    view = live.source.around.view_of(question.ledger)  # asks for the right
    ledger = find_ledger(question.ledger) if question.ledger else seat.ledger
    return ledger, view, computed_for(question, live.source.amounts)


def _question(page: WorksheetRequest, key: Key, number: int, shown: Level, asked: QueryDict) -> TracePanel:
    """A trace of a question: where it leads, and what can be taken of it."""
    seat, name = page.seat, page.worksheet.name
    cell = cell_text(key[1], key[2])
    base = _trace_base(seat, {"sheet": key[0], "cell": cell}, str(number))
    places = TraceAddresses(
        reverse("worksheet", args=[name]),
        reverse("worksheet-trace", args=[name]),
        lambda form: reverse("worksheet-take", args=[name, form]),
        lambda taker: reverse(taker, args=["worksheet", name]),
    )
    room = bool(asked.get("room"))
    level = replace(shown, crumbs=[Crumb(cell, "ask="), *shown.crumbs])
    return leading(level, base, places, room=room, may_take=seat.person.may_edit)


def _part(shower: Shower, part: Any, key: Key, questions: list[Any]) -> ShownCellPart:
    if part.question is not None:
        return ShownCellPart(part.label, _text(shower, part.value), urlencode({"ask": questions.index(part)}))
    cell: Key = part.cell
    label = part.label
    beside = shower.shown((cell[0], cell[1], 0)).text if cell[2] else ""
    query = urlencode({"sheet": cell[0], "cell": cell_text(cell[1], cell[2]), "panel": "trace"})
    return ShownCellPart(f"{label} {beside}".strip() if len(beside) < 40 else label, shower.shown(cell).text, query)


def _text(shower: Shower, value: Any) -> str:
    return value.code if isinstance(value, SheetError) else write(value, "#,##0.00", gap=GAP, minus=MINUS)
