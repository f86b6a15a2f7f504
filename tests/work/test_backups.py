"""A backup holds all and comes back the same elsewhere; whatever is no whole backup touches nothing. Every run is a
process of its own over files of its own."""

from __future__ import annotations

import json
import os
import re
import resource
import shutil
import signal
import sqlite3
import subprocess
import sys
import time
import zipfile
from contextlib import closing
from pathlib import Path

import pytest

from tests.conftest import ROOT, write_small
from tests.web.world import DEFINITIONS


class House:
    """A Rulka of its own below a folder."""

    def __init__(self, var: Path) -> None:
        self.var = var
        var.mkdir(exist_ok=True)

    @property
    def environment(self) -> dict[str, str]:
        kept = {name: value for name, value in os.environ.items() if not name.startswith(("RULKA_", "DATABASE"))}
        return {**kept, "RULKA_VAR": str(self.var)}

    def manage(self, *arguments: object, fails: str = "", **more: object) -> str:
        found = subprocess.run(
            [sys.executable, "manage.py", *map(str, arguments)], cwd=ROOT, env=self.environment, text=True,
            capture_output=True, check=False, **more,
        )  # fmt: skip
        if fails:
            assert found.returncode and fails in found.stderr, found
        else:
            assert found.returncode == 0, found.stderr
        return found.stdout

    def start(self, *arguments: object) -> subprocess.Popen[bytes]:
        return subprocess.Popen([sys.executable, "manage.py", *map(str, arguments)], cwd=ROOT, env=self.environment,
                                stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)  # fmt: skip

    def at_work(self, do: str) -> subprocess.Popen[str]:
        """Somebody who edits and keeps editions until `stop`, or the pages as they see them."""
        return subprocess.Popen([sys.executable, "-m", "tests.work.at_work", do], cwd=ROOT, env=self.environment,
                                stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)  # fmt: skip

    def pages(self) -> str:
        told, error = (shown := self.at_work("show")).communicate()
        assert shown.returncode == 0, error
        return told

    def rows(self, database: str) -> dict[str, list[str]]:
        """All there is in a database, by table."""
        with closing(sqlite3.connect(self.var / f"{database}.sqlite3")) as connection:
            named = connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'").fetchall()
            return {name: sorted(map(repr, connection.execute(f'SELECT * FROM "{name}"'))) for (name,) in named}

    def figures(self) -> str:
        return self.manage("trial_balance", "--ledger", "s", "--from", "2025-P01", "--to", "2026-P13")

    def count(self, table: str, database: str = "rulka") -> int:
        with closing(sqlite3.connect(self.var / f"{database}.sqlite3")) as connection:
            return int(connection.execute(f"SELECT COUNT(*) FROM {table}").fetchone()[0])


@pytest.fixture(scope="module")
def pattern(tmp_path_factory):
    """What `house` is a copy of."""
    folder = tmp_path_factory.mktemp("pattern")
    made = House(folder / "one")
    made.manage("migrate", "--verbosity", 0)
    made.manage("load_ledger", "--ledger", "s", write_small(folder))
    made.manage("make_person", "kim", "--role", "lead", "--ledger", "s", "--group", "Shop")
    made.manage("set_fence", "Shop", "--ledger", "s", "--members", "department=under:10")
    made.manage("set_right", "kim", "close periods")
    (made.var / "outputs").mkdir(exist_ok=True)
    (made.var / "outputs" / "result.csv").write_text("a,b\n")
    (made.var / "secrets").mkdir(exist_ok=True)
    (made.var / "secrets" / "feed-1").write_text("a secret that stays")
    return made


@pytest.fixture
def house(pattern, tmp_path):
    """A house with a ledger, people, a right given, a file that waits."""
    return House(shutil.copytree(pattern.var, tmp_path / "one"))


