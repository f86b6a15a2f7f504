"""Signing in and out."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.contrib.auth import login
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.forms import AuthenticationForm
from django.contrib.auth.views import LoginView
from django.core.exceptions import ValidationError
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.utils.decorators import method_decorator
from django.views.decorators.http import require_POST

from rulka.people.library import signing
from rulka.people.library.persons import DEMO_PEOPLE
from rulka.people.models import Person


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
                raise self.get_invalid_login_error()
            self.confirm_login_allowed(self.user_cache)
        return self.cleaned_data


@method_decorator(login_not_required, name="dispatch")
class SignIn(LoginView):
    """Name and password; under the demo settings also the demo's people, one click each."""

    authentication_form = SignInForm
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
