"""The demo's templates: three extracts are run, workbooks are made around what they wrote, and taken as templates for
everybody, the way a person does it. `python -m demo.templates LEDGER`."""

from __future__ import annotations

import io
import os
import struct
import sys
import tempfile
import zlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

from demo.workbooks import Handmade, Page

PERIOD = "2027-P06"
"""The month whose run the workbooks are made of; later months are filled into them."""
FIRST = 3
"""The first of the rows: sums and headings stand above."""


@dataclass(frozen=True)
class Run:
    """What was run: the workbook, the sheet of its rows, its last row, and the letters and values of its columns."""

    content: bytes
    sheet: str
    last: int
    letters: Mapping[str, str]
    values: Mapping[str, list[Any]]

    def column(self, title: str) -> str:
        """The cells of a column, as a formula names them."""
        letter = self.letters[title]
        return f"'{self.sheet}'!${letter}${FIRST}:${letter}${self.last}"

    @property
    def area(self) -> str:
        """The rows with their headings."""
        return f"A{FIRST - 1}:{list(self.letters.values())[-1]}{self.last}"


def audit_sample(run: Run) -> bytes:
    """A page to sign, formats by condition on what is large and what has no document."""
    book = Handmade(run.content)
    title = book.look('<b/><sz val="18"/><color rgb="FF1F5A4D"/><name val="Georgia"/>')
    soft = book.look('<i/><sz val="10"/><color rgb="FF69706C"/><name val="Georgia"/>')
    strong = book.look('<b/><sz val="11"/><name val="Georgia"/>')
    money = book.look('<b/><sz val="11"/><name val="Georgia"/>', number="#,##0.00")
    line = book.look(border='<left/><right/><top/><bottom style="thin"><color rgb="FF20292B"/></bottom><diagonal/>')
    note = book.look(fill="FDF3DC", number="#,##0.00")
    large, bare = book.when('<b/><color rgb="FFA43A2C"/>'), book.when(fill="FDF3DC")
    debit, document, amount = run.column("Debit"), run.column("Document"), run.letters["Debit"]
    cells = {
        "A1": "Audit sample, signed off", "A2": "Each line of the next sheet was traced to its document.",
        "A4": "Lines", "B4": f"=COUNTA({run.column('Entry')})", "A5": "Debits", "B5": f"=SUM({debit})",
        "A6": "Credits", "B6": f"=SUM({run.column('Credit')})", "A7": "Largest debit", "B7": f"=MAX({debit})",
        "A8": "Without a document", "B8": f"=COUNTBLANK({document})", "A9": "Marked from", "B9": 50000,
        "A10": "Marked lines", "B10": f'=COUNTIF({debit},">="&B9)', "A13": "Drawn by", "A15": "Traced by",
        "A17": "Accepted by", "D13": "Day", "D15": "Day", "D17": "Day",
    }  # fmt: skip
    looks = {"A1": title, "A2": soft, **dict.fromkeys(("B4", "B8", "B10"), strong), "B9": note}
    looks |= {**dict.fromkeys(("B5", "B6", "B7"), money), **{f"{c}{r}": line for r in (13, 15, 17) for c in "BCEF"}}
    book.add(Page("Sign-off", cells, looks, (26, 18, 14, 8, 14, 14)))
    rows = run.area.replace("A2", "A3")
    book.mark(
        run.sheet, _when(f"{amount}{FIRST}:{amount}{run.last}", large, 1, f"{amount}{FIRST}>='Sign-off'!$B$9")
        + _when(rows, bare, 2, f'${run.letters["Document"]}{FIRST}=""'),
    )  # fmt: skip
    return book.content


def _when(area: str, look: int, number: int, formula: str) -> str:
    """A format of cells that a formula says yes to."""
    return (
        f'<conditionalFormatting sqref="{area}"><cfRule type="expression" dxfId="{look}" priority="{number}"><formula>'
        f"{escape(formula)}</formula></cfRule></conditionalFormatting>"
    )


