"""What every page's frame shows: the reporting period with its steps, one setting that all pages follow."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from urllib.parse import urlencode, urlsplit

from django.http import HttpRequest
from django.urls import reverse

from rulka.people.library.preferences import moment_text
from rulka.web.help import ABOUT, HINTS, guides
from rulka.work.services.backups import held_since


def _moment(kept: str) -> str:
    return moment_text(datetime.fromisoformat(kept)) if kept else ""


def shell(request: HttpRequest) -> dict[str, Any]:
    """Context of the frame: the former and the next period as (title, query), None at the calendar's ends; what the
    screen is for."""
    return _frame(request) | _help(request)


def _help(request: HttpRequest) -> dict[str, Any]:
    """What the screen is for, the guide that tells more, and what a newcomer is told once."""
    name = request.resolver_match.url_name if request.resolver_match else None
    purpose, guide = ABOUT.get(name or "", ("", ""))
    seen = getattr(request.user, "hints_seen", ())
    return {
        "screen_name": name,
        "screen_help": {"purpose": purpose, "guide": guide, "title": guides()[guide].title} if guide else None,
        "screen_hint": HINTS.get(name or "", "") if request.user.is_authenticated and name not in seen else "",
    }


def _frame(request: HttpRequest) -> dict[str, Any]:
    seat = getattr(request, "seat", None)
    held = held_since() if getattr(request.user, "administers", False) else ""
    if seat is None:
        return {"former": None, "next": None, "held_since": _moment(held)}
    own = {
        "ledger": seat.ledger.code,
        "node": seat.node,
        **({"of": seat.of} if seat.of else {}),
        **({"beside": seat.beside} if seat.beside else {}),
    }
    kept = {name: value for name, value in request.GET.items() if name not in ("after", "before", "end", "period")}
    on_statement = request.path.startswith(reverse("statements"))

    def step(by: int) -> tuple[str, str] | None:
        period = seat.stepped(by)
        query = {
            **({} if on_statement else kept),
            **own,
            "period": period.code if period else "",
        }  # other pages keep what they are asked for
        return (period.title, urlencode(query)) if period else None

    other = {
        **{name: value for name, value in kept.items() if not on_statement or name in ("panel", "row", "column")},
        **own,
    }
    return {
        "held_since": _moment(held),
        "seat": seat,
        "former": step(-1),
        "next": step(1),
        "page_path": _page(request),
        "any_period": urlencode({"to": _page(request), **other}),
    }


def _page(request: HttpRequest) -> str:
    """The address of the page that a request is about: a fragment of a statement belongs to the statement's, a refused
    form to the page that it was sent from."""
    match = request.resolver_match
    if match and "name" in match.kwargs and request.path.startswith(reverse("statements")):
        return reverse("statement", args=[match.kwargs["name"]])
    if request.method == "POST":
        sent_from = urlsplit(request.headers.get("Referer", ""))
        if sent_from.netloc == request.get_host() and sent_from.path:
            return sent_from.path
    return request.path
