"""Turns what Rulka refuses into a page or a fragment that says what, where and what to do."""

from __future__ import annotations

import logging
import secrets
import time
from collections.abc import Callable
from contextlib import nullcontext
from typing import Any

from django.conf import settings
from django.contrib.auth import logout
from django.db import OperationalError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import ResolverMatch, reverse

from rulka.core.errors import NotFound, RulkaError
from rulka.people.library import record
from rulka.people.library.persons import person_named
from rulka.people.library.preferences import read_by
from rulka.work.services.waiting import Busy, Full, as_refusal

logger = logging.getLogger("rulka.web")


class RefusalMiddleware:
    """Known refusals get their own text; anything else an incident number, with the cause in the log."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        if (
            request.headers.get("HX-Request")
            and response.status_code == 302
            and response["Location"].startswith(reverse("sign-in"))
        ):
            # a fragment can't show the sign-in: let the browser go there
            return HttpResponse(status=204, headers={"HX-Redirect": reverse("sign-in")})
        return response

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        refusal = error if isinstance(error, RulkaError) else as_refusal(error)
        if refusal is not None:
            status = 404 if isinstance(refusal, NotFound) else 503 if isinstance(refusal, (Busy, Full)) else 422
            kept = _typed(request) if status == 503 else []
            return render(request, _template(request), {"error": refusal, "kept": kept}, status=status)
        from django.core.exceptions import PermissionDenied
        from django.http import Http404

        if isinstance(error, (Http404, PermissionDenied)):
            return None
        if settings.DEBUG:  # the framework's own page says more
            return None
        incident = secrets.token_hex(4)
        logger.exception("Incident %s at %s", incident, request.path, exc_info=error)
        return render(request, _template(request), {"incident": incident}, status=500)


def _typed(request: HttpRequest) -> list[tuple[str, str]]:
    """What a form sent, to be sent once more: nothing that was typed is lost."""
    if request.method != "POST":
        return []
    return [
        (name, str(value)) for name, values in request.POST.lists() if name != "csrfmiddlewaretoken" for value in values
    ]


class SessionAgeMiddleware:
    """Ends a visit that lasts too long, or in which nothing happens; and lets no page with figures be kept by a
    browser or anything between."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        user: Any = getattr(request, "user", None)
        if user is not None and user.is_authenticated and self._is_over(request):
            logout(request)
        response = self.get_response(request)
        if not response.has_header("Cache-Control"):
            response["Cache-Control"] = "no-store"
        return response

    def _is_over(self, request: HttpRequest) -> bool:
        now, session = time.time(), request.session
        began, seen = session.setdefault("began", now), session.get("seen", now)
        if now - began > settings.SESSION_LONGEST or now - seen > settings.SESSION_IDLE:
            return True
        if now - seen > 60 or "seen" not in session:
            session["seen"] = now
        return False


COPIED = ("statement-table",)
"""Addresses that give figures away otherwise than as a file."""


class LookingMiddleware:
    """Where a request comes from, for the record; and for an administrator who looks through somebody's eyes that
    person, to read only."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        token = record.ADDRESS.set(request.META.get("REMOTE_ADDR", ""))
        try:
            if eyes := request.session.get("eyes"):
                self._look(request, eyes)
            user: Any = request.user
            with read_by(user) if user.is_authenticated else nullcontext():
                return self._noted(request, self.get_response(request))
        finally:
            record.ADDRESS.reset(token)

    def _noted(self, request: HttpRequest, response: HttpResponse) -> HttpResponse:
        """Figures that leave as a file, or for the clipboard, are recorded; where they can't be they stay."""
        match, user = request.resolver_match, request.user
        name = match.url_name if match else ""
        leaves = response.get("Content-Disposition", "").startswith("attachment") or name in COPIED
        if match is None or response.status_code != 200 or not leaves or not user.is_authenticated:
            return response
        seat = getattr(request, "seat", None)
        thing, detail = _taken(match, request.GET.urlencode())
        ledger = seat.ledger.code if seat else ""
        try:
            record.note(user, "took", ledger=ledger, thing=thing, detail=detail)
        except OperationalError as error:
            refusal = as_refusal(error)
            if refusal is None:
                raise
            return render(request, _template(request), {"error": refusal, "kept": []}, status=503)
        return response

    def _look(self, request: HttpRequest, username: str) -> None:
        looker: Any = request.user
        person = person_named(username)
        if not looker.is_authenticated or not looker.administers or person is None or not person.is_active:
            del request.session["eyes"]
            return
        person.looked_by = looker
        request.user = person

    def process_view(self, request: HttpRequest, view: Any, args: Any, kwargs: Any) -> HttpResponse | None:
        looked_by = getattr(request.user, "looked_by", None)
        name = request.resolver_match.url_name if request.resolver_match else ""
        if looked_by is None or request.method in ("GET", "HEAD", "OPTIONS") or name in ("stop-looking", "sign-out"):
            return None
        error = RulkaError(
            "Whoever looks through somebody's eyes only reads.", hint="Stop looking first.", code="looking"
        )
        return render(request, _template(request), {"error": error, "kept": _typed(request)}, status=422)


def _taken(match: ResolverMatch, asked: str) -> tuple[str, str]:
    """What a file was taken of, as the record names it, and which."""
    parts = match.route.split("/")
    of = {"statements": "statement", "worksheets": "worksheet"}.get(parts[0], "")
    values = " ".join(str(value) for name, value in match.kwargs.items() if not (of and name == "name"))
    told = " ".join(filter(None, (match.url_name or "", values)))
    if of and parts[1:2] == ["<str:name>"]:
        return f"{of} {match.kwargs['name']}", " ".join(filter(None, (told, asked)))
    return told, asked


def _template(request: HttpRequest) -> str:
    return "web/_alert.html" if request.headers.get("HX-Request") else "web/refused.html"
