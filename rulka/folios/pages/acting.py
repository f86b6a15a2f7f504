"""What the forms of a folio's page do: the steps of a section, remarks, styles, the whole opened and closed."""

from __future__ import annotations

from typing import get_args

from django.http import HttpRequest, HttpResponse
from django.urls import reverse
from django.views.decorators.http import require_POST

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.folios.standing import Step
from rulka.core.values import key_in, whole
from rulka.folios.editing.acting import (
    act,
    choose_styles,
    close,
    leave_typed,
    open_again,
    open_for_writing,
    remark,
    settle,
)
from rulka.folios.library.desk import make_key
from rulka.folios.library.opening import row_of
from rulka.folios.pages.desk import desk_name
from rulka.folios.pages.folio import page_of
from rulka.folios.pages.readers import asked_for, back

STEPS: tuple[Step, ...] = get_args(Step)


@require_POST
def step(request: HttpRequest, name: str, key: str) -> HttpResponse:
    """Do a step of a section; on to the page as it is then."""
    asked, sent = asked_for(request, name, key), request.POST
    try:
        row = act(asked.folio, key, _step(sent.get("step", "")), asked.seat.person, reason=sent.get("reason", ""),
                  seen=_seen(sent.get("version", "")))  # fmt: skip
    except RulkaError as error:
        return page_of(request, asked, error)
    if sent.get("step") == "hand in" and (pointed := row.steps.first()) is not None and pointed.detail:
        request.session["folio-told"] = f"Handed in. {pointed.detail}."
    writes = sent.get("step") == "hold" and asked.reading.outline.section(key).kind == "text"
    return back(asked, write="yes" if writes and asked.read and asked.read.form == "text" else "")


def _step(name: str) -> Step:
    for known in STEPS:
        if known == name and name != "remark":
            return known
    raise NotFound(f"Nothing is called '{name[:30]}' here.", hint=one_of(name, STEPS), subject="step")


def _seen(text: str) -> int | None:
    return whole(text, "version") if text else None


@require_POST
def whole_one(request: HttpRequest, name: str) -> HttpResponse:
    """Open a folio for writing, close it as a whole, open it again."""
    asked = asked_for(request, name)
    does = {"open": open_for_writing, "close": close, "again": open_again}
    try:
        if request.POST.get("do", "") not in does:
            raise NotFound("Nothing is called so here.", hint="Load the page again.", subject="action")
        does[request.POST["do"]](asked.folio, asked.seat.person)
    except RulkaError as error:
        return page_of(request, asked, error)
    return back(asked, arrange="")


@require_POST
def style(request: HttpRequest, name: str, key: str) -> HttpResponse:
    """Choose for differences from the master, each or all."""
    asked = asked_for(request, name, key)
    sent = request.POST.dict()
    chosen = {field.removeprefix("for:"): str(value) for field, value in sent.items() if field.startswith("for:")}
    try:
        choose_styles(asked.folio, key, chosen, asked.seat.person)
    except RulkaError as error:
        return page_of(request, asked, error)
    return back(asked, panel="style")


@require_POST
def say(request: HttpRequest, name: str, key: str) -> HttpResponse:
    """Remark on a place of a section, or settle a remark."""
    asked, sent = asked_for(request, name, key), request.POST
    try:
        if sent.get("settle"):
            settle(asked.folio, key, key_in(sent["settle"]) or 0, asked.seat.person)
        else:
            remark(asked.folio, key, sent.get("text", ""), sent.get("quote", ""), asked.seat.person)
    except RulkaError as error:
        return page_of(request, asked, error)
    return back(asked)


@require_POST
def typed(request: HttpRequest, name: str, key: str) -> HttpResponse:
    """Leave a typed number as it is."""
    asked = asked_for(request, name, key)
    try:
        leave_typed(asked.folio, key, request.POST.get("found", ""), asked.seat.person)
    except RulkaError as error:
        return page_of(request, asked, error)
    return back(asked)


@require_POST
def desk_right(request: HttpRequest, name: str, key: str) -> HttpResponse:
    """Make a short-lived right for a desktop program; its address is shown once."""
    asked = asked_for(request, name, key)
    try:
        made = make_key(row_of(asked.folio, key), asked.seat.person)
    except RulkaError as error:
        return page_of(request, asked, error)
    request.session[f"desk-{asked.folio.pk}-{key}"] = request.build_absolute_uri(
        reverse("desk", args=[made, desk_name(asked.reading.section(key))])
    )
    return back(asked)