def test_a_backup_comes_back_elsewhere_with_all_but_secrets_and_waits_for_a_person(house, tmp_path):
    file, other = tmp_path / "all.backup", House(tmp_path / "two")
    told = house.manage("backup", file)
    assert "read again and found whole" in told and file.stat().st_mode & 0o077 == 0
    house.manage("backup", file, fails="exists already")
    house.manage("backup", tmp_path / "nowhere" / "x", fails="does not exist")
    with zipfile.ZipFile(file) as archive:
        names = archive.namelist()
        assert "files/outputs/result.csv" in names and not any("secret" in name for name in names)
        assert all(b"a secret that stays" not in archive.read(name) for name in names)
    told = other.manage("restore", file)
    assert "Everybody signs in anew." in told and "held" in told
    assert other.figures() == house.figures()
    for table in ("people_person", "people_givenright", "people_groupaccess", "ledger_journalline"):
        assert other.count(table) == house.count(table) > 0
    assert other.count("people_recorded", "work") == house.count("people_recorded", "work") + 1
    assert (other.var / "outputs" / "result.csv").read_text() == "a,b\n"
    assert (other.var / "held-since-restore").exists()
    # it works on nothing by itself, and is not overwritten by mistake
    assert "held" not in other.manage("work", "--once")
    other.manage("restore", file, fails="Something is here already")
    other.manage("restore", file, "--over")
    other.manage("restore", "--let-go-on")
    assert not (other.var / "held-since-restore").exists()


