"""A second person releases; who may open what goes to somebody else; a rehearsal is kept as it was made."""

from __future__ import annotations

import pytest

from rulka.core.errors import NotFound, RulkaError
from rulka.dispatch.library.storing import (
    begin,
    body_of,
    choose,
    copy,
    delete,
    find_dispatch,
    leave_out,
    rename,
    save_dispatch,
    uses_of,
    where_used,
)
from rulka.dispatch.models import Delivery, Dispatch, Sending
from rulka.dispatch.running import delivering
from rulka.dispatch.running.delivering import (
    ask,
    by_hand,
    decide,
    decline,
    find_sending,
    make,
    may_read,
    may_release,
    rehearse_again,
    release,
)
from rulka.people.library.persons import make_person, set_mail
from rulka.people.library.rights import grant
from rulka.people.models import Person
from rulka.work.models import LeftFile
from tests.dispatch.world import PERIOD, prepared, states

pytestmark = pytest.mark.django_db


@pytest.fixture
def people(ledger):
    for name, role in (("con", "controller"), ("bob", "accountant")):
        person = make_person(name, title=name.capitalize(), role=role)
        grant(person, "s", "", "", {}, opens_seals=True)
        set_mail(person, f"{name}@ternwick.example")
    return {one.username: one for one in Person.objects.all()}


def held(ledger):
    kept = Dispatch.objects.get(name="month-pack")
    save_dispatch(ledger, {**kept.body, "release": "yes"}, "test", person=None)
    return prepared()


def test_nothing_leaves_before_a_second_person_releases_it(ledger, server, people):
    sending = held(ledger)
    assert sending.state == "held" and not server.arrived
    delivering.deliver_all(sending)
    delivering.deliver_waiting()
    delivering.recover(True)
    delivering.deliver(sending.deliveries.first().pk)
    assert not server.arrived and {state for state, _ in states(sending).values()} == {"waits"}
    for name, told in (("amy", "second person"), ("bob", "may not release"), ("lea", "may not release")):
        assert not may_release(sending, people[name])
        with pytest.raises(RulkaError, match=told):
            release(sending, person=people[name])
    with pytest.raises(NotFound):
        find_sending(ledger, sending.pk, people["bob"])
    assert find_sending(ledger, sending.pk, people["con"])[1] is None, "to look and release, not to change"
    digests = [file["digest"] for one in sending.deliveries.all() for file in one.files]
    release(sending, person=people["con"])
    with pytest.raises(RulkaError, match="no longer"):
        release(sending, person=people["con"])
    delivering.deliver_waiting()
    assert {state for state, _ in states(sending).values()} == {"delivered"} and len(server.arrived) == 3
    assert digests == [file["digest"] for one in sending.deliveries.all() for file in one.files], "as it was looked at"
    with pytest.raises(NotFound):
        find_sending(ledger, sending.pk, people["con"])


def test_what_is_not_released_never_goes(ledger, server, people):
    sending = held(ledger)
    with pytest.raises(RulkaError, match="Say why"):
        decline(sending, " ", person=people["con"])
    decline(sending, "Port dues are missing.", person=people["con"])
    sending.refresh_from_db()
    assert (sending.state, sending.judge, sending.answer) == ("declined", "con", "Port dues are missing.")
    delivering.deliver_waiting()
    with pytest.raises(RulkaError, match="was not released"):
        delivering.send_again(sending.deliveries.first(), Dispatch.objects.get(), person=people["amy"])
    assert not server.arrived


def test_what_waits_for_release_can_be_let_be_and_nothing_to_release_needs_none(ledger, server, people):
    sending, kept = held(ledger), Dispatch.objects.get(name="month-pack")
    with pytest.raises(RulkaError, match="waits for you no longer"):
        decide(sending, kept, goes=True, person=people["amy"])
    decide(sending, kept, goes=False, person=people["amy"])
    sending.refresh_from_db()
    assert sending.state == "dropped"
    with pytest.raises(RulkaError, match="no longer"):
        release(sending, person=people["con"])
    Person.objects.filter(username__in=("amy", "lea", "kim")).update(is_active=False)
    root = make_person("root", title="Root", role="administrator")
    empty = prepared("nobody", person=root.username)
    assert empty.state == "goes" and not may_release(empty, people["con"])
    assert {state for state, _ in states(empty).values()} == {"not sent"} and not server.arrived


def test_files_open_for_who_got_them_and_who_sees_as_much(ledger, server, people):
    delivering.deliver_all(sending := prepared())
    by = {one.person_name: one for one in sending.deliveries.filter(way="mail")}
    allowed = {
        (who, to) for who in people for to in by if may_read(by[to], people[who])
    }  # fmt: skip
    wide = {"amy", "con", "bob"}
    assert allowed == {(who, to) for who in wide for to in by} | {("lea", "lea"), ("kim", "kim")}
    looked = Person.objects.get(username="kim")
    looked.looked_by = people["con"]
    assert not may_read(by["kim"], looked), "not through somebody's eyes"
    people["amy"].accesses.update(members={"department": "20"})
    assert {to for to in by if may_read(by[to], Person.objects.get(username="amy"))} == {"amy", "kim"}


