"""A folio from hand to hand: held, kept, released, handed in, reviewed, done, taken back; what is recorded and told."""

from __future__ import annotations

from datetime import date

import pytest

from rulka.core.errors import NotFound, RulkaError
from rulka.folios.editing import acting
from rulka.folios.editing.outlining import change, next_one, passed_on
from rulka.folios.editing.uploading import upload
from rulka.folios.library.opening import open_folio
from rulka.folios.models import Content, Folio, Notice, SectionStep
from rulka.folios.output.background import reading_for
from rulka.folios.pages.month import of_folios
from rulka.ledger.reading.queries import view_of
from rulka.people.library.notices import carries
from rulka.people.library.rights import fence_of
from rulka.people.models import Recorded
from rulka.statements.models import Shelf, ShelfRight
from tests.folios.world import do, finish, pack, person, read, row, write

pytestmark = pytest.mark.django_db


class Sitting:
    """Who sits before the month page."""

    def __init__(self, who, ledger):
        self.person, self.ledger, self.query = person(who), ledger, "ledger=ternwick"
        self.view = view_of(ledger, fence_of(self.person, ledger.code))


def waits(who, ledger):
    return [(one.verb, one.title) for one in of_folios(Sitting(who, ledger)) if hasattr(one, "verb")]


@pytest.fixture
def mails(monkeypatch, django_capture_on_commit_callbacks):
    """What goes to people, with who gets it."""
    sent = []
    monkeypatch.setattr("rulka.people.library.notices._CARRIERS", [])
    carries(lambda who, subject, text, address: sent.append((who.username, text, address)))
    return sent


def test_a_section_from_hand_to_hand(ternwick, mails, django_capture_on_commit_callbacks):
    with django_capture_on_commit_callbacks(execute=True):
        do("hold", "fuel", "ships-lead")
        write("fuel", "ships-lead", "The hedge ran out in May.")
        do("release", "fuel", "ships-lead")
        do("hand in", "fuel", "ships-lead")
    assert row("fuel").state == "in review" and row("fuel").holder is None
    assert mails == [("accountant", "'Fuel' is yours to review.", "/folios/board-pack/?ledger=ternwick&section=fuel")]
    assert ("review", "Fuel in Board pack") in waits("accountant", ternwick)
    with django_capture_on_commit_callbacks(execute=True):
        do("send back", "fuel", "accountant", reason="name the hedge")
    assert (row("fuel").state, row("fuel").reason) == ("sent back", "name the hedge")
    assert mails[-1][:2] == ("ships-lead", "Accountant sent 'Fuel' back: name the hedge")
    assert ("write", "Fuel in Board pack, sent back: name the hedge") in waits("ships-lead", ternwick)
    do("hold", "fuel", "ships-lead")
    write("fuel", "ships-lead", "The hedge with Norrbank ran out in May.")
    finish("fuel", "ships-lead", "accountant", "controller")
    assert row("fuel").state == "done" and read("fuel", "director").lines == ["The hedge with Norrbank ran out in May."]
    done = list(SectionStep.objects.filter(section=row("fuel")).order_by("pk").values_list("what", "person__username"))
    assert done == [
        ("held", "ships-lead"), ("kept", "ships-lead"), ("released", "ships-lead"), ("handed in", "ships-lead"),
        ("sent back", "accountant"), ("held", "ships-lead"), ("kept", "ships-lead"), ("handed in", "ships-lead"),
        ("accepted", "accountant"), ("accepted", "controller"),
    ]  # fmt: skip
    recorded = Recorded.objects.filter(thing="folio board-pack", detail__startswith="fuel: sent back").get()
    assert recorded.person_name and "name the hedge" in recorded.detail
    with pytest.raises(RulkaError, match="locked"):
        do("hold", "fuel", "ships-lead")
    do("take back", "fuel", "ships-lead", reason="a typing mistake")
    assert (row("fuel").state, row("fuel").frozen) == ("sent back", None)


def test_what_is_kept_is_seen_by_its_writer_alone_until_it_is_released(ternwick):
    do("hold", "traffic", "ships-lead")
    write("traffic", "ships-lead", "Only mine.")
    assert read("traffic", "ships-lead", drafts=True).lines == ["Only mine."]
    for who in ("accountant", "controller", "administrator", "director"):
        assert "Only mine." not in read("traffic", who, drafts=True).lines
    do("release", "traffic", "ships-lead")
    assert read("traffic", "director").lines == ["Only mine."] and row("traffic").holder == person("ships-lead")
    write("traffic", "ships-lead", "Another thought.")
    do("give up", "traffic", "ships-lead")
    assert read("traffic", "ships-lead", drafts=True).lines == ["Only mine."]  # what was, is back
    dropped = Content.objects.get(section=row("traffic"), state="dropped")
    do("hold", "traffic", "ships-lead")
    acting.take_up(pack(), "traffic", dropped, person("ships-lead"))
    assert read("traffic", "ships-lead", drafts=True).lines == ["Another thought."]


