"""Feeds end to end: files, mappings and the stand-in service; drafts, rules, closed periods, bounds, failing
sources."""

from __future__ import annotations

import json
import re
import shutil
from pathlib import Path

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.urls import reverse

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.errors import RulkaError
from rulka.ledger import editing
from rulka.ledger.feeds import asking, pulling
from rulka.ledger.feeds import settings as feed_settings
from rulka.ledger.loading import load
from rulka.ledger.management.commands import work as worker
from rulka.ledger.models import Account, Feed, JournalEntry, Ledger, SideTable
from rulka.ledger.reading.queries import view_of
from rulka.people.models import Access, Person
from rulka.work.models import Load
from rulka.work.services import loads as work
from standins.ledger_service import SECRET, USER, start
from tests.conftest import SMALL
from tests.oracle import Oracle

pytestmark = [pytest.mark.django_db, pytest.mark.usefixtures("open_database")]
MAPPING = json.loads((Path(__file__).parent.parent.parent / "demo" / "feeds.json").read_text())[0]["mapping"]
RANGES = [("2024-P01", "2024-P12"), ("2025-P01", "2026-P12"), ("2027-P01", "2027-P07")]
HEADER, *ROWS = SMALL["entries.csv"].splitlines(keepends=True)


@pytest.fixture
def person(db):
    return Person.objects.create(username="maker", title="Maker", role=Person.Role.ACCOUNTANT)


@pytest.fixture
def ledger(small, command, person):
    command("load_ledger", small(), ledger="s")
    found = Ledger.objects.get(code="s")
    Access.objects.create(person=person, ledger=found, opens_seals=True)
    return found


def by(ledger: Ledger, person: Person) -> editing.Editor:
    return editing.editor_of(person, ledger, view_of(ledger, NO_FENCE))


def put(folder: Path, name: str = "news") -> str:
    """Put a ledger folder where feeds may read it."""
    target = feed_settings.feed_folder() / name
    shutil.rmtree(target, ignore_errors=True)
    shutil.copytree(folder, target)
    return name


def pulled(feed: Feed, **asked) -> Load:
    load = asking.ask(feed, **asked)
    pulling.run(load.pk)
    load.refresh_from_db()
    return load


def done(load: Load, person: Person, **how) -> Load:
    asking.accept(load, person=person, **how)
    pulling.run(load.pk)
    load.refresh_from_db()
    return load


def folder_feed(ledger: Ledger, location: str, **values) -> Feed:
    return feed_settings.save_feed(ledger, {"name": "Folder", "kind": "ledger", "location": location, **values})


NEWS = "A,E9,1,2026-02-01,1000,,9.00,,new,,,,\nA,E9,2,2026-02-01,4000,,,9.00,new,,,,\n"


def finding(load: Load, kind: str) -> dict:
    return next((one for one in load.report["findings"] if one["kind"] == kind), {})


# drafts and rules ---------------------------------------------------------------------------------------------------


def test_a_load_that_a_person_asks_for_waits_and_counts_only_when_accepted(ledger, small, person):
    feed = folder_feed(ledger, put(small("n", entries__csv=HEADER + NEWS)))
    load = pulled(feed, person=person)
    assert load.state == "held" and load.report["tallies"]["entries"] == {
        "new": 1,
        "changed": 0,
        "same": 0,
        "skipped": 0,
        "withdrawn": 0,
    }
    assert load.report["sums"] == [["A", "2026-P02", "9.00", "9.00", "2"]]
    assert Ledger.objects.get(code="s").revision == 1 and not JournalEntry.objects.filter(number="E9").exists()
    load = done(load, person)
    assert (load.state, load.revision) == ("accepted", 2)
    assert JournalEntry.objects.get(number="E9").feed == feed
    revision = Ledger.objects.get(code="s").revisions.first()
    assert (revision.person, revision.feed, revision.source) == (person, feed, "Folder: news")
    assert not feed_settings.loads_folder(load.pk).exists()


def test_a_dropped_load_leaves_nothing(ledger, small, person):
    load = pulled(folder_feed(ledger, put(small("n", entries__csv=HEADER + NEWS))), person=person)
    assert asking.drop(load).state == "dropped"
    assert Ledger.objects.get(code="s").revision == 1 and not feed_settings.loads_folder(load.pk).exists()
    with pytest.raises(RulkaError, match="not waiting for a decision"):
        asking.accept(load, person=person)


