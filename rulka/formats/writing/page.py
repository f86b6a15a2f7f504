"""A written document with what its places show, as HTML: for the page, for paper and for a file that stands alone."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from html import escape
from typing import Final

from rulka.core.folios.filled import (
    Filled,
    FilledCell,
    FilledDrawing,
    FilledFigure,
    FilledProblem,
    FilledRow,
    FilledTable,
    FilledWords,
    Piece,
)
from rulka.core.folios.writing import (
    Block,
    Document,
    FigurePlace,
    Footnote,
    Heading,
    Inline,
    LineBreak,
    Listing,
    LiveTable,
    PageBreak,
    Paragraph,
    TableCell,
    Text,
    TextTable,
)

MARKS: Final = {"strong": "strong", "em": "em", "underline": "u"}
MANY: Final = 7
"""Columns of figures from which on a table is written smaller."""

Address = Callable[[str], str]
"""What a figure says of its trace to an address; nothing where it leads nowhere."""


def _same(address: str) -> str:
    return address


@dataclass
class Writer:
    """Writes one document. On `paper` footnotes go to the foot of their page, on a page to the end of the text."""

    filled: Filled
    paper: bool = False
    address: Address = _same
    notes: list[str] = field(default_factory=list)
    prefix: str = "n"

    def document(self, document: Document) -> str:
        """The whole document."""
        body = "".join(self.block(one) for one in document.blocks)
        if self.notes and not self.paper:
            items = "".join(f'<li id="{self.prefix}{at}">{escape(one)}</li>' for at, one in enumerate(self.notes, 1))
            body += f'<ol class="footnotes">{items}</ol>'
        return body

    def block(self, block: Block) -> str:
        match block:
            case Paragraph():
                return f"<p>{self.inlines(block.inlines)}</p>"
            case Heading():
                return f"<h{block.level + 1}>{self.inlines(block.inlines)}</h{block.level + 1}>"
            case Listing():
                tag = "ol" if block.ordered else "ul"
                items = "".join(f"<li>{''.join(self.block(one) for one in item)}</li>" for item in block.items)
                return f"<{tag}>{items}</{tag}>"
            case TextTable():
                rows = "".join(f"<tr>{''.join(self.cell(one) for one in row)}</tr>" for row in block.rows)
                return f'<table class="written"><tbody>{rows}</tbody></table>'
            case LiveTable():
                return "".join(self.piece(one, block.source) for one in self.filled.pieces(block.source))
            case PageBreak():
                return '<hr class="page-break">'

    def cell(self, cell: TableCell) -> str:
        tag = "th" if cell.heading else "td"
        spans = "".join(
            f' {name}="{count}"' for name, count in (("colspan", cell.wide), ("rowspan", cell.high)) if count > 1
        )
        blocks = cell.blocks
        if len(blocks) == 1 and isinstance(blocks[0], Paragraph):
            inside = self.inlines(blocks[0].inlines)
        else:
            inside = "".join(self.block(one) for one in blocks)
        number = ' class="f"' if _is_number(blocks) else ""
        return f"<{tag}{spans}{number}>{inside}</{tag}>"

    def inlines(self, inlines: Sequence[Inline]) -> str:
        return "".join(self.inline(one) for one in inlines)

    def inline(self, inline: Inline) -> str:
        match inline:
            case Text():
                text = escape(inline.text)
                for mark, tag in MARKS.items():
                    if mark in inline.marks:
                        text = f"<{tag}>{text}</{tag}>"
                return f'<a href="{escape(inline.link)}" rel="noopener">{text}</a>' if inline.link else text
            case FigurePlace():
                return self.figure(self.filled.figure(inline.key))
            case Footnote():
                self.notes.append(inline.text)
                if self.paper:
                    return f'<span class="footnote">{escape(inline.text)}</span>'
                at = len(self.notes)
                return f'<sup><a href="#{self.prefix}{at}">{at}</a></sup>'
            case LineBreak():
                return "<br>"

    def figure(self, figure: FilledFigure) -> str:
        if figure.problem:
            return f'<span class="live gone" title="{escape(figure.problem)}">?</span>'
        title = escape(", ".join(filter(None, (figure.name, figure.heading))))
        address = self.address(figure.address) if figure.address else ""
        if address:
            return f'<a class="live" href="{escape(address)}" title="{title}">{escape(figure.text)}</a>'
        return f'<span class="live" title="{title}">{escape(figure.text)}</span>'

    def piece(self, piece: Piece, source: str) -> str:
        match piece:
            case FilledTable():
                return self.table(piece)
            case FilledDrawing():
                about = f" <span>{escape(piece.about)}</span>" if piece.about else ""
                head = f"<figcaption>{escape(piece.title)}{about}</figcaption>" if piece.title or about else ""
                return f'<figure class="drawn">{head}{piece.svg}</figure>'
            case FilledWords():
                head = f"<h4>{escape(piece.title)}</h4>" if piece.title else ""
                return head + "".join(f"<p>{escape(one)}</p>" for one in piece.paragraphs)
            case FilledProblem():
                hint = f" {escape(piece.hint)}" if piece.hint else ""
                return f'<p class="problem"><b>{escape(piece.message)}</b>{hint}</p>'

    def table(self, table: FilledTable) -> str:
        """A live table: headings over columns, rows with their rulings, notes below."""
        title = f"<caption>{escape(table.title)}</caption>" if table.title else ""
        heads = "".join(
            "<tr class=over><td></td>"
            + "".join(f'<th scope="colgroup" colspan="{wide}">{escape(name)}</th>' for name, wide in level)
            + "</tr>"
            for level in table.heads
        )
        names = "".join(f'<th scope="col">{escape(one)}</th>' for one in table.columns)
        head = f'<thead>{heads}<tr><th scope="col">{escape(table.corner)}</th>{names}</tr></thead>'
        rows = "".join(self.row(row, len(table.columns)) for row in table.rows)
        notes = "".join(f'<p class="note">{escape(one)}</p>' for one in table.notes)
        many = " many" if len(table.columns) >= MANY else ""
        return f'<div class="wide"><table class="ftable{many}">{title}{head}<tbody>{rows}</tbody></table></div>{notes}'

    def row(self, row: FilledRow, wide: int) -> str:
        words = " ".join(filter(None, (row.looks, "strong" if row.strong else "", f"above-{row.above}",
                                       f"below-{row.below}", f"in-{min(row.depth, 6)}")))  # fmt: skip
        if not row.cells:
            return f'<tr class="{escape(words)}"><th scope="row" colspan="{wide + 1}">{escape(row.label)}</th></tr>'
        cells = "".join(self.filled_cell(one) for one in row.cells)
        return f'<tr class="{escape(words)}"><th scope="row">{escape(row.label)}</th>{cells}</tr>'

    def filled_cell(self, cell: FilledCell) -> str:
        looks = " ".join(filter(None, ("w" if cell.words else "f", cell.tone)))
        address = self.address(cell.address) if cell.address else ""
        text = escape(cell.text)
        inside = f'<a href="{escape(address)}">{text}</a>' if address and cell.text else text
        return f'<td class="{looks}">{inside}</td>'


def _is_number(blocks: Sequence[Block]) -> bool:
    """Whether a typed cell holds a figure alone, which stands to the right."""
    if len(blocks) != 1 or not isinstance(blocks[0], Paragraph) or not blocks[0].inlines:
        return False
    if all(isinstance(one, FigurePlace) for one in blocks[0].inlines):
        return True
    text = "".join(one.text for one in blocks[0].inlines if isinstance(one, Text))
    return (
        bool(text) and any(letter in "0123456789" for letter in text) and not any(letter.isalpha() for letter in text)
    )


def as_page(document: Document, filled: Filled, *, prefix: str = "n", address: Address = _same) -> str:
    """A document as it is read on the screen."""
    return Writer(filled, address=address, prefix=prefix).document(document)


def as_paper(document: Document, filled: Filled, *, address: Address = _same) -> str:
    """A document as it is printed."""
    return Writer(filled, paper=True, address=address).document(document)
