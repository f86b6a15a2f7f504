"""Workbooks made around statements and worksheets, filled again: lines go by their labels, cells by their place."""

from __future__ import annotations

import io

import openpyxl
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from demo.workbooks import Handmade, Page
from rulka.statements.models import Template
from rulka.statements.output.origins import verify
from tests.conftest import SMALL
from tests.statements.test_origin import WHERE, amy, client_of, taken

pytestmark = pytest.mark.django_db
__all__ = ["amy"]


def upload(client, kind, name, content):
    sent = SimpleUploadedFile("mine.xlsx", content)
    return client.post(reverse("upload-template", args=[kind, name]) + WHERE, {"file": sent})


def kept(client, kind, name, answer, called="Board", who="everybody"):
    """Keep what was uploaded, with all that moves."""
    assert answer.status_code == 302, answer.content.decode()[-3000:]
    draft = Template.objects.get(pk=int(answer.url.split("/")[-2]))
    on = [one["id"] for one in draft.told["ranges"] if one["on"]]
    done = client.post(reverse("keep-template", args=[kind, name, draft.pk]) + WHERE,
                       {"name": called, "for": who, "grows": on})  # fmt: skip
    assert done.status_code == 302, done.content.decode()[-2000:]
    draft.refresh_from_db()
    return draft


def place(sheet, label):
    return next(row[0].row for row in sheet.iter_rows(max_col=1) if str(row[0].value).strip().endswith(label))


def figures_on(sheet):
    """Labels and figures of a statement's sheet, without when it was made and its origin."""
    rows = ([cell.value for cell in row] for row in sheet.iter_rows(min_row=5))
    return [row for row in rows if not str(row[0]).startswith("Origin ")]


def test_a_statement_is_filled_in_and_each_line_is_followed(amy, small, command):
    client, person = amy
    content = taken(client, "xlsx")
    sheet = openpyxl.load_workbook(io.BytesIO(content))["The result"]
    sales, wages = place(sheet, "Other sales"), place(sheet, "Wages")
    book = Handmade(content)
    bold = book.look('<b/><sz val="20"/><color rgb="FF1F5A4D"/><name val="Georgia"/>')
    book.add(Page("Board", {"A1": "For the board", "B2": f"='The result'!B{sales}", "B3": f"='The result'!B{wages}*2"},
                  {"A1": bold}))  # fmt: skip
    template = kept(client, "statement", "result", upload(client, "statement", "result", book.content))
    assert [one["what"] for one in template.told["ranges"]] == ["follows", "follows"]
    page = client.get(reverse("statement", args=["result"]) + WHERE).content.decode()
    assert "Workbook, Board" in page and "template=Board" in page

    # an account that is new stands above: the lines below go down by one
    extra = SMALL["accounts.csv"] + "4050,Early sales,revenue,,\n"
    rows = SMALL["entries.csv"] + "A,E8,1,2026-01-21,1000,,5.00,,E,,,,\nA,E8,2,2026-01-21,4050,,,5.00,E,,,,\n"
    command("load_ledger", small(accounts__csv=extra, entries__csv=rows), ledger="s")
    filled = taken(client, "xlsx", more="&template=Board")
    now = openpyxl.load_workbook(io.BytesIO(filled))
    figures = openpyxl.load_workbook(io.BytesIO(taken(client, "xlsx")), data_only=True)["The result"]
    shown = openpyxl.load_workbook(io.BytesIO(filled), data_only=True)["The result"]
    assert figures_on(shown) == figures_on(figures)
    moved = place(now["The result"], "Other sales")
    assert moved == sales + 1 and place(now["The result"], "Early sales")
    assert now["Board"]["B2"].value == f"='The result'!B{moved}"
    assert now["Board"]["B3"].value == f"='The result'!B{wages + 1}*2"
    assert now["Board"]["A1"].font.name == "Georgia" and now.sheetnames == ["Board", "About", "The result"]
    looks = {cell.number_format for cell in next(now["The result"].iter_rows(min_row=moved, max_row=moved))}
    assert "#,##0.00;-#,##0.00;–" in looks and now["The result"].cell(moved, 2).hyperlink.target.startswith("http")
    assert verify(filled, "x", person).state == "untouched"

    # a line that is gone is said, not taken from another one
    again = client.get(reverse("download", args=["result", "pdf"]) + WHERE + "&template=Board")
    assert again.status_code == 422 and "Only a workbook is filled" in again.content.decode()


def test_what_a_line_said_that_is_gone_is_an_error_in_its_place(amy, small, command):
    client, _ = amy
    content = taken(client, "xlsx")
    sheet = openpyxl.load_workbook(io.BytesIO(content))["The result"]
    book = Handmade(content)
    book.add(Page("Board", {"B2": f"='The result'!B{place(sheet, 'Other sales')}"}))
    kept(client, "statement", "result", upload(client, "statement", "result", book.content))
    other = SMALL["accounts.csv"].replace("Other sales", "Sales of other kinds")
    command("load_ledger", small(accounts__csv=other), ledger="s")
    now = openpyxl.load_workbook(io.BytesIO(taken(client, "xlsx", more="&template=Board")))
    assert now["Board"]["B2"].value == "=#REF!"


