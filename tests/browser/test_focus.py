"""Where the focus goes once something was replaced: each state of the table in focus.js, on a real page."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from playwright.sync_api import Page, expect

from tests.browser.test_workbench import label, open_statement, signed_in  # noqa: F401

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]

EXPECTED = "import('/static/js/statement/expecting.js').then(one => one.expected())"
STATES = "import('/static/js/statement/focus.js').then(one => Object.keys(one.STATES))"


def figure(page: Page, row: str, place: int = 0):
    return page.locator(f'tr[data-row="{row}"] a.figure').nth(place)


def elsewhere(page: Page) -> None:
    """The focus is above the statement while the panel is replaced: it stays there."""
    page.locator("#find").focus()
    page.evaluate(
        """() => htmx.ajax("GET", `${document.getElementById("work").dataset.panel}?`
        + `${document.getElementById("figures").dataset.query}&panel=page`, { source: "#opener" })"""
    )
    expect(page.locator("#panel nav a[aria-current]")).to_have_text("Page")
    expect(page.locator("#find")).to_be_focused()


def spot(page: Page) -> None:
    """An edit is undone: the focus is on the cell on which it was, in its new row."""
    figure(page, "receivables").focus()
    page.keyboard.press("Control+z")
    expect(page.locator("#panel .done")).to_contain_text("Undone")
    expect(figure(page, "receivables")).to_be_focused()


def panel(page: Page) -> None:
    """A setting was changed by a choice in the panel, and what one chose isn't there any more: the panel has it."""
    label(page, "receivables").focus()
    page.keyboard.press("v")
    expect(page.get_by_role("heading", name="Versions")).to_be_visible()
    page.locator("#panel .body button, #panel .body a").first.focus()
    page.locator('#panel nav a:text("Footing")').click()
    expect(page.locator("#panel nav a[aria-current]")).to_have_text("Footing")
    expect(page.locator("#panel")).to_be_focused()


def form(page: Page) -> None:
    """A line is edited: what is typed at once stands in the field that comes."""
    label(page, "receivables").focus()
    page.keyboard.press("e")
    page.keyboard.type("Owed")
    expect(page.locator("#set-label")).to_be_focused()
    expect(page.locator("#set-label")).to_have_value("Owed")
    page.keyboard.press("Escape")
    expect(page.locator('tr[data-row="receivables"] :focus')).to_be_attached()


def into(page: Page) -> None:
    """The checks are opened: the first thing that can be done there has it."""
    label(page, "receivables").focus()
    page.keyboard.press("s")
    expect(page.locator("#panel nav a[aria-current]")).to_have_text("Page")
    expect(page.locator("#panel .body :focus")).to_be_attached()


def nodes(page: Page) -> None:
    """The nodes are opened: a name that is typed at once narrows them."""
    label(page, "receivables").focus()
    page.keyboard.press("o")
    page.keyboard.type("qua")
    expect(page.locator("#node-search")).to_be_focused()
    expect(page.locator("#node-search")).to_have_value("qua")


def search(page: Page) -> None:
    """The accounts of a line are opened: what is typed at once searches them."""
    label(page, "receivables").focus()
    page.keyboard.press("a")
    page.keyboard.type("15")
    expect(page.locator("#pick-search")).to_be_focused()
    expect(page.locator("#pick-search")).to_have_value("15")
    expect(page.locator('#picks [data-code="1000"]')).to_have_count(0)


def tick(page: Page) -> None:
    """An account is ticked: its box keeps the focus."""
    label(page, "receivables").focus()
    page.keyboard.press("a")
    expect(page.locator("#pick-search")).to_be_focused()
    box = page.locator("#picks input[type=checkbox]:not(:checked):not([disabled])").first
    code = box.get_attribute("data-code")
    box.focus()
    page.keyboard.press("Space")
    expect(page.locator("#panel .done")).to_contain_text("Receivables")
    expect(page.locator(f'#picks [data-code="{code}"]:checked')).to_be_focused()


def chosen(page: Page) -> None:
    """A line is duplicated: the new one has it."""
    label(page, "receivables").focus()
    page.keyboard.press("d")
    expect(page.locator("#panel .done")).to_contain_text("duplicated")
    expect(page.locator("tr.chosen a.label")).to_be_focused()
    assert page.locator("tr.chosen").get_attribute("data-row") != "receivables"


CASES: tuple[Callable[[Page], None], ...] = (chosen, spot, form, into, nodes, search, tick, panel, elsewhere)


def test_each_state_of_the_focus_leads_where_it_says(page: Page):
    open_statement(page, "balance-sheet")
    assert sorted(page.evaluate(STATES)) == sorted(case.__name__ for case in CASES)
    for case in CASES:
        case(page)
        assert page.evaluate(EXPECTED) in ("elsewhere", "spot", "panel"), f"{case.__name__} leaves a state open"


def test_a_request_that_fails_gives_up_what_was_waited_for(page: Page):
    """What was typed for a field that doesn't come isn't typed anywhere else, and keys do what they did before."""
    open_statement(page, "balance-sheet")
    label(page, "receivables").focus()
    page.route("**/panel/**", lambda route: route.fulfill(status=404, body="It is gone."))
    with page.expect_response("**/panel/**"):
        page.keyboard.press("e")
    page.unroute("**/panel/**")
    expect(page.locator("#alert")).to_contain_text("It is gone.")
    assert page.evaluate(EXPECTED) == "spot"
    page.keyboard.press("ArrowDown")
    expect(page.locator("#figures :focus")).to_be_attached()
    expect(label(page, "receivables")).not_to_be_focused()
