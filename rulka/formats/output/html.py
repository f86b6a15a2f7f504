"""A computed statement as an HTML page that stands alone, and as a PDF made from the same page."""

from __future__ import annotations

import base64
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from html import escape
from pathlib import Path

from rulka.core.compute.computed import Computed
from rulka.core.definitions.pages import COUNTED, Boxes, PageDef, filled, pieces
from rulka.core.proof.checks import FAILS, Check, verdict_on
from rulka.formats.output.many_pages import MANY, draw_many
from rulka.formats.output.page import (
    HtmlPage,
    ShownCell,
    ShownColumn,
    ShownRow,
    ShownStatement,
    note_lines,
    noted,
    page_values,
    show,
)
from rulka.formats.output.stamp import Stamp

FONTS = Path(__file__).parent.parent.parent / "web" / "static" / "fonts"
FACES = {"Source Sans 3": "source-sans-3.woff2", "Source Serif 4": "source-serif-4.woff2"}

STYLE = """
* { box-sizing: border-box; }
body { margin: 0; color: #20292b; background: #fdfcf8; font: 9.5pt/1.25 "Source Sans 3", sans-serif; }
@media screen { body { max-width: 70rem; margin: 2rem auto; padding: 0 1rem; } }
@media print { body { background: none; } }
section.page + section.page { break-before: page; }
h1 { font: 600 17pt "Source Serif 4", serif; margin: 0 0 1mm; }
.about { color: #505856; margin: 0 0 1mm; }
.foot { color: #69706c; font-size: 8pt; margin: 0 0 1mm; display: flex; gap: 4mm; }
.foot span { flex: 1 1 0; } .foot span + span { text-align: center; } .foot span:last-child { text-align: right; }
@media print { .foot { display: none; } } .strings { height: 0; margin: 0; font-size: 0; }
.logo { margin: 0 0 2mm; } .logo img { max-width: 100%; } .logo.centre { text-align: center; }
.logo.right { float: right; margin-left: 4mm; }
sup { color: #8a5d10; font-size: 7pt; line-height: 0; margin-left: 1mm; }
.notes { margin-top: 4mm; font-size: 8.5pt; } .notes p { margin: 0 0 1mm; white-space: pre-line; }
table { border-collapse: separate; border-spacing: 0; width: 100%; font-variant-numeric: tabular-nums lining-nums; }
th { font-weight: 600; text-align: right; padding: 1mm 2mm; vertical-align: bottom; }
th:first-child, td:first-child { text-align: left; overflow-wrap: anywhere; }
tr.groups th { text-align: left; }
tr.heads th { border-bottom: 0.8pt solid #20292b; }
td { padding: 0.45mm 2mm; border-bottom: 0.3pt solid #e6e0d1; vertical-align: bottom; }
td.f { text-align: right; white-space: nowrap; }
.opens { border-left: 0.5pt solid #cfc7b4; }
tr { break-inside: avoid; }
tr.section td, tr.heading td { font: 600 10.5pt "Source Serif 4", serif; padding-top: 2mm; break-after: avoid; }
tr.total td, tr.calculation td { font-weight: 600; }
tr.above-single td.f { border-top: 0.6pt solid #20292b; } tr.below-single td.f { border-bottom: 0.6pt solid #20292b; }
tr.above-double td.f { border-top: 2.2pt double #20292b; } tr.below-double td.f { border-bottom: 2.2pt double #20292b; }
tr.above-thick td.f { border-top: 1.6pt solid #20292b; } tr.below-thick td.f { border-bottom: 1.6pt solid #20292b; }
tr.above-dotted td.f { border-top: 0.8pt dotted #20292b; } tr.below-dotted td.f { border-bottom: 0.8pt dotted #20292b; }
tr.box td { border-top: 0.6pt solid #20292b; border-bottom: 0.6pt solid #20292b; }
tr.holds td, tr.subtotal td { font-weight: 600; } tr.bold td { font-weight: 600; }
tr.plain td { font-weight: 400; } tr.italic td { font-style: italic; }
tr.shade-light td { background: #f3efe4; } tr.shade-strong td { background: #e6e0d1; }
tr.spacer td { height: 4mm; border-bottom: 0; } tr.text td { font-style: normal; }
tr.page-break { break-before: page; } tr.page-break td { height: 0; padding: 0; border: 0; }
tr.break-before { break-before: page; } tr.break-after { break-after: page; } tr.keep { break-after: avoid; }
tr.align-left td.f { text-align: left; } tr.align-centre td.f { text-align: center; }
td.room::after { content: ")"; visibility: hidden; }
td.w { text-align: left; } .red { color: #a43a2c; }
.tri { width: 5pt; height: 4.4pt; margin-right: 2pt; }
.good { color: #1f5a4d; } .bad { color: #a43a2c; }
.sides { display: flex; gap: 6mm; } .side { flex: 1 1 0; }
.spark polyline { fill: none; stroke: #74807c; stroke-width: 1.25; }
.checks { margin-top: 4mm; font-size: 8.5pt; break-inside: avoid; }
.checks .no { color: #a43a2c; font-weight: 600; } .checks .open { font-weight: 600; }
a.trace { color: inherit; text-decoration: none; }
.origin { margin: 4mm 0 0; color: #69706c; font-size: 7.5pt; overflow-wrap: anywhere; }
.part { border: 0.8pt solid #a8741a; padding: 1mm 2mm; margin: 0 0 2mm; font-weight: 600; }
"""


