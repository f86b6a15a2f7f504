"""Turns what Rulka refuses into a page or a fragment that says what, where and what to do."""

from __future__ import annotations

import logging
import secrets
import time
from collections.abc import Callable
from typing import Any

from django.conf import settings
from django.contrib.auth import logout
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from rulka.core.errors import NotFound, RulkaError
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


def _template(request: HttpRequest) -> str:
    return "web/_alert.html" if request.headers.get("HX-Request") else "web/refused.html"
