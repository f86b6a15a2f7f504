"""The statement as its own editor, in a real browser: choose, change, move, merge, copy, share, collide, keep, print,
take away."""

from __future__ import annotations

import io
import json
import re
from contextlib import suppress

import openpyxl
import pytest
from django.core.management import call_command
from playwright.sync_api import Page, TimeoutError, expect
from pypdf import PdfReader

from rulka.statements.models import Definition, Edit

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]
WHERE = "?period=2027-P07&node=TF"


WHOLE = """() => htmx.ajax("POST", document.getElementById("work").dataset.edit, { source: "#sender", values: {
  do: "statement-change", path: "figures.decimals", value: "0",
  ...Object.fromEntries(new FormData(document.getElementById("stamp"))) } })"""


@pytest.fixture(autouse=True)
def signed_in(page: Page):
    page.goto("/sign-in/")
    page.get_by_role("button", name="Accountant").click()
    expect(page.get_by_role("heading", name="Waits for you")).to_be_visible()
    page.get_by_role("link", name="Statements", exact=True).click()
    expect(page.get_by_role("heading", name="Statements", exact=True)).to_be_visible()


def open_statement(page: Page, name: str, more: str = "") -> None:
    page.goto(f"/statements/{name}/{WHERE}{more}")
    expect(page.locator("#figures")).to_be_attached()


def label(page: Page, row: str):
    return page.locator(f'tr[data-row="{row}"] a.label')


def done(page: Page, told: str) -> None:
    expect(page.locator("#panel .done")).to_have_text(told)


def labels(page: Page) -> list[str]:
    return page.locator("#figures tbody a.label").all_inner_texts()


def _a_line_added(page: Page):
    """A line of its own, with an account that another one has too."""
    label(page, "receivables").focus()
    page.keyboard.press("n")
    done(page, "New line added.")
    page.keyboard.type("Deposits")
    page.keyboard.press("Enter")
    done(page, "New line: Deposits.")
    expect(page.get_by_label("Accounts", exact=True)).to_be_focused()
    expect(page.locator('tr[data-row="new-line"] .plus.warning')).to_have_attribute(
        "title", "It selects no accounts yet"
    )
    page.keyboard.type("1540")
    page.keyboard.press("Enter")
    done(page, "Deposits: accounts to 1540.")
    expect(page.locator('tr[data-row="new-line"] .plus.twice')).to_be_visible()  # 1540 stands in Receivables too


def test_lines_are_added_moved_enclosed_merged_and_undone_by_key(page: Page):
    open_statement(page, "balance-sheet")
    before = labels(page)
    _a_line_added(page)
    page.keyboard.press("Escape")
    expect(label(page, "new-line")).to_be_focused()
    page.keyboard.press("Alt+ArrowUp")
    done(page, "Deposits moved up.")
    page.keyboard.press("Shift+ArrowDown")
    expect(page.get_by_role("heading", name="2 lines")).to_be_visible()
    page.keyboard.press("g")
    done(page, "Deposits, Receivables put into a section.")
    page.keyboard.type("Owed to us")
    page.keyboard.press("Enter")
    done(page, "New section: Owed to us.")
    assert "Total owed to us" in labels(page)
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    done(page, "Undone: New section: Owed to us.")
    page.keyboard.press("Control+z")
    done(page, "Undone: Deposits, Receivables put into a section.")
    page.keyboard.press("Control+Shift+z")
    done(page, "Done again: Deposits, Receivables put into a section.")
    for told in (
        "Deposits, Receivables put into a section",
        "Deposits moved up",
        "Deposits: accounts to 1540",
        "New line: Deposits",
        "New line added",
    ):
        page.keyboard.press("Control+z")
        done(page, f"Undone: {told}.")
    assert labels(page) == before


def test_lines_are_dragged_and_chosen_by_mouse(page: Page):
    open_statement(page, "key-results")
    rows = labels(page)
    label(page, page.locator("tr[data-row]").nth(1).get_attribute("data-row")).drag_to(
        label(page, page.locator("tr[data-row]").nth(0).get_attribute("data-row"))
    )
    expect(page.locator("#panel .done")).to_contain_text(f"{rows[1]} moved")
    page.locator("#figures a.label").nth(0).click()
    page.locator("#figures a.label").nth(1).click(modifiers=["Control"])
    expect(page.get_by_role("heading", name="2 lines")).to_be_visible()


