"""What the pages of dispatches share."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse

from rulka.core.errors import RulkaError
from rulka.ledger.seat import Seat


def page(
    request: HttpRequest, seat: Seat, template: str, context: dict[str, Any], problem: RulkaError | None = None
) -> HttpResponse:
    """A page of dispatches; with a problem it says so and has changed nothing."""
    frame = {"seat": seat, "where": "dispatch", "problem": problem, "arrived": settings.ARRIVED}
    return render(request, f"dispatch/{template}.html", frame | context, status=422 if problem else 200)


def to(seat: Seat, name: str, *arguments: object, more: str = "") -> HttpResponseRedirect:
    """On to a page, with what the seat has to carry."""
    return HttpResponseRedirect(f"{reverse(name, args=arguments)}?{seat.query}{more}")
