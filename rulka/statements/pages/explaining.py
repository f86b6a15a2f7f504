"""Requests about variances: the list of what exceeds its threshold, any comparison, and what people say about it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from rulka.core.compute.nodes import Node
from rulka.core.definitions.thresholds import read_threshold
from rulka.core.edits.comparing import BEFORE, LOOKED_AT, comparison
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.proof.splits import open_figure
from rulka.core.proof.terms import sides_of
from rulka.core.proof.timing import timing_of
from rulka.core.proof.variances import Variance, by_size, opposite_of, variances
from rulka.core.values import key_in
from rulka.formats.figures import figure_text, style_of, verdict_of, written
from rulka.ledger.reading.queries import scenario_titles
from rulka.ledger.seat import Seat, seat_of
from rulka.screen import Screen
from rulka.statements.editing import edit as editing
from rulka.statements.editing import explaining
from rulka.statements.editing.explaining import MOST_BYTES, ExplainRequest
from rulka.statements.library.assemble import Definitions
from rulka.statements.library.opening import open_statement
from rulka.statements.pages.edit import address, answer
from rulka.statements.pages.panel import Said, refused
from rulka.statements.pages.statement import trace_room
from rulka.statements.running.compared import with_comparison
from rulka.statements.running.explained import Explained, explained_of, progress_of
from rulka.statements.running.runs import RunOutcome

MOST_SHOWN = 200
MOST_HINTED = 20


@dataclass(frozen=True)
class ShownVariance:
    """One row of the list, figures in the statement's own words."""

    number: int
    label: str
    heading: str
    shown: str
    compared: str
    figure: str
    percent: str
    verdict: str
    exceeds: bool
    state: str
    kind: str
    owner: str
    hint: str
    drivers: str
    explain: str


@dataclass(frozen=True)
class FoundVariances:
    """What was found: the first rows of `count`, how many lie within their thresholds (`judged` whether there are any),
    the comparison as addresses carry it, how many have nothing to compare with (`zero`), and what is closed."""

    rows: Sequence[ShownVariance]
    count: int
    left_out: int
    judged: bool
    compare: str
    progress: Sequence[tuple[str, int, int]]
    node: Node
    unit: str
    beyond: str
    zero: int
    closed: Sequence[Explained]


@dataclass(frozen=True, kw_only=True)
class VariancesPage(Screen):
    """What exceeds its threshold, the largest first; `given` is what was asked to be compared with what, `every`
    whether the others show too."""

    html = "statements/variances.html"
    where: str = "statements"
    seat: Seat
    name: str
    title: str
    given: Mapping[str, Any]
    scenarios: Sequence[tuple[str, str]]
    others: Sequence[tuple[str, str]]
    windows: Sequence[str]
    every: str
    found: FoundVariances | None
    problem: RulkaError | None


@require_GET
def variances_page(request: HttpRequest, name: str) -> HttpResponse:
    """What exceeds its threshold, the largest first: in the statement's own differences, or in any comparison."""
    seat = seat_of(request)
    definitions = open_statement(seat.ledger, name, person=seat.person)
    given = {
        "shown": request.GET.get("shown", "actual"),
        "against": request.GET.getlist("against"),
        "look": request.GET.get("look", "year to date"),
        "beyond": request.GET.get("beyond", ""),
    }
    every, titles = request.GET.get("every", ""), scenario_titles(seat.ledger)
    scenarios = [(code, titles.get(code, code)) for code in seat.view.frame.scenarios]
    found, problem = None, None
    try:
        found = _found(seat, definitions, given, every=bool(every))
    except RulkaError as error:
        problem = error
    return VariancesPage(
        seat=seat,
        name=definitions["statement"].name,
        title=definitions["statement"].title,
        given=given,
        scenarios=scenarios,
        others=[*scenarios, *((name, name) for name in BEFORE)],
        windows=LOOKED_AT,
        every=every,
        found=found,
        problem=problem,
    ).response(request, status=422 if problem else 200)