def test_lines_are_copied_to_another_statement_and_rows_of_a_spreadsheet_pasted(page: Page):
    page.context.grant_permissions(["clipboard-read", "clipboard-write"])
    open_statement(page, "balance-sheet")
    label(page, "payables").focus()
    page.keyboard.press("Control+c")
    expect(page.locator("#alert .done")).to_have_text("The line is copied.")
    assert page.evaluate("navigator.clipboard.readText()") == "Payables\t2210 to 2299"
    open_statement(page, "key-results")
    page.locator("#figures a.label").last.focus()
    page.keyboard.press("Control+v")
    expect(page.locator("#panel .done")).to_contain_text("added.")
    assert "Payables" in labels(page)
    page.evaluate("navigator.clipboard.writeText('Deck\\n  Wages on deck\\t5010 5020\\n  Nobody knows\\t99\\n')")
    page.locator("#figures a.label").last.focus()
    page.keyboard.press("Control+v")
    expect(page.locator("#panel .done")).to_contain_text("'99' names no account of this ledger")
    shown = labels(page)
    assert shown[shown.index("Deck") + 1 :][:2] == ["Wages on deck", "Nobody knows"] and "Total deck" in shown


def test_columns_are_copied_to_another_statement(page: Page):
    page.context.grant_permissions(["clipboard-read", "clipboard-write"])
    open_statement(page, "balance-sheet")
    heads = page.locator("#figures a.head-link")
    heads.nth(1).focus()
    page.keyboard.press("Control+c")
    expect(page.locator("#alert .done")).to_have_text("The column is copied.")
    open_statement(page, "outlook")
    count = heads.count()
    heads.last.focus()
    page.keyboard.press("Control+v")
    expect(page.locator("#panel .done")).to_contain_text("pasted.")
    expect(heads).to_have_count(count + 1)
    expect(page.locator('a.head-link[data-written="prior-year-end"]')).to_be_focused()


def test_accounts_are_picked_by_key_and_text_and_picker_stay_in_step(page: Page):
    open_statement(page, "balance-sheet")
    label(page, "prepaid-costs").focus()
    page.keyboard.press("a")
    expect(page.locator("#pick-search")).to_be_focused()
    page.keyboard.type("receivables")
    expect(page.locator("#pick-count")).to_contain_text("7 listed")
    page.get_by_role("checkbox", name="1540 Other receivables", exact=True).focus()
    page.keyboard.press("Space")
    expect(page.locator("#set-accounts")).to_have_value("1610 to 1699, 1540")
    page.get_by_role("checkbox", name="1590 Allowance for doubtful debts", exact=True).focus()
    page.keyboard.press("Shift+Space")
    expect(page.locator("#set-accounts")).to_have_value("1610 to 1699, 1540, 1540 to 1590")
    expect(page.get_by_role("checkbox", name="1550 Input tax recoverable", exact=True)).to_be_checked()
    page.locator("#set-accounts").fill("1610 to 1699")
    page.locator("#set-accounts").press("Enter")
    expect(page.get_by_role("checkbox", name="1550 Input tax recoverable", exact=True)).not_to_be_checked()
    page.get_by_role("checkbox", name="1500 Receivables", exact=True).focus()
    page.keyboard.press("+")
    expect(page.locator("#set-accounts")).to_have_value("1610 to 1699, under:1500")


def test_unplaced_account_is_placed_with_one_key_and_the_question_about_sharing(page: Page):
    open_statement(page, "income-statement")
    expect(page.locator('tr[data-row="office-and-systems"] .plus.unplaced')).to_have_text("+1")
    page.locator("a.figure").first.focus()
    page.keyboard.press("+")
    expect(page.get_by_text("is used by 5 statements", exact=False)).to_be_visible()
    page.get_by_role("button", name="Make this one's own copy").click()
    done(page, "6815 Shore power placed in Office and systems.")
    expect(page.locator("#foot")).to_contain_text("Foots: every check holds")
    page.goto(f"/statements/income-by-month/{WHERE}")
    expect(page.locator("#foot")).to_contain_text("6815 Shore power")


