"""A workbook uploaded as a template: what it is linked by, what grows with the rows, its name, its versions."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from rulka.core.errors import RulkaError, RulkaErrors
from rulka.core.values import whole
from rulka.formats.refill.package import MOST_PACKED
from rulka.ledger.seat import Seat, seat_of
from rulka.statements.models import Template
from rulka.statements.output import templates
from rulka.statements.output.templates import Subject, kind_named, subject_of

WHAT_WORDS = {
    "grows": "with the rows", "follows": "with its line", "still": "stays as it is", "itself": "by itself",
    "gone": "its line is gone",
}  # fmt: skip


def back_to(seat: Seat, subject: Subject, template: Template | None = None) -> str:
    """The page of what a template is of."""
    kind = kind_named(subject.kind)
    more = {name: value for name, value in kind.shows(template).items() if value}
    return f"{reverse(kind.route, args=[subject.name])}?{seat.query}&{urlencode(more)}"


def _context(seat: Seat, subject: Subject, problem: RulkaError | None = None) -> dict[str, Any]:
    return {
        "seat": seat, "where": kind_named(subject.kind).bar, "subject": subject, "back": back_to(seat, subject),
        "problem": problem, "problems": problem.errors if isinstance(problem, RulkaErrors) else [], "template": None,
        "file_name": "", "entered": "", "templates": templates.names_of(subject, seat.person),
    }  # fmt: skip


def _shown(seat: Seat, subject: Subject, template: Template, problem: RulkaError | None = None) -> dict[str, Any]:
    still, draft = set(template.still), template.version is None
    may_change = subject.may_change if template.owner_id is None else template.owner_id == seat.person.pk
    # how far ranges reach says how many rows its maker had: that is theirs, and whose it is to change
    hidden = {} if draft or may_change else {"was": "", "then": ""}
    ranges = [
        {**one, **hidden, "words": WHAT_WORDS[one["what"]], "chosen": one["on"] and one["id"] not in still}
        for one in template.told["ranges"]
    ]
    return {
        **_context(seat, subject, problem), "template": template, "draft": draft, "file_name": template.file_name,
        "linked": template.told["linked"], "chosen": [one for one in ranges if not one["fixed"]],
        "fixed": [one for one in ranges if one["fixed"]],
        "versions": [] if draft else templates.versions_of(subject, template, seat.person),
        "goes_on": draft and bool(template.name),
        "may_change": may_change,
    }  # fmt: skip


@require_http_methods(["GET", "POST"])
def upload(request: HttpRequest, kind: str, name: str) -> HttpResponse:
    """The templates of something, and taking a workbook as one: on to what it is linked by, or all that keeps it from
    being one."""
    seat = seat_of(request)
    subject = subject_of(seat.ledger, kind, name, seat.person)
    if request.method == "GET":
        return render(request, "statements/template.html", _context(seat, subject))
    try:
        sent = request.FILES.get("file")
        if sent is None:
            raise RulkaError("No workbook came.", hint="Choose the .xlsx file.", subject="file")
        draft = templates.begin(subject, sent.read(MOST_PACKED + 1), sent.name or "workbook.xlsx", seat.person)
    except RulkaError as error:
        named = request.FILES.get("file")
        context = {**_context(seat, subject, error), "file_name": named.name if named else ""}
        return render(request, "statements/template.html", context, status=422)
    return HttpResponseRedirect(f"{reverse('template', args=[kind, name, draft.pk])}?{seat.query}")


def _found(seat: Seat, subject: Subject, number: int) -> Template:
    """A draft of one's own, or a kept template that one may use."""
    kept = next((one for one in templates.all_versions(subject, seat.person) if one.pk == number), None)
    return kept or templates.find_draft(subject, number, seat.person)


@require_GET
def template(request: HttpRequest, kind: str, name: str, number: int) -> HttpResponse:
    """A draft with what it is linked by and what grows, or a kept template with its versions."""
    seat = seat_of(request)
    subject = subject_of(seat.ledger, kind, name, seat.person)
    return render(request, "statements/template.html", _shown(seat, subject, _found(seat, subject, number)))


@require_POST
def keep(request: HttpRequest, kind: str, name: str, number: int) -> HttpResponse:
    """Keep a draft under its name, with what was chosen to grow."""
    seat = seat_of(request)
    subject = subject_of(seat.ledger, kind, name, seat.person)
    draft = templates.find_draft(subject, number, seat.person)
    sent = request.POST
    grows = set(sent.getlist("grows"))
    still = [one["id"] for one in draft.told["ranges"] if one["on"] and not one["fixed"] and one["id"] not in grows]
    try:
        kept = templates.keep(subject, draft, sent.get("name", ""), still, shared=sent.get("for") == "everybody",
                              person=seat.person)  # fmt: skip
    except RulkaError as error:
        draft.refresh_from_db()
        draft.still = still
        context = {**_shown(seat, subject, draft, error), "entered": sent.get("name", "")}
        return render(request, "statements/template.html", context, status=422)
    return HttpResponseRedirect(back_to(seat, subject, kept))


@require_POST
def change(request: HttpRequest, kind: str, name: str, number: int) -> HttpResponse:
    """Make an older version the newest again, or let the template go."""
    seat = seat_of(request)
    subject = subject_of(seat.ledger, kind, name, seat.person)
    found = _found(seat, subject, number)
    try:
        if request.POST.get("do") == "delete":
            templates.delete(subject, found, seat.person)
            return HttpResponseRedirect(back_to(seat, subject))
        version = whole(request.POST.get("version", ""), "version")
        found = templates.take_back(subject, found, version, seat.person)
    except RulkaError as error:
        return render(request, "statements/template.html", _shown(seat, subject, found, error), status=422)
    return HttpResponseRedirect(f"{reverse('template', args=[kind, name, found.pk])}?{seat.query}")
