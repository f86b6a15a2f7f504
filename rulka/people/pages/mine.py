"""What is one's own: settings, the second step, the password, sessions."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import cast

from django.conf import settings
from django.contrib.auth import update_session_auth_hash
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.people.library import keeping, preferences, record, steps
from rulka.people.library.keeping import OpenSession
from rulka.people.models import Person
from rulka.screen import Page


def me(request: HttpRequest) -> Person:
    """Who is signed in."""
    return cast(Person, request.user)


@dataclass(frozen=True, kw_only=True)
class MinePage(Page):
    """One's settings, each with what there is to choose, sessions, and how far the second step is (`begun`)."""

    html = "people/mine.html"
    sessions: Sequence[OpenSession]
    has_password: bool
    dates: Sequence[tuple[str, str]]
    numbers: Sequence[tuple[str, str]]
    pages: Sequence[tuple[str, str]]
    first: str
    zones: Sequence[str]
    has_steps: bool
    begun: tuple[str, str] | None
    server_zone: str


def _page(request: HttpRequest, problem: RulkaError | None = None) -> HttpResponse:
    person = me(request)
    return MinePage(
        problem=problem,
        sessions=keeping.sessions_of(person, request.session.session_key or ""),
        has_password=person.has_usable_password(),
        dates=list(preferences.DATES.items()),
        numbers=[(name, looks) for name, (looks, _) in preferences.NUMBERS.items()],
        pages=list(preferences.first_pages().items()),
        first=preferences.first_page(person),
        zones=preferences.time_zones(),
        has_steps=steps.has_steps(person),
        begun=steps.begun(person),
        server_zone=settings.TIME_ZONE,
    ).answer(request)


@require_GET
def mine(request: HttpRequest) -> HttpResponse:
    """One's own sessions and password."""
    return _page(request)


@require_GET
def home(request: HttpRequest) -> HttpResponse:
    """The page that somebody has chosen to open first."""
    return redirect(preferences.first_page(me(request)))


@require_POST
def choose(request: HttpRequest) -> HttpResponse:
    """Keep one's settings."""
    given = request.POST
    try:
        preferences.choose(
            me(request),
            dates=given.get("dates", ""),
            numbers=given.get("numbers", ""),
            time_zone=given.get("time_zone", ""),
            first=given.get("first", ""),
            letters=given.get("letters") == "on",
        )
    except RulkaError as error:
        return _page(request, error)
    return redirect("mine")


@require_POST
def step(request: HttpRequest) -> HttpResponse:
    """Begin to sign in with two steps, confirm it with a first code, or switch it off with one."""
    do, code, person = request.POST.get("do", ""), request.POST.get("code", ""), me(request)
    acts: dict[str, Callable[[], None]] = {
        "begin": lambda: steps.begin(person),
        "confirm": lambda: steps.confirm(person, code),
        "off": lambda: steps.switch_off(person, code),
    }
    try:
        if do not in acts:
            raise NotFound(f"Nothing is called '{do[:40]}'.", hint=one_of(do, acts), subject="step")
        acts[do]()
    except RulkaError as error:
        return _page(request, error)
    if do == "confirm":  # whoever came in with the password alone comes in anew
        keeping.end_sessions(person, but=request.session.session_key or "")
    return redirect("mine")


@require_POST
def end(request: HttpRequest) -> HttpResponse:
    """End one of one's own sessions."""
    try:
        keeping.end_session(me(request), request.POST.get("session", ""), request.session.session_key or "")
    except RulkaError as error:
        return _page(request, error)
    return redirect("mine")


@require_POST
def password(request: HttpRequest) -> HttpResponse:
    """Choose another password; all other sessions end."""
    person = me(request)
    try:
        if not person.check_password(request.POST.get("former", "")):
            raise RulkaError("The former password is another one.", hint="Type it again.", subject="password")
        if request.POST.get("password", "") != request.POST.get("again", ""):
            raise RulkaError("The two passwords differ.", hint="Type the same one twice.", subject="password")
        try:
            validate_password(request.POST.get("password", ""), person)
        except ValidationError as error:
            raise RulkaError(" ".join(error.messages), subject="password") from None
    except RulkaError as error:
        return _page(request, error)
    person.set_password(request.POST["password"])
    person.save(update_fields=["password"])
    keeping.end_sessions(person, but=request.session.session_key or "")
    update_session_auth_hash(request, person)
    record.note(person, "people", thing=f"person {person.username}", detail="chose another password")
    return redirect("mine")
