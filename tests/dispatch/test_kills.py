"""The sender is killed at any moment: nothing is lost, nothing goes twice, all is accounted for."""

from __future__ import annotations

import random
import signal
import sqlite3
import time
from collections import Counter
from contextlib import closing

import pytest

from standins.mail_server import MailServer
from tests.conftest import write_small
from tests.dispatch.world import PACK
from tests.web.world import DEFINITIONS
from tests.work.test_backups import House

PLAIN = PACK.replace(", sheet {cell sums / C1}", "")


class Sender(House):
    """A house that sends by a server and into a folder."""

    port = 0

    @property
    def environment(self):
        return {**super().environment, "RULKA_MAIL_HOST": "127.0.0.1", "RULKA_MAIL_PORT": str(self.port),
                "RULKA_MAIL_FROM": "rulka@ternwick.example",
                "RULKA_SEND_FOLDERS": f"board={self.var.parent / 'board'}"}  # fmt: skip

    def deliveries(self):
        with closing(sqlite3.connect(self.var / "work.sqlite3")) as connection:
            return connection.execute("SELECT identity, way, state, target FROM dispatch_delivery").fetchall()


@pytest.mark.slow
def test_twenty_kills_leave_everything_accounted_for(tmp_path, kills=20):
    house = Sender(tmp_path / "one")
    (tmp_path / "board").mkdir()
    (tmp_path / "definitions.yaml").write_text(DEFINITIONS)
    (tmp_path / "pack.yaml").write_text(PLAIN)
    house.manage("migrate", "--verbosity", 0)
    house.manage("load_ledger", "--ledger", "s", write_small(tmp_path))
    house.manage("load_statement", "--ledger", "s", tmp_path / "definitions.yaml")
    for name, role in (("amy", "accountant"), ("lea", "lead"), ("kim", "lead")):
        house.manage("make_person", name, "--role", role, "--ledger", "s", "--mail", f"{name}@ternwick.example",
                     "--title", name.capitalize())  # fmt: skip
    house.manage("load_dispatch", "--ledger", "s", tmp_path / "pack.yaml", "--as", "amy")
    with MailServer() as server:
        house.port = server.port
        killed_under_way = 0
        for attempt in range(kills):
            before = len(house.deliveries())
            sending = house.start("send", "month-pack", "--ledger", "s", "--period", "2026-P01", "--as", "amy")
            chance = random.Random(attempt)
            while sending.poll() is None and len(house.deliveries()) == before and chance.random() < 0.995:
                time.sleep(0.05)
            time.sleep(chance.random() * 0.4)
            killed_under_way += sending.poll() is None
            sending.send_signal(signal.SIGKILL)
            sending.wait()
            house.manage("work", "--once")
        assert killed_under_way
        arrived = Counter(one.message["Message-ID"].strip("<>").partition("@")[0] for one in server.arrived)
    found = house.deliveries()
    assert len(found) % 5 == 0, "an occasion is written down as a whole, or not at all"
    assert {state for _, _, state, _ in found} <= {"delivered", "not known"}
    mails = {identity: state for identity, way, state, _ in found if way == "mail"}
    assert set(arrived) <= set(mails) and set(arrived.values()) <= {1}
    assert all(arrived[identity] == 1 for identity, state in mails.items() if state == "delivered")
    boards = [one for one in found if one[1] == "board"]
    names = [path.name for path in (tmp_path / "board" / "2026-P01").iterdir()] if boards else []
    contents = [path.read_bytes() for path in (tmp_path / "board" / "2026-P01").iterdir()] if boards else []
    assert len(contents) == len(set(contents)) == 4 * len(boards), "each file once"
    assert all(state == "delivered" for _, way, state, _ in found if way == "board")
    assert not any(name.startswith(".") for name in names), "never half a file"
