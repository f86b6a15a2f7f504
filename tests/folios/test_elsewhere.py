"""Sections written elsewhere: taken, uploaded, chosen for, compared, dropped; opened from a desktop program."""

from __future__ import annotations

import base64
import io
from datetime import timedelta

import pikepdf
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.utils import timezone
from docx import Document
from pptx import Presentation

from rulka.core.errors import RulkaError
from rulka.folios.editing.acting import choose_styles, drop_draft
from rulka.folios.editing.outlining import change
from rulka.folios.editing.uploading import upload, written_elsewhere
from rulka.folios.library.desk import NoRight, make_key, open_key
from rulka.folios.library.masters import set_master
from rulka.folios.models import Content, DeskKey
from rulka.folios.running.comparing import beside_master, compared, words_in
from rulka.formats.writing.docx_read import lines_of, tags_of
from rulka.people.library.rights import fence_of
from rulka.people.models import Recorded
from tests.folios.world import address, do, finish, pack, person, read, row, signed_in, text_of, write
from tests.formats.writing.world import altered, own_slides, own_word_file, saved

pytestmark = pytest.mark.django_db
LEAD = "ships-lead"


def bring(key: str, data: bytes, name: str = "mine.docx", who: str = LEAD, **more):
    return upload(pack(), key, data, name, person(who), **more)


def edited(data: bytes, words: str) -> bytes:
    """The file with a paragraph more, as somebody's program saves it."""
    docx = Document(io.BytesIO(data))
    docx.add_paragraph(words)
    return saved(docx)


def test_a_text_goes_out_comes_back_and_its_figures_stay_live(ternwick):
    do("hold", "traffic", LEAD)
    data, form = written_elsewhere(read("traffic", LEAD, drafts=True))
    assert form == "docx" and len(tags_of(data)) == 3
    made = bring("traffic", edited(data, "The Sound lost a week."))
    assert made.notes == ("3 live places found again",) and made.differs == 0
    before = lines_of(read("traffic", LEAD, drafts=True).file)
    assert before[-1] == "The Sound lost a week." and before[0].startswith("The ships carried 328")
    assert read("traffic", "accountant").lines != before  # nobody else sees it
    do("release", "traffic", LEAD)
    assert "The Sound lost a week." in lines_of(read("traffic", "accountant").file)
    change(pack(), "about", {"period": "2027-P06"}, fence=fence_of(person("accountant"), "ternwick"),
           person=person("accountant"))  # fmt: skip
    after = lines_of(read("traffic", LEAD).file)
    assert after[0] != before[0] and after[0].startswith("The ships carried 2") and after[-1] == before[-1]
    finish("traffic", LEAD, "controller")
    change(pack(), "about", {"period": "2027-P05"}, fence=fence_of(person("accountant"), "ternwick"),
           person=person("accountant"))  # fmt: skip
    assert lines_of(read("traffic", LEAD).file) == after


def test_differences_are_chosen_for_before_it_is_released(ternwick):
    do("hold", "traffic", LEAD)
    made = bring("traffic", own_word_file())
    assert made.differs >= 4
    with pytest.raises(RulkaError, match="differs from the master in .* Choose for each"):
        do("release", "traffic", LEAD)
    with pytest.raises(RulkaError, match="keep it, or to take"):
        choose_styles(pack(), "traffic", {"style:Heading 1": "perhaps"}, person(LEAD))
    choose_styles(pack(), "traffic", {"style:Heading 1": "keep"}, person(LEAD))
    with pytest.raises(RulkaError, match="differs"):
        do("hand in", "traffic", LEAD)
    choose_styles(pack(), "traffic", {"all": "take"}, person(LEAD))
    choose_styles(pack(), "traffic", {"style:Heading 1": "keep"}, person(LEAD))
    do("release", "traffic", LEAD)
    assert row("traffic").released.chosen["style:Heading 1"] == "keep"
    # what was chosen stays chosen for the next upload, for the same differences
    assert bring("traffic", edited(own_word_file(), "More.")).differs == 0


def test_another_master_is_another_difference(ternwick):
    do("hold", "traffic", LEAD)
    bring("traffic", own_word_file())
    assert beside_master(pack(), row("traffic").contents.get())
    with pytest.raises(RulkaError, match="Only who keeps"):
        set_master(pack(), own_word_file(), "ours.docx", "docx", person(LEAD))
    with pytest.raises(RulkaError, match="isn't a word file"):
        set_master(pack(), own_slides(), "ours.pptx", "docx", person("accountant"))
    set_master(pack(), own_word_file(), "ours.docx", "docx", person("accountant"))
    assert beside_master(pack(), row("traffic").contents.get()) == []
    set_master(pack(), None, "", "docx", person("accountant"))
    assert pack().master_names == {} and beside_master(pack(), row("traffic").contents.get())


def test_slides_on_another_master(ternwick):
    do("hold", "board", "controller")
    data, form = written_elsewhere(read("board", "controller", drafts=True))
    assert form == "pptx" and Presentation(io.BytesIO(data)).slides[0].shapes.title.text == "For the board meeting"
    made = bring("board", own_slides(), "theirs.pptx", "controller")
    assert made.differs == 4
    choose_styles(pack(), "board", {"all": "take"}, person("controller"))
    do("hand in", "board", "controller")
    assert row("board").state == "done" and read("board", "director").lines == ["Theirs", "1 234 sailings"]


