"""What a page shows as a table for the clipboard: plain numbers, as they are rounded on the page."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from html import escape

from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.rows import Row
from rulka.core.money import exact_text, round_half_away
from rulka.formats.figures import cell_words, digits_of, plain_text
from rulka.formats.output.page import joined, named_nodes


def as_table(pages: Sequence[Computed]) -> tuple[str, str]:
    """The visible statement, of nodes side by side too, as tab-separated text and as an HTML table, with plain
    numbers."""
    several = len(pages) > 1
    names = named_nodes(pages)
    heads, by_key = [""], []
    order: list[Row] = []
    for page, name in zip(pages, names, strict=True):
        shown = [row for row in page.rows if not row.hidden]
        order = joined(order, shown)
        by_key.append({row.key: row for row in shown})
        heads += [
            plain_text(", ".join(filter(None, (name if several else "", *column.groups, column.heading))))
            for _, column in _columns(page)
        ]
    rows = [heads]
    for row in order:
        cells = [plain_text("\u00a0\u00a0" * row.depth + row.label if row.depth else row.label)]
        for page, known in zip(pages, by_key, strict=True):
            own = known.get(row.key)
            cells += [_cell(own, column, place, page) if own else "" for place, column in _columns(page)]
        rows.append(cells)
    text = "\n".join("\t".join(row) for row in rows)
    html = "".join(f"<tr>{''.join(f'<td>{escape(cell)}</td>' for cell in row)}</tr>" for row in rows)
    return text, f"<table>{html}</table>"


def _columns(computed: Computed) -> list[tuple[int, Column]]:
    return [
        (place, column)
        for place, column in enumerate(computed.columns)
        if not column.hidden and column.asked.text != "trend"
    ]


def _cell(row: Row, column: Column, place: int, computed: Computed) -> str:
    if column.kind == "text":
        return plain_text(cell_words(row, column, computed))
    if not row.has_figures or place in row.blank:
        return ""
    value = row.values[place]
    if value is None:
        return row.word_at(place)
    digits, scale = digits_of(row, column, computed)
    number = value * 100 if scale < 0 else value / 10**scale
    return exact_text(Fraction(round_half_away(number, digits), 10**digits), digits)
