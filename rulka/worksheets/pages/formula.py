"""The formula guide: the panel of functions and arguments, what arguments may be chosen from, and what a formula would
give."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.http import HttpRequest, HttpResponse, JsonResponse, QueryDict
from django.views.decorators.http import require_GET

from rulka.core.money import GAP, MINUS
from rulka.core.sheet.addresses import Key, read_cell
from rulka.core.sheet.guide import ArgumentHelp, FunctionHelp, functions_by_purpose, help_on, offered, taken_apart
from rulka.core.sheet.number_format import write
from rulka.core.sheet.tokens import FormulaFault
from rulka.core.sheet.values import Array, Scalar, SheetError, Value, as_text
from rulka.core.values import is_whole, key_in
from rulka.screen import PanelBody, Screen
from rulka.worksheets.pages.readers import WorksheetRequest, asked_for
from rulka.worksheets.running.live import Live, opened

MOST_TRIED = 8_192
ROWS = 6
"""Rows of a list that a preview shows."""

MORE = 2
"""Further fields for an argument that repeats."""


@dataclass(frozen=True, kw_only=True)
class FunctionsPanel(PanelBody):
    """The functions by purpose, narrowed by a search."""

    html = "worksheets/_panel_functions.html"
    purposes: Sequence[tuple[str, Sequence[FunctionHelp]]]
    search: str


@dataclass(frozen=True, kw_only=True)
class FunctionPanel(PanelBody):
    """One function with a field for each argument: (place, argument, what is given); the formula's text before and
    after it."""

    html = "worksheets/_panel_formula.html"
    function: FunctionHelp
    fields: Sequence[tuple[int, ArgumentHelp, str]]
    before: str
    after: str


def formula_panel(page: WorksheetRequest, live: Live, key: Key, asked: QueryDict) -> FunctionsPanel | FunctionPanel:
    """Functions by purpose, or one with its arguments: of the cell's own formula, unless another is asked for."""
    text = live.workbook.sheet(key[0]).cell(key[1], key[2]).input
    name, search = asked.get("function", ""), asked.get("search", "")
    at = asked.get("at", "")
    apart = None if name or search or asked.get("list") else taken_apart(text, int(at) if is_whole(at) else None)
    chosen = help_on(name or (apart.function if apart else ""))
    if chosen is None:
        return FunctionsPanel(purposes=functions_by_purpose(search), search=search)
    given = list(apart.arguments) if apart and apart.function == chosen.name else []
    fields = []
    for place in range(max(len(chosen.arguments) + MORE, len(given))):
        argument = chosen.arguments[min(place, len(chosen.arguments) - 1)] if chosen.arguments else None
        if argument is None or (place >= len(chosen.arguments) and not argument.repeats):
            break
        fields.append((place, argument, given[place] if place < len(given) else ""))
    return FunctionPanel(
        function=chosen,
        fields=fields,
        before=apart.before if apart and given else "=",
        after=apart.after if apart and given else "",
    )


@require_GET
def functions(request: HttpRequest) -> JsonResponse:
    """Every function with its signature and one line, for completion while typing."""
    found = [[one.name, one.signature, one.line, one.example] for _, ones in functions_by_purpose() for one in ones]
    return JsonResponse({"functions": sorted(found)})


@require_GET
def offer(request: HttpRequest, name: str) -> JsonResponse:
    """What an argument may be chosen from, inside of the fence."""
    asked = asked_for(request, name, edit=True)
    found = offered(request.GET.get("helper", ""), asked.reader.view, request.GET.get("search", "")[:80])
    return JsonResponse({"offered": found})


@dataclass(frozen=True, kw_only=True)
class Attempt(Screen):
    """What a formula would give: the first rows of texts and the `size` of all, or why it gives none."""

    html = "worksheets/_attempt.html"
    problem: str = ""
    rows: Sequence[Sequence[str]] = ()
    size: str = ""


@require_GET
def attempt(request: HttpRequest, name: str) -> HttpResponse:
    """What a formula would give in a cell, for who may write it there; nothing changes."""
    asked = asked_for(request, name, edit=True)
    text = request.GET.get("text", "")[:MOST_TRIED]
    at = read_cell(request.GET.get("cell", "A1")) or (0, 0)
    with opened(asked.worksheet, asked.reader) as live:
        number = key_in(request.GET.get("sheet", ""))
        sheet = live.workbook.sheet(number) if number else live.workbook.sheets[0]
        try:
            value = live.calculation.tried((sheet.number, *at), text)
        except FormulaFault as fault:
            value = fault.error
    if isinstance(value, SheetError):
        return Attempt(problem=f"{value.code} {value.note}".strip()).response(request)
    rows, size = _rows(value)
    return Attempt(rows=rows, size=size).response(request)


def _rows(value: Value) -> tuple[list[list[str]], str]:
    if not isinstance(value, Array):
        return [[_text(value)]], ""
    rows = [[_text(cell) for cell in row[:3]] for row in value.rows[:ROWS]]
    return rows, f"{value.height:,} rows, {value.width} column{'s' if value.width != 1 else ''}"


def _text(value: Scalar) -> str:
    if isinstance(value, SheetError):
        return value.code
    if isinstance(value, str) or value is None or isinstance(value, bool):
        return as_text(value)
    return write(value, "#,##0.00", gap=GAP, minus=MINUS)
