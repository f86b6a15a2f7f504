"""The demo's three templates, made by hand in OOXML around runs of September and filled with October: parts are equal
by bytes but for what the guide lists, and an office suite shows the new rows."""

from __future__ import annotations

import shutil
import subprocess
import warnings
from decimal import Decimal

import openpyxl
import pytest
from django.utils import timezone

from demo.templates import MADE, PERIOD, run_of
from rulka.core.books.fence import NO_FENCE, Fence
from rulka.extracts.output.making import open_named
from rulka.extracts.output.writing import write
from rulka.extracts.running.asked import ExtractReader, opened
from rulka.formats.refill.package import WorkbookPackage
from rulka.statements.output.templates import begin, keep, subject_of
from tests.extracts.world import rows_of, total
from tests.formats.refill.world import differing, parts_of

pytestmark = pytest.mark.django_db
SUITE = shutil.which("soffice")
LISTED = {
    "xl/workbook.xml": {"definedName", "calcPr@fullCalcOnLoad"}, "docProps/custom.xml": {"property"},
    "[Content_Types].xml": {"Override"},
    "xl/pivotCache/pivotCacheDefinition1.xml": {
        "worksheetSource@ref", "pivotCacheDefinition@refreshOnLoad", "pivotCacheDefinition@saveData",
        "pivotCacheDefinition@missingItemsLimit", "pivotCacheDefinition@recordCount", "pivotCacheDefinition@id",
        "sharedItems", "s@v", "s",
    },
}  # fmt: skip
REFILLED = {"dimension@ref", "autoFilter@ref", "conditionalFormatting@sqref", "row", "oddFooter", "c@t",
            "c@s", "is", "v", "t", "t@space", "c@r", "row@r", "f", "c"}  # fmt: skip


def made_of(ledger, name, folder):
    """A template of the demo, made and kept; its bytes as uploaded."""
    layout, called, make = MADE[name]
    content = make(run_of(ledger, name, layout, folder))
    subject = subject_of(ledger, "extract", name, None)
    kept = keep(subject, begin(subject, content, f"{name}.xlsx", None), called, (), shared=True, person=None)
    upload = folder / f"{name}-upload.xlsx"
    upload.write_bytes(content)
    return kept, upload


def filled(ledger, name, called, folder, fence=NO_FENCE, period="2027-P07"):
    """The template run for a period, with the rows that it was filled with."""
    definition = open_named(ledger, name, None)[1]
    path = folder / f"{name}-{period}.xlsx"
    with opened(definition, ExtractReader(ledger, fence, period), {}, layout=called) as asked:
        write(asked, "xlsx", path, timezone.localtime())
        return path, rows_of(asked)


def loaded(path, **more):
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        return openpyxl.load_workbook(path, **more)


@pytest.mark.parametrize("name", MADE)
def test_only_listed_parts_and_in_them_only_listed_things_differ(ternwick, tmp_path, name):
    kept, upload = made_of(ternwick, name, tmp_path)
    path, rows = filled(ternwick, name, kept.name, tmp_path)
    was, now = parts_of(upload), parts_of(path)
    gone = {"xl/pivotCache/pivotCacheRecords1.xml", "xl/pivotCache/_rels/pivotCacheDefinition1.xml.rels"}
    assert was.keys() - now.keys() <= gone and not now.keys() - was.keys()
    with WorkbookPackage(upload) as package:
        own = {package.sheet(one["name"]).part for one in kept.told["sheets"]}
    changed = {part for part in now if now[part] != was[part]}
    for part in changed:
        found = differing(was[part], now[part])
        if part in own:
            assert found <= REFILLED, (part, found)
        elif part.startswith("xl/worksheets/"):
            assert found <= {"f", "v"}, (part, found)
        elif part.startswith("xl/charts/"):
            assert found <= {"f", "strCache", "numCache"}, (part, found)
        else:
            assert found <= LISTED[part], (part, found)
    assert b"Rulka origin" in was["docProps/custom.xml"] and b"Rulka" not in now["docProps/custom.xml"]  # none here
    untouched = {part for part in was if part.split("/")[1:2] in (["media"], ["drawings"], ["slicers"], ["pivotTables"],
                                                                  ["slicerCaches"], ["theme"])}  # fmt: skip
    assert untouched and not untouched & changed and "xl/styles.xml" not in changed
    book = loaded(path)
    sheet = book[kept.told["sheets"][0]["name"]]
    assert sheet.max_row == len(rows) + 2 and len(rows) > 20
    growing = [one for one in kept.told["ranges"] if one["what"] == "grows"]
    assert growing and f"${len(rows) + 2}" in str(
        [cell.value for page in book for row in page.iter_rows() for cell in row]
    )


