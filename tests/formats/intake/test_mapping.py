"""Strange files through a mapping: five shapes that the guessing was not written against, and what is told when one
can't be read."""

from __future__ import annotations

import csv
import zipfile
from dataclasses import replace
from pathlib import Path

import openpyxl
import pytest

from rulka.core.errors import RulkaError
from rulka.formats.intake.guessing import KnownCodes, guess
from rulka.formats.intake.mapping import FieldSource, MappingDefinition, convert, parse_day, parse_number
from rulka.formats.intake.table_file import TableLook, look_at, read_rows

KNOWN = KnownCodes(
    frozenset({"A", "B"}),
    frozenset({"1000", "1100", "2000", "4000", "4100", "5000"}),
    {"department": frozenset({"-", "10", "11", "20"})},
)
SALE = [("A", "1000", "", "1234.50", ""), ("A", "4000", "10", "", "1234.50")]
REFUND = [("A", "4000", "10", "12.40", ""), ("A", "1000", "", "", "12.40")]


def swedish(folder: Path) -> Path:
    path = folder / "verifikat.txt"
    rows = [
        "Bolag\tVerifikat\tBokföringsdatum\tKonto\tKst\tBelopp\tVerifikationstext",
        "A\tV17\t20260315\t1000\t\t1234,50\tFörsäljning",
        "A\tV17\t20260315\t4000\t10\t-1234,50\tFörsäljning",
        "A\tV18\t20260316\t4000\t10\t12,40\tÅterköp",
        "A\tV18\t20260316\t1000\t\t-12,40\tÅterköp",
    ]
    path.write_bytes(("\r\n".join(rows) + "\r\n").encode("cp1252"))
    return path


def french(folder: Path) -> Path:
    path = folder / "ecritures.csv"
    path.write_text(
        "Grand livre;;;;;;\n"
        "Société;Pièce;Date comptable;Compte;Section;Montant;Sens;Libellé\n"
        "A;17;15/03/2026;1000;;1 234,50;D;Vente\nA;17;15/03/2026;4000;10;1 234,50;C;Vente\n"
        "A;18;16/03/2026;4000;10;12,40;D;Avoir\nA;18;16/03/2026;1000;;12,40;C;Avoir\n",
        encoding="utf-8",
    )
    return path


def american(folder: Path) -> Path:
    path = folder / "gl detail.csv"
    path.write_text(
        'Txn No,"Posted On",GL Account,Cost Ctr,"Net Amount (USD)",Memo,Posted?\n'
        '17,03/15/2026,1000,,"1,234.50",Sale,Y\n17,03/15/2026,4000,10,"(1,234.50)",Sale,Y\n'
        "18,03/16/2026,4000,10,12.40,Refund,N\n18,03/16/2026,1000,,(12.40),Refund,N\n",
        encoding="utf-8",
    )
    return path


def workbook(folder: Path) -> Path:
    from datetime import date

    path = folder / "journal.xlsx"
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.title = "March"
    sheet.append(["Journal listing"])
    sheet.append([])
    sheet.append(["Voucher No", "Booking date", "Account string", "Debit", "Credit", "Narrative"])
    for row in (
        ["17", date(2026, 3, 15), "A.1000.-", 1234.5, None, "Sale"],
        ["17", date(2026, 3, 15), "A.4000.10", None, 1234.5, "Sale"],
        ["18", date(2026, 3, 16), "A.4000.10", 12.4, None, "Refund"],
        ["18", date(2026, 3, 16), "A.1000.-", None, 12.4, "Refund"],
    ):
        sheet.append(row)
    book.save(path)
    book.close()
    return path


def mainframe(folder: Path) -> Path:
    path = folder / "GL0326.DAT.csv"
    path.write_text(
        "CO|JRNL|SEQ|DT|ACCT|DEPT|DR_AMT|CR_AMT|DESC|RGN\n"
        "A|GL17|1|15 Mar 2026|1000||1234.50|0.00|SALE|W\nA|GL17|2|15 Mar 2026|4000|10|0.00|1234.50|SALE|W\n"
        "A|GL18|1|16 Mar 2026|4000|10|12.40|0.00|REFUND|E\nA|GL18|2|16 Mar 2026|1000||0.00|12.40|REFUND|E\n",
        encoding="utf-8",
    )
    return path