def test_two_people_at_once_lose_nothing(page: Page, browser, live_server):
    open_statement(page, "balance-sheet", "&panel=line&row=payables&lines=payables")
    other = browser.new_context(base_url=live_server.url).new_page()
    other.goto("/sign-in/")
    other.get_by_role("button", name="Controller").click()
    open_statement(other, "balance-sheet", "&panel=line&row=receivables&lines=receivables")
    other.get_by_label("Label", exact=True).fill("Customers")
    other.get_by_label("Label", exact=True).press("Enter")
    done(other, "Receivables: Customers.")
    page.get_by_label("Label", exact=True).fill("Suppliers")
    page.get_by_label("Label", exact=True).press("Enter")
    expect(page.get_by_role("heading", name="Somebody was quicker")).to_be_visible()
    expect(page.locator("#panel")).to_contain_text("Receivables: Customers")
    page.get_by_role("button", name="Save mine as a copy").click()
    expect(page.get_by_role("heading", name="Balance sheet, my copy")).to_be_visible()
    assert "Suppliers" in labels(page) and "Receivables" in labels(page) and "Customers" not in labels(page)
    open_statement(page, "balance-sheet")
    assert "Customers" in labels(page) and "Payables" in labels(page)
    other.context.close()


def test_columns_are_added_moved_and_given_one_heading_by_key(page: Page):
    open_statement(page, "balance-sheet")
    heads = page.locator("#figures a.head-link")
    page.locator("a.figure").first.focus()
    for _ in range(3):  # past the two headings of sections
        page.keyboard.press("ArrowUp")
    expect(heads.first).to_be_focused()
    page.keyboard.press("Shift+ArrowRight")
    expect(page.get_by_role("heading", name="2 columns")).to_be_visible()
    page.get_by_label("One heading over them").fill("Balances")
    page.get_by_label("One heading over them").press("Enter")
    expect(page.locator("tr.groups th").filter(has_text="Balances")).to_be_visible()
    heads.last.focus()
    page.keyboard.press("n")
    expect(page.locator("#panel .done")).to_contain_text("added.")
    page.get_by_label("Kind", exact=True).select_option("percent")
    done(page, "Column figures is a percent column now.")
    page.get_by_label("Heading", exact=True).fill("Change in %")
    page.get_by_label("Heading", exact=True).press("Enter")
    expect(heads.last).to_have_text("Change in %")
    heads.last.focus()
    page.keyboard.press("Delete")
    expect(page.locator("#panel .done")).to_contain_text("deleted.")


def test_nodes_are_walked_found_and_set_side_by_side(page: Page):
    page.goto("/statements/department-results/?period=2027-P07&of=TF")
    page.locator("a.figure").first.focus()
    page.keyboard.press("]")
    expect(page.locator(".nodes")).to_contain_text("Ternwick Ferries ›")
    expect(page.locator(".nodes select")).to_have_value("100")
    page.keyboard.press("]")
    expect(page.locator(".nodes select")).to_have_value("110")
    page.keyboard.press("[")
    expect(page.locator(".nodes select")).to_have_value("100")
    page.locator("a.figure").first.focus()
    page.keyboard.press("o")
    expect(page.get_by_placeholder("Search code or name")).to_be_focused()
    page.keyboard.type("fin")
    expect(page.locator("#nodes tbody tr:visible")).to_have_count(1)
    page.get_by_label("Finance beside").check()
    page.get_by_role("button", name="Show them side by side").click()
    expect(page.locator("tr.groups").first).to_contain_text("Finance")
    figure = page.locator('tr[data-row="wages-and-social-costs"] a[data-column="actual@410"]')
    text = figure.inner_text()
    figure.click()
    expect(page.locator("#panel .agrees")).to_have_text("agrees with the figure")
    page.goto("/statements/department-results/?period=2027-P07&of=410")
    expect(page.locator('tr[data-row="wages-and-social-costs"] a[data-column="actual"]')).to_have_text(text)


