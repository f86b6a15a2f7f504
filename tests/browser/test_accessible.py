"""Every page, and every state of the working pages, has nothing that a screen reader or the keyboard stumbles over."""

from __future__ import annotations

import pytest
from django.conf import settings
from django.test import Client

from rulka.people.library.persons import make_person
from rulka.people.library.rights import grant
from rulka.people.models import Person
from rulka.statements.pages.panel import BODIES
from rulka.worksheets.pages.panel import TABS
from tests.browser.axe import problems_of
from tests.web.test_fuzz import ROUTES
from tests.web.test_matrix import ADDRESSES, address_of
from tests.web.test_matrix import world as world  # a fixture: one of each thing, in a small ledger

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.browser]
SMALL = "ledger=s&period=2026-P01&node=A"
WHERE = "period=2027-P07&node=TF"
STILL = """() => !document.querySelector(".htmx-request") &&
  (!document.querySelector(".worksheet #grid") ||
  document.querySelector("revo-grid[data-ready] .header-rgRow[role]"))"""
"""Whether a page waits for nothing more."""

NAMELESS = """() => [...document.querySelectorAll("main :is(table, [role=grid], [role=treegrid])")]
  .filter((one) => !one.caption && !one.ariaLabel && one.getAttribute("role") !== "presentation")
  .filter((one) => document.querySelector("main :is(h1, h2, h3)")?.compareDocumentPosition(one) & 4)
  .map((one) => one.outerHTML.slice(0, 120))"""
"""Tables that no caption, and no heading above them, gives a name."""

LEAVE = {"sign-out", "home", "demo-sign-in", "desk", "desk-root"}
"""Addresses that only lead elsewhere, or that programs ask for."""

STATEMENT = f"/statements/income-statement/?{WHERE}"
STATES = (
    f"{STATEMENT}&panel=line&row=fuel",
    f"{STATEMENT}&panel=column&column=actual",
    f"{STATEMENT}&panel=accounts&row=fuel&search=fuel",
    f"{STATEMENT}&panel=trace&row=fuel&column=actual",
    f"{STATEMENT}&panel=explain&row=fuel&column=ytd-difference",
    f"{STATEMENT}&panel=page&paper=yes",
    f"{STATEMENT}&hidden=yes",
    f"/statements/income-statement/trace/?{WHERE}&panel=trace&row=fuel&column=ytd-actual&in=crossing%3DN&by=line",
    f"/statements/income-statement/trace/?{WHERE}&panel=trace&row=fuel&column=ytd-difference&by=drivers",
    f"/statements/income-by-entity/?{WHERE}&panel=footing",
    f"/statements/income-statement/?{WHERE}&panel=line&row=no-such-line",
    f"/statements/no-such-statement/?{WHERE}",
    f"/statements/balance-sheet-sides/?{WHERE}",
    f"/ledger/journal/?{WHERE}&accounts=9999-",
    f"/ledger/journal/?{WHERE}&accounts=6110&first=2027-P07&last=2027-P07",
    f"/ledger/trial-balance/?{WHERE}&entity=TF",
    f"/extracts/supplier-spend/?{WHERE}",
    f"/overviews/group/?{WHERE}",
    "/folios/board-pack/?ledger=ternwick&section=fuel",
    "/filings/annual-return/?ledger=ternwick&part=annual-income&line=fuel",
    f"/dispatch/department-packs/?{WHERE}",
)


def judged(page, addresses, within="html"):
    wrong = []
    for address in addresses:
        page.goto(address)
        page.wait_for_function(STILL)
        wrong += [f"{address}\n  {problem}" for problem in problems_of(page, within)]
        wrong += [f"{address}\n  a table without a name below {name}" for name in page.evaluate(NAMELESS)]
        if page.locator("#keys").count() and not page.locator("#keys .purpose").count():
            wrong.append(f"{address}\n  nobody is told what it is for")
    return wrong


def pages_among(client, addresses):
    """Those that answer with a page; of those that refuse one for each way of refusing."""
    found, refusals = [], set()
    for address in addresses:
        response = client.get(address)
        if not is_page(response) or response.status_code in refusals:
            continue
        if response.status_code != 200:
            refusals.add(response.status_code)
        found.append(address)
    return found


def is_page(response):
    said = response.headers.get("Content-Type", "")
    content = b"".join(response.streaming_content) if response.streaming else response.content
    return said.startswith("text/html") and b"<html" in content and response.status_code != 302