TRIANGLE = {
    "": "",
    "good": '<svg class=tri viewBox="0 0 10 9" role="img" aria-label="better"><path d="M5 0l5 9H0z" '
    'fill="#1f5a4d"/></svg>',
    "bad": '<svg class=tri viewBox="0 0 10 9" role="img" aria-label="worse"><path d="M0 0h10L5 9z" '
    'fill="#a43a2c"/></svg>',
}
"""Good and bad carry a shape as well as a colour."""


def faces(embed: bool) -> str:
    rules = []
    for family, name in FACES.items():
        path = FONTS / name
        source = f"data:font/woff2;base64,{base64.b64encode(path.read_bytes()).decode()}" if embed else path.as_uri()
        rules.append(
            f'@font-face {{ font-family: "{family}"; src: url({source}) format("woff2"); font-weight: 200 900; }}'
        )
    return "\n".join(rules)


Link = Callable[[str, str, str], str]
"""(node, row, column) to the address of a figure's trace."""

MOST_LINKS = 4_000
"""Figures of all pages that carry a link to their trace; with more of them none does."""


def as_html_pages(
    pages: list[HtmlPage],
    *,
    ledger: str,
    at: datetime,
    embed_fonts: bool = True,
    logo: str = "",
    most_rows: int = 0,
    link: Link | None = None,
    stamp: Stamp | None = None,
) -> str:
    """A statement for several nodes, or several statements, each on a page of its own; cut after `most_rows` rows where
    it says so. Figures lead to their trace where `link` says where that is."""
    return _Sheets(pages, ledger, at, logo, most_rows, link, stamp).html(embed_fonts=embed_fonts)


class _Sheets:
    """The pages of a document, one section each."""

    def __init__(
        self,
        pages: list[HtmlPage],
        ledger: str,
        at: datetime,
        logo: str,
        most_rows: int,
        link: Link | None,
        stamp: Stamp | None,
    ) -> None:
        self.pages, self.stamp, self.of = pages, stamp, pages[0].computed.statement.page
        self.shown = [_cut(noted(show(page.computed), page.notes), most_rows) for page in pages]
        few = sum(len(one.rows) * len(one.columns) for one in self.shown) <= MOST_LINKS
        self.bodies = [
            _page(_linked(one, page.computed, link if few else None), page, ledger, at, logo, stamp)
            for one, page in zip(self.shown, pages, strict=True)
        ]

    def html(self, *, embed_fonts: bool = False) -> str:
        """All sections."""
        return self._document(faces(embed_fonts) + STYLE + _paper(self.of, self.shown), self.bodies)

    def some(self, places: Sequence[int], start: int, total: int) -> str:
        """Some sections, on paper whose first page has a number and that has so many pages in all."""
        paper = f"{_paper(self.of, self.shown, total)} @page :first {{ counter-set: page {start}; }}"
        marked = [
            self.bodies[place].replace("<section ", f"<section id=s{number} ", 1) for number, place in enumerate(places)
        ]
        return self._document(faces(False) + STYLE + paper, marked)

    def titled(self) -> Iterator[tuple[ShownStatement, HtmlPage]]:
        """Each section as shown with what it is made from."""
        return zip(self.shown, self.pages, strict=True)

    def _document(self, style: str, bodies: Sequence[str]) -> str:
        first = self.shown[0]
        head = (
            f'<meta charset="utf-8"><title>{escape(first.title)}, {escape(first.period)}</title>'
            f"<style>{style}</style>{stamp_head(self.stamp)}"
        )
        return f'<!doctype html><html lang="en"><head>{head}</head><body>{"".join(bodies)}</body></html>'


