"""Entries on paper: each says its day, and what they are below is said again at the top of the next page."""

from __future__ import annotations

import io
import re

import pypdfium2
import pytest
from pypdf import PdfReader

TEXT = """
statement: listed
spine: listed
span: now
depth: entries
---
span: now
columns: [{column: now, heading: Activity, window: last 12 periods}%s]
---
spine: listed
covers: nothing
lines: [{line: Costs, accounts: 6500 to 6799}]
"""


@pytest.fixture
def made(ternwick, command, tmp_path):
    def make(form, more=""):
        (tmp_path / "s.yaml").write_text(TEXT % more)
        command("load_statement", tmp_path / "s.yaml", ledger="ternwick")
        out = tmp_path / f"s.{form}"
        command("run_statement", "listed", ledger="ternwick", period="2027-P07", node="TF", format=form, out=out)
        return out.read_bytes()

    return make


def test_a_page_that_goes_on_with_entries_says_below_what(made):
    pages = [page.extract_text() for page in PdfReader(io.BytesIO(made("pdf"))).pages]
    assert len(pages) > 3
    above, checked = "", 0
    for number, page in enumerate(pages):
        rows = [line for line in page.splitlines() if re.match(r"[0-9]{4}[ -]", line)]
        told = [line for line in page.splitlines() if line.endswith(", continued")]
        goes_on = bool(number) and re.match(r"[0-9]{4}-[0-9]{2}-[0-9]{2} ", rows[0])
        assert told == ([f"{above}, continued"] if goes_on else []), number
        checked += bool(goes_on)
        for row in rows:
            if found := re.match(r"([0-9]{4} .*?) [\u2212\u2013(]?[0-9\u2013]", row):
                above = found[1]
    assert checked > 1


def test_an_entry_says_its_day_unless_a_column_does(made):
    days = r"20[0-9]{2}-[0-9]{2}-[0-9]{2} TF-"
    assert re.search(days, made("csv").decode())
    assert not re.search(days, made("csv", ", {column: day, text: date, heading: Date}").decode())


def test_a_long_word_in_a_label_pushes_no_figure_off_the_paper(ternwick, command, tmp_path):
    text = TEXT.replace("Costs", "Averylongword" * 12).replace("depth: entries\n", "") % (
        ", {column: b, scenario: budget}, {column: c, shift: -1 year}"
    )
    (tmp_path / "s.yaml").write_text(text)
    command("load_statement", tmp_path / "s.yaml", ledger="ternwick")
    command("run_statement", "listed", ledger="ternwick", period="2027-P07", format="pdf", out=tmp_path / "s.pdf")
    page = pypdfium2.PdfDocument(tmp_path / "s.pdf")[0]
    words = page.get_textpage()
    boxes = [words.get_charbox(at) for at in range(words.count_chars())]
    assert max(box[2] for box in boxes) < page.get_width() - 20 and len(boxes) > 200
