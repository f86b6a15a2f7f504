"""Somebody is invited, given bounds through a group, looked at through their eyes; they sign in with two steps, change
their settings, and are let in no longer while signed in."""

from __future__ import annotations

import time

import pyotp
import pytest
from playwright.sync_api import Page, expect

from tests.browser.test_variances import another

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]
WHERE = "ledger=ternwick&period=2027-P07&node=TF"
PHRASE = "seven ferries at dawn"
CREW = "TQ"


def _a_group_without_lines(page: Page):
    """A group that sees one company, and no journal lines."""
    page.goto("/people/")
    page.get_by_label("New group").fill("Quay team")
    page.get_by_role("button", name="Make it").click()
    page.get_by_text("Let them see a ledger").click()
    page.get_by_label("Node: an entity").fill("nowhere")
    page.get_by_role("button", name="Let them see it").click()
    expect(page.locator("#problem")).to_contain_text("There is no node 'nowhere'")
    expect(page.get_by_label("Node: an entity")).to_have_value("nowhere")
    page.get_by_label("Node: an entity").fill(CREW)
    page.get_by_label("How deep they get").select_option("accounts")
    page.get_by_role("button", name="Let them see it").click()
    expect(page.locator("main")).to_contain_text(f"node {CREW}, accounts only")


def _somebody_new(page: Page):
    """Somebody new, in that group."""
    page.goto("/people/")
    page.get_by_label("Signs in as").fill("mira")
    page.get_by_label("Called").fill("Mira Holm")
    page.get_by_label("Role").select_option("lead")
    page.get_by_label("Quay team").check()
    page.get_by_role("button", name="Invite").click()
    link = page.locator("#link code").inner_text()
    return link


def _she_takes_her_place(browser, live_server, link):
    """She takes her place, once."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=live_server.url)
    mira = context.new_page()
    mira.goto(link)
    expect(mira.locator("main")).to_contain_text("Welcome, Mira Holm")
    mira.get_by_label("Password", exact=True).fill(PHRASE)
    mira.get_by_label("The same again").fill(PHRASE)
    mira.get_by_role("button", name="Take my place").click()
    mira.get_by_label("Name").fill("mira")
    mira.get_by_label("Password").fill(PHRASE)
    mira.get_by_role("button", name="Sign in").click()
    expect(mira.locator("#part")).to_contain_text("Part of the whole: entity")
    used = context.new_page()
    used.goto(link)
    expect(used.locator("#problem")).to_contain_text("used already")
    used.close()
    return context, mira


def _her_second_step(mira):
    """She sets her second step up, and how she reads."""
    mira.get_by_role("button", name="Mira Holm").click()
    mira.get_by_role("link", name="My settings").click()
    mira.get_by_role("button", name="Begin", exact=True).click()
    expect(mira.get_by_alt_text("The key as a picture to scan")).to_be_visible()
    codes = pyotp.TOTP(mira.locator("p:has-text('Key:') code").inner_text().replace(" ", ""))
    mira.get_by_label("First code").fill("000000")
    mira.get_by_role("button", name="Confirm").click()
    expect(mira.locator("#problem")).to_contain_text("isn't the code of this moment")
    mira.get_by_label("First code").fill(codes.now())
    mira.get_by_role("button", name="Confirm").click()
    expect(mira.locator("main")).to_contain_text("After the password you type a code.")
    mira.get_by_label("Days").select_option("26.11.2026")
    mira.get_by_label("Figures on the screen").select_option("1.234.567,89")
    mira.get_by_label("First page").select_option("Trial balance")
    mira.get_by_label("single letters are keys").uncheck()
    mira.get_by_role("button", name="Keep").click()
    return codes


def _out_and_in_again(mira, codes):
    """Out, and in again with both steps."""
    mira.get_by_role("button", name="Mira Holm").click()
    mira.get_by_role("button", name="Sign out").click()
    mira.get_by_label("Name").fill("mira")
    mira.get_by_label("Password").fill(PHRASE)
    mira.get_by_role("button", name="Sign in").click()
    expect(mira.get_by_role("heading", name="Your code of this moment")).to_be_visible()
    mira.get_by_label("Six digits").fill(codes.at(codes_later(codes)))
    mira.keyboard.press("Enter")
    mira.wait_for_url("**/trial-balance/**")
    mira.goto(f"/ledger/trial-balance/?ledger=ternwick&period=2027-P07&node={CREW}")
    figure = mira.locator("td.n").filter(has_text=",").first
    assert "," in figure.inner_text() and "." not in figure.inner_text().rpartition(",")[2]
    mira.goto("/ledger/journal/?ledger=ternwick")
    expect(mira.locator("main")).to_contain_text("You see accounts only")
    mira.goto(f"/ledger/trial-balance/?ledger=ternwick&node={CREW}")
    mira.keyboard.press("?")
    mira.keyboard.press(",")
    expect(mira.locator("#period-open")).to_contain_text("October 2026")


def _seen_through_her_eyes(page: Page):
    """The administrator looks through her eyes: reads, changes nothing."""
    page.goto("/people/person/mira/")
    page.get_by_role("button", name="Look through their eyes").click()
    expect(page.locator(".looking")).to_contain_text("Through the eyes of Mira Holm")
    page.goto("/ledger/journal/?ledger=ternwick")
    expect(page.locator("main")).to_contain_text("You see accounts only")
    page.goto("/people/mine/")
    page.get_by_role("button", name="Keep").click()
    expect(page.locator("main")).to_contain_text("only reads")
    page.go_back()
    page.get_by_role("button", name="Stop looking").click()
    page.goto("/people/record/?what=looked")
    expect(page.locator("main tbody")).to_contain_text("mira")


def _she_leaves(page: Page, context, mira):
    """She leaves while she is signed in."""
    page.goto("/people/person/mira/")
    page.locator("select[name=heir]").select_option("accountant")
    page.get_by_role("button", name="Deactivate").click()
    expect(page.locator("main")).to_contain_text("deactivated")
    mira.reload()
    expect(mira.get_by_role("heading", name="Sign in")).to_be_visible()
    mira.get_by_label("Name").fill("mira")
    mira.get_by_label("Password").fill(PHRASE)
    mira.get_by_role("button", name="Sign in").click()
    expect(mira.locator(".problem")).to_be_visible()
    context.close()


def test_somebody_comes_signs_in_with_two_steps_and_leaves(page: Page, browser, live_server):
    # a page of their own: what is refused on purpose stands in the browser's console
    page = another(browser, live_server, "Administrator")
    _a_group_without_lines(page)
    link = _somebody_new(page)
    context, mira = _she_takes_her_place(browser, live_server, link)
    codes = _her_second_step(mira)
    _out_and_in_again(mira, codes)
    _seen_through_her_eyes(page)
    _she_leaves(page, context, mira)


def codes_later(codes: pyotp.TOTP) -> int:
    """A moment whose code was not used yet and is taken already: the one after the last."""
    return int(time.time()) + codes.interval
