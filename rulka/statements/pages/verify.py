"""A file that came back: dropped on a page, held against what it was when it left."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from django.core.files.uploadedfile import UploadedFile
from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_http_methods

from rulka.core.errors import RulkaError
from rulka.core.proof.origin import Altered
from rulka.formats.intake.read_back import MOST_BYTES, read_apart
from rulka.ledger.seat import Seat, seat_of
from rulka.screen import Screen
from rulka.statements.output.origins import Verified
from rulka.statements.output.origins import verify as verified

MOST_SHOWN = 200


@dataclass(frozen=True, kw_only=True)
class VerifyPage(Screen):
    """What was found out about a file; `here` whether it left this ledger, `altered` the first of what was changed by
    hand."""

    html = "statements/verify.html"
    where: str = "statements"
    seat: Seat
    name: str = ""
    found: Verified | None = None
    altered: Sequence[Altered] = ()
    here: bool = False
    problem: RulkaError | None = None


@require_http_methods(["GET", "POST"])
def verify(request: HttpRequest) -> HttpResponse:
    """Choose a file; whether it is what it names, which cells were changed by hand, and what moved since."""
    screen = VerifyPage(seat=seat_of(request))
    if request.method == "POST":
        try:
            screen = _verified(request, screen)
        except RulkaError as error:
            sent = request.FILES.get("file")
            screen = replace(screen, name=_called(sent), problem=error)
    return screen.response(request, status=422 if screen.problem else 200)


def _called(sent: UploadedFile[bytes] | None) -> str:
    return (sent.name or "file")[:120] if sent else ""


def _verified(request: HttpRequest, screen: VerifyPage) -> VerifyPage:
    sent, seat = request.FILES.get("file"), screen.seat
    if sent is None:
        raise RulkaError("No file came.", hint="Choose one, or drop it on the field.", subject="file")
    name = _called(sent)
    if (sent.size or 0) > MOST_BYTES:
        raise RulkaError(f"The file is larger than {MOST_BYTES:,} bytes.", subject=name)
    found = verified(sent.read(MOST_BYTES + 1), name, seat.person, read=read_apart)
    here = found.left.ledger == seat.ledger.code
    return replace(screen, name=name, found=found, altered=found.altered[:MOST_SHOWN], here=here)
