"""Sections drawn by several processes: the same paper as drawn by one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import pypdfium2
import pytest
from django.utils import timezone

from rulka.core.books.fence import NO_FENCE
from rulka.formats.output import html, many_pages
from rulka.formats.output.many_pages import draw_many
from rulka.formats.output.page import HtmlPage

LENGTHS = [3, 30, 4, 70, 3, 31, 5]


class Paper(NamedTuple):
    pages: list[str]
    outline: list[tuple[str, int]]
    title: str


def paper_of(data: bytes) -> Paper:
    document = pypdfium2.PdfDocument(data)
    pages = [" ".join(page.get_textpage().get_text_bounded().split()) for page in document]
    outline = [(one.get_title(), one.get_dest().get_index()) for one in document.get_toc()]
    return Paper(pages, outline, document.get_metadata_value("Title"))


def document(places: Sequence[int], rule: str, pages: str) -> str:
    """Sections of some lines, small pages, page x of y below."""
    lines = [[f"<p>{place}.{line}</p>" for line in range(LENGTHS[place])] for place in places]
    sections = "".join(
        f"<section id=s{at}><h1>Section {place}</h1>{''.join(own)}</section>"
        for at, (place, own) in enumerate(zip(places, lines, strict=True))
    )
    style = (
        f"@page {{ size: A6; margin: 10mm; @bottom-right {{ content: counter(page) ' of ' {pages}; }} }} {rule} "
        "p { margin: 0; font-size: 10pt; } section + section { break-before: page; }"
    )
    return f"<html lang=en><head><title>Some</title><style>{style}</style></head><body>{sections}</body></html>"


@pytest.mark.parametrize("guess", ["by length", "wrongly"])
def test_sections_are_numbered_through_whatever_they_were_thought_to_take(guess, monkeypatch):
    from weasyprint import HTML

    whole = HTML(string=document(range(len(LENGTHS)), "", "counter(pages)")).write_pdf()
    asked = []

    def write(places: Sequence[int], start: int, total: int) -> str:
        asked.append(list(places))
        return document(places, f"@page :first {{ counter-set: page {start}; }}", f'"{total}"')

    if guess == "wrongly":
        monkeypatch.setattr(many_pages, "_guessed", lambda write, lengths: [1] * len(lengths))
    monkeypatch.setattr(many_pages, "AT_ONCE", 2)
    drawn = paper_of(draw_many(write, LENGTHS, [f"Section {place}" for place in range(len(LENGTHS))]))
    assert drawn == paper_of(whole) and len(drawn.pages) > len(LENGTHS)
    assert drawn.pages[-1].endswith(f"{len(drawn.pages)} of {len(drawn.pages)}")
    if guess == "by length":  # nothing but the samples is drawn twice
        assert sorted(place for places in asked[1:] for place in places) == list(range(len(LENGTHS)))


@pytest.mark.usefixtures("ternwick")
def test_a_statement_of_many_nodes_is_the_same_on_paper(monkeypatch):
    from rulka.ledger.models import Ledger
    from rulka.statements.library.assemble import definitions_of
    from rulka.statements.running.runs import run_pages

    definitions = definitions_of(Ledger.objects.get(code="ternwick"), "department-results")
    outcomes = run_pages(definitions, "2027-P07", "TF", NO_FENCE, pages="below")[:4]
    pages = [HtmlPage(one.computed, one.checks) for one in outcomes]
    assert len(pages) == 4
    at = timezone.localtime()
    one = paper_of(html.as_pdf_pages(pages, ledger="Ternwick", at=at))
    monkeypatch.setattr(html, "MANY", 3)
    assert paper_of(html.as_pdf_pages(pages, ledger="Ternwick", at=at)) == one and len(one.outline) == 4
