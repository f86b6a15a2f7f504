"""What a template shows, as a frozen dataclass: a page, or a part of one such as a panel. `html` names its template."""

from __future__ import annotations

from dataclasses import dataclass, fields
from functools import cached_property
from typing import Any, ClassVar

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from rulka.core.errors import RulkaError


@dataclass(frozen=True, kw_only=True)
class Screen:
    """Its fields and properties are what its template names. A part of a page stands in the page's template as
    `{% shows part %}`, and may name what the page has too."""

    html: ClassVar[str]

    @property
    def context(self) -> dict[str, Any]:
        """The fields and properties by their names, as they are."""
        names = [field.name for field in fields(self)]
        for kind in type(self).__mro__[: -len(Screen.__mro__)]:
            names += [name for name, own in vars(kind).items() if isinstance(own, (property, cached_property))]
        return {name: getattr(self, name) for name in names if name != "context"}

    def response(self, request: HttpRequest, *, template: str = "", status: int = 200) -> HttpResponse:
        """The answer that shows it, or as much of it as another template takes."""
        return render(request, template or self.html, self.context, status=status)


@dataclass(frozen=True, kw_only=True)
class PanelBody(Screen):
    """What stands below the tabs of a side panel, `wide` where it needs more room than most."""

    wide: bool = False


@dataclass(frozen=True, kw_only=True)
class Page(Screen):
    """A whole page, with what was refused of the request that it answers."""

    problem: RulkaError | None = None

    def answer(self, request: HttpRequest, *, swapped: bool = False) -> HttpResponse:
        """The page; one with a problem has changed nothing. Where a script asked and its answer is `swapped` into the
        page, that is no error of the request."""
        refused = self.problem is not None and not (swapped and request.headers.get("HX-Request"))
        return self.response(request, status=422 if refused else 200)
