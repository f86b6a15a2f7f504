"""A folio as a file: PDF, word file, slides, an HTML page that stands alone, or plain data."""

from __future__ import annotations

import base64
import io
import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from html import escape
from pathlib import Path
from typing import Any, Final

from docx import Document as open_docx
from docx.shared import Emu

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.folios.filled import FilledTable, filled_to
from rulka.core.money import as_usual
from rulka.folios.library.masters import master_of
from rulka.folios.running.comparing import beside_master
from rulka.folios.running.sections import FolioReading, SectionRead
from rulka.formats.figures import moment_text
from rulka.formats.output.html import faces, stamp_head
from rulka.formats.output.paper import page_picture
from rulka.formats.output.stamp import Stamp
from rulka.formats.writing import docx_merge, slides
from rulka.formats.writing.docx_read import as_web_page, lines_of
from rulka.formats.writing.docx_write import write_docx
from rulka.formats.writing.joining import Furniture, Joined, PdfPart, joined, printed
from rulka.formats.writing.page import as_page, as_paper
from rulka.formats.writing.suite import as_pdf

FORMS: Final = ("pdf", "docx", "pptx", "html", "json")
TYPES: Final = {
    "pdf": "application/pdf",
    "docx": "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
    "pptx": "application/vnd.openxmlformats-officedocument.presentationml.presentation",
    "html": "text/html; charset=utf-8",
    "json": "application/json",
}
TITLES: Final = {
    "pdf": "PDF", "docx": "Word file (.docx)", "pptx": "Slides (.pptx)", "html": "HTML page", "json": "JSON",
}  # fmt: skip
STYLE: Final = Path(slides.__file__).parent / "paper.css"
WIDE: Final = 7
"""Columns of figures from which on a section of figures lies across."""

MOST_PICTURES: Final = 60
Tell = Callable[[int, int], None]
Address = Callable[[str], str]


def _nowhere(address: str) -> str:
    return ""


def _quiet(done: int, of: int) -> None:
    pass


@dataclass
class Making:
    """A folio in the making: what is chosen of it, where its figures lead, who hears how far it is."""

    reading: FolioReading
    keys: Sequence[str]
    at: datetime
    address: Address = _nowhere
    tell: Tell = _quiet
    stamp: Stamp | None = None
    says: list[str] = field(default_factory=list)

    @property
    def sections(self) -> list[SectionRead]:
        """The chosen sections in order, all without a choice."""
        wanted = set(self.keys)
        known = [one.key for one in self.reading.outline.sections]
        for key in wanted - set(known):
            raise NotFound(f"The folio has no section '{key[:40]}'.", hint=one_of(key, known), subject="section")
        return [one for one in self.reading.sections() if not wanted or one.section.key in wanted]

    def number(self, read: SectionRead) -> str:
        return str(self.reading.outline.number(read.section.key))

    def heading(self, read: SectionRead) -> str:
        """`3 Traffic and crossings`."""
        return f"{self.number(read)} {read.section.title}"

    @property
    def about(self) -> str:
        """What all its figures are of."""
        outline = self.reading.outline
        return ", ".join(filter(None, (self.reading.period.title, outline.node, self.reading.folio.ledger.name)))

    @property
    def foot(self) -> str:
        return f"{self.about}, revision {self.reading.places().view.revision}"

    @property
    def part(self) -> str:
        """What is said where somebody sees a part of the whole."""
        part = self.reading.places().view.part
        return f"Part of the whole: {part}" if part else ""


@as_usual()
def made(making: Making, form: str) -> bytes:
    """A folio in one of the forms."""
    match form:
        case "pdf":
            return as_whole_pdf(making).data
        case "docx":
            return as_word(making)
        case "pptx":
            return as_slides(making)
        case "html":
            return as_html(making).encode()
        case "json":
            return json.dumps(plain(making), ensure_ascii=False, indent=2).encode()
    raise NotFound(f"There is no file as '{form[:20]}'.", hint=one_of(form, FORMS), subject="file")


def lies_across(read: SectionRead) -> bool:
    """Whether a section's pages lie across: where that is said, else where figures need the room."""
    if read.section.orientation:
        return read.section.orientation == "landscape"
    if read.section.is_written:
        return False
    pieces = [piece for source in read.filled.tables for piece in read.filled.tables[source]]
    return any(
        (isinstance(piece, FilledTable) and len(piece.columns) >= WIDE) or getattr(piece, "wide", 0) > 700
        for piece in pieces
    )


# PDF ------------------------------------------------------------------------------------------------------------------