def test_page_is_furnished_previewed_and_printed(page: Page, tmp_path):
    from PIL import Image

    logo = tmp_path / "ternwick.png"
    Image.new("RGB", (60, 30), "#1f5a4d").save(logo)
    open_statement(page, "balance-sheet", "&panel=page&paper=yes")
    picture = page.locator("#papers img").first
    expect(picture).to_be_visible()
    before = picture.get_attribute("src")
    page.get_by_text("Headers, footers, notes").click()
    page.get_by_label("Top right", exact=True).fill("For the board, ")
    page.get_by_label("Put a token into Top right").select_option("period")
    expect(page.locator("#panel .done")).to_contain_text("page header right to For the board, {period}")
    page.get_by_text("More about figures").click()
    page.get_by_label("Decimal mark").select_option("comma")
    expect(page.locator("#panel .done")).to_contain_text("decimal mark to comma")
    expect(picture).not_to_have_attribute("src", before)
    page.get_by_label("A new logo, PNG or JPEG").set_input_files(logo)
    page.get_by_role("button", name="Upload").click()
    expect(page.get_by_label("Logo", exact=True)).to_have_value("ternwick")
    page.get_by_role("link", name="Back to the figures").click()
    expect(page.locator('tr[data-row="assets.total"] a.figure').first).to_contain_text(",")
    page.get_by_role("button", name="Export").click()
    with page.expect_download() as paper:
        page.get_by_role("link", name="PDF", exact=True).click()
    document = PdfReader(io.BytesIO(paper.value.path().read_bytes()))
    text = document.pages[0].extract_text()
    assert (
        "For the board, October 2026" in text
        and re.search(r"Page 1 of \d", text)
        and len(document.pages[0].images) == 1
    )
    with page.expect_download() as again:
        page.locator("a.figure").first.focus()
        page.keyboard.press("x")
    assert again.value.suggested_filename == "balance-sheet-TF-2027-P07.pdf"


def test_workbook_of_all_nodes_is_made_in_the_background_with_a_sheet_each(page: Page):
    page.goto("/statements/department-results/?period=2027-P07&of=100")
    page.get_by_role("button", name="Export").click()
    page.locator("form[action*=outputs]").filter(has_text="Workbook").get_by_role("button").click()
    expect(page.get_by_text("waits for the worker")).to_be_visible()
    call_command("work", once=True, verbosity=0)
    with page.expect_download() as taken:
        page.get_by_role("link", name="Take department-results-100-and-below-2027-P07.xlsx").click()
    book = openpyxl.load_workbook(io.BytesIO(taken.value.path().read_bytes()), data_only=True)
    assert book.sheetnames == ["About", "Ships", "Deck", "Engine", "Galley and shop"]
    about = {row[0].value: row[1].value for row in book["About"].iter_rows(min_row=3, max_row=9)}
    assert about["Ledger"] == "Ternwick Ferries group" and about["Made by"] == "Accountant" and about["Revision"] == "2"
    sheet = book["Deck"]
    row = next(row for row in sheet.iter_rows() if row[0].value == "Wages and social costs")
    assert sheet.row_dimensions[row[0].row].outlineLevel == 1
    page.goto(row[1].hyperlink.target)  # a figure of the sheet leads back to its trace
    expect(page.locator("#panel .agrees")).to_have_text("agrees with the figure")
    shown = page.locator("#panel .big").inner_text().replace("\u2212", "-").replace("\u00a0", "").split()[0]
    assert float(shown) == row[1].value


def test_file_that_nobody_wants_any_more_is_cancelled(page: Page):
    page.goto("/statements/department-results/?period=2027-P07&of=TF")
    page.get_by_role("button", name="Export").click()
    page.locator("form[action*=outputs]").filter(has_text="PDF").get_by_role("button").click()
    page.get_by_role("button", name="Cancel").click()
    expect(page.get_by_text("Was cancelled")).to_be_visible()


