"""The guides as pages, searched; and hints that go away for good."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import cast

from django.http import HttpRequest, HttpResponse
from django.utils.safestring import SafeString, mark_safe
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import NotFound
from rulka.people.library import preferences
from rulka.people.models import Person
from rulka.screen import Screen
from rulka.web import help as shipped


@dataclass(frozen=True, kw_only=True)
class HelpPage(Screen):
    """Every guide, and what was found of a search: each section with a piece of its words."""

    html = "web/help.html"
    wanted: str
    guides: Sequence[shipped.Guide]
    found: Sequence[tuple[shipped.Section, str]]


@dataclass(frozen=True, kw_only=True)
class GuidePage(Screen):
    """One guide; `text` is HTML made of a file that ships with the application."""

    html = "web/guide.html"
    guide: shipped.Guide
    text: SafeString


@require_GET
def help_page(request: HttpRequest) -> HttpResponse:
    """The guides, searched."""
    wanted = request.GET.get("for", "")[:100].strip()
    page = HelpPage(wanted=wanted, guides=list(shipped.guides().values()), found=shipped.told_in(wanted))
    return page.response(request)


@require_GET
def guide(request: HttpRequest, name: str) -> HttpResponse:
    """One guide."""
    found = shipped.guide_named(name)
    return GuidePage(guide=found, text=mark_safe(shipped.page_of(name))).response(request)


@require_GET
def picture(request: HttpRequest, name: str) -> HttpResponse:
    """A picture of a guide."""
    path = shipped.PICTURES / name
    if name not in {one.name for one in shipped.PICTURES.glob("*.png")}:
        raise NotFound(f"There is no picture '{name[:40]}'.", hint="Open the guide again.", subject="picture")
    return HttpResponse(path.read_bytes(), content_type="image/png")


@require_POST
def hint_seen(request: HttpRequest, name: str) -> HttpResponse:
    """A hint that somebody needs no more."""
    if name not in shipped.HINTS:
        raise NotFound(f"There is no hint '{name[:40]}'.", hint="Load the page again.", subject="hint")
    preferences.hint_seen(cast(Person, request.user), name)
    return HttpResponse("")
