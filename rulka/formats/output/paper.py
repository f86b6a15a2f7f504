"""A PDF's pages as pictures, for looking at before printing."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING

from rulka.core.errors import NotFound
from rulka.core.later import later

if TYPE_CHECKING:
    import pypdfium2
else:
    pypdfium2 = later("pypdfium2")

DOTS = 96
"""Dots an inch of a preview."""


def page_picture(pdf: bytes, number: int) -> tuple[bytes, int]:
    """The PNG of a page, counted from 1, and how many pages there are."""
    document = pypdfium2.PdfDocument(pdf)
    try:
        if not 1 <= number <= len(document):
            raise NotFound(f"There is no page {number}.", hint=f"It has {len(document)}.", subject="page")
        buffer = io.BytesIO()
        document[number - 1].render(scale=DOTS / 72).to_pil().save(buffer, "PNG")
        return buffer.getvalue(), len(document)
    finally:
        document.close()


def svg_picture(svg: str, wide: int, high: int, *, times: int = 2) -> bytes:
    """An SVG as PNG at so many pixels, drawn finer by a factor for where it is enlarged."""
    from weasyprint import HTML

    from rulka.formats.output.html import FONTS, faces

    style = f"@page {{ size: {wide}px {high}px; margin: 0; }} body {{ margin: 0; }} svg {{ display: block; }}"
    page = f"<style>{faces(False)}{style}</style>{svg}"
    document = pypdfium2.PdfDocument(HTML(string=page, base_url=str(FONTS)).write_pdf())
    try:
        buffer = io.BytesIO()
        document[0].render(scale=DOTS / 72 * times).to_pil().save(buffer, "PNG")
        return buffer.getvalue()
    finally:
        document.close()
