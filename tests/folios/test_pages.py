"""Pages of folios: what each person sees, what forms do, what is refused in words."""

from __future__ import annotations

import json

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from rulka.folios.editing.uploading import upload
from rulka.folios.models import Folio
from rulka.people.library.persons import make_person
from rulka.people.library.rights import grant
from rulka.statements.models import Shelf, ShelfRight
from tests.folios.world import address, do, finish, pack, person, read, row, signed_in, text_of, write
from tests.formats.writing.world import own_slides, own_word_file

pytestmark = pytest.mark.django_db
LEAD = "ships-lead"


def post(who: str, name: str, *more: str, **sent):
    return signed_in(who).post(address(name, "board-pack", *more), sent)


def test_ones_own_sections_come_first_and_the_page_opens_at_them(ternwick):
    page = text_of(signed_in(LEAD).get(address()))
    assert page.index("Yours now") < page.index("3 Traffic and crossings") < page.index("All others")
    assert "The ships carried 328" in page and "Part of the whole: department Ships" in page
    assert "0 of 8 done" in page and "Hold and write" in page
    director = text_of(signed_in("director").get(address()))
    assert "Yours now" not in director and "Hold" not in director.replace("Hold and", "") and "1 Results" in director
    assert "Change the outline" not in director and "Close as a whole" not in director


def test_the_owner_sees_who_has_not_begun(ternwick):
    page = text_of(signed_in("accountant").get(address()))
    assert "5 not begun" in page and "Traffic and crossings: ships-lead" in page and "Close as a whole" in page


@pytest.mark.parametrize("panel", ["section", "figures", "style", "history"])
def test_each_panel_of_each_kind_of_section(ternwick, panel):
    do("hold", "traffic", LEAD)
    upload(pack(), "traffic", own_word_file(), "mine.docx", person(LEAD))
    do("hold", "board", "controller")
    upload(pack(), "board", own_slides(), "b.pptx", person("controller"))
    for who in (LEAD, "controller", "director", "accountant"):
        for key in ("results", "traffic", "income", "board", "month"):
            answer = signed_in(who).get(address(section=key, panel=panel))
            assert answer.status_code == 200, (who, key)
    if panel == "style":
        assert "size: 31 pt , master 17 pt" in text_of(signed_in(LEAD).get(address(section="traffic", panel=panel)))


@pytest.mark.parametrize("panel", ["outline", "about", "master", "text"])
def test_each_panel_of_the_outline(ternwick, panel):
    page = signed_in("accountant").get(address(arrange="yes", panel=panel, section="income"))
    assert page.status_code == 200
    wanted = {
        "outline": "A section more",
        "about": "Period of all figures",
        "master": "Slides",
        "text": "folio: board-pack",
    }
    assert wanted[panel] in text_of(page)


def test_a_text_is_written_in_the_browser(ternwick):
    post(LEAD, "act-on-section", "traffic", step="hold")
    page = signed_in(LEAD).get(address(section="traffic", write="yes")).content.decode()
    data = json.loads(page.partition('<script id="editor-data" type="application/json">')[2].partition("</script>")[0])
    assert data["document"]["type"] == "doc" and data["version"] == 0 and len(data["figures"]) == 2
    body = {"document": data["document"], "version": 0}
    client = signed_in(LEAD)
    kept = client.post(
        address("keep-section", "board-pack", "traffic"), json.dumps(body), content_type="application/json"
    )
    assert kept.json() == {"version": 1}
    again = client.post(
        address("keep-section", "board-pack", "traffic"), json.dumps(body), content_type="application/json"
    )
    assert again.status_code == 422 and "another window" in again.json()["problem"]
    for sent in (
        b"{",
        b"[1]",
        b'{"document": 7}',
        json.dumps({"document": {"type": "doc", "content": [{"type": "x"}]}}),
    ):
        answer = client.post(address("keep-section", "board-pack", "traffic"), sent, content_type="application/json")
        assert answer.status_code == 422 and answer.json()["problem"]
    assert signed_in("controller").get(address(section="traffic", write="yes")).content.count(b"editor-data") == 0