def test_an_unattended_feed_accepts_when_no_rule_is_broken_and_holds_otherwise(ledger, small, person):
    feed = folder_feed(ledger, put(small("n", entries__csv=HEADER + NEWS)))
    assert pulled(feed, unattended=True).state == "accepted"
    put(
        small(
            "n",
            accounts__csv=SMALL["accounts.csv"] + "5200,Power,expense,,\n",
            entries__csv=HEADER + NEWS.replace("E9", "E10"),
        )
    )
    load = pulled(feed, unattended=True)
    assert load.state == "held" and finding(load, "new-accounts")["rows"] == [["5200", "Power"]]
    feed_settings.save_feed(ledger, {"rules": {"new-accounts": "refuse"}}, feed=feed)
    load = pulled(feed, unattended=True)
    assert load.state == "refused" and "New accounts: code 5200" in load.report["refused"][0]["what"]
    feed_settings.save_feed(ledger, {"rules": {"new-accounts": "accept"}}, feed=feed)
    assert pulled(feed, unattended=True).state == "accepted"


def test_entries_into_closed_periods_are_held_or_refused_with_the_list(ledger, small, person, command):
    editing.set_closed(by(ledger, person), "A", "2026-P02", True)
    news = small("n", entries__csv=HEADER + NEWS)
    load = pulled(folder_feed(ledger, put(news)), unattended=True)
    assert load.state == "held" and finding(load, "closed")["rows"] == [["A", "E9", "2026-02-01", "2026-P02", "2"]]
    from django.core.management.base import CommandError

    with pytest.raises(
        CommandError, match="Entries into closed periods: entity A, entry E9, date 2026-02-01, closed period 2026-P02"
    ):
        command("load_ledger", news, ledger="s")
    editing.set_closed(by(ledger, person), "A", "2026-P02", False, reason="a late bill")
    assert "entries: 1 new" in command("load_ledger", news, ledger="s")
    editing.set_closed(by(ledger, person), "A", "2026-P02", True)
    moved = small("m", entries__csv=HEADER + NEWS.replace("2026-02-01", "2026-03-01"))
    with pytest.raises(CommandError, match="closed period 2026-P02"):  # it would leave the closed period
        command("load_ledger", moved, ledger="s")


def test_long_past_entries_stated_totals_and_openings_are_found(ledger, small, person):
    old = NEWS.replace("2026-02-01", "2025-03-01").replace("E9", "OLD")
    opening = "A,OP,1,2026-01-01,1000,,70.00,,,,opening,,\nA,OP,2,2026-01-01,3000,,,70.00,,,opening,,\n"
    controls = "entity,period,debit,credit,lines\nA,2025-P03,9.00,9.00,2\nA,2026-P01,70.00,71.00,\n"
    feed = folder_feed(ledger, put(small("n", entries__csv=HEADER + old + opening, controls__csv=controls)))
    load = pulled(feed, unattended=True)
    assert load.state == "held"
    assert finding(load, "long-past")["rows"][0][:2] == ["A", "OLD"]
    assert finding(load, "controls")["rows"] == [["A", "2026-P01", "credit", "71.00", "70.00"]]
    assert ["A", "2026-P01", "1000", "70.00", "70.00"] in finding(load, "opening")["rows"]


def test_what_vanished_at_the_source_is_asked_about_and_can_be_withdrawn_and_come_back(ledger, small, person, command):
    both = HEADER + NEWS + NEWS.replace("E9", "E10")
    feed = folder_feed(ledger, put(small("n", entries__csv=both)))
    done(pulled(feed, person=person), person)
    before = command("trial_balance", "--from", "2026-P01", "--to", "2026-P12", ledger="s")
    put(small("n", entries__csv=HEADER + NEWS))
    assert not finding(pulled(feed, person=person), "vanished")  # news only: nothing is missed
    load = pulled(feed, person=person, full=True)
    assert finding(load, "vanished")["rows"] == [["A", "E10", "2026-02-01", "2026-P02"]]
    kept = done(load, person)
    assert (
        kept.state == "accepted"
        and command("trial_balance", "--from", "2026-P01", "--to", "2026-P12", ledger="s") == before
    )
    load = done(pulled(feed, person=person, full=True), person, withdraw=True)
    assert load.report["tallies"]["entries"]["withdrawn"] == 1
    assert JournalEntry.objects.get(number="E10").withdrawn
    assert command("trial_balance", "--from", "2026-P01", "--to", "2026-P12", ledger="s") != before
    assert (
        command("trial_balance", "--from", "2026-P01", "--to", "2026-P12", ledger="s", revision=load.revision - 1)
        == before
    )
    put(small("n", entries__csv=both))
    done(pulled(feed, person=person), person)
    assert command("trial_balance", "--from", "2026-P01", "--to", "2026-P12", ledger="s") == before