def test_a_changed_figure_of_a_statement_is_refused_and_a_filled_one_becomes_its_next_version(amy):
    client, _ = amy
    content = taken(client, "xlsx")
    row = place(openpyxl.load_workbook(io.BytesIO(content))["The result"], "Wages")
    book = openpyxl.load_workbook(io.BytesIO(content))
    book["The result"].cell(row, 3).value = 77
    changed = io.BytesIO()
    book.save(changed)
    told = upload(client, "statement", "result", changed.getvalue())
    assert told.status_code == 422 and f"The result!C{row}" in told.content.decode()
    assert not Template.objects.exists()
    book = Handmade(content)
    book.add(Page("Board", {"A1": "One"}))
    kept(client, "statement", "result", upload(client, "statement", "result", book.content))
    book = Handmade(taken(client, "xlsx", more="&template=Board"))
    book.swap(book.sheets["Board"], ">One<", ">Two<")
    second = kept(client, "statement", "result", upload(client, "statement", "result", book.content))
    assert second.version == 2 and second.told["linked"][-1] == "sheets of your own: Board"
    now = openpyxl.load_workbook(io.BytesIO(taken(client, "xlsx", more="&template=Board")))
    assert now["Board"]["A1"].value == "Two" and now.sheetnames == ["Board", "About", "The result"]
    page = client.get(reverse("template", args=["statement", "result", second.pk]) + WHERE).content.decode()
    assert "Use again" in page
    client.post(reverse("change-template", args=["statement", "result", second.pk]) + WHERE, {"version": "1"})
    now = openpyxl.load_workbook(io.BytesIO(taken(client, "xlsx", more="&template=Board")))
    assert now["Board"]["A1"].value == "One" and Template.objects.filter(version=3).exists()


def test_a_worksheet_is_filled_in_by_places(amy, small, command):
    client, _ = amy
    where = reverse("worksheet-file", args=["sums", "xlsx"]) + WHERE
    content = client.get(where).content
    sheet = openpyxl.load_workbook(io.BytesIO(content), data_only=True)["Sheet"]
    last = sheet.max_row
    book = Handmade(content)
    book.add(Page("Mine", {"A1": "=Sheet!Q40", "A2": f"=SUM(Sheet!F2:F{last})", "A3": "=SUM(Sheet!F2:F9)"}))
    template = kept(client, "worksheet", "sums", upload(client, "worksheet", "sums", book.content))
    assert [one["what"] for one in template.told["ranges"]] == ["still", "grows", "still"]
    rows = SMALL["entries.csv"] + "".join(
        f"A,E{at},1,2026-01-2{at % 8},1000,,5.00,,E,,,,\nA,E{at},2,2026-01-2{at % 8},4100,,,5.00,E,,,,\n"
        for at in range(70, 76)
    )
    command("load_ledger", small(entries__csv=rows), ledger="s")
    now = openpyxl.load_workbook(io.BytesIO(client.get(where + "&template=Board").content), data_only=True)
    plain = openpyxl.load_workbook(io.BytesIO(client.get(where).content), data_only=True)["Sheet"]
    shown = {cell.coordinate: cell.value for row in now["Sheet"].iter_rows() for cell in row if cell.value is not None}
    assert shown == {cell.coordinate: cell.value for row in plain.iter_rows() for cell in row if cell.value is not None}
    assert plain.max_row > last
    formulas = openpyxl.load_workbook(io.BytesIO(client.get(where + "&template=Board").content))["Mine"]
    assert [formulas[at].value for at in ("A1", "A2", "A3")] == [
        "=Sheet!Q40", f"=SUM(Sheet!F2:F{plain.max_row})", "=SUM(Sheet!F2:F9)"
    ]  # fmt: skip
    linked = client.post(reverse("worksheet-linked", args=["sums"]) + WHERE, {"days": "2"}).content
    told = upload(client, "worksheet", "sums", linked)
    assert told.status_code == 422 and "live links can" in told.content.decode()


def test_templates_stay_with_those_who_may_use_them(amy):
    client, _ = amy
    content = taken(client, "xlsx")
    rob, _ = client_of("rob", role="reader")
    read = taken(rob, "xlsx")
    told = upload(rob, "statement", "result", read)
    mine = kept(rob, "statement", "result", told, called="Rob's", who="me")
    assert mine.owner.username == "rob"
    draft = upload(rob, "statement", "result", read)
    number = int(draft.url.split("/")[-2])
    refused = rob.post(reverse("keep-template", args=["statement", "result", number]) + WHERE,
                       {"name": "All", "for": "everybody"})  # fmt: skip
    assert refused.status_code == 422 and "You may keep templates for yourself." in refused.content.decode()
    assert client.get(reverse("template", args=["statement", "result", number]) + WHERE).status_code == 404
    assert client.get(reverse("template", args=["statement", "result", mine.pk]) + WHERE).status_code == 404
    assert client.get(reverse("download", args=["result", "xlsx"]) + WHERE + "&template=Rob's").status_code == 404
    kim, _ = client_of("kim", entities="B")
    told = upload(kim, "statement", "result", content)
    assert told.status_code == 422 and "names no output that you may see" in told.content.decode()
    other = upload(client, "statement", "by-department", content)
    assert other.status_code == 422 and "It was made of statement result" in other.content.decode()