def test_nodes_are_changed_as_text_on_the_page(page: Page):
    page.goto("/statements/department-results/?period=2027-P07&of=TF&panel=nodes")
    page.get_by_text("What the nodes are").click()
    page.get_by_label("Nodes: code").fill("TF | Ternwick Ferries | entity: TF\n  sea | At sea | department: under:100")
    page.get_by_role("button", name="Change the nodes").click()
    done(page, "Nodes of Departments of Ternwick Ferries changed.")
    page.locator("#nodes").get_by_role("link", name="At sea", exact=True).click()
    expect(page.locator(".nodes")).to_contain_text("Ternwick Ferries ›")
    expect(page.locator(".nodes select")).to_have_value("sea")


def test_chosen_statements_make_one_workbook(page: Page):
    page.get_by_label("Choose Balance sheet", exact=True).check()
    page.get_by_label("Choose Income statement", exact=True).check()
    with page.expect_download() as taken:
        page.get_by_role("button", name="One workbook of those chosen").click()
    book = openpyxl.load_workbook(io.BytesIO(taken.value.path().read_bytes()))
    assert book.sheetnames == ["About", "Balance sheet", "Income statement"]


def test_statement_is_copied_as_a_table_of_plain_numbers(page: Page):
    page.context.grant_permissions(["clipboard-read", "clipboard-write"])
    open_statement(page, "income-statement")
    page.locator("a.figure").first.focus()
    page.keyboard.press("t")
    expect(page.locator("#alert .done")).to_have_text("The statement is copied as a table.")
    rows = [row.split("\t") for row in page.evaluate("navigator.clipboard.readText()").splitlines()]
    fuel = next(row for row in rows if row[0].strip("\u00a0") == "Fuel")
    assert fuel[1:5] == ["-376.7", "-327.5", "-49.2", "-15.0"]


def test_version_is_saved_compared_and_restored_on_the_page(page: Page):
    open_statement(page, "balance-sheet")
    page.locator("a.figure").first.focus()
    page.keyboard.press("v")
    expect(page.get_by_label("Keep it as it is now")).to_be_focused()
    page.keyboard.type("First")
    page.get_by_role("button", name="Save", exact=True).click()
    done(page, "Version 'First' saved.")
    label(page, "leases").focus()
    page.keyboard.press("Delete")
    done(page, "Leases deleted.")
    page.locator("a.figure").first.focus()
    page.keyboard.press("v")
    page.get_by_role("link", name="Compare", exact=True).click()
    expect(page.locator("#panel .told")).to_contain_text("Leases: deleted")
    page.get_by_role("button", name="Restore").click()
    done(page, "Version 'First' restored.")


def test_edition_keeps_its_figures_and_says_what_moved(page: Page, demo_folder, tmp_path):
    from rulka.ledger.models import Ledger

    open_statement(page, "income-statement", "&panel=page")
    page.locator("#set-explain-beyond").fill("")  # nothing is to be explained before this is kept
    page.locator("#set-explain-beyond").press("Enter")
    expect(page.locator("#foot-explain")).to_have_count(0)
    open_statement(page, "income-statement", "&panel=editions")
    fuel = page.locator('tr[data-row="fuel"] a[data-column="actual"]').inner_text()
    page.get_by_label("Keep this run under the name").fill("October, to the board")
    page.get_by_role("button", name="Keep", exact=True).click()
    done(page, "Edition 'October, to the board' kept.")
    # an entry arrives late: 1,000.00 of diesel
    late = tmp_path / "late"
    late.mkdir()
    (late / "ledger.json").write_text((demo_folder / "ledger" / "ledger.json").read_text())
    for name in ("entities.csv", "accounts.csv", "members.csv", "scenarios.csv"):
        (late / name).write_bytes((demo_folder / "ledger" / name).read_bytes())
    (late / "entries.csv").write_text(
        "entity,entry,line,date,account,department,debit,credit,description\n"
        "TF,LATE-1,1,2026-10-30,6110,120,1000.00,,Late diesel\nTF,LATE-1,2,2026-10-30,2210,120,,1000.00,Late diesel\n"
    )
    call_command("load_ledger", str(late), ledger="ternwick", stdout=io.StringIO())
    assert Ledger.objects.get(code="ternwick").revision == 3
    page.get_by_role("link", name="October, to the board").click()
    assert page.locator("#kept tr").filter(has_text="Fuel").locator("td").first.inner_text().strip() == fuel
    page.get_by_role("link", name="What moved since?").click()
    expect(page.locator("#arrived")).to_contain_text("LATE-1")
    moved = page.locator("#moved tbody tr").filter(has_text="Fuel").first
    expect(moved).to_contain_text("\u2212376\u00a0679.52")
    expect(moved).to_contain_text("\u2212377\u00a0679.52")
    expect(moved).to_contain_text("6110 1\u00a0000.00")
    assert page.locator("#moved tbody").first.locator("> tr").count() == 1, "one row a line, its columns folded"


