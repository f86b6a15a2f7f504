"""An accountant's sheet from nothing: accounts, names and amounts by one formula each, budget beside, six months
dragged, another period chosen, a figure traced, an edit undone."""

from __future__ import annotations

import re
from decimal import Decimal

import pytest
from playwright.sync_api import Locator, Page, expect

from rulka.core.sheet.addresses import read_cell
from tests.browser.test_path import minor
from tests.oracle import Oracle

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]


REACHED = "at => [...document.querySelectorAll('.temp-bg-range')].some(one => one.getBoundingClientRect().right > at.x)"
"""Whether what is being dragged has come to a place."""


def cell(page: Page, at: str) -> Locator:
    """A cell of a sheet without frozen panes."""
    row, column = read_cell(at)
    where = 'revogr-data[type="rgRow"][col-type="rgCol"]'
    return page.locator(f'{where} .rgRow[data-rgrow="{row}"] .rgCell[data-rgcol="{column}"]')


def go(page: Page, at: str) -> None:
    cell(page, at).click()
    expect(page.locator("#at")).to_have_text(at)


def put(page: Page, at: str, text: str, shows: str | re.Pattern[str]) -> None:
    """Type into a cell and wait until it shows something."""
    go(page, at)
    page.keyboard.type(text)
    page.keyboard.press("Enter")
    expect(cell(page, at)).to_have_text(shows)


def drag(page: Page, last: str, to: str) -> None:
    """Drag the corner of what is chosen, which ends at `last`, to another cell."""
    own, end = cell(page, last).bounding_box(), cell(page, to).bounding_box()
    page.wait_for_function(
        "at => { const box = document.querySelector('.autofill-handle')?.getBoundingClientRect();"
        " return box && box.bottom > at.y + at.height - 8 && box.right > at.x + at.width - 8; }",
        arg=own,
    )
    handle = page.locator(".autofill-handle").bounding_box()
    page.mouse.move(handle["x"] + handle["width"] / 2, handle["y"] + handle["height"] / 2)
    page.mouse.down()
    page.mouse.move(handle["x"] + 60, handle["y"] + 4, steps=4)
    page.mouse.move(end["x"] + 20, end["y"] + 10, steps=12)
    page.mouse.move(end["x"] + 24, end["y"] + 10)
    page.wait_for_function(REACHED, arg=end)
    page.mouse.up()


def amount(value: Decimal) -> str:
    return minor(value) if value else "–"


def _parameters_in_cells(page: Page):
    """The period, the company and what it is compared with stand in cells; a period never turns into a date."""
    for at, text in (("A1", "Period"), ("B1", "2027-P07"), ("A2", "Company"), ("B2", "TF"), ("A3", "Compare with"),
                     ("B3", "budget")):  # fmt: skip
        put(page, at, text, text)


def _a_formula_a_column(page: Page, oracle, october, september):
    """One spilling formula for each column."""
    put(page, "A5", '=RULKA.LIST("accounts", "61*, 62*")', "6110")
    put(page, "B5", "=RULKA.NAME(A5#)", "Marine diesel")
    put(page, "C5", "=RULKA.OPENING(A5#, $B$1, , $B$2)", re.compile("00$|[0-9]"))
    put(page, "D5", "=RULKA.ACTIVITY(A5#, $B$1, , $B$2)", amount(oracle.activity("TF", {"6110"}, october, october)))
    put(page, "E5", "=RULKA.ACTIVITY(A5#, $B$1, $B$3, $B$2)", re.compile(r"\d"))
    put(page, "F5", "=D5#-E5#", re.compile(r"\d"))
    put(page, "G5", '=IF(E5#=0, "", F5#/ABS(E5#))', re.compile(r"0\.\d"))
    expect(cell(page, "A11")).to_have_text("6250")
    expect(cell(page, "D9")).to_have_text(amount(oracle.activity("TF", {"6220"}, october, october)))
    expect(cell(page, "C6")).to_have_text(amount(oracle.activity("TF", {"6120"}, (2027, 1), september)))


def _looks_and_choices(page: Page):
    """Percent by the panel, a choice list for what is compared."""
    go(page, "G5")
    page.get_by_role("link", name="Cell", exact=True).click()
    page.get_by_label("Number").select_option("0.0%")
    expect(cell(page, "G5")).to_have_text(re.compile(r"^[−\d.]+%$"))
    go(page, "B3")
    page.get_by_text("Choice list, name, spanning").click()
    page.locator("#choices-form input").fill("budget; revised; forecast")
    page.get_by_role("button", name="Offer them").click()
    expect(cell(page, "B3")).to_contain_text("▾")
    before = cell(page, "E5").inner_text()
    put(page, "B3", "revised", re.compile("^revised"))
    expect(cell(page, "E5")).not_to_have_text(before)
    put(page, "B3", "budget", re.compile("^budget"))
    expect(cell(page, "E5")).to_have_text(before)


