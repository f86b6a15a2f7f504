"""Pages of feeds and loads with a plain request, as a fragment, and with bad input."""

from __future__ import annotations

import json

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from rulka.ledger.feeds import asking, pulling
from rulka.ledger.feeds import settings as feed_settings
from rulka.ledger.models import Feed, JournalEntry, Ledger
from rulka.people.models import Access, Person
from rulka.work.models import Load
from tests.conftest import SMALL

pytestmark = pytest.mark.django_db
HEADER = SMALL["entries.csv"].splitlines(keepends=True)[0]
STRANGE = "Firm;Slip;Day;Acct;In;Out\nA;S1;05.02.2026;1000;1.250,00;\nA;S1;05.02.2026;4000;;1.250,00\n"


@pytest.fixture
def seated(small, command, client):
    command("load_ledger", small(), ledger="s")
    person = Person.objects.create(username="maker", title="Maker", role=Person.Role.ACCOUNTANT)
    Access.objects.create(person=person, ledger=Ledger.objects.get(code="s"), opens_seals=True)
    client.force_login(person)
    return client


def post(client, view, /, *arguments, status=302, **fields):
    response = client.post(reverse(view, args=arguments), fields)
    assert response.status_code == status
    return response


def made(client, name="Slips", kind="table", **fields) -> Feed:
    post(client, "feeds", name=name, kind=kind, **fields)
    return Feed.objects.get(name=name)


def test_new_feed_is_refused_with_what_is_wrong_and_keeps_what_was_typed(seated):
    assert "The feed has no name" in post(seated, "feeds", name=" ", kind="table", status=422).content.decode()
    made(seated)
    page = post(seated, "feeds", name="Slips", kind="ledger", location="here", status=422).content.decode()
    assert "There is a feed &#x27;Slips&#x27; already" in page and 'value="here"' in page
    assert "is no kind of source" in post(seated, "feeds", name="X", kind="magic", status=422).content.decode()


def test_settings_are_checked_and_saved(seated):
    feed = made(seated, kind="ledger", location="news")
    good = {
        "name": "Slips",
        "location": "news",
        "pull": "weekday",
        "pull_clock": "06:30",
        "rule-closed": "refuse",
        "long_past": "5",
        "first_day": "2026-01-01",
        "entities": "A",
        "on_opening": "on",
    }
    page = seated.post(reverse("feed", args=[feed.pk]), good).content.decode()
    feed.refresh_from_db()
    assert "Saved." in page and (feed.schedule, feed.rules, feed.on_opening) == (
        "30 6 * * 1-5",
        {"closed": "refuse"},
        True,
    )
    assert '<option value="weekday" selected>each weekday</option>' in page
    assert "each weekday at 06:30" in seated.get(reverse("feeds")).content.decode()
    assert feed.options["bounds"] == {"first_day": "2026-01-01", "entities": "A"} and feed.options["long_past"] == 5
    seated.post(reverse("feed", args=[feed.pk]), {key: value for key, value in good.items() if "pull" not in key})
    feed.refresh_from_db()
    assert feed.schedule == "30 6 * * 1-5", "what isn't said of its times leaves them"
    for wrong, message in (
        ({"pull_clock": "noon"}, "is no time of the day"),
        ({"pull": "month", "pull_day": "32"}, "is no whole number from 0 to 31"),
        ({"pull": "fields", "pull_fields": "30 6"}, "is no schedule"),
        ({"rule-closed": "perhaps"}, "is no rule"),
        ({"first_day": "2026-01-02"}, "is not the first day of a period"),
        ({"accounts": "4*"}, "Account &#x27;&#x27; does not exist"),
        ({"name": ""}, "The feed has no name"),
    ):
        response = seated.post(reverse("feed", args=[feed.pk]), good | wrong)
        assert response.status_code == 422 and message in response.content.decode()


def test_service_mapping_and_secret_are_kept_apart(seated):
    feed = feed_settings.save_feed(
        Ledger.objects.get(code="s"), {"name": "Web", "kind": "service", "location": "https://ledger.example/odata"}
    )
    mapping = json.dumps({"accounts": {"set": "Accounts", "fields": {"code": "No", "name": "Name", "type": "Type"}}})
    fields = {
        "name": "Web",
        "location": feed.location,
        "sign_in": "bearer",
        "secret": "very secret",
        "mapping": mapping,
    }
    page = seated.post(reverse("feed", args=[feed.pk]), fields).content.decode()
    feed.refresh_from_db()
    assert "very secret" not in page and "very secret" not in json.dumps(feed.options)
    assert (feed_settings.loads_folder(0).parent.parent / "secrets" / f"feed-{feed.pk}").stat().st_mode & 0o777 == 0o600
    for wrong, message in (
        ("{", "The mapping is not JSON"),
        ('{"lines": {}}', "is no file of a ledger folder"),
        ('{"entries": {}}', "names no set or no fields"),
    ):
        response = seated.post(reverse("feed", args=[feed.pk]), fields | {"mapping": wrong})
        assert response.status_code == 422 and message in response.content.decode()


def mapped(client, feed, **fields):
    """Post the mapping form as the page has it, with some fields changed."""
    plain = {
        "table": "entries",
        "encoding": "utf-8-sig",
        "delimiter": ";",
        "header": "1",
        "date": "DD.MM.YYYY",
        "number": "1.234,56",
        "amounts": "debit and credit",
        "c-entity": "Firm",
        "c-entry": "Slip",
        "c-date": "Day",
        "c-account": "Acct",
        "c-debit": "In",
        "c-credit": "Out",
    }
    return client.post(
        reverse("feed-map", args=[feed.pk]),
        plain | fields,
        **({} if fields.get("do") else {"headers": {"HX-Request": "true"}}),
    )