def test_swedish_file_in_a_windows_encoding(tmp_path):
    """By hand: the text, whose heading is one long word."""
    mapping = guess(swedish(tmp_path), "entries", KNOWN)
    assert (mapping.date, mapping.number, mapping.amounts, mapping.look.delimiter) == (
        "YYYYMMDD",
        "1234,56",
        "signed amount",
        "\t",
    )
    assert mapping.fields["department"] == FieldSource(("Kst",))  # found by its codes
    mapping = replace(mapping, fields=dict(mapping.fields) | {"description": FieldSource(("Verifikationstext",))})
    assert converted(tmp_path, swedish(tmp_path), mapping, ("V17", "V18"), descriptions=("Försäljning", "Återköp"))


def test_french_file_with_a_side_column_and_thin_thousands(tmp_path):
    mapping = guess(french(tmp_path), "entries", KNOWN)
    assert (mapping.look.header, mapping.date, mapping.number, mapping.amounts) == (
        2,
        "DD/MM/YYYY",
        "1 234,56",
        "amount and side",
    )
    assert converted(tmp_path, french(tmp_path), mapping, ("17", "18"))


def test_american_file_without_a_company_and_with_brackets(tmp_path):
    """By hand: the entry, the date and the company, which the header does not name, and what Y and N mean."""
    path = american(tmp_path)
    mapping = guess(path, "entries", KNOWN)
    fields = dict(mapping.fields) | {
        "entry": FieldSource(("Txn No",)),
        "date": FieldSource(("Posted On",)),
        "entity": FieldSource(constant="A"),
        "status": FieldSource(("Posted?",), translate={"Y": "posted", "N": "pending"}),
    }
    mapping = replace(mapping, fields=fields, date="MM/DD/YYYY")
    assert (mapping.number, mapping.amounts) == ("1,234.56", "signed amount")
    assert converted(tmp_path, path, mapping, ("17", "18"))
    assert [row["status"] for row in made(tmp_path)] == ["posted", "posted", "pending", "pending"]


def test_workbook_with_a_segmented_account(tmp_path):
    path = workbook(tmp_path)
    mapping = guess(path, "entries", KNOWN)
    assert mapping.segments_parts == ("entity", "account", "department") and mapping.look.header == 3
    assert converted(tmp_path, path, mapping, ("17", "18"), none="-")


def test_terse_file_with_bars_and_kept_columns(tmp_path):
    """By hand: headings cut short to a few letters."""
    path = mainframe(tmp_path)
    mapping = guess(path, "entries", KNOWN)
    fields = {
        "entity": FieldSource(("CO",)),
        "entry": FieldSource(("JRNL",)),
        "line": FieldSource(("SEQ",)),
        "date": FieldSource(("DT",)),
        "account": FieldSource(("ACCT",)),
        "department": FieldSource(("DEPT",)),
        "debit": FieldSource(("DR_AMT",)),
        "credit": FieldSource(("CR_AMT",)),
        "description": FieldSource(("DESC",)),
    }
    mapping = replace(mapping, fields=fields, amounts="debit and credit", date="D Mon YYYY", keep=("RGN",))
    assert mapping.look.delimiter == "|" and mapping.number == "1234.56"
    assert converted(tmp_path, path, mapping, ("GL17", "GL18"), zero="0.00")
    assert [row["RGN"] for row in made(tmp_path)] == ["W", "W", "E", "E"]


def made(folder: Path) -> list[dict[str, str]]:
    with (folder / "entries.csv").open(encoding="utf-8", newline="") as file:
        return list(csv.DictReader(file))


def converted(folder, path, mapping, numbers, *, none="", zero="", descriptions=("", "")) -> bool:
    """Convert and compare with what the five files all say."""
    mapping = MappingDefinition.from_data(mapping.as_data())  # as it is stored
    done = convert(path, mapping, folder, ["department"])
    assert [str(error) for error in done.errors] == []
    rows = made(folder)
    expected = []
    for number, day, lines, text in zip(
        numbers, ("2026-03-15", "2026-03-16"), (SALE, REFUND), descriptions, strict=True
    ):
        for at, (entity, account, department, debit, credit) in enumerate(lines, 1):
            expected.append([entity, number, str(at), day, account, department or none, debit or zero, credit or zero])
            if text:
                assert text in {row["description"] for row in rows}
    names = ("entity", "entry", "line", "date", "account", "department", "debit", "credit")
    found = [[row[name] for name in names] for row in rows]
    for row in found:  # 1234.5 of a workbook is the same amount
        row[6:] = [f"{float(cell):.2f}" if cell and not zero else cell for cell in row[6:]]
    assert found == expected
    return True