def test_a_narrower_reader_gets_the_same_workbook_with_fewer_rows_and_no_other_names(ternwick, tmp_path):
    kept, _ = made_of(ternwick, "supplier-review", tmp_path)
    rows = filled(ternwick, "supplier-review", kept.name, tmp_path, Fence.of(accounts="66*"))[1]
    suppliers = {row["Supplier"] for row in rows}
    hidden = {row["Supplier"] for row in filled(ternwick, "supplier-review", kept.name, tmp_path)[1]} - suppliers
    path, rows = filled(ternwick, "supplier-review", kept.name, tmp_path, Fence.of(accounts="66*"))
    assert "Sound Oil" in hidden and rows
    told = "".join(data.decode(errors="replace") for data in parts_of(path).values())
    assert not [name for name in hidden if name in told] and all(name in told for name in suppliers)


if SUITE:

    def shown(path, folder):
        told = subprocess.run(
            [SUITE, f"-env:UserInstallation=file://{folder}/profile", "--headless", "--convert-to", "xlsx", "--outdir",
             str(folder / "shown"), str(path)], capture_output=True, text=True, timeout=180,
        )  # fmt: skip
        assert told.returncode == 0, told.stderr
        return loaded(folder / "shown" / path.name, data_only=True)

    def exact(value):
        return Decimal(str(value)).quantize(Decimal("0.01"))

    @pytest.mark.slow
    def test_an_office_suite_shows_the_new_rows_in_all_three(ternwick, tmp_path):
        for name in MADE:
            kept, _ = made_of(ternwick, name, tmp_path)
            path, rows = filled(ternwick, name, kept.name, tmp_path)
            assert len(filled(ternwick, name, kept.name, tmp_path, period=PERIOD)[1]) != len(rows)
            book = shown(path, tmp_path)
            if name == "audit-sample":
                page = book["Sign-off"]
                assert page["B4"].value == len(rows) and exact(page["B5"].value) == total(rows, "debit")
                assert exact(page["B7"].value) == max(Decimal(row["debit"]) for row in rows)
                assert page["B10"].value == sum(Decimal(row["debit"]) >= 50_000 for row in rows)
                assert len(book["Audit sample"].conditional_formatting) == 2
            elif name == "tax-list":
                page = book["Return"]
                said = {row[0]: row[2] for row in page.iter_rows(min_row=8, max_col=3, values_only=True)}
                assert exact(said["All"]) == exact(said["Rows say"]) == total(rows, "amount")
                for code in {row["account"] for row in rows}:
                    assert exact(said[code]) == total(rows, "amount", account=code)
                assert len(page._images) == 1
            else:
                page = book["Review"]
                for down, key in ((1, "Supplier"), (4, "account name")):
                    cells = {row[0]: row[1] for row in page.iter_rows(min_row=6, min_col=down, max_col=down + 1,
                                                                      values_only=True) if row[0]}  # fmt: skip
                    for value in {row[key] for row in rows}:
                        assert exact(cells[value]) == total(rows, "amount", **{key: value}), (key, value)
                assert len(page._pivots) == 2 and exact(book["Months"]["B20"].value) == total(rows, "amount")
                assert len(page._charts) + len(book["Months"]._charts) == 2

    @pytest.mark.slow
    def test_a_template_that_an_office_suite_saved_is_filled_as_well(ternwick, tmp_path):
        layout, called, make = MADE["tax-list"]
        made = tmp_path / "made.xlsx"
        made.write_bytes(make(run_of(ternwick, "tax-list", layout, tmp_path)))
        told = subprocess.run(
            [SUITE, f"-env:UserInstallation=file://{tmp_path}/profile", "--headless", "--convert-to", "xlsx",
             "--outdir", str(tmp_path / "saved"), str(made)], capture_output=True, text=True, timeout=180,
        )  # fmt: skip
        assert told.returncode == 0
        subject = subject_of(ternwick, "extract", "tax-list", None)
        content = (tmp_path / "saved" / "made.xlsx").read_bytes()
        kept = keep(subject, begin(subject, content, "made.xlsx", None), called, (), shared=True, person=None)
        path, rows = filled(ternwick, "tax-list", kept.name, tmp_path)
        page = shown(path, tmp_path)["Return"]
        said = {row[0]: row[2] for row in page.iter_rows(min_row=8, max_col=3, values_only=True)}
        assert exact(said["All"]) == total(rows, "amount")
        assert page["A6"].font.name == "Georgia"
