"""Taking one's place by a link: choosing a password."""

from __future__ import annotations

from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from rulka.core.errors import RulkaError
from rulka.people.library import keeping


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
    context = {"invitation": found, "problem": problem}
    return render(request, "people/join.html", context, status=422 if problem else 200)