def test_places_are_chosen_and_filled(ternwick):
    client = signed_in("accountant")
    for kind, said in (("statement", "Put the figure in"), ("overview", "Put the figure in"), ("worksheet", "Sheet!B4"),
                       ("extract", "Its rows as a table")):  # fmt: skip
        assert said in text_of(client.get(address("folio-places", kind=kind)))
    there = address("fill-place", "board-pack", "traffic")
    figure = client.get(there, {"ledger": "ternwick", "source": "statement:income-statement|fuel|actual###"}).json()
    assert figure["text"] and figure["problem"] == ""
    table = client.get(there, {"ledger": "ternwick", "source": "statement:balance-sheet"}).json()
    assert table["html"].count("<tr") > 10
    nothing = client.get(there, {"ledger": "ternwick", "source": "statement:none|a|b###"}).json()
    assert nothing["text"] == "?" and "does not exist" in nothing["problem"]


def test_a_draft_that_lies_behind_says_so(ternwick):
    do("hold", "traffic", LEAD)
    write("traffic", LEAD, "Half a thought")
    do("free", "traffic", "administrator")
    do("hold", "traffic", "accountant")
    write("traffic", "accountant", "Written by the owner meanwhile.")
    do("release", "traffic", "accountant")
    page = text_of(signed_in(LEAD).get(address(section="traffic")))
    assert "Yours alone" in page and "Somebody released something newer since" in page and "Half a thought" in page
    assert "Somebody released" not in text_of(signed_in("accountant").get(address(section="traffic")))


def test_steps_are_refused_in_words_and_change_nothing(ternwick):
    for who, step, why in (
        ("director", "hold", "turn of ships-lead"), (LEAD, "accept", "isn't in review"),
        (LEAD, "send back", "isn't in review"), (LEAD, "release", "don't hold it"),
        ("controller", "take back", "isn't done"),
        (LEAD, "nonsense", "Nothing is called 'nonsense'"), (LEAD, "remark", "Nothing is called"),
    ):  # fmt: skip
        answer = post(who, "act-on-section", "traffic", step=step, reason="x")
        assert answer.status_code == 422 and why in text_of(answer), (step, text_of(answer)[:300])
    assert row("traffic").version == 0
    assert "no section 'nope'" in text_of(post(LEAD, "act-on-section", "nope", step="hold"))
    assert "is no whole number" in text_of(post(LEAD, "act-on-section", "traffic", step="hold", version="x"))


def test_a_reason_is_asked_for_and_what_was_typed_stays(ternwick):
    do("hold", "traffic", LEAD)
    write("traffic", LEAD, "Words.")
    do("hand in", "traffic", LEAD)
    answer = post("controller", "act-on-section", "traffic", step="send back", reason=" ")
    assert "Write a reason" in text_of(answer)
    post("controller", "remark-on-section", "traffic", text="say why", quote="Words.")
    page = text_of(signed_in(LEAD).get(address(section="traffic")))
    assert "Controller" in page and "say why" in page and "“Words.”" in page
    post("controller", "act-on-section", "traffic", step="send back", reason="name the hedge")
    assert "Sent back: name the hedge" in text_of(signed_in(LEAD).get(address(section="traffic")))


def test_a_done_section_says_so_and_versions_are_compared(ternwick):
    do("hold", "traffic", LEAD)
    write("traffic", LEAD, "First words.")
    do("release", "traffic", LEAD)
    write("traffic", LEAD, "First words.\n\nSecond ones.")
    finish("traffic", LEAD, "controller")
    page = signed_in("director").get(address(section="traffic"))
    assert "Done. Its figures stay as they were: 2027-P07, revision 2" in text_of(page)
    history = text_of(signed_in(LEAD).get(address(section="traffic", panel="history")))
    assert "handed in by Ships lead" in history and "accepted by Controller" in history
    numbers = list(row("traffic").contents.order_by("pk").values_list("pk", flat=True))
    compared = signed_in(LEAD).get(address("section-versions", "board-pack", "traffic", former=str(numbers[0]),
                                           latter=str(numbers[1])))  # fmt: skip
    assert "1 line differs" in text_of(compared) and "new: + Second ones." in text_of(compared)
    assert "no such version" in text_of(signed_in("director").get(
        address("section-versions", "board-pack", "traffic", former="0", latter="99999")))  # fmt: skip


