"""A computed statement as an HTML page that stands alone, and as a PDF made from the same page."""

from __future__ import annotations

import base64
from datetime import datetime
from html import escape
from pathlib import Path

from rulka.core.computed import Computed
from rulka.core.footing import Check
from rulka.formats.present import ShownColumn, ShownRow, ShownStatement, moment_text, show

FONTS = Path(__file__).parent.parent / "web" / "static" / "fonts"
FACES = {"Source Sans 3": "source-sans-3.woff2", "Source Serif 4": "source-serif-4.woff2"}

STYLE = """
@page { size: A4 %(orientation)s; margin: 13mm 14mm 15mm;
  @bottom-left { content: string(foot); font: 8pt "Source Sans 3"; color: #69706c; }
  @bottom-right { content: "Page " counter(page) " of " counter(pages); font: 8pt "Source Sans 3"; color: #69706c; } }
* { box-sizing: border-box; }
body { margin: 0; color: #20292b; background: #fdfcf8; font: 9.5pt/1.25 "Source Sans 3", sans-serif; }
@media screen { body { max-width: 70rem; margin: 2rem auto; padding: 0 1rem; } }
@media print { body { background: none; } }
section.page + section.page { break-before: page; }
h1 { font: 600 17pt "Source Serif 4", serif; margin: 0 0 1mm; }
.about { color: #505856; margin: 0 0 1mm; }
.foot { string-set: foot content(); color: #69706c; font-size: 8pt; margin: 0 0 4mm; }
table { border-collapse: separate; border-spacing: 0; width: 100%%; font-variant-numeric: tabular-nums lining-nums; }
thead { display: table-header-group; }
th { font-weight: 600; text-align: right; padding: 1mm 2mm; vertical-align: bottom; }
th:first-child, td:first-child { text-align: left; }
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
tr.holds td, tr.subtotal td { font-weight: 600; } tr.bold td { font-weight: 600; } tr.plain td { font-weight: 400; } tr.italic td { font-style: italic; }
tr.shade-light td { background: #f3efe4; } tr.shade-strong td { background: #e6e0d1; }
tr.spacer td { height: 4mm; border-bottom: 0; } tr.text td { font-style: normal; }
tr.page-break { break-before: page; } tr.page-break td { height: 0; padding: 0; border: 0; }
tr.break-before { break-before: page; } tr.break-after { break-after: page; } tr.keep { break-after: avoid; }
tr.align-left td.f { text-align: left; } tr.align-centre td.f { text-align: center; }
td.w { text-align: left; } .red { color: #a43a2c; }
.tri { width: 5pt; height: 4.4pt; margin-right: 2pt; }
.good { color: #1f5a4d; } .bad { color: #a43a2c; }
.sides { display: flex; gap: 6mm; } .side { flex: 1 1 0; }
.spark polyline { fill: none; stroke: #74807c; stroke-width: 1.25; }
.checks { margin-top: 4mm; font-size: 8.5pt; break-inside: avoid; }
.checks .no { color: #a43a2c; font-weight: 600; }
"""


TRIANGLE = {
    "": "",
    "good": '<svg class=tri viewBox="0 0 10 9" role="img" aria-label="better"><path d="M5 0l5 9H0z" fill="#1f5a4d"/></svg>',
    "bad": '<svg class=tri viewBox="0 0 10 9" role="img" aria-label="worse"><path d="M0 0h10L5 9z" fill="#a43a2c"/></svg>',
}
"""Good and bad carry a shape as well as a colour."""


def _faces(embed: bool) -> str:
    rules = []
    for family, name in FACES.items():
        path = FONTS / name
        source = f"data:font/woff2;base64,{base64.b64encode(path.read_bytes()).decode()}" if embed else path.as_uri()
        rules.append(f'@font-face {{ font-family: "{family}"; src: url({source}) format("woff2"); font-weight: 200 900; }}')
    return "\n".join(rules)


Page = tuple[Computed, list[Check]]


def as_html(computed: Computed, checks: list[Check], *, revision: str, at: datetime, embed_fonts: bool = True) -> str:
    """One page with styles and fonts inside; it loads nothing from elsewhere."""
    return as_html_pages([(computed, checks)], revision=revision, at=at, embed_fonts=embed_fonts)


