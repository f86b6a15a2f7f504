"""A restored copy, let go on by an administrator."""

from __future__ import annotations

from typing import cast

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from rulka.people.library import record
from rulka.people.library.keeping import keeper_of
from rulka.people.models import Person
from rulka.work.services import backups


@require_POST
def let_go_on(request: HttpRequest) -> HttpResponse:
    """Let queued work and schedules of a restored copy go on."""
    person = cast(Person, request.user)
    keeper_of(person).administers()
    backups.let_go_on()
    record.note(person, "people", thing="backup", detail="a restored copy was let go on")
    return redirect("people")