def _found(seat: Seat, definitions: Definitions, given: dict[str, Any], *, every: bool) -> FoundVariances:
    compare = ""
    if given["against"]:
        asked = comparison(given["shown"], given["against"], given["look"], seat.view.frame.scenarios)
        definitions, compare = with_comparison(definitions, asked), asked.text
    outcome = editing.outcome_of(definitions, editing.edit_sight(seat, definitions["statement"]))
    computed = outcome.computed
    threshold = read_threshold(given["beyond"], "beyond") if given["beyond"] else None
    columns = [column.key for column in computed.columns if column.kind == "difference"] if compare else []
    largest_first = by_size(variances(computed, columns))

    def exceeds(variance: Variance) -> bool:
        return threshold.exceeded(variance.value, variance.compared) if threshold else variance.exceeds

    judged = threshold is not None or any(variance.threshold for variance in largest_first)
    shown = [variance for variance in largest_first if every or not judged or exceeds(variance)]
    explained = [] if compare else explained_of(seat.ledger, computed, seat.readers)
    by_key = {explanation.item.key: explanation for explanation in explained}
    base = f"{seat.query}&{urlencode({'compare': compare})}" if compare else seat.query
    rows = []
    for number, variance in enumerate(shown[:MOST_SHOWN]):
        hinted = shown if number < MOST_HINTED else ()
        rows.append(_row(outcome, variance, by_key.get(variance.key), base, judged and exceeds(variance), hinted))
    return FoundVariances(
        rows=rows,
        count=len(shown),
        left_out=len(largest_first) - len(shown),
        judged=judged,
        compare=compare,
        progress=progress_of(explained),
        node=computed.node,
        unit=computed.statement.unit,
        beyond=given["beyond"] or computed.statement.explain.beyond.written,
        zero=sum(1 for variance in shown if not variance.compared),
        closed=[explanation for explanation in explained if explanation.item.state == "closed"],
    )


def _row(
    outcome: RunOutcome, variance: Variance, one: Explained | None, base: str, exceeds: bool, among: Sequence[Variance]
) -> ShownVariance:
    computed, row, column = outcome.computed, variance.row, variance.column
    style = style_of(row, column, computed)
    place = urlencode({"row": row.key, "column": column.key})
    item = one.item if one else None
    return ShownVariance(
        item.number if item else 0,
        row.label,
        _compared_with(outcome, variance),
        written(variance.shown, style),
        written(variance.compared, style),
        written(variance.value, style),
        "nothing to compare with" if variance.percent is None else f"{figure_text(variance.percent * 100, digits=1)} %",
        verdict_of(row, computed.place(column.key), column, variance.value),
        exceeds,
        item.state if item else "",
        item.state.replace(" ", "-") if item else "",
        one.owner.called if one and one.owner else "",
        _hint(outcome, variance, among) if among else "",
        f"{base}&panel=trace&{place}&by=drivers&room=yes",
        f"{base}&panel=explain&{place}" if item else "",
    )


def _compared_with(outcome: RunOutcome, variance: Variance) -> str:
    """What a variance is compared with, and its time."""
    columns = sides_of(outcome.computed, variance.column.key)
    heading = columns[1].heading if columns else ""
    group = variance.column.group or (columns[1].group if columns else "")
    return ", ".join(dict.fromkeys(filter(None, (heading, group))))


def _hint(outcome: RunOutcome, variance: Variance, among: Sequence[Variance]) -> str:
    """That a variance is a matter of time or place, in a few words."""
    try:
        found = timing_of(open_figure(outcome.computed, *variance.key)).hints
    except RulkaError as error:
        if error.code != "sealed":
            raise
        return ""
    words = {"elsewhere": "stands in", "ahead": "comes in", "last year": "as in"}
    told = [f"{hint.label} {words[hint.kind]} {hint.title}" for hint in found[:1]]
    other = opposite_of(outcome.computed, variance, among)
    return "; ".join([*told, *([f"{other.row.label} has as much the other way"] if other else [])])