def test_refused_load_tells_row_and_remedy(ledger, small, person):
    load = pulled(
        folder_feed(ledger, put(small("n", entries__csv=HEADER + NEWS.replace("4000", "4001")))), person=person
    )
    assert load.state == "refused"
    (told,) = load.report["refused"]
    assert (told["where"], told["what"]) == ("entries.csv, row 3, column account", "Account '4001' does not exist.")
    assert told["hint"] == "Did you mean 4100 or 4000?"


def test_draft_from_the_command_line_is_decided_later(ledger, small, person, command):
    told = command("load_ledger", small("n", entries__csv=HEADER + NEWS), ledger="s", draft=True)
    load = Load.objects.get(state="held")
    assert f"Held as load {load.pk}" in told and Ledger.objects.get(code="s").revision == 1
    assert f"Load {load.pk} is accepted." in command("decide_load", load.pk, "accept", **{"person": "maker"})
    assert Ledger.objects.get(code="s").revision == 2


def test_location_outside_the_folder_of_feeds_is_refused(ledger, person):
    load = pulled(folder_feed(ledger, "../../etc"), person=person)
    assert load.state == "refused" and "lies outside the folder of feeds" in load.report["refused"][0]["what"]


def test_master_data_edited_by_hand_makes_a_revision_and_follows_the_rules(ledger, person):
    values = {"name": "Wages and pay", "type": "expense", "category": "staff", "parent": "5100", "active": False}
    editing.change_account(by(ledger, person), "5000", values)
    account = Account.objects.get(ledger=ledger, code="5000")
    assert (account.name, account.parent, account.active, account.revision) == ("Wages and pay", "5100", False, 2)
    for wrong, message in (
        ({"parent": "5000"}, "circle"),
        ({"parent": "9999"}, "does not exist"),
        ({"type": "cost"}, "not a type"),
        ({"type": "statistical"}, "between money"),
        ({"name": " "}, "empty"),
    ):
        with pytest.raises(RulkaError, match=message):
            editing.change_account(by(ledger, person), "5000", values | wrong)
    assert Ledger.objects.get(code="s").revision == 2
    reader = Person.objects.create(username="reader", role=Person.Role.DIRECTOR)
    with pytest.raises(RulkaError, match="You may read this ledger"):
        editing.change_account(by(ledger, reader), "5000", values)
    for bounds in ({"entities": "A"}, {"members": {"department": "10"}}):  # who sees a part changes nothing
        part = view_of(ledger, Fence.of(**bounds))
        with pytest.raises(RulkaError, match="you see a part of it"):
            editing.editor_of(person, ledger, part)
    sealed = editing.editor_of(person, ledger, view_of(ledger, Fence.of(sealed="5000")))
    with pytest.raises(RulkaError, match="lies outside of what you see"):  # asked by the service, not by its pages
        editing.change_entry(sealed, "A", "E2", {"status": "pending"}, {})


def test_entry_edited_by_hand_keeps_its_former_lines(ledger, person, command):
    before = command("trial_balance", "--from", "2025-P01", "--to", "2025-P12", ledger="s")
    editing.change_entry(by(ledger, person), "A", "E1", {"status": "pending"}, {"1": "B"})
    entry = JournalEntry.objects.get(number="E1")
    assert entry.status == 1 and entry.lines.get(line="1").key.partner.code == "B" and entry.former_lines.count() == 2
    assert "A,1000" in before and ",100.00," in before
    assert ",100.00," not in command("trial_balance", "--from", "2025-P01", "--to", "2025-P12", ledger="s")
    assert ",100.00," in command(
        "trial_balance", "--from", "2025-P01", "--to", "2025-P12", "--with-pending", ledger="s"
    )
    adjusting = {"status": "posted", "kind": "adjusting", "period": "2025-P13"}
    editing.change_entry(by(ledger, person), "A", "E1", adjusting, {"1": ""})
    assert JournalEntry.objects.get(number="E1").period == 202513
    with pytest.raises(RulkaError, match="in FY2025, the period 2026-P13 in FY2026"):
        editing.change_entry(by(ledger, person), "A", "E1", {"period": "2026-P13"}, {})
    editing.set_closed(by(ledger, person), "A", "2025-P13", True)
    with pytest.raises(RulkaError, match="2025-P13 of A is closed"):
        editing.change_entry(by(ledger, person), "A", "E1", {"period": ""}, {})