def test_what_is_uploaded_survives_and_may_be_replaced_compared_and_dropped(ternwick):
    do("hold", "traffic", LEAD)
    bring("traffic", own_word_file())
    first = Content.objects.get(section=row("traffic"), state="draft")
    assert signed_in(LEAD).get(address(section="traffic")).status_code == 200  # a new session
    assert "From the ships" in text_of(signed_in(LEAD).get(address(section="traffic")))
    choose_styles(pack(), "traffic", {"all": "keep"}, person(LEAD))
    do("release", "traffic", LEAD)
    bring("traffic", edited(own_word_file(), "One line more."))
    former, latter = words_in(row("traffic").released), words_in(row("traffic").contents.get(state="draft"))
    assert [(one.kind, one.text) for one in compared(former, latter) if one.kind != "same"] == [
        ("new", "One line more.")
    ]
    drop_draft(pack(), "traffic", person(LEAD))
    assert row("traffic").released.pk == first.pk and read("traffic", LEAD, drafts=True).content.pk == first.pk
    with pytest.raises(RulkaError, match="keep nothing"):
        drop_draft(pack(), "traffic", person(LEAD))


def test_a_former_version_shows_nobody_what_its_writer_saw(ternwick):
    do("hold", "month", "accountant")
    write("month", "accountant", "{{statement:income-statement|income.total|ytd-actual}} in all.")
    data, _ = written_elsewhere(read("month", "accountant", drafts=True))
    assert lines_of(data) == ["13\u00a0337.0 in all."]
    bring("month", data, "month.docx", "accountant")
    do("release", "month", "accountant")
    number = row("month").released_id
    there = address("take-version", "board-pack", "month", number)
    assert lines_of(signed_in("director").get(there).content) == ["13\u00a0337.0 in all."]
    assert lines_of(signed_in(LEAD).get(there).content) == ["1\u00a0797.5 in all."]
    bring("month", edited(data, "More."), "month.docx", "accountant")
    do("release", "month", "accountant")
    assert lines_of(signed_in(LEAD).get(there).content) == ["1\u00a0797.5 in all."]
    compared_page = signed_in(LEAD).get(address("section-versions", "board-pack", "month", former=str(number),
                                                latter=str(row("month").released_id)))  # fmt: skip
    assert "13\u00a0337" not in compared_page.content.decode() and "More." in text_of(compared_page)


def test_two_uploads_at_once_lose_nothing(ternwick):
    do("hold", "traffic", LEAD)
    bring("traffic", own_word_file(), seen=0)
    with pytest.raises(RulkaError, match="another window, or from a desktop program"):
        bring("traffic", edited(own_word_file(), "Second."), seen=0)
    assert "Second." not in words_in(row("traffic").contents.get(state="draft"))
    bring("traffic", edited(own_word_file(), "Second."), seen=1)


def test_what_may_not_be_uploaded_changes_nothing(ternwick):
    with pytest.raises(RulkaError, match="don't hold it"):
        bring("traffic", own_word_file())
    do("hold", "traffic", LEAD)
    for data, name, why in (
        (own_slides(), "a.pptx", "isn't a word file"), (b"PK", "a.docx", "whatever its name says"),
        (altered(own_word_file(), "word/document.xml", bytes, word__vbaProject=b"x"), "a.docx", "macros"),
    ):  # fmt: skip
        with pytest.raises(RulkaError, match=why):
            bring("traffic", data, name)
    assert not row("traffic").contents.exists()
    client = signed_in(LEAD)
    refused = client.post(
        address("upload-section", "board-pack", "traffic"), {"file": SimpleUploadedFile("a.docx", b"PK")}
    )
    assert refused.status_code == 422 and "whatever its name says" in text_of(refused)
    assert "No file came" in text_of(client.post(address("upload-section", "board-pack", "traffic")))


def test_a_finished_section_is_fetched_alone(ternwick):
    do("hold", "traffic", LEAD)
    write("traffic", LEAD, "All of it.")
    finish("traffic", LEAD, "controller")
    answer = signed_in("controller").get(address("take-section", "board-pack", "traffic"))
    assert answer["Content-Disposition"].startswith("attachment") and lines_of(answer.content) == ["All of it."]
    assert "made of figures" in text_of(signed_in("controller").get(address("take-section", "board-pack", "income")))


# from a desktop program -----------------------------------------------------------------------------------------------


def desk(key: str, name: str = "board-pack-traffic.docx") -> str:
    return f"/desk/{key}/{name}"


