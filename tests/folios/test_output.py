"""Folios as files and pages: what each form holds, behind whose fence, where it leads, how it goes and comes back."""

from __future__ import annotations

import io
import json
from datetime import datetime, timezone

import pikepdf
import pypdfium2
import pytest
from docx import Document
from pptx import Presentation

from rulka.core.errors import NotFound, RulkaError
from rulka.dispatch.running import noticing
from rulka.dispatch.running.mail import Answer
from rulka.folios.editing.uploading import upload
from rulka.folios.models import FolioJob
from rulka.folios.output import background, making
from rulka.folios.output.asking import ask
from rulka.folios.output.leaving import leave
from rulka.folios.output.making import Making, made
from rulka.folios.output.sending import Folios
from rulka.formats.writing import suite
from rulka.ledger.reading.queries import find_ledger
from rulka.people.library.rights import fence_of
from rulka.statements.output.origins import verify
from rulka.statements.output.sendable import SendRequest
from rulka.work.models import LeftFile
from rulka.work.services import files
from tests.folios.world import address, do, finish, pack, person, row, signed_in, text_of, write
from tests.formats.writing.world import own_slides, own_word_file

pytestmark = pytest.mark.django_db
NOW = datetime(2026, 11, 27, 12, tzinfo=timezone.utc)


@pytest.fixture
def no_suite(monkeypatch):
    """As on a server without an office suite."""
    monkeypatch.setattr(suite, "suite", lambda form="docx": "")


def reading(who: str = "accountant"):
    return background.reading_for(pack(), person(who))


def filled_pack() -> None:
    """A folio with a section of each kind."""
    do("hold", "traffic", "ships-lead")
    upload(pack(), "traffic", own_word_file(across=True), "mine.docx", person("ships-lead"))
    from rulka.folios.editing.acting import choose_styles

    choose_styles(pack(), "traffic", {"all": "keep"}, person("ships-lead"))
    finish("traffic", "ships-lead", "controller")
    do("hold", "board", "controller")
    upload(pack(), "board", own_slides(("Outlook", "Asks")), "board.pptx", person("controller"))
    choose_styles(pack(), "board", {"all": "take"}, person("controller"))
    do("hand in", "board", "controller")


def test_the_whole_as_pdf_has_contents_links_outline_heads_and_page_numbers(ternwick, no_suite):
    filled_pack()
    whole = making.as_whole_pdf(Making(reading(), [], NOW, address=lambda path: f"http://rulka.example{path}"))
    document = pypdfium2.PdfDocument(whole.data)
    words = [document[at].get_textpage().get_text_bounded() for at in range(len(document))]
    assert len(words) == whole.pages and whole.begins[0] == 2
    for number, (title, begins) in enumerate(zip((one["title"] for one in pack().body["sections"]), whole.begins,
                                                 strict=True), 1):  # fmt: skip
        assert title in words[0] and f"Page {begins} of {whole.pages}" in words[begins - 1]
        assert f"{number} {title}" in words[begins - 1] or title == "For the board meeting"  # slides have their own
    assert "Board pack" in words[4] and "TF, Ternwick Ferries group, revision 2" in " ".join(words[4].split())
    outline = [(item.get_title(), item.get_dest().get_index() + 1) for item in document.get_toc()]
    assert [page for _, page in outline] == list(whole.begins) and outline[3][0] == "4 Income statement"
    wide, high = document[whole.begins[3] - 1].get_size()
    assert wide > high  # the income statement lies across
    document.close()
    with pikepdf.open(io.BytesIO(whole.data)) as pdf:
        links = [str(one["/A"]["/URI"]) for page in pdf.pages for one in page.obj.get("/Annots", [])
                 if "/A" in one and "/URI" in one["/A"]]  # fmt: skip
        assert any(link.startswith("http://rulka.example/statements/income-statement/?") for link in links)
        inner = [one for one in pdf.pages[0].obj.Annots if "/Dest" in one]
        assert len(inner) == 8 and inner[0].Dest[0] == pdf.pages[whole.begins[0] - 1].obj


