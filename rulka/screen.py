"""What a template shows, as a frozen dataclass: a page, or a part of one such as a panel. `html` names its template."""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import Any, ClassVar

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render


@dataclass(frozen=True, kw_only=True)
class Screen:
    """Its fields are what its template names. A part of a page stands in the page's template as `{% shows part %}`, and
    may name what the page has too."""

    html: ClassVar[str]

    @property
    def context(self) -> dict[str, Any]:
        """The fields by their names, as they are."""
        return {field.name: getattr(self, field.name) for field in fields(self)}

    def response(self, request: HttpRequest, *, template: str = "", status: int = 200) -> HttpResponse:
        """The answer that shows it, or as much of it as another template takes."""
        return render(request, template or self.html, self.context, status=status)
