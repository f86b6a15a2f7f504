"""Signing in and out."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any

from django.conf import settings
from django.contrib.auth import login
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.forms import AuthenticationForm
from django.contrib.auth.views import LoginView
from django.core.exceptions import ValidationError
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, resolve_url
from django.utils.crypto import constant_time_compare
from django.utils.decorators import method_decorator
from django.views.decorators.http import require_http_methods, require_POST

from rulka.core.errors import RulkaError
from rulka.people.library import record, signing, steps
from rulka.people.library.persons import demo_people
from rulka.people.models import Person
from rulka.screen import Page

BACKEND = "django.contrib.auth.backends.ModelBackend"
STEP_LASTS = 300
"""Seconds within which the second step follows the first."""


class SignInForm(AuthenticationForm):
    """Name and password, tried no more often than `signing` allows."""

    def clean(self) -> dict[str, Any]:
        name, password = self.cleaned_data.get("username"), self.cleaned_data.get("password")
        if name is not None and password:
            address = self.request.META.get("REMOTE_ADDR", "") if self.request else ""
            try:
                self.user_cache = signing.sign_in(name, password, address)
            except signing.TooMany as error:
                raise ValidationError(str(error), code=error.code) from None
            if self.user_cache is None:
                record.note(None, "refused")  # whoever types here may type a password into the wrong field
                raise self.get_invalid_login_error()
            self.confirm_login_allowed(self.user_cache)
        return self.cleaned_data


@method_decorator(login_not_required, name="dispatch")
class SignIn(LoginView):
    """Name and password; under the demo settings also the demo's people, one click each."""

    authentication_form = SignInForm
    template_name = "people/sign_in.html"
    redirect_authenticated_user = True

    def form_valid(self, form: AuthenticationForm) -> HttpResponse:
        """Sign in, or ask for the second step first."""
        person = form.get_user()
        assert isinstance(person, Person)
        return come_in(self.request, person, self.get_success_url())

    def get_context_data(self, **kwargs: object) -> dict[str, object]:
        people = demo_people()[1] if settings.DEMO else ()
        named = Person.objects.filter(username__in=[one.username for one in people])
        there = set(named.values_list("username", flat=True)) if people else set()
        return {**super().get_context_data(**kwargs), "demo_people": [one for one in people if one.username in there]}


def come_in(request: HttpRequest, person: Person, onwards: str) -> HttpResponse:
    """Let somebody in whose password was right, or who needs none; who signs in with two steps is asked for a code."""
    if not steps.has_steps(person):
        login(request, person, backend=BACKEND)
        return redirect(onwards)
    request.session.cycle_key()
    request.session["first step"] = [person.pk, person.get_session_auth_hash(), time.time(), onwards]
    return redirect("second-step")


def _came(request: HttpRequest) -> tuple[Person, str] | None:
    """Who took the first step of late, and where they go on."""
    number, proof, at, onwards = request.session.get("first step", (0, "", 0, ""))
    person = Person.objects.filter(pk=number, is_active=True).first()
    if person is None or time.time() - at > STEP_LASTS:
        return None
    return (person, onwards) if constant_time_compare(person.get_session_auth_hash(), proof) else None


@dataclass(frozen=True, kw_only=True)
class SecondStepPage(Page):
    """Where the code is asked for."""

    html = "people/second_step.html"


@login_not_required
@require_http_methods(["GET", "POST"])
def second_step(request: HttpRequest) -> HttpResponse:
    """The code that somebody signs in with after the password."""
    came = _came(request)
    if came is None:
        return redirect("sign-in")
    person, onwards = came
    problem = None
    if request.method == "POST":
        try:
            steps.check_step(person, request.POST.get("code", ""))
        except RulkaError as error:
            problem = error
            record.note(None, "refused", detail="second step", thing=f"person {person.username}")
        else:
            del request.session["first step"]
            login(request, person, backend=BACKEND)
            return redirect(onwards)
    return SecondStepPage(problem=problem).answer(request)


@login_not_required
@require_POST
def demo_sign_in(request: HttpRequest, username: str) -> HttpResponse:
    """Sign in as one of the demo's people; does not exist outside the demo settings."""
    if not settings.DEMO or username not in [one.username for one in demo_people()[1]]:
        raise Http404
    person = get_object_or_404(Person, username=username, is_active=True)
    return come_in(request, person, resolve_url(settings.LOGIN_REDIRECT_URL))