def test_the_whole_as_word_file_keeps_headings_tables_across_and_feet(ternwick, no_suite):
    filled_pack()
    docx = Document(io.BytesIO(made(Making(reading(), [], NOW), "docx")))
    headings = [one.text for one in docx.paragraphs if one.style.name.startswith("Heading 1")]
    ours = ["1 Results at a glance", "2 The month in words", "3 Traffic and crossings"]
    assert headings[:5] == [*ours, "From the ships", "4 Income statement"]
    across = [section.page_width > section.page_height for section in docx.sections]
    assert across == [False, False, False, True, True, False, False, False, True]
    kept = next(one.style for one in docx.paragraphs if one.text == "From the ships")
    assert kept.font.size.pt == 31 and kept.name != "Heading 1"
    assert "own head" in docx.sections[2].header.paragraphs[0].text
    assert "Page" in docx.sections[0].footer.paragraphs[0].text
    income = next(table for table in docx.tables if any(cell.text == "Total income" for row_ in table.rows
                                                        for cell in row_.cells[:1]))  # fmt: skip
    assert len(income.columns) == 10
    assert len(docx.inline_shapes) == 2  # the slides as pictures


def test_slides_alone_as_slides_and_none_refused(ternwick, no_suite):
    with pytest.raises(RulkaError, match="no slides"):
        made(Making(reading(), [], NOW), "pptx")
    filled_pack()
    deck = Presentation(io.BytesIO(made(Making(reading(), [], NOW), "pptx")))
    assert [slide.shapes.title.text for slide in deck.slides] == ["Outlook", "Asks"]


def test_a_page_that_stands_alone_and_plain_data(ternwick, no_suite):
    filled_pack()
    page = made(Making(reading(), [], NOW), "html").decode()
    assert "<script" not in page and page.count("<section id=") == 8 and 'src="data:image/png;base64,' in page
    assert "http" not in page.replace("http://www.w3.org", "")
    plain = json.loads(made(Making(reading(), ["income", "traffic"], NOW), "json"))
    assert [one["section"] for one in plain["sections"]] == ["traffic", "income"]
    assert plain["sections"][0]["state"] == "done" and "From the ships" in plain["sections"][0]["words"]
    rows = plain["sections"][1]["tables"]["statement:income-statement"][0]["rows"]
    assert next(one for one in rows if one["label"] == "Total income")["cells"][4]["value"] == "13336975.95"
    with pytest.raises(NotFound, match="no section 'x'"):
        made(Making(reading(), ["x"], NOW), "json")


def test_each_gets_their_own_figures(ternwick):
    people = "accountant", "ships-lead"
    mine, theirs = (json.loads(made(Making(reading(who), ["income"], NOW), "json")) for who in people)
    total = [next(one for one in told["sections"][0]["tables"]["statement:income-statement"][0]["rows"]
                  if one["label"] == "Total income")["cells"][4]["text"] for told in (mine, theirs)]  # fmt: skip
    assert total == ["13\u00a0337.0", "1\u00a0797.5"]
    page = made(Making(reading("ships-lead"), ["income"], NOW), "html").decode()
    assert "Part of the whole: department Ships" in page


def test_a_file_that_left_is_known_when_it_comes_back(ternwick):
    accountant = person("accountant")
    data = leave(reading(), "html", ["income"], at=NOW)
    left = LeftFile.objects.get()
    assert (left.kind, left.name, left.form) == ("folio", "board-pack", "html") and left.code in data.decode()
    told = verify(data, "pack.html", accountant)
    assert told.state == "untouched" and told.since[0].figures == 0
    changed = data.replace("13\u00a0337.0".encode(), "13\u00a0999.0".encode())
    assert verify(changed, "pack.html", accountant).state == "changed"
    word = leave(reading(), "docx", ["income"], at=NOW)
    assert verify(word, "pack.docx", accountant).state == "untouched"


# in the background ----------------------------------------------------------------------------------------------------


