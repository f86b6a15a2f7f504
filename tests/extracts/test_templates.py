"""Workbooks made around a run, taken as templates, filled with other months: through the gate, pages, files, fences."""

from __future__ import annotations

import html
import io
import re
import tempfile
import threading
import zipfile
from concurrent.futures import ThreadPoolExecutor
from itertools import groupby
from operator import itemgetter
from pathlib import Path

import openpyxl
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management.base import CommandError
from django.urls import reverse
from django.utils import timezone

from demo.workbooks import Handmade, Page
from rulka.extracts.models import Extract, ExtractRun
from rulka.extracts.output import making
from rulka.extracts.output.sending import Extracts
from rulka.people.library.rights import fence_of
from rulka.people.models import Person
from rulka.statements.models import Template
from rulka.statements.output.origins import verify
from rulka.statements.output.sendable import SendRequest
from rulka.statements.output.templates import fill
from tests.conftest import SMALL
from tests.extracts.test_pages import WHERE, world
from tests.pages import flat

pytestmark = pytest.mark.django_db
__all__ = ["world"]


def run_of(client, layout="", period="2026-P01", form="xlsx"):
    """A run by its page, made; its file's bytes."""
    where = WHERE.replace("2026-P01", period)
    answer = client.post(reverse("run-extract", args=["sales"]) + f"{where}&layout={layout}", {"form": form})
    assert answer.status_code == 302, answer.content.decode()[-2000:]
    run = ExtractRun.objects.first()
    making.make(run.pk)
    run.refresh_from_db()
    assert run.state == "ready", run.problem
    file = client.get(reverse("extract-file", args=["sales", run.pk]) + where)
    return b"".join(file.streaming_content), run


def rows_sheet(content):
    return openpyxl.load_workbook(io.BytesIO(content))["Sales"]


def with_sheet(content, **more):
    """A run's workbook with a sheet of one's own that reads its rows."""
    book = Handmade(content)
    last = rows_sheet(content).max_row
    book.add(
        Page("Mine", {"A1": "All", "B1": f"=SUM(Sales!F3:F{last})", "A2": "Top", "B2": "=SUM(Sales!F3:F4)", **more})
    )
    return book


def upload(client, content, name="mine.xlsx"):
    sent = SimpleUploadedFile(name, content)
    return client.post(reverse("upload-template", args=["extract", "sales"]) + WHERE, {"file": sent})


def keep(client, answer, name="With mine", who="me", grows=None):
    """Keep an uploaded workbook: all that can grow does, or just what is named."""
    assert answer.status_code == 302, " ".join(re.sub(r"<[^>]+>", " ", answer.content.decode()).split())[-700:]
    draft = Template.objects.get(pk=int(answer.url.split("/")[-2]), version=None)
    on = [one["id"] for one in draft.told["ranges"] if one["on"] and not one["fixed"]]
    sent = {"name": name, "for": who, "grows": on if grows is None else grows}
    return client.post(reverse("keep-template", args=["extract", "sales", draft.pk]) + WHERE, sent)


def test_a_workbook_becomes_a_layout_and_the_next_month_is_filled_into_it(world):
    amy = world()
    content, _ = run_of(amy)
    page = amy.get(upload(amy, with_sheet(content).content).url).content.decode()
    assert "Mine!B1" in page and "SUM(Sales!F3:F" in page and "Sheets of your own: Mine" in page
    kept = keep(amy, upload(amy, with_sheet(content).content))
    assert kept.status_code == 302 and "layout=With+mine" in kept.url
    assert "version 1" in flat(amy.get(kept.url).content.decode())
    again, run = run_of(amy, "With mine", "2026-P03")
    sheet = rows_sheet(again)
    book = openpyxl.load_workbook(io.BytesIO(again))
    assert (
        book["Mine"]["B1"].value == f"=SUM(Sales!F3:F{run.rows + 2})"
        and book["Mine"]["B2"].value == "=SUM(Sales!F3:F4)"
    )
    assert sheet.max_row == run.rows + 2
    assert "With mine, version 1" in [cell.value for cell in book["Asked"]["B"]]