@pytest.mark.parametrize(
    ("text", "style", "expected"),
    [
        ("1.234,56", "1.234,56", "1234.56"),
        ("(1,234.56)", "1,234.56", "-1234.56"),
        ("1234,5-", "1234,56", "-1234.5"),
        ("-0,00", "1234,56", "0.00"),
        ("1\u00a0234\u202f567,89", "1 234,56", "1234567.89"),
        ("\u221212", "1234.56", "-12"),
        ("1'000.00", "1'234.56", "1000.00"),
        (",50", "1234,56", "0.50"),
    ],
)
def test_numbers_are_read_as_they_are_written(text, style, expected):
    assert parse_number(text, style) == expected


@pytest.mark.parametrize(
    ("text", "style"),
    [("1,23,456", "1,234.56"), ("12x", "1234.56"), ("1.5e3", "1234.56"), ("1,234.56", "1234.56"), ("", "1234.56")],
)
def test_numbers_of_another_style_are_refused(text, style):
    with pytest.raises(ValueError, match="is not a number written as"):
        parse_number(text, style)


@pytest.mark.parametrize(
    ("text", "style", "expected"),
    [
        ("3/4/26", "DD/MM/YYYY", "2026-04-03"),
        ("3/4/26", "MM/DD/YYYY", "2026-03-04"),
        ("46096", "serial number", "2026-03-15"),
        ("15-Mar-2026", "D Mon YYYY", "2026-03-15"),
        ("2026-03-15", "DD.MM.YYYY", "2026-03-15"),
    ],
)
def test_dates_are_read_as_they_are_written(text, style, expected):
    assert parse_day(text, style) == expected


def test_mixed_dates_and_thousands_are_told_by_row_and_column(tmp_path):
    path = swedish(tmp_path)
    mapping = guess(path, "entries", KNOWN)
    text = (
        path.read_bytes()
        .decode("cp1252")
        .replace("V18\t20260316", "V18\t16.03.2026", 1)
        .replace("\t12,40", "\t1.012,40", 1)
    )
    path.write_bytes(text.encode("cp1252"))
    done = convert(path, mapping, tmp_path, ["department"])
    assert [str(error) for error in done.errors] == [
        (
            "row 4, column Bokföringsdatum: '16.03.2026' is not a date written as YYYYMMDD. Correct the cell, or "
            "choose how the file writes it in the mapping."
        ),
        (
            "row 4, column Belopp: '1.012,40' is not a number written as 1234,56. Correct the cell, or choose how the "
            "file writes it in the mapping."
        ),
    ]


def test_mapping_that_no_longer_fits_names_the_column_that_is_gone(tmp_path):
    path = french(tmp_path)
    mapping = guess(path, "entries", KNOWN)
    path.write_text(path.read_text().replace("Montant", "Valeur"))
    with pytest.raises(RulkaError, match="no longer fits: the file has no column 'Montant'"):
        convert(path, mapping, tmp_path, ["department"])


def test_formula_without_a_result_and_error_value_name_their_cells(tmp_path):
    for value, message in (
        ("=A1*2", r"cell D4: The cell holds a formula whose result was not kept"),
        ("#REF!", r"cell D4: The cell holds the error #REF!"),
    ):
        path = workbook(tmp_path)
        book = openpyxl.load_workbook(path)
        book.active["D4"] = value
        book.save(path)
        book.close()
        with pytest.raises(RulkaError, match=message):
            list(read_rows(path, TableLook(sheet="March")))


def test_wrong_encoding_is_told_with_its_row(tmp_path):
    path = swedish(tmp_path)
    assert look_at(path).encoding == "cp1252"
    with pytest.raises(RulkaError, match="The file is not utf-8-sig here"):
        list(read_rows(path, TableLook("utf-8-sig", "\t")))


def test_nothing_mapped_to_a_needed_field_is_told(tmp_path):
    path = american(tmp_path)
    mapping = replace(guess(path, "entries", KNOWN), fields={"account": FieldSource(("GL Account",))})
    with pytest.raises(RulkaError, match="Nothing is mapped to entity, entry, date"):
        convert(path, mapping, tmp_path, ["department"])


def test_workbook_that_would_unpack_beyond_the_limits_is_refused(tmp_path):
    path = tmp_path / "bomb.xlsx"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("xl/worksheets/sheet1.xml", b"0" * 60_000_000)
    with pytest.raises(RulkaError, match="It would unpack to 1 files of 60,000,000 bytes"):
        look_at(path)
    (tmp_path / "no.xlsx").write_text("text")
    with pytest.raises(RulkaError, match="can't be read"):
        look_at(tmp_path / "no.xlsx")
