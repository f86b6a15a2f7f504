"""One accountant's task from start to end, in a real browser."""

from __future__ import annotations

import io
from decimal import Decimal

import openpyxl
import pytest
from playwright.sync_api import Page, expect
from pypdf import PdfReader

from tests.oracle import Oracle

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]


def cell(page: Page, row: str, column: str):
    return page.locator(f'tr[data-row="{row}"] a[data-column="{column}"]')


def shown(value: Decimal) -> str:
    """A figure in thousands with one decimal, as the page writes it."""
    text = f"{abs(value) / 1000:,.1f}".replace(",", "\u00a0")
    return f"\u2212{text}" if value < 0 else text


def minor(value: Decimal) -> str:
    text = f"{abs(value):,.2f}".replace(",", "\u00a0")
    return f"\u2212{text}" if value < 0 else text


def _opened(page: Page, fuel_codes, october, fuel):
    """Sign in, open the income statement."""
    page.goto("/sign-in/")
    page.get_by_role("button", name="Accountant").click()
    page.get_by_role("link", name="Income statement", exact=True).click()
    expect(page.get_by_role("heading", name="Income statement")).to_be_visible()
    expect(cell(page, "fuel", "actual")).to_have_text(shown(fuel(fuel_codes, october)))


def _stepped_back(page: Page, fuel_codes, september, fuel):
    """Step a period back by its key, without a new page, and on again."""
    page.evaluate("window.same = true")
    page.keyboard.press(",")
    expect(page.locator(".period .now")).to_contain_text("September 2026")
    expect(cell(page, "fuel", "actual")).to_have_text(shown(fuel(fuel_codes, september)))
    assert page.evaluate("window.same") and "period=2027-P06" in page.url
    page.keyboard.press(".")
    expect(page.locator(".period .now")).to_contain_text("October 2026")


def _a_selection_changed(page: Page, fuel_codes, october, fuel):
    """Change a selection: the whole statement is right again, the footing too."""
    with_power = {*fuel_codes, "6815"}
    expect(page.locator("#foot")).to_contain_text("6815 Shore power (14\u00a0025.00) is not")
    page.locator('tr[data-row="fuel"] th a').click()
    page.get_by_label("Accounts", exact=True).fill("6110 to 6199, 6815")
    page.get_by_label("Accounts", exact=True).press("Enter")
    page.get_by_role("button", name="Change all 5").click()
    expect(cell(page, "fuel", "actual")).to_have_text(shown(fuel(with_power, october)))
    expect(page.locator("#foot")).to_contain_text("Foots")
    page.reload()
    expect(cell(page, "fuel", "actual")).to_have_text(shown(fuel(with_power, october)))


def _undone(page: Page, fuel_codes, october, fuel):
    """Undo."""
    page.keyboard.press("Control+z")
    expect(cell(page, "fuel", "actual")).to_have_text(shown(fuel(fuel_codes, october)))
    expect(page.locator("#foot")).to_contain_text("6815 Shore power (14\u00a0025.00) is not")


def _traced_by_keyboard(page: Page, fuel_codes, october, fuel):
    """Trace by keyboard: figure, accounts, periods, lines, entry with its document."""
    cell(page, "vehicles", "actual").focus()
    for key in ("ArrowDown", "ArrowUp", "ArrowRight", "ArrowLeft"):
        page.keyboard.press(key)
    cell(page, "fuel", "actual").focus()
    page.keyboard.press("Enter")
    expect(page.locator("#panel .big")).to_contain_text(minor(fuel(fuel_codes, october)))
    expect(page.locator("#panel .agrees")).to_have_text("agrees with the figure")
    page.get_by_role("link", name="6110 Marine diesel").click()
    expect(page.locator("#panel .big")).to_contain_text(minor(fuel({"6110"}, october)))
    expect(page.locator("#panel .agrees")).to_have_text("the lines agree with the figure")
    page.get_by_label("Filter the lines").fill("Sound Oil")
    page.get_by_role("button", name="Filter").click()
    expect(page.locator("#panel tfoot")).to_contain_text("that fit the filter")
    page.locator("a.line-entry").first.click()
    expect(page.locator("#panel .facts")).to_contain_text("Sound Oil")
    expect(page.locator("#panel .facts")).to_contain_text("I-")
    expect(page.locator("#panel .agrees")).to_have_text("the entry balances")


def _taken_away(page: Page, oracle, fuel_codes, october, fuel):
    """Take both files away; the workbook's figures are the ledger's."""
    page.get_by_role("button", name="Export").click()
    with page.expect_download() as workbook:
        page.get_by_role("link", name="Workbook (.xlsx)").click()
    sheet = openpyxl.load_workbook(io.BytesIO(workbook.value.path().read_bytes()), data_only=True).active
    figures = {row[0].value: [c.value for c in row[1:]] for row in sheet.iter_rows() if row[0].value}
    assert Decimal(str(figures["Fuel"][0])) == fuel(fuel_codes, october)
    income = -oracle.activity("TF", oracle.between("4000", "4999"), october, october)
    assert Decimal(str(figures["Total income"][0])) == income
    budget = -oracle.budget("budget", "TF", fuel_codes, october, october)
    assert Decimal(str(figures["Fuel"][2])) == fuel(fuel_codes, october) - budget
    assert abs(figures["Fuel"][3] - float((fuel(fuel_codes, october) - budget) / abs(budget))) < 1e-12
    if not page.get_by_role("link", name="PDF").is_visible():
        page.get_by_role("button", name="Export").click()
    with page.expect_download() as paper:
        page.get_by_role("link", name="PDF").click()
    text = PdfReader(io.BytesIO(paper.value.path().read_bytes())).pages[0].extract_text()
    assert "Income statement" in text and shown(fuel(fuel_codes, october)) in text and "Page 1 of" in text


