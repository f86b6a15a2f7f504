"""Signing in: throttled by name and address, never waiting for a load; visits that end; what browsers may keep."""

from __future__ import annotations

import sqlite3
import threading
import time
from contextlib import closing
from datetime import timedelta

import pytest
from django.contrib.auth.hashers import make_password
from django.db import connections
from django.urls import reverse
from django.utils import timezone

from rulka.people.library import signing
from rulka.people.models import Person, SignInFailures

pytestmark = pytest.mark.django_db
PHRASE = "a long enough phrase"


@pytest.fixture
def kim():
    return Person.objects.create(username="kim", password=make_password(PHRASE))


def tried(client, name="kim", password="wrong", address="10.1.1.1"):
    return client.post(reverse("sign-in"), {"username": name, "password": password}, REMOTE_ADDR=address)


@pytest.mark.parametrize("name", ["kim", "nobody"])
def test_name_is_locked_for_a_while_after_failures_whether_it_exists_or_not(name, kim, client):
    for place in range(signing.MOST_OF_NAME):
        assert "There were too many tries" not in tried(client, name, address=f"10.1.1.{place}").content.decode()
    told = tried(client, name, PHRASE, address="10.2.2.2").content.decode()
    assert "There were too many tries" in told and "in 15 minutes" in told and "_auth_user_id" not in client.session
    SignInFailures.objects.update(last=timezone.now() - signing.WINDOW - timedelta(seconds=1))
    if name == "kim":
        assert tried(client, name, PHRASE).status_code == 302


def test_address_is_locked_whoever_it_tries(kim, client):
    for number in range(signing.MOST_OF_ADDRESS):
        tried(client, f"name{number}")
    assert "too many tries" in tried(client, "kim", PHRASE).content.decode()
    assert tried(client, "kim", PHRASE, address="10.9.9.9").status_code == 302


def test_signing_in_forgets_the_failures_of_a_name_and_keeps_no_name(kim, client):
    for _ in range(signing.MOST_OF_NAME - 1):
        tried(client)
    assert tried(client, password=PHRASE).status_code == 302
    assert SignInFailures.objects.count() == 1  # the address's
    assert not SignInFailures.objects.filter(key__contains="kim").exists()


def test_passwords_are_not_all_hashed_at_once(kim, monkeypatch, client):
    monkeypatch.setattr(signing, "HASHING", threading.BoundedSemaphore(1))
    monkeypatch.setattr(signing, "PATIENCE", 0.01)
    with signing.HASHING:
        assert "Many people sign in at this moment" in tried(client, password=PHRASE).content.decode()
    assert tried(client, password=PHRASE).status_code == 302


@pytest.mark.django_db(transaction=True, databases="__all__")
def test_signing_in_does_not_wait_while_the_ledgers_are_locked(client):
    Person.objects.create(username="kim", password=make_password(PHRASE))
    with closing(sqlite3.connect(connections["default"].settings_dict["NAME"], isolation_level=None)) as other:
        other.execute("BEGIN IMMEDIATE")
        before = time.monotonic()
        assert tried(client).status_code == 200 and tried(client, password=PHRASE).status_code == 302
        assert time.monotonic() - before < 4  # a write would have waited five seconds, and failed
        other.execute("ROLLBACK")


@pytest.mark.parametrize(("key", "ago"), [("seen", 61 * 60), ("began", 13 * 3_600)])
def test_visit_ends_after_a_while(key, ago, kim, client):
    client.force_login(kim)
    client.get(reverse("statements"))
    session = client.session
    session[key] = time.time() - ago
    session.save()
    assert client.get(reverse("statements"))["Location"].startswith(reverse("sign-in"))


def test_no_page_with_figures_is_kept_by_a_browser(kim, client):
    client.force_login(kim)
    assert client.get(reverse("statements"))["Cache-Control"] == "no-store"
    assert client.get(reverse("ledger"))["Cache-Control"] == "no-store"


@pytest.mark.parametrize("weak", ["short", "password1234", "123456789012345", "kim-kim-kim-kim"])
def test_weak_passwords_are_refused(weak):
    from django.contrib.auth.password_validation import validate_password
    from django.core.exceptions import ValidationError

    with pytest.raises(ValidationError):
        validate_password(weak, Person(username="kim-kim-kim"))
