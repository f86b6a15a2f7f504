"""Taking one's place by a link: choosing a password."""

from __future__ import annotations

from dataclasses import dataclass

from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_http_methods

from rulka.core.errors import RulkaError
from rulka.people.library import keeping
from rulka.people.models import Invitation
from rulka.screen import Page


@dataclass(frozen=True, kw_only=True)
class JoinPage(Page):
    """An invitation, where the link leads to one."""

    html = "people/join.html"
    invitation: Invitation | None


@login_not_required
@require_http_methods(["GET", "POST"])
def join(request: HttpRequest, key: str) -> HttpResponse:
    """Choose the first password, or another one; the link works once."""
    problem, found = None, None
    try:
        found = keeping.invitation(key)
        if request.method == "POST":
            keeping.take_place(key, request.POST.get("password", ""), request.POST.get("again", ""))
            return redirect("sign-in")
    except RulkaError as error:
        problem = error
    return JoinPage(problem=problem, invitation=found).answer(request)