# tables -------------------------------------------------------------------------------------------------------------

CSV = (
    "Company;Voucher;Posting "
    "date;Account;Department;Debit;Credit;Text;Ship\nA;T1;05.02.2026;1000;;1.250,00;;Till;Tern\nA;T1;05.02.2026;4000;10;;1.250,00;Till;Tern\n"
)


def table_mapping(**changes):
    columns = {
        "entity": "Company",
        "entry": "Voucher",
        "date": "Posting date",
        "account": "Account",
        "department": "Department",
        "debit": "Debit",
        "credit": "Credit",
        "description": "Text",
    }
    mapping = {
        "table": "entries",
        "encoding": "utf-8-sig",
        "delimiter": ";",
        "header": 1,
        "date": "DD.MM.YYYY",
        "number": "1.234,56",
        "amounts": "debit and credit",
        "fields": {name: {"columns": [column]} for name, column in columns.items()},
        "keep": ["Ship"],
    }
    return mapping | changes


def upload(text: str, name: str = "till.csv"):
    return SimpleUploadedFile(name, text.encode())


def test_mapped_file_keeps_unknown_columns_with_the_line(ledger, person):
    feed = feed_settings.save_feed(
        ledger, {"name": "Till", "kind": "table", "mapping": table_mapping(), "options": {"keep_columns": True}}
    )
    load = done(pulled(feed, person=person, upload=upload(CSV), upload_name="till.csv"), person)
    assert load.state == "accepted"
    line = JournalEntry.objects.get(number="T1").lines.get(line="1")
    assert (line.debit, json.loads(line.attributes)) == (125_000, {"Ship": "Tern"})
    again = pulled(feed, person=person, upload=upload(CSV), upload_name="till.csv")
    assert again.report["tallies"]["entries"]["same"] == 1


def test_errors_of_a_mapped_file_name_its_own_rows(ledger, person):
    feed = feed_settings.save_feed(ledger, {"name": "Till", "kind": "table", "mapping": table_mapping(header=1)})
    broken = CSV + "A;T2;06.02.2026;1000;;x;;;\n"
    load = pulled(feed, person=person, upload=upload(broken), upload_name="till.csv")
    assert load.state == "refused" and load.report["refused"][0]["where"] == "row 4, column Debit"
    unknown = CSV.replace(";4000;", ";4999;")
    load = pulled(feed, person=person, upload=upload(unknown), upload_name="till.csv")
    assert load.report["refused"][0] | {"hint": ""} == {
        "where": "row 3, column account",
        "what": "Account '4999' does not exist.",
        "hint": "",
    }


def test_budget_through_a_mapping_and_a_table_beside_the_ledger(ledger, person, command):
    text = "Plan,Firm,Acct,Dept,Per,Value\nbudget,A,4100,11,2026-P02,-70.00\n"
    fields = {
        "scenario": "Plan",
        "entity": "Firm",
        "account": "Acct",
        "department": "Dept",
        "period": "Per",
        "amount": "Value",
    }
    mapping = table_mapping(
        table="budgets",
        delimiter=",",
        number="1234.56",
        keep=[],
        fields={name: {"columns": [column]} for name, column in fields.items()},
    )
    feed = feed_settings.save_feed(ledger, {"name": "Plan", "kind": "table", "mapping": mapping})
    done(pulled(feed, person=person, upload=upload(text), upload_name="plan.csv"), person)
    assert "A,4100,Other sales,0.00,0.00,70.00,-70.00" in command(
        "trial_balance", "--from", "2026-P02", "--to", "2026-P02", ledger="s", scenario="budget"
    )
    beside = feed_settings.save_feed(
        ledger,
        {
            "name": "Ships",
            "kind": "table",
            "mapping": table_mapping(table="side", side_name="ships", delimiter=",", fields={}, keep=[]),
        },
    )
    load = pulled(beside, person=person, upload=upload("ship,berths\nTern,0120\n"), upload_name="ships.csv")
    assert load.state == "accepted" and SideTable.objects.get(name="ships").rows == [["Tern", "0120"]]


