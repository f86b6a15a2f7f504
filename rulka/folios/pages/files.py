"""Sections as files: uploaded, taken away to be written elsewhere or finished, former versions held against each
other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.http import HttpRequest, HttpResponse
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import RulkaError
from rulka.core.values import key_in
from rulka.folios.editing.acting import drop_draft, take_up
from rulka.folios.editing.uploading import TYPES, file_name, upload, written_elsewhere
from rulka.folios.library.opening import find_content
from rulka.folios.models import Content, Folio
from rulka.folios.pages.folio import page_of
from rulka.folios.pages.readers import asked_for, back
from rulka.folios.running.comparing import ComparedLine, compared, words_in
from rulka.folios.running.sections import SectionRead
from rulka.formats.writing.checking import MOST_BYTES
from rulka.ledger.seat import SeatedPage


@require_POST
def upload_section(request: HttpRequest, name: str, key: str) -> HttpResponse:
    """Keep an uploaded file as somebody's own, drop it, or take a former version up again."""
    asked, sent = asked_for(request, name, key), request.POST
    try:
        if sent.get("do") == "drop":
            drop_draft(asked.folio, key, asked.seat.person)
            return back(asked)
        if sent.get("do") == "take-up":
            row = asked.reading.section(key).row
            content = find_content(row, key_in(sent.get("version", "")) or 0, asked.seat.person)
            take_up(asked.folio, key, content, asked.seat.person)
            return back(asked)
        file = request.FILES.get("file")
        if file is None or file.size is None or not file.name:
            raise RulkaError("No file came.", hint="Choose one.", subject="file")
        if file.size > MOST_BYTES:
            raise RulkaError(
                f"{file.name[:80]} has {file.size:,} bytes; {MOST_BYTES:,} are taken.",
                hint="Make pictures smaller, or two files.", subject=file.name[:80],
            )  # fmt: skip
        seen = sent.get("seen", "")
        made = upload(asked.folio, key, file.read(), file.name, asked.seat.person,
                      seen=(key_in(seen) or 0) if seen else None)  # fmt: skip
    except RulkaError as error:
        return page_of(request, asked, error)
    notes = [f"{file.name} is kept; only you see it until you release it", *made.notes]
    request.session["folio-told"] = ". ".join(notes) + "."
    return back(asked, panel="style" if made.differs else "section")


@require_GET
def take_section(request: HttpRequest, name: str, key: str) -> HttpResponse:
    """A section as a file to be edited elsewhere."""
    asked = asked_for(request, name, key)
    read = asked.reading.section(key)
    data, form = written_elsewhere(read)
    return _file(data, file_name(read, form), form)


def _file(data: bytes, name: str, form: str) -> HttpResponse:
    response = HttpResponse(data, content_type=TYPES[form])
    response["Content-Disposition"] = content_disposition_header(True, name) or "attachment"
    return response


@require_GET
def take_version(request: HttpRequest, name: str, key: str, number: int) -> HttpResponse:
    """A former version's file as it was uploaded."""
    asked = asked_for(request, name, key)
    read = asked.reading.section(key)
    content = find_content(read.row, number, asked.seat.person)
    if content.form == "text":
        raise RulkaError("It was written here.", hint="Compare it, or take it up again.", subject="version")
    return _file(read.version(content).file, content.file_name or f"{key}.{content.form}", content.form)


@dataclass(frozen=True, kw_only=True)
class VersionsPage(SeatedPage):
    """Two versions of a section, line by line; `moved` lines of them differ."""

    html = "folios/versions.html"
    where: str = "folios"
    folio: Folio
    read: SectionRead
    older: Content
    newer: Content
    lines: Sequence[ComparedLine]
    moved: int
    query: str


@require_GET
def versions(request: HttpRequest, name: str, key: str) -> HttpResponse:
    """Two versions of a section, line by line."""
    asked = asked_for(request, name, key)
    read = asked.reading.section(key)
    former, latter = (find_content(read.row, key_in(request.GET.get(which, "")) or 0, asked.seat.person)
                      for which in ("former", "latter"))  # fmt: skip
    lines = list(compared(words_in(former), words_in(latter)))
    return VersionsPage(
        seat=asked.seat,
        folio=asked.folio,
        read=read,
        older=former,
        newer=latter,
        lines=lines,
        moved=sum(one.kind != "same" for one in lines),
        query=asked.query(panel="history"),
    ).answer(request)
