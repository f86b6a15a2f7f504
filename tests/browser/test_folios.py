"""Three people take a folio of eight sections from its outline to the finished PDF; each state's refusals are tried."""

from __future__ import annotations

import io
from pathlib import Path

import pypdfium2
import pytest
from docx import Document
from playwright.sync_api import Page, expect

from rulka.folios.models import FolioJob, Section
from rulka.folios.output import background
from rulka.formats.writing import suite
from tests.browser.test_variances import another, sign_in
from tests.formats.writing.world import own_slides, own_word_file, saved

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]

OUTLINE = """folio: year
title: Year report
period: 2027-P07
node: TF
owner: accountant
take back: "yes"
sections:
  - {section: results, title: Results, kind: overview, of: group, part: strip, writers: [accountant]}
  - {section: words, title: The year in words, writers: [accountant], reviewers: [controller]}
  - section: ships
    title: Ships
    writers: [ships-lead]
    reviewers: [controller]
    begins: |
      {{statement:per-sailing|fuel,fuel-for-each-sailing|months-total,before}}

      Fuel cost {{statement:per-sailing|fuel|months-total}} EUR.
  - {section: income, title: Income statement, kind: statement, of: income-statement, writers: [accountant]}
  - {section: crossings, title: Crossings, writers: [ships-lead], reviewers: [controller]}
  - section: sheet
    title: Income of departments
    kind: worksheet
    of: income-of-departments
    part: "Income!A4:F12"
    writers: [accountant]
  - {section: loans, title: Loans, kind: extract, of: loan-interest, writers: [accountant]}
  - {section: slides, title: Meeting, kind: slides, writers: [controller]}
"""


def go(page: Page, section: str, more: str = "") -> None:
    page.goto(f"/folios/year-report/?ledger=ternwick&section={section}{more}")


def step(page: Page, name: str) -> None:
    page.locator(f"#step-{name}").click()
    page.wait_for_load_state()


def state(page: Page, section: str):
    return page.locator(f"#section-{section} .state")


def upload(page: Page, name: str, data: bytes) -> None:
    page.locator("#upload-file").set_input_files({"name": name, "mimeType": "application/octet-stream", "buffer": data})
    page.locator("#upload-now").click()


def downloaded(page: Page, selector: str, folder: Path) -> bytes:
    with page.expect_download() as caught:
        page.locator(selector).click()
    path = folder / caught.value.suggested_filename
    caught.value.save_as(path)
    return path.read_bytes()


def _opened_by_who_keeps_it(page: Page, lead):
    """Nobody writes before it is opened; only who keeps it opens it."""
    go(lead, "ships")
    expect(lead.locator("#step-hold")).to_have_count(0)
    expect(lead.locator("#open-folio")).to_have_count(0)
    go(page, "results")
    page.locator("#open-folio").click()
    expect(page.locator("#close-folio")).to_be_visible()
    page.locator("#close-folio").click()
    expect(page.locator("#problem")).to_contain_text("8 sections aren't done")


def _written_with_a_live_figure(lead, controller):
    """The lead's month page leads there; they write here, with a live figure, and keep it."""
    lead.goto("/month/?ledger=ternwick")
    lead.get_by_role("link", name="Ships in Year report").click()
    expect(lead.locator("#main[data-keys]")).to_be_visible()
    lead.wait_for_load_state()
    lead.keyboard.press("e")
    expect(lead.locator("#written .ProseMirror")).to_be_focused()
    expect(lead.locator("#written .live")).to_have_text("2 636 690".replace(" ", "\u00a0"))
    lead.keyboard.press("Control+End")
    lead.keyboard.type(" The hedge ran out in May.")
    lead.keyboard.press("Enter")
    lead.locator("#place-figure").click()
    lead.locator("#places select[name=of]").select_option("per-sailing")
    lead.locator("#places option[value=fuel-for-each-sailing]").wait_for(state="attached")
    lead.locator("#places select[name=row]").select_option("sailings")
    lead.locator("#places select[name=column]").select_option("months-total")
    lead.locator("#put-figure").click()
    expect(lead.locator("#written .live").nth(1)).to_have_text("4\u00a0973")
    lead.keyboard.type(" sailings; fuel for each sailing was 612.50 EUR.")
    expect(lead.locator("#keep-state")).to_contain_text("Kept at")
    # others see nothing of it, and can't hold it
    go(controller, "ships")
    expect(controller.locator("#paper")).not_to_contain_text("hedge")
    expect(state(controller, "ships")).to_have_text("held")
    expect(controller.locator("#step-hold")).to_have_count(0)


