"""Signing in, making people, and the bounds they are given."""

from __future__ import annotations

import io

import pytest
from django.core.management.base import CommandError
from django.urls import reverse

from rulka.people.models import Person

pytestmark = pytest.mark.django_db


@pytest.fixture
def small_ledger(small, command):
    command("load_ledger", small(), ledger="s")


def test_made_person_signs_in_and_sees_their_bounds(small_ledger, command, client, monkeypatch):
    monkeypatch.setattr("sys.stdin", io.StringIO("a long enough phrase\n"))
    command(
        "make_person", "kim", title="Kim, shop", role="lead", ledger="s", members=["department=under:10"], password=True
    )
    assert client.post(reverse("sign-in"), {"username": "kim", "password": "wrong"}).status_code == 200
    response = client.post(reverse("sign-in"), {"username": "kim", "password": "a long enough phrase"})
    assert response["Location"] == reverse("home") and client.get("/")["Location"] == reverse("month")
    page = client.get(reverse("ledger"))
    assert page.context["seat"].view.is_part
    assert "This ledger has no statement yet" in client.get(reverse("statements")).content.decode()


@pytest.mark.parametrize(
    ("options", "message"),
    [
        ({"ledger": "nowhere"}, "Ledger 'nowhere' does not exist"),
        ({"ledger": "s", "members": ["site=1"]}, "'site' is no dimension of s. It has department."),
        ({"ledger": "s", "accounts": "4* to"}, "expected the code that ends the range"),
    ],
)
def test_bad_bounds_are_refused(options, message, small_ledger, command):
    with pytest.raises(CommandError, match=message.replace("*", r"\*")):
        command("make_person", "kim", **options)


def test_weak_password_is_refused_and_nobody_is_made(command, monkeypatch):
    monkeypatch.setattr("sys.stdin", io.StringIO("kim\n"))
    with pytest.raises(CommandError, match="too short"):
        command("make_person", "kim", password=True)
    assert not Person.objects.filter(username="kim").exists()


def test_fragment_after_the_session_ended_sends_the_browser_to_sign_in(client):
    response = client.get(reverse("statement-panel", args=["any"]), headers={"HX-Request": "true"})
    assert response.status_code == 204
    assert response["HX-Redirect"] == reverse("sign-in")


def test_signing_out_takes_a_post(client):
    person = Person.objects.create(username="kim")
    client.force_login(person)
    assert client.get(reverse("sign-out")).status_code == 405
    client.post(reverse("sign-out"))
    assert "_auth_user_id" not in client.session


def test_unexpected_error_is_told_with_an_incident_number(client, monkeypatch, caplog):
    client.force_login(Person.objects.create(username="kim"))

    def broken(request):
        raise ZeroDivisionError("inner detail")

    monkeypatch.setattr("rulka.statements.pages.library.seat_of", broken)
    text = client.get(reverse("statements")).content.decode()
    assert "Incident " in text and "inner detail" not in text and "ZeroDivisionError" not in text
    assert "inner detail" in caplog.text
