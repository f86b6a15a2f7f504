"""The rows of a statement's table as HTML; written in Python, since a large statement has tens of thousands of
cells."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from html import escape
from typing import Any
from urllib.parse import quote

from django import template
from django.utils.html import format_html
from django.utils.safestring import SafeString, mark_safe

from rulka.core.proof.marks import Mark
from rulka.formats.output.page import ShownCell, ShownColumn, ShownRow, ShownStatement
from rulka.statements.pages.blocks import MANY

register = template.Library()
SIGNS = {"fails": "\u00d7", "twice": "2\u00d7", "warning": "!", "unjudged": "?", "holds": "\u2713"}


@register.simple_tag
def head_looks(column: ShownColumn, chosen: Sequence[str]) -> SafeString:
    """The attributes of a column's heading: how wide it is, how many columns it spans, how it looks."""
    looks = {
        "opens": column.opens_group,
        "words": column.words,
        "chosen": column.written in chosen,
        "ghost": column.ghost,
        column.keep: column.keep,
    }
    style = format_html('style="min-width:{}ch" ', column.width) if column.width else ""
    span = format_html('colspan="{}" ', column.span) if column.span > 1 else ""
    return format_html('{}{}class="{}"', style, span, " ".join(look for look, has in looks.items() if has))


@register.simple_tag
def figure_rows(
    shown: ShownStatement,
    panel: Sequence[ShownRow],
    query: str,
    marks: Mapping[str, Sequence[Mark]],
    chosen: Sequence[str],
    row_chosen: str,
) -> SafeString:
    """The body rows of one half of the page; every text is escaped here."""
    writer = _Writer(shown, query, marks, set(chosen), row_chosen)
    # all that varies is escaped where it is written
    return mark_safe("\n".join(writer.row(row) for row in panel))


@register.simple_tag
def changed_rows(
    shown: ShownStatement,
    changed: Sequence[ShownRow],
    query: str,
    marks: Mapping[str, Sequence[Mark]],
    state: Mapping[str, Any],
) -> SafeString:
    """Rows that take the place of those on the page, each found by its id."""
    writer = _Writer(shown, query, marks, set(keys_in(state, "lines")), str(state.get("row", "")), swapped=True)
    return mark_safe("\n".join(writer.row(row) for row in changed))


class _Writer:
    def __init__(
        self,
        shown: ShownStatement,
        query: str,
        marks: Mapping[str, Sequence[Mark]],
        chosen: set[str],
        row_chosen: str,
        *,
        swapped: bool = False,
    ) -> None:
        self.shown, self.marks, self.chosen, self.row_chosen = shown, marks, chosen, row_chosen
        # large statements leave out of addresses what the session knows anyway
        self.base = "?" if len(shown.rows) * len(shown.columns) > MANY else f"?{escape(query)}&amp;"
        self.swap = ' hx-swap-oob="morph"' if swapped else ""

    def row(self, row: ShownRow) -> str:
        if row.kind == "filler":
            return '<tr class="filler"><td class="mark"></td><td colspan="100"></td></tr>'
        key = escape(row.key)
        is_chosen = row.line in self.chosen or (not self.chosen and row.key == self.row_chosen)
        begin = (
            f'<tr id="row-{key}" class="{escape(row.classes)}{" chosen" if is_chosen else ""}" data-row="{key}" '
            f'data-line="{escape(row.line)}"{self.swap}>'
        )
        begin += f'<td class="mark">{self._marks(row.key)}</td>'
        if row.kind in ("text", "spacer", "page-break", "page break"):
            label = row.label or {"spacer": "\u00a0"}.get(row.kind, "\u2013 page break \u2013")
            return f'{begin}<th scope="row" colspan="100" class="d{row.depth}">{self._label(row, label)}</th></tr>'
        cells = [self._label_cell(row)] if self.shown.has_label else []
        address = f"{self.base}panel=trace&amp;row={quote(row.key)}&amp;column="
        cells += [self._label_cell(row) if cell.is_label else self._cell(cell, address) for cell in row.cells]
        return begin + "".join(cells) + "</tr>"

    def _label_cell(self, row: ShownRow) -> str:
        return f'<th scope="row" class="d{row.depth}" title="{escape(row.label)}">{self._label(row, row.label)}</th>'

    def _label(self, row: ShownRow, text: str) -> str:
        return (
            f'<a class="label" tabindex="-1" href="{self.base}panel=line&amp;row={quote(row.key)}">{escape(text)}</a>'
        )

    def _marks(self, key: str) -> str:
        return "".join(self._mark(mark, key) for mark in self.marks.get(key, ())[:2])

    def _mark(self, mark: Mark, key: str) -> str:
        text = escape(mark.text)
        if mark.kind == "sealed":
            return (
                f'<a class="seal" tabindex="-1" href="{self.base}panel=line&amp;row={quote(key)}" title="{text}" '
                f'aria-label="{text}"></a>'
            )
        if mark.column:
            place = f"panel=explain&amp;row={quote(key)}&amp;column={quote(mark.column)}"
            return (
                f'<a class="plus {mark.kind}" tabindex="-1" href="{self.base}{place}" title="{text}" '
                f'aria-label="{mark.count}, variance: {text}">{mark.count}</a>'
            )
        sign = f"+{mark.count}" if mark.kind == "unplaced" else SIGNS[mark.kind]
        where = f"panel=line&amp;row={quote(key)}" if mark.kind == "warning" else "panel=footing"
        return (
            f'<a class="plus {mark.kind}" tabindex="-1" href="{self.base}{where}" title="{text}" '
            f'aria-label="{sign} {text}">{sign}</a>'
        )

    def _cell(self, cell: ShownCell, address: str) -> str:
        classes = ["w" if cell.words else "f"]
        classes += [cell.verdict] if cell.verdict else []
        classes += ["red"] if cell.red else []
        classes += ["room"] if cell.room else []
        classes += ["quiet"] if cell.quiet else ["lead"] if cell.lead else []
        classes += ["opens"] if cell.opens_group else []
        classes += ["outer"] if cell.outer else []
        classes += [cell.keep] if cell.keep else []
        return f'<td class="{" ".join(classes)}">{self._inside(cell, address)}</td>'

    def _inside(self, cell: ShownCell, address: str) -> str:
        if cell.trend:
            return (
                f'<svg class="spark" width="88" height="18" viewBox="0 0 88 18" aria-hidden="true"><polyline '
                f'points="{escape(cell.trend)}"/></svg>'
            )
        if cell.words or not cell.text:
            return escape(cell.text)
        told = "better:" if cell.verdict == "good" else "worse:"
        triangle = f'<span class="tri" role="img" aria-label="{told}"></span>' if cell.verdict else ""
        column = escape(cell.column)
        beside = f"&amp;at={quote(cell.node)}" if cell.node else ""
        place = f"{column}@{escape(cell.node)}" if cell.node else column
        return (
            f'<a class="figure" data-column="{place}" tabindex="-1" '
            f'href="{address}{column}{beside}">{triangle}{escape(cell.text)}</a>'
        )


@register.filter
def keys_in(state: Mapping[str, Any], name: str) -> list[str]:
    """The keys that an address holds in one field, with commas between them."""
    return [key for key in str(state.get(name, "")).split(",") if key]
