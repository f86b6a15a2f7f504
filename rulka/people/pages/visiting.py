"""What is noted when somebody signs in and out: their session, so that it can be listed and ended, and the record."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.signals import user_logged_in, user_logged_out
from django.http import HttpRequest

from rulka.people.library import record
from rulka.people.library.sessions import kept_as
from rulka.people.models import Person, Visit


def connect() -> None:
    """Hear of it from now on."""
    user_logged_in.connect(_came, dispatch_uid="rulka-came")
    user_logged_out.connect(_went, dispatch_uid="rulka-went")


def _came(sender: Any, request: HttpRequest, user: Person, **more: Any) -> None:
    address, agent = request.META.get("REMOTE_ADDR", ""), request.META.get("HTTP_USER_AGENT", "")
    if key := request.session.session_key:
        Visit.objects.update_or_create(
            session=kept_as(key), defaults={"person": user.pk, "address": address[:60], "agent": agent[:200]}
        )
    record.note(user, "signed in", detail=agent[:200])


def _went(sender: Any, request: HttpRequest, user: Person | None, **more: Any) -> None:
    if user is None:
        return
    Visit.objects.filter(session=kept_as(request.session.session_key or "")).delete()
    record.note(user, "signed out")