def test_the_original_is_one_step_away_and_versions_follow_each_other(world):
    amy = world()
    content, _ = run_of(amy, "By account")
    keep(amy, upload(amy, with_sheet(content).content), who="everybody")
    page = amy.get(reverse("extract", args=["sales"]) + WHERE + "&layout=With mine").content.decode()
    assert "The original layout, By account" in page and "layout=By%20account" in page and 'id="layoutform"' not in page
    again, _ = run_of(amy, "With mine")
    book = Handmade(again)
    book.swap(book.sheets["Mine"], ">All<", ">All of it<")
    second = upload(amy, book.content)
    assert "under that name it is its next version" in amy.get(second.url).content.decode()
    keep(amy, second, who="everybody")
    third, _ = run_of(amy, "With mine")
    assert openpyxl.load_workbook(io.BytesIO(third))["Mine"]["A1"].value == "All of it"
    assert list(Template.objects.filter(version__isnull=False).values_list("version", "base")) == [
        (2, "By account"), (1, "By account")
    ]  # fmt: skip
    plain, _ = run_of(amy, "By account")
    assert "Mine" not in openpyxl.load_workbook(io.BytesIO(plain)).sheetnames
    taken_name = keep(amy, upload(amy, with_sheet(content).content), who="everybody")
    assert taken_name.status_code == 422 and "There is a template" in taken_name.content.decode()
    same = keep(amy, upload(amy, with_sheet(content).content), name="By account", who="everybody")
    assert same.status_code == 422 and "The original stays" in same.content.decode()


def test_a_template_whose_layout_was_deleted_may_be_begun_again(world):
    amy = world()
    content, _ = run_of(amy)
    keep(amy, upload(amy, with_sheet(content).content), who="everybody")
    amy.post(reverse("extract-layout", args=["sales"]) + WHERE, {"do": "drop", "former": "With mine"})
    assert [one["layout"] for one in Extract.objects.get(name="sales").body["layouts"]] == ["By account"]
    amy.post(reverse("undo-extract", args=["sales"]) + WHERE)
    assert "Mine" in openpyxl.load_workbook(io.BytesIO(run_of(amy, "With mine")[0])).sheetnames
    amy.post(reverse("extract-layout", args=["sales"]) + WHERE, {"do": "drop", "former": "With mine"})
    assert keep(amy, upload(amy, with_sheet(content).content), who="everybody").status_code == 302
    assert Template.objects.filter(name="With mine").first().version == 2


def test_each_reader_gets_their_own_rows_in_it_and_nothing_of_the_maker(world, command, small):
    """Lea sees fewer accounts: in her workbook, no part holds what only Amy sees."""
    amy, lea = world(), world("lea")
    lines = (
        SMALL["entries.csv"]
        + "A,E9,1,2026-01-20,2000,,9876.25,,Secretly,D-9,,,\nA,E9,2,2026-01-20,5000,,,9876.25,Rent,D-9,,,\n"
    )
    command("load_ledger", small(entries__csv=lines), ledger="s")
    body = Extract.objects.get(name="sales")
    body.body = {
        **body.body,
        "where": [{"account": "1*, 2*, 4*, 5*"}, {"period": "{period}"}],
        "ask": body.body["ask"][1:],
    }
    body.save()
    content, _ = run_of(amy)
    assert "Secretly" in str([cell.value for row in rows_sheet(content).iter_rows() for cell in row])
    book, shared = openpyxl.load_workbook(io.BytesIO(content)), io.BytesIO()
    book.create_sheet("Mine")["A1"] = f"=SUM(Sales!F3:F{rows_sheet(content).max_row})"
    book.save(shared)  # as a program saves it: texts shared by all sheets
    kept = keep(amy, upload(amy, shared.getvalue()), who="everybody")
    assert kept.status_code == 302
    template = Template.objects.get(version=1)
    where = reverse("template", args=["extract", "sales", template.pk]) + WHERE
    reach = f"F{rows_sheet(content).max_row})"
    assert reach in amy.get(where).content.decode() and reach in lea.get(where).content.decode()
    rob = world("rob").get(where).content.decode()
    assert reach not in rob and "Mine!A1" in rob, "how many rows the maker had is for those who may change it"
    hers, run = run_of(lea, "With mine")
    assert run.rows == rows_sheet(hers).max_row - 2 < rows_sheet(content).max_row - 2
    with zipfile.ZipFile(io.BytesIO(hers)) as file:
        for name in file.namelist():
            assert b"Secretly" not in file.read(name) and b"9876.25" not in file.read(name), name