def as_whole_pdf(making: Making) -> Joined:
    """All chosen sections as pages; a first page of contents where there are several."""
    sections = making.sections
    parts = []
    for at, read in enumerate(sections):
        making.tell(at, len(sections) + 1)
        parts.append(_pdf_part(making, read))
    making.tell(len(sections), len(sections) + 1)
    furniture = Furniture(
        making.reading.folio.title, making.about, making.foot, making.part, making.stamp.line if making.stamp else "",
        contents=len(sections) > 1,
    )  # fmt: skip
    whole = joined(parts, furniture)
    counted = [
        _counted(making, read, part, begins, whole.pages)
        for read, part, begins in zip(sections, parts, whole.begins, strict=True)
    ]
    if counted != parts:
        whole = joined(counted, furniture)
    making.tell(len(sections) + 1, len(sections) + 1)
    making.says += list(dict.fromkeys(part.says for part in parts if part.says))
    return whole


def _pdf_part(making: Making, read: SectionRead) -> PdfPart:
    number, title = making.number(read), read.section.title
    if read.form == "docx":
        part = word_part(making, read)
        data, says = as_pdf(_alone(making, part), "docx")
        own = not says  # without an office suite its own head and foot aren't drawn
        return PdfPart(title, data, number, own and part.keeps("header"), own and part.keeps("footer"), says)
    if read.form == "pptx":
        data, says = as_pdf(_deck(read), "pptx")
        return PdfPart(title, data, number, has_head=True, says=says)
    if read.form == "pdf":
        return PdfPart(title, read.raw, number, has_head=True)
    return PdfPart(title, printed(_printed(making, read), landscape=lies_across(read)), number)


def _printed(making: Making, read: SectionRead) -> str:
    head = f"<h1>{escape(making.heading(read))}</h1>"
    if read.form == "none":
        return f'{head}<p class="problem">Nothing was written yet.</p>'
    return head + as_paper(read.document, read.filled, address=making.address)


def _alone(making: Making, part: docx_merge.DocxPart) -> bytes:
    folio = making.reading.folio
    return docx_merge.merged([part], master_of(folio, "docx"), title=folio.title, bare=True)


def _counted(making: Making, read: SectionRead, part: PdfPart, begins: int, total: int) -> PdfPart:
    """A section whose own foot counts pages, counted through the whole."""
    if read.form != "docx" or part.says or not (part.has_foot or part.has_head):
        return part
    own = word_part(making, read)
    data, _ = as_pdf(
        _alone(making, docx_merge.DocxPart(own.data, own.heading, own.mark, own.chosen, own.own, begins, total)), "docx"
    )
    return PdfPart(part.title, data, part.number, part.has_head, part.has_foot)


# word files -----------------------------------------------------------------------------------------------------------


def word_part(making: Making, read: SectionRead) -> docx_merge.DocxPart:
    """A section as a word file to be laid beside others; for what nobody chose yet its own looks stand."""
    number, heading = making.number(read), making.heading(read)
    folio = making.reading.folio
    if read.form == "docx" and read.content is not None:
        own = {one.key: "keep" for one in beside_master(folio, read.content)}
        return docx_merge.DocxPart(read.file, heading, number, {**own, **read.content.chosen}, own=True)
    if read.form in ("pptx", "pdf"):
        return docx_merge.DocxPart(_pictured(making, read, heading), heading, number)
    if read.form == "none":
        empty = write_docx(read.document, read.filled, master_of(folio, "docx"), heading=heading, title=folio.title)
        return docx_merge.DocxPart(empty, heading, number)
    data = write_docx(
        read.document, read.filled, master_of(folio, "docx"), heading=heading, title=folio.title,
        landscape=lies_across(read),
    )  # fmt: skip
    return docx_merge.DocxPart(data, heading, number)


def _pictured(making: Making, read: SectionRead, heading: str) -> bytes:
    """Slides, or the pages of a PDF, as pictures on pages across."""
    pages, says = (read.raw, "") if read.form == "pdf" else as_pdf(_deck(read), "pptx")
    making.says += [says] if says else []
    folio = making.reading.folio
    empty = write_docx(read.document, read.filled, master_of(folio, "docx"), heading=heading, title=folio.title,
                       landscape=read.form == "pptx")  # fmt: skip
    docx = open_docx(io.BytesIO(empty))
    section = docx.sections[0]
    wide = int(section.page_width or 0) - int(section.left_margin or 0) - int(section.right_margin or 0)
    high = int(section.page_height or 0) - int(section.top_margin or 0) - int(section.bottom_margin or 0) - 500_000
    number, count = 1, 1
    while number <= min(count, MOST_PICTURES):
        picture, count = page_picture(pages, number)
        run = docx.add_paragraph().add_run()
        shape = run.add_picture(io.BytesIO(picture))
        times = min(wide / shape.width, high / shape.height)
        shape.width, shape.height = Emu(int(shape.width * times)), Emu(int(shape.height * times))
        number += 1
    buffer = io.BytesIO()
    docx.save(buffer)
    return buffer.getvalue()


def as_word(making: Making) -> bytes:
    """All chosen sections as one word file."""
    parts = []
    sections = making.sections
    for at, read in enumerate(sections):
        making.tell(at, len(sections))
        parts.append(word_part(making, read))
    folio = making.reading.folio
    about = " ".join(filter(None, (making.foot + ".", making.part, making.stamp.line if making.stamp else "")))
    return docx_merge.merged(parts, master_of(folio, "docx"), title=folio.title, about=about)


