"""An extract is composed, its rows looked at, its questions asked and answered; it is run, reshaped with a pivot, run
again for another month by key, and opened from an account's page."""

from __future__ import annotations

import openpyxl
import pytest
from playwright.sync_api import Page, expect

from rulka.extracts.models import Extract, ExtractRun
from rulka.extracts.output import making
from tests.browser.test_variances import another

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]
WHERE = "ledger=ternwick&period=2027-P07&node=TF"


def made() -> ExtractRun:
    """The run that waits, made as the worker does."""
    run = ExtractRun.objects.filter(state="waiting").latest("pk")
    making.make(run.pk)
    run.refresh_from_db()
    assert run.state == "ready", run.problem
    return run


def _composed(page: Page):
    """Compose: fields several at once, found by typing, a condition, a question of one's own."""
    page.keyboard.press("f")
    page.keyboard.type("counterparty n")
    page.get_by_role("checkbox", name="Counterparty name").check()
    expect(page.get_by_role("columnheader", name="Counterparty name")).to_be_visible()
    page.locator("#find-field").fill("")
    page.get_by_role("checkbox", name="Account name").uncheck()
    page.get_by_role("checkbox", name="Crossing", exact=True).check()
    expect(page.get_by_role("columnheader", name="Crossing")).to_be_visible()
    expect(page.get_by_role("columnheader", name="Account name")).to_have_count(0)
    page.locator("#add-condition").click()
    page.locator("#condition-field").select_option("account")
    page.locator("#condition-words").fill("61xx")
    page.locator("#keep-condition").click()
    expect(page.locator(".hints")).to_contain_text("'61xx' matches no account; did you mean 61*?")
    expect(page.locator("#no-rows")).to_be_visible()
    page.locator(".chip.cond summary", has_text="61xx").click()
    page.get_by_label("account is").fill("61*")
    page.get_by_role("button", name="Change", exact=True).click()
    expect(page.locator("#row-count")).not_to_have_text("0 rows")
    page.get_by_role("link", name="Ask").click()
    page.locator("#new-question").click()
    form = page.locator("details.question", has=page.locator("#new-question"))
    form.get_by_label("Name").fill("currency")
    form.get_by_label("Without an answer").fill("EUR")
    form.get_by_label("Type").select_option("text")
    form.get_by_role("button", name="Add").click()
    expect(page.locator(".chip.asks", has_text="Currency")).to_be_visible()
    page.locator("#add-condition").click()
    page.locator("#condition-field").select_option("currency")
    page.locator("#condition-words").fill("{currency}")
    page.locator("#keep-condition").click()
    expect(page.locator(".sums td.n").first).to_be_visible()
    expect(page.locator(".sums")).not_to_contain_text("SEK")


def _a_bad_answer(page: Page):
    """A bad answer says which, and loses nothing."""
    page.get_by_label("Period*").fill("soon")
    page.get_by_label("Period*").press("Enter")
    expect(page.locator("#refused")).to_contain_text("Period: 'soon' is not a period")
    page.get_by_label("Period*").fill("ytd this")
    page.get_by_label("Period*").press("Enter")
    expect(page.locator("#refused")).to_have_count(0)


def _run_and_taken(page: Page, tmp_path):
    """Run, and take the file."""
    page.locator("#run").click()
    expect(page.locator("#runs")).to_contain_text("waits its turn")
    run = made()
    expect(page.locator("#runs .file").first).to_be_visible()
    with page.expect_download() as taken:
        page.locator("#runs .file").first.click()
    taken.value.save_as(tmp_path / "rows.xlsx")
    book = openpyxl.load_workbook(tmp_path / "rows.xlsx", data_only=True)
    assert book["Fuel bills"]["A1"].value == f"Sum of {run.rows} rows"
    return run


def _reshaped(page: Page):
    """Reshape: a layout with a pivot, looked at before it is run."""
    page.get_by_role("link", name="Layout").click()
    page.locator("#layout-name").fill("By supplier")
    page.locator("#pivot-down").select_option("counterparty name")
    page.locator("#pivot-across").select_option("crossing")
    page.locator("#pivot-value").select_option("amount")
    page.locator("#keep-layout").click()
    expect(page.locator("table.pivot tbody th").first).to_be_visible()
    expect(page.locator("#layout")).to_have_value("By supplier")