def _made_live_and_handed_in(lead, controller):
    """A typed number that contradicts the folio is pointed out, and made live."""
    lead.locator("#keep-now").click()
    expect(lead.locator(".typed.contradicts")).to_contain_text("612.50")
    lead.locator("[data-live]").first.click()
    expect(lead.locator("#written .live").nth(2)).to_have_text("530.20")
    expect(lead.locator(".typed")).to_have_count(0)
    lead.locator("#step-release").click()
    go(controller, "ships")
    expect(controller.locator("#paper")).to_contain_text("The hedge ran out in May.")
    go(lead, "ships", "&write=yes")
    lead.locator("#written .ProseMirror").click()
    lead.keyboard.press("Control+End")
    lead.keyboard.type(" Half a thought")
    expect(lead.locator("#keep-state")).to_contain_text("Kept at")
    step(lead, "give-up")  # what was, is back
    expect(lead.locator("#paper")).not_to_contain_text("Half a thought")
    expect(state(lead, "ships")).to_have_text("released")
    step(lead, "hold")
    step(lead, "hand-in")
    expect(state(lead, "ships")).to_have_text("in review")
    expect(lead.locator("#step-hold")).to_have_count(0)


def _reviewed_and_sent_back(lead, controller):
    """Review: a remark at a place, sent back with a reason, handed in again, accepted."""
    go(controller, "ships")
    expect(controller.locator("#step-accept")).to_be_visible()
    controller.locator("#step-send-back").click()
    expect(controller.locator("#problem")).to_contain_text("Write a reason")
    controller.locator("#paper").get_by_text("The hedge ran out").select_text()
    expect(controller.locator("#quote")).not_to_have_value("")
    controller.locator("#remark textarea").fill("with whom?")
    controller.locator("#keep-remark").click()
    controller.locator("#reasons textarea").fill("name the hedge")
    step(controller, "send-back")
    expect(state(controller, "ships")).to_have_text("sent back")
    go(lead, "ships")
    expect(lead.locator("#panel")).to_contain_text("Sent back: name the hedge")
    expect(lead.locator(".remark")).to_contain_text("with whom?")


def _written_elsewhere_and_accepted(tmp_path, lead, controller):
    """Now elsewhere: the file goes out, comes back with a line more, its figures still live."""
    step(lead, "hold")
    data = downloaded(lead, "#take-file", tmp_path)
    docx = Document(io.BytesIO(data))
    assert [one.text for one in docx.comments] == ["with whom?"]
    docx.add_paragraph("The hedge was with Norrbank.")
    upload(lead, "ships.docx", saved(docx))
    expect(lead.locator("#told")).to_contain_text("4 live places found again")
    expect(lead.locator("#paper")).to_contain_text("Yours alone")
    step(lead, "hand-in")
    go(controller, "ships")
    expect(controller.locator("#paper")).to_contain_text("with Norrbank")
    step(controller, "accept")
    expect(state(controller, "ships")).to_have_text("done")
    expect(controller.locator("#paper")).to_contain_text("Its figures stay as they were")
    expect(controller.locator("#step-hold")).to_have_count(0)


def _in_styles_of_its_own(lead, controller):
    """A file that is none changes nothing; one that differs from the master is chosen for, both ways."""
    go(lead, "crossings")
    step(lead, "hold")
    lead.locator("#keep-now").wait_for()
    upload(lead, "crossings.docx", b"no word file")
    expect(lead.locator("#problem")).to_contain_text("whatever its name says")
    upload(lead, "crossings.docx", own_word_file(across=True))
    expect(lead.locator("#styles")).to_contain_text("size: 31 pt, master 17 pt")
    go(lead, "crossings")
    step(lead, "hand-in")
    expect(lead.locator("#problem")).to_contain_text("differs from the master")
    go(lead, "crossings", "&panel=style")
    lead.locator("#take-all").click()
    lead.get_by_label("Heading 1").select_option("keep")
    lead.locator("#keep-styles").click()
    go(lead, "crossings")
    step(lead, "hand-in")
    go(controller, "crossings")
    step(controller, "accept")


