"""Requests about how a statement leaves the screen: preview, files, the clipboard, editions; and about where it stands:
shelves."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from rulka.core.edits.settings import set_value
from rulka.core.edits.tree import Edited
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.proof.checks import Check, Verdict, verdict_on
from rulka.core.values import whole
from rulka.formats.output.table import as_table
from rulka.formats.output.text import read_checks
from rulka.ledger.seat import Seat, seat_of
from rulka.screen import Screen
from rulka.statements.editing import edit as editing
from rulka.statements.library import pictures, shelves
from rulka.statements.library.assemble import Definitions
from rulka.statements.library.opening import open_statement
from rulka.statements.models import Definition, Edition
from rulka.statements.output import editions, jobs, making, moving
from rulka.statements.output.exports import TYPES, Maker, file_name, leave
from rulka.statements.output.printing import preview_page
from rulka.statements.output.statement_templates import subject_for
from rulka.statements.output.templates import template_asked
from rulka.statements.pages.edit import address, answer
from rulka.statements.pages.panel import Said, refused
from rulka.statements.running.nodes import computed_beside, outcomes_of
from rulka.statements.running.runs import PAGES, node_asked
from rulka.work.models import Output
from rulka.work.services import files
from rulka.work.services.outputs import OUTPUTS

MOST_PRINTED_AT_ONCE = 1_500
"""Rows of a PDF that a person waits for; more are printed in the background."""

MOST_SHEETS = 60
"""Statements in one workbook at most."""


def _opened(seat: Seat, name: str, level: int = shelves.RUN) -> dict[str, Definition]:
    return open_statement(seat.ledger, name, person=seat.person, level=level)


def _maker(request: HttpRequest, seat: Seat) -> Maker:
    return Maker(
        seat.person.title or seat.person.username,
        lambda name: request.build_absolute_uri(reverse("statement", args=[name])),
        seat.person.pk,
    )


@require_GET
def download(request: HttpRequest, name: str, form: str) -> HttpResponse:
    """The statement as a file; remembered, so that one key repeats it."""
    if form not in TYPES:
        raise NotFound(f"There is no export as '{form}'.", hint=one_of(form, TYPES), subject="export")
    seat = seat_of(request)
    definitions = _opened(seat, name)
    pages = request.GET.get("pages", "node")
    if pages not in PAGES:
        raise NotFound(f"There are no pages '{pages}'.", hint=one_of(pages, PAGES), subject="pages")
    template = template_asked(
        subject_for(definitions["statement"], seat.person), request.GET.get("template", ""), form, seat.person
    )
    request.session["last-export"] = {
        "form": form, "pages": pages, **({"template": template.name} if template else {}),
    }  # fmt: skip
    outcomes = outcomes_of(seat, definitions, pages)
    rows = sum(not row.hidden for outcome in outcomes for row in outcome.computed.rows)
    if (
        form == "pdf" and rows > MOST_PRINTED_AT_ONCE and pages == "node"
    ):  # paper takes its time: it is made while one goes on
        address_of = request.build_absolute_uri(reverse("statements"))
        output = jobs.ask(
            seat, definitions["statement"], form, outcomes[0].computed.node.code, address_of, pages="node"
        )
        return redirect(f"{reverse('output', args=[output.pk])}?{seat.query}")
    content = leave(outcomes, seat.ledger, form, _maker(request, seat), template)
    response = HttpResponse(content, content_type=TYPES[form])
    response["Content-Disposition"] = (
        content_disposition_header(True, file_name(outcomes[0], form, several=len(outcomes) > 1)) or "attachment"
    )
    return response


@require_GET
def workbook(request: HttpRequest) -> HttpResponse:
    """One workbook with a sheet for each of several statements, at the period and entity of the page."""
    seat = seat_of(request)
    names = request.GET.getlist("name")[:MOST_SHEETS]
    if not names:
        raise RulkaError("No statement is chosen.", hint="Tick some in the list first.", subject="workbook")
    outcomes = [outcome for name in names for outcome in outcomes_of(replace(seat, beside=""), _opened(seat, name))]
    response = HttpResponse(leave(outcomes, seat.ledger, "xlsx", _maker(request, seat)), content_type=TYPES["xlsx"])
    response["Content-Disposition"] = (
        content_disposition_header(True, f"statements-{seat.period.code}.xlsx") or "attachment"
    )
    return response


@require_GET
def table(request: HttpRequest, name: str) -> HttpResponse:
    """The visible statement as text and as a table, for the clipboard."""
    seat = seat_of(request)
    definitions = _opened(seat, name)
    outcome = editing.outcome_of(definitions, editing.edit_sight(seat, definitions["statement"]))
    text, html = as_table(computed_beside(seat, outcome))
    return JsonResponse({"text": text, "html": html})


@require_GET
def paper(request: HttpRequest, name: str, number: int) -> HttpResponse:
    """One page of what would be printed, as a picture."""
    seat = seat_of(request)
    picture, _ = preview_page(seat, _opened(seat, name), number)
    return HttpResponse(picture, content_type="image/png")


@require_POST
def add_picture(request: HttpRequest, name: str) -> HttpResponse:
    """Upload a logo and put it on the page."""
    seat = seat_of(request)
    definitions = _opened(seat, name, shelves.EDIT)
    name, sight = definitions["statement"].name, editing.edit_sight(seat, definitions["statement"])
    try:
        uploaded = request.FILES.get("picture")
        if uploaded is None:
            raise RulkaError("No picture came.", hint="Choose a PNG or JPEG file.", subject="logo")
        picture = pictures.store(
            seat.ledger, uploaded.name or "logo", uploaded.read(pictures.MOST_BYTES + 1), person=seat.person
        )

        def do(parts: editing.Parts) -> Edited:
            return Edited(set_value(parts.change("statement"), "page.logo", picture.name))

        done = editing.change_statement(definitions, do, person=seat.person, sight=sight)
    except RulkaError as error:
        return answer(request, seat, name, address(request.POST, panel="page"), refused(error, request.POST))
    return answer(
        request,
        seat,
        name,
        address(request.POST, panel="page"),
        Said(done=f"Logo {picture.name} put on the page."),
        done.outcome,
        done.definitions,
    )


# -- files of many pages ---------------------------------------------------------------------------


@require_POST
def ask_output(request: HttpRequest, name: str) -> HttpResponse:
    """Have a file with all nodes made in the background."""
    seat = seat_of(request)
    statement = _opened(seat, name)["statement"]
    form = request.POST.get("form", "")
    if form not in TYPES:
        raise NotFound(f"There is no export as '{form}'.", hint=one_of(form, TYPES), subject="export")
    node = node_asked(statement, node=seat.node, of=seat.of)
    output = jobs.ask(seat, statement, form, node, request.build_absolute_uri(reverse("statements")))
    return redirect(f"{reverse('output', args=[output.pk])}?{seat.query}")


@dataclass(frozen=True, kw_only=True)
class OutputPage(Screen):
    """How far a file is."""

    html = "statements/output.html"
    where: str = "statements"
    seat: Seat
    output: Output


@require_GET
def output(request: HttpRequest, number: int) -> HttpResponse:
    """How far a file is; the fragment asks again by itself."""
    seat = seat_of(request)
    found = OUTPUTS.find(number, seat.person.pk)
    template = "statements/_output.html" if request.headers.get("HX-Request") else ""
    return OutputPage(seat=seat, output=found).response(request, template=template)


@require_POST
def cancel_output(request: HttpRequest, number: int) -> HttpResponse:
    """Stop making a file."""
    seat = seat_of(request)
    OUTPUTS.cancel(OUTPUTS.find(number, seat.person.pk).pk)
    return redirect(f"{reverse('output', args=[number])}?{seat.query}")


@require_GET
def take_output(request: HttpRequest, number: int) -> FileResponse:
    """The file."""
    person = seat_of(request).person
    found = OUTPUTS.find(number, person.pk)
    path = files.find(found.file) if found.state == Output.State.READY and making.may_take(found, person) else None
    if path is None:
        raise NotFound("This file isn't there.", hint="Ask for it again.", subject="output")
    return FileResponse(path.open("rb"), as_attachment=True, filename=found.name, content_type=TYPES[found.form])


# -- editions --------------------------------------------------------------------------------------


@require_POST
def keep_edition(request: HttpRequest, name: str) -> HttpResponse:
    """Keep what is shown for good."""
    seat = seat_of(request)
    definitions = _opened(seat, name)
    name = definitions["statement"].name
    try:
        outcome = editing.outcome_of(definitions, editing.edit_sight(seat, definitions["statement"]))
        title, reason = (request.POST.get(field, "") for field in ("title", "reason"))
        edition = editions.keep_edition(definitions, title, outcome, person=seat.person, reason=reason)
    except RulkaError as error:
        return answer(request, seat, name, address(request.POST, panel="editions"), refused(error, request.POST))
    said = Said(done=f"Edition '{edition.name}' kept.")
    return answer(request, seat, name, address(request.POST, panel="editions"), said)


@dataclass(frozen=True, kw_only=True)
class EditionPage(Screen):
    """An edition with the figures it was kept with (`shown`), and others of its statement; asked for what `moved`
    since, or for what differs from an `other` one."""

    html = "statements/edition.html"
    where: str = "statements"
    seat: Seat
    edition: Edition
    others: Sequence[Edition]
    is_there: bool
    verdict: Verdict
    open_checks: Sequence[Check]
    shown: Mapping[str, Any]
    asked: str = ""
    moved: moving.WhatMoved | None = None
    other: Edition | None = None


@require_GET
def edition(request: HttpRequest, number: str) -> HttpResponse:
    """An edition with the figures it was kept with; asked, what moved since, or what differs from another one."""
    seat = seat_of(request)
    found = editions.find_edition(seat.ledger, number, seat.view, seat.person)
    every = editions.editions_of(found.statement, seat.view, seat.person)
    checks = read_checks(found.run)
    screen = EditionPage(
        seat=seat,
        edition=found,
        others=[one for one in every if one.pk != found.pk],
        is_there=editions.is_there(found),
        verdict=verdict_on(checks),
        open_checks=[one for one in checks if not one.ok],
        shown=found.shown,
    )
    if request.GET.get("moved"):
        screen = replace(screen, moved=moving.since_edition(found, seat.view, seat.person), asked="moved")
    elif request.GET.get("with"):
        other = editions.find_edition(seat.ledger, request.GET["with"], seat.view, seat.person)
        moved = moving.between_editions(other, found, seat.view, seat.person)
        screen = replace(screen, other=other, moved=moved, asked="compared")
    return screen.response(request)


@dataclass(frozen=True, kw_only=True)
class MovedPage(Screen):
    """What moved between two revisions or periods that were `given`; None where none were."""

    html = "statements/moved.html"
    where: str = "statements"
    seat: Seat
    name: str
    title: str
    given: Mapping[str, str]
    periods: Sequence[tuple[str, str]]
    revisions: Sequence[tuple[int, datetime, str]]
    moved: moving.WhatMoved | None
    problem: RulkaError | None


@require_GET
def moved(request: HttpRequest, name: str) -> HttpResponse:
    """What moved in a statement between two revisions of the ledger or two periods."""
    seat = seat_of(request)
    definitions = _opened(seat, name)
    given = {key: request.GET.get(key, "") for key in ("before", "after", "first", "last")}
    former = seat.view.frame.calendar.moved(seat.period, periods=-1)
    found, problem = None, None
    try:
        found = _moved(seat, definitions, given)
    except RulkaError as error:
        problem = error
    return MovedPage(
        seat=seat,
        name=name,
        title=definitions["statement"].title,
        given=given | {"before": given["before"] or (former.code if former else "")},
        periods=[(period.code, period.title) for period in reversed(seat.view.frame.calendar.periods)],
        revisions=list(seat.ledger.revisions.values_list("number", "at", "source")),
        moved=found,
        problem=problem,
    ).response(request, status=422 if problem else 200)


def _moved(seat: Seat, definitions: Definitions, given: Mapping[str, str]) -> moving.WhatMoved | None:
    node, period = editing.edit_sight(seat, definitions["statement"]).node, seat.period.code
    if given["first"]:
        first, last = (whole(given[end], "revision", least=1) for end in ("first", "last"))
        return moving.between_revisions(definitions, first, last, period, node, seat.view, seat.person)
    if given["before"]:
        after = given["after"] or period
        return moving.between_periods(definitions, given["before"], after, node, seat.view, seat.person)
    return None