def _six_months_dragged(page: Page, oracle):
    """Six months, dragged: periods go on, references shift."""
    put(page, "A14", "6110", "6110")
    put(page, "B13", "2027-P02", "2027-P02")
    put(page, "B14", "=RULKA.ACTIVITY($A14, B$13, , $B$2)", re.compile(r"\d"))
    cell(page, "B13").click()
    page.keyboard.down("Shift")
    cell(page, "B14").click()
    page.keyboard.up("Shift")
    drag(page, "B14", "G14")
    expect(cell(page, "G13")).to_have_text("2027-P07")
    for column, number in zip("BCDEFG", range(2, 8), strict=True):
        expect(cell(page, f"{column}14")).to_have_text(
            amount(oracle.activity("TF", {"6110"}, (2027, number), (2027, number)))
        )


def _copied(page: Page):
    """Copied cells shift what isn't fixed; what comes from elsewhere is data, never a formula."""
    put(page, "C16", "=B16+$A$14", re.compile("6110"))
    page.context.grant_permissions(["clipboard-read", "clipboard-write"])
    go(page, "C16")
    page.keyboard.press("Control+c")
    go(page, "C17")
    page.keyboard.press("Control+v")
    expect(cell(page, "C17")).to_have_text("6110")
    go(page, "C17")
    expect(page.locator("#formula")).to_have_value("=B17+$A$14")
    page.evaluate("navigator.clipboard.writeText('2026-10\\t=1+1\\n1 234.50\\tx')")
    go(page, "C18")
    page.keyboard.press("Control+v")
    expect(cell(page, "D18")).to_have_text("=1+1")
    expect(cell(page, "C18")).to_have_text("2026-10")
    expect(cell(page, "C19")).to_have_text("1234.5")


def _a_parameter_stepped(page: Page, oracle, september):
    """The period becomes a parameter and is stepped in the panel."""
    go(page, "B1")
    page.get_by_role("link", name="Cell", exact=True).click()
    page.get_by_text("Make it a parameter").click()
    page.locator("#parameter-form").get_by_label("Title").fill("Period")
    page.get_by_role("button", name="Make it one").click()
    expect(cell(page, "B1")).to_have_class(re.compile("parameter"))
    page.get_by_role("link", name="Parameters", exact=True).click()
    page.locator("#panel").get_by_label("Former Period").click()
    expect(cell(page, "B1")).to_have_text("2027-P06")
    fuel = oracle.activity("TF", {"6110"}, september, september)
    expect(cell(page, "D5")).to_have_text(amount(fuel))
    return fuel


def _traced(page: Page):
    """A figure that a formula elsewhere filled is traced to the journal line."""
    go(page, "D6")
    page.keyboard.press("Enter")
    panel = page.locator("#panel")
    expect(panel.locator("h2")).to_have_text("D6")
    panel.get_by_role("link", name="activity of 6120").click()
    # one account and one period stand behind it: the lines show at once
    expect(panel).to_contain_text("agree with the figure")
    panel.locator("a.line-entry").first.click()
    expect(panel).to_contain_text("the entry balances")


def _undone_and_loaded_again(page: Page, fuel):
    """An edit is undone, and all is there after loading again."""
    go(page, "A3")
    page.keyboard.press("Delete")
    expect(cell(page, "A3")).to_have_text("")
    page.keyboard.press("Control+z")
    expect(cell(page, "A3")).to_have_text("Compare with")
    page.reload()
    page.locator("revo-grid[data-ready]").wait_for()
    expect(cell(page, "D5")).to_have_text(amount(fuel))
    expect(cell(page, "G13")).to_have_text("2027-P07")
    go(page, "B2")
    page.keyboard.type("TX")
    page.keyboard.press("Enter")
    expect(cell(page, "D5")).to_have_text("#N/A")
    expect(page.locator("#foot-error")).to_contain_text("errors")
    expect(cell(page, "D5")).to_have_attribute("title", re.compile("Argument node"))


def test_a_sheet_from_nothing(page: Page, demo_folder):
    oracle = Oracle(demo_folder / "ledger", demo_folder / "news")
    october, september = (2027, 7), (2027, 6)
    page.goto("/sign-in/")
    page.get_by_role("button", name="Accountant").click()
    page.get_by_role("link", name="Worksheets").click()
    expect(page.get_by_role("link", name="Month pack, six months")).to_be_visible()
    page.get_by_label("Title of the new worksheet").fill("Costs of fuel and ports")
    page.get_by_role("button", name="New worksheet").click()
    page.locator("revo-grid[data-ready]").wait_for()
    expect(page.get_by_role("heading", name="Costs of fuel and ports")).to_be_visible()
    _parameters_in_cells(page)
    _a_formula_a_column(page, oracle, october, september)
    _looks_and_choices(page)
    _six_months_dragged(page, oracle)
    _copied(page)
    fuel = _a_parameter_stepped(page, oracle, september)
    _traced(page)
    _undone_and_loaded_again(page, fuel)