@pytest.mark.parametrize("every", [False, pytest.param(True, marks=pytest.mark.slow)])
def test_what_is_no_whole_backup_touches_nothing(every, house, tmp_path):
    file, other = tmp_path / "all.backup", House(tmp_path / "two")
    house.manage("backup", file)
    whole = file.read_bytes()
    other.manage("migrate", "--verbosity", 0)
    before = (other.var / "rulka.sqlite3").read_bytes()
    broken = tmp_path / "broken.backup"

    def refused(content: bytes, told: str) -> None:
        broken.write_bytes(content)
        other.manage("restore", broken, "--over", fails=told)
        assert (other.var / "rulka.sqlite3").read_bytes() == before
        assert not (other.var / "held-since-restore").exists()
        assert not list(other.var.glob(".rulka-restore-*"))

    refused(b"", "is no whole backup")
    refused(whole[: len(whole) // 2], "is no whole backup")
    with zipfile.ZipFile(file) as archive:
        held = archive.getinfo("default.sqlite3")
    middle = held.header_offset + held.compress_size // 2  # in the midst of what it holds
    refused(whole[:middle] + bytes([whole[middle] ^ 0xFF]) + whole[middle + 1 :], "is no whole backup")

    def altered(change) -> bytes:
        with zipfile.ZipFile(file) as source, zipfile.ZipFile(broken, "w") as target:
            manifest = json.loads(source.read("rulka-backup.json"))
            extra = change(manifest) or {}
            for name in source.namelist():
                target.writestr(name, json.dumps(manifest) if name.endswith(".json") else source.read(name))
            for name, content in extra.items():
                target.writestr(name, content)
        return broken.read_bytes()

    refused(altered(lambda m: m.update(format=2)), "another version of Rulka")
    if not every:
        return
    refused(altered(lambda m: m["migrations"].append(["ledger", "9999_later"])), "newer version")
    refused(altered(lambda m: m["sums"].pop("work.sqlite3") and None), "parts of it are missing")
    refused(altered(lambda m: {"../../out": "x"} if m["sums"].update({"../../out": "0"}) is None else None),
            "stands nowhere")  # fmt: skip
    assert not (tmp_path / "out").exists()


def test_a_full_disk_leaves_no_half_backup(house):
    room = house.var.parent / "room"
    room.mkdir()

    def small_files() -> None:
        """No file may grow beyond 64 kB, as where a disk is full."""
        resource.setrlimit(resource.RLIMIT_FSIZE, (64_000, 64_000))

    house.manage("backup", room / "all.backup", fails="could not be written", preexec_fn=small_files)
    assert list(room.iterdir()) == []


def _kept_at_rest(house, tmp_path):
    """What is kept once all is at rest comes back elsewhere as it was: figures, editions, rights, the record."""
    last, other = tmp_path / "last.backup", House(tmp_path / "elsewhere")
    house.manage("backup", last)
    other.manage("restore", last)
    assert other.rows("rulka") == house.rows("rulka")
    kept, back = house.rows("work"), other.rows("work")
    own = {"people_recorded", "django_session", "people_visit", "sqlite_sequence"}
    assert len(kept["people_recorded"]) > house.count("statements_edition") > 0
    assert set(kept["people_recorded"]) < set(back["people_recorded"])
    assert {name for name in kept if kept[name] != back[name]} <= own
    shown = house.pages()
    assert other.pages() == shown and "After 1" in shown
    asked = ("run_statement", "--ledger", "s", "result", "--period", "2026-P01", "--node", "A", "--format", "json")
    assert other.manage(*asked) == house.manage(*asked)


@pytest.mark.slow
def test_a_backup_while_a_load_is_written_and_people_edit_holds_one_state(house, small, tmp_path):
    """A load is written and a statement edited while backups are made: each holds a revision, and an edit, as a whole;
    the one made after them brings back all, elsewhere."""
    definitions = tmp_path / "definitions.yaml"
    definitions.write_text(DEFINITIONS)
    house.manage("load_statement", "--ledger", "s", definitions)
    house.manage("make_person", "amy", "--role", "accountant", "--ledger", "s")
    editing = house.at_work("edit")
    rows = ["entity,entry,line,date,account,department,debit,credit,description"]
    for number in range(2_000):
        rows += [f"A,N{number},1,2026-02-01,1000,,1.00,,x", f"A,N{number},2,2026-02-01,4000,10,,1.00,x"]
    later = small("later", entries__csv="\n".join(rows) + "\n")
    while editing.poll() is None and not house.count("statements_edition"):
        time.sleep(0.1)
    loading = house.start("load_ledger", "--ledger", "s", later)
    made = []
    while loading.poll() is None or not made:
        file = tmp_path / f"{len(made)}.backup"
        house.manage("backup", file)
        made.append(file)
    assert loading.wait() == 0
    (house.var / "stop").touch()
    _, error = editing.communicate()
    assert editing.returncode == 0, error
    for at, file in enumerate({made[0], made[-1]}):
        other = House(tmp_path / f"copy{at}")
        other.manage("restore", file)
        revision, lines = other.count("ledger_revision"), other.count("ledger_journalline")
        assert (revision, lines) in ((1, 7), (2, 4_007)), (revision, lines)
        (label,) = re.findall(r"Rent ?[0-9]*", "".join(other.rows("rulka")["statements_definition"]))
        edits, editions = other.count("statements_edit"), other.count("statements_edition")
        assert label == (f"Rent {edits}" if edits else "Rent") and edits - editions in (0, 1), (label, edits, editions)
        kept = [one for one in other.rows("work")["people_recorded"] if "'kept'" in one]
        assert edits and len(kept) >= editions
    _kept_at_rest(house, tmp_path)


@pytest.mark.slow
def test_twenty_kills_leave_no_file_that_restores_wrongly(house, tmp_path):
    expected = house.figures()
    for attempt in range(20):
        file, other = tmp_path / f"{attempt}.backup", House(tmp_path / f"copy{attempt}")
        running = house.start("backup", file)
        time.sleep(0.25 + attempt * 0.07)
        running.send_signal(signal.SIGKILL)
        running.wait()
        if file.exists():
            other.manage("restore", file)
            assert other.figures() == expected
        left = tmp_path / f"{attempt}.backup.part"
        if left.exists():
            try:
                other.manage("restore", left)
            except AssertionError:
                continue  # no whole backup
            assert other.figures() == expected
