"""How long a person's workbook takes to be filled: `python -m bench.refill [--rows 100000]`.

Beside it, in the same run, a general-purpose library loads the same workbook, puts the same rows in and saves it (and
loses what it doesn't know).
"""

from __future__ import annotations

import argparse
import resource
import tempfile
import time
from pathlib import Path

import openpyxl

from demo.workbooks import Handmade, Page
from rulka.core.extracting.fields import Field
from rulka.formats.output.row_workbook import Facts, RowSheet, RowWorkbook
from rulka.formats.output.rows import Row, RowColumn
from rulka.formats.refill.checking import Linking, check
from rulka.formats.refill.refilling import refill

TEXTS = 6


def columns() -> list[RowColumn]:
    texts = [RowColumn(f"Text {at}", Field(f"text {at}", f"Text {at}", "", "text")) for at in range(TEXTS)]
    numbers = [
        RowColumn(f"Amount {at}", Field(f"amount {at}", f"Amount {at}", "", "amount", digits=2)) for at in range(3)
    ]
    return [RowColumn("Date", Field("date", "Date", "", "date")), *texts, *numbers]


def row(at: int) -> Row:
    return (f"2026-10-{1 + at % 28:02d}", *(f"value {at % (97 + n)}" for n in range(TEXTS)), at, -at, at * 7)


def output(path: Path, count: int) -> float:
    """Write an output; seconds."""
    begun = time.perf_counter()
    book = RowWorkbook(path, columns(), None)
    book.write([RowSheet("Rows", count, (row(at) for at in range(count)))])
    book.facts(Facts("Rows", (("Rows", str(count)),)))
    book.close()
    return time.perf_counter() - begun


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rows", type=int, default=100_000)
    count = parser.parse_args().rows
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        output(folder / "original.xlsx", 100)
        book = Handmade((folder / "original.xlsx").read_bytes())
        book.add(Page("Mine", {"A1": "=SUM(Rows!H2:H101)"}))
        (folder / "template.xlsx").write_bytes(book.content)
        told = check(folder / "template.xlsx", folder / "original.xlsx", Linking(), "template.xlsx")
        written = output(folder / "fresh.xlsx", count)
        begun = time.perf_counter()
        refill(folder / "template.xlsx", folder / "fresh.xlsx", told, (), folder / "filled.xlsx")
        filled = time.perf_counter() - begun
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        begun = time.perf_counter()
        other = openpyxl.load_workbook(folder / "template.xlsx")
        sheet = other["Rows"]
        for at in range(count):
            for place, value in enumerate(row(at), 1):
                sheet.cell(at + 2, place, value)
        other.save(folder / "other.xlsx")
        general = time.perf_counter() - begun
        print(f"{count:,} rows of {len(columns())}: written {written:.1f} s, filled {filled:.1f} s, {memory:.0f} MB")
        print(f"loaded, filled and saved by a general-purpose library: {general:.1f} s")
        print(
            f"ratio: {general / filled:.1f} times as long as filling, {general / (written + filled):.1f} with writing"
        )


if __name__ == "__main__":
    main()
