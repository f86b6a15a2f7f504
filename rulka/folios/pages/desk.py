"""Held sections opened and saved from desktop programs: WebDAV (RFC 4918) behind a short-lived personal right, which
stands in the address. One folder, one file, nothing else."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterable
from typing import Any

from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import csrf_exempt
from wsgidav.dav_error import HTTP_FORBIDDEN, DAVError
from wsgidav.dav_provider import DAVCollection, DAVNonCollection, DAVProvider
from wsgidav.error_printer import ErrorPrinter
from wsgidav.http_authenticator import HTTPAuthenticator
from wsgidav.request_resolver import RequestResolver
from wsgidav.wsgidav_app import WsgiDAVApp

from rulka.core.errors import RulkaError
from rulka.folios.editing.uploading import TYPES, file_name, upload, written_elsewhere
from rulka.folios.library.desk import NoRight, open_key
from rulka.folios.models import DeskKey
from rulka.folios.output.background import reading_for
from rulka.folios.running.sections import SectionRead
from rulka.formats.writing.checking import MOST_BYTES
from rulka.people.library import record

ALLOWED = ("OPTIONS", "HEAD", "GET", "PUT", "PROPFIND", "LOCK", "UNLOCK", "PROPPATCH")
REFUSED, TOO_LARGE = 422, 413


class _Kept(io.BytesIO):
    """What a program writes; its bytes outlast its closing."""

    def close(self) -> None:
        self.data = self.getvalue()
        super().close()


class _File(DAVNonCollection):  # type: ignore[misc]
    """The one file of a right."""

    def __init__(self, path: str, environ: dict[str, Any], right: DeskKey, read: SectionRead) -> None:
        super().__init__(path, environ)
        self.right, self.read, self.buffer = right, read, _Kept()

    @property
    def _content(self) -> tuple[bytes, str]:
        if not hasattr(self, "_made"):
            self._made = written_elsewhere(self.read)
        return self._made

    def get_content_length(self) -> int:
        return len(self._content[0])

    def get_content_type(self) -> str:
        return TYPES[self._content[1]]

    def get_last_modified(self) -> float:
        content = self.read.content
        return float((content.at if content is not None else self.right.made).timestamp())

    def get_creation_date(self) -> float:
        return float(self.right.made.timestamp())

    def get_etag(self) -> str:
        content = self.read.content
        return f"{self.right.section_id}-{content.pk}-{content.version}" if content is not None else "0"

    def support_etag(self) -> bool:
        return True

    def support_ranges(self) -> bool:
        return False

    def get_content(self) -> io.BytesIO:
        folio, detail = self.read.reading.folio, f"{self.right.section.key}, by a program"
        record.note(self.right.person, "took", ledger=folio.ledger.code, thing=f"folio {folio.name}", detail=detail)
        return io.BytesIO(self._content[0])

    def begin_write(self, *, content_type: str | None = None) -> io.BytesIO:
        return self.buffer

    def end_write(self, *, with_errors: bool) -> None:
        if with_errors:
            return
        try:
            upload(self.read.reading.folio, self.right.section.key, self.buffer.data, self.name, self.right.person)
        except RulkaError as error:
            raise DAVError(REFUSED, str(error)) from error


class _Folder(DAVCollection):  # type: ignore[misc]
    """The folder of a right: it holds its file."""

    def __init__(self, path: str, environ: dict[str, Any], file: str) -> None:
        super().__init__(path, environ)
        self.file = file

    def get_member_names(self) -> list[str]:
        return [self.file]

    def get_member(self, name: str) -> Any:
        return self.provider.get_resource_inst(f"{self.path.rstrip('/')}/{name}", self.environ)

    def create_empty_resource(self, name: str) -> Any:
        raise DAVError(HTTP_FORBIDDEN, "Save the section itself; nothing else is kept here.")


class _Desk(DAVProvider):  # type: ignore[misc]
    """What a right opens, asked anew at each request."""

    def get_resource_inst(self, path: str, environ: dict[str, Any]) -> Any:
        key, _, name = path.strip("/").partition("/")
        try:
            right = open_key(key)
            reading = reading_for(right.section.folio, right.person, drafts=True)
            read = reading.section(right.section.key)
        except NoRight as error:
            raise DAVError(HTTP_FORBIDDEN, str(error)) from error
        own = desk_name(read)
        if not name:
            return _Folder(path, environ, own)
        return _File(path, environ, right, read) if name == own else None

    def is_readonly(self) -> bool:
        return False


def desk_name(read: SectionRead) -> str:
    """What the file is called that a program opens."""
    form = read.form if read.form in TYPES else "pptx" if read.section.kind == "slides" else "docx"
    return file_name(read, form)


_APP = WsgiDAVApp({
    "provider_mapping": {"/": _Desk()}, "simple_dc": {"user_mapping": {"*": True}}, "verbose": 0,
    "logging": {"enable": False, "enable_loggers": []}, "property_manager": None, "lock_storage": True,
    "middleware_stack": [ErrorPrinter, HTTPAuthenticator, RequestResolver],
    "suppress_version_info": True, "add_header_MS_Author_Via": True,
})  # fmt: skip


@csrf_exempt
@login_not_required
def desk(request: HttpRequest, key: str, file: str = "") -> HttpResponse:
    """A desktop program's request, by a right that stands in its address: nobody signs in, so nothing is forged."""
    if request.method not in ALLOWED:
        return HttpResponse("This isn't done here.", status=405, content_type="text/plain", headers={
            "Allow": ", ".join(ALLOWED)})  # fmt: skip
    length = request.headers.get("Content-Length", "0")
    if len(length) > 12 or int(length or 0) > MOST_BYTES:
        return HttpResponse(f"At most {MOST_BYTES:,} bytes are taken.", status=TOO_LARGE, content_type="text/plain")
    path = f"/{key}/{file}".encode().decode("latin-1")  # as WSGI hands paths on: bytes, one a character
    environ = {**request.META, "SCRIPT_NAME": "/desk", "PATH_INFO": path}
    environ.pop("HTTP_AUTHORIZATION", None)
    environ["wsgi.input"] = io.BytesIO(request.read(int(length or 0)))
    told: dict[str, Any] = {}

    def start(status: str, headers: list[tuple[str, str]], trouble: Any = None) -> Callable[[bytes], None]:
        told.update(status=int(status.split()[0]), headers=headers)
        return lambda data: None

    body: Iterable[bytes] = _APP(environ, start)
    response = HttpResponse(b"".join(body), status=told["status"])
    for name, value in told["headers"]:
        if name.lower() not in ("content-length", "connection", "date"):
            response[name] = value
    return response
