"""Whether Rulka works, for whoever watches over the machine; says nothing about what it holds."""

from __future__ import annotations

from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, JsonResponse
from django.views.decorators.http import require_safe

from rulka.work.services import health


@login_not_required
@require_safe
def pages(request: HttpRequest) -> JsonResponse:
    """Whether pages can be served: 200, else 503 with what fails."""
    failing = health.failing()
    return JsonResponse({"works": not failing, "failing": failing}, status=503 if failing else 200)


@login_not_required
@require_safe
def worker(request: HttpRequest) -> JsonResponse:
    """Whether the worker is awake: 200, else 503."""
    awake = health.worker_is_awake()
    return JsonResponse({"works": awake}, status=200 if awake else 503)
