"""Somebody begins a filing, tags three lines, sees what is left, takes the proposals, exports, and reads the facts
back."""

from __future__ import annotations

from decimal import Decimal

import pytest
from playwright.sync_api import Page, expect

from demo.taxonomy import package
from rulka.filings.models import FilingJob
from rulka.filings.output import background
from rulka.formats.filings.apart import judged_apart
from tests.browser.test_variances import sign_in

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]


def _three_lines_tagged(page: Page):
    """The first line by search, with the keyboard alone."""
    page.locator("#tags [data-row]").first.focus()
    page.keyboard.press("Enter")
    expect(page.locator("#panel h2")).to_have_text("Foot passengers")
    page.keyboard.press("s")
    page.keyboard.type("fares foot")
    expect(page.locator("#found [data-concept]")).to_have_count(1)
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    expect(page.locator("#concept")).to_have_value("coast:PassengerFares")
    page.keyboard.press("Enter")
    # it goes on to the next line without a tag; its proposal comes first
    expect(page.locator("#panel h2")).to_have_text("Vehicles")
    page.locator("#found [data-concept]").first.click()
    expect(page.locator("#concept")).to_have_value("coast:VehicleFares")
    page.locator("#tag").click()
    expect(page.locator("#panel h2")).to_have_text("Season cards")
    # a wrong word is refused beside what was typed
    page.locator("#concept").fill("coast:Seasons")
    page.locator("#tag").click()
    expect(page.locator("#problem")).to_contain_text("no concept 'coast:Seasons'")
    expect(page.locator("#concept")).to_have_value("coast:Seasons")
    page.locator("#tags [data-row]", has_text="Fuel").click()
    page.locator("#found [data-concept]").first.click()
    page.locator("#tag").click()
    expect(page.locator("#tags tr", has_text="Fuel").locator(".as")).to_have_text("Fuel turned")
    expect(page.locator(".sections .chosen .state")).to_have_text("3 of 20")


def _what_is_left_by_its_cause(page: Page):
    """What is left, each one click from its cause."""
    page.get_by_role("link", name="Checks", exact=True).click()
    left = page.locator("#check-tagged .causes a")
    expect(left.filter(has_text="'Interest' isn't tagged")).to_have_count(1)
    left.filter(has_text="column 'FY2025'").click()
    expect(page.locator("#panel h2")).to_have_text("FY2025")
    page.locator("#leave-column").click()
    page.locator("thead a", has_text="FY2026").click()
    page.locator("#report-column").click()
    expect(page.locator("#tags thead")).to_contain_text("left out")
    page.get_by_role("link", name="Files", exact=True).click()
    page.locator("#make-xbrl").click()
    expect(page.locator("#problem")).to_contain_text("Every figure is tagged or left out")


def _the_rest_by_proposal(page: Page):
    """The rest by proposal; the others are left out of the folio's filing."""
    page.locator("#take-proposals").click()
    expect(page.locator(".sections .chosen .state")).to_have_text("20 of 20")
    page.get_by_role("link", name="About", exact=True).click()
    page.get_by_label("Who files: scheme").fill("http://registry.saltmarch.example/companies")
    page.get_by_label("Identifier").fill("SM-1")
    page.locator("#keep-about").click()
    for part, columns in (("Balance sheet", ("End of March 2026", "End of March 2025")),
                          ("Fares and sailings", ("North", "Islands", "Sound", "All crossings"))):  # fmt: skip
        page.locator(".sections a", has_text=part).click()
        page.locator("#take-proposals").click()
        if part == "Balance sheet":
            page.locator("#tags [data-row]", has_text="Total ships and terminals").click()
            page.locator("#concept").fill("coast:FixedAssets")
            page.locator("#tag").click()
        for column in columns:
            page.locator("thead a", has_text=column).click()
            last = column in ("Islands", "North", "Sound", "End of March 2025")
            page.locator("#leave-column" if last else "#report-column").click()
    page.get_by_role("link", name="Checks", exact=True).click()
    expect(page.locator("#panel .verdict")).to_have_text("All checks hold: it can be filed.")


def _filed_and_read_back(page: Page, tmp_path):
    """The file, and what a reader apart finds in it."""
    page.get_by_role("link", name="Files", exact=True).click()
    page.locator("#make-ixbrl").click()
    expect(page.locator("#progress")).to_be_visible()
    background.make(FilingJob.objects.get().pk)
    expect(page.locator("#ready")).to_contain_text("It can be filed")
    with page.expect_download() as caught:
        page.locator("#take").click()
    path = tmp_path / caught.value.suggested_filename
    caught.value.save_as(path)
    read = judged_apart(path.read_bytes(), "ixbrl", package(2026))
    facts = {one["concept"]: Decimal(one["value"]) for one in read["facts"] if one["unit"] and not one["members"]}
    assert read["messages"] == [] and path.name == "mine-2026-P12.xhtml"
    assert facts["coast:PassengerFares"] == Decimal("6051876.48")
    assert facts["coast:VehicleFares"] == Decimal("8924508.26") and facts["coast:Fuel"] == Decimal("3586523.47")
    page.goto(path.as_uri())  # a browser shows it as it is
    expect(page.locator("body")).to_contain_text("3 586 523.47".replace(" ", "\u00a0"))


def test_three_lines_are_tagged_what_is_left_is_seen_and_the_facts_are_read_back(page: Page, tmp_path):
    sign_in(page, "Accountant")
    page.goto("/folios/annual-accounts/?ledger=ternwick")
    page.locator("#whole-as").click()
    page.get_by_role("link", name="File it").click()
    page.get_by_label("Title").fill("Mine")
    page.locator("#filing-taxonomy").select_option("saltmarch-registry-annual-accounts-2026")
    page.locator("#begin-filing").click()
    expect(page.locator("#foot")).to_contain_text("It can't be filed yet")
    _three_lines_tagged(page)
    _what_is_left_by_its_cause(page)
    _the_rest_by_proposal(page)
    _filed_and_read_back(page, tmp_path)
