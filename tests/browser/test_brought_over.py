"""A row list from an older tool becomes a worksheet: held against the accounts, completed, its empty rows hidden, a
bounded table beside it, a formula by the guide, a workbook with live links, and a second person at work on it."""

from __future__ import annotations

import re
from decimal import Decimal
from pathlib import Path

import openpyxl
import pytest
from playwright.sync_api import Page, expect

from tests.browser.test_path import minor
from tests.browser.test_worksheet import cell, go, put
from tests.oracle import Oracle

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]

LIST = (
    "10\tFares\t4010\t4399\t-\t\n20\tShop and galley\t4410\t4499\t-\t\n30\tWages\t5010\t5399\t+\t\n"
    "40\tFuel\t6110\t6129\t+\t\n50\tWhat the old tool said\tzz\tzz\t\t\n60\tLeft\t\t\t\t10+20-30-40\n"
)


def sign_in(page: Page, who: str) -> None:
    page.goto("/sign-in/")
    page.get_by_role("button", name=who).click()


def ready(page: Page) -> None:
    page.locator("revo-grid[data-ready]").wait_for()


def tab(page: Page, name: str) -> None:
    page.locator("#panel").get_by_role("link", name=name, exact=True).click()


def _rows_brought_over(page: Page, oracle, october):
    """Rows from elsewhere: columns are told what they are, what isn't understood is listed."""
    tab(page, "Blocks")
    page.get_by_role("link", name="Bring rows over from elsewhere").click()
    page.get_by_label("Rows", exact=True).fill(LIST)
    page.get_by_role("button", name="Look at them").click()
    expect(page.locator("#role-2")).to_have_value("low")
    expect(page.locator("#problems")).to_contain_text("zz names no account")
    expect(page.locator("#understood")).to_contain_text("4010 to 4399")
    page.get_by_label("At cell").fill("A3")
    page.get_by_role("button", name="Put them in as working rows").click()
    ready(page)
    income = -oracle.activity("TF", {code for code in oracle.accounts if "4010" <= code <= "4399"}, october, october)
    expect(cell(page, "C4")).to_have_text(minor(income))
    expect(cell(page, "C9")).to_have_text(re.compile(r"\d"))
    return income


def _the_rest_added_and_what_is_empty_hidden(page: Page):
    """It covers not all of the result; one step adds the rest, and what is empty hides."""
    expect(page.locator("#foot-covers")).to_contain_text("result accounts")
    expect(page.locator("#foot-covers")).to_have_class("warn")
    page.get_by_role("button", name=re.compile(r"^Put \d+ rows in")).click()
    expect(page.locator("#foot-covers")).not_to_have_class("warn")
    expect(page.locator("#covers")).to_contain_text("each once")
    expect(cell(page, "A11")).to_have_text(re.compile(r"^\d{4}$"))
    first = next(
        row for row in range(11, 60) if cell(page, f"C{row}").count() and cell(page, f"C{row}").inner_text() == "–"
    )
    code = cell(page, f"A{first}").inner_text()
    go(page, f"C{first}")
    page.get_by_role("button", name="Rows and columns").click()
    page.get_by_role("button", name="Chosen rows when all is zero").click()
    expect(page.locator(".rgCell", has_text=re.compile(f"^{code}$"))).to_have_count(0)
    tab(page, "Sheet")
    expect(page.locator("#panel")).to_contain_text(f"rows of C{first}: when all is zero")


def _a_bounded_table_placed(page: Page, oracle, october, address):
    """A bounded table: made once, placed by whoever may, beside the rows."""
    page.get_by_role("link", name="Worksheets").click()
    page.get_by_role("link", name="New bounded table").click()
    page.get_by_label("Title").fill("Shop by department")
    page.locator("[name=rows-0-of]").select_option("department")
    page.locator("[name=rows-0-total]").fill("All")
    page.locator("[name=columns-0-take]").fill("this")
    page.locator("[name=accounts]").fill("4410 to 4499")
    page.locator("[name=page-0-of]").select_option("entity")
    page.locator("[name=page-0-default]").fill("TF")
    page.locator("[name=empty]").check()
    page.get_by_role("button", name="Look at it").click()
    expect(page.locator("#table-preview")).to_contain_text("October 2026")
    page.get_by_role("button", name="Keep it").click()
    page.goto(address + "&panel=blocks&cell=F3")
    ready(page)
    page.get_by_label("Bounded table").select_option("Shop by department")
    page.get_by_role("button", name="Place the table").click()
    expect(cell(page, "F3")).to_contain_text("Ternwick Ferries")
    shop = oracle.activity("TF", {code for code in oracle.accounts if "4410" <= code <= "4499"}, october, october)
    total = page.locator(".rgCell", has_text=re.compile("^All$")).first
    expect(total).to_be_visible()
    expect(page.locator(".rgCell.block-bottom.bold").last).to_have_text(minor(shop))