# the web service ----------------------------------------------------------------------------------------------------


@pytest.fixture
def service(demo_folder):
    running = start(demo_folder / "ledger", demo_folder / "news")
    yield running
    running.shutdown()
    running.server_close()


@pytest.fixture
def empty(small, command, person, demo_folder):
    """The demo's settings and codes, no entries: a ledger that a service fills."""
    folder = small("empty", **{"entries__csv": "entity,entry,line,date,account,debit,credit\n", "budgets__csv": None})
    for name in ("ledger.json", "entities.csv", "accounts.csv", "members.csv", "scenarios.csv"):
        shutil.copy(demo_folder / "ledger" / name, folder / name)
    command("load_ledger", folder, ledger="web")
    return Ledger.objects.get(code="web")


def service_feed(ledger: Ledger, address: str, **options) -> Feed:
    feed = feed_settings.save_feed(
        ledger,
        {
            "name": "Service",
            "kind": "service",
            "location": address,
            "mapping": MAPPING,
            "options": {"sign_in": {"kind": "basic", "user": USER}, "seconds": 60, "wait": 0.01, **options},
        },
    )
    feed_settings.keep_secret(feed, SECRET)
    return feed


def balances(command, code: str, *more) -> list[str]:
    return [command("trial_balance", "--from", first, "--to", last, *more, ledger=code) for first, last in RANGES]


def test_service_gives_the_same_trial_balance_as_the_folder_and_then_only_news(
    ternwick, empty, service, person, command
):
    feed = service_feed(empty, service.address)
    load = done(pulled(feed, person=person), person)
    assert load.state == "accepted"
    assert balances(command, "web") == balances(command, "ternwick")
    assert balances(command, "web", "--with-pending") == balances(command, "ternwick", "--with-pending")
    assert command(
        "trial_balance", "--from", "2027-P01", "--to", "2027-P12", ledger="web", scenario="forecast"
    ) == command("trial_balance", "--from", "2027-P01", "--to", "2027-P12", ledger="ternwick", scenario="forecast")
    told = service.books.step()
    service.asked.clear()
    feed.refresh_from_db()
    load = pulled(feed, person=person)
    tally = load.report["tallies"]["entries"]
    assert (tally["new"], tally["changed"]) == (len(told["posted"]), len(told["corrected"]))
    assert sum("JournalLines" in path for path in service.asked) == 1  # one page of news, not sixty thousand lines
    done(load, person)
    feed.refresh_from_db()
    assert feed.mark == "2026-11-06T18:30:00Z"
    news = balances(command, "web")
    whole = pulled(feed, person=person, full=True)
    assert (whole.state, whole.revision) == (
        "accepted",
        Ledger.objects.get(code="web").revision,
    )  # no news: nobody is asked
    assert whole.report["tallies"]["entries"]["new"] == whole.report["tallies"]["entries"]["changed"] == 0
    assert balances(command, "web") == news  # all or news only: the same balances


@pytest.mark.parametrize("fault", ["error", "cut", "timeout"])
def test_page_that_fails_is_asked_for_again(fault, empty, service, person):
    feed = service_feed(empty, service.address, seconds=2 if fault == "timeout" else 60)
    feed.mark = "2026-11-05T00:00:00Z"
    feed.save()
    service.faults += [fault]
    load = pulled(feed, person=person)
    assert load.state == "held", load.report