def test_a_column_that_is_gone_is_refused_with_what_to_do(world):
    amy = world()
    content, _ = run_of(amy)
    keep(amy, upload(amy, with_sheet(content).content), who="everybody")
    sent = {"do": "remove", "column": "description", "version": Extract.objects.get(name="sales").version}
    told = amy.post(reverse("edit-extract", args=["sales"]) + WHERE, sent)
    assert told.status_code == 302  # the layout goes along: the template says which heading it misses
    assert "description" not in Extract.objects.get(name="sales").body["layouts"][-1]["columns"]
    answer = amy.post(reverse("run-extract", args=["sales"]) + WHERE + "&layout=With mine", {"form": "xlsx"})
    run = ExtractRun.objects.first()
    making.make(run.pk)
    run.refresh_from_db()
    assert answer.status_code == 302 and run.state == "failed"
    assert "The template's column Text is not among the rows. Show them in the layout again" in run.problem


def test_a_template_of_subtotals_counts_no_row_twice(world):
    amy = world()
    sales = Extract.objects.get(name="sales")
    sales.body["layouts"].append({"layout": "Subtotals", "subtotals": "Account"})
    sales.save()
    content, first = run_of(amy, "Subtotals")
    keep(amy, upload(amy, with_sheet(content).content))
    sales.refresh_from_db()
    sales.body["ask"][0]["default"] = "*"
    sales.save()
    again, run = run_of(amy, "With mine")
    sheet, book = rows_sheet(again), openpyxl.load_workbook(io.BytesIO(again))
    below = [[cell.value for cell in row] for row in sheet.iter_rows(min_row=4)]  # a line of sums for each unit
    rows = [row for row in below if row[0] is not None]
    heads = [f"{account}, {len(list(some))} rows".replace(" 1 rows", " 1 row")
             for account, some in groupby(rows, key=itemgetter(4))]  # fmt: skip
    assert len(rows) == run.rows > first.rows and [row[4] for row in below if row[0] is None] == heads
    last = 3 + run.rows + len(heads)
    assert sheet["F1"].value + sheet["F2"].value == sum(row[5] for row in rows) == 7.5
    assert sheet.max_row == last and book["Mine"]["B1"].value == f"=SUM(Sales!F4:F{last})"
    fresh = rows_sheet(run_of(amy, "Subtotals")[0])
    assert [[cell.value for cell in row] for row in fresh.iter_rows()] == [
        [cell.value for cell in row] for row in sheet.iter_rows()
    ]


def test_what_can_be_no_template_says_so_and_keeps_nothing(world):
    amy = world()
    content, _ = run_of(amy)
    book = with_sheet(content)
    book.swap(book.sheets["Sales"], ">Amount<", ">Betrag<")
    told = html.unescape(upload(amy, book.content).content.decode())
    assert "The heading 'Amount' is not in its place: it says 'Betrag'." in told and "mine.xlsx was not taken" in told
    for wrong, said in ((b"", "It is no workbook."), (b"a,b", "It is no workbook.")):
        answer = upload(amy, wrong)
        assert answer.status_code == 422 and said in answer.content.decode()
    empty = amy.post(reverse("upload-template", args=["extract", "sales"]) + WHERE)
    assert empty.status_code == 422 and "No workbook came." in empty.content.decode()
    plain = openpyxl.Workbook()
    file = io.BytesIO()
    plain.save(file)
    assert "names no output that you may see" in upload(amy, file.getvalue()).content.decode()
    csv, _ = run_of(amy, form="csv")
    assert upload(amy, csv).status_code == 422 and not Template.objects.exists()


def test_a_long_run_makes_no_template_but_fills_one(world, monkeypatch):
    amy = world()
    content, _ = run_of(amy)
    keep(amy, upload(amy, with_sheet(content).content))
    monkeypatch.setattr("rulka.ledger.leaving.MOST_ROWS", 1)
    again, run = run_of(amy, "With mine")
    assert run.rows > 1 and "Mine" in openpyxl.load_workbook(io.BytesIO(again)).sheetnames
    told = upload(amy, with_sheet(run_of(amy)[0]).content)
    assert told.status_code == 422 and "Make the template of a smaller run" in told.content.decode()