def test_from_sign_in_to_the_downloaded_workbook(page: Page, demo_folder):
    oracle = Oracle(demo_folder / "ledger", demo_folder / "news")
    fuel_codes, october, september = oracle.between("6110", "6199"), (2027, 7), (2027, 6)

    def fuel(codes, at):
        return -oracle.activity("TF", codes, at, at)

    _opened(page, fuel_codes, october, fuel)
    _stepped_back(page, fuel_codes, september, fuel)
    _a_selection_changed(page, fuel_codes, october, fuel)
    _undone(page, fuel_codes, october, fuel)
    _traced_by_keyboard(page, fuel_codes, october, fuel)
    _taken_away(page, oracle, fuel_codes, october, fuel)


def expect_focus(page: Page, where: str) -> None:
    """Wait until the focus is in the panel, or on a figure of the column named; it moves once a fragment has
    settled."""
    page.wait_for_function(
        "where => (document.activeElement.closest('#panel') ? 'panel' : document.activeElement.dataset.column) === "
        "where",
        arg=where,
        timeout=30_000,
    )


def _edited_by_keyboard(page: Page):
    """Edit the line under the focus, and come back to its figure."""
    cell(page, "fuel", "actual").focus()
    page.keyboard.press("e")
    field = page.get_by_label("Accounts", exact=True)
    expect(page.get_by_label("Label", exact=True)).to_be_focused()
    page.keyboard.press("Enter")
    expect(field).to_be_focused()
    field.press("Control+a")
    field.press_sequentially("6110 to ")
    expect(page.locator("#note-accounts")).to_contain_text("expected the code that ends the range")  # while it is typed
    expect(cell(page, "fuel", "actual")).to_have_text("\u2212376.7")  # the last good figures stay
    field.press("Control+a")
    field.press_sequentially("6110")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Change all 5").press("Enter")
    expect(page.locator("#panel .done")).to_have_text("Fuel: accounts to 6110.")
    field.press("Escape")
    expect(cell(page, "fuel", "actual")).to_be_focused()
    page.keyboard.press("Control+z")
    expect(page.locator("#panel .done")).to_contain_text("Undone")


def _letters_in_fields(page: Page):
    """Single letters do nothing in fields."""
    expect(cell(page, "fuel", "actual")).to_be_focused()
    page.keyboard.press("e")
    expect(page.get_by_label("Label", exact=True)).to_be_focused()
    page.keyboard.press(",")
    expect(page.locator(".period .now")).to_contain_text("October 2026")
    page.keyboard.press("Escape")  # leaves the label as it was


def _traced_and_back(page: Page):
    """Trace, go on into it, and come back."""
    cell(page, "fuel", "budget").focus()
    page.keyboard.press("Enter")
    expect(page.locator("#panel .big")).to_be_visible()
    page.keyboard.press("Enter")
    expect_focus(page, "panel")
    page.keyboard.press("Enter")
    expect(page.locator("#panel .crumbs")).to_contain_text("6110")
    expect_focus(page, "panel")
    page.keyboard.press("Escape")
    expect_focus(page, "budget")


def _letters_off(page: Page):
    """The list of keys, and switching single letters off."""
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_be_visible()
    page.get_by_role("dialog").get_by_role("link", name="My settings").press("Enter")
    page.get_by_label("single letters are keys").uncheck()
    page.get_by_role("button", name="Keep").press("Enter")
    expect(page.locator("body[data-letters=off]")).to_have_count(1)
    page.goto("/ledger/trial-balance/?ledger=ternwick&period=2027-P07&node=TF")
    page.keyboard.press(",")
    expect(page.locator(".period .now")).to_contain_text("October 2026")


def test_keyboard_alone_edits_traces_and_comes_back(page: Page):
    page.goto("/sign-in/")
    page.get_by_role("button", name="Accountant").press("Enter")
    page.get_by_role("link", name="Income statement", exact=True).press("Enter")
    expect(page.locator("a.figure[tabindex='0']")).to_have_count(1)
    _edited_by_keyboard(page)
    _letters_in_fields(page)
    _traced_and_back(page)
    _letters_off(page)


def test_refused_fragment_is_told_in_an_alert(page: Page):
    from rulka.people.models import Access

    page.goto("/sign-in/")
    page.get_by_role("button", name="Accountant").click()
    page.get_by_role("link", name="Balance sheet", exact=True).click()
    expect(page.locator("a.figure[tabindex='0']")).to_have_count(1)
    page.wait_for_load_state()
    Access.objects.all().delete()
    with page.expect_response(lambda response: response.status == 404):
        page.keyboard.press(",")
    expect(page.get_by_role("alert")).to_contain_text("You have no ledger yet")
    expect(page.get_by_role("heading", name="Balance sheet")).to_be_visible()