def test_nobody_overwrites_another_window(ternwick):
    do("hold", "traffic", "ships-lead")
    write("traffic", "ships-lead", "One")
    body = {"type": "doc", "content": [{"type": "paragraph"}]}
    with pytest.raises(RulkaError, match="another window"):
        acting.keep_text(pack(), "traffic", body, person("ships-lead"), seen=0)
    with pytest.raises(RulkaError, match="since you opened it"):
        do("hand in", "traffic", "ships-lead", seen=0)
    assert row("traffic").state == "to write" and read("traffic", "ships-lead", drafts=True).lines == ["One"]


def test_two_cannot_hold_and_who_left_is_freed_by_an_administrator(ternwick, mails):
    do("hold", "traffic", "ships-lead")
    with pytest.raises(RulkaError, match="ships-lead holds it"):
        do("hold", "traffic", "accountant")
    with pytest.raises(RulkaError, match="ships-lead holds it"):
        write("traffic", "accountant", "Mine")
    gone = person("ships-lead")
    write("traffic", "ships-lead", "Half a thought")
    gone.is_active = False
    gone.save()
    with pytest.raises(RulkaError, match="Only an administrator"):
        do("free", "traffic", "director")
    do("free", "traffic", "administrator")
    assert row("traffic").holder is None
    assert not Notice.objects.filter(person=gone, text__contains="released").exists()  # who left is told nothing
    with pytest.raises(RulkaError, match="Ships lead left"):
        sent, accountant = {"section": "cash", "writers": "ships-lead"}, person("accountant")
        change(pack(), "set", sent, fence=fence_of(accountant, "ternwick"), person=accountant)


def test_releasing_a_hold_tells_its_holder_and_keeps_what_they_wrote(ternwick):
    do("hold", "traffic", "ships-lead")
    write("traffic", "ships-lead", "Half a thought")
    do("free", "traffic", "administrator")
    assert (
        "Administrator released your hold on 'Traffic and crossings'"
        in Notice.objects.get(person=person("ships-lead"), text__contains="hold").text
    )
    assert read("traffic", "ships-lead", drafts=True).lines == ["Half a thought"]


def test_figures_alone_are_done_by_handing_them_in(ternwick):
    do("hand in", "income", "accountant")
    assert row("income").state == "done"
    with pytest.raises(RulkaError, match="nothing is uploaded"):
        upload(pack(), "income", b"x", "a.docx", person("accountant"))


def test_a_folio_is_closed_as_a_whole_once_all_is_done(ternwick):
    accountant = person("accountant")
    with pytest.raises(RulkaError, match="8 sections aren't done: Results at a glance, The month"):
        acting.close(pack(), accountant)
    with pytest.raises(RulkaError, match="Only who keeps the folio"):
        acting.close(pack(), person("ships-lead"))
    for key in ("results", "income", "balance"):
        do("hand in", key, "accountant")
    for key, who, reviewers in (("month", "accountant", ["controller"]), ("cash", "accountant", ["controller"]),
                                ("traffic", "ships-lead", ["controller"]),
                                ("fuel", "ships-lead", ["accountant", "controller"])):  # fmt: skip
        do("hold", key, who)
        write(key, who, f"About {key}.")
        finish(key, who, *reviewers)
    with pytest.raises(RulkaError, match="1 section isn't done: For the board meeting"):
        acting.close(pack(), accountant)
    change(pack(), "remove", {"section": "board"}, fence=fence_of(accountant, "ternwick"), person=accountant)
    acting.close(pack(), accountant)
    assert pack().state == Folio.State.CLOSED
    for step in ("hold", "take back"):
        with pytest.raises(RulkaError, match="is closed"):
            do(step, "fuel", "ships-lead", reason="x")
    with pytest.raises(RulkaError, match="closed"):
        change(pack(), "about", {"title": "X"}, fence=fence_of(accountant, "ternwick"), person=accountant)
    acting.open_again(pack(), accountant)
    do("take back", "fuel", "ships-lead", reason="one more word")