# what people do about them ------------------------------------------------------------------------------------------

Doing = Callable[[ExplainRequest, HttpRequest], Any]


def _attach(asked: ExplainRequest, request: HttpRequest) -> Any:
    file = request.FILES.get("file")
    if file is None:
        raise RulkaError("No file came.", hint="Choose one.", subject="file")
    if (file.size or 0) > MOST_BYTES:
        raise RulkaError("The file is larger than 5 MB.", hint="Attach a smaller one.", subject="file")
    return explaining.attach(asked, file.name or "file", file.read(MOST_BYTES + 1))


ACTS: dict[str, tuple[Doing, str]] = {
    "explain": (lambda asked, request: explaining.explain(asked, request.POST.get("text", "")), "Explained."),
    "accept": (lambda asked, request: explaining.accept(asked), "Accepted."),
    "send-back": (lambda asked, request: explaining.send_back(asked, request.POST.get("remark", "")), "Sent back."),
    "assign": (
        lambda asked, request: explaining.assign(asked, request.POST.get("owner", ""), request.POST.get("due", "")),
        "Put down.",
    ),
    "prove": (
        lambda asked, request: explaining.prove(asked, *_entry(request.POST.get("entry", ""))),
        "Kept as proof.",
    ),
    "disprove": (
        lambda asked, request: explaining.disprove(asked, *_entry(request.POST.get("entry", ""))),
        "No longer proof.",
    ),
    "attach": (_attach, "Attached."),
    "detach": (lambda asked, request: explaining.detach(asked, request.POST.get("file", "")), "Taken away."),
}


def _entry(text: str) -> tuple[str, str]:
    """Entity and number, as somebody types or copies them."""
    entity, gap, number = text.strip().partition(" ")
    if not gap or not number.strip():
        raise RulkaError(
            f"'{text[:40]}' names no entry.", hint="Write its entity and number: TF TF-PA2610-0012.", subject="entry"
        )
    return entity, number.strip()


def _asked(seat: Seat, definitions: Definitions, given: Any) -> ExplainRequest:
    outcome = editing.outcome_of(definitions, editing.edit_sight(seat, definitions["statement"]))
    return ExplainRequest(
        seat.ledger,
        outcome,
        seat.person,
        given.get("row", ""),
        given.get("column", ""),
        key_in(given.get("version", "")),
        given.get("figure", ""),
    )


@require_POST
def explain(request: HttpRequest, name: str) -> HttpResponse:
    """Do something about a variance, and show it again where it was done."""
    seat = seat_of(request)
    definitions = open_statement(seat.ledger, name, person=seat.person)
    name, room = definitions["statement"].name, bool(request.POST.get("room"))
    asked = address(request.POST, panel="explain", row=request.POST.get("row", ""))
    do = request.POST.get("do", "")
    try:
        if do not in ACTS:
            raise NotFound(f"Nothing is called '{do[:40]}'.", hint=one_of(do, ACTS), subject="explanation")
        act, done = ACTS[do]
        act(_asked(seat, definitions, request.POST), request)
    except RulkaError as error:
        if room:
            asked["by"] = "drivers"
            return trace_room(request, seat, definitions, asked, refused(error, request.POST))
        return answer(request, seat, name, asked, refused(error, request.POST))
    if room:
        asked["by"], asked["panel"] = "drivers", "trace"
        return redirect(f"{reverse('statement-trace', args=[name])}?{seat.query}&{asked.urlencode()}")
    return answer(request, seat, name, asked, Said(done=done))


@require_GET
def explanation_file(request: HttpRequest, name: str, number: str) -> HttpResponse:
    """A file that was attached, to be kept; never shown in the browser."""
    seat = seat_of(request)
    definitions = open_statement(seat.ledger, name, person=seat.person)
    file = explaining.find_file(_asked(seat, definitions, request.GET), number)
    response = HttpResponse(bytes(file.data), content_type="application/octet-stream")
    response["Content-Disposition"] = content_disposition_header(True, file.name) or "attachment"
    return response
