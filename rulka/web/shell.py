"""What every page's frame shows: where one is, the reporting period, the person."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest


def shell(request: HttpRequest) -> dict[str, Any]:
    """Context of the frame; the reporting period is one setting that all pages follow."""
    return {"reporting": getattr(request, "reporting", None)}
