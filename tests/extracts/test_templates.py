"""Workbooks made around a run, taken as templates, filled with other months: through the gate, pages, files, fences."""

from __future__ import annotations

import io
import re

import openpyxl
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from demo.workbooks import Handmade, Page
from rulka.extracts.models import ExtractRun
from rulka.extracts.output import making
from rulka.statements.models import Template
from tests.extracts.test_pages import WHERE, world

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
    assert answer.status_code == 302, re.sub(r"<[^>]+>", " ", answer.content.decode())[-1500:]
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
    assert "version 1" in amy.get(kept.url).content.decode()
    again, run = run_of(amy, "With mine", "2026-P03")
    sheet = rows_sheet(again)
    book = openpyxl.load_workbook(io.BytesIO(again))
    assert (
        book["Mine"]["B1"].value == f"=SUM(Sales!F3:F{run.rows + 2})"
        and book["Mine"]["B2"].value == "=SUM(Sales!F3:F4)"
    )
    assert sheet.max_row == run.rows + 2
    assert "With mine, version 1" in [cell.value for cell in book["Asked"]["B"]]