@pytest.mark.parametrize(
    ("faults", "message"),
    [
        (["error"] * 9, "did not answer soundly in 4 tries: status 500"),
        (["", "loop"], "pages go in a circle"),
        (["", "repeat"], "came twice"),
        (["", "count"], "The number of rows changed from"),
    ],
)
def test_service_that_fails_for_good_or_contradicts_itself_is_refused_and_the_next_pull_works(
    faults, message, empty, service, person, command
):
    mapping = {"entries": MAPPING["entries"]}
    feed = feed_settings.save_feed(empty, {"mapping": mapping}, feed=service_feed(empty, service.address))
    before = balances(command, "web")
    service.faults += faults
    load = pulled(feed, person=person)
    assert load.state == "refused" and message in load.report["refused"][0]["what"]
    assert balances(command, "web") == before and Ledger.objects.get(code="web").revision == 1
    service.faults.clear()
    feed.mark = "2026-11-05T00:00:00Z"
    feed.save()
    assert done(pulled(feed, person=person), person).state == "accepted"


def test_wrong_secret_is_told(empty, service, person):
    feed = service_feed(empty, service.address)
    feed_settings.keep_secret(feed, "wrong")
    load = pulled(feed, person=person)
    assert load.state == "refused" and "refused the sign-in" in load.report["refused"][0]["what"]


def test_bounded_pull_brings_openings_so_that_balances_tie(ternwick, empty, service, person, command, demo_folder):
    bounds = {"first_day": "2026-06-01", "entities": "TF, TQ"}
    feed = service_feed(empty, service.address, bounds=bounds)
    load = done(pulled(feed, person=person), person)
    assert load.state == "accepted", load.report
    assert not JournalEntry.objects.filter(ledger=empty, date__lt="2026-06-01").exists()
    oracle = Oracle(demo_folder / "ledger", demo_folder / "news")
    for entity in ("TF", "TQ"):
        for first, last in (("2027-P03", "2027-P03"), ("2027-P04", "2027-P07")):
            found = command("trial_balance", "--from", first, "--to", last, ledger="web", entity=entity)
            closing = {row.split(",")[1]: row.rsplit(",", 1)[1] for row in found.splitlines()[1:]}
            expected = oracle.trial_balance(entity, (2027, int(first[-2:])), (2027, int(last[-2:])))
            assert {code: float(text) for code, text in closing.items() if float(text)} == {
                code: float(values[3]) for code, values in expected.items() if values[3]
            }
    assert "NF," not in command("trial_balance", "--from", "2027-P03", "--to", "2027-P07", ledger="web")


def test_bounds_by_account_put_the_rest_of_an_entry_on_one_account(ledger, small, person, command):
    options = {"bounds": {"accounts": "4*, 9000", "rest_account": "3000"}}
    put(small("n"), "n")
    command("load_ledger", small("e", entries__csv=HEADER, budgets__csv=None), ledger="t")
    other = Ledger.objects.get(code="t")
    feed = feed_settings.save_feed(other, {"name": "Bounded", "kind": "ledger", "location": "n", "options": options})
    load = done(pulled(feed, person=person), person)
    assert load.state == "accepted"
    found = command("trial_balance", "--from", "2025-P01", "--to", "2026-P12", ledger="t")
    assert (
        "A,4100,Other sales,0.00,0.00,50.00,-50.00" in found
        and "A,3000,Capital,0.00,150.00,0.00,150.00" in found
        and ",5000," not in found
    )


# by itself, cancelled, left behind ----------------------------------------------------------------------------------


def test_feeds_are_pulled_by_schedule_and_on_opening(ledger, small, person, client):
    feed = folder_feed(ledger, put(small("n", entries__csv=HEADER + NEWS)), schedule="* * * * *", on_opening=False)
    assert asking.pull_due() == 1
    assert asking.pull_due() == 0  # it waits already
    call_command("work", once=True, verbosity=0)
    assert Load.objects.get().state == "accepted" and Load.objects.get().unattended
    Load.objects.all().delete()
    Feed.objects.filter(pk=feed.pk).update(schedule="", on_opening=True, pulled_at=None)
    client.force_login(person)
    client.get(reverse("ledger"))
    client.get(reverse("ledger"))
    assert Load.objects.count() == 1


def test_a_pull_without_news_says_so_and_one_with_other_settings_asks(ledger, small, person, client):
    where = put(small())
    feed = folder_feed(ledger, where)
    load = pulled(feed, person=person)
    assert (load.state, load.revision) == ("accepted", 1)
    client.force_login(person)
    assert (
        "nothing new. All that came stands in revision 1 already"
        in client.get(reverse("load", args=[load.pk])).content.decode()
    )
    put(small(ledger__json={**SMALL["ledger.json"], "name": "Small, Sons and Daughters"}))
    assert pulled(feed, person=person).state == "held"


