"""A dispatch is made with a figure in its subject, rehearsed, released by a second person, arrives, goes to one again;
it is given a rule by which it goes by itself; a link is called back."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from django.utils import timezone
from playwright.sync_api import Page, expect

from rulka.dispatch.models import Looked
from rulka.dispatch.running.schedule import look
from rulka.dispatch.running.tasks import run_waiting
from rulka.people.library.persons import person_named, set_mail
from standins.mail_server import MailServer
from tests.browser.test_variances import another

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]
WHERE = "ledger=ternwick&period=2027-P07&node=TF"


@pytest.fixture
def server(settings, live_server):
    with MailServer() as server:
        settings.MAIL_HOST, settings.MAIL_PORT = "127.0.0.1", server.port
        settings.MAIL_FROM, settings.ADDRESS = "rulka@ternwick.example", live_server.url
        yield server


def _what_goes_to_whom(page: Page):
    """What goes, to whom."""
    page.get_by_label("Add", exact=True).select_option("statement income-statement")
    page.get_by_label("workbook", exact=True).check()
    page.get_by_label("Node, several").fill("TF")
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.locator(".entry")).to_contain_text("Income statement")
    page.get_by_role("link", name="Who").click()
    page.get_by_label("Add", exact=True).select_option("person director")
    page.get_by_label("Their node").fill("TF")
    page.get_by_role("button", name="Add", exact=True).click()
    page.get_by_role("button", name="Take out accountant").or_(
        page.get_by_role("button", name="Take out Accountant")
    ).click()
    expect(page.locator(".entry")).to_have_count(1)


def _the_letter_and_a_link(page: Page):
    """A figure in the subject, a link beside the mail."""
    page.get_by_role("link", name="Letter").click()
    page.get_by_label("Subject").fill("{node}, {period}: result")
    page.get_by_label("Text:").fill("Dear **{name}**,\n\nthe pack is here: {link}")
    page.locator("button[value=set-way]").first.click()
    page.get_by_label("Figure, table or name").select_option(label="Result for the period, Actual")
    page.get_by_role("button", name="Insert").click()
    expect(page.get_by_label("Subject")).to_have_value(
        "{node}, {period}: result {figure income-statement / result-for-the-period / actual}"
    )
    page.get_by_label("Subject").fill("{node}, {figure income-statement / nothing / actual}")
    page.locator("button[value=set-way]").first.click()
    page.get_by_label("Add a way").select_option("link")
    page.get_by_label("Its name").fill("library")
    page.locator("button[value=add-way]").click()
    expect(page.locator(".way", has_text="library")).to_be_visible()


def _rehearsed_twice(page: Page, server):
    """A line that isn't there stops what names it."""
    page.get_by_role("button", name="Rehearse", exact=True).click()
    expect(page.locator("#rehearsing")).to_be_visible()
    run_waiting.call()
    expect(page.locator(".deliveries")).to_contain_text("{figure income-statement / nothing / actual} has no value")
    page.get_by_role("link", name="Letter").click()
    page.get_by_label("Subject").fill("{node}: {figure income-statement / result-for-the-period / actual}")
    page.locator("button[value=set-way]").first.click()
    page.get_by_role("button", name="Rehearse again").click()
    expect(page.locator("#rehearsing")).to_be_visible()
    run_waiting.call()
    expect(page.locator(".deliveries tbody tr")).to_have_count(2)
    expect(page.locator(".letter")).to_contain_text("Ternwick Ferries: 109.1")
    with page.expect_download() as taken:
        page.locator(".letter .file a").first.click()
    assert taken.value.suggested_filename == "Income statement-TF-2027-P07.xlsx" and not server.arrived


def _released_by_a_second_person(page: Page, browser, live_server, server):
    """A second person releases."""
    page.get_by_role("link", name="When").click()
    page.get_by_label("Only once a second person").check()
    page.locator("button[value=release]").click()
    page.get_by_role("button", name="Ask for release").click()
    expect(page.locator("#moving")).to_be_visible()
    run_waiting.call()
    expect(page.locator("#state")).to_contain_text("It waits for release")
    controller = another(browser, live_server, "Controller")
    controller.goto(f"/dispatch/?{WHERE}")
    controller.get_by_role("link", name="Look and release").click()
    expect(controller.locator(".letter")).to_contain_text("109.1")
    controller.get_by_role("button", name="Release it").click()
    expect(controller.locator("main")).not_to_contain_text("waits for your release")
    run_waiting.call()
    page.reload()
    expect(page.locator("#foot")).to_contain_text("All arrived")
    (arrived,) = server.arrived
    assert arrived.to == ["director@ternwick.example"]
    assert arrived.message["Subject"] == "Ternwick Ferries: 109.1"
    return arrived


def _sent_again(page: Page, server):
    """To one again, with the same identity."""
    page.get_by_role("button", name="Send again to Director by mail").click()
    run_waiting.call()
    expect(page.locator(".state-delivered")).to_have_count(2)
    assert len({one.message["Message-ID"] for one in server.arrived}) == 1 and len(server.arrived) == 2


def _the_link_opened_and_called_back(page: Page, browser, live_server, arrived):
    """Who got the link opens it, until it is called back."""
    director = another(browser, live_server, "Director")
    link = arrived.message.get_body(("plain",)).get_content().split("here: ")[1].strip()
    director.goto(f"{link}?{WHERE}")
    with director.expect_download():
        director.get_by_role("link", name="Income statement-TF-2027-P07.xlsx").click()
    page.get_by_role("button", name="Call back the link to Director").click()
    expect(page.locator(".state-recalled")).to_have_count(1)
    director.goto(f"{link}?{WHERE}")
    expect(director.locator("main")).to_contain_text("This link was called back")


def _by_itself(page: Page):
    """By itself, on the third working day."""
    page.get_by_role("link", name="Board papers").click()
    page.get_by_role("link", name="When").click()
    page.get_by_label("By itself").fill("each month on working day 99 at 08:00")
    page.locator("button[value=add-rule]").click()
    expect(page.locator("#problem")).to_contain_text("99 is out of range")
    page.get_by_label("By itself").fill("each month on working day 3 at 08:00")
    page.locator("button[value=add-rule]").click()
    expect(page.locator(".entry")).to_contain_text("next ")
    now = timezone.now()
    month = (now.replace(day=1) + timedelta(days=32)).replace(day=1)
    Looked.objects.update(until=now)
    assert look(datetime(month.year, month.month, 12, tzinfo=UTC)) == 1
    run_waiting.call()
    page.reload()
    row = page.locator("table", has_text="Delivered").locator("tbody tr").first
    expect(row).to_contain_text("by itself")
    expect(row).to_contain_text("waits for release")


def test_a_dispatch_from_its_making_to_the_link_called_back(page: Page, browser, live_server, server):
    for name in ("director", "accountant"):
        set_mail(person_named(name), f"{name}@ternwick.example")
    page = another(browser, live_server, "Accountant")
    page.goto(f"/dispatch/?{WHERE}")
    page.get_by_label("Title of the new dispatch").fill("Board papers")
    page.get_by_role("button", name="New dispatch").click()
    expect(page.get_by_role("heading", name="Board papers", level=1)).to_be_visible()
    _what_goes_to_whom(page)
    _the_letter_and_a_link(page)
    _rehearsed_twice(page, server)
    arrived = _released_by_a_second_person(page, browser, live_server, server)
    _sent_again(page, server)
    _the_link_opened_and_called_back(page, browser, live_server, arrived)
    _by_itself(page)