# slides ---------------------------------------------------------------------------------------------------------------


def _deck(read: SectionRead) -> bytes:
    """Slides with what was chosen for their differences."""
    chosen = read.content.chosen if read.content is not None else {}
    return slides.slides_with_choices(read.raw, chosen, master_of(read.reading.folio, "pptx"))


def as_slides(making: Making) -> bytes:
    """All sections of slides as one file."""
    decks = [_deck(read) for read in making.sections if read.form == "pptx"]
    if not decks:
        raise RulkaError("The folio has no slides.", hint="Take it as PDF or as a word file.", subject="file")
    folio = making.reading.folio
    return slides.slides_merged(decks, master_of(folio, "pptx"), folio.title, making.stamp.line if making.stamp else "")


# web page -------------------------------------------------------------------------------------------------------------


def as_html(making: Making) -> str:
    """All chosen sections on one page that stands alone."""
    folio, sections = making.reading.folio, making.sections
    links = "".join(
        f'<li><a href="#{escape(read.section.key)}">{escape(making.heading(read))}</a></li>' for read in sections
    )
    bodies = "".join(_html_section(making, read) for read in sections)
    style = (
        "body { max-width: 62rem; margin: 2rem auto; padding: 0 1rem; background: #fdfcf8; } "
        "nav ul { list-style: none; padding: 0; columns: 2; } .wide { overflow-x: auto; } "
        "section { border-top: 1px solid #cfc7b4; padding-top: 1rem; margin-top: 2rem; } "
        ".pages img { width: 100%; border: 1px solid #cfc7b4; margin-bottom: 8px; } "
        ".says { color: #69706c; font-size: 8.5pt; }"
    )
    part = f"<p><b>{escape(making.part)}</b></p>" if making.part else ""
    origin = f'<p class="says">{escape(making.stamp.line)}</p>' if making.stamp else ""
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{escape(folio.title)}</title><style>'
        f"{faces(True)}{STYLE.read_text()}{style}</style>{stamp_head(making.stamp)}</head><body>"
        f'<h1>{escape(folio.title)}</h1><p class="says">{escape(making.foot)} · {escape(moment_text(making.at))}</p>'
        f"{part}<nav><ul>{links}</ul></nav>{bodies}{origin}</body></html>"
    )


def _html_section(making: Making, read: SectionRead) -> str:
    if read.form == "docx":
        inside = as_web_page(read.file)
    elif read.form in ("pptx", "pdf"):
        inside = html_pages(read, making.says)
    elif read.form == "none":
        inside = '<p class="problem">Nothing was written yet.</p>'
    else:
        inside = as_page(read.document, read.filled, prefix=f"{read.section.key}-", address=making.address)
    return f'<section id="{escape(read.section.key)}"><h1>{escape(making.heading(read))}</h1>{inside}</section>'


def html_pages(read: SectionRead, told: list[str]) -> str:
    """Slides, or the pages of a PDF, as pictures; what is to be said of them is added to `told`."""
    pages, says = (read.raw, "") if read.form == "pdf" else as_pdf(_deck(read), "pptx")
    told += [says] if says else []
    found, number, count = [], 1, 1
    while number <= min(count, MOST_PICTURES):
        picture, count = page_picture(pages, number)
        data = base64.b64encode(picture).decode()
        found.append(f'<img src="data:image/png;base64,{data}" alt="{escape(read.section.title)}, page {number}">')
        number += 1
    return f'<div class="pages">{"".join(found)}</div>'


# plain data -----------------------------------------------------------------------------------------------------------


def plain(making: Making) -> dict[str, Any]:
    """A folio as plain data: where each section stands, its words, its figures exactly."""
    outline = making.reading.outline
    found: dict[str, Any] = {
        "folio": outline.name, "ledger": making.reading.folio.ledger.code,
        "revision": making.reading.places().view.revision, "period": making.reading.period.code, "node": outline.node,
        "state": making.reading.folio.state, "sections": [_plain(read) for read in making.sections],
    }  # fmt: skip
    return found | ({"origin": making.stamp.as_mapping} if making.stamp else {})


def _plain(read: SectionRead) -> dict[str, Any]:
    told = filled_to(read.filled)
    tables = {
        source: [{name: value for name, value in one.items() if name != "svg"} for one in pieces]
        for source, pieces in told["tables"].items()
    }
    words = lines_of(read.file) if read.form == "docx" else read.lines
    return {
        "section": read.section.key, "title": read.section.title, "kind": read.section.kind,
        "state": read.standing.shown, "responsible": read.standing.responsible, "form": read.form,
        "frozen": {"period": read.row.period, "revision": read.row.revision} if read.is_frozen else None,
        "words": [line for line in words if line.strip()], "figures": told["figures"], "tables": tables,
    }  # fmt: skip
