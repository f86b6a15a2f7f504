"""Finished tables as people write them: marks, brackets, words in figures' places, headings in several rows."""

from __future__ import annotations

from decimal import Decimal

import pytest
import weasyprint

from rulka.core.errors import RulkaError
from rulka.formats.intake.finished_table import decimal_mark, given_of, number_of, pasted, read_finished

NUMBERS = [
    ("1 234,50", ",", "1234.50"), ("1.234,5", ",", "1234.5"), ("1,234.5", ".", "1234.5"), ("(12)", ".", "-12"),
    ("-0.5", ".", "-0.5"), ("\u22127", ".", "-7"), ("7-", ".", "-7"), ("12.5 %", ".", "12.5"), ("\u2013", ".", "0"),
    ("1'000", ".", "1000"), ("+3", ".", "3"), ("(1.234,5)", ",", "-1234.5"), (".5", ".", None), ("n/m", ".", None),
    ("", ".", None), ("Total", ".", None), ("1.2.3", ".", None), ("12a", ".", None), ("2025-10", ".", None),
    ("\u0661", ".", None),
]  # fmt: skip


@pytest.mark.parametrize(("cell", "mark", "number"), NUMBERS)
def test_a_cell_as_a_number(cell, mark, number):
    assert number_of(cell, mark) == (None if number is None else Decimal(number))


@pytest.mark.parametrize(
    ("cells", "mark"),
    [(["1.234", "5,50"], ","), (["1,234", "5.50"], "."), (["1.234.567"], ","), (["1234"], "."), (["1,5", "2,25"], ",")],
)
def test_the_mark_before_decimals_is_told_from_all_cells(cells, mark):
    assert decimal_mark(cells) == mark


def test_headings_in_rows_words_between_and_blanks_are_kept_apart():
    rows = [
        ["Harbour Co", "", "", ""],
        ["", "", "October", "October"],
        ["Code", "EUR", "Actual", "Plan"],
        ["", "Income", "", ""],
        ["40", "Tolls", "1.234,50", "1.200,00"],
        ["41", "Ice", "(10,00)", "n/m"],
        ["", "Total income", "1.224,50", "1.200,00"],
        ["", "", "", ""],
    ]
    given = given_of(rows, "t")
    assert given.headings == ("October Actual", "October Plan") and given.decimals == (2, 2)
    assert [row.caption for row in given.rows] == ["Income", "Tolls", "Ice", "Total income"]
    assert given.rows[2].values == (Decimal("-10.00"), None) and given.rows[0].values == (None, None)
    assert given.numbers.tolist() == [[0, 0], [123450, 120000], [-1000, 0], [122450, 120000]]


def test_what_holds_no_figures_is_refused(tmp_path):
    path = tmp_path / "t.csv"
    path.write_text("a,b\nc,d\n")
    with pytest.raises(RulkaError, match="No column of figures"):
        read_finished(path)


def test_a_pasted_table_is_cut_at_tabs_semicolons_or_wide_gaps():
    for text in (
        "\tOct\tSep\r\nTolls\t1,5\t2,25\r\nIce\t-\t(3,00)\r\nAll\t1,5\t-0,75",
        ";Oct;Sep\nTolls;1,5;2,25\nIce;-;(3,00)\nAll;1,5;-0,75",
        "        Oct    Sep\nTolls   1,5    2,25\nIce of 2 kinds   -   (3,00)\nAll     1,5  -0,75",
    ):
        given = pasted(text)
        assert given.numbers.tolist() == [[15, 225], [0, -300], [15, -75]], text
    with pytest.raises(RulkaError, match="too long"):
        pasted("1\t2\n" * 200_000)


def test_a_pdf_with_text_is_read_by_the_places_of_its_words(tmp_path):
    rows = [
        ("Tolls at the long quay", "1 234,50", "(7,00)"),
        ("Ice", "\u2212", "12,25"),
        ("In all", "1 234,50", "5,25"),
    ]
    body = "".join(f"<tr><td>{name}<td>{first}<td>{second}" for name, first, second in rows)
    html = (
        "<style>td{text-align:right;padding:0 20px}td:first-child{text-align:left;width:300px}</style><h1>Harbour</h1>"
        f"<table><tr><td><td>October<td>Plan{body}</table><p>Printed by night, for nobody but those who ask for it."
    )
    path = tmp_path / "t.pdf"
    path.write_bytes(weasyprint.HTML(string=html).write_pdf())
    given = read_finished(path)
    assert [row.caption for row in given.rows] == [name for name, _, _ in rows]
    assert given.numbers.tolist() == [[123450, -700], [0, 1225], [123450, 525]]
    assert [heading.split()[-1] for heading in given.headings] == ["October", "Plan"]
    path.write_bytes(weasyprint.HTML(string="<p>&nbsp;").write_pdf())
    with pytest.raises(RulkaError, match="no text"):
        read_finished(path)
    path.write_bytes(b"%PDF-1.7 broken")
    with pytest.raises(RulkaError, match="can't be read"):
        read_finished(path)
