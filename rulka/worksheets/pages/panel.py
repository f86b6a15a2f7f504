"""The side panel of a worksheet: the chosen cell, what is behind it, the parameters, the sheet."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET

from rulka.core.books.book import View
from rulka.core.compute.computed import Computed
from rulka.core.errors import NotFound, RulkaError
from rulka.core.money import GAP, MINUS
from rulka.core.sheet.addresses import Box, Key, cell_text, read_cell
from rulka.core.sheet.number_format import write
from rulka.core.sheet.parameters import KINDS, Parameter, choices_of, parameter_from
from rulka.core.sheet.showing import Shower
from rulka.core.sheet.tracing import FIGURE, computed_for, trace_cell_value
from rulka.core.sheet.values import SheetError
from rulka.core.sheet.workbook import LOOK_KEYS, Sheet
from rulka.core.values import is_whole, key_in
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import find_ledger
from rulka.ledger.reading.trace_address import said_in
from rulka.ledger.reading.trace_levels import Crumb, Level, Places
from rulka.ledger.reading.trace_panel import leading, trace_panel
from rulka.ledger.seat import Seat
from rulka.statements.library.shelves import shelves_seen
from rulka.worksheets.editing.actions import PAPERS
from rulka.worksheets.library.links import links_of
from rulka.worksheets.models import Worksheet
from rulka.worksheets.pages.blocks import blocks_context
from rulka.worksheets.pages.check import check_context
from rulka.worksheets.pages.formula import formula_context
from rulka.worksheets.pages.readers import Asked, asked_for
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

Builder = Callable[[Asked, Live, Key, QueryDict], dict[str, Any]]


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
        context = panel_context(asked, live, sheet, request.GET)
    return render(request, "worksheets/_panel.html", context)


def panel_context(page: Asked, live: Live, sheet: Sheet, asked: QueryDict) -> dict[str, Any]:
    """Template and context of the panel for an address."""
    seat, worksheet = page.seat, page.worksheet
    at = read_cell(asked.get("cell", "A1")) or (0, 0)
    key = (sheet.number, *at)
    kind = asked.get("panel", "")
    if kind not in dict(TABS):
        kind = "parameters" if live.workbook.parameters else "cell"
    where = {"sheet": sheet.number, "cell": cell_text(*at)}
    context: dict[str, Any] = {
        "seat": seat,
        "worksheet": worksheet,
        "may_change": page.may_change,
        "panel": kind,
        "sheet": sheet,
        "cell": cell_text(*at),
        "live": live,
        "tabs": [(tab, title, urlencode({**where, "panel": tab})) for tab, title in TABS],
        "panel_url": reverse("worksheet-panel", args=[worksheet.name]),
        "trace_base": f"{seat.query}&{urlencode({**where, 'panel': 'trace'})}",
        "parameters": shown_parameters(live, seat),
    }
    builders: dict[str, Builder] = {
        "cell": _cell,
        "formula": formula_context,
        "trace": _trace,
        "check": check_context,
        "parameters": _parameters,
        "blocks": blocks_context,
        "sheet": _sheet,
    }
    try:
        context |= builders[kind](page, live, key, asked)
    except RulkaError as error:
        context |= {"refused": error, "crumbs": [Crumb(cell_text(*at), "ask="), Crumb("", "")]}
    return context


def _cell(page: Asked, live: Live, key: Key, asked: QueryDict) -> dict[str, Any]:
    shower = live.shower()
    shown = shower.shown(key)
    look = shower.look(key)
    own = next(
        (one for one in live.parameters if (one.sheet, *one.cell) == key),
        None,
    )
    anchor = live.calculation.anchor_of(key)
    number = str(look.get("number", ""))
    return {
        "template": "worksheets/_panel_cell.html",
        "shown": shown,
        "look": dict.fromkeys(LOOK_KEYS, "") | look,
        "numbers": [*NUMBERS, *([(number, number)] if number and number not in dict(NUMBERS) else [])],
        "number": number,
        "fills": FILLS,
        "inferred": "" if number else shower.number(key),
        "input": shower.cell(key).input,
        "anchor": cell_text(anchor[1], anchor[2]) if anchor != key else "",
        "spilled": live.calculation.spills.get(key),
        "is_parameter": own is not None,
        "own": own or Parameter("", "", key[0], (key[1], key[2])),
        "own_choices": _written_choices(own) if own else "",
        "kinds": KINDS,
        "comment": live.workbook.sheet(key[0]).settings.get("comments", {}).get(f"{key[1]},{key[2]}"),
        "former": marks_of(page.worksheet, page.seat.person, key[0]).get(f"{key[1]},{key[2]}", ""),
    }


def _written_choices(own: Parameter) -> str:
    """Choices as they are typed: `TF=Ferries; TQ=Quays`, or the cells that hold them."""
    return own.listed or "; ".join(f"{code}={title}" if title else code for code, title in own.choices)


def _sheet(page: Asked, live: Live, key: Key, asked: QueryDict) -> dict[str, Any]:
    settings = live.workbook.sheet(key[0]).settings
    return {
        "template": "worksheets/_panel_sheet.html",
        "frozen": settings.get("frozen", [0, 0]),
        "names": sorted(live.workbook.names.items()),
        "states": page.worksheet.saved.select_related("person")[:30],
        "steps": page.worksheet.steps.select_related("person")[:20],
        "shelves": shelves_seen(page.seat.ledger, page.seat.person),
        "openings": Worksheet.Opening.choices,
        "setup": {**SETUP, **settings.get("print", {})},
        "papers": PAPERS,
        "gridlines": settings.get("gridlines") != "off",
        "rules": [
            {**rule, "cells": Box(*rule["box"]).text(), "number": number}
            for number, rule in enumerate(settings.get("hiding", ()))
        ],
        "pictures": [
            {
                **one,
                "at": cell_text(one["box"][0], one["box"][1]),
                "drawn": is_drawn(one),
                "cells": Box(*one["of"]).text() if "of" in one else "",
                "title": one.get("title") or one.get("name", ""),
            }
            for one in settings.get("pictures", ())
        ],
        "to_place": drawings_to_place(page.seat.ledger, page.seat.person),
        "links": links_of(page.worksheet, page.seat.person)[:30],
        "now": timezone.now(),
    }


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


def _parameters(page: Asked, live: Live, key: Key, asked: QueryDict) -> dict[str, Any]:
    asks = not asked.get("panel") and any(parameter.ask for parameter in live.parameters)
    return {"template": "worksheets/_panel_parameters.html", "asks": asks}


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
            codes = ", ".join(one.code for one in odd[:3]) + (f" and {len(odd) - 3} more" if len(odd) > 3 else "")
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


def _trace(page: Asked, live: Live, key: Key, asked: QueryDict) -> dict[str, Any]:
    seat, calculation, shower = page.seat, live.calculation, live.shower()
    trace = trace_cell_value(calculation, key)
    questions = [part for part in trace.parts if part.question is not None]
    if is_whole(asked.get("ask", "")):
        number = key_in(str(asked["ask"]))
        ledger, view, computed = traced_question(seat, live, key, number)
        return _question(page, key, number, trace_panel(ledger, view, computed, figure_state(asked)), asked)
    shown = shower.shown(key)
    return {
        "template": "worksheets/_panel_trace.html",
        "cell_trace": trace,
        "shown": shown,
        "parts": [_part(shower, part, key, questions) for part in trace.parts],
    }


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


def _question(page: Asked, key: Key, number: int, shown: Level, asked: QueryDict) -> dict[str, Any]:
    """A trace of a question: where it leads, and what can be taken of it."""
    seat, name = page.seat, page.worksheet.name
    where = {"sheet": str(key[0]), "cell": cell_text(key[1], key[2]), "panel": "trace", "ask": str(number)}
    base = f"{seat.query}&{urlencode(where)}"
    places = Places(
        reverse("worksheet", args=[name]),
        reverse("worksheet-trace", args=[name]),
        lambda form: reverse("worksheet-take", args=[name, form]),
        lambda taker: reverse(taker, args=["worksheet", name]),
    )
    room = bool(asked.get("room"))
    level = replace(shown, crumbs=[Crumb(where["cell"], "ask="), *shown.crumbs])
    return {
        "trace": leading(level, base, places, room=room, may_take=seat.person.may_edit),
        "agrees": level.agrees,
        "wide": level.wide,
        "trace_base": base,
        "state": said_in(asked),
    }


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
