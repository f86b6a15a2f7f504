"""Sections as one PDF: contents with page numbers, an outline, links, running heads and page x of y, each page in its
own paper and direction."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from html import escape
from pathlib import Path
from typing import TYPE_CHECKING, Final

from rulka.core.later import later
from rulka.formats.output.html import FONTS, faces
from rulka.formats.writing.suite import nothing_fetched

if TYPE_CHECKING:
    import pikepdf
else:
    pikepdf = later("pikepdf")

STYLE: Final = Path(__file__).parent / "paper.css"
A4: Final = (595.28, 841.89)


@dataclass(frozen=True)
class PdfPart:
    """One section's pages: its number and title, and whether it bears a head and foot of its own."""

    title: str
    data: bytes
    number: str = ""
    has_head: bool = False
    has_foot: bool = False
    says: str = ""


@dataclass(frozen=True)
class Furniture:
    """What stands on the first page and around all others."""

    title: str
    about: str
    foot: str
    part: str = ""
    origin: str = ""
    contents: bool = True


@dataclass(frozen=True)
class Joined:
    """The whole, how many pages it has, and on which each section begins, counted from 1."""

    data: bytes
    pages: int
    begins: tuple[int, ...]


def printed(body: str, *, landscape: bool = False) -> bytes:
    """A section's HTML as pages, with room for what stands around them."""
    from weasyprint import HTML

    direction = "landscape" if landscape else "portrait"
    style = f"@page {{ size: A4 {direction}; margin: 24mm 22mm 22mm; }}"
    page = f"<!doctype html><html lang=en><meta charset=utf-8><style>{faces(False)}{STYLE.read_text()}{style}</style>"
    return bytes(
        HTML(string=f"{page}<body>{body}</body></html>", base_url=str(FONTS), url_fetcher=nothing_fetched()).write_pdf()
    )


def joined(parts: Sequence[PdfPart], furniture: Furniture) -> Joined:
    """All sections one after another behind a page of contents."""
    with pikepdf.new() as whole:
        opened = [pikepdf.open(io.BytesIO(part.data)) for part in parts]
        counts = [len(one.pages) for one in opened]
        ahead = 0
        if furniture.contents:
            ahead = _count(_contents(parts, counts, furniture, 1))
            front = _contents(parts, counts, furniture, ahead)
            with pikepdf.open(io.BytesIO(front)) as pdf:
                whole.pages.extend(pdf.pages)
        begins, sections = [], [""] * ahead
        bare = [(not furniture.contents, False)] * ahead
        for part, pdf, count in zip(parts, opened, counts, strict=True):
            begins.append(len(whole.pages) + 1)
            whole.pages.extend(pdf.pages)
            sections += [f"{part.number} {part.title}".strip()] * count
            bare += [(part.has_head, part.has_foot)] * count
        _around(whole, sections, bare, furniture, ahead)
        _outline(whole, parts, begins)
        if furniture.contents:
            _links(whole, begins, ahead)
        with whole.open_metadata() as about:
            about["dc:title"] = furniture.title
        whole.docinfo["/Title"] = furniture.title
        if furniture.origin:
            whole.docinfo["/Keywords"] = furniture.origin
        buffer = io.BytesIO()
        whole.save(buffer)
        for one in opened:
            one.close()
        return Joined(buffer.getvalue(), len(sections), tuple(begins))


def _count(pdf: bytes) -> int:
    with pikepdf.open(io.BytesIO(pdf)) as opened:
        return len(opened.pages)


def _contents(parts: Sequence[PdfPart], counts: Sequence[int], furniture: Furniture, ahead: int) -> bytes:
    page, rows = ahead + 1, []
    for part, count in zip(parts, counts, strict=True):
        says = f'<div class="says">{escape(part.says)}</div>' if part.says else ""
        rows.append(
            f'<tr><td class="no">{escape(part.number)}</td><td>{escape(part.title)}{says}</td>'
            f'<td class="f">{page}</td></tr>'
        )
        page += count
    bounds = f'<p class="bounds">{escape(furniture.part)}</p>' if furniture.part else ""
    origin = f'<p class="says">{escape(furniture.origin)}</p>' if furniture.origin else ""
    body = (
        "<style>.no { width: 10mm; color: #69706c; } .says { font-size: 8pt; color: #69706c; } "
        ".contents td { padding: 1.6mm 1mm; font-size: 11pt; } h1 { font-size: 24pt; margin: 30mm 0 2mm; } "
        ".bounds { border: 0.8pt solid #a8741a; padding: 1mm 2mm; font-weight: 600; } .about { margin: 0 0 12mm; }"
        "</style>"
        f'<h1>{escape(furniture.title)}</h1><p class="about">{escape(furniture.about)}</p>{bounds}'
        f'<table class="contents">{"".join(rows)}</table>{origin}'
    )
    return printed(body)