def test_what_was_made_behind_wider_bounds_opens_for_nobody_narrower(ledger, server, people):
    delivering.deliver_all(sending := prepared())
    rehearsed = rehearse_again(Dispatch.objects.get(), PERIOD, person=people["amy"])
    delivering.make(rehearsed.pk)
    make_same = {"members": {"department": "20"}}
    # the recipient and somebody else are narrowed alike since
    people["lea"].accesses.update(**make_same)
    people["amy"].accesses.update(**make_same)
    amy, lea = Person.objects.get(username="amy"), Person.objects.get(username="lea")
    for made in (sending, rehearsed):
        to_lea = made.deliveries.get(way="mail", person_name="lea")
        assert not may_read(to_lea, amy), "amy sees as much as lea does now, and less than it shows"
        assert may_read(to_lea, lea) == (not made.rehearsal)
        assert all(may_read(one, people["con"]) for one in made.deliveries.exclude(state="not sent"))


def test_a_rehearsal_is_made_once_and_nothing_of_it_leaves(ledger, server, people):
    kept, left = Dispatch.objects.get(), LeftFile.objects.count()
    made = rehearse_again(kept, PERIOD, person=people["amy"])
    make(made.pk)
    made.refresh_from_db()
    assert made.state == "rehearsed" and made.deliveries.count() == 5 and LeftFile.objects.count() == left
    delivering.deliver_waiting()
    delivering.deliver_all(made)
    assert not server.arrived and {state for state, _ in states(made).values()} == {"waits"}
    with pytest.raises(RulkaError, match="was rehearsed"):
        delivering.send_again(made.deliveries.first(), kept, person=people["amy"])
    again = rehearse_again(kept, PERIOD, person=people["amy"])
    assert list(Sending.objects.filter(rehearsal=True)) == [again] and not Delivery.objects.exists()
    assert by_hand(kept, PERIOD) == f"{PERIOD}, by hand 1"


def test_a_dispatch_is_begun_copied_renamed_deleted(ledger, server, people):
    amy = people["amy"]
    made = begin(ledger, " Board  papers ", person=amy)
    assert (made.name, made.title) == ("board-papers", "Board papers")
    with pytest.raises(RulkaError, match="sends nothing"):
        ask(made, PERIOD, "x", person=amy)
    with pytest.raises(RulkaError, match="needs a title"):
        begin(ledger, " ", person=amy)
    with pytest.raises(RulkaError, match="read, not send"):
        begin(ledger, "Mine", person=people["lea"])
    other = copy(Dispatch.objects.get(name="month-pack"), "Board papers", person=amy)
    assert (
        other.name == "board-papers-2" and other.body["sends"] == Dispatch.objects.get(name="month-pack").body["sends"]
    )
    rename(other, "Others", person=amy)
    assert Dispatch.objects.get(name="board-papers-2").title == "Others"
    for what in (lambda: copy(other, "x", person=people["bob"]), lambda: rename(other, "x", person=people["bob"]),
                 lambda: delete(other, person=people["bob"])):  # fmt: skip
        with pytest.raises(NotFound):
            what()
    waits = ask(other, PERIOD, "x", person=amy)
    with pytest.raises(RulkaError, match="waits or is under way"):
        delete(other, person=amy)
    Sending.objects.filter(pk=waits.pk).update(state="goes")
    delete(other, person=amy)
    assert not Dispatch.objects.filter(name="board-papers-2").exists() and Sending.objects.filter(pk=waits.pk).exists()
    assert copy(made, "Board papers", person=amy).name == "board-papers-3", "a name that was sent by isn't given again"


def test_what_is_chosen_where_one_works_goes_along(ledger, server, people):
    amy = people["amy"]
    made = begin(ledger, "Chosen", person=amy)
    choose(made, "statement", "result", {"as": ["csv"], "node": "A"}, person=amy)
    choose(made, "worksheet", "sums", {"as": ["workbook"]}, person=amy)
    choose(made, "statement", "result", {"as": ["json"], "node": "A", "pages": ""}, person=amy)
    assert [one.dispatch for one in uses_of(ledger, "statement", "result", amy)] == [made]
    assert where_used(made) == ["statement result", "worksheet sums"]
    assert body_of(made)["sends"] == [{"statement": "result", "as": ["json"], "node": "A"},
                                      {"worksheet": "sums", "as": ["workbook"]}]  # fmt: skip
    use = uses_of(ledger, "statement", "result", amy)[0]
    delivering.deliver_all(prepared("all", name="chosen"))
    one = ask(made, PERIOD, "one", person=amy, body=body_of(made, use))
    make(one.pk)
    names = [[part.get_filename() for part in arrived.message.iter_attachments()] for arrived in server.arrived]
    assert [len(found) for found in names] == [2, 1] and names[1] == ["The result-A-2026-P01.json"]
    assert not uses_of(ledger, "statement", "result", people["bob"])
    for bad, told in (
        ({"as": ["picture"]}, "Nothing goes as"),
        ({"pages": "some"}, "some"),
        ({"node": "theirs"}, "has no node"),
    ):
        with pytest.raises(RulkaError, match=told):
            choose(made, "statement", "by-department", bad, person=amy)
    with pytest.raises(RulkaError, match="does not exist"):
        choose(made, "statement", "nothing", {}, person=amy)
    leave_out(made, "worksheet", "sums", person=amy)
    with pytest.raises(NotFound, match="isn't chosen"):
        leave_out(made, "worksheet", "sums", person=amy)
    assert find_dispatch(ledger, "chosen", person=amy).uses.count() == 1