def _the_month_before(page: Page, run):
    """The month before, and what was run last run again by key; its layout is the new one once it is run so."""
    page.locator("#run").click()
    expect(page.locator("#runs")).to_contain_text("waits its turn")
    second = made()
    assert second.layout == "By supplier" and second.rows == run.rows
    expect(page.locator("#runs .file")).to_have_count(2)
    page.locator("#panel").click()
    page.keyboard.press(",")
    expect(page.locator(".period .now b")).to_have_text("September 2026")
    page.get_by_role("link", name="Runs").click()
    expect(page.locator("#again")).to_be_visible()
    page.wait_for_load_state()
    page.keyboard.press("a")
    expect(page.locator("#runs")).to_contain_text("waits its turn")
    third = made()
    assert (third.period, third.layout) == ("2027-P06", "By supplier") and third.rows < second.rows
    expect(page.locator("#runs .file").first).to_contain_text("2027-P06")
    boxes = page.locator("#runs input[type=checkbox]")
    boxes.nth(0).check()
    boxes.nth(1).check()
    page.locator("#compare").click()
    expect(page.locator("#compared-counts")).to_contain_text(f"{second.rows - third.rows} gone")


def _from_an_account(page: Page):
    """From an account's page, with the account as the answer."""
    page.goto(f"/ledger/accounts/?{WHERE}&account=6110")
    page.locator(".offered summary").click()
    page.get_by_role("link", name="Manual entries").click()
    expect(page.get_by_role("heading", name="Manual entries", level=1)).to_be_visible()
    expect(page.locator(".chip.asks", has_text="Accounts").locator("input")).to_have_value("6110")


def test_an_extract_from_its_making_to_another_month(page: Page, browser, live_server, tmp_path):
    page = another(browser, live_server, "Accountant")
    page.goto(f"/extracts/?{WHERE}")
    expect(page.get_by_role("heading", name="For the auditor")).to_be_visible()
    page.get_by_label("Title of the new extract").fill("Fuel bills")
    page.get_by_role("button", name="New extract").click()
    expect(page.get_by_role("heading", name="Fuel bills", level=1)).to_be_visible()
    expect(page.locator("#row-count")).to_have_text("1487 rows")  # the month, as its first question is answered
    assert Extract.objects.get(name="fuel-bills").body["ask"][0]["ask"] == "period"
    _composed(page)
    _a_bad_answer(page)
    run = _run_and_taken(page, tmp_path)
    _reshaped(page)
    _the_month_before(page, run)
    _from_an_account(page)


def changed_in_a_workbook(path, last):
    """What a person does in their own program: a sheet of sums, a chart, looks on the rows."""
    book = openpyxl.load_workbook(path)
    sheet = book.create_sheet("Summary", 0)
    sheet["A1"], sheet["B1"] = "Spent", f"=SUM('Supplier spend'!E3:E{last})"
    sheet["A2"], sheet["B2"] = "Invoices", f"=COUNTA('Supplier spend'!D3:D{last})"
    chart = openpyxl.chart.BarChart()
    chart.add_data(openpyxl.chart.Reference(book["Supplier spend"], min_col=5, min_row=3, max_row=last))
    sheet.add_chart(chart, "D2")
    for at in range(3, last + 1):
        book["Supplier spend"].cell(at, 3).font = openpyxl.styles.Font(bold=True)
    book.save(path)


def _one_changed_by_hand_refused(page: Page, tmp_path, run, file):
    """A cell of the rows changed by hand: refused with where, and nothing is kept."""
    changed_in_a_workbook(file, run.rows + 2)
    book = openpyxl.load_workbook(file)
    book["Supplier spend"]["E4"] = 1
    book.save(tmp_path / "Wrong.xlsx")
    page.locator("#as-template").click()
    page.locator("#template-file").set_input_files(tmp_path / "Wrong.xlsx")
    page.locator("#upload-template").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Wrong.xlsx was not taken")
    expect(page.locator("#problems tbody tr").first).to_contain_text("Supplier spend!E4")


