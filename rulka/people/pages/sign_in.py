"""Signing in and out."""

from __future__ import annotations

from django.conf import settings
from django.contrib.auth import login
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.views import LoginView
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.utils.decorators import method_decorator
from django.views.decorators.http import require_POST

from rulka.people.library.persons import DEMO_PEOPLE
from rulka.people.models import Person


@method_decorator(login_not_required, name="dispatch")
class SignIn(LoginView):
    """Name and password; under the demo settings also the demo's people, one click each."""

    template_name = "people/sign_in.html"
    redirect_authenticated_user = True

    def get_context_data(self, **kwargs: object) -> dict[str, object]:
        there = (
            set(Person.objects.filter(username__in=DEMO_PEOPLE).values_list("username", flat=True))
            if settings.DEMO
            else set()
        )
        people = [
            (username, about["title"], about["does"]) for username, about in DEMO_PEOPLE.items() if username in there
        ]
        return {**super().get_context_data(**kwargs), "demo_people": people}


@login_not_required
@require_POST
def demo_sign_in(request: HttpRequest, username: str) -> HttpResponse:
    """Sign in as one of the demo's people; does not exist outside the demo settings."""
    if not settings.DEMO or username not in DEMO_PEOPLE:
        raise Http404
    login(request, get_object_or_404(Person, username=username), backend="django.contrib.auth.backends.ModelBackend")
    return redirect(settings.LOGIN_REDIRECT_URL)
