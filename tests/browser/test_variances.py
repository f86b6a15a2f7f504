"""The fuel variance from its statement to the price of a sailing, explained by one person and accepted by another, in a
real browser; a finding dismissed for good."""

from __future__ import annotations

import io

import pytest
from playwright.sync_api import Page, expect
from pypdf import PdfReader

from tests.browser.test_tracing import sign_in

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]
WHERE = "ledger=ternwick&period=2027-P07&node=TF"
STATEMENT = f"/statements/income-statement/?{WHERE}"
FUEL = "panel=explain&row=fuel&column=ytd-difference"
SAID = "Diesel price up 16 % from June. Volume is flat: 4 973 sailings for 4 985."


def another(browser, live_server, who: str) -> Page:
    """Somebody else, in a browser of their own."""
    page = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=live_server.url).new_page()
    sign_in(page, who)
    return page


def _why(page: Page):
    """One key on the figure says why."""
    figure = page.locator('tr[data-row="fuel"] a[data-column="ytd-difference"]')
    figure.focus()
    page.keyboard.press("y")
    page.wait_for_url("**/trace/**")
    trace = page.locator("#trace")
    expect(trace.locator(".big")).to_contain_text("\u2212216\u00a0730.29")
    expect(trace.locator("table.drivers tbody tr").first).to_contain_text("6110 Marine diesel")
    expect(trace.locator("#parted")).to_contain_text("Price: 527.26 each for 467.02")
    expect(trace.locator("#parted tfoot")).to_contain_text("\u2212216\u00a0730.29")
    expect(trace.locator("svg text.turn")).to_have_text("up from here")
    expect(trace.locator(".agrees").first).to_have_text("agrees with the figure")


def _not_kept_before(page: Page):
    """Nothing can be kept before it is explained."""
    page.goto(f"{STATEMENT}&panel=editions")
    page.locator("#edition-title").fill("October")
    page.get_by_role("button", name="Keep").click()
    expect(page.locator("#problem")).to_contain_text("5 variances are not explained yet")


def _explained_in_the_trace(page: Page):
    """Explained in the trace itself, beside what drives it."""
    page.goto(f"/statements/income-statement/trace/?{WHERE}&panel=trace&row=fuel&column=ytd-difference&by=drivers")
    page.get_by_label("What it is about").fill(SAID)
    page.get_by_role("button", name="Explain", exact=True).click()
    expect(page.locator("section.item")).to_contain_text("waits for a controller")
    expect(page.locator("aside h2")).to_have_text("To explain: 4 of 5 open")


def _sent_back_and_accepted(page: Page, browser, live_server):
    """A controller asks, gets the answer and accepts it."""
    controller = another(browser, live_server, "Controller")
    controller.goto(f"{STATEMENT}&{FUEL}")
    controller.get_by_label("What is missing").fill("Which suppliers?")
    controller.get_by_role("button", name="Send back").click()
    expect(controller.locator("section.item em")).to_have_text("sent back")

    page.goto(f"{STATEMENT}&{FUEL}")
    expect(page.locator("section.item")).to_contain_text("Which suppliers?")
    expect(page.locator("#explain-text")).to_have_value(SAID)
    page.locator("#explain-text").fill(f"{SAID} Both suppliers, all crossings.")
    page.get_by_role("button", name="Explain again").click()
    expect(page.locator("section.item em")).to_have_text("explained")
    expect(page.locator("#foot-explain")).to_have_text("4 variances to explain ›")

    controller.reload()
    controller.get_by_role("button", name="Accept").click()
    expect(controller.locator("section.item em")).to_have_text("accepted")
    expect(controller.locator('tr[data-row="fuel"] .plus')).to_have_class("plus explained")
    return controller


def _the_others_and_kept(page: Page):
    """The others too, one after another."""
    for row in ("foot-passengers", "shop-and-galley", "upkeep-and-dry-dock", "tax"):
        page.goto(f"{STATEMENT}&panel=explain&row={row}&column=ytd-difference")
        page.locator("#explain-text").fill(f"About {row}.")
        page.get_by_role("button", name="Explain", exact=True).click()
        expect(page.locator("section.item em")).to_have_text("explained")
    expect(page.locator("#foot-explain")).to_have_count(0)
    page.goto(f"{STATEMENT}&panel=editions")
    page.locator("#edition-title").fill("October")
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_role("status")).to_contain_text("Edition 'October' kept.")
    page.locator("#panel .did a").first.click()
    expect(page.locator("ol.notes")).to_contain_text("Both suppliers, all crossings.")


def _printed(page: Page, controller):
    """The note stands in the PDF, under the number that the line bears."""
    pdf = page.request.get(f"/statements/income-statement/export/pdf/?{WHERE}").body()
    text = " ".join(PdfReader(io.BytesIO(pdf)).pages[0].extract_text().split())
    assert f"3 Fuel, April to October 2026, Difference: \u2212216.7. {SAID} Both suppliers, all crossings." in text
    controller.context.close()


def test_the_fuel_variance_is_driven_by_its_price_explained_accepted_kept_and_printed(page: Page, browser, live_server):
    sign_in(page, "Accountant")
    page.goto(STATEMENT)
    _why(page)
    _not_kept_before(page)
    _explained_in_the_trace(page)
    controller = _sent_back_and_accepted(page, browser, live_server)
    _the_others_and_kept(page)
    _printed(page, controller)


def test_a_finding_is_dismissed_with_a_reason_that_holds_in_the_next_month(page: Page):
    sign_in(page, "Controller")
    page.goto("/ledger/wrong/?ledger=ternwick&period=2027-P06&node=TF")
    expect(page.locator("table.wrong")).to_contain_text("6815 Shore power used for the first time")
    # the rule is tuned: what is open a period too long is looked at already
    page.locator("#rules > summary").click()
    rule = page.locator("form.rule", has=page.locator('input[value="old"]'))
    rule.locator('input[name="degree"]').fill("0")
    rule.get_by_role("button", name="Tune").click()
    found = page.locator("table.wrong").first.get_by_role("link", name="K012 Rivet and Weld Works")
    found.click()
    expect(page.locator("#finding")).to_contain_text("TF-PA2607-L001")
    page.get_by_label("It is no matter, because").fill("The yard waits for our inspection.")
    page.get_by_role("button", name="Dismiss").click()
    expect(page.locator("#finding .holds")).to_contain_text("The yard waits for our inspection.")
    # in the next month it is found again, and still dismissed
    page.locator("#step-on").click()
    expect(page.get_by_role("heading", name="Looks wrong in October 2026")).to_be_visible()
    dismissed = page.locator("table.wrong").last
    expect(dismissed).to_contain_text("K012 Rivet and Weld Works")
    expect(dismissed).to_contain_text("The yard waits for our inspection.")
    expect(page.locator("table.wrong").first).not_to_contain_text("K012")
    expect(page.locator("table.wrong").first).to_contain_text("TF and TQ don't agree on income and costs")
