"""Reading goes on while something long is written and while there is no room; what was typed is kept; work waits."""

from __future__ import annotations

import shutil
import sqlite3
import time
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from types import SimpleNamespace

import pytest
from django.core.checks import run_checks
from django.db import connection, connections
from django.urls import reverse

from rulka.ledger.feeds import asking, tasks
from rulka.ledger.feeds import settings as feed_settings
from rulka.ledger.models import Feed, Ledger
from rulka.people.library.persons import make_person
from rulka.people.library.rights import grant
from rulka.statements.models import Definition, Visit
from rulka.work.models import Load, Output
from rulka.work.services.outputs import OUTPUTS
from rulka.work.services.recovery import take_up
from tests.web.world import make_world

pytestmark = pytest.mark.django_db(transaction=True, databases="__all__")


@pytest.fixture
def amy(small, command, client):
    make_world(small, command)
    person = make_person("amy", title="Amy", role="accountant")
    grant(person, "s", "", "", {}, opens_seals=True)
    client.force_login(person)
    return client


@contextmanager
def locked() -> Iterator[None]:
    """Somebody writes into the ledgers at length."""
    with closing(sqlite3.connect(connections["default"].settings_dict["NAME"], isolation_level=None)) as other:
        other.execute("BEGIN IMMEDIATE")
        try:
            yield
        finally:
            other.execute("ROLLBACK")


@contextmanager
def no_room(alias: str = "default") -> Iterator[None]:
    """No page more fits into the database."""
    with connections[alias].cursor() as cursor:
        cursor.execute("VACUUM")
        cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        cursor.execute("PRAGMA page_count")
        pages = cursor.fetchone()[0]
        cursor.execute(f"PRAGMA max_page_count = {pages}")
    try:
        yield
    finally:
        with connections[alias].cursor() as cursor:
            cursor.execute("PRAGMA max_page_count = 1073741823")


def test_statements_open_while_the_ledgers_are_locked(amy):
    with locked():
        before = time.monotonic()
        for name in ("result", "by-department"):
            response = amy.get(reverse("statement", args=[name]) + "?ledger=s&period=2026-P01")
            assert response.status_code == 200 and "Sales" in response.content.decode()
        assert amy.get(reverse("ledger-journal")).status_code == 200
        assert time.monotonic() - before < 5
    assert not Visit.objects.exists()  # that they were looked at is a note, left out
    amy.get(reverse("statement", args=["result"]))
    assert Visit.objects.count() == 1


@pytest.mark.parametrize("fragment", [True, False])
def test_edit_that_waits_in_vain_keeps_what_was_typed_and_says_so(fragment, amy, monkeypatch):
    connection.ensure_connection()
    connection.connection.execute("PRAGMA busy_timeout = 200")
    asked = {"do": "line-change", "key": "rent", "path": "label", "value": "Rent and heating", "share-spine": "all"}
    body = Definition.objects.get(kind="spine", ledger__code="s").body
    with locked():
        headers = {"HX-Request": "true"} if fragment else {}
        response = amy.post(reverse("edit-statement", args=["result"]), asked, headers=headers)
    told = response.content.decode()
    assert response.status_code == 503 and "your change waited for it in vain. Nothing was changed" in told
    if not fragment:  # a fragment leaves the field as it is; a page keeps it and offers it again
        assert 'value="Rent and heating"' in told and "Try again" in told
    assert Definition.objects.get(kind="spine", ledger__code="s").body == body
    assert amy.post(reverse("edit-statement", args=["result"]), asked, headers=headers).status_code in (200, 302)


def test_without_room_pages_say_so_and_reading_goes_on(amy):
    text = "x" * 60_000
    with no_room():
        response = amy.post(reverse("place-definition", args=["statement", "result"]), {"tags": ", ".join([text] * 9)})
        many = {"do": "spine-change", "path": "title", "share-spine": "all"}
        address = reverse("edit-statement", args=["result"])
        told = [response] + [amy.post(address, {**many, "value": f"{n} {'y' * 90}"}) for n in range(60)]
        full = [one for one in told if one.status_code == 503]
        assert full and "There is no room left where Rulka writes" in full[-1].content.decode()
        assert amy.get(reverse("statement", args=["result"])).status_code == 200
        assert amy.get(reverse("ledger-trial-balance")).status_code == 200
    assert amy.post(address, {**many, "value": "There is room"}).status_code == 302


def test_load_without_room_waits_and_goes_on_by_itself(amy, small, settings):
    folder = feed_settings.feed_folder() / "more"
    shutil.copytree(small("more"), folder, dirs_exist_ok=True)
    sides = (("1", "1000", "9.00,"), ("2", "4000", ",9.00"))
    lines = [f"A,M{n},{no},2026-02-03,{code},,{sums},{'t' * 200},,,," for n in range(400) for no, code, sums in sides]
    with (folder / "entries.csv").open("a") as file:
        file.write("\n".join(lines) + "\n")
    feed = feed_settings.save_feed(Ledger.objects.get(code="s"), {"name": "More", "kind": "ledger", "location": "more"})
    load = asking.ask(feed, unattended=True)
    with no_room():
        tasks.run_load.func(load.pk)
        load.refresh_from_db()
        assert (load.state, load.doing) == ("waiting", "waits for room")
        assert Ledger.objects.get(code="s").revision == 1
    tasks.run_load.func(load.pk)
    load.refresh_from_db()
    assert load.state == "accepted" and Ledger.objects.get(code="s").revision == 2
    Feed.objects.all().delete()


def test_what_a_dead_worker_left_is_taken_up(amy):
    output = Output.objects.get()
    assert OUTPUTS.claim(output.pk) is not None
    Output.objects.update(worker="elsewhere:1")
    load = Load.objects.create(ledger="s", feed_name="x", source="x", state=Load.State.RUNNING, worker="elsewhere:1")
    assert take_up() == 2
    assert Output.objects.get().state == "waiting" and Load.objects.get(pk=load.pk).state == "waiting"


def test_databases_and_files_are_for_the_service_alone(tmp_path):
    import os
    import subprocess
    import sys

    environment = {**os.environ, "RULKA_VAR": str(tmp_path / "var"), "DATABASE_URL": "", "RULKA_WORK_URL": ""}
    root = Path(__file__).parent.parent.parent
    command = [sys.executable, str(root / "manage.py"), "migrate", "--verbosity", "0"]
    subprocess.run(command, env=environment, check=True, capture_output=True)
    modes = {path.name: path.stat().st_mode & 0o077 for path in (tmp_path / "var").iterdir()}
    assert "rulka.sqlite3" in modes and "work.sqlite3" in modes and not any(modes.values()), modes
    assert (tmp_path / "var").stat().st_mode & 0o077 == 0


def test_database_that_the_sql_does_not_support_is_refused(monkeypatch):
    assert run_checks(tags=["rulka"]) == []
    other = SimpleNamespace(DATABASES={"default": {"ENGINE": "django.db.backends.mysql"}})
    monkeypatch.setattr("rulka.work.checks.settings", other)
    assert "Rulka's SQL is SQLite's" in run_checks(tags=["rulka"])[0].msg


@pytest.mark.parametrize("debug", [True, False])
def test_debug_shows_the_frameworks_own_error_page(debug, amy, settings, monkeypatch):
    settings.DEBUG = debug
    monkeypatch.setattr("rulka.statements.pages.library.seat_of", lambda request: 1 / 0)
    amy.raise_request_exception = False
    told = amy.get(reverse("statements")).content.decode()
    assert ("<title>ZeroDivisionError" in told) == debug and ("<h1>Something went wrong</h1>" in told) != debug