def test_library_has_shelves_tags_favourites_and_rights(page: Page, browser, live_server):
    page.get_by_label("New shelf").fill("Month end")
    page.get_by_role("button", name="Make it").click()
    page.get_by_label("Shelf of Balance sheet", exact=True).select_option("Month end")
    expect(page.get_by_role("heading", name=re.compile("^Month end"))).to_be_visible()
    page.get_by_label("Tags of Balance sheet", exact=True).fill("board, monthly")
    page.get_by_label("Tags of Balance sheet", exact=True).press("Enter")
    page.get_by_label("Favourite: Balance sheet", exact=True).click()
    expect(page.get_by_role("heading", name="Favourites")).to_be_visible()
    page.get_by_label("Search statements").fill("board")
    expect(page.locator("#library table td.name a")).to_have_text(["Balance sheet"])
    shelf = page.locator("#library h2 a").first.get_attribute("href")
    other = browser.new_context(base_url=live_server.url).new_page()
    other.goto("/sign-in/")
    other.get_by_role("button", name="Controller").click()
    other.goto(shelf)
    other.get_by_label("Who").select_option("Controller")
    other.get_by_label("may").select_option("run")
    other.get_by_role("button", name="Give the right", exact=True).click()
    expect(other.locator("#restricts")).to_contain_text("Director doesn't see it any more")
    expect(other.locator("#restricts")).not_to_contain_text("Accountant")  # they made the shelf
    other.get_by_role("button", name="Give the right all the same").click()
    expect(other.get_by_role("row", name="Accountant")).to_contain_text("they made the shelf")
    open_statement(other, "balance-sheet", "&panel=line&row=payables&lines=payables")
    other.get_by_label("Label", exact=True).fill("Suppliers")
    other.get_by_label("Label", exact=True).press("Enter")
    expect(other.locator("#note-label")).to_contain_text("You may run what is on the shelf 'Month end', not edit it.")
    other.context.close()


def _late_rows_are_fetched_again(page: Page):
    """Rows that were read before an edit and arrive after its answer are fetched again."""
    number = page.locator("tbody.waiting").first.get_attribute("data-block")
    rows, late = f"**/statements/large/rows/{number}/**", []
    page.route(rows, lambda route: late.append((route, route.fetch())), times=1)
    page.locator(f"#block-{number}").scroll_into_view_if_needed()
    for _ in range(100):
        if late:
            break
        page.wait_for_timeout(50)
    ((route, before),) = late
    assert re.search(r"\.\d\d</a>", before.text())
    page.evaluate(WHOLE)
    expect(page.locator("#block-0 a.figure").filter(has_text=re.compile(r"\.\d\d$"))).to_have_count(0)
    route.fulfill(response=before)
    block = page.locator(f"#block-{number}:not(.waiting)")
    expect(block).to_be_attached()
    expect(block.locator("a.figure").filter(has_text=re.compile(r"\.\d\d$"))).to_have_count(0)
    for _ in range(20):  # the page may still go back to where it stood before the edit: whoever scrolls goes on
        page.locator(".scroll").evaluate("area => { area.scrollTop = area.scrollHeight }")
        with suppress(TimeoutError):
            label(page, "line-599").wait_for(state="visible", timeout=500)
            break
    expect(label(page, "line-599")).to_be_visible()


