"""Figures of tiles: each leads to its trace where it has one, and says by colour, shape and word how it is meant."""

from __future__ import annotations

from collections.abc import Iterable

from django import template
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from rulka.overviews.output.shown import ShownPiece, TileFigure

register = template.Library()

SHAPES = {"good": ("M5 0l5 9H0z", "#1f5a4d", "better: "), "bad": ("M0 0h10L5 9z", "#a43a2c", "worse: ")}
"""By tone the shape's path, its colour, and the word for who doesn't see it."""


@register.simple_tag
def figure_of(cell: TileFigure) -> SafeString:
    """A cell of a tile: its shape, its figure, the way to its trace."""
    if not cell.text:
        return SafeString("")
    look = format_html(' class="{}"', cell.tone) if cell.tone else ""
    inner = format_html("{}{}", _shape(cell.tone), cell.text)
    if cell.address:
        return format_html('<a href="{}" hx-boost="false"{}>{}</a>', cell.address, look, inner)
    return format_html("<span{}>{}</span>", look, inner)


def _shape(tone: str) -> SafeString:
    if not tone:
        return SafeString("")
    path, colour, word = SHAPES["good" if tone == "good" else "bad"]
    return format_html(
        '<svg class="side" viewBox="0 0 10 9" width="8" height="7" aria-hidden="true"><path d="{}" fill="{}" /></svg>'
        '<span class="sr-only">{}</span>',
        path,
        colour,
        word,
    )


@register.simple_tag
def said(paragraph: Iterable[ShownPiece]) -> SafeString:
    """A paragraph: words, and figures with the way to their traces."""
    return format_html_join("", "{}", ((_said(piece),) for piece in paragraph))


def _said(piece: ShownPiece) -> SafeString | str:
    if piece.cell is None:
        return piece.text
    if piece.cell.address:
        link = '<a href="{}" hx-boost="false" class="fig {}">{}</a>'
        return format_html(link, piece.cell.address, piece.cell.tone, piece.text)
    return format_html('<b class="fig {}">{}</b>', piece.cell.tone, piece.text)
