"""A section's file held against the folio's master, and versions of a section held against each other."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import Literal

from rulka.core.folios.styles import Difference, differences
from rulka.core.folios.writing import document_from, plain_lines
from rulka.folios.library.masters import looks_beside
from rulka.folios.models import Content, Folio
from rulka.formats.writing.docx_read import lines_of
from rulka.formats.writing.slides import slide_lines


def beside_master(folio: Folio, content: Content | None) -> list[Difference]:
    """What of a section's file differs from the folio's master; nothing of what was written here."""
    if content is None or content.form not in ("docx", "pptx"):
        return []
    return differences(*looks_beside(folio, content.form, bytes(content.data or b"")))


@dataclass(frozen=True)
class ComparedLine:
    """A line of a comparison: the same in both, or only in the former or the latter."""

    kind: Literal["same", "gone", "new"]
    text: str


MOST_LINES = 4_000


def words_in(content: Content | None) -> list[str]:
    """The words of a version, line by line; live figures by their names, since each reader sees others in them."""
    if content is None:
        return []
    if content.form == "text":
        figures = {one.key: "{" + one.source + "}" for one in document_from(content.body).figures()}
        return [line for line in plain_lines(document_from(content.body), figures) if line.strip()]
    data = bytes(content.data or b"")
    found = (
        lines_of(data, typed=True) if content.form == "docx" else slide_lines(data) if content.form == "pptx" else []
    )
    return [line for line in found if line.strip()]


def compared(former: Sequence[str], latter: Sequence[str]) -> Iterator[ComparedLine]:
    """Two versions line by line."""
    matcher = SequenceMatcher(None, former[:MOST_LINES], latter[:MOST_LINES], autojunk=False)
    for kind, first, last, begin, end in matcher.get_opcodes():
        if kind == "equal":
            yield from (ComparedLine("same", text) for text in former[first:last])
        else:
            yield from (ComparedLine("gone", text) for text in former[first:last])
            yield from (ComparedLine("new", text) for text in latter[begin:end])