def as_html_pages(pages: list[Page], *, revision: str, at: datetime, embed_fonts: bool = True) -> str:
    """A statement for several nodes, each on a page of its own."""
    shown = [show(computed) for computed, _ in pages]
    style = _faces(embed_fonts) + STYLE % {"orientation": "landscape" if len(shown[0].columns) > 5 else "portrait"}
    head = f'<meta charset="utf-8"><title>{escape(shown[0].title)}, {escape(shown[0].period)}</title><style>{style}</style>'
    bodies = [_page(one, computed, checks, revision, at) for one, (computed, checks) in zip(shown, pages, strict=True)]
    return f'<!doctype html><html lang="en"><head>{head}</head><body>{"".join(bodies)}</body></html>'


def _page(shown: ShownStatement, computed: Computed, checks: list[Check], revision: str, at: datetime) -> str:
    about = f"{escape(shown.node)}, {escape(shown.unit)}" + (f" &middot; {escape(shown.subtitle)}" if shown.subtitle else "")
    what = f"{shown.title}, {shown.node}, {computed.period.code}"
    foot = " &middot; ".join(escape(text) for text in (what, revision, f"printed {moment_text(at)}"))
    return (
        f"<section class=page><h1>{escape(shown.title)}</h1><p class=about><b>{escape(shown.period)}</b></p><p class=about>{about}</p>"
        f"<p class=foot>{foot}</p>{_tables(shown)}"
        f"{_checks(checks)}</section>"
    )


def _tables(shown: ShownStatement) -> str:
    """One table, or two side by side."""
    tables = [f"<table>{_head(shown)}<tbody>{''.join(_row(row, shown) for row in rows)}</tbody></table>" for rows in shown.panels]
    if len(tables) == 1:
        return tables[0]
    return f"<div class=sides>{''.join(f'<div class=side>{table}</div>' for table in tables)}</div>"


def _head(shown: ShownStatement) -> str:
    label = "<th></th>" if shown.has_label else ""
    levels = "".join(
        f"<tr class=groups>{label}"
        + "".join(
            f'<th colspan={group.width} scope=colgroup class="{"opens" if at else ""}">{escape(group.title)}</th>' for at, group in enumerate(level)
        )
        + "</tr>"
        for level in shown.heads
    )
    heads = "".join(_column_head(column) for column in shown.columns)
    first = '<th scope=col><span style="display:none">Line</span></th>' if shown.has_label else ""
    return f"<thead>{levels}<tr class=heads>{first}{heads}</tr></thead>"


def _column_head(column: ShownColumn) -> str:
    width = f' style="min-width:{column.width}ch"' if column.width else ""
    return f'<th scope=col colspan={column.span} class="{"opens" if column.opens_group else ""}"{width}>{escape(column.heading)}</th>'


def _trend(points: str) -> str:
    return f'<svg class=spark width="66" height="13" viewBox="0 0 88 18"><polyline points="{points}"/></svg>' if points else ""


def _row(row: ShownRow, shown: ShownStatement) -> str:
    cells = "".join(
        f'<td class="{"w" if cell.words else "f"} {cell.verdict} {"red" if cell.red else ""} {"opens" if cell.opens_group else ""}">'
        f"{TRIANGLE[cell.verdict]}{_trend(cell.trend)}{escape(cell.text)}</td>"
        for cell in row.cells
    )
    label = f'<td style="padding-left:{2 + 4 * row.depth}mm">{escape(row.label)}</td>' if shown.has_label else ""
    return f'<tr class="{row.classes}">{label}{cells}</tr>'


def _checks(checks: list[Check]) -> str:
    wrong = [check for check in checks if not check.ok]
    if not wrong:
        return "<p class=checks>Foots: every check of this statement holds.</p>"
    items = "".join(f"<li><span class=no>{escape(check.check)}: no.</span> {escape(check.detail)}</li>" for check in wrong)
    return f"<div class=checks>What does not tie:<ul>{items}</ul></div>"


def as_pdf(computed: Computed, checks: list[Check], *, revision: str, at: datetime) -> bytes:
    """The same page on paper: repeated heads, page x of y, rulings kept with their totals."""
    return as_pdf_pages([(computed, checks)], revision=revision, at=at)


def as_pdf_pages(pages: list[Page], *, revision: str, at: datetime) -> bytes:
    """A statement for several nodes on paper, each beginning a page."""
    from weasyprint import HTML

    return bytes(HTML(string=as_html_pages(pages, revision=revision, at=at, embed_fonts=False)).write_pdf())