def test_large_statement_is_walked_and_edited(page: Page):
    from rulka.ledger.models import Ledger
    from rulka.statements.library.storing import load_definitions

    ledger = Ledger.objects.get(code="ternwick")
    inner = [{"line": f"Line {at}", "accounts": "6110" if at % 2 else "6120"} for at in range(600)]
    columns = [{"series": "months", "each": "period", "within": "last 40 periods"}]
    load_definitions(
        ledger,
        [
            {"spine": "large", "covers": "nothing", "lines": inner},
            {"span": "large", "columns": columns},
            {"statement": "large", "spine": "large", "span": "large"},
        ],
    )
    open_statement(page, "large")
    assert page.locator("tbody.waiting").count() > 5
    label(page, "line-79").focus()
    page.keyboard.press("ArrowDown")
    expect(label(page, "line-80")).to_be_focused()  # fetched, since it waited
    page.keyboard.press("e")
    page.get_by_label("Label", exact=True).fill("Renamed")
    with page.expect_response("**/statements/large/edit/**") as answered:
        page.get_by_label("Label", exact=True).press("Enter")
    done(page, "Line 80: Renamed.")
    expect(label(page, "line-80")).to_have_text("Renamed")
    changed = answered.value.text()  # rows of the block that was fetched, and no table
    assert answered.value.headers["hx-retarget"] == "#panel" and 'id="row-line-80"' in changed
    assert '<table class="figures' not in changed and 'id="row-line-0"' not in changed
    _late_rows_are_fetched_again(page)


def test_period_is_chosen_by_name_the_panel_folded_and_totals_kept_in_sight(page: Page):
    page.goto("/statements/income-statement/?period=1066-P01&node=TF")  # no such period: the steppers lead out of it
    expect(page.locator("#period-open")).to_be_visible()
    open_statement(page, "income-by-month")
    page.locator("#figures a.label").first.focus()
    page.keyboard.press(";")
    typed = page.get_by_label("Go to period")
    expect(typed).to_be_focused()
    page.keyboard.type("Sep 2026")
    expect(page.locator("#period-years a")).to_have_count(1)
    page.keyboard.press("Enter")
    expect(page.locator("#period-open")).to_contain_text("September 2026")
    expect(page).to_have_url(re.compile("node=TF"))  # only the period changed
    page.locator("#fold").click()
    expect(page.locator("#panel")).to_be_hidden()
    page.locator("#unfold").click()
    expect(page.locator("#panel")).to_be_visible()
    total = page.locator("#figures thead tr.heads th.tot-0")
    expect(total).not_to_be_in_viewport(ratio=0.9)
    page.locator("#see-on").click()
    page.locator("#freeze").click()
    expect(page.locator("#freeze")).to_have_attribute("aria-pressed", "true")
    page.locator(".scroll").evaluate("area => { area.scrollLeft = 0 }")
    expect(total).to_be_in_viewport(ratio=0.9)


def test_hidden_lines_are_shown_to_somebody_who_edits(page: Page):
    open_statement(page, "cash-roll-forward")
    assert "Cash in the books" not in labels(page)
    page.locator("a.figure").first.focus()
    page.keyboard.press("h")
    expect(label(page, "cash-in-the-books")).to_be_visible()
    assert "ghost" in page.locator('tr[data-row="cash-in-the-books"]').get_attribute("class")


def test_what_was_done_is_kept_with_who_did_it(page: Page):
    open_statement(page, "balance-sheet", "&panel=line&row=payables&lines=payables")
    page.get_by_label("Label", exact=True).fill("Suppliers")
    page.get_by_label("Label", exact=True).press("Enter")
    done(page, "Payables: Suppliers.")
    edit = Edit.objects.get(state="done")
    assert (edit.person.username, edit.what, edit.statement.name) == (
        "accountant",
        "Payables: Suppliers",
        "balance-sheet",
    )
    assert "Suppliers" in json.dumps(Definition.objects.get(kind="spine", name="balance-sheet").body)