def supplier_review(run: Run) -> bytes:
    """Two pivots with an interactive filter, charts of a pivot and of formulas by month."""
    book = Handmade(run.content)
    title = book.look('<b/><sz val="18"/><color rgb="FF1F5A4D"/><name val="Georgia"/>')
    money = book.look(number="#,##0")
    suppliers, accounts = (sorted(set(run.values[name])) for name in ("Supplier", "Account name"))
    periods = sorted(set(run.values["Period"]))
    month = {
        "A1": "By month", "A3": "Month", "B3": "Billed", "C3": "Invoices", "A20": "All",
        "B20": f"=SUM({run.column('Amount')})", "C20": f"=COUNTA({run.column('Document')})",
    }  # fmt: skip
    for at, period in enumerate(periods, 4):
        month |= {f"A{at}": period, f"B{at}": f"=SUMIFS({run.column('Amount')},{run.column('Period')},A{at})",
                  f"C{at}": f"=COUNTIFS({run.column('Period')},A{at})"}  # fmt: skip
    page = Page("Review", {"A1": "Supplier review"}, {"A1": title}, (30, 16, 4, 30, 16))
    end = 5 + len(suppliers)
    page.drawn.append(book.chart("Billed by supplier", f"Review!$A$6:$A${end}", f"Review!$B$6:$B${end}",
                                 (6, 2, 14, 20), pivot="Review!By supplier"))  # fmt: skip
    drawn, slicer = book.filter("Supplier", "By supplier", len(book.sheets) + 1, len(suppliers), (15, 2, 18, 20))
    page.drawn.append(drawn)
    page.filters.append(slicer)
    columns: dict[str, Any] = dict.fromkeys(run.letters) | {"Supplier": suppliers, "Account name": accounts}
    book.source(run.sheet, run.area, columns)
    part = book.add(page)
    book.pivot(part, "By supplier", f"A5:B{end + 1}", "Supplier", "Amount")
    book.pivot(part, "By account", f"D5:E{6 + len(accounts)}", "Account name", "Amount")
    last = 3 + len(periods)
    by_month = Page("Months", month, {"A1": title, **{f"B{at}": money for at in range(4, 21)}}, (16, 16, 10))
    by_month.drawn.append(
        book.chart("Billed by month", f"Months!$A$4:$A${last}", f"Months!$B$4:$B${last}", (4, 2, 12, 18))
    )
    book.add(by_month, first=False)
    return book.content


def tax_list(run: Run) -> bytes:
    """The return: a mark of the group, own fonts, sums by account and company over a sheet that reads the rows."""
    book = Handmade(run.content)
    serif = '<name val="Georgia"/>'
    title = book.look(f'<b/><sz val="20"/><color rgb="FF1F5A4D"/>{serif}')
    words = book.look(f'<sz val="11"/>{serif}')
    money = book.look(f'<sz val="11"/>{serif}', number="#,##0.00;[Red]-#,##0.00")
    total = book.look(f'<b/><sz val="11"/>{serif}', number="#,##0.00;[Red]-#,##0.00",
                      border='<left/><right/><top style="thin"/><bottom style="double"/><diagonal/>')  # fmt: skip
    head = book.look(f'<b/><sz val="11"/>{serif}', border='<left/><right/><top/><bottom style="thin"/><diagonal/>')
    accounts, entities = (sorted(set(run.values[name])) for name in ("Account", "Entity"))
    amount, account, entity = run.column("Amount"), run.column("Account"), run.column("Entity")
    names = run.column("Account name")
    sums: dict[str, str | int | float] = {"A1": "Account"}
    cells: dict[str, str | int | float] = {"A6": "Tax accounts", "A7": "Account", "B7": "Name", "C7": "Amount"}
    looks = {"A6": title, "A7": head, "B7": head, "C7": head}
    end = len(accounts) + 8
    for place, code in enumerate(entities):
        sums[f"{'BCDEF'[place]}1"] = code
    for at, code in enumerate(accounts, 2):
        sums[f"A{at}"] = code
        for place, _ in enumerate(entities):
            letter = "BCDEF"[place]
            sums[f"{letter}{at}"] = f"=SUMIFS({amount},{account},$A{at},{entity},{letter}$1)"
        row, last = at + 6, "BCDEF"[len(entities) - 1]
        cells |= {f"A{row}": f"=Sums!A{at}", f"B{row}": f"=INDEX({names},MATCH(A{row},{account},0))",
                  f"C{row}": f"=SUM(Sums!B{at}:{last}{at})"}  # fmt: skip
        looks |= {f"A{row}": words, f"B{row}": words, f"C{row}": money}
    cells |= {f"A{end}": "All", f"C{end}": f"=SUM(C8:C{end - 1})", f"A{end + 1}": "Rows say",
              f"C{end + 1}": f"=SUM({amount})"}  # fmt: skip
    looks |= {f"A{end}": total, f"B{end}": total, f"C{end}": total, f"A{end + 1}": words, f"C{end + 1}": money}
    page = Page("Return", cells, looks, (14, 34, 18, 10))
    page.drawn.append(book.picture(_mark(), (0, 0, 1, 4)))
    cents = {f"{letter}{at}": money for letter in "BCDEF"[: len(entities)] for at in range(2, len(accounts) + 2)}
    book.add(Page("Sums", sums, cents, (12, 16, 16, 16)))
    book.add(page)
    return book.content


