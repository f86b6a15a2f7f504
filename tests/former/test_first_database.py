"""The database of the first version that landed is taken over: figures behind each fence, and who signs in."""

from __future__ import annotations

import gzip
import json
from pathlib import Path

import pytest

from tests.former.test_former_database import python

HERE = Path(__file__).parent
SEEN = json.loads((HERE / "first_seen.json").read_text())


@pytest.fixture(scope="module")
def first(tmp_path_factory):
    """The migrated database in a folder of its own; its second one didn't exist then."""
    var = tmp_path_factory.mktemp("first")
    (var / "rulka.sqlite3").write_bytes(gzip.decompress((HERE / "first.sqlite3.gz").read_bytes()))
    python(var, "manage.py", "migrate", "--verbosity", "0")
    return var


@pytest.mark.slow
@pytest.mark.parametrize("who", ["", "kim", "lea"])
def test_figures_are_what_they_were(first, who):
    seen_by = ["--as", who] if who else []
    balance = ["trial_balance", "--ledger", "s", "--from", "2025-P01", "--to", "2026-P02", *seen_by]
    assert python(first, "manage.py", *balance) == SEEN[f"trial balance {who}".strip()]
    run = ["run_statement", "result", "--ledger", "s", "--period", "2026-P01", "--format", "json", *seen_by]
    lines = json.loads(python(first, "manage.py", *run))["lines"]
    assert [[line["label"], line["values"]] for line in lines] == SEEN[f"result {who}".strip()]


def test_the_first_database_has_something_to_lose():
    assert SEEN["trial balance"] == SEEN["trial balance kim"] != SEEN["trial balance lea"]
    assert any(value not in (None, "0.00") for _, values in SEEN["result"] for value in values)


@pytest.mark.slow
def test_who_signed_in_then_signs_in_now(first):
    told = python(
        first,
        "-c",
        "import django; django.setup()\n"
        "from django.test import Client\n"
        "client = Client(HTTP_HOST='localhost')\n"
        "sent = {'username': 'kim', 'password': 'a long enough phrase'}\n"
        "print(client.post('/sign-in/', sent).status_code, client.get('/statements/').status_code)\n"
        "print(client.get('/people/mine/').status_code, client.get('/statements/result/').status_code)\n",
    )
    assert told.split() == ["302", "200", "200", "200"]
