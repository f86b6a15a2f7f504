"""A load that is killed at any moment leaves the former revision whole, and the next load works."""

from __future__ import annotations

import os
import random
import sqlite3
import subprocess
import sys
import time
from contextlib import closing
from pathlib import Path

import pytest

from bench.intake import write_ledger

ROOT = Path(__file__).parent.parent.parent
KILLS = 20


def environment(var: Path) -> dict[str, str]:
    return {**os.environ, "RULKA_VAR": str(var), "DATABASE_URL": "", "DJANGO_SETTINGS_MODULE": "rulka.web.settings"}


def state(var: Path) -> tuple[int, int, int]:
    """Revision, lines and net of lines, after checking that everything derived agrees with the lines."""
    with closing(sqlite3.connect(var / "rulka.sqlite3")) as database:
        assert database.execute("PRAGMA integrity_check").fetchone() == ("ok",)
        revision = database.execute("SELECT revision FROM ledger_ledger").fetchone()[0]
        assert database.execute("SELECT COUNT(*), MAX(number) FROM ledger_revision").fetchone() == (revision, revision)
        of_lines = (
            "SELECT key_id, period, status, effect, SUM(debit), SUM(credit), COUNT(*) FROM ledger_journalline "
            "GROUP BY 1, 2, 3, 4"
        )
        of_balances = "SELECT key_id, period, status, effect, debit, credit, count FROM ledger_balance"
        assert database.execute(f"SELECT COUNT(*) FROM ({of_lines} EXCEPT {of_balances})").fetchone() == (0,)
        assert database.execute(f"SELECT COUNT(*) FROM ({of_balances} EXCEPT {of_lines})").fetchone() == (0,)
        lines, chunked = database.execute("SELECT COUNT(*) FROM ledger_journalline").fetchone()[0], 0
        for (counts,) in database.execute("SELECT counts FROM ledger_balancechunk"):
            chunked += sum(memoryview(counts).cast("q"))
        assert chunked == lines
        assert database.execute(
            "SELECT COUNT(*) FROM ledger_journalline WHERE revision > ?", [revision]
        ).fetchone() == (0,)
        return (
            revision,
            lines,
            database.execute("SELECT SUM(debit) - SUM(credit) FROM ledger_journalline").fetchone()[0],
        )


LOAD = """
import sys, django
django.setup()
from pathlib import Path
from rulka.ledger.loading.load import Loading, load
marker = Path(sys.argv[2])
outcome = load(Loading("k", Path(sys.argv[1]), watch=lambda doing, rows, of: marker.write_text(doing)))
sys.exit(outcome.state != "accepted")
"""


def wait_for(process: subprocess.Popen[bytes], marker: Path) -> None:
    """Until the load says that it writes, or has ended."""
    while process.poll() is None and not (marker.exists() and marker.read_text() == "writing"):
        time.sleep(0.002)


def _timed(var, marker, load):
    """How long a load reads and writes when nothing kills it."""
    started = time.monotonic()
    process = subprocess.Popen(load, env=environment(var))
    wait_for(process, marker)
    reading = time.monotonic() - started
    assert process.wait() == 0
    writing = time.monotonic() - started - reading
    return reading, writing


def _whole_afterwards(kills, var, load, former, killed, while_writing):
    """The next load works, and the one after it has nothing to do."""
    assert killed == kills and while_writing >= kills // 4
    subprocess.run(load, env=environment(var), check=True)
    after = state(var)
    assert after[0] == former[0] + 1 and after[1] > former[1] and after[2] == 0, (former, after)
    subprocess.run(load, env=environment(var), check=True)
    assert state(var) == after


@pytest.mark.parametrize("kills", [4, pytest.param(KILLS, marks=pytest.mark.slow)])
def test_killed_loads_leave_the_former_revision_whole_and_the_next_one_works(tmp_path, kills):
    """Every second one is killed while it writes, the others at any moment from the start on."""
    var, marker, dice = tmp_path / "var", tmp_path / "marker", random.Random(7)
    load = [sys.executable, "-c", LOAD, str(tmp_path / "news"), str(marker)]
    migrate = [sys.executable, str(ROOT / "manage.py"), "migrate", "--verbosity", "0"]
    subprocess.run(migrate, env=environment(var), check=True, capture_output=True)
    first = 2_000
    write_ledger(tmp_path / "news", 4_000)
    reading, writing = _timed(var, marker, load)
    write_ledger(tmp_path / "news", 4_000, first=first, changed=300)
    former, killed, while_writing = state(var), 0, 0
    for round_ in range(kills * 10):
        if killed == kills:
            break
        marker.unlink(missing_ok=True)
        process = subprocess.Popen(load, env=environment(var), stderr=subprocess.DEVNULL)
        if round_ % 2:
            wait_for(process, marker)
            time.sleep(writing * dice.random())
        else:
            time.sleep(reading * dice.random())
        if process.poll() is None:
            process.kill()
            killed += 1
            while_writing += round_ % 2
        elif round_ % 2:  # the machine is quicker than it was when it was timed
            writing *= 0.8
        else:
            reading *= 0.8
        ended = process.wait()
        now = state(var)
        if now != former:  # it was quicker, or its commit was done: the next news
            assert now[0] == former[0] + 1 and ended in (0, -9)
            former, first = now, first + 6_000
            write_ledger(tmp_path / "news", 4_000, first=first, changed=300)
    _whole_afterwards(kills, var, load, former, killed, while_writing)
