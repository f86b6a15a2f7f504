"""The fuel matter of the demo, followed from the difference to the document and back, in a real browser."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]
WHERE = "ledger=ternwick&period=2027-P07&node=TF"


def sign_in(page: Page, who: str) -> None:
    page.goto("/sign-in/")
    page.get_by_role("button", name=who).click()


def here(page: Page):
    """Where the trace says it stands."""
    return page.locator("#panel .crumbs b")


def step(page: Page, link) -> None:
    """Follow a link of the trace; each step has an address of its own."""
    before = page.url
    link.click()
    page.wait_for_url(lambda url: url != before)


def back(page: Page) -> None:
    """One step back in the browser's history; the page is the one that stood there, loaded anew."""
    page.evaluate("window.former = true; history.back()")
    page.wait_for_function("() => !window.former && document.readyState === 'complete'")


def _by_crossing_and_period(page: Page, panel):
    """By crossing, into one, by period: the price is up from June on, in all of them."""
    step(page, panel.get_by_role("link", name="crossing", exact=True))
    expect(panel.locator("thead")).to_contain_text("Crossing")
    step(page, panel.get_by_role("link", name="N North"))
    expect(here(page)).to_have_text("N North")
    expect(panel.locator(".crumbs")).to_contain_text("Fuel, Difference, April to October 2026")
    crossing = page.url
    step(page, panel.locator(".ways").get_by_role("link", name="period", exact=True))
    rows = panel.locator(".parts tbody tr")
    expect(rows).to_have_count(7)
    sizes = [
        float(text.replace("\u00a0", "").replace("\u2212", "-"))
        for text in rows.locator("td:last-child").all_inner_texts()
    ]
    assert all(size > -5_000 for size in sizes[:2]) and all(size < -10_000 for size in sizes[2:]), sizes
    step(page, panel.get_by_role("link", name="June 2026"))
    expect(here(page)).to_have_text("June 2026")
    return crossing


def _to_the_document(page: Page, panel):
    """Both sides next to each other, then the lines, the entry, its document and the document's other lines."""
    step(page, panel.get_by_role("link", name="both sides"))
    expect(panel.locator(".agrees")).to_have_text("both sides agree with the difference")
    step(page, panel.locator(".ways").get_by_role("link", name="line", exact=True))
    expect(panel.locator("table.lines")).to_contain_text("Marine diesel")
    lines = page.url
    step(page, panel.locator("a.line-entry").first)
    expect(panel.get_by_role("heading", name="Entry TF-")).to_be_visible()
    expect(panel.locator(".facts")).to_contain_text("revision")
    entry = page.url
    step(page, panel.locator('a[title="All lines of this document"]'))
    expect(panel.get_by_role("heading", name="Document I-")).to_be_visible()
    expect(panel.locator(".parts")).to_contain_text("Suppliers")
    return lines, entry


def _back_by_the_browsers_key(page: Page, panel, crossing, lines, entry):
    """Back step by step with the browser's own key, on again, and a reload stays."""
    back(page)
    assert page.url == entry
    expect(panel.get_by_role("heading", name="Entry TF-")).to_be_visible()
    back(page)
    assert page.url == lines
    expect(panel.locator("table.lines")).to_contain_text("Marine diesel")
    for _ in range(3):
        back(page)
        expect(panel.locator(".crumbs")).to_contain_text("N North")
    step(page, page.locator("#panel .went[data-history=back]"))
    assert page.url == crossing
    expect(here(page)).to_have_text("N North")
    page.reload()
    expect(here(page)).to_have_text("N North")
    expect(page.locator("td.traced a")).to_have_attribute("data-column", "ytd-difference")
    step(page, panel.locator(".crumbs a").first)
    expect(panel.locator("thead")).to_contain_text("Crossing")
    page.goto(lines)


def _on_the_whole_page(page: Page, panel):
    """On the whole page: ordered, ticked, then taken into a worksheet."""
    panel.get_by_role("link", name="Whole page").click()
    trace = page.locator("#trace")
    expect(trace.locator(".crumbs")).to_contain_text("June 2026")
    step(page, trace.get_by_role("link", name="Amount", exact=True).first)
    step(page, trace.get_by_role("link", name="Values of called").first)
    expect(trace.locator(".ticks")).to_contain_text("Sound Oil")
    step(page, trace.locator(".ticks a[role=checkbox]").filter(has_text="Sound Oil"))
    expect(trace.locator(".agrees").first).to_contain_text("fit the filter")
    expect(trace.locator("table.lines tbody").first).not_to_contain_text("Northpier")
    trace.get_by_role("button", name="Take").click()
    trace.get_by_role("button", name="Into a worksheet").click()
    page.wait_for_url("**/worksheets/**")
    expect(page.locator("body")).to_contain_text("June 2026")
    expect(page.get_by_text("Sound Oil").first).to_be_visible()


def _behind_a_fence(browser, live_server, lines, entry):
    """Somebody behind a fence opens the same link: the ships' part of it, and nothing else."""
    other = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=live_server.url).new_page()
    sign_in(other, "Ships lead")
    other.goto(lines)
    expect(other.locator("#panel table.lines")).to_contain_text("Marine diesel")
    expect(other.locator("#part")).to_contain_text("Ships")
    other.goto(entry)
    expect(other.locator("#panel")).to_contain_text("Other lines of this entry lie outside of what you may see")
    expect(other.locator("#panel")).not_to_contain_text("Suppliers")
    other.context.close()


def test_the_fuel_matter_from_the_difference_to_its_document_and_back(page: Page, browser, live_server):
    sign_in(page, "Accountant")
    page.goto(f"/statements/income-statement/?{WHERE}")
    step(page, page.locator('tr[data-row="fuel"] a[data-column="ytd-difference"]'))
    panel = page.locator("#panel")
    expect(panel.locator(".big")).to_contain_text("\u2212216\u00a0730.29")
    expect(panel.locator(".agrees")).to_have_text("agrees with the figure")
    expect(page.locator("td.traced a")).to_have_attribute("data-column", "ytd-difference")
    start = page.url
    assert "panel=trace" in start and "row=fuel" in start
    crossing = _by_crossing_and_period(page, panel)
    lines, entry = _to_the_document(page, panel)
    _back_by_the_browsers_key(page, panel, crossing, lines, entry)
    _on_the_whole_page(page, panel)
    _behind_a_fence(browser, live_server, lines, entry)


def test_anything_is_found_by_keyboard_alone(page: Page):
    sign_in(page, "Accountant")
    page.goto(f"/statements/income-statement/?{WHERE}")
    page.locator('tr[data-row="fuel"] a[data-column="actual"]').focus()
    page.keyboard.press("/")
    page.keyboard.type("36,074.75")
    expect(page.locator("#found")).to_contain_text("Amounts")
    page.keyboard.press("ArrowDown")
    expect(page.locator("#found a").first).to_be_focused()
    page.keyboard.press("Enter")
    page.wait_for_url("**/ledger/entry/**")
    page.keyboard.press("/")
    page.keyboard.type("balance sheet")
    expect(page.locator("#found")).to_contain_text("Statements")
    page.keyboard.press("Enter")
    page.wait_for_url("**/statements/balance-sheet/**")
    page.keyboard.press("/")
    page.keyboard.type("zzzz")
    expect(page.locator("#found")).to_contain_text("Nothing found for zzzz")
    page.keyboard.press("Escape")
    expect(page.locator("#found")).to_be_empty()
