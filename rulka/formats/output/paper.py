"""A PDF's pages as pictures, for looking at before printing."""

from __future__ import annotations

import io

import pypdfium2

from rulka.core.errors import NotFound

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