def test_mapping_is_tried_as_a_fragment_and_saved(seated):
    feed = made(seated)
    page = seated.get(reverse("feed-map", args=[feed.pk])).content.decode()
    assert "Hand in a file as the ledger system writes it" in page
    post(seated, "feed-map", feed.pk, table="entries", file=SimpleUploadedFile("slips.csv", STRANGE.encode()))
    page = seated.get(reverse("feed-map", args=[feed.pk])).content.decode()
    assert "The file as it is read" in page and "1.250,00" in page
    fragment = mapped(seated, feed).content.decode()
    assert "<html" not in fragment and "Every row can be read so." in fragment and "1250.00" in fragment
    fragment = mapped(seated, feed, date="MM/DD/YYYY").content.decode()
    assert "2 rows can't be read so" in fragment
    assert "is no translation" in mapped(seated, feed, translations="side = x").content.decode()
    assert "Nothing is mapped to entry" in mapped(seated, feed, **{"c-entry": ""}).content.decode()
    response = mapped(seated, feed, do="load")
    load = Load.objects.get()
    assert response.status_code == 302 and response["Location"].startswith(reverse("load", args=[load.pk]))
    pulling.run(load.pk)
    load.refresh_from_db()
    assert load.state == "held"
    feed.refresh_from_db()
    assert feed.mapping["fields"]["account"]["columns"] == ["Acct"]


def test_load_page_fragment_and_decisions(seated, small):
    feed = made(seated, kind="ledger", location="x")
    news = HEADER + "A,E9,1,2026-02-01,1000,,9.00,,new,,,,\nA,E9,2,2026-02-01,4000,,,9.00,new,,,,\n"
    folder = small("n", entries__csv=news)
    from tests.formats.intake.test_ledger_source import zipped

    archive = zipped(folder, folder.parent / "n.zip")
    response = post(seated, "feed-pull", feed.pk, file=SimpleUploadedFile("n.zip", archive.read_bytes()))
    load = Load.objects.get()
    fragment = seated.get(reverse("load-progress", args=[load.pk]))
    assert "It waits for the worker" in fragment.content.decode() and "HX-Refresh" not in fragment
    assert response["Location"].startswith(reverse("load", args=[load.pk]))
    pulling.run(load.pk)
    fragment = seated.get(reverse("load-progress", args=[load.pk]))
    assert fragment["HX-Refresh"] == "true" and "Waits for a decision" in fragment.content.decode()
    assert "is no decision" in post(seated, "load-decide", load.pk, decision="maybe", status=422).content.decode()
    post(seated, "load-decide", load.pk, decision="accept")
    pulling.run(load.pk)
    page = seated.get(reverse("load", args=[load.pk])).content.decode()
    assert "Accepted" in page and Ledger.objects.get(code="s").revision == 2
    assert "has ended already" in post(seated, "load-decide", load.pk, decision="cancel", status=422).content.decode()
    assert seated.get(reverse("load", args=[999])).status_code == 404


def test_feed_is_removed_and_what_it_brought_stays(seated, small):
    news = HEADER + "A,E9,1,2026-02-01,1000,,9.00,,new,,,,\nA,E9,2,2026-02-01,4000,,,9.00,new,,,,\n"
    from tests.ledger.test_feeds import pulled, put

    feed = made(seated, kind="ledger", location=put(small("n", entries__csv=news)))
    feed_settings.keep_secret(feed, "x")
    waiting = asking.ask(feed, unattended=True)
    assert "runs or waits for a decision" in post(seated, "feed-remove", feed.pk, status=422).content.decode()
    pulling.run(waiting.pk)
    assert pulled(feed, unattended=True).state == "accepted"
    post(seated, "feed-remove", feed.pk)
    assert not Feed.objects.exists() and JournalEntry.objects.get(number="E9").feed is None
    assert not (feed_settings.loads_folder(0).parent.parent / "secrets" / f"feed-{feed.pk}").exists()
    assert seated.get(reverse("load", args=[waiting.pk])).status_code == 200


def test_reader_sees_loads_and_changes_nothing(seated):
    feed = made(seated, kind="ledger", location="x")
    Person.objects.filter(username="maker").update(role=Person.Role.DIRECTOR)
    page = seated.get(reverse("feeds")).content.decode()
    assert "Slips" in page and "New feed" not in page and "Pull the news" not in page
    for name, arguments in (("feeds", []), ("feed", [feed.pk]), ("feed-pull", [feed.pk]), ("feed-map", [feed.pk])):
        assert (
            "You may read this ledger"
            in post(seated, name, *arguments, name="x", kind="table", status=422).content.decode()
        )
    assert not Load.objects.exists()


def test_file_of_another_kind_is_told(seated):
    feed = made(seated, kind="ledger", location="x")
    post(seated, "feed-pull", feed.pk, file=SimpleUploadedFile("n.pdf", b"%PDF"))
    load = Load.objects.get()
    pulling.run(load.pk)
    page = seated.get(reverse("load", args=[load.pk])).content.decode()
    assert "is neither a folder, a .zip nor an .xlsx" in page