def test_every_page(world, browser, live_server):
    """Whatever answers with a page is judged, whichever route that is: with one of each thing, as somebody who may see
    it all, and what belongs to people as who keeps them."""
    make_person("ada", title="Ada", role="administrator")
    grant(Person.objects.get(username="ada"), "s", "", "", {}, opens_seals=True)
    wrong, judged_pages = [], 0
    for name in ("zoe", "ada"):
        client = Client(raise_request_exception=False)
        client.force_login(Person.objects.get(username=name))
        addresses = [
            f"{address_of(world, route, held, 0)[0]}?{SMALL}"
            for route, held in ROUTES
            if route not in LEAVE and (name == "zoe" or ADDRESSES[route].startswith("people/"))
        ]
        pages = pages_among(client, addresses)
        judged_pages += len(pages)
        context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=live_server.url)
        key = client.cookies[settings.SESSION_COOKIE_NAME]
        context.add_cookies([{"name": key.key, "value": key.value, "url": live_server.url}])
        wrong += judged(context.new_page(), pages)
        context.close()
    assert not wrong, "\n".join(wrong)
    assert judged_pages > 50, judged_pages


def test_every_state_of_the_working_pages(page):
    page.goto("/sign-in/")
    page.get_by_role("button", name="Accountant").click()
    page.wait_for_load_state()
    panels = [f"{STATEMENT}&panel={panel}" for panel in BODIES]
    sheets = [f"/worksheets/income-of-departments/?{WHERE}&panel={tab}&cell=C6" for tab, _ in TABS]
    wrong = judged(page, STATES) + judged(page, [*panels, *sheets], "#panel")
    assert not wrong, "\n".join(wrong)


PRINTED = (
    f"/month/?{WHERE}",
    STATEMENT,
    f"/ledger/journal/?{WHERE}",
    f"/extracts/supplier-spend/?{WHERE}",
    f"/overviews/group/?{WHERE}",
)


NARROW = (
    *PRINTED,
    f"/statements/?{WHERE}",
    f"/ledger/periods/?{WHERE}",
    f"/ledger/trial-balance/?{WHERE}",
    f"/worksheets/income-of-departments/?{WHERE}",
    f"/overviews/?{WHERE}",
    "/folios/board-pack/?ledger=ternwick&section=fuel",
    f"/dispatch/department-packs/?{WHERE}",
    "/help/definition-format/",
)


def test_narrow_windows_and_large_letters_push_nothing_off_the_page(page):
    """At 1024 pixels, and at the 640 that letters of 200 % leave of a usual window."""
    page.goto("/sign-in/")
    page.get_by_role("button", name="Accountant").click()
    wrong = []
    for width in (1024, 640):
        page.set_viewport_size({"width": width, "height": 700})
        for address in NARROW:
            page.goto(address)
            page.wait_for_function(STILL)
            over = page.evaluate("document.documentElement.scrollWidth - innerWidth")
            wrong += [f"{address} at {width}: {over} pixels over"] if over > 0 else []
    assert not wrong, "\n".join(wrong)


def test_who_sees_a_part_and_what_comes_on_paper(page):
    """A reader of some departments meets nothing to stumble over either; printed, a screen is what it shows, within the
    sheet and without what one presses."""
    page.goto("/sign-in/")
    page.get_by_role("button", name="Ships lead").click()
    page.wait_for_load_state()
    wrong = judged(page, [f"/month/?{WHERE}", STATEMENT, f"{STATEMENT}&panel=line&row=fuel", f"/ledger/?{WHERE}"])
    assert not wrong, "\n".join(wrong)
    page.context.clear_cookies()
    page.goto("/sign-in/")
    page.get_by_role("button", name="Accountant").click()
    page.set_viewport_size({"width": 1032, "height": 700})  # a sheet of A4 across, less its margins
    for address in PRINTED:
        page.emulate_media(media="screen")
        page.goto(address)
        page.wait_for_function(STILL)
        page.emulate_media(media="print")
        shown = page.locator(":is(.bar, .foot, .tabs, .panel, .button, .firsthint) >> visible=true")
        assert shown.count() == 0, (address, shown.first.inner_text())
        table = page.locator("main table >> visible=true").first.bounding_box()
        assert table and table["x"] + table["width"] < 1036, (address, table)