def test_opening_needs_people_who_are_there(ternwick):
    accountant, fence = person("accountant"), fence_of(person("accountant"), "ternwick")
    for writers, why in (("nobody", "Nobody signs in as 'nobody'"), ("ships-lead x y", "names no turn"),
                         ("ships-lead 9.11.", "is no day|does not match|9.11.")):  # fmt: skip
        with pytest.raises(RulkaError, match=why):
            change(pack(), "set", {"section": "cash", "writers": writers}, fence=fence, person=accountant)
    shelf = Shelf.objects.create(ledger=ternwick, name="Board", maker=accountant)
    ShelfRight.objects.create(shelf=shelf, person=accountant, level=3)
    folio = pack()
    folio.shelf = shelf
    folio.save()
    with pytest.raises(RulkaError, match="can't open what is on this folio's shelf"):
        acting.open_for_writing(pack(), accountant)
    with pytest.raises(NotFound, match="does not exist"):
        open_folio(ternwick, "board-pack", person=person("ships-lead"))


def test_remarks_are_told_and_settled(ternwick):
    made = acting.remark(pack(), "traffic", "say why the Sound lost a week", "the Sound", person("controller"))
    assert (
        "say why the Sound"
        in Notice.objects.get(person=person("ships-lead"), section="traffic", text__contains="Sound").text
    )
    with pytest.raises(RulkaError, match="isn't yours"):
        acting.settle(pack(), "traffic", made.pk, person("director"))
    acting.settle(pack(), "traffic", made.pk, person("ships-lead"))
    assert row("traffic").remarks.get().settled
    with pytest.raises(RulkaError, match="says nothing"):
        acting.remark(pack(), "traffic", "  ", "", person("controller"))


def test_the_next_one_begins_with_the_words_of_this_one(ternwick):
    accountant = person("accountant")
    do("hold", "traffic", "ships-lead")
    write("traffic", "ships-lead", "{{statement:per-sailing|passengers|months-total}} came.")
    finish("traffic", "ships-lead", "controller")
    other = next_one(pack(), "2027-P06", "Board pack, September", fence_of(accountant, "ternwick"), accountant)
    assert (other.state, other.body["period"], other.owner) == ("outline", "2027-P06", accountant)
    assert other.body["sections"][2]["writers"] == [{"who": "ships-lead"}]
    again = reading_for(other, accountant).section("traffic")
    assert again.lines == [" came."] and not again.is_frozen
    own = read("traffic", "accountant")
    figure = next(iter(own.filled.figures))
    assert own.filled.figures[figure].text != again.filled.figures[figure].text
    with pytest.raises(RulkaError, match="2099"):
        next_one(pack(), "2099-P06", "", fence_of(accountant, "ternwick"), accountant)


def test_days_are_told_late(ternwick, monkeypatch):
    told = [one for one in of_folios(Sitting("ships-lead", ternwick)) if getattr(one, "verb", "") == "write"]
    late = date(2026, 11, 9) < date.today()
    assert {one.when for one in told} == {"was due 9 Nov 2026" if late else "due 9 Nov 2026"}


def test_what_somebody_leaves_behind_goes_to_another(ternwick):
    do("hold", "traffic", "ships-lead")
    write("traffic", "ships-lead", "Half a thought")
    told = passed_on(person("ships-lead"), person("controller"))
    assert told == "1 folios" and row("traffic").holder is None
    sections = {one["section"]: one for one in pack().body["sections"]}
    assert sections["traffic"]["writers"] == [{"who": "controller", "due": "2026-11-09"}]
    assert read("traffic", "controller").standing.responsible == "controller"
    assert row("traffic").contents.get().person == person("ships-lead")  # what was kept stays theirs
    assert passed_on(person("accountant"), person("controller")) and pack().owner == person("controller")


def test_handing_in_points_out_what_was_typed(ternwick):
    do("hold", "fuel", "ships-lead")
    said = "Fuel for each sailing: 612.50 EUR."
    write("fuel", "ships-lead", "{{statement:per-sailing|fuel,fuel-for-each-sailing}}\n\n" + said)
    do("hand in", "fuel", "ships-lead")
    step = SectionStep.objects.filter(section=row("fuel")).first()
    assert step.what == "handed in" and "1 typed figure to look at: '612.50' contradicts Fuel for each" in step.detail
    assert [one.judgement for one in read("fuel", "accountant").typed] == ["contradicts"]
