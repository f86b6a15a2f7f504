"""Somebody drops last month's workbook, answers three questions, names the statement, and steps to the next period."""

from __future__ import annotations

import csv

import openpyxl
import pytest
from playwright.sync_api import Page, expect

from rulka.rebuilds.models import Rebuild
from rulka.rebuilds.output import finding
from tests.browser.test_variances import sign_in

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]


def _found(page: Page):
    """The page comes by itself once it is found."""
    expect(page.locator("#title")).to_have_text("result")
    expect(page.locator("#question")).to_have_text("Which accounts are Freight?", timeout=8_000)
    expect(page.locator("#foot")).to_contain_text("3 questions open")
    expect(page.locator("#given tr", has_text="Fuel").locator("td.off")).to_contain_text("ledger")


def _three_answers(page: Page):
    """Three answers, the first with the keyboard alone."""
    page.locator("label.offer input").first.focus()
    page.keyboard.press("Space")
    expect(page.locator("#difference")).to_contain_text("October 2026")
    page.locator("#selection").press("Enter")
    expect(page.locator("#question")).to_contain_text("Mistyped? Fuel")
    page.locator("#take").click()
    expect(page.locator("#question")).to_have_text("Where do these accounts belong?")
    page.locator("#take").click()
    expect(page.locator("#problem")).to_contain_text("say where they belong")
    for one in page.locator('select:has(option[value="?"])').all():
        one.select_option(label="left out")
    page.locator("#take").click()
    expect(page.locator("#question")).to_have_text("Nothing is open")
    page.locator("#make-title").fill("Result as it was")
    page.locator("#make").click()
    return one


def _a_statement_like_any_other(page: Page, command, tmp_path, run, one):
    """It is a statement like any other: its checks hold, and it steps."""
    expect(page.locator("h1")).to_contain_text("Result as it was")
    expect(page.locator("body")).to_contain_text("Foots: every check holds")
    expect(page.locator("body")).to_contain_text("October 2026")
    expect(page.locator("tr", has_text="Fuel").first).to_contain_text("376")
    page.locator(".period a").first.click()
    expect(page.locator("th", has_text="September 2026").first).to_be_visible()
    september = tmp_path / "september.csv"
    command("run_statement", "income-statement", out=september, **{**run, "period": "2027-P06"})
    fuel = next(line for line in september.read_text().splitlines() if line.startswith("Fuel,")).split(",")[1]
    shown = page.locator("tr", has_text="Fuel").first.inner_text()
    digits = "".join(one for one in shown if one.isdigit())
    assert "".join(one for one in fuel if one.isdigit()) in digits


def test_a_workbook_becomes_a_living_statement(page: Page, command, tmp_path):
    table = tmp_path / "table.csv"
    run = {"ledger": "ternwick", "node": "TF", "period": "2027-P07", "format": "csv"}
    command("run_statement", "income-statement", out=table, **run)
    book = openpyxl.Workbook()
    book.active.append(["Ternwick Ferries, result"])
    for cells in csv.reader(table.read_text().splitlines()):
        if cells[0] == "line":
            book.active.append(["", "October 2026", "Budget"])
        elif len(cells) == 10:
            first = "-367679.52" if cells[0] == "Fuel" else cells[1]
            book.active.append([cells[0], *(float(cell) if cell else None for cell in (first, cells[2]))])
        if cells[0] == "Vehicles":
            book.active.append(["Freight", 0.0, 0.0])
    book.save(tmp_path / "result.xlsx")

    sign_in(page, "Accountant")
    page.goto("/statements/?ledger=ternwick&period=2027-P07&node=TF")
    page.locator("#rebuild-statement").click()
    page.locator("#table-file").set_input_files(tmp_path / "result.xlsx")
    page.locator("#give-table").click()
    expect(page.locator("#progress")).to_contain_text("waits its turn")
    finding.find(Rebuild.objects.get().pk)
    _found(page)
    one = _three_answers(page)
    _a_statement_like_any_other(page, command, tmp_path, run, one)