def _mark() -> bytes:
    """A mark of the group, as PNG: waves in bottle green."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    lines = bytearray()
    for y in range(48):
        lines.append(0)
        for x in range(96):
            wave = (y + abs((x % 24) - 12) // 2) % 12 < 4
            lines += b"\x1f\x5a\x4d" if wave else b"\xfd\xfc\xf8"
    head = struct.pack(">IIBBBBB", 96, 48, 8, 2, 0, 0, 0)
    return (b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(bytes(lines), 9))
            + chunk(b"IEND", b""))  # fmt: skip


MADE: Mapping[str, tuple[str, str, Callable[[Run], bytes]]] = {
    "audit-sample": ("", "With signatures", audit_sample),
    "supplier-review": ("Rows", "With pivots and a filter", supplier_review),
    "tax-list": ("", "The return", tax_list),
}
"""The templates by extract: the layout that is run, the name that it gets, who makes it."""


def run_of(ledger: Any, name: str, layout: str, folder: Path, period: str = PERIOD) -> Run:
    """An extract run as a file that leaves."""
    import openpyxl
    from django.utils import timezone

    from rulka.core.books.fence import NO_FENCE
    from rulka.extracts.output.making import left_of, open_named
    from rulka.extracts.output.writing import write
    from rulka.extracts.running.asked import ExtractReader, opened
    from rulka.ledger.leaving import leave_rows

    extract, definition = open_named(ledger, name, None)
    reader = ExtractReader(ledger, NO_FENCE, period)
    path = folder / f"{name}.xlsx"
    with opened(definition, reader, {}, layout=layout) as asked:
        left = left_of(asked, extract, reader, {})
        leave_rows(left, "xlsx", path, lambda stamp: write(asked, "xlsx", path, timezone.localtime(), stamp=stamp).rows)
    content = path.read_bytes()
    sheet = openpyxl.load_workbook(io.BytesIO(content), read_only=True, data_only=True).worksheets[0]
    rows = list(sheet.iter_rows(min_row=FIRST - 1, values_only=True))
    titles = [str(one) for one in rows[0]]
    letters = {title: "ABCDEFGHIJKLMNOPQRSTUVWXYZ"[at] for at, title in enumerate(titles)}
    values = {title: [row[at] for row in rows[1:]] for at, title in enumerate(titles)}
    return Run(content, sheet.title, FIRST - 2 + len(rows), letters, values)


def load(code: str) -> list[str]:
    """Make the templates of a ledger; what was kept, in words."""
    from rulka.ledger.reading.queries import find_ledger
    from rulka.statements.output.templates import begin, keep, said, subject_of

    told = []
    with tempfile.TemporaryDirectory(prefix="rulka-demo-") as folder:
        for name, (layout, called, make) in MADE.items():
            ledger = find_ledger(code)
            made = make(run_of(ledger, name, layout, Path(folder)))
            subject = subject_of(ledger, "extract", name, None)
            kept = keep(subject, begin(subject, made, f"{name}.xlsx", None), called, (), shared=True, person=None)
            told.append(f"{subject.title}: {said(kept)}")
    return told


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "rulka.web.settings")
    import django

    django.setup()
    for line in load(sys.argv[1] if len(sys.argv) > 1 else "ternwick"):
        print(line)
