"""Running it: health, what is missing, what is taken away, settings that pass the framework's own checks, logs."""

from __future__ import annotations

import json
import logging
import os
import subprocess
import sys
import time
from datetime import timedelta
from pathlib import Path

import pytest
from django.contrib.sessions.models import Session
from django.core.management import CommandError
from django.db import connections
from django.db.utils import OperationalError
from django.test import Client
from django.utils import timezone

from rulka.people.library import record
from rulka.people.library.persons import make_person
from rulka.people.models import Recorded
from rulka.web.logs import WithoutKeys
from rulka.work.models import Load, Output
from rulka.work.services import files, health, tidying

pytestmark = pytest.mark.django_db
ROOT = Path(__file__).parent.parent.parent


def test_health_says_whether_pages_and_worker_work(settings, monkeypatch):
    client = Client()
    assert client.get("/health/").json() == {"works": True, "failing": []}
    (Path(settings.VAR) / health.BEAT).unlink(missing_ok=True)
    assert client.get("/health/worker/").status_code == 503
    health.beat()
    assert client.get("/health/worker/").status_code == 200
    os.utime(Path(settings.VAR) / health.BEAT, (0, time.time() - health.AWAKE - 1))
    assert client.get("/health/worker/").status_code == 503
    settings.VAR = Path("/proc/nothing")
    assert client.get("/health/").json() == {"works": False, "failing": ["folder"]}

    def gone(*arguments):
        raise OperationalError("unable to open database file")

    monkeypatch.setattr(connections["work"], "cursor", gone)
    answer = client.get("/health/")
    assert answer.status_code == 503 and "database work" in answer.json()["failing"]
    assert client.post("/health/").status_code in (403, 405)


def test_what_is_missing_is_said_with_how_it_is_mended(command, settings, monkeypatch):
    Path(settings.VAR).chmod(0o755)
    with pytest.raises(CommandError, match="3 things are missing"):
        command("check_install")
    Path(settings.VAR).chmod(0o700)
    make_person("ada", role="administrator", password="a long enough phrase")
    monkeypatch.setenv("RULKA_SECRET_KEY", "given")
    told = command("check_install")
    assert "Nothing is missing" in told and "advised  HTTPS only" in told
    settings.DEMO = True
    with pytest.raises(CommandError, match="1 things"):
        command("check_install")


def test_documented_settings_pass_every_check(tmp_path):
    environment = {**os.environ, "RULKA_VAR": str(tmp_path), "RULKA_HTTPS": "1", "RULKA_HOSTS": "rulka.example.org",
                   "RULKA_ORIGINS": "https://rulka.example.org", "DATABASE_URL": "", "RULKA_DEMO": "",
                   "RULKA_DEBUG": ""}  # fmt: skip
    environment.pop("DJANGO_ALLOW_ASYNC_UNSAFE", None)  # what browser tests in the same process set
    done = subprocess.run(
        [sys.executable, "manage.py", "check", "--deploy", "--fail-level", "WARNING"],
        cwd=ROOT, env=environment, capture_output=True, text=True,
    )  # fmt: skip
    assert done.returncode == 0 and "no issues" in done.stdout, done.stderr


def aged(model, pk, days):
    model.objects.filter(pk=pk).update(ended=timezone.now() - timedelta(days=days))


def _aged_outputs_and_loads():
    """Outputs and loads of different ages and states."""
    made = {}
    for days, state in ((31, "ready"), (29, "ready"), (31, "failed"), (None, "running")):
        one = Output.objects.create(ledger="s", person=1, statement="x", form="csv", period="p", node="n", state=state)
        where = files.keep(f"{one.pk}.csv", b"1") if state == "ready" else ""
        Output.objects.filter(pk=one.pk).update(file=where)
        if days:
            aged(Output, one.pk, days)
        made[days, state] = one.pk
    loads = {}
    for days, state in ((91, "refused"), (89, "refused"), (91, "accepted"), (91, "held")):
        loads[days, state] = one = Load.objects.create(ledger="s", feed_name="f", source="x", state=state)
        aged(Load, one.pk, days)
    return made, loads


