"""Signing in with a second step, and what somebody chooses for themselves."""

from __future__ import annotations

import re
import time
from datetime import UTC, datetime

import pyotp
import pytest
from django.db import connection, connections
from django.test import Client
from django.urls import reverse

from rulka.core.proof.origin import CODE
from rulka.people.library import preferences, restored, steps
from rulka.people.library.persons import make_person
from rulka.people.library.rights import grant
from rulka.people.models import Person, Recorded, TimeCode
from tests.web.world import make_world

pytestmark = pytest.mark.django_db
PHRASE = "a long enough phrase"


@pytest.fixture
def kim(small, command):
    make_world(small, command)
    person = make_person("kim", title="Kim", role="accountant", password=PHRASE)
    grant(person, "s", "", "", {}, opens_seals=True)
    return person


def signs_in(client=None):
    client = client or Client()
    return client, client.post(reverse("sign-in"), {"username": "kim", "password": PHRASE, "next": "/ledger/"})


def step(client, do, code=""):
    return client.post(reverse("second-step-settings"), {"do": do, "code": code})


def switched_on(client):
    step(client, "begin")
    shown = client.get(reverse("mine")).content.decode()
    key = re.search(r"<code>([A-Z2-7 ]+)</code>", shown)[1].replace(" ", "")
    assert "data:image/svg+xml" in shown
    assert step(client, "confirm", pyotp.TOTP(key).now()).status_code == 302
    return pyotp.TOTP(key)


@pytest.fixture
def at(monkeypatch):
    """Sets the clock of the server, in seconds from now on."""
    began = time.time()
    clock = {"off": 0}
    monkeypatch.setattr(steps.time, "time", lambda: began + clock["off"])

    def go(off):
        clock["off"] = off
        return int(began + off)

    return go


def test_a_code_follows_the_password(kim, at):
    client, answer = signs_in()
    assert answer["Location"] == "/ledger/"
    other, _ = signs_in()
    codes = switched_on(client)
    assert client.get("/ledger/").status_code == 200
    assert other.get("/ledger/").status_code == 302, "sessions that came in by the password alone end"
    fresh, answer = signs_in()
    assert answer["Location"] == reverse("second-step")
    assert fresh.get("/ledger/").status_code == 302, "the first step alone opens nothing"
    now = at(120)
    assert "isn&#x27;t the code" in fresh.post(answer["Location"], {"code": "000000"}).content.decode()
    come = fresh.post(answer["Location"], {"code": codes.at(now)})
    assert come["Location"] == "/ledger/" and fresh.get("/ledger/").status_code == 200
    again, answer = signs_in()
    assert "used already" in again.post(answer["Location"], {"code": codes.at(now)}).content.decode()
    assert Client().get(reverse("second-step"))["Location"] == reverse("sign-in")