def _the_right_one_linked(page: Page, run, file):
    """The right one: what is linked, what would grow; one range is left as it is."""
    page.get_by_label("Workbook").set_input_files(file)
    page.locator("#upload-template").click()
    expect(page.locator("#linked")).to_contain_text("Sheets of your own: Summary")
    expect(page.locator("#ranges tbody tr")).to_have_count(3)
    expect(page.locator("#ranges")).to_contain_text(f"SUM('Supplier spend'!E3:E{run.rows + 3})")
    page.get_by_role("checkbox", name="Summary!B2 grows").uncheck()
    page.locator("#template-name").fill("My review")
    page.locator("#keep-template").click()
    expect(page.locator("#layout")).to_have_value("My review")
    expect(page.locator("#template")).to_contain_text("My review.xlsx, version 1")


def _another_month_in_it(page: Page, tmp_path, run):
    """Another month by the same key: the same workbook with that month's rows."""
    page.locator("#panel").click()
    page.keyboard.press(",")
    expect(page.locator(".period .now b")).to_have_text("September 2026")
    page.locator("#run").click()
    expect(page.locator("#runs")).to_contain_text("waits its turn")
    second = made()
    assert second.layout == "My review" and second.rows != run.rows
    expect(page.locator("#runs .file")).to_have_count(2)
    with page.expect_download() as taken:
        page.locator("#runs .file").first.click()
    taken.value.save_as(tmp_path / "september.xlsx")
    book = openpyxl.load_workbook(tmp_path / "september.xlsx")
    assert book["Summary"]["B1"].value == f"=SUM('Supplier spend'!E3:E{second.rows + 2})"
    assert book["Summary"]["B2"].value == f"=COUNTA('Supplier spend'!D3:D{run.rows + 2})"
    assert book["Supplier spend"].max_row == second.rows + 2 and book["Supplier spend"].cell(9, 3).font.bold
    assert len(book["Summary"]._charts) == 1


def _back_to_the_original(page: Page):
    """The original is one step away."""
    page.get_by_role("link", name="Layout").click()
    page.locator("#original").click()
    expect(page.locator("#layout")).to_have_value("By supplier")
    expect(page.locator("#layoutform")).to_be_visible()


def _a_query_published(page: Page, browser, live_server):
    """An administrator tries a query and publishes it."""
    admin = another(browser, live_server, "Administrator")
    admin.goto(f"/extracts/?{WHERE}")
    admin.locator("#queries").click()
    admin.locator("#new-query").click()
    admin.locator("#query-title").fill("Accounts used")
    admin.locator("#try").click()
    expect(admin.locator("#tried tbody tr").first).to_be_visible()
    admin.locator("#keep").click()
    expect(admin.get_by_role("heading", name="Accounts used", level=1)).to_be_visible()
    page.goto(f"/extracts/?{WHERE}")
    page.locator("#new-rows").select_option("query accounts-used")
    page.get_by_label("Title of the new extract").fill("Of accounts used")
    page.get_by_role("button", name="New extract").click()
    expect(page.locator("#row-count")).not_to_have_text("0 rows")


def test_a_workbook_of_ones_own_becomes_a_layout_that_is_filled_each_month(page: Page, browser, live_server, tmp_path):
    page = another(browser, live_server, "Accountant")
    page.goto(f"/extracts/supplier-spend/?{WHERE}&a-period=this&tab=layout")
    page.locator("#layout").select_option("Each crossing")
    expect(page.locator("#layout")).to_have_value("Each crossing")
    page.goto(f"/extracts/supplier-spend/?{WHERE}&a-period=this&tab=layout&layout=By supplier")
    page.locator("#run").click()
    expect(page.locator("#runs")).to_contain_text("waits its turn")
    run = made()
    with page.expect_download() as taken:
        page.locator("#runs .file").first.click()
    file = tmp_path / "My review.xlsx"
    taken.value.save_as(file)
    _one_changed_by_hand_refused(page, tmp_path, run, file)
    _the_right_one_linked(page, run, file)
    _another_month_in_it(page, tmp_path, run)
    _back_to_the_original(page)
    _a_query_published(page, browser, live_server)