def test_what_is_old_is_taken_away_and_nothing_else(settings, tmp_path):
    settings.VAR = tmp_path  # other tests leave files whose rows are taken back
    made, loads = _aged_outputs_and_loads()
    (Path(settings.VAR) / "loads" / str(loads[91, "refused"].pk)).mkdir(parents=True)
    samples = Path(settings.VAR) / "samples" / "feed-1"
    samples.mkdir(parents=True)
    for name, days in (("old.csv", 91), ("new.csv", 89)):
        (samples / name).write_text("x")
        os.utime(samples / name, (0, time.time() - days * 86_400))
    Session.objects.create(session_key="over", session_data="", expire_date=timezone.now() - timedelta(minutes=1))
    Session.objects.create(session_key="open", session_data="", expire_date=timezone.now() + timedelta(minutes=1))
    told = tidying.tidy()
    assert told == {
        "filings": 0,
        "rebuilds": 0,
        "outputs": 2,
        "jobs": 1,
        "sessions": 1,
        "samples": 1,
        "uploads that became no template": 0,
        "record": 0,
        "left files": 0,
        "sent": 0,
        "runs": 0,
        "folio pages": 0,
    }
    left = set(Output.objects.values_list("pk", flat=True))
    assert left == {made[29, "ready"], made[None, "running"]}
    assert sorted(path.name for path in (Path(settings.VAR) / "outputs").glob("*.csv")) == [f"{made[29, 'ready']}.csv"]
    assert set(Load.objects.values_list("pk", flat=True)) == {
        one.pk for key, one in loads.items() if key != (91, "refused")
    }
    assert not (Path(settings.VAR) / "loads" / str(loads[91, "refused"].pk)).exists()
    assert [path.name for path in samples.iterdir()] == ["new.csv"]
    assert [one.session_key for one in Session.objects.all()] == ["open"]
    settings.OUTPUT_DAYS = 28
    assert tidying.tidy()["outputs"] == 1


@pytest.mark.parametrize("address", ["/live/k3y-0f-1t/Sheet/B2", "/join/k3y-0f-1t/"])
def test_keys_that_stand_in_addresses_are_in_no_log(address):
    said = logging.LogRecord("django.request", 30, "x", 1, "Not Found: %s", (address,), None)
    assert WithoutKeys().filter(said) and "k3y-0f-1t" not in said.getMessage()
    with pytest.MonkeyPatch.context() as patch:
        written = []
        patch.setattr(logging.StreamHandler, "emit", lambda self, one: written.append(self.format(one)))
        Client().get(address)
    assert not any("k3y-0f-1t" in line for line in written)


@pytest.mark.slow
def test_a_record_of_a_million_entries_is_read_searched_exported_and_shortened(django_assert_max_num_queries):
    old = timezone.now() - timedelta(days=4_000)
    every = 1_000_000
    with connections["work"].cursor() as cursor:
        cursor.executemany(
            "INSERT INTO people_recorded (at, person, person_name, looked_by, what, ledger, thing, detail, address) "
            "VALUES (?, 1, ?, '', ?, 's', ?, 'x', '')".replace("?", "%s"),
            (
                (
                    (old if number < 400_000 else timezone.now()).isoformat(sep=" "),
                    f"p{number % 50}",
                    "took" if number % 3 else "changed",
                    f"statement s{number % 200}",
                )
                for number in range(every)
            ),
        )
    ada = Client()
    ada.force_login(make_person("ada", role="administrator"))
    for query in ("", "?person=p7&what=took", "?text=s17", "?thing=statement+s4", f"?since={timezone.now():%Y-%m-%d}"):
        before = time.perf_counter()
        assert len(ada.get(f"/people/record/{query}").context["rows"]) in (0, 100)
        assert time.perf_counter() - before < 30, "a page must not read the whole record row by row"
    assert record.forget_old() >= 390_000
    found = Recorded.objects.filter(person_name="p7")
    pieces = list(record.lines_of(found, "json"))
    assert len(json.loads("".join(pieces))) == found.count() > 10_000
    csv = record.lines_of(found, "csv")
    assert len(next(csv)) < 200_000, "it is written piece by piece"
    assert sum(text.count("\n") for text in record.lines_of(found, "csv")) == found.count() + 1