def test_pages_are_made_in_the_background_and_looked_at(ternwick, no_suite, open_database):
    do("hold", "month", "accountant")
    write("month", "accountant", "Only I see this yet. {{statement:income-statement|fuel|actual}}")
    client = signed_in("accountant")
    asked = client.post(address("ask-pages", section="month"), {"form": "preview"})
    job = FolioJob.objects.get()
    assert asked.status_code == 302 and f"/pages/{job.pk}/" in asked["Location"]
    assert "waits its turn" in text_of(client.get(asked["Location"])) and job.draft
    partial = client.get(asked["Location"], headers={"HX-Request": "true"})
    assert b"<html" not in partial.content and b"hx-get" in partial.content
    background.make(job.pk)
    done = client.get(asked["Location"], headers={"HX-Request": "true"})
    assert done["HX-Refresh"] == "true"
    page = client.get(asked["Location"])
    assert "Only I see this yet" in page.content.decode() and 'data-opens="page-3"' in page.content.decode()
    assert 'href="/statements/income-statement/?' in page.content.decode()
    picture = client.get(address("folio-picture", "board-pack", job.pk, 3))
    assert picture["Content-Type"] == "image/png" and picture.content.startswith(b"\x89PNG")
    assert client.get(address("folio-picture", "board-pack", job.pk, 99)).status_code == 404
    assert signed_in("controller").get(address("folio-pages", "board-pack", job.pk)).status_code == 404
    assert ask(pack(), person("accountant"), "pdf", [], preview=True, draft=True).pk != job.pk  # made anew each time
    write("month", "accountant", "Changed.")
    assert ask(pack(), person("accountant"), "pdf", [], preview=True, draft=True).pk != job.pk
    access = person("accountant").accesses.get()
    access.members = {"department": "under:100"}
    access.save()
    assert client.get(address("folio-picture", "board-pack", job.pk, 3)).status_code == 404


def test_a_section_alone_and_a_file_to_take(ternwick, no_suite, settings):
    settings.ADDRESS = "https://rulka.example/"
    client = signed_in("controller")
    client.post(address("ask-pages"), {"form": "pdf", "key": "income"})
    job = FolioJob.objects.get()
    background.make(job.pk)
    answer = client.get(address("take-folio", "board-pack", job.pk))
    assert answer["Content-Disposition"] == 'attachment; filename="board-pack-2027-P07.pdf"'
    document = pypdfium2.PdfDocument(answer.content)
    assert len(document) == 1 and "Origin" not in document[0].get_textpage().get_text_bounded()
    document.close()
    with pikepdf.open(io.BytesIO(answer.content)) as pdf:
        assert str(pdf.docinfo["/Keywords"]).startswith("Origin R-")
    assert LeftFile.objects.get(kind="folio").person_name == "Controller"
    assert "no file as 'exe'" in text_of(client.post(address("ask-pages"), {"form": "exe"}))
    FolioJob.objects.update(state="waiting")
    client.post(address("stop-pages", "board-pack", job.pk))
    assert FolioJob.objects.get().state == "cancelled"


def test_what_can_t_be_made_says_why_and_what_a_dead_worker_left_is_taken_up(ternwick, monkeypatch):
    job = ask(pack(), person("accountant"), "pptx", [])
    background.make(job.pk)
    assert FolioJob.objects.get().state == "failed" and "no slides" in FolioJob.objects.get().problem
    assert "no slides" in text_of(signed_in("accountant").get(address("folio-pages", "board-pack", job.pk)))
    from rulka.folios.output.asking import recover

    FolioJob.objects.update(state="running", worker="gone:1")
    monkeypatch.setattr("rulka.work.services.jobs.is_left", lambda worker, own=False: True)
    assert recover(False) == 1 and FolioJob.objects.get().state == "waiting"
    FolioJob.objects.update(cancel=True)
    background.make(job.pk)
    assert FolioJob.objects.get().state in ("cancelled", "failed")


def test_old_pages_go(ternwick, no_suite, settings):
    from datetime import timedelta

    from rulka.folios.output.tidying import forget_old

    job = ask(pack(), person("accountant"), "pdf", ["income"], preview=True)
    background.make(job.pk)
    where = files.find(FolioJob.objects.get().file)
    assert where is not None and forget_old() == 0
    FolioJob.objects.update(ended=NOW - timedelta(days=400))
    assert forget_old() == 1 and not where.exists()


# sent -----------------------------------------------------------------------------------------------------------------