@pytest.mark.parametrize("text", ["0 0 30 2 *", "0 0 31 4,6,9,11 *"])
def test_schedule_that_never_comes_is_refused(ledger, text):
    with pytest.raises(RulkaError, match=f"The time of '{re.escape(text)}' never comes"):
        folder_feed(ledger, "n", schedule=text)
    assert not Feed.objects.exists()


@pytest.mark.parametrize("text", ["* * * * * *", "@hourly", "0 25 * * *"])
def test_what_is_not_five_fields_is_no_schedule(ledger, text):
    with pytest.raises(RulkaError, match="is no schedule"):
        folder_feed(ledger, "n", schedule=text)


def test_one_bad_feed_keeps_no_other_from_its_turn_and_ends_no_worker(ledger, small, person, monkeypatch, caplog):
    where = put(small("n", entries__csv=HEADER + NEWS))
    never = folder_feed(ledger, where, schedule="* * * * *")
    Feed.objects.filter(pk=never.pk).update(schedule="0 0 30 2 *", name="Never")  # as it could be stored before
    broken = folder_feed(ledger, where, schedule="* * * * *")
    Feed.objects.filter(pk=broken.pk).update(name="Broken")
    good = folder_feed(ledger, where, schedule="* * * * *")
    asked = asking.ask

    def ask(feed, **options):
        if feed.pk == broken.pk:
            raise OSError("the disk is full")
        return asked(feed, **options)

    monkeypatch.setattr(asking, "ask", ask)
    call_command("work", once=True, verbosity=0)
    assert [load.feed for load in Load.objects.all()] == [good.pk] and Load.objects.get().state == "accepted"
    assert f"feed {broken.pk} could not be queued" in caplog.text


def test_the_clock_goes_on_after_a_look_that_failed(ledger, monkeypatch, caplog):
    looks = []

    def fails():
        looks.append(1)
        raise OSError("locked")

    monkeypatch.setattr(asking, "pull_due", fails)
    worker.look()
    worker.look()
    assert len(looks) == 2 and caplog.text.count("could not be looked at") == 2


def test_cancelled_load_changes_nothing(ledger, small, person):
    feed = folder_feed(ledger, put(small("n", entries__csv=HEADER + NEWS)))
    waiting = asking.ask(feed, person=person)
    assert work.cancel(waiting.pk).state == "cancelled"
    pulling.run(waiting.pk)
    assert Load.objects.get(pk=waiting.pk).state == "cancelled"
    running = asking.ask(feed, person=person)
    work.claim(running.pk)
    work.cancel(running.pk)
    with pytest.raises(work.LoadCancelled):
        work.watcher(running.pk)("checking", 1, 10)
    assert Ledger.objects.get(code="s").revision == 1
    with pytest.raises(RulkaError, match="has ended already"):
        work.cancel(waiting.pk)


def test_what_a_dead_worker_left_is_taken_up(ledger, small, person):
    feed = folder_feed(ledger, put(small("n", entries__csv=HEADER + NEWS)))
    load = asking.ask(feed, unattended=True)
    work.claim(load.pk)
    assert asking.recover() == 0  # its process lives: it is this one
    host = work.this_worker().rpartition(":")[0]
    Load.objects.filter(pk=load.pk).update(worker=f"{host}:999999999")
    assert asking.recover() == 1
    call_command("work", once=True, verbosity=0)
    load.refresh_from_db()
    assert load.state == "accepted"


def test_what_nobody_expected_ends_a_load_with_an_incident(ledger, small, person, monkeypatch):
    load = asking.ask(folder_feed(ledger, put(small("n", entries__csv=HEADER + NEWS))), unattended=True)

    def broken(*_, **__):
        raise OSError("no space left")

    monkeypatch.setattr("rulka.ledger.feeds.pulling.load", broken)
    call_command("work", once=True, verbosity=0)
    load.refresh_from_db()
    assert load.state == "failed" and "incident" in load.report["refused"][0]["what"]
    assert Ledger.objects.get(code="s").revision == 1


def test_second_load_at_the_same_time_is_refused(ledger, small, command):
    from django.core.management.base import CommandError

    with load.alone("s"), pytest.raises(CommandError, match="Another load of this ledger runs"):
        command("load_ledger", small(), ledger="s")
