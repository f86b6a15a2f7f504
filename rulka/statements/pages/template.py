"""A workbook uploaded as a template: what it is linked by, what grows with the rows, its name, its versions."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from rulka.core.errors import RulkaError, RulkaErrors
from rulka.core.values import whole
from rulka.formats.refill.package import MOST_PACKED
from rulka.ledger.seat import Seat, seat_of
from rulka.screen import Screen
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


@dataclass(frozen=True, kw_only=True)
class TemplatePage(Screen):
    """The templates of something, and one of them where one is opened: a draft or kept, what it is `linked` by, what
    grows or stays (`chosen`, `fixed`), its versions, and whether it `goes_on` from a former one."""

    html = "statements/template.html"
    template: Template | None = None
    where: str
    seat: Seat
    subject: Subject
    back: str
    templates: Sequence[Template]
    problem: RulkaError | None = None
    problems: Sequence[RulkaError] = ()
    file_name: str = ""
    entered: str = ""
    draft: bool = False
    linked: Sequence[Any] = ()
    chosen: Sequence[Mapping[str, Any]] = ()
    fixed: Sequence[Mapping[str, Any]] = ()
    versions: Sequence[Template] = ()
    goes_on: bool = False
    may_change: bool = False


def _page(seat: Seat, subject: Subject, problem: RulkaError | None = None) -> TemplatePage:
    """The templates of something, none opened."""
    return TemplatePage(
        seat=seat,
        where=kind_named(subject.kind).bar,
        subject=subject,
        back=back_to(seat, subject),
        templates=templates.names_of(subject, seat.person),
        problem=problem,
        problems=problem.errors if isinstance(problem, RulkaErrors) else [],
    )


def _opened(seat: Seat, subject: Subject, template: Template, problem: RulkaError | None = None) -> TemplatePage:
    still, draft = set(template.still), template.version is None
    may_change = subject.may_change if template.owner_id is None else template.owner_id == seat.person.pk
    # how far ranges reach says how many rows its maker had: that is theirs, and whose it is to change
    hidden = {} if draft or may_change else {"was": "", "then": ""}
    ranges = [
        {**one, **hidden, "words": WHAT_WORDS[one["what"]], "chosen": one["on"] and one["id"] not in still}
        for one in template.told["ranges"]
    ]
    return replace(
        _page(seat, subject, problem),
        template=template,
        draft=draft,
        file_name=template.file_name,
        linked=template.told["linked"],
        chosen=[one for one in ranges if not one["fixed"]],
        fixed=[one for one in ranges if one["fixed"]],
        versions=[] if draft else templates.versions_of(subject, template, seat.person),
        goes_on=draft and bool(template.name),
        may_change=may_change,
    )


@require_http_methods(["GET", "POST"])
def upload(request: HttpRequest, kind: str, name: str) -> HttpResponse:
    """The templates of something, and taking a workbook as one: on to what it is linked by, or all that keeps it from
    being one."""
    seat = seat_of(request)
    subject = subject_of(seat.ledger, kind, name, seat.person)
    if request.method == "GET":
        return _page(seat, subject).response(request)
    try:
        sent = request.FILES.get("file")
        if sent is None:
            raise RulkaError("No workbook came.", hint="Choose the .xlsx file.", subject="file")
        draft = templates.begin(subject, sent.read(MOST_PACKED + 1), sent.name or "workbook.xlsx", seat.person)
    except RulkaError as error:
        named = request.FILES.get("file")
        screen = replace(_page(seat, subject, error), file_name=(named.name if named else "") or "")
        return screen.response(request, status=422)
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
    return _opened(seat, subject, _found(seat, subject, number)).response(request)


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
        screen = replace(_opened(seat, subject, draft, error), entered=sent.get("name", ""))
        return screen.response(request, status=422)
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
        return _opened(seat, subject, found, error).response(request, status=422)
    return HttpResponseRedirect(f"{reverse('template', args=[kind, name, found.pk])}?{seat.query}")