def stamp_head(stamp: Stamp | None) -> str:
    """What a page, and the paper made of it, says in its properties."""
    if stamp is None:
        return ""
    told = "; ".join((stamp.code, *(f"{name} {text}" for name, text in stamp.facts)))
    return (
        f'<meta name="rulka-origin" content="{stamp.code}"><meta name="keywords" content="{escape(told, quote=True)}">'
    )


def _linked(shown: ShownStatement, computed: Computed, link: Link | None) -> ShownStatement:
    """A statement whose figures know where their trace is."""
    if link is None:
        return shown
    code = computed.node.code

    def leading(key: str, cell: ShownCell) -> ShownCell:
        is_figure = not cell.words and not cell.is_label and cell.text.strip()
        return replace(cell, link=link(cell.node or code, key, cell.column)) if is_figure else cell

    def row(one: ShownRow) -> ShownRow:
        return replace(one, cells=tuple(leading(one.key, cell) for cell in one.cells))

    return replace(shown, panels=tuple(tuple(row(one) for one in rows) for rows in shown.panels))


def _cut(shown: ShownStatement, most: int) -> ShownStatement:
    """The first rows of a statement, and a word about the others."""
    if not most or len(shown.rows) <= most:
        return shown
    told = f"The first {most} of {len(shown.rows)} rows; the file holds them all."
    return replace(shown, rows=shown.rows[:most], panels=tuple(rows[:most] for rows in shown.panels), cut=told)


PAPER_WIDTHS = {"A4": (210, 297), "A3": (297, 420), "A5": (148, 210), "letter": (216, 279), "legal": (216, 356)}
MARGINS = 28
"""Millimetres of paper left and right of the page together."""

CHARACTER = 1.75
"""Millimetres that a figure's character takes at the usual size."""


def _paper(page: PageDef, shown: list[ShownStatement], total: int = 0) -> str:
    """Paper, margin boxes and what of the table depends on them; `total` is how many pages there are, where the paper
    can't count them itself."""
    orientation = page.orientation or ("landscape" if max(len(one.columns) for one in shown) > 5 else "portrait")
    boxes = "".join(
        f"@{edge}-{CSS_PLACES[place]} {{ {BOX} content: {_content(f'{edge}-{place}', text, total)}; }}\n"
        for edge, texts in (("top", page.header), ("bottom", page.footer))
        for place, text in texts
        if text
    )
    rules = [f"@page {{ size: {page.paper} {orientation}; margin: 15mm 14mm 15mm;\n{boxes}}}"]
    rules += [
        'tbody tr { string-set: running ""; } tr[data-running] { string-set: running attr(data-running); }',
        f"@page {{ @top-left {{ {BOX} content: string(running, start); }} }}" if not page.header.left else "",
    ]
    rules.append(f"thead {{ display: {'table-header-group' if page.repeat_heads else 'table-row-group'}; }}")
    if page.fit:
        width = PAPER_WIDTHS[page.paper][orientation == "landscape"] - MARGINS
        rules.append(f"table {{ font-size: {9.5 * min(1.0, width / max(_width(one) for one in shown)):.2f}pt; }}")
    if page.break_before_sections:
        rules.append(
            "tr.section.outer + tr { break-before: avoid; } tbody tr ~ tr.section.outer { break-before: page; }"
        )
    return "\n".join(rules)


BOX = 'font: 8pt "Source Sans 3"; color: #69706c;'
CSS_PLACES = {"left": "left", "centre": "center", "right": "right"}