def test_a_program_reads_locks_saves_and_unlocks(ternwick, django_capture_on_commit_callbacks):
    do("hold", "traffic", LEAD)
    key = make_key(row("traffic"), person(LEAD))
    program = Client()
    found = program.generic("PROPFIND", f"/desk/{key}/", headers={"Depth": "1"})
    assert found.status_code == 207 and b"board-pack-traffic.docx" in found.content
    told = program.options(desk(key))
    assert "1" in told["DAV"] and "LOCK" in told["Allow"]
    with django_capture_on_commit_callbacks(execute=True):
        data = program.get(desk(key))
    assert data.status_code == 200 and lines_of(data.content)[0].startswith("The ships carried")
    assert Recorded.objects.filter(thing="folio board-pack", what="took", detail__contains="by a program").exists()
    body = ('<?xml version="1.0"?><d:lockinfo xmlns:d="DAV:"><d:lockscope><d:exclusive/></d:lockscope>'
            "<d:locktype><d:write/></d:locktype><d:owner>Program</d:owner></d:lockinfo>")  # fmt: skip
    locked = program.generic("LOCK", desk(key), body, "application/xml", headers={"Timeout": "Second-600"})
    assert locked.status_code == 200
    token = locked["Lock-Token"]
    other = program.generic("PUT", desk(key), own_word_file(), "application/octet-stream")
    assert other.status_code == 423
    put = program.generic("PUT", desk(key), edited(data.content, "From a program."), "application/octet-stream",
                          headers={"If": f"({token})"})  # fmt: skip
    assert put.status_code in (200, 201, 204), put.content
    assert program.generic("UNLOCK", desk(key), headers={"Lock-Token": token}).status_code == 204
    assert "From a program." in lines_of(read("traffic", LEAD, drafts=True).file)
    assert row("traffic").contents.get().state == "draft"  # nobody else's until it is released


def test_a_program_gets_nothing_else_and_is_told_what_is_refused(ternwick):
    do("hold", "traffic", LEAD)
    key = make_key(row("traffic"), person(LEAD))
    program = Client()
    assert program.generic("PUT", desk(key), b"PK nonsense", "application/octet-stream").status_code == 422
    assert program.generic("PUT", desk(key, "other.docx"), own_word_file(), "application/x").status_code == 403
    assert program.get(desk(key, "other.docx")).status_code == 404
    for method in ("DELETE", "MOVE", "COPY", "MKCOL", "POST"):
        assert (
            program.generic(method, desk(key), headers={"Destination": "http://testserver/desk/x"}).status_code == 405
        )
    assert program.get(desk("no-such-key")).status_code == 403
    assert (
        program.get(desk("schlüssel-٣")).status_code == 403 and program.get(desk(key, "März.docx")).status_code == 404
    )
    assert program.generic("PUT", desk(key), b"x" * 20_000_001, "application/x").status_code == 413
    assert not row("traffic").contents.exists()


def test_a_right_ends_with_the_hold_with_time_and_with_its_person(ternwick):
    with pytest.raises(RulkaError, match="don't hold it"):
        make_key(row("traffic"), person(LEAD))
    do("hold", "traffic", LEAD)
    key = make_key(row("traffic"), person(LEAD))
    assert DeskKey.objects.get().digest != key and open_key(key).person == person(LEAD)
    DeskKey.objects.update(until=timezone.now() - timedelta(seconds=1))
    with pytest.raises(NoRight):
        open_key(key)
    key = make_key(row("traffic"), person(LEAD))
    gone = person(LEAD)
    gone.is_active = False
    gone.save()
    with pytest.raises(NoRight):
        open_key(key)
    gone.is_active = True
    gone.save()
    gone.accesses.all().delete()
    with pytest.raises(NoRight, match="ledger any more"):
        open_key(key)
    do("free", "traffic", "administrator")
    assert Client().get(desk(key)).status_code == 403 and not DeskKey.objects.exists()


def test_the_right_is_shown_once_and_to_its_holder(ternwick):
    do("hold", "traffic", LEAD)
    lead, controller = signed_in(LEAD), signed_in("controller")
    assert controller.post(address("desk-right", "board-pack", "traffic")).status_code == 422
    lead.post(address("desk-right", "board-pack", "traffic"))
    assert "/desk/" in text_of(lead.get(address(section="traffic")))
    assert "/desk/" not in text_of(lead.get(address(section="traffic")))


def test_no_password_of_a_program_is_asked_or_taken(ternwick):
    do("hold", "traffic", LEAD)
    key = make_key(row("traffic"), person(LEAD))
    basic = base64.b64encode(b"administrator:x").decode()
    assert Client().get(desk(key), headers={"Authorization": f"Basic {basic}"}).status_code == 200
    assert Client().get(desk("nothing"), headers={"Authorization": f"Basic {basic}"}).status_code == 403


def test_a_pdf_is_a_document(ternwick):
    accountant = person("accountant")
    change(pack(), "add", {"title": "Auditor's letter", "kind": "document"}, fence=fence_of(accountant, "ternwick"),
           person=accountant)  # fmt: skip
    key = next(one["section"] for one in pack().body["sections"] if one["title"].startswith("Auditor"))
    buffer = io.BytesIO()
    with pikepdf.new() as pdf:
        pdf.add_blank_page()
        pdf.save(buffer)
    do("hold", key, "accountant")
    bring(key, buffer.getvalue(), "letter.pdf", "accountant")
    do("hand in", key, "accountant")
    assert read(key, "director").form == "pdf" and row(key).state == "done"