def test_a_clock_may_be_off_by_a_minute_and_no_more(kim, at):
    client, _ = signs_in()
    codes = switched_on(client)
    for off, taken in ((-100, False), (-60, True), (0, True), (60, True), (130, False)):
        now = at(at(0) * 0 + 600 * (1 + off // 10 + 20))  # each at a time of its own, later than all before
        fresh, answer = signs_in()
        response = fresh.post(answer["Location"], {"code": codes.at(now + off)})
        assert (response.status_code == 302) is taken, off


def test_the_first_step_ends_after_five_minutes_and_with_the_password(kim, monkeypatch):
    client, _ = signs_in()
    switched_on(client)
    fresh, answer = signs_in()
    kim.set_password("quite another phrase")
    kim.save()
    assert fresh.get(answer["Location"])["Location"] == reverse("sign-in")
    kim.set_password(PHRASE)
    kim.save()
    fresh, answer = signs_in()
    assert fresh.get(answer["Location"]).status_code == 200
    session = fresh.session
    number, proof, began, onwards = session["first step"]
    session["first step"] = [number, proof, began - 301, onwards]
    session.save()
    assert fresh.get(answer["Location"])["Location"] == reverse("sign-in")


def test_codes_are_tried_no_more_often_than_passwords(kim, at):
    client, _ = signs_in()
    codes = switched_on(client)
    fresh, answer = signs_in()
    for _ in range(8):
        fresh.post(answer["Location"], {"code": "123"})
    now = at(300)
    assert "too many tries" in fresh.post(answer["Location"], {"code": codes.at(now)}).content.decode()


def test_the_key_stands_nowhere_in_plain_text(kim, settings, capsys):
    client, _ = signs_in()
    codes = switched_on(client)
    for one in (connection, connections["work"]):
        with one.cursor() as cursor:
            cursor.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
            for (table,) in cursor.fetchall():
                cursor.execute(f'SELECT * FROM "{table}"')
                assert codes.secret not in repr(cursor.fetchall()), table
                assert client.session.session_key not in repr(cursor.execute(f'SELECT * FROM "{table}"').fetchall())
    settings.SECRET_KEY = "another one altogether"
    assert steps.unreadable() == ["kim"]
    assert any("second step of kim" in told for told in restored.after_restore())
    fresh, answer = signs_in()
    told = fresh.post(answer["Location"], {"code": codes.now()}).content.decode()
    assert "secret key is another one" in told


def test_an_administrator_switches_it_off_and_it_is_recorded(kim, command, django_capture_on_commit_callbacks):
    client, _ = signs_in()
    switched_on(client)
    ada = Client()
    ada.force_login(make_person("ada", role="administrator"))
    with django_capture_on_commit_callbacks(execute=True):
        assert ada.post(reverse("act-on-person", args=["kim"]), {"do": "one-step"}).status_code == 302
    assert Recorded.objects.filter(thing="person kim", detail__startswith="second step switched off").exists()
    assert client.get("/ledger/").status_code == 302
    client, answer = signs_in()
    assert answer["Location"] == "/ledger/" and not TimeCode.objects.exists()
    codes = switched_on(client)
    assert step(client, "off", "000000").status_code == 422 and steps.has_steps(kim)
    assert step(client, "begin").status_code == 422, "a key that counts is not made anew"
    command("make_person", "kim", role="accountant", one_step=True)
    assert not steps.has_steps(kim) and codes


# settings -----------------------------------------------------------------------------------------------------------


def chosen(client, **values):
    return client.post(reverse("choose-settings"), {"dates": "", "numbers": "", "time_zone": "", **values})


def test_figures_and_days_are_written_as_chosen_and_files_as_for_all(kim):
    client, _ = signs_in()
    balance, statement = reverse("ledger-trial-balance"), reverse("statement", args=["result"])
    where = "?ledger=s&period=2026-P01&node=A"
    plain = {address: client.get(address + where).content.decode() for address in (balance, statement)}
    forms = ("csv", "json", "html")
    files = {form: client.get(reverse("download", args=["result", form]) + where).content for form in forms}
    amount = re.search(r">(\d+\.\d\d)<", plain[balance])[1]
    assert chosen(client, numbers="point", dates="iso", letters="on").status_code == 302
    now = {address: client.get(address + where).content.decode() for address in (balance, statement)}
    assert amount.replace(".", ",") in now[balance] and amount not in now[balance]
    for address in (balance, statement):
        figures = [re.findall(r">([\u2212]?\d[\d.,\u00a0]*)</", text) for text in (plain[address], now[address])]
        swapped = [text.replace(".", "!").replace("\u00a0", ".").replace("!", ",") for text in figures[0]]
        assert figures[1] == swapped and any("," in text for text in swapped)
    for form, content in files.items():
        later = client.get(reverse("download", args=["result", form]) + where).content
        assert stamped(later) == stamped(content), form
    kept = client.post(reverse("keep-edition", args=["result"]) + where, {"title": "Kept"})
    assert kept.status_code in (200, 302)


def stamped(content):
    return re.sub(rb"\d+ \w+ 20\d\d, \d\d:\d\d \w+|nonce=\"[^\"]*\"|" + CODE.pattern.encode(), b"", content)


def test_what_a_statement_says_of_its_own_separators_goes_before():
    from rulka.core.definitions.statements import StatementDef
    from rulka.core.money import READ_AS, grouped
    from rulka.formats.figures import separators

    made = object.__new__(StatementDef)
    object.__setattr__(made, "grouping", "apostrophe")
    object.__setattr__(made, "decimal_mark", "comma")
    for _, (_, marks) in preferences.NUMBERS.items():
        token = READ_AS.set(marks)
        assert separators(made)(grouped(-123456789, 2)) == "\u22121\u2019234\u2019567,89"
        READ_AS.reset(token)


@pytest.mark.parametrize(
    ("dates", "looks"),
    [
        ("", "5 Jan 2027"),
        ("iso", "2027-01-05"),
        ("points", "05.01.2027"),
        ("slashes", "05/01/2027"),
        ("month", "Jan 5, 2027"),
    ],
)
def test_moments_follow_style_and_zone(dates, looks):
    moment = datetime(2027, 1, 4, 23, 30, tzinfo=UTC)
    reader = Person(dates=dates, time_zone="Europe/Helsinki")
    with preferences.read_by(reader):
        assert preferences.moment_text(moment) == f"{looks}, 01:30"
    assert preferences.moment_text(moment) == "4 Jan 2027, 23:30"


def test_first_page_letters_and_what_cant_be_chosen(kim):
    client, _ = signs_in()
    assert 'data-letters="off"' not in client.get(reverse("mine")).content.decode()
    assert chosen(client, first="ledger-trial-balance").status_code == 302
    assert client.get("/")["Location"] == reverse("ledger-trial-balance")
    assert 'data-letters="off"' in client.get(reverse("mine")).content.decode()
    for wrong in ({"dates": "roman"}, {"numbers": "x"}, {"time_zone": "Moon/Base"}, {"first": "sign-out"}):
        refused = chosen(client, **wrong)
        assert refused.status_code == 422 and "is no " in refused.content.decode()
    assert Person.objects.get(username="kim").first_page == "ledger-trial-balance"