def _content(name: str, text: str, total: int = 0) -> str:
    """A margin box's content: texts that each page sets for itself, between the numbers that the paper counts."""
    parts = [
        (f'"{total}"' if total and kind == "pages" else f"counter({kind})")
        if kind in COUNTED
        else f"string({name}-{at})"
        for at, (kind, _) in enumerate(pieces(text, {}))
    ]
    return " ".join(parts)


def _width(shown: ShownStatement) -> float:
    """Millimetres that a table wants at the usual size."""
    label = max((len(row.label) + 2 * row.depth for row in shown.rows), default=10) if shown.has_label else 0
    columns = [
        max(
            [len(cells.text) for row in shown.rows if len(row.cells) > at for cells in (row.cells[at],)]
            + [len(column.heading)]
        )
        + 3
        for at, column in enumerate(shown.columns)
    ]
    return CHARACTER * (label + sum(columns) + 2)


def _strings(page: PageDef, values: Mapping[str, str]) -> str:
    """What the margin boxes say from this page on, as named strings."""
    named = [
        f"{edge}-{place}-{at} {_css_string(piece)}"
        for edge, texts in (("top", page.header), ("bottom", page.footer))
        for place, text in texts
        for at, (kind, piece) in enumerate(pieces(text, values))
        if kind not in COUNTED
    ]
    return f'<p class=strings style="string-set: {escape(", ".join(named))}">&#8203;</p>' if named else ""


def _css_string(text: str) -> str:
    """A text between quotes as a style sheet reads it, whatever is in it."""
    return (
        "'"
        + "".join(
            character if character.isalnum() or character in " .,:·-" else f"\\{ord(character):x} "
            for character in text
        )
        + "'"
    )


def _page(shown: ShownStatement, of: HtmlPage, ledger: str, at: datetime, logo: str, stamp: Stamp | None) -> str:
    computed, checks = of.computed, of.checks
    page, values = computed.statement.page, page_values(computed, ledger, at)
    picture = (
        f'<p class="logo {page.logo_place}"><img style="height:{page.logo_height}mm" src="{escape(logo)}" alt=""></p>'
        if logo and page.logo
        else ""
    )
    about = f"{escape(shown.node)}, {escape(shown.unit)}" + (
        f" &middot; {escape(shown.subtitle)}" if shown.subtitle else ""
    )
    block = (
        f"{picture}<h1>{escape(shown.title)}</h1><p class=about><b>{escape(shown.period)}</b></p><p "
        f"class=about>{about}</p>"
    )
    notes = "".join(f"<p>{escape(line)}</p>" for line in note_lines(of.notes))
    notes += "".join(f"<p>{escape(filled(note, values))}</p>" for note in page.notes)
    part = f"<p class=part>Part of the whole: {escape(computed.view.part)}</p>" if computed.view.is_part else ""
    if shown.cut:
        notes, checks = f"<p>{escape(shown.cut)}</p>", []
    return (
        f"<section "
        f"class=page>{_strings(page, values)}{_line(page.header, values)}"
        f"{block if page.title_block else picture}{part}{_tables(shown)}"
        f"{f'<div class=notes>{notes}</div>' if notes else ''}"
        f"{_checks(checks) if page.checks and not shown.cut else ''}{_line(page.footer, values)}"
        f"{f'<p class=origin>{escape(stamp.line)}</p>' if stamp else ''}</section>"
    )


def _line(boxes: Boxes, values: Mapping[str, str]) -> str:
    """A header or footer as a line of the page, for screens, which have no margins to print in."""
    texts = [filled(text, values) if "{page" not in text else "" for _, text in boxes]
    return f"<p class=foot>{''.join(f'<span>{escape(text)}</span>' for text in texts)}</p>" if any(texts) else ""


def _tables(shown: ShownStatement) -> str:
    """One table, or two side by side."""
    tables = [f"<table>{_head(shown)}<tbody>{''.join(_rows(rows, shown))}</tbody></table>" for rows in shown.panels]
    if len(tables) == 1:
        return tables[0]
    return f"<div class=sides>{''.join(f'<div class=side>{table}</div>' for table in tables)}</div>"


