"""A director begins at the month, opens the overview, looks at the year, follows a mark to its journal lines and comes
back; an accountant adds a tile, moves it by key, draws a chart from a statement and takes a PDF."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from rulka.overviews.models import Overview
from tests.browser.test_variances import another

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]
WHERE = "ledger=ternwick&period=2027-P07&node=TF"


def test_a_director_from_the_month_to_a_journal_line(page: Page, browser, live_server):
    page = another(browser, live_server, "Director")
    expect(page.get_by_role("heading", name="October 2026", level=1)).to_be_visible()
    expect(page.locator("section", has=page.get_by_role("heading", name="Waits for you"))).to_contain_text(
        "Nothing waits"
    )
    results = page.locator("section", has=page.get_by_role("heading", name="Results of the month"))
    expect(results.get_by_role("row", name="Operating result")).to_contain_text("360")
    results.get_by_role("link", name="The group at a glance").click()
    expect(page.get_by_role("heading", name="The group at a glance", level=1)).to_be_visible()
    page.wait_for_load_state()
    expect(page.locator(".switch [aria-current]")).to_have_text("Month")
    page.keyboard.press("l")
    expect(page.locator(".switch [aria-current]")).to_have_text("Whole year")
    expect(page.locator("#tile-bridge")).to_contain_text("Outlook")

    # a mark by keyboard: the fuel of the bridge, down to its lines, and back
    mark = page.locator("#tile-bridge svg a[aria-label^='Fuel: ']")
    mark.focus()
    page.keyboard.press("Enter")
    expect(page.locator(".crumbs, #trace")).to_contain_text(["Fuel"])
    expect(page.locator("footer")).to_contain_text("Agrees with the figure it splits")
    page.locator("#trace").get_by_role("link", name="TF Ternwick Ferries").click()
    expect(page.locator("#trace .ways [aria-current]")).to_have_text("account")
    page.locator("#trace").get_by_role("link", name="line", exact=True).click()
    expect(page.locator("#trace table tbody tr").first).to_contain_text("2026")
    expect(page.locator("footer")).to_contain_text("Agrees with the figure it splits")
    page.locator("#trace").get_by_role("link", name="Back to the overview").click()
    expect(page.locator(".switch [aria-current]")).to_have_text("Whole year")
    page.locator("#line").select_option("results: Income")
    expect(page.locator("#tile-bridge h2")).to_have_text("Income, budget to actual")
    page.locator("#tile-ranked").get_by_role("link", name="Norrsund Fraktlinje", exact=True).click()
    expect(page.locator("#node")).to_have_value("NF")
    page.go_back()
    expect(page.locator("#node")).to_have_value("group")


def _arranged_by_key(page: Page, tmp_path, tile):
    """By key: from tile to tile, back by two, narrower."""
    tile.focus()
    for place in (4, 3):
        page.keyboard.press("Alt+ArrowLeft")
        expect(page.locator(".tile").nth(place)).to_have_id("tile-trend-2")
        expect(tile).to_be_focused()
    page.keyboard.press("-")
    expect(page.locator("#tile-trend-2.w4")).to_be_visible()
    expect(tile).to_be_focused()
    page.keyboard.press("ArrowLeft")
    expect(page.locator("#tile-ranked")).to_be_focused()
    page.locator("#undo").click()
    expect(page.locator("#tile-trend-2.w6")).to_be_visible()
    page.keyboard.press("a")
    expect(page.locator("#add-tile")).to_have_count(0)
    page.locator("#more").click()
    with page.expect_download() as caught:
        page.get_by_role("link", name="PDF").click()
    caught.value.save_as(tmp_path / "group.pdf")
    assert (tmp_path / "group.pdf").read_bytes()[:5] == b"%PDF-"


def _drawn_from_a_statement(page: Page):
    """From a statement: two lines, two columns, one key."""
    page.goto(f"/statements/income-statement/?{WHERE}")
    page.locator("tr[data-row=fuel] a.figure[data-column=actual]").focus()
    page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("b")
    expect(page.get_by_role("heading", name="A chart of it")).to_be_visible()
    expect(page.locator(".tile")).to_contain_text("one scale for all 2")
    page.get_by_label("Title").fill("Fuel and dues")
    page.locator("#keep").click()
    expect(page.locator("#tile-chart h2")).to_have_text("Fuel and dues")
    kept = Overview.objects.get(name="group").body["pages"][0]["tiles"][-1]
    assert (kept["rows"], kept["columns"]) == (["fuel", "port-dues-and-berths"], ["actual", "budget"])


def test_an_accountant_arranges_draws_and_takes_it_away(page: Page, browser, live_server, tmp_path):
    page = another(browser, live_server, "Accountant")
    page.goto(f"/overviews/group/?{WHERE}&of=group&window=date")
    page.keyboard.press("a")
    expect(page.locator("#add-tile")).to_be_visible()
    page.keyboard.press("n")
    page.locator("#new-kind").select_option("trend")
    page.locator("#add-tile").click()
    tile = page.locator("#tile-trend-2")
    expect(tile).to_be_visible()
    page.get_by_label("Title").first.fill("Fuel, month by month")
    page.locator("#tile-settings [name=line]").fill("Fuel")
    page.locator("#keep-tile").click()
    expect(tile.get_by_role("heading")).to_have_text("Fuel, month by month")
    _arranged_by_key(page, tmp_path, tile)
    _drawn_from_a_statement(page)
    _without_an_answer(page)


def _without_an_answer(page: Page):
    """Where the connection is gone it is said, and goes with the next answer."""
    page.context.set_offline(True)
    page.locator("#main a").filter(visible=True).first.click()
    expect(page.locator("#alert")).to_contain_text("No answer came from Rulka")
    page.context.set_offline(False)
    page.locator("#main a").filter(visible=True).first.click()
    expect(page.locator("#alert")).to_be_empty()
