"""A computed statement as a table for the clipboard: plain numbers, as they are rounded on the page."""

from __future__ import annotations

from fractions import Fraction
from html import escape

from rulka.core.computed import Computed
from rulka.core.money import exact_text, round_half_away
from rulka.formats.present import digits_of
from rulka.formats.statement_text import cell_words, plain_text


def as_table(computed: Computed) -> tuple[str, str]:
    """The visible statement as tab-separated text and as an HTML table, with plain numbers as they are rounded on the page."""
    shown = [(place, column) for place, column in enumerate(computed.columns) if not column.hidden and column.asked.text != "trend"]
    rows: list[list[str]] = [["", *(", ".join(filter(None, (*column.groups, column.heading))) for _, column in shown)]]
    for row in computed.rows:
        if row.hidden:
            continue
        cells = [plain_text("\u00a0\u00a0" * row.depth + row.label if row.depth else row.label)]
        for place, column in shown:
            if column.kind == "text":
                cells.append(plain_text(cell_words(row, column, computed)))
            elif not row.has_figures or place in row.blank:
                cells.append("")
            elif (value := row.values[place]) is None:
                cells.append("n/m")
            else:
                digits, scale = digits_of(row, column, computed)
                number = value * 100 if scale < 0 else value / 10**scale
                cells.append(exact_text(Fraction(round_half_away(number, digits), 10**digits), digits))
        rows.append(cells)
    text = "\n".join("\t".join(row) for row in rows)
    html = "".join(f"<tr>{''.join(f'<td>{escape(cell)}</td>' for cell in row)}</tr>" for row in rows)
    return text, f"<table>{html}</table>"