def _rows(rows: Sequence[ShownRow], shown: ShownStatement) -> Iterator[str]:
    """The rows in order; a row that an entry follows knows what that is below, so that the next page says it again."""
    above = ""
    for row, following in zip(rows, [*rows[1:], None], strict=True):
        above = above if row.kind == "entry" else row.label
        yield _row(row, shown, above if following and following.kind == "entry" else "")


def _head(shown: ShownStatement) -> str:
    label = "<th></th>" if shown.has_label else ""
    levels = "".join(
        f"<tr class=groups>{label}"
        + "".join(
            f'<th colspan={group.width} scope=colgroup class="{"opens" if at else ""}">{escape(group.title)}</th>'
            for at, group in enumerate(level)
        )
        + "</tr>"
        for level in shown.heads
    )
    heads = "".join(_column_head(column) for column in shown.columns)
    first = '<th scope=col><span style="display:none">Line</span></th>' if shown.has_label else ""
    return f"<thead>{levels}<tr class=heads>{first}{heads}</tr></thead>"


def _column_head(column: ShownColumn) -> str:
    width = f' style="min-width:{column.width}ch"' if column.width else ""
    return (
        f"<th scope=col colspan={column.span} "
        f'class="{"opens" if column.opens_group else ""}"{width}>{escape(column.heading)}</th>'
    )


def _trend(points: str) -> str:
    return (
        f'<svg class=spark width="66" height="13" viewBox="0 0 88 18"><polyline points="{points}"/></svg>'
        if points
        else ""
    )


def _text(cell: ShownCell) -> str:
    """A figure, with the way to its trace."""
    text = escape(cell.text)
    return f'<a class=trace href="{escape(cell.link, quote=True)}">{text}</a>' if cell.link else text


def _row(row: ShownRow, shown: ShownStatement, above: str = "") -> str:
    cells = "".join(
        f"<td class={_classes(cell)}>{TRIANGLE[cell.verdict]}{_trend(cell.trend)}{_text(cell)}</td>"
        for cell in row.cells
    )
    note = f"<sup>{escape(row.note)}</sup>" if row.note else ""
    label = f'<td style="padding-left:{2 + 4 * row.depth}mm">{escape(row.label)}{note}</td>' if shown.has_label else ""
    outer = " outer" if row.kind == "section" and not row.depth else ""
    running = f' data-running="{escape(above, quote=True)}, continued"' if above else ""
    return f'<tr class="{row.classes}{outer}"{running}>{label}{cells}</tr>'


def _classes(cell: ShownCell) -> str:
    """A cell's classes as an attribute's value, which most cells need no quotes for: paper reads every sign of it."""
    told = ["w" if cell.words else "f", cell.verdict, "red" if cell.red else "", "opens" if cell.opens_group else ""]
    told += ["room"] if cell.room else []
    named = [name for name in told if name]
    return named[0] if len(named) == 1 else f'"{" ".join(named)}"'


def _checks(checks: list[Check]) -> str:
    verdict, open_ones = verdict_on(checks), [check for check in checks if not check.ok]
    if verdict.stands:
        return f"<p class=checks>{escape(verdict.text)}.</p>"
    items = "".join(
        f'<li><span class="{"no" if check.state == FAILS else "open"}">{escape(check.check)} ({check.state}).</span> '
        f"{escape(check.detail)}</li>"
        for check in open_ones
    )
    return f"<div class=checks>{escape(verdict.text)}.<ul>{items}</ul></div>"


def as_pdf_pages(
    pages: list[HtmlPage],
    *,
    ledger: str,
    at: datetime,
    logo: str = "",
    most_rows: int = 0,
    link: Link | None = None,
    stamp: Stamp | None = None,
) -> bytes:
    """A statement for several nodes on paper, each beginning a page; many of them are drawn by several processes."""
    sheets = _Sheets(pages, ledger, at, logo, most_rows, link, stamp)
    if len(pages) >= MANY:
        titles = [one.title if page.computed.statement.page.title_block else "" for one, page in sheets.titled()]
        return draw_many(sheets.some, [len(one.rows) for one in sheets.shown], titles)
    from weasyprint import HTML

    return bytes(HTML(string=sheets.html()).write_pdf())