def _around(
    whole: pikepdf.Pdf, sections: Sequence[str], bare: Sequence[tuple[bool, bool]], furniture: Furniture, ahead: int
) -> None:
    """Running heads and feet, drawn over each page in its own size."""
    from weasyprint import HTML

    boxes = [_box(page) for page in whole.pages]
    names = {box: f"p{at}" for at, box in enumerate(dict.fromkeys(boxes))}
    rules = "".join(
        f"@page {name} {{ size: {box[0]:.2f}pt {box[1]:.2f}pt; margin: 0; }} .{name} {{ page: {name}; "
        f"height: {box[1]:.2f}pt; }}"
        for box, name in names.items()
    )
    style = (
        f"{faces(False)}{rules} body {{ margin: 0; font: 8pt 'Source Sans 3'; color: #69706c; }}"
        "section { position: relative; break-after: page; } section > div { position: absolute; left: 22mm; "
        "right: 22mm; display: flex; justify-content: space-between; gap: 6mm; } .head { top: 11mm; } "
        ".foot { bottom: 10mm; }"
    )
    pages = []
    for at, (box, section, (has_head, has_foot)) in enumerate(zip(boxes, sections, bare, strict=True), 1):
        head = f'<div class="head"><span>{escape(furniture.title)}</span><span>{escape(section)}</span></div>'
        foot = f'<div class="foot"><span>{escape(furniture.foot)}</span><span>Page {at} of {len(sections)}</span></div>'
        inside = ("" if has_head or at <= ahead else head) + ("" if has_foot else foot)
        pages.append(f'<section class="{names[box]}">{inside}</section>')
    drawn = HTML(
        string=f"<!doctype html><meta charset=utf-8><style>{style}</style>{''.join(pages)}", base_url=str(FONTS)
    ).write_pdf()
    with pikepdf.open(io.BytesIO(drawn)) as over:
        for page, one in zip(whole.pages, over.pages, strict=True):
            page.add_overlay(one, pikepdf.Rectangle(*_corners(page)))


def _corners(page: pikepdf.Page) -> tuple[float, float, float, float]:
    left, low, right, high = (float(one) for one in page.mediabox)
    return left, low, right, high


def _box(page: pikepdf.Page) -> tuple[float, float]:
    left, low, right, high = _corners(page)
    return round(right - left, 1), round(high - low, 1)


def _outline(whole: pikepdf.Pdf, parts: Sequence[PdfPart], begins: Sequence[int]) -> None:
    with whole.open_outline() as outline:
        for part, page in zip(parts, begins, strict=True):
            outline.root.append(pikepdf.OutlineItem(f"{part.number} {part.title}".strip(), page - 1))


def _links(whole: pikepdf.Pdf, begins: Sequence[int], ahead: int) -> None:
    """Each row of the contents leads to its section: where it stands is read from the page as it was drawn."""
    import pypdfium2

    buffer = io.BytesIO()
    whole.save(buffer)
    document = pypdfium2.PdfDocument(buffer.getvalue())
    try:
        wanted = [str(page) for page in begins]
        at = 0
        for number in range(ahead):
            text = document[number].get_textpage()
            wide, _ = document[number].get_size()
            page = whole.pages[number]
            for place in range(text.count_rects()):
                left, low, right, high = text.get_rect(place)
                said = text.get_text_bounded(left, low, right, high).strip()
                if at < len(wanted) and said == wanted[at] and left > wide * 0.8:
                    _link(whole, page, (57.0, low - 3, wide - 57.0, high + 3), begins[at])
                    at += 1
    finally:
        document.close()


def _link(whole: pikepdf.Pdf, page: pikepdf.Page, box: tuple[float, float, float, float], to: int) -> None:
    made = pikepdf.Dictionary(
        Type=pikepdf.Name.Annot, Subtype=pikepdf.Name.Link, Rect=list(box), Border=[0, 0, 0],
        Dest=[whole.pages[to - 1].obj, pikepdf.Name.Fit],
    )  # fmt: skip
    if pikepdf.Name.Annots not in page.obj:
        page.obj.Annots = whole.make_indirect(pikepdf.Array())
    page.obj.Annots.append(whole.make_indirect(made))