def _all_done_and_one_taken_back(page: Page, lead, controller):
    """Figures alone, slides, words; then all is done, and one section is taken back and done again."""
    for key in ("results", "income", "sheet", "loans"):
        go(page, key)
        step(page, "hand-in")
        expect(state(page, key)).to_have_text("done")
    go(controller, "slides")
    step(controller, "hold")
    upload(controller, "meeting.pptx", own_slides(("Outlook", "Asks")))
    go(controller, "slides", "&panel=style")
    controller.locator("#take-all").click()
    go(controller, "slides")
    step(controller, "hand-in")
    go(page, "words")
    step(page, "hold")
    page.locator("#written .ProseMirror").click()
    page.keyboard.type("A good year.")
    step(page, "hand-in")
    expect(state(page, "words")).to_have_text("in review")
    go(controller, "words")
    step(controller, "accept")
    expect(controller.locator("#foot")).to_contain_text("8 of 8 done")
    go(lead, "ships")
    lead.locator("#step-take-back").click()
    expect(lead.locator("#problem")).to_contain_text("Write a reason")
    lead.locator("#reasons textarea").fill("a slip")
    step(lead, "take-back")
    expect(state(lead, "ships")).to_have_text("sent back")
    step(lead, "hold")
    step(lead, "hand-in")
    go(controller, "ships")
    step(controller, "accept")


def _another_period(page: Page, lead):
    """The period moves on, and nothing of what is done."""
    go(page, "income")
    before = page.locator("#text").inner_text()
    go(page, "income", "&arrange=yes&panel=about")
    page.locator("#folio-period").fill("2027-P06")
    page.locator("#keep-about").click()
    go(page, "income")
    expect(page.locator(".sectionlist header")).to_contain_text("September 2026")
    assert page.locator("#text").inner_text() == before
    page.locator("#close-folio").click()
    expect(page.locator("#open-again")).to_be_visible()
    go(lead, "ships")
    expect(lead.locator("#step-take-back")).to_have_count(0)


def _the_whole_as_pdf(page: Page, tmp_path):
    """The whole as PDF, made in the background."""
    go(page, "income")
    page.locator("#whole-as").click()
    page.locator("#whole-pdf").click()
    expect(page.locator("#progress")).to_contain_text("waits its turn")
    background.make(FolioJob.objects.get().pk)
    assert FolioJob.objects.get().state == "ready", FolioJob.objects.get().problem
    page.locator("#take").wait_for()
    pdf = pypdfium2.PdfDocument(downloaded(page, "#take", tmp_path))
    words = [pdf[at].get_textpage().get_text_bounded() for at in range(len(pdf))]
    assert [item.get_title() for item in pdf.get_toc()][:3] == ["1 Results", "2 The year in words", "3 Ships"]
    pdf.close()
    assert f"Page 1 of {len(words)}" in words[0] and any("with Norrbank" in one for one in words)
    assert set(Section.objects.filter(folio__name="year-report").values_list("state", flat=True)) == {"done"}


def test_three_people_from_outline_to_done(page: Page, browser, live_server, tmp_path, monkeypatch):
    monkeypatch.setattr(suite, "suite", lambda form="docx": "")  # its pages: slow tests of formats
    sign_in(page, "Accountant")
    page.goto("/folios/?ledger=ternwick&period=2027-P07&node=TF")
    page.get_by_label("Title of the new folio").fill("Year report")
    page.locator("#new-folio").click()
    page.locator("#new-title").fill("First")
    page.locator("#add-section-now").click()
    expect(page.locator("#section-first")).to_contain_text("First")
    page.get_by_role("link", name="Text", exact=True).click()
    page.locator("#folio-text").fill(OUTLINE)
    page.locator("#keep-text").click()
    expect(page.locator(".sections li")).to_have_count(8)
    lead, controller = another(browser, live_server, "Ships lead"), another(browser, live_server, "Controller")
    _opened_by_who_keeps_it(page, lead)
    _written_with_a_live_figure(lead, controller)
    _made_live_and_handed_in(lead, controller)
    _reviewed_and_sent_back(lead, controller)
    _written_elsewhere_and_accepted(tmp_path, lead, controller)
    _in_styles_of_its_own(lead, controller)
    _all_done_and_one_taken_back(page, lead, controller)
    _another_period(page, lead)
    _the_whole_as_pdf(page, tmp_path)