def _a_formula_by_the_guide(page: Page):
    """A formula by the guide: an argument pointed at, seen before it is written."""
    go(page, "E3")
    page.keyboard.press("Alt+f")
    page.get_by_placeholder("What should it do?").fill("balance at the end")
    expect(page.locator("dl.functions dt")).to_have_count(1)
    page.get_by_role("link", name="RULKA.CLOSING").click()
    page.get_by_label(re.compile("^Accounts")).click()
    cell(page, "B4").click()
    expect(page.get_by_label(re.compile("^Accounts"))).to_have_value("B4")
    expect(page.locator("#guide-formula")).to_have_text("=RULKA.CLOSING(B4)")
    expect(page.locator("#guide-gives")).to_have_text(re.compile(r"\d"))
    page.get_by_role("button", name="Write it into E3").click()
    expect(cell(page, "E3")).to_have_text(re.compile(r"\d|–"))


def _and_by_typing(page: Page):
    """And by typing: names are offered, references turn fixed."""
    go(page, "E4")
    page.locator("#formula").click()
    page.keyboard.type("=RULKA.ACT")
    expect(page.locator("#complete")).to_contain_text("What was booked in a time")
    page.keyboard.press("Tab")
    page.keyboard.type("B4")
    page.keyboard.press("Alt+x")
    expect(page.locator("#formula")).to_have_value("=RULKA.ACTIVITY($B$4")
    page.keyboard.type(")")
    page.keyboard.press("Enter")
    expect(cell(page, "E4")).to_have_text(re.compile(r"\d|–"))


def _a_workbook_that_stays_live(page: Page, tmp_path: Path, income):
    """A workbook that stays live."""
    page.get_by_role("button", name="Export").click()
    with page.expect_download() as download:
        page.locator("#export-live").click()
    download.value.save_as(tmp_path / "live.xlsx")
    book = openpyxl.load_workbook(tmp_path / "live.xlsx")
    assert "WEBSERVICE" in book.worksheets[0]["C4"].value and book.worksheets[0]["C9"].value.startswith("=")
    figures = openpyxl.load_workbook(tmp_path / "live.xlsx", data_only=True).worksheets[0]
    assert Decimal(str(figures["C4"].value)) == income


def _somebody_beside(page: Page, address):
    """Somebody else edits beside."""
    other = page.context.browser.new_context(
        viewport={"width": 1280, "height": 800}, base_url=page.url.split("/work")[0]
    )
    beside = other.new_page()
    sign_in(beside, "Accountant")
    beside.goto(address)
    ready(beside)
    put(beside, "E6", "from beside", "from beside")
    expect(cell(page, "E6")).to_have_text("from beside")
    expect(page.locator("#foot-said")).to_contain_text("typed into E6")
    put(page, "E7", "from here", "from here")
    expect(cell(beside, "E7")).to_have_text("from here")
    other.close()


def test_a_row_list_brought_over_and_shared(page: Page, demo_folder, tmp_path: Path):
    oracle = Oracle(demo_folder / "ledger", demo_folder / "news")
    october = (2027, 7)
    sign_in(page, "Controller")
    page.get_by_role("link", name="Worksheets").click()
    page.get_by_label("Title of the new worksheet").fill("Left of the fares")
    page.get_by_role("button", name="New worksheet").click()
    ready(page)
    address = page.url
    income = _rows_brought_over(page, oracle, october)
    _the_rest_added_and_what_is_empty_hidden(page)
    _a_bounded_table_placed(page, oracle, october, address)
    _a_formula_by_the_guide(page)
    _and_by_typing(page)
    _a_workbook_that_stays_live(page, tmp_path, income)
    _somebody_beside(page, address)