def test_a_folio_is_sent_as_its_recipient_sees_it(ternwick, no_suite):
    lead = person("ships-lead")
    asked = SendRequest(
        find_ledger("ternwick"), lead, fence_of(lead, "ternwick"), "board-pack", "2027-P07", "TF", 2, NOW
    )
    piece = Folios().pieces(asked)[0]
    told = json.loads(piece.content("json"))
    assert told["revision"] == 2 and piece.values["period.code"] == "2027-P07"
    rows = told["sections"][3]["tables"]["statement:income-statement"][0]["rows"]
    assert next(one for one in rows if one["label"] == "Total income")["cells"][4]["text"] == "1\u00a0797.5"
    with pytest.raises(RulkaError, match="is a document"):
        piece.content("xlsx")
    assert ("board-pack", "Board pack") in Folios().names(ternwick, lead)
    from rulka.statements.output.sendable import kind_named

    statement = kind_named("statement").pieces(
        SendRequest(
            find_ledger("ternwick"), lead, fence_of(lead, "ternwick"), "income-statement", "2027-P07", "TF", 2, NOW
        )
    )[0]
    with pytest.raises(RulkaError, match="is a statement"):
        statement.content("docx")


def test_words_go_by_mail_where_a_server_is_set(ternwick, settings, monkeypatch):
    lead = person("ships-lead")
    sent: list[object] = []
    monkeypatch.setattr(type(noticing.send_notice), "enqueue", lambda self, *given: sent.append(given))
    noticing.by_mail(lead, "Subject", "Words", "/folios/board-pack/")
    assert sent == []  # neither a server nor an address
    settings.MAIL_HOST, settings.MAIL_FROM, settings.ADDRESS = (
        "mail.example",
        "rulka@example.org",
        "https://rulka.example",
    )
    lead.email = "lead@example.org"
    lead.save()
    noticing.by_mail(lead, "Subject", "Words", "/folios/board-pack/")
    letters: list[object] = []
    monkeypatch.setattr(noticing, "hand_over", lambda letter: letters.append(letter) or Answer("delivered", "250"))
    noticing.send_notice.func(*sent[0])
    assert letters[0].to == "lead@example.org"
    assert letters[0].text == "Words\n\nhttps://rulka.example/folios/board-pack/"


# commands -------------------------------------------------------------------------------------------------------------


def test_folios_in_and_out_by_command(ternwick, command, tmp_path):
    text = command("dump_folio", "board-pack", ledger="ternwick")
    file = tmp_path / "pack.yaml"
    file.write_text(text)
    assert command("load_folio", file, ledger="ternwick") == "board-pack: version 1, as it was\n"
    file.write_text(text.replace("2027-P07", "2027-P06"))
    assert command("load_folio", file, ledger="ternwick") == "board-pack: version 2\n"
    told = json.loads(command("run_folio", "board-pack", ledger="ternwick", section=["cash"], format="json"))
    assert told["period"] == "2027-P06" and [one["section"] for one in told["sections"]] == ["cash"]
    out = tmp_path / "pack.html"
    command("run_folio", "board-pack", ledger="ternwick", period="2027-P05", format="html", out=out)
    assert "August 2026" in out.read_text() and row("cash").state == "to write"


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("folio: x\nsections: [{title: A, kind: statement, of: s, writers: [nobody]}]", "Nobody signs in as 'nobody'"),
        ("folio: x\nperiod: 2099-P01\nsections: []", "2099-P01"),
        ("folio: x\nrevision: '77'\nsections: []", "Revision 77"),
        ("folio: x\nsections: [{title: A, begins: '{{statement:a|b|c; dozens}}'}]", "no way to write a figure"),
        ("folio: x\nsections: [{kind: text}]", "title"),
        ("folio: begin", "can't be named"),
    ],
)
def test_a_text_that_is_none_is_refused_and_changes_nothing(ternwick, command, tmp_path, text, why):
    from django.core.management.base import CommandError

    from rulka.folios.models import Folio

    file, before = tmp_path / "bad.yaml", Folio.objects.filter(ledger=ternwick).count()
    file.write_text(text)
    with pytest.raises(CommandError, match=why):
        command("load_folio", file, ledger="ternwick")
    assert Folio.objects.filter(ledger=ternwick).count() == before
