"""A backup holds all and comes back the same elsewhere; whatever is no whole backup touches nothing. Every run is a
process of its own over files of its own."""

from __future__ import annotations

import json
import os
import resource
import signal
import sqlite3
import subprocess
import sys
import time
import zipfile
from contextlib import closing
from pathlib import Path

import pytest

from tests.conftest import ROOT


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

    def figures(self) -> str:
        return self.manage("trial_balance", "--ledger", "s", "--from", "2025-P01", "--to", "2026-P13")

    def count(self, table: str, database: str = "rulka") -> int:
        with closing(sqlite3.connect(self.var / f"{database}.sqlite3")) as connection:
            return int(connection.execute(f"SELECT COUNT(*) FROM {table}").fetchone()[0])


@pytest.fixture
def house(tmp_path, small):
    """A house with a ledger, people, a right given, a file that waits."""
    made = House(tmp_path / "one")
    made.manage("migrate", "--verbosity", 0)
    made.manage("load_ledger", "--ledger", "s", small())
    made.manage("make_person", "kim", "--role", "lead", "--ledger", "s", "--group", "Shop")
    made.manage("set_fence", "Shop", "--ledger", "s", "--members", "department=under:10")
    made.manage("set_right", "kim", "close periods")
    (made.var / "outputs").mkdir(exist_ok=True)
    (made.var / "outputs" / "result.csv").write_text("a,b\n")
    (made.var / "secrets").mkdir(exist_ok=True)
    (made.var / "secrets" / "feed-1").write_text("a secret that stays")
    return made


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


def test_what_is_no_whole_backup_touches_nothing(house, tmp_path):
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


def test_a_backup_while_a_load_is_written_holds_one_state(house, small, tmp_path):
    """Lines are loaded over and over while backups are made: each holds a revision as a whole."""
    rows = ["entity,entry,line,date,account,department,debit,credit,description"]
    for number in range(4_000):
        rows += [f"A,N{number},1,2026-02-01,1000,,1.00,,x", f"A,N{number},2,2026-02-01,4000,10,,1.00,x"]
    later = small("later", entries__csv="\n".join(rows) + "\n")
    loading = house.start("load_ledger", "--ledger", "s", later)
    made = []
    while loading.poll() is None or not made:
        file = tmp_path / f"{len(made)}.backup"
        house.manage("backup", file)
        made.append(file)
    assert loading.wait() == 0
    for at, file in enumerate(made):
        other = House(tmp_path / f"copy{at}")
        other.manage("restore", file)
        revision, lines = other.count("ledger_revision"), other.count("ledger_journalline")
        assert (revision, lines) in ((1, 7), (2, 8_007)), (revision, lines)


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
