"""What goes by itself: by the clock, after a close, with an edition, with a large load; once, late, or not at all."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from django.db import transaction
from django.utils import timezone

from rulka.core.books.fence import NO_FENCE
from rulka.core.errors import RulkaError
from rulka.dispatch.library.days import days_of, holidays_from, set_holidays, set_zone
from rulka.dispatch.library.storing import save_dispatch
from rulka.dispatch.models import Dispatch, Looked, Sending
from rulka.dispatch.running import delivering, schedule
from rulka.dispatch.running.delivering import decide, make
from rulka.dispatch.running.schedule import look, period_before
from rulka.dispatch.running.tasks import run_waiting
from rulka.formats.dispatch_file import read_dispatches
from rulka.ledger.editing import editor_of, set_closed
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import view_of
from rulka.people.models import Person
from rulka.statements.library.assemble import definitions_of
from rulka.statements.models import Edition
from rulka.statements.output.editions import keep_edition
from rulka.statements.running.runs import run
from tests.conftest import SMALL

pytestmark = pytest.mark.django_db
TEXT = """
dispatch: by-itself
title: By itself
sends: [{statement: result, as: csv, node: A}]
to: [{person: lea, node: '10'}]
ways: [{way: mail}]
when: RULE
"""


def at(*parts):
    return datetime(*parts, tzinfo=UTC)


@pytest.fixture
def amy(ledger):
    return Person.objects.get(username="amy")


def ruled(ledger, amy, rule, since):
    """A dispatch with a rule that counts from a moment on."""
    (body,) = read_dispatches(TEXT.replace("RULE", f"'{rule}'"), "test")
    made = save_dispatch(ledger, body, "test", person=amy)
    Looked.objects.filter(dispatch="by-itself").update(until=since)
    return made


def occasions():
    return [(one.occasion, one.period, one.state, one.late) for one in Sending.objects.order_by("pk")]


def test_a_rule_by_the_clock_goes_once_in_the_ledgers_zone(ledger, amy, server):
    set_zone(ledger, "Europe/Athens", person=amy)
    set_holidays(ledger, holidays_from("2026-02-02 Feast\n\n2026-02-03"), person=amy)
    ruled(ledger, amy, "each month on working day 3 at 08:00", at(2026, 2, 1))
    assert look(at(2026, 2, 6, 5, 59)) == 0, "the third working day is Friday: two are holidays"
    assert look(at(2026, 2, 6, 6, 1)) == 1 == len(occasions())
    assert look(at(2026, 2, 6, 6, 2)) == 0
    assert occasions() == [("2026-02-06 08:00", "2026-P01", "asked", False)]
    run_waiting.call()
    (sending,) = Sending.objects.all()
    assert sending.state == "goes" and sending.deliveries.get().state == "delivered"
    assert server.arrived[0].to == ["lea@ternwick.example"] and sending.person_name == "amy"
    assert Looked.objects.get().until == at(2026, 2, 6, 6, 2)


def test_two_workers_write_an_occasion_down_once(ledger, amy, server):
    ruled(ledger, amy, "each week on monday at 08:00", at(2026, 2, 1))
    before = Looked.objects.get()
    assert look(at(2026, 2, 2, 9)) == 1
    Looked.objects.filter(pk=before.pk).update(until=before.until)  # the other one looked at the same time
    assert look(at(2026, 2, 2, 9)) == 0 and len(occasions()) == 1
    number = Sending.objects.get().pk
    make(number)
    make(number)
    delivering.deliver_waiting()
    assert len(server.arrived) == 1


def test_what_was_missed_once_goes_late_and_several_wait(ledger, amy, server):
    kept = ruled(ledger, amy, "each week on monday at 08:00", at(2026, 2, 1))
    assert look(at(2026, 2, 3)) == 1
    assert occasions() == [("2026-02-02 08:00", "2026-P01", "asked", True)]
    Sending.objects.all().delete()
    Looked.objects.update(until=at(2026, 2, 1))
    assert look(at(2026, 2, 20)) == 3
    assert {state for _, _, state, _ in occasions()} == {"waits"}
    delivering.deliver_waiting()
    run_waiting.call()
    assert not server.arrived, "they wait for their owner"
    first, second, _ = Sending.objects.order_by("pk")
    with pytest.raises(RulkaError):
        decide(first, kept, goes=True, person=Person.objects.get(username="lea"))
    decide(first, kept, goes=True, person=amy)
    decide(second, kept, goes=False, person=amy)
    with pytest.raises(RulkaError, match="waits for you no longer"):
        decide(second, kept, goes=True, person=amy)
    run_waiting.call()
    assert [one.state for one in Sending.objects.order_by("pk")] == ["goes", "dropped", "waits"]
    assert len(server.arrived) == 1


def test_a_rule_counts_from_when_it_is_written(ledger, amy):
    now = timezone.now()
    (body,) = read_dispatches(TEXT.replace("RULE", "each week on monday at 08:00"), "test")
    save_dispatch(ledger, body, "test", person=amy)
    assert Looked.objects.get().until >= now
    save_dispatch(ledger, {**body, "when": "each week on friday at 08:00"}, "test", person=amy)
    assert Looked.objects.get().rule == "each week on friday at 08:00", "the other one is forgotten"
    Looked.objects.update(until=at(2020, 1, 1))
    save_dispatch(ledger, {**body, "title": "Another", "when": "each week on friday at 08:00"}, "test", person=amy)
    assert Looked.objects.get().until == at(2020, 1, 1), "one that stays goes on from where it was"


def test_after_a_close_and_not_while_it_is_open_again(ledger, amy, server):
    set_zone(ledger, "Europe/Dublin", person=amy)
    ruled(ledger, amy, "2 working days after close of A at 08:00", timezone.now() - timedelta(days=1))
    later = timezone.now() + timedelta(days=9)
    assert look(later) == 0
    Looked.objects.update(until=timezone.now() - timedelta(days=1))
    person = Person.objects.get(username="amy")
    with transaction.atomic():
        set_closed(editor_of(person, ledger, view_of(ledger, NO_FENCE)), "A", "2026-P01", True)
    moment = schedule.moment_after_close(
        schedule.read(Dispatch.objects.get(name="by-itself").body).when[0], days_of(ledger), timezone.now()
    )
    assert look(moment - timedelta(minutes=1)) == 0
    with transaction.atomic():
        set_closed(
            editor_of(person, ledger, view_of(ledger, NO_FENCE)), "A", "2026-P01", False, reason="Something is missing"
        )
    assert look(moment + timedelta(minutes=1)) == 0, "it is open again"
    with transaction.atomic():
        set_closed(editor_of(person, ledger, view_of(ledger, NO_FENCE)), "A", "2026-P01", True)
    Looked.objects.update(until=moment - timedelta(minutes=1))
    assert look(moment + timedelta(minutes=1)) == 1
    (occasion,) = occasions()
    assert occasion[0].startswith("2026-P01, closed ") and occasion[1:] == ("2026-P01", "asked", False)


def test_after_the_close_of_all(ledger, amy):
    ruled(ledger, amy, "1 working day after close at 08:00", timezone.now() - timedelta(days=1))
    person = Person.objects.get(username="amy")
    with transaction.atomic():
        set_closed(editor_of(person, ledger, view_of(ledger, NO_FENCE)), "B", "2026-P01", True)
    later = timezone.now() + timedelta(days=9)
    assert look(later) == 0, "nothing is booked in B: A has to be closed"
    with transaction.atomic():
        set_closed(editor_of(person, ledger, view_of(ledger, NO_FENCE)), "A", "2026-P01", True)
    Looked.objects.update(until=timezone.now() - timedelta(days=1))
    assert look(later) == 1 and occasions()[0][3], "late: nobody had looked for days"


def test_when_an_edition_is_kept(ledger, amy):
    kept = ruled(ledger, amy, "when an edition is kept", timezone.now() - timedelta(minutes=1))
    definitions = definitions_of(ledger, "result")
    outcome = run(definitions, "2026-P01", "A", NO_FENCE, amy)
    editions = [keep_edition(definitions, name, outcome, person=amy) for name in ("first", "second")]
    listed = definitions_of(ledger, "by-department")  # which doesn't go with it
    Edition.objects.create(
        ledger=ledger, statement=listed["statement"], title="x", name="x", period="2026-P01", node="10", revision=1,
        run={}, shown={}, bodies=[one.text for one in listed.values()],
    )  # fmt: skip
    assert look(timezone.now() + timedelta(seconds=1)) == 2
    assert [name for name, *_ in occasions()] == [f"edition {one.pk}, {one.name}" for one in editions]
    assert {state for _, _, state, _ in occasions()} == {"asked"} and kept.name == "by-itself"


def test_when_a_load_changes_more_than_said(ledger, amy, command, small):
    ruled(ledger, amy, "when a load changes more than 500", timezone.now())
    entry = "A,E8,1,2026-01-20,4000,20,,500.00,a,D8,,,\nA,E8,2,2026-01-20,1000,,500.00,,a,D8,,,\n"
    command("load_ledger", small(entries__csv=SMALL["entries.csv"] + entry), ledger="s")
    assert look(timezone.now()) == 0, "just so much isn't more"
    more = entry.replace("E8", "E9").replace("D8", "D9").replace("500.00", "500.01")
    command("load_ledger", small(entries__csv=SMALL["entries.csv"] + entry + more), ledger="s")
    assert look(timezone.now()) == 1
    assert occasions()[0][:2] == (f"revision {Ledger.objects.get(code='s').revision}", "2026-P01")


@pytest.mark.parametrize(
    ("day", "period"), [((2026, 2, 1), "2026-P01"), ((2026, 1, 31), "2025-P12"), ((1999, 1, 1), "2025-P01")]
)
def test_a_day_means_the_last_period_that_had_ended(ledger, day, period):
    assert period_before(ledger, datetime(*day).date()) == period


def test_one_that_cannot_be_made_says_why_and_its_owner_is_written_to(ledger, amy, server):
    ruled(ledger, amy, "each week on monday at 08:00", at(2026, 2, 1))
    Person.objects.filter(username="lea").update(is_active=False)
    look(at(2026, 2, 2, 9))
    run_waiting.call()
    assert Sending.objects.get().deliveries.get().answer == "lea: They have left. Say who gets it now."
    (notice,) = server.arrived
    assert notice.to == ["amy@ternwick.example"] and "something did not go" in notice.message["Subject"]
    assert "They have left" in notice.message.get_content()
    # what fails as a whole
    server.arrived.clear()
    Dispatch.objects.filter(name="by-itself").update(
        body={**Dispatch.objects.get(name="by-itself").body, "figures": "edition"}
    )
    look(at(2026, 2, 9, 9))
    run_waiting.call()
    failed = Sending.objects.first()
    assert failed.state == "failed" and "No edition of 'result' is kept" in failed.answer
    assert "No edition" in server.arrived[0].message.get_content()


def test_what_sends_nothing_is_told_when_its_time_comes(ledger, amy, server):
    kept = ruled(ledger, amy, "each week on monday at 08:00", at(2026, 2, 1))
    Dispatch.objects.filter(pk=kept.pk).update(body={key: value for key, value in kept.body.items() if key != "sends"})
    assert look(at(2026, 2, 2, 9)) == 1 and look(at(2026, 2, 2, 9, 1)) == 0
    assert Sending.objects.get().state == "failed" and "sends nothing" in Sending.objects.get().answer
    assert "sends nothing" in server.arrived[0].message.get_content()


def test_its_owner_is_told_once_the_last_attempt_is_over(ledger, amy, server, settings, monkeypatch):
    ruled(ledger, amy, "each week on monday at 08:00", at(2026, 2, 1))
    monkeypatch.setattr(delivering, "PAUSES", (3_600,))
    look(at(2026, 2, 2, 9))
    server.fails.drops = True
    run_waiting.call()
    one = Sending.objects.get().deliveries.get()
    assert one.state == "waits" and one.again and not server.arrived
    Sending.objects.get().deliveries.update(again=timezone.now())
    monkeypatch.setattr(delivering, "_transmit", lambda delivery: delivering.mail.Answer("not sent", "Nobody there."))
    server.fails.drops = False
    delivering.deliver_waiting()
    one.refresh_from_db()
    assert (one.state, one.attempts) == ("not sent", 2)
    assert "Nobody there" in server.arrived[0].message.get_content()


def test_nothing_goes_for_who_may_not_send_any_more(ledger, amy, server):
    ruled(ledger, amy, "each week on monday at 08:00", at(2026, 2, 1))
    Person.objects.filter(pk=amy.pk).update(role="lead")
    assert look(at(2026, 2, 2, 9)) == 0 and not occasions()


def test_what_nobody_expected_ends_one_occasion_and_no_other(ledger, amy, server, monkeypatch):
    ruled(ledger, amy, "each week on monday at 08:00", at(2026, 2, 1))
    look(at(2026, 2, 2, 9))
    look(at(2026, 2, 9, 8, 1))
    real = delivering._make
    first = Sending.objects.order_by("pk").first().pk
    monkeypatch.setattr(delivering, "_make", lambda sending: 1 // 0 if sending.pk == first else real(sending))
    run_waiting.call()
    assert [one.state for one in Sending.objects.order_by("pk")] == ["failed", "goes"]
    assert "incident" in Sending.objects.get(pk=first).answer and len(server.arrived) == 2, "one, and the notice"


def test_zones_and_holidays_that_are_none_are_refused(ledger, amy):
    for zone in ("Mars/Olympus", "../../etc/passwd", "a\x00b"):
        with pytest.raises(RulkaError, match="no time zone"):
            set_zone(ledger, zone, person=amy)
    with pytest.raises(RulkaError, match="no day '2026-02-30'"):
        set_holidays(ledger, holidays_from("2026-02-30 Never"), person=amy)
    with pytest.raises(RulkaError, match="read this, not change"):
        set_zone(ledger, "", person=Person.objects.get(username="lea"))
