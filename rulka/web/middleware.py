"""Turns what Rulka refuses into a page or a fragment that says what, where and what to do."""

from __future__ import annotations

import logging
import secrets
from collections.abc import Callable

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from rulka.core.errors import NotFound, RulkaError

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
        if isinstance(error, RulkaError):
            status = 404 if isinstance(error, NotFound) else 422
            return render(request, _template(request), {"error": error}, status=status)
        from django.core.exceptions import PermissionDenied
        from django.http import Http404

        if isinstance(error, (Http404, PermissionDenied)):
            return None
        incident = secrets.token_hex(4)
        logger.exception("Incident %s at %s", incident, request.path, exc_info=error)
        return render(request, _template(request), {"incident": incident}, status=500)


def _template(request: HttpRequest) -> str:
    return "web/_alert.html" if request.headers.get("HX-Request") else "web/refused.html"