def test_two_runs_into_one_template_at_once_give_what_each_gives_alone(world):
    amy = world()
    content, _ = run_of(amy)
    keep(amy, upload(amy, with_sheet(content).content))
    alone = {period: run_of(amy, "With mine", period)[0] for period in ("2026-P01", "2026-P03")}
    template = Template.objects.get(version=1)
    with tempfile.TemporaryDirectory() as folder:
        outputs = {}
        for period in alone:
            plain, _ = run_of(amy, "", period)
            outputs[period] = Path(folder) / f"{period}.xlsx"
            outputs[period].write_bytes(plain)

        def filled(period):
            target = Path(folder) / f"{period}-{threading.get_ident()}.xlsx"
            fill(template, outputs[period], target)
            return period, target.read_bytes()

        with ThreadPoolExecutor(4) as pool:
            for period, made in pool.map(filled, list(alone) * 4):
                was = [[cell.value for cell in row] for row in rows_sheet(alone[period]).iter_rows()]
                assert [[cell.value for cell in row] for row in rows_sheet(made).iter_rows()] == was


def test_a_command_takes_a_workbook_and_runs_fill_it(world, command, tmp_path):
    amy = world()
    content, _ = run_of(amy)
    file = tmp_path / "mine.xlsx"
    file.write_bytes(with_sheet(content).content)
    told = command("load_template", "extract", "sales", file, ledger="s", called="By hand", still=["Mine!B1"])
    assert told.startswith("By hand, version 1\n") and "stays: Mine!B1" in told
    out = tmp_path / "out.xlsx"
    command("run_extract", "sales", ledger="s", period="2026-P03", layout="By hand", format="xlsx", out=out)
    last = rows_sheet(content).max_row
    assert openpyxl.load_workbook(out)["Mine"]["B1"].value == f"=SUM(Sales!F3:F{last})"
    with pytest.raises(CommandError, match=r"Nothing that grows stands at 'Mine!Z9'"):
        command("load_template", "extract", "sales", file, ledger="s", called="Other", still=["Mine!Z9"])
    assert not Template.objects.filter(version=None).exists()


def test_what_is_sent_is_filled_in_for_each_recipient_and_becomes_the_next_version(world):
    """A dispatch sends the first layout; when that is a template, each gets theirs filled with their own rows."""
    amy = world()
    content, _ = run_of(amy)
    keep(amy, upload(amy, with_sheet(content).content), who="everybody")
    extract = Extract.objects.get(name="sales")
    layouts = extract.body["layouts"]
    extract.body = {**extract.body, "layouts": list(reversed(layouts))}
    extract.save()
    for name in ("amy", "lea", "rob"):
        person = Person.objects.get(username=name)
        asked = SendRequest(
            extract.ledger,
            person,
            fence_of(person, "s"),
            "sales",
            "2026-P01",
            "",
            extract.ledger.revision,
            timezone.localtime(),
            "Amy",
            leaves=True,
        )
        (piece,) = Extracts().pieces(asked)
        sent = piece.content("xlsx")
        book = openpyxl.load_workbook(io.BytesIO(sent))
        assert book.sheetnames[0] == "Mine" and book["Mine"]["A1"].value == "All"
        assert verify(sent, "sent.xlsx", person).state == "untouched"
        assert piece.content("csv").decode().startswith("Date,")
    changed = Handmade(sent)
    changed.swap(changed.sheets["Mine"], ">All<", ">Sum<")
    rob = world("rob")
    again = upload(rob, changed.content)
    assert "it is its next version" in rob.get(again.url).content.decode()
    kept = keep(rob, again, who="me")
    assert kept.status_code == 422 and "A layout is called" in kept.content.decode(), "everybody's stays everybody's"
    assert keep(rob, upload(rob, changed.content), name="Rob's", who="me").status_code == 302
    assert openpyxl.load_workbook(io.BytesIO(run_of(rob, "Rob's")[0]))["Mine"]["A1"].value == "Sum"
