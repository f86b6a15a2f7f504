"""A letter as plain text and as a web page: light marks for headings, lists and emphasis; what stands for a token is
never read as marks. A table is kept as lines and tabs until then."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from html import escape

from markdown_it import MarkdownIt

from rulka.core.compute.computed import Computed
from rulka.core.money import as_usual
from rulka.core.sending.letters import Letter, LetterToken
from rulka.formats.output.page import show

FIRST, LAST = "\ue000", "\ue001"
"""Signs around the number of a token while marks are read; nobody types them."""

CELL = "padding:3px 10px;border-bottom:1px solid #e0d9c6;"
BODY = "font-family:Arial,Helvetica,sans-serif;font-size:14px;line-height:1.5;color:#20292b"


@as_usual()
def table_of(computed: Computed) -> str:
    """A statement as it shows, as lines and tabs: the unit and the headings first."""
    shown = show(computed)
    heads = [shown.unit] if shown.has_label else []
    for column in shown.columns:
        heads += [column.heading, *[""] * (column.width - 1)]
    rows = [
        [*([""] if shown.has_label else []), *(part for one in level for part in (one.title, *[""] * (one.width - 1)))]
        for level in shown.heads
    ]
    rows.append(heads)
    for row in shown.rows:
        label = ["\u00a0\u00a0" * row.depth + row.label] if shown.has_label else []
        rows.append(label + [cell.text for cell in row.cells])
    return "\n".join("\t".join(" ".join(cell.split(" ")).strip("\t\n ") for cell in row) for row in rows)


def _rows(table: str) -> list[list[str]]:
    return [line.split("\t") for line in table.split("\n")]


def letter_text(letter: Letter, values: Mapping[LetterToken, str]) -> str:
    """A letter as plain text, its tokens filled; the columns of a table stand below each other."""
    return "".join(
        (aligned(values[piece]) if piece.kind == "table" else values[piece])
        if isinstance(piece, LetterToken)
        else piece
        for piece in letter
    )


def aligned(table: str) -> str:
    """A table in columns of equal width: the first to the left, the others to the right."""
    rows = _rows(table)
    wide = [max(len(row[at]) for row in rows if at < len(row)) for at in range(max(map(len, rows)))]
    lines = (
        "  ".join(cell.rjust(wide[at]) if at else cell.ljust(wide[at]) for at, cell in enumerate(row)).rstrip()
        for row in rows
    )
    return "\n".join(lines)


def letter_page(letter: Letter, values: Mapping[LetterToken, str], *, marks: bool = False) -> str:
    """A letter's text as HTML, its tokens filled: a table as a table, all else as plain text. With `marks` the page
    shows what stands for a token, and has no looks of its own."""
    tokens = list(values)
    marked = "".join(
        f"{FIRST}{tokens.index(piece)}{LAST}"
        if isinstance(piece, LetterToken)
        else re.sub(f"[{FIRST}{LAST}]", "", piece)
        for piece in letter
    )
    reader = MarkdownIt("commonmark", {"html": False, "breaks": True}).disable(["image", "html_inline", "html_block"])
    page = str(reader.render(marked))
    for at, token in enumerate(tokens):
        sign = f"{FIRST}{at}{LAST}"
        if token.kind == "table":
            page = re.sub(
                f"<p>((?:(?!</p>).)*?){sign}(.*?)</p>",
                _around(table_page(values[token], plain=marks)),
                page,
                flags=re.S,
            )
        said = escape(values[token])
        said = f'<a href="{said}">{said}</a>' if token.kind == "link" and not marks else said
        page = page.replace(sign, f'<mark class="token">{said}</mark>' if marks else said)
    if marks:
        return page.strip()
    return f'<div style="{BODY}">{page.strip()}</div>'


def _around(table: str) -> Callable[[re.Match[str]], str]:
    """A table in the midst of a paragraph stands between what is before and behind it."""

    def made(found: re.Match[str]) -> str:
        before = found[1].strip().removesuffix("<br />").strip()
        behind = found[2].strip().removeprefix("<br />").strip()
        return "".join((f"<p>{before}</p>" if before else "", table, f"<p>{behind}</p>" if behind else ""))

    return made


def table_page(table: str, *, plain: bool = False) -> str:
    """A table as HTML: the first row as headings, figures to the right; a row of words alone goes over all of it."""
    every = _rows(table)
    above = next((at for at, row in enumerate(every) if row[0]), 0)  # rows of headings over some columns come first
    heads, rows = every[: above + 1], every[above + 1 :]
    wide = max(map(len, every))
    head = "".join(_over(row, plain) for row in heads[:-1]) + _row("th", heads[-1], wide, plain)
    body = "".join(_row("td", row, wide, plain) for row in rows)
    if plain:
        return f'<table class="inletter"><thead>{head}</thead><tbody>{body}</tbody></table>'
    look = "border-collapse:collapse;font-variant-numeric:tabular-nums;font-size:13px"
    return f'<table style="{look}"><thead>{head}</thead><tbody>{body}</tbody></table>'


def _over(row: list[str], plain: bool) -> str:
    """Headings over some columns."""
    cells: list[tuple[str, int]] = []
    for at, title in enumerate(row):
        if title or at == 0 or not cells[-1][0]:
            cells.append((title, 1))
        else:
            cells[-1] = (cells[-1][0], cells[-1][1] + 1)
    look = "" if plain else f' style="{CELL}text-align:center"'
    return f"<tr>{''.join(f'<th colspan={wide!r}{look}>{escape(title)}</th>' for title, wide in cells)}</tr>"


def _row(tag: str, row: list[str], wide: int, plain: bool) -> str:
    if tag == "td" and not any(row[1:]):
        look = "" if plain else f' style="{CELL}"'
        return f'<tr><td colspan="{wide}"{look}>{escape(row[0])}</td></tr>'
    return f"<tr>{''.join(_cell(tag, at, cell, plain) for at, cell in enumerate(row))}</tr>"


def _cell(tag: str, at: int, text: str, plain: bool) -> str:
    side = "right;white-space:nowrap" if at else "left"
    look = "" if plain else f' style="{CELL}text-align:{side}"'
    return f"<{tag}{look}>{escape(text)}</{tag}>"
