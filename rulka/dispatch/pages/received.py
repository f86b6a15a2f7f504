"""What was sent to somebody by link."""

from django.http import HttpRequest, HttpResponse


def sent(request: HttpRequest, identity: str) -> HttpResponse:
    raise NotImplementedError