def test_the_outline_is_changed_by_who_may(ternwick):
    assert post(LEAD, "change-outline", do="remove", section="income").status_code == 422
    post("accountant", "change-outline", do="add", title="Outlook", kind="text", below="cash")
    assert [one["section"] for one in pack().body["sections"]][-2:] == ["outlook", "board"]
    post("accountant", "change-outline", do="up", section="outlook")
    post("accountant", "undo-outline")
    post("accountant", "change-outline", do="set", section="outlook", title="Outlook to March", writers=LEAD)
    assert pack().body["sections"][-2]["title"] == "Outlook to March"
    stale = post("accountant", "change-outline", do="remove", section="outlook", version="1")
    assert "Somebody changed it" in text_of(stale)
    wrong = post("accountant", "change-outline", do="add", title="Worse", kind="statement", of="")
    assert "doesn't say which statement" in text_of(wrong)
    post("accountant", "change-outline", do="remove", section="outlook")
    assert len(pack().body["sections"]) == 8


def test_a_folio_is_begun_copied_shelved_and_deleted(ternwick):
    begun = signed_in("accountant").post("/folios/begin/?ledger=ternwick", {"title": "Year report"})
    assert begun.status_code == 302 and Folio.objects.get(name="year-report").owner == person("accountant")
    assert "A folio without a section" in text_of(signed_in("accountant").get(address("folio", "year-report")))
    assert "may look at folios, not make" in text_of(
        signed_in(LEAD).post("/folios/begin/?ledger=ternwick", {"title": "Mine"})
    )
    assert "needs a title" in text_of(signed_in("accountant").post("/folios/begin/?ledger=ternwick", {"title": " "}))
    post("accountant", "manage-folio", do="copy")
    assert Folio.objects.filter(name="board-pack-2").exists()
    post("accountant", "manage-folio", do="next", period="2027-P08", title="Board pack, November")
    assert Folio.objects.get(name="board-pack-november").body["period"] == "2027-P08"
    refused = post("accountant", "manage-folio", do="delete", title="Wrong")
    assert "was not deleted" in text_of(refused) and pack()
    text = "folio: other\ntitle: Board pack\nsections: [{title: Only}]"
    post("accountant", "manage-folio", do="text", text=text)
    assert pack().body["sections"] == [{"title": "Only"}]
    post("accountant", "manage-folio", do="delete", title="Board pack")
    assert not Folio.objects.filter(name="board-pack").exists()
    assert "Year report" in text_of(signed_in("accountant").get("/folios/?ledger=ternwick"))


def test_what_is_on_a_closed_shelf_isn_t_there(ternwick):
    shelf = Shelf.objects.create(ledger=ternwick, name="Board", maker=person("accountant"))
    ShelfRight.objects.create(shelf=shelf, person=person("controller"), level=2)
    Folio.objects.filter(name="board-pack").update(shelf=shelf)
    client = signed_in("director")
    for there in (address(), address("take-section", "board-pack", "traffic"), address("folio-places")):
        assert client.get(there).status_code == 404
    assert "Board pack" not in text_of(client.get("/folios/?ledger=ternwick"))
    assert "Board pack" not in text_of(client.get("/ledger/find/?ledger=ternwick&text=Board"))
    assert signed_in("controller").get(address()).status_code == 200
    assert post("controller", "change-outline", do="remove", section="income").status_code == 422


def test_somebody_of_another_ledger_finds_nothing(ternwick):
    stranger = make_person("stranger")
    assert signed_in("stranger").get(address()).status_code == 404
    grant(stranger, "ternwick", "", "", {}, opens_seals=False)
    assert signed_in("stranger").get(address()).status_code == 200


def test_masters_are_set_by_form(ternwick):
    file = SimpleUploadedFile("ours.docx", own_word_file())
    signed_in("accountant").post(address("folio-master", "board-pack", "docx"), {"file": file})
    assert pack().master_names == {"docx": "ours.docx"}
    refused = signed_in("accountant").post(
        address("folio-master", "board-pack", "pptx"), {"file": SimpleUploadedFile("a.pptx", b"no")}
    )
    assert refused.status_code == 422 and "isn't slides" in text_of(refused)
    post("accountant", "folio-master", "docx", do="own")
    assert pack().master_names == {}


def test_typed_numbers_are_pointed_out_and_left(ternwick):
    do("hold", "traffic", LEAD)
    write("traffic", LEAD, "Fuel for each sailing cost 612.50 EUR.")
    page = signed_in(LEAD).get(address(section="traffic"))
    assert "is typed. Fuel for each sailing, To date is 530.2 now." in text_of(
        page
    ) or "is typed. Fuel for each" in text_of(page)
    found = read("traffic", LEAD, drafts=True).typed[0]
    post(LEAD, "leave-typed", "traffic", found=found.key)
    assert "is typed" not in text_of(signed_in(LEAD).get(address(section="traffic")))
