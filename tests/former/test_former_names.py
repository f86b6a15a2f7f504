"""A database in which definitions were named by their names is taken over: runs, texts, history, undo, versions,
editions, explanations, what was begun, what is made in the background, and files that left."""

from __future__ import annotations

import gzip
import json
import re
from functools import reduce
from pathlib import Path

import pytest

from tests.former.test_former_database import python

HERE = Path(__file__).parent
WORDS = (
    (r"&#x276F;", "❯"),
    (
        r"Node (\w+)\.rest holds what no child of ([\w ]+?) does",
        r"\2, not elsewhere (\1.rest) shows what no node below does",
    ),
    (r"What is in no child has a node of its own", "What is in no node below has its own"),
)
"""What is said in other words now."""

SEEN = json.loads(
    reduce(
        lambda text, words: re.sub(*words, text),
        WORDS,
        gzip.decompress((HERE / "names_seen.json.gz").read_bytes()).decode(),
    )
)


@pytest.fixture(scope="module")
def former(tmp_path_factory):
    """The migrated databases in a folder of their own, and what they show."""
    var = tmp_path_factory.mktemp("names")
    for name in ("rulka", "work"):
        (var / f"{name}.sqlite3").write_bytes(gzip.decompress((HERE / f"names_{name}.gz").read_bytes()))
    (var / "left.csv").write_bytes(gzip.decompress((HERE / "names_left.gz").read_bytes()))
    python(var, "manage.py", "migrate", "--verbosity", "0")
    verified = python(var, "manage.py", "verify", str(var / "left.csv"), "--as", "lea")
    python(var, "manage.py", "work", "--once", "--verbosity", "0")
    asked = (
        "import django; django.setup()\n"
        "from rulka.work.models import Output\nfrom rulka.rebuilds.models import Rebuild\n"
        "from rulka.statements.library.opening import name_of\nfrom django.db import connection\n"
        "cursor = connection.cursor()\n"
        "print(Output.objects.get().state, name_of(Output.objects.get().of_definition))\n"
        "print(name_of(Rebuild.objects.get().made), cursor.execute('PRAGMA foreign_key_check').fetchall())\n"
    )
    others = python(var, "-c", asked)
    return json.loads(python(var, "-m", "tests.former.names")), verified, others


@pytest.mark.parametrize("what", ["runs", "listed", "histories", "versions", "editions", "explained"])
def test_what_it_shows_is_what_it_showed(former, what):
    assert former[0][what] == SEEN[what]


@pytest.mark.parametrize("step", sorted(set(SEEN["turned"]) - {"brought back", "in the end"}))
def test_what_is_done_to_it_does_what_it_did(former, step):
    assert former[0]["turned"][step] == SEEN["turned"][step]


def test_what_is_brought_back_stands_on_its_shelf_again(former):
    """It stood on none before, where everybody saw it."""
    told, runs, listed, theirs, edition = former[0]["turned"]["brought back"]
    was = SEEN["turned"]["brought back"]
    assert (told, runs, edition[0]) == (was[0], was[1], was[4][0]) and (theirs[0], was[3][0]) == (404, 200)
    empty = "Board rights Nothing stands here yet."
    assert empty in was[2][1] and empty not in listed[1]


def test_what_was_begun_and_deleted_leaves_no_parts(former):
    parts, before = (seen["turned"]["in the end"][1][1] for seen in (former[0], SEEN))
    assert parts == before and "new-statement" not in parts


def test_what_waited_and_what_left_still_names_its_statement(former):
    assert former[2].split() == ["ready", "result", "result", "[]"]
    assert "by-department" in former[1] and "byte for byte" in former[1], former[1]


def test_it_has_something_to_lose():
    turned = SEEN["turned"]
    assert {step[1]["result"] for name, step in turned.items() if name[:2].isdecimal()} > {SEEN["runs"]["result"]}
    assert "Last words" in SEEN["editions"]["kim 2"][1] and SEEN["editions"]["lea 2"][0] == 404
    assert "More than planned." in SEEN["explained"][1][1] and len(SEEN["versions"]) == 2
    assert SEEN["runs"]["named-later"].startswith("refused") and turned["07 named"][1]["named-later"][0] == "{"
